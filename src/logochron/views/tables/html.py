"""A result as a notebook shows it."""

from __future__ import annotations

from html import escape

from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.palette import Palette
from logochron.views.tables.registry import specs
from logochron.views.tables.spec import Row, TableSpec


def html(result: Result, formats: Formats | None = None, palette: Palette | None = None) -> str:
    """The tables of an answer as HTML; labels are escaped."""
    palette = palette or Palette()
    return "".join(_table(spec, palette) for spec in specs(result, formats or Formats()))


def _table(spec: TableSpec, palette: Palette) -> str:
    def cell(tag: str, column: str, text: str, color: str = "") -> str:
        align = "right" if column in spec.numeric else "left"
        return f'<{tag} style="text-align:{align};{color}">{escape(text)}</{tag}>'

    def style(row: Row, column: str) -> str:
        if column == spec.judged and row.verdict:
            return f"color:{palette.verdict(row.verdict)};white-space:pre"
        if column == "bar":
            return f"color:{palette.base};font-family:monospace"
        return f"padding-left:{row.depth + 0.5}em" if row.depth and column.startswith("dim:") else ""

    head = "".join(cell("th", column, heading) for column, heading in spec.headings.items())
    body = []
    for row in spec.rows:
        cells = "".join(cell("td", name, row.cells.get(name, ""), style(row, name)) for name in spec.headings)
        weight = ' style="font-weight:bold"' if row.total or row.subtotal else ""
        body.append(f"<tr{weight}>{cells}</tr>")
    notes = "<br>".join(escape(line) for line in spec.lines)
    unit = f" ({escape(spec.unit)})" if spec.unit else ""
    return (
        f"<table><caption>{escape(spec.title)}{unit}</caption><thead><tr>{head}</tr></thead>"
        f"<tbody>{''.join(body)}</tbody></table><p><small>{notes}</small></p>"
    )
