"""What a cluster is still at for a reading that was broken off, given up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


def _nothing() -> None:
    """Polars stops with this process, and Spark cancels its jobs at a signal by itself."""


def giving_up(frame: Any) -> Callable[[], None]:
    """Has a cluster of Dask's cancel what is asked of it from now on, and nothing that others have asked for."""
    if not type(frame).__module__.startswith("dask"):
        return _nothing
    try:
        from distributed import Future, get_client

        client: Any = get_client()
    except (ImportError, ValueError):  # Dask works in threads of this process
        return _nothing
    others = set(client.futures)

    def give_up() -> None:
        client.cancel([Future(key, client=client) for key in set(client.futures) - others])

    return give_up
