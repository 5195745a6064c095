"""Answers in sentences: what is said in each case, every number found in the answer, in both languages."""

from __future__ import annotations

import ast
import builtins
import re
import shlex
from pathlib import Path
from string import Formatter

import numpy as np
import pandas as pd
import pytest
from babel.messages.pofile import read_po

import logochron as lc
from logochron.core.choices import PLURALS
from logochron.core.notes import TEXTS
from logochron.core.rows.question_types import COLUMNS
from logochron.core.synonyms import SYNONYMS
from logochron.views.catalog import FOLDER, languages, messages
from logochron.views.formats import Formats
from logochron.views.words.question_words import periods_of
from logochron.views.words.titles import days_in_words, whole_period

VIEWS = Path(lc.__file__).parent / "views"


def day(text: str) -> int:
    return int(np.datetime64(text).astype("datetime64[D]").astype(int))


def book_of(rows: list[tuple], **options: object) -> lc.Daybook:
    frame = pd.DataFrame(rows, columns=["day", "item", "amount", "cost"])
    return lc.read(frame, date="day", by="item", **({"values": ["amount", "cost"]} | options))


@pytest.mark.parametrize(
    ("calendar", "each", "first", "english", "german"),
    [
        (lc.CivilCalendar(), "month", "2026-09-01", "in September 2026", "im September 2026"),
        (lc.CivilCalendar(), "quarter", "2026-07-01", "in Q3 2026", "in Q3 2026"),
        (lc.CivilCalendar(), "half", "2026-07-01", "in the second half of 2026", "im 2. Halbjahr 2026"),
        (lc.CivilCalendar(), "year", "2026-01-01", "in 2026", "in 2026"),
        (lc.CivilCalendar(), "day", "2026-10-18", "on 18 October 2026", "am 18. Oktober 2026"),
        (lc.CivilCalendar(), "week", "2026-04-27", "in week 18 of 2026 (27 Apr to 3 May)",
         "in Woche 18 von 2026 (27. Apr. bis 3. Mai)"),
        (lc.CivilCalendar(), "week", "2025-12-29", "in week 1 of 2026 (29 Dec 2025 to 4 Jan 2026)",
         "in Woche 1 von 2026 (29. Dez. 2025 bis 4. Jan. 2026)"),
        (lc.CivilCalendar(year_start=4), "quarter", "2026-04-01", "in quarter 1 of FY2027 (1 Apr to 30 Jun 2026)",
         "in Quartal 1 von FY2027 (1. Apr. bis 30. Juni 2026)"),
        (lc.RetailCalendar(), "month", "2026-04-05", "in period 3 of 2026 (5 Apr to 2 May)",
         "in Periode 3 von 2026 (5. Apr. bis 2. Mai)"),
    ],
)  # fmt: skip
def test_periods_in_words(calendar, each, first, english, german):
    for language, said in (("en", english), ("de", german)):
        assert whole_period(calendar, each, day(first), Formats(locale=language)).when == said


def test_days_in_words():
    for first, last, english, german in [
        ("2026-10-01", "2026-10-18", "over 1–18 October 2026", "im Zeitraum 1.–18. Oktober 2026"),
        ("2026-01-01", "2026-10-18", "from 1 January to 18 October 2026", "vom 1. Januar bis 18. Oktober 2026"),
        ("2025-12-29", "2026-01-04", "from 29 December 2025 to 4 January 2026",
         "vom 29. Dezember 2025 bis 4. Januar 2026"),
    ]:  # fmt: skip
        for language, said in (("en", english), ("de", german)):
            assert days_in_words(day(first), day(last), Formats(locale=language)).when == said


#: Amounts of January and February 2025, what is said of February against the month before, and of the item in a list.
CASES = [
    (100, 120, "Amount in February 2025 reached 120, 20.0 % above January 2025 (100).", "x gained most (+20.0 %)"),
    (100, 80, "Amount in February 2025 fell to 80, 20.0 % below January 2025 (100).", "x lost most (−20.0 %)"),
    (100, 100, "Amount in February 2025 came to 100, level with January 2025.", "x stayed level (100)"),
    (-20, 50, "Amount in February 2025 came to 50, 70 more than January 2025 (−20).", "x gained most (+70)"),
    (-20, -50, "Amount in February 2025 came to −50, 30 less than January 2025 (−20).", "x lost most (−30)"),
    (40, -10, "Amount in February 2025 came to −10, 50 less than January 2025 (40).", "x lost most (−125.0 %)"),
    (0, 50, "Amount in February 2025 reached 50, after none in the base (January 2025).", "x came to 50 after none"),
    (80, 0, "No amount in February 2025, after 80 (January 2025).", "x has none now (before: 80)"),
    (0, 0, "No amount in February 2025, and none in the base (January 2025).", "x has none in either period"),
    (1e6, 1e6 + 1, "Amount in February 2025 came to 1,000,001, 1 more than January 2025 (1,000,000).",
     "x gained most (+1)"),
]  # fmt: skip


@pytest.mark.parametrize(("before", "now", "said", "item"), CASES)
def test_each_case(before, now, said, item):
    # a third day keeps the item open on both sides
    rows = [("2025-01-15", "x", before, 1), ("2025-02-15", "x", now, 1), ("2025-03-31", "x", 1, 1),
            ("2024-12-31", "x", 1, 1)]  # fmt: skip
    result = lc.compare(book_of(rows), "month", "prior", at="2025-02")
    assert lc.words.headline(result) == said
    rows += [("2025-01-15", "y", 1e9, 1), ("2025-02-15", "y", 1e9, 1)]
    split = lc.compare(book_of(rows), "month", "prior", at="2025-02", by="item", measures="amount")
    told = lc.words.sentences(split)[1]
    assert item in told or "has none in either period" in item
    german = lc.words.headline(result, locale="de")
    assert german.startswith("Amount im Februar 2025: ") and german != said


def test_new_ended_unknown_and_level_within():
    rows = [("2025-01-01", "old", 10, 1), ("2025-01-31", "old", 10, 1), ("2025-02-01", "new", 7, 1),
            ("2025-02-10", "kept", 5, 2), ("2025-01-10", "kept", 5, 2), ("2025-03-20", "new", 9, 1)]  # fmt: skip
    book = book_of(rows)
    told = lc.words.sentences(lc.compare(book, "month", "prior", at="2025-02", by="item", measures="amount"))
    assert (
        "new is new (7)" in told[1]
        and "old has none now (before: 20)" in told[1]
        and "kept stayed level (5)" in told[1]
    )
    later = lc.compare(book.covering(last="2025-08-31"), "month", "prior", at="2025-02", by="item", measures="amount")
    assert "old ended (before: 20)" in lc.words.sentences(later)[1]  # silent for more than five of its gaps
    assert lc.words.headline(lc.compare(book, "month", "prior", at="2025-01")).endswith("nothing to compare it with.")
    to_date = lc.words.headline(lc.compare(book, "month", "prior", at="2025-03"))
    assert to_date == "Amount over 1–20 March 2025 fell to 9, 25.0 % below 1–20 February 2025 (12)."
    level = lc.Judging(level_within=0.5)
    said = lc.words.headline(lc.compare(book, "month", "prior", at="2025-03", judging=level))
    assert said == "Amount over 1–20 March 2025 came to 9, level with 1–20 February 2025 (12)."
    assert lc.words.headline(lc.compare(book, "month", at="2030-01", partial="drop")) == "No period to tell of."
    price = lc.read(pd.DataFrame(rows, columns=["day", "item", "amount", "cost"]), date="day",
                    measures=[lc.Measure("price", of="amount", per="cost")])  # fmt: skip
    assert "Price in February 2025 fell to 400.0 %, 225.0 points below" in lc.words.headline(
        lc.compare(price, "month", "prior", at="2025-02")
    )


def moved_by(**changes):
    """A comparison of two months in which each item moved from 1,000 by so much."""
    rows = [("2025-01-31", item, 1000, 1) for item in changes] + [("2025-01-01", "a", 0, 1)]
    return book_of([*rows, *(("2025-02-28", item, 1000 + change, 1) for item, change in changes.items())])


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"a": 1, "b": 50, "c": 50}, "b and c gained most (+50 each); a rose 0.1 %."),
        ({"a": 80, "b": 80, "c": -5, "d": -7}, "a and b gained most (+80 each); d fell 0.7 %."),
        ({"a": -3, "b": -3}, "a and b lost most (−3 each)."),
        (dict.fromkeys("abcd", 2), "a, b, c and d gained most (+2 each)."),
        (dict.fromkeys("abcdef", 2), "a, b, c and 3 others gained most (+2 each)."),
        ({"a": 0, "b": 0}, "a stayed level (1K); b stayed level (1K)."),
    ],
)
def test_who_moved_most_is_told_of_all_items(changes, said):
    book = moved_by(**changes)
    asked = {"against": "prior", "at": "2025-02", "measures": "amount", "by": "item"}
    for top in (None, 1):  # one that `top` gathers may be the one
        assert lc.words.sentences(lc.compare(book, "month", top=top, **asked))[1] == said
    told = [lc.words.sentences(lc.drivers(book, "month", top=top, **asked)) for top in (None, 1)]
    assert told[0] == told[1]
    asked.pop("at")
    paced = [lc.words.sentences(lc.pace(book, "month", top=top, **asked)) for top in (None, 1)]
    assert paced[0] == paced[1] and "all others" not in str(paced)
    related = [lc.words.sentences(lc.relate(book, "month", top=top, at="2025-02", **asked)) for top in (None, 1)]
    assert related[0] == related[1]


def test_what_stays_level_is_led_by_nothing():
    rows = [
        (day, item, 5, line) for day in ("2025-01-01", "2025-01-31", "2025-02-28") for item in "ab" for line in (1, 2)
    ]
    frame = pd.DataFrame([*rows, ("2025-02-27", "a", 1, 1), ("2025-02-27", "a", -1, 2)],
                         columns=["day", "item", "amount", "line"])  # fmt: skip
    frame.loc[frame.day == "2025-01-01", "amount"] = 0
    book = lc.read(frame, date="day", values="amount", by=["item", "line"])
    told = lc.words.sentences(lc.compare(book, "month", "prior", at="2025-02", by="item"), then="line")
    assert told[1] == "a stayed level (10); b stayed level (10)."


def test_parts_that_cannot_be_formed_and_parts_that_did_not_move():
    rows = [("2025-01-01", "a", 500, 1), ("2025-01-31", "b", 500, 1), ("2025-02-01", "a", 5001, 1),
            ("2025-02-28", "b", 5000, 1), ("2025-03-01", "a", -40, 1), ("2025-03-31", "b", 30, 0)]  # fmt: skip
    book = book_of(rows)
    asked = {"by": "item", "against": "prior", "measures": "amount"}
    level = lc.words.sentences(lc.relate(book, "month", at="2025-02", **asked))
    assert level == ["Amount in February 2025: a came to 50.0 % of the total, level with January 2025.", "b 50.0 %."]
    below = lc.words.sentences(lc.relate(book, "month", at="2025-03", **asked))
    assert below == ["Amount in March 2025: a −40; b 30; no part of the total, as that is not above 0 (−10)."]
    price = lc.read(pd.DataFrame(rows, columns=["day", "item", "amount", "cost"]), date="day", by="item",
                    measures=[lc.Measure("price", of="amount", per="cost")])  # fmt: skip
    table = lc.relate(price, "month", at="2025-03", by="item").table.set_index("item")
    assert table.note["b"].startswith("no cost") and table.reference["b"] == -10 == table.reference["a"]


@pytest.fixture(scope="module")
def harbors(demo_book):
    bands = lc.Judging(bands=[lc.Band("behind", below=-0.03, advice="ring them"), lc.Band("fine", from_=-0.03)])
    return lc.compare(demo_book, "month", by="harbor", at="2026-08..2026-10", measures="revenue", judging=bands)


def test_items_leaders_and_bands(demo_book, harbors):
    assert lc.words.sentences(harbors, items=2, then="line", at="2026-09") == [
        "Revenue in September 2026 fell to EUR 44.4K, 1.8 % below September 2025 (EUR 45.2K).",
        "Dunmarrow gained most (+2.4 %), led by hire; Cold Pier fell 17.0 %.",
        "Behind (Cold Pier −17.0 %): ring them.",
    ]
    # the leader: the line of that harbor whose change is the largest
    split = lc.compare(demo_book, "month", by=["harbor", "line"], at="2026-09", measures="revenue").table
    dunmarrow = split[split.harbor == "Dunmarrow"]
    assert dunmarrow.loc[dunmarrow.change.idxmax(), "line"] == "hire"
    both = lc.compare(demo_book, "month", by=["harbor", "line"], at="2026-09", measures="revenue")
    assert "Dunmarrow gained most (+2.4 %), led by hire" in lc.words.sentences(both, then="line")[1]
    one = lc.words.sentences(harbors, items=1, at="2026-09")
    assert one[1] == "Cold Pier lost most (−17.0 %)."
    pier = demo_book.where({"harbor": "Cold Pier"})
    assert lc.words.headline(lc.compare(pier, "month", at="2026-09", measures="revenue")).startswith(
        "Revenue (harbor Cold Pier) in September 2026 fell to EUR 7.24K, 17.0 % below"
    )
    assert lc.words.headline(lc.compare(pier, "day", at="2025-11-10", measures="revenue")).startswith(
        "No revenue (harbor Cold Pier) on 10 November 2025, after EUR"
    )
    a_day = lc.compare(demo_book, "month", by="harbor", at="2024-05", per="day", items="comparable", measures="revenue")
    assert "Revenue per day (comparable harbors) in May 2024" in lc.words.headline(a_day)
    listed = pd.DataFrame({"month": ["2026-09"] * 2, "harbor": ["Cold Pier", "Alderquay"], "v": [9000, 15000]})
    plan = lc.read_plan(listed, date="month", value="v", measure="revenue", by="harbor")
    beside = lc.compare(demo_book, "month", "plan", plan=plan, by="harbor", at="2026-09", measures="revenue")
    told = lc.words.sentences(beside, items=4)[1]
    assert "Dunmarrow came to EUR 13.4K, with none planned; Cold Pier is 19.6 % below" in told
    assert "Alderquay is 8.8 % above" in told
    two = demo_book.where({"harbor": ["Cold Pier", "Alderquay"]})
    beside = lc.compare(two, "month", "plan", plan=plan, by="harbor", at="2026-09", measures="revenue")
    told = lc.words.sentences(beside)[1]
    assert told == "Alderquay is furthest above (+8.8 %); Cold Pier is 19.6 % below."
    lower = lc.compare(demo_book, "month", by="harbor", at="2026-09", measures=["revenue", "cost"])
    assert [said.split(" in ")[0] for said in lc.words.sentences(lower)[::2]] == ["Revenue", "Cost"]
    for asked, said in [({"then": "lime"}, "Did you mean 'line'"), ({"measure": "revenu"}, "Did you mean 'revenue'"),
                        ({"items": 0}, "items"), ({"at": "1999"}, "one period of the answer")]:  # fmt: skip
        with pytest.raises(lc.QuestionError, match=said):
            lc.words.sentences(harbors, **asked)
    with pytest.raises(lc.QuestionError, match="compare by another dimension"):
        lc.words.sentences(lc.compare(demo_book, "month", last=1), then="line")
    with pytest.raises(lc.QuestionError, match="got the answer of review"):
        lc.words.headline(lc.review(pd.DataFrame({"day": ["2025-01-01", "2025-02-01"], "v": [1, 2]})))


def test_templates(harbors):
    filled = lc.words.sentences(harbors, "{item}: {value} {growth} {{{band}}} {advice}|", items=2, at="2026-09")
    assert filled == ["Dunmarrow: EUR 13.4K +2.4 % {fine} |", "Cold Pier: EUR 7.24K −17.0 % {behind} ring them|"]
    fields = "{measure}/{period}/{base_period}/{base}/{change}/{direction}/{verdict}/{share}/{leader}/{leader_value}"
    (said,) = lc.words.sentences(harbors, fields, items=1, then="line", at="2026-09", locale="de")
    assert said == "revenue/September 2026/September 2025/8.718 EUR/−1.481 EUR/fallend/ungünstig/16,3 %/hire/3.683 EUR"
    for template, refused in [
        ("{itm}", "no field 'itm'. Did you mean 'item'"),
        ("{item.__class__}", "no field 'item.__class__'"),
        ("{item[0]}", "no field"),
        ("{value:>10}", "stands alone in its braces"),
        ("{item!r}", "stands alone in its braces"),
        ("{", "written twice"),
        ("{}", "no field ''"),
    ]:
        with pytest.raises(lc.QuestionError, match=re.escape(refused)):
            lc.words.sentences(harbors, template)


#: A number as a sentence has it: sign, figures, what shortens it, percent.
NUMBER = re.compile(r"(?<![\w.])[+−]?\d[\d.,]*\d|(?<![\w.])[+−]?\d")
_LONG = {"K": 1e3, "M": 1e6, "B": 1e9, "Mio": 1e6, "Mrd": 1e9}


def numbers_of(sentence: str, language: str) -> list[tuple[float, float]]:
    """The numbers of a sentence, each with how far it may be off for having been rounded."""
    found = []
    for match in NUMBER.finditer(sentence):
        text = match[0].replace("−", "-")
        text = text.replace(".", "").replace(",", ".") if language == "de" else text.replace(",", "")
        rest = sentence[match.end() :].lstrip("\xa0 ")
        size = next((size for sign, size in _LONG.items() if re.match(rf"{sign}\b", rest)), 1.0)
        decimals = len(text.partition(".")[2])
        found.append((float(text) * size, 0.5000001 * size * 10**-decimals))
    return found


def figures_of(result: object) -> np.ndarray:
    """All figures of an answer, as they may be written: amounts, parts in percent, with or without their sign."""
    frames = [result.table, result.total]
    extra = [result.path] if hasattr(result, "path_columns") else []
    values = [frame.select_dtypes("number").to_numpy(dtype=float, na_value=np.nan).ravel() for frame in frames + extra]
    plain = np.concatenate(values)
    both = np.concatenate([plain, plain * 100])
    return np.concatenate([both, -both])


def told(demo_book) -> dict[str, object]:
    asked = {"measures": "revenue"}
    return {
        "months": lc.compare(demo_book, "month", by="harbor", at="2026-09", **asked),
        "to date": lc.compare(demo_book, "month", by=["harbor", "line"], last=1, **asked),
        "year to date": lc.compare(demo_book, "week", by="line", running="year", last=2, measures=["cost", "units"]),
        "mean": lc.compare(demo_book, "quarter", "mean:3", by="channel", last=3, measures="units"),
        "part of all": lc.relate(demo_book, "month", by="harbor", at="2026-09", **asked),
        "beside one": lc.relate(demo_book, "month", by="line", beside="item:hire", at="2026-07", **asked),
        "moved": lc.drivers(demo_book, "month", by=["harbor", "line"], at="2026-09", quantity="units", **asked),
        "pace": lc.pace(demo_book, "year", by="harbor", **asked),
        "landing": lc.land(demo_book, "month", **asked),
        "quarter": lc.land(demo_book, "quarter", by="line", **asked),
    }


@pytest.mark.parametrize("language", ["en", "de"])
def test_every_number_is_in_the_answer(demo_book, language):
    formats = Formats(locale=language)
    for name, result in told(demo_book).items():
        known = figures_of(result)
        if result.kind == "pace":
            known = np.append(known, np.arange(len(result.periods) + 1))  # ranks
        if result.kind == "land":
            past = result.past_error(result.measures[0])[1]
            known = np.append(known, [result.now.elapsed[0], result.now.days[0], result.days_left, past])
        place = result.place() if result.kind != "land" else 0
        named = [words.name for words in periods_of(result, place, formats)]
        if result.kind == "pace":
            named.append("2026")
        said = lc.words.sentences(result, items=4, locale=language)
        if result.kind != "relate":  # of one item rather than of all: that which moved most either way
            assert lc.words.headline(result, locale=language) == said[0]
        assert re.search(r"\d", lc.words.headline(result, locale=language))
        for sentence in said:
            bare = sentence
            for period in sorted((*named, "1 January to 18 October 2026", "1. Januar bis 18. Oktober 2026",
                                  "Oktober 2026", "October 2026", "Q4 2026"), key=len, reverse=True):  # fmt: skip
                bare = bare.replace(period, "")
            found = numbers_of(bare, language)
            for value, off in found:
                assert np.nanmin(np.abs(known - value)) <= off, (name, sentence, value)
            assert found or not re.search(r"\d", bare)


def _texts(node: ast.expr) -> list[str]:
    """The texts that an argument may be: one, or one of two by a condition."""
    if isinstance(node, ast.IfExp):
        return [*_texts(node.body), *_texts(node.orelse)]
    return [node.value] if isinstance(node, ast.Constant) and isinstance(node.value, str) else []


def used_messages() -> set[str]:
    """All messages that are said, shown or raised, as they stand in the source."""
    found = set()
    for path in VIEWS.parent.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call):
                name = getattr(node.func, "attr", getattr(node.func, "id", ""))
                ours = name in ("Said", "no_such", "_NoTotal", "AmbiguousDates") or name.endswith("Error")
                if (ours and not hasattr(builtins, name)) or name in ("say", "message", "count", "counted"):
                    # of a message that changes with a number the first form is the key
                    found |= set(next(filter(None, map(_texts, node.args[:1])), []))
                where = [k.value for k in node.keywords if name == "no_such" and k.arg == "where"]
                found |= {text for one in where for text in _texts(one)}
    shown = {row.says for row in SYNONYMS} | set(map(str, PLURALS.values())) | set(TEXTS.values())
    return {text for text in found | shown if re.search("[a-z]", re.sub(r"\{.*?\}|`.*?`|\[\[.*|--[a-z-]+", "", text))}


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("--by harbr", "Spalte 'harbr' gibt es nicht. Meinten Sie 'harbor'?"),
        ("--each mont", "Ungültiger Wert für '--each': 'mont' ist keines von 'day', 'week'"),
        ("--last 3 --last 4", "Fehler: --last steht zweimal da"),
        ("--forecast", "keine Option --forecast: hier heißt es logochron land"),
        ("--alert 'growth <'", "der Wert fehlt hier"),
        ("--until 2031-01-01", "Tage nach dem letzten Eintrag, 2026-10-18"),
        ("--out {}/x.csv", "x.csv geschrieben"),
        ("", "Spalte 'sold_on' (date=, --date)"),
    ],
)
def test_messages_are_in_the_reader_s_language(cli, tmp_path, words, said):
    sales, _ = lc.demo.write(tmp_path)
    asked = shlex.split(f"compare {sales} --value revenue {words.format(tmp_path)}")
    ran = cli(*asked, "--locale", "de")
    assert said in ran.stderr, ran.stderr
    assert said not in cli(*asked).stderr  # and no longer


def test_catalogs_are_complete():
    assert languages() == ("de", "en")
    used = used_messages()
    assert len(used) > 1000
    german = messages("de")
    with (FOLDER / "de" / "LC_MESSAGES" / "logochron.po").open("rb") as source:
        known = {text for one in read_po(source) for text in ([one.id] if isinstance(one.id, str) else one.id)}
    assert not used - known
    assert {COLUMNS[name].heading for name in ("period", "change", "growth", "share", "estimate")} <= known
    for text in used & known:  # the same fields stand in both
        fields = [{f for _, f, _, _ in Formatter().parse(one) if f} for one in (text, german.gettext(text))]
        assert fields[1] <= fields[0] | {"measure"}, text
