"""QR codes for links: drawn, and decoded again before they are handed out."""

from __future__ import annotations

import io
from typing import Annotated, Literal
from xml.sax.saxutils import escape

import numpy as np
import segno
import zxingcpp
from PIL import Image, ImageColor, ImageDraw
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, field_validator

from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.tagging.captions import LINE_HEIGHT, Caption, draw_line, missing_signs, width, wrapped

MIN_CONTRAST = 4.5
DOTS_PER_MM = 300 / 25.4
# A large code is looked at from afar; more dots would only cost memory.
MAX_DOTS = 3000
# Below this a phone has trouble at the distance of a hand.
MIN_MODULE_MM = 0.35
# The height of the caption's letters, as a share of the width.
LETTERS = 0.075
Colour = Annotated[str, StringConstraints(pattern=r"^#[0-9A-Fa-f]{6}$")]


class CodeRequest(BaseModel):
    """What a code says and how it looks. `millimetres`: its width in print, quiet zone included; `quiet`: the zone's width in modules."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"text": "https://fennmoor-mill.example/courses?utm_source=flour-bag&utm_medium=qr"}]}
    )
    text: Annotated[str, storable(2000, least=1)]
    dark: Colour = "#15283B"
    light: Colour = "#FFFFFF"
    millimetres: Annotated[float, Field(ge=10, le=1000, allow_inf_nan=False)] = 30
    quiet: Annotated[int, Field(ge=0, le=20)] = 4
    correction: Literal["L", "M", "Q", "H"] = "M"
    caption: Annotated[str, storable(80)] = ""

    @field_validator("caption")
    @classmethod
    def _printable(cls, text: str) -> str:
        """Signs that cannot be printed have no place in a picture."""
        return "".join(sign for sign in text if sign.isprintable())


class UnfitCodeError(ValueError):
    """A code that would not scan: the field at fault, a sentence, and what could stand there instead."""

    def __init__(self, field: str, text: str, use: str | None = None) -> None:
        super().__init__(text)
        self.field, self.text, self.use = field, text, use


class Code(BaseModel):
    """A code that was decoded again: the picture as SVG and as PNG with 300 dots an inch, how wide a module is in print, and what to mind."""

    svg: str
    png: bytes
    modules: int
    module_mm: float
    remarks: list[str]


def contrast(one: str, other: str) -> float:
    """The contrast of two colours after WCAG 2, 1 to 21."""
    light, dark = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def _luminance(colour: str) -> float:
    parts = [part / 255 for part in ImageColor.getrgb(colour)[:3]]
    linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def darkened(colour: str, ground: str) -> str | None:
    """The colour nearest to one, of its own hue, that is dark enough on a ground; None when not even black is."""
    parts = ImageColor.getrgb(colour)[:3]
    for share in range(100, -1, -1):
        made = "#" + "".join(f"{round(part * share / 100):02x}" for part in parts)
        if _luminance(made) < _luminance(ground) and contrast(made, ground) >= MIN_CONTRAST:
            return made
    return None


def _check_colours(dark: str, light: str) -> None:
    if contrast(dark, light) >= MIN_CONTRAST and _luminance(dark) < _luminance(light):
        return
    nearest = darkened(dark, light)
    if nearest is None:
        raise UnfitCodeError("light", "no colour is dark enough on this ground; take a lighter one", "#ffffff")
    if _luminance(dark) >= _luminance(light):
        raise UnfitCodeError("dark", f"the modules must be darker than the ground, as {nearest} is; many readers know no other way", nearest)
    why = f"the contrast is {contrast(dark, light):.1f} to 1; a code needs {MIN_CONTRAST} to 1 to be scanned, as {nearest} has"
    raise UnfitCodeError("dark", why, nearest)


def make_code(asked: CodeRequest) -> Code:
    """Draw a code and read it again. Raises UnfitCodeError when it would not scan."""
    _check_colours(asked.dark, asked.light)
    if missing := missing_signs(asked.caption):
        raise UnfitCodeError("caption", f"these signs cannot be printed: {' '.join(missing[:10])}")
    try:
        drawn = segno.make(asked.text, error=asked.correction, micro=False, boost_error=False)
    except segno.DataOverflowError:
        raise UnfitCodeError("text", "this is too long for a code; use less error correction or a shorter link") from None
    matrix = np.array([list(row) for row in drawn.matrix], bool)
    wide = len(matrix) + 2 * asked.quiet
    module = asked.millimetres / wide
    png = _png(matrix, asked, module)
    read = zxingcpp.read_barcodes(np.asarray(Image.open(io.BytesIO(png)).convert("L")))
    if [one.text for one in read] != [asked.text]:
        raise UnfitCodeError("quiet" if asked.quiet < 2 else "millimetres", "the code could not be read again as it is drawn; give it more room or more width")
    remarks = []
    if module < MIN_MODULE_MM:
        remarks.append(f"A module is {module:.2f} mm wide; below {MIN_MODULE_MM} mm phones have trouble. Make it {MIN_MODULE_MM * wide:.0f} mm wide.")
    if asked.quiet < 4:
        remarks.append("Readers expect a quiet zone of 4 modules around the code.")
    return Code(svg=_svg(matrix, asked, module), png=png, modules=len(matrix), module_mm=round(module, 3), remarks=remarks)


def _caption(asked: CodeRequest) -> Caption:
    """The words under the code, in letters of an even size whatever their length."""
    return wrapped(asked.caption, LETTERS)


def _svg(matrix: np.ndarray, asked: CodeRequest, module: float) -> str:
    size, caption = asked.millimetres, _caption(asked)
    letters, high = caption.letters * size, size * (1 + caption.height)
    runs = []
    for y, row in enumerate(matrix):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], row.astype(np.int8), [0]])))
        runs += [f"M{x + asked.quiet} {y + asked.quiet}h{to - x}v1h{x - to}z" for x, to in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)]
    words = "".join(
        f'<text x="{size / 2:.3f}" y="{size + letters * (0.8 + place * LINE_HEIGHT):.3f}" font-size="{letters:.3f}" text-anchor="middle" '
        # Whatever font a viewer has, a line is as wide as it was measured.
        f'textLength="{width(line) * letters:.3f}" lengthAdjust="spacingAndGlyphs" font-family="sans-serif" fill="{asked.dark}">{escape(line)}</text>'
        for place, line in enumerate(caption.lines)
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{size:g}mm" height="{high:.3f}mm" viewBox="0 0 {size:g} {high:.3f}">'
        f'<rect width="100%" height="100%" fill="{asked.light}"/>'
        f'<path transform="scale({module:.6f})" fill="{asked.dark}" shape-rendering="crispEdges" d="{"".join(runs)}"/>{words}</svg>'
    )


def _png(matrix: np.ndarray, asked: CodeRequest, module: float) -> bytes:
    framed = np.pad(matrix, asked.quiet)
    dots = max(min(round(module * DOTS_PER_MM), MAX_DOTS // len(framed)), 1)
    pixels = np.where(np.kron(framed, np.ones((dots, dots), bool)), 0, 255).astype(np.uint8)
    size = pixels.shape[0]
    caption = _caption(asked)
    letters = max(round(caption.letters * size), 4)
    picture = Image.new("RGB", (size, size + round(caption.height * size)), asked.light)
    picture.paste(Image.new("RGB", (size, size), asked.dark), (0, 0), Image.fromarray(255 - pixels))
    drawing = ImageDraw.Draw(picture)
    for place, line in enumerate(caption.lines):
        draw_line(drawing, line, size / 2, size + letters * (0.8 + place * LINE_HEIGHT), letters, asked.dark)
    out = io.BytesIO()
    picture.save(out, "PNG", dpi=(dots / module * 25.4, dots / module * 25.4))
    return out.getvalue()
