"""The chromaticity diagram: CIE 1931 x, y or CIE 1976 u′, v′."""

from collections.abc import Iterator
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.gauges.colour_gauge import ColourGauge, inside
from bluffline.gauges.graticule import Line, Point, Scale, Stroke, Word
from bluffline.gauges.instrument import Box, Moment, Seen, Trace
from bluffline.gauges.painting import Painting
from bluffline.measure import scope_kernels
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.signal.colorimetry import D65, GAMUTS, PRIMARIES, rgb_to_xyz, to_light
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import standard

CIE_REACH = {"1931": 0.85, "1976": 0.65}  # greatest x and y, u′ and v′ on the diagram
_CELLS = 256
# What each of the two axes is of X, Y and Z, and what it is divided by.
_PARTS = {"1931": ((1, 0, 0), (0, 1, 0), (1, 1, 1)), "1976": ((4, 0, 0), (0, 9, 0), (1, 15, 3))}
# x and y of the spectrum: 400 to 480 nm by 20 nm, 490 to 630 by 10, and 700 (CIE 1931 standard observer, CIE 15:2018).
_SPECTRUM = (
    (0.1733, 0.0048), (0.1714, 0.0051), (0.1644, 0.0109), (0.1440, 0.0297), (0.0913, 0.1327), (0.0454, 0.2950),
    (0.0082, 0.5384), (0.0139, 0.7502), (0.0743, 0.8338), (0.1547, 0.8059), (0.2296, 0.7543), (0.3016, 0.6923),
    (0.3731, 0.6245), (0.4441, 0.5547), (0.5125, 0.4866), (0.5752, 0.4242), (0.6270, 0.3725), (0.6658, 0.3340),
    (0.6915, 0.3083), (0.7079, 0.2920), (0.7347, 0.2653),
)  # fmt: skip


class Chromaticity(ColourGauge):
    """Colours whatever their brightness, among the gamuts."""

    name = "chromaticity"
    place = 14
    modes = {"1931": "CIE 1931 x, y", "1976": "CIE 1976 u′, v′"}
    by_gamut = True
    margins = (30, 4, 4, 22)

    @property
    def title(self) -> str:
        return self.modes[self.mode]

    def count(self, frame: FrameSignal, selection: Selection, columns: int, moment: Moment | None) -> Trace:
        counts, extent = np.zeros((1, _CELLS, _CELLS), np.int32), CIE_REACH[self.mode]
        weights = np.array(_PARTS[self.mode], float) @ rgb_to_xyz(frame.source.primaries)
        weights[:2] *= _CELLS / extent
        dark = scope_kernels.count_chromaticities(
            *frame.rgb, frame.source.width, selection.starts, selection.runs, frame.light, weights.astype(np.float32), counts[0]
        )
        return Trace(self, counts, 0.0, extent / _CELLS, selection.count, int(dark))

    def marks(self, scale: Scale) -> Iterator[Line | Word]:
        extent, source = CIE_REACH[self.mode], scale.source

        def place(x: float, y: float) -> Point:
            a, b = uniform(x, y) if self.mode == "1976" else (x, y)
            return a / extent, 1 - b / extent

        for step in range(1, 9):
            value = step / 10
            if value < extent:
                yield Line(((value / extent, 0), (value / extent, 1)), Stroke.FAINT)
                yield Line(((0, 1 - value / extent), (1, 1 - value / extent)), Stroke.FAINT)
                if step % 2 == 0:
                    yield Word(f"{value:.1f}", (value / extent, 2), 0)
                yield Word(f"{value:.1f}", (-1, 1 - value / extent), -1)
        yield Line(tuple(place(x, y) for x, y in (*_SPECTRUM, _SPECTRUM[0])), Stroke.SCALE)
        own = "p3-d65" if source.primaries == "p3-dci" else source.primaries
        for label, name in GAMUTS.items():
            corners = PRIMARIES[name]
            yield Line(tuple(place(*point) for point in (*corners, corners[0])), Stroke.TARGET if name == own else Stroke.FAINT)
            if name == "bt601-625" and own != name:
                continue  # its words would stand on those of BT.709
            x, y = place(*corners[1])
            yield Word(label.upper().replace("BT", "BT."), (x + 0.012, y - 0.008), 1)
        x, y = place(*D65)
        yield Line(((x - 0.012, y), (x + 0.012, y)), Stroke.TARGET)
        yield Line(((x, y - 0.012), (x, y + 0.012)), Stroke.TARGET)
        yield Word("D65", (x + 0.015, y + 0.03), 1)

    def outside(self, side: int, by: Painting) -> NDArray[np.bool_]:
        return _beyond_gamut(by.gamut, self.mode, side)

    def colours(self, side: int, by: Painting) -> NDArray[np.float32]:
        return _colours(self.mode, side)

    def facts(self, seen: Seen) -> str:
        if seen.gamut is None or seen.gamut_area is None:
            return ""
        out = f"{figure(seen.gamut_area, '.1f')} % out"
        return f"{out} of {standard(seen.gamut)}" if seen.roomy else out

    def place_of(self, source: SignalFormat, rgb: NDArray[np.floating]) -> Point | None:
        xyz = rgb_to_xyz(source.primaries) @ to_light(rgb, source.transfer)
        if xyz.sum() <= 0:
            return None
        a, b = (float(v) for v in xyz[:2] / xyz.sum())
        a, b = uniform(a, b) if self.mode == "1976" else (a, b)
        return a / CIE_REACH[self.mode], 1 - b / CIE_REACH[self.mode]

    def pixels(self, frame: FrameSignal, box: Box) -> NDArray[np.bool_]:
        source, extent = frame.source, CIE_REACH[self.mode]
        light = np.stack([frame.light[plane[: source.height, : source.width]] for plane in frame.rgb], axis=-1)
        xyz = light @ rgb_to_xyz(source.primaries).T.astype(np.float32)
        a, b, total = np.moveaxis(xyz @ np.array(_PARTS[self.mode], np.float32).T, -1, 0)
        lit = total > 1e-4
        safe = np.where(lit, total, 1)
        left, top, right, bottom = box
        chosen = (a / safe >= left * extent) & (a / safe <= right * extent)
        return np.asarray(lit & chosen & (b / safe >= (1 - bottom) * extent) & (b / safe <= (1 - top) * extent))


def uniform(x: float, y: float) -> Point:
    """CIE 1931 x, y to CIE 1976 u′, v′."""
    scale = -2 * x + 12 * y + 3
    return 4 * x / scale, 9 * y / scale


@lru_cache(maxsize=8)
def _grid(mode: str, side: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The x and y of each pixel of the diagram, (S, S)."""
    axis = (np.arange(side) + 0.5) / side * CIE_REACH[mode]
    a, b = np.meshgrid(axis, axis[::-1])
    if mode == "1931":
        return a, b
    scale = 6 * a - 16 * b + 12
    return 9 * a / scale, 4 * b / scale


@lru_cache(maxsize=8)
def _colours(mode: str, side: int) -> NDArray[np.float32]:
    """(S, S, 3) the screen's nearest colour for each chromaticity."""
    x, y = _grid(mode, side)
    safe = np.maximum(y, 1e-3)
    xyz = np.stack([x / safe, np.ones_like(x), (1 - x - y) / safe], axis=-1)
    rgb = np.clip(xyz @ np.linalg.inv(rgb_to_xyz("bt709")).T, 0, None)
    pure = rgb / np.maximum(rgb.max(axis=-1, keepdims=True), 1e-6)
    return np.asarray(255 * (0.2 + 0.8 * np.sqrt(pure)), np.float32)


@lru_cache(maxsize=8)
def _beyond_gamut(gamut: str | None, mode: str, side: int) -> NDArray[np.bool_]:
    x, y = _grid(mode, side)
    if gamut is None:
        return np.zeros(x.shape, bool)
    return ~inside(np.array(PRIMARIES[GAMUTS[gamut]]), x, y)
