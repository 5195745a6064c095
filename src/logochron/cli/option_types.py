"""Types of options: what is wrong with a value is said in our words, and a long one is not shown whole."""

from __future__ import annotations

from typing import Any

import click

from logochron.core.choices import MOST_DIGITS, refuse_brought
from logochron.core.errors import brief


class Whole(click.IntRange):
    """A whole number in a range; one of thousands of digits is not shown whole."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        if isinstance(value, str) and len(value) > MOST_DIGITS:
            self.fail(f"{brief(value)} is no whole number of at most {MOST_DIGITS} digits.", param, ctx)
        return super().convert(value, param, ctx)


class Choice(click.Choice[str]):
    """One of some words; one that people bring along is answered with ours."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> str:
        if value not in self.choices and param is not None:
            refuse_brought(param.opts[0], value)
        return super().convert(value, param, ctx)
