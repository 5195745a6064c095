"""Ends a run of `logochron report` at a hundred moments, in a folder of 3,000 files of others, and holds what is left.

    python scripts/kill_reports.py [TIMES]

Two reports take turns in one folder, whose files are known from runs that nobody ended. After each run that was ended,
by INT, TERM and KILL in turn, the files of others must have the digests they had, each of ours must be one of the two
known ones, and nothing hidden may be there. A third of the runs is ended at any moment, a third while its files are
made, a third while they are put in place. At the end come a full disk, a limit on the size of files, and a file system
mounted in the folder, where the system allows them.
"""

from __future__ import annotations

import hashlib
import json
import os
import random
import resource
import shutil
import signal
import subprocess
import sys
import time
from collections import Counter
from datetime import date, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

MANY, SIGNALS = 3_000, (signal.SIGINT, signal.SIGTERM, signal.SIGKILL)
REPORT = """
[sales]
file = "{sales}"
date = "day"
by = "shop"
[[measure]]
name = "amount"
[page]
restated = false
[[section]]
heading = "Months"
question = "compare"
last = 3
"""


def digests(folder: Path) -> dict[str, str]:
    """The SHA-256 of each file below a folder."""
    files = (path for path in sorted(folder.rglob("*")) if path.is_file() and not path.is_symlink())
    return {str(path.relative_to(folder)): hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


def run(work: Path, name: str, out: Path, before=None) -> subprocess.Popen[bytes]:
    """A report begun."""
    command = [sys.executable, "-m", "logochron", "report", str(work / f"{name}.toml"), "--out", str(out)]
    return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, preexec_fn=before)


def ended(process: subprocess.Popen[bytes]) -> tuple[int, str]:
    _, said = process.communicate(timeout=120)
    return process.returncode, said.decode()


def held(place: Path, mine: dict[str, str], known: dict[str, set[str]], when: str) -> int:
    """What is left after a run that was ended; how many of our files are there."""
    left = digests(place)
    lost = [name for name, digest in mine.items() if left.pop(name, None) != digest]
    assert not lost, f"{when}: {len(lost)} files of others are gone or changed: {lost[:5]}"
    ours = {name: digest for name, digest in left.items() if not name.startswith("logochron-")}
    for name, digest in ours.items():
        assert digest in known[name], f"{when}: {name} is neither old nor new"
    hidden = [path for path in place.rglob(".*") if path.name not in (".hidden",)]
    assert not hidden, f"{when}: {hidden}"
    return len(ours)


def main(times: int) -> None:
    random.seed(7)
    with TemporaryDirectory() as folder:
        work = Path(folder)
        for name, more in (("one", 0), ("two", 1)):
            days = (date(2024, 1, 1) + timedelta(n) for n in range(500))
            rows = [f"{day},{'abc'[n % 3]},{n % 90 + more}" for n, day in enumerate(days)]
            (work / f"{name}.csv").write_text("day,shop,amount\n" + "\n".join(rows) + "\n")
            (work / f"{name}.toml").write_text(REPORT.format(sales=f"{name}.csv"))
            began = time.monotonic()
            assert ended(run(work, name, work / f"{name}-alone"))[0] == 0
            takes = time.monotonic() - began
        known: dict[str, set[str]] = {}
        for name in ("one", "two"):
            for file, digest in digests(work / f"{name}-alone").items():
                known.setdefault(file.replace(f"{name}-alone", ""), set()).add(digest)
        place = work / "shared"
        for sub in (place, place / "sub", place / "locked"):
            sub.mkdir()
        for n in range(MANY):
            (place / f"file-{n:04}.txt").write_text(f"the only copy of {n}")
        for name in ("sub/index.html", "locked/report.xlsx", ".hidden", "02-mine.csv", "budget.xlsx"):
            (place / name).write_text(f"mine: {name}")
        (place / "budget.xlsx").chmod(0o444)
        (place / "locked").chmod(0o555)
        mine, outcome = digests(place), Counter[str]()
        for n in range(times):
            stop, name = SIGNALS[n % 3], ("one", "two")[n // 9 % 2]
            process = run(work, name, place)
            if n // 3 % 3 == 0:
                time.sleep(random.random() * takes)
            else:  # while its files are made, and while they are put in place
                awaited = "index.html" if n // 3 % 3 == 1 else "whole.json"
                while process.poll() is None and not list(place.glob(f"logochron-unfinished-*/{awaited}")):
                    pass
                time.sleep(random.random() * (0.5 if awaited == "index.html" else 0.015))
            process.send_signal(stop)
            code, _ = ended(process)
            ours = held(place, mine, known, f"run {n}, {stop.name}")
            pages, manifest = list(place.glob("index.html")), place / "logochron-files.json"
            assert ours or not pages
            if manifest.exists() and not json.loads(manifest.read_text())["whole"]:
                outcome["while its files were put in place"] += 1
            else:
                outcome["at its end" if code == 0 else "before"] += 1
        for name in ("one", "two"):
            code, said = ended(run(work, name, place))
            assert code == 0, said
            alone = digests(work / f"{name}-alone")
            assert {n: d for n, d in digests(place).items() if n not in mine} == alone, "the next run mends it"
        print(
            f"{times} runs ended: {dict(outcome)}; {len(mine):,} files of others as they were; the next run mended it"
        )

        def limited() -> None:
            resource.setrlimit(resource.RLIMIT_FSIZE, (50_000, 50_000))

        code, said = ended(run(work, "one", place, limited))
        assert code == 3 and "File too large" in said, said
        held(place, mine, known, "a limit on the size of files")
        assert {n: d for n, d in digests(place).items() if n not in mine} == alone
        print("a limit on the size of files: code 3, nothing changed")
        disk = place / "sub"
        if os.geteuid() or not shutil.which("mount"):
            print("a full disk and a mount: left out, as nothing can be mounted here")
            return
        if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=300k", "none", disk]).returncode:
            print("a full disk and a mount: left out, as nothing can be mounted here")
            return
        try:
            (disk / "mine.txt").write_text("mine")
            mounted = digests(place)
            code, said = ended(run(work, "one", place))
            assert code == 0 and digests(place)["sub/mine.txt"] == mounted["sub/mine.txt"], said
            (disk / "large").write_bytes(b"x" * 250_000)
            full = digests(disk)
            code, said = ended(run(work, "one", disk))
            assert code == 3 and "No space left on device" in said and digests(disk) == full, said
            print("a full disk: code 3, nothing changed; a mount in the folder: untouched")
        finally:
            subprocess.run(["umount", disk], check=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100)
