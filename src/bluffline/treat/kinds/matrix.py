"""Matrix: three by three, on light."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.treat.operations import Affine, Operation, from_light, to_light
from bluffline.treat.step import Float, Signal, Step, Told

Row = tuple[float, ...]
_WHITE_KEPT = 1e-6


@dataclass(frozen=True)
class ColourMatrix(Step):
    """A 3×3 matrix on the light that the camera saw. White is kept: each row adds up to 1."""

    kind = "matrix"
    title = "Matrix"
    by_hand = False
    calibrates = True
    rows: Annotated[tuple[Row, Row, Row], Told("Rows")] = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))

    def __post_init__(self) -> None:
        super().__post_init__()
        require_rows(self.rows, 3, "Matrix")
        require(abs(float(np.linalg.det(np.array(self.rows)))) > 1e-3, "Matrix: it is singular.")

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        return camera_signal(camera_light(rgb, signal.transfer) @ np.array(self.rows).T, signal.transfer)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        matrix = Affine.of(np.array(self.rows))
        return () if matrix.neutral else (*to_light(signal.transfer), matrix, *from_light(signal.transfer))

    @property
    def text(self) -> str:
        return "; ".join(" ".join(figure(value, ".3f") for value in row) for row in self.rows)


def require_rows(rows: tuple[Row, Row, Row], terms: int, what: str) -> None:
    """Refuse rows that don't fit or don't keep white.

    Raises
    ------
    SettingsError : so it is
    """
    shaped = len(rows) == 3 and all(len(row) == terms for row in rows)
    require(shaped, f"{what}: three rows of {terms} numbers are needed.")
    sums = np.array(rows).sum(axis=1)
    require(bool(np.abs(sums - 1).max() < _WHITE_KEPT), f"{what}: white is kept only if each row adds up to 1.")
