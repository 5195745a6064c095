"""The drawing package that the page carries, in the order in which its parts need each other."""

DRAWING = (
    *("d3-array", "d3-color", "d3-format", "d3-interpolate", "d3-path", "d3-selection", "d3-time", "d3-time-format"),
    *("d3-scale", "d3-axis", "d3-shape"),
)
