"""All views of a page as JSON, section by section: one after the other, or in several processes at once."""

from __future__ import annotations

import gc
import logging
import signal
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import replace
from functools import cache
from multiprocessing import active_children, get_context
from typing import Any, NamedTuple

from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.prepare import QuestionCall
from logochron.views.catalog import message
from logochron.views.figures.scene import Canvas
from logochron.views.formats import Formats
from logochron.views.page.choices import Choices
from logochron.views.page.view_data import Cards, Pool, written
from logochron.views.page.views import views_of
from logochron.views.sections import Section

_LOG = logging.getLogger("logochron")
#: Told how many of how many views are made.
ToldViews = Callable[[int, int], None]
#: Inches of a figure on the page.
_SIZE = (10.4, 5.2)
#: Fewer views of a section than this are made before a process has begun.
_FEW = 200
#: Shorter data is written again rather than once for several sections.
_SMALL = 16
#: What a reader is told of a section that could not be answered.
_REFUSED = message("This section could not be made this time.")


class PooledViews(NamedTuple):
    """What a part of a page says of itself, and the pool of its views: which of it names places of the pool."""

    fields: dict[str, Any]
    held: list[str]
    refer: frozenset[int]


def views_of_all(
    sections: Sequence[Section], choices: Choices | None, formats: Formats, workers: int, progress: ToldViews | None
) -> list[PooledViews]:
    """The views of each section, in the order of the sections."""
    many = _views(choices)
    done = 0

    def told() -> None:
        nonlocal done
        done += 1
        if progress is not None:
            progress(done, len(sections))

    def one_by_one() -> list[PooledViews]:
        views = []
        for section in sections:
            views.append(section_views(section, choices, formats))
            told()
        return views

    if workers <= 1 or many < _FEW or len(sections) < 2:
        return one_by_one()
    # `spawn`, as the engine of the reading has threads
    others = set(active_children())
    with ProcessPoolExecutor(min(workers, len(sections)), get_context("spawn"), _deaf) as processes:
        # the longest are begun first
        order = sorted(range(len(sections)), key=lambda n: -(a.type.weight if (a := sections[n].answer) else 0))
        jobs = {processes.submit(_asked_again, *_as_asked(sections[n]), choices, formats): n for n in order}
        found: dict[int, PooledViews] = {}
        try:
            for job in as_completed(jobs):
                found[jobs[job]] = job.result()
                told()
        except BaseException as error:
            processes.shutdown(wait=False, cancel_futures=True)
            for child in set(active_children()) - others:
                child.terminate()
            if not isinstance(error, BrokenProcessPool):
                raise
            # the system stopped one, for want of room; or the program's main module cannot be loaded again
            _LOG.warning("other processes could not help with the page, or were stopped: it is made by one alone")
            done = 0
            return one_by_one()
    return [found[n] for n in range(len(sections))]


def _deaf() -> None:
    """A process that is stopped by the one it works for, not by the terminal."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _views(choices: Choices | None) -> int:
    return len(choices.picks) * len(choices.labels) if choices else 1


def _as_asked(section: Section) -> tuple[Section, QuestionCall | None]:
    """A section as it goes to another process: what was asked rather than the answer."""
    call = None if section.answer is None else section.answer.call
    return (section, None) if call is None else (replace(section, answer=None), call)


def _asked_again(section: Section, call: QuestionCall | None, choices: Choices | None, formats: Formats) -> PooledViews:
    return section_views(section if call is None else replace(section, answer=call.again()), choices, formats)


def section_views(section: Section, choices: Choices | None, formats: Formats) -> PooledViews:
    """The views of one section."""
    if section.answer is None:
        # why is told to whoever makes the page, on standard error and in the workbook's notes
        return PooledViews({"heading": section.heading, "refused": formats.say(_REFUSED)}, [], frozenset())
    pool = Pool()
    with _no_search_for_circles():
        places = _each(views_of(section, choices, replace(_canvas(formats), known={}), pool).view, choices)
    return PooledViews({"heading": section.heading, "views": places}, pool.held, frozenset(pool.refer))


@contextmanager
def _no_search_for_circles() -> Iterator[None]:
    """So many small things are made and kept that looking for those that hold each other takes a fifth of the time."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def cards_views(answers: Sequence[AlignedAnswer], choices: Choices | None, formats: Formats) -> PooledViews | None:
    """The cards; None where no answer has any."""
    pool = Pool()
    cards = Cards.of(answers, choices, formats, pool)
    return None if cards is None else PooledViews({"views": _each(cards.of_view, choices)}, pool.held, frozenset())


def _each(make: Callable[[tuple[str | None, ...], int], int], choices: Choices | None) -> list[list[int]]:
    """Each pick and period; single items first, so that what is alike lies near: it is packed the better for it."""
    picks = choices.picks if choices else ((),)
    places = [
        [make(pick, period) for period in range(len(choices.labels) if choices else 1)] for pick in reversed(picks)
    ]
    return places[::-1]


def together(parts: Sequence[PooledViews]) -> tuple[str, list[str]]:
    """Parts of a page as JSON, and what several of them hold: that is written once."""
    counts = Counter(
        text for part in parts for place, text in enumerate(part.held) if place not in part.refer and len(text) > _SMALL
    )
    shared = {text: n for n, text in enumerate(text for text, many in counts.items() if many > 1)}
    texts = []
    for part in parts:
        # by place, apart from the data: no sign in it can be taken for a reference
        taken = {n: shared[text] for n, text in enumerate(part.held) if text in shared and n not in part.refer}
        held = ("0" if n in taken else text for n, text in enumerate(part.held))
        pairs = written([one for pair in taken.items() for one in pair])
        texts.append(f'{{"pool":[{",".join(held)}],"taken":{pairs},{written(part.fields)[1:]}')
    return f"[{','.join(shared)}]", texts


@cache
def _canvas(formats: Formats) -> Canvas:
    from logochron.views.figures.fonts import drawable, measure

    return Canvas(formats, measure, drawable, width=_SIZE[0], usual=_SIZE, detailed=True)
