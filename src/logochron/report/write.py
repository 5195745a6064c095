"""A report written into a folder: page, workbook, a picture and a table for each section."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from logochron.core.errors import LogochronError, QuestionError, visible
from logochron.core.questions.relate import JOINED
from logochron.core.questions.restated import Restatement, reported, restatement
from logochron.core.rows.answer import AlignedAnswer
from logochron.report.figures_file import earlier_figures, write_figures
from logochron.report.folder import FIGURES, MANIFEST, PAGE, RESTATED, WORKBOOK, ReportFolder, report_folder
from logochron.views.figures.choose import Chosen, named_figure, suited
from logochron.views.figures.drawing import drawing
from logochron.views.formats import Formats, harmless
from logochron.views.page.build import page
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.workbook import write_workbook
from logochron.views.words.sentences import restated_lines
from logochron.views.write_file import write

_LOG = logging.getLogger("logochron.report")
#: So many changed figures are named in notes; the file has all.
_NAMED = 20
#: Is told what is done, and the part of all that is done.
ToldDone = Callable[[str, float], None]


class Written(NamedTuple):
    """What was written: the folder, its files, what changed since the last run by heading, and that in lines."""

    folder: Path
    files: tuple[str, ...]
    restated: Mapping[str, Restatement]
    lines: tuple[str, ...]


def write_report(
    sections: Sequence[Section],
    folder: Path,
    *,
    title: str,
    formats: Formats,
    palette: Palette,
    choices: Sequence[str] | None = None,
    restating: bool = True,
    alerts: Sequence[str] = (),
    progress: ToldDone | None = None,
    workers: int = 1,
) -> Written:
    """Write the files of a report.

    Raises
    ------
    QuestionError
        Where no folder can stand there, or something that is not ours is in the way of a file: nothing is written.
    OutputError
        Where another run writes into it, or it cannot be written to the end.
    """
    told = progress or (lambda what, part: None)
    with report_folder(folder) as place:
        restated = _restated(sections, place) if restating else {}
        changed = {heading: one for heading, one in restated.items() if one.columns.rows}
        lines = restated_lines(restated, formats, _NAMED, RESTATED)
        notes = [*lines, *map(str.strip, alerts)]
        told(PAGE, 0.0)
        made = page(
            sections,
            title=title,
            formats=formats,
            palette=palette,
            notes=notes,
            names=choices,
            progress=lambda done, many: told(PAGE, 0.75 * done / max(many, 1)),
            workers=workers,
        )
        beside = place.beside
        (beside / PAGE).write_text(made, encoding="utf-8")
        told(WORKBOOK, 0.75)
        write_workbook(sections, beside / WORKBOOK, title=title, formats=formats, palette=palette, notes=notes)
        files = []
        for n, section in enumerate(sections, start=1):
            told(section.heading, 0.8 + 0.2 * n / (len(sections) + 1))
            files += _of_section(section, n, beside, formats, palette)
        if changed:
            _write_restated(restated, beside / RESTATED, safe=formats.spreadsheet_safe)
            files.append(RESTATED)
        write_figures(sections, beside / FIGURES)
        files += [WORKBOOK, FIGURES, PAGE]  # the page last: who opens it finds all the rest
        place.put_in_place(files)
    files.append(MANIFEST)
    _LOG.info("wrote %s files into %s", len(files), folder)
    for line in lines:
        _LOG.info("%s", line)
    told("", 1.0)
    return Written(folder, tuple(files), changed, tuple(lines))


def _of_section(section: Section, n: int, folder: Path, formats: Formats, palette: Palette) -> list[str]:
    """The table of a section, and its picture where a figure shows it."""
    if section.answer is None:
        return []
    name = f"{n:02d}-{_slug(section.heading)}"
    write(section.answer, folder / f"{name}.csv", formats=formats)
    files = [f"{name}.csv"]
    chosen = figure_of(section)
    if chosen is not None:
        answer: Any = section.answer
        try:
            write(
                answer,
                folder / f"{name}.png",
                figure=lambda: drawing(chosen.figure)(answer, formats=formats, palette=palette, **chosen.options),
            )
            files.append(f"{name}.png")
        except QuestionError as error:
            _LOG.info("section %r has no picture: %s", section.heading, error)
    return files


def figure_of(section: Section) -> Chosen | None:
    """The figure of a section as it was asked, with its options; None where there is none."""
    if not section.drawn or not isinstance(section.answer, AlignedAnswer):
        return None
    if section.figure is not None:
        return named_figure(section.figure, section.options)
    try:
        return suited(section.answer)
    except LogochronError:
        return None


def _slug(heading: str) -> str:
    """A heading as part of a file's name."""
    return re.sub(r"[^\w]+", "-", visible(heading).casefold()).strip("-_")[:60] or "section"


def _restated(sections: Sequence[Section], folder: ReportFolder) -> dict[str, Restatement]:
    """What changed since the last run into a folder, by heading."""
    earlier = earlier_figures(folder.place / FIGURES) if folder.is_ours(FIGURES) else {}
    found = {}
    for section in sections:
        if section.heading in earlier and isinstance(section.answer, AlignedAnswer):
            try:
                found[section.heading] = restatement(earlier[section.heading], reported(section.answer))
            except QuestionError as error:
                _LOG.info("section %r is not held against the last run: %s", section.heading, error)
    return found


def _write_restated(restated: Mapping[str, Restatement], path: Path, *, safe: bool) -> None:
    """All changed figures in one table, with the section of each; items of several dimensions joined."""
    import pandas as pd

    frames = []
    for heading, one in restated.items():
        table = one.table
        items = (
            table[list(one.by)].astype(object).apply(lambda row: JOINED.join(row.dropna()), axis=1) if one.by else ""
        )
        rest = table.drop(columns=list(one.by))
        rest.insert(0, "section", heading)
        rest.insert(3, "items", items)
        frames.append(rest)
    table = pd.concat(frames)
    if safe:
        texts = table.select_dtypes(exclude="number").columns
        table[texts] = table[texts].map(lambda value: harmless(value) if isinstance(value, str) else value)
    table.to_csv(path, index=False)
