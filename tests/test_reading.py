"""Reading: every row accounted for, no total wrong, nothing guessed that both ways could be."""

from __future__ import annotations

import gzip
import math
from pathlib import Path

import duckdb
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import logochron as lc

H = "d,h,v\n"
GOOD = "2026-01-01,a,1.5\n2026-01-02,b,2\n"


def read(path: Path, data: str | bytes, name: str = "f.csv", **options: object) -> lc.Daybook:
    file = path / name
    file.write_bytes(data.encode() if isinstance(data, str) else data)
    return lc.read(file, **({"date": "d", "values": "v", "on_refused": "skip"} | options))


def account(book: lc.Daybook) -> tuple[int, ...]:
    i = book.intake
    assert i.read == i.counted + i.refused + i.set_aside + i.blank
    return i.counted, i.refused, i.set_aside, i.blank


def total(book: lc.Daybook) -> float:
    return math.fsum(book.totals("day").value)


#: What the file holds, options, then counted, refused, set aside, blank, the total, and lines of refused rows.
SOUND = [
    (H + GOOD, {}, (2, 0, 0, 0), 3.5, []),
    (H.strip() + "\n" + GOOD.strip(), {}, (2, 0, 0, 0), 3.5, []),
    ("\n\n" + H + "\n" + GOOD + "   \n,,\n\n", {}, (2, 0, 0, 4), 3.5, []),
    (("\n" + H + GOOD + "\n2026-01-02,b\n").replace("\n", "\r\n"), {}, (2, 1, 0, 1), 3.5, [6]),
    (H + "2026-01-01,a,1.5\r\n2026-01-02,b,2\n2026-01-03,b,x\n", {}, (2, 1, 0, 0), 3.5, [4]),
    ((H + GOOD).replace("\n", "\r"), {}, (2, 0, 0, 0), 3.5, []),
    ('d,h,v\n2026-01-01,"a\nb, ""c""",1.5\n2026-01-02,b,zz\n2026-01-03,"a\nb\nc",zz\n', {}, (1, 2, 0, 0), 1.5, [4, 5]),
    (H + '2026-01-01,"a,1\n2026-01-02,b",2\n2026-01-03,c,7\n2026-01-04,c,q\n', {}, (1, 2, 0, 0), 7, [2, 5]),
    (H + '2026-01-01,5" pipe,1\n2026-01-02,a"b"c,2\n2026-01-03,6" pipe,x\n', {}, (2, 1, 0, 0), 3, [4]),
    (H + GOOD + '2026-01-03,"No"rth,9\n', {}, (2, 1, 0, 0), 3.5, [4]),
    (H + "2026-01-01,a\n" + GOOD + "2026-01-02,b,2,3\n", {}, (2, 2, 0, 0), 3.5, [2, 5]),
    (H + GOOD + "2026-01-03,a,nan\n2026-01-03,a,inf\n2026-01-03,a,1_000\n2026-01-03,a,\n2026-01-03,a,1e400\n",
     {}, (2, 5, 0, 0), 3.5, [4, 5, 6, 7, 8]),
    (H + GOOD + "2026-02-30,a,5\n,a,5\nepoch,a,5\n0000-01-01,a,5\n", {}, (2, 4, 0, 0), 3.5, [4, 5, 6, 7]),
    (H + GOOD + "2026-01-03,a,\n", {"empty": "zero"}, (3, 0, 0, 0), 3.5, []),
    (H + GOOD + "2026-03-01,a,x\n", {"until": "2026-01-31"}, (2, 0, 1, 0), 3.5, []),
    (H + GOOD + "2026-03-01,a,x\n", {"covering": "2026-01-02..2026-01-09"}, (1, 0, 2, 0), 2, []),
    (H + GOOD + "2026-01-03,c,x\n,c,9\n", {"where": {"h": ["a", "b"]}}, (2, 1, 1, 0), 3.5, [5]),
    (H + GOOD, {"where": {"h": lc.Not("a")}}, (1, 0, 1, 0), 2, []),
    (H + "2026-01-01,a, 12 \n2026-01-02,b,+5\n2026-01-02,b,1e2\n", {}, (3, 0, 0, 0), 117, []),
    (H + "2026-01-01 23:59:59.5Z,a,1\n2026-01-02T00:00:00+02:00,b,2\n2026-01-02 25:00,b,4\n", {}, (2, 1, 0, 0), 3, [4]),
    (H + "3/4/2026 8:26,a,1\n6/25/2026 6:02 PM,b,2\n", {}, (2, 0, 0, 0), 3, []),
    (H + "20260101,a,1\n20260102,b,2\n", {}, (2, 0, 0, 0), 3, []),
    (H + "1 Feb 26,a,1\n", {"date_format": "%d %b %y"}, (1, 0, 0, 0), 1, []),
    (H + "1 Feb 26 10:30,a,1\n2 Feb 26,a,1\n", {"date_format": "%d %b %y %H:%M"}, (1, 1, 0, 0), 1, [3]),
    ("\ufeff" + H + GOOD, {}, (2, 0, 0, 0), 3.5, []),
    ((H + GOOD).encode("utf-16"), {}, (2, 0, 0, 0), 3.5, []),
    ((H + GOOD).replace(",", ";"), {}, (2, 0, 0, 0), 3.5, []),
    ((H + GOOD).replace(",", "|"), {"delimiter": "|"}, (2, 0, 0, 0), 3.5, []),
]  # fmt: skip


@pytest.mark.parametrize(("data", "options", "counts", "amount", "lines"), SOUND)
def test_every_row_accounted_for(tmp_path, data, options, counts, amount, lines):
    book = read(tmp_path, data, **options)
    assert account(book) == counts
    assert total(book) == amount
    assert book.intake.refusals.line.tolist() == lines
    if lines:
        with pytest.raises(lc.IntakeError, match=f"line {lines[0]}.*on_refused='skip'|(?s:line {lines[0]}.*)"):
            read(tmp_path, data, **options, **{"on_refused": "stop"})


def test_refusals_say_where_and_why(tmp_path):
    book = read(tmp_path, H + GOOD * 2 + '2026-01-03,a,"1,5"\n2026-13-01,a,2\n2026-01-04,"a,1\n2026-01-05,b",2\n')
    told = book.intake.refusals[["line", "column", "text", "reason"]].to_numpy().tolist()
    assert told == [
        [6, "v", "1,5", "not a number with a decimal point (decimal= and thousands= state it)"],
        [7, "d", "2026-13-01", "not a date YYYY-MM-DD"],
        [8, "", '2026-01-04,"a,1', "a stray quote in it seems to swallow line 9: '2026-01-05,b\",2'"],
    ]
    with pytest.raises(lc.IntakeError, match="13 of 14 rows are refused") as caught:
        read(tmp_path, H + "2026-01-01,a,1\n" + "2026-01-01,a,?\n" * 13, on_refused="stop")
    assert str(caught.value).count("line ") == 10 and "and 3 more" in str(caught.value)


#: What the file holds and options that cannot be read, the error, and what it says.
REFUSED = [
    ("", {}, "is empty"),
    ("\n \n", {}, "only blank lines"),
    (H, {}, "no rows below the header"),
    ("d,h,v", {}, "no rows below the header"),
    ("d\n2026-01-01\n", {}, "no delimiter found"),
    ("d,v,v\n2026-01-01,1,2\n", {}, "names 'v' more than once"),
    (H + "x,a,1\n", {}, "no usable date.*'x'"),
    (H + ",a,1\n", {}, "no usable date"),
    (H + "03/04/2026,a,1\n05/06/2026,a,1\n", {}, "reads both ways: 03/04/2026.*day_first"),
    (
        H + "13/04/2026,a,1\n06/25/2026,a,1\n",
        {},
        "day first 13/04/2026 .*line 2. and with the month first 06/25/2026 .*line 3",
    ),
    (H + '2026-01-01,"a,1\n2026-01-02,b,2\n', {}, "line 2.*swallow"),
    (H + "2026-01-01,a,9e307\n" * 4, {}, "so large"),
    (H + GOOD, {"values": "vv"}, "no column 'vv'. Did you mean 'v'"),
    (H + GOOD, {"date": "day"}, "`date`: .* no column 'day'"),
    (H + GOOD, {"where": {"h": "A"}}, "no item 'A'. Did you mean 'a'"),
    (H + GOOD, {"date": 5}, "`date` must be a text"),
    (
        H + "2/28/2026 9:00,a,1\n2/30/2026 9:00,a,1\n",
        {"on_refused": "stop"},
        "line 3, column 'd': '2/30/2026 9:00' - not",
    ),
    (H + GOOD, {"values": ["v", "v"]}, "'v' twice"),
    (H + GOOD, {"until": "2025-12-31"}, "no record lies in the days wanted"),
    (H + GOOD, {"until": "2026-03-31"}, "at most 31 are believed"),
    (H + GOOD, {"until": "soon"}, "`until` must be a day"),
    (H + GOOD, {"covering": "2026-02-01..2026-01-01"}, "ends before it starts"),
    (H + GOOD, {"encoding": "utf-9"}, "names no encoding"),
    (H + GOOD, {"encoding": "utf-16"}, "not in encoding"),
    (H + GOOD, {"empty": "nil"}, "`empty` must be one of refused, zero"),
]


@pytest.mark.parametrize(("data", "options", "said"), REFUSED)
def test_refused_whole(tmp_path, data, options, said):
    with pytest.raises(lc.LogochronError, match=f"(?s){said}"):
        read(tmp_path, data, **options)


def test_paths(tmp_path):
    for source, said in [
        (tmp_path / "salse.csv", "Did you mean .*sales.csv"),
        (tmp_path, "is a directory"),
        (tmp_path / "*.tsv", "no file matches"),
        (tmp_path / "notes.doc", "unknown ending"),
        ([tmp_path / "sales.csv", tmp_path / "sales.*"], "named twice"),
        (3, "must be a path"),
    ]:
        (tmp_path / "sales.csv").write_text(H + GOOD)
        (tmp_path / "notes.doc").write_text("x")
        with pytest.raises(lc.QuestionError, match=said):
            lc.read(source, date="d", values="v")


def test_several_files_of_unlike_headers(tmp_path):
    (tmp_path / "1.csv").write_text(H + "2026-01-01,a,1.25\n2026-01-02,b,2\n")
    (tmp_path / "2.csv").write_text("v;other;d;h\n4;x;2026-01-02;b\n8.123456;y;2026-01-03;c\n")
    (tmp_path / "3.csv").write_text("h,v,d\nc,16,2026-01-04\n,32,2026-01-04\n")
    book = lc.read(tmp_path / "*.csv", date="d", values="v", by={"place": "h"})
    assert account(book) == (6, 0, 0, 0) and book.exact == {"v": True}
    assert book.items("place") == ["", "a", "b", "c"]
    sums = book.totals("year", by="place").set_index("place").value
    assert sums.to_dict() == {"": 32, "a": 1.25, "b": 6, "c": 24.123456}
    assert any("semicolon" in guess for guess in book.intake.guesses)


def test_first_refusals_of_many(tmp_path):
    rows = [f"2026-01-{k % 28 + 1:02d},a,{k}" if k % 50 else f"2026-01-01,a,bad{k}" for k in range(200_000)]
    book = read(tmp_path, H + "\n".join(rows) + "\n")
    assert account(book) == (196_000, 4000, 0, 0)
    assert book.intake.refusals.line.tolist() == list(range(2, 50_002, 50))  # the first thousand, in order


def test_names_that_are_patterns_to_the_engine(tmp_path):
    folder = tmp_path / "year=2024"
    folder.mkdir()
    for name, amount in (("s1", 500), ("s[1]", 1), ("s*", 2)):
        (folder / f"{name}.csv").write_text(H + f"2026-01-01,a,{amount}\n")
        duckdb.execute(f"COPY (SELECT DATE '2026-01-01' AS d, {amount} AS v) TO '{tmp_path}/x.parquet'")
        (tmp_path / "x.parquet").rename(folder / f"{name}.parquet")
    for name, amount in (("s1", 500), ("s[1]", 1), ("s*", 2)):
        for ending in ("csv", "parquet"):
            assert total(lc.read(folder / f"{name}.{ending}", date="d", values="v")) == amount
        # a folder makes a column for Parquet only
        assert lc.read(folder / f"{name}.parquet", date="d", values="v", by="year").items("year") == ["2024"]
        with pytest.raises(lc.QuestionError, match="no column 'year'"):
            lc.read(folder / f"{name}.csv", date="d", values="v", by="year")


def test_packed_files(tmp_path):
    assert total(read(tmp_path, gzip.compress((H + GOOD).encode()), "f.csv.gz")) == 3.5
    rng = np.random.default_rng(1)
    many = H + "".join(f"2026-01-01,a,{x:.6f}\n" for x in rng.random(5000))
    for data in (gzip.compress(many.encode())[:-2000], b"not packed at all"):
        with pytest.raises(lc.IntakeError, match="no whole .gz"):
            read(tmp_path, data, "f.csv.gz")


def test_wide_file_with_unused_columns(tmp_path):
    header = [f"x{i}" for i in range(15)] + ["amount", "note", "day"] + [f"y{i}" for i in range(15)]
    rows = [",".join(header)]
    for k in range(300):
        fields = (
            ["7"] * 15 + [f"{k}.123456", f'"line one\nof {k}, ""quoted"""', f"2026-01-{k % 28 + 1:02d}"] + [""] * 15
        )
        rows.append(",".join(fields))
    book = read(tmp_path, "\n".join(rows) + "\n", date="day", values="amount")
    assert account(book) == (300, 0, 0, 0) and book.exact == {"amount": True}
    assert total(book) == pytest.approx(299 * 300 / 2 + 300 * 0.123456, abs=1e-9)


def test_labels_are_text(tmp_path):
    book = read(
        tmp_path, H + "".join(f"2026-01-01,{x},1\n" for x in ["0", "00", "0.0", "nan", "None", "", " "]), by="h"
    )
    assert book.items("h") == ["", " ", "0", "0.0", "00", "None", "nan"]


@pytest.mark.parametrize(
    ("amounts", "exact"),
    [
        (["0.1", "0.2", "-0.3"], True),
        (["1", "2.5", "1e-6"], True),
        (["1000000000000.123456", "-1000000000000.123455"], True),
        (["9007199254740993", "-9007199254740992"], True),
        (["0.0000001", "1"], False),
        (["99999999999999", "0.000001"], False),
        (["1e30", "1"], False),
    ],
)
def test_exact_sums(tmp_path, amounts, exact):
    from fractions import Fraction

    book = read(tmp_path, H + "".join(f"2026-01-01,a,{x}\n" for x in amounts))
    expected = float(sum(Fraction(x) for x in amounts))
    assert book.exact == {"v": exact}
    assert total(book) == pytest.approx(expected, rel=1e-14) if not exact else total(book) == expected
    assert bool(book.intake.warnings) is not exact


def test_floats_are_the_same_every_time(tmp_path):
    rng = np.random.default_rng(7)
    data = H + "".join(f"2026-01-{k % 9 + 1:02d},a,{x!r}\n" for k, x in enumerate(rng.random(20_000).tolist()))
    sums = {tuple(read(tmp_path, data).totals("day").value) for _ in range(4)}
    assert len(sums) == 1


@pytest.mark.parametrize("kind", ["DATE", "TIMESTAMP", "VARCHAR", "TIMESTAMPTZ"])
@pytest.mark.parametrize("amount", ["DOUBLE", "DECIMAL(12, 3)", "INTEGER", "FLOAT", "VARCHAR"])
def test_parquet(tmp_path, kind, amount):
    path = tmp_path / "f.parquet"
    zone = " 12:00:00+00" if kind == "TIMESTAMPTZ" else ""
    duckdb.execute(
        f"COPY (SELECT d::{kind} AS d, h, v::{amount} AS v FROM (VALUES ('2026-01-01{zone}', 'a', 1), "
        f"('2026-01-02{zone}', NULL, 2), (NULL, 'b', 4), ('2026-01-03{zone}', 'b', NULL), (NULL, NULL, NULL)) "
        f"AS t(d, h, v)) TO '{path}'"
    )
    book = lc.read(path, date="d", values="v", by="h", on_refused="skip")
    assert account(book) == (2, 2, 0, 1) and total(book) == 3
    assert book.items("h") == ["", "a"]
    assert book.intake.refusals.line.tolist() == [3, 4]
    assert (str(book.first_day), str(book.last_day)) == ("2026-01-01", "2026-01-03")


def test_zone_of_timestamps(tmp_path):
    path = tmp_path / "f.parquet"
    duckdb.execute(f"COPY (SELECT TIMESTAMPTZ '2026-03-31 23:30:00+00' AS d, 1.5 AS v) TO '{path}'")
    assert str(lc.read(path, date="d", values="v").first_day) == "2026-03-31"
    assert str(lc.read(path, date="d", values="v", tz="Europe/London").first_day) == "2026-04-01"


field = st.one_of(
    st.sampled_from(["2026-01-01", "2026-02-28", "", " ", "x", "a,b", 'q"q', "l\nl", "1.5", "-2", "0.25", "nan", "é"]),
    st.text("ab ,\"\n;'", max_size=4),
)


@pytest.mark.slow
@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.tuples(field, field, field), max_size=25),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.sampled_from(",;\t|"),
    st.sampled_from(["utf-8", "utf-8-sig", "utf-16", "cp1252"]),
    st.sampled_from(["", "Sales report", "Sales report\n\nmade on 2026-05-01"]),
)
def test_account_of_drawn_files(tmp_path, rows, ends, delimiter, encoding, title):
    """Files written by the standard library's writer in any dialect, read by a plain twin."""
    import csv
    import io

    out = io.StringIO(newline="")
    out.write(title.replace("\n", ends) + ends * bool(title))
    # the writer leaves a line feed bare where lines end otherwise
    quoting = csv.QUOTE_ALL if ends == "\r" else csv.QUOTE_MINIMAL
    writer = csv.writer(out, lineterminator=ends, delimiter=delimiter, quoting=quoting)
    writer.writerow(["d", "h", "v"])
    rows = [("2026-01-01", "first", "1.5"), *rows]
    writer.writerows(rows)
    dates, amounts = {"2026-01-01", "2026-02-28"}, {"1.5", "-2", "0.25"}
    blank = sum(not any(f.strip(" ") for f in row) for row in rows)
    counted = [float(v) for d, _, v in rows if d in dates and v in amounts]
    if any(_glued(row, delimiter) for row in rows):
        return  # a record that may be several: told by tests of its own
    book = read(tmp_path, out.getvalue().encode(encoding), by="h")
    assert account(book) == (len(counted), len(rows) - len(counted) - blank, 0, blank)
    assert total(book) == sum(counted)
    refused = [r for r in book.intake.refused_rows if r.column]
    assert all(r.text in {d for d, _, _ in rows} | {v for _, _, v in rows} for r in refused)


def _glued(row: tuple[str, str, str], delimiter: str) -> bool:
    import csv
    import io

    out = io.StringIO(newline="")
    csv.writer(out, lineterminator="", delimiter=delimiter).writerow(row)
    lines = out.getvalue().split("\n")
    return len(lines) > 1 and all(line.count(delimiter) == 2 for line in lines)
