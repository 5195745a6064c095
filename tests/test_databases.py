"""Databases: one GROUP BY there gives the book that a file of the same records gives, and nothing secret is told."""

from __future__ import annotations

import os
import re
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import pytest

import logochron as lc

sa = pytest.importorskip("sqlalchemy")
POSTGRES = os.environ.get("LOGOCHRON_POSTGRES", "")
#: Tests that run side by side have each a database of their own.
OWN = f"sales_{os.environ.get('PYTEST_XDIST_WORKER', 'alone')}"
HEADER = "id,day,item,amount,ticket"
Rows = Sequence[tuple[Any, ...]]

ROWS: Rows = [
    (1, "2026-05-01", "ale", 10.25, "a"), (2, "2026-05-01", "ale", -0.75, "b"), (3, "2026-05-02", "", 0, "c"),
    (4, "2026-05-02", "it's \"x\"; drop", 1234.5, "c"), (5, "2026-06-30", "ale", 3, "d"),
    (6, "2026-07-01", "%s :x", 7, ""),
]  # fmt: skip


def sqlite(path: Path, rows: Rows, types: str = "integer primary key,text,text,real,text") -> str:
    """A table `sales` of a new file; its address."""
    columns = ",".join(f"{name} {kind}" for name, kind in zip(HEADER.split(","), types.split(",")))
    with sqlite3.connect(path) as file:
        file.execute(f"create table sales ({columns})")
        file.executemany("insert into sales values (?,?,?,?,?)", rows)
    file.close()
    return f"sqlite:///{path}"


def engine() -> Any:
    return sa.create_engine(sa.make_url(POSTGRES).set(database=OWN), poolclass=sa.pool.NullPool)


@pytest.fixture(scope="module")
def server() -> None:
    """A database of our own in a real PostgreSQL."""
    if not POSTGRES:
        pytest.skip("no PostgreSQL: LOGOCHRON_POSTGRES names none")
    there = sa.create_engine(POSTGRES, poolclass=sa.pool.NullPool, isolation_level="AUTOCOMMIT")
    with there.connect() as connection:
        connection.exec_driver_sql(f"drop database if exists {OWN}")
        connection.exec_driver_sql(f"create database {OWN}")


@pytest.fixture
def postgres(server: None) -> Callable[..., str]:
    """Makes a table `sales` there; its address."""

    def make(rows: Rows, types: str = "integer primary key,date,text,numeric(14,2),text") -> str:
        columns = ",".join(
            f"{name} {kind}" for name, kind in zip(HEADER.split(","), types.replace("14,2", "14.2").split(","))
        )
        with engine().begin() as connection:
            connection.exec_driver_sql(
                f"drop table if exists sales; create table sales ({columns.replace('14.2', '14,2')})"
            )
            for row in rows:
                connection.exec_driver_sql("insert into sales values (%s,%s,%s,%s,%s)", row)
        return str(engine().url.render_as_string(hide_password=False))

    return make


def written(rows_file: Callable[..., Path], rows: Rows) -> Path:
    quoted = [
        [f'"{str(field).replace(chr(34), chr(34) * 2)}"' if field is not None else "" for field in row] for row in rows
    ]
    return rows_file(quoted, header=HEADER)


def assert_same(found: lc.Daybook, expected: lc.Daybook) -> None:
    assert found.days.tolist() == expected.days.tolist() and found.records.tolist() == expected.records.tolist()
    for name in expected.labels:
        assert found.labels[name][found.codes[name]].tolist() == expected.labels[name][expected.codes[name]].tolist()
    for key, amounts in expected.amounts.items():
        here, there = found.amounts[key], amounts
        assert [v / 10 ** (here.scale or 0) for v in here.values.tolist()] == pytest.approx(
            [v / 10 ** (there.scale or 0) for v in there.values.tolist()], rel=1e-15
        )
    assert found.recorded.tolist() == expected.recorded.tolist() and found.exact == expected.exact
    for name in ("read", "counted", "refused", "set_aside", "blank"):
        assert getattr(found.intake, name) == getattr(expected.intake, name), name


MEASURES = [
    lc.Measure("amount"), lc.Measure("n", count=True), lc.Measure("ale", column="amount", where={"item": "ale"}),
    lc.Measure("tickets", distinct="ticket"), lc.Measure("each", of="amount", per="n"),
]  # fmt: skip
ASKED: list[dict[str, Any]] = [
    {"values": "amount"},
    {"values": "amount", "by": {"thing": "item"}},
    {"measures": MEASURES, "by": "item"},
    {"values": "amount", "by": "item", "where": {"item": ["ale", "%s :x"]}},
    {"values": "amount", "where": {"item": lc.Not("ale")}, "until": "2026-06-30"},
    {"values": "amount", "records_of": "month", "spread": "even", "covering": ("2026-05-01", "2026-07-31")},
    {"values": "amount", "by": "item", "empty": "zero"},
]


@pytest.mark.parametrize("asked", ASKED)
def test_sqlite_gives_the_book_of_a_file(tmp_path, rows_file, asked):
    rows = (
        ROWS if asked.get("records_of") is None else [(i, f"{row[1][:7]}-01", *row[2:]) for i, row in enumerate(ROWS)]
    )
    expected = lc.read(written(rows_file, rows), date="day", **asked)
    assert_same(lc.read(sqlite(tmp_path / "s.db", rows), table="sales", date="day", **asked), expected)


@pytest.mark.services
@pytest.mark.parametrize("kind", ["numeric(14,2)", "numeric", "double precision", "text", "real"])
@pytest.mark.parametrize("asked", ASKED[:5])
def test_postgres_gives_the_book_of_a_file(postgres, rows_file, asked, kind):
    expected = lc.read(written(rows_file, ROWS), date="day", **asked)
    address = postgres(ROWS, f"integer primary key,date,text,{kind},text")
    assert_same(lc.read(address, table="sales", date="day", **asked), expected)
    columns = "id, day + time '10:00' as day, item, amount, ticket"
    assert_same(lc.read(address, query=f"select {columns} from sales", date="day", **asked), expected)


FLAWED: Rows = [
    (1, "2026-05-01", "ale", 10.25, "a"), (2, "soon", "ale", 1, "a"), (3, None, "ale", 2, "a"),
    (4, "2026-05-02", "ale", None, ""),
    (5, "2026-05-03 10:11:12", "ale", 4, ""), (6, "2026-05-03 25:11:12", "ale", 5, ""),
    (7, "2026-05-04T01:02:03.5", "b", 6, ""),
]  # fmt: skip


@pytest.mark.parametrize("empty", ["refused", "zero"])
def test_rows_that_cannot_be_read_are_counted_and_told(tmp_path, rows_file, empty):
    address = sqlite(tmp_path / "s.db", [*FLAWED, (8, "2026-05-04", "b", float("inf"), "")])
    asked = {"date": "day", "values": "amount", "by": "item", "empty": empty, "on_refused": "skip"}
    found = lc.read(address, table="sales", **asked)
    expected = lc.read(written(rows_file, [*FLAWED, (8, "2026-05-04", "b", "inf", "")]), **asked)
    assert_same(found, expected)
    told = [(r.line, r.column, r.reason) for r in found.intake.refused_rows]
    assert [line for line, *_ in told] == [2, 3, *([4] if empty == "refused" else []), 6, 8]
    assert told == [(r.line - 1, r.column, r.reason) for r in expected.intake.refused_rows]
    with pytest.raises(lc.IntakeError, match="id 2, column 'day': 'soon'"):
        lc.read(address, table="sales", date="day", values="amount")


def test_texts_among_numbers_are_judged_as_those_of_a_file(tmp_path, rows_file):
    rows = [
        (1, "03.05.2026", "ale", "1.234,50 €", ""),
        (2, "14.05.2026", "ale", "2,5", ""),
        (3, "14.05.2026", "ale", "x", ""),
    ]
    address = sqlite(tmp_path / "s.db", rows, "integer primary key,text,text,text,text")
    found = lc.read(address, table="sales", date="day", values="amount", on_refused="skip")
    assert_same(found, lc.read(written(rows_file, rows), date="day", values="amount", on_refused="skip"))
    assert [(r.unit, r.line, r.text) for r in found.intake.refused_rows] == [("id", 3, "x")]


@pytest.mark.parametrize(
    ("amounts", "exact"), [([0.001, 1e9], True), ([0.1234567, 1.0], False), ([1e15, 0.25], False), ([2**60, 1], False)]
)
def test_exactness_is_told(tmp_path, amounts, exact):
    kind = "integer" if isinstance(amounts[0], int) else "real"
    rows = [(i, "2026-05-01", "ale", amount, "") for i, amount in enumerate(amounts)]
    book = lc.read(
        sqlite(tmp_path / "s.db", rows, f"integer,text,text,{kind},text"), table="sales", date="day", values="amount"
    )
    assert book.exact == {"amount": exact}
    assert book.totals("day").value.tolist() == pytest.approx([sum(amounts)], rel=1e-14)


def test_the_finest_of_a_column_decides_for_all_its_measures(tmp_path):
    rows = [(i, "2026-05-01", "ale" if i else "it", 0.25 if i < 1500 else 0.125, "") for i in range(1502)]
    measures = [lc.Measure("amount"), lc.Measure("it", column="amount", where={"item": "it"})]
    for order in (measures, measures[::-1]):
        book = lc.read(sqlite(tmp_path / f"{order[0].name}.db", rows), table="sales", date="day", measures=order)
        assert book.exact == {"amount": True, "it": True}
        assert dict(book.totals("day")[["measure", "value"]].values) == {"amount": 375.25, "it": 0.25}


@pytest.mark.services
def test_postgres_moments_infinite_days_and_no_numbers(postgres):
    rows = [
        (1, "2026-03-31 23:30+00", "a", "NaN", ""), (2, "infinity", "a", 1, ""), (3, "2026-03-31 23:30+00", "a", 2, ""),
        (4, "0044-03-15 12:00+00 BC", "a", 3, ""), (5, None, None, None, None),
    ]  # fmt: skip
    address = postgres(rows, "integer,timestamptz,text,numeric,text")
    asked = {"table": "sales", "date": "day", "values": "amount", "on_refused": "skip"}
    london = lc.read(address, tz="Europe/London", **asked)
    assert (str(london.first_day), london.intake.counted, london.intake.refused) == ("2026-04-01", 1, 4)
    utc = lc.read(address, **asked)
    assert str(utc.first_day) == "2026-03-31" and "taken in UTC" in utc.intake.guesses[0]
    assert {r.text for r in utc.intake.refused_rows if r.column == "amount"} == {"NaN"}


@pytest.mark.services
def test_all_passes_see_one_state(postgres, monkeypatch):
    from logochron.sources.pushdown.database import Database

    address, asked = postgres(ROWS), Database.roll_up

    def slow(self, question):  # somebody writes between the look at the first rows and the pass
        with engine().begin() as other:
            other.exec_driver_sql("insert into sales values (99, '2026-05-05', 'late', 1.234567, 'z')")
        return asked(self, question)

    monkeypatch.setattr(Database, "roll_up", slow)
    book = lc.read(address, query="select * from sales", date="day", values="amount", by="item")
    assert book.intake.read == len(ROWS) and "late" not in book.items("item")


@pytest.mark.services
@pytest.mark.parametrize("statement", ["delete from sales returning *", "select *, nextval('t') from sales"])
def test_nothing_is_written(postgres, statement):
    address = postgres(ROWS)
    with engine().begin() as connection:
        connection.exec_driver_sql("create sequence if not exists t")
    with pytest.raises(lc.IntakeError):
        lc.read(address, query=statement, date="day", values="amount")
    assert lc.read(address, table="sales", date="day", values="amount").intake.read == len(ROWS)


def test_sqlite_is_neither_made_nor_written(tmp_path):
    with pytest.raises(lc.QuestionError, match=r"no file .*S\.db\. Did you mean .*s\.db"):
        sqlite(tmp_path / "s.db", ROWS)
        lc.read(f"sqlite:///{tmp_path / 'S.db'}", table="sales", date="day", values="amount")
    assert [p.name for p in tmp_path.iterdir()] == ["s.db"]


SECRETS = ["s3cret", "s3cret%2Fx%40y"]


@pytest.mark.parametrize("address", [
    "postgresql+psycopg://me:{}@127.0.0.1:1/none", "postgresql+nodriver://me:{}@h/d", "postgres://me:{}@h/d",
    "postgresql+psycopg://me:x@{}@h/d", "postgresql://me:a:{}@[h/d", "sqlite:///nothing.db?password={}",
    "postgresql+psycopg://me@127.0.0.1:1/none?password={}", "mysql+nodriver://me:{}@h/d", "postgresql+psycopg://m/e:{}@h/d",
])  # fmt: skip
@pytest.mark.parametrize("secret", SECRETS)
def test_no_password_is_told(address, secret, cli, tmp_path, caplog):
    text = address.format(secret)
    with pytest.raises(lc.LogochronError) as told:
        lc.read(text, table="sales", date="day", values="amount")
    ran = cli("compare", text, "--table", "sales", "--date", "day", "--value", "amount")
    (tmp_path / "r.toml").write_text(
        f'[sales]\naddress = "{text}"\ntable = "sales"\n[[section]]\nheading = "H"\nquestion = "compare"\n'
    )
    report = cli("report", tmp_path / "r.toml", "--log-file", tmp_path / "log.txt")
    shown = [str(told.value), repr(told.value), ran.stdout, ran.stderr, report.stdout, report.stderr, caplog.text]
    shown += [p.read_text() for p in tmp_path.iterdir() if p.name != "r.toml"]
    assert ran.returncode in (2, 3) and "Traceback" not in ran.stderr
    for bare in ("s3cret", "x@y", "x%40y"):
        assert all(bare not in one for one in shown)


@pytest.mark.filterwarnings("error")
def test_amounts_without_end(tmp_path):
    for amounts, said in (
        ([1e308, 1e308, 1.0], "'amount': its amounts are so large that their sum is no finite number"),
        ([1.0, 2.0, 3.0, float("inf")], "rowid 4, column 'amount': 'Inf' - not a finite number"),
        ([1.0, 2.0, "x"], "rowid 3, column 'amount': 'x' - not a number"),
    ):
        path = tmp_path / f"{len(said)}.db"
        with sqlite3.connect(path) as made:
            made.execute("CREATE TABLE sales (day TEXT, amount REAL)")
            made.executemany(
                "INSERT INTO sales VALUES (?, ?)", [(f"2026-01-0{n + 1}", v) for n, v in enumerate(amounts)]
            )
        made.close()
        with pytest.raises(lc.IntakeError, match=re.escape(said)):
            lc.read(f"sqlite:///{path}", table="sales", date="day", values="amount")


def test_a_book_of_a_database_tells_no_address(tmp_path):
    path = tmp_path / "s.db"
    book = lc.read(f"{sqlite(path, ROWS)}?timeout=77", table="sales", date="day", values="amount", by="item")
    receipt = lc.explain(lc.compare(book, each="month", against="prior"), at="2026-06")
    assert all("timeout" not in text for text in (repr(book), repr(book.intake), receipt.text))


def test_command_line_and_report_of_a_database(tmp_path, cli):
    address = sqlite(tmp_path / "s.db", ROWS)
    ran = cli("compare", address, "--table", "sales", "--value", "amount", "--each", "month", "--against", "prior")
    assert ran.returncode == 0 and "1,244" in ran.stdout and "dates from column 'day'" in ran.stderr
    empty = sqlite(tmp_path / "empty.db", [])
    with pytest.raises(lc.IntakeError, match="table sales: no rows$"):
        lc.read(empty, table="sales", date="day", values="amount")
    with pytest.raises(lc.QuestionError, match="amounts: amount, other.*For instance date='day', values='amount'"):
        lc.read(address, query="select day, amount, amount + 1 as other from sales")
    asked = cli("compare", address, "--value", "amount")
    assert asked.returncode == 2 and "--table" in asked.stderr and "sales" in asked.stderr
    wrong = cli("compare", tmp_path / "s.csv", "--table", "sales")
    assert wrong.returncode == 2 and "give its address" in wrong.stderr
    (tmp_path / "r.toml").write_text(
        '[sales]\naddress = "$SALES"\ntable = "sales"\nvalues = "amount"\nby = "item"\n'
        '[[section]]\nheading = "H"\nquestion = "compare"\nagainst = "prior"\n'
    )
    report = cli("report", tmp_path / "r.toml", env={"SALES": address})
    assert report.returncode == 0, report.stderr
    found = cli("review", address, "--table", "sales")
    assert found.returncode == 0 and "the lowest: -0.75" in found.stdout and "zero amounts" in found.stdout


@pytest.mark.services
def test_a_server_that_goes_away_is_told(postgres, monkeypatch):
    from logochron.sources.pushdown.database import Database

    address, asked = postgres(ROWS), Database.roll_up

    def gone(self, question):
        with engine().connect() as other:
            other.exec_driver_sql(
                "select pg_terminate_backend(pid) from pg_stat_activity "
                "where pid <> pg_backend_pid() and datname = current_database()"
            )
        return asked(self, question)

    monkeypatch.setattr(Database, "roll_up", gone)
    with pytest.raises(lc.IntakeError, match="cannot be read: terminating connection|closed"):
        lc.read(address, table="sales", date="day", values="amount")


SLOW = (
    "with recursive n(i) as (select 1 union all select i + 1 from n where i < {}) "
    "select '2026-05-01' as day, i as amount from n"
)


def test_a_signal_stops_a_database(tmp_path):
    address = sqlite(tmp_path / "s.db", ROWS)
    words = [sys.executable, "-m", "logochron", "compare", address, "--query", SLOW.format(10**9), "--date", "day"]
    # whoever runs the tests in the background may have such signals ignored
    before = partial(signal.signal, signal.SIGINT, signal.SIG_DFL)
    with subprocess.Popen([*words, "--value", "amount"], stderr=subprocess.PIPE, text=True, preexec_fn=before) as ran:
        try:
            with pytest.raises(subprocess.TimeoutExpired):
                ran.wait(4)
            ran.send_signal(signal.SIGINT)
            assert ran.wait(30) == 130 and "Traceback" not in ran.stderr.read()
        finally:
            ran.kill()  # else its end would be waited for


def test_progress_of_a_database_is_told(tmp_path):
    told: list[float] = []
    book = lc.read(
        sqlite(tmp_path / "s.db", ROWS), query=SLOW.format(2 * 10**6), date="day", values="amount", progress=told.append
    )
    assert len(told) > 1 and book.totals("year").value.tolist() == [10**6 * (2 * 10**6 + 1)]
