"""Colors by what they mean."""

from __future__ import annotations

from dataclasses import dataclass, replace


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

    def on_any_ground(self) -> Palette:
        """The colors of texts where the ground is not ours, as on a terminal: each 4.5 : 1 on white and on black alike.

        A tone of luminance 0.179 is as far from white as from black (WCAG 2.2, contrast ratio).

        >>> Palette().on_any_ground().favorable
        '#197DAB'
        """
        names = ("favorable", "adverse", "level", "estimate")
        return replace(self, **{name: _between(self.role(name)) for name in names})

    def on_terminal(self, colors_said: str | None) -> Palette:
        """The colors of texts on a terminal that tells its colors ("15;0": white on black), or does not.

        Parameters
        ----------
        told
            What the variable COLORFGBG holds: numbers of the fore- and background, 7 and 15 being light.

        >>> Palette().on_terminal("0;15") == Palette(), Palette().on_terminal("15;0") == Palette().on_dark()
        (True, True)
        """
        ground = (colors_said or "").rpartition(";")[2]
        if not ground.isdecimal():
            return self.on_any_ground()
        return self if ground in ("7", "15") else self.on_dark()

    def on_dark(self) -> Palette:
        """The same roles on dark ground: paper is dark, ink is light, each tone 4.5 : 1 or more on it.

        >>> Palette().on_dark().paper
        '#15191F'
        """
        paper, ink = _DARK, mixed(self.paper, self.base, 0.12)
        tones = {name: _readable(self.role(name), paper) for name in ("favorable", "adverse", "level", "estimate")}
        series = {"current": mixed(self.current, "#FFFFFF", 0.62), "base": mixed(self.base, paper, 0.35)}
        return replace(self, paper=paper, ink=ink, grid=mixed(paper, ink, 0.16), **tones, **series)

    def verdict(self, verdict: str) -> str:
        """The color of a verdict; neutral and unknown are the level's."""
        return {"favorable": self.favorable, "adverse": self.adverse}.get(verdict, self.level)


#: Dark ground, and how far texts stand off it at least.
_DARK, _CONTRAST = "#15191F", 5.0
#: The luminance as far from white as from black.
_MIDDLE = 1.05**0.5 * 0.05**0.5 - 0.05


def luminance(color: str) -> float:
    """The relative luminance of a color, from 0 to 1 (WCAG 2.2).

    >>> luminance("#FFFFFF"), luminance("#000000")
    (1.0, 0.0)
    """
    parts = [int(color[place : place + 2], 16) / 255 for place in (1, 3, 5)]
    red, green, blue = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def mixed(color: str, other: str, part: float) -> str:
    """A color with a part of another in it.

    >>> mixed("#000000", "#FFFFFF", 0.5)
    '#808080'
    """
    sides = ([int(one[place : place + 2], 16) for place in (1, 3, 5)] for one in (color, other))
    return "#" + "".join(f"{round(a + (b - a) * part):02X}" for a, b in zip(*sides))


def contrast(color: str, other: str) -> float:
    """How far two colors stand off each other, from 1 to 21 (WCAG 2.2).

    >>> contrast("#FFFFFF", "#000000")
    21.0
    """
    darker, lighter = sorted((luminance(color), luminance(other)))
    return (lighter + 0.05) / (darker + 0.05)


def _readable(color: str, ground: str) -> str:
    """A color made lighter until it stands off dark ground."""
    steps = (mixed(color, "#FFFFFF", part / 100) for part in range(101))
    return next(tone for tone in steps if contrast(tone, ground) >= _CONTRAST)


def _between(color: str) -> str:
    """A color brought to the luminance as far from white as from black; one that is near it stays."""
    if abs(luminance(color) - _MIDDLE) < 0.012:
        return color
    other = "#FFFFFF" if luminance(color) < _MIDDLE else "#000000"
    steps = (mixed(color, other, part / 100) for part in range(101))
    return min(steps, key=lambda tone: abs(luminance(tone) - _MIDDLE))
