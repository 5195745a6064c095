"""How a command ends: what it was stopped by, what went wrong, and its exit code."""

from __future__ import annotations

import os
import signal
import sys
import time
import traceback
from io import StringIO
from types import FrameType
from typing import TYPE_CHECKING, NoReturn

import click

from logochron.cli.speaking import hush, said_all, say
from logochron.core.said import Joined, Said

if TYPE_CHECKING:
    from logochron.core.errors import LogochronError

#: An alert fired; an option, a path or a name is wrong; what a file holds, or where the answer goes, is.
ALERTED, ASKED_WRONG, NOT_READ = 1, 2, 3
#: A fault of ours, a reader that closed the pipe, and what is added to the number of a signal.
_FAULT, _PIPE_CLOSED, _BY_SIGNAL = 70, 141, 128
_SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
#: Set to see where a fault lies.
_TRACE = "LOGOCHRON_TRACE"


class _Stop:
    """The signal that asked the command to stop, once one has."""

    number: int | None = None

    def __call__(self, number: int, frame: FrameType | None) -> NoReturn:
        self.number = number
        for one in _SIGNALS:  # what is copied is tidied away first
            signal.signal(one, signal.SIG_IGN)
        raise KeyboardInterrupt


def run_and_leave(command: click.Group) -> NoReturn:
    """Carry out what the command line asks, and end the process with its exit code."""
    stop = _Stop()
    for one in _SIGNALS:
        if signal.getsignal(one) != signal.SIG_IGN:  # as under nohup
            signal.signal(one, stop)
    try:
        code = _carried_out(command, stop)
        said_all()
    except BrokenPipeError:
        code = _PIPE_CLOSED
    except OSError as error:
        code = NOT_READ
        say(Said("standard output cannot be written: {0}", error.strerror or error))
    hush()
    sys.exit(code)


def _carried_out(command: click.Group, stop: _Stop) -> int:
    from logochron.core.errors import IntakeError, LogochronError, OutputError

    began = time.monotonic()
    try:
        # not by `main`, which ends with 1 for reasons of its own
        with command.make_context("logochron", sys.argv[1:]) as context:
            command.invoke(context)
        return 0
    except click.exceptions.Exit as left:
        return left.exit_code
    except BrokenPipeError:
        raise
    except click.ClickException as error:
        shown = StringIO()
        error.show(shown)
        say(shown.getvalue().rstrip("\n"), named=False)
        return ASKED_WRONG
    except LogochronError as error:
        say(_with_offers(command, error, time.monotonic() - began))
        return NOT_READ if isinstance(error, (IntakeError, OutputError)) else ASKED_WRONG
    except (KeyboardInterrupt, click.Abort):
        say(Said("stopped"))
        return _BY_SIGNAL + (stop.number or signal.SIGINT)
    except MemoryError:
        say(Said("there is not enough memory for this: ask for fewer items or periods, or read less of the records"))
    except OSError as error:
        say(Said("{0}: {1}", error.filename or Said("the system"), error.strerror or error))
    except Exception as error:
        if os.environ.get(_TRACE):
            traceback.print_exc()
        kind = type(error).__name__
        say(Said("a fault of Logochron's own: {0}: {1} ({2}=1 shows where); please report it", kind, error, _TRACE))
        return _FAULT
    return NOT_READ


def _with_offers(command: click.Group, error: LogochronError, took: float) -> str:
    """What a refusal says, and the whole commands that settle it, a line each."""
    if not error.remedies:
        return error.said
    from logochron.cli.offers import offers

    return Joined([error.said, *offers(command, sys.argv[1:], error, took)], "\n")
