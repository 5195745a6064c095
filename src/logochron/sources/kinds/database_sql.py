"""What a database is asked, as statements of SQLAlchemy's: every name quoted and every value bound by it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

import sqlalchemy as sa

from logochron.core.book.filters import Condition
from logochron.sources.kinds.elsewhere import Addend, GroupsWanted, SourceColumn

#: Every expression and table here is SQLAlchemy's; its own types say little of columns whose type is not known.
Sql = Any
_EPOCH = dt.date(1970, 1, 1)
#: Forms in which SQLite's users write a moment without a zone: after the day nothing but a time.
_DAY = "[0-9][0-9][0-9][0-9]-[0-1][0-9]-[0-3][0-9]"
_MOMENTS = tuple(f"{_DAY}[ T]{hour}:[0-5][0-9]:[0-5][0-9]" for hour in ("[01][0-9]", "2[0-3]"))


class Statements:
    """The statements over one table, or over the answer of a query."""

    def __init__(self, dialect: str, table: Sql, columns: Sequence[SourceColumn], key: str) -> None:
        self.dialect, self.table, self.columns, self.key = dialect, table, columns, key

    def of(self, place: int) -> Sql:
        """The column at a place."""
        return self.table.c[place]

    def text(self, place: int) -> Sql:
        """A column as text."""
        if self.columns[place].kind == "text":
            return self.of(place)
        return sa.cast(self.of(place), sa.String())

    def filled(self, place: int) -> Sql:
        """A column as text, an empty one where it is unknown."""
        return sa.func.coalesce(self.text(place), "")

    def empty(self, place: int) -> Sql:
        """Whether a column is unknown, or a text of spaces."""
        if self.columns[place].kind in ("text", "loose"):
            return sa.func.trim(self.filled(place)) == ""
        return self.of(place).is_(None)

    def day(self, asked: GroupsWanted) -> Sql:
        """The date: a day number or a day where the type has one, a text else; NULL where it is none."""
        column, kind = self.of(asked.date), self.columns[asked.date].kind
        if kind in ("text", "whole"):
            return self.text(asked.date)
        if kind == "loose":
            text = self.text(asked.date)
            if not asked.cut:
                return text
            rest = sa.func.substr(text, 20)
            fraction = sa.or_(
                rest == "", sa.and_(rest.op("GLOB")(".*"), sa.not_(sa.func.substr(rest, 2).op("GLOB")("*[^0-9]*")))
            )
            moment = sa.or_(*(sa.func.substr(text, 1, 19).op("GLOB")(form) for form in _MOMENTS))
            return sa.case((sa.and_(moment, fraction), sa.func.substr(text, 1, 10)), else_=text)
        if kind == "zoned":
            column = sa.func.timezone(asked.zone, column)
        day = sa.cast(column, sa.Date()) if kind != "day" else column
        if self.dialect != "postgresql":
            return day
        since = sa.type_coerce(sa.type_coerce(day, sa.Date()) - sa.literal(_EPOCH, sa.Date()), sa.Integer())
        return sa.case((sa.func.isfinite(day), since), else_=sa.null())

    def holds(self, conditions: Sequence[tuple[int, Condition]]) -> Sql:
        """Conditions on rows; never unknown."""
        parts = []
        for place, condition in conditions:
            text = self.filled(place)
            if condition.taken:
                parts.append(text.in_(condition.taken))
            if condition.left_out:
                parts.append(text.not_in(condition.left_out))
        return sa.and_(sa.true(), *parts)

    def is_number(self, place: int) -> Sql:
        """Whether a field is a finite number."""
        value = self.of(place)
        finite = sa.func.coalesce(value - value == 0, sa.false())
        if self.columns[place].kind == "loose":
            return sa.and_(sa.func.typeof(value).in_(("integer", "real")), finite)
        return finite if self.columns[place].kind != "whole" else value.is_not(None)

    def is_text(self, place: int) -> Sql:
        """Whether a field of a loose column is a text with anything in it, or bytes."""
        kept = sa.func.typeof(self.of(place)).in_(("text", "blob"))
        return sa.and_(kept, sa.not_(self.empty(place)))

    def readable(self, number: Addend, asked: GroupsWanted) -> Sql:
        """Whether an amount can be read in the rows it takes; empty ones too where they count as 0."""
        if number.place is None:
            return sa.true()
        sound = self.is_number(number.place)
        if asked.empty_is_zero:
            sound = sa.or_(sound, self.empty(number.place))
        return sa.or_(sound, sa.not_(self.holds(number.taken))) if number.taken else sound

    def all_readable(self, asked: GroupsWanted) -> Sql:
        """Whether all amounts of a row can be read."""
        return sa.and_(sa.true(), *(self.readable(number, asked) for number in asked.numbers))

    def rows(self, asked: GroupsWanted) -> Sql:
        """Each row as it is rolled up: `d`, `k`, `h`, `ok`, `q`; of each number `x`, `f`, `o`, `e`."""
        keep = self.holds(asked.where)
        fields = [self.day(asked).label("d"), _flag(keep).label("k")]
        fields += [sa.case((keep, self.filled(place)), else_="").label(f"h{i}") for i, place in enumerate(asked.labels)]
        fields.append(_flag(self.all_readable(asked)).label("ok"))
        fields += [_flag(self.filled(place) == label).label(f"q{i}") for i, (place, label) in enumerate(asked.named)]
        for i, number in enumerate(asked.numbers):
            taken = self.holds(number.taken)
            if number.place is None:
                fields += [_flag(taken).label(f"x{i}"), _zero(f"f{i}"), _zero(f"o{i}"), _zero(f"e{i}")]
                continue
            value, kind = self.of(number.place), self.columns[number.place].kind
            real = kind in ("float", "loose")
            counts = sa.and_(keep, taken, self.is_number(number.place))
            sized = sa.type_coerce(value, sa.Float()) if real else value
            if number.scale is None:
                fields += [sa.case((counts, value), else_=0).label(f"x{i}"), _zero(f"f{i}")]
            else:
                unit = sa.literal(10**number.scale, sa.Integer())
                floating = sa.literal(float(10**number.scale), sa.Float())
                units = sa.func.round(sized * (floating if real else unit))
                finer = units / floating != sized if real else units != sized * unit
                fields.append(sa.case((counts, units if kind != "whole" else value * unit), else_=0).label(f"x{i}"))
                fields.append(_flag(sa.and_(counts, finer)).label(f"f{i}") if kind != "whole" else _zero(f"f{i}"))
            loose = sa.and_(keep, taken, self.is_text(number.place)) if kind == "loose" else sa.false()
            fields.append(_flag(loose).label(f"o{i}"))
            zero = sa.and_(keep, taken, self.empty(number.place)) if asked.empty_is_zero else sa.false()
            fields.append(_flag(zero).label(f"e{i}"))
        return sa.select(*fields).select_from(self.table).subquery("r")

    def roll_up(self, asked: GroupsWanted) -> Sql:
        """One GROUP BY: see `Elsewhere.roll_up`."""
        r = self.rows(asked)
        keys = [r.c.d, r.c.k, *(r.c[f"h{i}"] for i in range(len(asked.labels)))]
        sums = [sa.func.count().label("n"), sa.func.sum(r.c.k * (1 - r.c.ok)).label("bad")]
        sums += [sa.func.sum(r.c[f"q{i}"]).label(f"q{i}") for i in range(len(asked.named))]
        for i in range(len(asked.numbers)):
            x = r.c[f"x{i}"] * r.c.ok
            sums += [sa.func.sum(x).label(f"s{i}"), sa.func.sum(sa.func.abs(x)).label(f"size{i}")]
            sums.append(sa.func.sum(_flag(x < 0)).label(f"below{i}"))
            sums += [sa.func.sum(r.c[f"{short}{i}"]).label(f"{name}{i}") for short, name in _COUNTED]
            if asked.apart:
                keys.append(r.c[f"x{i}"].label(f"a{i}"))
        return sa.select(*keys, *sums).group_by(*keys)

    def ids(self, asked: GroupsWanted, place: int, taken: Sequence[tuple[int, Condition]]) -> Sql:
        """The ids by date and labels."""
        fields = [self.day(asked).label("d"), *(self.filled(p).label(f"h{i}") for i, p in enumerate(asked.labels))]
        counts = sa.and_(self.holds(asked.where), self.holds(taken), self.all_readable(asked))
        rows = sa.select(*fields, sa.func.trim(self.filled(place)).label("id")).where(counts).subquery("r")
        return sa.select(*rows.c, sa.func.count().label("n")).group_by(*rows.c)

    def flawed(self, asked: GroupsWanted, dates: Sequence[Any], *, unknown: bool) -> Sql:
        """Rows of some dates (or of none, `unknown`), and kept ones with an unreadable amount, by their key."""
        day, keep = self.day(asked), self.holds(asked.where)
        undated = [day.in_(dates)] if dates else []
        undated += [day.is_(None)] if unknown else []
        blank = sa.and_(*(self.empty(place) for place in range(len(self.columns))))
        bad = [sa.and_(keep, sa.not_(self.all_readable(asked)))] if asked.numbers else []
        key = sa.column(self.key) if self.key else sa.literal(0)
        fields = [key, day, self.filled(asked.date), _flag(keep)]
        fields += [self.filled(n.place) if n.place is not None else sa.literal("") for n in asked.numbers]
        fields += [_flag(sa.not_(self.readable(number, asked))) for number in asked.numbers]
        wanted = sa.select(*fields).select_from(self.table).where(sa.or_(*undated, *bad), sa.not_(blank))
        return wanted.order_by(key) if self.key else wanted

    def blank(self) -> Sql:
        """How many rows are empty in every field."""
        empty = (self.empty(place) for place in range(len(self.columns)))
        return sa.select(sa.func.count()).select_from(self.table).where(sa.and_(*empty))

    def labels(self, place: int, most: int) -> Sql:
        """The different texts of a column."""
        return sa.select(self.filled(place)).select_from(self.table).distinct().limit(most)

    def sample(self, rows: int) -> Sql:
        """The first rows, as texts where the database says how."""
        loose = any(column.kind == "loose" for column in self.columns)
        fields = [self.of(place) if loose else self.text(place) for place in range(len(self.columns))]
        return sa.select(*fields).select_from(self.table).limit(rows)

    def bring(self, places: Sequence[int], asked: GroupsWanted) -> Sql:
        """All records of some columns, the key last."""

        def field(place: int) -> Sql:
            if place == asked.date:
                return self.day(asked)
            return self.of(place) if self.columns[place].kind == "loose" else self.text(place)

        keys: list[Sql] = [sa.column(self.key)] if self.key else []
        wanted = sa.select(*map(field, places), *keys).select_from(self.table)
        return wanted.order_by(*keys) if keys else wanted

    def signs(self, asked: GroupsWanted) -> Sql:
        """Zeros, negatives and the lowest of each amount in the rows that are kept and readable."""
        fields: list[Sql] = []
        for number in asked.numbers:
            if number.place is not None:
                taken = sa.and_(self.holds(number.taken), self.is_number(number.place))
                value = sa.case((taken, self.of(number.place)), else_=sa.null())
                fields += [sa.func.sum(_flag(value == 0)), sa.func.sum(_flag(value < 0)), sa.func.min(value)]
        rows = sa.select(*fields or [sa.literal(0)]).select_from(self.table)
        return rows.where(self.holds(asked.where), self.all_readable(asked))

    def same_rows(self) -> Sql:
        """How many rows are the same as one before them."""
        fields = [self.text(place).label(f"c{place}") for place in range(len(self.columns))]
        rows = sa.select(*fields, sa.func.count().label("n")).select_from(self.table)
        same = rows.group_by(*(self.text(place) for place in range(len(self.columns)))).having(sa.func.count() > 1)
        groups = same.subquery("g")
        return sa.select(sa.func.coalesce(sa.func.sum(groups.c.n - 1), 0))


#: What is counted of each number: the short name of the flag, and that of the count.
_COUNTED = (("f", "finer"), ("o", "odd"), ("e", "empty"))


def _flag(condition: Sql) -> Sql:
    return sa.case((condition, 1), else_=0)


def _zero(name: str) -> Sql:
    return sa.literal_column("0").label(name)
