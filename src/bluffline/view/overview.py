"""Every shot at a glance: a thumbnail, a small waveform, the worst finding; source and treated."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.draw.traces import TraceStyle, draw_trace
from bluffline.measure.areas import Selection
from bluffline.measure.scopes import FrameSignal, Instrument, Kind, measure_gauge
from bluffline.media.reader import Reader
from bluffline.prove.survey import Survey
from bluffline.rules.findings import Finding
from bluffline.rules.shots import Shot
from bluffline.session.work import Treatments
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.view.preview import View, screen_picture

THUMB_WIDTH, WAVE_WIDTH, WAVE_HEIGHT = 176, 176, 56
Image = NDArray[np.uint32]


@dataclass(frozen=True, eq=False)
class ShotCard:
    """One shot. ``pictures`` and ``waves``: (H, W) uint32 pixels of the source and, where it is treated, the treated frame."""

    number: int
    frame: int
    worst: Finding | None
    pictures: tuple[Image, ...]
    waves: tuple[Image, ...]


def overview(
    survey: Survey, shots: Sequence[Shot], findings: Sequence[Finding], treatments: Treatments, tell: Callable[[int], None]
) -> list[ShotCard]:
    """A card for every shot whose frame can be decoded: its worst frame, or the middle one where nothing was found.

    Parameters
    ----------
    tell : called with the number of shots done; may raise to stop
    """
    source = survey.source
    size = THUMB_WIDTH, max(round(THUMB_WIDTH * source.height / source.width), 1)
    cards = []
    with Reader(survey.programme) as reader:
        for number, shot in enumerate(shots):
            worst = next((finding for finding in findings if finding.shot == number), None)
            frame = worst.worst_frame if worst is not None else (shot.first + shot.last) // 2
            planes = reader.frame(frame).planes
            if planes is not None:
                treatment = FrameTreatment(treatments.get(number, ()), source, region=survey.region)
                view = View(source, survey.region, survey.rules.limits, treatment, size)
                shown = [planes, treatment.apply(planes, frame - shot.first)] if treatment.active else [planes]
                cards.append(
                    ShotCard(
                        number,
                        frame,
                        worst,
                        tuple(screen_picture(part, view).image for part in shown),
                        tuple(_wave(FrameSignal(part, source), survey) for part in shown),
                    )
                )
            tell(number + 1)
    return cards


def _wave(frame: FrameSignal, survey: Survey) -> Image:
    kind = Kind(Instrument.WAVEFORM)
    trace = measure_gauge(kind, frame, Selection.whole(frame.source), WAVE_WIDTH)
    return draw_trace(trace, (WAVE_WIDTH, WAVE_HEIGHT), frame.source, survey.rules.limits, TraceStyle())
