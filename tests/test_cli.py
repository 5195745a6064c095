"""The command line as a process: answers, forms, bad input, terminals."""

from __future__ import annotations

import csv
import fcntl
import gzip
import io
import json
import multiprocessing
import os
import pty
import re
import struct
import subprocess
import sys
import termios
from multiprocessing.reduction import DupFd
from pathlib import Path

import duckdb
import pytest
import xlsxwriter
from run_here import run_on

import logochron as lc

MONTHS = ["--date", "sold_on", "--value", "revenue", "--each", "month", "--last", "13"]


@pytest.fixture(scope="module")
def sales(tmp_path_factory) -> Path:
    return lc.demo.write(tmp_path_factory.mktemp("demo"))[0]


#: Processes that begin with the package loaded.
FORKS = multiprocessing.get_context("forkserver")
FORKS.set_forkserver_preload(
    ["run_here", "pandas", "logochron.cli.asking", "logochron.views.tables.terminal", "duckdb", "rich.console"]
)


def on_terminal(width: int, *words: object, env: dict[str, str] | None = None) -> str:
    """What the command prints to a terminal of some width; progress, which depends on the machine, goes elsewhere."""
    master, slave = pty.openpty()
    fcntl.ioctl(slave, termios.TIOCSWINSZ, struct.pack("HHHH", 40, width, 0, 0))
    environment = {**os.environ, "TERM": "xterm-256color", "COLORTERM": "truecolor", **(env or {})}
    environment.pop("COLUMNS", None)
    process = FORKS.Process(target=run_on, args=(DupFd(slave), [str(word) for word in words], environment))
    process.start()
    os.close(slave)
    said = b""
    while True:
        try:
            chunk = os.read(master, 65536)
        except OSError:
            break
        if not chunk:
            break
        said += chunk
    os.close(master)
    process.join(timeout=60)
    assert process.exitcode == 0
    return said.decode()


def plain(text: str) -> list[str]:
    return re.sub(r"\x1b\[[0-9;?]*[a-zA-Z]", "", text).replace("\r\n", "\n").split("\n")


def test_table(cli, sales):
    ran = cli("compare", sales, *MONTHS, "--currency", "EUR")
    lines = ran.stdout.splitlines()
    assert ran.returncode == 0 and ran.stderr == "" and "\x1b" not in ran.stdout
    assert lines[0].startswith("Revenue by month · against a year ago") and lines[0].endswith("EUR")
    assert lines[1].split() == ["Period", "Revenue", "Year", "ago", "Change", "Growth"]
    assert lines[-1] == "Records 17 May 2021 to 18 Oct 2026 · 28,612 rows counted, 0 refused · report date 18 Oct 2026"
    book = lc.read(sales, date="sold_on", values="revenue")
    for line, row in zip(lines[3:16], lc.compare(book, "month", last=13).table.itertuples(), strict=True):
        mark = {"rising": "▲", "falling": "▼"}[row.direction]
        assert re.sub(r" +", " ", line).startswith(
            f"{row.period}{' to 18' if row.status == 'to-date' else ''} {row.start:%b %Y} "
            f"{row.value:,.0f} {row.base:,.0f} "
            f"{row.change:+,.0f} {mark} {row.growth * 100:+.1f} %".replace("-", "−").replace("−", "-", 1)
        )
    assert lines[15].endswith("1–18 Oct against 1–18 Oct 2025")


def test_items_and_total(cli, sales):
    said = cli("compare", sales, *MONTHS, "--by", "harbor", "--at", "2024-04", "--plain").stdout
    assert said.isascii()
    rows = [line.split() for line in said.splitlines() if "Dunmarrow" in line or "Total" in line]
    assert [row[:2] for row in rows[-2:]] == [["Dunmarrow", "4,430"], ["Total", "30,160"]]
    assert rows[-2][-1] == "new" and rows[-1][-2:] == ["100.0", "%"]


def test_forms_for_machines(cli, sales, tmp_path):
    ask = ("compare", sales, *MONTHS, "--by", "harbor")
    expected = lc.compare(
        lc.read(sales, date="sold_on", values="revenue", by="harbor"), "month", by="harbor", last=13
    ).table
    as_csv = cli(*ask, "--as", "csv")
    rows = list(csv.DictReader(io.StringIO(as_csv.stdout)))
    assert list(rows[0]) == expected.columns.tolist()
    assert [float(r["value"]) for r in rows] == expected.value.tolist()
    assert rows[0]["start"] == "2025-10-01" and rows[0]["days"] == "31" and rows[0]["band"] == ""
    as_json = json.loads(cli(*ask, "--as", "json").stdout)
    assert [r["growth"] for r in as_json] == expected.growth.tolist() and as_json[0]["band"] is None
    for ending in ("csv", "json", "jsonl", "parquet", "md"):
        ran = cli(*ask, "--out", f"answer.{ending}", cwd=tmp_path)
        assert (ran.returncode, ran.stdout, ran.stderr) == (0, "", f"logochron: wrote answer.{ending}\n")
    assert (tmp_path / "answer.csv").read_text() == as_csv.stdout
    for ending in ("csv", "json", "jsonl", "parquet"):
        found = duckdb.sql(
            f"SELECT sum(value), count(base_start), min(start)::VARCHAR FROM '{tmp_path}/answer.{ending}'"
        )
        assert found.fetchall()[0] == pytest.approx((expected.value.sum(), 52, "2025-10-01"))
    table = (tmp_path / "answer.md").read_text().splitlines()
    assert table[0] == "**Revenue by month and harbor · against a year ago**"
    assert len({line.count("|") for line in table if line.startswith("|")}) == 1
    assert sorted(p.name for p in tmp_path.iterdir()) == [
        f"answer.{e}" for e in ("csv", "json", "jsonl", "md", "parquet")
    ]


@pytest.mark.slow
def test_every_kind_of_file_gives_the_same_answer(cli, sales, tmp_path):
    text = sales.read_text()
    (tmp_path / "all.csv.gz").write_bytes(gzip.compress(text.encode()))
    (tmp_path / "all.tsv").write_text(text.replace(",", "\t"))
    (tmp_path / "latin.csv").write_bytes(text.replace("Cold Pier", "Kälte").encode("cp1252").replace(b"\n", b"\r\n"))
    duckdb.execute(f"COPY (SELECT * FROM '{sales}') TO '{tmp_path}/all.parquet'")
    header, *rows = text.splitlines(keepends=True)
    for part in range(3):
        (tmp_path / f"part{part}.csv").write_text(header + "".join(rows[part::3]))
    table = [line.strip().split(",") for line in [header, *rows]]
    amounts = slice(4, 7)
    with (tmp_path / "euro.csv").open("w", encoding="utf-16", newline="") as file:  # as an office far away writes it
        file.write("Umsätze aller Häfen\r\n\r\n" + ";".join(table[0]).upper() + "\r\n")
        for row in table[1:]:
            euros = [f"{float(x):,.2f} €".translate(str.maketrans(",.", ".,")) for x in row[amounts]]
            day = "/".join(reversed(row[0].split("-")))
            file.write(";".join([day, *row[1:4], *euros]) + "\r\n")
    with xlsxwriter.Workbook(tmp_path / "all.xlsx") as book:
        sheet = book.add_worksheet("Sales")
        for i, row in enumerate(table):
            sheet.write_row(i + 2, 0, row[:4] + ([float(x) for x in row[amounts]] if i else row[amounts]))
    with (tmp_path / "all.jsonl").open("w") as lines:
        lines.writelines(json.dumps(dict(zip(table[0], row))) + "\n" for row in table[1:])
    ask = [*MONTHS, "--by", "harbor", "--as", "csv"]
    expected = cli("compare", sales, *ask).stdout
    parts = ["part0.csv", "part1.csv", "part2.csv"]
    one_each = ["all.csv.gz", "all.tsv", "all.parquet", "part*.csv", "euro.csv", "all.xlsx", "all.jsonl"]
    for words in [*([name] for name in one_each), parts]:
        ran = cli("compare", *words, *ask, cwd=tmp_path)
        assert (ran.returncode, ran.stdout) == (0, expected), words
    latin = cli("compare", "latin.csv", *ask, cwd=tmp_path)
    assert "encoding cp1252" in latin.stderr and latin.stdout.count("Kälte") == 13
    assert latin.stdout.replace("Kälte", "Cold Pier").splitlines()[1] in expected


def test_a_fiscal_year(cli, sales):
    words = ("compare", sales, "--date", "sold_on", "--value", "revenue", "--each", "quarter", "--year-start", "4")
    ran = cli(*words, "--at", "FY2026")
    assert [line.split()[0] for line in ran.stdout.splitlines()[3:7]] == [f"FY2026-Q{q}" for q in (1, 2, 3, 4)]
    assert "FY2026 = 1 Apr 2025 to 31 Mar 2026" in ran.stdout
    wrong = cli(*words, "--at", "2026")
    assert wrong.returncode == 2 and "did you mean 'FY2026'?" in wrong.stderr


def test_figures_written(cli, sales, tmp_path):
    for ending, start in (("png", b"\x89PNG"), ("svg", b"<?xml"), ("pdf", b"%PDF")):
        ran = cli("compare", sales, *MONTHS, "--by", "harbor", "--figure", "bars", "--out", tmp_path / f"f.{ending}")
        assert ran.returncode == 0 and (tmp_path / f"f.{ending}").read_bytes().startswith(start)
    assert "Dunmarrow" in cli("compare", sales, *MONTHS, "--by", "harbor", "--as", "md").stdout


def test_locale_decimals_and_filters(cli, sales):
    ran = cli("compare", sales, *MONTHS, "--where", "harbor!=Dunmarrow", "--where", "line=hire", "--where", "line=gear",
              "--locale", "de_DE", "--decimals", "2", "--until", "2026-09-30")  # fmt: skip
    book = lc.read(
        sales, date="sold_on", values="revenue", where={"harbor": lc.Not("Dunmarrow"), "line": ["hire", "gear"]}
    )
    value = lc.compare(book.until("2026-09-30"), "month", last=1).table.value[0]
    german = f"{value:,.2f}".translate(str.maketrans(",.", ".,"))
    line = next(line for line in ran.stdout.splitlines() if line.startswith("2026-09"))
    assert german in line and ("+" in line or "−" in line)
    assert "harbor not Dunmarrow, line hire or gear" in ran.stdout.splitlines()[0]
    assert "Zeilen gezählt" in ran.stdout and "Stichtag 30. Sept. 2026" in ran.stdout


def test_lower_is_better_and_level(cli, sales):
    rows = csv.DictReader(io.StringIO(cli(
        "compare", sales, "--date", "sold_on", "--value", "revenue,cost", "--lower-is-better", "cost", "--last", "13",
        "--level-within", "2%", "--level-as", "favorable", "--as", "csv",
    ).stdout))  # fmt: skip
    for row in rows:
        growth = float(row["growth"])
        up = (growth > 0) == (row["measure"] == "revenue")
        assert row["verdict"] == ("favorable" if abs(growth) <= 0.02 or up else "adverse"), row


@pytest.mark.slow
def test_terminals(sales):
    ask = ("compare", sales, "--by", "harbor", *MONTHS)
    wide = on_terminal(160, *ask)
    assert "\x1b[38;2;25;125;171m" in wide and "\x1b[38;2;194;84;59m" in wide  # favorable, adverse
    assert "Share" in wide and "1–18 Oct against 1–18 Oct 2025" in wide
    seen = {}
    for width in (160, 100, 70, 56, 44):
        lines = plain(on_terminal(width, *ask))
        table = lines[1 : next(i for i, line in enumerate(lines) if not line.strip())]
        assert max(map(len, table)) <= width
        seen[width] = table[0].split()
        assert "Growth" in seen[width] and "Revenue" in seen[width]
        assert sum("%" in line for line in table) == 65 and ("…" not in "".join(table) or width == 44)
        assert any("1–18 Oct against" in line for line in lines)
    assert "Change" not in seen[44] and "ago" not in seen[44] and "Change" not in seen[56] and "ago" in seen[70]
    for width in (30, 20):  # no narrowing helps: each row its labels, then its figures, on lines of their own
        lines = plain(on_terminal(width, *ask[:-1], 2))
        assert max(map(len, lines)) <= width and sum("%" in line for line in lines) == 10
        place = lines.index("Cold Pier")
        assert lines[place + 1].split() == ["7,238", "▼", "−17.0", "%"] and "1–18" in "".join(lines)
    assert "\x1b[38" not in on_terminal(120, *ask, env={"NO_COLOR": "1"})
    assert "\x1b[38" not in on_terminal(120, *ask, "--plain")


@pytest.mark.parametrize(("width", "heads"), [(100, "Span Days Mo"), (62, "Span Days Records Sum"), (44, "Span Sum")])
def test_receipts_on_narrow_terminals(sales, width, heads):
    lines = plain(on_terminal(width, "explain", sales, *MONTHS[:4], "--calendar", "retail", "--at", "2024-P12"))
    assert " ".join(lines[1].split()).startswith(heads)
    assert lines[4].startswith("base   31 Dec 2023 – 3 Feb 2024") and lines[4].rstrip().endswith("26,888.01")
    listed = plain(on_terminal(44, "calendar", "--calendar", "retail", "--between", "2024-01-01..2024-03-01"))
    assert "Sun 31 Dec 2023  Sat 3 Feb 2024" in listed[3] and max(map(len, listed[1:5])) <= 44


def test_output_that_cannot_bear_our_signs(cli_process, sales):
    ran = cli_process("compare", sales, *MONTHS, env={"PYTHONIOENCODING": "ascii"})
    assert ran.returncode == 0 and ran.stdout.isascii() and "+6.7 %" in ran.stdout


#: What the file holds, the words after `compare FILE`, the exit code, and what is said.
ASK = ["--date", "d", "--value", "v"]
BAD = [
    ("d,v\n2026-01-01,1\n", ["--date", "day", "--value", "v"], 2, "no column 'day'"),
    ("d,revenue\n2026-01-01,1\n", ["--date", "d", "--value", "revenu"], 2, "Did you mean 'revenue'?"),
    ("d,u,v\n2026-01-01,1,2\n2026-01-02,1,2\n", [], 2, "amounts: u, v.*compare .* --date d --value u"),
    ("", ASK, 3, "is empty"),
    ("d,v\n", ASK, 3, "no rows below the header"),
    ("d,v\nnever,1\n", ASK, 3, "no usable date"),
    ("d,v\n2026-01-01,twelve\n", ASK, 3, "line 2, column 'v': 'twelve' - not a number"),
    ("d,v\n2026-01-01,NaN\n", ASK, 3, "line 2.*'NaN' - not a finite number"),
    ("d,v\n2026-01-01,-inf\n", ASK, 3, "line 2.*'-inf' - not a finite number"),
    ("d,v\n2026-01-01,1\n2026-02-30,1\n", ASK, 3, "line 3, column 'd': '2026-02-30' - not a date"),
    ("d,v\n03/04/2026,1\n", ASK, 3, "--day-first. or day_first=False .--month-first"),
    ("d,v\n" + "".join(f"2026-01-{d:02d},1\n" for d in range(1, 31)) + "2206-01-31,1\n", ASK, 2, "--until 2026-01-30"),
    ("d,v,v\n2026-01-01,1,1\n", ASK, 3, "more than once"),
    ("d,v,status\n2026-01-01,1,x\n", [*ASK, "--by", "status"], 2, "--by its_status=status"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--out", "missing/x.csv"], 2, "there is no directory missing"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--out", "x.doc"], 2, "ending that cannot be written"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--figure", "bars"], 2, "needs --out"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--figure", "bars", "--out", "x.png"], 2, "--by"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--where", "d"], 2, "COL=VALUE"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--locale", "xx_YY"], 2, "`locale` must be"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--currency", "EURO"], 2, "--currency must be"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--against", "last"], 2, "`against` must be"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--each", "weeks"], 2, "'week'"),
    ("d,v\n2026-01-01,1\n", [*ASK, "--level-within", "some"], 2, "0.02 or 2%"),
]


@pytest.mark.parametrize(("data", "words", "code", "said"), BAD)
def test_bad_input(cli, tmp_path, data, words, code, said):
    (tmp_path / "f.csv").write_text(data)
    ran = cli("compare", "f.csv", *words, cwd=tmp_path)
    assert ran.returncode == code and ran.stdout == ""
    assert re.search(said, ran.stderr, re.DOTALL) and "Traceback" not in ran.stderr
    assert [p.name for p in tmp_path.iterdir()] == ["f.csv"]  # nothing written, not even half


def test_bad_paths(cli, tmp_path, sales):
    for words, said in [(["nofile.csv"], "no file nofile.csv"), (["."], "is a directory"), (["x.doc"], "x.doc")]:
        ran = cli("compare", *words, *MONTHS, cwd=tmp_path)
        assert ran.returncode == 2 and said in ran.stderr
    (tmp_path / "taken.csv").mkdir()
    ran = cli("compare", sales, *MONTHS, "--out", tmp_path / "taken.csv")
    assert ran.returncode == 2 and "is a directory" in ran.stderr


def test_refused_rows_are_told_when_left_out(cli, tmp_path):
    (tmp_path / "f.csv").write_text("d;v\n2026-01-01;1\n2026-01-02;x\n")
    ran = cli("compare", "f.csv", *ASK, "--on-refused", "skip", cwd=tmp_path)
    assert ran.returncode == 0 and "1 row counted, 1 refused" in ran.stdout
    assert "fields separated by semicolons" in ran.stderr and "f.csv, line 3, column 'v': 'x'" in ran.stderr


def test_no_period_is_a_sentence(cli, tmp_path):
    (tmp_path / "f.csv").write_text("d,v\n2026-01-05,1\n2026-01-06,1\n")
    ran = cli("compare", "f.csv", *ASK, "--partial", "drop", cwd=tmp_path)
    assert ran.returncode == 0 and "No period to show" in ran.stdout
    assert json.loads(cli("compare", "f.csv", *ASK, "--partial", "drop", "--as", "json", cwd=tmp_path).stdout) == []


@pytest.mark.slow
def test_demo_and_help(cli, tmp_path):
    ran = cli("demo", "here", cwd=tmp_path)
    assert ran.returncode == 0 and "Month to 18 Oct" in ran.stdout
    assert sorted(p.name for p in (tmp_path / "here").iterdir()) == [
        *("brinefold-plan.csv", "brinefold-sales.csv", "brinefold.toml", "report"),
    ]
    assert len(list((tmp_path / "here" / "report").iterdir())) == 23
    assert (tmp_path / "here" / "report" / "index.html").stat().st_size < 3_000_000
    for command in (line.split() for line in ran.stdout.splitlines() if line.startswith("  logochron ")):
        assert cli(*command[1:], cwd=tmp_path).returncode == 0  # what it proposes works
    (tmp_path / "here" / "brinefold-sales.csv").write_text("mine")
    again = cli("demo", "here", cwd=tmp_path)
    assert again.returncode == 2 and "name another folder" in again.stderr
    for words in (["--help"], ["compare", "--help"], ["demo", "--help"], ["--version"]):
        assert cli(*words).returncode == 0


def test_reader_that_closes_early(sales):
    words = [sys.executable, "-m", "logochron", "compare", str(sales), *MONTHS[:4], "--each", "day", "--as", "csv"]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    process.stdout.readline()
    process.stdout.close()
    assert b"Traceback" not in process.stderr.read()
    process.stderr.close()
    process.wait()
