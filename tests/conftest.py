"""What the tests share: files written, the command line run."""

from __future__ import annotations

import contextlib
import io
import logging
import os
import signal
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import click
import pytest
from hypothesis import settings

import logochron as lc
from logochron.cli.main import cli as command_line

# no time is ever asserted; on a build machine the same examples are drawn every time
settings.register_profile("here", deadline=None)
settings.register_profile("build", deadline=None, derandomize=True)
settings.load_profile("build" if os.environ.get("CI") else "here")


@pytest.fixture(scope="session")
def demo_book() -> lc.Daybook:
    return lc.demo.book()


@pytest.fixture
def rows_file(tmp_path: Path) -> Callable[..., Path]:
    """Writes rows under a header `day,item,amount` (or another) to a file."""

    def write(rows: Sequence[Sequence[object]], header: str = "day,item,amount", name: str = "sales.csv") -> Path:
        path = tmp_path / name
        path.write_text("\n".join([header, *(",".join(map(str, row)) for row in rows)]) + "\n", encoding="utf-8")
        return path

    return write


def run_process(
    *words: object, env: dict[str, str] | None = None, cwd: Path | None = None
) -> subprocess.CompletedProcess[str]:
    """The command line as a user runs it, without a terminal."""
    return subprocess.run(
        [sys.executable, "-m", "logochron", *map(str, words)],
        capture_output=True,
        text=True,
        encoding="utf-8",
        timeout=120,
        cwd=cwd,
        env={**os.environ, "PYTHONIOENCODING": "utf-8", **(env or {})},
    )


def run_here(
    *words: object, env: dict[str, str] | None = None, cwd: Path | None = None
) -> subprocess.CompletedProcess[str]:
    """The same in this process, many times faster: the same function that the console script calls."""
    from logochron.cli.main import run

    out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8") for _ in range(2))
    log = logging.getLogger("logochron")
    kept = log.propagate, log.handlers, {number: signal.getsignal(number) for number in _SIGNALS}
    with pytest.MonkeyPatch.context() as patch:
        for name, value in (env or {}).items():
            patch.setenv(name, value)
        patch.chdir(cwd or Path.cwd())
        patch.setattr(sys, "argv", ["logochron", *map(str, words)])
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), pytest.raises(SystemExit) as left:
            run()
    log.propagate, log.handlers = kept[:2]
    for number, handler in kept[2].items():
        signal.signal(number, handler)
    texts = [stream.buffer.getvalue().decode().replace("\r\n", "\n") for stream in (out, err)]  # type: ignore[attr-defined]
    return subprocess.CompletedProcess(words, int(left.value.code or 0), *texts)


_SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


@pytest.fixture
def cli() -> Callable[..., subprocess.CompletedProcess[str]]:
    return run_here


@pytest.fixture
def cli_process() -> Callable[..., subprocess.CompletedProcess[str]]:
    """As a process of its own: what rests on its start, its streams or its end."""
    return run_process


def command_named(name: str) -> click.Command:
    """A command of the command line."""
    found = command_line.get_command(click.Context(command_line), name)
    assert found is not None
    return found
