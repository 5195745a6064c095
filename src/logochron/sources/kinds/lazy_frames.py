"""Lazy and cluster frames rolled up where they lie, by one Narwhals expression: Polars lazy, Dask, PySpark."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import reduce
from operator import and_, or_
from typing import Any

import narwhals as nw
import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Condition
from logochron.core.errors import IntakeError, QuestionError, first_line
from logochron.sources.engine.connection import Progress, waited
from logochron.sources.kinds.clusters import giving_up
from logochron.sources.kinds.elsewhere import Addend, FlawedRow, GroupsWanted, Kind
from logochron.sources.kinds.lazy_columns import (
    Expr,
    both,
    column_of,
    decimals_of_dask,
    from_native,
    listed,
    plain_day,
    texts_of,
)
from logochron.sources.scanned import FIRST_ROWS, NO_DAY
from logochron.sources.values.python_decimals import is_plain_decimal

_LISTED = 10_000
#: Amounts below this many units are added up exactly, where not too many are.
_SMALL, _EXACT = 2.0**35, 2.0**53
_ROUNDING = 1.5 * 2.0**52
#: A moment written as a text, without a zone.
_MOMENT = r"^[0-9]{4}-[0-9]{2}-[0-9]{2}[ T](?:[01][0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]+)?)?$"
#: What the columns of a frame are called while it is asked, so that no name means anything else there.
_NAME = "column_{}_"


class LazyTable:
    """A lazy frame; nothing of it is computed but what it is asked."""

    key = ""
    exact_kinds: Sequence[Kind] = ()

    def __init__(self, frame: Any, name: str) -> None:
        self.name = name
        self.progress: Progress | None = None
        self._spark = type(frame).__module__.startswith("pyspark")
        self._dask = type(frame).__module__.startswith("dask")
        self._polars = type(frame).__module__.startswith("polars")
        self._native = frame
        try:
            given = from_native(frame)
        except TypeError:
            raise QuestionError(f"`source` is a {type(frame).__name__}, which cannot be scanned") from None
        with self._spoken():
            schema = given.lazy().collect_schema()
        self._names = list(schema.names())
        if len(set(self._names)) < len(self._names):
            raise QuestionError(f"{name} has two columns of one name: rename all but one")
        self._first: list[tuple[Any, ...]] | None = None
        self.columns = [column_of(n, kind, self._values, i) for i, (n, kind) in enumerate(schema.items())]
        if self._dask:
            decimals = decimals_of_dask(frame)
            for i, column in enumerate(self.columns):
                if column.name in decimals and all(is_plain_decimal(value) for value in self._values(i)):
                    self.columns[i] = column._replace(kind="decimal")

    def __repr__(self) -> str:
        return f"<LazyTable: {self.name}>"

    def _values(self, place: int) -> list[Any]:
        """The first values of a column that are there."""
        if self._first is None:
            with self._spoken():
                rows = self._collected(self._few())
            self._first = list(zip(*(listed(rows[n]) for n in self._names))) if len(rows) else []
        return [row[place] for row in self._first if row[place] is not None]

    def _few(self) -> Any:
        """Some rows; of Dask those of its first part, as it would go through all of them for the first rows of all."""
        if hasattr(self._native, "partitions") and self._native.npartitions > 1:
            return from_native(self._native.partitions[0]).lazy().head(FIRST_ROWS)
        return from_native(self._native).lazy().head(FIRST_ROWS)

    def decimals(self, place: int) -> int:
        """Two: a look at the first rows costs more than another pass where there are more."""
        return 2

    @contextmanager
    def _spoken(self) -> Iterator[None]:
        """What goes wrong on the way, on a worker or between them, becomes an IntakeError."""
        try:
            yield
        except (IntakeError, QuestionError):
            raise
        except Exception as error:  # each library has errors of its own, and of all that it stands on
            raise IntakeError(f"{self.name} cannot be read: {first_line(error)[:300]}") from error

    def _collected(self, lazy: Any) -> Any:
        """An answer brought here, while a signal can reach this thread."""
        with self._spoken():
            return waited(lazy.collect, giving_up(self._native), self.progress)

    def _frame(self, places: Sequence[int], zone: str, date: int | None) -> Any:
        """The frame with some of its columns, under our names but for Dask; instants of Spark as day numbers."""
        frame = self._native
        if date is not None and self._spark and self.columns[date].kind == "zoned":
            from pyspark.sql import functions

            # of the session's zone Spark makes days, whatever the instants are asked in
            stamp = functions.col(f"`{self._names[date]}`")
            micros = functions.unix_micros(functions.from_utc_timestamp(stamp, zone))
            frame = frame.withColumn(self._names[date], functions.floor(micros / functions.lit(86_400_000_000)))
        lazy = from_native(frame).lazy()
        if self._dask:  # there each change of names goes through all parts
            return lazy.select(*(self._names[place] for place in places))
        return lazy.select(*(nw.col(self._names[place]).alias(_NAME.format(place)) for place in places))

    def _of(self, place: int) -> Expr:
        """The column at a place."""
        return nw.col(self._names[place] if self._dask else _NAME.format(place))

    def _text(self, place: int) -> Expr:
        """A column as text, an empty one where it is unknown."""
        return self._bare_text(place).fill_null("")

    def _bare_text(self, place: int) -> Expr:
        """A column as text, unknown where it is unknown."""
        column = self._of(place)
        return column if self.columns[place].written == "String" else column.cast(nw.String)

    def _empty(self, place: int) -> Expr:
        """Whether a column is unknown, or a text of spaces."""
        column = self._of(place)
        return self._text(place).str.strip_chars() == "" if self.columns[place].kind == "text" else column.is_null()

    def _day(self, asked: GroupsWanted) -> Expr:
        """The date: a day or a moment where the type has one, a text else."""
        place = asked.date
        column, kind = self._of(place), self.columns[place].kind
        if kind == "day" and self.columns[place].written == "Object":
            return column.cast(nw.Datetime("us"))
        if kind == "day":
            return column
        if kind == "zoned" and self._spark:
            return column
        if kind == "zoned":
            column = column.dt.convert_time_zone(asked.zone).dt.replace_time_zone(None)
        if kind in ("zoned", "moment"):
            # of Dask days would be objects: its moments stay moments, at midnight
            return column.dt.date() if self._polars or self._spark else column.dt.truncate("1d")
        text = self._text(place)
        times = any(":" in str(value) for value in self._values(place))
        if kind != "text" or not asked.cut or not times:
            return text
        return nw.when(text.str.contains(_MOMENT)).then(text.str.slice(0, 10)).otherwise(text)

    def _holds(self, conditions: Sequence[tuple[int, Condition]]) -> Expr | None:
        """Conditions on rows; none where there are none."""
        parts = []
        for place, condition in conditions:
            if condition.taken:
                parts.append(self._text(place).is_in(list(condition.taken)))
            if condition.left_out:
                parts.append(~self._text(place).is_in(list(condition.left_out)))
        return reduce(and_, parts) if parts else None

    def _number(self, place: int) -> Expr:
        """An amount as a double: decimals are cast before anything is summed."""
        column = self._of(place)
        return column if self.columns[place].written == "Float64" else column.cast(nw.Float64)

    def _in_units(self, value: Expr, scale: int) -> tuple[Expr, Expr]:
        """An amount as the whole number of units next to it, and whether it is just that."""
        unit = 10.0**scale
        # Spark rounds by way of decimals, which takes longer than all the rest; so near this number doubles are whole
        units = value * unit + _ROUNDING - _ROUNDING if self._spark else (value * unit).round(0)
        # Polars multiplies by the inverse of a constant instead of dividing by it, which is not the same
        return units, units / (value * 0.0 + unit if self._polars else unit) == value

    def _readable(self, number: Addend, asked: GroupsWanted) -> Expr | None:
        """Whether an amount can be read in the rows it takes; none where it always can."""
        if number.place is None:
            return None
        sound = self._number(number.place).is_finite().fill_null(False)
        if asked.empty_is_zero:
            sound = sound | self._of(number.place).is_null()
        taken = self._holds(number.taken)
        return sound if taken is None else sound | ~taken

    def _all_readable(self, asked: GroupsWanted) -> Expr | None:
        parts = [sound for n in asked.numbers if (sound := self._readable(n, asked)) is not None]
        return reduce(and_, parts) if parts else None

    def _needed(self, asked: GroupsWanted, *more: int) -> list[int]:
        """The places of the columns that are looked at."""
        conditions = [*asked.where, *(pair for number in asked.numbers for pair in number.taken)]
        amounts = [number.place for number in asked.numbers if number.place is not None]
        named = [place for place, _ in (*conditions, *asked.named)]
        return list(dict.fromkeys([asked.date, *asked.labels, *amounts, *named, *more]))

    def roll_up(self, asked: GroupsWanted) -> dict[str, NDArray[Any]]:
        """The groups: see `Elsewhere.roll_up`."""
        return self._swiftly(asked) or self._carefully(asked)

    def _swiftly(self, asked: GroupsWanted) -> dict[str, NDArray[Any]] | None:
        """The groups of records without a flaw, None where there is one: an amount that is no whole number of units,
        or no number, or too large, makes the sum of its group infinite.
        """
        if asked.where or asked.named or asked.apart or any(n.scale is None or n.taken for n in asked.numbers):
            return None
        keys = {"d": self._day(asked)}
        keys |= {f"h{i}": self._bare_text(place) for i, place in enumerate(asked.labels)}
        fields = {}
        for i, number in enumerate(asked.numbers):
            if number.place is not None and number.scale is not None:
                units, same = self._in_units(self._number(number.place), number.scale)
                sound = same & (units.abs() < _SMALL)
                fields[f"s{i}"] = nw.when(sound).then(units).otherwise(nw.lit(float("inf")))
                fields[f"below{i}"] = (units < 0).cast(nw.Float64)
        lazy = self._frame(self._needed(asked), asked.zone, asked.date).select(**keys, **fields)
        rows = (
            nw.col(next(iter(fields))).count() if fields else nw.len()
        )  # which are all there; Dask is slow at the other
        grouped = lazy.group_by(*keys).agg(rows.alias("n"), *(nw.col(name).sum() for name in fields))
        came = self._collected(grouped)
        counts = came["n"].to_numpy().astype(np.int64)
        made = {"n": counts, "d": self._dates(came["d"]), **{name: came[name].to_numpy() for name in fields}}
        sums = np.concatenate([[0.0], *(made[name] for name in fields)])
        if not np.isfinite(sums).all() or counts.max(initial=0) * _SMALL >= _EXACT:
            return None
        made |= {name: texts_of(came[name], "") for name in keys if name != "d"}
        made |= {f"s{i}": counts.astype(np.float64) for i, n in enumerate(asked.numbers) if n.place is None}
        made["keep"] = np.ones(len(counts), dtype=bool)
        return self._filled(made, asked)

    def _filled(self, made: dict[str, NDArray[Any]], asked: GroupsWanted) -> dict[str, NDArray[Any]]:
        """The groups with what there is none of."""
        none = np.zeros(len(made["n"]), dtype=np.int64)
        for i in range(len(asked.numbers)):
            for name in ("finer", "odd", "empty", "below"):
                made.setdefault(f"{name}{i}", none)
            made.setdefault(f"size{i}", np.abs(made[f"s{i}"]))
        made.setdefault("bad", none)
        return {name: v.astype(np.int64) if v.dtype.kind == "u" else v for name, v in made.items()}

    def _carefully(self, asked: GroupsWanted) -> dict[str, NDArray[Any]]:
        """The groups, with what cannot be read and what is finer than its scale counted."""
        keep, sound = self._holds(asked.where), self._all_readable(asked)
        keys = {"d": self._day(asked)}
        for i, place in enumerate(asked.labels):
            label = self._text(place)
            keys[f"h{i}"] = label if keep is None else nw.when(keep).then(label).otherwise(nw.lit(""))
        if keep is not None:
            keys["keep"] = keep
        counts = sound if keep is None else keep & sound if sound is not None else keep
        fields = {f"q{i}": (self._text(p) == label).cast(nw.Int64) for i, (p, label) in enumerate(asked.named)}
        if sound is not None:
            fields["bad"] = (~sound if keep is None else keep & ~sound).cast(nw.Int64)
        for i, number in enumerate(asked.numbers):
            taken = both(counts, self._holds(number.taken))
            if number.place is None:
                fields[f"s{i}"] = nw.lit(1.0) if taken is None else taken.cast(nw.Float64)
                continue
            value = self._number(number.place)
            if asked.empty_is_zero:
                value = value.fill_null(0.0)
                fields[f"empty{i}"] = both(taken, self._of(number.place).is_null()).cast(nw.Int64)
            summed, same = (value, None) if number.scale is None else self._in_units(value, number.scale)
            fields[f"below{i}"] = both(taken, value < 0).fill_null(False).cast(nw.Int64)
            fields[f"s{i}"] = summed if taken is None else nw.when(taken).then(summed).otherwise(nw.lit(0.0))
            if same is not None and self.columns[number.place].kind != "whole":
                fields[f"finer{i}"] = both(taken, ~same).fill_null(False).cast(nw.Int64)
        lazy = self._frame(self._needed(asked), asked.zone, asked.date)
        sums = [name for name in fields if name[0] == "s"]
        if asked.apart:
            keys |= {f"a{name[1:]}": fields[name] for name in sums}
        lazy = lazy.select(**keys, **fields).with_columns(**{f"size{name[1:]}": nw.col(name).abs() for name in sums})
        added = [*fields, *(f"size{name[1:]}" for name in sums)]
        grouped = lazy.group_by(*keys).agg(nw.len().alias("n"), *(nw.col(name).sum() for name in added))
        came = self._collected(grouped)
        made = {name: came[name].to_numpy() for name in ("n", *added)}
        made |= {name: texts_of(came[name]) for name in keys if name[0] == "h"}
        made |= {name: came[name].to_numpy() for name in keys if name[0] == "a"}
        made["d"] = self._dates(came["d"])
        many = len(made["n"])
        made["keep"] = np.ones(many, dtype=bool) if keep is None else came["keep"].to_numpy().astype(bool)
        return self._filled(made, asked)

    def _dates(self, series: Any) -> NDArray[Any]:
        """Dates as they came: day numbers, or texts."""
        if series.dtype == nw.String:
            return texts_of(series)
        plain = series.to_numpy()
        if plain.dtype.kind == "M":
            return plain.astype("datetime64[D]").astype(np.int64)  # none is NO_DAY there
        values, unknown = series.to_list(), series.is_null().to_numpy()
        if series.dtype.is_integer() or series.dtype.is_float():
            return np.array([NO_DAY if none else int(v) for v, none in zip(values, unknown)], dtype=np.int64)
        days = [np.datetime64("NaT", "D") if none else plain_day(value) for value, none in zip(values, unknown)]
        return np.array(days, dtype="datetime64[D]").astype(np.int64)

    def ids(self, asked: GroupsWanted, place: int, taken: Sequence[tuple[int, Condition]]) -> dict[str, NDArray[Any]]:
        """The ids by date and labels."""
        labels = {f"h{i}": self._text(p) for i, p in enumerate(asked.labels)}
        lazy = self._frame(self._needed(asked, place, *(p for p, _ in taken)), asked.zone, asked.date)
        counts = both(self._all_readable(asked), self._holds((*asked.where, *taken)))
        lazy = lazy if counts is None else lazy.filter(counts)
        lazy = lazy.select(d=self._day(asked), **labels, id=self._text(place).str.strip_chars())
        came = self._collected(lazy.group_by("d", *labels, "id").agg(nw.len().alias("n")))
        made = {name: texts_of(came[name]) for name in (*labels, "id")}
        return made | {"d": self._dates(came["d"]), "n": came["n"].to_numpy().astype(np.int64)}

    def flawed(self, asked: GroupsWanted, undated: NDArray[Any]) -> Iterator[FlawedRow]:
        """Rows that cannot be read, as many as are ever listed."""
        day, keep, sound = self._day(asked), self._holds(asked.where), self._all_readable(asked)
        dates = undated.tolist()
        unknown = [date for date in dates if date in (None, "", NO_DAY)]
        texts = [str(date) for date in dates if isinstance(date, str) and date]
        parts = [day.is_in(texts)] if texts else []
        parts += [self._empty(asked.date)] if unknown else []
        parts += [both(keep, ~sound)] if sound is not None else []
        if not parts:
            return
        amounts = [number.place for number in asked.numbers if number.place is not None]
        everything = range(len(self.columns))
        blank = reduce(and_, (self._empty(place) for place in everything))
        lazy = self._frame(everything, asked.zone, asked.date).filter(reduce(or_, parts) & ~blank).head(_LISTED)
        fields = {"d": day, "date": self._text(asked.date), "k": nw.lit(True) if keep is None else keep}
        fields |= {f"t{place}": self._text(place) for place in amounts}
        flaws = [self._readable(number, asked) for number in asked.numbers]
        fields |= {f"b{i}": ~flaw for i, flaw in enumerate(flaws) if flaw is not None}
        came = self._collected(lazy.select(**fields))
        days = self._dates(came["d"]).tolist()
        columns = {name: listed(came[name]) for name in fields if name != "d"}
        for row, date in enumerate(days):
            yield FlawedRow(
                0,
                date,
                str(columns["date"][row]),
                bool(columns["k"][row]),
                tuple("" if n.place is None else str(columns[f"t{n.place}"][row]) for n in asked.numbers),
                tuple(bool(columns[f"b{i}"][row]) if f"b{i}" in columns else False for i in range(len(asked.numbers))),
            )

    def blank(self) -> int:
        """How many rows are empty in every field."""
        everything = range(len(self.columns))
        blank = reduce(and_, (self._empty(place) for place in everything))
        lazy = self._frame(everything, "", None).filter(blank).select(n=nw.len())
        return int(self._collected(lazy)["n"].to_list()[0])

    def sample(self, rows: int) -> list[tuple[str | None, ...]]:
        """The first rows as texts."""
        self._values(0)
        return [tuple(None if v is None else str(v) for v in row) for row in (self._first or [])[:rows]]

    def labels(self, place: int) -> list[str]:
        """The first of the different texts of a column."""
        lazy = self._frame([place], "", None).select(v=self._text(place)).unique().head(_LISTED)
        return [str(value) for value in listed(self._collected(lazy)["v"])]

    def bring(self, places: Sequence[int], asked: GroupsWanted) -> Iterator[list[NDArray[Any]]]:
        """All records of some columns."""
        fields = {f"c{p}": self._day(asked) if p == asked.date else self._text(p) for p in places}
        came = self._collected(self._frame(places, asked.zone, asked.date).select(**fields))
        yield [self._dates(came[f"c{p}"]) if p == asked.date else texts_of(came[f"c{p}"]) for p in places]

    def signs(self, asked: GroupsWanted) -> list[tuple[int, int, float]]:
        """Zeros, negatives and the lowest of each amount."""
        fields = {}
        for i, number in enumerate(asked.numbers):
            if number.place is not None:
                value, taken = self._number(number.place), self._holds(number.taken)
                fields[f"v{i}"] = value if taken is None else nw.when(taken).then(value)
        lazy = self._frame(self._needed(asked), asked.zone, asked.date)
        counts = both(self._all_readable(asked), self._holds(asked.where))
        lazy = (lazy if counts is None else lazy.filter(counts)).select(**fields)
        zeros = {f"z{name}": (nw.col(name) == 0).cast(nw.Int64) for name in fields}
        less = {f"n{name}": (nw.col(name) < 0).cast(nw.Int64) for name in fields}
        sums = [nw.col(name).sum() for name in (*zeros, *less)]
        found = self._collected(lazy.with_columns(**zeros, **less).select(*sums, *(nw.col(n).min() for n in fields)))
        one = {name: listed(found[name])[0] or 0 for name in found.columns}
        return [(int(one[f"z{name}"]), int(one[f"n{name}"]), float(one[name])) for name in fields]

    def same_rows(self) -> int:
        """How many rows are the same as one before them in every field."""
        everything = range(len(self.columns))
        fields = {f"c{place}": self._text(place) for place in everything}
        grouped = self._frame(everything, "", None).select(**fields).group_by(*fields).agg(nw.len().alias("n"))
        same = grouped.filter(nw.col("n") > 1).select(more=nw.col("n").sum(), groups=nw.len())
        found = self._collected(same)
        return int(found["more"].to_list()[0] or 0) - int(found["groups"].to_list()[0] or 0)
