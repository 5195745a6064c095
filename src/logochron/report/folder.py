"""The folder of a report: which of its files are ours, and how new ones take their places; all else is left alone."""

from __future__ import annotations

import errno
import hashlib
import logging
import os
import re
import stat
import tempfile
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, StrictBool, StrictInt, StringConstraints, ValidationError

from logochron.core.errors import OutputError, QuestionError, shown_path
from logochron.core.said import Said
from logochron.views.whole_file import UNFINISHED, flushed, folder_place, put_new, unwritten

PAGE, WORKBOOK, RESTATED, FIGURES = "index.html", "report.xlsx", "restated.csv", "figures.parquet"
SUMMARY, SLIDES = "summary.pdf", "slides.pptx"
#: Which files of the folder a report wrote: their names, sizes and digests.
MANIFEST = "logochron-files.json"
_LOG = logging.getLogger("logochron")
#: What a report may call a file: nothing else is ever replaced or removed, whatever a manifest says.
_NAMES = re.compile(rf"{re.escape(PAGE)}|{re.escape(WORKBOOK)}|{re.escape(RESTATED)}|{re.escape(FIGURES)}"
                    rf"|{re.escape(SUMMARY)}|{re.escape(SLIDES)}|\d{{2,}}-[\w-]+\.(csv|png)")  # fmt: skip
#: What the folder of unfinished files is known by, besides its name.
_MARKER, _MARKED = (
    "what-this-is.txt",
    "Files of a report that was not finished. They may be deleted; the next run does so.\n",
)
#: The manifests of a run, before they are put in place: while old and new files may stand side by side, and after.
_UNDER_WAY, _WHOLE = "under-way.json", "whole.json"
#: The largest manifest, in bytes; how long to wait for another run, in seconds; so many names are told.
_MOST, _PATIENCE, _TOLD = 1_000_000, 5.0, 5

#: The size and the SHA-256 of a file.
Digest = tuple[StrictInt, Annotated[str, StringConstraints(pattern="^[0-9a-f]{64}$")]]


def is_of_report(name: str) -> bool:
    """Whether a report may call a file of its own so."""
    return name == MANIFEST or _NAMES.fullmatch(name) is not None


class _Manifest(BaseModel):
    """The files that a report wrote, each with the digests it may have; `whole`: whether all are of one run."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    logochron: Literal[1] = 1
    whole: StrictBool = True
    files: dict[str, list[Digest]] = {}


@contextmanager
def report_folder(path: Path) -> Iterator[ReportFolder]:
    """The folder of a report, made where it is missing and held alone until the end.

    Raises
    ------
    QuestionError
        Where no folder can stand there, or something that is not ours is in the way of a file.
    OutputError
        Where another run writes into it, or it cannot be written to the end.
    """
    place = folder_place(path)
    new = not place.exists()
    try:
        if new:
            place.mkdir(exist_ok=True)
        with _held_alone(path, place):
            folder = ReportFolder(path, place)
            folder.check((PAGE, WORKBOOK, SUMMARY, SLIDES, FIGURES))
            try:
                folder.begin()
                yield folder
            finally:
                if folder.beside != place:
                    _remove_unfinished(folder.beside)
    except OSError as error:
        raise unwritten(path, error) from None
    finally:
        if new:  # nothing came into it
            with suppress(OSError):
                place.rmdir()


@contextmanager
def _held_alone(path: Path, place: Path) -> Iterator[None]:
    """Keep other runs out of a folder; the system lets go of it when the process ends, however it does."""
    import fcntl

    handle = os.open(place, os.O_RDONLY)
    try:
        until = time.monotonic() + _PATIENCE
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > until:
                    raise OutputError(
                        "another run writes into {0}: wait until it is done, or name another folder", shown_path(path)
                    ) from None
                time.sleep(0.1)
            except OSError as error:
                said = "{0} cannot be held alone ({1}): let no other run write into it meanwhile"
                _LOG.warning(Said(said, shown_path(path), error.strerror or error))
                break
        yield
    finally:
        os.close(handle)


class ReportFolder:
    """A folder that is held alone: what of it is ours, and new files beside it until they are put in place.

    Attributes
    ----------
    path, place
        The folder as it was named, and with links followed.
    beside
        A folder in it for the new files, on the same file system.
    """

    def __init__(self, path: Path, place: Path) -> None:
        self.path, self.place, self.beside = path, place, place
        self._manifest = self._read()
        if not self._manifest.whole:
            _LOG.warning(
                Said(
                    "the last run into {0} was ended while it put its files in place: older and newer ones stand "
                    "side by side, until this run has written them all anew",
                    shown_path(path),
                ),
            )
        for left in place.glob(f"{UNFINISHED}*"):
            if _remove_unfinished(left):
                said = Said("{0} was left by a run that was ended: it is removed", shown_path(path / left.name))
                _LOG.warning(said)

    def _read(self) -> _Manifest:
        """What the folder says of our files."""
        place = self.place / MANIFEST
        if not os.path.lexists(place):
            return _Manifest()
        try:
            with _plain(place) as handle:
                return _Manifest.model_validate_json(os.read(handle, _MOST))
        except (OSError, ValidationError):
            raise QuestionError(
                "{0} is in the way: it is no list of the files of a report. Move it away, or name "
                "another folder; nothing was written",
                shown_path(self.path / MANIFEST),
            ) from None

    def _known(self) -> dict[str, list[Digest]]:
        """The files of the manifest that are still there."""
        return {name: known for name, known in self._manifest.files.items() if os.path.lexists(self.place / name)}

    def begin(self) -> None:
        """Make the folder for new files."""
        self.beside = Path(tempfile.mkdtemp(dir=self.place, prefix=UNFINISHED))
        (self.beside / _MARKER).write_text(_MARKED, encoding="utf-8")

    def is_ours(self, name: str) -> bool:
        """Whether a file is as a report wrote it: it is in the manifest, and its digest still holds."""
        known = self._manifest.files.get(name) if _NAMES.fullmatch(name) else None
        if not known:
            return False
        try:
            with _plain(self.place / name) as handle:
                return os.fstat(handle).st_size in dict(known) and _digest(handle) in known
        except OSError:
            return False

    def check(self, names: Iterable[str]) -> None:
        """Refuse where something that is not ours, or is write-protected, is in the way of a file.

        Raises
        ------
        QuestionError
            With the names.
        """
        there = [name for name in names if os.path.lexists(self.place / name)]
        others = [name for name in there if not self.is_ours(name)]
        kept = [name for name in there if name not in others and _is_protected(self.place / name)]
        for found, why in (
            (others, Said("not as a report wrote it, so it may be somebody's work")),
            (kept, Said("write-protected")),
        ):
            if found:
                named = ", ".join(shown_path(self.path / name) for name in found[:_TOLD])
                more = Said(" and {0} more", len(found) - _TOLD) if len(found) > _TOLD else ""
                raise QuestionError(
                    "{0}{1} is in the way: it is {2}. Move it away, or name another folder; nothing was written",
                    named,
                    more,
                    why,
                )

    def put_in_place(self, names: Sequence[str], *, in_part: bool = False) -> None:
        """Put the new files in place, in this order, and remove those of the last run that have no successor.

        `in_part`: only some of a report's files were asked for, and the others stay.

        Everything is written and flushed before the first one moves; in between the manifest says that old and new
        files may stand side by side, and how to know both.
        """
        for name in names:
            flushed(self.beside / name)
        self.check(names)
        digests = {}
        for name in names:
            with _plain(self.beside / name) as handle:
                digests[name] = [_digest(handle)]
        known = self._known()
        ours = [name for name in known if self.is_ours(name)]
        gone = [name for name in ours if name not in digests and not in_part and not _is_protected(self.place / name)]
        stay = {name: known[name] for name in known if name not in digests and name not in gone}
        both = {name: known.get(name, []) + digests.get(name, []) for name in {**known, **digests}}
        self._list(_UNDER_WAY, both, whole=False)
        self._list(_WHOLE, {**stay, **digests}, whole=True)
        (self.beside / _UNDER_WAY).replace(self.place / MANIFEST)
        flushed(self.place)
        for name in names:
            self._put(name, replaces=name in ours)
        for name in gone:
            (self.place / name).unlink()
        flushed(self.place)
        (self.beside / _WHOLE).replace(self.place / MANIFEST)
        flushed(self.place)

    def _put(self, name: str, *, replaces: bool) -> None:
        new, place = self.beside / name, self.place / name
        if replaces and self.is_ours(name):
            new.chmod(stat.S_IMODE(place.stat().st_mode))
            new.replace(place)
        else:
            put_new(new, place)

    def _list(self, name: str, files: Mapping[str, list[Digest]], *, whole: bool) -> None:
        manifest = _Manifest(whole=whole, files=dict(sorted(files.items())))
        (self.beside / name).write_text(manifest.model_dump_json(indent=1) + "\n", encoding="utf-8")
        flushed(self.beside / name)


@contextmanager
def _plain(path: Path) -> Iterator[int]:
    """An ordinary file opened for reading, no link followed."""
    handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK)
    try:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise OSError(errno.EINVAL, "it is no ordinary file")
        yield handle
    finally:
        os.close(handle)


def _is_protected(path: Path) -> bool:
    """Whether a file is write-protected: for the superuser too, whom nothing else would stop."""
    return not path.stat().st_mode & 0o222 or not os.access(path, os.W_OK)


def _digest(handle: int) -> Digest:
    """The digest of an open file."""
    with os.fdopen(handle, "rb", closefd=False) as file:
        return os.fstat(handle).st_size, hashlib.file_digest(file, "sha256").hexdigest()


def _remove_unfinished(folder: Path) -> bool:
    """Remove a folder of unfinished files, where it is one: whether it is gone."""
    try:
        if not stat.S_ISDIR(os.lstat(folder).st_mode) or not folder.name.startswith(UNFINISHED):
            return False
        names = [file.name for file in folder.iterdir()]
        # the marker is written first: a run that was ended then left a part of it, and nothing else
        text = (folder / _MARKER).read_bytes().decode("utf-8", "replace") if _MARKER in names else ""
        if names and text != _MARKED and not (names == [_MARKER] and _MARKED.startswith(text)):
            return False
        for name in sorted(names, key=lambda one: one == _MARKER):
            if _NAMES.fullmatch(name) or name in (_UNDER_WAY, _WHOLE, _MARKER) or name.startswith(UNFINISHED):
                (folder / name).unlink()
        folder.rmdir()
    except OSError:  # what is not ours in it keeps it there
        return False
    return True
