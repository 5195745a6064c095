"""Tables in Markdown."""

from __future__ import annotations

from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.tables.registry import specs
from logochron.views.tables.spec import TableSpec


def markdown(result: Result, formats: Formats) -> str:
    """The tables of an answer in Markdown."""
    return "\n".join(_markdown(spec) for spec in specs(result, formats))


def _markdown(spec: TableSpec) -> str:
    def line(cells: list[str]) -> str:
        escaped = (" ".join(cell.split()).replace("\\", "\\\\").replace("|", "\\|") for cell in cells)
        return f"| {' | '.join(escaped)} |"

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
