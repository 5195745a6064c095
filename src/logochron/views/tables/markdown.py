"""Tables in Markdown."""

from __future__ import annotations

import re

from logochron.core.errors import visible
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.tables.registry import specs
from logochron.views.tables.spec import Shown, TableSpec


def markdown(result: Result, formats: Formats) -> str:
    """The tables of an answer in Markdown."""
    return "\n".join(_markdown(spec.told(escaped)) for spec in specs(result, formats))


def excerpt(result: Result) -> str:
    """The latest rows of an answer in Markdown, for where HTML is not shown."""
    shown = specs(result, Formats(), Shown(rows=_MOST_ROWS))
    return "\n".join(_markdown(spec.told(escaped)) for spec in shown)


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


def _markdown(spec: TableSpec) -> str:
    def line(cells: list[str]) -> str:
        return f"| {' | '.join(cells)} |"

    headings = list(spec.headings)
    rules = ["---:" if column in spec.numeric else "---" for column in headings]
    lines = [f"**{spec.title}**" + (f" ({spec.unit})" if spec.unit else ""), ""]
    lines += [line([spec.headings[column] for column in headings]), f"| {' | '.join(rules)} |"]
    for row in spec.rows:
        cells = [row.cells.get(column, "") for column in headings]
        cells = [f"· {cell}" if row.depth and column.startswith("dim:") else cell
                 for column, cell in zip(headings, cells)]  # fmt: skip
        strong = row.total or row.subtotal
        lines.append(line([f"**{cell}**" if strong and cell.strip() else cell for cell in cells]))
    return "\n".join([*lines, "", *(f"{text}  " for text in spec.lines), ""])
