"""Progress of a long reading, on standard error where it is a terminal."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from logochron.views.reading_progress import progress_bar


@contextmanager
def reading_progress() -> Iterator[Callable[[float], None] | None]:
    """A function to be told the part done, or None where nobody looks."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console

    with progress_bar(lambda: Console(stderr=True)) as told:
        yield told
