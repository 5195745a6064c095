"""Plans side by side: several by their names, constants, from one to the other."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import logochron as lc

MONTHS = [f"2026-{month:02d}" for month in range(1, 13)]
BUDGET = pd.DataFrame(
    [(m, h, 1000 + 100 * i, 20 + i) for i, h in enumerate("AB") for m in MONTHS],
    columns=["month", "harbor", "revenue", "units"],
)
ESTIMATE = BUDGET.assign(revenue=BUDGET.revenue * 1.1, units=BUDGET.units + 1)
SALES = pd.DataFrame({"day": pd.date_range("2026-01-01", "2026-06-15"), "harbor": "A", "revenue": 50, "units": 1})


def planned(frame: pd.DataFrame) -> lc.Daybook:
    both = ["revenue", "units"]
    return lc.read_plan(frame, date="month", value=both, measure=both, by="harbor")


@pytest.fixture(scope="module")
def book() -> lc.Daybook:
    return lc.read(SALES, date="day", values=["revenue", "units"], by="harbor")


def test_each_plan_stands_beside_the_records(book: lc.Daybook) -> None:
    plans = {"budget": planned(BUDGET), "estimate": planned(ESTIMATE), "floor": lc.Constant(1500)}
    months = {name: lc.compare(book, "month", f"plan:{name}", plan=plans, measures="revenue").total for name in plans}
    assert months["budget"].base.tolist() == [2100.0] * 5 + [1050.0]
    assert months["estimate"].base.tolist() == pytest.approx([2310.0] * 5 + [1155.0])
    assert months["floor"].base.tolist() == [1500.0] * 5 + [750.0]
    now = lc.overview(book, plan=plans, measures="revenue", windows=("month", "year")).total.set_index("basis")
    for name, of in months.items():
        rows = now.loc[f"plan:{name}"].set_index("window")
        assert rows.base["month"] == of.base.iloc[-1] and rows.growth["month"] == of.growth.iloc[-1]
    landing = lc.land(book, "month", plan=plans, measures="revenue")
    assert landing.planned(landing.measures[0]) == {
        "budget": 2100.0,
        "estimate": pytest.approx(2310.0),
        "floor": 1500.0,
    }
    assert landing.total.plan.tolist() == [2100.0]
    said = " ".join(lc.words.sentences(landing))
    assert "To reach the plan budget (2.1K)" in said and "To reach the plan floor (1.5K)" in said
    for name, base in (("budget", 2100.0), ("floor", 1500.0)):
        against = lc.land(book, "month", against=f"plan:{name}", plan=plans, measures="revenue").total
        assert against.base.tolist() == [base] and against.needed_per_day.tolist() == [(base - 750) / 15]


def test_from_one_plan_to_the_other_by_volume_mix_and_price() -> None:
    moved = lc.drivers(planned(ESTIMATE), "year", by="harbor", against="plan:budget", quantity="units",
                       plan={"budget": planned(BUDGET)})  # fmt: skip
    table = moved.table.set_index("harbor")
    assert table.change.to_dict() == pytest.approx({"A": 1200.0, "B": 1320.0})
    assert (table.volume + table.mix + table.price).to_dict() == pytest.approx(table.change.to_dict())
    assert table.price["A"] == pytest.approx((13200 / 252 - 12000 / 240) * 252)
    assert "above budget" in lc.words.headline(moved)


@pytest.mark.parametrize(
    ("each", "amount", "expected"),
    [("month", "1000.50", [1000.5] * 5 + [500.2]), ("year", 36_500, [3100.0, 2800.0, 3100.0, 3000.0, 3100.0, 1500.0])],
)
def test_a_number_is_so_much_each_period(book: lc.Daybook, each: Any, amount: Any, expected: list[float]) -> None:
    months = lc.compare(book, "month", "plan", plan=lc.Constant(amount, each=each), measures="revenue").total
    assert months.base.tolist() == expected
    of_units = lc.compare(book, "month", "plan", plan=lc.Constant(amount, each=each), measures="units").total
    assert of_units.base.tolist() == expected  # of what is asked
    split = lc.compare(book, "month", "plan", plan=lc.Constant(amount, each=each), by="harbor", measures="revenue")
    assert split.table.base.isna().all() and "the plan has no harbor" in split.table.note[0]


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda book: lc.compare(book, "month", "plan", plan=1000), "or a `Constant`"),
        (lambda book: lc.Constant("much"), "a number such as 100_000; got 'much'"),
        (lambda book: lc.Constant(1, each="fortnight"), "`each` must be one of"),  # type: ignore[arg-type]
        (lambda book: lc.compare(book, "month", "plan", plan={"a": lc.Constant(1), "b": lc.Constant(2)}), "plan:a"),
        (lambda book: lc.compare(book, "month", "plan:c", plan={"a": lc.Constant(1)}), "no plan 'c'"),
        (lambda book: lc.Constant(10**17, each="day").book(book, book.measures, lc.CivilCalendar()), "too large"),
    ],
)
def test_what_is_no_plan_is_refused(book: lc.Daybook, call: Any, said: str) -> None:
    with pytest.raises(lc.LogochronError, match=said):
        call(book)


def test_several_plans_of_the_command_line_and_of_a_report_file(cli: Any, tmp_path: Path) -> None:
    SALES.to_csv(tmp_path / "s.csv", index=False)
    BUDGET.to_csv(tmp_path / "b.csv", index=False)
    plans = ["--plan", "budget=b.csv", "--plan", "floor=1500"]
    now = cli("overview", "s.csv", "--value", "revenue", *plans, cwd=tmp_path)
    assert now.returncode == 0 and "Budget %" in now.stdout and "Floor %" in now.stdout
    months = cli("compare", "s.csv", "--value", "revenue", *plans, "--against", "plan:floor", cwd=tmp_path)
    assert "against floor" in months.stdout
    bridge = cli("drivers", "b.csv", "--value", "revenue", "--plan", "1000", "--against", "plan", "--by", "harbor",
                 "--at", "2026-03", cwd=tmp_path)  # fmt: skip
    assert bridge.returncode == 0, bridge.stderr
    file = (
        '[sales]\nfile = "s.csv"\ndate = "day"\nvalues = ["revenue"]\n'
        '[[plan]]\nname = "budget"\nfile = "b.csv"\n[[plan]]\nname = "floor"\nnumber = 1500\n'
        '[[section]]\nheading = "Now"\nquestion = "overview"\n'
        '[[section]]\nheading = "Months"\nquestion = "compare"\nagainst = "plan:{0}"\n'
    )
    (tmp_path / "r.toml").write_text(file.format("floor"))
    answers = lc.Report.load(tmp_path / "r.toml").run()
    assert answers["Months"].total.base.tolist() == [1500.0] * 5 + [750.0]
    assert list(answers["Now"].total.basis.unique()) == ["year-ago", "plan:budget", "plan:floor"]
    (tmp_path / "r.toml").write_text(file.format("flor"))
    with pytest.raises(lc.ReportError, match=r"no plan 'flor'.*Did you mean 'floor'"):
        lc.Report.load(tmp_path / "r.toml")
    (tmp_path / "r.toml").write_text(file.format("floor").replace('name = "budget"\n', ""))
    with pytest.raises(lc.ReportError, match="each of several plans has a `name`"):
        lc.Report.load(tmp_path / "r.toml")
