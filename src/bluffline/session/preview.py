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
    rounding_allowance,
    ycbcr_planes,
)
from bluffline.measure.scopes import vectorscope, waveform
from bluffline.session import preview_kernels as kernels
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import ChromaGains
from bluffline.treat.frame_treatment import FrameTreatment

_POOL = ThreadPoolExecutor(2, thread_name_prefix="bluffline-preview")


@dataclass(frozen=True, slots=True)
class ScreenPicture:
    """``image``: (H, W, 4) uint8 B, G, R, 255, hatched if asked; ``marks``: (H, W) uint8, 1 over and 2 under the limits."""

    image: NDArray[np.uint8]
    marks: NDArray[np.uint8]


@dataclass(frozen=True)
class View:
    """How a frame is to be shown: screen pixels of the picture, columns of the waveform, source or treated on gauges."""

    source: SignalFormat
    region: Region
    limits: Limits
    treatment: FrameTreatment
    picture_size: tuple[int, int]
    waveform_columns: int
    hatching: bool = True
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
    measure = measured.result()
    # A treated frame lies just at its limits, where the means of a smaller picture can't tell inside from outside.
    legal = shown is treated and not any(
        (measure.luma_high_area, measure.luma_low_area, measure.rgb_high_area, measure.rgb_low_area)
    )
    return Preview(
        frame,
        readable=True,
        original=original.result(),
        treated=screen_picture(treated, view, legal=legal) if view.treatment.active else None,
        waveform=trace,
        vectorscope=chroma,
        measure=measure,
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


def screen_picture(planes: Planes, view: View, *, legal: bool = False) -> ScreenPicture:
    """A picture for the screen, each pixel the mean of those it covers; without marks where it is known to be legal."""
    source, single = view.source, np.float32
    levels, gains = source.levels, ChromaGains.of(source.matrix)
    allowance = rounding_allowance(source)
    (luma_low, luma_high), (rgb_low, rgb_high) = view.limits.luma, view.limits.rgb
    half_code = 0.5 / levels.swing
    width, height = view.picture_size
    luma, cb, cr = ycbcr_planes(planes, source)
    whole = source.width, source.height
    sites = whole if source.model is Model.RGB else source.chroma_size
    per_swing, per_span = single(1 / levels.swing), single(1 / levels.span)
    zero = single(levels.zero)
    image, marks = np.empty((height, width, 4), np.uint8), np.empty((height, width), np.uint8)
    kernels.colour(
        kernels.shrink(luma, whole, width, height, per_swing, single(levels.black)),
        kernels.shrink(cb, sites, width, height, per_span, zero),
        kernels.shrink(cr, sites, width, height, per_span, zero),
        (single(gains.red_cr), single(gains.green_cb), single(gains.green_cr), single(gains.blue_cb)),
        (
            single(luma_low / 100 - half_code),
            single(luma_high / 100 + half_code),
            single(rgb_low / 100 - allowance),
            single(rgb_high / 100 + allowance),
        ),
        image,
        marks,
    )
    if legal:
        marks[:] = 0
    elif view.hatching:
        kernels.hatch(image, marks)
    return ScreenPicture(image, marks)
