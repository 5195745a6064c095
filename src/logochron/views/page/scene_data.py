"""Scenes as plain data for the page: short keys, positions as they are drawn, no color."""

from __future__ import annotations

from typing import Any

import numpy as np

from logochron.core.rows.figures import Floats
from logochron.views.figures.scene import (
    Axis,
    Bars,
    Captions,
    Details,
    Dots,
    Entry,
    Layer,
    Panel,
    Path,
    Ribbon,
    Scene,
    Seen,
    Text,
    Ticks,
    Tiles,
)
from logochron.views.page.pool import Pool

#: So many digits of a position are drawn: a two-thousandth of a point in a figure.
_SHORT = "%.7g"


def scene_data(scene: Scene, pool: Pool) -> dict[str, Any]:
    """A scene: its size, words, legend and panels; what scenes share stands in the pool."""
    return {
        "size": [round(side * 72, 2) for side in scene.size],
        "title": scene.title,
        "said": scene.subtitle,
        "alt": scene.alt,
        "empty": scene.empty,
        "legend": pool.add([_entry(entry) for entry in scene.legend]),
        "panels": [_panel(panel, pool) for panel in scene.panels],
    }


def seen_data(seen: Seen, pool: Pool) -> list[Any]:
    """What is seen of a scene: from where to where, the axis of amounts, the legend."""
    entries = pool.add([_entry(entry) for entry in seen.legend])
    return [seen.low, seen.high, pool.add(_axis(seen.amounts)), entries]


def _entry(entry: Entry) -> dict[str, Any]:
    return {
        "look": entry.look,
        "words": entry.words,
        "role": entry.role,
        "strength": entry.strength if entry.pale else 1,
        "dash": entry.dash,
        "weight": entry.weight,
    }


def _panel(panel: Panel, pool: Pool) -> dict[str, Any]:
    return {
        "heading": panel.heading,
        "box": [round(side * 72, 2) for side in panel.box],
        "x": pool.add(_axis(panel.x)),
        "y": pool.add(_axis(panel.y)),
        "layers": [pool.add(_layer(layer, pool), refers=True) for layer in panel.layers],
    }


def _axis(axis: Axis) -> dict[str, Any]:
    return {
        "kind": axis.kind,
        "low": _number(axis.low),
        "high": _number(axis.high),
        "ticks": [[_number(tick.at), tick.text] for tick in axis.ticks],
        "words": axis.words,
        "grid": axis.gridlines,
        "labeled": axis.labeled,
        "line": axis.line,
    }


def _layer(layer: Layer, pool: Pool) -> dict[str, Any]:
    made = {"kind": type(layer).__name__.lower()}
    if isinstance(layer, Captions):
        return made | {"texts": list(map(_text, layer.texts))}
    if isinstance(layer, Tiles):
        return made | {"cells": [[*map(_number, cell[:4]), cell.role, round(cell.strength, 3)] for cell in layer.cells]}
    if isinstance(layer, Details):
        cross = None if layer.cross is None else [_numbers(side, pool) for side in layer.cross]
        places = {"low": _numbers(layer.low, pool), "high": _numbers(layer.high, pool)}
        return made | places | {"rows": [pool.texts(row) for row in layer.rows], "along": layer.along, "cross": cross}
    made |= {"role": layer.role}
    if isinstance(layer, Bars):
        sides = {name: _numbers(getattr(layer, name), pool) for name in ("start", "end", "low", "high")}
        return made | sides | {"strength": layer.strength if layer.pale else 1, "along": layer.along}
    if isinstance(layer, Ticks):
        sides = {name: _numbers(getattr(layer, name), pool) for name in ("position", "at")}
        return made | sides | {"half": layer.half, "halo": layer.halo, "along": layer.along, "weight": layer.weight}
    if isinstance(layer, Ribbon):
        sides = {name: _numbers(getattr(layer, name), pool) for name in ("x", "low", "high")}
        return made | sides | {"strength": layer.strength}
    sides = {name: _numbers(getattr(layer, name), pool) for name in ("x", "y")}
    if isinstance(layer, Dots):
        return made | sides | {"size": layer.size}
    assert isinstance(layer, Path)
    return made | sides | {"dash": layer.dash, "weight": layer.weight}


def _text(text: Text) -> list[Any]:
    """What is usual is left out at the end."""
    x, y = _number(text.x), _number(text.y)
    looks = [round(text.dx, 2), round(text.dy, 2), text.across[0], text.upright[0], text.size]
    found = [x, y, text.text, text.role, *looks, int(text.bold), text.frame, int(text.halo)]
    usual = [None, None, None, "ink", 0.0, 0.0, "c", "c", 9.0, 0, "", 0]
    while len(found) > 3 and found[-1] == usual[len(found) - 1]:
        found.pop()
    return found


def _numbers(values: Floats, pool: Pool) -> int:
    return pool.numbers(np.asarray(values, dtype=np.float64), _short_list)


def _short_list(values: Floats) -> str:
    """Positions as short as they are drawn, null where there is none."""
    text = ",".join(map(_SHORT.__mod__, values.tolist()))
    known = np.isfinite(values)
    if not known.all():
        text = ",".join(one if there else "null" for one, there in zip(text.split(","), known.tolist()))
    return f"[{text}]"


def _number(value: float) -> float | int | None:
    """A position as short as it is drawn; None where there is none."""
    if not np.isfinite(value):
        return None
    short = float(_SHORT % value)
    return int(short) if short == int(short) else short
