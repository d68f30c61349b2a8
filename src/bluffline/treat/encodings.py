"""Camera encodings, as OpenColorIO's built-in transforms hold them: their names, their curves, their primaries.

No encoding is spelled here: the list is what the library has while the program runs.
"""

from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import adapt, rgb_to_xyz

Float = NDArray[np.floating[Any]]

_TO_SCENE = "_to_ACES2065-1"  # the light that transforms from cameras lead to: ST 2065-1
# x, y of its primaries and of its white [ACES]
_PRIMARIES, _WHITE = ((0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.077)), (0.32168, 0.33767)
_LOG = 4.0  # times more light at 100 % than at 50 % from which a curve is taken for a log
_SAME = 1e-3  # up to which a transform is one curve and one matrix
_LOW, _HIGH = 0.1, 0.9  # signals that its matrix is read off between
LEAST, GREATEST, ENTRIES = -0.25, 1.25, 8193  # of a curve's table; beyond it is held


@dataclass(frozen=True, eq=False)
class Encoding:
    """A camera's encoding.

    ``table``: (`ENTRIES`,) light over R′, G′ or B′ from `LEAST` to `GREATEST`, 0.18 being 18 % grey; ``matrix``: (3, 3) from
    that to X, Y, Z with Y = 1 at D65 white.
    """

    name: str
    table: NDArray[np.float64]
    matrix: NDArray[np.float64]

    def light(self, value: Float) -> NDArray[np.float64]:
        """Light of R′, G′ or B′ (0 … 1), of any shape."""
        return np.interp(value, np.linspace(LEAST, GREATEST, ENTRIES), self.table)


@cache
def encodings() -> tuple[str, ...]:
    """The encodings that there are, in order: every built-in transform from a log curve and three primaries to scene light."""
    return tuple(sorted(name for name in _candidates() if _read(name) is not None))


@cache
def told_of(name: str) -> str:
    """What the library says of an encoding."""
    return str(_candidates()[name])


def encoding(name: str) -> Encoding:
    """One of `encodings`.

    Raises
    ------
    SettingsError : there is none of that name
    """
    found = _read(name) if name in _candidates() else None
    if found is None:
        raise SettingsError(f"There is no camera encoding {name[:60]!r} here.")
    return found


@cache
def _candidates() -> dict[str, str]:
    built_in = _ocio().BuiltinTransformRegistry().getBuiltins()
    return {name.removesuffix(_TO_SCENE): told for name, told in built_in if name.endswith(_TO_SCENE) and " " not in name}


@cache
def _read(name: str) -> Encoding | None:
    """What a transform is made of; None where it is not one log curve and a matrix."""
    ocio = _ocio()
    chain = ocio.Config.CreateRaw().getProcessor(ocio.BuiltinTransform(name + _TO_SCENE))
    process = chain.getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)

    def through(colours: Float) -> NDArray[np.float64]:
        held = np.ascontiguousarray(colours, np.float32)
        process.applyRGB(held)
        return held.astype(np.float64)

    values = np.linspace(LEAST, GREATEST, ENTRIES)
    light = through(np.repeat(values[:, None], 3, axis=1)).mean(axis=1)
    low, middle, high, top = np.interp((_LOW, 0.5, _HIGH, 1.0), values, light)
    if not np.isfinite(light).all() or top <= _LOG * middle:
        return None
    apart = np.full((4, 3), _LOW)
    np.fill_diagonal(apart[1:], _HIGH)
    ends = through(apart)
    matrix = (ends[1:] - ends[0]).T / (high - low)
    tried = np.random.default_rng(1).uniform(0.1, 0.9, (64, 3))
    made, wanted = np.interp(tried, values, light) @ matrix.T, through(tried)
    held = (wanted == 0) & (made < 0)  # some hold what is darker than black
    if np.abs(np.where(held, 0, made - wanted)).max() > _SAME * np.abs(wanted).max():
        return None
    return Encoding(name, light, _scene_to_xyz() @ matrix)


@cache
def _scene_to_xyz() -> NDArray[np.float64]:
    """(3, 3) from the scene's light to X, Y, Z as seen under D65."""
    points, (x, y) = np.array(_PRIMARIES), _WHITE
    white = np.array([x / y, 1.0, (1 - x - y) / y])
    columns = np.stack([points[:, 0], points[:, 1], 1 - points.sum(axis=1)]) / np.where(points[:, 1] == 0, 1, points[:, 1])
    return adapt((columns * np.linalg.solve(columns, white)).T, white).T


def to_primaries(matrix: Float, primaries: str) -> NDArray[np.float64]:
    """(3, 3) to X, Y, Z, as one to linear R, G, B of a programme's primaries."""
    return np.asarray(np.linalg.solve(rgb_to_xyz(primaries), matrix))


def _ocio() -> Any:
    import PyOpenColorIO  # noqa: PLC0415 (it takes a fifth of a second to load, and few treatments need it)

    return PyOpenColorIO
