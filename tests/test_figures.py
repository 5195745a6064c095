"""Figures: the scenes as plain data, one real drawing each, the colors."""

from __future__ import annotations

import itertools

import numpy as np
import pandas as pd
import pytest
from drawn_texts import crossing

import logochron as lc
from logochron.views.figures.fonts import drawable, measure
from logochron.views.figures.layout import apart, crowd, nice_ticks
from logochron.views.figures.registry import FIGURES
from logochron.views.figures.scene import Bars, Canvas, Captions, Panel, Path, Ribbon, Scene, Ticks, Tiles
from logochron.views.formats import Formats
from logochron.views.tables.answer_tables import tables_of

SCENES = {figure.name: figure.scene for figure in FIGURES}


def scene_of(name: str, result: object, size: tuple[float, float] | None = None, **options: object) -> Scene:
    return SCENES[name](result, Canvas(Formats(), measure, drawable, size), **options)


def layers(panel: Panel, kind: type) -> list:
    return [layer for layer in panel.layers if isinstance(layer, kind)]


def below(panel: Panel, place: int) -> list[tuple[str, str]]:
    """The lines below a column."""
    return [(text.text, text.role) for text in panel.texts() if text.x == place]


def lane(panel: Panel, place: int) -> list[tuple[str, str]]:
    """Mark and growth beside a bar."""
    return [(text.text, text.role) for text in panel.texts() if text.y == place]


def names(scene: Scene) -> tuple[str, ...]:
    return tuple(tick.text for tick in scene.panels[0].y.ticks)


@pytest.fixture(scope="module")
def months(demo_book) -> lc.Comparison:
    return lc.compare(demo_book, "month", by="harbor", last=13, measures="revenue")


def test_columns(months):
    scene = scene_of("columns", months)
    (panel,) = scene.panels
    assert scene.title == "Revenue by month, all harbors" and panel.y.words == "EUR"
    assert "September 2026: EUR 44.4K, −1.8 % (against September 2025)" in scene.subtitle
    assert "1–18 October 2026: EUR 24.2K, +13.1 % (against 1–18 October 2025)" in scene.subtitle
    whole, pale = layers(panel, Bars)
    assert not whole.pale and pale.pale  # a period to date never poses as a fall
    np.testing.assert_array_equal(np.append(whole.high, pale.high), months.total.value)
    top, base = layers(panel, Ticks)
    np.testing.assert_array_equal(base.at, months.total.base)
    assert top.at.tolist() == pale.high.tolist() and base.halo and not top.halo
    assert below(panel, 11) == [("2026-09", "ink"), ("▼ −1.8 %", "adverse")]
    assert below(panel, 12) == [("2026-10", "ink"), ("to 18", "ink"), ("▲ +13.1 %", "favorable")]
    assert [entry.words for entry in scene.legend] == ["whole period", "to date", "a year ago"]
    assert scene.alt.startswith("Revenue by month, all harbors: September 2026")


def test_first_fragment_is_pale_and_without_base(demo_book):
    scene = scene_of("columns", lc.compare(demo_book, "year", measures="units"))
    (panel,) = scene.panels
    whole, pale = layers(panel, Bars)
    assert (len(whole.high), len(pale.high), len(layers(panel, Ticks)[1].at)) == (4, 2, 4)
    assert below(panel, 0) == [("2021", "ink"), ("from 17 May", "ink"), ("· –", "level")]
    assert (panel.y.words, scene.legend[1].words) == ("Units", "partly covered or to date")


def test_columns_of_items(months):
    one = scene_of("columns", months, item="Cold Pier")
    assert one.title == "Revenue by month, Cold Pier"
    scene = scene_of("columns", months, panels="harbor")
    assert [panel.heading for panel in scene.panels] == ["Alderquay", "Dunmarrow", "Brackenmouth", "Cold Pier"]
    np.testing.assert_array_equal(layers(scene.panels[3], Bars)[0].high, layers(one.panels[0], Bars)[0].high)
    # the newest keeps its label
    assert [bool(below(scene.panels[0], place)) for place in range(13)] == [True, False] * 6 + [True]
    assert len({(panel.y.low, panel.y.high) for panel in scene.panels}) == 1
    for options, said in [
        ({"item": "Cold Peer"}, "Did you mean 'Cold Pier'"),
        ({"item": ("Cold Pier", "hire")}, "one label for each"),
        ({"panels": "line"}, "split by, harbor"),
        ({"measure": "cost"}, "one of revenue"),
    ]:
        with pytest.raises(lc.QuestionError, match=said):
            scene_of("columns", months, **options)


def test_layout():
    assert crowd(13, 11.5, 7, 8, 7) == (1, False)
    assert crowd(16, 11.5, 7, 9, 7) == (1, True)
    assert crowd(30, 11.5, 7, 9, 7) == (2, True)
    with pytest.raises(lc.QuestionError, match="--last 35"):
        crowd(60, 11.5, 7, 9, 7)
    assert nice_ticks(-3, 11) == [-2.5, 0, 2.5, 5, 7.5, 10]
    wanted = np.array([5.0, 99, 5, 5, 100, 50])
    placed = apart(wanted, 10.0, 0.0, 100.0)
    assert np.diff(np.sort(placed)).min() >= 10 - 1e-9 and placed.min() >= 0 and placed.max() <= 100
    assert placed[5] == 50 and (np.argsort(placed, kind="stable") == np.argsort(wanted, kind="stable")).all()
    assert apart(np.zeros(5), 50.0, 0.0, 100.0).tolist() == [0, 25, 50, 75, 100]  # no room: evenly


def test_bars(demo_book, months, rows_file):
    seven = rows_file([("2026-01-01", i, "x", 1) for i in range(7)], header="day,d,e,amount")
    many_items = lc.read(seven, date="day", values="amount", by=["d", "e"])
    scene = scene_of("bars", months, at="2026-09")
    assert scene.title == "Revenue in September 2026 by harbor" and not layers(scene.panels[0], Bars)[0].pale
    assert names(scene) == ("Alderquay", "Dunmarrow", "Brackenmouth", "Cold Pier")  # by size
    assert lane(scene.panels[0], 3) == [("▼", "adverse"), ("−17.0 %", "adverse")]
    adverse = scene_of("bars", months, at="2026-09", marked="adverse").panels[0]
    assert [lane(adverse, place)[1][0] for place in range(4)] == ["", "", "", "−17.0 %"]
    unmarked = scene_of("bars", months, marked="none")
    assert not unmarked.panels[0].texts() and layers(unmarked.panels[0], Bars)[0].pale
    both = lc.compare(demo_book, "month", by=["harbor", "line"], at="2026-09", measures="revenue")
    split = scene_of("bars", both, panels="line")
    assert [panel.heading for panel in split.panels] == ["hire", "lessons", "gear", "repairs"]
    brackenmouth = names(split).index("Brackenmouth")
    last = split.panels[3]
    assert len(layers(last, Bars)[0].high) == 3 and lane(last, brackenmouth)[0][0] == ""
    low = scene_of("bars", both, size=(12.8, 3))
    assert len(names(low)) == 5 and "the 5 largest of 15" in low.subtitle
    channels = lc.compare(demo_book, "day", by=["line", "channel"], at="2026-09-01", measures="revenue")
    assert len(scene_of("bars", channels, panels="channel").panels) == 2
    with pytest.raises(lc.QuestionError, match="room for 6 panels; d has 7 items"):
        scene_of("bars", lc.compare(many_items, "year", by=["d", "e"]), panels="d")
    with pytest.raises(lc.QuestionError, match="`at` must name one period"):
        scene_of("bars", months, at="2020")
    with pytest.raises(lc.QuestionError, match="by="):
        scene_of("bars", lc.compare(demo_book, "month"))


def test_pace_figure(demo_book):
    years = lc.pace(demo_book, "year", measures="revenue", by="harbor")
    scene = scene_of("pace", years)
    (panel,) = scene.panels
    assert (
        scene.subtitle
        == "1 January to 18 October 2026: EUR 451K, +6.8 % against a year ago (EUR 423K) · 1st of 5 years"
    )
    current = next(path for path in layers(panel, Path) if path.role == "current")
    assert np.isfinite(current.y).sum() == 292 and np.isnan(current.y[292:]).all()  # nothing after the report date
    older = [path for path in layers(panel, Path) if path.role == "base"]
    assert [path.weight for path in older] == sorted(path.weight for path in older) and len(older) == 4
    said = {text.text: text for text in panel.texts()}
    assert {"2025 · 2nd", "2024 · 3rd", "2026 · 1st", "18 Oct"} <= set(said) and said["2026 · 1st"].bold
    assert {ribbon.role for ribbon in layers(panel, Ribbon)} <= {"favorable", "adverse", "level"}
    assert [tick.text for tick in panel.x.ticks][:3] == ["Jan", "Feb", "Mar"]
    one = scene_of("pace", years, item="Cold Pier")
    assert one.title.endswith(", Cold Pier") and one.panels[0].y.high < panel.y.high
    months = lc.pace(demo_book, "month", measures="revenue", against="mean:3")
    scene = scene_of("pace", months)
    assert "the latest 8 of 65 drawn" in scene.footnote and any(
        p.dash == "dashed" for p in layers(scene.panels[0], Path)
    )


def test_landing_figure(demo_book):
    month = lc.land(demo_book, "month", measures="revenue", by="harbor")
    (panel,) = scene_of("landing", month).panels
    row = month.total.iloc[0]
    expected = next(path for path in layers(panel, Path) if path.role == "estimate")
    assert expected.dash == "dashed" and expected.y[-1] == pytest.approx(row.estimate)
    assert expected.y[17] == pytest.approx(row.to_date) and np.isnan(expected.y[:17]).all()
    assert (np.diff(expected.y[17:]) >= 0).all()
    (ribbon,) = layers(panel, Ribbon)
    assert (ribbon.low[-1], ribbon.high[-1]) == pytest.approx((row.low, row.high))
    width = (ribbon.high - ribbon.low)[17:]
    assert width[0] == pytest.approx(0) and (np.diff(width) >= -1e-9).all()  # it widens
    (crossbar,) = layers(panel, Ticks)
    assert crossbar.at.tolist() == [pytest.approx(row.estimate)]
    for profile in ("weekday", "even", "history"):
        path = lc.land(demo_book, "month", measures="revenue", profile=profile)
        assert path.path(path.measures[0]).expected[-1] == pytest.approx(path.total.estimate[0])
    over = scene_of("landing", lc.land(demo_book, "month", measures="revenue", at="2026-09"))
    assert "Ended at EUR 44.4K" in over.subtitle and not layers(over.panels[0], Ribbon)


def test_backtest_figure(demo_book):
    month = lc.land(demo_book, "month", measures="revenue")
    (panel,) = scene_of("backtest", month).panels
    best = next(path for path in layers(panel, Path) if path.role == "current")
    table = month.backtest.query("profile == 'best'").groupby("elapsed").error
    np.testing.assert_allclose(best.y, table.apply(lambda errors: errors.abs().median()))
    assert scene_of("backtest", month.backtested).title == scene_of("backtest", month).title


def looking_ahead(demo_book, named) -> list:
    """Paces, landings and back-tests that crowd their labels."""
    demo = {"measures": "revenue"}
    listed = pd.DataFrame({"month": [f"2026-{month:02d}" for month in range(1, 13)], "v": 40_000})
    plan = lc.read_plan(listed, date="month", value="v", measure="revenue")
    month = lc.land(demo_book, "month", plan=plan, **demo)
    retail = lc.pace(demo_book, "year", against="year-ago-mean:2", calendar=lc.RetailCalendar(), **demo)
    return [
        lc.draw.pace(lc.pace(demo_book, "month", against="mean:3", **demo)),
        lc.draw.pace(lc.pace(demo_book, "week", last=5, **demo)),
        lc.draw.pace(lc.pace(demo_book, "year", against="plan", plan=plan, **demo), locale="de_DE"),
        lc.draw.pace(retail, size=(7, 5)),
        lc.draw.pace(lc.pace(named, "year", by="item"), item=named.items("item")[0]),
        lc.draw.landing(month),
        lc.draw.landing(lc.land(demo_book, "year", plan=plan, **demo), size=(7, 4)),
        lc.draw.landing(lc.land(demo_book.until("2026-10-01"), "month", **demo)),
        lc.draw.landing(lc.land(named, "month", by="item", at="2025-12"), item=named.items("item")[0]),
        lc.draw.backtest(month),
        lc.draw.bridge(lc.drivers(demo_book, "month", by=["harbor", "line"], at="2026-09", **demo)),
        lc.draw.bridge(lc.drivers(named, "month", by="item", at="2025-12"), size=(7, 4), locale="de"),
        lc.draw.bridge(lc.drivers(demo_book, "year", by="harbor", at="2025", **demo)),
    ]


@pytest.mark.slow
def test_nothing_overlaps(demo_book, months, rows_file):
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
        *looking_ahead(demo_book, named),
    ):
        assert crossing(figure) == []


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


@pytest.mark.slow
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


def points_of(scene, of=Path):
    """The points of all lines of a figure, by their place."""
    found = {}
    for layer in scene.panels[0].layers:
        if isinstance(layer, of):
            for x, y in zip(layer.x.tolist(), layer.y.tolist()):
                if np.isfinite(y):
                    found.setdefault(round(x, 9), set()).add(round(y, 6))
    return found


@pytest.mark.parametrize("seed", range(3))
def test_figures_show_the_figures_of_their_answers(seed):
    """Every item has its own place, though people would read two names alike; every line goes through its figures."""
    rng, days = np.random.default_rng(seed), pd.date_range("2023-01-01", "2025-03-20")
    long = "A harbor whose name goes on without an end, number "
    parts = []
    for harbor, line in itertools.product([long + "1", long + "2", "plain"], "xy"):
        own = days[rng.random(len(days)) < 0.5] if (harbor, line) != ("plain", "y") else days[-60:]
        amounts = rng.integers(-200, 5000, len(own)) / 100
        parts.append(pd.DataFrame({"day": own, "harbor": harbor, "line": line, "amount": amounts}))
    book = lc.read(pd.concat(parts), date="day", values="amount", by=["harbor", "line"], covering=("2023-01-01", None))
    for options in ({"by": "harbor"}, {"by": ["harbor", "line"]}, {"by": ["harbor", "line"], "top": 2}):
        months = lc.compare(book, "month", last=4, **options)
        heat = scene_of("heat", months)
        names = [tick.text for tick in heat.panels[0].y.ticks]
        items = len(months.table) // 4
        assert len(set(names)) == len(names) == items + 1 and ("top" not in options or names[-2] == "all others")
        (tiles,) = (layer for layer in heat.panels[0].layers if isinstance(layer, Tiles))
        assert len(tiles.cells) == months.table.growth.notna().sum() + months.total.growth.notna().sum()
        texts = [text.text for layer in heat.panels[0].layers if isinstance(layer, Captions) for text in layer.texts]
        growths = [*months.table.growth, *months.total.growth]
        assert sorted(texts) == sorted(Formats().growths(np.array(growths)))
        for at in months.periods[-2:]:
            table = months.table[months.table.period == at]
            known = table[table.base.notna() & table.value.notna()]
            lines = [layer for layer in scene_of("slope", months, at=at).panels[0].layers
                     if isinstance(layer, Path) and layer.x.tolist() == [0.0, 1.0]]  # fmt: skip
            shown = sorted(tuple(np.round(layer.y, 6).tolist()) for layer in lines)
            assert shown == sorted(zip(known.base.round(6), known.value.round(6)))
            bars = scene_of("bars", months, at=at).panels[0]
            ends = np.concatenate([layer.high for layer in bars.layers if isinstance(layer, Bars)])
            assert sorted(np.round(ends, 6)) == pytest.approx(sorted(table.value.round(6)))
    months = lc.compare(book, "month", last=14).total
    trend = points_of(scene_of("trend", lc.compare(book, "month", last=14)))
    assert all(trend[float(place)] == {round(value, 6)} for place, value in enumerate(months.value))
    years = lc.pace(book, "year")
    shown = points_of(scene_of("pace", years))
    last = years.lines("running", years.measures[0])[-1]
    for place in np.flatnonzero(np.isfinite(last)).tolist()[::9]:
        assert any(round(float(last[place]), 6) in values for values in shown.values())
    landing = lc.land(book, "month")
    path = landing.path(landing.measures[0])
    shown = points_of(scene_of("landing", landing))
    for side in (path.running, path.base, path.expected):
        for value in side[np.isfinite(side)].tolist()[::5]:
            assert any(np.isclose(value, one, atol=1e-6) for values in shown.values() for one in values)


def test_panels_with_scales_of_their_own(demo_book):
    months = lc.compare(demo_book, "month", by="harbor", last=24, measures="revenue")
    shared, own = (lc.draw.lines(months, panels="harbor", panel_scale=scale) for scale in ("shared", "own"))
    assert len({ax.get_ylim() for ax in shared.axes}) == 1 and len({ax.get_ylim() for ax in own.axes}) == 4
    assert "each panel has a scale of its own" in [text.get_text().rpartition(" · ")[2] for text in own.texts]
    for ax, (_, rows) in zip(own.axes, months.table.groupby("harbor")):
        highest = months.table[months.table.harbor == ax.get_title(loc="left")][["value", "base"]].max().max()
        assert highest < ax.get_ylim()[1] < 1.2 * highest and len(rows) == 24
    with pytest.raises(lc.QuestionError, match="`panel_scale` must be one of shared, own"):
        lc.draw.lines(months, panels="harbor", panel_scale="each")


def test_an_item_called_like_what_gathers_others_keeps_its_place(rows_file):
    rows = [("2025-01-05", name, amount) for name, amount in (("a", 5), ("all others", 9), ("b", 2))]
    book = lc.read(rows_file(rows), values="amount", by="item")
    spec = tables_of(lc.compare(book, "month", by="item"), Formats())[0]
    assert [row.text("dim:item") for row in spec.rows] == ["all others", "a", "b", "Total"]
