"""Texts that no spreadsheet takes for a formula, where that is asked for."""

from __future__ import annotations

#: Signs with which a text begins that a spreadsheet takes for a formula, those of full width too.
FORMULA_SIGNS = ("=", "+", "-", "@", "\t", "\r", "\n", "\uff1d", "\uff0b", "\uff0d", "\uff20")


def harmless(text: str | None) -> str | None:
    """A text that no spreadsheet takes for a formula: with an apostrophe before it where it would.

    >>> harmless("=1+1"), harmless("Cold Pier")
    ("'=1+1", 'Cold Pier')
    """
    return f"'{text}" if text is not None and text.startswith(FORMULA_SIGNS) else text
