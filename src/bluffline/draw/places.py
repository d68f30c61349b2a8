"""From the picture to the gauges and back: where pixels stand on a gauge, and which pixels stand at a place of it.

Places run from 0, 0 at the top left of a gauge's field to 1, 1 at its bottom right, as a graticule's do.
"""

import numpy as np
from numpy.typing import NDArray

from bluffline.draw.graticule import uniform
from bluffline.draw.scale import Span
from bluffline.measure.reading import Reading
from bluffline.measure.scopes import CHROMA_REACH, CIE_REACH, FrameSignal, Instrument, Kind
from bluffline.signal.colorimetry import rgb_to_xyz, to_light
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import rgb_to_ycbcr

Place = tuple[float, float]
Box = tuple[float, float, float, float]


def places_of(kind: Kind, source: SignalFormat, reading: Reading, x: float) -> list[Place]:
    """Where what was read stands on a gauge: one place for each component that it shows.

    Parameters
    ----------
    x : the column read, in luma samples from the left edge of the picture
    """
    levels, across = source.levels, x / source.width
    percents = {"Y′": levels.percent(reading.luma)}
    percents |= dict(zip(("R′", "G′", "B′"), (levels.percent(code) for code in reading.rgb), strict=True))
    cb, cr = reading.chroma
    if kind.instrument in (Instrument.VECTORSCOPE, Instrument.CHROMATICITY):
        place = colour_place(kind, source, (np.array(reading.rgb) - levels.black) / levels.swing)
        return [] if place is None else [place]
    for name, value in (("Cb", cb), ("Cr", cr)):
        percents[name] = levels.percent(levels.zero + value * levels.span)
    span, components = Span.of(kind), kind.components
    if kind.instrument is Instrument.HISTOGRAM:
        return [(span.place(percents[name]), (n + 0.5) / len(components)) for n, name in enumerate(components)]
    parts = len(components) if kind.instrument is Instrument.PARADE else 1
    named = [(n, percents[name]) for n, name in enumerate(components) if name in percents]
    return [(((n if parts > 1 else 0) + across) / parts, 1 - span.place(level)) for n, level in named]


def colour_place(kind: Kind, source: SignalFormat, rgb: NDArray[np.floating]) -> Place | None:
    """Where R′G′B′ (3,), 0 … 1, stands on a vectorscope or a chromaticity diagram; None where black has no chromaticity."""
    if kind.instrument is Instrument.VECTORSCOPE:
        _, cb, cr = (float(value) for value in rgb_to_ycbcr(rgb, source.matrix))
        reach = 2 * CHROMA_REACH / int(kind.mode)
        return 0.5 + cb / reach, 0.5 - cr / reach
    xyz = rgb_to_xyz(source.primaries) @ to_light(rgb, source.transfer)
    if xyz.sum() <= 0:
        return None
    a, b = (float(v) for v in xyz[:2] / xyz.sum())
    a, b = uniform(a, b) if kind.mode == "1976" else (a, b)
    return a / CIE_REACH[kind.mode], 1 - b / CIE_REACH[kind.mode]


def pixels_at(kind: Kind, frame: FrameSignal, box: Box) -> NDArray[np.bool_]:
    """The pixels that stand inside a box of a gauge.

    Parameters
    ----------
    box : left, top, right, bottom

    Returns
    -------
    (H, W) bool
    """
    source = frame.source
    left, top, right, bottom = box
    if kind.instrument is Instrument.VECTORSCOPE:
        reach = 2 * CHROMA_REACH / int(kind.mode)
        inside = _chroma_between(frame, 1, (left - 0.5) * reach, (right - 0.5) * reach)
        inside &= _chroma_between(frame, 2, (0.5 - bottom) * reach, (0.5 - top) * reach)
        return _at_luma(inside, source)
    if kind.instrument is Instrument.CHROMATICITY:
        return _chromaticity_between(kind, frame, box)
    span, components = Span.of(kind), kind.components
    if kind.instrument is Instrument.HISTOGRAM:
        rows = len(components)
        low, high = span.level(left), span.level(right)
        chosen = range(int(np.clip(top * rows, 0, rows - 1)), int(np.clip(bottom * rows, 0, rows - 1)) + 1)
        return np.asarray(np.any([_level_between(frame, components[n], low, high) for n in chosen], axis=0))
    low, high = span.level(1 - bottom), span.level(1 - top)
    parts = len(components) if kind.instrument is Instrument.PARADE else 1
    found = np.zeros((source.height, source.width), bool)
    for n, component in enumerate(components):
        first, after = (left * parts - n, right * parts - n) if parts > 1 else (left, right)
        columns = slice(*(int(np.clip(edge * source.width, 0, source.width)) for edge in (first, after + 1 / source.width)))
        if columns.stop > columns.start and component != "chroma envelope":
            found[:, columns] |= _level_between(frame, component, low, high)[:, columns]
    return found


def _level_between(frame: FrameSignal, component: str, low: float, high: float) -> NDArray[np.bool_]:
    """Pixels with a component between two percentages."""
    source = frame.source
    if component in ("Cb", "Cr"):
        number = 1 if component == "Cb" else 2
        share = [(source.levels.code(level) - source.levels.zero) / source.levels.span for level in (low, high)]
        return _at_luma(_chroma_between(frame, number, *share), source)
    if component == "Y′":
        plane, room = frame.ycbcr[0][: source.height, : source.width], 0
    else:
        plane, room = frame.rgb["RGB".index(component[0])][: source.height, : source.width], frame.room
    codes = [source.levels.code(level) + room for level in (low, high)]
    return np.asarray((plane >= codes[0]) & (plane <= codes[1]))


def _chroma_between(frame: FrameSignal, number: int, low: float, high: float) -> NDArray[np.bool_]:
    """Chroma sites with Cb (1) or Cr (2) between two shares, at their own resolution."""
    source = frame.source
    columns, rows = source.chroma_size if source.model is Model.YCBCR else (source.width, source.height)
    plane, levels = frame.ycbcr[number][:rows, :columns], source.levels
    return np.asarray((plane >= levels.zero + low * levels.span) & (plane <= levels.zero + high * levels.span))


def _at_luma(sites: NDArray[np.bool_], source: SignalFormat) -> NDArray[np.bool_]:
    """A mask of chroma sites as the luma pixels that they belong to."""
    across, down = source.halved if source.model is Model.YCBCR else (False, False)
    wide = sites.repeat(2, axis=1) if across else sites
    tall = wide.repeat(2, axis=0) if down else wide
    return tall[: source.height, : source.width]


def _chromaticity_between(kind: Kind, frame: FrameSignal, box: Box) -> NDArray[np.bool_]:
    source, reach = frame.source, CIE_REACH[kind.mode]
    light = np.stack([frame.light[plane[: source.height, : source.width]] for plane in frame.rgb], axis=-1)
    xyz = light @ rgb_to_xyz(source.primaries).T.astype(np.float32)
    parts = ((1, 0, 0), (0, 1, 0), (1, 1, 1)) if kind.mode == "1931" else ((4, 0, 0), (0, 9, 0), (1, 15, 3))
    a, b, total = np.moveaxis(xyz @ np.array(parts, np.float32).T, -1, 0)
    lit = total > 1e-4
    safe = np.where(lit, total, 1)
    left, top, right, bottom = box
    inside = (a / safe >= left * reach) & (a / safe <= right * reach)
    return np.asarray(lit & inside & (b / safe >= (1 - bottom) * reach) & (b / safe <= (1 - top) * reach))
