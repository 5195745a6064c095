"""What the benchmarks share: jobs run as processes of their own, in turn, round after round."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple


class Run(NamedTuple):
    """Seconds, peak megabytes, what a job said, and the seconds of all processors that it took."""

    seconds: float
    peak: float
    said: str
    processor: float


def process(words: Sequence[str]) -> Run:
    """One job as a process."""
    started = time.perf_counter()
    ran = subprocess.Popen([sys.executable, *words], stdout=subprocess.PIPE, text=True)
    assert ran.stdout is not None
    said = ran.stdout.read()
    _, status, usage = os.wait4(ran.pid, 0)
    if status:
        raise SystemExit(f"the job {' '.join(words)} failed")
    return Run(time.perf_counter() - started, usage.ru_maxrss / 1024, said, usage.ru_utime + usage.ru_stime)


def in_turn(jobs: Mapping[str, Callable[[], float]], rounds: int, ours: str) -> None:
    """Print the medians of jobs that give their seconds, and how ours stands to each."""
    found: dict[str, list[float]] = {name: [] for name in jobs}
    for _ in range(rounds):
        for name, job in jobs.items():
            found[name].append(job())
    median = {name: statistics.median(seconds) for name, seconds in found.items()}
    for name, seconds in found.items():
        ratio = median[ours] / median[name]
        print(f"  {name:<28}{median[name]:>8.2f} s{min(seconds):>8.2f} s{ratio:>8.2f} x", flush=True)


def timed(job: Callable[[], object]) -> float:
    """The seconds that a job takes."""
    started = time.perf_counter()
    job()
    return time.perf_counter() - started
