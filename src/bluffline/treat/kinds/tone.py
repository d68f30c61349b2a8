"""Tone: exposure, black and white points, lift, gamma, gain, offset, contrast and saturation, in this order."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.treat.code_kernels import Code
from bluffline.treat.hands import Grip
from bluffline.treat.kinds.cdl import saturating
from bluffline.treat.operations import Affine, Operation, from_light, powers, to_light
from bluffline.treat.step import Channels, Float, Number, Signal, Step, Told

_PARTS = ("master", "R′", "G′", "B′")
_DARK = 0.1  # luma below which a ratio tells less and less, down to nothing at black
_MOST_HELD = 8.0  # times that chroma is raised at most to keep its proportion


@dataclass(frozen=True)
class Tone(Step):
    """A primary correction.

    Light × 2^exposure; black and white points to 0 and 100 %; lift v + l(1 − v), gain v·g, gamma v^(1/γ) between 0 and 1 and
    on in lines of slope 1/γ beyond, offset v + o; contrast about the pivot; saturation about luma.

    Master and component add up in lift and offset, and multiply in gamma and gain. With ``soft_ends`` more contrast is an S
    that never reaches past 0 and 100 %; with ``hold_chroma`` chroma keeps its proportion to luma where luma is raised.
    """

    kind = "tone"
    title = "Tone"
    work = 20
    key = "Shift+T"
    exposure: Annotated[float, Number("Exposure", "stops", -8, 8, 0.05, 0.01)] = 0.0
    black_point: Annotated[float, Number("Black point", "%", -50, 90)] = 0.0
    white_point: Annotated[float, Number("White point", "%", 10, 200)] = 100.0
    lift: Annotated[Channels, Number("Lift", "%", -50, 50, 0.5, 0.1, _PARTS)] = (0.0, 0.0, 0.0, 0.0)
    gamma: Annotated[Channels, Number("Gamma", "×", 0.2, 5, 0.01, 0.002, _PARTS)] = (1.0, 1.0, 1.0, 1.0)
    gain: Annotated[Channels, Number("Gain", "×", 0, 8, 0.01, 0.002, _PARTS)] = (1.0, 1.0, 1.0, 1.0)
    offset: Annotated[Channels, Number("Offset", "%", -100, 100, 0.5, 0.1, _PARTS)] = (0.0, 0.0, 0.0, 0.0)
    contrast: Annotated[float, Number("Contrast", "×", 0, 4, 0.01, 0.002)] = 1.0
    pivot: Annotated[float, Number("Pivot", "%", 1, 99)] = 40.9
    soft_ends: Annotated[bool, Told("Soft ends")] = False
    saturation: Annotated[float, Number("Saturation", "×", 0, 4, 0.01, 0.002)] = 1.0
    hold_chroma: Annotated[bool, Told("Hold chroma")] = False

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.white_point - self.black_point >= 1, "Tone: the white point must lie at least 1 % above the black point.")

    @property
    def _components(self) -> tuple[Float, Float, Float, Float]:
        """Lift, gamma, gain and offset of R′, G′ and B′, in one."""
        lift, gamma, gain, offset = (np.array(four) for four in (self.lift, self.gamma, self.gain, self.offset))
        return (lift[0] + lift[1:]) / 100, gamma[0] * gamma[1:], gain[0] * gain[1:], (offset[0] + offset[1:]) / 100

    @property
    def _hardened(self) -> bool:
        """Whether contrast is an S."""
        return self.soft_ends and self.contrast > 1

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        weights = np.array(signal.matrix.luma_weights)
        given: Float = np.asarray(rgb, np.float64)
        value: Float = given
        if self.exposure:
            value = camera_signal(camera_light(value, signal.transfer) * 2.0**self.exposure, signal.transfer)
        value = (value - self.black_point / 100) / ((self.white_point - self.black_point) / 100)
        lift, gamma, gain, offset = self._components
        value = (value + lift * (1 - value)) * gain
        bent = np.where(value > 1, 1 + (value - 1) / gamma, value / gamma)
        value = np.where((value >= 0) & (value <= 1), np.clip(value, 0, 1) ** (1 / gamma), bent) + offset
        pivot = self.pivot / 100
        value = _soft(value, pivot, self.contrast) if self._hardened else pivot + self.contrast * (value - pivot)
        luma = (value @ weights)[..., None]
        apart = value - luma
        if self.hold_chroma:
            apart = apart * _held(given, given @ weights, apart, luma[..., 0])[..., None]
        return np.asarray(luma + apart * self.saturation)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if self == type(self)(on=self.on, heading=self.heading, reach=self.reach, pivot=self.pivot):
            return ()
        made: list[Operation] = [Operation(Code.KEEP)] if self.hold_chroma else []
        if self.exposure:
            exposed = Affine.of(np.eye(3) * 2.0**self.exposure)
            made += [*to_light(signal.transfer), exposed, *from_light(signal.transfer)]
        lift, gamma, gain, offset = self._components
        width = (self.white_point - self.black_point) / 100
        line = (1 - lift) * gain / width
        made.append(Affine.of(np.diag(line), lift * gain - line * self.black_point / 100))
        if (gamma != 1).any():
            ends = tuple((1 / g, 0.0, 1 / g, 1 - 1 / g) for g in gamma.tolist())
            first, second, third = (1 / gamma).tolist()
            made.append(powers((first, second, third), below=(0.0, 0.0, 0.0), above=(1.0, 0.0, 0.0), ends=ends))
        pivot = self.pivot / 100
        if self._hardened:
            made += [Affine.of(np.eye(3), offset), Operation(Code.SOFT_ENDS, (pivot, self.contrast))]
        else:
            made.append(Affine.of(np.eye(3) * self.contrast, pivot + self.contrast * (offset - pivot)))
        if self.hold_chroma:
            made.append(Operation(Code.HOLD_CHROMA, (_DARK, _MOST_HELD)))
        return (*made, saturating(self.saturation, signal.matrix.luma_weights))

    def grips(self, black: float, grey: float, white: float) -> tuple[Grip, ...]:
        """White, grey and black: of luma by its points and gamma, of a component by gain, gamma and lift."""
        made = []
        for component in (None, 0, 1, 2):
            for name, comes_in, whole, own in (
                ("white", white, "white_point", "gain"),
                ("grey", grey, "gamma", "gamma"),
                ("black", black, "black_point", "lift"),
            ):
                key = whole if component is None else own
                declared = next(one.declared for one in self.figures() if one.key == key)
                assert isinstance(declared, Number), "what is pulled is a number"
                least = self.black_point + 1 if key == "white_point" else declared.least
                greatest = self.white_point - 1 if key == "black_point" else declared.greatest
                field = f"{key}.{0 if component is None else component + 1}" if declared.parts else key
                bounds = max(least, declared.least), min(greatest, declared.greatest)
                made.append(Grip(name, field, component, comes_in, *bounds))
        return tuple(made)

    @property
    def text(self) -> str:
        told = []
        for one in self.figures():
            value = getattr(self, one.key)
            if value == one.neutral or not isinstance(one.declared, Number):
                continue
            values = value if isinstance(value, tuple) else (value,)
            shown = values[:1] if len(values) == 1 or values[1:] == one.neutral[1:] else values
            unit = one.declared.unit
            form = "+.2f" if unit == "stops" else ".1f" if unit == "%" else ".2f"
            figures = " ".join(figure(each, form) for each in shown)
            told.append(f"{one.declared.label.lower()} " + (f"×{figures}" if unit == "×" else f"{figures} {unit}"))
        told += [word for word, on in (("soft ends", self.soft_ends), ("chroma held", self.hold_chroma)) if on]
        return ", ".join(told) or "neutral"


def _soft(value: Float, pivot: float, contrast: float) -> Float:
    """An S of slope ``contrast`` at the pivot that bends to 0 and 1 on either side, and is held there."""
    room = np.where(value >= pivot, 1 - pivot, -pivot)
    part = np.clip((value - pivot) / room, 0, 1)
    return np.asarray(pivot + room * contrast * part / (1 + (contrast - 1) * part))


def _held(given: Float, luma: Float, apart: Float, treated: Float) -> Float:
    """By how much chroma is raised to stand to luma as it did, less and less towards black; 1 where luma is not raised."""
    before = np.sqrt(((given - luma[..., None]) ** 2).sum(axis=-1))
    after = np.sqrt((apart**2).sum(axis=-1))
    wanted = before * treated / np.maximum(luma, 1e-6)
    raised = (treated > luma) & (luma > 0) & (wanted > after) & (after > 1e-6)
    gain = np.minimum(wanted / np.maximum(after, 1e-6), _MOST_HELD)
    return np.where(raised, 1 + (gain - 1) * np.clip(luma / _DARK, 0, 1), 1.0)
