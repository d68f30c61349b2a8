"""Finding a filmed chart: quadrangles, a grid through them, and the turn whose colours fit the reference.

The picture is searched in full R′G′B′, shrunk if it is large. Flat regions bounded by edges give quadrangles; those that
continue each other's sides give a grid; every way to lay the reference on it is judged by how well one affine map
explains the colours seen there. A cast or a tone curve changes that map and not its fit.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.charts.frame import ChartFrame, Point, project, shoelace
from bluffline.charts.quads import Quad, find_quads
from bluffline.charts.reference import Layout, Reference
from bluffline.errors import ChartError
from bluffline.measure.frame_signal import FrameSignal
from bluffline.signal.colorimetry import camera_signal
from bluffline.signal.format import Planes, SignalFormat

_LONGEST = 960  # pixels of the picture that is searched
_STRAIGHT = 0.94  # cosine of the angle between a side and the step to the next patch
_FIT_LOW, _FIT_HIGH = 0.80, 0.95  # share of the reference's variance explained that counts as nothing and as everything
_SUPPORT = 0.75  # share of patches seen as quadrangles that is enough
_TINT = 0.7  # of R′, G′ or B′ over their mean, natural logarithm: how much it may change along a grey scale
_MARGIN = 0.04  # advantage over the next best turn that is enough
_FEW, _IN_A_ROW = 4, 0.65  # patches too few to be sure of; the confidence they, and a single row, are given at most
_SEEDS = 12
_POINTS = np.array([(x, y) for x in (-0.25, 0, 0.25) for y in (-0.25, 0, 0.25)])


@dataclass(frozen=True, eq=False)
class _Placement:
    corners: NDArray[np.float64]
    fit: float
    support: float

    @property
    def merit(self) -> tuple[float, float]:
        """What placements are ranked by: fit and support together, and of equals the larger."""
        return round(self.fit * self.support, 2), abs(shoelace(self.corners))


def find_chart(planes: Planes, source: SignalFormat, reference: Reference) -> ChartFrame:
    """The chart frame of a chart somewhere in the picture, with its confidence.

    Raises
    ------
    ChartError : no grid of patches like the reference's was found
    """
    picture, scale = _searched(planes, source)
    wanted = np.clip(camera_signal(reference.light(source.primaries), source.transfer), 0, 1.1)
    layout = reference.layout
    telling = min(layout.rows, layout.columns) > 1 and len(wanted) > _FEW  # a few patches in a row look like many a thing
    best: dict[tuple[bool, int, int], _Placement] = {}
    charts: list[_Placement] = []
    for lattice in _lattices(find_quads(picture), layout):
        if charts and len(lattice) < _SUPPORT * len(wanted):
            break  # one is found surely, and there is no room for another on this grid or a smaller one
        placed = list(_placements(picture, lattice, layout, wanted))
        for turn, placement in placed:
            if turn not in best or placement.merit > best[turn].merit:
                best[turn] = placement
        likely = max((placement for _, placement in placed), key=lambda placement: placement.merit, default=None)
        if telling and likely is not None and _is_sure(likely):
            charts.append(likely)
    ranked = sorted(best.values(), key=lambda placement: placement.merit, reverse=True)
    if not ranked or ranked[0].fit <= 0:
        raise ChartError("No chart like this one was found in the picture: place its four corners by hand.")
    first = ranked[0]
    side = np.sqrt(abs(shoelace(first.corners)) / len(wanted))
    others = (other for other in ranked[1:] if np.abs(other.corners - first.corners).max() > side / 2)
    ahead = first.fit - max((other.fit for other in others if _overlaps(other, first) or not _is_sure(other)), default=0.0)
    confidence = (
        np.clip((first.fit - _FIT_LOW) / (_FIT_HIGH - _FIT_LOW), 0, 1)
        * min(first.support / _SUPPORT, 1.0)
        * np.clip(ahead / _MARGIN, 0, 1)
        * (1.0 if telling else _IN_A_ROW)
    )
    a, b, c, d = ((float(x), float(y)) for x, y in (first.corners + 0.5) * scale)
    try:
        return ChartFrame((a, b, c, d), float(confidence), sum(not _overlaps(other, first) for other in charts))
    except ChartError as error:
        raise ChartError("No chart like this one was found in the picture: place its four corners by hand.") from error


def _is_sure(placed: _Placement) -> bool:
    return placed.fit > _FIT_HIGH and placed.support >= _SUPPORT


def _overlaps(one: _Placement, other: _Placement) -> bool:
    hulls = [cv2.convexHull(placed.corners.astype(np.float32)) for placed in (one, other)]
    return bool(cv2.intersectConvexConvex(hulls[0], hulls[1])[0] > 0)


def follow(before: Planes, now: Planes, source: SignalFormat, frame: ChartFrame) -> tuple[Point, float]:
    """How far the chart has moved between two frames, in luma samples, and how alike it looks, 0 … 1."""
    corners = np.array(frame.corners)
    left, top = np.maximum(np.floor(corners.min(axis=0)).astype(int), 0)
    right, bottom = np.minimum(np.ceil(corners.max(axis=0)).astype(int), (source.width, source.height))
    width, height = _transformed(right - left), _transformed(bottom - top)
    part = (slice(top, top + height), slice(left, left + width))
    first, second = (np.ascontiguousarray(planes[0][part], np.float32) for planes in (before, now))
    moved, likeness = cv2.phaseCorrelate(first, second, cv2.createHanningWindow((width, height), cv2.CV_32F))
    return (float(moved[0]), float(moved[1])), float(likeness)


def _transformed(size: int) -> int:
    """The greatest even size up to ``size`` that is transformed without padding: at others the library is half a pixel off."""
    while size % 2 or cv2.getOptimalDFTSize(size) != size:
        size -= 1
    return size


def _searched(planes: Planes, source: SignalFormat) -> tuple[NDArray[np.float32], float]:
    """(h, w, 3) float32 R′G′B′ in 8-bit codes from black, no longer than is searched, and pixels of the frame in one of its."""
    signal = FrameSignal(planes, source)
    levels = source.levels
    scale = max(source.width, source.height) / _LONGEST if max(source.width, source.height) > _LONGEST else 1.0
    size = round(source.width / scale), round(source.height / scale)
    shown = []
    for plane in signal.rgb:
        small = plane[: source.height, : source.width].astype(np.float32)
        if scale > 1:
            small = np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), np.float32)
        shown.append((small - (signal.room + levels.black)) * np.float32(255 / levels.swing))
    return np.clip(np.stack(shown, axis=-1), -20, 280), source.width / size[0]


Lattice = dict[tuple[int, int], Quad]


def _lattices(quads: list[Quad], layout: Layout) -> Iterator[Lattice]:
    """Grids that grow from one quadrangle to the next; each quadrangle starts one unless it is in one already."""
    count = layout.rows * layout.columns
    least = max(2, min(count // 3, 6)) if count > 4 else min(count, 2)
    taken: set[int] = set()
    grown = []
    for seed in sorted(range(len(quads)), key=lambda n: -quads[n].area):
        if seed in taken:
            continue
        lattice = _grow(quads, seed)
        if len(lattice) >= least:
            taken.update(lattice.values())
            grown.append(lattice)
    grown.sort(key=len, reverse=True)
    for lattice in grown[:_SEEDS]:
        yield {place: quads[n] for place, n in lattice.items()}


def _grow(quads: list[Quad], seed: int) -> dict[tuple[int, int], int]:
    centres = np.array([quad.centre for quad in quads])
    areas = np.array([quad.area for quad in quads])
    lattice = {(0, 0): seed}
    axes = {seed: _axes(quads[seed].corners, None)}
    queue = [(0, 0)]
    while queue:
        place = queue.pop(0)
        here = lattice[place]
        for (across, down), far in product(((1, 0), (-1, 0), (0, 1), (0, -1)), (1, 2)):
            there = (place[0] + across * far, place[1] + down * far)
            if there in lattice or (place[0] + across, place[1] + down) in lattice:
                continue
            axis = axes[here][0 if across else 1] * (across + down)
            length = np.hypot(*axis)
            gaps = centres - centres[here]
            distances = np.hypot(*gaps.T)
            along = gaps @ axis / length
            sized = (areas > 0.45 * areas[here]) & (areas < 2.2 * areas[here])
            reach = length * (far - 1)  # a patch like the board about it is not seen: look past it
            near = (along > _STRAIGHT * distances) & (distances > 0.8 * length + reach) & (distances < 1.75 * length + reach)
            near &= sized
            near[list(lattice.values())] = False
            if near.any():
                chosen = int(np.flatnonzero(near)[distances[near].argmin()])
                lattice[there] = chosen
                axes[chosen] = _axes(quads[chosen].corners, axes[here])
                queue.append(there)
    return lattice


Axes = tuple[NDArray[np.float64], NDArray[np.float64]]


def _axes(corners: NDArray[np.float64], like: Axes | None) -> Axes:
    """The two mean side vectors of a quadrangle; named and turned as its neighbour's are."""
    first = (corners[1] - corners[0] + corners[2] - corners[3]) / 2
    second = (corners[3] - corners[0] + corners[2] - corners[1]) / 2
    if like is None:
        return first, second
    if abs(first @ like[0]) / np.hypot(*first) < abs(second @ like[0]) / np.hypot(*second):
        first, second = second, first
    return first * (1 if first @ like[0] > 0 else -1), second * (1 if second @ like[1] > 0 else -1)


def _placements(
    picture: NDArray[np.float32], lattice: Lattice, layout: Layout, wanted: NDArray[np.float64]
) -> Iterator[tuple[tuple[bool, int, int], _Placement]]:
    """Every way to lay the chart on a grid: turned, mirrored, shifted."""
    places = np.array(list(lattice))
    matrix = _fit_grid(lattice, layout)
    if matrix is None:
        return
    low, high = places.min(axis=0), places.max(axis=0)
    one_row = min(layout.rows, layout.columns) == 1
    for transposed in (False, True):
        across, down = (layout.rows, layout.columns) if transposed else (layout.columns, layout.rows)
        for x, y in product(_starts(low[0], high[0], across), _starts(low[1], high[1], down)):
            inside = ((places >= (x, y)) & (places < (x + across, y + down))).all(axis=1).sum()
            support = inside / (layout.rows * layout.columns)
            for flip_x, flip_y in product((1, -1), (1, -1)):
                if one_row and (flip_x * flip_y < 0) != transposed:
                    continue  # seen in a mirror, which a single row can't tell from being turned
                corners = _chart_corners((x, y), (across, down), (flip_x, flip_y), transposed) - 0.5
                unit_to_picture = _compose(matrix, corners)
                fit = _colour_fit(picture, unit_to_picture, layout, wanted)
                placed = _Placement(project(matrix, corners), fit, float(support))
                yield (transposed, flip_x, flip_y), placed


def _starts(low: int, high: int, count: int) -> range:
    """Where a window of ``count`` cells can begin so as to hold what was seen, or to lie within it."""
    first, last = sorted((int(low), int(high) - count + 1))
    return range(max(first, int(low) - 2), min(last, int(high)) + 1)


def _chart_corners(
    start: tuple[int, int], size: tuple[int, int], flips: tuple[int, int], transposed: bool
) -> NDArray[np.float64]:
    """The chart's upper left, upper right, lower right and lower left in grid places."""
    x = [start[0], start[0] + size[0]][:: flips[0]]
    y = [start[1], start[1] + size[1]][:: flips[1]]
    if transposed:
        return np.array([(x[0], y[0]), (x[0], y[1]), (x[1], y[1]), (x[1], y[0])], np.float64)
    return np.array([(x[0], y[0]), (x[1], y[0]), (x[1], y[1]), (x[0], y[1])], np.float64)


def _fit_grid(lattice: Lattice, layout: Layout) -> NDArray[np.float64] | None:
    """(3, 3) from grid places to the picture; patches stand at whole numbers."""
    places = np.array(list(lattice), np.float64)
    centres = np.array([quad.centre for quad in lattice.values()])
    if np.linalg.matrix_rank(places - places.mean(axis=0)) == 2 and len(places) >= 6:
        matrix, _ = cv2.findHomography(places, centres, cv2.RANSAC, 3.0)
        return None if matrix is None else np.asarray(matrix, np.float64)
    # One row of patches: their corners say what the centres can't. Which gap is which depends on how the chart is turned.
    along = int(np.ptp(places[:, 1]) > np.ptp(places[:, 0]))
    half = (1 - np.array(layout.gap)) / 2
    half = half if (layout.columns >= layout.rows) == (along == 0) else half[::-1]
    points, images = [], []
    for place, quad in lattice.items():
        points += [np.array(place) + half * turn for turn in ((-1, -1), (1, -1), (1, 1), (-1, 1))] + [np.array(place)] * 4
        images += [*_ordered(quad.corners, lattice), *[quad.centre] * 4]
    matrix, _ = cv2.findHomography(np.array(points), np.array(images))
    return None if matrix is None else np.asarray(matrix, np.float64)


def _ordered(corners: NDArray[np.float64], lattice: Lattice) -> NDArray[np.float64]:
    """A quadrangle's corners in the order in which the first one's stand to the grid's axes."""
    first, second = _axes(next(iter(lattice.values())).corners, None)
    offsets = corners - corners.mean(axis=0)
    wanted = [-first - second, first - second, first + second, second - first]
    return corners[[int((offsets @ w).argmax()) for w in wanted]]


def _compose(matrix: NDArray[np.float64], corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """(3, 3) from the chart's unit square, laid on grid places, to the picture."""
    origin, right, down = corners[0], corners[1] - corners[0], corners[3] - corners[0]
    return np.asarray(matrix @ np.array([[right[0], down[0], origin[0]], [right[1], down[1], origin[1]], [0, 0, 1]]))


def _colour_fit(
    picture: NDArray[np.float32], matrix: NDArray[np.float64], layout: Layout, wanted: NDArray[np.float64]
) -> float:
    """How much of the reference's variance an affine map of the colours seen explains, 0 … 1, by degrees of freedom."""
    cells = np.array([(column, row) for row in range(layout.rows) for column in range(layout.columns)])
    unit = (cells[:, None] + 0.5 + _POINTS * (1 - np.array(layout.gap))) / (layout.columns, layout.rows)
    at = np.rint(project(matrix, unit)).astype(int)
    height, width = picture.shape[:2]
    if (at < 0).any() or (at >= (width, height)).any():
        return 0.0
    seen = np.median(picture[at[..., 1], at[..., 0]], axis=1) / 255
    return affine_fit(seen, wanted, grey=len(layout.neutral) == len(wanted))


def affine_fit(seen: NDArray[np.float64], wanted: NDArray[np.float64], *, grey: bool) -> float:
    """Adjusted coefficient of determination of an affine map from (N, 3) colours seen to those wanted.

    Of a grey scale only brightness counts, and it must rise with the reference's.
    """
    if grey:
        colours = seen
        seen, wanted = seen.mean(axis=1, keepdims=True), wanted.mean(axis=1, keepdims=True)
        if len(seen) < 3 or (seen[:, 0] - seen.mean()) @ (wanted[:, 0] - wanted.mean()) <= 0:
            return 0.0
        # A tone curve bends the line: the order of the steps is what is sure.
        order, target = (np.argsort(np.argsort(values[:, 0])) for values in (seen, wanted))
        if (order != target).any():
            return 0.0
        tint = np.log(np.maximum(colours, 0.02) / np.maximum(colours.mean(axis=1, keepdims=True), 0.02))
        if np.ptp(tint, axis=0).max() > _TINT:
            return 0.0
    count, terms = len(seen), seen.shape[1] + 1
    if count <= terms:
        return 0.0 if not grey else 1.0
    design = np.column_stack([np.ones(count), seen])
    left = wanted - design @ np.linalg.lstsq(design, wanted, rcond=None)[0]
    total = ((wanted - wanted.mean(axis=0)) ** 2).sum()
    return float(max(1 - (left**2).sum() / total * (count - 1) / (count - terms), 0.0))
