"""What columns are called, and what that says of them."""

from __future__ import annotations

import re

#: What columns of amounts are called, the likeliest first; what they are called that are planned.
MONEY = (
    re.compile(r"net|netto|actual|\bist\b", re.IGNORECASE),
    re.compile(r"revenue|sales|turnover|takings|income|umsatz|erl[öo]s|ventas|chiffre", re.IGNORECASE),
    re.compile(r"amount|betrag|total|summe|value|wert|gross|brutto|importe|montant", re.IGNORECASE),
)
PLANNED = re.compile(r"plan|budget|target|forecast|soll|goal|previous|vorjahr|last.?year", re.IGNORECASE)
#: What columns of numbers are called that are no amounts: numbers of things, parts of dates, prices of one, rates.
NUMBERED = re.compile(
    r"(^|[^a-z])(receipt|beleg|invoice|rechnung|ticket|doc|document|customer|kunde|konto|account|ids?|nr|no|number|nummer|code|key|sku|ean|gtin|zip|plz|postcode|phone|index|row|zeile|line|pos|position"
    r"|year|jahr|month|monat|week|woche|kw|day|tag|lat|lon|latitude|longitude)$|(?<=[a-z])(Id|ID|Nr|No)$",
    re.IGNORECASE,
)
PRICED = re.compile(
    # not Umsatz and Absatz, Kursgebühr, taxi, reservations, registrations
    r"price|preis|prix|precio|\brate\b|_rate$|(?<!um)(?<!ab)(?<!ein)(?<!zu)satz|kurs\b|per.?unit|\bpct\b|percent"
    r"|prozent|%|discount|rabatt|tax(?!i)|(?<![a-z])vat(?![a-z])|mwst|\bust\b|steuer|margin|marge|quote\b"
    r"|(?<![a-z])ratio|weight|gewicht",
    re.IGNORECASE,
)
#: What columns are called that number the lines of a document.
PLACE = re.compile(r"(^|[^a-z])(line|pos|position|zeile|row|index)$", re.IGNORECASE)
#: What they are called that are prices of several.
TOGETHER = re.compile(r"total|gesamt|extended|line.?(?:price|amount)|sum", re.IGNORECASE)
DATED = re.compile(r"date|day|datum|fecha|data|jour|tag|sold|when|time|stamp|zeit|\bts\b|created|_at$", re.IGNORECASE)
