"""Makes the compiled catalogs of messages from their sources: `python scripts/make_catalogs.py`."""

from __future__ import annotations

import io
from pathlib import Path

from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po

FOLDER = Path(__file__).parents[1] / "src" / "logochron" / "views" / "words" / "catalogs"


def compiled(source: Path) -> bytes:
    """A catalog as gettext reads it."""
    target = io.BytesIO()
    with source.open("rb") as file:
        write_mo(target, read_po(file))
    return target.getvalue()


if __name__ == "__main__":
    for source in sorted(FOLDER.rglob("*.po")):
        source.with_suffix(".mo").write_bytes(compiled(source))
        print(source.with_suffix(".mo"))
