"""Alerts, measures and bands as the command line writes them; what comes back, and with which exit code."""

from __future__ import annotations

import csv
import io

import pytest

import logochron as lc
from logochron.report import expressions

LINES = [
    "2025-05-01,A,s,10.0,1",
    "2025-05-31,B,s,20.0,2",
    "2026-05-01,A,s,9.0,1",
    "2026-05-31,B,s,30,2",
    "2026-05-31,C,s,5,0",
]


@pytest.fixture
def sales(tmp_path):
    path = tmp_path / "sales data.csv"
    path.write_text("\n".join(["day,harbor,cost account,amount,units", *LINES]) + "\n")
    return path


ASK = ("--value", "amount", "--by", "harbor")


@pytest.mark.parametrize(
    ("alert", "code", "fires"),
    [
        ("growth < -5%", 1, ["A"]),
        ("growth < -10 %", 0, []),  # at the limit it is not below
        ("growth <= -0.1", 1, ["A"]),
        ("verdict = adverse", 1, ["A"]),
        ("value>=30", 1, ["B", "Total"]),
        ("share > 99%", 1, ["Total"]),
        ("note != 'new'", 1, ["A", "B", "Total"]),
        ("harbor = C", 1, ["C"]),
        ("value < -1", 0, []),
    ],
)
def test_alerts(sales, cli, alert, code, fires):
    ran = cli("compare", sales, *ASK, "--alert", alert, "--as", "csv")
    assert ran.returncode == code, ran.stderr
    lines = ran.stderr.splitlines()
    told = [line.split("amount, ")[1].split(":")[0] for line in lines if line.startswith("  amount")]
    unknown = next((i for i, line in enumerate(lines) if "not known" in line), len(lines))
    assert told[: len(told) - (len(lines) - unknown - 1 if unknown < len(lines) else 0)] == fires
    # what cannot be told never fires and is listed; the machine's part stays the answer alone
    assert ("not known, so not judged:" in ran.stderr) == alert.startswith("growth")
    assert len(list(csv.DictReader(io.StringIO(ran.stdout)))) == 13 * 3


def test_alerts_of_other_questions(sales, cli):
    assert cli("compare", sales, *ASK, "--at", "2025-05", "--alert", "growth < -5%").returncode == 0
    assert cli("relate", sales, *ASK, "--alert", "ratio > 60%").returncode == 1
    ran = cli("drivers", sales, *ASK, "--quantity", "units", "--alert", "contribution > 30%", "--alert", "mix < -100")
    assert ran.returncode == 1 and "B: contribution +33.3 %, growth +50.0 %" in ran.stderr
    assert "alert mix < -100 does not fire in 2026-05" in ran.stderr and "no quantity" in ran.stdout
    banded = cli("compare", sales, *ASK, "--band", "low below 0", "--band", "high from 0", "--alert", "band = low")
    assert banded.returncode == 1 and "A: band low" in banded.stderr


def test_measures_on_the_command_line(sales, cli):
    ran = cli(
        *("compare", sales, "--measure", "price = amount / units", "--measure", "n=count where harbor != A"),
        *("--measure", "'a s'=amount where 'cost account'=s", "--lower-is-better", "a s", "--as", "csv", "--last", "1"),
    )
    told = {row["measure"]: row for row in csv.DictReader(io.StringIO(ran.stdout))}
    assert {name: float(row["value"]) for name, row in told.items()} == {"price": 44 / 3, "n": 2, "a s": 44}, ran.stderr
    assert [row["verdict"] for row in told.values()] == ["favorable", "favorable", "adverse"]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("margin=revenue-cost", lc.Measure("margin", of="revenue", less="cost")),
        ('"a b" = "c-d" / e', lc.Measure("a b", of="c-d", per="e")),
        ("n=count", lc.Measure("n", count=True)),
        ("n=distinct 'order id'", lc.Measure("n", distinct="order id")),
        ("distinct=distinct", lc.Measure("distinct", column="distinct")),
        ("n='count'", lc.Measure("n", column="count")),
        (
            "costs=amount where account=rent,'old wages'",
            lc.Measure("costs", column="amount", where={"account": ["rent", "old wages"]}),
        ),
        ("n=count where line!=gear", lc.Measure("n", count=True, where={"line": [lc.Not("gear")]})),
    ],
)  # fmt: skip
def test_forms_of_measures(text, expected):
    assert expressions.measure(text, []) == expected


@pytest.mark.parametrize(
    ("option", "text", "said", "caret"),
    [
        ("--measure", "margin=-cost", "count or distinct must stand here", 7),
        ("--measure", "margin", "an = must stand between", 6),
        ("--measure", "my sum=a", "in quotes", 3),
        ("--measure", "m=a-b-c", "this is too much", 5),
        ("--measure", "m=a where b", "an = or != must stand", 11),
        ("--measure", "m='a", "this quote is not closed", 2),
        ("--measure", "m=a where b=c,", "a value is missing here", 14),
        ("--alert", "growth", "a sign must stand", 6),
        ("--alert", "growth < -x", "must be a number", 9),
        ("--alert", "growth < abc", "holds figures", 9),
        ("--alert", "grwth < 5", "Did you mean 'growth'", 0),
        ("--alert", "verdict = advers", "Did you mean 'adverse'", 10),
        ("--alert", "verdict < 5", "holds words", 8),
        ("--band", "low beneath 3", "must leave no gap", None),
        ("--band", "low below much", "must be a number", 10),
        ("--band", "low below 3 below 4", "comes after another", 18),
        ("--band", "low below 3 mark", "the sign is missing here", 16),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_shown(sales, cli, option, text, said, caret):
    more = ("--band", "high from 5") if option == "--band" else ()
    ran = cli("compare", sales, "--value", "amount", option, text, *more)
    assert ran.returncode == 2 and said in ran.stderr and "Traceback" not in ran.stderr, ran.stderr
    lines = ran.stderr.splitlines()
    if caret is not None:
        place = lines.index("  " + text)
        assert lines[place + 1] == "  " + " " * caret + "^", ran.stderr


def test_terminal(sales, cli):
    plain = cli("compare", sales, *ASK, "--last", "1", "--sort", "-value", "--top", "1", "--plain", "--marks", "words",
                "--band", "'on course' below 45%: carry on", "--band", "ahead from 45% mark *: say so")  # fmt: skip
    lines = [line.split() for line in plain.stdout.splitlines()[3:7] if not line.startswith("--")]
    assert plain.stdout.isascii() and plain.returncode == 0, plain.stderr
    assert lines[0][:6] == ["2026-05", "May", "2026", "B", "30", "20"] and lines[0][-4:] == [
        "######",
        "ahead",
        "say",
        "so",
    ]
    assert "*" in lines[0] and lines[1][:2] == ["all", "others"] and "rising" in lines[1] and lines[2][0] == "Total"
    tree = cli(
        "compare", sales, "--value", "amount", "--by", "harbor,cost account", "--last", "1", "--marks", "a,b,c,d"
    )
    shown = [line[19:30].rstrip() for line in tree.stdout.splitlines()[3:9]]
    assert shown == ["B", "  s", "A", "  s", "C", "  s"]
    guessed = cli("drivers", sales, "--by", "harbor", "--quantity", "units")
    assert guessed.returncode == 0 and "amounts from column 'amount' (--value)" in guessed.stderr
    assert [line.split()[0] for line in guessed.stdout.splitlines()[3:6]] == ["B", "C", "A"]
    assert cli("compare", sales, *ASK, "--marks", "arows").returncode == 2
    assert "no figure shows this answer" in cli("relate", sales, *ASK, "--out", "r.png").stderr
    for form in ("md", "json"):
        assert cli("relate", sales, *ASK, "--as", form).returncode == 0
        assert cli("drivers", sales, *ASK, "--as", form).returncode == 0
