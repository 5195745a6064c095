"""The amounts that go with quantities, where they are not named."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from logochron.sources.engine.connection import Engine
from logochron.sources.guess_columns import candidates_of, guess
from logochron.sources.kinds.find_files import Dialect, locate
from logochron.sources.kinds.scan import sampled

_TAKINGS = re.compile(r"revenue|sales|turnover|takings|income|umsatz|erl[öo]s|ventas|chiffre", re.IGNORECASE)


def amount_beside(source: Any, date: str | None, known: Sequence[str], dialect: Dialect) -> str:
    """The column of amounts beside columns that are known: the only one, or the only one called like takings.

    Raises
    ------
    QuestionError
        Where none or several may be meant.
    """
    first = locate(source)[0]
    columns = sampled(Engine(), first, dialect)
    _, candidates = candidates_of(columns, date, known)
    called = [column for column in candidates if _TAKINGS.search(column.name)]
    for found in (candidates, called):
        if len(found) == 1:
            return found[0].name
    return guess(first, columns, date, (), known)[1]
