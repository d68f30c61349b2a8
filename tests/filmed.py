"""Charts as a camera might film them: perspective, cast, curve, matrix, noise, blur and compression, all known."""

from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO

import av
import cv2
import numpy as np

from bluffline.charts.frame import homography
from bluffline.charts.reference import Reference
from bluffline.signal.colorimetry import camera_signal
from clips import signal, to_planes

WIDTH, HEIGHT = 960, 540
CELL = 60  # texels of a cell


@dataclass(frozen=True)
class Filming:
    """How a chart is filmed: ``tilt`` and ``roll`` in degrees, ``matrix`` from scene to camera light, ``size`` as a share of
    the largest that the picture holds whole."""

    gains: tuple[float, float, float] = (1.0, 1.0, 1.0)
    gamma: float = 1.0
    contrast: float = 0.0
    matrix: tuple[tuple[float, ...], ...] = ((1, 0, 0), (0, 1, 0), (0, 0, 1))
    noise: float = 0.0
    blur: float = 0.0
    tilt: tuple[float, float] = (0.0, 0.0)
    roll: float = 0.0
    size: float = 0.8
    compressed: bool = False
    seed: int = 1
    board: float = 0.035

    @staticmethod
    def drawn(seed: int) -> "Filming":
        """A way to film, drawn at random within what operators meet."""
        rng = np.random.default_rng(seed)
        mixing = np.eye(3) + rng.uniform(-0.08, 0.08, (3, 3))
        mixing /= mixing.sum(axis=1, keepdims=True)
        return Filming(
            tuple(rng.uniform(0.6, 1.6, 3)), rng.uniform(0.7, 1.4), rng.uniform(-0.2, 0.3), tuple(map(tuple, mixing)),
            rng.uniform(0, 0.02), rng.uniform(0, 1.5), tuple(rng.uniform(-35, 35, 2)), rng.uniform(-40, 40),
            rng.uniform(0.6, 0.9), bool(rng.integers(2)), seed, rng.uniform(0.015, 0.12),
        )  # fmt: skip


def corners_of(filming: Filming, columns: int, rows: int) -> np.ndarray:
    """(4, 2) the chart's outer corners in the picture, in luma samples."""
    x, y, roll = np.radians([*filming.tilt, filming.roll])
    turn_x = np.array([(1, 0, 0), (0, np.cos(x), -np.sin(x)), (0, np.sin(x), np.cos(x))])
    turn_y = np.array([(np.cos(y), 0, np.sin(y)), (0, 1, 0), (-np.sin(y), 0, np.cos(y))])
    turn_z = np.array([(np.cos(roll), -np.sin(roll), 0), (np.sin(roll), np.cos(roll), 0), (0, 0, 1)])
    half = np.array([columns, rows]) / max(columns, rows)
    flat = np.array([(-half[0], -half[1], 0), (half[0], -half[1], 0), (half[0], half[1], 0), (-half[0], half[1], 0)])
    seen = flat @ (turn_z @ turn_y @ turn_x).T
    distance = 4.5
    corners = seen[:, :2] * distance / (distance + seen[:, 2:])
    low, high = corners.min(axis=0), corners.max(axis=0)
    scale = filming.size * (np.array([WIDTH, HEIGHT]) / (high - low)).min()
    return (corners - (low + high) / 2) * scale + (WIDTH / 2, HEIGHT / 2)


def camera(light: np.ndarray, filming: Filming) -> np.ndarray:
    """What the camera makes of scene light: R′G′B′, unclamped."""
    seen = (light @ np.array(filming.matrix).T) * filming.gains
    coded = camera_signal(seen, "bt709")
    coded = np.sign(coded) * np.abs(coded) ** filming.gamma
    inside = np.clip(coded, 0, 1)
    return coded + filming.contrast * inside * (1 - inside) * (2 * inside - 1)


def film(reference: Reference, filming: Filming, bit_depth: int = 10, *, mirrored: bool = False):
    """Planes, their format, and the true corners (4, 2), of a chart on a textured wall."""
    layout = reference.layout
    rng = np.random.default_rng(filming.seed)
    texels = (layout.rows * CELL, layout.columns * CELL)
    light = np.full((*texels, 3), filming.board)
    gap = np.array(layout.gap) * CELL / 2
    for n, colour in enumerate(reference.light("bt709")):
        row, column = divmod(n, layout.columns)
        top, left = row * CELL + round(gap[1]), column * CELL + round(gap[0])
        light[top : (row + 1) * CELL - round(gap[1]), left : (column + 1) * CELL - round(gap[0])] = colour
    border = CELL // 3
    light = np.pad(light, ((border, border), (border, border), (0, 0)), constant_values=filming.board)
    corners = corners_of(filming, layout.columns, layout.rows)
    if mirrored:
        corners = (WIDTH, 0) + corners * (-1, 1)
    texel_corners = np.array([(0, 0), (texels[1], 0), (texels[1], texels[0]), (0, texels[0])], float) + border - 0.5
    matrix = homography(texel_corners, corners - 0.5)
    coarse = rng.normal(0, 1, (HEIGHT // 12, WIDTH // 12)).astype(np.float32)
    wall = 0.16 + 0.03 * cv2.resize(coarse, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    scene = np.repeat(np.clip(wall, 0.02, 0.5)[..., None], 3, axis=2) * (1.0, 0.95, 0.85)
    flags = {"flags": cv2.INTER_AREA, "borderMode": cv2.BORDER_CONSTANT}
    scale = 2  # drawn twice as large and shrunk, so that edges are as a lens would show them
    big = np.diag([scale, scale, 1.0]) @ matrix
    chart = cv2.warpPerspective(light.astype(np.float32), big, (WIDTH * scale, HEIGHT * scale), **flags)
    cover = cv2.warpPerspective(np.ones(light.shape[:2], np.float32), big, (WIDTH * scale, HEIGHT * scale), **flags)
    chart, cover = (cv2.resize(image, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) for image in (chart, cover))
    scene = scene * (1 - cover[..., None]) + chart
    if filming.blur:
        scene = cv2.GaussianBlur(scene, (0, 0), filming.blur)
    coded = camera(scene, filming) + rng.normal(0, 1, scene.shape) * filming.noise
    fmt = signal(WIDTH, HEIGHT, bit_depth)
    planes = to_planes(coded, fmt)
    if filming.compressed:
        planes, fmt = compressed(coded)
    return planes, fmt, corners


def straight_on(reference: Reference, filming: Filming, margin: int = 60) -> np.ndarray:
    """R′G′B′ of a chart seen straight on, with a dark board around it: cells of `CELL` pixels, ``margin`` from every edge."""
    layout = reference.layout
    rows, columns = layout.rows * CELL + 2 * margin, layout.columns * CELL + 2 * margin
    y, x = np.mgrid[0:rows, 0:columns]
    u, v = (x - margin) / CELL, (y - margin) / CELL
    column, row = np.floor(u).astype(int), np.floor(v).astype(int)
    within = (column >= 0) & (column < layout.columns) & (row >= 0) & (row < layout.rows)
    half = (1 - np.array(layout.gap)) / 2
    within &= (np.abs(u - column - 0.5) < half[0]) & (np.abs(v - row - 0.5) < half[1])
    light = np.full((rows, columns, 3), filming.board)
    light[within] = reference.light("bt709")[(row * layout.columns + column)[within]]
    return camera(light, filming)


def compressed(coded: np.ndarray):
    """R′G′B′ through an 8-bit 4:2:0 encoder, as a phone or a news link sends it."""
    fmt = signal(WIDTH, HEIGHT, 8, "420")
    picture = av.VideoFrame(WIDTH, HEIGHT, "yuv420p")
    for plane, target in zip(to_planes(coded, fmt), picture.planes, strict=True):
        np.frombuffer(memoryview(target), np.uint8).reshape(target.height, -1)[:, : plane.shape[1]] = plane
    held = BytesIO()
    with av.open(held, "w", format="matroska") as container:
        options = {"crf": "26", "preset": "veryfast", "x264-params": "log-level=error"}
        stream = container.add_stream("libx264", rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        picture.pts, picture.time_base = 0, Fraction(1, 25)
        container.mux(stream.encode(picture))
        container.mux(stream.encode(None))
    held.seek(0)
    with av.open(held) as container:
        decoded = next(container.decode(video=0))
    stored = ((plane, np.frombuffer(memoryview(plane), np.uint8)) for plane in decoded.planes)
    return tuple(codes.reshape(plane.height, -1)[:, : plane.width].copy() for plane, codes in stored), fmt
