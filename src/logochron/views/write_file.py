"""Results to files, by their ending: whole or not at all."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import Paper
from logochron.core.errors import QuestionError, first_line
from logochron.core.rows.result import Blocks, Result, taken
from logochron.views.formats import Formats, harmless
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.answer_tables import check_room
from logochron.views.tables.markdown import markdown
from logochron.views.whole_file import UNFINISHED, unwritten, whole_file

#: How the engine writes each form that machines read.
_COPIES = {
    "csv": "FORMAT csv, HEADER true",
    "json": "FORMAT json, ARRAY true",
    "jsonl": "FORMAT json, ARRAY false",
    "parquet": "FORMAT parquet",
}
#: What the engine raises, as an error of Python's own, where a signal stops it.
_INTERRUPTED = "Query interrupted"
#: Of forms that are lines, how further ones are written.
_LINES = {"csv": "FORMAT csv, HEADER false", "jsonl": _COPIES["jsonl"]}
#: A sheet of paper, unless a figure is asked for; slides.
ONE_PAGE, SLIDES = ".pdf", ".pptx"
HANDOUTS = (ONE_PAGE, SLIDES)
TABLE_ENDINGS = (*(f".{form}" for form in _COPIES), ".md")
PICTURE_ENDINGS = (".png", ".svg", ".pdf")
PAGE_ENDINGS = (".html", ".xlsx", ".pptx")


@kinds_checked
def write(
    result: Result,
    path: str | Path,
    *,
    formats: Formats | None = None,
    figure: Callable[[], Any] | None = None,
    named: str | None = None,
) -> Path:
    """Write a result to a file, by its ending.

    Parameters
    ----------
    figure
        Draws the figure for .png, .svg and .pdf; the one that suits where None, and a .pdf is one page of it then.
    named
        The name of the figure of an .html page or a slide; the one that suits where None.

    Raises
    ------
    QuestionError
        Where the ending is unknown or no file can be written there.
    OutputError
        Where it cannot be written to the end: a full disk, a limit. Nothing is left of it then.
    """
    path = Path(path)
    ending = check_ending(path)
    if ending in PICTURE_ENDINGS and not (ending == ONE_PAGE and figure is None):
        if figure is None:
            from logochron.views import draw

            drawn = draw.figure(result)
        else:
            drawn = figure()
        from logochron.views.figures.to_matplotlib import saved

        picture = saved(drawn, ending[1:])
        with whole_file(path) as target:
            target.write_bytes(picture)
        return path
    if ending in (*PAGE_ENDINGS, ONE_PAGE):
        _write_section(result, path, ending, formats or Formats(), named)
        return path
    if ending == ".md":
        check_room(result, "a table of text")
    with whole_file(path) as target:
        if ending == ".md":
            target.write_text(markdown(result, formats or Formats()), encoding="utf-8")
        else:
            _copy(result, target, ending[1:], safe=formats is not None and formats.spreadsheet_safe)
    return path


def _write_section(result: Result, path: Path, ending: str, formats: Formats, named: str | None) -> None:
    """An answer as a page, a workbook, one sheet of paper or slides, of one section."""
    from logochron.views.figures.workbook_charts import add_chart
    from logochron.views.page.build import sections_of, write_page
    from logochron.views.tables.workbook import write_workbook

    if ending == ".xlsx":
        check_room(result, "a workbook")
    (section,) = sections_of(result, formats, {})
    if ending in HANDOUTS:
        of_figure = replace(section, figure=named) if named else section
        with whole_file(path) as target:
            target.write_bytes(handout_bytes([of_figure], ending, title=section.heading, formats=formats))
        return
    if ending == ".html":
        write_page(
            {section.heading: result}, path, formats=formats, figures={section.heading: named} if named else None
        )
        return
    with whole_file(path) as target:
        write_workbook([section], target, title=section.heading, formats=formats, chart=add_chart)


def handout_bytes(
    sections: Sequence[Section],
    ending: str,
    *,
    title: str,
    formats: Formats,
    palette: Palette | None = None,
    notes: Sequence[str] = (),
    paper: Paper = "across",
    template: Path | None = None,
) -> bytes:
    """Sections as one sheet of paper (.pdf) or as slides (.pptx).

    Raises
    ------
    QuestionError
        Where the package for slides is missing, or the template is none.
    """
    from logochron.views.handout.handout import handout_of

    handout, colors = handout_of(sections, title=title, formats=formats, notes=notes), palette or Palette()
    if ending == ONE_PAGE:
        from logochron.views.handout.one_page import one_page

        return one_page(handout, formats=formats, palette=colors, paper=paper)
    from logochron.views.handout.slides import slides

    return slides(handout, formats=formats, palette=colors, template=template)


def check_ending(path: Path) -> str:
    """The ending of a path that can be written."""
    ending = path.suffix.lower()
    if ending not in TABLE_ENDINGS + PICTURE_ENDINGS + PAGE_ENDINGS:
        known = ", ".join(TABLE_ENDINGS + PICTURE_ENDINGS + PAGE_ENDINGS)
        raise QuestionError("{0} has an ending that cannot be written; known are {1}", path, known)
    return ending


@contextmanager
def as_system_error() -> Iterator[None]:
    """What keeps the engine from writing, as the system says it."""
    import duckdb

    try:
        yield
    except RuntimeError as error:
        if str(error) != _INTERRUPTED:
            raise
        raise KeyboardInterrupt from None
    except duckdb.Error as error:
        line = first_line(error)
        known = next((n for n in (errno.ENOSPC, errno.EFBIG, errno.EDQUOT, errno.EIO) if os.strerror(n) in line), 0)
        raise OSError(known, os.strerror(known) if known else line) from None


def texts_of(result: Result, form: str, formats: Formats) -> Iterator[str]:
    """A result as text for standard output, part by part: csv, json, jsonl or md."""
    if form == "md":
        check_room(result, "a table of text")
        yield markdown(result, formats)
        return
    with tempfile.TemporaryDirectory(prefix="logochron-") as folder:
        target = Path(folder) / f"table.{form}"
        try:
            _copy(result, target, form, safe=formats.spreadsheet_safe)
            with target.open(encoding="utf-8") as file:
                while part := file.read(_PART):
                    yield part
        except OSError as error:
            raise unwritten(target, error) from None


#: The engine's type of each kind of column.
_CASTS = {
    **{"day": "DATE", "days": "BIGINT", "count": "BIGINT", "truth": "BOOLEAN"},
    **dict.fromkeys(("amount", "difference", "part", "change", "points"), "DOUBLE"),
}


#: So many letters are handed to standard output at once.
_PART = 1 << 22
#: So many rows are written at once.
_PIECE = 2_000_000
#: So many different texts of a column stand in the statement itself.
_FEW = 1_000


def _copy(result: Result, target: Path, form: str, *, safe: bool = False) -> None:
    """The table's columns through the engine: no figure is formatted, none is rounded.

    Many rows go piece by piece: lines one behind the other, other forms through files of the engine's own.
    """
    import duckdb

    safe = safe and form == "csv"
    if result.columns.rows <= _PIECE:
        with _engine().cursor() as connection, as_system_error():
            _copy_rows(connection, result, result.columns, target, _COPIES[form], safe)
        return
    folders = tempfile.TemporaryDirectory(dir=target.parent, prefix=UNFINISHED)
    with duckdb.connect() as connection, as_system_error(), folders as folder:
        pieces = result.columns.pieces(len(result.periods), _PIECE)
        if form in _LINES:
            part = Path(folder) / "part"
            for n, piece in enumerate(pieces):
                _copy_rows(connection, result, piece, part, _LINES[form] if n else _COPIES[form], safe)
                with part.open("rb") as lines, target.open("ab" if n else "wb") as whole:
                    shutil.copyfileobj(lines, whole, 1 << 20)
            return
        for n, piece in enumerate(pieces):
            _copy_rows(connection, result, piece, Path(folder) / f"{n:06d}.parquet", _COPIES["parquet"], safe)
        connection.execute("SET memory_limit = '600MB'; SET threads = 2")
        parts = f"FROM read_parquet({quoted(folder + '/*.parquet')})"
        connection.execute(f"COPY ({parts}) TO {quoted(str(target))} ({_COPIES[form]}, USE_TMP_FILE false)")


@cache
def _engine() -> Any:
    """An engine that small tables share: to start one takes longer than to write them."""
    import duckdb

    return duckdb.connect()


def _copy_rows(connection: Any, result: Result, columns: Blocks, target: Path, options: str, safe: bool) -> None:
    """Some rows of a table, with its header."""
    fields, arrays = [], {}
    for place, name in enumerate(columns):
        key, kind = f"c{place}", result.type.holds(name)
        cast = _CASTS.get(kind, "VARCHAR")
        if cast == "VARCHAR":
            texts, values = result.coded(columns, name)
            if safe:
                texts = np.array([harmless(text) for text in texts], dtype=object)
            if len(texts) <= _FEW and not any("\0" in text for text in texts if text is not None):
                # a place in a list costs less than a text a row; the place before the first is nothing
                listed = ", ".join("NULL" if text is None else quoted(text) for text in texts)
                clean = f"list_extract([{listed}]::VARCHAR[], {key} + 1)"
            else:
                values, clean = taken(texts)[values], key
        else:
            values = columns[name]
            if kind == "truth":
                values = np.where(values < 0, np.nan, values)
            elif kind == "day":
                values = values.astype("datetime64[us]")
            clean = f"CASE WHEN isnan({key}) THEN NULL ELSE {key} END" if values.dtype.kind == "f" else key
        arrays[key] = np.ascontiguousarray(values)
        shown = str(harmless(name)) if safe else name
        fields.append(f"""CAST({clean} AS {cast}) AS "{shown.replace('"', '""')}\"""")
    connection.register("answer", arrays)
    connection.execute(
        f"COPY (SELECT {', '.join(fields)} FROM answer) TO {quoted(str(target))} ({options}, USE_TMP_FILE false)"
    )
    connection.unregister("answer")


def quoted(text: str) -> str:
    """A text as the engine's statements have it.

    Raises
    ------
    QuestionError
        Where it holds a NUL.
    """
    if "\0" in text:
        raise QuestionError("{0!r} holds a NUL, which no file can keep", text)
    return "'" + text.replace("'", "''") + "'"
