"""Makes the pages of `docs/` from the demo's records: `python scripts/make_docs.py`.

Each page in `scripts/doc_pages/` is a text with commands and code, and is written with what they put out; the gallery
draws every figure with the code beside it. A test makes the pages anew, so that they cannot go stale.
"""

from __future__ import annotations

import contextlib
import io
import os
import re
import shlex
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

from api_page import api
from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined
from run_here import run_here

import logochron as lc
from logochron.report import settings
from logochron.report.settings import SectionTable, section_models
from logochron.views.figures.registry import FIGURES

#: The tables of a report file.
_TABLES = (
    ("[sales]", settings.Sales),
    ("[[measure]]", settings.MeasureTable),
    ("[calendar]", settings.CalendarTable),
    ("[selling_days]", settings.SellingDaysTable),
    ("[judging]", settings.JudgingTable),
    ("[[judging.band]]", settings.BandTable),
    ("[plan]", settings.PlanTable),
    ("[page]", settings.PageTable),
    ("[page.choices]", settings.ChoicesTable),
    ("[report]", settings.ReportTable),
    ("[[section]]", SectionTable),
    *((f'[[section]] question = "{name}"', model) for name, model in section_models().items() if name != "review"),
)
PAGES = Path(__file__).parent / "doc_pages"
DOCS = Path(__file__).parents[1] / "docs"
_FENCE = re.compile(r"^```(sh|python)\n(.*?)^```\n", re.DOTALL | re.MULTILINE)
_MADE = "<!-- Made by scripts/make_docs.py from scripts/doc_pages/{name}.md: change that, not this. -->\n"

#: How each figure is called in the gallery, and what it is good for.
GALLERY: dict[str, tuple[str, str]] = {
    "columns": ("lc.draw.columns(months)", "Periods against their bases, read one by one."),
    "overlay": ("lc.draw.overlay(months)", "The shape of a season before the shape of the one before."),
    "lines": ("lc.draw.lines(weeks)", 'Many periods, or small panels of items: `panels="harbor"`.'),
    "trend": ("lc.draw.trend(months)", "When it turned, and whether that was good. `small=True`: as small as a word."),
    "overview": ("lc.draw.overview(now)", "Items down, windows across, each beside its bases."),
    "bars": ('lc.draw.bars(months, at="2026-09")', "Items in one period, each with its growth."),
    "nested": ('lc.draw.nested(months, at="2026-09")', "How full the base is: what is missing and what goes beyond."),
    "captioned": ('lc.draw.captioned(judged, at="2026-09")', "What to do about each item, as its band advises."),
    "slope": ('lc.draw.slope(months, at="2026-09")', "Who overtook whom."),
    "heat": ("lc.draw.heat(months)", "Growth of many items in many periods at one glance."),
    "pace": ("lc.draw.pace(years)", "Running totals of years at the same place."),
    "landing": ("lc.draw.landing(month)", "Where the running month will end, and how sure that is."),
    "season": ("lc.draw.season(parts)", "The usual share of each month, its range, and this year beside it."),
    "bridge": ("lc.draw.bridge(moved)", "From the base over what each item contributed to the value."),
    "cards": ('lc.draw.cards(months, at="2026-09")', "The figures of one period, large."),
    "table": ("lc.draw.table(months)", "The table as a picture, with small lines and share bars."),
    "backtest": ("lc.draw.backtest(month)", "From which day on an estimate can be believed."),
}
_ANSWERS = """import logochron as lc

book = lc.read(
    "brinefold/brinefold-sales.csv", date="sold_on", measures=[lc.Measure("revenue", unit="EUR")], by=["harbor", "line"]
)
months = lc.compare(book, each="month", by="harbor", last=13)
weeks = lc.compare(book, each="week", last=60)
judged = lc.compare(
    book,
    each="month",
    by="harbor",
    last=13,
    judging=lc.Judging(
        bands=[
            lc.Band("behind", below=-0.03, verdict="adverse", advice="ring the harbor office"),
            lc.Band("on course", from_=-0.03, below=0.02, verdict="neutral", advice="leave it as it is"),
            lc.Band("ahead", from_=0.02, verdict="favorable", advice="add a lesson boat"),
        ]
    ),
)
now = lc.overview(book, by="harbor", against=["year-ago", "prior"])
years = lc.pace(book, within="year")
month = lc.land(book, within="month")
parts = lc.season(book)
moved = lc.drivers(book, each="month", by=["harbor", "line"], at="2026-09")
"""


@contextlib.contextmanager
def demo_folder() -> Iterator[Path]:
    """A folder with the demo's records, as the working directory."""
    before = Path.cwd()
    with tempfile.TemporaryDirectory() as name:
        os.chdir(name)
        try:
            lc.demo.write("brinefold")
            yield Path(name)
        finally:
            os.chdir(before)


def page(name: str) -> str:
    """A page with the output of its commands and code, run in the working directory."""
    names: dict[str, Any] = {}

    def run(fence: re.Match[str]) -> str:
        said = _commands(fence[2]) if fence[1] == "sh" else _code(fence[2], names)
        return f"{fence[0]}\n```text\n{said.rstrip()}\n```\n" if said.strip() else fence[0]

    text = (PAGES / f"{name}.md").read_text(encoding="utf-8").replace("<!-- keys -->\n", keys())
    return _MADE.format(name=name) + "\n" + _FENCE.sub(run, text)


def keys() -> str:
    """Every key of a report file, from the models that check it."""
    lines = []
    for name, model in _TABLES:
        lines += [
            f"### `{name}`\n",
            f"{(model.__doc__ or '').splitlines()[0]}\n",
            "| key | what it says | where left out |",
        ]
        lines.append("|---|---|---|")
        for key, field in model.model_fields.items():
            if name.startswith("[[section]] ") and key in SectionTable.model_fields:
                continue
            lines.append(f"| `{field.alias or key}` | {_said(field)} | {_usual(field)} |")
        lines.append("")
    return "\n".join(lines)


def _said(field: FieldInfo) -> str:
    """What a key says, and the words it may be."""
    words = [one for kind in (field.annotation, *get_args(field.annotation)) for one in _words(kind)]
    listed = ", ".join(f"`{word}`" for word in dict.fromkeys(words))
    return (str(field.description) + (f" One of {listed}." if listed else "")).replace("|", "\\|")


def _words(kind: Any) -> tuple[str, ...]:
    return get_args(kind) if get_origin(kind) is Literal else ()


def _usual(field: FieldInfo) -> str:
    if field.is_required():
        return "needed"
    usual = field.default
    if usual is PydanticUndefined or usual in (None, (), ""):
        return ""
    return f"`{str(usual).lower() if isinstance(usual, bool) else usual}`"


def _commands(block: str) -> str:
    """What commands put out, one after the other."""
    runs = []
    for line in block.splitlines():
        words = shlex.split(line)[1:]
        ran = run_here(*words)
        if ran.returncode:
            raise SystemExit(f"{line}\n{ran.stderr}")
        runs.append(ran.stdout.rstrip())
    return "\n\n".join(runs)


def _code(block: str, names: dict[str, Any]) -> str:
    """What code prints."""
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        exec(compile(block, "page", "exec"), names)
    return said.getvalue()


def gallery(folder: Path) -> str:
    """The page of all figures, their pictures drawn into a folder."""
    lines = [_MADE.replace("scripts/doc_pages/{name}.md", "its table of figures"), "# All figures\n"]
    lines += ["The answers they are drawn from:\n", f"```python\n{_ANSWERS}```\n"]
    names: dict[str, Any] = {}
    exec(_ANSWERS, names)
    for figure in FIGURES:
        call, good_for = GALLERY[figure.name]
        drawn = eval(call, names)
        drawn.savefig(folder / f"{figure.name}.png", dpi=70)
        what = str(getattr(lc.draw, figure.name).__doc__).splitlines()[0]
        lines += [f"## {figure.name}\n", f"{what} {good_for}\n", f"```python\n{call}\n```\n"]
        lines.append(f"![{drawn.alt}](gallery/{figure.name}.png)\n")
    lines.append("`lc.draw.figure(answer)` picks the one that suits an answer, and says which.\n")
    return "\n".join(lines)


def pages(pictures: Path) -> dict[str, str]:
    """All pages by name, made in the demo's folder; the gallery's pictures are drawn into a folder."""
    with demo_folder():
        made = {path.stem: page(path.stem) for path in sorted(PAGES.glob("*.md"))}
        return made | {
            "gallery": gallery(pictures),
            "api": _MADE.replace("scripts/doc_pages/{name}.md", "docstrings") + api(),
        }


if __name__ == "__main__":
    (DOCS / "gallery").mkdir(parents=True, exist_ok=True)
    for name, text in pages((DOCS / "gallery").resolve()).items():
        (DOCS / f"{name}.md").write_text(text, encoding="utf-8")
        print(DOCS / f"{name}.md")
