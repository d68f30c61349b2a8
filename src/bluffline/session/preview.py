"""One frame as the desk shows it: pictures for the screen, gauge counts and figures from the full-size samples."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.frame_measure import FrameMeasure, Limits, Planes, Region, measure_frame, rounding_allowance, ycbcr_planes
from bluffline.measure.scopes import vectorscope, waveform
from bluffline.session import preview_kernels as kernels
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import ChromaGains
from bluffline.treat.frame_treatment import FrameTreatment


@dataclass(frozen=True, slots=True)
class ScreenPicture:
    """``image``: (H, W, 4) uint8 B, G, R, 255; ``marks``: (H, W) uint8, 1 over and 2 under the limits."""

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
    treated = view.treatment.apply(planes)
    shown = planes if view.gauges_show_source else treated
    return Preview(
        frame,
        readable=True,
        original=screen_picture(planes, view),
        treated=screen_picture(treated, view) if view.treatment.active else None,
        waveform=waveform(shown, view.source, view.waveform_columns),
        vectorscope=vectorscope(shown, view.source),
        measure=measure_frame(shown, view.source, view.region, view.limits),
    )


def screen_picture(planes: Planes, view: View) -> ScreenPicture:
    """A picture for the screen, each pixel the mean of those it covers."""
    source, single = view.source, np.float32
    levels, gains = source.levels, ChromaGains.of(source.matrix)
    allowance = rounding_allowance(source)
    halved = (False, False) if source.model is Model.RGB else source.halved
    across, down = (2 if half else 1 for half in halved)
    (luma_low, luma_high), (rgb_low, rgb_high) = view.limits.luma, view.limits.rgb
    half_code = 0.5 / levels.swing
    width, height = view.picture_size
    image, marks = kernels.draw_picture(
        *ycbcr_planes(planes, source),
        (source.width, source.height),
        across,
        down,
        (single(levels.black), single(1 / levels.swing), single(levels.zero), single(1 / levels.span)),
        (single(gains.red_cr), single(gains.green_cb), single(gains.green_cr), single(gains.blue_cb)),
        (
            single(luma_low / 100 - half_code),
            single(luma_high / 100 + half_code),
            single(rgb_low / 100 - allowance),
            single(rgb_high / 100 + allowance),
        ),
        width,
        height,
    )
    return ScreenPicture(image, marks)
