"""A question from outside the package: one function, one row, and it goes wherever the others go."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

import numpy as np
import pytest
from openpyxl import load_workbook
from test_page import carried

import logochron as lc
from logochron.core.align.period_spec import period_spec
from logochron.core.rows import question_types
from logochron.core.rows.answer import AlignedAnswer, block, in_order, laid_out, opening
from logochron.core.rows.prepare import ask, groupings_of, prepare, remembered
from logochron.core.rows.question_types import DIMENSIONS, QuestionType, register


@dataclass(frozen=True, repr=False, eq=False)
class Ranks(AlignedAnswer):
    """The rank of each item in each period, 1 the largest."""

    kind: ClassVar[str] = "ranks"


@remembered
def ranks(book, each="month", *, by, at=None, measures=None):
    asked = ask("ranks", book, by=by, measures=measures, judging=None, items="all", top=None, sort=None)
    prepared = prepare(asked, period_spec(each=each, against="prior", at=at), None)
    groupings = groupings_of(prepared)

    def rows(measure, grouping, others):
        value = groupings.sides(measure, grouping).shown()[0]
        rank = (value[:, None] > value[..., None]).sum(axis=2) + 1.0
        columns = opening(prepared, measure, grouping) | {
            "value": value,
            "rank": rank if grouping.by else np.nan + value,
        }
        return block(prepared, measure, grouping, in_order("ranks", asked.by, columns), others)

    return Ranks(**laid_out("ranks", groupings, rows))


@pytest.fixture
def ours(monkeypatch):
    monkeypatch.setattr(question_types, "_KNOWN", dict(question_types._known()))
    columns = ("measure", "period", DIMENSIONS, "value", "rank")
    register(QuestionType(name="ranks", function=ranks, answer=Ranks, columns=columns))


@pytest.fixture
def answer(ours, demo_book):
    return ranks(demo_book, by="harbor", at="2026-08..2026-09", measures="revenue")


def test_every_form_has_it(answer, tmp_path):
    table = answer.table
    for _, of in table.groupby("period"):
        assert of["rank"].tolist() == of["value"].rank(ascending=False).tolist()
    shown = lc.compare(answer.book, "month", by="harbor", at="2026-08..2026-09", measures="revenue").table
    assert table["value"].tolist() == shown["value"].tolist()
    first = table.iloc[0]
    written = {ending: answer.write(tmp_path / f"ranks{ending}") for ending in (".csv", ".html", ".md", ".xlsx")}
    rows = list(csv.DictReader(written[".csv"].read_text("utf-8").splitlines()))
    assert rows[0]["harbor"] == first.harbor and float(rows[0]["rank"]) == first["rank"]
    assert len(rows) == 8 and "." not in rows[0]["rank"]
    assert f"| {first.period} | {first.harbor} | 24,599 | 1 |" in written[".md"].read_text("utf-8")  # no amount
    assert answer._repr_markdown_() in written[".md"].read_text("utf-8")
    page = str(carried(written[".html"]))
    for part in ("Rank", first.harbor, "24,599"):
        assert part in answer._repr_html_() and part in page
    cells = list(load_workbook(written[".xlsx"]).worksheets[0].iter_rows(values_only=True))
    assert (first.period, first.harbor, first["value"], first["rank"], "item") in cells  # values, no formulas
    assert answer.again(at="2026-09").periods == ("2026-09",)
    receipt = lc.explain(answer, harbor=first.harbor, at=first.period).text
    assert "rank = 1" in receipt and "value = 24,599.06" in receipt
    for tell in (lc.draw.columns, lc.words.sentences):  # its row names neither
        with pytest.raises(lc.QuestionError, match="got the answer of ranks"):
            tell(answer)


def test_a_report_has_it_again_and_again(ours, tmp_path):
    path = Path(lc.demo.write_report(tmp_path))
    settings = path.read_text("utf-8")
    opening = settings[: settings.index("[[section]]")]
    section = (
        '[[section]]\nheading = "Ranks"\nquestion = "ranks"\nby = "harbor"\nat = "2026-09"\nmeasures = "revenue"\n'
    )
    path.write_text(opening + section, "utf-8")
    for _ in range(2):  # the second run holds figures against those of the first
        report = lc.Report.load(path).run()
        report.write(tmp_path / "out")
        assert report.refused == () and list(report) == ["Ranks"]
    (found,) = carried(tmp_path / "out" / "index.html")["sections"]
    assert found["heading"] == "Ranks" and any('"Alderquay"' in str(one).replace("'", '"') for one in found["pool"])
    path.write_text(opening + section.replace("at =", "att ="), "utf-8")
    with pytest.raises(lc.ReportError, match="att.*did you mean 'at'|att"):
        lc.Report.load(path)


def test_a_row_is_checked(ours):
    with pytest.raises(lc.QuestionError, match="there is a question 'ranks' already"):
        register(QuestionType(name="ranks", columns=()))
    with pytest.raises(lc.QuestionError, match="must have kind = 'places'"):
        register(QuestionType(name="places", answer=Ranks, columns=()))
    with pytest.raises(lc.QuestionError, match="no column 'vlaue'.*'value'"):
        register(QuestionType(name="places", columns=("vlaue",)))
