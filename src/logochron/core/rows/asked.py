"""Which items, which measures, judged how: checked without anything being lined up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import adds_up, counts_ids
from logochron.core.book.measures import Measure
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import Judging, JudgingLike, judgings_of
from logochron.core.options import Kept, check, check_count
from logochron.core.rows.question_types import question_type


@dataclass(frozen=True, kw_only=True, eq=False)
class Asked:
    """What is asked of which book; asked anew by `replace`.

    Attributes
    ----------
    book
        As it came.
    by, measures, judgings
        The dimensions, the measures and how each is judged.
    kept, top, sort
        Which items totals hold, how many are shown, and in which order.
    """

    book: Daybook
    by: tuple[str, ...]
    measures: tuple[Measure, ...]
    judgings: Mapping[str, Judging]
    kept: Kept = "all"
    top: int | None = None
    sort: str | None = None


def check_book(book: object) -> None:
    """Refuses what is no daybook."""
    if not isinstance(book, Daybook):
        raise QuestionError(f"`book` must be a Daybook, as `read` gives it; got {type(book).__name__}")


def adding_up(book: Daybook, measures: str | Sequence[str] | None) -> tuple[list[str], list[str]]:
    """The measures asked for that add up, and those that divide."""
    asked = [measure.name for measure in book.check_measures(measures)]
    divide = [name for name in asked if not adds_up(book.formulas[name])]
    return [name for name in asked if name not in divide], divide


def ask(
    answer: str,
    book: Daybook,
    *,
    by: str | Sequence[str] | None,
    measures: str | Sequence[str] | None,
    judging: JudgingLike,
    items: Kept,
    top: int | None,
    sort: str | None,
) -> Asked:
    """The options about items, measures and judging, checked.

    Parameters
    ----------
    answer
        What the answer is called whose columns the dimensions stand beside, and whose orders it has.

    Raises
    ------
    QuestionError
        Where one names nothing or does not go with another.
    """
    check_book(book)
    dims, asked, of_answer = book.check_by(by), book.check_measures(measures), question_type(answer)
    of_answer.check_dimensions(dims)
    if check("items", items, Kept) == "comparable" and not dims:
        raise QuestionError("items='comparable' is about items: name a dimension in `by` (--by)")
    counting = [m.name for m in asked if counts_ids(book.formulas[m.name])]
    if items == "comparable" and counting:
        raise QuestionError(
            f"items='comparable' adds items up, and distinct ids do not add up: leave {', '.join(counting)} out"
        )
    if top is not None:
        check_count("top", top)
    if sort is not None:
        sort = of_answer.sort_named(sort, of_answer.headings_of(dims, [m.name for m in asked]))
    for option, given in (("top", top), ("sort", sort)):
        if given is not None and not dims:
            raise QuestionError(f"`{option}` is about items: name a dimension in `by` (--by)")
    judgings = judgings_of(judging, [m.name for m in asked], list(book.formulas))
    return Asked(book=book, by=dims, measures=asked, judgings=judgings, kept=items, top=top, sort=sort)
