"""Where a rule turns: just on this side of a limit, and just on the other."""

from __future__ import annotations

import re

import numpy as np
import pandas as pd
import pytest
from openpyxl import load_workbook
from test_figures import scene_of

import logochron as lc
from logochron.views.figures.choose import suited
from logochron.views.tables import workbook_formulas


def book(rows, **options):
    """A book of days, items and amounts."""
    frame = pd.DataFrame(rows, columns=["day", "item", "amount"])
    frame["day"] = pd.to_datetime(frame["day"])
    return lc.read(frame, date="day", values="amount", by="item", **options)


def months(n, amount=lambda item, month: 10.0 + item + month, items="a"):
    """A record of each item on the 1st and the 28th of so many months up to 2025-06."""
    firsts = pd.date_range(end="2025-06-01", periods=n, freq="MS")
    days = [(m, first + pd.Timedelta(days=d)) for m, first in enumerate(firsts) for d in (0, 27)]
    return [(day, item, amount(i, m)) for m, day in days for i, item in enumerate(items)]


#: The functions of a workbook's formulas that are worked out here; an empty cell is "".
FUNCTIONS = {
    "IF": lambda test, yes, no: yes if test else no,
    "OR": lambda *tests: any(tests),
    "AND": lambda *tests: all(tests),
    "N": lambda value: value if isinstance(value, float) else 0.0,
}


def worked_out(formula, stored):
    """What a formula comes to, by the figures that are stored beside those it names."""
    text = re.sub(r"\$?\b([A-Z]{1,2})\$?(\d+)\b", r"of('\1\2')", formula[1:]).replace("<>", "!=")
    of = {"of": lambda cell: "" if stored[cell].value is None else np.float64(stored[cell].value)}
    with np.errstate(all="ignore"):  # both sides of an IF are worked out here
        return eval(re.sub(r"(?<![<>!])=", "==", text), {**FUNCTIONS, **of})


def test_volume_mix_and_price_are_formulas(tmp_path):
    rows = [
        *[("2025-05-10", "a", 100.0, 4), ("2025-05-10", "b", 50.0, 5), ("2025-05-10", "odd", 5.0, 0)],
        *[("2025-06-10", "a", 90.0, 3), ("2025-06-10", "b", 80.0, 9), ("2025-06-10", "odd", 9.0, 3)],
    ]
    frame = pd.DataFrame(rows, columns=["day", "item", "amount", "units"]).assign(
        day=lambda f: pd.to_datetime(f["day"])
    )
    sold = lc.read(frame, date="day", values=["amount", "units"], by="item", covering=("2025-05-01", "2025-06-30"))
    answer = lc.drivers(sold, "month", against="prior", by="item", quantity="units", measures="amount")
    path = answer.write(tmp_path / "moved.xlsx")
    sheet, stored = (load_workbook(path, data_only=data).worksheets[0] for data in (False, True))
    head = next(row for row in sheet.iter_rows() if "Mix" in [cell.value for cell in row])
    columns = {cell.value: cell.column_letter for cell in head}
    table = answer.table.set_index("item")
    checked = 0
    for cell in (row[0] for row in sheet.iter_rows(min_row=head[0].row + 1) if row[0].value in table.index):
        for heading in ("Volume", "Mix", "Price"):
            formula = sheet[f"{columns[heading]}{cell.row}"].value
            assert formula.startswith("=IF(OR(")
            assert worked_out(formula, stored) == pytest.approx(table.loc[cell.value, heading.lower()], abs=1e-9)
            checked += 1
    assert checked == 9 and table.loc["odd", "mix"] == 4.0


def test_formulas_may_differ_by_rounding_alone():
    assert workbook_formulas._same(1e6, 1e6 + 5e-4) and not workbook_formulas._same(1e6, 1e6 + 5e-3)


def test_a_gap_is_never_hidden_by_rounding():
    beside = lc.relate(
        book(months(2, lambda i, m: 20_000.0 + 0.3 * i, "ab")), "month", by="item", beside="mean", last=1
    )
    assert "| +0.3 |" in beside._repr_markdown_() and "| 40,000.6 |" in beside._repr_markdown_()


@pytest.mark.parametrize(
    ("items", "periods", "name", "panels"),
    [
        (6, 13, "columns", "item"),
        (7, 13, "heat", None),
        (6, 14, "heat", None),
        (12, 18, "heat", None),
        (12, 19, "lines", "item"),
        (13, 19, "lines", None),
    ],
)
def test_panels_where_there_is_room(items, periods, name, panels):
    rows = months(periods, items="abcdefghijklm"[:items])
    chosen = suited(lc.compare(book(rows), "month", by="item"))
    assert (chosen.figure.name, chosen.options.get("panels")) == (name, panels)


def test_shares_of_bases_beyond_the_whole_are_noted():
    def amount(item, month):
        return (-4.0, 10.0)[item] if month == 0 else 5.0 + item

    table = lc.compare(book(months(2, amount, "ab")), "month", "prior", by="item", last=1).table
    assert table["share"].between(0, 1).all() and table["base_share"].tolist() == [-4 / 6, 10 / 6]
    assert table["note"].str.contains("negative items").all()


@pytest.mark.parametrize(("opened", "counted"), [("2025-05-01", True), ("2025-05-28", False)])
def test_comparable_from_the_first_recorded_day_of_the_base(opened, counted):
    rows = months(6) + [(day, "b", 5.0) for day, *_ in months(6) if day >= pd.Timestamp(opened)]
    total = lc.compare(book(rows), "month", "prior", by="item", items="comparable", last=1).total
    assert total["base"][0] == (28.0 + 10.0 * counted)


@pytest.mark.parametrize(("relative", "found"), [(5e-10, False), (2e-9, True)])
def test_floats_are_restated_beyond_their_slack(relative, found):
    plain = {"measure": ["m"], "period": ["2025-01"], "status": ["complete"], "base": [np.nan]}
    then, now = (pd.DataFrame({**plain, "value": [value]}) for value in (1 / 3, (1 + relative) / 3))
    assert bool(len(lc.restated(then, now).table)) == found


@pytest.mark.parametrize(("amount", "found"), [(50.0, False), (50.01, True)])
def test_a_jump_is_more_than_five_times_its_neighbors(amount, found):
    days = pd.date_range("2025-01-01", periods=90)
    rows = [(day, "a", amount if n == 45 else 10.0) for n, day in enumerate(days)]
    table = lc.review(book(rows)).table
    assert ("sudden jump" in set(table["finding"])) == found


@pytest.mark.parametrize(("past", "ranged"), [(2, False), (3, True)])
def test_a_range_from_three_past_periods_on(past, ranged):
    rows = [row for row in months(past + 1, lambda i, m: 10.0 + m * m) if row[0] < pd.Timestamp("2025-06-15")]
    row = lc.land(book(rows, covering=(None, "2025-06-15")), "month", profile="even", against="prior").total.iloc[0]
    assert np.isfinite(row["low"]) == ranged == np.isfinite(row["high"])
    assert row["note"].startswith("rough range" if ranged else "no range")


@pytest.mark.parametrize(("past", "profile"), [(3, "even"), (4, "year-ago")])
def test_a_profile_is_chosen_by_three_errors(past, profile):
    rows = [row for row in months(past + 1, lambda i, m: 10.0) if row[0] < pd.Timestamp("2025-06-15")]
    rows += [(first, "a", 20.0) for first in pd.date_range(end="2025-06-01", periods=past + 1, freq="MS")]
    row = lc.land(book(rows, covering=(None, "2025-06-15")), "month", against="prior").total.iloc[0]
    assert row["profile"] == profile  # by the prior month all errors are 0, but there is one fewer of them


@pytest.mark.parametrize("turned", [False, True])
def test_of_the_largest_alike_the_first_is_the_reference(turned):
    rows = [row for row in months(2, lambda i, m: (8.0, 9.0, 9.0, 5.0)[i], "abcd")]
    table = lc.relate(book(rows[::-1] if turned else rows), "month", by="item", beside="largest", last=1).table
    assert set(table["reference_item"]) == {"b"} and table["item"].tolist() == list("abcd")
    said = lc.words.sentences(lc.relate(book(rows), "month", by="item", last=1))
    assert " ".join(said).index("b") < " ".join(said).index("c ")


@pytest.mark.parametrize(("leads", "upright", "across"), [(True, "bottom", "right"), (False, "top", "left")])
def test_the_running_line_is_named_where_no_line_is(leads, upright, across):
    rows = months(30, lambda i, m: 50.0 if (m >= 24) == leads else 10.0)
    scene = scene_of("pace", lc.pace(book(rows), "year"))
    (own,) = [text for text in scene.panels[0].texts() if text.text.startswith("2025")]
    assert (own.upright, own.across) == (upright, across)
