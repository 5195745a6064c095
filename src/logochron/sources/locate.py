"""From what the user names to the files to read."""

from __future__ import annotations

import glob
import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Literal, NamedTuple

from logochron.core.errors import QuestionError, nearest

Kind = Literal["text", "parquet"]
ENDINGS: dict[str, Kind] = {
    ".csv": "text",
    ".tsv": "text",
    ".txt": "text",
    ".csv.gz": "text",
    ".tsv.gz": "text",
    ".txt.gz": "text",
    ".parquet": "parquet",
}


class Source(NamedTuple):
    """A file to read, what kind it is, and how messages call it."""

    path: Path
    kind: Kind
    name: str

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


def locate(source: Any) -> list[Source]:
    """The files that a path, a list of paths or a glob names, each once.

    Raises
    ------
    QuestionError
        Where there is none, one is a directory, is named twice, or its ending is unknown.
    """
    if isinstance(source, (str, os.PathLike)):
        named: Iterable[Any] = [source]
    elif isinstance(source, (list, tuple)) and source:
        named = source
    else:
        raise QuestionError(f"`source` must be a path, a list of paths or a glob; got {type(source).__name__}")
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
