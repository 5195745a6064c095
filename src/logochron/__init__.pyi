from logochron import demo as demo
from logochron.core.bands import Band as Band
from logochron.core.bases import Between as Between
from logochron.core.bases import Fixed as Fixed
from logochron.core.bases import MeanOf as MeanOf
from logochron.core.bases import Plan as Plan
from logochron.core.bases import Prior as Prior
from logochron.core.bases import YearAgo as YearAgo
from logochron.core.bases import YearAgoMean as YearAgoMean
from logochron.core.calendars.civil import CivilCalendar as CivilCalendar
from logochron.core.calendars.listed import ListedCalendar as ListedCalendar
from logochron.core.calendars.retail import RetailCalendar as RetailCalendar
from logochron.core.compare import Comparison as Comparison
from logochron.core.compare import compare as compare
from logochron.core.daybook import Daybook as Daybook
from logochron.core.drivers import Drivers as Drivers
from logochron.core.drivers import drivers as drivers
from logochron.core.errors import CalendarError as CalendarError
from logochron.core.errors import IntakeError as IntakeError
from logochron.core.errors import LogochronError as LogochronError
from logochron.core.errors import QuestionError as QuestionError
from logochron.core.errors import StudyError as StudyError
from logochron.core.explain import Receipt as Receipt
from logochron.core.explain import explain as explain
from logochron.core.intake import Intake as Intake
from logochron.core.judging import Judging as Judging
from logochron.core.measures import Measure as Measure
from logochron.core.relate import Relation as Relation
from logochron.core.relate import relate as relate
from logochron.core.review import Review as Review
from logochron.core.selection import Not as Not
from logochron.sources.plans import read_plan as read_plan
from logochron.sources.reading import read as read
from logochron.sources.reviewing import review as review
from logochron.views import draw as draw
from logochron.views.palette import Palette as Palette

__version__: str
__all__ = [
    "Band",
    "Between",
    "CalendarError",
    "CivilCalendar",
    "Comparison",
    "Daybook",
    "Drivers",
    "Fixed",
    "Intake",
    "IntakeError",
    "Judging",
    "ListedCalendar",
    "LogochronError",
    "MeanOf",
    "Measure",
    "Not",
    "Palette",
    "Plan",
    "Prior",
    "QuestionError",
    "Receipt",
    "Relation",
    "RetailCalendar",
    "Review",
    "StudyError",
    "YearAgo",
    "YearAgoMean",
    "compare",
    "demo",
    "draw",
    "drivers",
    "explain",
    "read",
    "read_plan",
    "relate",
    "review",
]
