"""One frame as the desk shows it: pictures for the screen, gauge counts and figures from the full-size samples."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.frame_measure import (
    FrameMeasure,
    Limits,
    Planes,
    Region,
    measure_frame,
    ycbcr_planes,
)
from bluffline.measure.outside import HIGH, LOW, LUMA, RGB, mark_outside
from bluffline.measure.scopes import vectorscope, waveform
from bluffline.session import preview_kernels as kernels
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import ChromaGains
from bluffline.treat.frame_treatment import FrameTreatment

_POOL = ThreadPoolExecutor(2, thread_name_prefix="bluffline-preview")


@dataclass(frozen=True, slots=True)
class ScreenPicture:
    """``image``: (H, W) uint32 of bytes B, G, R, 255; ``marks``: (H, W) uint8, bits of `measure.outside`, hatched if asked."""

    image: NDArray[np.uint32]
    marks: NDArray[np.uint8]


@dataclass(frozen=True)
class View:
    """How a frame is to be shown.

    ``picture_size``: screen pixels, columns and rows; ``window``: the part of the picture that fills them, all of it where
    None; ``gauges_show_source``: whether the gauges read the source although there is a treatment.
    """

    source: SignalFormat
    region: Region
    limits: Limits
    treatment: FrameTreatment
    picture_size: tuple[int, int]
    waveform_columns: int
    hatching: bool = True
    window: Region | None = None
    gauges_show_source: bool = False


@dataclass(frozen=True)
class Preview:
    """A frame made ready. ``source`` or ``treated`` picture is None where they are the same frame or unreadable."""

    frame: int
    readable: bool
    original: ScreenPicture | None = None
    treated: ScreenPicture | None = None
    waveform: NDArray[np.int32] | None = None
    vectorscope: NDArray[np.int32] | None = None
    measure: FrameMeasure | None = None


def make_preview(frame: int, planes: Planes | None, view: View) -> Preview:
    """Everything the desk draws of one frame.

    Parameters
    ----------
    planes : native planes in ``view.source``, or None where the frame can't be decoded
    """
    if planes is None:
        return Preview(frame, readable=False)
    treated = _treated(planes, view)
    original = _POOL.submit(screen_picture, planes, view)
    shown = planes if view.gauges_show_source else treated
    measured = _POOL.submit(measure_frame, shown, view.source, view.region, view.limits)
    trace, chroma = waveform(shown, view.source, view.waveform_columns), vectorscope(shown, view.source)
    return Preview(
        frame,
        readable=True,
        original=original.result(),
        treated=screen_picture(treated, view) if view.treatment.active else None,
        waveform=trace,
        vectorscope=chroma,
        measure=measured.result(),
    )


def _treated(planes: Planes, view: View) -> Planes:
    """The treated frame, its upper and lower half worked on at once where no chroma row belongs to both."""
    if view.source.halved[1] or not view.treatment.active:
        return view.treatment.apply(planes)
    middle = view.source.height // 2
    upper = _POOL.submit(view.treatment.apply, tuple(plane[:middle] for plane in planes))  # type: ignore[arg-type]
    lower = view.treatment.apply(tuple(plane[middle:] for plane in planes))  # type: ignore[arg-type]
    luma, cb, cr = (np.concatenate([a[:, : b.shape[1]], b]) for a, b in zip(upper.result(), lower, strict=True))
    return luma, cb, cr


def screen_picture(planes: Planes, view: View) -> ScreenPicture:
    """The part of a frame in view for the screen, each pixel the mean of those it covers, marked where any is outside."""
    source, single = view.source, np.float32
    levels, gains = source.levels, ChromaGains.of(source.matrix)
    width, height = view.picture_size
    shown = view.window or Region.whole(source)
    luma, cb, cr = ycbcr_planes(planes, source)
    columns, rows = _covered(shown.x, shown.width, width), _covered(shown.y, shown.height, height)
    across, down = source.halved if source.model is Model.YCBCR else (False, False)
    sites = _halved(columns) if across else columns, _halved(rows) if down else rows
    per_span, zero = single(1 / levels.span), single(levels.zero)
    image, marks = np.empty((height, width), np.uint32), np.zeros((height, width), np.uint8)
    kernels.paint(
        kernels.shrink(luma, columns, rows, single(1 / levels.swing), single(levels.black)),
        kernels.shrink(cb, *sites, per_span, zero),
        kernels.shrink(cr, *sites, per_span, zero),
        (single(gains.red_cr), single(gains.green_cb), single(gains.green_cr), single(gains.blue_cb)),
        image,
    )
    if view.hatching:
        kernels.gather_marks(mark_outside(planes, source, view.limits), columns, rows, marks)
        kernels.hatch(image, marks, *(np.uint8(bits) for bits in (LUMA, RGB, HIGH, LOW)))
    return ScreenPicture(image, marks)


def _covered(start: int, length: int, pixels: int) -> NDArray[np.uint32]:
    """(2, pixels): the first sample that each screen pixel covers, and the one after its last."""
    places = start + np.arange(pixels + 1) * length // pixels
    return np.stack([places[:-1], np.maximum(places[1:], places[:-1] + 1)]).astype(np.uint32)


def _halved(covered: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """The chroma sites that belong to the luma samples covered."""
    return np.stack([covered[0] // 2, (covered[1] - 1) // 2 + 1]).astype(np.uint32)
