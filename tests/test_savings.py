"""What a Parquet file's statistics save the roll-up changes no figure, and is given up where it could."""

from __future__ import annotations

import struct

import duckdb
import numpy as np
import pytest
from pyarrow import parquet

import logochron as lc
from logochron.sources.engine import rollup
from logochron.sources.kinds.joined_files import MANY

DAY = "DATE '2024-01-01' + (hash(i, 1) % 700)::INT"
LABEL = "'r' || (i % 5)"
AMOUNT = "(hash(i, 2) % 50000)::INT / 100"
#: Which savings were made, in their order: sets of labels as bytes, counts folded into sums, the look at each row.
CASES = {
    "plain": (DAY, LABEL, AMOUNT, "sets fold"),
    "no labels": (DAY, "NULL::VARCHAR", AMOUNT, "sets fold"),
    "odd labels": (DAY, """['it''s', '', 'a"b', '=1+1', 'z', 'z+', NULL][1 + i % 7]""", AMOUNT, "sets fold"),
    "negatives": (DAY, LABEL, "((hash(i, 2) % 50000)::INT - 25000) / 100", "sets fold"),
    "decimals": (DAY, LABEL, f"({AMOUNT})::DECIMAL(12, 4)", "sets fold"),
    "short floats": (DAY, LABEL, "((hash(i, 2) % 500)::INT / 100)::FLOAT", "sets fold"),
    "moments": (f"({DAY})::TIMESTAMP + INTERVAL 86399 SECOND", LABEL, AMOUNT, "sets fold"),
    "texts as amounts": (DAY, LABEL, f"({AMOUNT})::VARCHAR", "sets look sets"),
    "many labels": (DAY, "'r' || (i % 300)", AMOUNT, "fold"),
    "many days": ("DATE '1900-01-01' + (i * 7)::INT", LABEL, AMOUNT, "sets fold"),
    "zoned": (f"({DAY})::TIMESTAMPTZ + INTERVAL 23 HOUR", LABEL, AMOUNT, "sets fold"),
    "one day with most rows": (
        f"CASE WHEN i < 199000 THEN DATE '2024-02-29' ELSE {DAY} END",
        "'r'",
        "1e5",
        "sets fold sets",
    ),
    "too fine": (DAY, LABEL, f"CASE WHEN i = 77 THEN 0.001 ELSE {AMOUNT} END", "sets fold look look"),
    "too large": (DAY, LABEL, f"CASE WHEN i = 77 THEN 1e12 ELSE {AMOUNT} END", "sets look"),
}


@pytest.fixture
def saved(monkeypatch) -> list[str]:
    """What is saved on the way."""
    made: list[str] = []

    def spied(name: str, function: str) -> None:
        real = getattr(rollup, function)

        def spy(*given, **more):
            answer = real(*given, **more)
            made.extend([name] if answer is not None else [])
            return answer

        monkeypatch.setattr(rollup, function, spy)

    spied("sets", "label_sets")
    spied("fold", "fold")
    spied("look", "_careful_pass")
    return made


@pytest.mark.parametrize("case", CASES)
def test_a_file_with_statistics_gives_the_book_of_a_table_without(case, saved, tmp_path):
    day, label, amount, expected = CASES[case]
    many = 200_000 if "most rows" in case else 20_000
    path = tmp_path / "sales.parquet"
    found = duckdb.connect()
    found.execute("SET TimeZone = 'UTC'")
    found.execute(f"CREATE TABLE sales AS SELECT {day} AS d, {label} AS h, {amount} AS v FROM range({many}) r(i)")
    found.execute(f"COPY sales TO '{path}' (FORMAT parquet)")
    asked = {"date": "d", "values": "v", "by": "h", "tz": "Asia/Tokyo" if case == "zoned" else None}
    of_file = lc.read(path, **asked)
    assert " ".join(saved) == expected
    of_table = lc.read(parquet.read_table(path), **asked)
    assert of_file.intake.counted == of_table.intake.counted == many and of_file.exact == of_table.exact
    pair = [lc.compare(book, each="week", against="prior", by="h").columns for book in (of_file, of_table)]
    for name in pair[0]:
        np.testing.assert_array_equal(pair[0][name], pair[1][name])
    ((total,),) = found.execute("SELECT sum(v::DECIMAL(38, 3)) FROM sales").fetchall()
    assert float(np.sum(pair[0]["value"])) == pytest.approx(float(total), abs=1e-3)


@pytest.mark.parametrize("flaw", ["'nan'::DOUBLE", "'infinity'::DOUBLE", "NULL"])
def test_what_is_no_amount_is_told_all_the_same(flaw, tmp_path):
    path = tmp_path / "sales.parquet"
    amount = f"CASE WHEN i = 77 THEN {flaw} ELSE {AMOUNT} END"
    duckdb.connect().execute(f"COPY (SELECT {DAY} d, {LABEL} h, {amount} v FROM range(999) r(i)) TO '{path}'")
    with pytest.raises(lc.IntakeError, match="row 78, column 'v'"):
        lc.read(path, date="d", values="v", by="h")
    assert lc.read(path, date="d", values="v", by="h", on_refused="skip").intake.counted == 998


@pytest.mark.parametrize("told", ["largest amount", "last day"])
def test_wrong_statistics_of_a_file_change_no_figure(told, saved, tmp_path):
    path = tmp_path / "sales.parquet"
    sql = "SELECT DATE '2024-01-01' + (i % 700)::INT d, 'r' || (i % 5) h, (i % 7)::DOUBLE * 3e6 v FROM range(9999) r(i)"
    duckdb.connect().execute(f"COPY ({sql}) TO '{path}'")
    content = path.read_bytes()
    start = len(content) - 8 - struct.unpack("<I", content[-8:-4])[0]  # of what ends the file
    true, false = (struct.pack("<d", 18e6), struct.pack("<d", 2.0))
    if told == "last day":
        true, false = (struct.pack("<i", 19723 + 699), struct.pack("<i", 19800))
    assert true in content[start:]
    path.write_bytes(content[:start] + content[start:].replace(true, false))
    book = lc.read(path, date="d", values="v", by="h")
    assert book.intake.counted == 9999 and saved[-1] == ("sets" if told == "largest amount" else "look")
    assert (
        lc.compare(book, each="year", against="prior").columns["value"].sum() == sum(i % 7 for i in range(9999)) * 3e6
    )


def test_files_scanned_as_one_have_no_statistics_together(saved, tmp_path):
    for i in range(MANY):
        sql = f"SELECT {DAY} d, {LABEL} h, {AMOUNT} v FROM range(99) r(i)"
        duckdb.connect().execute(f"COPY ({sql}) TO '{tmp_path}/{i}.parquet'")
    assert lc.read(tmp_path, date="d", values="v", by="h").intake.counted == 99 * MANY
    assert not saved
