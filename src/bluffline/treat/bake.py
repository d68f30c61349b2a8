"""Baking: a chain of steps as one table, and how far the table is from the chain."""

from functools import cache
from itertools import product

import numpy as np
import scipy
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import camera_light, rgb_to_xyz, xyz_to_lab
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.format import SignalFormat
from bluffline.treat.code_kernels import Code
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.lut import Lut
from bluffline.treat.ladder import Treatment, apply_to_colours, in_force
from bluffline.treat.step import LumaStep, Step

SIZES = (17, 33, 65)
CURVE_SIZE = 4096
USUAL_SIZE = 33
# R′G′B′ that a table spans: what narrow range can store, −7 … 109 %, and a little more.
LOW, HIGH = -0.08, 1.10
_TOE = 0.02  # R′G′B′ up to which a shaper is nearly straight
_ENOUGH = 1e-4  # relative gain in a turn, below which a CDL is as near as it gets
_APART = frozenset({Code.POWER, Code.SPLINE, Code.TABLE, Code.SOFT_ENDS, Code.TRANSFER})  # no component looks at another


def bake_cube(treatment: Treatment, source: SignalFormat, size: int = USUAL_SIZE, *, name: str = "Baked") -> Lut:
    """All steps, a rein too, as a three-dimensional table over `LOW` … `HIGH`.

    Raises
    ------
    SettingsError : a size that is not one of `SIZES`, or a step that does not reach everywhere
    """
    refuse_reach(treatment)
    if size not in SIZES:
        raise SettingsError(f"A cube has {', '.join(map(str, SIZES[:-1]))} or {SIZES[-1]} entries a side, not {size}.")
    axis = np.linspace(LOW, HIGH, size)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    return Lut(name, LOW, HIGH, apply_to_colours(treatment, grid, source, reined=True).astype(np.float32))


def bake_curves(treatment: Treatment, source: SignalFormat, *, name: str = "Baked") -> Lut:
    """Steps as a curve for each component.

    Raises
    ------
    SettingsError : a step makes one component out of several, or does not reach everywhere
    """
    refuse_reach(treatment)
    mixing = next((step for step in in_force(treatment) if not _is_one_by_one(step, source)), None)
    if mixing is not None:
        raise SettingsError(f"Curves can't hold the step {mixing.title}, which mixes components: choose a cube.")
    ramp = np.repeat(np.linspace(LOW, HIGH, CURVE_SIZE)[:, None], 3, axis=1)
    return Lut(name, LOW, HIGH, apply_to_colours(treatment, ramp, source, reined=True).astype(np.float32))


def refuse_reach(treatment: Treatment) -> None:
    """A table knows nothing of places, and what is baked after a key would be keyed no more.

    Raises
    ------
    SettingsError : a rung does not reach everywhere, or looks at neighbours; it is named
    """
    for number, step in enumerate(treatment, 1):
        if step.on and not step.reach.everywhere:
            raise SettingsError(f"A table can't hold rung {number}, {step.title}: it acts {step.reach.text}, not everywhere.")
        if step.on and step.looks_about:
            raise SettingsError(f"A table can't hold rung {number}, {step.title}: what it makes of a pixel depends on others.")


def _is_one_by_one(step: Step, source: SignalFormat) -> bool:
    """Whether no component looks at another, by what the step compiles to."""
    return all(
        one.code in _APART
        or (one.code is Code.AFFINE and one.table is not None and not (one.table[:, :3] * (1 - np.eye(3))).any())
        for one in step.operations(source)
    )


def baked(treatment: Treatment, source: SignalFormat, size: int = USUAL_SIZE) -> Treatment:
    """The treatment with all that comes up to its last step on colours in one LUT; curves where they can hold it.

    What stands after that step, as limits do, stays as it is.

    Raises
    ------
    SettingsError : there are no colour steps in force, or one does not reach everywhere
    """
    steps = in_force(treatment)
    last = max((n for n, step in enumerate(steps, 1) if _on_colours(step) and not step.limits), default=0)
    if not last:
        raise SettingsError("There is nothing to bake: no step that looks at colours is in force.")
    whole = steps[:last]
    curves = all(_is_one_by_one(step, source) for step in whole)
    lut = bake_curves(whole, source) if curves else bake_cube(whole, source, size)
    return (lut, *steps[last:])


def _on_colours(step: Step) -> bool:
    """Whether a step does more than move tones."""
    return not isinstance(step, LumaStep) or isinstance(step, ChromaByLuma)


def fitted_cdl(treatment: Treatment, source: SignalFormat, colours: NDArray[np.float64] | None = None) -> Cdl:
    """The CDL that comes nearest to all steps but the rein; `residual` tells how near.

    Parameters
    ----------
    colours : (N, 3) R′G′B′ on which CIEDE2000 is to be least, as those of a chart; else it is nearest over all colours
    """
    refuse_reach(treatment)
    axis = np.linspace(0.02, 0.98, 7)
    rgb = np.array(list(product(axis, repeat=3)))
    wanted = apply_to_colours(treatment, rgb, source)
    inside = ((wanted > -0.05) & (wanted < 1.2)).all(axis=1)

    def step(numbers: NDArray[np.float64]) -> Cdl:
        slope, offset, power = ((float(a), float(b), float(c)) for a, b, c in numbers[:9].reshape(3, 3))
        return Cdl(slope, offset, power, float(numbers[9]))

    start = np.array([1.0, 1, 1, 0, 0, 0, 1, 1, 1, 1])
    bounds = ([0.05] * 3 + [-0.5] * 3 + [0.2] * 3 + [0], [8] * 3 + [0.5] * 3 + [5] * 3 + [4])

    def off(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
        return (step(numbers).apply(rgb[inside], source) - wanted[inside]).ravel()

    found = scipy.optimize.least_squares(off, start, bounds=bounds).x
    if colours is not None:
        shown = lab_of(apply_to_colours(treatment, colours, source), source)

        def seen(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
            return delta_e_2000(shown, lab_of(np.nan_to_num(step(numbers).apply(colours, source)), source))

        tries = [scipy.optimize.least_squares(seen, begin, bounds=bounds, ftol=_ENOUGH).x for begin in (found, start)]
        found = min((found, *tries), key=lambda numbers: float(seen(numbers).mean()))
    return step(np.round(found, 6))


def residual(exact: Treatment, other: Treatment, source: SignalFormat, rgb: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIEDE2000 between what two treatments make of R′G′B′ (N, 3), limits and all: (N,)."""
    first, second = (lab_of(apply_to_colours(steps, rgb, source, reined=True), source) for steps in (exact, other))
    return delta_e_2000(second, first)


def worst_off(exact: Treatment, other: Treatment, source: SignalFormat) -> float:
    """The worst CIEDE2000 between what two treatments make of many colours: see `telling_colours`."""
    return float(residual(exact, other, source, telling_colours()).max())


@cache
def telling_colours() -> NDArray[np.float64]:
    """(N, 3) R′G′B′ that tell how near a table is: all over, along the greys and beside them, in the toe."""
    over, toe = np.linspace(0.0, 1.0, 23), np.linspace(0.0, 0.09, 13)
    cubes = [np.stack(np.meshgrid(axis, axis, axis), axis=-1).reshape(-1, 3) for axis in (over, toe)]
    greys = np.repeat(np.linspace(0.0, 1.0, 1024)[:, None], 3, axis=1)
    beside = [np.clip(greys + np.array(tint), 0, 1) for tint in ((0.01, 0, 0), (0, 0.01, 0), (0, 0, 0.01), (0.01, 0, 0.01))]
    return np.concatenate([*cubes, greys, *beside])


def cube_within(treatment: Treatment, source: SignalFormat, bound: float, *, name: str = "Baked") -> tuple[Lut, float]:
    """The smallest cube that keeps a bound of CIEDE2000, else the largest; and the worst that it is off.

    Raises
    ------
    SettingsError : as `bake_cube`
    """
    lut, worst = None, np.inf
    for size in SIZES[1:]:
        lut = bake_cube(treatment, source, size, name=name)
        worst = worst_off(treatment, (lut,), source)
        if worst <= bound:
            break
    assert lut is not None
    return lut, worst


def shaped_cube(treatment: Treatment, source: SignalFormat, size: int, *, name: str = "Baked") -> tuple[Lut, Lut]:
    """All steps as curves and a cube behind them, whose entries lie closer together the nearer they are to black.

    Raises
    ------
    SettingsError : as `bake_cube`
    """
    refuse_reach(treatment)
    low, high = np.arcsinh(np.array([LOW, HIGH]) / _TOE)
    shape = (np.arcsinh(np.linspace(LOW, HIGH, CURVE_SIZE) / _TOE) - low) / (high - low)
    axis = _TOE * np.sinh(np.linspace(low, high, size))
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    cube = Lut(name, 0.0, 1.0, apply_to_colours(treatment, grid, source, reined=True).astype(np.float32))
    return Lut(f"{name}, shaper", LOW, HIGH, np.repeat(shape[:, None], 3, axis=1).astype(np.float32)), cube


def tables_within(
    treatment: Treatment, source: SignalFormat, bound: float, *, name: str = "Baked"
) -> tuple[tuple[Lut, ...], float]:
    """A cube that keeps a bound of CIEDE2000, or where none does curves before one, and the worst that they are off.

    Raises
    ------
    SettingsError : as `bake_cube`
    """
    cube, worst = cube_within(treatment, source, bound, name=name)
    tables: tuple[Lut, ...] = (cube,)
    for size in SIZES[1:]:
        if worst <= bound:
            break
        shaped = shaped_cube(treatment, source, size, name=name)
        if (off := worst_off(treatment, shaped, source)) < worst:
            tables, worst = shaped, off
    return tables, worst


def lab_of(rgb: NDArray[np.floating], source: SignalFormat) -> NDArray[np.float64]:
    """(..., 3) R′G′B′ of a programme to CIE L*a*b* of the light that its camera saw."""
    return xyz_to_lab(camera_light(rgb, source.transfer) @ rgb_to_xyz(source.primaries).T)
