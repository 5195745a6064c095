"""On which line of a TOML text each key stands; the values are the standard library's to read."""

from __future__ import annotations

import re
from collections.abc import Iterator

#: A key, as steps: names of tables and keys, numbers of tables of a list.
Place = tuple[str | int, ...]

_NAME = r"""(?:"(?:[^"\\]|\\.)*"|'[^']*'|[A-Za-z0-9_-]+)"""
_DOTTED = rf"{_NAME}(?:\s*\.\s*{_NAME})*"
_HEADER = re.compile(rf"\s*(\[\[?)\s*({_DOTTED})\s*\]\]?")
_KEY = re.compile(rf"\s*({_DOTTED})\s*=")
#: What a value is made of: texts (that may go over lines), comments, brackets.
_PIECES = re.compile(
    r'"{3}(?:[^\\]|\\.)*?"{3}|\'{3}.*?\'{3}|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'|#[^\n]*|[\[\]{}]|\n', re.DOTALL
)


def key_lines(text: str) -> dict[Place, int]:
    """The line of each table and key of a text that is TOML.

    >>> key_lines('[sales]\\nfile = "a"\\n[[section]]\\neach = "month"\\n')[("section", 0, "each")]
    4
    """
    found: dict[Place, int] = {}
    counts: dict[Place, int] = {}
    table: Place = ()
    for number, line in _logical_lines(text):
        if header := _HEADER.match(line):
            table = _within(_names(header[2]), counts)
            if header[1] == "[[":
                counts[table] = counts.get(table, -1) + 1
                table = (*table, counts[table])
            found.setdefault(table, number)
        elif key := _KEY.match(line):
            found.setdefault((*table, *_names(key[1])), number)
    return found


def line_of(place: Place, lines: dict[Place, int]) -> int:
    """The line of a key, of the first one in it, or of the nearest table around it that is written."""
    while place and place not in lines:
        inside = [line for known, line in lines.items() if known[: len(place)] == place]
        if inside:
            return min(inside)
        place = place[:-1]
    return lines.get(place, 1)


def _within(names: Place, counts: dict[Place, int]) -> Place:
    """The steps of a table's name, with the numbers of the lists it lies in, but for its own."""
    steps: Place = ()
    for name in names[:-1]:
        steps = (*steps, name)
        if steps in counts:
            steps = (*steps, counts[steps])
    return (*steps, *names[-1:])


def _names(dotted: str) -> Place:
    return tuple(name[1:-1] if name[0] in "\"'" else name for name in re.findall(_NAME, dotted))


def _logical_lines(text: str) -> Iterator[tuple[int, str]]:
    """The lines on which something begins: not those on which a value goes on."""
    number, start, depth = 1, 0, 0
    begins = 1
    for piece in _PIECES.finditer(text + "\n"):
        sign = piece[0]
        if sign in "[{" and sign:
            depth += 1
        elif sign in "]}" and sign:
            depth -= 1
        elif sign == "\n":
            number += 1
            if depth <= 0:
                yield begins, text[start : piece.start()]
                start, begins, depth = piece.end(), number, 0
        else:
            number += sign.count("\n")
