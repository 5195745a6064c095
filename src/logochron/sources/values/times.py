"""How times of day are written: regular expressions that Python and the engine both read."""

from __future__ import annotations

_IN_ZONE = r"(?: ?(?:Z|UTC|GMT)| ?[+-][0-9]{2}(?::?[0-9]{2})?)"
#: What follows a date in a timestamp.
TIME = (
    r",?[ T]+(?:[01]?[0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]+)?)?"
    rf"(?: ?[AaPp]\.? ?[Mm]\.?)?{_IN_ZONE}? *$"
)
#: A time in a named zone.
ZONE = rf"[0-9]:[0-9][0-9](?:[0-9:.,]*){_IN_ZONE} *$"
