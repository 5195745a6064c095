"""What gives a function the options of a reading: its signature, its docstring, and the check of what it is given."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import wraps
from inspect import Parameter, signature
from textwrap import fill
from typing import Any, TypeVar, overload

from logochron.options import READING_OPTIONS, Option

F = TypeVar("F", bound=Callable[..., Any])


@overload
def reading_call(function: F) -> F: ...
@overload
def reading_call(*, without: Sequence[str]) -> Callable[[F], F]: ...
def reading_call(function: F | None = None, *, without: Sequence[str] = ()) -> Any:
    """A function whose ``**options`` are those of a reading: others, and others' kinds of values, are refused by name.

    Parameters
    ----------
    without
        Those that it does not take. Its own parameters stand before them, and instead of those of the same name.
    """
    if function is None:
        return lambda other: _called(other, without)
    return _called(function, ())


def _called(function: F, without: Sequence[str]) -> F:
    own = [p for p in signature(function).parameters.values() if p.kind is not Parameter.VAR_KEYWORD]
    names = {parameter.name for parameter in own}
    rows = [row for row in READING_OPTIONS.values() if row.name not in names and row.name not in without]
    known = [
        *(parameter.name for parameter in own if parameter.kind is Parameter.KEYWORD_ONLY),
        *(r.name for r in rows),
    ]

    @wraps(function)
    def called(*args: Any, **options: Any) -> Any:
        from logochron.core.check_kinds import check_kinds
        from logochron.core.errors import QuestionError, no_such
        from logochron.options import Reading

        for name in options:
            if name not in known and name not in names:
                raise QuestionError("`{0}`: {1}", function.__name__, no_such("option", name, known))
        check_kinds(function, {name: value for name, value in options.items() if name in names})
        check_kinds(Reading, {name: value for name, value in options.items() if name not in names})
        return function(*args, **options)

    taken = [Parameter(row.name, Parameter.KEYWORD_ONLY, default=row.default, annotation=row.hint) for row in rows]
    called.__signature__ = signature(function).replace(parameters=[*own, *taken])  # type: ignore[attr-defined]
    if function.__doc__:
        head, returns, rest = function.__doc__.partition("\n\n    Returns\n")
        called.__doc__ = "\n".join([head, *_said(rows)]) + returns + rest
    return called  # type: ignore[return-value]


def _said(rows: Sequence[Option]) -> Iterator[str]:
    """What a docstring says of options."""
    for row in rows:
        yield f"    {row.name}"
        yield fill(row.doc or row.says, 120, initial_indent=" " * 8, subsequent_indent=" " * 8,
                   break_long_words=False, break_on_hyphens=False)  # fmt: skip
