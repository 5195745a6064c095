"""Answers written as one page."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from logochron.core.check_kinds import kinds_checked
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.page.to_html import page
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.answer_tables import check_room, tables_of
from logochron.views.tables.cells import Shown
from logochron.views.whole_file import whole_file


@kinds_checked
def write_page(
    answers: Result | Sequence[Result] | Mapping[str, Result],
    path: str | Path,
    *,
    title: str | None = None,
    figures: Mapping[str, str] | None = None,
    choices: Sequence[str] | None = None,
    locale: str = "en",
    currency: str | None = None,
    formats: Formats | None = None,
    palette: Palette | None = None,
) -> Path:
    """Write answers as one page that opens from disk, in which any period and any item can be chosen.

    Parameters
    ----------
    answers
        One, a list, or by heading.
    title
        What the page is called; the title of the first answer where None.
    figures
        Names of figures by heading, instead of those that suit.
    choices
        The dimensions that can be chosen; all of the book where None.
    locale, currency, formats
        How numbers, days and words are written (`formats` goes before the others).

    Returns
    -------
    pathlib.Path
        The file, written whole or not at all.

    Raises
    ------
    QuestionError
        Where there is no answer, two have one heading, or the file cannot be written.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(by="harbor"), each="month", measures="revenue", last=13)
    >>> lc.write_page({"How the months stand": months}, "months.html")  # doctest: +SKIP
    """
    for name, came, wanted in (("formats", formats, Formats), ("palette", palette, Palette)):
        if came is not None and not isinstance(came, wanted):
            raise QuestionError(f"`{name}` must be {wanted.__name__}; got {brief(came)}")
    formats = formats or Formats(locale=locale, currency=currency)
    sections = sections_of(answers, formats, figures or {})
    if choices is not None:
        known = _dimensions(sections)
        for name in choices:
            if name not in known:
                raise QuestionError(f"`choices`: {no_such('dimension', str(name), known, where='the answers')}")
    for section in sections:
        if section.answer is not None:
            check_room(section.answer, "a page")
    made = page(
        sections,
        title=title or sections[0].heading,
        formats=formats,
        palette=palette,
        names=choices,
    )
    path = Path(path)
    with whole_file(path) as target:
        target.write_text(made, encoding="utf-8")
    return path


def sections_of(
    answers: Result | Sequence[Result] | Mapping[str, Result], formats: Formats, figures: Mapping[str, str]
) -> list[Section]:
    """Answers under their headings: those given, or the titles of their tables.

    Raises
    ------
    QuestionError
        Where there is none, or what is given is no answer.
    """
    named = answers if isinstance(answers, Mapping) else None
    if not isinstance(answers, (Result, Mapping, list, tuple)):
        raise QuestionError(f"`answers` must be an answer, a list of them or by heading; got {brief(answers)}")
    given: list[Any] = [answers] if isinstance(answers, Result) else list(answers if named is None else named.values())
    for one in given:
        if not isinstance(one, Result):
            raise QuestionError(f"`answers` must be answers, such as those of compare; got {brief(one)}")
    if not given:
        raise QuestionError("`answers` holds none: a page needs one at least")
    headings = list(named) if named is not None else [tables_of(one, formats, Shown(rows=1))[0].title for one in given]
    headings = list(map(str, headings))
    seen: dict[str, int] = {}
    for place, heading in enumerate(headings):
        seen[heading] = seen.get(heading, 0) + 1
        if seen[heading] > 1:
            headings[place] = f"{heading} ({seen[heading]})"
    known = {heading: one.type.figures for heading, one in zip(headings, given)}
    for heading, figure in figures.items():
        if heading not in known:
            raise QuestionError(f"`figures`: {no_such('section', str(heading), known)}")
        if figure not in known[heading]:
            raise QuestionError(f"`figures`: {no_such('figure', str(figure), known[heading])}")
    return [Section(heading=heading, answer=one, figure=figures.get(heading)) for heading, one in zip(headings, given)]


def _dimensions(sections: Sequence[Section]) -> tuple[str, ...]:
    """The dimensions of the records of the first answer that has any."""
    for section in sections:
        if isinstance(section.answer, AlignedAnswer):
            return section.answer.asked.book.dimensions
    return ()
