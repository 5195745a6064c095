"""A page made and written: the views of all sections, by one process or several; the template filled."""

from __future__ import annotations

import base64
import gc
import gzip
import hashlib
import logging
import signal
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import replace
from functools import cache
from importlib.resources import files
from multiprocessing import active_children, get_context
from pathlib import Path
from typing import Any, Literal, NamedTuple

from jinja2 import Environment
from markupsafe import Markup

from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import how_many
from logochron.core.errors import QuestionError, brief, no_such, visible
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.plans import AnyPlan
from logochron.core.rows.prepare import QuestionCall
from logochron.core.rows.result import Result
from logochron.core.said import Joined, Said, for_readers
from logochron.views.catalog import message
from logochron.views.figures.scene import Canvas
from logochron.views.formats import FORMULA_SIGNS, Formats
from logochron.views.page.choices import Choices, PageChoices, choices_of
from logochron.views.page.offers import KINDS, USUAL, Following, Offers, Opening, Setting, keeps
from logochron.views.page.view_data import Cards, Pool, lead_of_cards, written
from logochron.views.page.views import views_of
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.answer_tables import check_room, tables_of
from logochron.views.tables.cards import measures_of_cards
from logochron.views.tables.cells import Shown
from logochron.views.tables.html import color_rules, style
from logochron.views.whole_file import whole_file
from logochron.views.words.titles import about_lines, coverage_line
from logochron.views.words.told import all_told

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
#: And of one in which nothing can be chosen.
_STILL = message("This section is the same whatever is chosen.")


class PooledViews(NamedTuple):
    """What a part of a page says of itself, and the pool of its views: which of it names places of the pool."""

    fields: dict[str, Any]
    held: list[str]
    refer: frozenset[int]


def views_of_all(
    sections: Sequence[Section], choices: PageChoices | None, formats: Formats, workers: int, progress: ToldViews | None
) -> list[PooledViews]:
    """The views of each section, in the order of the sections."""
    many = _views(choices)
    done = 0

    def count_on() -> None:
        nonlocal done
        done += 1
        if progress is not None:
            progress(done, len(sections))

    def one_by_one() -> list[PooledViews]:
        views = []
        for section in sections:
            views.append(section_views(section, choices, formats))
            count_on()
        return views

    if workers <= 1 or many < _FEW or len(sections) < 2:
        return one_by_one()
    own, *of_others = _shares(sections, workers)  # this process makes a share itself
    # `spawn`, as the engine of the reading has threads
    others = set(active_children())
    with ProcessPoolExecutor(len(of_others), get_context("spawn"), _deaf) as processes:
        jobs = {
            processes.submit(_asked_again, [_as_asked(sections[n]) for n in share], choices, formats): share
            for share in of_others
        }
        views_by_section: dict[int, PooledViews] = {}
        try:
            for n in own:
                views_by_section[n] = section_views(sections[n], choices, formats)
                count_on()
            for job in as_completed(jobs):
                for n, made in zip(jobs[job], job.result()):
                    views_by_section[n] = made
                    count_on()
        except BaseException as error:
            processes.shutdown(wait=False, cancel_futures=True)
            for child in set(active_children()) - others:
                child.terminate()
            if not isinstance(error, BrokenProcessPool):
                raise
            # the system stopped one, for want of room; or the program's main module cannot be loaded again
            _LOG.warning(Said("other processes could not help with the page, or were stopped: it is made by one alone"))
            done = 0
            return one_by_one()
    return [views_by_section[n] for n in range(len(sections))]


def _shares(sections: Sequence[Section], workers: int) -> list[list[int]]:
    """The places of the sections in as many shares as processes help, each about as long: the longest first."""
    weights = [answer.type.weight if (answer := section.answer) is not None else 0 for section in sections]
    shares: list[list[int]] = [[] for _ in range(min(workers, len(sections)))]
    for n in sorted(range(len(sections)), key=lambda n: -weights[n]):
        min(shares, key=lambda share: sum(weights[one] for one in share)).append(n)
    return sorted(shares, key=lambda share: -sum(weights[n] for n in share))


def _deaf() -> None:
    """A process that is stopped by the one it works for, not by the terminal."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _views(choices: PageChoices | None) -> int:
    return sum(choices.under(setting).views for setting in choices.offers.settings()) if choices else 1


def _as_asked(section: Section) -> tuple[Section, QuestionCall | None]:
    """A section as it goes to another process: what was asked rather than the answer."""
    call = None if section.answer is None else section.answer.call
    return (section, None) if call is None else (replace(section, answer=None), call)


def _asked_again(
    share: Sequence[tuple[Section, QuestionCall | None]], choices: PageChoices | None, formats: Formats
) -> list[PooledViews]:
    return [
        section_views(section if call is None else replace(section, answer=call.again()), choices, formats)
        for section, call in share
    ]


def section_views(section: Section, choices: PageChoices | None, formats: Formats) -> PooledViews:
    """The views of one section under every setting; settings that come to the same share them."""
    if section.answer is None:
        # why is told to whoever makes the page, on standard error and in the workbook's notes
        return PooledViews({"heading": section.heading, "refused": formats.say(_REFUSED)}, [], frozenset())
    pool, answer = Pool(), section.answer
    canvas = replace(_canvas(formats), known={})
    if choices is None or not isinstance(answer, AlignedAnswer) or answer.call is None:
        views = [_each(views_of(section, None, canvas, pool).view, None)]
        said = formats.say(_STILL) if choices else ""
        fields: dict[str, Any] = {"views": views, "settings": [0], "keeps": [said]}
        return PooledViews({"heading": section.heading} | fields, pool.held, frozenset(pool.refer))

    def of_setting(answer: AlignedAnswer, setting: Setting) -> list[list[int]]:
        chosen = choices.under(setting)
        return _each(views_of(replace(section, answer=answer), chosen, canvas, pool).view, chosen)

    with _no_search_for_circles():
        fields = _by_setting(answer, choices, formats, of_setting)
    return PooledViews({"heading": section.heading} | fields, pool.held, frozenset(pool.refer))


def _by_setting(
    answer: AlignedAnswer,
    choices: PageChoices,
    formats: Formats,
    views_of_setting: Callable[[AlignedAnswer, Setting], list[list[int]]],
) -> dict[str, Any]:
    """The views of an answer by setting: those that differ, which each setting shows, and what it does not follow."""
    following, known = Following(answer, choices.offers), dict[tuple[Setting, int], int]()
    views: list[list[list[int]]] = []
    settings, kept = [], []
    for setting in choices.offers.settings():
        followed = following.under(setting)
        place = known.setdefault((followed.changed, id(choices.under(setting))), len(views))
        if place == len(views):
            views.append(views_of_setting(followed.answer, setting))
        settings.append(place)
        kept.append(keeps(followed.kept, formats))
    return {"views": views, "settings": settings, "keeps": kept}


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


def cards_views(answers: Sequence[AlignedAnswer], choices: PageChoices | None, formats: Formats) -> PooledViews | None:
    """The cards; None where no answer has any."""
    if choices is None or (lead := lead_of_cards(answers, choices.own)) is None:
        return None
    pool, names = Pool(), measures_of_cards(answers, lead)

    def of_setting(answer: AlignedAnswer, setting: Setting) -> list[list[int]]:
        chosen, measure = choices.under(setting), setting[KINDS.index("measure")]
        cards = Cards(answer, names if measure is None else (measure,), chosen, formats, pool)
        return _each(cards.of_view, chosen)

    return PooledViews(_by_setting(lead, choices, formats, of_setting), pool.held, frozenset())


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


DRAWING = (
    *("d3-array", "d3-color", "d3-format", "d3-interpolate", "d3-path", "d3-selection", "d3-time", "d3-time-format"),
    *("d3-scale", "d3-axis", "d3-shape"),
)


#: What stands for signs of base 85 that HTML knows.
_SIGNS = (b"<>&", b".,:")
#: What the script says, in the reader's language.
_SAID = {
    "period": message("Period"),
    "save": message("Save as CSV"),
    "copy": message("Copy"),
    "copied": message("copied"),
    "none": message("No records of these together."),
    "gone": message("The link asks for {asked}, which is not there: the rest is shown."),
    "records": message("The records"),
    "sort": message("sort by {heading}"),
    "table": message("Table"),
    "contents": message("Sections"),
    "choices": message("Choose a period and items"),
    "scripts": message(
        "This page needs a browser of 2023 or later with scripts turned on: what it shows can be chosen."
    ),
    "figure": message("Figure: arrow keys show its figures"),
}


def page(
    sections: Sequence[Section],
    *,
    title: str,
    formats: Formats,
    palette: Palette | None = None,
    notes: Sequence[str] = (),
    offers: Offers = USUAL,
    printed: Literal["summary", "all"] = "all",
    progress: ToldViews | None = None,
    workers: int = 1,
) -> str:
    """The page of some sections as HTML.

    Parameters
    ----------
    notes
        Lines below the sections, before those on the records.
    offers
        What can be chosen.
    printed
        Whether folded tables are printed: ``"all"`` of them, or none, ``"summary"``.
    workers
        How many processes make the views; more than one only where the main module can be loaded again.
    """
    aligned = [s.answer for s in sections if isinstance(s.answer, AlignedAnswer) and s.answer.call is not None]
    chosen = choices_of(aligned, formats, offers)
    choices = chosen.own if chosen else None
    if choices and choices.left_out:  # before the work, so that whoever waits for it may ask for less
        fewer = Said(
            "the page would have {0:,} views in each of {1}, and gets {2:,}, so that it is made in about a minute: {3}",
            choices.wanted, how_many(len(aligned), "section"), choices.views, Joined(choices.left_out, "; "),
        )  # fmt: skip
        _LOG.warning(fewer)
    cards = cards_views(aligned, chosen, formats)
    views = views_of_all(sections, chosen, formats, workers, progress)
    said = {name: formats.say(text, heading="{heading}", asked="{asked}") for name, text in _SAID.items()}
    head = {
        "said": said,
        "formulas": FORMULA_SIGNS if formats.spreadsheet_safe else [],
        "grains": [_periods(one) for one in chosen.by_grain.values()] if chosen else [],
        "choices": offers.shown(choices.calendar.word, formats) if choices else [],
        "dimensions": choices.names(formats) if choices else [],
        "picks": [["" if label is None else label for label in pick] for pick in (choices.picks if choices else ((),))],
    }
    shared, parts = together([*views, *([cards] if cards else [])])
    cards_part = parts.pop() if cards else "null"
    text = f'{{"page":{written(head)},"shared":{shared},"cards":{cards_part},"sections":[{",".join(parts)}]}}'
    return _filled(
        _packed(text),
        title=title,
        formats=formats,
        palette=palette or Palette(),
        said=said,
        about=about_lines(aligned, formats),
        notes=[*map(for_readers, choices.left_out if choices else ()), *notes, *_records(aligned, formats)],
        sections=sections,
        choices=choices,
        printed=printed,
    )


def _periods(choices: Choices) -> dict[str, Any]:
    """The periods of a grain: label, words and last day of each, and the place of the one that is shown first."""
    return {"periods": list(zip(choices.labels, choices.words, choices.lasts)), "chosen": choices.chosen}


def _records(answers: Sequence[AlignedAnswer], formats: Formats) -> list[str]:
    """Coverage and accounting of each book, and what reading had to say of it; how it was read is the maker's."""
    lines: dict[str, None] = {}
    for answer in answers:
        lines[coverage_line(answer, formats)] = None
        lines |= dict.fromkeys(map(for_readers, all_told(answer.book.intake.warnings, formats)))
    return [visible(line) for line in lines if line]


def _packed(text: str) -> str:
    """All data as one text without any sign that HTML knows, and how many bytes it is of: the same for the same data.

    Five signs stand for four bytes, as in base 85 (RFC 1924), with other signs for those that HTML knows.
    """
    data = gzip.compress(text.encode("utf-8", "replace"), 6, mtime=0)
    signs = base64.b85encode(data, pad=True).translate(bytes.maketrans(*_SIGNS)).decode("ascii")
    return f'{{"packed":"{signs}","bytes":{len(data)}}}'


@cache
def _read(name: str) -> str:
    return (files("logochron.views.page") / name).read_text(encoding="utf-8")


@cache
def _script() -> str:
    """The drawing package and our own script."""
    packed = (files("logochron.views.page") / "drawing" / f"{name}.min.js.gz" for name in DRAWING)
    drawing = [gzip.decompress(one.read_bytes()).decode() for one in packed]
    return "\n".join([*drawing, _read("page.js")])


def _filled(packed: str, *, palette: Palette, formats: Formats, **fields: Any) -> str:
    """The template with its parts; only these scripts and styles may run."""
    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)  # labels are data: escaped
    rules = {name: Markup(color_rules(p)) for name, p in (("light", palette), ("dark", palette.on_dark()))}
    script = Markup(_script())
    css = style(palette) + Markup(environment.from_string(_read("page.css")).render(**rules))
    allowed = {name: _digest(text) for name, text in (("script", script), ("style", css))}
    policy = (
        f"default-src 'none'; script-src '{allowed['script']}'; style-src '{allowed['style']}'; "
        "base-uri 'none'; form-action 'none'"
    )
    fields |= {"packed": Markup(packed), "script": script, "css": css, "policy": policy}
    return environment.from_string(_read("page.html.j2")).render(**fields, language=formats.locale_tag)


def _digest(text: str) -> str:
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode("ascii")


@kinds_checked
def write_page(
    answers: Result | Sequence[Result] | Mapping[str, Result],
    path: str | Path,
    *,
    title: str | None = None,
    figures: Mapping[str, str] | None = None,
    choices: Sequence[str] | Mapping[str, Sequence[str]] | None = None,
    plan: AnyPlan | None = None,
    opens: Opening = "running",
    locale: str = "en",
    currency: str | None = None,
    formats: Formats | None = None,
    palette: Palette | None = None,
) -> Path:
    """Write answers as one page that opens from disk, in which any period and any item can be chosen.

    Parameters
    ----------
    answers
        One, a list, or by heading.
    title
        What the page is called; the title of the first answer where None.
    figures
        Names of figures by heading, instead of those that suit.
    choices
        The dimensions that can be chosen, all of the book where None; or lists by name: ``"dimensions"``,
        ``"measures"``, ``"against"``, ``"grains"`` and ``"windows"``, each of which becomes a choice.
    plan
        The plan that ``"plan"`` among the bases means.
    opens
        The period that is shown first: ``"running"``, or ``"last-whole"``, the last one that is over.
    locale, currency, formats
        How numbers, days and words are written (`formats` goes before the others).

    Returns
    -------
    pathlib.Path
        The file, written whole or not at all.

    Raises
    ------
    QuestionError
        Where there is no answer, two have one heading, or the file cannot be written.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(by="harbor"), each="month", measures="revenue", last=13)
    >>> lc.write_page({"How the months stand": months}, "months.html")  # doctest: +SKIP
    """
    for name, came, wanted in (("formats", formats, Formats), ("palette", palette, Palette)):
        if came is not None and not isinstance(came, wanted):
            raise QuestionError("`{0}` must be {1}; got {2}", name, wanted.__name__, brief(came))
    formats = formats or Formats(locale=locale, currency=currency)
    sections = sections_of(answers, formats, figures or {})
    offers = Offers.of(choices, plan, opens)
    if offers.dimensions is not None:
        known = _dimensions(sections)
        for name in offers.dimensions:
            if name not in known:
                raise QuestionError("`choices`: {0}", no_such("dimension", str(name), known, where="the page"))
    for section in sections:
        if section.answer is not None:
            check_room(section.answer, "a page")
    html = page(
        sections,
        title=title or sections[0].heading,
        formats=formats,
        palette=palette,
        offers=offers,
    )
    path = Path(path)
    with whole_file(path) as target:
        target.write_text(html, encoding="utf-8")
    return path


def sections_of(
    answers: Result | Sequence[Result] | Mapping[str, Result], formats: Formats, figures: Mapping[str, str]
) -> list[Section]:
    """Answers under their headings: those given, or the titles of their tables.

    Raises
    ------
    QuestionError
        Where there is none, or what is given is no answer.
    """
    named = answers if isinstance(answers, Mapping) else None
    if not isinstance(answers, (Result, Mapping, list, tuple)):
        raise QuestionError("`answers` must be an answer, a list of them or by heading; got {0}", brief(answers))
    given: list[Any] = [answers] if isinstance(answers, Result) else list(answers if named is None else named.values())
    for one in given:
        if not isinstance(one, Result):
            raise QuestionError("`answers` must be answers, such as those of compare; got {0}", brief(one))
    if not given:
        raise QuestionError("`answers` holds none: a page needs one at least")
    headings = list(named) if named is not None else [tables_of(one, formats, Shown(rows=1))[0].title for one in given]
    headings = list(map(str, headings))
    seen: dict[str, int] = {}
    for place, heading in enumerate(headings):
        seen[heading] = seen.get(heading, 0) + 1
        if seen[heading] > 1:
            headings[place] = f"{heading} ({seen[heading]})"
    known = {heading: one.type.figures for heading, one in zip(headings, given)}
    for heading, figure in figures.items():
        if heading not in known:
            raise QuestionError("`figures`: {0}", no_such("section", str(heading), known))
        if figure not in known[heading]:
            raise QuestionError("`figures`: {0}", no_such("figure", str(figure), known[heading]))
    return [Section(heading=heading, answer=one, figure=figures.get(heading)) for heading, one in zip(headings, given)]


def _dimensions(sections: Sequence[Section]) -> tuple[str, ...]:
    """The dimensions of the records of the first answer that has any."""
    for section in sections:
        if isinstance(section.answer, AlignedAnswer):
            return section.answer.selection.book.dimensions
    return ()
