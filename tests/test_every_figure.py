"""Every figure over a matrix of awkward answers: nothing overlaps, nothing leaves the picture."""

from __future__ import annotations

import itertools

import numpy as np
import pandas as pd
import pytest
from drawn_texts import crossing
from matplotlib.figure import Figure

import logochron as lc
from logochron.views.figures.registry import FIGURES
from logochron.views.formats import Formats

LABELS = (
    *("שלום עולם נמל", "ميناء الشمال", "東京港の長い名前のラベル", "A $x^2$ & <b>bold</b> \\alpha {z}"),
    *("A harbor whose name goes on and on without end", "zero", "minus", "ḱombi"),
)
FRANCS = Formats(locale="de_CH", currency="CHF")
MONTHS = pd.period_range("2020-11", "2025-12", freq="M")


def sales(labels: tuple[str, ...], size: float = 1e5, months: pd.PeriodIndex = MONTHS) -> lc.Daybook:
    """Made-up records: `zero` sells nothing, `minus` gives back, the last label starts late."""
    rng = np.random.default_rng(7)
    rows = []
    for month, (place, label) in itertools.product(months, enumerate(labels)):
        if label == labels[-1] and month < pd.Period("2025-03"):
            continue
        amount = {"zero": 0.0, "minus": -size}.get(label, size * (place + 1)) * rng.random()
        rows.append((f"{month}-07", label, "ab"[place % 2], round(amount, 3), place + 1))
    frame = pd.DataFrame(rows, columns=["day", "item", "kind", "amount", "pieces"])
    return lc.read(frame, date="day", values=["amount", "pieces"], by=["item", "kind"], until="2025-12-20")


def answers() -> dict[str, tuple[object, dict[str, object]]]:
    """Comparisons by name, with the options they are drawn with."""
    awkward, many = sales(LABELS), sales(tuple(f"item {n:02d}" for n in range(40)))
    bands = lc.Judging(bands=[lc.Band("far behind", below=0.0, advice="ring the office and wait for the tide, twice"),
                              lc.Band("fine", from_=0.0, mark="↑")], marks="arrows", marks_place="after")  # fmt: skip
    asked = {"measures": "amount", "by": "item"}
    return {
        "one row": (lc.compare(awkward, "month", at="2025-11", measures="amount"), {}),
        "one item": (lc.compare(awkward.where({"item": "zero"}), "month", last=13, **asked), {}),
        "thirteen": (lc.compare(awkward, "month", last=13, **asked, judging=bands), {}),
        "sixty": (lc.compare(awkward, "month", last=60, **asked), {"size": (12.8, 8)}),
        "forty items": (lc.compare(many, "month", "prior", last=6, **asked), {}),
        "top of forty": (lc.compare(many, "month", last=12, top=8, **asked), {"locale": "de_DE"}),
        "huge": (lc.compare(sales(LABELS, 1e13), "quarter", last=8, **asked), {"size": (10, 6)}),
        "tiny": (lc.compare(sales(LABELS[:3], 1e-3), "month", last=7, **asked), {"size": (8, 5)}),
        "two dimensions": (lc.compare(awkward, "half", by=["item", "kind"], measures="amount"), {"locale": "fr"}),
        "several measures": (lc.compare(awkward, "year", by="kind"), {"measure": "pieces", "formats": FRANCS}),
        "first fragment": (lc.compare(awkward, "year", "mean:2", running=None, **asked), {"locale": "ja"}),
        "words as marks": (lc.compare(awkward, "week", last=9, **asked, judging=lc.Judging(marks="words")),
                           {"palette": lc.Palette(current="#004400", base="#BBBBBB")}),
    }  # fmt: skip


@pytest.fixture(scope="session", name="answers")
def all_answers() -> dict[str, tuple[object, dict[str, object]]]:
    return answers()


OPTIONS = {
    "columns": [{}, {"panels": "item"}],
    "overlay": [{}],
    "lines": [{}, {"panels": "item"}],
    "trend": [{}, {"small": True}, {"panels": "item"}],
    "bars": [{}, {"panels": "kind"}],
    "table": [{}, {"color": "fill"}],
}
#: Why a figure may be refused: what it cannot show, or has no room for.
REFUSED = ("too many for one picture", "compare with", "split by", "one of two or more", "room for", "leave `panels`")
OF_COMPARE = [figure.name for figure in FIGURES if "compare" in figure.answers]


@pytest.mark.slow
@pytest.mark.filterwarnings("ignore:Glyph")
@pytest.mark.parametrize("name", OF_COMPARE)
def test_every_figure(name, answers):
    drawn = 0
    for (case, (result, options)), more in itertools.product(answers.items(), OPTIONS.get(name, [{}])):
        if more and case not in ("thirteen", "forty items", "huge", "two dimensions", "words as marks"):
            continue
        if name == "cards":
            options = {key: value for key, value in options.items() if key != "measure"}
        try:
            figure = getattr(lc.draw, name)(result, **options, **more)
        except lc.QuestionError as error:
            assert any(words in str(error) for words in REFUSED), error
            continue
        drawn += 1
        if not more and case in ("thirteen", "two dimensions"):
            ax = Figure(figsize=(14, 8)).subplots()
            options = {key: value for key, value in options.items() if key != "size"}
            assert getattr(lc.draw, name)(result, **options, ax=ax) is ax
        assert figure.alt and len(figure.alt) > 10
        assert crossing(figure) == [], (name, case, more)
    assert drawn >= (1 if name == "captioned" else 6)
