"""Measures: worked out after summing, of part of the rows, ids counted once; held against SQL on the same file."""

from __future__ import annotations

import math

import duckdb
import numpy as np
import pandas as pd
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

import logochron as lc
from logochron.core.book.held_ids import HeldIds

M = lc.Measure
HEADER = "day,harbor,line,order,account,amount,units"
STATEMENT = [
    M("sales", column="amount", where={"account": "sales"}),
    M("costs", column="amount", where={"account": ["wages", "rent"]}, better="lower"),
    M("margin", of="sales", less="costs"),
    M("units"),
    M("price", of="sales", per="units"),
    M("margin rate", of="margin", per="sales"),
    M("records", count=True),
    M("hires", count=True, where={"line": lc.Not("gear")}),
    M("orders", distinct="order"),
    M("basket", of="sales", per="orders"),
]
#: The same in SQL; what is divided by what is not above 0 is unknown.
SQL = {
    "sales": "coalesce(sum(CASE WHEN account = 'sales' THEN amount ELSE 0 END), 0)",
    "costs": "coalesce(sum(CASE WHEN account IN ('wages', 'rent') THEN amount ELSE 0 END), 0)",
    "units": "coalesce(sum(units), 0)",
    "records": "count(*)",
    "hires": "count(*) FILTER (line <> 'gear')",
    "orders": 'count(DISTINCT "order")',
}
SQL["margin"] = f"{SQL['sales']} - {SQL['costs']}"
for name, of, per in (
    ("price", "sales", "units"),
    ("margin rate", "margin", "sales"),
    ("basket", "sales", "orders"),
):
    SQL[name] = f"CASE WHEN {SQL[per]} > 0 THEN ({SQL[of]})::DOUBLE / ({SQL[per]}) END"

rows = st.lists(
    st.tuples(
        st.sampled_from(["2025-04-02", "2025-05-02", "2025-05-30", "2026-05-01", "2026-05-31"]),
        st.sampled_from(["A", "B"]),
        st.sampled_from(["hire", "gear"]),
        st.integers(1, 3),
        st.sampled_from(["sales", "wages", "rent"]),
        st.integers(-900, 9000).map(lambda cents: f"{cents / 100:.2f}"),
        st.integers(-1, 4),
    ),
    min_size=1,
    max_size=25,
)
# every item and account occurs, and the records cover both years
EDGES = [
    ("2024-05-01", "A", "hire", 9, "sales", "1.00", 1),
    ("2024-05-02", "A", "gear", 9, "rent", "1.00", 1),
    ("2026-12-31", "A", "gear", 9, "wages", "1.00", 1),
    ("2026-05-09", "B", "hire", 9, "sales", "1.00", 1),
]


@pytest.mark.slow
@settings(max_examples=15, phases=[Phase.explicit, Phase.generate])  # each reads a file: shrinking takes too long
@given(rows)
def test_measures_are_those_of_sql(tmp_path_factory, drawn):
    path = tmp_path_factory.mktemp("m") / "s.csv"
    # an id lies on one day: the day is part of it
    lines = [(d, h, ln, f"{d}/{o}", a, v, u) for d, h, ln, o, a, v, u in [*EDGES, *drawn]]
    path.write_text("\n".join([HEADER, *(",".join(map(str, row)) for row in lines)]) + "\n")
    covering = ("2024-05-01", "2026-12-31")
    book = lc.read(path, date="day", measures=STATEMENT, by=["harbor", "line"], covering=covering)
    assert book.exact == {m.name: m.kind != "quotient" for m in STATEMENT}
    con = duckdb.connect()
    con.execute(f"CREATE TABLE s AS FROM read_csv('{path}', types={{'amount': 'DECIMAL(18,2)'}})")
    for by in ((), ("harbor",), ("line",), ("harbor", "line")):
        table = lc.compare(book, "month", by=by, at="2026-05").table
        keys = "".join(f", {name}" for name in by)
        for year, side in ((2026, "value"), (2025, "base")):
            found = con.execute(
                f"SELECT {', '.join(SQL[m.name] for m in STATEMENT)}{keys} FROM s "
                f"WHERE day BETWEEN '{year}-05-01' AND '{year}-05-31' GROUP BY ALL"
            ).fetchall()
            told = {row[len(STATEMENT) :]: row[: len(STATEMENT)] for row in found}
            zero = tuple(None if m.kind == "quotient" else 0 for m in STATEMENT)
            for place, m in enumerate(STATEMENT):
                for row in table[table.measure == m.name].to_dict("records"):
                    expected = told.get(tuple(row[name] for name in by), zero)[place]
                    if expected is None:
                        assert math.isnan(row[side]) and f"no {m.per}" in row["note"], (m.name, row)
                    else:
                        assert row[side] == pytest.approx(float(expected), rel=1e-12, abs=1e-12), (m.name, side, row)
    # one item chosen afterwards is the same as its row; differences are whole numbers, in totals as in rows
    alone = lc.compare(book.where({"harbor": "B"}), "month", at="2026-05").table
    among = lc.compare(book, "month", by="harbor", at="2026-05").table.query("harbor == 'B'")
    for column in ("value", "base", "change", "growth", "direction"):
        assert np.array_equal(alone[column].to_numpy(), among[column].to_numpy(), equal_nan=column[0] in "vbcg"), column
    both = lc.compare(book, "month", by="harbor", at="2026-05").table.set_index(["harbor", "measure"]).value.unstack()
    assert (both["margin"] - (both["sales"] - both["costs"])).abs().max() < 1e-9


def written(tmp_path, *lines, header=HEADER):
    path = tmp_path / "s.csv"
    path.write_text("\n".join([header, *lines]) + "\n")
    return path


def test_only_rows_a_measure_takes_must_be_readable(tmp_path):
    path = written(tmp_path, "2026-05-01,A,x,1,sales,10,1", "2026-05-02,A,x,2,note,n/a,1", "2026-05-03,A,x,3,wages,,1",
                   "2026-05-04,A,x,4,sales,2.5,1", "2026-05-05,A,x,5,sales,oops,1")  # fmt: skip
    sales = M("sales", column="amount", where={"account": "sales"})
    book = lc.read(path, date="day", measures=[sales], on_refused="skip")
    assert (book.intake.counted, book.intake.refused) == (4, 1)
    assert book.intake.refusals[["line", "column", "text"]].values.tolist() == [[6, "amount", "oops"]]
    assert lc.compare(book, "month").table.value.tolist() == [12.5]
    with pytest.raises(lc.IntakeError, match="2 of 5 rows are refused"):
        lc.read(path, date="day", measures=[sales, M("wages", column="amount", where={"account": "wages"})])
    zero = [sales, M("wages", column="amount", where={"account": "wages"})]
    book = lc.read(path, date="day", measures=zero, on_refused="skip", empty="zero")
    assert book.intake.refused == 1 and book.intake.guesses == ("column 'amount': 1 empty amount taken as 0",)
    # a column is read one way by all measures that take it; rows that none takes do not decide which
    path = written(
        tmp_path, "2026-05-01,A,x,1,sales,1.234,1", '2026-05-02,A,x,1,wages,"1,5",1', "2026-05-03,A,x,1,b,2.5,1"
    )
    wages = M("wages", column="amount", where={"account": "wages"})
    book = lc.read(path, date="day", measures=[sales, wages], by="harbor")
    assert lc.compare(book, "month").table.value.tolist() == [1234, 1.5]
    with pytest.raises(lc.IntakeError, match="two ways"):
        lc.read(path, date="day", measures=[sales, wages, M("b", column="amount", where={"account": "b"})])
    path = written(tmp_path, '2026-05-01,A,x,1,sales,"1,5",1', "2026-05-02,A,x,1,rate,7 %,1")
    assert lc.compare(lc.read(path, date="day", measures=[sales]), "month").table.value[0] == 1.5


@pytest.mark.parametrize("kind", ["parquet", "frame", "json"])
def test_kinds_of_sources(tmp_path, kind):
    lines = ["2026-05-01,A,x,1,sales,10.25,1", "2026-05-01,B,x,1,sales,5,1", "2026-05-02,A,x,2,rent,2,1"]
    csv = written(tmp_path, *lines)
    frame = duckdb.execute(f"SELECT * FROM read_csv('{csv}')").df()
    source = frame
    if kind != "frame":
        source = tmp_path / f"s.{kind}"
        duckdb.execute(f"COPY (FROM '{csv}') TO '{source}'")
    book = lc.read(source, date="day", measures=STATEMENT[:3] + [M("orders", distinct="order")], by={"port": "harbor"})
    assert lc.compare(book, "month").table.value.tolist() == [15.25, 2, 13.25, 2]
    assert lc.compare(book, "month", by="port", measures="orders").table.value.tolist() == [2, 1]
    filtered = lc.read(
        source, date="day", measures=[M("a", column="amount", where={"port": "A"})], by={"port": "harbor"}
    )
    assert lc.compare(filtered, "month").table.value.tolist() == [12.25]


def test_ids(tmp_path):
    path = written(tmp_path, "2026-05-01,A,x,o1,s,1,1", "2026-05-01,B,x,o1,s,1,1", "2026-05-02,B,y,,s,1,1")
    orders = M("orders", distinct="order")
    book = lc.read(path, date="day", measures=[orders], by=["harbor", "line"])
    assert "column 'order': 1 record has no id and cannot be counted by it" in book.intake.warnings
    by_harbor = lc.compare(book, "month", by="harbor")
    assert (by_harbor.table.value.tolist(), by_harbor.total.value.tolist()) == ([1, 1], [1])
    assert lc.compare(book, "month", by=["harbor", "line"]).subtotals.value.tolist() == [1, 1]
    assert lc.compare(book, "month", by="harbor", top=1).table.harbor.tolist() == ["A"]
    with pytest.raises(lc.QuestionError, match="do not add up"):
        lc.compare(book, "month", by="harbor", items="comparable")
    both = book.where({"harbor": ["A", "B"], "line": "x"})
    assert lc.compare(both, "month").table.value.tolist() == [1]
    with pytest.raises(lc.QuestionError, match="lie in several items"):
        lc.drivers(book, "month", by="harbor", against="fixed:2026-05")
    # the same id in two files, or on two days, is one in each span that holds it
    other = tmp_path / "t.csv"
    other.write_text(HEADER + "\n2026-05-01,A,z,o1,s,1,1\n2026-05-03,A,z, o9,s,1,1\n2026-05-04,A,z,o1 ,s,1,1\n")
    book = lc.read([path, other], date="day", measures=[orders], by="harbor")
    assert lc.compare(book, "month").table.value.tolist() == [2] and book.exact == {"orders": True}
    assert lc.compare(book, "day", by="harbor").total.value.tolist() == [1, 0, 1, 1]
    assert lc.compare(book, "day", running="month").table.value.tolist() == [1, 1, 2, 2]
    spread = lc.read(
        [path],
        date="day",
        measures=[orders, M("n", count=True, where={"line": "x"})],
        records_of="month",
        spread="even",
    )
    assert lc.compare(spread, "month").table.value.tolist() == [1, 2]


@given(data=st.data())
def test_ids_that_return_count_once_a_span_and_item(data):
    rows = data.draw(st.lists(st.tuples(*(st.integers(0, n) for n in (30, 2, 5))), min_size=1))
    spans = data.draw(
        st.lists(st.lists(st.tuples(st.integers(0, 30), st.integers(-1, 9)), min_size=2, max_size=2), min_size=1)
    )
    days, items, ids = np.array(rows).T
    starts = np.array(spans)[:, :, 0].T
    ends = starts + np.array(spans)[:, :, 1].T
    found = HeldIds.of(days, items, ids).counts(starts, ends, 3)
    for span, counts in enumerate(found):
        held = {(i, one) for day, i, one in rows for s, e in zip(starts[:, span], ends[:, span]) if s <= day <= e}
        assert counts.tolist() == [sum(i == item for i, _ in held) for item in range(3)]


def test_customers_of_any_span_are_those_of_its_records():
    rng = np.random.default_rng(5)
    day = np.datetime64("2024-01-01") + rng.integers(0, 800, 3000).astype("timedelta64[D]")
    who = np.where(rng.random(3000) < 0.3, np.arange(3000) + 1000, rng.integers(0, 60, 3000)).astype(str)
    frame = pd.DataFrame({"day": day.astype("datetime64[s]"), "harbor": rng.choice(list("ABC"), 3000), "who": who})
    book = lc.read(frame, date="day", measures=[M("customers", distinct="who")], by="harbor")
    for asked in ({"each": "week"}, {"each": "month", "running": "year"}, {"each": "quarter", "against": "year-ago"}):
        answer = lc.compare(book, by="harbor", **asked)
        for table in (answer.table, answer.total):
            for row in table.itertuples():
                inside = frame[
                    frame.day.between(row.start, row.end)
                    & (frame.harbor.eq(getattr(row, "harbor", "")) | (table is answer.total))
                ]
                assert row.value == inside.who.nunique()


def test_means_and_days_of_quotients(tmp_path):
    lines = [f"2026-0{month}-0{day},A,x,{month}{day},s,{month * day},{day}" for month in range(1, 5) for day in (1, 2)]
    book = lc.read(written(tmp_path, *lines), date="day", measures=[M("amount"), M("price", of="amount", per="units")],
                   covering=("2026-01-01", "2026-04-30"))  # fmt: skip
    row = lc.compare(book, "month", "mean:3", at="2026-04", measures="price").table.iloc[0]
    # the quotient of the summed parts, not the mean of quotients
    assert (row.value, row.base, row.growth) == (4, 2, 1)
    assert lc.compare(book, "month", "mean:3", at="2026-04", measures="amount").table.base[0] == pytest.approx(6)
    per = lc.compare(book, "month", "prior", at="2026-04", per="day").table.set_index("measure")
    assert per.loc["amount"].value == pytest.approx(12 / 30) and per.loc["price"].value == 4
    assert per.loc["price"].growth == pytest.approx(1 / 3)


BAD = [
    (lambda: M(""), "needs a name"),
    (lambda: M("a", of="b"), "goes with one of `less` and `per`"),
    (lambda: M("a", of="b", less="c", per="d"), "goes with one of"),
    (lambda: M("a", less="b"), "need `of`"),
    (lambda: M("a", column="b", count=True), "only one of"),
    (lambda: M("a", count=1.5), "must be True"),
    (lambda: M("a", of=3, per="b"), "`of` must be a name"),
]


@pytest.mark.parametrize(("made", "said"), BAD)
def test_measures_that_cannot_be(made, said):
    with pytest.raises(lc.QuestionError, match=said):
        made()


@pytest.mark.parametrize(
    ("measures", "said"),
    [
        ([M("a", of="b", less="units"), M("b", of="a", per="units")], "in a cycle: a -> b -> a"),
        ([M("amount", of="amount", less="units")], "in a cycle: amount -> amount"),
        ([M("a", of="amout", less="units")], "no column 'amout'. Did you mean 'amount'"),
        ([M("a", column="amount", where={"acount": "s"})], "no column 'acount'. Did you mean 'account'"),
        ([M("a", column="amount", where={"account": "sale"})], "no item 'sale'. Did you mean 'sales'"),
        ([M("n", distinct="ordr")], "no column 'ordr'. Did you mean 'order'"),
        ([M("a", column="amount"), M("a", column="units")], "name 'a' twice"),
    ],
)
def test_measures_that_cannot_be_read(tmp_path, measures, said):
    path = written(tmp_path, "2026-05-01,A,x,1,sales,10,1")
    with pytest.raises(lc.LogochronError, match=said):
        lc.read(path, date="day", measures=measures)


def test_large_differences_stay_right(tmp_path):
    big = 2**61 // 100
    path = written(tmp_path, f"{big}.25,-{big}.50,2026-05-01", header="a,b,day")
    book = lc.read(path, date="day", measures=[M("a"), M("b"), M("d", of="a", less="b"), M("e", of="d", less="b")])
    assert book.exact["d"]
    value = lc.compare(book, "month").table.value
    assert value[2] == pytest.approx(2 * big) and value[3] == pytest.approx(3 * big)


def test_a_plan_of_a_measure(tmp_path):
    lines = ["2026-05-01,A,x,1,sales,10,2", "2026-05-31,A,x,2,rent,4,1"]
    book = lc.read(written(tmp_path, *lines), date="day", measures=STATEMENT[:4], by="harbor")
    plan = tmp_path / "p.csv"
    plan.write_text("month,margin,units\n2026-05,5,4\n")
    measures = [M("margin"), M("sales", column="margin"), M("price", of="margin", per="units")]
    planned = lc.read(plan, date="month", measures=measures, records_of="month", spread="even")
    told = lc.compare(book, "month", "plan", plan=planned).table.set_index("measure")
    assert told.loc["margin"].growth == pytest.approx((6 - 5) / 5) and told.loc["sales"].base == 5
    assert told.loc["costs"].note == "no base: the plan is of margin, sales, price"
