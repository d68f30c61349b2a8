"""Steps that work on colours: R′G′B′ in, R′G′B′ out, pixel by pixel, 0 being black and 1 white, never clamped.

Each step carries what it has to know of the signal (its transfer characteristic, its luma weights), because it was made
for that signal.
"""

from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.curves import Points, follow_curve, require_rising

Float = NDArray[np.floating[Any]]
Row = tuple[float, ...]

ROOT_TERMS = {2: 6, 3: 13}  # of a root polynomial, by its degree [ROOTPOLY]
_WHITE_KEPT = 1e-6
_GREATEST_TURN, _LEAST_WIDTH = 60.0, 10.0


@dataclass(frozen=True, slots=True)
class Balance:
    """Gains of R, G and B: in the light that a camera of this transfer characteristic saw, or on coded values where None."""

    title: ClassVar[str] = "Balance"
    gains: tuple[float, float, float]
    light: str | None = None
    bypassed: bool = False

    def __post_init__(self) -> None:
        require(min(self.gains) > 0, "Balance: gains must be above 0.")

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3)."""
        if self.light is None:
            return np.asarray(rgb * np.array(self.gains), np.float64)
        return camera_signal(camera_light(rgb, self.light) * np.array(self.gains), self.light)

    @property
    def text(self) -> str:
        """Its figures in a line."""
        where = "on coded values" if self.light is None else "in linear light"
        return "gains " + " ".join(f"{name} {gain:.3f}" for name, gain in zip("RGB", self.gains, strict=True)) + f" {where}"


@dataclass(frozen=True, slots=True)
class NeutralScale:
    """A curve for each of R′, G′ and B′ that makes the greys of a scale neutral, each at its own brightness."""

    title: ClassVar[str] = "Neutral scale"
    red: Points
    green: Points
    blue: Points
    bypassed: bool = False

    def __post_init__(self) -> None:
        for points in (self.red, self.green, self.blue):
            require_rising(points, "Neutral scale")

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3)."""
        curves = (self.red, self.green, self.blue)
        return np.stack([follow_curve(points, rgb[..., n]) for n, points in enumerate(curves)], axis=-1)

    @property
    def text(self) -> str:
        """Its figures in a line."""
        return f"curves through {len(self.green)} greys"


@dataclass(frozen=True, slots=True)
class Straighten:
    """One curve for R′, G′ and B′ that gives the greys of a scale their reference brightness, so that light is linear again.

    ``strength``: percent of the way.
    """

    title: ClassVar[str] = "Straighten"
    curve: Points
    strength: float = 100.0
    bypassed: bool = False

    def __post_init__(self) -> None:
        require_rising(self.curve, "Straighten")
        require(0 <= self.strength <= 100, "Straighten: the strength must lie between 0 and 100 %.")

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3)."""
        return np.asarray(rgb + (follow_curve(self.curve, rgb) - rgb) * (self.strength / 100), np.float64)

    @property
    def text(self) -> str:
        """Its figures in a line."""
        return f"curve through {len(self.curve)} greys"


@dataclass(frozen=True, slots=True)
class ColourMatrix:
    """A 3×3 matrix on the light that a camera of this transfer characteristic saw. White is kept: each row adds up to 1."""

    title: ClassVar[str] = "Matrix"
    rows: tuple[Row, Row, Row]
    light: str
    bypassed: bool = False

    def __post_init__(self) -> None:
        _require_rows(self.rows, 3, "Matrix")
        require(abs(float(np.linalg.det(np.array(self.rows)))) > 1e-3, "Matrix: it is singular.")

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3)."""
        return camera_signal(camera_light(rgb, self.light) @ np.array(self.rows).T, self.light)

    @property
    def text(self) -> str:
        """Its figures in a line."""
        return "; ".join(" ".join(figure(value, ".3f") for value in row) for row in self.rows)


@dataclass(frozen=True, slots=True)
class RootPolynomial:
    """A root polynomial on the light a camera saw [ROOTPOLY]: as many times the light gives as many times the result."""

    title: ClassVar[str] = "Root polynomial"
    rows: tuple[Row, Row, Row]
    degree: int
    light: str
    bypassed: bool = False

    def __post_init__(self) -> None:
        require(self.degree in ROOT_TERMS, "Root polynomial: the degree must be 2 or 3.")
        _require_rows(self.rows, ROOT_TERMS[self.degree], "Root polynomial")

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3)."""
        light = camera_light(rgb, self.light)
        return camera_signal(root_terms(light, self.degree) @ np.array(self.rows).T, self.light)

    @property
    def text(self) -> str:
        """Its figures in a line."""
        return f"degree {self.degree}, {len(self.rows[0])} terms"


def root_terms(light: Float, degree: int) -> NDArray[np.float64]:
    """(..., 3) light to (..., 6 or 13) terms of a root polynomial, each of the first order in exposure.

    Light below black has no roots: it keeps its first three terms, and its roots are those of black.
    """
    red, green, blue = (np.maximum(light[..., n], 0) for n in range(3))
    terms = [light[..., 0], light[..., 1], light[..., 2]]
    terms += [np.sqrt(red * green), np.sqrt(green * blue), np.sqrt(red * blue)]
    if degree == 3:
        pairs = ((red, green), (green, blue), (blue, red), (green, red), (blue, green), (red, blue))
        terms += [np.cbrt(first * second**2) for first, second in pairs] + [np.cbrt(red * green * blue)]
    return np.stack(terms, axis=-1)


@dataclass(frozen=True, slots=True)
class HueNudge:
    """Moves a band of hues towards a neighbour where one light in the shot was another colour.

    ``hue`` and ``width`` of the band and ``turn`` are degrees of the Cb-Cr plane, counted as on the vectorscope; ``low`` …
    ``high`` is the range of luma in percent. The borders are soft, so highlights above ``high`` are left alone.
    """

    title: ClassVar[str] = "Hue nudge"
    hue: float
    width: float
    turn: float
    low: float
    high: float
    matrix: Matrix
    bypassed: bool = False

    def __post_init__(self) -> None:
        require(abs(self.turn) <= _GREATEST_TURN, f"Hue nudge: hues are turned by {_GREATEST_TURN:g}° at most.")
        require(_LEAST_WIDTH <= self.width <= 180, f"Hue nudge: the band must be {_LEAST_WIDTH:g}° to 180° wide.")
        require(self.high - self.low >= 5, "Hue nudge: the range of luma must be at least 5 % wide.")

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3)."""
        ycbcr = rgb_to_ycbcr(np.asarray(rgb, np.float64), self.matrix)
        luma, cb, cr = ycbcr[..., 0] * 100, ycbcr[..., 1], ycbcr[..., 2]
        away = (np.degrees(np.arctan2(cr, cb)) - self.hue + 180) % 360 - 180
        border = (self.high - self.low) / 5
        weight = _soft(1 - np.abs(away) / self.width, 0.5) * _soft(luma - self.low, border) * _soft(self.high - luma, border)
        turn = np.radians(self.turn) * weight
        moved = (cb * np.cos(turn) - cr * np.sin(turn), cb * np.sin(turn) + cr * np.cos(turn))
        return np.asarray(ycbcr_to_rgb(np.stack([ycbcr[..., 0], *moved], axis=-1), self.matrix))

    @property
    def text(self) -> str:
        """Its figures in a line."""
        reach = f"luma {figure(self.low, '.0f')} … {figure(self.high, '.0f')} %"
        return f"{figure(self.hue, '.0f')}° ± {self.width:.0f}° by {figure(self.turn, '+.0f')}°, {reach}"


@dataclass(frozen=True, slots=True)
class Cdl:
    """Slope, offset, power and saturation [CDL]; signals below black keep their sign where they are raised to the power."""

    title: ClassVar[str] = "CDL"
    slope: tuple[float, float, float] = (1.0, 1.0, 1.0)
    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)
    power: tuple[float, float, float] = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    bypassed: bool = False
    weights: ClassVar[tuple[float, float, float]] = Matrix.BT709.luma_weights

    def __post_init__(self) -> None:
        require(min(self.slope) >= 0 and min(self.power) > 0, "CDL: slopes must not be below 0, and powers must be above 0.")
        require(self.saturation >= 0, "CDL: saturation must not be below 0.")

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3)."""
        value = np.asarray(rgb, np.float64) * np.array(self.slope) + np.array(self.offset)
        value = np.sign(value) * np.abs(value) ** np.array(self.power)
        luma = value @ np.array(self.weights)
        return np.asarray(luma[..., None] + self.saturation * (value - luma[..., None]))

    @property
    def text(self) -> str:
        """Its figures in a line."""
        named = (("slope", self.slope), ("offset", self.offset), ("power", self.power))
        return ", ".join(f"{name} " + " ".join(f"{v:.3f}" for v in values) for name, values in named) + (
            f", saturation {self.saturation:.3f}"
        )


@dataclass(frozen=True, eq=False)
class Lut:
    """A table of colours: (size, 3) for a curve each, or (size, size, size, 3) indexed by red, green and blue.

    ``low`` … ``high``: the range of R′G′B′ over which its entries are spread; signals beyond it are held at its ends.
    """

    title: ClassVar[str] = "LUT"
    name: str
    low: float
    high: float
    table: NDArray[np.float32] = field(repr=False)
    bypassed: bool = False

    def __post_init__(self) -> None:
        shape = self.table.shape
        sound = shape[-1] == 3 and min(shape[:-1]) >= 2 and len(shape) in (2, 4) and len(set(shape[:-1])) == 1
        require(sound and self.low < self.high, "LUT: a table (size, 3) or (size, size, size, 3), low below high, is needed.")
        require(bool(np.isfinite(self.table).all()), "LUT: the table holds something that is not a number.")

    @property
    def size(self) -> int:
        """Entries along one axis."""
        return int(self.table.shape[0])

    @property
    def is_cube(self) -> bool:
        """Whether it has three dimensions."""
        return self.table.ndim == 4

    def apply(self, rgb: Float) -> NDArray[np.float64]:
        """(..., 3) to (..., 3); linear between the entries of a curve, tetrahedral in a cube."""
        place = np.clip((np.asarray(rgb, np.float64) - self.low) / (self.high - self.low), 0, 1) * (self.size - 1)
        if not self.is_cube:
            entries = np.arange(self.size)
            return np.stack([np.interp(place[..., n], entries, self.table[:, n]) for n in range(3)], axis=-1)
        return tetrahedral(self.table, place)

    @property
    def text(self) -> str:
        """Its figures in a line."""
        shape = f"{self.size}³ cube" if self.is_cube else f"3 curves of {self.size}"
        return f"{self.name}, {shape}, {self.low * 100:.0f} … {self.high * 100:.0f} %".replace(" -", " −")


def tetrahedral(table: NDArray[np.float32], place: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 3) entries of a (size, size, size, 3) cube at (..., 3) places between 0 and size − 1.

    Each cell of the cube is cut into six tetrahedra about its grey diagonal, so greys need only the greys of the table.
    """
    size = table.shape[0]
    base = np.minimum(place.astype(np.intp), size - 2)
    rest = place - base
    order = np.argsort(-rest, axis=-1, kind="stable")
    flat = table.reshape(-1, 3)
    strides = np.array([size * size, size, 1])
    index = base @ strides
    ordered = np.take_along_axis(rest, order, axis=-1)
    result = flat[index] * (1 - ordered[..., :1])
    for n in range(3):
        index = index + strides[order[..., n]]
        below = ordered[..., n + 1 : n + 2] if n < 2 else 0.0
        result = result + flat[index] * (ordered[..., n : n + 1] - below)
    return np.asarray(result, np.float64)


ColourStep = Balance | NeutralScale | Straighten | ColourMatrix | RootPolynomial | HueNudge | Cdl | Lut
COLOUR_STEPS: tuple[type[ColourStep], ...] = (
    Balance, NeutralScale, Straighten, ColourMatrix, RootPolynomial, HueNudge, Cdl, Lut,
)  # fmt: skip


def _soft(value: Float, width: float) -> Float:
    """0 up to 0, 1 from ``width`` on, smooth between."""
    part = np.clip(value / width, 0, 1)
    return np.asarray(part * part * (3 - 2 * part))


def _require_rows(rows: tuple[Row, ...], terms: int, what: str) -> None:
    shaped = len(rows) == 3 and all(len(row) == terms for row in rows)
    require(shaped, f"{what}: three rows of {terms} numbers are needed.")
    sums = np.array(rows).sum(axis=1)
    require(bool(np.abs(sums - 1).max() < _WHITE_KEPT), f"{what}: white is kept only if each row adds up to 1.")
