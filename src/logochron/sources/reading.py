"""A reading carried out: from a source and its options to a daybook."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import nullcontext
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from logochron.core import ports
from logochron.sources.engine.connection import Engine
from logochron.sources.kinds.find_files import steady
from logochron.sources.kinds.scan import Scanner
from logochron.sources.kinds.streams import lasting
from logochron.sources.read_options import Options, Request, request
from logochron.sources.scanned import Scanned

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook

#: What most books are asked first, and what accounts for the records.
_SOON = ("logochron.core.questions.compare", "logochron.sources.accounting")
#: Looks at what was scanned while it is open.
Look = Callable[[Sequence[Scanned], Request], None]


def carry_out(source: Any, options: Options, look: Look | None = None, engine: Engine | None = None) -> Daybook:
    """Read as the options say; `look` is called before copies and connections are given up."""
    told = ports.progress() if options.progress is None else nullcontext(options.progress)
    with told as progress, lasting(source, options.table, options.query, progress) as given:
        engine = engine or Engine()
        engine.tells(progress)
        return _carried_out(engine, request(engine, given, options), options, look)


def _carried_out(engine: Engine, asked: Request, options: Options, look: Look | None) -> Daybook:
    engine.meanwhile += _SOON
    with steady(asked.sources), Scanner(engine, asked.wanted, asked.dialect, asked.wide) as scanner:
        scans = scanner.scan_all(asked.sources)
        from logochron.core.book.daybook import Daybook
        from logochron.sources.accounting import account

        rows, intake = account(engine, scans, asked.wanted, asked.stated, options.on_refused)
        if look:
            look(scans, asked)
    summed = {aggregate.key: aggregate.column for aggregate in asked.wanted.summed}
    inexact = list(dict.fromkeys(summed[key] for key, amounts in rows.amounts.items() if amounts.scale is None))
    if inexact:
        said = "summed in floating point, as the amounts have more than six decimals or are too large"
        intake = replace(intake, warnings=(*intake.warnings, f"{said}: {', '.join(inexact)}"))
    book = Daybook(
        days=rows.days,
        records=rows.records,
        codes=rows.codes,
        labels=rows.labels,
        amounts=rows.amounts,
        measures=asked.measures,
        recorded=rows.recorded,
        intake=replace(intake, guesses=(*asked.guesses, *intake.guesses)),
        asked_covering=asked.covering,
        asked_until=asked.until,
        kept=asked.stated.keep,
        selected=asked.selected,
        filters=(asked.filters,) if asked.filters else (),
        standing=asked.stated.standing,
        ids=rows.ids,
        beyond=rows.beyond,
        falls=rows.falls,
    )
    if asked.until is not None:
        book.check_until()
    return book
