"""Drawing with arithmetic: noise, soft-edged shapes, brickwork and thrown pots, in linear light.

Every picture is a floating array (rows, columns, 3), 0 = black and 1 = a white card, in linear light and unclamped.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Field = NDArray[Any]  # (rows, columns)
Picture = NDArray[Any]  # (rows, columns, 3)
Colour = tuple[float, float, float]

WIDTH, HEIGHT = 1280, 720
MARGIN = 24  # drawn beyond the picture on every side, for slow camera movement


def grid() -> tuple[Field, Field]:
    """Column and row of every pixel of a canvas, so that (0, 0) is the picture's top left."""
    y, x = np.mgrid[-MARGIN : HEIGHT + MARGIN, -MARGIN : WIDTH + MARGIN].astype(np.float32)
    return x, y


def canvas(colour: Colour) -> Picture:
    """A canvas of one colour."""
    return np.ones((HEIGHT + 2 * MARGIN, WIDTH + 2 * MARGIN, 1), np.float32) * np.array(colour, np.float32)


Grid = tuple[Field, Field]


def smooth_noise(rng: np.random.Generator, cell: float, stretch: float = 1.0, place: Grid | None = None) -> Field:
    """Noise of one scale, −1 … 1: random values every ``cell`` pixels (``stretch`` times wider), joined smoothly."""
    x, y = place or grid()
    u, v = (x - x[0, 0]) / (cell * stretch), (y - y[0, 0]) / cell
    values = rng.uniform(-1, 1, (int(v.max()) + 3, int(u.max()) + 3)).astype(np.float32)
    i, j = v.astype(np.int32), u.astype(np.int32)
    a, b = v - i, u - j
    a, b = a * a * (3 - 2 * a), b * b * (3 - 2 * b)
    top = values[i, j] * (1 - b) + values[i, j + 1] * b
    low = values[i + 1, j] * (1 - b) + values[i + 1, j + 1] * b
    return np.asarray(top * (1 - a) + low * a)


def texture(rng: np.random.Generator, cell: float, octaves: int = 4, stretch: float = 1.0, place: Grid | None = None) -> Field:
    """Noise of several scales, roughly −1 … 1, over the whole canvas or a part of it."""
    scales = (0.5**octave * smooth_noise(rng, cell / 2**octave, stretch, place) for octave in range(octaves))
    return np.asarray(sum(scales) / 1.5, np.float32)


def edge(distance: Field, softness: float = 1.0) -> Field:
    """Coverage from a signed distance in pixels, negative inside."""
    return np.clip(0.5 - distance / (2 * softness), 0, 1)


def ellipse(x: Field, y: Field, centre: tuple[float, float], radii: tuple[float, float], softness: float = 1.2) -> Field:
    """Coverage of an ellipse."""
    u, v = (x - centre[0]) / radii[0], (y - centre[1]) / radii[1]
    return edge((np.hypot(u, v) - 1) * min(radii), softness)


def box(x: Field, y: Field, left: float, top: float, right: float, bottom: float, softness: float = 1.0) -> Field:
    """Coverage of an upright rectangle."""
    return edge(np.maximum(np.maximum(left - x, x - right), np.maximum(top - y, y - bottom)), softness)


def polygon(x: Field, y: Field, corners: Sequence[tuple[float, float]], softness: float = 1.0) -> Field:
    """Coverage of a convex polygon, corners clockwise on screen."""
    distance = np.full_like(x, -1e9)
    for (ax, ay), (bx, by) in zip(corners, [*corners[1:], corners[0]], strict=True):
        length = np.hypot(bx - ax, by - ay)
        distance = np.maximum(distance, ((by - ay) * (x - ax) - (bx - ax) * (y - ay)) / length)
    return edge(distance, softness)


def over(picture: Picture, coverage: Field, colour: Any) -> Picture:
    """Lay a colour, or a whole picture, over another by its coverage."""
    alpha = coverage[..., None]
    return np.asarray(picture * (1 - alpha) + np.asarray(colour, np.float32) * alpha, np.float32)


def tinted(field: Field, colour: Colour) -> Picture:
    """A brightness times a colour."""
    return np.asarray(field[..., None] * np.array(colour, np.float32), np.float32)


def brickwork(rng: np.random.Generator, x: Field, y: Field, brick: Colour, size: tuple[float, float] = (86, 34)) -> Picture:
    """A lit brick wall: every brick its own shade, rounded edges, pale joints."""
    row = np.floor(y / size[1])
    shifted = x / size[0] + 0.5 * (row % 2)
    column = np.floor(shifted)
    shades = rng.uniform(0.62, 1.2, (64, 64)).astype(np.float32)
    warmth = rng.uniform(-0.12, 0.12, (64, 64)).astype(np.float32)
    index = (row.astype(int) % 64, column.astype(int) % 64)
    inside_x = np.minimum(shifted - column, 1 - (shifted - column)) * size[0]
    inside_y = np.minimum(y / size[1] - row, 1 - (y / size[1] - row)) * size[1]
    joint = edge(np.minimum(inside_x, inside_y) - 2.6, 1.2)
    # Light from above left: the lower edge of a brick lies in its own shade.
    relief = 1 + 0.22 * edge((y / size[1] - row) * size[1] - 6, 3) - 0.25 * edge((1 - (y / size[1] - row)) * size[1] - 7, 3)
    grain = 1 + 0.28 * texture(rng, 9, 3)
    face = tinted(shades[index] * relief * grain, brick) * np.stack(
        [1 + warmth[index], np.ones_like(x), 1 - warmth[index]], axis=-1
    )
    mortar = tinted(0.9 + 0.2 * texture(rng, 5, 2), (0.30, 0.28, 0.25))
    return over(face.astype(np.float32), joint, mortar)


def planks(rng: np.random.Generator, y: Field, wood: Colour, height: float = 60) -> Picture:
    """Boards laid across, with grain along them."""
    row = np.floor(y / height)
    shade = rng.uniform(0.75, 1.15, 64).astype(np.float32)[row.astype(int) % 64]
    grain = 1 + 0.22 * texture(rng, 5, 3, stretch=22) + 0.10 * texture(rng, 40, 2, stretch=6)
    gap = edge(np.minimum(y / height - row, 1 - (y / height - row)) * height - 1.4, 1.0)
    return over(tinted(shade * grain, wood), gap, np.array(wood, np.float32) * 0.15)


@dataclass(frozen=True)
class Pot:
    """A thrown pot: where its foot stands, its height, and its radius at heights 0 (foot) … 1 (lip)."""

    foot: tuple[float, float]
    height: float
    radii: tuple[float, ...]
    glaze: Colour
    bare: Colour = (0.30, 0.18, 0.11)
    dipped: float = 0.0  # share of the height, from the foot, left without glaze
    shine: float = 0.55


@dataclass(frozen=True)
class Layer:
    """A part of a canvas ready to be laid over pictures: its place, colour, coverage and the shadow it casts."""

    window: tuple[slice, slice]
    colour: Picture
    coverage: Field
    shadow: Field

    def onto(self, picture: Picture) -> Picture:
        """The picture with the layer over it."""
        result = picture.copy()
        part = result[self.window] * (1 - self.shadow[..., None])
        result[self.window] = over(part, self.coverage, self.colour)
        return result


def throw_pot(
    pot: Pot, light: Colour, rng: np.random.Generator, strength: float = 1.0, ambient: float = 0.22,
    glow: Colour = (1.0, 1.0, 1.0),
) -> Layer:  # fmt: skip
    """Throw a pot: a solid of revolution, shaded, with glaze runs, a highlight and a contact shadow.

    light: direction towards the lamp (right, up, towards the camera); glow: the lamp's colour.
    """
    widest = max(pot.radii) * 1.7 + 40
    left, right = (round(pot.foot[0] + side * widest) + MARGIN for side in (-1, 1))
    top, bottom = round(pot.foot[1] - pot.height * 1.3) + MARGIN - 20, round(pot.foot[1]) + MARGIN + 60
    window = (slice(max(top, 0), max(bottom, 1)), slice(max(left, 0), max(right, 1)))
    x, y = (axis[window] for axis in grid())
    place = (x, y)
    up = (pot.foot[1] - y) / pot.height
    inside = np.clip(up, 0, 1)
    fine = np.linspace(0, 1, 256)
    smooth = np.interp(fine, np.linspace(0, 1, len(pot.radii)), pot.radii)
    for _ in range(3):
        smooth = np.convolve(np.pad(smooth, 12, mode="edge"), np.ones(25) / 25, mode="valid")
    radius = np.interp(inside, fine, smooth).astype(np.float32)
    slope = np.interp(inside, fine, np.gradient(smooth, fine) / pot.height).astype(np.float32)
    u = (x - pot.foot[0]) / radius
    depth = np.sqrt(np.clip(1 - u * u, 0, 1))
    # Seen a little from above, so the foot curves down and the lip shows an opening.
    body = edge((np.abs(u) - 1) * radius, 1.2) * edge(pot.foot[1] - y - pot.height, 1.2)
    body = body * edge(y - pot.foot[1] - 0.12 * radius * depth, 1.2)
    length = np.sqrt(1 + slope * slope)
    normal = np.stack([u, slope, depth], axis=-1) / length[..., None]
    direction = np.array(light, np.float32) / np.linalg.norm(light)
    half = direction + np.array([0, 0, 1], np.float32)
    lambert = np.clip(normal @ direction, 0, 1)
    gloss = np.clip(normal @ (half / np.linalg.norm(half)), 0, 1)
    runs = 1 + 0.20 * texture(rng, 26, 3, place=place) + 0.10 * smooth_noise(rng, 40, place=place) * np.sin(up * 40)
    rings = 1 + 0.05 * np.sin(up * pot.height * 0.5)
    line = pot.dipped + 0.03 * smooth_noise(rng, 30, place=place)
    glazed = edge((line - up) * pot.height, 2.0)
    skin = over(tinted(rings, pot.bare), glazed, tinted(runs, pot.glaze))
    shade = (ambient + (1 - ambient) * lambert) * strength
    shine = pot.shine * strength * (gloss**60 + 0.12 * gloss**12) * glazed
    colour = (skin * shade[..., None] + shine[..., None]) * np.array(glow, np.float32)
    lip, mouth_y = float(smooth[-1]), pot.foot[1] - pot.height
    mouth = ellipse(x, y, (pot.foot[0], mouth_y), (lip, 0.22 * lip))
    hole = ellipse(x, y, (pot.foot[0], mouth_y + 1), (lip * 0.86, 0.17 * lip))
    rim = np.array(pot.glaze, np.float32) * strength * 1.05 * np.array(glow, np.float32)
    colour = over(over(colour.astype(np.float32), mouth, rim + 0.05 * strength), hole, rim * 0.16)
    shadow = 0.6 * ellipse(x, y, (pot.foot[0] + 10, pot.foot[1] + 6), (max(pot.radii[:2]) * 1.5, 16), 12)
    return Layer(window, colour, np.maximum(body, mouth), shadow)


def draw_pot(
    picture: Picture, pot: Pot, light: Colour, rng: np.random.Generator, strength: float = 1.0, ambient: float = 0.22
) -> Picture:
    """The picture with a pot thrown into it."""
    return throw_pot(pot, light, rng, strength, ambient).onto(picture)


def view(picture: Picture, dx: float, dy: float) -> Picture:
    """The picture seen with the camera moved by (dx, dy) pixels, within the margin; sub-pixel steps are smooth."""
    column, row = MARGIN + dx, MARGIN + dy
    j, i = int(np.floor(column)), int(np.floor(row))
    b, a = np.float32(column - j), np.float32(row - i)
    top = picture[i : i + HEIGHT, j : j + WIDTH] * (1 - b) + picture[i : i + HEIGHT, j + 1 : j + 1 + WIDTH] * b
    low = picture[i + 1 : i + 1 + HEIGHT, j : j + WIDTH] * (1 - b) + picture[i + 1 : i + 1 + HEIGHT, j + 1 : j + 1 + WIDTH] * b
    return np.asarray(top * (1 - a) + low * a, np.float32)


def encode_709(linear: Picture) -> Picture:
    """Linear light to R′G′B′ by the camera curve of BT.709, going on past white and, in a straight line, below black."""
    bright = 1.099 * np.power(np.maximum(linear, 0.018), 0.45) - 0.099
    return np.asarray(np.where(linear < 0.018, 4.5 * linear, bright), np.float32)
