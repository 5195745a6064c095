"""Commands and options that people bring along from elsewhere, answered with ours and a whole command."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import click

from logochron.core.book.filters import Not
from logochron.core.choices import Grain, values
from logochron.core.errors import WORDS, OwnWord, QuestionError, nearest
from logochron.core.said import Said
from logochron.core.synonyms import COMMAND, Synonym, synonym


def refuse_option(error: click.NoSuchOption, words: Sequence[str]) -> None:
    """Refuses an option that is called otherwise here; other ones are left to whoever refuses them next.

    Raises
    ------
    QuestionError
        With ours, and the command that was typed in our words.
    """
    ours = synonym(error.option_name, "option")
    if ours is None or error.ctx is None:
        return
    told = Said("here it is {0}", ours.ours) if ours.change else ours.ours
    raise QuestionError(
        "no option {0}: {1}",
        error.option_name,
        told,
        remedies=[OwnWord({WORDS: _in_our_words(words, error.ctx.command)})],
    )


def refuse_command(name: str, words: Sequence[str], commands: click.Group) -> None:
    """Refuses a command that is called otherwise here, or is misspelt.

    Raises
    ------
    QuestionError
        With ours, and the command that was typed in our words; or with the nearest one.
    """
    from logochron.cli.offers import commands_of, said_too

    known, ours = commands_of(commands), synonym(name, "command")
    if ours is not None:
        asked = said_too([name, *words], {COMMAND: ours.change[COMMAND]})
        said = said_too(_in_our_words(asked, known[asked[0]]), ours.change)
        raise QuestionError("no command {0!r}: here it is {1}", name, ours.ours, remedies=[OwnWord({WORDS: said})])
    if hint := nearest(name, known):
        said = _in_our_words([hint, *words], known[hint])
        remedies = [OwnWord({WORDS: said})] if words else []
        raise QuestionError("no command {0!r}. Did you mean {1!r}?", name, hint, remedies=remedies)


def _in_our_words(words: Sequence[str], command: click.Command) -> list[str]:
    """A command with all that has other names here said in our words."""
    from logochron.cli.offers import flags_of, said_too

    known = flags_of(command.params)
    kept, changes, place = list(words[:1]), [], 1
    while place < len(words):
        word = words[place]
        flag, equals, given = word.partition("=")
        ours = synonym(flag, "option") if flag.startswith("-") and flag not in known else None
        place += 1
        if ours is None:
            kept.append(word)
            continue
        follows = place < len(words) and not words[place].startswith("--")
        if not equals and ours.takes and follows:
            given = words[place]
            place += 1
        changes.append((ours, given or None))
    for change in _joined(changes):
        kept = said_too(kept, change)
    return kept


def _joined(changes: Sequence[tuple[Synonym, str | None]]) -> list[dict[str, Any]]:
    """The changes of several options; a first and a last day make one range."""
    ends = [(row, given) for row, given in changes if row.says == _RANGE]
    joined = [_change(row, given) for row, given in changes if row.says != _RANGE]
    if ends:
        first, last = ends[0][1] or "FIRST", ends[-1][1] or "LAST"
        joined.append({"at": first if first == last else f"{first}..{last}"})
    return joined


#: How the options of a first and of a last day are told.
_RANGE = "--at FIRST..LAST"


def _change(row: Synonym, given: str | None) -> dict[str, Any]:
    """What one option changes."""
    change = row.changed(given)
    if (condition := change.pop("where_not", None)) is not None:  # COL=VALUE, negated
        column, equals, label = condition.partition("=")
        return {"where": {column: Not(label)}} if equals else {}
    if "where" in change:
        column, equals, label = change["where"].partition("=")
        return {"where": {column: [label]}} if equals else {}
    if change.get("across") and "each" in change and change["each"] not in values(Grain):
        grain = synonym(change["each"], "value", "each")
        return {**change, **grain.change} if grain else {"by": change["each"]}
    return change
