"""Exports as companies write them, made up: ERP, web shop, till, spreadsheet, statement; each with its truth."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import xlsxwriter

Rows = Sequence[Sequence[object]]
#: What an export is worth: by item, ``""`` for all, the figure of the period that is asked for.
Truth = dict[str, float]


@dataclass
class Export:
    """An export: what is written, what is asked of it, what the answer must be, and what makes it wrong.

    `spoil` writes the same with one thing made wrong; the answer is then a question, or says `told`.
    """

    name: str
    write: Callable[[Path], None]
    words: tuple[str, ...]
    truth: Truth
    spoil: Callable[[Path], None]
    told: str


def text(rows: Rows, delimiter: str = ",") -> Callable[[Path], None]:
    def write(path: Path) -> None:
        lines = (delimiter.join("" if field is None else str(field) for field in row) for row in rows)
        path.write_text("\n".join(lines) + "\n", encoding="utf-8")

    return write


def sheet(rows: Rows, merged: Sequence[tuple[int, int, int, int]] = (), name: str = "Umsatz") -> Callable[[Path], None]:
    def write(path: Path) -> None:
        with xlsxwriter.Workbook(path) as book:
            page = book.add_worksheet(name)
            for r, row in enumerate(rows):
                for c, field in enumerate(row):
                    page.write(r, c, field)
            for first_row, first, last_row, last in merged:
                page.merge_range(first_row, first, last_row, last, rows[first_row][first])

    return write


def changed(rows: Rows, row: int, column: int, field: object) -> list[list[object]]:
    """The same rows with another field."""
    copy = [list(one) for one in rows]
    copy[row][column] = field
    return copy


MONTHS = [f"{year}-{month:02d}" for year in (2025, 2026) for month in range(1, 13)][:14]
GERMAN = ["Jan", "Feb", "Mrz", "Apr", "Mai", "Jun", "Jul", "Aug", "Sep", "Okt", "Nov", "Dez"]
#: Of each region what it sold in each of the 14 months.
NORTH = [100 + 3 * i for i in range(14)]
SOUTH = [60 + 2 * i for i in range(14)]
LAST = {"North": 139.0, "South": 86.0, "": 225.0}
BOTH = {"North": NORTH, "South": SOUTH}


def _days(first: date, many: int) -> list[date]:
    return [first + timedelta(i) for i in range(many)]


def _pivot() -> list[list[object]]:
    return [
        ["Region", "Product", "Jan 2025", "Jan 2026"], ["North", "Alpha", 10, 12], ["", "Beta", 5, 6],
        ["North Total", "", 15, 18], ["South", "Alpha", 3, 4], ["", "Beta", 1, 1], ["South Total", "", 4, 5],
        ["Grand Total", "", 19, 23],
    ]  # fmt: skip


def _long_totals() -> list[list[object]]:
    rows: list[list[object]] = [["Month", "Area", "Channel", "Amount"]]
    for i, month in enumerate(MONTHS):
        for area, sold in BOTH.items():
            rows += [
                [month, area, "web", 20],
                [month, area, "shop", sold[i] - 20],
                [month, f"{area} Total", "", sold[i]],
            ]
    return [*rows, ["Grand Total", "", "", sum(NORTH) + sum(SOUTH)]]


def _german_pivot() -> list[list[object]]:
    rows: list[list[object]] = [["", "", "2025", "", "2026", ""], ["Region", "Produkt", "Jan", "Feb", "Jan", "Feb"]]
    rows += [["Nord", "A", 10.5, 11, 12, 13], ["", "B", 1, 2, 3, 4], ["Summe Nord", "", 11.5, 13, 15, 17]]
    rows += [["Süd", "A", 5, 5, 6, 6], ["", "B", 1, 1, 1, 1], ["Summe Süd", "", 6, 6, 7, 7]]
    return [*rows, ["Gesamtergebnis", "", 17.5, 19, 22, 24]]


def _currencies(*, late: str = "") -> list[list[object]]:
    rows: list[list[object]] = [["booked_on", "currency", "shop", "amount"]]
    drawn = random.Random(1)
    for i, day in enumerate(_days(date(2025, 1, 1), 395) * 23):
        kind = "EUR" if late else ("EUR", "EUR", "USD", "GBP")[i % 4]
        rows.append([day, late if late and i == 9000 else kind, f"S{i % 3}", f"{drawn.randint(1, 99)}.50"])
    return rows


def _of(rows: Rows, month: str, *, item: int, **where: str) -> Truth:
    """The amounts (the last column) of a month, by item, reckoned row by row."""
    header = list(rows[0])
    truth: Truth = {"": 0.0}
    for row in rows[1:]:
        kept = all(str(row[header.index(column)]) == label for column, label in where.items())
        if str(row[0]).startswith(month) and kept:
            for label in (str(row[item]), ""):
                truth[label] = truth.get(label, 0.0) + float(str(row[-1]))
    return truth


def _orders(*, misspelt: bool = False) -> list[list[object]]:
    rows: list[list[object]] = [["created", "order_id", "status", "shop", "unit_price", "qty", "line_total"]]
    states = ["paid", "paid", "shipped", "cancelled", "pending"]
    for i, day in enumerate(_days(date(2025, 1, 1), 395)):
        rows.append([day, 10_000 + i, states[i % 5], f"S{i % 2}", 2.5 + i % 3, 1 + i % 4, (2.5 + i % 3) * (1 + i % 4)])
    return changed(rows, 4, 2, "canceld") if misspelt else rows


def _running(*, little: bool = True) -> list[list[object]]:
    rows: list[list[object]] = [["Period", "Region", "Sales"]]
    for i, month in enumerate(MONTHS):
        part = 10 / 28 if little and i == 13 else 1
        rows += [[f"{month[5:]}/{month[:4]}", area, round(sold[i] * part)] for area, sold in BOTH.items()]
    return rows


def _weeks() -> list[list[object]]:
    rows: list[list[object]] = [["Woche", "Region", "Umsatz"]]
    names = [f"KW {week}/{year}" for year in (25, 26) for week in range(1, 53)][:60]
    return rows + [[name, area, 100 * n + i] for i, name in enumerate(names) for n, area in enumerate(BOTH, 1)]


def _two_columns(*, week: bool = False) -> list[list[object]]:
    rows: list[list[object]] = [["Jahr", "KW" if week else "Monat", "Region", "Umsatz"]]
    for i, month in enumerate(MONTHS):
        rows += [[month[:4], int(month[5:]), area, f"{sold[i]},0"] for area, sold in BOTH.items()]
    return rows


def _till() -> list[list[object]]:
    rows: list[list[object]] = [["ts", "Region", "till_no", "receipt", "price", "pieces", "total"]]
    for i, day in enumerate(_days(date(2025, 1, 1), 395)):
        stamp = int(datetime(day.year, day.month, day.day, 12, tzinfo=UTC).timestamp())
        rows += [[stamp + n, area, n, 5_000 + i, 2.25, 2 + n, 2.25 * (2 + n)] for n, area in enumerate(BOTH)]
    return rows


def _thousands(*, mega: bool = False) -> list[list[object]]:
    rows: list[list[object]] = [["Date", "Region", "Amount"]]
    for i, month in enumerate(MONTHS):
        rows += [[f"{month}-01", area, f"{sold[i] / 10:.1f}k"] for area, sold in BOTH.items()]
        rows += [[f"{month}-15", "South", "0.3k-"]]
    return changed(rows, 9, 2, "9.1M") if mega else rows


def _periods(label: Callable[[int, int], str], header: str = "Period") -> list[list[object]]:
    rows: list[list[object]] = [[header, "Region", "Sales"]]
    for i, month in enumerate(MONTHS):
        rows += [[label(int(month[:4]), int(month[5:])), area, sold[i]] for area, sold in BOTH.items()]
    return rows


def _quarters() -> list[list[object]]:
    rows: list[list[object]] = [["Quartal", "Region", "Ist", "Plan"]]
    names = [f"Q{q} {year}" for year in (24, 25) for q in (1, 2, 3, 4)]
    return rows + [
        [name, area, NORTH[i] * n, 500 * n] for i, name in enumerate(names) for n, area in enumerate(BOTH, 1)
    ]


def _statement() -> list[list[object]]:
    rows: list[list[object]] = [["Konto 1234;;;"], ["Buchungstag", "Text", "Betrag", "Währung"]]
    for i, day in enumerate(_days(date(2025, 1, 20), 380)):
        rows.append([f"{day:%d.%m.%Y}", "Karte" if i % 2 else "Bar", f"1.{100 + i % 7},50", "EUR"])
    return rows


def _instants(*, zone: str = "Z") -> list[list[object]]:
    rows: list[list[object]] = [["sold_at", "Region", "amount"]]
    for day in _days(date(2025, 1, 1), 395):
        rows += [[f"{day}T{10 + n}:30:00{zone}", area, 5 + n] for n, area in enumerate(BOTH)]
    return rows


def _spread(rows: Rows, label: str) -> Truth:
    """The truth of a column of labels by name."""
    header = list(rows[0])
    return _of(rows, label, item=header.index("Region"))


def _measures_below() -> list[list[object]]:
    head: list[list[object]] = [
        ["", "Jan 2025", "", "Jan 2026", ""],
        ["Region", "Revenue", "Units", "Revenue", "Units"],
    ]
    return head + [["North", 100, 10, 112, 11], ["South", 50, 6, 55, 7], ["Total", 150, 16, 167, 18]]


def _net_and_gross() -> list[list[object]]:
    rows: list[list[object]] = [["posting_date", "doc_no", "doc_line", "Region", "unit_price", "gross", "net"]]
    for i, day in enumerate(_days(date(2025, 1, 1), 395)):
        rows += [[f"{day:%Y%m%d}", 90_000 + i, 10 * n, area, 9.99, 11.9 * n, 10 * n] for n, area in enumerate(BOTH, 1)]
    return rows


def _in_thousands(*, plain: bool = False) -> list[list[object]]:
    rows: list[list[object]] = [["Jahr", "Monat", "Region", "Umsatz (T€)"]]
    for i, month in enumerate(MONTHS):
        name = GERMAN[int(month[5:]) - 1]
        rows += [[month[:4], name, area, sold[i] if plain else f"{sold[i]},5 T€"] for area, sold in BOTH.items()]
    return rows


def _once() -> list[list[object]]:
    rows: list[list[object]] = [["Region", "Month", "Sales"]]
    for area, sold in BOTH.items():
        rows += [["" if i else area, month, sold[i]] for i, month in enumerate(MONTHS)]
    return rows


def _hidden(*, total: bool = False) -> list[list[object]]:
    rows = _periods(lambda y, m: f"{y}M{m:02d}")
    whole = [[f"{m[:4]}M{m[5:]}", "Company", NORTH[i] + SOUTH[i]] for i, m in enumerate(MONTHS)]
    return [*rows, *whole] if total else rows


def _fiscal() -> list[list[object]]:
    return _periods(lambda y, m: f"P{m:02d} FY{y % 100}")


def _six() -> list[list[object]]:
    return _periods(lambda y, m: f"{y}{m:02d}", "when")


_CUR, _ORD = _currencies(), _orders()
_PAID = ("--where", "status!=cancelled", "--where", "status!=pending")
_MERGED = [(0, 2, 0, 3), (0, 4, 0, 5), (2, 0, 3, 0), (5, 0, 6, 0)]


def _export(name: str, rows: Rows, wrong: Rows, told: str, truth: Truth, *words: str, by: str = "Region") -> Export:
    """An export of text, separated by a semicolon where its name says that it is German."""
    part = ";" if name.startswith("de-") else ","
    return Export(name, text(rows, part), ("--by", by, *words), truth, text(wrong, part), told)


EXPORTS = [
    _export("pivot.csv", _pivot(), changed(_pivot(), 3, 3, 19), "'North Total' calls its row a total",
            {"North": 18, "South": 5, "": 23}),
    _export("long.csv", _long_totals(), changed(_long_totals(), 6, 3, 61), "'South Total' calls its row a total", LAST,
            by="Area"),
    Export("pivot.xlsx", sheet(_german_pivot(), _MERGED), ("--by", "Region"), {"Nord": 17, "Süd": 7, "": 24},
           sheet(changed(_german_pivot(), 8, 5, 25)), "'Gesamtergebnis' calls its row"),
    _export("shops.csv", _CUR, _currencies(late="SEK"), "in several currencies: EUR .9,084 rows, 100.0 %., SEK .1 row,",
            _of(_CUR, "2026-01", item=2, currency="EUR"), "--where", "currency=EUR", by="shop"),
    _export("orders.csv", _ORD, _orders(misspelt=True), "'canceld': 0.4 % of the rows .*; they usually do not count",
            _of([row for row in _ORD if row[2] not in ("cancelled", "pending")], "2026-01", item=3), *_PAID, by="shop"),
    _export("months.csv", _running(little=False), _running(), "if 2026-02 is not over, say until=", LAST),
    _export("de-weeks.csv", _weeks(), changed(_weeks(), 100, 0, "KW 99/25"), "1 of 120 rows are refused",
            {"North": 159, "South": 259, "": 418}),
    _export("de-monat.csv", _two_columns(), changed(_two_columns(), 4, 1, 14), "1 of 28 rows are refused", LAST),
    _export("till.csv", _till(), changed(_till(), 50, 0, "soon"), "1 of 790 rows are refused",
            {"North": 30 * 4.5, "South": 30 * 6.75, "": 30 * 11.25}),
    _export("k.csv", _thousands(), _thousands(mega=True), "1 of 42 rows are refused",
            {"North": 13_900, "South": 8_300, "": 22_200}, "--each", "month"),
    _export("fiscal.csv", _fiscal(), changed(_fiscal(), 5, 0, "P14 FY25"), "1 of 28 rows are refused", LAST),
    _export("six.csv", _six(), changed(_six(), 5, 0, "202599"), "1 of 28 rows are refused|may name", LAST),
    _export("de-quartal.csv", _quarters(), changed(_quarters(), 3, 2, "1,2,3"), "1 of 16 rows are refused",
            {"North": 121, "South": 242, "": 363}, "--value", "Ist"),
    _export("de-konto.csv", _statement(), changed(_statement(), 300, 3, "USD"), "in several currencies",
            {"Bar": 1100.5, "Karte": 2208.0}, by="Text"),
    _export("instants.csv", _instants(), _instants(zone="+02:00"), "holds instants such as",
            {"North": 150, "South": 180, "": 330}),
    _export("below.csv", _measures_below(), changed(_measures_below(), 4, 4, 19), "'Total' calls its row a total",
            {"North": 11, "South": 7, "": 18}, "--value", "Units"),
    _export("erp.csv", _net_and_gross(), changed(_net_and_gross(), 9, 6, "n/a"), "1 of 790 rows are refused",
            {"North": 300, "South": 600, "": 900}, "--value", "net"),
    _export("de-thousands.csv", _in_thousands(), _in_thousands(plain=True), "amounts are in thousands",
            {"North": 139_500, "South": 86_500, "": 226_000}),
    _export("once.csv", _once(), changed(_once(), 20, 1, "soon"), "1 of 28 rows are refused", LAST),
    _export("hidden.csv", _hidden(), _hidden(total=True), "equal the sum of all others", LAST),
]  # fmt: skip
