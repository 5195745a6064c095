"""The figures that a report gave, kept in its folder: what the next run holds its own against."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from logochron.core.days import iso
from logochron.core.errors import QuestionError, first_line, shown_path
from logochron.core.questions.restated import Reported, reported, seeming_exact
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.sections import Section
from logochron.views.write_file import as_system_error, quoted

_LOG = logging.getLogger("logochron")
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
            answer = section.answer
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

    found = {}
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
                found[heading] = _reported(tuple(by), rows)
    except (duckdb.Error, QuestionError) as error:
        _LOG.warning(
            "%s cannot be read, so that no figure is held against what was reported: %s",
            shown_path(path), first_line(error),
        )  # fmt: skip
        return {}
    return found


def _check(connection: Any, path: Path) -> None:
    """Refuse a file that `write_figures` did not write.

    Raises
    ------
    QuestionError
        With what is odd about it.
    """
    told = connection.execute("DESCRIBE FROM read_parquet(?)", [str(path)]).fetchall()
    kinds = {name: kind for name, kind, *_ in told}
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
        raise QuestionError(f"it holds more than {_MOST:,} rows")
    if odd:
        raise QuestionError(f"{odd:,} of its rows lack what every figure has")


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
