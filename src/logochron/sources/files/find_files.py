"""From what the user names to the files to read."""

from __future__ import annotations

import errno
import fnmatch
import glob
import os
import stat
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path, PurePath
from typing import Any, Literal, NamedTuple

from logochron.core.errors import (
    IntakeError,
    LogochronError,
    QuestionError,
    brief,
    nearest,
    no_file_name,
    shown_path,
    visible,
)
from logochron.core.said import Said

SourceKind = Literal["text", "parquet", "frame", "workbook", "json", "pushdown"]
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


#: How many files of a folder are looked at for those of Parquet.
_MOST_SEEN = 100_000
#: Where the frames we scan come from, and those that are rolled up where they lie.
_HOMES = ("pandas", "polars", "pyarrow", "duckdb", "_duckdb", "narwhals")
_LAZY_HOMES = ("dask", "pyspark")


class Source(NamedTuple):
    """A file to read, what kind it is, and how messages call it; or a frame, or a table that lies elsewhere."""

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


def is_frame(source: Any) -> bool:
    """Whether something is a table of one of the libraries we know, without loading any of them."""
    home = type(source).__module__.split(".")[0]
    return home in (*_HOMES, *_LAZY_HOMES) and not isinstance(source, (str, os.PathLike))


def locate(source: Any) -> list[Source]:
    """The files that a path, a list of paths or a glob names, each once.

    Raises
    ------
    QuestionError
        Where there is none, one is a directory, is named twice, or its ending is unknown.
    """
    if is_frame(source):
        return [_of_frame(source, Said("the data frame"))]
    if isinstance(source, (list, tuple)) and source and all(map(is_frame, source)):
        return [_of_frame(one, Said("data frame {0}", i + 1)) for i, one in enumerate(source)]
    sources: list[Source] = []
    for one in listed(source):
        sources += [one] if isinstance(one, Source) else map(_source, files_of(one))
    seen: set[str] = set()
    for file in sources:
        if file.kind == "pushdown":
            continue
        real = os.path.realpath(file.path)
        if real in seen:
            raise QuestionError("{0} is named twice: its rows would count twice", file.name)
        seen.add(real)
    return sources


def _of_frame(frame: Any, name: str) -> Source:
    """A frame that lies in memory, or a lazy one."""
    home, _, rest = type(frame).__module__.partition(".")
    if home == "narwhals":
        return _of_frame(frame.to_native(), name)
    if home == "pyarrow" and type(frame).__name__ in ("RecordBatchReader", "Scanner"):
        # which can be gone through only once, and its first rows are looked at before
        frame = frame.read_all() if hasattr(frame, "read_all") else frame.to_table()
    if home not in _LAZY_HOMES and not rest.startswith("lazyframe"):
        return Source(Path(), "frame", name, frame)
    try:
        from logochron.sources.pushdown.frames import LazyFrame
    except ModuleNotFoundError:
        raise QuestionError("lazy frames need Narwhals: pip install 'logochron[clusters]'") from None
    return Source(Path(), "pushdown", name, LazyFrame(frame, name))


def listed(source: Any) -> list[Any]:
    """One path or several as a list; each may be a `Source` already.

    Raises
    ------
    QuestionError
        Where it is none.
    """
    if isinstance(source, (str, os.PathLike, Source)):
        source = [source]
    if not isinstance(source, (list, tuple)) or not source:
        raise QuestionError(
            "`source` must be a path, a list of paths, a glob, the address of a database or a data frame; got {0}",
            type(source).__name__,
        )
    for one in source:
        if not isinstance(one, Source) and not (
            isinstance(one, (str, os.PathLike)) and isinstance(os.fspath(one), str) and os.fspath(one)
        ):
            raise QuestionError("`source` must hold paths; got {0}", brief(one))
    return list(source)


def matching(named: str | os.PathLike[str]) -> list[Path]:
    """The path that is named, or all that match it."""
    text = os.fspath(named)
    if mode_of(Path(text)) or not glob.has_magic(text):
        return [Path(text)]
    first, *rest = PurePath(text).parts
    root = Path(first) if PurePath(text).anchor else Path()
    paths = sorted(set(_Glob(text).matches(root, tuple(rest) if PurePath(text).anchor else (first, *rest))))
    if not paths:
        raise QuestionError("no file matches {0!r}", visible(text))
    return paths


class _Glob:
    """What matches a pattern, as the standard library has it, but for so many names looked at."""

    def __init__(self, pattern: str) -> None:
        self.pattern, self.seen = pattern, 0

    def matches(self, folder: Path, parts: Sequence[str]) -> Iterator[Path]:
        """What matches the parts of a pattern below a folder: ``**`` stands for any folders."""
        if not parts:
            yield folder
            return
        part, rest = parts[0], parts[1:]
        if part == "**":
            yield from self.matches(folder, rest or ("*",))
            for name, is_folder, is_link in self._names(folder):
                if is_folder and not is_link and name[0] != ".":  # a link may lead up again
                    yield from self.matches(folder / name, parts)
        elif glob.has_magic(part):
            for name, is_folder, _ in self._names(folder):
                if (name[0] != "." or part[0] == ".") and fnmatch.fnmatch(name, part) and (is_folder or not rest):
                    yield from self.matches(folder / name, rest)
        elif mode_of(folder / part):
            yield from self.matches(folder / part, rest)

    def _names(self, folder: Path) -> list[tuple[str, bool, bool]]:
        """The names in a folder, whether each is a folder, and a link; none of one that may not be looked at."""
        try:
            with os.scandir(folder) as entries:
                names = [(one.name, one.is_dir(), one.is_symlink()) for one in entries]
        except OSError:
            return []
        self.seen += len(names)
        if self.seen > _MOST_SEEN:
            raise QuestionError(
                "{0!r} looks through over {1:,} names: name the folder of the sales", visible(self.pattern), _MOST_SEEN
            )
        return names


def files_of(named: str | os.PathLike[str]) -> Iterator[Path]:
    """The files that are read of what is named: those that match it; of a folder of Parquet files these."""
    for path in matching(named):
        yield from _parquet_in(path) if stat.S_ISDIR(mode_of(path)) else [path]


def _parquet_in(folder: Path) -> list[Path]:
    """The Parquet files in a folder and in those within it; the folder itself where there are none."""
    paths, seen = [], 0
    for place, folders, names in os.walk(folder):  # what may not be looked at is passed over
        folders[:] = filter(of_the_data, folders)
        paths += [Path(place, name) for name in names if name.lower().endswith(".parquet") and of_the_data(name)]
        seen += len(names) + len(folders)
        if seen > _MOST_SEEN:
            raise QuestionError(
                "{0} holds over {1:,} files: name the folder of the sales", shown_path(folder), _MOST_SEEN
            )
    return sorted(paths) or [folder]


def of_the_data(name: str) -> bool:
    """Whether a file or folder within a folder holds data: what begins with ``_`` or ``.`` is about them."""
    return name[0] not in "_."


def is_same(one: Path, other: Path) -> bool:
    """Whether two paths lead to the same file, be it by links or another spelling."""
    try:
        return one.samefile(other)
    except (OSError, ValueError):  # one of them is not there
        return os.path.realpath(one) == os.path.realpath(other)


def mode_of(path: Path) -> int:
    """What a path leads to, as its mode; 0 where it leads nowhere.

    Raises
    ------
    QuestionError
        Where it cannot be the name of a file.
    IntakeError
        Where it cannot be looked at.
    """
    try:
        return path.stat().st_mode
    except (FileNotFoundError, NotADirectoryError):
        return 0
    except ValueError:
        raise no_file_name(path) from None
    except OSError as error:
        name = shown_path(path)
        if error.errno in (errno.ELOOP, errno.ENAMETOOLONG):
            raise QuestionError("{0} leads to no file: {1}", name, error.strerror) from None
        raise unreadable(name, error) from None


def unreadable(name: str, error: OSError) -> IntakeError:
    """What is said of a file that is there and cannot be read, whatever its kind."""
    return IntakeError("{0} cannot be read: {1}", name, error.strerror or error)


def fresh(folder: Path, ending: str) -> Path:
    """A path in a folder of copies that is not taken yet."""
    return folder / f"copy-{len(list(folder.iterdir()))}{ending}"


def plainly_named(source: Source, folder: Path) -> Source:
    """The source under a name that the engine takes for one file: ``sales[1].csv`` is a pattern to it."""
    ending = next(ending for ending in ENDINGS if source.path.name.lower().endswith(ending))
    link = fresh(folder, "").joinpath(*keyed_folders(source.path), f"link{ending}")
    link.parent.mkdir(parents=True)
    link.symlink_to(source.path.resolve())
    return source._replace(path=link)


def keyed_folders(path: PurePath) -> list[str]:
    """The folders of a file that name a part of the data: ``year=2026``."""
    return [part for part in path.parts[:-1] if "=" in part[1:]]


def folder_keys(path: PurePath) -> list[str]:
    """What these name: `year`."""
    return [part.split("=", 1)[0] for part in keyed_folders(path)]


def _source(path: Path) -> Source:
    mode, name = mode_of(path), visible(str(path))
    if not mode:
        raise QuestionError(_nowhere(path, name))
    if stat.S_ISDIR(mode):
        raise QuestionError("{0} is a directory: name its files, for instance '{0}/*.csv'", name)
    if not stat.S_ISREG(mode):
        raise QuestionError("{0} is no ordinary file: copy what it gives to one, or hand it over by a pipe", name)
    kind = kind_of(path)
    if kind is None:
        raise QuestionError("{0} has an unknown ending; known are {1}", name, ", ".join(ENDINGS))
    return Source(path, kind, name)


@contextmanager
def steady(sources: Sequence[Source]) -> Iterator[None]:
    """While files are read: what goes wrong with one, and that none changes, become an IntakeError.

    Raises
    ------
    IntakeError
        Where a file cannot be read, or is another afterwards.
    """
    files = [source for source in sources if source.kind not in ("frame", "pushdown")]
    before = [_state(source.path) for source in files]
    try:
        yield
    except (LogochronError, OSError) as error:
        _check_steady(files, before)
        if isinstance(error, OSError):
            raise unreadable(files[0].name if len(files) == 1 else str(error.filename or "a file"), error) from None
        raise
    _check_steady(files, before)


def _state(path: Path) -> tuple[int, ...]:
    """What tells one state of a file from another; nothing where it is gone."""
    try:
        stat_of = path.stat()
    except OSError:
        return ()
    return stat_of.st_ino, stat_of.st_size, stat_of.st_mtime_ns


def _check_steady(files: Sequence[Source], before: Sequence[tuple[int, ...]]) -> None:
    for file, state in zip(files, before):
        if _state(file.path) != state:
            raise IntakeError("{0} changed while it was read: read it again once nothing writes to it", file.name)


def kind_of(path: Path) -> SourceKind | None:
    """The kind of a file by its ending; None where that is unknown."""
    lower = path.name.lower()
    fitting = [ending for ending in ENDINGS if lower.endswith(ending)]
    return ENDINGS[max(fitting, key=len)] if fitting else None


def _nowhere(path: Path, name: str) -> str:
    """What is said of a path that leads nowhere."""
    if path.is_symlink():
        return Said("{0} is a link to {1}, which is not there", name, visible(str(path.readlink())))
    try:
        beside = [p.name for p in path.parent.iterdir()]
    except OSError:
        beside = []
    hint = nearest(path.name, beside)
    return Said(
        "there is no file {0}.{1}", name, (Said(" Did you mean {0}?", visible(str(path.parent / hint))) if hint else "")
    )
