"""Files at an address (``s3://``, ``https://``), fetched by fsspec for as long as they are needed."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path, PurePosixPath
from typing import Any
from urllib.parse import urlsplit

from logochron.core.errors import IntakeError, LogochronError, QuestionError, first_line
from logochron.sources.engine.connection import Progress, waited
from logochron.sources.kinds.find_files import ENDINGS, Source, keyed_folders, kind_of, of_the_data

_AT_ONCE = 1 << 22


def shown_address(address: str) -> str:
    """An address as messages may show it: without a user, a password or what follows a question mark."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc.rpartition('@')[2]}{parts.path}"


def fetched(address: str, folder: Path, progress: Progress | None) -> list[Source]:
    """The files at an address, which may be a glob or a folder of Parquet files, copied into a folder.

    Raises
    ------
    QuestionError
        Where fsspec or what it needs for the address is not installed, or nothing is there.
    IntakeError
        Where the files cannot be fetched, or change meanwhile.
    """
    name = shown_address(address)
    try:
        import fsspec
    except ModuleNotFoundError:
        raise QuestionError(f"{name}: addresses need fsspec: pip install fsspec") from None
    try:
        files, paths = fsspec.core.url_to_fs(address)
        found = waited(lambda: _found(files, paths), lambda: None, progress)
        if not found:
            raise QuestionError(f"nothing is at {name}")
        sizes = [int(files.info(path).get("size") or 0) for path in found]
        return [_copied(files, path, folder, name, done, progress) for path, done in zip(found, _parts(sizes))]
    except LogochronError:
        raise
    except (ImportError, ValueError) as error:
        raise QuestionError(f"{name}: {_said(error, address)}") from None
    except FileNotFoundError:
        raise QuestionError(f"nothing is at {name}") from None
    except Exception as error:  # each kind of store has errors of its own
        raise IntakeError(f"{name} cannot be fetched: {_said(error, address)}") from None


def _found(files: Any, path: str) -> list[str]:
    """The paths that are meant: one, those that match, or the Parquet files of a folder."""
    if any(sign in path for sign in "*?["):
        return sorted(str(one) for one in files.glob(path))
    if kind_of(Path(urlsplit(path).path)) is None and files.isdir(path):
        found = sorted(str(one) for one in files.glob(path.rstrip("/") + "/**/*.parquet"))
        return [one for one in found if all(map(of_the_data, PurePosixPath(one).relative_to(path.rstrip("/")).parts))]
    return [path]


def _parts(sizes: Sequence[int]) -> list[tuple[float, float]]:
    """For each file which part of all is there before it, and with it."""
    total, done = max(sum(sizes), 1), 0
    parts = []
    for size in sizes:
        parts.append((done / total, (done + size) / total))
        done += size
    return parts


def _copied(
    files: Any, path: str, folder: Path, address: str, done: tuple[float, float], progress: Progress | None
) -> Source:
    """A copy of a file, under its own folders, as their names may make columns."""
    plain = PurePosixPath(urlsplit(path).path if "://" in path else path)
    scheme = urlsplit(address).scheme
    name = shown_address(path) if "://" in path else f"{scheme}://{path if scheme == 'file' else path.lstrip('/')}"
    kind = kind_of(Path(plain.name))
    if kind is None:
        raise QuestionError(f"{name} has an unknown ending; known are {', '.join(ENDINGS)}")
    target = folder.joinpath(
        str(len(list(folder.iterdir()))), *keyed_folders(plain), plain.name.replace("[", "_").replace("*", "_")
    )
    target.parent.mkdir(parents=True)
    before = files.info(path)

    def copy() -> None:
        with files.open(path, "rb") as there, target.open("wb") as here:
            shutil.copyfileobj(there, here, _AT_ONCE)

    waited(copy, lambda: None, None if progress is None else lambda _: progress(done[0]))
    after, size = files.info(path), target.stat().st_size
    told = {key: before.get(key) for key in ("size", "ETag", "mtime", "LastModified")}
    if told != {key: after.get(key) for key in told} or before.get("size") not in (None, size):
        raise IntakeError(f"{name} changed while it was fetched: read it again once nothing writes to it")
    if progress is not None:
        progress(done[1])
    return Source(target, kind, name)


def _said(error: Exception, address: str) -> str:
    """The first line of an error, without what the address keeps to itself."""
    parts = urlsplit(address)
    said = first_line(error).replace(address, shown_address(address))
    for secret in (parts.password, parts.query):
        said = said.replace(secret, "...") if secret else said
    return said[:300]
