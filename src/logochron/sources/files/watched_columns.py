"""Columns that nobody asked for and that may mislead every sum: currencies, states of orders."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace

from logochron.core.errors import nearest
from logochron.sources.files.headers import SampleColumn, fold
from logochron.sources.rolled_source import ReadingSpec

#: What orders are called that count, and what those that usually do not.
COUNTING = frozenset(
    """
    paid completed complete done shipped delivered closed invoiced fulfilled confirmed processed settled active
    bezahlt abgeschlossen versendet versandt geliefert fakturiert erledigt bestätigt berechnet
    """.split()  # noqa: SIM905  a list of words is read more easily so
)
NOT_COUNTING = frozenset(
    """
    cancelled canceled void voided refunded returned pending draft failed declined rejected expired abandoned unpaid
    quote hold on-hold open storniert offen entwurf ausstehend erstattet retourniert abgebrochen fehlgeschlagen
    abgelehnt annulé cancelado anulado annullato
    """.split()  # noqa: SIM905
)
_STATES = COUNTING | NOT_COUNTING
#: So many different labels such a column has at most.
_MOST = 30
_CODE = re.compile(r"[A-Z]{3}")
_NAMED_STATE = re.compile(r"stat(?:us|e)|zustand|estado|statut", re.IGNORECASE)
_NAMED_CURRENCY = re.compile(r"curr|währung|waehrung|\bccy\b|devise|moneda|valuta", re.IGNORECASE)


def watching(spec: ReadingSpec, columns: Iterable[SampleColumn]) -> ReadingSpec:
    """The reading that watches the columns of a source that hold currencies or states, by their first rows.

    Those that are filtered, or split by, are settled already.
    """
    # labels that a filter leaves out may be misspelt elsewhere
    chosen = [condition.column for condition in spec.where if condition.taken]
    split = () if spec.reviewed else spec.dimensions.values()
    named = {fold(name) for name in (*split, *chosen, spec.date, spec.currency)}
    named |= {fold(aggregate.column) for aggregate in spec.summed if aggregate.column}
    met = list(columns)
    once = [column for column in met if [other.name for other in met].count(column.name) == 1]
    watched = {column.name: kind for column in once if fold(column.name) not in named and (kind := _kind(column))}
    return replace(spec, watched=watched) if watched else spec


def _kind(column: SampleColumn) -> str:
    """Whether a column holds currencies, or states; empty where neither."""
    if column.kind != "text" or not column.name:
        return ""
    known = {text.strip() for text in column.texts}
    if not known or len(known) > _MOST:
        return ""
    if is_currencies(known, column.name):
        return "currencies"
    if not any(_plain(text) in _STATES for text in known):
        return ""
    states = [state for text in known if (state := state_of(text))]
    least = 1 if _NAMED_STATE.search(column.name) else 2
    return "states" if len(states) >= least and 2 * len(states) >= len(known) else ""


def is_currencies(labels: set[str], name: str) -> bool:
    """Whether labels are codes of currencies, by ISO 4217; a single one only where the column is called so."""
    if not all(map(_CODE.fullmatch, labels)) or (len(labels) == 1 and not _NAMED_CURRENCY.search(name)):
        return False
    from babel.numbers import list_currencies

    return labels <= set(list_currencies())


def state_of(label: str) -> str:
    """The state of an order that a label names, maybe misspelt; empty where it names none.

    >>> state_of("Cancelled"), state_of("cancled"), state_of("Alderquay")
    ('cancelled', 'canceled', '')
    """
    plain = _plain(label)
    if plain in _STATES:
        return plain
    return (nearest(plain, sorted(_STATES), at_least=_ALIKE) or "") if len(plain) >= _LEAST else ""


def _plain(label: str) -> str:
    return "-".join(label.strip().casefold().split())


#: How alike a misspelt state is, and how many letters it has at least.
_ALIKE, _LEAST = 0.84, 5
