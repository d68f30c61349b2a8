"""Every shot at a glance: a thumbnail, a small waveform, the worst finding, its levels; source and treated; which are alike."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges.each.waveform import Waveform
from bluffline.gauges.painting import Painting, ground
from bluffline.measure.areas import Area, Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.reading import SKIN_DEGREES
from bluffline.media.reader import Reader
from bluffline.propose.matching import distance
from bluffline.propose.neutral import light_of
from bluffline.propose.pixels import Pixels, look_at
from bluffline.rules.finding import Finding
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.session.work import Treatments
from bluffline.signal.format import Planes
from bluffline.signal.matrix import rgb_to_ycbcr
from bluffline.survey.survey import Survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.view.preview import View, screen_picture

THUMB_WIDTH, WAVE_WIDTH, WAVE_HEIGHT = 176, 176, 56
Image = NDArray[np.uint32]
_WHITE, _KEPT = 0.995, 2000
_FACE = "face"
_SKIN_OFF, _SKIN_CHROMA, _SKIN_SHARE = 45.0, 3.0, 0.5  # degrees, as far as light turns it; percent; of an area named face
_ALIKE, _SAME_LIGHT = 4.0, 0.15  # distance in Lab; stops


@dataclass(frozen=True, eq=False)
class ShotCard:
    """One shot.

    ``pictures`` and ``waves``: (H, W) uint32 pixels of the source and, where it is treated, the treated frame. As treated:
    ``white``: luma (percent) of the brightest two-hundredth; ``skin``: of what is known to be skin, None where nothing is, see
    `overview`; ``lab``: (N, 3) CIE Lab of some of its pixels; ``light``: of its source, R and B against G in stops, None
    where it can't be told.
    """

    number: int
    frame: int
    worst: Finding | None
    pictures: tuple[Image, ...]
    waves: tuple[Image, ...]
    white: float
    skin: float | None
    lab: NDArray[np.float64]
    light: tuple[float, float] | None


class Order(StrEnum):
    """How cards follow one another."""

    TIME = "by time"
    FINDING = "by worst finding"
    DISTANCE = "by distance from the reference"


def ordered_cards(cards: Sequence[ShotCard], order: Order, reference: int | None = None) -> list[ShotCard]:
    """Cards in an order; ``reference``: the number of a shot, without which there is no distance."""
    known = next((card for card in cards if card.number == reference), None)
    if order is Order.DISTANCE and known is not None:
        return sorted(cards, key=lambda card: apart(card, known))
    if order is Order.FINDING:
        return sorted(cards, key=_gravity)
    return sorted(cards, key=lambda card: card.number)


def _gravity(card: ShotCard) -> tuple[int, float]:
    """The gravest first, of those the widest."""
    if card.worst is None:
        return len(Severity), 0.0
    return list(Severity).index(card.worst.severity), -card.worst.worst_area


def apart(card: ShotCard, reference: ShotCard) -> float:
    """How far apart two shots look as treated: see `prove.matching.distance`."""
    return distance(card.lab, reference.lab)


def alike(cards: Sequence[ShotCard], reference: ShotCard) -> list[int]:
    """Numbers of the shots that look like one."""
    return [card.number for card in cards if apart(card, reference) <= _ALIKE]


def under_the_same_light(cards: Sequence[ShotCard], reference: ShotCard) -> list[int]:
    """Numbers of the shots whose light is told to be that of one; that one alone where nothing can be told."""
    if reference.light is None:
        return [reference.number]
    red, blue = reference.light
    told = [(card.number, card.light) for card in cards if card.light is not None]
    return [number for number, light in told if np.hypot(light[0] - red, light[1] - blue) <= _SAME_LIGHT]


def overview(
    survey: Survey,
    shots: Sequence[Shot],
    findings: Sequence[Finding],
    treatments: Treatments,
    tell: Callable[[int], None],
    faces: Callable[[int], Sequence[Area]] = lambda _: (),
) -> list[ShotCard]:
    """A card for every shot whose frame can be decoded: its worst frame, or the middle one where nothing was found.

    Parameters
    ----------
    tell : called with the number of shots done; may raise to stop
    faces : the areas of a shot that are named as a face; what they hold is taken for skin where most of it can be
    """
    source = survey.source
    size = THUMB_WIDTH, max(round(THUMB_WIDTH * source.height / source.width), 1)
    cards = []
    with Reader(survey.programme) as reader:
        for number, shot in enumerate(shots):
            worst = next((finding for finding in findings if finding.shot == number), None)
            frame = worst.worst_frame if worst is not None else shot.middle
            planes = reader.planes(frame)
            if planes is not None:
                treatment = FrameTreatment(treatments.get(number, ()), source, region=survey.region)
                view = View(source, survey.region, survey.rules.limits, treatment, size)
                shown = [planes, treatment.apply(planes, frame)] if treatment.active else [planes]
                named = [replace(area, name=_FACE) for area in faces(number)]
                given, seen = _seen(planes, survey), _seen(shown[-1], survey, named)
                cards.append(
                    ShotCard(
                        number,
                        frame,
                        worst,
                        tuple(screen_picture(part, view).image for part in shown),
                        tuple(_wave(FrameSignal(part, source), survey) for part in shown),
                        float(np.quantile(seen.ycbcr[:, 0], _WHITE)),
                        _skin(seen),
                        seen.lab[:: max(len(seen.lab) // _KEPT, 1)],
                        _light(given),
                    )
                )
            tell(number + 1)
    return cards


def _seen(planes: Planes, survey: Survey, areas: Sequence[Area] = ()) -> Pixels:
    return look_at(lambda _: planes, [0], survey.source, survey.region, areas=areas)


def _skin(pixels: Pixels) -> float | None:
    """Mean luma (percent) of areas named as a face; None where there are none, or most of what they hold can't be skin."""
    rgb = pixels.named((_FACE,))
    if rgb is None:
        return None
    luma, cb, cr = (rgb_to_ycbcr(rgb, pixels.source.matrix) * 100).T
    off = np.abs((np.degrees(np.arctan2(cr, cb)) - SKIN_DEGREES + 180) % 360 - 180)
    skin = (off <= _SKIN_OFF) & (np.hypot(cb, cr) >= _SKIN_CHROMA)
    return float(luma.mean()) if skin.mean() >= _SKIN_SHARE else None


def _light(pixels: Pixels) -> tuple[float, float] | None:
    """What is bright says of the light: R and B against G, in stops."""
    light = light_of(pixels)
    if not light.seen:
        return None
    red, green, blue = -np.log2(np.array(light.gains))
    return float(red - green), float(blue - green)


def _wave(frame: FrameSignal, survey: Survey) -> Image:
    gauge, image = Waveform("luma"), ground((WAVE_WIDTH, WAVE_HEIGHT))
    trace = gauge.count(frame, Selection.whole(frame.source), WAVE_WIDTH, None)
    gauge.paint(trace, image, Painting(frame.source, survey.rules.limits))
    return image
