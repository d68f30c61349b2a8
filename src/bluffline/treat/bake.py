"""Baking: a chain of steps as one table, and how far the table is from the chain."""

from itertools import product

import numpy as np
import scipy
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import camera_light, rgb_to_xyz, xyz_to_lab
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import Matrix
from bluffline.treat.colour import Balance, Cdl, ColourStep, Lut, NeutralScale, Straighten
from bluffline.treat.steps import Treatment, apply_to_colours, colours_of

SIZES = (17, 33, 65)
CURVE_SIZE = 4096
DRAFT_SIZE = 33
# R′G′B′ that a table spans: what narrow range can store, −7 … 109 %, and a little more.
LOW, HIGH = -0.08, 1.10
_ENOUGH = 1e-4  # relative gain in a turn, below which a CDL is as near as it gets
_ONE_BY_ONE = (Balance, NeutralScale, Straighten)  # steps in which no component looks at another


def bake_cube(treatment: Treatment, source: SignalFormat, size: int = DRAFT_SIZE, *, name: str = "Baked") -> Lut:
    """All steps but the chroma rein as a three-dimensional table over `LOW` … `HIGH`.

    Raises
    ------
    SettingsError : a size that is not one of `SIZES`
    """
    if size not in SIZES:
        raise SettingsError(f"A cube has {', '.join(map(str, SIZES[:-1]))} or {SIZES[-1]} entries a side, not {size}.")
    axis = np.linspace(LOW, HIGH, size)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    return Lut(name, LOW, HIGH, apply_to_colours(treatment, grid, source.matrix.luma_weights).astype(np.float32))


def bake_curves(steps: tuple[ColourStep, ...], *, name: str = "Baked") -> Lut:
    """Colour steps as a curve for each component.

    Raises
    ------
    SettingsError : a step makes one component out of several
    """
    mixing = next((step for step in steps if not _is_one_by_one(step) and not step.bypassed), None)
    if mixing is not None:
        raise SettingsError(f"Curves can't hold the step {mixing.title}, which mixes components: choose a cube.")
    ramp = np.repeat(np.linspace(LOW, HIGH, CURVE_SIZE)[:, None], 3, axis=1)
    return Lut(name, LOW, HIGH, apply_to_colours(steps, ramp, Matrix.BT709.luma_weights).astype(np.float32))


def _is_one_by_one(step: ColourStep) -> bool:
    return (
        isinstance(step, _ONE_BY_ONE)
        or (isinstance(step, Cdl) and step.saturation == 1)
        or (isinstance(step, Lut) and not step.is_cube)
    )


def baked(treatment: Treatment, source: SignalFormat, size: int = DRAFT_SIZE) -> Treatment:
    """The treatment with its colour steps baked into one LUT that sits before the rest: curves where they can hold them.

    Raises
    ------
    SettingsError : there are no colour steps in force
    """
    steps = colours_of(treatment)
    if not steps:
        raise SettingsError("There is nothing to bake: no step that looks at colours is in force.")
    lut = bake_curves(steps) if all(map(_is_one_by_one, steps)) else bake_cube(steps, source, size)
    rest = tuple(step for step in treatment if step not in steps)
    return (lut, *rest)


def fitted_cdl(treatment: Treatment, source: SignalFormat, colours: NDArray[np.float64] | None = None) -> Cdl:
    """The CDL that comes nearest to the colour steps; `residual` tells how near.

    Parameters
    ----------
    colours : (N, 3) R′G′B′ on which CIEDE2000 is to be least, as those of a chart; else it is nearest over all colours
    """
    axis = np.linspace(0.02, 0.98, 7)
    rgb = np.array(list(product(axis, repeat=3)))
    wanted = apply_to_colours(colours_of(treatment), rgb, source.matrix.luma_weights)
    inside = ((wanted > -0.05) & (wanted < 1.2)).all(axis=1)

    def step(numbers: NDArray[np.float64]) -> Cdl:
        slope, offset, power = ((float(a), float(b), float(c)) for a, b, c in numbers[:9].reshape(3, 3))
        return Cdl(slope, offset, power, float(numbers[9]))

    start = np.array([1.0, 1, 1, 0, 0, 0, 1, 1, 1, 1])
    bounds = ([0.05] * 3 + [-0.5] * 3 + [0.2] * 3 + [0], [8] * 3 + [0.5] * 3 + [5] * 3 + [4])

    def off(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
        return (step(numbers).apply(rgb[inside]) - wanted[inside]).ravel()

    found = scipy.optimize.least_squares(off, start, bounds=bounds).x
    if colours is not None:
        shown = lab_of(apply_to_colours(colours_of(treatment), colours, source.matrix.luma_weights), source)

        def seen(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
            return delta_e_2000(shown, lab_of(np.nan_to_num(step(numbers).apply(colours)), source))

        tries = [scipy.optimize.least_squares(seen, begin, bounds=bounds, ftol=_ENOUGH).x for begin in (found, start)]
        found = min((found, *tries), key=lambda numbers: float(seen(numbers).mean()))
    return step(np.round(found, 6))


def residual(exact: Treatment, other: Treatment, source: SignalFormat, rgb: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIEDE2000 between what two treatments make of R′G′B′ (N, 3): (N,)."""
    weights = source.matrix.luma_weights
    first, second = (lab_of(apply_to_colours(steps, rgb, weights), source) for steps in (exact, other))
    return delta_e_2000(second, first)


def worst_off(exact: Treatment, other: Treatment, source: SignalFormat) -> float:
    """The worst CIEDE2000 between what two treatments make of a grid of colours."""
    axis = np.linspace(0.03, 0.97, 9)
    colours = np.stack(np.meshgrid(axis, axis, axis), axis=-1).reshape(-1, 3)
    return float(residual(exact, other, source, colours).max())


def lab_of(rgb: NDArray[np.floating], source: SignalFormat) -> NDArray[np.float64]:
    """(..., 3) R′G′B′ of a programme to CIE L*a*b* of the light that its camera saw."""
    return xyz_to_lab(camera_light(rgb, source.transfer) @ rgb_to_xyz(source.primaries).T)
