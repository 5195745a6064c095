"""Every figure over a matrix of awkward answers: nothing overlaps, nothing leaves the picture."""

from __future__ import annotations

import itertools

import numpy as np
import pandas as pd
import pytest
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.text import Text

import logochron as lc
from logochron.views.figures.registry import FIGURES

LABELS = (
    *("שלום עולם נמל", "ميناء الشمال", "東京港の長い名前のラベル", "A $x^2$ & <b>bold</b> \\alpha {z}"),
    *("A harbor whose name goes on and on without end", "zero", "minus", "ḱombi"),
)
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
    bands = lc.Judging(bands=[lc.Band("far behind", below=0.0, advice="ring the harbor office and wait for the tide, twice"),
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
        "several measures": (lc.compare(awkward, "year", by="kind"), {"measure": "pieces"}),
        "first fragment": (lc.compare(awkward, "year", "mean:2", running=None, **asked), {"locale": "ja"}),
        "words as marks": (lc.compare(awkward, "week", last=9, **asked, judging=lc.Judging(marks="words")),
                           {"palette": lc.Palette(current="#004400", base="#BBBBBB")}),
    }  # fmt: skip


ANSWERS = answers()


def crossing(figure) -> list[tuple[str, str]]:
    """Texts that overlap each other or leave the picture."""
    FigureCanvasAgg(figure)
    figure.canvas.draw()
    renderer = figure.canvas.get_renderer()
    ticks = [(axis, tick) for ax in figure.axes for axis in (ax.xaxis, ax.yaxis) for tick in axis.get_major_ticks()]
    hidden = {
        tick.label1
        for axis, tick in ticks
        if not min(axis.get_view_interval()) <= tick.get_loc() <= max(axis.get_view_interval())
    }
    found = [t for t in figure.findobj(Text) if t.get_text().strip() and t.get_visible() and t not in hidden]
    boxes = [(t.get_text(), t.get_window_extent(renderer)) for t in found]
    boxes = [(text, box) for text, box in boxes if box.width and box.height]
    frame = figure.bbox
    outside = [
        (text, "frame") for text, b in boxes if b.x0 < -1 or b.y0 < -1 or b.x1 > frame.x1 + 1 or b.y1 > frame.y1 + 1
    ]
    low, high = (
        np.array([[getattr(b, side) for side in sides] for _, b in boxes]) for sides in (("x0", "y0"), ("x1", "y1"))
    )
    both = (np.minimum(high[:, None], high) - np.maximum(low[:, None], low) > 1).all(axis=2)
    return outside + [(boxes[i][0], boxes[j][0]) for i, j in np.argwhere(np.triu(both, 1)).tolist()]


OPTIONS = {
    "columns": [{}, {"panels": "item"}],
    "overlay": [{}],
    "lines": [{}, {"panels": "item"}],
    "trend": [{}, {"small": True}, {"panels": "item"}],
    "bars": [{}, {"panels": "kind"}],
    "table": [{}, {"color": "fill"}],
}
OF_COMPARE = [figure.name for figure in FIGURES if "compare" in figure.answers]


@pytest.mark.filterwarnings("ignore:Glyph")
@pytest.mark.parametrize("name", OF_COMPARE)
def test_every_figure(name):
    drawn = refused = 0
    for (case, (result, options)), more in itertools.product(ANSWERS.items(), OPTIONS.get(name, [{}])):
        if name == "cards":
            options = {key: value for key, value in options.items() if key != "measure"}
        try:
            figure = getattr(lc.draw, name)(result, **options, **more)
        except lc.QuestionError as error:
            said = str(error)
            assert any(
                word in said
                for word in ("too many", "by=", "split by", "one of two or more", "room for", "bands=", "wider")
            ), said
            refused += 1
            continue
        drawn += 1
        assert figure.alt and len(figure.alt) > 10
        assert crossing(figure) == [], (name, case, more)
    assert drawn >= 6
