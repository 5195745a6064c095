"""The made-up records of Brinefold Boats, four harbors that hire out and sell small craft."""

from __future__ import annotations

import gzip
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any

from logochron.core.errors import QuestionError

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook
    from logochron.core.judge.judging import Judging

SALES, PLAN, REPORT = "brinefold-sales.csv", "brinefold-plan.csv", "brinefold.toml"


def text(name: str) -> bytes:
    """The bytes of one of the files that ship with the package."""
    return gzip.decompress((files("logochron.demo") / "data" / f"{name}.gz").read_bytes())


def write(folder: str | Path) -> tuple[Path, Path]:
    """Write the records and the plan into a folder, which is made where it is missing.

    Returns
    -------
    tuple of pathlib.Path
        The records and the plan.

    Raises
    ------
    QuestionError
        Where the folder cannot be written, or holds other files of these names.
    OutputError
        Where they cannot be written to the end; nothing half-written is left.
    """
    from logochron.views.whole_file import whole_file

    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name in (SALES, PLAN):
            path, made = folder / name, text(name)
            if path.exists() and path.read_bytes() != made:
                raise QuestionError("{0} is there already and differs: name another folder", path)
            with whole_file(path) as beside:
                beside.write_bytes(made)
    except OSError as error:
        raise QuestionError("{0} cannot be written: {1}", folder, error.strerror or error) from None
    return folder / SALES, folder / PLAN


def write_report(folder: str | Path) -> Path:
    """Write the records, the plan and a report file of eight sections into a folder; the report file.

    Raises
    ------
    QuestionError, OutputError
        As `write`.
    """
    from logochron.views.whole_file import whole_file

    write(folder)
    path = Path(folder) / REPORT
    made = (files("logochron.demo") / "data" / REPORT).read_bytes()
    if path.exists() and path.read_bytes() != made:
        raise QuestionError("{0} is there already and differs: name another folder", path)
    with whole_file(path) as beside:
        beside.write_bytes(made)
    return path


def judging() -> Judging:
    """What Brinefold Boats calls ahead, on course and behind, and what it then does.

    >>> [band.name for band in judging().bands]
    ['behind', 'on course', 'ahead']
    """
    from logochron.core.judge.judging import Band, Judging

    return Judging(
        bands=[
            Band("ahead", from_=0.08, verdict="favorable", advice="add a lesson boat"),
            Band("on course", from_=-0.03, below=0.08, verdict="neutral"),
            Band("behind", below=-0.03, verdict="adverse", advice="ring the harbor office"),
        ]
    )


def book(**options: Any) -> Daybook:
    """The records as a daybook: revenue, units and cost by harbor, line and channel.

    `options` go to `read`, instead of what is said here.

    >>> len(book().items("harbor"))
    4
    """
    from tempfile import TemporaryDirectory

    from logochron.core.book.measures import Measure
    from logochron.sources.read import read

    asked: dict[str, Any] = {
        "date": "sold_on",
        "measures": [
            Measure("revenue", unit="EUR"),
            Measure("units"),
            Measure("cost", better="lower", unit="EUR"),
        ],
        "by": ["harbor", "line", "channel"],
    }
    with TemporaryDirectory(prefix="logochron-") as folder:
        return read(write(folder)[0], **(asked | options))
