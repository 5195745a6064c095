"""How a question was put: kept by its answer, so that it can be put again with some options changed."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import wraps
from typing import Any, ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(frozen=True, eq=False)
class Put:
    """A question and the options it was put with."""

    question: Callable[..., Any]
    options: Mapping[str, Any]

    def with_options(self, **changed: Any) -> Put:
        """The same question with some options changed; those that it does not take are left out."""
        return replace(self, options={**self.options, **{n: v for n, v in changed.items() if n in self.options}})

    def again(self, **changed: Any) -> Any:
        """The answer to the same question with some options changed."""
        return self.question(**{**self.options, **changed})


def remembered(question: Callable[P, R]) -> Callable[P, R]:
    """A question whose answers keep how it was put."""
    signature = inspect.signature(question)

    @wraps(question)
    def asked(*args: P.args, **named: P.kwargs) -> R:
        answer: Any = question(*args, **named)
        bound = signature.bind(*args, **named)
        bound.apply_defaults()
        made: R = replace(answer, put=Put(asked, bound.arguments))
        return made

    return asked
