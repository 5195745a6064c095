"""Colors by what they mean."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class Palette:
    """The colors of all views, by role, as ``#RRGGBB``.

    >>> Palette(current="#004488").current
    '#004488'
    """

    ink: str = "#1B2733"
    current: str = "#22365E"
    base: str = "#B9B2A3"
    favorable: str = "#1279A8"
    adverse: str = "#B93A1E"
    level: str = "#7A7468"
    estimate: str = "#5F2DA5"
    paper: str = "#FFFFFF"
    grid: str = "#E6E2DA"

    def role(self, role: str) -> str:
        """The color of a role.

        >>> Palette().role("estimate")
        '#5F2DA5'
        """
        return str(getattr(self, role))

    def verdict(self, verdict: str) -> str:
        """The color of a verdict; neutral and unknown are the level's."""
        return {"favorable": self.favorable, "adverse": self.adverse}.get(verdict, self.level)
