"""The one door from results to the code that shows them; the package opens it, `core` imports nothing above."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

#: Set by the package: writes a result to a path, by its ending.
write: Callable[[Any, str | Path], Path]
#: Set by the package: a result as HTML.
html: Callable[[Any], str]
