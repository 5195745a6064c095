"""What could be fed to it: each row of docs/threats.md has its test, here or where its subject is."""

from __future__ import annotations

import csv
import re
import zipfile
from pathlib import Path

import duckdb
import openpyxl
import pandas as pd
import pytest

import logochron as lc

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
