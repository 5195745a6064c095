"""Progress of a long reading: a bar on a terminal or in a notebook, once it has taken a while."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.util import find_spec
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from rich.console import Console

#: Is told the part that is done, from 0 to 1.
ToldPart = Callable[[float], None]
#: Seconds after which a reading counts as long.
_PATIENCE = 0.7


@contextmanager
def progress_bar(console: Callable[[], Console]) -> Iterator[ToldPart]:
    """A function to be told the part done, which shows a bar on a console made when it is needed."""
    started = time.monotonic()
    bar: list[Any] = []

    def tell(part: float) -> None:
        if not bar and time.monotonic() - started > _PATIENCE:
            from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeElapsedColumn

            columns = (TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeElapsedColumn())
            progress = Progress(*columns, console=console(), transient=True)
            progress.start()
            # of what is done elsewhere nobody knows how much: the bar then only moves
            bar.extend([progress, progress.add_task("reading", total=None)])
        if bar:
            bar[0].update(bar[1], completed=part, total=1.0 if part else None)

    try:
        yield tell
    finally:
        if bar:
            bar[0].stop()


def in_notebook() -> bool:
    """Whether a notebook shows what is displayed, and can show a bar that moves."""
    if "IPython" not in sys.modules:
        return False
    from rich.console import Console

    return Console().is_jupyter and find_spec("ipywidgets") is not None


@contextmanager
def notebook_progress() -> Iterator[ToldPart | None]:
    """A function to be told the part done in a notebook; None elsewhere."""
    if not in_notebook():
        yield None
        return
    from rich.console import Console

    with progress_bar(Console) as tell:
        yield tell
