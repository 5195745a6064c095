"""Words that cannot be misread: notes of what starts and ends, headings, marks, words brought along."""

from __future__ import annotations

import itertools
import shlex

import numpy as np
import pandas as pd
import pytest

import logochron as lc
from logochron.core.choices import Grain, refuse_brought, values
from logochron.core.rows.question_types import question_types
from logochron.core.synonyms import SYNONYMS, synonym
from logochron.views.formats import Formats
from logochron.views.marks import marks_of
from logochron.views.words.titles import unit

YEARS = pd.date_range("2024-01-01", "2026-06-30")


def pier_closed(days: pd.DatetimeIndex = YEARS) -> pd.DataFrame:
    """A pier that closed for a fortnight, one that opened later, one that was given up, one that is always open."""
    always = pd.DataFrame({"day": days, "pier": "always", "channel": "counter", "v": 2})
    closed = always[(days < "2026-03-02") | (days > "2026-03-15")].assign(pier="closed")
    opened = always[days >= "2026-02-02"].assign(pier="opened")
    given_up = always[days < "2026-02-02"].assign(pier="given up")
    later = always[days >= "2026-06-01"].assign(pier="always", channel="online")
    return pd.concat([always, closed, opened, given_up, later])


NOTES = {  # week, against the week before or a year ago: the note of each pier
    ("2026-W10", "prior"): {"closed": "none now"},
    ("2026-W12", "prior"): {"closed": "none in base"},
    ("2026-W06", "prior"): {"opened": "new", "given up": "ended"},
    ("2026-W10", "year-ago"): {"closed": "none now", "opened": "new", "given up": "ended"},
}


@pytest.mark.parametrize(("week", "against"), NOTES)
def test_what_pauses_is_neither_new_nor_ended(week, against):
    frame = pier_closed()
    ask = {"each": "week", "against": against, "at": week}
    book = lc.read(frame, date="day", values="v", by=["pier", "channel"])
    found = lc.compare(book, by="pier", **ask).table.set_index("pier").note
    assert found[found != ""].to_dict() == NOTES[week, against]
    # an item read alone says what its row says, and so it does where the reading stops: the source goes on
    for pier, note in found.items():
        for one in (book.where({"pier": pier}), lc.read(frame, date="day", values="v", where={"pier": pier})):
            assert lc.compare(one, **ask).total.note.tolist() == [note]
    stopped = lc.read(frame, date="day", values="v", by="pier", until="2026-03-22")
    assert lc.compare(stopped, by="pier", **ask).table.set_index("pier").note.equals(found)
    gathered = lc.compare(book, by="pier", top=1, **ask).table.set_index("pier").note
    assert gathered["all others"] == ""


@pytest.mark.parametrize(
    ("days", "silent", "note"),
    [
        (range(0, 40), 28, "none now"),
        (range(0, 40), 29, "ended"),
        (range(0, 91, 30), 150, "none now"),  # sells each month
        (range(0, 91, 30), 151, "ended"),
        ((0, 2, 90), 225, "none now"),
        ((0, 2, 90), 226, "ended"),
        ((90,), 300, "none now"),  # of one day nothing is known
    ],
)
def test_what_sells_now_and_then_does_not_end(days, silent, note):
    start, last = pd.Timestamp("2025-01-01"), max(days) + silent
    own = pd.DataFrame({"day": [start + pd.Timedelta(days=day) for day in days], "item": "own", "kind": "x", "v": 5})
    both = own.assign(kind="y")  # the same days: no more of them
    other = pd.DataFrame({"day": pd.date_range(start, periods=last + 1), "item": "other", "kind": "x", "v": 1})
    frame = pd.concat([own, both, other])
    span = f"{start + pd.Timedelta(days=last - 5):%Y-%m-%d}..{start + pd.Timedelta(days=last):%Y-%m-%d}"
    base = f"span:{start:%Y-%m-%d}..{start + pd.Timedelta(days=max(days)):%Y-%m-%d}"
    for by in (["item"], ["item", "kind"]):
        book = lc.read(frame, date="day", values="v", by=by)
        for one in (book, book.where({"item": "own"}).covering(last=start + pd.Timedelta(days=last))):
            told = lc.compare(one, "span", base, at=span, by=by)
            notes = (told.table if len(by) == 1 else told.subtotals).set_index("item").note
            assert notes["own"] == note
        assert told.total.note.tolist() == [note]


def test_totals_are_new_by_all_their_records():
    days = ["2025-01-06", "2026-01-05", "2026-03-02", "2026-03-03"]
    frame = pd.DataFrame({"day": days, "harbor": list("BABA"), "line": ["u", "x", "y", "z"], "v": 1})
    book = lc.read(frame, date="day", values="v", by=["harbor", "line"])
    asked = {"each": "month", "against": "prior", "at": "2026-03"}
    told = lc.compare(book, by=["harbor", "line"], **asked)
    assert told.table.note.tolist() == ["new", "new"] and told.subtotals.note.tolist() == ["none in base"] * 2
    assert told.total.note.tolist() == ["none in base"]
    for by in ([], ["line"]):  # where(x) equals the row of x
        assert lc.compare(book.where({"harbor": "A"}), by=by, **asked).total.note.tolist() == ["none in base"]
    gathered = lc.compare(book, by="line", top=1, **asked).table.set_index("line").note
    assert gathered["all others"] == "none in base" and gathered["y"] == "new"
    assert "nothing was recorded before" not in lc.words.headline(lc.compare(book, by="line", **asked))


@pytest.mark.parametrize("seed", range(3))
def test_an_item_alone_says_what_its_row_says(seed):
    """Of sparse items in every period: the book filtered, the file read so, and the row beside the others."""
    rng, days = np.random.default_rng(seed), pd.date_range("2024-01-01", "2025-03-20")
    ends = {"covering": (days[0].date(), days[-1].date())}
    parts = []
    for harbor, line in itertools.product("AB", "xyz"):
        own = days[np.sort(rng.choice(len(days), rng.integers(1, 20), replace=False))]
        own = own[own < "2024-09-01"] if rng.random() < 0.4 else own
        amounts = rng.integers(-3, 50, len(own)) / 2
        parts.append(pd.DataFrame({"day": own, "harbor": harbor, "line": line, "v": amounts}))
    frame = pd.concat(parts)
    book = lc.read(frame, date="day", values="v", by=["harbor", "line"], **ends)
    columns = ["value", "base", "change", "growth", "direction", "verdict", "base_period", "note"]
    for against, until in itertools.product(("prior", "mean:2"), (None, "2024-12-15")):
        of = book.until(until) if until else book
        rows = lc.compare(of, "month", against, by=["harbor", "line"]).subtotals
        for harbor in "AB":
            row = rows[rows.harbor == harbor].set_index("period")
            alone = lc.compare(of.where({"harbor": harbor}), "month", against, by="line").total.set_index("period")
            read = lc.read(frame, date="day", values="v", where={"harbor": harbor}, until=until, **ends)
            for other in (alone, lc.compare(read, "month", against).total.set_index("period")):
                mine, theirs = (
                    one[columns].assign(note=one.note.str.replace("(; )?negative items", "", regex=True))
                    for one in (row, other)
                )
                pd.testing.assert_frame_equal(mine, theirs, check_categorical=False)


def test_a_paused_pier_is_not_ended_where_the_report_stops(cli, tmp_path):
    path = tmp_path / "piers.csv"
    pier_closed().to_csv(path, index=False)
    ask = ("compare", path, "--date", "day", "--value", "v", "--by", "pier", "--each", "week", "--against", "prior")
    ran = cli(*ask, "--until", "2026-03-08", "--last", 1)  # its next record lies past the report date
    (row,) = (line for line in ran.stdout.splitlines() if "closed" in line)
    assert "none now" in row and "ended" not in row
    # a channel that starts later is new beside its pier, which is not
    book = lc.read(path, date="day", values="v", by=["pier", "channel"])
    table = lc.compare(book, "month", "prior", by=["pier", "channel"], at="2026-06").table
    assert table[table.channel == "online"].note.tolist() == ["new"]


@pytest.mark.parametrize(
    ("word", "told"),
    [("yoy", "year-ago"), ("LY", "year-ago"), ("last year", "year-ago"), ("prior_year:2", "year-ago"), ("pp", "prior"),
     ("previous", "prior"), ("last-month", "prior"), ("budget", "plan"), ("target", "plan"), ("forecast", "plan"),
     ("ytd", "--running year"), ("MTD", "--running month"), ("qtd", "--running quarter"), ("fy", "--year-start")],
)  # fmt: skip
def test_words_brought_along_are_answered_with_ours(demo_book, word, told):
    with pytest.raises(lc.QuestionError, match=f"`against` .*is here: .*{told}"):
        lc.compare(demo_book, "month", word)


@pytest.mark.parametrize(
    ("words", "told"),
    [(("--group-by", "harbor"), "--by COL"), (("--from", "2024"), "--at FIRST..LAST"),
     (("--end", "2024"), "--at FIRST"), (("--to", "2024"), "--at FIRST"),
     (("--period", "month"), "--each"), (("--compare-to", "ly"), "--against"), (("--fiscal-year", "4"), "--year-start"),
     (("--each", "fy"), "--year-start"), (("--calendar", "fiscal"), "--year-start"),
     (("--running", "ytd"), "--running year"), (("--rows", "item"), "--by COL"),
     (("--against", "avg:6"), "--against mean:6")],
)  # fmt: skip
def test_options_brought_along_are_answered_with_ours(cli, rows_file, words, told):
    path = rows_file([("2026-01-01", "a", "1.5")])
    ran = cli("compare", path, *words)
    assert ran.returncode == 2 and told in ran.stderr and not ran.stdout and "Did you mean" not in ran.stderr


@pytest.mark.parametrize(
    ("words", "offered"),
    [("scorecard s.csv --group-by item --vs ly --xlsx", "--by item --against year-ago --out answer.xlsx"),
     ("comparre s.csv --rows item", "compare s.csv --by item"), ("compare s.csv --against fc", "--plan plan.csv"),
     ("land s.csv --figure lines", None), ("compare s.csv --against avg:x", None)],
)  # fmt: skip
def test_what_else_was_typed_is_said_in_our_words_or_nothing_is_offered(cli, tmp_path, words, offered):
    (tmp_path / "s.csv").write_text("date,item,v\n2026-01-01,a,1.5\n")
    ran = cli(*words.split(), cwd=tmp_path)
    assert ran.returncode == 2 and not ran.stdout
    said = [line for line in ran.stderr.splitlines() if line.startswith("logochron ")]
    assert (offered in said[0]) if offered else not said, ran.stderr


#: A command that has the option a word is the value of; compare where none is named.
_HAVING = {"profile": "land", "within": "land", "windows": "overview", "periods_in_columns": "review"}
_GIVEN = {"by": "harbor", "top": "1", "where": "harbor=A", "where_not": "harbor=A", "plan": "100", "at": "2025",
          "each": "month", "against": "prior", "year_start": "4", "running": "year", "values": "revenue",
          "date": "sold_on", "until": "2025-11-30", "out": "o.csv", "form": "csv", "sort": "-value", "tz": "UTC",
          "delimiter": ",", "figure": "heat"}  # fmt: skip


def _asked_with(row, word, asked):
    """A command with a word of the table in it."""
    if row.kind == "command":
        return [word, *asked]
    if row.kind == "figure":
        return ["compare", *asked, "--figure", word]
    if row.kind == "value":
        option = row.of[0]
        flag = {"form": "--as"}.get(option, "--" + option.replace("_", "-"))
        return [_HAVING.get(option, "compare"), *asked, flag, word]
    given = [_GIVEN[name] for name, value in row.change.items() if value == "{}"][:1] if row.takes else []
    return ["compare", *asked, f"--{word}", *(given or ["x"] * row.takes)]


@pytest.fixture(scope="module")
def brought_folder(tmp_path_factory):
    folder = tmp_path_factory.mktemp("brought")
    days = pd.date_range("2023-01-01", "2025-12-20", freq="5D")
    rows = [f"{day.date()},{harbor},{k % 7 + 5}" for k, day in enumerate(days) for harbor in "AB"]
    (folder / "sales.csv").write_text("sold_on,harbor,revenue\n" + "\n".join(rows) + "\n")
    months = pd.date_range("2023-01-01", "2025-12-01", freq="MS")
    (folder / "plan.csv").write_text("month,revenue\n" + "".join(f"{m.date()},70\n" for m in months))
    return folder


@pytest.mark.parametrize("kind", ["command", "option", "value", "figure"])
def test_each_word_is_answered_with_ours_and_a_whole_command(cli, brought_folder, kind):
    asked = ["sales.csv", "--date", "sold_on", "--value", "revenue", "--by", "harbor"]
    rows = [row for row in SYNONYMS if row.kind == kind]
    # of the words for grains, which every option of a grain has, one for each option is asked
    of_grains = [row for row in rows if row.of and row.change.get(row.of[0]) in values(Grain)]
    asked_once = {row.of: row.words for row in of_grains}
    for row in (row for row in rows if row not in of_grains or asked_once[row.of] == row.words):
        word = row.words.split()[0]
        alone = [*asked, "--last", "6"] if row.kind in ("option", "figure") else asked
        if row.kind == "command" and row.change["command"] == "review" or "by" in row.change:
            alone = ["sales.csv", "--date", "sold_on"]
        typed = _asked_with(row, word, alone)
        if row.of and row.of[0] in ("plan_records_of", "periods_in_columns"):  # of options that need more beside
            with pytest.raises(lc.QuestionError, match="is here: "):
                refuse_brought(row.of[0], word)
            continue
        ran = cli(*typed, cwd=brought_folder)
        assert ran.returncode == 2 and not ran.stdout and "Did you mean" not in ran.stderr, typed
        assert row.ours in ran.stderr, (typed, ran.stderr)
        offered = [shlex.split(line)[1:] for line in ran.stderr.splitlines() if line.startswith("logochron ")]
        assert offered, (typed, ran.stderr)
        again = cli(*offered[0], cwd=brought_folder)
        assert again.returncode == 0, (typed, offered[0], again.stderr)


def test_words_are_known_however_they_are_written(demo_book):
    for row in SYNONYMS:
        for word in row.words.split():
            for written in (word.upper(), word.replace("-", " "), word.replace("-", "_"), f"{word}s"):
                assert synonym(written, row.kind, row.of[0] if row.of else "") is not None, (row, written)
    for name in ("forecast", "waterfall", "Summary"):
        with pytest.raises(AttributeError, match="here it is"):
            getattr(lc, name)
        with pytest.raises(AttributeError, match="here it is"):
            getattr(demo_book, name)
    for name in ("waterfall", "heatmap", "bar", "sparkline"):
        with pytest.raises(AttributeError, match="here it is logochron.draw"):
            getattr(lc.draw, name)
    for name, ours in (("group_by", "by"), ("freq", "each"), ("limit", "top")):
        with pytest.raises(TypeError, match=f"here it is '{ours}'"):
            lc.compare(demo_book, **{name: "month"})
    assert "nothing" not in dir(lc) and not hasattr(lc, "nothing") and not hasattr(demo_book, "nothing")


def test_questions_are_methods_of_books(demo_book):
    asked = {one.name for one in question_types() if one.of_book}
    assert (
        asked == {"compare", "overview", "relate", "drivers", "pace", "land", "season", "review"} <= set(dir(demo_book))
    )
    months = demo_book.compare("month", by="harbor", measures="revenue", sort="-value")
    assert months.table.equals(lc.compare(demo_book, "month", by="harbor", measures="revenue", sort="-value").table)
    assert demo_book.compare.__doc__ == lc.compare.__doc__
    shown = str(months)
    assert shown.splitlines()[1].startswith("Period") and "2025-10" in shown and "2025-09" not in shown
    assert "\x1b" not in shown and "53 earlier months" in shown and repr(months).count("\n") == 0


def test_headings_name_columns(cli, demo_book, tmp_path):
    sales, plan = lc.demo.write(tmp_path)
    ask = (sales, "--value", "revenue", "--by", "harbor", "--last", 1, "--as", "csv")
    for question, heading, column in (
        ("compare", "Growth", "growth"), ("compare", "Revenue", "value"), ("compare", "Harbor", "harbor"),
        ("relate", "Ratio change", "ratio_change"), ("relate", "GAP", "gap"),
    ):  # fmt: skip
        ran = cli(question, *ask, "--sort", f"-{heading}")
        table = pd.read_csv(pd.io.common.StringIO(ran.stdout))
        assert table[column].tolist() == sorted(table[column], reverse=True), heading
    ran = cli("compare", *ask, "--plan", plan, "--sort", "variance %", "--alert", "Variance % > 45%")
    assert ran.returncode == 1 and "Dunmarrow" in ran.stderr and "alert Variance % > 45% fires" in ran.stderr
    assert cli("relate", *ask, "--alert", "Ratio before > 30%").returncode == 1
    assert cli("compare", *ask, "--alert", "year ago < 1").returncode == 0
    refused = cli("compare", *ask, "--sort", "size")
    assert refused.returncode == 2 and "`sort` must be one of value" in refused.stderr
    table = lc.relate(demo_book, "month", by="harbor", measures="revenue", sort="-Ratio change", last=1).table
    assert table.ratio_change.is_monotonic_decreasing
    shown = cli("compare", sales, "--value", "revenue", "--plan", plan, "--last", 1).stdout
    assert "Variance  Variance %" in shown and "Growth" not in shown


def test_thumbs_judge(demo_book, cli, tmp_path):
    thumbs = marks_of(lc.Judging(marks="thumbs"), Formats())
    assert (thumbs.sign("rising", "adverse"), thumbs.sign("falling", "favorable")) == ("👎", "👍")
    own = lc.Judging(marks="ABCD", marks_of="verdict")
    assert marks_of(own, Formats()).sign("rising", "adverse") == "B"
    assert marks_of(lc.Judging(marks="ABCD"), Formats()).sign("rising", "adverse") == "A"
    for wrong in ({"marks": "triangles", "marks_of": "verdict"}, {"marks": "thumbs", "marks_of": "direction"}):
        with pytest.raises(lc.QuestionError, match="`marks_of` is for four signs of your own"):
            lc.Judging(**wrong)
    sales, _ = lc.demo.write(tmp_path)
    ask = (sales, "--value", "cost", "--lower-is-better", "cost", "--each", "year", "--at", "2025")
    assert "👎 +" in cli("compare", *ask, "--marks", "thumbs").stdout  # costs that rose
    assert "bad  +" in cli("compare", *ask, "--marks", "good,bad,same,?", "--marks-of", "verdict").stdout
    related = cli("relate", *ask, "--by", "harbor", "--marks", "thumbs", "--sort", "-ratio_change")
    first = related.stdout.splitlines()[3]
    assert "👎" in first and "+" in first  # its part of the costs grew


@pytest.mark.parametrize(
    ("measure", "wanted"),
    [(lc.Measure("units"), ""), (lc.Measure("sold", column="Units sold"), ""), (lc.Measure("hours", unit="h"), "h"),
     (lc.Measure("revenue"), "EUR"), (lc.Measure("unit_price"), "EUR"), (lc.Measure("orderValue"), "EUR"),
     (lc.Measure("margin", of="revenue", less="cost"), "EUR"),
     (lc.Measure("net", of="units", less="returned_units"), ""),
     (lc.Measure("n", count=True), ""), (lc.Measure("price", of="revenue", per="units"), "")],
)  # fmt: skip
def test_a_quantity_has_no_currency(measure, wanted):
    assert unit(measure, Formats(currency="EUR")) == wanted
