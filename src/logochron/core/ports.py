"""The one door from the core to code above it: the package opens it, `core` imports nothing that reads or shows."""

from __future__ import annotations

TYPE_CHECKING = False  # this is loaded with the package: what types alone need is not
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from contextlib import AbstractContextManager
    from pathlib import Path
    from typing import Any

#: Set by the package: the figure of each measure in each period of a book, as a frame.
totals: Callable[..., Any]
#: Set by the package: writes a result to a path, by its ending; texts made harmless for spreadsheets where asked.
write: Callable[[Any, str | Path, bool], Path]
#: Set by the package: shows the progress of a long reading where nobody else does; gives what is told the part done.
progress: Callable[[], AbstractContextManager[Callable[[float], None] | None]]
#: Set by the package: a result as HTML.
html: Callable[[Any], str]
#: Set by the package: the tables of a result as the terminal shows them.
text: Callable[[Any], str]
#: Set by the package: a result in Markdown.
markdown: Callable[[Any], str]
#: Set by the package: a table of periods (a frame, a mapping of columns, a path) as a `Listing`.
listing: Callable[[Any], Any]
#: Set by the package: a table of shares (a frame, a mapping of columns, a path) as `ListedShares`.
profile: Callable[[Any], Any]
#: Set by the package: the first and the last days that a table of days lists (a frame, a mapping of columns, a path).
listed_days: Callable[[Any], tuple[Any, Any]]
#: Set by the package: the public holidays of a country or region between two days, as day numbers and names.
holidays: Callable[[str, int, int], dict[int, str]]
#: Set by the package: takes the rows of our own questions in, once.
questions: Callable[[], None]
#: Set by the package: by their names the questions that a book can be asked, and a question by its name.
asked_of_book: Callable[[], Mapping[str, Callable[[], Any]]]
#: Set by the package: a receipt in words.
receipt: Callable[[Any], str]
#: Set by the package: the months by how they are called, in small letters, in all languages that are read.
month_names: Callable[[], Mapping[str, int]]
