"""A report: the questions of a week in one file, asked together and handed on together."""

from __future__ import annotations

import logging
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from inspect import signature
from pathlib import Path
from typing import TYPE_CHECKING, Any

from logochron.core.align.bases import names_plan
from logochron.core.book.daybook import Daybook
from logochron.core.calendars.base import Calendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import check, values
from logochron.core.days import DayLike
from logochron.core.errors import IntakeError, LogochronError, OutputError, first_line
from logochron.core.judge.judging import Judging
from logochron.core.rows.plans import AnyPlan
from logochron.core.rows.question_types import loaded, question_type
from logochron.core.rows.result import Result
from logochron.report import build, expressions
from logochron.report.load import settings_of
from logochron.report.settings import DRAWN_WITH, FileKind, SectionTable, Settings, section_options
from logochron.views.formats import Formats
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.answer_tables import check_room
from logochron.views.whole_file import whole_file
from logochron.views.write_file import HANDOUTS, handout_bytes

if TYPE_CHECKING:
    from logochron.report.write import ToldDone, Written

#: One line an event: what was read, asked, refused, written.
_LOG = logging.getLogger("logochron.report")


@dataclass(frozen=True, kw_only=True, eq=False)
class Answers(Mapping[str, Result]):
    """The answers of a report by the headings of its sections; what was refused is not among them.

    Attributes
    ----------
    sections
        All sections in their order, refused ones with the reason.
    plan
        The plan, None where there is none.
    template
        The slides whose masters ours are laid on, None where there are none.
    alerts, fired
        What the alerts have to say, in lines; whether any fired.
    """

    title: str
    settings: Settings
    sections: tuple[Section, ...]
    formats: Formats = field(repr=False)
    palette: Palette = field(repr=False)
    plan: AnyPlan | None = field(default=None, repr=False)
    template: Path | None = None
    alerts: tuple[str, ...] = ()
    fired: bool = False

    @property
    def refused(self) -> tuple[tuple[str, str], ...]:
        """Headings of sections whose questions were refused, and why."""
        return tuple((one.heading, one.refused) for one in self.sections if one.answer is None)

    def __getitem__(self, heading: str) -> Result:
        for section in self.sections:
            if section.heading == heading and section.answer is not None:
                return section.answer
        raise KeyError(heading)

    def __iter__(self) -> Iterator[str]:
        return (section.heading for section in self.sections if section.answer is not None)

    def __len__(self) -> int:
        return sum(section.answer is not None for section in self.sections)

    def write(
        self,
        folder: str | Path,
        *,
        only: Sequence[str] | None = None,
        progress: ToldDone | None = None,
        workers: int = 1,
    ) -> Written:
        """Write the files of the report into a folder: all of it, or nothing.

        Parameters
        ----------
        folder
            The folder; a file that ends in .pdf (one sheet of paper) or .pptx (slides) is written alone.
        only
            Some of ``"page"``, ``"workbook"``, ``"summary"``, ``"slides"``, ``"pictures"``, ``"tables"``, instead of
            those that the report file names; what else a run before wrote stays as it is.
        progress
            Told what is done and the part of all that is done.
        workers
            How many processes make the views of the page; more than one only in a program whose main module can be
            loaded again (``if __name__ == "__main__"``).

        Returns
        -------
        Written
            The folder, its files, and the figures that changed since the last run into it (`.restated`, by heading).

        Raises
        ------
        QuestionError
            Where no folder can stand there.
        OutputError
            Where it cannot be written to the end: what was there before stays as it was.
        """
        from logochron.report.write import Written, write_report  # what draws is not loaded to refuse a report file

        page, settings = self.settings.page, self.settings.report
        if (path := Path(folder)).suffix.lower() in HANDOUTS:
            made = handout_bytes(
                self.sections, path.suffix.lower(), title=self.title, formats=self.formats, palette=self.palette,
                notes=[line.strip() for line in self.alerts], paper=settings.paper, template=self.template,
            )  # fmt: skip
            with whole_file(path) as target:
                target.write_bytes(made)
            return Written(path.parent, (path.name,), {}, ())
        for kind in only or ():
            check("only", kind, FileKind)
        return write_report(
            self.sections,
            Path(folder),
            title=self.title,
            formats=self.formats,
            palette=self.palette,
            offers=build.offers(page, self.plan),
            printed=page.print,
            files=[kind for kind in values(FileKind) if kind in (only or settings.files)],
            in_part=only is not None,
            paper=settings.paper,
            template=self.template,
            restating=page.restated,
            alerts=self.alerts,
            progress=progress,
            workers=workers,
        )


@dataclass(frozen=True)
class Report:
    """A report file, checked.

    Examples
    --------
    >>> import logochron as lc
    >>> from tempfile import TemporaryDirectory
    >>> with TemporaryDirectory() as folder:
    ...     report = lc.Report.load(lc.demo.write_report(folder))
    ...     list(report.run())[:2]
    ['Overview', 'How the months stand']
    """

    path: Path
    settings: Settings

    @classmethod
    @kinds_checked
    def load(cls, path: str | Path) -> Report:
        """Read and check a report file.

        Raises
        ------
        ReportError
            With all faults at once: file, line, key, and the nearest valid key.
        """
        path = Path(path)
        return cls(path, settings_of(path))

    @property
    def title(self) -> str:
        """The title it has, or the name of its file."""
        return self.settings.page.title or self.path.stem.replace("-", " ").replace("_", " ")

    @property
    def files(self) -> tuple[str, ...]:
        """What it reads besides itself: sales, plan, calendar, profiles; files and addresses as they are named."""
        return build.files(self.settings, self.path)

    def run(self, *, until: DayLike | None = None, progress: ToldDone | None = None) -> Answers:
        """Read the sales once, ask all questions of them.

        Parameters
        ----------
        until
            The report date, instead of the file's own.
        progress
            Told what is done and the part of all that is done.

        Returns
        -------
        Answers
            By heading. A question that is refused stands in `.refused`; the others are asked all the same.

        Raises
        ------
        ReportError, QuestionError, IntakeError
            Where the calendar, the sales or the plan cannot be read.
        """
        settings, tell = self.settings, progress or (lambda what, part: None)
        calendar = build.calendar(settings.calendar, self.path)
        judging, formats = build.judging(settings.judging), build.formats(settings.page)
        book = build.book(settings, self.path, calendar, until, lambda part: tell("reading", part * 0.5))
        _LOG.info("read %s rows, %s refused", f"{book.intake.counted:,}", f"{book.intake.refused:,}")
        plan = build.plan(settings, self.path, calendar, book)
        sections, lines, fired = [], list[str](), False
        for n, table in enumerate(settings.section):
            tell(table.heading, 0.5 + 0.5 * n / len(settings.section))
            section = self._section(table, book, plan, calendar, judging)
            sections.append(section)
            if section.answer is not None and table.alerts:
                said, any_fired = self._alerts(table, section, judging, formats)
                lines += said
                fired |= any_fired
        return Answers(
            title=self.title,
            settings=settings,
            sections=tuple(sections),
            formats=formats,
            palette=build.palette(settings.page),
            plan=plan,
            template=None if (named := settings.report.template) is None else self.path.parent / named,
            alerts=tuple(lines),
            fired=fired,
        )

    def _section(
        self, table: SectionTable, book: Daybook, plan: AnyPlan | None, calendar: Calendar, judging: Judging
    ) -> Section:
        """One section asked; refused where its question is."""
        shown: dict[str, Any] = {
            "figure": table.figure if isinstance(table.figure, str) else None,
            "drawn": table.figure is not False,
            "options": {n: v for n in DRAWN_WITH if (v := getattr(table, n)) is not None},
            "table": table.table,
            "words": table.words,
            "summary": table.summary,
        }
        try:
            answer = answer_of(table, book, plan, calendar, judging)
            check_room(answer, "a page")
        except (IntakeError, OutputError):
            raise
        except LogochronError as error:
            _LOG.info("section %r is refused: %s", table.heading, first_line(error))
            return Section(heading=table.heading, refused=error.said, **shown)
        _LOG.info("section %r: %s rows", table.heading, f"{answer.columns.rows:,}")
        return Section(heading=table.heading, answer=answer, **shown)

    def _alerts(
        self, table: SectionTable, section: Section, judging: Judging, formats: Formats
    ) -> tuple[Sequence[str], bool]:
        """What the alerts of a section have to say."""
        answer: Any = section.told
        headings = answer.type.headings_of(answer.by, [measure.name for measure in answer.measures])
        alerts = expressions.alerts_of(table.alerts, answer.kind, answer.by, judging, headings, "alerts")
        lines, fired = expressions.alert_lines_of(alerts, answer, formats)
        for line in lines:
            _LOG.info("%s: %s", table.heading, line.strip())
        return [f"{table.heading}: {line}" if not line.startswith(" ") else line for line in lines], fired


def answer_of(
    section: SectionTable, book: Daybook, plan: AnyPlan | None, calendar: Calendar, judging: Judging
) -> Result:
    """The answer to the question of a section."""
    of, options = question_type(section.question), section_options(section)
    ask = loaded(of.function)
    if getattr(section, "each", None) is not None:  # needed, though the file may leave it out
        options["each"] = section.each
    bases = build.listed(options.get("against") or ())
    beside = of.targeted or (not bases and of.has_column("basis"))  # a target, or one base more
    if any(map(names_plan, bases)) or (beside and plan is not None):
        options["plan"] = plan
    if build.is_file_name(options.get("profile", "")):
        options["profile"] = Path(options["profile"])
    if not of.section:  # one with keys of its own takes nothing else
        shared = {"calendar": calendar, "judging": judging}
        options |= {name: value for name, value in shared.items() if name in signature(ask).parameters}
    answer: Any = ask(book, **options)
    laid: Result = answer.across(section.across) if section.layout == "across" else answer
    return laid
