"""What a command says, and progress: answers to standard output, all else to standard error, nothing to be obeyed."""

from __future__ import annotations

import gettext
import json
import os
import sys
import unicodedata
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING

import click

from logochron.core.errors import OutputError, QuestionError, visible
from logochron.core.said import Said
from logochron.views.catalog import DOMAIN, FOLDER
from logochron.views.reading_progress import progress_bar

if TYPE_CHECKING:
    from logochron.views.formats import Formats


class Answered(Exception):
    """A command that is only tried has its answer."""


class _Trial:
    """Whether a command is only tried: nothing is said, shown or written then."""

    on = False


@contextmanager
def hush_while_tried() -> Iterator[None]:
    """Whatever is carried out meanwhile is only tried."""
    _Trial.on = True
    try:
        yield
    finally:
        _Trial.on = False


def check_trial() -> None:
    """Ends a command that is only tried, as it has its answer.

    Raises
    ------
    Answered
        Where it is.
    """
    if _Trial.on:
        raise Answered


class _Voice:
    """In whose language messages are; English until a locale is named."""

    formats: Formats | None = None


def speak(formats: Formats) -> None:
    """Messages are in the language of these from now on, those of the parser too."""
    if formats.language == "en":
        _Voice.formats = None
        gettext.textdomain("messages")  # as a process begins
        return
    _Voice.formats = formats
    os.environ["LANGUAGE"] = formats.language
    gettext.bindtextdomain(DOMAIN, str(FOLDER))
    gettext.textdomain(DOMAIN)


def speak_as_asked(words: Sequence[str]) -> None:
    """Messages are in the language of the locale that a command names, before anything else of it is read."""
    named = [after for word, after in zip(words, [*words[1:], ""]) if word == "--locale"]
    named += [word.partition("=")[2] for word in words if word.startswith("--locale=")]
    if named or _Voice.formats:
        from logochron.views.formats import Formats

        with suppress(QuestionError):  # it is refused where options are read
            speak(Formats(locale=named[0]) if named else Formats())


def voiced(text: str) -> str:
    """A message in the reader's language."""
    if _Voice.formats is None:
        return text
    from logochron.views.words.told import told

    return told(text, _Voice.formats)


#: A line longer than this is cut: a name of a megabyte helps nobody.
_LONGEST = 2_000


def say(text: str, *, named: bool = True) -> None:
    """A message on standard error; `named`: with our name before it."""
    if _Trial.on:
        return
    lines = visible(voiced(text), lines=True).split("\n")
    lines = [line if len(line) <= _LONGEST else line[:_LONGEST] + "..." for line in lines]
    try:
        click.echo("logochron: " * named + "\n".join(lines), err=True)
    except BrokenPipeError:
        raise
    except OSError:  # nobody can be told
        pass


def put(text: str, *, form: str = "") -> None:
    """The answer to standard output, whole: see `put_all`."""
    put_all([text], form=form)


def put_all(texts: Iterable[str], *, form: str = "") -> None:
    """The parts of an answer to standard output; letters that it cannot bear are replaced, which is said once.

    Parameters
    ----------
    form
        What machines read: csv, json or jsonl, in which JSON loses no letter. Shown on a terminal, control characters
        are escaped.

    Raises
    ------
    OutputError
        Where standard output is closed or full.
    """
    stream = sys.stdout
    if stream is None:
        raise OutputError("standard output is closed: write to a file by --out FILE")
    encoding, replaced = stream.encoding or "ascii", False
    for text in texts:
        if form and stream.isatty():
            text = visible(text, lines=True)
        shown = _encodable(text, encoding, as_json=form.startswith("json"))
        if shown != text and not form.startswith("json") and not replaced:
            replaced = True
            say(
                Said(
                    "standard output is in {0}, which lacks some letters: these are replaced (--out FILE keeps them)",
                    encoding,
                )
            )
        try:
            stream.write(shown)
            stream.flush()
        except BrokenPipeError:
            raise
        except OSError as error:
            raise OutputError("standard output cannot be written: {0}", error.strerror or error) from None


def _encodable(text: str, encoding: str, *, as_json: bool) -> str:
    try:
        text.encode(encoding)
    except (UnicodeEncodeError, LookupError):
        known = {one: _instead(one, encoding, as_json=as_json) for one in set(text)}
        return "".join(map(known.__getitem__, text))
    return text


def _instead(one: str, encoding: str, *, as_json: bool) -> str:
    """A letter, or what stands for it where it cannot be encoded, as wide on the screen."""
    if _bears(encoding, one):
        return one
    if as_json:
        return json.dumps(one)[1:-1]
    plain = unicodedata.normalize("NFKD", one)[:1]
    if _bears(encoding, plain):
        return plain
    return "?" * (2 if unicodedata.east_asian_width(one) in "WF" else unicodedata.combining(one) == 0)


def _bears(encoding: str, signs: str) -> bool:
    try:
        signs.encode(encoding)
    except (UnicodeEncodeError, LookupError):
        return False
    return True


def can_show(signs: str) -> bool:
    """Whether standard output can bear some signs."""
    return _bears(getattr(sys.stdout, "encoding", None) or "ascii", signs)


def said_all() -> None:
    """Nothing is left to be written."""
    if sys.stdout is not None:
        sys.stdout.flush()


def hush() -> None:
    """What cannot be written any more is not tried again as the process ends."""
    for stream, number in ((sys.stdout, 1), (sys.stderr, 2)):
        if stream is None:
            continue
        try:
            stream.flush()
        except OSError:
            nowhere = os.open(os.devnull, os.O_WRONLY)
            os.dup2(nowhere, number)
            os.close(nowhere)


@contextmanager
def reading_progress() -> Iterator[Callable[[float], None] | None]:
    """A function to be told the part done, or None where nobody looks."""
    if _Trial.on or not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console

    with progress_bar(lambda: Console(stderr=True)) as bar:
        yield bar
