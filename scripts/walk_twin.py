"""Holds every alignment against the twin that walks days, at every report date of a leap cycle.

    python scripts/walk_twin.py [--every N] [--calendar NAME]

Grain x calendar x basis x window, at 1,461 report dates (2021 to 2024: a 29 February, 53-week years of several
calendars), the value and base spans of the last three rows. Prints how many were held against each other; ends with
exit code 1 at the first that differs. `--every 41` takes every 41st report date.
"""

from __future__ import annotations

import argparse
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import twin_cases  # noqa: E402

parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
parser.add_argument("--every", type=int, default=1)
parser.add_argument("--calendar", choices=list(twin_cases.CALENDARS))
asked = parser.parse_args()
rows = 0
for name in [asked.calendar] if asked.calendar else twin_cases.CALENDARS:
    started, held, questions = time.perf_counter(), 0, 0
    for question in twin_cases.questions(name):
        held += twin_cases.hold(name, question, every=asked.every)
        questions += 1
    rows += held
    print(f"{name}: {questions} questions, {held:,} rows agree, {time.perf_counter() - started:,.0f} s", flush=True)
print(f"{rows:,} rows agree")
