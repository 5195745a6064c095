"""Arguments of the wrong kind refused by name, by the type hints of what takes them: one check for all calls."""

from __future__ import annotations

import builtins
import inspect
import re
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cache, wraps
from numbers import Integral, Real
from types import NoneType, SimpleNamespace, UnionType
from typing import Any, Literal, ParamSpec, TypeVar, Union, get_args, get_origin, get_type_hints

from logochron.core.errors import QuestionError, brief
from logochron.core.said import Said, either
from logochron.core.synonyms import synonym

P = ParamSpec("P")
R = TypeVar("R")

_WORDS: dict[Any, str] = {
    **{
        str: Said("a text"),
        bool: Said("True or False"),
        int: Said("a whole number"),
        float: Said("a number"),
        NoneType: "None",
    },
    **{Sequence: Said("a list"), list: Said("a list"), Mapping: Said("a mapping"), Callable: Said("a function")},
}
#: Kinds that other checks tell with all their values.
_ELSEWHERE = (Literal, Any)
_OURS = __name__.split(".")[0]


def kinds_checked(function: Callable[P, R]) -> Callable[P, R]:
    """A function whose arguments are refused where they are not of the kind that its hints say.

    Hints of words (`Literal`) and of classes of ours are left to the checks that know them.

    >>> @kinds_checked
    ... def half(n: int, name: str = "") -> float: return n / 2
    >>> half("2")
    Traceback (most recent call last):
    ...
    logochron.core.errors.QuestionError: `n` must be a whole number; got '2'
    """
    parameters = inspect.signature(function).parameters.values()
    by_place = [p.name for p in parameters if p.kind in (p.POSITIONAL_ONLY, p.POSITIONAL_OR_KEYWORD)]
    rest = next((p.name for p in parameters if p.kind is p.VAR_KEYWORD), "")
    taken = frozenset(p.name for p in parameters)

    @wraps(function)
    def checked(*args: P.args, **named: P.kwargs) -> R:
        hints = hints_of(function)
        if not rest:
            _check_names(function.__name__, named, taken)
        for name, value in (*zip(by_place, args), *named.items()):  # what has no place is refused by the function
            _check(name, value, hints.get(name, hints.get(rest, Any)))
        return function(*args, **named)

    return checked


def _check_names(function: str, named: Iterable[str], taken: frozenset[str]) -> None:
    """Answers an argument that is called otherwise here; one of no known name is refused by the function itself."""
    for name in named:
        if name not in taken and (ours := synonym(name, "keyword")) is not None and ours.ours in taken:
            raise TypeError(f"{function}() has no argument {name!r}: here it is {ours.ours!r}")


def check_kinds(owner: Any, arguments: Mapping[str, Any]) -> None:
    """Refuse the first argument that is not of the kind that its hint says.

    Parameters
    ----------
    owner
        The function, dataclass or named tuple whose hints are meant.

    Raises
    ------
    QuestionError
        Naming the argument, the kinds it may be of, and what came.
    """
    hints = hints_of(owner)
    for name, value in arguments.items():
        _check(name, value, hints.get(name, Any))


def _check(name: str, value: Any, hint: Any) -> None:
    if not _fits(value, hint):
        raise QuestionError("`{0}` must be {1}; got {2}", name, _in_words(hint), brief(value))


@cache
def hints_of(owner: Any) -> dict[str, Any]:
    """The type hints of a function or a class; what it imports for type checkers alone is Any."""
    known = vars(inspect.getmodule(owner))
    written = {
        name: getattr(hint, "__forward_arg__", hint) for name, hint in owner.__annotations__.items() if name != "return"
    }
    # what a module imports for type checkers alone is checked by what takes it
    names = {name for hint in written.values() for name in re.findall(r"\b[A-Za-z_]\w*", hint)}
    unknown = {name: Any for name in names if name not in known and not hasattr(builtins, name)}
    return get_type_hints(SimpleNamespace(__annotations__=written), {**known, **unknown})


def _fits(value: Any, hint: Any) -> bool:
    return _test_of(hint)(value)


@cache
def _test_of(hint: Any) -> Callable[[Any], bool]:
    """What a value of a kind passes; made once for each hint."""
    kind, parts = get_origin(hint) or hint, get_args(hint)
    if kind in _ELSEWHERE:
        return lambda value: True
    if kind in (Union, UnionType):
        either = [_test_of(part) for part in parts]
        return lambda value: any(test(value) for test in either)
    if kind is bool:
        return _is_bool
    if kind in (int, float):
        number = Integral if kind is int else Real
        return lambda value: isinstance(value, number) and not _is_bool(value)
    if kind is tuple:
        return lambda value: isinstance(value, (tuple, list)) and _all_fit(value, parts)
    if kind in (Sequence, list):
        return lambda value: (
            _is_plain_list(value)
            and (
                # what is used up by looking at it is not looked at
                isinstance(value, Iterator) or all(_fits(one, parts[0]) for one in value)
            )
        )
    if kind is Mapping:
        return lambda value: isinstance(value, Mapping) and all(_all_fit(pair, parts) for pair in value.items())
    if kind is Callable:
        return callable
    # what a class of ours stands for is told by what takes it
    if not isinstance(kind, type) or kind.__module__.startswith(_OURS):
        return lambda value: True
    return lambda value: isinstance(value, kind)


def _is_bool(value: Any) -> bool:
    """Whether a value is True or False, of Python or of NumPy, which is not loaded to tell."""
    numpy = sys.modules.get("numpy")
    return isinstance(value, bool) or (numpy is not None and isinstance(value, numpy.bool_))


def _is_plain_list(value: Any) -> bool:
    return isinstance(value, Iterable) and not isinstance(value, (str, bytes, Mapping))


def _all_fit(values: Sequence[Any], hints: Sequence[Any]) -> bool:
    if len(hints) == 2 and hints[1] is Ellipsis:
        return all(_fits(value, hints[0]) for value in values)
    return len(values) == len(hints) and all(map(_fits, values, hints))


def _in_words(hint: Any) -> str:
    kind, parts = get_origin(hint) or hint, get_args(hint)
    if kind in (Union, UnionType):
        words = [_in_words(part) for part in parts if part is not NoneType]
        return either(dict.fromkeys(words))
    if kind in (Sequence, list):
        return Said("a list of {0}s", Said(_in_words(parts[0]).removeprefix("a ")))
    if kind is tuple and parts[-1] is not Ellipsis:
        return Said("{0} of {1}s", len(parts), Said(_in_words(parts[0]).removeprefix("a ")))
    return _WORDS.get(kind, "") or f"a {getattr(kind, '__name__', kind)}"
