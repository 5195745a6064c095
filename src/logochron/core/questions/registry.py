"""The rows of our own questions. What a row names is loaded when it is used, so that knowing of it costs nothing."""

from __future__ import annotations

from logochron.core.rows.question_types import DIMENSIONS, ChoiceKind, Column, QuestionType, SheetFormulas, register

_TABLES, _WORDS = "logochron.views.tables.", "logochron.views.words.question_words:"
_EXPLAIN, _ARITHMETIC = "logochron.core.questions.explain:", "logochron.views.tables.receipt_table:"
_SECTIONS = "logochron.report.settings:"
_OF_PERIODS: dict[ChoiceKind, str] = {"measure": "measures", "against": "against", "grain": "each"}
_OF_A_DAY: dict[ChoiceKind, str] = {"measure": "measures", "against": "against", "window": "within"}
_CHANGED = {"change": ("difference", "value", "base"), "growth": ("growth", "change", "base")}

register(
    QuestionType(
        name="compare",
        function="logochron.core.questions.compare:compare",
        answer="logochron.core.questions.compare:Comparison",
        columns=(
            *("measure", "period", "start", "end", "days", DIMENSIONS),
            *("value", "base_period", "base_start", "base_end", "base_days", "base", "change", "growth", "ratio"),
            *("share", "base_share", "direction", "verdict", "band", "status", "note"),
            *("rank", "base_rank", "cumulative_share", "growth_per_year"),
            *("usual_low", "usual_high", "unusual"),
        ),
        at_will={
            **dict.fromkeys(("rank", "base_rank", "cumulative_share"), ("ranked", True)),
            "growth_per_year": ("per_year", True),
            **dict.fromkeys(("usual_low", "usual_high", "unusual"), ("unusual", True)),
        },
        own=(Column("rank", "days", "Rank"),),
        sorts=("value", "growth", "change", "label"),
        tables=_TABLES + "comparison_table:comparison_tables",
        table_of_rows=_TABLES + "comparison_table:table_of_rows",
        cards=_TABLES + "cards:cards_of",
        sparks=True,
        figures=(
            "columns",
            "overlay",
            "lines",
            "trend",
            "bars",
            "nested",
            "captioned",
            "slope",
            "heat",
            "cards",
            "table",
        ),
        suited="logochron.views.figures.choose:suited_to_comparison",
        sentences=_WORDS + "compare_sentences",
        led=True,
        page="periods",
        follows={**_OF_PERIODS, "window": "running"},
        formulas=SheetFormulas(_CHANGED | {"share": ("share", "value")}, ("value", "base")),
        restated=("value", "base"),
        receipt=_EXPLAIN + "comparison_receipt",
        arithmetic=_ARITHMETIC + "comparison_lines",
    )
)
register(
    QuestionType(
        name="across",
        answer="logochron.core.questions.across:Across",
        columns=("measure", DIMENSIONS),
        tables=_TABLES + "across_table:across_tables",
    )
)
register(
    QuestionType(
        name="overview",
        function="logochron.core.questions.overview:overview",
        answer="logochron.core.questions.overview:Overview",
        columns=(
            *("measure", "window", "period", "start", "end", "days", DIMENSIONS),
            *("value", "share", "basis", "base_period", "base_start", "base_end", "base_days", "base"),
            *("change", "growth", "ratio", "direction", "verdict", "band", "status", "note"),
        ),
        sorts=("value", "growth", "change", "share", "label"),
        tables=_TABLES + "overview_table:overview_tables",
        sparks=True,
        page="rows",
        follows={**_OF_A_DAY, "window": "windows"},
        weight=2,
        restated=("value", "base"),
        receipt=_EXPLAIN + "overview_receipt",
        sentences="logochron.views.words.overview_words:overview_sentences",
        picked_words="logochron.views.words.overview_words:picked_rows",
        cards=_TABLES + "cards:overview_cards",
        figures=("overview",),
        figure_is_table=True,
    )
)
register(
    QuestionType(
        name="relate",
        function="logochron.core.questions.relate:relate",
        answer="logochron.core.questions.relate:Relation",
        columns=(
            *("measure", "period", "start", "end", "days", DIMENSIONS),
            *("value", "reference_item", "reference", "gap", "ratio", "ratio_before", "ratio_change", "direction"),
            *("status", "note"),
        ),
        sorts=("value", "label", "ratio", "gap", "ratio_change"),
        needs_items=True,
        tables=_TABLES + "relation_table:relation_tables",
        sentences=_WORDS + "relate_sentences",
        fields={"base": "reference", "change": "gap", "growth": "ratio_change", "share": "ratio"},
        page="periods",
        follows=_OF_PERIODS,
        formulas=SheetFormulas(
            {
                "reference": ("reference", "value"),
                "gap": ("difference", "value", "reference"),
                "ratio": ("part", "value", "reference"),
                "ratio_change": ("difference", "ratio", "ratio_before"),
            },
            ("value",),
            locked=True,
        ),
        restated=("value", None),
        arithmetic=_ARITHMETIC + "relation_lines",
    )
)
register(
    QuestionType(
        name="drivers",
        function="logochron.core.questions.drivers:drivers",
        answer="logochron.core.questions.drivers:Drivers",
        columns=(
            *("measure", DIMENSIONS, "items"),
            *(
                "value",
                "base",
                "change",
                "growth",
                "contribution",
                "quantity",
                "base_quantity",
                "volume",
                "mix",
                "price",
            ),
            *("direction", "verdict", "note"),
        ),
        at_will={"items": ("gather", "life")},
        own=(Column("items", "days", "Items"),),
        largest_first=False,  # what moved most stands first
        sorts=("value", "growth", "change", "label"),
        tables=_TABLES + "drivers_table:drivers_tables",
        figures=("bridge",),
        needs_items=True,
        sentences=_WORDS + "drivers_sentences",
        picked_words=_WORDS + "picked_drivers",
        fields={"share": "contribution"},
        page="period",
        follows=_OF_PERIODS,
        weight=2,
        formulas=SheetFormulas(
            _CHANGED
            | {"contribution": ("contribution", "change", "base")}
            | dict.fromkeys(("volume", "mix", "price"), ("effect",)),
            ("value", "base", "quantity", "base_quantity", "volume", "mix", "price"),
            locked=True,
        ),
        restated=("value", "base"),
        arithmetic=_ARITHMETIC + "drivers_lines",
    )
)
register(
    QuestionType(
        name="pace",
        function="logochron.core.questions.pace:pace",
        answer="logochron.core.questions.pace:Pace",
        columns=(
            *("measure", "period", DIMENSIONS, "position", "day", "running", "base_day", "base", "gap", "growth"),
            "status",
        ),
        value="running",
        sorts=("running", "growth", "gap", "label"),
        tables=_TABLES + "pace_table:pace_tables",
        figures=("pace",),
        sentences=_WORDS + "pace_sentences",
        fields={"value": "running", "change": "gap"},
        page="day",
        follows=_OF_A_DAY,
        weight=5,
        formulas=SheetFormulas(
            {"gap": ("difference", "running", "base"), "growth": ("growth", "gap", "base")}, ("running", "base")
        ),
        restated=("running", "base"),
        receipt=_EXPLAIN + "position_receipt",
        arithmetic=_ARITHMETIC + "comparison_lines",
    )
)
register(
    QuestionType(
        name="land",
        function="logochron.core.questions.landing.answer:land",
        answer="logochron.core.questions.landing.answer:Landing",
        columns=(
            *("measure", "period", DIMENSIONS, "start", "end", "until", "to_date", "expected_share", "estimate"),
            *("low", "high", "typical_error", "profile", "base", "change", "growth", "direction", "verdict"),
            *("plan", "plan_gap", "needed_per_day", "status", "note"),
        ),
        value="estimate",
        sorts=("estimate", "growth", "change", "to_date", "label"),
        tables=_TABLES + "landing_table:landing_tables",
        figures=("landing", "backtest"),
        sentences=_WORDS + "land_sentences",
        fields={"value": "estimate"},
        page="day",
        follows=_OF_A_DAY,
        weight=4,
        formulas=SheetFormulas(
            {
                "change": ("difference", "estimate", "base"),
                "growth": ("growth", "change", "base"),
                "plan_gap": ("difference", "estimate", "plan"),
            },
            ("to_date", "estimate", "base", "plan"),
        ),
        restated=("estimate", "base"),
        receipt=_EXPLAIN + "landing_receipt",
        arithmetic=_ARITHMETIC + "landing_lines",
        targeted=True,
    )
)
register(
    QuestionType(
        name="season",
        function="logochron.core.questions.season:season",
        answer="logochron.core.questions.season:Season",
        columns=("measure", "place", "label", DIMENSIONS, "parents", "usual", "low", "high", "now", "note"),
        own=(
            Column("place", "count", "Place"),
            Column("label", "text", "Part"),
            Column("parents", "count", "Periods"),
            Column("usual", "part", "Usual share"),
            Column("low", "part", "Smallest"),
            Column("high", "part", "Largest"),
            Column("now", "part", "So far"),
        ),
        value="usual",
        tables=_TABLES + "season_table:season_tables",
        figures=("season",),
        sentences="logochron.views.words.season_words:season_sentences",
    )
)
register(
    QuestionType(
        name="backtest",
        answer="logochron.core.questions.landing.backtest:Backtest",
        columns=("period", "elapsed", "profile", "estimate", "outcome", "error"),
        tables=_TABLES + "lists:backtest_tables",
        figures=("backtest",),
    )
)
register(
    QuestionType(
        name="review",
        function="logochron.sources.read:review",
        answer="logochron.core.questions.review:Review",
        columns=("finding", "column", "first", "last", "count", "example", "effect"),
        tables=_TABLES + "lists:review_tables",
        section=_SECTIONS + "ReviewSection",
    )
)
register(
    QuestionType(
        name="explain",
        answer="logochron.core.questions.explain:Receipt",
        columns=("side", "start", "end", "days", "weekend_days", "records", "sum"),
        tables=_TABLES + "receipt_table:receipt_tables",
    )
)
register(
    QuestionType(
        name="calendar",
        answer="logochron.core.questions.lists:PeriodList",
        columns=("period", "start", "end", "year", "number", "days"),
        tables=_TABLES + "lists:calendar_tables",
    )
)
register(
    QuestionType(
        name="restated",
        function="logochron.core.questions.restated:restated",
        of_answers=True,
        section=None,
        answer="logochron.core.questions.restated:Restatement",
        columns=("measure", "period", DIMENSIONS, "column", "reported", "now", "difference", "note"),
        tables=_TABLES + "lists:restated_tables",
    )
)
#: What is no answer of its own, but has columns all the same: sums, and side tables of pace and drivers.
register(QuestionType(name="totals", columns=("measure", "period", "start", "end", DIMENSIONS, "value")))
register(QuestionType(name="standing", columns=("period", "position", "running", "rank")))
register(QuestionType(name="path", columns=("level", "dimension", "item", "change", "contribution")))
