"""Measures: what is summed, and which way is good."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass

from logochron.core.errors import QuestionError
from logochron.core.options import Better, check


@dataclass(frozen=True)
class Measure:
    """The sum of a column.

    Parameters
    ----------
    name
        What the measure is called in tables and titles.
    column
        The column it sums; the one called like the measure where left out.
    better
        Which direction is favorable: ``"higher"``, ``"lower"`` or ``"neither"``.
    unit
        The unit of its figures, for people ("EUR", "kg").

    Raises
    ------
    QuestionError
        Where the name is empty or `better` is none of the three.

    Examples
    --------
    >>> Measure("costs", column="cost", better="lower").source_column
    'cost'
    """

    name: str
    _: KW_ONLY
    column: str | None = None
    better: Better = "higher"
    unit: str | None = None

    def __post_init__(self) -> None:
        if not isinstance(self.name, str) or not self.name.strip():
            raise QuestionError(f"a measure needs a name; got {self.name!r}")
        check("better", self.better, Better)

    @property
    def source_column(self) -> str:
        """The column whose amounts it sums."""
        return self.column or self.name
