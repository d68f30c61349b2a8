"""Shots beside each other: a frame of each as it is treated, and their gauges laid over one another."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges.each.vectorscope import Vectorscope
from bluffline.gauges.each.waveform import Waveform
from bluffline.gauges.instrument import Instrument
from bluffline.gauges.painting import Painting, ground
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.media.reader import Reader
from bluffline.rules.shots import Shot
from bluffline.session.work import Treatments
from bluffline.survey.survey import Survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.view.preview import View, screen_picture

MOST = 4  # shots
WAVEFORM, VECTORSCOPE = Waveform("luma"), Vectorscope("2")
PICTURE, WAVE, VECTOR = (384, 216), (380, 180), (228, 228)  # screen pixels
# What a trace is drawn in, for each of them: far apart in hue, alike in lightness; numbers stand beside them as well.
COLOURS = ((235, 150, 120), (120, 200, 130), (125, 165, 245), (225, 190, 90))
_DIMMED = 0.22  # of what is not looked at alone
Image = NDArray[np.uint32]
Light = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Side:
    """One shot: its number, the frame that is shown, its picture, and how bright its traces are, 0 … 1, by gauge."""

    number: int
    frame: int
    picture: Image
    wave: Light
    vector: Light


def side_by_side(
    survey: Survey, shots: Sequence[Shot], chosen: Sequence[int], treatments: Treatments, tell: Callable[[int], None]
) -> list[Side]:
    """The middle frame of each of some shots, as far as it can be decoded.

    Parameters
    ----------
    tell : called with the number of shots done; may raise to stop
    """
    source, sides = survey.source, []
    with Reader(survey.programme) as reader:
        for number in chosen[:MOST]:
            shot = shots[number]
            frame = shot.middle
            planes = reader.planes(frame)
            if planes is not None:
                treatment = FrameTreatment(treatments.get(number, ()), source, region=survey.region)
                treated = treatment.apply(planes, frame)
                signal = FrameSignal(treated, source)
                picture = screen_picture(treated, View(source, survey.region, survey.rules.limits, treatment, PICTURE)).image
                wave, vector = (
                    _trace(gauge, signal, survey, size) for gauge, size in ((WAVEFORM, WAVE), (VECTORSCOPE, VECTOR))
                )
                sides.append(Side(number, frame, picture, wave, vector))
            tell(len(sides))
    return sides


def laid_over(traces: Sequence[Light], alone: int | None = None) -> Image:
    """Traces in one picture, each in its colour; ``alone``: the place of the one that stands out."""
    whole = np.full((*traces[0].shape, 3), 26.0, np.float32)
    for n, (trace, colour) in enumerate(zip(traces, COLOURS, strict=False)):
        part = trace * (1.0 if alone in (None, n) else _DIMMED)
        whole = np.maximum(whole, part[..., None] * np.array(colour, np.float32))
    red, green, blue = (whole[..., n].astype(np.uint32) for n in range(3))
    return np.ascontiguousarray(0xFF000000 | red << 16 | green << 8 | blue, np.uint32)


def _trace(gauge: Instrument, signal: FrameSignal, survey: Survey, size: tuple[int, int]) -> Light:
    drawn = ground(size)
    trace = gauge.count(signal, Selection.whole(signal.source), size[0], None)
    gauge.paint(trace, drawn, Painting(signal.source, survey.rules.limits))
    bright = np.stack([drawn >> shift & 255 for shift in (16, 8, 0)]).max(axis=0).astype(np.float32)
    return np.asarray((bright - bright.min()) / max(255.0 - float(bright.min()), 1.0), np.float32)
