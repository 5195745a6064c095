"""The report file from the command line: run it, draft it; and the demo, which is one."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from logochron import demo
from logochron.cli.options import names
from logochron.cli.showing import check_apart, show
from logochron.cli.speaking import put, say, speak, voiced
from logochron.core.choices import check
from logochron.core.errors import OutputError, QuestionError, no_file_name, shown_path, visible
from logochron.core.said import Said
from logochron.report import build
from logochron.report.folder import PAGE, SLIDES, SUMMARY, WORKBOOK, is_of_report
from logochron.report.report import Answers, Report
from logochron.report.settings import FileKind
from logochron.report.write import Written
from logochron.sources.files.find_files import is_same
from logochron.views.formats import Formats

#: Exit codes: an alert fired; a section was refused.
_ALERTED, _REFUSED = 1, 2


def run_report(file: str, out: str | None, until: str | None, only: Sequence[str], log_file: str | None) -> int:
    """Run a report file and write what it gives; the exit code."""
    kinds = names(tuple(only)) or None
    for kind in kinds or ():
        check("--only", kind, FileKind)
    path = Path(file)
    folder = Path(out) if out is not None else path.parent / path.stem
    report = Report.load(path)
    speak(build.formats(report.settings.page))
    if log_file is not None:
        _check_log(Path(log_file), report, folder)
    with _logged(log_file):
        answers, written = run_and_write(report, folder, until, kinds)
    return _exit_code(answers, written)


def run_and_write(
    report: Report, folder: Path, until: str | None, only: Sequence[str] | None = None
) -> tuple[Answers, Written]:
    """Run a report and write what it gives into a folder, with progress."""
    with _progress() as bar:
        answers = report.run(until=until, progress=lambda what, part: bar(what, part * 0.1))
        written = answers.write(
            folder, only=only, progress=lambda what, part: bar(what, 0.1 + part * 0.9), workers=_workers()
        )
        return answers, written


def _workers() -> int:
    """As many processes as there are processors for this one."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def _exit_code(answers: Answers, written: Written) -> int:
    """Say what fired, changed and was refused, and where the page is."""
    for line in (*answers.alerts, *written.lines):
        say(line, named=not line.startswith(" "))
    for heading, why in answers.refused:
        say(Said("section {0!r} is refused: {1}", heading, why))
    many = len(written.files)
    folder = written.folder
    told = {
        PAGE: Said("{0}  the page", folder / PAGE),
        WORKBOOK: Said("{0}  the workbook", folder / WORKBOOK),
        SUMMARY: Said("{0}  one sheet of paper", folder / SUMMARY),
        SLIDES: Said("{0}  the slides", folder / SLIDES),
    }
    lines = [said for name, said in told.items() if name in written.files]
    if many > 1:
        lines.append(Said("{0}  {1} files in all", folder, many))
    else:
        lines = [Said("wrote {0}", folder / written.files[0])]
    put(visible("\n".join(map(voiced, lines)), lines=True) + "\n")
    return _REFUSED if answers.refused else _ALERTED if answers.fired else 0


@contextmanager
def _progress() -> Iterator[Callable[[str, float], None]]:
    """Tells what is done: a bar on a terminal that is looked at."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield lambda what, part: None
        return
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

    columns = (TextColumn("{task.description}"), BarColumn(), TimeElapsedColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("reading", total=1.0)
        yield lambda what, part: bar.update(task, completed=part, description=visible(what) or "writing")


def _check_log(log: Path, report: Report, folder: Path) -> None:
    """Refuse to add lines to what is read, or to a file of the report's own."""
    check_apart("--log-file", log, log, [str(report.path), *report.files])
    if is_of_report(log.name) and is_same(log.parent, folder):
        raise QuestionError("--log-file {0} is a file of the report: name another one", visible(str(log)))


@contextmanager
def _logged(path: str | None) -> Iterator[None]:
    """The events of a run as lines of a file, with the time of each."""
    if path is None:
        yield
        return
    log = logging.getLogger("logochron")
    events = logging.getLogger("logochron.report")
    try:
        handler = _LogFile(path, encoding="utf-8")
    except OSError as error:
        raise unlogged(path, error) from None
    except ValueError:
        raise no_file_name(path) from None
    handler.setFormatter(_OneLine("%(asctime)s %(levelname)s %(message)s"))
    log.addHandler(handler)
    before = events.level
    events.setLevel(logging.INFO)
    try:
        yield
    except Exception as error:
        if not handler.full:
            events.error("%s", error)
        raise
    finally:
        events.setLevel(before)
        log.removeHandler(handler)
        with suppress(OSError):  # what could not be written has been told
            handler.close()


class _LogFile(logging.FileHandler):
    """A file of events; one that cannot be written ends the run."""

    full = False

    def handleError(self, record: logging.LogRecord) -> None:  # noqa: N802  the name that logging calls
        error = sys.exc_info()[1]
        if not isinstance(error, OSError):
            return super().handleError(record)
        self.full = True
        raise unlogged(self.baseFilename, error) from None


def unlogged(path: str, error: OSError) -> OutputError:
    """What is said where a line of the log could not be written."""
    return OutputError("--log-file {0} cannot be written: {1}", shown_path(path), error.strerror or error)


class _OneLine(logging.Formatter):
    """An event as one line, nothing in it that a terminal would obey."""

    def format(self, record: logging.LogRecord) -> str:
        return visible(super().format(record))


def draft_report(sales: tuple[str, ...], target: str, options: dict[str, Any]) -> None:
    """Write a first report file for some sales."""
    from logochron.report.draft import write_draft

    path = write_draft(list(sales), Path(target), options)
    say(Said("wrote {0}: run it by logochron report {0}", path))


def demonstrate(folder: str, *, plain: bool) -> None:
    """Write the records and the report file, run it, print its first table, say where the rest is."""
    report = demo.write_report(folder)
    answers, written = run_and_write(Report.load(report), report.parent / "report", None)
    first = next(iter(answers.values()))
    show(first, "table", Formats(plain=plain))
    sales, plan = (Path(folder) / name for name in (demo.SALES, demo.PLAN))
    lines = [
        "",
        f"{sales}  the records",
        f"{plan}  a plan by month and harbor",
        f"{report}  a report file: what the week asks",
        f"{written.folder / PAGE}  its page: open it, and choose a period and a harbor",
        f"{written.folder / SUMMARY}  one sheet of paper",
        f"{written.folder / WORKBOOK}  its workbook: change a figure, and the others follow",
        "",
        "Ask yourself:",
        f"  logochron compare {sales} --date sold_on --value revenue --by harbor --each quarter --last 5",
        f"  logochron land --settings {report} --within year",
        f"  logochron drivers {sales} --value revenue --by harbor,line --at 2026-09 --quantity units",
    ]
    put(visible("\n".join(lines), lines=True) + "\n")
