"""Files and folders written beside their place and put there whole, or not at all."""

from __future__ import annotations

import errno
import os
import shutil
import stat
import tempfile
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from pathlib import Path

from logochron.core.errors import OutputError, QuestionError, no_file_name, shown_path


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A file beside `path` to write to, put in its place when all went well.

    Raises
    ------
    QuestionError
        Where no file can stand there.
    OutputError
        Where it cannot be written to the end. Nothing is left of it then.
    """
    place = ordinary(path)
    try:
        handle, name = tempfile.mkstemp(dir=place.parent, prefix=".logochron-", suffix=place.suffix)
        os.close(handle)
    except OSError as error:
        raise unwritten(path, error) from None
    beside = Path(name)
    try:
        yield beside
        mode = place.stat().st_mode if place.exists() else 0o666 & ~_umask()
        beside.chmod(mode & 0o777)
        beside.replace(place)
    except OSError as error:
        raise unwritten(path, error) from None
    finally:
        beside.unlink(missing_ok=True)


def ordinary(path: Path) -> Path:
    """Where a file is to be written, links followed.

    Raises
    ------
    QuestionError
        Where no ordinary file can stand there.
    """
    with _no_place(path):
        place = _followed(path)
        mode = place.stat().st_mode if place.exists() else 0
        if not place.parent.is_dir():
            raise FileNotFoundError(errno.ENOENT, f"there is no directory {path.parent}")
        if stat.S_ISDIR(mode):
            raise IsADirectoryError(errno.EISDIR, "it is a directory")
        if mode and not stat.S_ISREG(mode):
            raise OSError(errno.EINVAL, "it is no ordinary file")
        if mode and not os.access(place, os.W_OK):
            raise PermissionError(errno.EACCES, "it is write-protected")
        if not os.access(place.parent, os.W_OK | os.X_OK):
            raise PermissionError(errno.EACCES, f"nothing may be written in {place.parent}")
    return place


@contextmanager
def whole_folder(path: Path, ours: Collection[str]) -> Iterator[Path]:
    """A folder beside `path` to write to, put in its place when all went well; files of others there are kept.

    Parameters
    ----------
    ours
        The names of the files there that may go: those of the last run.

    Raises
    ------
    QuestionError
        Where no folder can stand there, or a file of others is called like a new one.
    OutputError
        Where it cannot be written to the end: what was there before stays as it was.
    """
    place = folder_place(path)
    try:
        beside = Path(tempfile.mkdtemp(dir=place.parent, prefix=".logochron-"))
    except OSError as error:
        raise unwritten(path, error) from None
    try:
        yield beside
        beside.chmod(place.stat().st_mode & 0o777 if place.exists() else 0o777 & ~_umask())
        for file in beside.iterdir():
            if file.name not in ours and (place / file.name).exists():
                raise QuestionError(
                    f"{shown_path(path / file.name)} is there already and is of no report: name another folder"
                )
        _put_in_place(beside, place, ours)
    except OSError as error:
        raise unwritten(path, error) from None
    finally:
        shutil.rmtree(beside, ignore_errors=True)


def _put_in_place(beside: Path, place: Path, ours: Collection[str]) -> None:
    """Exchange a folder for a new one, and bring what is not ours over."""
    if not place.exists():
        beside.replace(place)
        return
    old = Path(tempfile.mkdtemp(dir=place.parent, prefix=".logochron-")) / "old"
    try:
        place.replace(old)
        try:
            beside.replace(place)
        except OSError:
            old.replace(place)
            raise
        for file in old.iterdir():
            if file.name not in ours:
                file.replace(place / file.name)
    finally:
        shutil.rmtree(old.parent, ignore_errors=True)


def folder_place(path: Path) -> Path:
    """Where a folder is to be written, links followed.

    Raises
    ------
    QuestionError
        Where none can stand there.
    """
    with _no_place(path):
        place = _followed(path)
        if place.exists() and not place.is_dir():
            raise NotADirectoryError(errno.ENOTDIR, "it is a file")
        if not place.parent.is_dir():
            raise FileNotFoundError(errno.ENOENT, f"there is no directory {path.parent}")
        for folder in (place, place.parent):
            if folder.exists() and not os.access(folder, os.W_OK | os.X_OK):
                raise PermissionError(errno.EACCES, f"nothing may be written in {folder}")
    return place


def _followed(path: Path) -> Path:
    """A path with its links followed; some Pythons leave links that lead to each other as they are."""
    place = path.resolve()
    if place.is_symlink():
        raise OSError(errno.ELOOP, os.strerror(errno.ELOOP))
    return place


@contextmanager
def _no_place(path: Path) -> Iterator[None]:
    """What keeps anything from standing at a path, as the errors of the package say it."""
    try:
        yield
    except OSError as error:
        raise unwritten(path, error) from None
    except RuntimeError:  # links that lead to each other
        raise unwritten(path, OSError(errno.ELOOP, os.strerror(errno.ELOOP))) from None
    except ValueError:
        raise no_file_name(path) from None


#: What is wrong with the place, not with the writing.
_OF_THE_PLACE = (
    *(errno.EACCES, errno.EPERM, errno.ENOENT, errno.ENOTDIR, errno.EISDIR, errno.ELOOP, errno.ENAMETOOLONG),
    *(errno.EROFS, errno.EINVAL),
)


def unwritten(path: Path, error: OSError) -> QuestionError:
    """What is said where a file or folder could not be written."""
    kind = QuestionError if error.errno in _OF_THE_PLACE else OutputError
    return kind(f"{shown_path(path)} cannot be written: {error.strerror or error}")


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
