"""What a page lets its reader choose besides period and items: measure, base, grain and window.

A *setting* is one of each, None where sections stay as they were asked. What of it a section follows is told by the
row of its question; what it cannot follow leaves it as it is.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import product
from typing import Any, Literal, NamedTuple, get_args

from logochron.core.align.bases import names_plan, parse_basis
from logochron.core.align.overview_windows import OverviewWindow
from logochron.core.book.daybook import Daybook
from logochron.core.choices import Grain, check
from logochron.core.errors import LogochronError, QuestionError, brief, no_such
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.plans import AnyPlan
from logochron.core.rows.question_types import ChoiceKind
from logochron.views.catalog import message
from logochron.views.formats import Formats, capital, words
from logochron.views.words.overview_words import window_named
from logochron.views.words.titles import heading, period_word

#: Which period a page opens with: the running one, or the last whole one.
Opening = Literal["running", "last-whole"]
#: The kinds of choices, in the order in which they stand in the bar.
KINDS: tuple[ChoiceKind, ...] = get_args(ChoiceKind)
#: What is chosen of each kind; None where sections stay as they were asked.
Setting = tuple[str | None, ...]
_LABELS: Mapping[ChoiceKind, str] = {
    "measure": message("Measure"),
    "against": message("Against"),
    "grain": message("Each"),
    "window": message("Time window"),
}
#: What they are called where a section does not follow them, which it says once.
_OWN: Mapping[ChoiceKind, str] = {
    "measure": message("measure"),
    "against": message("base"),
    "grain": message("periods"),
    "window": message("time window"),
}
_KEEPS = message("This section keeps its own: {choices}.")


@dataclass(frozen=True, kw_only=True)
class Offers:
    """What a page offers.

    Attributes
    ----------
    dimensions
        The dimensions whose items can be chosen; all of the book where None.
    measures, against, grains, windows
        Names that can be chosen instead of what the sections were asked with; nothing of the kind where empty.
    plan
        What is meant by a plan among the bases.
    opens
        The period it opens with.
    """

    dimensions: tuple[str, ...] | None = None
    measures: tuple[str, ...] = ()
    against: tuple[str, ...] = ()
    grains: tuple[str, ...] = ()
    windows: tuple[str, ...] = ()
    plan: AnyPlan | None = field(default=None, compare=False)
    opens: Opening = "running"

    @classmethod
    def of(cls, given: Any, plan: AnyPlan | None = None, opens: Any = "running") -> Offers:
        """What is asked for: None, names of dimensions, or lists by what they are of.

        Raises
        ------
        QuestionError
            Where it is none of these, or a name means nothing.
        """
        named = given if isinstance(given, Mapping) else {"dimensions": given}
        lists: dict[str, Any] = {}
        for name, listed in named.items():
            if name not in _KEYS:
                raise QuestionError("`choices`: {0}", no_such("choice", str(name), _KEYS))
            if listed is not None and not (
                isinstance(listed, (list, tuple)) and all(isinstance(one, str) for one in listed)
            ):
                raise QuestionError("`choices`: {0} must be a list of names; got {1}", name, brief(listed))
            lists[name] = None if listed is None else tuple(dict.fromkeys(listed))
        offers = cls(plan=plan, opens=check("open", opens, Opening), **lists)  # type: ignore[arg-type]
        for basis in offers.against:
            parse_basis(basis)
        for grain in offers.grains:
            check("grains", grain, Grain)
        for window in offers.windows:
            OverviewWindow.of(window)
        return offers

    def names(self, kind: ChoiceKind) -> tuple[str, ...]:
        """What can be chosen of a kind."""
        names: tuple[str, ...] = getattr(self, LISTS[kind])
        return names

    @property
    def kinds(self) -> tuple[ChoiceKind, ...]:
        """The kinds of which there is a choice."""
        return tuple(kind for kind in KINDS if self.names(kind))

    def settings(self) -> Iterator[Setting]:
        """All settings, the last kind changing first."""
        return product(*((None, *self.names(kind)) for kind in KINDS))

    def shown(self, calendar_word: Any, formats: Formats) -> list[dict[str, Any]]:
        """The choices as the page offers them: key, label, values and their words."""
        told = {
            "measure": lambda name: capital(words(name)),
            "against": lambda name: heading(parse_basis(name), formats),
            "grain": lambda name: capital(period_word(calendar_word(name), formats)),
            "window": lambda name: window_named(name, calendar_word, formats),
        }
        own = formats.say(message("as in the report"))
        return [
            {
                "key": kind,
                "label": formats.say(_LABELS[kind]),
                "options": [["", own], *([name, told[kind](name)] for name in self.names(kind))],
            }
            for kind in self.kinds
        ]


#: What can be listed.
_KEYS = ("dimensions", "measures", "against", "grains", "windows")
#: Where the names of each kind are listed.
LISTS: Mapping[ChoiceKind, str] = {
    "measure": "measures", "against": "against", "grain": "grains", "window": "windows",
}  # fmt: skip


#: Periods, and the items of all dimensions.
USUAL = Offers()


def check_measures(offers: Offers, books: Sequence[Daybook]) -> None:
    """Refuses measures that no book has."""
    known = list(dict.fromkeys(name for book in books for name in book.formulas))
    for name in offers.measures:
        if name not in known:
            raise QuestionError("`choices`: {0}", no_such("measure", name, known, where="the page"))


class Followed(NamedTuple):
    """An answer as far as it follows a setting: what was changed of it, and the kinds that it could not follow."""

    answer: AlignedAnswer
    changed: Setting
    kept: tuple[ChoiceKind, ...]


class Following:
    """Answers of a section by setting; those that come to the same are one."""

    def __init__(self, answer: AlignedAnswer, offers: Offers) -> None:
        self.answer, self.offers = answer, offers
        self._known: dict[Setting, AlignedAnswer | None] = {(None,) * len(KINDS): answer}

    def under(self, setting: Setting) -> Followed:
        """The answer under a setting: one choice after the other, and what cannot be followed is left out."""
        changed: list[str | None] = [None] * len(KINDS)
        kept = []
        for place, (kind, name) in enumerate(zip(KINDS, setting)):
            if name is None:
                continue
            changed[place] = name
            if self._asked(tuple(changed)) is None:
                changed[place] = None
                kept.append(kind)
        answer = self._asked(tuple(changed))
        assert answer is not None
        return Followed(answer, tuple(changed), tuple(kept))

    def _asked(self, changed: Setting) -> AlignedAnswer | None:
        if changed not in self._known:
            self._known[changed] = self._ask(changed)
        return self._known[changed]

    def _ask(self, changed: Setting) -> AlignedAnswer | None:
        """The answer with some options changed; None where the question does not take one, or refuses it."""
        call, takes = self.answer.call, self.answer.type.follows
        options: dict[str, Any] = {}
        for kind, name in zip(KINDS, changed):
            if name is None:
                continue
            if call is None or kind not in takes:
                return None
            options[takes[kind]] = name
            if kind == "grain":
                options["at"] = None
            if kind == "window":
                options["lead"] = None
            if kind == "against":
                planned = names_plan(name)
                if planned or not self.answer.type.targeted:  # a target stays beside any base
                    options["plan"] = self.offers.plan if planned else None
        try:
            assert call is not None
            answer: AlignedAnswer = call.with_options(**options).again()
        except LogochronError:
            return None
        return answer if answer.periods else None


def keeps(kept: Sequence[ChoiceKind], formats: Formats) -> str:
    """What a section says that does not follow some choices; nothing where it follows all."""
    if not kept:
        return ""
    return formats.say(_KEEPS, choices=", ".join(formats.say(_OWN[kind]) for kind in kept))


def without(offers: Offers, kind: ChoiceKind) -> Offers:
    """The same with nothing to choose of a kind."""
    return replace(offers, **{LISTS[kind]: ()})  # type: ignore[arg-type]
