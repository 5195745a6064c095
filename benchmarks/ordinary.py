"""Processor seconds and memory of ordinary work: dirt in amounts, bad rows, wide files, ids, many items, small files.

    python benchmarks/ordinary.py [--rounds N] [--only WORDS] [--folder FOLDER]

Each row is one job, in a process of its own, beside the same by hand in DuckDB, all in turn, round after round: the
medians of the processor time of whole processes (user and system), their ratio, the peak memory, and the goal. Where
both answer, what they answer is compared. Jobs without a twin by hand stand with their wall time.
"""

from __future__ import annotations

import argparse
import json
import statistics
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

from together import Run, process

ROWS, SKIPPED, TEXTS, IDS, SMALL, ITEMS = 2_500_000, 3_000_000, 10_000_000, 5_000_000, 3_000, 100_000
CELLS = 20_000, 120
#: The amount of a made row, by what its kind is called.
NEAR = f"i IN (7, {SKIPPED // 2}, {SKIPPED - 5})"
AMOUNTS = {
    "cents": "(hash(i, 6) % 50000)::INT / 100",
    "4 decimals": "(hash(i, 6) % 5000000)::INT / 10000",
    "thirds": "(hash(i, 6) % 50000)::INT / 3",
    "one a bit off": f"CASE WHEN i = {ROWS // 2} THEN 12.340000000000002 ELSE (hash(i, 6) % 50000)::INT / 100 END",
    "1,521 empty": "CASE WHEN i % 1972 = 7 THEN NULL ELSE (hash(i, 6) % 50000)::INT / 100 END",
    "three empty": f"CASE WHEN {NEAR} THEN NULL ELSE (hash(i, 6) % 50000)::INT / 100 END",
}


def sales(amount: str, rows: int, ids: str = "") -> str:
    """Made sales of five years as a query."""
    return (
        "SELECT DATE '2021-01-01' + (hash(i, 1) % 1826)::INT AS sold_on, 'region ' || (hash(i, 2) % 12)::VARCHAR "
        f"AS region, {AMOUNTS[amount]} AS revenue{ids} FROM range({rows}) AS r(i)"
    )


def made(folder: Path, name: str, sql: str) -> Path:
    """A file of a query's rows, made once."""
    path = folder / name
    if not path.exists():
        import duckdb

        duckdb.execute(f"COPY ({sql}) TO '{path}'{' (HEADER)' if name.endswith('.csv') else ''}")
    return path


def figures(value: Any, growth: Any) -> list[float]:
    """What two jobs are compared by."""
    import numpy as np

    growth = np.asarray(growth, dtype=float)
    return [float(np.nansum(np.asarray(value, dtype=float))), float(np.nansum(growth[np.isfinite(growth)]))]


#: What has no amount is left out, or is nothing.
SKIP, ZERO = {"on_refused": "skip"}, {"empty": "zero"}


def months_of(path: str, taken: str = "file", **reading: Any) -> list[float]:
    """Months by region against a year ago, of a file or of what it is read to first."""
    import logochron as lc

    source: Any = path
    if taken == "arrow":
        import pyarrow.parquet as pq

        source = pq.read_table(path)
    elif taken == "relation":
        import duckdb

        source = duckdb.sql(f"FROM '{path}'")
    values = reading.pop("values", "revenue")
    book = lc.read(source, date="sold_on", values=values, by="region", **reading)
    answer = lc.compare(book, each="month", against="year-ago", by="region").columns
    return figures(answer["value"], answer["growth"])


def months_by_hand(path: str, taken: str = "file", amount: str = "sum(revenue)", where: str = "true") -> list[float]:
    """The same in DuckDB."""
    import duckdb
    import numpy as np

    source = f"'{path}'"
    if taken == "arrow":
        import pyarrow.parquet as pq

        duckdb.register("came", pq.read_table(path))
        source = "came"
    rows = duckdb.execute(f"SELECT sold_on, region, {amount} AS v FROM {source} WHERE {where} GROUP BY ALL")
    found = rows.fetchnumpy()
    months = found["sold_on"].astype("datetime64[M]").astype(np.int64)
    regions, codes = np.unique(found["region"].astype(str), return_inverse=True)
    months -= months.min()
    value = np.bincount(months * len(regions) + codes, found["v"], minlength=(int(months.max()) + 1) * len(regions))
    base = value[: -12 * len(regions)]
    return figures(value, (value[12 * len(regions) :] - base) / base)


def ids_of(path: str) -> list[float]:
    """Distinct orders by month and region."""
    import logochron as lc

    return months_of(path, values=None, measures=[lc.Measure("orders", distinct="order_id")])


def ids_by_hand(path: str) -> list[float]:
    import duckdb

    counted = "SELECT date_trunc('month', sold_on) AS m, region, count(DISTINCT order_id) AS v"
    counted += f" FROM '{path}' GROUP BY ALL"
    lagged = f"SELECT v, lag(v, 12) OVER (PARTITION BY region ORDER BY m) AS b FROM ({counted})"
    found = duckdb.execute(f"SELECT v, (v - b) / b AS growth FROM ({lagged})").fetchall()
    return [float(sum(v for v, _ in found)), float(sum(growth for _, growth in found if growth is not None))]


def wide_of(path: str) -> list[float]:
    """The months of a file with a column each."""
    import logochron as lc

    book = lc.read(path, by="item", periods_in_columns="month")
    return [float(lc.compare(book, each="month", against="year-ago").columns["value"].sum())]


def wide_by_hand(path: str) -> list[float]:
    import duckdb

    cells = f"UNPIVOT (FROM read_csv('{path}')) ON COLUMNS(* EXCLUDE item) INTO NAME m VALUE v"
    rows = f"SELECT item, m, sum(v) AS v FROM ({cells}) GROUP BY ALL"
    return [float(sum(v for _, v in duckdb.execute(f"SELECT m, sum(v) FROM ({rows}) GROUP BY m").fetchall()))]


def many_of(path: str, asked: str) -> list[float]:
    """The landing of very many items, or the pace of them with its table."""
    import logochron as lc

    book = lc.read(path, date="sold_on", values="revenue", by="item")
    if asked == "read":
        return [float(len(book.items("item")))]
    if asked == "land":
        return [float(len(lc.land(book, by="item").columns["estimate"]))]
    return [float(len(lc.pace(book, within="month", by="item", positions="today").table))]


def report_file(folder: Path) -> str:
    """A report of eight sections over two dimensions that can be chosen: 3,120 choices and months, 24,960 views."""
    sales = (
        "SELECT DATE '2022-11-01' + (hash(i, 1) % 1445)::INT AS sold_on, 'region ' || (hash(i, 'r') % 12)::VARCHAR AS "
        "region, 'channel ' || (hash(i, 'c') % 4)::VARCHAR AS channel, (hash(i, 6) % 50000)::INT / 100 AS revenue "
        "FROM range(200000) AS r(i)"
    )
    made(folder, "eight.csv", sales)
    asked = ["by = ['region']", "against = 'prior'", "by = ['channel']", "running = 'year'"]
    sections = [("compare", f"each = 'month'\n{line}") for line in asked]
    sections += [(question, "each = 'month'\nby = ['region']") for question in ("drivers", "relate")]
    sections += [("pace", ""), ("land", "")]
    path = folder / "eight.toml"
    head = "[sales]\nfile = 'eight.csv'\ndate = 'sold_on'\nvalues = ['revenue']\nby = ['region', 'channel']\n"
    parts = [
        f"[[section]]\nheading = 'S{n}'\nquestion = '{question}'\n{options}\n"
        for n, (question, options) in enumerate(sections)
    ]
    path.write_text(head + "\n".join(parts), encoding="utf-8")
    return str(path)


class Job(NamedTuple):
    """What is timed, beside what, and how it should stand to that.

    `most`: the processor seconds of ours per those by hand, or its wall seconds where nobody does it by hand.
    """

    ours: Callable[[], list[float]] | tuple[str, ...]
    by_hand: Callable[[], list[float]] | None
    most: float
    memory: float | None = None


def jobs(folder: Path) -> dict[str, Job]:
    """All of them, their files made."""

    def parquet(amount: str, rows: int) -> str:
        return str(made(folder, f"{amount.replace(' ', '-')}-{rows}.parquet", sales(amount, rows)))

    found: dict[str, Job] = {}
    for amount in ("cents", "4 decimals", "thirds", "one a bit off"):
        path = parquet(amount, ROWS)
        found[f"{amount}, Parquet"] = Job(partial(months_of, path), partial(months_by_hand, path), 2.5)
    for amount in ("1,521 empty", "three empty"):
        path = parquet(amount, SKIPPED)
        for taken in ("file", "arrow", "relation"):
            hand = partial(months_by_hand, path, "arrow" if taken == "arrow" else "file", where="revenue IS NOT NULL")
            found[f"{amount}, {taken}, skipped"] = Job(partial(months_of, path, taken, **SKIP), hand, 2.0)
        zero = partial(months_by_hand, path, amount="sum(coalesce(revenue, 0))")
        found[f"{amount}, empty is zero"] = Job(partial(months_of, path, **ZERO), zero, 1.5)
    text = str(made(folder, f"empty-{TEXTS}.csv", sales("1,521 empty", TEXTS)))
    zero = partial(months_by_hand, text, amount="sum(coalesce(revenue, 0))")
    found["CSV, empty is zero"] = Job(partial(months_of, text, **ZERO), zero, 1.5)
    items, months = CELLS
    cells = ", ".join(f'(hash(i, {m}) % 50000)::INT / 100 AS "{2016 + m // 12}-{m % 12 + 1:02}"' for m in range(months))
    sheet = str(made(folder, "wide.csv", f"SELECT 'item ' || i::VARCHAR AS item, {cells} FROM range({items}) AS r(i)"))
    found["wide CSV"] = Job(partial(wide_of, sheet), partial(wide_by_hand, sheet), 2.0, 400)
    ids = str(made(folder, f"ids-{IDS}.parquet", sales("cents", IDS, ", 'order ' || i::VARCHAR AS order_id")))
    found["distinct ids"] = Job(partial(ids_of, ids), partial(ids_by_hand, ids), 2.0)
    small = str(made(folder, "small.csv", sales("cents", SMALL)))
    words = ("-m", "logochron", "compare", small, "--date", "sold_on", "--value", "revenue", "--by", "region")
    words = (*words, "--each", "month", "--against", "year-ago")
    found["command line"] = Job(words, partial(months_by_hand, small), 0.5)
    found["command line, picture"] = Job((*words, "--out", str(folder / "small.png")), None, 1.2)
    found["report of eight sections"] = Job(("-m", "logochron", "report", report_file(folder)), None, 60.0)
    many = "SELECT DATE '2024-01-01' + (hash(i, 1) % 1000)::INT AS sold_on, 'item ' || (i % {0})::VARCHAR AS item, "
    many += "(hash(i, 6) % 50000)::INT / 100 AS revenue FROM range({1}) AS r(i)"
    of_items = str(made(folder, f"items-{ITEMS}.parquet", many.format(ITEMS, 30 * ITEMS)))
    found["land"] = Job(partial(many_of, of_items, "land"), None, 10.0, 2000)
    found["pace"] = Job(partial(many_of, of_items, "pace"), None, 5.0, 2000)
    more = str(made(folder, f"items-{10 * ITEMS}.parquet", many.format(10 * ITEMS, 10 * ITEMS)))
    found["1,000,000 items"] = Job(partial(many_of, more, "read"), None, 10.0, 1600)
    return found


def run(name: str, job: Job, side: str, folder: Path) -> tuple[Run, list[float]]:
    """One side of a job as a process."""
    if isinstance(job.ours, tuple) and side == "ours":
        return process(job.ours), []
    ran = process([__file__, "--folder", str(folder), "--job", name, "--side", side])
    return ran, json.loads(ran.said)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--only", default="", metavar="WORDS", help="jobs whose name holds these words")
    parser.add_argument("--folder", type=Path, default=Path("build/benchmarks"))
    parser.add_argument("--job", help=argparse.SUPPRESS)
    parser.add_argument("--side", help=argparse.SUPPRESS)
    asked = parser.parse_args()
    asked.folder.mkdir(parents=True, exist_ok=True)
    known = jobs(asked.folder)
    if asked.job:
        one = known[asked.job]
        work = one.ours if asked.side == "ours" else one.by_hand
        assert callable(work)
        print(json.dumps(work()))
        return
    print(f"{'job':<32}{'ours s':>9}{'by hand':>9}{'ratio':>8}{'goal':>7}{'wall s':>8}{'peak MB':>9}")
    for name, job in known.items():
        if asked.only not in name:
            continue
        found: dict[str, list[Run]] = {"ours": [], "by hand": []}
        for _ in range(asked.rounds):
            sides = ["ours", "by hand"] if job.by_hand else ["ours"]
            answers = []
            for side in sides:
                ran, said = run(name, job, side, asked.folder)
                found[side].append(ran)
                answers += [said] if said else []
            for one, other in zip(*answers) if len(answers) == 2 else ():
                if abs(one - other) > 1e-6 * max(abs(other), 1):
                    raise SystemExit(f"{name}: ours answers {one}, by hand {other}")
        ours, hand = (statistics.median(r.processor for r in runs) if runs else 0.0 for runs in found.values())
        wall = statistics.median(r.seconds for r in found["ours"])
        ratio = f"{ours / hand:>7.2f}x" if hand else " " * 8
        peak = max(r.peak for r in found["ours"])
        goal = f"{job.most:g}{'x' if hand and callable(job.ours) else ' s'}"
        print(f"{name:<32}{ours:>9.2f}{hand:>9.2f}{ratio}{goal:>7}{wall:>8.2f}{peak:>9,.0f}", flush=True)


if __name__ == "__main__":
    main()
