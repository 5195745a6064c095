"""What is handed on together: answers, each under a heading, with how it is shown."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from logochron.core.rows.result import Result


@dataclass(frozen=True, kw_only=True, eq=False)
class Section:
    """One answer under its heading; where its question was refused, why.

    Attributes
    ----------
    heading
        What it is called: no two alike on a page.
    answer
        The answer, None where its question was refused.
    refused
        Why it was.
    figure, options
        The figure's name, the one that suits where None; what it is drawn with.
    table, words, drawn
        Whether its table, its sentences and its figure are shown.
    summary
        Whether it is one of the two that a page of summary has room for.
    """

    heading: str
    answer: Result | None = None
    refused: str = ""
    figure: str | None = None
    options: Mapping[str, Any] = field(default_factory=dict)
    table: bool = True
    words: bool = True
    drawn: bool = True
    summary: bool = False

    @property
    def told(self) -> Result | None:
        """The answer whose sentences, figure and figures of before are its own, None where its question was refused."""
        return self.answer and self.answer.told
