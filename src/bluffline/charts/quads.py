"""Quadrangles in a picture: flat regions bounded by edges, whatever their colour."""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

_EDGES = (2.0, 4.0, 8.0, 14.0, 24.0, 40.0)  # differences of 8-bit codes between neighbours that count as an edge
_SMALLEST, _LARGEST = 0.0002, 0.12  # of the picture's area that a patch may take
_FILL = 0.86  # of its quadrangle that a region must fill
_GROWN = 1.5  # search pixels that the edge takes from each side of a region


@dataclass(frozen=True, eq=False)
class Quad:
    """``corners``: (4, 2), clockwise on the screen; ``hole``: seen from outside, as the hole in what surrounds it."""

    corners: NDArray[np.float64]
    centre: NDArray[np.float64]
    area: float
    hole: bool


def find_quads(picture: NDArray[np.float32]) -> list[Quad]:
    """Flat regions of R′G′B′ (h, w, 3), in 8-bit codes, that fill a convex quadrangle, each once."""
    smooth = cv2.bilateralFilter(picture, 5, 20, 2)
    smooth = cv2.GaussianBlur(smooth, (0, 0), 0.8)
    across = np.abs(cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=0.25)).max(axis=2)
    down = np.abs(cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=0.25)).max(axis=2)
    edges = np.maximum(across, down)
    height, width = edges.shape
    least, most = _SMALLEST * width * height, _LARGEST * width * height
    found: list[Quad] = []
    for threshold in _EDGES:
        flat = (edges < threshold).astype(np.uint8)
        flat[[0, -1]] = 0
        flat[:, [0, -1]] = 0
        contours, nested = cv2.findContours(flat, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
        for contour, (*_, within) in zip(contours, nested[0] if contours else (), strict=True):
            area = cv2.contourArea(contour)
            if least <= area <= most and (quad := _quad(contour, area, hole=within >= 0)) is not None:
                _keep(found, quad)
    return found


def _quad(contour: NDArray[np.int32], area: float, *, hole: bool) -> Quad | None:
    hull = cv2.convexHull(contour)
    if area < _FILL * cv2.contourArea(hull):
        return None
    length = cv2.arcLength(hull, True)
    for tolerance in (0.03, 0.05, 0.08):
        shape = cv2.approxPolyDP(hull, tolerance * length, True)
        if len(shape) == 4:
            break
    else:
        return None
    corners = _sides_fitted(contour[:, 0].astype(np.float64), shape[:, 0].astype(np.float64))
    if corners is None:
        return None
    own = abs(cv2.contourArea(corners.astype(np.float32)))
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    if own <= 0 or not _FILL <= area / own <= 1.15 or sides.max() > 5 * sides.min():
        return None
    grown = 1 + (-2 if hole else 2) * _GROWN / max(float(np.sqrt(own)), 1.0)
    centre = _crossing(corners[0], corners[2], corners[1], corners[3])
    if centre is None:
        return None
    return Quad(centre + (corners - centre) * grown, centre, own * grown**2, hole)


def _sides_fitted(outline: NDArray[np.float64], corners: NDArray[np.float64]) -> NDArray[np.float64] | None:
    """Corners, clockwise, where straight lines fitted to the four sides cross; rounded corners are left out of the fit."""
    if cv2.contourArea(corners.astype(np.float32), True) < 0:
        corners = corners[::-1]
    lines = []
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        along = b - a
        length = np.hypot(*along)
        if length < 4:
            return None
        part = (outline - a) @ along / length**2
        off = (outline - a) @ np.array([-along[1], along[0]]) / length
        near = outline[(part > 0.2) & (part < 0.8) & (np.abs(off) < 0.12 * length)]
        if len(near) < 3:
            return None
        vx, vy, x, y = cv2.fitLine(near.astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
        lines.append((np.array([x, y], np.float64), np.array([x + vx, y + vy], np.float64)))
    crossings = [_crossing(*lines[n - 1], *lines[n]) for n in range(4)]
    if any(point is None for point in crossings):
        return None
    return np.array(crossings)


def _crossing(
    a: NDArray[np.float64], b: NDArray[np.float64], c: NDArray[np.float64], d: NDArray[np.float64]
) -> NDArray[np.float64] | None:
    """Where the line through a and b meets the one through c and d."""
    first, second = b - a, d - c
    turn = first[0] * second[1] - first[1] * second[0]
    if abs(turn) < 1e-9 * max(np.hypot(*first) * np.hypot(*second), 1e-12):
        return None
    part = ((c - a)[0] * second[1] - (c - a)[1] * second[0]) / turn
    return np.asarray(a + part * first)


def _keep(found: list[Quad], quad: Quad) -> None:
    """Add a quadrangle unless the same one is there; of two on one centre that which comes nearer to the edge stays."""
    for n, other in enumerate(found):
        if math.dist(other.centre, quad.centre) < 0.2 * math.sqrt(min(other.area, quad.area)):
            nearer = other.hole if quad.hole is not other.hole else (quad.area > other.area) is not quad.hole
            if nearer and 0.6 < quad.area / other.area < 1.6:
                found[n] = quad
            elif not 0.4 < quad.area / other.area < 2.5:
                continue
            return
    found.append(quad)
