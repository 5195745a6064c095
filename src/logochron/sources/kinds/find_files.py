"""From what the user names to the files to read."""

from __future__ import annotations

import glob
import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Literal, NamedTuple

from logochron.core.errors import QuestionError, nearest

SourceKind = Literal["text", "parquet", "frame", "workbook", "json"]
ENDINGS: dict[str, SourceKind] = {
    ".csv": "text",
    ".tsv": "text",
    ".txt": "text",
    ".csv.gz": "text",
    ".tsv.gz": "text",
    ".txt.gz": "text",
    ".parquet": "parquet",
    ".xlsx": "workbook",
    ".xlsm": "workbook",
    ".json": "json",
    ".jsonl": "json",
    ".ndjson": "json",
    ".json.gz": "json",
    ".jsonl.gz": "json",
}


#: Where the frames we scan come from.
_HOMES = ("pandas", "polars", "pyarrow", "duckdb", "_duckdb")


class Source(NamedTuple):
    """A file to read, what kind it is, and how messages call it."""

    path: Path
    kind: SourceKind
    name: str
    frame: Any = None

    @property
    def packed(self) -> bool:
        """Whether it is a .gz."""
        return self.path.name.lower().endswith(".gz")

    @property
    def tabbed(self) -> bool:
        """Whether its ending says that tabs part the fields."""
        return ".tsv" in self.path.name.lower()


class Dialect(NamedTuple):
    """What the user states about text files; None where it is to be recognised."""

    delimiter: str | None = None
    encoding: str | None = None
    header_row: int | None = None
    sheet: str | None = None


def is_frame(source: Any) -> bool:
    """Whether something is a table of one of the libraries we know, without loading any of them."""
    return type(source).__module__.split(".")[0] in _HOMES and not isinstance(source, (str, os.PathLike))


def locate(source: Any) -> list[Source]:
    """The files that a path, a list of paths or a glob names, each once.

    Raises
    ------
    QuestionError
        Where there is none, one is a directory, is named twice, or its ending is unknown.
    """
    if is_frame(source):
        return [Source(Path(), "frame", "the data frame", source)]
    if isinstance(source, (list, tuple)) and source and all(map(is_frame, source)):
        return [Source(Path(), "frame", f"data frame {i + 1}", one) for i, one in enumerate(source)]
    if isinstance(source, (str, os.PathLike)):
        named: Iterable[Any] = [source]
    elif isinstance(source, (list, tuple)) and source:
        named = source
    else:
        raise QuestionError(
            f"`source` must be a path, a list of paths, a glob or a data frame; got {type(source).__name__}"
        )
    paths: list[Path] = []
    for one in named:
        if not isinstance(one, (str, os.PathLike)) or not os.fspath(one):
            raise QuestionError(f"`source` must hold paths; got {one!r}")
        path = Path(one)
        if not path.exists() and glob.has_magic(os.fspath(one)):
            found = sorted(Path(match) for match in glob.glob(os.fspath(one), recursive=True))  # noqa: PTH207  absolute ones too
            if not found:
                raise QuestionError(f"no file matches {os.fspath(one)!r}")
            paths += found
        else:
            paths.append(path)
    seen: dict[Path, Path] = {}
    for path in paths:
        real = path.resolve()
        if real in seen:
            raise QuestionError(f"{path} is named twice: its rows would count twice")
        seen[real] = path
    return [_source(path) for path in paths]


def fresh(folder: Path, ending: str) -> Path:
    """A path in a folder of copies that is not taken yet."""
    return folder / f"copy-{len(list(folder.iterdir()))}{ending}"


def plainly_named(source: Source, folder: Path) -> Source:
    """The source under a name that the engine takes for one file: ``sales[1].csv`` is a pattern to it."""
    ending = next(ending for ending in ENDINGS if source.path.name.lower().endswith(ending))
    link = fresh(folder, ending)
    link.symlink_to(source.path.resolve())
    return source._replace(path=link)


def _source(path: Path) -> Source:
    if not path.exists():
        beside = [p.name for p in path.parent.iterdir()] if path.parent.is_dir() else []
        hint = nearest(path.name, beside)
        raise QuestionError(f"there is no file {path}." + (f" Did you mean {path.parent / hint}?" if hint else ""))
    if path.is_dir():
        raise QuestionError(f"{path} is a directory: name its files, for instance '{path}/*.csv'")
    lower = path.name.lower()
    for ending, kind in sorted(ENDINGS.items(), key=lambda pair: -len(pair[0])):
        if lower.endswith(ending):
            return Source(path, kind, str(path))
    raise QuestionError(f"{path} has an unknown ending; known are {', '.join(ENDINGS)}")
