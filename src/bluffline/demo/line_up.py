"""The head of the programme: bars, the chart of glaze tiles, the three cards."""

from collections.abc import Callable

import numpy as np

from bluffline.demo.paint import (
    HEIGHT,
    WIDTH,
    Colour,
    Picture,
    box,
    brickwork,
    canvas,
    edge,
    ellipse,
    encode_709,
    grid,
    over,
    planks,
    polygon,
    smooth_noise,
    texture,
    tinted,
    view,
)  # fmt: skip

Scene = Callable[[int], Picture]  # frame within the shot → (720, 1280, 3) R′G′B′, unclamped

# Linear reflectances of the glaze tiles, row by row. The second row is the grey scale, dark to light.
TILES: tuple[Colour, ...] = (
    (0.30, 0.46, 0.33), (0.040, 0.075, 0.33), (0.31, 0.058, 0.040),
    (0.62, 0.40, 0.10), (0.045, 0.22, 0.14), (0.16, 0.045, 0.15),
    (0.030, 0.030, 0.030), (0.080, 0.080, 0.080), (0.17, 0.17, 0.17),
    (0.34, 0.34, 0.34), (0.57, 0.57, 0.57), (0.86, 0.86, 0.85),
    (0.66, 0.33, 0.24), (0.10, 0.36, 0.44), (0.74, 0.62, 0.06),
    (0.36, 0.14, 0.055), (0.33, 0.29, 0.60), (0.47, 0.11, 0.27),
    (0.12, 0.075, 0.042), (0.62, 0.12, 0.035), (0.20, 0.42, 0.06),
    (0.045, 0.17, 0.27), (0.58, 0.52, 0.38), (0.10, 0.12, 0.045),
)  # fmt: skip
TILE_COLUMNS, TILE_ROWS = 6, 4
CHART_CORNERS = ((322.0, 128.0), (978.0, 92.0), (1010.0, 566.0), (286.0, 548.0))  # outer corners of the tile grid
WARM_CAST: Colour = (1.16, 0.88, 0.40)


def bars(_: np.random.Generator) -> Scene:
    """EBU 100/0/75/0 bars [BT471]."""
    amplitudes = [
        (1, 1, 1),
        (0.75, 0.75, 0),
        (0, 0.75, 0.75),
        (0, 0.75, 0),
        (0.75, 0, 0.75),
        (0.75, 0, 0),
        (0, 0, 0.75),
        (0, 0, 0),
    ]
    columns = np.arange(WIDTH) * 8 // WIDTH
    picture = np.broadcast_to(np.array(amplitudes, np.float32)[columns], (HEIGHT, WIDTH, 3))
    return lambda _: picture


def chart_homography() -> np.ndarray:
    """(3, 3) matrix from picture pixels to the unit square of the tile grid, from `CHART_CORNERS`."""
    unit = [(0, 0), (1, 0), (1, 1), (0, 1)]
    rows, values = [], []
    for (x, y), (u, v) in zip(CHART_CORNERS, unit, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        values += [u, v]
    return np.append(np.linalg.solve(np.array(rows), np.array(values)), 1.0).reshape(3, 3)


def camera_curve(encoded: Picture) -> Picture:
    """The tone curve that the camera baked in: an S, steeper in red than in blue, so that no one gain undoes it."""
    strength = np.array([0.30, 0.24, 0.15], np.float32)
    v = np.clip(encoded, 0, 1)
    return np.asarray(encoded + strength * v * (1 - v) * (2 * v - 1) * 0.9, np.float32)


def chart(rng: np.random.Generator) -> Scene:
    """Twenty-four glazed tiles on a slate board, held up at an angle under warm lamps."""
    x, y = grid()
    lamp = np.exp(-((x - 420) ** 2 + (y + 80) ** 2) / 620000)
    back = brickwork(rng, x * 0.62, y * 0.62, (0.16, 0.12, 0.10)) * (0.22 + 0.5 * lamp)[..., None]
    for _ in range(3):  # the wall is out of focus
        back = np.asarray(sum(np.roll(back, shift, axis) for shift in (-4, 0, 4) for axis in (0, 1))) / 6
    h = chart_homography()
    w = h[2, 0] * x + h[2, 1] * y + h[2, 2]
    u, v = (h[0, 0] * x + h[0, 1] * y + h[0, 2]) / w, (h[1, 0] * x + h[1, 1] * y + h[1, 2]) / w
    light = 0.86 + 0.10 * (1 - u) + 0.06 * (1 - v)
    shadow = edge(np.maximum(np.abs(u - 0.53) - 0.56, np.abs(v - 0.55) - 0.58) * 640, 26)
    back = back * (1 - 0.45 * shadow[..., None])
    board = edge(np.maximum(np.abs(u - 0.5) - 0.55, np.abs(v - 0.5) - 0.575) * 640, 1.2)
    slate = tinted((0.055 + 0.010 * texture(rng, 18)) * light, (1.0, 1.02, 1.06))
    picture = over(back.astype(np.float32), board, slate)
    column, row = np.floor(u * TILE_COLUMNS), np.floor(v * TILE_ROWS)
    a, b = u * TILE_COLUMNS - column, v * TILE_ROWS - row
    inside = np.maximum(np.abs(a - 0.5) * 110, np.abs(b - 0.5) * 118)
    tile = edge(np.hypot(np.maximum(np.abs(a - 0.5) * 110 - 38, 0), np.maximum(np.abs(b - 0.5) * 118 - 42, 0)) - 8, 1.1)
    tile = tile * (u > 0) * (u < 1) * (v > 0) * (v < 1)
    index = (np.clip(row, 0, 3) * TILE_COLUMNS + np.clip(column, 0, 5)).astype(int)
    bevel = 1 + 0.16 * edge(b * 118 - 12, 3) - 0.14 * edge((1 - b) * 118 - 12, 3)
    crackle = 1 + 0.035 * texture(rng, 7, 3) + 0.02 * smooth_noise(rng, 30)
    flat = np.where(inside < 40, 1.0, bevel)
    glaze = np.array(TILES, np.float32)[index] * (flat * crackle * light)[..., None]
    picture = over(picture, tile, glaze.astype(np.float32))
    for hand_x, hand_y, side in ((240, 372, 1), (1056, 372, -1)):
        for finger in range(4):
            fx, fy = hand_x + side * (8 + 2 * finger), hand_y - 54 + finger * 36
            shade = np.clip(1 - ((y - fy) / 20) ** 2 * 0.55 - np.abs(x - fx) / 260, 0.2, 1)
            picture = over(picture, ellipse(x, y, (fx, fy), (40, 16), 1.5), tinted(0.52 * shade * light, (0.78, 0.47, 0.36)))
    warm = picture * np.array(WARM_CAST, np.float32)

    def at(frame: int) -> Picture:
        seconds = frame / 25
        return camera_curve(encode_709(view(warm, 3 * np.sin(seconds * 1.1), 2 * np.sin(seconds * 0.8 + 1))))

    return at


def cards(rng: np.random.Generator) -> Scene:
    """White, grey and black cards on the throwing bench."""
    x, y = grid()
    wall = brickwork(rng, x, y, (0.34, 0.20, 0.15)) * (0.35 + 0.35 * np.exp(-((x - 300) ** 2) / 500000))[..., None]
    bench = planks(rng, y * 1.4, (0.30, 0.20, 0.12)) * (0.62 - (y - 560)[..., None] / 900)
    picture = over(wall, box(x, y, -99, 540, 1999, 999, 1.5), bench)
    picture = over(picture, box(x, y, -99, 536, 1999, 552, 2), (0.42, 0.29, 0.18))
    for index, tone in enumerate((0.84, 0.18, 0.032)):
        left = 216 + 300 * index
        corners = [(left, 206.0), (left + 250, 198.0), (left + 256, 566.0), (left - 6, 566.0)]
        fallen = [(cx + 26, cy + 14) for cx, cy in corners]
        picture = np.asarray(picture * (1 - 0.5 * polygon(x, y, fallen, 12)[..., None]), np.float32)
        paper = tone * (1 + 0.018 * texture(rng, 6, 3)) * (1.04 - 0.00016 * (x - left) - 0.00022 * (y - 200))
        picture = over(picture, polygon(x, y, corners), tinted(paper, (1.0, 0.995, 0.985)))
        picture = over(picture, polygon(x, y, [(left - 6, 566), (left + 256, 566), (left + 262, 580), (left - 12, 580)]),
                       canvas((0.10, 0.07, 0.045)))  # fmt: skip

    def at(frame: int) -> Picture:
        return encode_709(view(picture, 0.12 * frame - 4, 1.5 * np.sin(frame / 22)))

    return at
