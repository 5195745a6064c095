"""Files written beside their place and put there whole, or not at all; where a folder may stand."""

from __future__ import annotations

import errno
import os
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from logochron.core.errors import LogochronError, OutputError, QuestionError, no_file_name, shown_path
from logochron.core.said import Said

#: What the names of files begin with that are not yet whole: to be seen, should a run be ended by force.
UNFINISHED = "logochron-unfinished-"


@contextmanager
def whole_file(path: Path, *, new: bool = False) -> Iterator[Path]:
    """A file beside `path` to write to, put in its place when all went well; `new`: never over another one.

    Raises
    ------
    QuestionError
        Where no file can stand there.
    OutputError
        Where it cannot be written to the end. Nothing is left of it then.
    """
    place = ordinary(path)
    try:
        handle, name = tempfile.mkstemp(dir=place.parent, prefix=UNFINISHED, suffix=place.suffix)
        os.close(handle)
    except OSError as error:
        raise unwritten(path, error) from None
    beside = Path(name)
    try:
        yield beside
        mode = place.stat().st_mode if place.exists() else 0o666 & ~_umask()
        beside.chmod(mode & 0o777)
        flushed(beside)
        if new:
            put_new(beside, place)
        else:
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
            raise FileNotFoundError(errno.ENOENT, Said("there is no directory {0}", path.parent))
        if stat.S_ISDIR(mode):
            raise IsADirectoryError(errno.EISDIR, "it is a directory")
        if mode and not stat.S_ISREG(mode):
            raise OSError(errno.EINVAL, "it is no ordinary file")
        if mode and not os.access(place, os.W_OK):
            raise PermissionError(errno.EACCES, "it is write-protected")
        if not os.access(place.parent, os.W_OK | os.X_OK):
            raise PermissionError(errno.EACCES, Said("nothing may be written in {0}", place.parent))
    return place


def put_new(beside: Path, place: Path) -> None:
    """Put a file where nothing is; what came there meanwhile is never overwritten.

    Raises
    ------
    FileExistsError
        Where something came there.
    """
    try:
        os.link(beside, place)
    except FileExistsError:
        raise
    except OSError:  # a file system without links
        if os.path.lexists(place):
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST), str(place)) from None
        beside.replace(place)
        return
    beside.unlink()


def flushed(path: Path) -> None:
    """Have the system write what it holds of a file or folder."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOTSUP):  # some file systems flush no folders
            raise
    finally:
        os.close(handle)


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
            raise FileNotFoundError(errno.ENOENT, Said("there is no directory {0}", path.parent))
        folder = place if place.exists() else place.parent
        if not os.access(folder, os.W_OK | os.X_OK):
            raise PermissionError(errno.EACCES, Said("nothing may be written in {0}", folder))
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
    *(errno.EROFS, errno.EINVAL, errno.EEXIST),
)


def unwritten(path: Path, error: OSError) -> LogochronError:
    """What is said where a file or folder could not be written."""
    kind = QuestionError if error.errno in _OF_THE_PLACE else OutputError
    return kind(Said("{0} cannot be written: {1}", shown_path(path), error.strerror or error))


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
