"""Tables as plain text, as wide as they need: what goes into a pipe or a file, where nothing is colored or narrowed.

Laid out here, as what draws tables on a terminal takes ten times as long and a fifth of a second to be loaded.
"""

from __future__ import annotations

from rich.cells import cell_len

from logochron.core.errors import visible
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cells import GAP, Shown, TableColumn, TableSpec

#: So many periods, and rows of each table, are printed.
LATEST, _MOST_ROWS = 13, 200


def printed(result: Result) -> str:
    """The tables of an answer as `print` shows them: the latest periods, without colors."""
    specs = tables_of(result, Formats(), Shown(rows=_MOST_ROWS, periods=LATEST, once=True))
    return "\n".join(table_text(spec, plain=False) for spec in specs).rstrip("\n")


def table_text(spec: TableSpec, *, plain: bool) -> str:
    """A table with its title above and its lines below.

    Parameters
    ----------
    plain
        Whether the rules are of ASCII signs.
    """
    spec = spec.mapped(visible)
    if not spec.rows:
        return _joined([spec.title, spec.empty, *spec.lines])
    columns = list(spec.shown)
    widths = {column.name: spec.width(column) for column in columns}
    whole = sum(widths.values()) + GAP * (len(columns) - 1)
    rule = ("-" if plain else "─") * whole

    def line(texts: list[str]) -> str:
        cells = (_laid(text, widths[column.name], column) for text, column in zip(texts, columns))
        return (" " * GAP).join(cells)

    notes = sum(widths[column.name] + GAP for column in columns if column.kind == "note")
    space = max(whole - notes - cell_len(spec.title) - cell_len(spec.unit), 2)
    lines = [spec.title + " " * space + spec.unit]
    if heads := spec.heads(widths, columns, rule[:1]):
        lines.append(heads)
    lines += [line([column.heading for column in columns]), rule]
    by_items = any(row.total for row in spec.rows)
    for place, row in enumerate(spec.rows):
        if row.set_off:
            lines.append(rule)
        lines.append(line([spec.laid(row, column) for column in columns]))
        if by_items and row.total and place < len(spec.rows) - 1:
            lines.append(rule)
    return _joined([*lines, "", *spec.lines])


def _laid(text: str, width: int, column: TableColumn) -> str:
    """A cell as wide as its column: figures at the right."""
    space = " " * max(width - cell_len(text), 0)
    return space + text if column.is_figure else text + space


def _joined(lines: list[str]) -> str:
    return "".join(line.rstrip() + "\n" for line in lines)
