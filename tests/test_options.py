"""The table of options: every face of the tool has each of them, and a source that cannot take one says so."""

from __future__ import annotations

import ast
import inspect
import runpy
from decimal import Decimal
from fractions import Fraction
from pathlib import Path

import click
import pandas as pd
import polars as pl
import pytest
from conftest import command_named
from hypothesis import given, settings
from hypothesis import strategies as st

import logochron as lc
from logochron.cli.options import scales
from logochron.core.rows.question_types import loaded, question_types
from logochron.options import COMMAND_OPTIONS, GROUPS, READING_OPTIONS, options_of
from logochron.report.settings import Sales, section_models
from logochron.views.formats import Formats

ROOT = Path(__file__).parents[1]
QUESTIONS = [one for one in question_types() if one.function and one.name not in ("review", "restated")]


def test_stubs_are_as_the_functions():
    maker = runpy.run_path(str(ROOT / "scripts" / "make_stubs.py"))
    for path, text in maker["stubs"]().items():
        assert ast.dump(ast.parse(path.read_text())) == ast.dump(ast.parse(text)), "run scripts/make_stubs.py again"


@pytest.mark.parametrize("function", [lc.read, lc.read_plan, lc.review])
def test_a_reading_option_is_everywhere(function):
    parameters = inspect.signature(function).parameters
    left_out = {"values", "measures"} if function is lc.read_plan else set()
    assert set(READING_OPTIONS) - left_out <= set(parameters)
    for name in set(READING_OPTIONS) - left_out:
        assert f"\n    {name}\n        " in function.__doc__ or function is not lc.read, name


def test_read_and_the_report_file_have_the_same_keys():
    keys = {name for name, row in READING_OPTIONS.items() if row.key is not None}
    assert keys == set(Sales.model_fields) - {"file", "files", "address"}
    assert all(field.description for field in Sales.model_fields.values())


@pytest.mark.parametrize("of", QUESTIONS, ids=lambda of: of.name)
def test_a_question_option_is_everywhere(of):
    shown = {one.name: one for one in command_named(of.name).params if isinstance(one, click.Option)}
    keys = section_models()[of.name].model_fields
    for row in options_of(loaded(of.function), of.name):
        if row.name in ("book", "calendar", "judging", "plan", "selling_days"):
            continue
        assert row.says, f"{row.name} of {of.name} has no words in logochron.options"
        assert row.name in keys and (row.name in shown or not row.shell)
    assert {name for name, row in READING_OPTIONS.items() if row.shell} <= set(shown)


@pytest.mark.parametrize("name", [one.name for one in QUESTIONS] + ["explain", "review", "calendar", "report", "demo"])
def test_help_has_its_options_under_headings(cli, name):
    lines = cli(name, "--help").stdout.splitlines()
    assert lines[0].startswith(f"Usually: logochron {name}") and "Other options:" in lines
    headings = [line.rstrip(":") for line in lines if line.rstrip(":") in GROUPS]
    assert headings == [group for group in GROUPS if group in headings] and len(headings) > 2 * (name in ("compare",))
    others = lines[lines.index("Other options:") + 1 :]
    assert [line.split()[0] for line in others if line.startswith("  -")] == ["-h,"]
    options = [one for one in command_named(name).params if isinstance(one, click.Option)]
    assert all(one.help for one in options)
    assert not [name for one in options for name in one.opts if not any(name in line for line in lines)]


SOURCES = {
    "text": lambda frame, folder: frame.to_csv(folder / "s.csv", index=False) or folder / "s.csv",
    "workbook": lambda frame, folder: frame.to_excel(folder / "s.xlsx", index=False) or folder / "s.xlsx",
    "json": lambda frame, folder: frame.to_json(folder / "s.json", orient="records") or folder / "s.json",
    "parquet": lambda frame, folder: frame.to_parquet(folder / "s.parquet") or folder / "s.parquet",
    "frame": lambda frame, folder: frame,
    "pushdown": lambda frame, folder: pl.from_pandas(frame).lazy(),
}
STATED = {"delimiter": ",", "encoding": "utf-8", "header_row": 1, "sheet": "Sheet1", "periods_in_columns": "month"}
DAYS = pd.DataFrame({"day": [f"2026-01-{n:02d}" for n in range(1, 29)], "amount": range(28), "units": 1})


@pytest.mark.parametrize("kind", SOURCES)
@pytest.mark.parametrize("option", STATED)
def test_a_source_that_cannot_take_an_option_says_so(tmp_path, kind, option):
    source, row = SOURCES[kind](DAYS, tmp_path), READING_OPTIONS[option]
    stated = {"date": None if option == "periods_in_columns" else "day", "values": "amount", option: STATED[option]}
    if kind in row.of and option != "periods_in_columns":
        assert lc.read(source, **stated).records.sum() == 28
        return
    said = "no column of .* names a month" if kind in row.of else rf"`{option}` \({row.flags}\) is of .* is none"
    with pytest.raises(lc.QuestionError, match=said):
        lc.read(source, **stated)


@pytest.mark.parametrize("function", [lc.read, lc.review])
def test_an_option_that_there_is_not(function):
    with pytest.raises(lc.QuestionError, match=r"no option 'delimeter'.*Did you mean 'delimiter'"):
        function(DAYS, delimeter=";")
    with pytest.raises(lc.QuestionError, match="`sheet` must be a text; got 3"):
        function(DAYS, sheet=3)


@pytest.mark.parametrize("kind", SOURCES)
def test_amounts_in_thousands(tmp_path, kind):
    frame = DAYS.assign(amount=DAYS.amount + 0.25)
    source = SOURCES[kind](frame, tmp_path)
    plain, thousands = (lc.read(source, date="day", values=["amount", "units"], scale=n) for n in (1, {"amount": 1000}))
    assert thousands.exact == {"amount": True, "units": True}
    tables = [book.totals("month").set_index("measure").value for book in (plain, thousands)]
    assert tables[1].amount == tables[0].amount * 1000 == 385_000 and tables[1].units == tables[0].units == 28


@pytest.mark.slow
@settings(max_examples=40)
@given(st.decimals(0, 10**6, places=3, allow_nan=False), st.sampled_from(["1000", "0.001", "12.5", "7", "1e6", "0.3"]))
def test_scaled_amounts_are_exact(amount, scale):
    frame = pd.DataFrame({"day": ["2026-01-01"] * 3, "amount": [str(amount)] * 3})
    book = lc.read(frame, date="day", values="amount", decimal=".", scale=float(scale))
    column = book.amounts["amount"]
    assert Fraction(int(column.values.sum()), 10**column.scale) == 3 * Fraction(amount) * Fraction(Decimal(scale))


def test_a_scale_that_is_none(cli, tmp_path):
    for scale in (0, -1, float("nan"), {"amount": "many"}):
        with pytest.raises(lc.QuestionError, match="`scale` must be"):
            lc.read(DAYS, date="day", values="amount", scale=scale)
    with pytest.raises(lc.QuestionError, match="no column of amounts 'amont'.*Did you mean 'amount'"):
        lc.read(DAYS, date="day", values="amount", scale={"amont": 1000})
    DAYS.to_csv(tmp_path / "s.csv", index=False)
    words = ("compare", tmp_path / "s.csv", "--date", "day", "--value", "amount,units", "--last", 1, "--as", "csv")
    assert "amount,2026-01,2026-01-01,2026-01-28,28,378000.0," in cli(*words, "--scale", "amount=1000").stdout
    assert "units,2026-01,2026-01-01,2026-01-28,28,28000.0," in cli(*words, "--scale", "1000").stdout
    assert scales(("amount=0.12345678901234567891",)) == {"amount": Fraction("0.12345678901234567891")}
    for wrong in (["many"], ["amount="], ["1000", "10"], ["1000", "units=2"]):
        ran = cli(*words, *(word for one in wrong for word in ("--scale", one)))
        assert ran.returncode == 2 and "--scale" in ran.stderr
    report = tmp_path / "r.toml"
    report.write_text(
        '[sales]\nfile = "s.csv"\nscale = {amount = 1000}\n[[section]]\nheading = "h"\nquestion = "review"\n'
    )
    again = cli("compare", "--settings", report, "--value", "amount,units", "--last", 1, "--as", "csv").stdout
    assert "378000.0" in again and ",28.0," in again


def test_every_option_has_one_row():
    assert all(row.says or not row.shell for row in (*READING_OPTIONS.values(), *COMMAND_OPTIONS.values()))
    known = set(READING_OPTIONS) | set(COMMAND_OPTIONS)
    for of in QUESTIONS:
        known |= {row.name for row in options_of(loaded(of.function), of.name)}
    for owner in (lc.Judging, lc.CivilCalendar, lc.RetailCalendar, lc.ListedCalendar):
        known |= {row.name for row in options_of(owner)}
    known |= {row.name for row in options_of(Formats)} | {"sales", "file"}
    for name in [one.name for one in QUESTIONS] + ["explain", "review", "calendar", "report"]:
        assert {one.name for one in command_named(name).params} <= known
