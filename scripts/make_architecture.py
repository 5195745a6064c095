"""Makes `docs/architecture.md` and its picture from the package's imports: `python scripts/make_architecture.py`."""

from __future__ import annotations

import ast
from collections import defaultdict
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE, TESTS = ROOT / "src" / "logochron", ROOT / "tests"
#: The folders from the bottom up, side by side where none imports the other.
FLOORS: tuple[tuple[str, ...], ...] = (
    ("core/calendars",),
    ("core/book",),
    ("core/align", "core/judge"),
    ("core/rows",),
    ("core/questions",),
    ("sources/values", "views/words"),
    ("sources/duckdb", "views/tables"),
    ("sources/pushdown", "views/figures"),
    ("sources/files", "views/handout", "views/page"),
    ("sources", "views"),
    ("report",),
    ("cli", "demo"),
)
#: Which files of tests look at a folder.
TESTED_BY = {
    "core/calendars": "calendars unlike_years package",
    "core/book": "measures standing last_records reading compare currencies selling_days",
    "core/align": "alignment compare unlike_years cuts limits",
    "core/judge": "judging guards",
    "core/rows": "compare questions cells cuts package plans life season",
    "core/questions": "compare overview relate drivers pace landing review explain plans life season"
    " restated questions",
    "sources/values": "kinds awkward_files hostile_reading edge_cases",
    "sources/duckdb": "rollup reading kinds many_files",
    "sources/pushdown": "databases lazy_frames roads",
    "sources/files": "reading kinds awkward_files exports hostile_reading many_files first_minutes",
    "sources": "options reading standing last_records review exports first_minutes currencies plans",
    "views/words": "words sentences life season",
    "views/tables": "cells shown workbook explain",
    "views/figures": "figures every_figure shown",
    "views/handout": "handout",
    "views/page": "page cuts",
    "views": "shown guards words",
    "report": "report report_folder alerts options",
    "cli": "cli hostile_cli options offers alerts threats first_minutes",
    "demo": "package cli",
}
_HEAD = """\
<!-- Made by scripts/make_architecture.py from the imports and the docstrings: change those, not this. -->

# How Logochron is built

Data runs one way: **records -> book -> alignment -> rows -> answer -> table, words, scene -> terminal, file, picture,
page.** `core` is arithmetic on arrays: it reads no file, prints and draws nothing. `sources` makes a daybook of
whatever holds records, in an engine; `views` shows answers and never imports `sources`; `report` and `cli` stand on
top. One table, `options.py`, has every option; one registry, `core/questions/registry.py`, a row a question.

![Folders and who imports whom](architecture.png)

An arrow leads to what is imported; lines that skip a floor are left out where another way leads there too. A test
holds the order of the floors, and that no imports lead in a circle (`tests/test_package.py`).

One algorithm: every figure is a sum over a span of days. All spans that a question needs are gathered, their ends cut
the time axis into cells, one pass over the book adds each record into its (cell, item) bin, and a span is one
subtraction of sums up to its ends: `core/align/windows.py`, `core/book/sums.py`, `core/rows/prepare.py`.
"""


def modules() -> dict[str, Path]:
    """The modules of the package by their dotted names."""
    paths = (path for path in SOURCE.rglob("*.py") if path.stat().st_size)
    return {".".join(p.relative_to(SOURCE.parent).with_suffix("").parts).removesuffix(".__init__"): p for p in paths}


def folder(module: str) -> str:
    """The folder of a module, as the floors name it; empty for what belongs to all. The demo is a folder of one."""
    parts = module.split(".")[1:] if module == "logochron.demo" else module.split(".")[1:-1]
    known = {name for floor in FLOORS for name in floor}
    return next(("/".join(parts[:n]) for n in (2, 1) if "/".join(parts[:n]) in known), "")


def imports(path: Path) -> set[str]:
    """The modules of the package that a file imports, wherever in it."""
    nodes = [node for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
             if isinstance(node, ast.ImportFrom) and node.module]  # fmt: skip
    names = {node.module or "" for node in nodes} | {f"{n.module}.{a.name}" for n in nodes for a in n.names}
    return {name for name in names if name.startswith("logochron")}


def edges() -> dict[str, set[str]]:
    """Which folders import which that stand lower."""
    found: dict[str, set[str]] = defaultdict(set)
    known = modules()
    height = {name: place for place, floor in enumerate(FLOORS) for name in floor}
    for name, path in known.items():
        for other in imports(path) & set(known):
            here, there = folder(name), folder(other)
            # single modules of `sources` and `views` stand below their folders
            if here and there and height[here] > height[there]:
                found[here].add(there)
    return found


def lasting(found: dict[str, set[str]]) -> dict[str, set[str]]:
    """The same without what is reached over another folder too."""

    def reached(name: str) -> set[str]:
        return found[name] | {far for near in found[name] for far in reached(near)}

    return {here: {to for to in there if not any(to in reached(o) for o in there - {to})} for here, there in
            list(found.items())}  # fmt: skip


def picture(path: Path) -> None:
    """The folders on their floors, with arrows to what they import."""
    from matplotlib.figure import Figure

    places = {name: ((i - (len(floor) - 1) / 2) * 3.4, y * 1.5) for y, floor in enumerate(FLOORS) for i, name in
              enumerate(floor)}  # fmt: skip
    counts = defaultdict(int)
    for name in modules():
        counts[folder(name)] += 1
    figure = Figure(figsize=(9, 13), facecolor="white")
    ax = figure.subplots()
    for here, there in sorted(lasting(edges()).items()):
        for to in sorted(there):
            start, end = places[here], places[to]
            ax.annotate("", xy=(end[0], end[1] + 0.5), xytext=(start[0], start[1] - 0.48), arrowprops={
                "arrowstyle": "-|>", "color": "#8A93A6", "lw": 1.1, "shrinkA": 0, "shrinkB": 0,
                "connectionstyle": "arc3,rad=0.06"})  # fmt: skip
    for name, (x, y) in places.items():
        shade = {"core": "#DCE6F5", "sources": "#E3F0E1", "views": "#F7E9D7"}.get(name.split("/")[0], "#EEEEEE")
        told = f"{name}\n{counts[name]} module{'s' * (counts[name] > 1)}"
        ax.text(x, y, told, ha="center", va="center", fontsize=10, color="#22365E",
                linespacing=1.4, bbox={"boxstyle": "round,pad=0.5", "facecolor": shade, "edgecolor": "#22365E",
                                       "lw": 0.8})  # fmt: skip
    ax.set_xlim(-4, 4)
    ax.set_ylim(-0.7, (len(FLOORS) - 1) * 1.5 + 0.7)
    ax.axis("off")
    figure.savefig(path, dpi=110, bbox_inches="tight")


def first_line(path: Path) -> str:
    """The first line of a file's docstring."""
    return (ast.get_docstring(ast.parse(path.read_text(encoding="utf-8"))) or "").partition("\n")[0]


def page() -> str:
    """The page: the picture, what each module holds, and which tests look at it."""
    known = modules()
    lines = [_HEAD]
    for name in (name for floor in reversed(FLOORS) for name in floor):
        own = sorted(module for module in known if folder(module) == name)
        tests = ", ".join(f"`test_{test}`" for test in TESTED_BY[name].split())
        lines += [f"\n## `{name}`\n", f"Tests: {tests}.\n", "| module | what it holds |", "|---|---|"]
        lines += [f"| `{module.rsplit('.', 1)[-1]}` | {first_line(known[module])} |" for module in own]
    lines += ["\n## The tests\n", "| file | what it looks at |", "|---|---|"]
    lines += [f"| `{path.name}` | {first_line(path)} |" for path in sorted(TESTS.glob("test_*.py"))]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    (ROOT / "docs" / "architecture.md").write_text(page(), encoding="utf-8")
    picture(ROOT / "docs" / "architecture.png")
