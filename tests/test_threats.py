"""What could be fed to it: each row of docs/threats.md has its test, here or where its subject is."""

from __future__ import annotations

import csv
import glob
import importlib
import os
import pkgutil
import re
import subprocess
import zipfile
from decimal import Decimal
from fractions import Fraction
from pathlib import Path

import defusedxml.ElementTree
import duckdb
import openpyxl
import pandas as pd
import pytest

import logochron
import logochron as lc
from logochron.sources import small_tables
from logochron.sources.files import find_files, streams
from logochron.views.formats import Formats
from logochron.views.sections import Section
from logochron.views.tables.workbook import write_workbook

ROOT = Path(__file__).parents[1]
NASTY = ['a"; DROP TABLE g; --', "b'); SELECT 1; --", "c1", "rn", "d", "%s %(x)s :y {z}", "\N{SNOWMAN} \\"]


def test_every_threat_has_its_test():
    rows = [line.split("|") for line in (ROOT / "docs" / "threats.md").read_text().splitlines() if line.count("|") == 5]
    named = {re.sub(r"[` ]", "", row[4]) for row in rows[2:]}
    written = set(re.findall(r"^def (test_\w+)", "\n".join(p.read_text() for p in (ROOT / "tests").glob("*.py")), re.M))
    assert len(named) > 15 and named <= written


def workbook(path: Path, change: str, into: str) -> Path:
    """A workbook one part of which is changed."""
    book = openpyxl.Workbook()
    for row in (["day", "amount"], ["2026-01-01", 1], ["2026-01-02", 2]):
        book.active.append(row)
    book.save(path.with_suffix(".plain.xlsx"))
    with (
        zipfile.ZipFile(path.with_suffix(".plain.xlsx")) as old,
        zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new,
    ):
        for name in old.namelist():
            text = old.read(name).decode()
            new.writestr(name, text.replace(change, into, 1) if name.endswith("sheet1.xml") else text)
    return path


@pytest.mark.slow
@pytest.mark.parametrize(("name", "data", "said"), [
    ("s.csv", ",".join(f"c{i}" for i in range(10_001)) + "\n" + "1," * 10_000 + "1\n", "more than 10,000 columns"),
    ("s.parquet", b"PAR1" + b"\0" * 50 + b"PAR1", "s.parquet cannot be read"),
    ("s.json", "[" * 100_000, "s.json"),
    ("s.jsonl", '{"day": ' * 50_000, "s.jsonl"),
])  # fmt: skip
def test_limits_say_which(tmp_path, name, data, said):
    path = tmp_path / name
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    with pytest.raises(lc.LogochronError, match=said):
        lc.read(path, date="day", values="amount")


@pytest.mark.slow
def test_a_workbook_that_grows_too_much_says_so(tmp_path):
    grown = workbook(tmp_path / "s.xlsx", "<sheetData>", "<sheetData>" + " " * 300_000_000)
    with pytest.raises(lc.IntakeError, match="unpacks to .* MB, over 100 times its size"):
        lc.read(grown, date="day", values="amount")


def test_a_workbook_with_entities(tmp_path):
    (tmp_path / "secret").write_text("7777")
    entity = f'<!DOCTYPE x [<!ENTITY e SYSTEM "file://{tmp_path}/secret"><!ENTITY b "{"9" * 1000}">]>'
    path = workbook(tmp_path / "s.xlsx", "<worksheet", f"{entity}<worksheet")
    try:
        book = lc.read(path, date="day", values="amount")
    except lc.IntakeError as error:
        assert "7777" not in str(error)
    else:
        assert book.totals("year").value.tolist() == [3]


@pytest.mark.parametrize("ending", ["csv", "parquet", "frame"])
def test_names_are_never_statements(tmp_path, ending):
    frame = pd.DataFrame(
        {"day": ["2026-01-01", "2026-01-02"], **{name: [f"{name}1", "x"] for name in NASTY}, "v\"'": [1, 2]}
    )
    source: object = frame
    if ending == "csv":
        source = tmp_path / "s.csv"
        frame.to_csv(source, index=False)
    elif ending == "parquet":
        source = tmp_path / "s.parquet"
        duckdb.sql(f"COPY frame TO '{source}'")
    for name in NASTY:
        book = lc.read(source, date="day", values="v\"'", by={"it": name}, where={name: [f"{name}1"]})
        assert book.totals("year", "it")[["it", "value"]].values.tolist() == [[f"{name}1", 1]]


@pytest.mark.parametrize("label", ["=1+1", "+1", "-1", "@SUM(A1)", "\t=1", "\uff1d1", "plain", "'=x"])
def test_formulas_in_csv(tmp_path, rows_file, cli, label):
    path = rows_file([["2026-01-01", f'"{label}"', 1], ["2026-02-01", f'"{label}"', 2]])
    answer = lc.compare(lc.read(path, date="day", values="amount", by="item"), each="month", against="prior", by="item")
    answer.write(tmp_path / "bare.csv")
    answer.write(tmp_path / "safe.csv", spreadsheet_safe=True)
    words = (
        "compare",
        path,
        "--date",
        "day",
        "--by",
        "item",
        "--against",
        "prior",
        "--spreadsheet-safe",
        "--as",
        "csv",
    )
    (tmp_path / "shown.csv").write_text(cli(*words).stdout)

    def items(name: str) -> set[str]:
        with (tmp_path / name).open(newline="") as file:
            return {row["item"] for row in csv.DictReader(file)}

    safe = label if label in ("plain", "'=x") else f"'{label}"
    assert items("bare.csv") == {label} and items("safe.csv") == {safe}
    assert items("shown.csv") == {safe.replace("\t", "\\t")} or items("shown.csv") == {safe}


def test_report_files_run_nothing(tmp_path, rows_file, cli):
    sales = rows_file([["2026-01-01", "a", 1], ["2026-02-01", "a", 2]])
    text = (
        f'[sales]\nfile = "{sales.name}"\nvalues = "amount"\n[[section]]\nheading = "../../up"\nquestion = "compare"\n'
    )
    (tmp_path / "r.toml").write_text(text)
    assert cli("report", tmp_path / "r.toml", "--out", tmp_path / "deep").returncode == 0
    assert {p.name for p in tmp_path.iterdir()} == {"sales.csv", "r.toml", "deep"}
    for alert in ("__import__('os').system('touch hit')", "growth < (1).__class__"):
        (tmp_path / "r.toml").write_text(text + f'alerts = ["{alert}"]\n')
        ran = cli("report", tmp_path / "r.toml", cwd=tmp_path)
        assert ran.returncode == 2 and "Traceback" not in ran.stderr and not (tmp_path / "hit").exists()


@pytest.mark.parametrize("locale", ["../../etc/passwd", "/etc", "en/../de", "x" * 5000, ""])
def test_locales_are_names(demo_book, locale):
    with pytest.raises(lc.QuestionError, match="`locale` must be a locale"):
        lc.words.sentences(lc.compare(demo_book, each="month"), locale=locale)


HEAD = '[sales]\nfile = "sales.csv"\ndate = "day"\n[[measure]]\nname = "amount"\n'
SECTION = '[[section]]\nheading = "H"\nquestion = "compare"\n'
LONG = "9" * 400
BANDS = '[[judging.band]]\nname = "a"\nfrom = {0}\n[[judging.band]]\nname = "b"\nbelow = {0}\n'


@pytest.mark.parametrize("text", [
    '[judging]\nlevel_within = "1e99999999"\n', f"[judging]\nlevel_within = {LONG}\n", BANDS.format('"1e400"'),
    BANDS.format("1e400"), BANDS.format(LONG), f"top = {LONG}\n", f"last = {'9' * 5000}\n", f"running = {LONG}\n",
    f"[page]\ndecimals = {LONG}\n", f'alerts = ["growth < {LONG}"]\n', f"[calendar]\nyear_start = {LONG}\n",
])  # fmt: skip
def test_numbers_without_end_in_report_files(tmp_path, rows_file, text):
    rows_file([["2026-01-01", "a", 1], ["2026-02-01", "a", 2]])
    (tmp_path / "r.toml").write_text(HEAD + SECTION + text)
    with pytest.raises(lc.LogochronError) as told:
        answers = lc.Report.load(tmp_path / "r.toml").run()
        raise lc.ReportError(answers.refused[0][1])
    assert len(str(told.value)) < 600 and "9" * 70 not in str(told.value)


@pytest.mark.parametrize("words", [
    ["--last", "9" * 5000], ["--last", LONG], ["--top", LONG], ["--running", "9" * 5000], ["--running", LONG],
    ["--level-within", "1e99999999"], ["--level-within", LONG], ["--alert", f"growth < {LONG}"], ["--decimals", LONG],
    ["--band", f"a from {LONG}", "--band", f"b below {LONG}"], ["--against", f"prior:{LONG}"], ["--year-start", LONG],
])  # fmt: skip
def test_numbers_without_end_in_options(rows_file, cli, words):
    path = rows_file([["2026-01-01", "a", 1], ["2026-02-01", "a", 2]])
    ran = cli("compare", path, *words)
    assert ran.returncode == 2 and "fault" not in ran.stderr and "9" * 500 not in ran.stderr


@pytest.mark.parametrize("number", [1e-300, "1e-299", Fraction(1, 3), "1e299", 10**99, Decimal("1E-40")])
def test_numbers_at_their_bounds(rows_file, number):
    path = rows_file([["2026-01-01", "a", 1], ["2026-02-01", "a", 2]])
    book = lc.read(path, date="day", values="amount")
    bands = [lc.Band("up", from_=number), lc.Band("down", below=number)]
    judged = lc.compare(book, "month", "prior", judging=lc.Judging(bands=bands, level_within=min(Fraction(number), 1)))
    assert judged.total.direction.tolist()[1] in ("rising", "level")


@pytest.mark.parametrize(("text", "said"), [
    ("x = " + "[" * 900 + "]" * 900, "nests lists or tables"), (".".join("a" * 50_000) + " = 1", "over 50 parts"),
    (".".join(['"a"'] * 50_000) + " = 1", "over 50 parts"), ("[" + ".".join("a" * 50_000) + "]", "over 50 parts"),
    ("\n".join(f"[t{n}]" for n in range(100_000)), "over 10,000 lines or keys"), ("#" * 1_000_001, "larger than any"),
    ("x = {" + ",".join(f"k{n}=1" for n in range(70_000)) + "}", "over 10,000 lines or keys"),
    (HEAD + "\n".join(f"k{n} = 1" for n in range(9_000)), r"has 9,000 faults(.|\n)*k18(.|\n)*and 8,980 more"),
])  # fmt: skip
def test_report_files_without_end(tmp_path, text, said):
    (tmp_path / "r.toml").write_text(text)
    with pytest.raises(lc.ReportError, match=said) as told:
        lc.Report.load(tmp_path / "r.toml")
    assert str(told.value).count("\n") <= 22


@pytest.mark.parametrize("words", [["report", "FILE"], ["compare", "--settings", "FILE"]])
def test_devices_and_pipes_are_not_waited_for(tmp_path, rows_file, cli, words):
    rows_file([["2026-01-01", "a", 1], ["2026-02-01", "a", 2]])
    os.mkfifo(tmp_path / "pipe")
    for path in (tmp_path / "pipe", "/dev/zero", tmp_path):
        ran = cli(*(str(path) if word == "FILE" else word for word in words))
        assert ran.returncode == 2 and re.search("is no ordinary file|Is a directory", ran.stderr)


def test_pipes_of_nobody_and_without_end(tmp_path, rows_file, monkeypatch):
    """A plan or a calendar in a pipe: one that nobody writes into is waited for a moment, one without end is cut."""
    path = rows_file([["2026-01-01", "a", 1], ["2026-02-01", "a", 2]])
    os.mkfifo(tmp_path / "pipe")
    monkeypatch.setattr(streams, "_PATIENCE", 0.2)
    with pytest.raises(lc.IntakeError, match="is a pipe that nobody writes into"):
        lc.read_plan(tmp_path / "pipe", date="day", value="amount", measure="amount")
    monkeypatch.setattr(streams, "_PATIENCE", 20)
    monkeypatch.setattr(small_tables, "_MOST_BYTES", 3_000_000)
    with (
        subprocess.Popen(f"yes 2026 > '{tmp_path}/pipe'", shell=True),
        pytest.raises(lc.IntakeError, match="holds more than 3,000,000 bytes"),
    ):
        lc.ListedCalendar(tmp_path / "pipe")
    with subprocess.Popen(f"sleep 0.3; cat '{path}' > '{tmp_path}/pipe'", shell=True):
        book = lc.read(tmp_path / "pipe", date="day", values="amount")
    assert book.totals("year").value.tolist() == [3]


def test_a_pattern_over_everything(tmp_path, monkeypatch):
    for n in range(30):
        (tmp_path / f"{n}.csv").write_text("day,amount\n2026-01-01,1\n")
    assert lc.read(f"{tmp_path}/**/1*.csv", date="day", values="amount").intake.counted == 11
    monkeypatch.setattr(find_files, "_MOST_SEEN", 20)
    with pytest.raises(lc.QuestionError, match="looks through over 20 names"):
        lc.read(f"{tmp_path}/**/1*.csv", date="day", values="amount")


def test_patterns_match_as_the_standard_library_has_it(tmp_path):
    for name in ("a/b/s.csv", "a/s.csv", "s.csv", ".s.csv", "a/.h/s.csv", "d[1]/s.csv", "a/x/t.tsv"):
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text("")
    (tmp_path / "a" / "up").symlink_to("..")
    for pattern in ("*.csv", "**/*.csv", "*/s.csv", "a/**/s.csv", "d[[]1]/*.csv", ".*.csv", "a/[bx]/*", "?/*/*.csv"):
        wanted = {one for one in glob.glob(f"{tmp_path}/{pattern}", recursive=True) if "up" not in one}  # noqa: PTH207
        assert {str(one) for one in find_files.matching(f"{tmp_path}/{pattern}") if "up" not in str(one)} == wanted


@pytest.mark.parametrize("low, high", [("0001-01-01", "9999-12-31"), ("1900-01-01", None), (None, "2090-01-01")])
def test_days_without_end(rows_file, low, high):
    book = lc.read(rows_file([["2026-01-01", "a", 1], ["2026-02-01", "a", 2]]), date="day", values="amount")
    with pytest.raises(lc.QuestionError, match="days (before the first|after the last) record"):
        lc.compare(book.covering(low, high), "day")
    assert len(lc.compare(book.covering("2020-01-01", "2030-12-31"), "year").total) == 11


def test_texts_of_a_small_file_without_measure(tmp_path):
    path = tmp_path / "s.parquet"
    rows = "SELECT DATE '2026-01-01' AS day, repeat('x', 100_000_000) || range AS item, 1 AS amount FROM range(3)"
    duckdb.sql(f"COPY ({rows}) TO '{path}' (FORMAT parquet, COMPRESSION zstd)")
    assert path.stat().st_size < 200_000
    with pytest.raises(lc.IntakeError, match="column 'item' unpacks to 286 MB, over 200 times its size"):
        lc.read(path, date="day", values="amount", by="item")


HOSTILE = ["<script>x</script>", "a|b\n# h", "$x^2$ \\frac{", "]]><!--", "\u202eabc", "x" * 40_000, "\uffff", "</svg>",
           "`c` [l](javascript:1)"]  # fmt: skip


def test_labels_in_every_form(tmp_path):
    """Markdown, SVG, PDF, a notebook's HTML and a workbook with labels that are hostile, or longer than a cell."""
    frame = pd.DataFrame({"day": pd.Timestamp("2026-01-05"), "item": HOSTILE, "amount": range(1, len(HOSTILE) + 1)})
    book = lc.read(
        pd.concat([frame, frame.assign(day=pd.Timestamp("2026-02-05"))]), date="day", values="amount", by="item"
    )
    answer = lc.compare(book, "month", "prior", by="item")
    for ending in ("md", "svg", "pdf", "html", "xlsx"):
        answer.write(tmp_path / f"o.{ending}")
    svg = defusedxml.ElementTree.parse(tmp_path / "o.svg")
    assert not [one for one in svg.iter() if one.tag.endswith("script")]
    shown = answer._repr_html_()
    assert "<script" not in shown and "</svg>" not in shown and "javascript" not in re.sub(r"<td.*?</td>", "", shown)
    table = [line for line in (tmp_path / "o.md").read_text().splitlines() if line.startswith("|")]
    assert len({len(re.findall(r"(?<!\\)\|", line)) for line in table}) == 1
    lc.write_page({"h" * 40_000: answer}, tmp_path / "p.html")
    write_workbook([Section(heading="h" * 40_000, answer=answer)], tmp_path / "w.xlsx", title="t", formats=Formats())
    cells = [cell for row in openpyxl.load_workbook(tmp_path / "w.xlsx").worksheets[0].values for cell in row]
    assert len(cells[0]) == 32_767 and cells[0].endswith("h\N{HORIZONTAL ELLIPSIS}")


def test_patterns_do_not_backtrack():
    """Each pattern of the package goes through texts on which one that backtracks would never come to an end."""
    found = {}
    for module in pkgutil.walk_packages(logochron.__path__, "logochron."):
        if not module.name.endswith("__main__"):
            found |= {
                one: None for one in vars(importlib.import_module(module.name)).values() if isinstance(one, re.Pattern)
            }
    assert len(found) > 25
    for pattern in found:
        for part in ("0", " ", "a", "-", ".", ",", "'", '"', "[", "1,", "1.", "a ", "\\", "1e", "x.", "Q1", "0a", "\t"):
            for end in ("", "!", "\0"):
                text = part * 1_000 + end
                pattern.match(text.encode() if isinstance(pattern.pattern, bytes) else text)
