"""Log to display: flat footage of a camera, as the programme shows it."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.signal.colorimetry import camera_signal
from bluffline.treat.code_kernels import Code
from bluffline.treat.encodings import ENTRIES, GREATEST, LEAST, Encoding, encoding, encodings, to_primaries
from bluffline.treat.kinds.soft_ceiling import roll_off, rolling
from bluffline.treat.operations import Affine, Operation, from_light
from bluffline.treat.step import Choice, Float, Measured, Number, Signal, Step

NO_ENCODING, MEASURED = "", "from measured extremes"
_STOPS, _TOP = 9.0, 4.25  # between measured extremes, and the light at the upper one: 18 % grey lies half-way
_KNEE = 0.9  # of the room that chroma has, from which it is reined in
_LEAST, _NO_TOP = 1e-6, 1e6


@dataclass(frozen=True)
class Log(Step):
    """Camera log to the programme's display: its curve and primaries undone, exposed, and coded as the programme is.

    ``encoding``: a name of `treat.encodings.encodings`, or *from measured extremes* where nobody knows it: then light is taken
    to double nine times between ``low`` and ``high`` (percent), with 18 % grey half-way. At exposure 0, 18 % grey lands where
    the programme's camera curve has it, 40.9 % for BT.709. Luma rolls off over the last ``roll_off`` percent so that the
    brightest that the encoding holds lands on 100 %, chroma with it; what is outside R′G′B′ is brought in with its hue and luma
    held.
    """

    kind = "log"
    title = "Log to display"
    work = 10
    encoding: Annotated[str, Choice("Encoding", lambda: (NO_ENCODING, MEASURED, *encodings()))] = NO_ENCODING
    exposure: Annotated[float, Number("Exposure", "stops", -8, 8, 0.05, 0.01)] = 0.0
    roll_off: Annotated[float, Number("Roll-off", "%", 0, 55, 1, 0.2)] = 30.0
    low: Annotated[float, Number("Black at", "%", -50, 90, 0.5, 0.1)] = 0.0
    high: Annotated[float, Number("White at", "%", 10, 150, 0.5, 0.1)] = 100.0

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.high - self.low >= 5, "Log to display: white must lie at least 5 % above black.")

    @classmethod
    def begun(cls, shot: Measured) -> Self:
        high = min(max(shot.high, 10.0), 150.0)
        return cls(MEASURED, low=round(min(max(shot.low, -50.0), high - 5, 90.0), 1), high=round(high, 1))

    def _read(self, signal: Signal) -> tuple[Encoding, NDArray[np.float64]]:
        """The encoding, and its matrix to the light of the programme's primaries."""
        if self.encoding == MEASURED:
            return _between(self.low, self.high), np.eye(3)
        read = encoding(self.encoding)
        return read, to_primaries(read.matrix, signal.primaries)

    def _peak(self, read: Encoding, transfer: str) -> float:
        """The brightest that the encoding holds, as the programme codes it, in percent."""
        most = float(read.light(np.array(1.0)))
        return float(camera_signal(np.array(most * 2.0**self.exposure), transfer)) * 100

    @property
    def _top(self) -> float:
        """Up to where R′, G′ and B′ may reach (1 = 100 %): nothing over 100 % is touched where there is no roll-off."""
        return 1.0 if self.roll_off else _NO_TOP

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        value = np.asarray(rgb, np.float64)
        if self.encoding == NO_ENCODING:
            return value
        read, matrix = self._read(signal)
        made = camera_signal(read.light(value) @ matrix.T * 2.0**self.exposure, signal.transfer)
        if self.roll_off:
            luma = made @ np.array(signal.matrix.luma_weights)
            knee = 100 - self.roll_off
            rolled = np.where(luma * 100 > knee, roll_off(luma * 100, knee, self._peak(read, signal.transfer), 100) / 100, luma)
            gain = np.where(luma * 100 > knee, rolled / np.maximum(luma, 0.01), 1.0)
            made = rolled[..., None] + (made - luma[..., None]) * gain[..., None]
        luma = made @ np.array(signal.matrix.luma_weights)
        apart = made - luma[..., None]
        up, under = apart.max(axis=-1), -apart.min(axis=-1)
        demand = np.maximum(up / np.maximum(self._top - luma, _LEAST), under / np.maximum(luma, _LEAST))
        over = (np.maximum(demand, _KNEE) - _KNEE) / (1 - _KNEE)
        allowed = _KNEE + (1 - _KNEE) * over / (1 + over)
        scale = np.where(demand > _KNEE, allowed / np.maximum(demand, _KNEE), 1.0)
        return np.asarray(luma[..., None] + apart * scale[..., None])

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if self.encoding == NO_ENCODING:
            return ()
        read, matrix = self._read(signal)
        per_unit = (ENTRIES - 1) / (GREATEST - LEAST)
        peak = self._peak(read, signal.transfer)
        rolled = (rolling(1.0, 100 - self.roll_off, peak, 100),) if self.roll_off else ()
        return (
            Operation(Code.TABLE, (LEAST, per_unit), np.broadcast_to(read.table, (3, ENTRIES))),
            Affine.of(matrix * 2.0**self.exposure),
            *from_light(signal.transfer),
            *rolled,
            Operation(Code.GAMUT, (self._top, _KNEE, _LEAST)),
        )

    @property
    def text(self) -> str:
        if self.encoding == NO_ENCODING:
            return "no encoding chosen"
        ends = f", {figure(self.low, '.1f')} … {figure(self.high, '.1f')} %" if self.encoding == MEASURED else ""
        return f"{self.encoding}{ends}, {figure(self.exposure, '+.2f')} stops, roll-off {self.roll_off:.0f} %"


@lru_cache(maxsize=16)
def _between(low: float, high: float) -> Encoding:
    """An encoding that nobody knows, by where it begins and ends."""
    part = (np.linspace(LEAST, GREATEST, ENTRIES) * 100 - low) / (high - low)
    light = _TOP * (2.0 ** (_STOPS * np.minimum(part, 2.0)) - 1) / (2.0**_STOPS - 1)
    return Encoding(MEASURED, light, np.eye(3))
