"""The command line treated badly: one line and an exit code; no traceback, no half file, no raw control character."""

from __future__ import annotations

import contextlib
import inspect
import io
import json
import os
import re
import resource
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import click
import numpy as np
import pandas as pd
import pytest
from conftest import command_named

import logochron as lc
from logochron.cli.main import cli as commands
from logochron.options import READING_OPTIONS

H = "day,h,amount\n"
MONTHS = ["--date", "day", "--value", "amount"]


@pytest.fixture(scope="module")
def sales(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("hostile") / "s.csv"
    days = pd.date_range("2024-01-01", "2025-03-10").strftime("%Y-%m-%d")
    path.write_text(H + "".join(f"{day},{'ab'[n % 2]},{n / 4}\n" for n, day in enumerate(days)))
    return path


def started(*words: object, before=None, **options) -> subprocess.Popen[bytes]:
    piped = {"stdout": subprocess.PIPE, "stderr": subprocess.PIPE, **options}
    return subprocess.Popen([sys.executable, "-m", "logochron", *map(str, words)], preexec_fn=before, **piped)


def ended(*words: object, **options) -> tuple[int, str]:
    """The exit code, and what was said on standard error."""
    with started(*words, **options) as process:
        _, said = process.communicate(timeout=100)
    return process.returncode, said.decode()


@pytest.mark.parametrize("spelled", ["s.csv", "./s.csv", "link.csv", "hard.csv", "../{}/s.csv"])
def test_what_is_read_is_not_written_over(sales, cli, tmp_path, spelled):
    place = tmp_path / "s.csv"
    shutil.copy(sales, place)
    (tmp_path / "link.csv").symlink_to(place)
    os.link(place, tmp_path / "hard.csv")
    out = tmp_path / spelled.format(tmp_path.name)
    for words in ([place], [tmp_path / "s*.csv"], [sales, "--plan", place], [sales, "--calendar", place]):
        ran = cli("compare", *words, *MONTHS, "--out", out)
        assert (ran.returncode, ran.stderr.count("\n")) == (2, 1) and "which is read: name another file" in ran.stderr
    assert place.read_text() == sales.read_text()


def test_where_an_answer_may_stand(sales, tmp_path):
    (tmp_path / "link.csv").symlink_to(tmp_path / "new.csv")
    assert ended("compare", sales, *MONTHS, "--out", tmp_path / "link.csv")[0] == 0
    assert (tmp_path / "link.csv").is_symlink() and "2025-02" in (tmp_path / "new.csv").read_text()
    (tmp_path / "null.csv").symlink_to("/dev/null")
    (tmp_path / "loop.csv").symlink_to(tmp_path / "loop.csv")
    os.mkfifo(tmp_path / "pipe.csv")
    for name, said in (("null", "no ordinary file"), ("pipe", "no ordinary file"), ("loop", "levels of symbolic"),
                       ("no/x", "there is no directory"), ("h" * 300, "name too long"), ("a\0b", "NUL")):  # fmt: skip
        with pytest.raises(lc.QuestionError, match=said):
            lc.compare(lc.read(sales, date="day", values="amount"), "month").write(tmp_path / f"{name}.csv")


@pytest.mark.slow
@pytest.mark.parametrize("ending", ["csv", "json", "jsonl", "parquet", "md", "png", "svg", "pdf"])
def test_a_limit_leaves_nothing_half_written(sales, tmp_path, ending):
    target = tmp_path / f"o.{ending}"
    target.write_text("as it was")

    def limited() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (4_000, 4_000))

    words = [] if ending in ("png", "svg", "pdf") else ["--each", "day", "--by", "h"]
    code, said = ended("compare", sales, *MONTHS, *words, "--out", target, before=limited)
    assert code == 3 and said.endswith(f"logochron: {target} cannot be written: File too large\n")
    assert [p.name for p in tmp_path.iterdir()] == [target.name] and target.read_text() == "as it was"


def test_a_limit_leaves_no_half_demo(tmp_path):
    limit = 4_000

    def limited() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (limit, limit))

    code, said = ended("demo", tmp_path / "b", before=limited)
    assert code == 3 and "File too large" in said and list((tmp_path / "b").iterdir()) == []


@pytest.mark.slow
@pytest.mark.parametrize("form", ["table", "csv"])  # put out whole, and part by part
def test_standard_output_full_closed_or_gone(sales, form):
    words = ["compare", sales, *MONTHS, "--as", form]
    with Path("/dev/full").open("wb") as full:
        assert ended(*words, stdout=full) == (
            3,
            "logochron: standard output cannot be written: No space left on device\n",
        )
    assert ended(*words, before=lambda: os.close(1), stdout=None)[0] == 3
    with started(*words, "--each", "day", "--by", "h", "--last", "400") as process:
        process.stdout.close()
        assert (process.wait(timeout=60), process.stderr.read()) == (141, b"")


@pytest.mark.parametrize("stop", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
def test_a_signal_while_it_reads(tmp_path, stop):
    """Standard input is copied first: the folder of copies is there while more is waited for, and gone afterwards."""
    options = {"stdin": subprocess.PIPE, "env": {**os.environ, "TMPDIR": str(tmp_path)}}
    # whoever runs the tests in the background may have such signals ignored
    with started("compare", "-", before=lambda: signal.signal(stop, signal.SIG_DFL), **options) as process:
        until = time.monotonic() + 60
        while not list(tmp_path.glob("logochron-*/*")) and time.monotonic() < until:
            time.sleep(0.02)
        time.sleep(0.5)  # until it waits for more: one that comes just before is only seen with the next byte
        process.send_signal(stop)
        said = process.stderr.read()
    assert (process.returncode, said) == (128 + stop, b"logochron: stopped\n")
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    "run",
    [
        "c.Engine().rows(sql, 'x')",
        "w.as_system_error()(lambda: duckdb.connect(config={'threads': 1}).execute"
        "(f\"COPY (FROM {rows}) TO '/dev/null'\"))()",
    ],
)
def test_an_interrupted_engine_is_an_interruption(run):
    from logochron.sources.duckdb.connection import Engine

    code = (
        "import signal, duckdb, logochron.sources.duckdb.connection as c, logochron.views.write_file as w\n"
        "signal.signal(signal.SIGALRM, signal.default_int_handler); signal.alarm(1)\n"
        "sql = f'SELECT max(hash(range)) FROM {(rows := \"range(100000000000)\")}'\n"
        f"try: {run}\n"
        "except KeyboardInterrupt: print('interrupted')"
    )
    ran = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=100)
    assert ran.stdout == "interrupted\n", ran.stderr
    assert Engine().rows("SELECT 1", "x") == [(1,)]


def test_only_an_alert_ends_with_1(sales, cli, monkeypatch):
    assert cli("compare", sales, *MONTHS, "--alert", "value > 0").returncode == 1
    for words in (["compare"], ["compare", sales, "--each", "mont"], ["compare", sales, *MONTHS, "--each", "span"], []):
        ran = cli(*words)
        assert ran.returncode == 2 and "Traceback" not in ran.stderr
    code = "import sys, logochron.cli.asking as a, logochron.cli.main as m\na.loaded = lambda _: 1 / 0\nm.run()"
    ran = subprocess.run([sys.executable, "-c", code, "compare", sales, *MONTHS], capture_output=True, text=True)
    assert ran.returncode == 70 and re.fullmatch(r"logochron: a fault .*ZeroDivisionError.*\n", ran.stderr)


@pytest.mark.parametrize("encoding", ["ascii", "latin-1"])
def test_letters_that_standard_output_lacks(tmp_path, cli, encoding):
    path = tmp_path / "u.csv"
    path.write_text(H + "2024-01-01,Müller ▲,1\n2024-01-02,日本,2\n", encoding="utf-8")
    words = ["compare", path, *MONTHS, "--by", "h", "--each", "month"]

    def run(*more: str) -> tuple[str, str]:
        ran = subprocess.run([sys.executable, "-m", "logochron", *map(str, words), *more], capture_output=True,
                             env={**os.environ, "PYTHONIOENCODING": encoding})  # fmt: skip
        assert ran.returncode == 0
        return ran.stdout.decode(encoding), ran.stderr.decode()

    shown, said = run()
    umlaut = "Müller" if encoding == "latin-1" else "Muller"
    assert f"{umlaut} ?" in shown and "????" in shown and said.count("lacks some letters: these are replaced") == 1
    lines = [line for line in shown.split("\n") if umlaut in line or "????" in line]
    assert len({line.index("100.0 %" if "100" in line else " %") for line in lines}) <= 2
    shown, said = run("--as", "json")
    assert r"\u65e5\u672c" in shown and "lacks" not in said


def unprivileged() -> list[str]:
    """What makes permissions count for a superuser too."""
    if os.geteuid():
        return []
    if not shutil.which("setpriv"):
        pytest.skip("permissions mean nothing to the superuser, and there is no setpriv")
    return ["setpriv", "--bounding-set=-dac_override,-dac_read_search"]


def without_privileges(commands: list[list[str]]) -> list[tuple[int, str]]:
    """The exit codes of commands, and what they said, run one after the other in a process that may not do all."""
    code = (
        "import json, sys; sys.path.insert(0, sys.argv[1]); from conftest import run_here\n"
        "print(json.dumps([(r.returncode, r.stderr) for r in (run_here(*w) for w in json.loads(sys.argv[2]))]))"
    )
    words = [*unprivileged(), sys.executable, "-c", code, str(Path(__file__).parent), json.dumps(commands)]
    return [tuple(one) for one in json.loads(subprocess.run(words, capture_output=True, text=True, check=True).stdout)]


@pytest.mark.slow
def test_files_that_may_not_be_read(sales, tmp_path):
    locked = tmp_path / "locked"
    locked.mkdir()
    pd.read_csv(sales).to_parquet(locked / "s.parquet")
    shutil.copy(sales, locked / "s.csv")
    for name in ("s.json", "s.xlsx", "s.csv.gz"):
        (locked / name).write_text("[]")
    try:
        for path in locked.iterdir():
            path.chmod(0)
        for mode in (0o700, 0):
            locked.chmod(mode)
            asked = [[locked / f"s.{ending}"] for ending in ("csv", "parquet", "json", "xlsx", "csv.gz")]
            asked += [[sales, "--plan", locked / "s.csv"], [sales, "--calendar", locked / "s.csv"]]
            for code, said in without_privileges([["compare", *map(str, words), *MONTHS] for words in asked]):
                assert (code, said.count("\n")) == (3, 1) and "Permission denied" in said
        ((code, said),) = without_privileges([["compare", str(sales), *MONTHS, "--out", str(locked / "o.csv")]])
        assert code == 2 and "cannot be written: Permission denied" in said
    finally:
        locked.chmod(0o700)


def test_paths_that_lead_nowhere(tmp_path, cli):
    (tmp_path / "loop.csv").symlink_to(tmp_path / "loop.csv")
    (tmp_path / "dangling.csv").symlink_to("nowhere.csv")
    for name, said in (("loop.csv", "levels of symbolic"), ("dangling.csv", "a link to nowhere.csv, which is not"),
                       ("h" * 300 + ".csv", "File name too long"), ("/dev/null", "no ordinary file")):  # fmt: skip
        ran = cli("compare", tmp_path / name)
        assert ran.returncode == 2 and said in ran.stderr and "Did you mean" not in ran.stderr
    for path in ("a\0b.csv", "\ud800.csv"):
        with pytest.raises(lc.QuestionError):
            lc.read(path)


LABEL = "a\x1b[31mred\u202e|<b>*x*"


def test_labels_headers_and_names_reach_no_terminal_raw(tmp_path, cli):
    path = tmp_path / "n\x1b[31m.csv"
    path.write_text(f'day,h\x1b[1m,amount\n2024-01-01,{LABEL},1\n2024-01-02,"two\nlines",2\n')
    asked = ["compare", path, *MONTHS, "--by", "h\x1b[1m"]
    runs = [cli(*asked), cli(*asked, "--alert", "value > 0"), cli("review", path), cli("explain", *asked[1:-2]),
            cli(*asked, "--where", "h\x1b[1m=two"), cli("compare", path, "--by", "hh"), cli("compare", f"{path}x"),
            cli(*asked, "--each", "\x1b[31m")]  # fmt: skip
    for ran in runs:
        assert not re.search("[\x00-\x09\x0b-\x1f\x7f-\x9f\u202e]", ran.stdout + ran.stderr)
    lines = runs[0].stdout.splitlines()
    assert r"a\x1b[31mred\u202e|<b>*x*" in lines[4] and lines[4].index("33") > 0  # the smaller one
    assert len({line.rindex(" %") for line in (*lines[3:5], lines[6])}) == 1
    markdown = cli(*asked, "--as", "md").stdout
    assert r"a\\x1b\[31mred\\u202e\|&lt;b&gt;\*x\*" in markdown
    assert LABEL in cli(*asked, "--as", "csv").stdout  # what machines read is as it is


def test_small_rudenesses(sales, cli):
    ran = cli("compare", sales, *MONTHS, "--level-within", "-2%")
    assert ran.returncode == 2 and "got '-2%'" in ran.stderr and "Fraction" not in ran.stderr
    for words in (["--running", "20000000"], ["--against", "prior:20000000"], ["--against", "mean:999999999"]):
        ran = cli("compare", sales, *MONTHS, *words)
        assert ran.returncode == 2 and "100 months at most, as the records cover 15 months" in ran.stderr
    assert "rot13" in cli("compare", sales, "--encoding", "rot13").stderr
    first, last = "0001-01-01..0001-02-01", "9999-12-31..9999-12-31"
    for words in (["--between", first, "--calendar", "retail"], ["--between", last, "--each", "week"]):
        assert re.search("(before|after) year .* none can be named", cli("calendar", *words).stderr)


WRONG = ["", "x", "\0", "h" * 5000, "-1", "1e400", "99999999999999999999", "nan", "9999-12-31", "0001-01-01", "..", "=",
         "h=", "\ud800", "/", "prior:0", "undefined", "growth < ", "from 1 below 0", "1-1-1", "XXX"]  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize("name", ["compare", "relate", "drivers", "pace", "land", "explain", "calendar", "review"])
def test_every_option_with_what_it_cannot_be(sales, tmp_path, monkeypatch, name):
    monkeypatch.chdir(tmp_path)
    read, books = lc.read, {}

    def read_once(*sources, progress, **asked) -> lc.Daybook:
        """What was read with the same options is not read again."""
        key = repr((sources, asked))
        books[key] = books.get(key) or read(*sources, progress=progress, **asked)
        return books[key]

    monkeypatch.setattr("logochron.sources.read.read", read_once)
    given = [] if name == "calendar" else [str(sales)] if name == "review" else [str(sales), "--value=amount", "--by=h"]
    for option in (one for one in command_named(name).params if isinstance(one, click.Option) and not one.is_flag):
        # of words and numbers nothing but the kind of text matters
        for value in WRONG if option.type.name == "text" else WRONG[:8]:
            if name != "compare" and any(option.name == known.name for known in command_named("compare").params):
                continue  # is walked there
            words = [
                name,
                *(word for word in given if not word.startswith(option.opts[0])),
                f"{option.opts[0]}={value}",
            ]
            with (
                contextlib.redirect_stdout(io.StringIO()),
                contextlib.redirect_stderr(io.StringIO()),
                contextlib.suppress(lc.LogochronError, click.ClickException, click.exceptions.Exit),
                commands.make_context("logochron", words) as context,
            ):
                commands.invoke(context)


class Odd:
    """Of no kind that anything takes."""


KINDS = [3, -1, 10**30, 1.5, float("nan"), "", "x", "\0", b"x", Odd(), [], [3], [[]], {}, {"h": 3}, {3: "h"}, {"h"},
         None, np.datetime64("NaT", "D"), pd.NaT, True, lambda: 1, np.arange(3), pd.DataFrame()]  # fmt: skip


def functions(book: lc.Daybook, answer: lc.Comparison, sales: Path) -> dict[str, tuple]:
    listed = {"start": ["2024-01-01"], "end": ["2024-12-31"], "label": ["p"], "year": ["2024"]}
    asked = {"book": book, "each": "month"}
    return {
        "read": (lc.read, {"source": sales, "date": "day", "values": "amount"}),
        "read_plan": (lc.read_plan, {"source": sales, "date": "day", "value": "amount", "measure": "amount"}),
        "review": (lc.review, {"source_or_book": sales}),
        "compare": (lc.compare, asked),
        "relate": (lc.relate, asked | {"by": "h"}),
        "drivers": (lc.drivers, asked | {"by": "h"}),
        "pace": (lc.pace, {"book": book}),
        "land": (lc.land, {"book": book}),
        "draw.pace": (lc.draw.pace, {"result": lc.pace(book, "month", by="h")}),
        "landing": (lc.draw.landing, {"result": lc.land(book, "month", by="h")}),
        "backtest": (lc.draw.backtest, {"result": lc.land(book, "month")}),
        "columns": (lc.draw.columns, {"result": answer}),
        "bars": (lc.draw.bars, {"result": answer, "at": "2025-02"}),
        **{
            name: (getattr(lc.draw, name), {"result": answer})
            for name in ("overlay", "lines", "trend", "nested", "slope", "heat", "cards", "table", "figure")
        },
        "headline": (lc.words.headline, {"result": answer}),
        "sentences": (lc.words.sentences, {"result": answer}),
        "Measure": (lc.Measure, {"name": "m"}),
        "Judging": (lc.Judging, {}),
        "Band": (lc.Band, {"name": "b"}),
        "CivilCalendar": (lc.CivilCalendar, {}),
        "RetailCalendar": (lc.RetailCalendar, {}),
        "ListedCalendar": (lc.ListedCalendar, {"frame_or_path": listed}),
        "YearAgo": (lc.YearAgo, {}),
        "Span": (lc.Span, {"first": "2024-01-01", "last": "2024-01-02"}),
        "periods": (lc.CivilCalendar().periods, {"each": "month", "first": "2024-01-01", "last": "2024-12-31"}),
        "ordinals": (lc.CivilCalendar().ordinals, {"each": "month", "days": np.arange(3)}),
        **{name: (getattr(book, name), {}) for name in ("until", "covering", "where", "totals", "items")},
        "write": (answer.write, {"path": "o.csv"}),
        "restated": (lc.restated, {"earlier": answer, "now": answer}),
        "write_page": (lc.write_page, {"answers": lc.review(book), "path": "o.html"}),
        "load": (lc.Report.load, {"path": "no.toml"}),
    }


@pytest.mark.slow
def test_every_parameter_with_what_it_cannot_be(sales, tmp_path, monkeypatch):
    import matplotlib.pyplot as plt

    monkeypatch.chdir(tmp_path)
    book = lc.read(sales, date="day", values="amount", by="h")
    answer = lc.compare(book, "month", by="h", last=3)
    for function, fitting in functions(book, answer, sales).values():
        for name, parameter in inspect.signature(function).parameters.items():
            if parameter.kind in (parameter.VAR_KEYWORD, parameter.VAR_POSITIONAL):
                continue
            if function in (lc.read_plan, lc.review) and name in READING_OPTIONS and name not in ("by", "calendar"):
                continue  # are those of read
            for value in KINDS:
                named = {"each": "month"} if function == book.totals and name != "each" else {}
                with contextlib.suppress(lc.LogochronError):
                    function(**{**fitting, **named, name: value})
            plt.close("all")
    for value in KINDS:
        for item in (
            {"h": value},
            {"at": value},
            {"items": value},
            {"zz": value},
            {"measure": value},
            {"position": value},
        ):
            for one in (answer, lc.pace(book, "month", by="h"), lc.land(book, "month", by="h")):
                with contextlib.suppress(lc.LogochronError):
                    lc.explain(one, **item)
    with pytest.raises(lc.QuestionError, match="`delimiter` must be a text; got 3"):
        lc.read(sales, delimiter=3)
    assert lc.compare(book, "month", by=None).by == ()
