"""Completion of commands and options in a shell, and the versions of what matters."""

from __future__ import annotations

import os
import platform
from importlib.metadata import PackageNotFoundError, version

import click
from click.shell_completion import get_completion_class, shell_complete

from logochron import __version__
from logochron.cli.speaking import put

_PROGRAM, _VARIABLE = "logochron", "_LOGOCHRON_COMPLETE"
#: What figures, files and pictures depend on; those that a user may or may not have come last.
_MATTERS = (
    *(
        "numpy",
        "pandas",
        "duckdb",
        "matplotlib",
        "babel",
        "click",
        "rich",
        "pydantic",
        "python-calamine",
        "xlsxwriter",
    ),
    *("sqlalchemy", "narwhals", "fsspec", "polars", "pyarrow", "dask", "pyspark", "holidays"),
)


def script(shell: str) -> str:
    """What a shell is to carry out so that it completes."""
    known = get_completion_class(shell)
    assert known is not None
    completer = known(click.Group(), {}, _PROGRAM, _VARIABLE)
    return completer.source_template % completer.source_vars()


def answer_shell(command: click.Group) -> int | None:
    """Answer a shell that asks what could come next; None where none does."""
    question = os.environ.get(_VARIABLE)
    return shell_complete(command, {}, _PROGRAM, _VARIABLE, question) if question else None


def versions() -> str:
    """The version, that of Python, and those of the packages that are there."""
    lines = [f"{_PROGRAM} {__version__}", f"Python {platform.python_version()} on {platform.system()}"]
    for name in _MATTERS:
        try:
            lines.append(f"{name} {version(name)}")
        except PackageNotFoundError:
            continue
    return "\n".join(lines)


def show_versions(ctx: click.Context, param: click.Parameter, asked: bool) -> None:
    """The option that shows them and ends."""
    if asked and not ctx.resilient_parsing:
        put(versions() + "\n")
        ctx.exit()
