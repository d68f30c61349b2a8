"""Proposals: ordinary rungs that bring a shot to the aims, why each is there, and by what figures."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.figures import figure
from bluffline.propose.neutral import light_of
from bluffline.propose.pixels import Pixels
from bluffline.rules.aims import Aims
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.log import MEASURED, Log
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import Treatment
from bluffline.treat.step import Step

Array = NDArray[np.float64]

_ENDS = (0.005, 0.995)  # of a picture: what is darker or brighter says nothing of its exposure
_LEAST_CONTRAST = 6.0  # percent: less is no picture
_MOST_STRETCH = 2.5
_GAMMA = 0.6, 1.8
_HALVINGS = 40
_NEAR = 1.0  # percent that a level may lie beside its aim
_UNDER, _OVER = 2.0, 4.0  # percent under black and over the highest highlights that are bearable
# Percent: log footage has its black above, its highlights and its chroma below these, and no more between its ends. The few
# cameras that put white higher have their middle so far up between the ends as pictures with lifted blacks have not.
_FLAT_BLACK, _FLAT_WHITE, _FLAT_CHROMA, _FLAT_SPAN = 8.5, 62.0, 10.5, 58.0
_HIGH_WHITE, _HIGH_MIDDLES = 72.0, ((14.5, 0.56), (11.0, 0.64))  # black, and the middle's share of the way up from it
_NEUTRAL_CAST = 3.0  # C*ab that is left alone: less is not seen
_MOST_CHROMA, _LEAST_CHROMA = 1.35, 0.7  # times
_SKIN_TURN, _SKIN_WIDE = 12.0, 40.0  # degrees that skin is turned at most, and to either side of it that the turn fades out in


class What(StrEnum):
    """What is proposed, in the order of the work."""

    LOG = "log"
    EXPOSURE = "exposure"
    BALANCE = "balance"
    SATURATION = "saturation"
    SKIN = "skin"


@dataclass(frozen=True, slots=True)
class Suggested:
    """One thing that was looked at: the rung that is proposed, or None where the shot is left alone, and why.

    ``sure``: whether what is said is borne out; what is not sure proposes nothing.
    """

    what: What
    step: Step | None
    reason: str
    sure: bool = True


BEARABLE = tuple(What)
_BY_LEVELS, _NOT_FOR = (What.LOG, What.EXPOSURE, What.SATURATION), ("hlg", "pq", "linear")


def suggest(pixels: Pixels, what: Sequence[What], aims: Aims, *, bearable: bool = False) -> list[Suggested]:
    """What is proposed for a shot, in the order of the work, each on what those before it leave.

    ``bearable``: what is wrong is brought as far as the leeway of the aims, and levels are left where nothing shows that they
    are wrong.
    """
    aims = aims.eased if bearable else aims
    found = []
    opened = False
    for each in (one for one in What if one in what):
        if each is What.EXPOSURE and opened:
            continue  # the log has been exposed
        if each in _BY_LEVELS and pixels.source.transfer in _NOT_FOR:
            words = f"the aims are levels of standard dynamic range, and this is {pixels.source.transfer.upper()}"
            found.append(Suggested(each, None, words, sure=False))
            continue
        made = _MAKERS[each](pixels, aims)
        if bearable and each is What.EXPOSURE and made.step is not None and _levels_are_bearable(pixels, aims):
            made = Suggested(each, None, f"bearable as it is: {made.reason}")
        found.append(made)
        opened = opened or (each is What.LOG and made.step is not None)
        if made.step is not None:
            pixels = pixels.through((made.step,))
    return found


def steps_of(suggested: Sequence[Suggested]) -> Treatment:
    """The rungs that are proposed."""
    return tuple(one.step for one in suggested if one.step is not None)


# Exposure and contrast ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Seen:
    """Levels of a shot in percent: its ends, its middle, and what the middle is of."""

    low: float
    high: float
    middle: float
    named: str

    def after(self, value: Array) -> str:
        """How they change, for a person."""
        names = ("black", "highlights", self.named)
        pairs = zip(names, (self.low, self.high, self.middle), value.tolist(), strict=True)
        return ", ".join(
            f"{name} {figure(round(was, 1) + 0.0, '.1f')} → {figure(round(now, 1) + 0.0, '.1f')} %" for name, was, now in pairs
        )


def _levels(pixels: Pixels, aims: Aims) -> _Seen:
    luma = pixels.ycbcr[:, 0]
    low, middle, high = (float(each) for each in np.quantile(luma, (_ENDS[0], 0.5, _ENDS[1])))
    face = pixels.named(aims.names.face)
    text = pixels.named(aims.names.text)
    weights = np.array(pixels.source.matrix.luma_weights)
    if text is not None and aims.levels.white_text < high:
        bright = float(np.quantile(text @ weights * 100, 0.9))
        high = max(high, bright)
    if face is not None:
        return _Seen(low, high, float((face @ weights).mean() * 100), "face")
    return _Seen(low, high, middle, "middle")


def _exposed(pixels: Pixels, aims: Aims) -> _Seen:
    """The levels that exposure goes by: black is the lowest of all components, so that none is driven under it."""
    seen, darkest = _levels(pixels, aims), float(np.quantile(pixels.rgb.min(axis=-1), _ENDS[0]) * 100)
    return replace(seen, low=min(seen.low, max(darkest, 0.0)))


def _exposure(pixels: Pixels, aims: Aims) -> Suggested:
    """Black and white points to the aims and the middle by gamma between them, so that highlights stay where they are."""
    seen, levels = _exposed(pixels, aims), aims.levels
    if seen.high - seen.low < _LEAST_CONTRAST:
        words = f"the picture spans {figure(seen.low, '.1f')} … {figure(seen.high, '.1f')} % only: there is nothing to expose"
        return Suggested(What.EXPOSURE, None, words, sure=False)
    black, white = min(max(seen.low, 0.0), levels.black), float(np.clip(seen.high, *levels.highlights))
    stretch = (white - black) / (seen.high - seen.low)
    if stretch > _MOST_STRETCH:
        white = black + _MOST_STRETCH * (seen.high - seen.low)
    aim = levels.face if seen.named == "face" else levels.middle
    gamma = _gamma(seen, black, white, aim)
    low, high = _points(seen, black, white, gamma)
    held = gamma > 1
    step = Tone(black_point=round(low, 1), white_point=round(high, 1), gamma=(round(gamma, 3), 1.0, 1.0, 1.0), hold_chroma=held)
    greys = np.repeat(np.array([seen.low, seen.high, seen.middle])[:, None] / 100, 3, axis=1)
    made = step.apply(greys, pixels.source)[:, 0] * 100
    told = seen.after(made)
    if np.abs(made - (seen.low, seen.high, seen.middle)).max() <= _NEAR:
        return Suggested(What.EXPOSURE, None, f"at the aims: {told.replace(' → ', ' / ')}")
    return Suggested(
        What.EXPOSURE, step, told + ("" if stretch <= _MOST_STRETCH else f"; stretched no more than ×{_MOST_STRETCH:g}")
    )


def _points(seen: _Seen, black: float, white: float, gamma: float) -> tuple[float, float]:
    """Black and white point that, before a gamma, bring a shot's ends to where they are to be, in percent."""
    foot, top = (black / 100) ** gamma, (white / 100) ** gamma if white <= 100 else 1 + (white / 100 - 1) * gamma
    per_unit = (top - foot) / (seen.high - seen.low)
    low = seen.low - foot / per_unit
    return float(np.clip(low, -50, 89)), float(np.clip(low + 1 / per_unit, 10, 200))


def _gamma(seen: _Seen, black: float, white: float, aim: tuple[float, float]) -> float:
    """The gamma that brings the middle between two levels while the ends stay where they are to be; 1 where it is there."""

    def middle(gamma: float) -> float:
        low, high = _points(seen, black, white, gamma)
        part = (seen.middle - low) / max(high - low, 1.0)
        return 100 * (part ** (1 / gamma) if 0 < part <= 1 else part / gamma if part <= 0 else 1 + (part - 1) / gamma)

    plain = middle(1.0)
    if aim[0] <= plain <= aim[1]:
        return 1.0
    wanted = aim[0] if plain < aim[0] else aim[1]
    least, most = (1.0, _GAMMA[1]) if plain < aim[0] else (_GAMMA[0], 1.0)
    for _ in range(_HALVINGS):
        half = (least + most) / 2
        least, most = (half, most) if middle(half) < wanted else (least, half)
    return (least + most) / 2


# Balance, colour ------------------------------------------------------------------------------------------------------------


def _balance(pixels: Pixels, aims: Aims) -> Suggested:
    light = light_of(pixels, pixels.named(aims.names.neutral))
    if not light.sure:
        return Suggested(What.BALANCE, None, f"not sure: {light.told}", sure=False)
    if light.cast < _NEUTRAL_CAST:
        return Suggested(What.BALANCE, None, f"neutral to {light.cast:.1f} of C*ab: {light.told}")
    try:
        red, green, blue = (round(gain, 4) for gain in light.gains)
        step = Balance((red, green, blue))
    except SettingsError:
        return Suggested(What.BALANCE, None, f"not sure: no balance is as strong; {light.told}", sure=False)
    return Suggested(What.BALANCE, step, light.told)


def _chroma(pixels: Pixels) -> float:
    """Of the most colourful twentieth, in percent."""
    return float(np.quantile(np.hypot(pixels.ycbcr[:, 1], pixels.ycbcr[:, 2]), 0.95))


def _saturation(pixels: Pixels, aims: Aims) -> Suggested:
    """Chroma of the most colourful twentieth brought into the aims."""
    chroma = _chroma(pixels)
    low, high = aims.colour.chroma
    wanted = float(np.clip(chroma, low, high))
    if abs(wanted - chroma) <= _NEAR or chroma < _NEAR:
        return Suggested(
            What.SATURATION, None, f"chroma {chroma:.1f} % is within the aims" if chroma >= _NEAR else "no colour to speak of"
        )
    factor = round(float(np.clip(wanted / chroma, _LEAST_CHROMA, _MOST_CHROMA)), 2)
    return Suggested(What.SATURATION, Tone(saturation=factor), f"chroma {chroma:.1f} → {chroma * factor:.1f} %")


def _skin(pixels: Pixels, aims: Aims) -> Suggested:
    """The hue of a face turned to where skin lies."""
    face = pixels.named(aims.names.face)
    if face is None:
        called = aims.names.face[0] if aims.names.face else "for a face"
        return Suggested(What.SKIN, None, f"no area of this shot is named {called}", sure=False)
    ycbcr = replace(pixels, rgb=face[None, None]).ycbcr
    hue = float(np.degrees(np.arctan2(ycbcr[:, 2].mean(), ycbcr[:, 1].mean())))
    off = (hue - aims.colour.skin + 180) % 360 - 180
    if abs(off) <= aims.colour.skin_off:
        return Suggested(What.SKIN, None, f"the face lies {figure(off, '+.1f')}° from the skin line")
    turn = round(-float(np.sign(off)) * min(abs(off) - aims.colour.skin_off / 2, _SKIN_TURN), 1)
    places = sorted(((hue + side + 180) % 360 - 180, turn if side == 0 else 0.0) for side in (-_SKIN_WIDE, 0.0, _SKIN_WIDE))
    points = tuple((round(place, 1), value) for place, value in places)
    return Suggested(
        What.SKIN, Hues(turn=points), f"the face lies {figure(off, '+.1f')}° from the skin line → {figure(off + turn, '+.1f')}°"
    )


# Log ------------------------------------------------------------------------------------------------------------------------


def _log(pixels: Pixels, aims: Aims) -> Suggested:
    """Flat footage, known by its black, its white and its chroma, opened from measured extremes."""
    seen = _levels(pixels, aims)
    chroma = _chroma(pixels)
    told = f"black {figure(seen.low, '.1f')} %, highlights {figure(seen.high, '.1f')} %, chroma {chroma:.1f} %"
    span = seen.high - seen.low
    lifted = any(seen.low >= black and seen.middle - seen.low >= share * span for black, share in _HIGH_MIDDLES)
    white = _HIGH_WHITE if lifted else _FLAT_WHITE
    flat = seen.low >= _FLAT_BLACK and seen.high <= white and span <= _FLAT_SPAN and chroma <= _FLAT_CHROMA
    if not flat or span < _LEAST_CONTRAST:
        return Suggested(What.LOG, None, f"not flat: {told}", sure=span >= _LEAST_CONTRAST)
    low, high = _log_ends(seen)
    plain = Log(MEASURED, low=low, high=high)
    aim = aims.levels.face if seen.named == "face" else aims.levels.middle
    exposure = _log_exposure(plain, seen.middle, aim, pixels)
    step = replace(plain, exposure=exposure)
    ends = np.repeat(np.array([seen.low, seen.high, seen.middle])[:, None] / 100, 3, axis=1)
    made = step.apply(ends, pixels.source)[:, 0] * 100
    return Suggested(What.LOG, step, f"flat as log is: {seen.after(made)}")


def _log_ends(seen: _Seen) -> tuple[float, float]:
    """Where black and white of unknown log footage are taken to lie: a little outside what is seen."""
    room = (seen.high - seen.low) * 0.05
    return round(max(seen.low - room, 0.0), 1), round(min(seen.high + room, 100.0), 1)


def _log_exposure(step: Log, middle: float, aim: tuple[float, float], pixels: Pixels) -> float:
    """Stops that bring the middle into the aims; none where it is there."""

    def made(stops: float) -> float:
        return float(replace(step, exposure=stops).apply(np.full(3, middle / 100), pixels.source)[0]) * 100

    plain = made(0.0)
    if aim[0] <= plain <= aim[1]:
        return 0.0
    wanted = aim[0] if plain < aim[0] else aim[1]
    least, most = -4.0, 4.0
    for _ in range(_HALVINGS):
        half = (least + most) / 2
        least, most = (half, most) if made(half) < wanted else (least, half)
    return round((least + most) / 2, 2)


def _levels_are_bearable(pixels: Pixels, aims: Aims) -> bool:
    """Whether no two signs agree that levels are wrong, and neither end is beyond what can be meant."""
    seen, levels = _exposed(pixels, aims), aims.levels
    least, most = levels.face if seen.named == "face" else levels.middle
    raised, dim = seen.low > levels.black, seen.high < levels.highlights[0]
    beyond = seen.low < -_UNDER or seen.high > levels.highlights[1] + _OVER
    return not (beyond or (raised and dim) or (seen.middle < least and dim) or (seen.middle > most and raised))


_MAKERS = {
    What.LOG: _log, What.EXPOSURE: _exposure, What.BALANCE: _balance, What.SATURATION: _saturation, What.SKIN: _skin,
}  # fmt: skip
