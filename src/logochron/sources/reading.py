"""A reading carried out: from a source and its options to a daybook."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from contextlib import nullcontext
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from logochron.core import ports
from logochron.options import Reading
from logochron.sources.engine.connection import Engine
from logochron.sources.kinds.find_files import Source, steady
from logochron.sources.kinds.scan import Scanner
from logochron.sources.kinds.streams import lasting
from logochron.sources.reading_spec import settled
from logochron.sources.scanned import ReadingSpec, Scanned

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook

#: What most books are asked first, and what accounts for the records.
_SOON = ("logochron.core.questions.compare", "logochron.sources.accounting")
#: Tells what was guessed and what should be known; on standard error unless the user's logging says otherwise.
_LOG = logging.getLogger("logochron")
#: Looks at what was scanned while it is open.
Look = Callable[[Sequence[Scanned], ReadingSpec], None]


def read_aloud(source: Any, reading: Reading, engine: Engine | None = None) -> Daybook:
    """Read, and tell what was guessed and what should be known."""
    book = carry_out(source, reading, engine=engine)
    for said in book.intake.lines():
        _LOG.warning("%s", said)
    return book


def carry_out(source: Any, reading: Reading, look: Look | None = None, engine: Engine | None = None) -> Daybook:
    """Read as is asked; `look` is called before copies and connections are given up."""
    told = ports.progress() if reading.progress is None else nullcontext(reading.progress)
    with told as progress, lasting(source, reading.table, reading.query, progress) as given:
        engine = engine or Engine()
        engine.tells(progress)
        return _book(engine, *settled(engine, given, reading), look)


def _book(engine: Engine, sources: Sequence[Source], spec: ReadingSpec, look: Look | None) -> Daybook:
    engine.meanwhile += _SOON
    with steady(sources), Scanner(engine, spec) as scanner:
        scans = scanner.scan_all(sources)
        from logochron.core.book.daybook import Daybook
        from logochron.sources.accounting import account

        rows, intake = account(engine, scans, spec)
        if look:
            look(scans, spec)
    summed = {aggregate.key: aggregate.column for aggregate in spec.summed}
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
        measures=spec.measures,
        recorded=rows.recorded,
        intake=replace(intake, guesses=(*spec.guesses, *intake.guesses)),
        asked_covering=spec.covering,
        asked_until=spec.until,
        kept=spec.keep,
        selected=spec.selected,
        filters=(spec.filters,) if spec.filters else (),
        standing=spec.standing,
        ids=rows.ids,
        beyond=rows.beyond,
        falls=rows.falls,
    )
    if spec.until is not None:
        book.check_until()
    return book
