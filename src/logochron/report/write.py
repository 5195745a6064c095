"""What a report writes: a page, a workbook, pictures and tables, and a file of all figures."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable, Collection, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from logochron.core.choices import JOINED, Paper
from logochron.core.days import iso
from logochron.core.errors import QuestionError, first_line, shown_path, visible
from logochron.core.questions.restated import Reported, Restatement, reported, restatement, seeming_exact
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.said import Said
from logochron.report.folder import (
    FIGURES,
    MANIFEST,
    PAGE,
    RESTATED,
    SLIDES,
    SUMMARY,
    WORKBOOK,
    ReportFolder,
    report_folder,
)
from logochron.report.settings import USUAL as USUAL_FILES
from logochron.report.settings import FileKind, Printed
from logochron.views.figures.choose import figure_of
from logochron.views.figures.drawing import drawing
from logochron.views.figures.workbook_charts import add_chart
from logochron.views.formats import Formats, harmless
from logochron.views.page.build import page
from logochron.views.page.offers import USUAL, Offers
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.workbook import write_workbook
from logochron.views.words.sentences import restated_lines
from logochron.views.write_file import as_system_error, handout_bytes, quoted, write

_WARNINGS = logging.getLogger("logochron")
#: The columns of the file, by the engine's types; so many rows at most.
_KINDS = {
    **{"section": "VARCHAR", "dimensions": "VARCHAR[]", "measure": "VARCHAR", "period": "VARCHAR"},
    **{"items": "VARCHAR[]", "value": "DOUBLE", "base": "DOUBLE", "status": "VARCHAR"},
    **dict.fromkeys(("report_date", "first_day", "last_day"), "DATE"),
}
_MOST = 20_000_000


def write_figures(sections: Sequence[Section], path: Path) -> None:
    """Write the figures of all sections, each row with its report date and coverage."""
    import duckdb

    parts = []
    with duckdb.connect() as connection:
        connection.execute("SET threads = 1")
        for n, section in enumerate(sections):
            answer = section.told
            if not isinstance(answer, AlignedAnswer) or answer.type.restated is None:
                continue
            figures, cover = reported(answer), answer.book.coverage
            size = len(figures.measure)
            arrays: dict[str, Any] = {
                "measure": figures.measure, "period": figures.period, "status": figures.status,
                "value": figures.value, "base": figures.base,
                **{f"label{k}": labels for k, labels in enumerate(figures.labels)},
                "heading": np.full(size, section.heading, dtype=object),
            }  # fmt: skip
            connection.register(f"section{n}", arrays)
            labels = ", ".join(f"label{k}::VARCHAR" for k in range(len(figures.by)))
            names = ", ".join(quoted(name) for name in figures.by)
            days = [f"DATE '{iso(day)}'" for day in (cover.last, cover.first, cover.recorded_last)]
            value, base = (f"CASE WHEN isnan({side}) THEN NULL ELSE {side} END" for side in ("value", "base"))
            parts.append(
                f"SELECT heading::VARCHAR AS section, [{names}]::VARCHAR[] AS dimensions, measure::VARCHAR AS measure, "
                f"period::VARCHAR AS period, [{labels}]::VARCHAR[] AS items, {value} AS value, {base} AS base, "
                f"status::VARCHAR AS status, {days[0]} AS report_date, {days[1]} AS first_day, {days[2]} AS last_day "
                f"FROM section{n}"
            )
        if not parts:
            parts.append(
                "SELECT NULL::VARCHAR AS section, []::VARCHAR[] AS dimensions, NULL::VARCHAR AS measure, NULL::VARCHAR "
                "AS period, []::VARCHAR[] AS items, NULL::DOUBLE AS value, NULL::DOUBLE AS base, NULL::VARCHAR AS "
                "status, NULL::DATE AS report_date, NULL::DATE AS first_day, NULL::DATE AS last_day WHERE false"
            )
        with as_system_error():
            connection.execute(
                f"COPY ({' UNION ALL '.join(parts)}) TO {quoted(str(path))} (FORMAT parquet, USE_TMP_FILE false)"
            )


def earlier_figures(path: Path) -> Mapping[str, Reported]:
    """The figures of an earlier run, by heading; none where they cannot be read."""
    import duckdb

    figures = {}
    try:
        with duckdb.connect() as connection:
            _check(connection, path)
            sections = connection.execute(
                "SELECT section, first(dimensions) FROM read_parquet(?) GROUP BY section ORDER BY section", [str(path)]
            ).fetchall()
            for heading, by in sections:
                labels = ", ".join(f"items[{k + 1}] AS label{k}" for k in range(len(by)))
                rows = connection.execute(
                    f"SELECT measure, period, status, value, base{', ' + labels if labels else ''} "
                    "FROM read_parquet(?) WHERE section = ?",
                    [str(path), heading],
                ).fetchnumpy()
                figures[heading] = _reported(tuple(by), rows)
    except (duckdb.Error, QuestionError) as error:
        said = "{0} cannot be read, so that no figure is held against what was reported: {1}"
        _WARNINGS.warning(Said(said, shown_path(path), first_line(error)))
        return {}
    return figures


def _check(connection: Any, path: Path) -> None:
    """Refuse a file that `write_figures` did not write.

    Raises
    ------
    QuestionError
        With what is odd about it.
    """
    described = connection.execute("DESCRIBE FROM read_parquet(?)", [str(path)]).fetchall()
    kinds = {name: kind for name, kind, *_ in described}
    if kinds != _KINDS:
        raise QuestionError("its columns are not those of a report")
    ((rows, odd),) = connection.execute(
        f"SELECT sum(num_rows), (SELECT count(*) FROM (FROM read_parquet($1) LIMIT {_MOST + 1}) WHERE section IS NULL "
        "OR measure IS NULL OR period IS NULL OR status IS NULL OR items IS NULL OR dimensions IS NULL "
        "OR len(items) <> len(dimensions) OR len(dimensions) <> len(list_filter(dimensions, lambda one: one IS NOT "
        "NULL)) OR len(list_distinct(dimensions)) <> len(dimensions)) FROM parquet_file_metadata($1)",
        [str(path)],
    ).fetchall()
    if rows > _MOST:
        raise QuestionError("it holds more than {0:,} rows", _MOST)
    if odd:
        raise QuestionError("{0:,} of its rows lack what every figure has", odd)


def _reported(by: tuple[str, ...], rows: Mapping[str, Any]) -> Reported:
    def texts(name: str) -> Any:
        values = np.asarray(np.ma.getdata(rows[name]), dtype=object)
        return np.where(np.ma.getmaskarray(rows[name]), None, values)  # type: ignore[call-overload]

    def figures(name: str) -> Any:
        values: Any = np.ma.asarray(rows[name], dtype=float)
        return values.filled(np.nan)

    labels = tuple(texts(f"label{k}") for k in range(len(by)))
    value, base = figures("value"), figures("base")
    exact = seeming_exact(value, base)
    return Reported(by, texts("measure"), texts("period"), labels, texts("status"), value, base, exact)


_EVENTS = logging.getLogger("logochron.report")
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
    offers: Offers = USUAL,
    printed: Printed = "all",
    files: Collection[FileKind] = USUAL_FILES,
    in_part: bool = False,
    paper: Paper = "across",
    template: Path | None = None,
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
    tell = progress or (lambda what, part: None)
    with report_folder(folder) as place:
        restated = _restated(sections, place) if restating else {}
        changed = {heading: one for heading, one in restated.items() if one.columns.rows}
        lines = restated_lines(restated, formats, _NAMED, RESTATED)
        notes = [*lines, *map(str.strip, alerts)]
        made = _Files(place.beside, sections, title, formats, palette, notes)
        written: list[str] = []
        if "slides" in files:  # first what may be refused
            written += made.handout(SLIDES, template=template)
        if "page" in files:
            tell(PAGE, 0.0)
            html = page(
                sections,
                title=title,
                formats=formats,
                palette=palette,
                notes=notes,
                offers=offers,
                printed=printed,
                progress=lambda done, many: tell(PAGE, 0.75 * done / max(many, 1)),
                workers=workers,
            )
            (place.beside / PAGE).write_text(html, encoding="utf-8")
        if "workbook" in files:
            tell(WORKBOOK, 0.75)
            write_workbook(
                sections, place.beside / WORKBOOK, title=title, formats=formats, palette=palette, notes=notes,
                chart=add_chart,
            )  # fmt: skip
            written.append(WORKBOOK)
        if "summary" in files:
            tell(SUMMARY, 0.8)
            written += made.handout(SUMMARY, paper=paper)
        for n, section in enumerate(sections, start=1):
            tell(section.heading, 0.8 + 0.2 * n / (len(sections) + 1))
            written += made.of_section(section, n, files)
        if changed:
            _write_restated(restated, place.beside / RESTATED, safe=formats.spreadsheet_safe)
            written.append(RESTATED)
        if not in_part:
            write_figures(sections, place.beside / FIGURES)
            written.append(FIGURES)
        written += [PAGE] * ("page" in files)  # the page last: who opens it finds all the rest
        place.put_in_place(written, in_part=in_part)
    written.append(MANIFEST)
    _EVENTS.info("wrote %s files into %s", len(written), folder)
    for line in lines:
        _EVENTS.info("%s", line)
    tell("", 1.0)
    return Written(folder, tuple(written), changed, tuple(lines))


class _Files(NamedTuple):
    """What makes the files of a report beside its folder."""

    beside: Path
    sections: Sequence[Section]
    title: str
    formats: Formats
    palette: Palette
    notes: Sequence[str]

    def handout(self, name: str, *, paper: Paper = "across", template: Path | None = None) -> list[str]:
        """The sheet of paper or the slides."""
        made = handout_bytes(
            self.sections, Path(name).suffix, title=self.title, formats=self.formats, palette=self.palette,
            notes=self.notes, paper=paper, template=template,
        )  # fmt: skip
        (self.beside / name).write_bytes(made)
        return [name]

    def of_section(self, section: Section, n: int, files: Collection[FileKind]) -> list[str]:
        """The table of a section, and its picture where a figure shows it."""
        if section.answer is None:
            return []
        name, written = f"{n:02d}-{_slug(section.heading)}", list[str]()
        if "tables" in files:
            write(section.answer, self.beside / f"{name}.csv", formats=self.formats)
            written.append(f"{name}.csv")
        chosen = figure_of(section) if "pictures" in files else None
        if chosen is not None:
            answer: Any = section.told
            draw = partial(drawing(chosen.figure), answer, formats=self.formats, palette=self.palette, **chosen.options)
            try:
                write(answer, self.beside / f"{name}.png", figure=draw)
                written.append(f"{name}.png")
            except QuestionError as error:
                _EVENTS.info("section %r has no picture: %s", section.heading, error)
        return written


def _slug(heading: str) -> str:
    """A heading as part of a file's name."""
    return re.sub(r"[^\w]+", "-", visible(heading).casefold()).strip("-_")[:60] or "section"


def _restated(sections: Sequence[Section], folder: ReportFolder) -> dict[str, Restatement]:
    """What changed since the last run into a folder, by heading."""
    earlier = earlier_figures(folder.place / FIGURES) if folder.is_ours(FIGURES) else {}
    changes = {}
    for section in sections:
        answer = section.told
        if section.heading in earlier and isinstance(answer, AlignedAnswer):
            try:
                changes[section.heading] = restatement(earlier[section.heading], reported(answer))
            except QuestionError as error:
                _EVENTS.info("section %r is not held against the last run: %s", section.heading, error)
    return changes


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
