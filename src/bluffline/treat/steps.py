"""The steps of a treatment that look at luma, and treatments as a whole, as plain arithmetic.

Signals are in percent of the nominal range here, as an operator reads them, and never clamped. Steps that look at all of
a colour are in `bluffline.treat.colour`.
"""

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.signal.levels import Levels
from bluffline.signal.matrix import Matrix
from bluffline.treat.colour import COLOUR_STEPS, ColourStep

Float = NDArray[np.floating[Any]]

GIVE = 20.0  # percent that luma beside a limit of R′G′B′ may be moved inwards before chroma is scaled
_LUMA_WEIGHTS = Matrix.BT709.luma_weights  # greys weigh the same by any matrix, unless a step tints them


class RemapMode(StrEnum):
    """What a level remap takes for what."""

    FULL_TO_NARROW = "full to narrow"
    NARROW_TO_FULL = "narrow to full"
    EXTREMES_TO_LIMITS = "extremes to limits"


@dataclass(frozen=True, slots=True)
class LevelRemap:
    """Moves the whole range: ``low_in`` … ``high_in`` become ``low_out`` … ``high_out``, chroma in proportion.

    For the two tagging faults the figures follow from the file's depth: see `mistagged`.
    """

    title: ClassVar[str] = "Level remap"
    mode: RemapMode
    low_in: float
    high_in: float
    low_out: float
    high_out: float
    chroma_gain: float
    bypassed: bool = False

    def __post_init__(self) -> None:
        require(self.high_in - self.low_in >= 1, "Level remap: the range it takes must be at least 1 % wide.")
        require(self.high_out > self.low_out, "Level remap: the range it gives must run upwards.")

    @classmethod
    def mistagged(cls, mode: RemapMode, bit_depth: int, shown_as: Levels) -> "LevelRemap":
        """The remap that mends wrong range tagging of a file whose codes are read by ``shown_as``."""
        top = (1 << bit_depth) - 1
        unit = 1 << (bit_depth - 8)
        if mode is RemapMode.FULL_TO_NARROW:
            low, high, chroma = 0, top, top
        else:
            low, high, chroma = 16 * unit, 235 * unit, 224 * unit
        return cls(mode, shown_as.percent(low), shown_as.percent(high), 0.0, 100.0, shown_as.span / chroma)

    @classmethod
    def extremes_to_limits(cls, extremes: tuple[float, float], limits: tuple[float, float]) -> "LevelRemap":
        """Measured extremes brought to limits (percent)."""
        gain = (limits[1] - limits[0]) / max(extremes[1] - extremes[0], 1.0)
        return cls(RemapMode.EXTREMES_TO_LIMITS, *extremes, *limits, gain)

    def apply(self, luma: Float) -> tuple[Float, Float]:
        """Luma in percent to luma in percent, and the gain of chroma at each."""
        gain = (self.high_out - self.low_out) / (self.high_in - self.low_in)
        return self.low_out + (luma - self.low_in) * gain, np.full_like(luma, self.chroma_gain)


@dataclass(frozen=True, slots=True)
class SoftCeiling:
    """Rolls luma off so that ``peak`` lands on ``limit``; below ``knee`` nothing changes. Hue and saturation are held.

    What stands above the peak is held at the limit; a peak below the limit leaves all but that as it is.
    """

    title: ClassVar[str] = "Soft ceiling"
    limit: float
    peak: float
    knee: float
    hard: bool = False
    bypassed: bool = False

    def __post_init__(self) -> None:
        require(self.hard or self.knee < self.limit, "Soft ceiling: the knee must lie below the limit.")

    def apply(self, luma: Float) -> tuple[Float, Float]:
        """Luma in percent to luma in percent, and the gain of chroma at each."""
        rolled = luma if self.hard else _roll_off(luma, self.knee, self.peak, self.limit)
        treated = np.minimum(rolled, self.limit)
        gain = np.where(treated < luma, treated / np.where(luma > 1, luma, 1), 1.0)
        return treated, gain


@dataclass(frozen=True, slots=True)
class SoftFloor:
    """The soft ceiling's counterpart at the toe: ``trough`` lands on ``limit``; above ``knee`` nothing changes."""

    title: ClassVar[str] = "Soft floor"
    limit: float
    trough: float
    knee: float
    hard: bool = False
    bypassed: bool = False

    def __post_init__(self) -> None:
        require(self.hard or self.knee > self.limit, "Soft floor: the knee must lie above the limit.")

    def apply(self, luma: Float) -> tuple[Float, Float]:
        """Luma in percent to luma in percent; chroma is left as it is, since near black no ratio holds."""
        rolled = luma if self.hard else -_roll_off(-luma, -self.knee, -self.trough, -self.limit)
        return np.maximum(rolled, self.limit), np.ones_like(luma)


@dataclass(frozen=True, slots=True)
class ChromaRein:
    """Scales chroma, pixel by pixel, only where R′, G′ or B′ would leave ``low`` … ``high``; hue is held, and luma.

    But luma near either limit, or beyond it, gives way first, by no more than makes room for the pixel's chroma (see `GIVE`):
    with hardly any room left, chroma would have to go, and a chroma site serves neighbours as well.

    ``onset`` is how much of the chroma that would reach the limit is given to the roll-off, in percent. With 0 every
    legal pixel stays as it is and every other takes the largest legal scale; with more, the scale has no kink at
    the limit, and legal pixels within the onset give a little.
    """

    title: ClassVar[str] = "Chroma rein"
    low: float
    high: float
    onset: float = 3.0
    bypassed: bool = False

    def __post_init__(self) -> None:
        require(self.low < self.high, "Chroma rein: the low limit must lie below the high one.")
        require(0 <= self.onset <= 50, "Chroma rein: the onset must lie between 0 and 50 %.")

    def scale(self, demand: Float) -> Float:
        """Scale of chroma for a demand, 1 being the largest chroma that is legal. C¹ where the onset is above 0."""
        knee = 1 - self.onset / 100
        safe = np.maximum(demand, 1e-9)
        if knee == 1:
            return np.where(demand > 1, 1 / safe, 1.0)
        over = (demand - knee) / (1 - knee)
        return np.where(demand > knee, (knee + (1 - knee) * over / (1 + np.maximum(over, 0))) / safe, 1.0)


ToneStep = LevelRemap | SoftCeiling | SoftFloor
Step = ColourStep | ToneStep | ChromaRein
Treatment = tuple[Step, ...]
STEP_ORDER: tuple[type[Step], ...] = (*COLOUR_STEPS, LevelRemap, SoftCeiling, SoftFloor, ChromaRein)


def with_step(treatment: Treatment, step: Step) -> Treatment:
    """The treatment with another step where it belongs: calibration first, then levels, then limits."""
    rank = STEP_ORDER.index(type(step))
    place = next((n for n, other in enumerate(treatment) if STEP_ORDER.index(type(other)) > rank), len(treatment))
    return (*treatment[:place], step, *treatment[place:])


def called(step: Step | type[Step]) -> str:
    """A step's name within a sentence."""
    return step.title if step.title.isupper() else step.title.lower()


def colours_of(treatment: Treatment) -> tuple[ColourStep, ...]:
    """The steps in force that look at all of a colour."""
    return tuple(step for step in treatment if isinstance(step, COLOUR_STEPS) and not step.bypassed)


def tone_curve(treatment: Treatment, luma: Float) -> tuple[Float, Float]:
    """What a treatment's steps, in order, make of the luma (percent) of greys, and the gain of chroma at each.

    The chroma rein leaves greys alone. Steps that look at all of a colour have no one gain of chroma: theirs counts as 1.
    """
    gain = np.ones_like(luma)
    for step in treatment:
        if step.bypassed or isinstance(step, ChromaRein):
            continue
        if isinstance(step, COLOUR_STEPS):
            grey = np.repeat(luma[..., None] / 100, 3, axis=-1)
            luma = step.apply(grey) @ np.array(_LUMA_WEIGHTS) * 100
        else:
            luma, step_gain = step.apply(luma)
            gain = gain * step_gain
    return luma, gain


def apply_to_colours(treatment: Treatment, rgb: Float, weights: tuple[float, float, float]) -> Float:
    """(..., 3) R′G′B′ (0 … 1) through all steps but the chroma rein; ``weights`` of R′, G′, B′ make luma."""
    for step in treatment:
        if step.bypassed or isinstance(step, ChromaRein):
            continue
        if isinstance(step, COLOUR_STEPS):
            rgb = step.apply(rgb)
        else:
            luma = rgb @ np.array(weights)
            treated, gain = step.apply(luma * 100)
            rgb = (treated / 100)[..., None] + (rgb - luma[..., None]) * gain[..., None]
    return rgb


def rein_of(treatment: Treatment) -> ChromaRein | None:
    """The chroma rein in force, if any; it always acts last, on what the tone steps leave."""
    return next((step for step in reversed(treatment) if isinstance(step, ChromaRein) and not step.bypassed), None)


def luma_bounds(treatment: Treatment) -> tuple[float, float]:
    """Least and greatest luma (percent) that the limiters in force let through; infinite where there is none."""
    low, high = -np.inf, np.inf
    for step in treatment:
        if step.bypassed:
            continue
        if isinstance(step, SoftFloor):
            low = max(low, step.limit)
        elif isinstance(step, SoftCeiling):
            high = min(high, step.limit)
    return low, high


def limits_alone(treatment: Treatment) -> Treatment:
    """The limits that a treatment keeps, without its roll-offs: for what is no picture, which they would only lift."""
    in_force = [step for step in treatment if not step.bypassed]
    hard = [replace(step, hard=True) for step in in_force if isinstance(step, SoftCeiling | SoftFloor)]
    return (*hard, *(replace(step, onset=0.0) for step in in_force if isinstance(step, ChromaRein)))


def acts(treatment: Treatment) -> bool:
    """Whether any step is in force."""
    return any(not step.bypassed for step in treatment)


def predicted_extremes(treatment: Treatment, luma: Float, rgb: Float) -> tuple[Float, Float]:
    """What extremes (percent) will be after a treatment; luma exactly, R′G′B′ as a bound until it is measured."""
    treated, _ = tone_curve(treatment, luma)
    if not any(not step.bypassed and not isinstance(step, ChromaRein) for step in treatment):
        bound = rgb
    else:
        bound, _ = tone_curve(treatment, rgb)
    rein = rein_of(treatment)
    return treated, bound if rein is None else np.clip(bound, np.minimum(rein.low, treated), np.maximum(rein.high, treated))


def _roll_off(value: Float, knee: float, peak: float, limit: float) -> Float:
    """Identity to ``knee``, then a hyperbola of slope 1 at the knee through (peak, limit), level from there on.

    C¹ up to the peak and monotone throughout: v = u / (1 + u/c), with c chosen so that the peak lands on the limit.
    """
    if peak <= limit:
        return value
    reach, room = peak - knee, limit - knee
    softness = reach * room / (reach - room)
    over = np.clip(value - knee, 0, reach)
    return np.where(value > knee, knee + over / (1 + over / softness), value)
