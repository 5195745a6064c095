"""The figures that a report gave, kept in its folder: what the next run holds its own against."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from logochron.core.days import iso
from logochron.core.errors import QuestionError, shown_path
from logochron.core.questions.restated import Reported, reported
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.sections import Section
from logochron.views.write_file import as_system_error

NAME = "figures.parquet"
_LOG = logging.getLogger("logochron")
#: Under which name the file keeps what else the run wrote.
_FILES = "logochron_files"
_PARTED = "\n"


def write_figures(sections: Sequence[Section], path: Path, files: Sequence[str]) -> None:
    """Write the figures of all sections, each row with its report date and coverage; `files` are the run's own."""
    import duckdb

    parts = []
    with duckdb.connect() as connection:
        connection.execute("SET threads = 1")
        for n, section in enumerate(sections):
            answer = section.answer
            if not isinstance(answer, AlignedAnswer):
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
            names = ", ".join(_quoted(name) for name in figures.by)
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
        kept = _quoted(_PARTED.join(files))
        with as_system_error():
            connection.execute(
                f"COPY ({' UNION ALL '.join(parts)}) TO {_quoted(str(path))} "
                f"(FORMAT parquet, KV_METADATA {{{_FILES}: {kept}}})"
            )


def files_of(folder: Path) -> frozenset[str]:
    """The files that the last run wrote into a folder; none where none did."""
    path = folder / NAME
    if not path.is_file():
        return frozenset()
    import duckdb

    try:
        with duckdb.connect() as connection:
            rows = connection.execute(
                "SELECT decode(value) FROM parquet_kv_metadata(?) WHERE decode(key) = ?", [str(path), _FILES]
            ).fetchall()
    except duckdb.Error:
        return frozenset()
    return frozenset({name for (text,) in rows for name in str(text).split(_PARTED)} | ({NAME} if rows else set()))


def earlier_figures(folder: Path) -> Mapping[str, Reported]:
    """The figures of the last run into a folder, by heading; none where there was none, or they cannot be read."""
    if NAME not in files_of(folder):
        return {}
    import duckdb

    path, found = folder / NAME, {}
    try:
        with duckdb.connect() as connection:
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
                found[str(heading)] = _reported(tuple(map(str, by)), rows)
    except (duckdb.Error, KeyError):
        _LOG.warning("%s cannot be read: no figure is held against what was reported", shown_path(path))
    return found


def _reported(by: tuple[str, ...], rows: Mapping[str, Any]) -> Reported:
    def texts(name: str) -> Any:
        values: Any = np.ma.asarray(rows[name]).astype(object)
        return np.asarray(values.filled(None), dtype=object)

    def figures(name: str) -> Any:
        values: Any = np.ma.asarray(rows[name], dtype=float)
        return values.filled(np.nan)

    labels = tuple(texts(f"label{k}") for k in range(len(by)))
    return Reported(by, texts("measure"), texts("period"), labels, texts("status"), figures("value"), figures("base"))


def _quoted(text: str) -> str:
    if "\0" in text:
        raise QuestionError(f"{text!r} holds a NUL, which no file can keep")
    return "'" + text.replace("'", "''") + "'"
