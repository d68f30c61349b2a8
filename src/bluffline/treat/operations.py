"""The operations that steps compile to, and how neighbours fold into one."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.polynomial import chebyshev
from numpy.typing import NDArray

from bluffline.treat.code_kernels import Code

Float = NDArray[np.floating[Any]]

_IDENTITY = np.eye(3, 4)
_INSIDE = 1e6  # beyond any signal
_TOP, _LIGHT_TOP = 1.3, 1.6  # signals and light up to there go by a polynomial, in half the time of a power
_DEGREE = 10  # within two millionths
_CAMERA = 1 / 0.45  # exponent of the BT.709 camera curve, taken back [BT709]


@dataclass(frozen=True, eq=False)
class Operation:
    """An operation: its figures, and a table where it has one, all as single precision in the end."""

    code: Code
    figures: tuple[float, ...] = ()
    table: NDArray[np.floating[Any]] | None = None

    def folded(self, after: "Operation") -> "Operation | None":  # noqa: ARG002 (as those have it that fold)
        """One operation for this and the one that follows; None where they don't fold."""
        return None


@dataclass(frozen=True, eq=False)
class Affine(Operation):
    """A 3×3 matrix and an offset (3, 4): in the table."""

    @classmethod
    def of(cls, matrix: Float, offset: Float | tuple[float, ...] = (0.0, 0.0, 0.0)) -> "Affine":
        """By its matrix (3, 3) and offset (3,)."""
        return cls(Code.AFFINE, (), np.column_stack([np.asarray(matrix, np.float64), np.asarray(offset, np.float64)]))

    @property
    def neutral(self) -> bool:
        """Whether it leaves everything as it is."""
        return self.table is None or bool(np.abs(self.table - _IDENTITY).max() < 1e-9)

    def folded(self, after: Operation) -> Operation | None:
        """Two matrices are one."""
        if not isinstance(after, Affine) or self.table is None or after.table is None:
            return None
        whole = after.table[:, :3] @ self.table
        whole[:, 3] += after.table[:, 3]
        return Affine(Code.AFFINE, (), whole)


@dataclass(frozen=True, eq=False)
class Light(Operation):
    """To light, or ``back``; of one programme there is only one of each."""

    back: bool = False

    def folded(self, after: Operation) -> Operation | None:
        """Back, and to light again, is nothing."""
        return Affine.of(np.eye(3)) if self.back and isinstance(after, Light) and not after.back else None


def powers(
    exponents: tuple[float, float, float],
    *,
    below: tuple[float, float, float] = (-_INSIDE, 1.0, 0.0),
    above: tuple[float, float, float] = (_INSIDE, 1.0, 0.0),
    scale: float = 1.0,
    shift: float = 0.0,
    offset: float = 0.0,
    both_signs: bool = False,
    ends: tuple[tuple[float, float, float, float], ...] | None = None,
) -> Operation:
    """Scale · (v + shift)^exponent + offset, a straight line under and over an edge.

    Parameters
    ----------
    below, above : edge, slope and offset of the lines
    both_signs : the sign of v is taken off before and given back after
    ends : for each component the slopes and offsets below and above, where they differ
    """
    figures: list[float] = [float(both_signs)]
    for n, exponent in enumerate(exponents):
        under, over = below[1:], above[1:]
        if ends is not None:
            under, over = ends[n][:2], ends[n][2:]
        figures += [below[0], *under, above[0], *over, shift, exponent, scale, offset]
    return Operation(Code.POWER, tuple(figures))


@cache
def to_light(transfer: str) -> tuple[Operation, ...]:
    """R′, G′, B′ to the light that the camera saw: see `signal.colorimetry.camera_light`."""
    if transfer == "linear":
        return ()
    if transfer in _TRANSFERS:
        return (Light(Code.TRANSFER, (0.0, _TRANSFERS[transfer])),)
    edge, lift = 0.081, 1.099
    made = powers((_CAMERA,) * 3, below=(edge, 1 / 4.5, 0.0), scale=lift**-_CAMERA, shift=lift - 1)
    curve = _polynomial(lambda v: ((v + lift - 1) / lift) ** _CAMERA, edge, _TOP)
    return (Light(Code.CAMERA, (0.0, edge, 1 / 4.5, _TOP, *curve, *made.figures[1:11])),)


@cache
def from_light(transfer: str) -> tuple[Operation, ...]:
    """The inverse of `to_light`."""
    if transfer == "linear":
        return ()
    if transfer in _TRANSFERS:
        return (Light(Code.TRANSFER, (1.0, _TRANSFERS[transfer]), back=True),)
    edge, lift = 0.081 / 4.5, 1.099
    made = powers((0.45,) * 3, below=(edge, 4.5, 0.0), scale=lift, offset=1 - lift)
    curve = _polynomial(lambda root: lift * root**0.9 + 1 - lift, edge**0.5, _LIGHT_TOP**0.5)
    return (Light(Code.CAMERA, (1.0, edge, 4.5, _LIGHT_TOP, *curve, *made.figures[1:11]), back=True),)


def _polynomial(curve: Callable[[Any], Any], low: float, high: float) -> tuple[float, ...]:
    """A curve between two ends: what brings them to −1 and 1 (slope, offset), and coefficients there, the highest first."""
    slope = 2 / (high - low)
    offset = -1 - low * slope
    series = chebyshev.chebinterpolate(lambda t: curve((t - offset) / slope), _DEGREE)
    return (slope, offset, *(float(each) for each in chebyshev.cheb2poly(series)[::-1]))


_TRANSFERS = {"srgb": 0.0, "pq": 1.0, "hlg": 2.0}


def folded(operations: list[Operation]) -> list[Operation]:
    """Operations with neighbours folded where they can be, and without those that do nothing."""
    done: list[Operation] = []
    for operation in operations:
        done.append(operation)
        while len(done) > 1 and (whole := done[-2].folded(done[-1])) is not None:
            done[-2:] = [whole]
        if isinstance(done[-1], Affine) and done[-1].neutral:
            done.pop()
    return done
