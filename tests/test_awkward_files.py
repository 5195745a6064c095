"""Text files as people have them: read right, read with a warning, or refused with the line and what settles it."""

from __future__ import annotations

import gzip
import re
from fractions import Fraction

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import logochron as lc

H, GOOD = "d,h,v\n", "2026-01-01,a,1.5\n2026-01-02,b,2\n"


def read(folder, data: str | bytes, name: str = "f.csv", **options):
    (folder / name).write_bytes(data.encode() if isinstance(data, str) else data)
    return lc.read(folder / name, **({"date": "d", "values": "v", "on_refused": "skip"} | options))


def outcome(book):
    intake = book.intake
    assert intake.read == intake.counted + intake.refused + intake.set_aside + intake.blank
    return book.totals("year").value.sum(), intake.counted, intake.refused


def amounts(*texts: str) -> str:
    return "d;h;v\n" + "".join(f"2026-01-{i + 1:02d};a;{text}\n" for i, text in enumerate(texts))


#: Amounts as written, options, their sum, how many are refused, what is said of it.
AMOUNTS = [
    (["1,234.50", "2.5", "12,345,678"], {}, 12_346_915, 0, "a decimal point and commas between"),
    (["1.234,50", "2,5", "-7"], {}, 1230, 0, "a decimal comma and points between"),
    (["1 234,50", "12\u202f345,00", "1\u00a0000"], {}, 14_579.5, 0, "a decimal comma and spaces"),
    (["1'234.50", "1’000"], {}, 2234.5, 0, "apostrophes between"),
    (["12,34,567.50", "2.5"], {}, 1_234_570, 0, "commas between"),
    (["€ 3", "4,5 €", "-€1", "€-1", "5 EUR"], {}, 10.5, 0, "sign '€' is left out"),
    (["$1,000.25", "US$"], {}, 1000.25, 1, "sign '\\$'"),
    (["(4.25)", "5-", "−1", "- 2", "+3", "(1,000.5)"], {}, -1009.75, 0, "decimal point"),
    (["1e3", "1.5E-2", ".5", "5."], {}, 1005.515, 0, ""),
    (["5%", "6 %", "1"], {}, 1, 2, ""),
    (["5 kg", "#", "n/a", "1_000", "nan", "inf", "0x1F", "٣", "--5", "(5", "1"], {}, 1, 10, ""),
    (["1,23", "1,2", "1.5"], {}, 2.43, 1, "decimal comma"),
    (["1,5", "2"], {"decimal": "."}, 2, 1, ""),
    (["1.234", "5"], {"decimal": "."}, 6.234, 0, ""),
    (["1.234", "5"], {"thousands": "."}, 1239, 0, "points between"),
    (["1.234", "0.5"], {}, 1.734, 0, ""),
    (["0,1234567", "1,5"], {}, 1.6234567, 0, "decimal comma"),
    (["1,5", "", " "], {"empty": "zero"}, 1.5, 0, "2 empty amounts taken as 0"),
]


@pytest.mark.parametrize(("texts", "options", "total", "refused", "said"), AMOUNTS)
def test_amounts(tmp_path, texts, options, total, refused, said):
    book = read(tmp_path, amounts(*texts), **options)
    assert outcome(book) == (pytest.approx(total, abs=1e-12), len(texts) - refused, refused)
    assert re.search(said, " / ".join(book.intake.guesses))
    assert all(r.reason.startswith(("not a", "a percentage")) for r in book.intake.refused_rows)


@pytest.mark.parametrize(
    ("texts", "said"),
    [
        (["1,234", "5"], r"read two ways: '1,234' \(.*line 2\).*decimal=',' \(--decimal \. or --decimal ,\)"),
        (["1.234,50"] * 2 + ["2,500", "1,234.50"], r"'1.234,50' .* and '1,234.50' \(.*line 5\)"),
        (["5", "1.234"], r"read two ways: '1.234' \(.*line 3\)"),
        (["1.5", "1,5"], r"'1.5' \(.*line 2\) and '1,5' \(.*line 3\)"),
        (["€5", "2", "$6"], r"several currencies: .*'€5' \(.*line 2\)"),
    ],
)
def test_amounts_that_read_two_ways(tmp_path, texts, said):
    with pytest.raises(lc.IntakeError, match=said):
        read(tmp_path, amounts(*texts))


def test_one_late_row_changes_the_reading_of_all(tmp_path):
    late = amounts(*["1.5"] * 20).splitlines()
    rows = [late[0], *(late[1:] * 150), "2026-01-01;a;1,234.50"]
    assert outcome(read(tmp_path, "\n".join(rows))) == (1.5 * 3000 + 1234.5, 3001, 0)
    with pytest.raises(lc.IntakeError, match=r"'1.234' \(.*line 3,002\)"):
        read(tmp_path, "\n".join([late[0], *["2026-01-01;a;15"] * 3000, "2026-01-01;a;1.234"]))


@pytest.mark.slow
@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.integers(-(10**9), 10**9), min_size=1, max_size=12),
    st.sampled_from([(".", ","), (",", "."), (",", " "), (".", "'"), (".", ""), (",", "")]),
    st.sampled_from(["", "€", "CHF ", "kr. "]),
    st.sampled_from(["-{}", "({})", "{}-", "−{}"]),
)
def test_any_writing_of_whole_cents(tmp_path, cents, marks, sign, negative):
    """Written in some way and read back, the cents are the same; one row makes the writing plain."""
    decimal, between = marks

    def written(n: int) -> str:
        whole, part = divmod(abs(n), 100)
        text = f"{sign}{whole:,}".replace(",", between) + f"{decimal}{part:02d}"
        return negative.format(text) if n < 0 else text

    book = read(tmp_path, amounts(*(written(n) for n in [*cents, 123_456_789])))
    assert book.exact == {"v": True}
    assert Fraction(outcome(book)[0]).limit_denominator(100) == Fraction(sum(cents) + 123_456_789, 100)


#: Dates as written, options, first and last day, how many are refused, what is said.
DATES = [
    (["18 Oct 2026", "3. Mai 2026", "October 5, 2026", "Sun, 4 Oct 2026"], {}, "2026-05-03", "2026-10-18", 0, ""),
    (["5-Dec-26", "6-Dec-26", "30-Feb-26"], {}, "2026-12-05", "2026-12-06", 1, "two digits"),
    ([f"{d:02d}/10/26" for d in range(1, 29)], {}, "2026-10-01", "2026-10-28", 0, "day first, short year"),
    ([f"26-10-{d:02d}" for d in range(1, 29)], {}, "2026-10-01", "2026-10-28", 0, "short year first"),
    (
        [*(f"{d:02d}/10/26" for d in range(1, 29)), "31/02/26"],
        {},
        "2026-10-01",
        "2026-10-28",
        1,
        "day first, short year",
    ),
    (["18/10/26"], {"day_first": True}, "2026-10-18", "2026-10-18", 0, "1969 to 2068"),
    (["01/02/69", "31/12/68"], {"day_first": True}, "1969-02-01", "2068-12-31", 0, ""),
    (["45931", "45932.75"], {}, "2025-10-01", "2025-10-02", 0, "days of a spreadsheet"),
    (["2026-03-31T23:30:00Z", "2026-03-31 22:00+02:00"], {}, "2026-03-31", "2026-03-31", 0, ""),
    (
        ["2026-03-31T23:30:00Z", "2026-03-31 22:00:00+0200", "2026-03-31 23:59"],
        {"tz": "Europe/London"},
        "2026-03-31",
        "2026-04-01",
        0,
        "",
    ),
    (["10/18/2026 9:05 PM", "02/30/2026"], {}, "2026-10-18", "2026-10-18", 1, "month first"),
    (["1850-01-01", "2150-01-01"], {}, "1850-01-01", "2150-01-01", 0, ""),
    (["2026-05", "2026-06"], {"records_of": "month"}, "2026-05-01", "2026-06-30", 0, ""),
    (["Q2 2026", "2026-Q3", "Q9 2026"], {"records_of": "quarter"}, "2026-04-01", "2026-09-30", 1, ""),
    (["2026-W18", "2026-05-04"], {"records_of": "week", "date_format": None}, "2026-05-04", "2026-05-10", 1, ""),
]


@pytest.mark.parametrize(("texts", "options", "first", "last", "refused", "said"), DATES)
def test_dates(tmp_path, texts, options, first, last, refused, said):
    book = read(tmp_path, "d;v\n" + "".join(f"{text};1\n" for text in texts), **options)
    if texts[0].startswith("1850"):
        assert "before 1900 or after 2100: 1850-01-01, 2150-01-01" in book.intake.warnings[0]
        assert str(book.until("2150-01-01").first_day) == first
        return
    assert (str(book.first_day), str(book.last_day)) == (first, last)
    assert outcome(book)[1:] == (len(texts) - refused, refused)
    assert re.search(said, " / ".join(book.intake.guesses))


@pytest.mark.parametrize(
    ("texts", "options", "said"),
    [
        (["17/10/26"], {}, r"17/10/26 \(.*line 2\) may be day first, short year or short year first; .*day_first=True"),
        (
            ["17/10/26"] * 5 + ["18/10/26"] * 5 + ["31/02/26"],
            {},
            "short year first or day first, short year",
        ),
        (["202605", "202606"], {}, r"'202605', which may name a month or a week: say records_of='month'"),
        (["soon"], {}, r"no usable date: 'soon' \(.*line 2\).*date_format="),
        (["2026-03-31T23:30:00Z"], {"tz": "Europe/Londn"}, "Did you mean 'Europe/London'"),
    ],
)
def test_dates_that_must_be_asked_for(tmp_path, texts, options, said):
    with pytest.raises(lc.LogochronError, match=said):
        read(tmp_path, "d;v\n" + "".join(f"{text};1\n" for text in texts), **options)


#: Layouts: bytes, options, sum, counted, refused, what is said by guess or warning.
LAYOUTS = [
    ("Sales report\nCreated 2026-11-23, all harbors\n\n" + H + GOOD, {}, 3.5, 2, 0, "header taken from line 4"),
    ('"Sales\nreport"\n' + H + GOOD, {}, 3.5, 2, 0, "header taken from line 3"),
    ("x,y,z\n" + H + GOOD, {"header_row": 2}, 3.5, 2, 0, ""),
    (GOOD, {"header_row": 0, "date": "column_1", "values": "column_3"}, 3.5, 2, 0, ""),
    ("D, H ,V\n" + GOOD, {}, 3.5, 2, 0, "column 'V' taken for 'v'"),
    ("d,h,v,x,x,\n" + GOOD.replace("\n", ",1,2,\n"), {}, 3.5, 2, 0, ""),
    (H + GOOD + "Total,,3.5\n", {}, 3.5, 2, 0, "left out as totals of other rows: 1 row, 'Total' in column 'd'"),
    (H + GOOD + "2026-01-02,Grand Total,2\n", {"by": "h"}, 3.5, 2, 0, "totals of other rows: 1 row, 'Grand Total'"),
    (H + GOOD + "2026-01-03,Total,2\n", {"by": "h"}, 5.5, 3, 0, "item 'Total'.*count twice"),
    (H + GOOD + H + GOOD, {}, 7, 4, 1, ""),
    ((H + GOOD).replace("b,2", "b,2\0"), {}, 1.5, 1, 1, "1 NUL bytes"),
    ((H + GOOD).replace("\n", "\r"), {}, 3.5, 2, 0, ""),
    ((H + GOOD).encode("utf-16"), {}, 3.5, 2, 0, ""),
    ((H + GOOD).encode("utf-16-le"), {}, 3.5, 2, 0, ""),
    ((H + GOOD).encode("utf-16-be"), {}, 3.5, 2, 0, ""),
    (H + GOOD + '2026-01-03,5" pipe,4\n', {}, 7.5, 3, 0, ""),
    (H + GOOD + "2026-01-03," + "z" * 3_000_000 + ",4\n" + GOOD, {}, 11, 5, 0, "line 4 has 3,000,013 bytes"),
    (H + GOOD + '2026-01-03,"' + "z\n" * 300_000 + '",4\n' + GOOD, {}, 11, 5, 0, ""),
    (H + GOOD + "z," * 2_000_000 + "\n" + GOOD, {}, 7, 4, 1, "read without its middle"),
]


@pytest.mark.parametrize(("data", "options", "total", "counted", "refused", "said"), LAYOUTS)
def test_layouts(tmp_path, data, options, total, counted, refused, said):
    book = read(tmp_path, data, **options)
    assert outcome(book) == (total, counted, refused)
    assert re.search(said, " / ".join((*book.intake.guesses, *book.intake.warnings)))


@pytest.mark.parametrize(
    ("data", "name", "options", "said"),
    [
        (GOOD, "f.csv", {}, "no column 'd'.*looks like a record.*header_row=0"),
        (H + GOOD, "f.csv", {"header_row": 9}, "no record of .* starts on line 9"),
        (H, "f.csv", {"header_row": (1, 2)}, "no record of .* starts on line 2"),
        (H + "\n" + GOOD, "f.csv", {"header_row": (1, 2)}, "no record of .* starts on line 2"),
        (b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 20, "f.csv", {}, "is no text: .* a picture"),
        (bytes(range(256)) * 20, "f.csv", {}, "is no text"),
        (b"PK\x03\x04 and so on", "f.csv", {}, "a packed file or a workbook"),
        (gzip.compress(b"0" * 300_000_000, 1), "f.csv.gz", {}, "unpacks to over 200 times .* hardly a table"),
        ("z," * 200_000, "f.csv", {}, "first line has more than 262,144 bytes"),
        ("d,v,V\n2026-01-01,1,2\n", "f.csv", {"values": " v "}, "more than once: 'v' .* and 'V'"),
        (H + GOOD, "f.csv", {"decimal": ";"}, "`decimal` must be"),
        (H + GOOD, "f.csv", {"thousands": "_"}, "`thousands` must be"),
        (H + GOOD, "f.csv", {"decimal": ",", "thousands": ","}, "must differ"),
        (
            H + GOOD + '2026-01-03,"' + f"2026-01-01,{'a' * 1000},1.5\n" * 16_400,
            "f.csv",
            {},
            "look for a stray quote in line 4: .* runs on for 16,400 lines",
        ),
    ],
)
def test_refused_layouts(tmp_path, data, name, options, said):
    with pytest.raises(lc.LogochronError, match=f"(?s){said}"):
        read(tmp_path, data, name, **options)
