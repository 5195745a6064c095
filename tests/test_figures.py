"""Figures: the specs as plain data, one real drawing each, the colors."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

import logochron as lc
from logochron.views.figures.bars import bars_spec
from logochron.views.figures.columns import columns_spec
from logochron.views.figures.common import crowd
from logochron.views.formats import Formats


@pytest.fixture(scope="module")
def months(demo_book) -> lc.Comparison:
    return lc.compare(demo_book, "month", by="harbor", last=13, measures="revenue")


def test_columns_spec(months):
    spec = columns_spec(months)
    (panel,) = spec.panels
    assert spec.title == "Revenue by month, all harbors" and spec.axis == "EUR"
    assert "2026-09: 44.4K EUR, −1.8 % (against 2025-09)" in spec.subtitle
    assert "2026-10 to 18: 24.2K EUR, +13.1 % (1–18 Oct against 1–18 Oct 2025)" in spec.subtitle
    np.testing.assert_array_equal(panel.values, months.total.value)
    np.testing.assert_array_equal(panel.bases, months.total.base)
    assert panel.pale.tolist() == [False] * 12 + [True]  # a period to date never poses as a fall
    assert panel.labels[11] == (("2026-09", None), ("▼ −1.8 %", "adverse"))
    assert panel.labels[12] == (("2026-10", None), ("▲ +13.1 %", "favorable"), ("to 18", None))
    assert (spec.pale_name, spec.base_name) == ("to date", "a year ago")


def test_first_fragment_is_pale_and_without_base(demo_book):
    spec = columns_spec(lc.compare(demo_book, "year", measures="units"))
    (panel,) = spec.panels
    assert panel.pale.tolist() == [True, False, False, False, False, True] and np.isnan(panel.bases[:2]).all()
    assert panel.labels[0] == (("2021", None), ("· –", "unknown"), ("from 17 May", None))
    assert (spec.axis, spec.pale_name) == ("Units", "partly covered or to date")


def test_columns_of_items(months):
    one = columns_spec(months, item="Cold Pier")
    assert one.title == "Revenue by month, Cold Pier"
    spec = columns_spec(months, panels="harbor")
    assert [panel.heading for panel in spec.panels] == ["Alderquay", "Dunmarrow", "Brackenmouth", "Cold Pier"]
    np.testing.assert_array_equal(spec.panels[3].values, one.panels[0].values)
    assert [bool(lines) for lines in spec.panels[0].labels] == [True, False] * 6 + [True]  # the newest keeps its label
    for options, said in [
        ({"item": "Cold Peer"}, "Did you mean 'Cold Pier'"),
        ({"item": ("Cold Pier", "hire")}, "one label for each"),
        ({"panels": "line"}, "split by, harbor"),
        ({"measure": "cost"}, "one of revenue"),
    ]:
        with pytest.raises(lc.QuestionError, match=said):
            columns_spec(months, **options)


def test_crowded_labels():
    assert crowd(13, 11.5, 7, 8, 7) == (1, False)
    assert crowd(16, 11.5, 7, 9, 7) == (1, True)
    assert crowd(30, 11.5, 7, 9, 7) == (2, True)
    with pytest.raises(lc.QuestionError, match="--last 35"):
        crowd(60, 11.5, 7, 9, 7)


def test_bars_spec(demo_book, months, rows_file):
    seven = rows_file([("2026-01-01", i, "x", 1) for i in range(7)], header="day,d,e,amount")
    many_items = lc.read(seven, date="day", values="amount", by=["d", "e"])
    spec = bars_spec(months, at="2026-09")
    assert spec.title == "Revenue in 2026-09 by harbor" and not spec.pale
    assert spec.labels == ("Alderquay", "Dunmarrow", "Brackenmouth", "Cold Pier")  # by size
    assert [(e.mark, e.growth, e.verdict) for e in spec.panels[0].lane][-1] == ("▼", "−17.0 %", "adverse")
    adverse = bars_spec(months, at="2026-09", marked="adverse").panels[0].lane
    assert [entry.growth for entry in adverse] == ["", "", "", "−17.0 %"]
    assert not bars_spec(months, marked="none").has_lane and bars_spec(months).pale
    both = lc.compare(demo_book, "month", by=["harbor", "line"], at="2026-09", measures="revenue")
    split = bars_spec(both, panels="line")
    assert [panel.heading for panel in split.panels] == ["hire", "lessons", "gear", "repairs"]
    brackenmouth = split.labels.index("Brackenmouth")
    assert np.isnan(split.panels[3].values[brackenmouth]) and split.panels[3].lane[brackenmouth].mark == ""
    assert len(bars_spec(both, height=3).labels) == 5 and "the 5 largest of 15" in bars_spec(both, height=3).subtitle
    weeks = lc.compare(demo_book, "day", by=["line", "channel"], at="2026-09-01", measures="revenue")
    assert len(bars_spec(weeks, panels="channel").panels) == 2
    with pytest.raises(lc.QuestionError, match="room for 6 panels; d has 7 items"):
        bars_spec(lc.compare(many_items, "year", by=["d", "e"]), panels="d")
    with pytest.raises(lc.QuestionError, match="`at` must name one period"):
        bars_spec(months, at="2020")
    with pytest.raises(lc.QuestionError, match="by="):
        bars_spec(lc.compare(demo_book, "month"))


def texts_overlapping(figure) -> list[tuple[str, str]]:
    from matplotlib.text import Text

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
    crossing = [
        (a, b)
        for (a, box_a), (b, box_b) in itertools.combinations(boxes, 2)
        if min(box_a.x1, box_b.x1) - max(box_a.x0, box_b.x0) > 1
        and min(box_a.y1, box_b.y1) - max(box_a.y0, box_b.y0) > 1
    ]
    return outside + crossing


def test_nothing_overlaps(demo_book, months, rows_file):
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    long = "A harbor whose name goes on and on $without^end$ <b>"
    rows = [
        (f"{y}-{m:02d}-03", f"{long}{i}", (i - 3) * 1e6 * m)
        for y in (2024, 2025)
        for m in range(1, 13)
        for i in range(9)
    ]
    named = lc.read(rows_file([*rows, ("2025-12-31", "z", 1)]), date="day", values="amount", by="item")
    many = lc.compare(named, "month", by="item")
    both = lc.compare(demo_book, "month", by=["harbor", "line"], measures="revenue")
    for figure in (
        lc.draw.columns(months),
        lc.draw.columns(months, panels="harbor"),
        lc.draw.columns(many),
        lc.draw.columns(lc.compare(demo_book, "quarter", measures="units"), locale="de_DE"),
        lc.draw.columns(lc.compare(demo_book, "week", "prior", last=26)),
        lc.draw.bars(months),
        lc.draw.bars(both, at="2026-09", panels="line"),
        lc.draw.bars(both, at="2026-09"),
        lc.draw.bars(many),
    ):
        FigureCanvasAgg(figure)
        assert texts_overlapping(figure) == []


def test_drawn_into_axes_and_empty(demo_book, months):
    from matplotlib.figure import Figure

    figure = Figure(figsize=(10, 5))
    ax = lc.draw.columns(months, ax=figure.subplots())
    heights = sorted(patch.get_height() for patch in ax.patches)
    np.testing.assert_allclose(heights, sorted(months.total.value))
    bars = lc.draw.bars(months, at="2026-09", ax=Figure().subplots())
    assert [patch.get_width() for patch in bars.patches] == sorted((p.get_width() for p in bars.patches), reverse=True)
    assert [text.get_text() for text in bars.get_legend().get_texts()] == ["whole period", "a year ago"]
    with pytest.raises(lc.QuestionError, match="leave `ax` out"):
        lc.draw.columns(months, panels="harbor", ax=ax)
    empty = lc.draw.columns(lc.compare(demo_book, "month", at="2030"))
    assert any("Nothing to draw" in text.get_text() for text in empty.texts)


def test_the_same_data_gives_the_same_file(months, tmp_path):
    for ending in ("png", "svg", "pdf"):
        first, second = (months.write(tmp_path / f"{n}.{ending}").read_bytes() for n in "ab")
        assert first == second
    with pytest.raises(lc.QuestionError, match="ending that cannot be written"):
        months.write(tmp_path / "a.gif")


def lab(color: str) -> np.ndarray:
    """CIELAB of a color (D65), by the formulas of CIE 15 and IEC 61966-2-1."""
    rgb = linear(color)
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ rgb
    f = np.array(
        [t ** (1 / 3) if t > (6 / 29) ** 3 else t / (3 * (6 / 29) ** 2) + 4 / 29 for t in xyz / [0.9505, 1, 1.089]]
    )
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def linear(color: str) -> np.ndarray:
    rgb = np.array([int(color[i : i + 2], 16) for i in (1, 3, 5)]) / 255
    return np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)


#: Machado, Oliveira, Fernandes 2009, severity 1: protan, deutan, tritan.
DEFICIENCIES = [
    [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
]


def seen(color: str, matrix: list[list[float]]) -> np.ndarray:
    rgb = np.clip(np.array(matrix) @ linear(color), 0, 1)
    coded = np.where(rgb <= 0.0031308, rgb * 12.92, 1.055 * rgb ** (1 / 2.4) - 0.055)
    return lab("#" + "".join(f"{round(float(c) * 255):02X}" for c in coded))


def test_palette():
    palette = lc.Palette()
    tones = [palette.current, palette.base, palette.favorable, palette.adverse]
    for matrix in [np.eye(3).tolist(), *DEFICIENCIES]:
        for a, b in itertools.combinations(tones, 2):
            assert np.linalg.norm(seen(a, matrix) - seen(b, matrix)) >= 20
    for text in (palette.ink, palette.favorable, palette.adverse, palette.level, palette.estimate):
        luminance = linear(text) @ [0.2126, 0.7152, 0.0722]
        assert 1.05 / (luminance + 0.05) >= 4.5


def test_formats():
    en, plain, german = Formats(), Formats(plain=True), Formats(locale="de_DE")
    assert [en.number(-1234.5, 1), plain.number(-1234.5, 1), german.number(-1234.5, 1)] == [
        "−1,234.5",
        "-1,234.5",
        "−1.234,5",
    ]
    assert [en.number(x, 0, signed=True) for x in (3, -3, 0, 0.2, -0.2, float("nan"))] == [
        "+3",
        "−3",
        "0",
        "+0",
        "−0",
        "–",
    ]
    assert [en.growth(x) for x in (0.063, -0.0001, 0, float("nan"))] == ["+6.3 %", "−0.0 %", "level", "–"]
    assert [en.compact(x) for x in (0, 7, 12.5, 999, 1234, 388_000, 1_240_000)] == [
        "0", "7", "12.50", "999", "1.23K", "388K", "1.24M",
    ]  # fmt: skip
    assert en.span(20362, 20379) == "1–18 Oct 2025" and en.span(20361, 20379) == "30 Sep – 18 Oct 2025"
