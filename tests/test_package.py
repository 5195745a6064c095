"""The package as a whole: its face, who imports whom, its demo and examples."""

from __future__ import annotations

import ast
import contextlib
import io
import runpy
import subprocess
import sys
from functools import cache
from gettext import GNUTranslations
from pathlib import Path

import pytest

import logochron as lc
from logochron.views.figures.registry import NAMES

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "logochron"
LAYERS = {"core": set(), "sources": {"core"}, "views": {"core"}, "demo": {"core", "sources", "views"}}
LAYERS["report"] = {"core", "sources", "views"}
LAYERS["cli"] = {"core", "sources", "views", "demo", "report"}
#: The rooms of each layer from the ground up; those of one floor do not know each other. "" is the layer's own folder.
ROOMS = {
    "core": [{""}, {"calendars"}, {"book"}, {"align", "judge"}, {"rows"}, {"questions"}],
    "sources": [{"values"}, {"rolled_source"}, {"duckdb"}, {"pushdown"}, {"files"}, {""}],
    "views": [
        {"catalog", "decimals", "locale_texts", "palette", "sections", "whole_file"},
        {"formats"},
        {"marks"},
        {"words"},
        {"tables"},
        {"figures"},
        {"handout", "page"},
        {""},
    ],
}


def room(name: str) -> str:
    """The room of a module: its folder, or itself where it is a floor of its own."""
    layer, *rest = name.removeprefix("logochron.").split(".")
    own = {one for floor in ROOMS[layer] for one in floor}
    return rest[0] if rest and rest[0] in own else ""


@cache
def imports(path: Path) -> set[str]:
    """The modules of the package that a file imports, wherever in it."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module} | {f"{node.module}.{alias.name}" for alias in node.names}
    return found


def test_who_imports_whom():
    for layer, allowed in LAYERS.items():
        for path in (SOURCE / layer).rglob("*.py"):
            for name in imports(path):
                if name.startswith("logochron.") and name != "logochron.__version__":
                    target = name.split(".")[1]
                    assert target == layer or target in allowed or target not in LAYERS, f"{path} imports {name}"
                outside = name.split(".")[0]
                if layer == "core":
                    assert outside not in {"rich", "click", "matplotlib", "babel", "duckdb"}, f"{path} imports {name}"
                if outside == "matplotlib":
                    assert path.name in ("drawing.py", "fonts.py", "to_matplotlib.py") and "views" in path.parts, (
                        f"{path} imports {name}"
                    )


@pytest.mark.parametrize("layer", ROOMS)
def test_rooms_know_only_lower_floors(layer):
    floors = {name: height for height, floor in enumerate(ROOMS[layer]) for name in floor}
    modules = {".".join(p.relative_to(SOURCE.parent).with_suffix("").parts): p for p in (SOURCE / layer).rglob("*.py")}
    assert {room(name) for name in modules} == set(floors)
    for name, path in modules.items():
        for other in imports(path) & set(modules):
            here, there = room(name), room(other)
            assert here == there or floors[there] < floors[here], f"{name} imports {other}"


def test_no_import_circle():
    modules = {".".join(p.relative_to(SOURCE.parent).with_suffix("").parts).removesuffix(".__init__"): p
               for p in SOURCE.rglob("*.py")}  # fmt: skip
    graph = {
        name: {i for i in imports(path) if i in modules and i not in (name, "logochron")}
        for name, path in modules.items()
    }
    done: set[str] = set()

    def visit(name: str, above: tuple[str, ...]) -> None:
        assert name not in above, " -> ".join([*above, name])
        if name not in done:
            for other in graph[name]:
                visit(other, (*above, name))
            done.add(name)

    for name in modules:
        visit(name, ())


def test_public_face():
    stub = ast.parse((SOURCE / "__init__.pyi").read_text())
    named = {alias.asname for node in stub.body if isinstance(node, ast.ImportFrom) for alias in node.names}
    assert named == set(lc.__all__) and list(lc.__all__) == sorted(lc.__all__)
    for name in lc.__all__:
        assert getattr(lc, name).__doc__, name
    assert set(lc.__all__) <= set(dir(lc)) and dir(lc.draw) == sorted([*NAMES, "figure"])
    assert len(NAMES) == 17 and dir(lc.words) == ["headline", "sentences"]
    with pytest.raises(AttributeError, match="no attribute 'compair'"):
        lc.compair  # noqa: B018
    assert (SOURCE / "py.typed").exists()


def loaded(code: str) -> set[str]:
    ran = subprocess.run(
        [sys.executable, "-c", f"import sys\n{code}\nprint(*sys.modules)"], capture_output=True, text=True, check=True
    )
    return {name.split(".")[0] for name in ran.stdout.split()}


def test_nothing_heavy_is_loaded(tmp_path):
    heavy = {"numpy", "pandas", "matplotlib", "duckdb", "rich", "babel"}
    assert not loaded("import logochron") & heavy
    assert not loaded("import logochron.cli.main") & heavy
    assert "numpy" not in loaded("import logochron.sources.read")  # the engine opens beside it
    sales, _ = lc.demo.write(tmp_path)
    words = ["compare", str(sales), "--date", "sold_on", "--value", "revenue", "--by", "harbor"]
    terminal = loaded(f"from logochron.cli.main import cli\ncli({words!r}, standalone_mode=False)")
    assert not terminal & {"pandas", "matplotlib", "pyarrow"} and "duckdb" in terminal


def test_files_stay_small():
    assert max(len(path.read_text().splitlines()) for path in SOURCE.rglob("*.py")) <= 600


def test_no_two_things_share_a_name():
    named: dict[str, list[str]] = {}
    for path in SOURCE.rglob("*.py"):
        for node in ast.parse(path.read_text()).body:
            names = [node.name] if isinstance(node, ast.ClassDef) else []
            names += [one.id for one in getattr(node, "targets", ()) if isinstance(one, ast.Name)]
            for name in names:
                if name[0].isupper() and not name.isupper():  # classes and aliases of types
                    named.setdefault(name, []).append(path.stem)
    assert not {name: where for name, where in named.items() if len(where) > 1}


def test_catalogs_are_compiled():
    maker = runpy.run_path(str(ROOT / "scripts" / "make_catalogs.py"))
    for source in maker["FOLDER"].rglob("*.po"):
        made, kept = io.BytesIO(maker["compiled"](source)), source.with_suffix(".mo").open("rb")
        with kept:
            both = [dict(GNUTranslations(file)._catalog, **{"": ""}) for file in (made, kept)]
        assert both[0] == both[1] and len(both[0]) > 50


def test_a_name_of_old_warns_and_leads_to_its_successor(monkeypatch):
    monkeypatch.setitem(lc._DEPRECATED, "compare_periods", ("compare", "0.2.0", "0.4.0"))
    with pytest.warns(DeprecationWarning, match=r"compare_periods is called logochron.compare since 0.2.0.* 0.4.0"):
        assert lc.compare_periods is lc.compare
    assert "compare_periods" not in dir(lc)


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_shells_complete(cli_process, shell):
    assert "_LOGOCHRON_COMPLETE" in cli_process("completion", shell).stdout
    words = {"COMP_WORDS": "logochron compare --spreadsh", "COMP_CWORD": "2" if shell != "fish" else "--spreadsh"}
    offered = cli_process(env={"_LOGOCHRON_COMPLETE": f"{shell}_complete", **words})
    assert offered.returncode == 0 and "--spreadsheet-safe" in offered.stdout and not offered.stderr


def test_versions_of_what_matters(cli):
    told = cli("--version").stdout.splitlines()
    assert told[0] == f"logochron {lc.__version__}" and {"duckdb", "numpy", "Python"} <= {t.split()[0] for t in told}


def test_demo_tells_its_stories(demo_book):
    revenue = {"measures": "revenue"}

    def row(book, each, at, against="year-ago"):
        return lc.compare(book, each, against, at=at, **revenue).table.iloc[0]

    harbor = lambda name, **more: demo_book.where({"harbor": name, **more})  # noqa: E731
    opened = row(harbor("Dunmarrow"), "month", "2024-04")
    assert (opened.note, opened.direction) == ("new", "rising") and opened.value > 4000
    ended = row(harbor("Brackenmouth", line="repairs"), "month", "2025-04")
    assert ended.note == "ended" and ended.growth == -1
    closed = lc.compare(harbor("Cold Pier"), "day", at="2025-11-03..2025-11-16", **revenue).table
    assert (closed.value == 0).all() and (closed.status == "complete").all() and (closed.base > 0).all()
    slump = row(harbor("Alderquay", line="lessons"), "month", "2026-06")
    rest = row(demo_book, "month", "2026-06")
    assert slump.growth < -0.3 and rest.growth > 0
    returns = (
        demo_book.where({"line": "gear", "channel": "online"}).totals("day", by="harbor").query("measure == 'revenue'")
    )
    assert (returns.value < 0).any()
    growths = {h: row(harbor(h), "quarter", "2026-Q3").growth for h in demo_book.items("harbor")}
    assert growths["Dunmarrow"] > 0.1 > 0.03 > growths["Cold Pier"]
    plan = lc.read(ROOT / "src/logochron/demo/data/brinefold-plan.csv.gz", date="month", values="revenue", by="harbor",
                   date_format="%Y-%m")  # fmt: skip
    assert plan.items("harbor") == demo_book.items("harbor")
    assert sum(p.stat().st_size for p in (SOURCE / "demo" / "data").iterdir()) < 1e6


@pytest.mark.slow
@pytest.mark.parametrize("example", sorted((ROOT / "examples").glob("*.py")), ids=lambda p: p.stem)
def test_example(example, tmp_path, monkeypatch):
    if example.stem == "on_a_cluster":
        pytest.importorskip("distributed")
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(sys, "argv", [str(example)])
    shown = io.StringIO()
    with contextlib.redirect_stdout(shown):
        runpy.run_path(str(example), run_name="__main__")
    said = {
        "where_will_the_month_end": "growth = change / base =",
        "budget_and_estimate": "to reach the plan estimate in 13 days",
        "harbor_abroad": "currency effect currency effect -4671.6014       -0.0106",
        "open_days": "to reach plan in 12 selling days",
        "the_season": "July usually brings most of revenue in a year: 14.0 % (13.8 % to 14.4 % in 4 years).",
        "who_came_and_left": "633 new customers brought EUR 82.3K; 404 that left took EUR 57.9K;",
        "campaign": "to 31 Mar: 11,942.28 against 9,425.93, to-date",
        "fiscal_year_from_april": "FY2027 = 1 Apr 2026 to 31 Mar 2027",
        "from_a_file": "harbor",
        "on_a_cluster": "the same as from the files here: True; exact: {'revenue': True, 'units': True}",
        "monthly_file": "growth = change / base = +2,728.67 / 5,516.00 = +49.47 %",
        "statement": "value = result 10,698.00 / sales 33,642.00 = 0.3180",
        "sentences_and_pictures": "Dunmarrow legte am meisten zu (+2,4 %), vor allem hire; Cold Pier fiel um 17,0 %.",
        "retail_year": "week 53 (2023-W53) lies in the base only",
        "page_to_choose_from": "choose.html",
        "the_week_in_one_file": "How the months stand: alert growth < -10% does not fire in 2026-10",
    }
    assert said[example.stem] in shown.getvalue()
    assert example.stem != "from_a_file" or (tmp_path / "brinefold" / "harbors.png").exists()


def test_notebook_view(demo_book, tmp_path):
    path = tmp_path / "f.csv"
    path.write_text('d,h,v\n2025-01-01,<b>&,1\n2026-01-31,"<script>",2\n')
    html = lc.compare(lc.read(path, date="d", values="v", by="h"), "month", by="h")._repr_html_()
    assert "&lt;script&gt;" in html and "<script>" not in html and "<caption>V by month and h" in html
