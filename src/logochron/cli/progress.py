"""Progress of a long reading, on standard error where it is a terminal."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

#: Seconds after which a reading counts as long.
_PATIENCE = 0.7


@contextmanager
def reading_progress() -> Iterator[Callable[[float], None] | None]:
    """A function to be told the part done, or None where nobody looks."""
    if not sys.stderr.isatty():
        yield None
        return
    started = time.monotonic()
    bar: list[Any] = []

    def told(part: float) -> None:
        if not bar and time.monotonic() - started > _PATIENCE:
            from rich.console import Console
            from rich.progress import Progress

            progress = Progress(console=Console(stderr=True), transient=True)
            progress.start()
            bar.extend([progress, progress.add_task("reading", total=1.0)])
        if bar:
            bar[0].update(bar[1], completed=part)

    try:
        yield told
    finally:
        if bar:
            bar[0].stop()
