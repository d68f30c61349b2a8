"""The steps of a chart fit, each found from what the patches measure: greys by curves, colours by a matrix or its like."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import scipy  # its parts are loaded when they are first used: the desk need not wait for them
from numpy.typing import NDArray

from bluffline.errors import ChartError
from bluffline.signal.colorimetry import camera_light, camera_signal, xyz_to_lab
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.format import SignalFormat
from bluffline.treat.curves import rising
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.matrix import ColourMatrix, Row
from bluffline.treat.kinds.neutral_scale import NeutralScale
from bluffline.treat.kinds.root_polynomial import RootPolynomial, root_terms
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.ladder import Treatment
from bluffline.treat.step import Step

Array = NDArray[np.float64]

_LEAST_PATCHES = {"matrix": 6, "root 2": 10, "root 3": 20}
_LEAST_SPREAD = 0.02  # least over greatest singular value of the patches' light, from which a matrix can be solved
_DARK = 0.03  # light that is added where colours are weighed by their darkness, so that black does not count for everything
_RIDGE = 1e-4  # what holds a root polynomial's coefficients near those of no change
_STEP = 1e-4  # of a coefficient, for slopes


@dataclass(frozen=True, eq=False)
class Chart:
    """What a fit works on: measured R′G′B′; the reference as X, Y, Z, Lab and light; what each patch counts."""

    signal: Array
    xyz: Array
    light: Array
    lab: Array
    weights: Array
    neutral: NDArray[np.bool_]
    source: SignalFormat
    to_xyz: Array
    least_squares: bool

    def without(self, patch: int) -> "Chart":
        """The chart with a patch that counts for nothing."""
        weights = self.weights.copy()
        weights[patch] = 0
        return replace(self, weights=weights)

    def light_through(self, steps: Treatment) -> Array:
        """(N, 3) light of the patches after some steps."""
        signal = self.signal
        for step in steps:
            signal = step.apply(signal, self.source)
        return camera_light(signal, self.source.transfer)

    def lab_through(self, steps: Treatment) -> Array:
        """(N, 3) L*a*b* of the patches after some steps."""
        return self.lab_of(self.light_through(steps))

    def lab_of(self, light: Array) -> Array:
        """(N, 3) L*a*b* of light."""
        return xyz_to_lab(light @ self.to_xyz.T)


def _neutral_scale(chart: Chart, before: Treatment, _: Step | None) -> Step:
    """Each grey neutral at its own brightness; a single one by gains."""
    greys = chart.neutral & (chart.weights > 0)
    light = chart.light_through(before)[greys]
    luminance, wanted = light @ chart.to_xyz[1], chart.light[greys]
    target = wanted * (luminance / (wanted @ chart.to_xyz[1]))[:, None]
    if not greys.any() or luminance.min() <= 0:
        raise ChartError("The neutral scale needs a neutral patch that is neither clipped nor black.")
    if greys.sum() == 1:
        red, green, blue = (float(gain) for gain in (target / light)[0])
        return Balance((red, green, blue))
    seen, target = (camera_signal(values, chart.source.transfer) for values in (light, target))
    curves = [rising(seen[:, n], target[:, n]) for n in range(3)]
    if min(len(points) for points in curves) < 2:
        raise ChartError("The neutral scale needs neutral patches of different brightness.")
    return NeutralScale(curves[0], curves[1], curves[2])


def _straighten(chart: Chart, before: Treatment, _: Step | None) -> Step:
    """Each grey at its reference brightness."""
    greys = chart.neutral & (chart.weights > 0)
    pairs = (chart.light_through(before)[greys] @ chart.to_xyz[1], chart.xyz[greys, 1])
    seen, target = (camera_signal(luminance, chart.source.transfer) for luminance in pairs)
    points = rising(seen, target)
    if len(points) < 2:
        raise ChartError("To straighten, two neutral patches of different brightness are needed.")
    return Straighten(points)


def _matrix(chart: Chart, before: Treatment, start: Step | None) -> Step:
    """The least squares on X, Y, Z; from there (or from a solution with a patch more) the least mean CIEDE2000 is sought."""
    light = _spanning(chart, before, "matrix")
    if chart.least_squares:
        return ColourMatrix(_as_rows(_least_squares(chart, light, _EVENLY)))
    rows = np.array(start.rows) if isinstance(start, ColourMatrix) else _least_squares(chart, light, _EVENLY)
    used = chart.weights > 0
    weights = chart.weights[used] / chart.weights[used].sum()
    light, lab = light[used], chart.lab[used]

    def judged(numbers: Array) -> tuple[float, Array]:
        """Mean difference and its slopes, from one look at seven matrices."""
        tried = numbers + np.concatenate([np.zeros((1, 6)), np.eye(6) * _STEP])
        seen = chart.lab_of(np.einsum("tij,nj->tni", _rows_of(tried), light))
        means = delta_e_2000(seen, lab) @ weights
        return float(means[0]), (means[1:] - means[0]) / _STEP

    options = {"maxiter": 2 if isinstance(start, ColourMatrix) else 60, "gtol": 1e-3}  # a patch less moves little
    found = scipy.optimize.minimize(judged, rows[:, :2].ravel(), jac=True, method="BFGS", options=options)
    return ColourMatrix(_as_rows(_rows_of(found.x)))


def _rows_of(numbers: Array) -> Array:
    """(..., 6) the first two of each row to (..., 3, 3) rows that add up to 1."""
    first = numbers.reshape(*numbers.shape[:-1], 3, 2)
    return np.concatenate([first, 1 - first.sum(axis=-1, keepdims=True)], axis=-1)


def _root(degree: int) -> "Find":
    def find(chart: Chart, before: Treatment, _: Step | None) -> Step:
        terms = root_terms(_spanning(chart, before, f"root {degree}"), degree)
        return RootPolynomial(_as_rows(_least_squares(chart, terms, _BY_EYE)), degree)

    return find


def _spanning(chart: Chart, before: Treatment, name: str) -> Array:
    """Light of all patches, where those in use are enough and different enough."""
    light, used = chart.light_through(before), chart.weights > 0
    least = _LEAST_PATCHES[name]
    if used.sum() < least:
        raise ChartError(f"The fit “{name}” needs {least} patches that are not clipped; the chart has {used.sum()}.")
    spread = np.linalg.svd(light[used] / light[used].max(axis=1, keepdims=True), compute_uv=False)
    if spread[2] < _LEAST_SPREAD * spread[0]:
        raise ChartError(f"The fit “{name}” needs patches of different colours: with these its matrix is singular.")
    return light


_EVENLY, _BY_EYE = 0.0, 2 / 3  # powers of luminance by which patches are weighed: by light, and about as CIE Lab sees them


def _least_squares(chart: Chart, terms: Array, power: float) -> Array:
    """(3, K) coefficients of terms (N, K) of light, each row adding up to 1, with the least squares on X, Y, Z."""
    count = terms.shape[1]
    free = np.concatenate([np.eye(count - 1), -np.ones((1, count - 1))])  # what leaves the sum of a row as it is
    identity = np.eye(3, count)
    weights = np.sqrt(chart.weights) / (chart.xyz[:, 1] + _DARK) ** power
    left = (chart.xyz - terms @ identity.T @ chart.to_xyz.T) * weights[:, None]
    design = np.einsum("ij,nk->nijk", chart.to_xyz, terms @ free) * weights[:, None, None, None]
    design = design.reshape(left.size, -1)
    if count > 3:
        design = np.concatenate([design, np.eye(design.shape[1]) * np.sqrt(_RIDGE)])
        left = np.append(left, np.zeros(design.shape[1]))
    numbers = np.linalg.lstsq(design, left.ravel(), rcond=None)[0]
    return np.asarray(identity + numbers.reshape(3, count - 1) @ free.T)


def _as_rows(rows: Array) -> tuple[Row, Row, Row]:
    red, green, blue = (tuple(map(float, row)) for row in rows)
    return red, green, blue


Find = Callable[[Chart, Treatment, Step | None], Step]
STAGES: dict[str, tuple[str, Find]] = {
    "neutral": ("source", _neutral_scale),
    "straighten": ("neutral", _straighten),
    "matrix": ("straighten", _matrix),
    "root 2": ("straighten", _root(2)),
    "root 3": ("straighten", _root(3)),
}
