"""The command line run in this process, or in one forked from it: the same function that the console script calls."""

from __future__ import annotations

import contextlib
import io
import logging
import os
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

_SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


def run_here(
    *words: object, env: dict[str, str] | None = None, cwd: Path | None = None
) -> subprocess.CompletedProcess[str]:
    """What a command puts out and says, without a terminal, and its exit code; nothing of it stays behind."""
    from logochron.cli.main import run

    out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8") for _ in range(2))
    log = logging.getLogger("logochron")
    kept = log.propagate, log.handlers, {number: signal.getsignal(number) for number in _SIGNALS}
    environment, folder, argv = dict(os.environ), Path.cwd(), sys.argv
    code = 0
    try:
        os.environ.update(env or {})
        os.chdir(cwd or folder)
        sys.argv = ["logochron", *map(str, words)]
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            run()
    except SystemExit as left:
        code = int(left.code or 0)
    finally:
        os.environ.clear()
        os.environ.update(environment)
        os.chdir(folder)
        sys.argv = argv
        log.propagate, log.handlers = kept[:2]
        for number, handler in kept[2].items():
            signal.signal(number, handler)
    texts = [stream.buffer.getvalue().decode().replace("\r\n", "\n") for stream in (out, err)]  # type: ignore[attr-defined]
    return subprocess.CompletedProcess(words, code, *texts)


def run_on(terminal: Any, words: list[str], environment: dict[str, str]) -> None:
    """The command line as the console script runs it, its standard output a terminal."""
    os.environ.clear()
    os.environ.update(environment)
    os.dup2(terminal.detach(), 1)
    os.dup2(os.open(os.devnull, os.O_RDWR), 0)
    os.dup2(0, 2)
    sys.stdout, sys.stderr = os.fdopen(1, "w", encoding="utf-8"), os.fdopen(2, "w")
    sys.argv = ["logochron", *words]
    from logochron.cli.main import run

    run()
