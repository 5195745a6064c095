"""For a period that closed days may keep from being whole: the exact option that says they were."""

from __future__ import annotations

import numpy as np

from logochron.core.align.align import Alignment
from logochron.core.align.base_spans import Objects
from logochron.core.align.bases import YearAgo
from logochron.core.align.question import Question
from logochron.core.book.coverage import Coverage, closable
from logochron.core.days import Days, in_words, iso
from logochron.core.options import PARTIAL


def closing_options(
    question: Question, aligned: Alignment, coverage: Coverage, recorded: Days, recorded_last: int
) -> tuple[str, ...]:
    """The option that closes each edge of the coverage, where it cuts a period that the answer takes.

    Parameters
    ----------
    recorded
        The days with records, sorted.
    recorded_last
        The last day that any of them stands for.
    """
    if question.each == "day" and question.window.parent is None or not aligned.size:
        return ()
    found = aligned.parts.found
    starts = np.concatenate([aligned.rows.starts, aligned.parts.starts[found]])
    ends = np.concatenate([aligned.rows.ends, aligned.parts.ends[found]])
    labels = aligned.labels if question.each == "span" else None
    lines = edge_options(question, labels, starts, ends, coverage, recorded, recorded_last)
    if _could_be_prior(question, aligned):
        word = question.calendar.word(question.each)
        lines.append(f"no {word} has a base: against='prior' (--against prior) holds each against the {word} before")
    return tuple(lines)


def edge_options(
    question: Question,
    labels: Objects | None,
    starts: Days,
    ends: Days,
    coverage: Coverage,
    recorded: Days,
    recorded_last: int,
) -> list[str]:
    """The option that closes each edge of the coverage, where it cuts one of the spans from `starts` to `ends`.

    `labels` names the one span where that is no period.
    """
    first, last = coverage.first, coverage.last
    cut_off = starts[(starts < first) & (ends >= first)]
    lines = []
    if len(cut_off) and closable(recorded, int(cut_off.max()), first - 1):
        start = int(cut_off.max())
        lines.append(
            f"{_label(question, labels, start)} is only partly covered: the records start on {in_words(first)}. "
            f"If there was nothing to record before, say covering=({iso(start)!r}, None) (--covering {iso(start)}..)"
        )
    open_ends = ends[(ends > last) & (starts <= last)]
    # a report date before the last record was chosen: nothing to close
    if len(open_ends) and last == recorded_last and closable(recorded, last + 1, int(open_ends.min())):
        end = int(open_ends.min())
        lines.append(
            f"{_label(question, labels, end)} is only partly covered: the records end on {in_words(last)}. If there "
            f"is nothing more to record in it, say until={iso(end)!r} (--until {iso(end)})"
        )
    return lines


def _could_be_prior(question: Question, aligned: Alignment) -> bool:
    """Whether the records hold no year ago of any row, but rows before others."""
    if not isinstance(question.basis, YearAgo) or question.window.parent or question.each in ("span", "year"):
        return False
    recorded = aligned.value_known & (aligned.status != PARTIAL)
    return not aligned.base_known.any() and int(recorded.sum()) > 1


def _label(question: Question, labels: Objects | None, day: int) -> str:
    """The period at an edge of which a day lies; the longer one where rows add up to date."""
    if labels is not None:
        return str(labels[0])
    calendar, each = question.calendar, question.grain
    held = calendar.ordinals(each, np.array([day]))
    if question.window.parent is not None:
        parent = calendar.parents(each, question.window.parent, held)
        return str(calendar.labels(question.window.parent, parent)[0])
    return str(calendar.labels(each, held)[0])
