"""Measures the texts of a drawn figure."""

from __future__ import annotations

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.text import Text


def crossing(figure) -> list[tuple[str, str]]:
    """Texts that overlap each other or leave the picture."""
    FigureCanvasAgg(figure)
    figure.draw_without_rendering()
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
