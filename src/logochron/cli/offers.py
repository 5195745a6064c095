"""What settles a refusal as whole commands to copy, each tried before it is offered."""

from __future__ import annotations

import csv
import io
import re
import shlex
import time
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import click

from logochron.cli.speaking import Answered, hush_while_tried
from logochron.core.book.filters import split
from logochron.core.errors import INSTEAD, WORDS, LogochronError, OwnWord, Remedy
from logochron.core.synonyms import COMMAND
from logochron.options import COMMAND_OPTIONS, READING_OPTIONS, Option

#: So many commands are offered.
_MOST = 2
#: So many options a command gets beside those that were typed, and so many commands are tried.
_DEEPEST, _TRIALS = 5, 16
#: What took longer than this is not tried again and again, in seconds.
_PATIENCE = 8.0
_MOST_BYTES = 200_000_000
#: Commands that write more than an answer, or nothing that options of a reading settle.
_UNTRIED = ("report", "demo", "calendar", "completion")


def offers(command: click.Group, words: Sequence[str], refusal: LogochronError, took: float) -> list[str]:
    """Whole commands that settle a refusal, the likelier first.

    Each was tried and answers, where what was read is no stream and is read soon; else the options are added as the
    refusal has them.

    Parameters
    ----------
    words
        What was typed after the program's name.
    took
        How long it took to be refused, in seconds.
    """
    if not refusal.remedies or not words or words[0] in _UNTRIED:
        return []
    if any(map(_holds_secret, words)):
        return []
    asked = [
        _fitting(command, said) if {COMMAND, WORDS} & remedy.keys() else said
        for remedy in refusal.remedies
        for said in [said_too(words, remedy)]
    ]
    if took > _PATIENCE or "--draft" in words or _reads_long(words):
        return [written(one) for one in asked[:_MOST]]
    trials = _Trials(command)
    answering = [found for one in asked if (found := trials.answering(one)) is not None]
    # what is called otherwise here is said in our words, whatever else it lacks
    told = zip(asked, refusal.remedies, strict=True)
    own = [said for said, remedy in told if isinstance(remedy, OwnWord) and said != list(words)]
    return [written(one) for one in dict.fromkeys(map(tuple, answering or own))][:_MOST]


def _holds_secret(word: str) -> bool:
    """Whether a word is an address with a password or a key, which no message repeats."""
    return bool(re.search(r"://[^/@]*:[^/@]*@|://.*\?", word))


def _reads_long(words: Iterable[str]) -> bool:
    """Whether what a command reads is a stream, lies elsewhere, or is too large to be read again and again."""
    words = list(words)
    if "-" in words or any("://" in word for word in words):
        return True
    return sum(path.stat().st_size for path in map(Path, words) if _is_file(path)) > _MOST_BYTES


def _is_file(path: Path) -> bool:
    """Whether a word names a file; one that no path can be names none."""
    try:
        return path.is_file()
    except (OSError, ValueError):
        return False


def written(words: Iterable[str]) -> str:
    """A command as it is typed."""
    return shlex.join(["logochron", *words])


class _Trials:
    """Commands carried out without a word, until some number or time is used up."""

    def __init__(self, command: click.Group) -> None:
        self.command, self.left, self.until = command, _TRIALS, time.monotonic() + _PATIENCE

    def answering(self, words: Sequence[str], depth: int = 1) -> list[str] | None:
        """The command with what else it needs to answer; None where nothing is known that settles it."""
        if not self.left or time.monotonic() > self.until:
            return None
        self.left -= 1
        refusal = self.refusal(words)
        if refusal is None:
            return list(words)
        for remedy in refusal.remedies if depth < _DEEPEST else ():
            if (found := self.answering(said_too(words, remedy), depth + 1)) is not None:
                return found
        return None

    def refusal(self, words: Sequence[str]) -> LogochronError | None:
        """What a command is refused for; None where it answers."""
        with hush_while_tried():
            try:
                with self.command.make_context("logochron", list(words)) as context:
                    self.command.invoke(context)
            except (Answered, click.exceptions.Exit):
                return None
            except LogochronError as error:
                return error
            except (click.ClickException, OSError, MemoryError):
                return LogochronError("not to be carried out")
        return None


def said_too(words: Sequence[str], remedy: Remedy) -> list[str]:
    """A command with what a remedy says: in place of what it says of that, beside it where an option may come again."""
    said = list(words)
    for name, value in remedy.items():
        if name == WORDS:
            said = list(value)
            continue
        if name == COMMAND:
            said[:1] = [value]
            continue
        if name == INSTEAD:
            said = [_replaced(word, *value) for word in said]
            continue
        option = _option(name)
        for flag in option.flags.split("/"):
            if not option.many or name == "values":
                said = _without(said, flag, alone="/" in option.flags)
        if name == "where":
            said = _without_conditions(said, option.flags, value)
        # what parts the rows parts them first: nothing unlike is added up then
        if value is None:
            continue
        first = (
            next((i for i, word in enumerate(said) if word == option.flags), len(said)) if name == "by" else len(said)
        )
        said[first:first] = _flag(option, value)
    return said


def _fitting(command: click.Group, words: Sequence[str]) -> list[str]:
    """A command without the options that it does not have, which another one that was typed may have had."""
    known = commands_of(command)
    if not words or words[0] not in known:
        return list(words)
    flags = flags_of(known[words[0]].params)
    alone = flags_of(
        param
        for one in known.values()
        for param in one.params
        if isinstance(param, click.Option) and (param.is_flag or param.secondary_opts)
    )
    kept = list(words)
    for flag in dict.fromkeys(word.partition("=")[0] for word in words[1:] if word.startswith("--")):
        if flag not in flags:
            kept = _without(kept, flag, alone=flag in alone)
    return kept


def commands_of(group: click.Group) -> dict[str, click.Command]:
    """All commands by their names."""
    context = click.Context(group)
    found = ((name, group.get_command(context, name)) for name in group.list_commands(context))
    return {name: one for name, one in found if one is not None}


def flags_of(params: Iterable[click.Parameter]) -> set[str]:
    """How some options are typed."""
    return {flag for param in params for flag in (*param.opts, *param.secondary_opts)}


def _replaced(word: str, old: str, new: str) -> str:
    """A word with another name in the place of one: alone, by comma, before or behind an equals sign."""
    signs = re.split(r"(,|!?=)", word)
    return "".join(new if sign == old else sign for sign in signs)


def _option(name: str) -> Option:
    """The row of an option; one that is a parameter of questions is called by its name."""
    return READING_OPTIONS.get(name) or COMMAND_OPTIONS.get(name) or Option(name=name)


def _flag(option: Option, value: Any) -> list[str]:
    """An option as it is typed."""
    if value is True and "/" not in option.flags:
        return [option.flags]
    if "/" in option.flags:
        return [option.flags.split("/")[not value]]
    if option.name == "where":
        taken_and_not = ((column, *split(wanted)) for column, wanted in value.items())
        return [
            word
            for column, taken, left_out in taken_and_not
            for text in (*(f"{column}={one}" for one in taken), *(f"{column}!={one}" for one in left_out))
            for word in (option.flags, text)
        ]
    if isinstance(value, Mapping):
        return [word for column, one in value.items() for word in (option.flags, f"{column}={one}")]
    if isinstance(value, (list, tuple)):
        return [option.flags, _cells(value)]
    return [option.flags, _cells([value]) if option.name in ("date", "values", "by") else str(value)]


def _cells(names: Sequence[Any]) -> str:
    """Names by comma; one that holds a comma itself in double quotes."""
    target = io.StringIO()
    csv.writer(target, lineterminator="").writerow(names)
    return target.getvalue()


def _without(words: Sequence[str], flag: str, *, alone: bool) -> list[str]:
    """A command without an option and its value; `alone`: it has none."""
    kept, skip = [], False
    for word in words:
        if skip:
            skip = False
        elif word == flag:
            skip = not alone
        elif not word.startswith(f"{flag}="):
            kept.append(word)
    return kept


def _without_conditions(words: Sequence[str], flag: str, wanted: Mapping[str, Any]) -> list[str]:
    """A command without the conditions that a new filter says again."""
    again = {word for column, of in wanted.items() for word in _flag(READING_OPTIONS["where"], {column: of})} - {flag}
    kept: list[str] = []
    for word in words:
        if word in again and kept and kept[-1] == flag:
            kept.pop()
        else:
            kept.append(word)
    return kept
