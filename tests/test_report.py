"""The report file: what it may say, what it gives, what becomes of bad ones."""

from __future__ import annotations

import errno
import hashlib
import json
import logging
import subprocess
import sys
import tomllib
from pathlib import Path

import duckdb
import pytest

import logochron as lc
import logochron.report.write as writing
from logochron.report import write as report_writing
from logochron.report.faults import key_lines
from logochron.report.settings import Settings, section_models, settings_model
from logochron.views.whole_file import unwritten
from logochron.views.write_file import write

HEAD = '[sales]\nfile = "sales.csv"\ndate = "day"\nby = ["item"]\n[[measure]]\nname = "amount"\n'
ONE = '[[section]]\nheading = "Months"\nquestion = "compare"\nlast = 3\n'
RECORDS = [("2024-01-05", "a", 10), ("2024-02-05", "b", 20), ("2025-01-05", "a", 30), ("2025-02-05", "b", 40),
           ("2025-03-10", "a", 7)]  # fmt: skip


@pytest.fixture
def report(rows_file, tmp_path):
    """Writes sales and a report file: its path."""
    rows_file(RECORDS)

    def write(text: str, head: str = HEAD) -> Path:
        path = tmp_path / "week.toml"
        path.write_text(head + text, encoding="utf-8")
        return path

    return write


FAULTS = [
    ('[sales]\nfil = "a"\n', "", ["line 2: [sales], fil: there is no such key. Did you mean 'file'?"]),
    ("[sales]\nfile = 3\n", "", ["line 2: [sales], file: must be a text; got 3"]),
    (HEAD, '[[section]]\nheading = "A"\nquestion = "compar"\n', ["line 7: [[section]] 1: `question` must be one of",
                                                               "Did you mean 'compare'?"]),
    (HEAD, ONE + "eech = 1\n", ["[[section]] 1, eech: there is no such key. Did you mean 'each'?"]),
    (HEAD, ONE + 'each = "weeks"\n', ["each: must be one of day, week", "got 'weeks'. Did you mean 'week'?"]),
    (HEAD, ONE + 'top = "3"\n', ["top: must be a whole number; got '3'"]),
    (HEAD, ONE + "words = 1\n", ["words: must be true or false; got 1"]),
    (HEAD, ONE + 'by = ["itme"]\n', ["by: `by` of [sales] has no dimension 'itme'. Did you mean 'item'?"]),
    (HEAD, ONE + 'measures = "amont"\n', ["[[measure]] has no measure 'amont'. Did you mean 'amount'?"]),
    (HEAD, ONE + 'figure = "pace"\n', ["there is no figure 'pace' of it; a figure of compare is one of columns"]),
    (HEAD, ONE + 'alerts = ["growth << 3"]\n', ["[[section]] 1, alerts: alerts:", "expected: COLUMN SIGN VALUE"]),
    (HEAD, ONE + 'against = "plan"\n', ["against: there is no plan: add [plan] with its file"]),
    (HEAD, ONE + ONE, ["line 12: [[section]] 2, heading: 'Months' is the heading of section 1 too"]),
    (HEAD, '[plan]\nfile = "none.csv"\n' + ONE, ["[plan], file: there is no file 'none.csv'"]),
    (HEAD, '[calendar]\nkind = "civil"\npattern = [4, 5, 4]\n' + ONE, ["`pattern` does not go with kind"]),
    (HEAD, '[[judging.band]]\nname = "x"\nfrom = "8%"\n' + ONE, ["[judging]: `bands` must leave no gap"]),
    (HEAD, '[page]\nlocale = "qq_QQ"\n' + ONE, ["[page]: `locale` must be a locale"]),
    (HEAD, '[page]\npalette = {ink = "blue"}\n' + ONE, ["palette: 'ink' must be a color such as #22365E"]),
    (HEAD, "", ["there is no [[section]]: name at least one"]),
    ('[sales]\nfile = "sales.csv"\nfiles = []\n', ONE, ["name one of `file`"]),
    ("[sales\n", "", ["is no TOML", "line 1"]),
]  # fmt: skip


@pytest.mark.parametrize("head, text, said", FAULTS)
def test_faults_say_where_and_what(report, head, text, said):
    with pytest.raises(lc.ReportError) as told:
        lc.Report.load(report(text, head))
    assert "week.toml" in str(told.value)
    for one in said:
        assert one in str(told.value)


def test_all_faults_at_once(report, cli, tmp_path):
    path = report('[page]\nlocal = "de"\n' + ONE + 'eech = 1\ntop = "x"\n', HEAD.replace("file =", "fil ="))
    ran = cli("report", path, cwd=tmp_path)
    lines = [int(line.split("line ")[1].split(":")[0]) for line in ran.stderr.splitlines() if "line " in line]
    assert ran.returncode == 2 and ran.stderr.startswith("logochron: ") and "has 4 faults" in ran.stderr
    assert lines == sorted(lines) == [2, 8, 13, 14] and "Traceback" not in ran.stderr
    assert sorted(p.name for p in tmp_path.iterdir()) == ["sales.csv", "week.toml"]


def test_lines_of_keys():
    text = '[a]\nx = """\n[b]\ny = 1\n"""\nlist = [\n  "[c]",  # [d]\n  {k = "}"},\n]\n'
    text += '[[s]]\n"q r" = 1\n[[s.t]]\nu.v = 2\n[[s]]\nz = 3\n'
    tomllib.loads(text)
    assert key_lines(text) == {
        ("a",): 1, ("a", "x"): 2, ("a", "list"): 6, ("s", 0): 10, ("s", 0, "q r"): 11, ("s", 0, "t", 0): 12,
        ("s", 0, "t", 0, "u", "v"): 13, ("s", 1): 14, ("s", 1, "z"): 15,
    }  # fmt: skip


def test_answers_are_those_of_the_questions(report, tmp_path):
    text = '[calendar]\nyear_start = 2\n[judging]\nlevel_within = "2%"\n' + ONE
    text += '[[section]]\nheading = "Items"\nquestion = "compare"\nby = "item"\nagainst = "prior"\n'
    text += '[[section]]\nheading = "Gone"\nquestion = "relate"\nby = "item"\nbeside = "item:z"\n'
    text += '[[section]]\nheading = "Records"\nquestion = "review"\n'
    answers = lc.Report.load(report(text)).run()
    assert list(answers) == ["Months", "Items", "Records"] and [h for h, _ in answers.refused] == ["Gone"]
    book = lc.read(tmp_path / "sales.csv", date="day", values="amount", by="item")
    asked = {"calendar": lc.CivilCalendar(year_start=2), "judging": lc.Judging(level_within=0.02)}
    for heading, made in (
        ("Months", lc.compare(book, "month", last=3, **asked)),
        ("Items", lc.compare(book, "month", by="item", against="prior", **asked)),
    ):
        assert answers[heading].table.equals(made.table) and answers[heading].notes == made.notes


def test_a_run_writes_all_of_it(report, cli, tmp_path):
    text = ONE + 'alerts = ["growth > 50%"]\n[[section]]\nheading = "Refused"\n'
    text += 'question = "drivers"\nby = "item"\nat = "2024"\n'
    ran = cli("report", report(text), "--log-file", "run.log", cwd=tmp_path)
    assert ran.returncode == 2 and "section 'Refused' is refused: `at` must name one period" in ran.stderr
    assert "Months: alert growth > 50%" in ran.stderr and "index.html" in ran.stdout
    folder = tmp_path / "week"
    assert sorted(p.name for p in folder.iterdir()) == [
        *("01-months.csv", "01-months.png", "figures.parquet", "index.html", "logochron-files.json", "report.xlsx"),
        "summary.pdf",
    ]
    log = (tmp_path / "run.log").read_text().splitlines()
    assert len(log) >= 4 and all(line[:4].isdecimal() for line in log) and "read 5 rows" in log[0]
    fired = cli(
        "report", report(ONE + 'alerts = ["growth > 50%"]\n'), "--out", "b", "--until", "2025-02-28", cwd=tmp_path
    )
    assert fired.returncode == 1 and "fires in 2025-02" in fired.stderr and "growth +100.0 %" in fired.stderr


def test_the_same_bytes(report, tmp_path):
    path = report('[page]\ntitle = "The week"\ncurrency = "EUR"\n' + ONE)
    for name in ("one", "two"):
        lc.Report.load(path).run().write(tmp_path / name)
    lc.Report.load(path).run().write(tmp_path / "two")  # into what is there
    files = sorted(p.name for p in (tmp_path / "one").iterdir())
    assert files == sorted(p.name for p in (tmp_path / "two").iterdir())
    for name in files:
        assert (tmp_path / "one" / name).read_bytes() == (tmp_path / "two" / name).read_bytes(), name


def test_changed_figures_are_named_once(report, cli, tmp_path):
    path = report(ONE)
    assert cli("report", path, cwd=tmp_path).returncode == 0
    (tmp_path / "week" / "mine.txt").write_text("kept")
    with (tmp_path / "sales.csv").open("a") as sales:
        sales.write("2025-02-06,a,1.5\n2025-03-09,a,1\n")
    ran = cli("report", path, cwd=tmp_path)
    assert "1 figure of a complete period changed" in ran.stderr
    assert "Months: amount, 2025-02, value was 40.00, is 41.50 (+1.50)" in ran.stderr
    table = (tmp_path / "week" / "restated.csv").read_text().splitlines()
    assert table == ["section,measure,period,items,column,reported,now,difference,note",
                     "Months,amount,2025-02,,value,40.0,41.5,1.5,"]  # fmt: skip
    again = cli("report", path, cwd=tmp_path)
    assert "changed" not in again.stderr and not (tmp_path / "week" / "restated.csv").exists()
    assert (tmp_path / "week" / "mine.txt").read_text() == "kept"
    with (tmp_path / "sales.csv").open("a") as sales:
        sales.write("2025-02-07,a,1\n")
    report("[page]\nrestated = false\n" + ONE)
    assert "changed" not in cli("report", path, cwd=tmp_path).stderr


@pytest.mark.slow
@pytest.mark.parametrize("by", [[], ["shop"], ["shop", "line"]])
def test_only_what_changed_is_restated(rows_file, tmp_path, by):
    """Unchanged sales change nothing, run after run; one record changes exactly the figures it is in."""
    rows = [(f"2025-{m:02}-{d:02}", "a?"[d % 2] if d < 9 else "", ["x", "", "?"][d % 3], m + d)
            for m in range(1, 7) for d in range(1, 13)]  # fmt: skip
    head = f'[sales]\nfile = "sales.csv"\ndate = "day"\nby = {by}\n[[measure]]\nname = "amount"\n[[section]]\n'
    (tmp_path / "r.toml").write_text(head + f'heading = "All"\nquestion = "compare"\nagainst = "prior"\nby = {by}\n')
    folder = tmp_path / "r"

    def run() -> dict:
        rows_file(rows, "day,shop,line,amount")
        return dict(lc.Report.load(tmp_path / "r.toml").run().write(folder).restated)

    assert [run(), run(), run()] == [{}, {}, {}] and not (folder / "restated.csv").exists()
    rows[25] = (*rows[25][:3], rows[25][3] + 5)  # in March: its value, and the base of April
    table = run()["All"].table
    groupings = [tuple(None if label != label else label for label in row[2 : 2 + len(by)]) for row in table.values]
    own = tuple(rows[25][1 : 1 + len(by)])
    depths = [own[:n] + (None,) * (len(by) - n) for n in range(len(by) + 1)]
    told = sorted(zip(map(str, table["period"]), table["column"], groupings, table["difference"]), key=str)
    wanted = [
        (period, column, grouping, 5.0)
        for grouping in depths
        for period, column in (("2025-03", "value"), ("2025-04", "base"))
    ]
    assert told == sorted(wanted, key=str)
    assert run() == {}


@pytest.mark.slow
@pytest.mark.parametrize("made", [
    "SELECT 1 AS section", "SELECT [1] AS section, 'x' AS period", "SELECT * REPLACE ('a' AS value) FROM f",
    "SELECT * REPLACE (NULL AS measure) FROM f", "SELECT * REPLACE ([] AS dimensions) FROM f",
    "SELECT * REPLACE ({'a': 1} AS items) FROM f", "SELECT * REPLACE ([NULL::VARCHAR] AS dimensions) FROM f",
    "SELECT * REPLACE (NULL AS dimensions) FROM f", "SELECT * FROM f, range(30)", "", "PAR1",
])  # fmt: skip
def test_figures_made_by_hand(report, caplog, monkeypatch, tmp_path, made):
    """What stands in for the figures of the last run, even where the list of files says that it is ours."""
    path = report(ONE + 'by = ["item"]\ntable = false\nfigure = false\nwords = false\n')
    folder = tmp_path / "week"
    lc.Report.load(path).run().write(folder)
    figures = folder / "figures.parquet"
    if made.startswith("SELECT"):
        duckdb.sql(f"CREATE OR REPLACE VIEW f AS FROM '{figures}'; COPY ({made}) TO '{tmp_path}/made' (FORMAT parquet)")
        (tmp_path / "made").replace(figures)
    else:
        figures.write_bytes(made.encode())
    manifest = folder / "logochron-files.json"
    listed = json.loads(manifest.read_text())
    data = figures.read_bytes()
    listed["files"]["figures.parquet"] = [[len(data), hashlib.sha256(data).hexdigest()]]
    manifest.write_text(json.dumps(listed))
    monkeypatch.setattr(report_writing, "_MOST", 50)
    assert not lc.Report.load(path).run().write(folder).restated
    assert "figures.parquet cannot be read" in caplog.text


def test_a_picture_that_cannot_be_written_is_no_missing_picture(report, monkeypatch, tmp_path):
    def full(result, path, **options):
        if path.suffix == ".png":
            raise unwritten(path, OSError(errno.ENOSPC, "No space left on device"))
        return write(result, path, **options)

    path = report(ONE)
    monkeypatch.setattr(writing, "write", full)
    with pytest.raises(lc.OutputError, match="No space left on device"):
        lc.Report.load(path).run().write(tmp_path / "week")
    assert not (tmp_path / "week").exists()


def test_a_log_never_goes_into_what_is_read(report, cli, tmp_path):
    path = report('[plan]\nfile = "plan.csv"\n' + ONE)
    (tmp_path / "plan.csv").write_text("month,amount\n2025-01,25\n")
    (tmp_path / "link").symlink_to("sales.csv")
    (tmp_path / "up").mkdir()
    lc.Report.load(path).run().write(tmp_path / "week")
    before = {p: p.read_bytes() for p in tmp_path.rglob("*") if p.is_file()}
    for spelled in ("sales.csv", "./week.toml", "link", "up/../sales.csv", "plan.csv", "week/report.xlsx"):
        ran = cli("report", path.name, "--log-file", spelled, cwd=tmp_path)
        assert ran.returncode == 2 and ran.stderr.count("\n") == 1 and "--log-file" in ran.stderr, spelled
        assert {p: p.read_bytes() for p in tmp_path.rglob("*") if p.is_file()} == before, spelled


def test_a_log_on_a_full_device_ends_with_one_line(report, cli, tmp_path):
    ran = cli("report", report(ONE), "--log-file", "/dev/full", cwd=tmp_path)
    assert (ran.returncode, ran.stdout) == (3, "")
    assert ran.stderr == "logochron: --log-file /dev/full cannot be written: No space left on device\n"


@pytest.mark.slow
def test_processes_that_cannot_help(tmp_path):
    """A program that reads itself from standard input has no main module that others could load."""
    code = (
        "import logochron as lc\nfrom pathlib import Path\n"
        f"report = lc.Report.load(lc.demo.write_report({str(tmp_path)!r}))\n"
        "from dataclasses import replace\n"
        "settings = report.settings.model_copy(update={'section': report.settings.section[:2]})\n"
        f"print(len(replace(report, settings=settings).run().write({str(tmp_path / 'out')!r}, workers=2).files))\n"
    )
    ran = subprocess.run([sys.executable, "-"], input=code, capture_output=True, text=True)
    assert ran.returncode == 0 and ran.stdout == "9\n" and "it is made by one alone" in ran.stderr


@pytest.mark.parametrize(
    ("words", "key", "rows"),
    [
        (["--where", "item=a", "--where", "item=b"], 'where = {"item" = ["a", "b"]}', {"a": 3.0, "b": 5.0}),
        (["--where", "item!=b"], 'where = {"item" = {"not" = ["b"]}}', {"a": 3.0, "c": 7.0}),
        (["--by", "place=item"], 'by = {"place" = "item"}', {"a": 3.0, "b": 5.0, "c": 7.0}),
        (["--scale", "1000"], "scale = 1000", {"a": 3000.0, "b": 5000.0, "c": 7000.0}),
        (["--scale", "amount=0.1"], 'scale = {"amount" = 0.1}', {"a": 0.3, "b": 0.5, "c": 0.7}),
    ],
)
def test_a_draft_says_what_was_asked(rows_file, cli, tmp_path, words, key, rows):
    rows_file([("2025-01-05", "a", 1), ("2025-02-05", "a", 2), ("2025-02-06", "b", 5), ("2025-02-07", "c", 7)])
    ran = cli("review", "sales.csv", "--value", "amount", *words, "--draft", "draft.toml", cwd=tmp_path)
    assert ran.returncode == 0 and key in (tmp_path / "draft.toml").read_text()
    book = next(iter(lc.Report.load(tmp_path / "draft.toml").run().values())).book
    assert book.totals("year", by=book.dimensions[0]).set_index(book.dimensions[0]).value.to_dict() == rows


def test_a_draft_runs(rows_file, cli, tmp_path):
    rows_file([(f"{y}-{m:02}-{d:02}", "ab"[d % 2], d + m) for y in (2024, 2025) for m in range(1, 13) for d in (3, 18)])
    assert cli("review", "sales.csv", "--draft", "draft.toml", cwd=tmp_path).returncode == 0
    again = cli("review", "sales.csv", "--draft", "draft.toml", cwd=tmp_path)
    assert again.returncode == 2 and "is there already" in again.stderr
    answers = lc.Report.load(tmp_path / "draft.toml").run()
    assert "By item" in answers and "What moved the total" in answers and not answers.refused


def test_settings_hold_for_any_question(report, cli, tmp_path):
    text = '[plan]\nfile = "plan.csv"\n[[judging.band]]\nname = "up, \'so\' or \\"so\\""\nfrom = "0"\n'
    text += '[[judging.band]]\nname = "down"\nbelow = 0\n[page]\nlocale = "de"\n'
    text += '[calendar]\nkind = "retail"\npattern = [4, 4, 5]\n'
    path = report(text + ONE)
    (tmp_path / "plan.csv").write_text("month,amount\n2025-01,25\n")
    ran = cli("compare", "--settings", path, "--as", "csv", "--last", "2", cwd=tmp_path)
    book = lc.read(tmp_path / "sales.csv", date="day", values="amount")
    bands = [lc.Band("up, 'so' or \"so\"", from_=0), lc.Band("down", below=0)]
    made = lc.compare(
        book, "month", last=2, calendar=lc.RetailCalendar(pattern=(4, 4, 5)), judging=lc.Judging(bands=bands)
    )
    made.write(tmp_path / "made.csv")
    assert ran.returncode == 0, ran.stderr
    assert ran.stdout == (tmp_path / "made.csv").read_text()
    assert "2025" in cli("pace", "--settings", path, "--by", "item", cwd=tmp_path).stdout
    assert cli("compare", cwd=tmp_path).returncode == 2


def test_the_demo_report_and_every_key_is_told():
    data = tomllib.loads((Path(lc.demo.__file__).parent / "data" / "brinefold.toml").read_text())
    assert len(data["section"]) == 9 and settings_model().model_validate(data)
    for model in (Settings, *section_models().values()):
        assert all(
            field.description or name in ("question", *Settings.model_fields)
            for name, field in model.model_fields.items()
        )
    assert logging.getLogger("logochron.report").level == logging.NOTSET


def test_what_is_written_is_chosen(report, cli, tmp_path):
    path = report(ONE + '[report]\nfiles = ["page", "tables"]\n')
    assert cli("report", path, "--out", "week", cwd=tmp_path).returncode == 0
    folder, before = tmp_path / "week", {}
    names = ["01-months.csv", "figures.parquet", "index.html", "logochron-files.json"]
    assert sorted(p.name for p in folder.iterdir()) == names
    before = {p.name: p.read_bytes() for p in folder.iterdir() if p.suffix != ".json"}
    ran = cli("report", path, "--out", "week", "--only", "summary", "--only", "slides", cwd=tmp_path)
    assert ran.returncode == 0 and "summary.pdf  one sheet of paper" in ran.stdout and "slides.pptx" in ran.stdout
    assert sorted(p.name for p in folder.iterdir()) == [*names, "slides.pptx", "summary.pdf"]
    assert all((folder / name).read_bytes() == held for name, held in before.items())
    assert cli("report", path, "--out", "week", cwd=tmp_path).returncode == 0  # what is not asked for goes
    assert sorted(p.name for p in folder.iterdir()) == names
    one = cli("report", path, "--out", "one.pdf", cwd=tmp_path)
    assert one.stdout == "wrote one.pdf\n" and (tmp_path / "one.pdf").read_bytes().startswith(b"%PDF")
    wrong = cli("report", path, "--only", "sumary", cwd=tmp_path)
    assert wrong.returncode == 2 and "Did you mean 'summary'?" in wrong.stderr
    for text, said in (
        ("[report]\nfiles = []\n", "`files` must name one kind of file or more"),
        ('[report]\ntemplate = "none.pptx"\n', "there is no file 'none.pptx'"),
        ('[page]\nchoices = {measures = ["profit"]}\n', "no measure 'profit'"),
        ('[page]\nchoices = {against = ["plan"]}\n', "there is no plan: add [plan]"),
        ('[page]\nopen = "last"\n', "last-whole"),
    ):
        assert said in cli("report", report(text + ONE), cwd=tmp_path).stderr, said
