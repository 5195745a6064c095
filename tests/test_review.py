"""What the records hold: each oddity told, a clean file without any; columns found where only one can be meant."""

from __future__ import annotations

import datetime as dt
import json

import numpy as np
import pandas as pd
import pytest

import logochron as lc

FIRST, LAST = dt.date(2025, 1, 1), dt.date(2026, 6, 30)
HEADER = "day,harbor,amount"


def clean() -> list[str]:
    """Eighteen whole months, five records a day for each of two harbors, nothing odd."""
    rng = np.random.default_rng(11)
    days = [FIRST + dt.timedelta(n) for n in range((LAST - FIRST).days + 1)]
    cents = iter(rng.permutation(np.arange(2001, 2001 + 20 * len(days))))
    return [f"{day},{harbor},{next(cents) / 100:.2f}" for day in days for harbor in ("Alderquay", "Cold Pier") * 5]


def without(rows: list[str], *days: dt.date) -> list[str]:
    return [row for row in rows if dt.date.fromisoformat(row[:10]) not in days]


def days_from(first: dt.date, n: int) -> list[dt.date]:
    return [first + dt.timedelta(k) for k in range(n)]


SUNDAYS = [d for d in days_from(FIRST, 546) if d.weekday() == 6]

#: What is done to the clean rows, and the findings it makes: finding, column, count.
ODD = [
    (lambda r: [*r, "2062-03-01,Alderquay,30.5"], [("far-off days", "day", 1)]),
    (lambda r: without(r, *days_from(dt.date(2025, 8, 4), 6)), [("days without records", "day", 6)]),
    (lambda r: without(r, *SUNDAYS), [("weekday without records", "day", 78)]),
    (lambda r: without(r, *days_from(FIRST, 9)), [("partial period", "day", 9)]),
    (lambda r: without(r, *days_from(dt.date(2026, 6, 27), 4)), [("partial period", "day", 4)]),
    (lambda r: r[:-8], [("last day unfinished", "day", 2)]),
    (lambda r: [*r[:3000], "2025-10-28,Alderquay,30500.5", *r[3001:]], [("sudden jump", "amount", 1)]),
    (
        lambda r: [x if x < "2026-01-15" else f"{x.rsplit(',', 1)[0]},{float(x.rsplit(',', 1)[1]) * 9:.2f}" for x in r],
        [("sudden jump", "amount", 167)],
    ),
    (lambda r: [x for x in r if "Cold" not in x or x > "2025-05-05"], [("item starts", "harbor", 1)]),
    (lambda r: [x for x in r if "Cold" not in x or x < "2026-05-05"], [("item stops", "harbor", 1)]),
    (
        lambda r: [x.replace("Cold Pier", "cold pier ") if i % 20 == 1 else x for i, x in enumerate(r)],
        [("names alike", "harbor", 2)],
    ),
    (lambda r: [*r, *r[40:43]], [("duplicate rows", "", 3)]),
    (
        lambda r: [x.replace("Cold Pier", "Total") if i % 20 == 3 else x for i, x in enumerate(r)],
        [("total that does not add up", "harbor", 273)],
    ),
    (lambda r: [*r, "2026-06-30,Alderquay,0", "2026-06-30,Alderquay,0.00"], [("zero amounts", "amount", 2)]),
    (lambda r: [*r, "2026-06-30,Alderquay,-20.5"], [("negative amounts", "amount", 1)]),
    (lambda r: [*r, "2026-06-30,Alderquay,20.1234"], [("decimals", "amount", 1)]),
    (
        lambda r: [*r, "2026-06-30,Alderquay,x", "2026-06-30,Alderquay"],
        [("refused rows", "amount", 1), ("refused rows", "", 1)],
    ),
]


def findings(review) -> list[tuple[str, str, int]]:
    return list(zip(review.table.finding, review.table.column, review.table["count"]))


def reviewed(tmp_path, rows, **options):
    path = tmp_path / "f.csv"
    path.write_text("\n".join([HEADER, *rows]) + "\n")
    return lc.review(path, **options)


def test_a_clean_file_has_no_findings(tmp_path):
    review = reviewed(tmp_path, clean())
    assert findings(review) == [] and review.table.columns.tolist() == [
        *("finding", "column", "first", "last", "count", "example", "effect")
    ]
    assert review.notes[:2] == (
        "5,460 rows: 5,460 counted, 0 refused, 0 left out, 0 blank",
        "records from 1 Jan 2025 to 30 Jun 2026, on 546 of 546 days",
    )


@pytest.mark.parametrize(
    ("make_odd", "expected"), ODD, ids=lambda value: value[0][0] if isinstance(value, list) else ""
)
def test_each_oddity_alone(tmp_path, make_odd, expected):
    assert sorted(findings(reviewed(tmp_path, make_odd(clean())))) == sorted(expected)


def test_all_oddities_at_once(tmp_path):
    # the far-off day, the end and the level hide others: all but these
    left_out = {0, 4, 5, 7}
    rows, expected = clean(), []
    for place, (make_odd, found) in enumerate(ODD):
        if place not in left_out:
            rows = make_odd(rows)
            expected += [name for name, _, _ in found]
    review = reviewed(tmp_path, rows)
    assert {name for name, _, _ in findings(review)} == set(expected)
    assert review.table.effect.str.len().min() > 20 and review.table.example.str.len().min() > 0


def test_examples_and_forms(tmp_path, cli):
    rows = without([*clean(), "2026-06-30,Alderquay,-20.5"], *days_from(FIRST, 9))
    table = reviewed(tmp_path, rows).table
    assert table.iloc[0].tolist()[1:6] == ["day", pd.Timestamp("2025-01-01"), pd.Timestamp("2025-01-09"), 9, "2025-01"]
    assert "--covering 2025-01-01.." in table.effect[0] and table.example[1] == "line 5372: -20.5".replace(
        "5372", "5,372"
    )
    ran = cli("review", tmp_path / "f.csv")
    assert ran.returncode == 0 and ran.stderr == "" and "2 findings" in ran.stdout and "line 5,372: -20.5" in ran.stdout
    assert len(json.loads(cli("review", tmp_path / "f.csv", "--as", "json").stdout)) == 2
    assert cli("review", tmp_path / "f.csv", "--out", tmp_path / "x.png").returncode == 2
    assert cli("review", tmp_path / "f.csv", "--out", tmp_path / "x.md").returncode == 0
    assert (tmp_path / "x.md").read_text().startswith("**Review of ")
    assert "negative amounts" in lc.review(tmp_path / "f.csv")._repr_html_()


def test_a_daybook_and_a_frame(demo_book):
    found = lc.review(demo_book).table
    assert found[found.finding == "item starts"].example.tolist() == ["Dunmarrow on 2024-04-06"]
    with pytest.raises(lc.QuestionError, match="no reading options"):
        lc.review(demo_book, date="x")
    with pytest.raises(lc.QuestionError, match="no option 'dat_format'. Did you mean 'date_format'"):
        lc.review("x.csv", dat_format="x")
    frame = pd.DataFrame({"day": pd.date_range(FIRST, LAST), "n": "a", "v": 1.5})
    assert lc.review(frame).table.empty
    assert findings(lc.review(pd.concat([frame, frame.iloc[3:4]]))) == [("duplicate rows", "", 1)]


#: Header and rows, the columns that are taken; or what is asked.
FOUND = [
    ("d,h,v", ["2026-01-01,a,1.5", "2026-01-02,b,2"], ("d", "v")),
    ("id,when,place,qty,price", ["17,13/04/2026,a,3,1.5", "18,14/04/2026,a,3,2"], ("when", "qty")),
    ("code,d,v", ["007,2026-01-01,5", "012,2026-01-02,5"], ("d", "v")),
    ("year,d,v", ["2025,2026-01-01,5", "2026,2026-01-02,5"], ("d", "v")),
    ("d,v,p", ["2026-01-01,5,3%", "2026-01-02,5,4%"], ("d", "v")),
    ("date,v,n", ["45931,1.5,70001", "45932,2.5,70002"], ("date", "v")),
    ("d;v", ["01.05.2026;1.234,50", "31.05.2026;2,5"], ("d", "v")),
    ("d,v", ["May 2026,5", "Jun 2026,5"], ("d", "v")),
    ("Jahr;Monat;v", ["2025;1;5", "2025;2;5"], ("Jahr", "Monat", "v")),
    ("KW;Jahr;v", ["1;2025;5", "17;2025;5"], ("Jahr", "KW", "v")),
    (
        "d,qty,unit_price,line_amount,ts",
        ["2026-01-01,2,3,6,1767225600", "2026-01-02,2,5,10,1767225700"],
        "line_amount, qty",
    ),
    ("created_at,v", ["1767225600,5", "1767312000,6"], ("created_at", "v")),
    ("d,v", ["03/04/2026,5", "05/06/2026,5"], "day_first"),
    ("d,u,v", ["2026-01-01,5,6", "2026-01-02,5,6"], "amounts: u, v.*date='d', values='u'"),
    ("d,u,v,w", ["2026-01-01,5,6.5,7", "2026-01-02,5,6.5,7.5"], "amounts: v, w, u.*date='d', values='v'"),
    ("a,b,v", ["2026-01-01,2026-01-02,1.5", "2026-01-02,2026-01-02,1.5"], "dates: a, b.*date='a', values='v'"),
    ("x,y", ["a,b", "c,d"], "no column looks like dates; no column looks like amounts"),
    ("item,2026-01,2026-02,Q1 2026", ["a,1,2,3", "b,1,2,3"], ("a wide table", "amount")),
    ("day,n", ["2026-01-01,1", "2026-01-02,2"], ("day", "n")),  # the only numbers, whatever they look like
    ("day,Umsatz,Kosten", ["2026-01-01,5.5,4.5", "2026-01-02,5.5,4.1"], "amounts: Umsatz, Kosten"),
    ("day,Umsatz,MwSt-Satz", ["2026-01-01,5.5,0.19", "2026-01-02,5.5,0.07"], ("day", "Umsatz")),
    ("day,reservations,vat", ["2026-01-01,5.5,0.19", "2026-01-02,5.5,0.07"], ("day", "reservations")),
    ("day,order_id", ["2026-01-01,1", "2026-01-02,2"], "no column looks like amounts"),
    ("day,v", [*(f"2026-01-0{n},{n}.5" for n in range(1, 9)), "soon,1"], "1 of 9 rows are refused.*'soon'"),
    ("2026-01-01,a,1.5", ["2026-01-02,b,2.5"], "looks like a record"),
]


@pytest.mark.parametrize(("header", "rows", "expected"), FOUND)
def test_columns_are_found(tmp_path, cli, header, rows, expected):
    path = tmp_path / "my sales.csv"
    path.write_text("\n".join([header, *rows]) + "\n")
    if isinstance(expected, str):
        with pytest.raises(lc.LogochronError, match=f"(?s){expected}"):
            lc.read(path)
        return
    book = lc.read(path)
    assert [m.name for m in book.measures] == [expected[-1]]
    if expected[0] == "a wide table":
        assert "a wide table, one column a month" in book.intake.guesses[0]
        return
    dates = f"column{'s' * (len(expected) > 2)} {' and '.join(map(repr, expected[:-1]))}"
    amounts = f"amounts from column {expected[-1]!r} (values=, --value)"
    assert book.intake.guesses[0] == f"{path}: dates from {dates} (date=, --date), {amounts}"


def test_the_command_that_is_offered_works(tmp_path, cli):
    path = tmp_path / "my sales.csv"
    path.write_text("sold on,units,price\n2026-01-01,5,6.5\n2026-01-02,5,7\n2026-01-03,4,7\n")
    asked = cli("compare", path)
    assert asked.returncode == 0 and "amounts from column 'units'" in asked.stderr  # never a price of one
    path.write_text("sold on,units,pieces\n2026-01-01,5,6\n2026-01-02,5,7\n2026-01-03,4,7\n")
    asked = cli("compare", path)
    assert asked.returncode == 2 and asked.stdout == ""
    import shlex

    offered = shlex.split(asked.stderr.splitlines()[-1])
    assert offered[0] == "logochron" and cli(*offered[1:]).returncode == 0


def test_a_review_takes_the_coverage_that_is_stated():
    days = pd.date_range("2025-01-05", "2025-06-20")
    frame = pd.DataFrame({"day": days, "item": "a", "amount": 5})
    frame.loc[frame.day < "2025-02-20", "item"] = "b"
    read = {"date": "day", "values": "amount", "by": "item"}

    def told(reviewed):
        return {(f.finding, f.column): f for f in reviewed.findings}

    plain = told(lc.review(frame, **read))
    assert {kind for kind, _ in plain} == {"partial period", "item starts", "item stops"}
    stated = lc.review(frame, **read, covering=("2025-01-01", None), until="2025-06-30")
    assert {kind for kind, _ in told(stated)} == {"item starts", "item stops", "days without records"}
    assert "taken as complete from 1 Jan 2025 to 30 Jun 2025, as stated" in stated.notes
    book = lc.read(frame, **read)
    for one in (book.until("2025-03-10"), book.covering(last="2025-03-10")):
        found = told(lc.review(one))
        assert not any("--until" in f.effect or (f.last or 0) > 20_157 for f in found.values())  # 10 Mar 2025
        assert "item stops" not in {kind for kind, _ in found}  # b sold until 18 days before
    gap = told(lc.review(book.covering("2024-11-01")))["days without records", ""]
    assert (gap.first, gap.count) == (20_028, 65)  # 1 Nov 2024 to 4 Jan 2025
    far = pd.concat([frame, pd.DataFrame({"day": [pd.Timestamp("2031-06-20")], "item": "a", "amount": 5})])
    assert "far-off days" in {kind for kind, _ in told(lc.review(far, **read))}
    assert "far-off days" not in {kind for kind, _ in told(lc.review(far, **read, until="2025-06-20"))}
