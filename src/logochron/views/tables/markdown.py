"""Tables in Markdown."""

from __future__ import annotations

import re

from logochron.core.errors import visible
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cells import Row, Shown, TableColumn, TableSpec


def markdown(result: Result, formats: Formats) -> str:
    """The tables of an answer in Markdown."""
    return "\n".join(map(_markdown, tables_of(result, formats)))


def excerpt(result: Result) -> str:
    """The latest rows of an answer in Markdown, for where HTML is not shown."""
    return "\n".join(map(_markdown, tables_of(result, Formats(), Shown(rows=_MOST_ROWS))))


#: More rows than this are cut in a notebook.
_MOST_ROWS = 60
#: What Markdown would obey within a line and at its start; what becomes a link by itself.
_MARKUP = re.compile(r"([\\`*_\[\]|~@]|(?<=:)/(?=/)|(?<=\bwww)\.)")
_AT_START = re.compile(r"^(\s*)(#|[-+](?=\s)|\d+(?=[.)]\s))")
_HTML = {"&": "&amp;", "<": "&lt;", ">": "&gt;"}


def escaped(text: str) -> str:
    """A text that Markdown, and HTML within it, show as it is.

    >>> escaped("*gear* | <b>")
    '\\\\*gear\\\\* \\\\| &lt;b&gt;'
    """
    plain = _MARKUP.sub(r"\\\1", " ".join(visible(text).split()))
    for sign, shown in _HTML.items():
        plain = plain.replace(sign, shown)
    return _AT_START.sub(lambda start: start[1] + (start[2] + "\\" if start[2].isdigit() else "\\" + start[2]), plain)


def _heading(column: TableColumn) -> str:
    """What stands above a column: Markdown has one row of heads."""
    return f"{column.group}: {column.heading}" if column.group else column.heading


def _markdown(spec: TableSpec) -> str:
    def line(cells: list[str]) -> str:
        return f"| {' | '.join(cells)} |"

    def cells(row: Row) -> list[str]:
        texts = []
        for column in spec.shown:
            cell = row.cells.get(column.name)
            text = escaped(spec.beside(cell)) if cell is not None else ""
            text = f"· {text}" if cell is not None and cell.depth else text
            texts.append(f"**{text}**" if row.strong and text.strip() else text)
        return texts

    unit = f" ({escaped(spec.unit)})" if spec.unit else ""
    rules = ["---:" if column.is_figure else "---" for column in spec.shown]
    lines = [f"**{escaped(spec.title)}**{unit}", "", line([escaped(_heading(column)) for column in spec.shown])]
    lines += [f"| {' | '.join(rules)} |", *(line(cells(row)) for row in spec.rows)]
    return "\n".join([*lines, "", *(f"{escaped(text)}  " for text in spec.lines), ""])
