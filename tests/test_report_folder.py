"""The folder of a report: ended at any moment, files of others stay as they are and ours are whole, old or new."""

from __future__ import annotations

import errno
import hashlib
import json
import os
import shutil
import signal
import stat
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path

import pytest

import logochron as lc
from logochron.report import folder as own
from logochron.report.folder import MANIFEST, report_folder

OLD = {"index.html": "old page", "report.xlsx": "old book", "figures.parquet": "old", "01-gone.csv": "gone"}
NEW = {"01-new.csv": "new", "report.xlsx": "new book", "figures.parquet": "new", "index.html": "new page"}
MINE = {"budget.xlsx": "mine", "02-mine.csv": "mine too", "sub/index.html": "a page", ".hidden": "dot"}


def put(place: Path, files: dict[str, str]) -> None:
    with report_folder(place) as held:
        for name, text in files.items():
            (held.beside / name).write_text(text)
        held.put_in_place(list(files))


def texts(place: Path) -> dict[str, str]:
    found = (path for path in place.rglob("*") if path.is_file())
    return {str(path.relative_to(place)): path.read_text() for path in found}


@pytest.fixture
def place(tmp_path) -> Path:
    """A folder with an earlier run and with files of others."""
    place = tmp_path / "week"
    put(place, OLD)
    (place / "sub").mkdir()
    for name, text in MINE.items():
        (place / name).write_text(text)
    return place


class Ended(BaseException):
    """What ends a process: after it nothing of it runs any more."""


@pytest.mark.parametrize("how", ["ended", "full"])
def test_ended_at_any_moment(place, monkeypatch, caplog, how):
    """Each call that changes a folder, one after the other, is the last one that is made, or finds the disk full."""
    calls = 0
    names = ("replace", "link", "unlink", "mkdir", "rmdir", "fsync", "chmod", "open")
    kept = {name: getattr(os, name) for name in names}
    most, seen = 0, set()

    def counted(name: str):
        def call(*given, **more):
            nonlocal calls
            calls += 1
            if how == "ended" and calls >= most:  # what a `finally` still does comes to nothing
                raise Ended
            if how == "full" and calls == most:
                raise OSError(errno.ENOSPC, "No space left on device")
            return kept[name](*given, **more)

        return call

    while True:
        most, calls = most + 1, 0
        with monkeypatch.context() as patch, suppress(Ended, lc.LogochronError):
            for name in names:
                patch.setattr(os, name, counted(name))
            put(place, NEW)
        done = calls < most
        left = texts(place)
        mine = {name: left.pop(name) for name in MINE}
        assert mine == MINE
        for name, text in left.items():
            if not name.startswith("logochron-"):
                assert text in (OLD.get(name), NEW.get(name)), name
        page = left.get("index.html")
        assert page == "old page" or {name: left[name] for name in NEW} == NEW  # the page comes last
        seen.add((page, json.loads(left[MANIFEST])["whole"]))
        assert not [name for name in left if name.startswith(".")]
        caplog.clear()
        put(place, OLD)
        now = texts(place)
        assert {n: t for n, t in now.items() if n not in (*MINE, MANIFEST)} == OLD
        assert json.loads(now[MANIFEST])["whole"] and not list(place.glob("logochron-unfinished*"))
        said = " ".join(record.message for record in caplog.records)
        assert ("older and newer ones stand side by side" in said) == (not json.loads(left[MANIFEST])["whole"])
        if done:
            break
    assert most > 30 and seen == {("old page", True), ("old page", False), ("new page", False), ("new page", True)}


@pytest.mark.parametrize("name", ["index.html", "01-new.csv", "figures.parquet"])
@pytest.mark.parametrize("kind", ["changed", "folder", "link", "dangling", "protected", "pipe"])
def test_what_is_in_the_way_is_refused_by_name(place, name, kind):
    path = place / name
    if kind == "protected":
        put(place, {**OLD, name: "ours"})
        path.chmod(0o444)
    else:
        path.unlink(missing_ok=True)
        make = {"changed": lambda: path.write_text("edited"), "folder": path.mkdir, "pipe": lambda: os.mkfifo(path),
                "link": lambda: path.symlink_to(place / "budget.xlsx"),
                "dangling": lambda: path.symlink_to("nowhere")}  # fmt: skip
        make[kind]()
    before = sorted(place.iterdir()), texts(place)
    with pytest.raises(lc.QuestionError, match=f"week/{name} is in the way.*nothing was written"):
        put(place, NEW)
    if kind == "protected":
        assert path.read_text() == "ours"
        path.chmod(0o644)
        put(place, NEW)
        return
    assert (sorted(place.iterdir()), texts(place)) == before


def test_nothing_but_our_names_is_ever_ours(place):
    """A list of files from elsewhere, with the digests of others, and what it may not say."""
    told = {}
    for name in ("budget.xlsx", "sub/index.html", "../week/.hidden", "01-gone.csv"):
        data = (place / name).read_bytes()
        told[name] = [(len(data), hashlib.sha256(data).hexdigest())]
    (place / MANIFEST).write_text(json.dumps({"logochron": 1, "whole": True, "files": told}))
    for name in set(OLD) - {"01-gone.csv"}:
        (place / name).unlink()
    put(place, NEW)
    left = texts(place)
    assert {name: left[name] for name in MINE} == MINE and "01-gone.csv" not in left
    for text in ("", "{}x", "[" * 10_000, '{"files": 3}', '{"logochron": 2, "files": {}}', "[]", "x" * 3_000_000):
        (place / MANIFEST).write_text(text)
        with pytest.raises(lc.QuestionError, match="is no list of the files of a report"):
            put(place, NEW)
        assert (place / MANIFEST).read_text() == text


def test_modes_links_and_the_folder_itself_stay(place, tmp_path):
    place.chmod(0o2775)
    (place / "index.html").chmod(0o640)
    (place / "sub").chmod(0o555)
    os.link(place / "report.xlsx", tmp_path / "kept.xlsx")
    (tmp_path / "to-week").symlink_to(place)
    before = place.stat().st_ino
    put(tmp_path / "to-week", NEW)
    assert place.stat().st_ino == before and stat.S_IMODE(place.stat().st_mode) == 0o2775
    assert stat.S_IMODE((place / "index.html").stat().st_mode) == 0o640 and (place / "sub").is_dir()
    assert (tmp_path / "kept.xlsx").read_text() == "old book" and (tmp_path / "to-week").is_symlink()
    (place / "sub").chmod(0o755)


def test_a_folder_that_cannot_be(tmp_path):
    (tmp_path / "file").write_text("")
    for wrong in (tmp_path / "file", tmp_path / "no" / "where"):
        with pytest.raises(lc.QuestionError, match="cannot be written"):
            put(wrong, NEW)
    with suppress(RuntimeError), report_folder(tmp_path / "new"):
        raise RuntimeError
    assert [path.name for path in tmp_path.iterdir()] == ["file"]


def test_unfinished_folders_of_others_stay(place):
    for name, inside in (("logochron-unfinished-mine", "notes.txt"), ("logochron-unfinished-x", "what-this-is.txt")):
        (place / name).mkdir()
        (place / name / inside).write_text("mine")
    put(place, NEW)
    assert len(list(place.glob("logochron-unfinished-*/*"))) == 2


def test_two_runs_at_once(place, monkeypatch):
    """The second waits a moment; a run that dies lets go of the folder."""
    monkeypatch.setattr(own, "_PATIENCE", 0.3)
    code = f"""
import sys, time
from pathlib import Path
from logochron.report.folder import report_folder
with report_folder(Path({str(place)!r})):
    print("held", flush=True)
    time.sleep(60)
"""
    with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE) as other:
        assert other.stdout.readline() == b"held\n"
        with pytest.raises(lc.OutputError, match="another run"):
            put(place, NEW)
        assert (place / "index.html").read_text() == "old page"
        other.kill()
    put(place, NEW)
    assert (place / "index.html").read_text() == "new page" and not list(place.glob("logochron-unfinished*"))


@pytest.mark.slow
@pytest.mark.parametrize("stop", [signal.SIGTERM, signal.SIGKILL])
def test_a_signal_while_a_report_is_written(rows_file, tmp_path, stop):
    rows_file([(f"2025-{m:02}-05", "ab"[m % 2], m) for m in range(1, 13)])
    (tmp_path / "r.toml").write_text(
        '[sales]\nfile = "sales.csv"\ndate = "day"\nby = "item"\n[[measure]]\nname = "amount"\n[[section]]\n'
        'heading = "Months"\nquestion = "compare"\nagainst = "prior"\n'
    )
    place = tmp_path / "r"
    place.mkdir()
    mine = {f"mine-{n}.txt": str(n) for n in range(300)}
    for name, text in mine.items():
        (place / name).write_text(text)
    command = [sys.executable, "-m", "logochron", "report", "r.toml"]
    reset = {"preexec_fn": lambda: signal.signal(stop, signal.SIG_DFL)} if stop != signal.SIGKILL else {}
    with subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **reset) as ran:
        until = time.monotonic() + 60
        while not list(place.glob("logochron-unfinished*/index.html")) and time.monotonic() < until:
            time.sleep(0.01)
        ran.send_signal(stop)
        assert ran.wait(60) == (128 + stop if stop != signal.SIGKILL else -stop)
    left = sorted(path.name for path in place.iterdir() if path.name not in mine)
    assert all(name.startswith("logochron-unfinished-") for name in left) and (not left or stop == signal.SIGKILL)
    again = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True)
    assert again.returncode == 0 and ("it is removed" in again.stderr) == bool(left)
    assert {name: (place / name).read_text() for name in mine} == mine and not list(place.glob("logochron-unfin*"))


@pytest.mark.skipif(bool(os.geteuid()) or not shutil.which("mount"), reason="a file system is mounted by the superuser")
def test_a_full_disk_and_a_mount(place, tmp_path):
    disk = place / "sub"
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=64k", "none", disk], capture_output=True).returncode:
        pytest.skip("nothing can be mounted here")
    try:
        (disk / "mine").write_text("on another file system")
        put(place, NEW)
        put(disk, {"index.html": "page"})
        assert (disk / "mine").read_text() == "on another file system" and (disk / "index.html").read_text() == "page"
        with pytest.raises(lc.LogochronError, match="No space left"):
            put(disk, {"01-large.csv": "x" * 100_000, "index.html": "new"})
        left = sorted(path.name for path in disk.iterdir())
        assert left == ["index.html", MANIFEST, "mine"] and (disk / "index.html").read_text() == "page"
    finally:
        subprocess.run(["umount", disk], check=True)
