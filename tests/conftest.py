"""What the tests share: files written, the command line run."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import click
import pytest
from hypothesis import settings

import logochron as lc
from logochron.cli.main import cli as command_line

sys.path.insert(0, str(Path(__file__).parents[1] / "scripts"))
from run_here import run_here  # noqa: E402

# processes that tests start find the package's byte code where this one leaves it, also where others switch that off
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
sys.dont_write_bytecode = False
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
