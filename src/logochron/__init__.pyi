from logochron import demo as demo
from logochron.core.align.bases import Fixed as Fixed
from logochron.core.align.bases import MeanOf as MeanOf
from logochron.core.align.bases import Plan as Plan
from logochron.core.align.bases import Prior as Prior
from logochron.core.align.bases import Span as Span
from logochron.core.align.bases import YearAgo as YearAgo
from logochron.core.align.bases import YearAgoMean as YearAgoMean
from logochron.core.book.daybook import Daybook as Daybook
from logochron.core.book.filters import Not as Not
from logochron.core.book.intake import Intake as Intake
from logochron.core.book.measures import Measure as Measure
from logochron.core.book.selling_days import SellingDays as SellingDays
from logochron.core.calendars.civil import CivilCalendar as CivilCalendar
from logochron.core.calendars.listed import ListedCalendar as ListedCalendar
from logochron.core.calendars.retail import RetailCalendar as RetailCalendar
from logochron.core.errors import CalendarError as CalendarError
from logochron.core.errors import IntakeError as IntakeError
from logochron.core.errors import LogochronError as LogochronError
from logochron.core.errors import OutputError as OutputError
from logochron.core.errors import QuestionError as QuestionError
from logochron.core.errors import ReportError as ReportError
from logochron.core.judge.judging import Band as Band
from logochron.core.judge.judging import Judging as Judging
from logochron.core.questions.compare import Comparison as Comparison
from logochron.core.questions.compare import compare as compare
from logochron.core.questions.drivers import Drivers as Drivers
from logochron.core.questions.drivers import drivers as drivers
from logochron.core.questions.explain import Receipt as Receipt
from logochron.core.questions.explain import explain as explain
from logochron.core.questions.landing.answer import Landing as Landing
from logochron.core.questions.landing.answer import land as land
from logochron.core.questions.overview import Overview as Overview
from logochron.core.questions.overview import overview as overview
from logochron.core.questions.pace import Pace as Pace
from logochron.core.questions.pace import pace as pace
from logochron.core.questions.relate import Relation as Relation
from logochron.core.questions.relate import relate as relate
from logochron.core.questions.restated import Restatement as Restatement
from logochron.core.questions.restated import restated as restated
from logochron.core.questions.review import Review as Review
from logochron.core.questions.season import Season as Season
from logochron.core.questions.season import season as season
from logochron.core.rows.plans import Constant as Constant
from logochron.report.report import Report as Report
from logochron.sources.read import read as read
from logochron.sources.read import read_plan as read_plan
from logochron.sources.read import review as review
from logochron.views import draw as draw
from logochron.views.page.build import write_page as write_page
from logochron.views.palette import Palette as Palette
from logochron.views.words import sentences as words

__version__: str
__all__ = [
    "Band",
    "CalendarError",
    "CivilCalendar",
    "Comparison",
    "Constant",
    "Daybook",
    "Drivers",
    "Fixed",
    "Intake",
    "IntakeError",
    "Judging",
    "Landing",
    "ListedCalendar",
    "LogochronError",
    "MeanOf",
    "Measure",
    "Not",
    "OutputError",
    "Overview",
    "Pace",
    "Palette",
    "Plan",
    "Prior",
    "QuestionError",
    "Receipt",
    "Relation",
    "Report",
    "ReportError",
    "Restatement",
    "RetailCalendar",
    "Review",
    "Season",
    "SellingDays",
    "Span",
    "YearAgo",
    "YearAgoMean",
    "compare",
    "demo",
    "draw",
    "drivers",
    "explain",
    "land",
    "overview",
    "pace",
    "read",
    "read_plan",
    "relate",
    "restated",
    "review",
    "season",
    "words",
    "write_page",
]
