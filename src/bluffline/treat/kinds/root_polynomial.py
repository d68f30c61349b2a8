"""Root polynomial: a chart fit that holds at every exposure."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.treat.code_kernels import Code
from bluffline.treat.kinds.matrix import Row, require_rows
from bluffline.treat.operations import Operation, from_light, to_light
from bluffline.treat.step import Float, Signal, Step, Told

ROOT_TERMS = {2: 6, 3: 13}  # by degree [ROOTPOLY]


def _plain(n: int) -> Row:
    return tuple(float(term == n) for term in range(ROOT_TERMS[2]))


@dataclass(frozen=True)
class RootPolynomial(Step):
    """A root polynomial on the light a camera saw [ROOTPOLY]: as many times the light gives as many times the result."""

    kind = "root-polynomial"
    title = "Root polynomial"
    by_hand = False
    calibrates = True
    rows: Annotated[tuple[Row, Row, Row], Told("Rows")] = (_plain(0), _plain(1), _plain(2))
    degree: Annotated[int, Told("Degree")] = 2

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.degree in ROOT_TERMS, "Root polynomial: the degree must be 2 or 3.")
        require_rows(self.rows, ROOT_TERMS[self.degree], "Root polynomial")

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        light = camera_light(rgb, signal.transfer)
        return camera_signal(root_terms(light, self.degree) @ np.array(self.rows).T, signal.transfer)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if np.array_equal(np.array(self.rows), np.eye(3, ROOT_TERMS[self.degree])):
            return ()
        rows = np.zeros((3, ROOT_TERMS[3]))
        rows[:, : ROOT_TERMS[self.degree]] = self.rows
        made = Operation(Code.ROOT_POLYNOMIAL, (float(self.degree),), rows)
        return (*to_light(signal.transfer), made, *from_light(signal.transfer))

    @property
    def text(self) -> str:
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
