"""The words under a picture: in a font that ships, wrapped, never cut."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from PIL import ImageDraw, ImageFont

# Each holds the signs of its scripts; a line may need several.
_FONTS = [Path(__file__).parent / "fonts" / f"{name}.woff2" for name in ("latin", "latin-ext", "cyrillic", "greek")]
_WEIGHT = 500
_NO_SIGN = "\U0010ffff"
# Signs are told apart at this size; lines are measured at it too.
_MEASURED = 100
LINE_HEIGHT = 1.25


@lru_cache(64)
def _font(place: int, size: int) -> ImageFont.FreeTypeFont:
    font = ImageFont.truetype(str(_FONTS[place]), size)
    font.set_variation_by_axes([_WEIGHT])
    return font


@lru_cache(4096)
def _font_of(sign: str) -> int | None:
    """Which font has the sign; None where none has."""
    for place in range(len(_FONTS)):
        font = _font(place, _MEASURED)
        if sign == " " or bytes(font.getmask(sign)) != bytes(font.getmask(_NO_SIGN)):
            return place
    return None


def missing_signs(text: str) -> list[str]:
    """The signs that no font has, each once, in order."""
    return [sign for sign in dict.fromkeys(text) if _font_of(sign) is None]


def _runs(text: str) -> list[tuple[int, str]]:
    """The text as stretches of one font."""
    runs: list[tuple[int, str]] = []
    for sign in text:
        place = _font_of(sign) or 0
        if runs and (sign == " " or runs[-1][0] == place):
            runs[-1] = (runs[-1][0], runs[-1][1] + sign)
        else:
            runs.append((place, sign))
    return runs


def width(text: str) -> float:
    """The width of a line, in heights of its letters."""
    return sum(_font(place, _MEASURED).getlength(run) for place, run in _runs(text)) / _MEASURED


@dataclass(frozen=True)
class Caption:
    """Lines, and the height of their letters as a share of the picture's width."""

    lines: tuple[str, ...]
    letters: float

    @property
    def height(self) -> float:
        """Of all lines and the room below, as a share of the picture's width."""
        return (len(self.lines) + 0.25) * LINE_HEIGHT * self.letters if self.lines else 0.0


def wrapped(text: str, letters: float, room: float = 0.94) -> Caption:
    """The text in lines no wider than `room`; a word that is wider by itself is broken. All in shares of the picture's width."""
    most, lines, line = room / letters, [], ""
    for word in text.split():
        if line and width(f"{line} {word}") <= most:
            line = f"{line} {word}"
            continue
        if line:
            lines.append(line)
        line = word
        while width(line) > most:
            fitting = next(count for count in range(len(line), 0, -1) if count == 1 or width(line[:count]) <= most)
            lines.append(line[:fitting])
            line = line[fitting:]
    return Caption((*lines, line) if line else tuple(lines), letters)


def draw_line(drawing: ImageDraw.ImageDraw, line: str, middle: float, base: float, size: int, fill: str) -> None:
    """One line around a middle, on its base line, in pixels."""
    left = middle - width(line) * size / 2
    for place, run in _runs(line):
        font = _font(place, size)
        drawing.text((left, base), run, fill=fill, font=font, anchor="ls")
        left += font.getlength(run)
