"""Gauges as files: a picture with its graticule as PNG or SVG, the counts as CSV."""

import base64
import csv
import io
import itertools
from dataclasses import dataclass
from html import escape
from importlib import resources

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from bluffline.gauges.graticule import Graticule, Line, Scale, Stroke
from bluffline.gauges.instrument import Trace
from bluffline.gauges.painting import GROUND, Painting, TraceStyle, ground
from bluffline.gauges.scale import Unit
from bluffline.measure.counted import Limits
from bluffline.signal.format import SignalFormat

_LEFT, _TOP, _RIGHT, _BOTTOM = 52, 34, 16, 26
_SCALE = {
    Stroke.SCALE: (84, None), Stroke.FAINT: (62, None), Stroke.TARGET: (230, None), Stroke.LIMIT: (230, (6, 4)),
    Stroke.RGB_LIMIT: (230, (2, 4)), Stroke.GUIDE: (172, (8, 3, 2, 3)),
}  # fmt: skip
_TEXT, _DIM = 230, 172


@dataclass(frozen=True)
class GaugePicture:
    """A gauge laid out to be saved: the field's pixels, its graticule, where the field lies, and what stands above it."""

    title: str
    pixels: NDArray[np.uint32]
    graticule: Graticule
    size: tuple[int, int]
    field: tuple[int, int, int, int]

    def at(self, place: tuple[float, float]) -> tuple[float, float]:
        """A place of the field in pixels of the whole."""
        left, top, width, height = self.field
        return left + place[0] * width, top + place[1] * height


def lay_out(
    trace: Trace, title: str, size: tuple[int, int], source: SignalFormat, limits: Limits, *, unit: Unit = Unit.PERCENT,
    look: TraceStyle | None = None, gamut: str | None = None,
) -> GaugePicture:  # fmt: skip
    """A gauge of ``size`` columns and rows with everything that belongs to it."""
    width, height = max(size[0] - _LEFT - _RIGHT, 32), max(size[1] - _TOP - _BOTTOM, 32)
    left, top = _LEFT, _TOP
    if trace.gauge.square:
        side = min(width, height)
        left, top, width, height = left + (width - side) // 2, top + (height - side) // 2, side, side
    pixels = ground((width, height))
    trace.gauge.paint(trace, pixels, Painting(source, limits, look or TraceStyle(), gamut))
    marks = trace.gauge.graticule(Scale(source, limits, unit))
    return GaugePicture(f"{title} · {unit}", pixels, marks, size, (left, top, width, height))


def _words(picture: GaugePicture, wide: dict[str, float]) -> list[tuple[str, float, float]]:
    """Each word with the left end and the middle of its line."""
    left, _, _, height = picture.field
    placed = []
    for word in picture.graticule.words:
        x, y = picture.at((max(word.at[0], 0), min(word.at[1], 1)))
        x = left - 6 if word.at[0] < 0 else x
        y = picture.field[1] + height + 11 if word.at[1] > 1 else y
        length = wide[word.text]
        start = x - length if word.side < 0 else x - length / 2 if word.side == 0 else x
        placed.append((word.text, min(max(start, 2.0), picture.size[0] - length - 2), y))
    return placed


def png(picture: GaugePicture) -> bytes:
    """The gauge as PNG."""
    image = Image.new("RGB", picture.size, (GROUND + 12,) * 3)
    left, top, width, height = picture.field
    field = Image.fromarray(np.ascontiguousarray(picture.pixels.view(np.uint8).reshape(height, width, 4)[..., 2::-1]))
    image.paste(field, (left, top))
    draw = ImageDraw.Draw(image)
    for line in picture.graticule.lines:
        grey, dashes = _SCALE[line.stroke]
        for start, stop in _dashed([picture.at(point) for point in line.points], dashes):
            clipped = _clipped(start, stop, picture.field)
            if clipped is not None:
                draw.line(clipped, fill=(grey,) * 3, width=1)
    font = _font(11)
    for text, x, y in _words(picture, {word.text: font.getlength(word.text) for word in picture.graticule.words}):
        draw.text((x, y), text, fill=(_DIM,) * 3, font=font, anchor="lm")
    draw.text((10, 9), picture.title, fill=(_TEXT,) * 3, font=_font(13))
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


def svg(picture: GaugePicture) -> str:
    """The gauge as SVG: the trace as an image, everything else as lines and text."""
    left, top, width, height = picture.field
    raw = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(picture.pixels.view(np.uint8).reshape(height, width, 4)[..., 2::-1])).save(raw, "PNG")
    data = base64.b64encode(raw.getvalue()).decode("ascii")
    parts = [
        (
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {picture.size[0]} {picture.size[1]}" '
            f'width="{picture.size[0]}" height="{picture.size[1]}" font-family="B612, sans-serif" font-size="11">'
        ),
        f'<rect width="100%" height="100%" fill="{_grey(GROUND + 12)}"/>',
        f'<image x="{left}" y="{top}" width="{width}" height="{height}" href="data:image/png;base64,{data}"/>',
        f'<clipPath id="field"><rect x="{left}" y="{top}" width="{width}" height="{height}"/></clipPath>',
        '<g fill="none" clip-path="url(#field)">',
        *(_svg_line(line, picture) for line in picture.graticule.lines),
        "</g>",
    ]
    font = _font(11)
    for text, x, y in _words(picture, {word.text: font.getlength(word.text) for word in picture.graticule.words}):
        parts.append(f'<text x="{x:.1f}" y="{y + 4:.1f}" fill="{_grey(_DIM)}">{escape(text)}</text>')
    parts.append(f'<text x="10" y="20" font-size="13" fill="{_grey(_TEXT)}">{escape(picture.title)}</text></svg>')
    return "\n".join(parts) + "\n"


def counts_csv(trace: Trace) -> str:
    """What was counted, as a table; see `Instrument.table`."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerows(trace.gauge.table(trace))
    return text.getvalue()


def _svg_line(line: Line, picture: GaugePicture) -> str:
    grey, dashes = _SCALE[line.stroke]
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in map(picture.at, line.points))
    dashed = f' stroke-dasharray="{" ".join(map(str, dashes))}"' if dashes else ""
    return f'<polyline points="{points}" stroke="{_grey(grey)}"{dashed}/>'


def _grey(value: int) -> str:
    return f"#{value:02x}{value:02x}{value:02x}"


def _font(size: int) -> ImageFont.FreeTypeFont:
    data = resources.files("bluffline.gauges").joinpath("fonts", "B612-Regular.otf").read_bytes()
    return ImageFont.truetype(io.BytesIO(data), size)


Point = tuple[float, float]


def _dashed(points: list[Point], dashes: tuple[int, ...] | None) -> list[tuple[Point, Point]]:
    """The strokes of a polyline; the pattern runs on round its corners."""
    pairs = list(itertools.pairwise(points))
    if dashes is None:
        return pairs
    strokes: list[tuple[Point, Point]] = []
    place, left = 0, float(dashes[0])
    for (x0, y0), (x1, y1) in pairs:
        length, done = float(np.hypot(x1 - x0, y1 - y0)), 0.0
        while done < length:
            step = min(left, length - done)
            if place % 2 == 0:
                a, b = done / length, (done + step) / length
                strokes.append(((x0 + a * (x1 - x0), y0 + a * (y1 - y0)), (x0 + b * (x1 - x0), y0 + b * (y1 - y0))))
            done, left = done + step, left - step
            if left <= 0:
                place = (place + 1) % len(dashes)
                left = float(dashes[place])
    return strokes


def _clipped(start: Point, stop: Point, field: tuple[int, int, int, int]) -> tuple[float, float, float, float] | None:
    """The part of a line inside the field, or None."""
    (x0, y0), (x1, y1) = start, stop
    left, top, width, height = field
    low, high = 0.0, 1.0
    for step, room in ((x0 - x1, x0 - left), (x1 - x0, left + width - x0), (y0 - y1, y0 - top), (y1 - y0, top + height - y0)):
        if step == 0:
            if room < 0:
                return None
        elif step < 0:
            low = max(low, room / step)
        else:
            high = min(high, room / step)
    if low > high:
        return None
    return x0 + low * (x1 - x0), y0 + low * (y1 - y0), x0 + high * (x1 - x0), y0 + high * (y1 - y0)
