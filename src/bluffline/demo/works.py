"""Round the kiln works: the kiln mouth, the courtyard, the store room."""

import numpy as np

from bluffline.demo.line_up import Scene
from bluffline.demo.paint import (
    Picture,
    Pot,
    box,
    brickwork,
    canvas,
    draw_pot,
    edge,
    ellipse,
    encode_709,
    grid,
    over,
    planks,
    polygon,
    smooth_noise,
    texture,
    throw_pot,
    tinted,
    view,
)

SUPER_WHITE = 1.09  # 10-bit narrow code 1019: the top of the signal


def kiln_mouth(rng: np.random.Generator) -> Scene:
    """The open kiln at white heat: saturated orange-red that no R′G′B′ limit holds, though its luma is legal."""
    x, y = grid()
    centre = (640.0, 400.0)
    far = np.hypot((x - centre[0]) / 300, (y - centre[1]) / 260)
    arch = np.where(y < centre[1], (far - 1) * 260, np.maximum(np.abs(x - centre[0]) - 300, y - 590))
    mouth = edge(arch, 1.5)
    ring = edge(np.abs(arch - 26) - 26, 1.5)
    angle = np.arctan2(y - centre[1], x - centre[0])
    wall = brickwork(rng, x, y, (0.24, 0.15, 0.12)) * 0.22
    voussoir = tinted(0.55 + 0.3 * (np.floor(angle * 9) % 2) + 0.15 * texture(rng, 12), (0.20, 0.12, 0.09)) * 0.5
    wall = over(wall, ring * (y < 600), voussoir)
    spill = np.exp(-np.maximum(arch, 0) / 120)
    wall = wall + tinted(spill * 0.55, (0.85, 0.20, 0.03)) * (0.4 + 4 * wall.mean(axis=-1, keepdims=True))
    floor = planks(rng, y, (0.20, 0.16, 0.14), 44) * (0.12 + 0.5 * np.exp(-np.abs(x - 640) / 300))[..., None]
    floor = floor * np.array((1.0, 0.55, 0.30), np.float32)
    wall = over(wall, box(x, y, -99, 592, 1999, 999, 2), floor)
    embers = texture(rng, 46, 4)
    tongues = [smooth_noise(rng, 70), smooth_noise(rng, 48), smooth_noise(rng, 90)]
    pots, covered = canvas((0, 0, 0)), np.zeros_like(x)
    for index, (px, size) in enumerate(((470.0, 150.0), (640.0, 200.0), (800.0, 160.0))):
        pot = Pot(
            (px, 588), size, (size * 0.22, size * 0.42, size * 0.36, size * 0.18, size * 0.24), (0.5, 0.22, 0.10), shine=0.15
        )
        layer = throw_pot(pot, (0.3 * (1 - index), -0.4, 0.8), rng, 0.55, 0.3, glow=(1.0, 0.30, 0.06))
        pots = layer.onto(pots)
        covered[layer.window] = np.maximum(covered[layer.window], layer.coverage)
    encoded_wall, encoded_pots = encode_709(wall.astype(np.float32)), encode_709(pots)

    def at(frame: int) -> Picture:
        t = frame / 25
        licking = sum(np.roll(tongue, -int(30 * t * (1 + 0.3 * index)), axis=0) for index, tongue in enumerate(tongues)) / 3
        heat = np.clip(1.10 - 0.42 * np.clip(far, 0, 1.6) ** 2 + 0.10 * licking + 0.05 * embers, 0, 1.3)
        pulse = 1 + 0.015 * np.sin(t * 5.0) + 0.01 * np.sin(t * 11.3)
        red = (1.05 + 0.18 * heat) * pulse
        fire = np.stack([red, 0.18 + 0.40 * heat**2, -0.09 + 0.06 * heat**3], axis=-1).astype(np.float32)
        inside = over(fire, covered, encoded_pots + np.array([0.10, 0.02, 0.0], np.float32))
        flicker = 1 + 0.05 * np.sin(t * 7.1) + 0.03 * np.sin(t * 12.7)
        whole = over((encoded_wall * np.float32(flicker)).astype(np.float32), mouth, inside)
        return view(whole, 1.2 * np.sin(t), 0.8 * np.sin(t * 1.3))

    return at


def courtyard(rng: np.random.Generator) -> Scene:
    """The yard at noon: a bottle kiln and workshops under a sky that the camera flat-topped."""
    x, y = grid()
    clouds = texture(rng, 150, 5, stretch=2.2)
    base = tinted(np.ones_like(x), (0.72, 0.82, 0.95))
    glare = 1.55 * np.exp(-(((x - 860) / 520) ** 2 + ((y - 40) / 260) ** 2))
    cobble = rng.uniform(0.7, 1.15, (64, 64)).astype(np.float32)
    depth = np.clip((y - 470) / 250, 0.02, 2)
    cx, cy = (x - 640) / (26 + 46 * depth), 7.0 * np.log(depth + 0.12)
    row = np.floor(cy * 2.2)
    column = np.floor(cx + 0.5 * (row % 2))
    ax, ay = cx + 0.5 * (row % 2) - column, cy * 2.2 - row
    stone = cobble[row.astype(int) % 64, column.astype(int) % 64] * (1.1 - 1.2 * ((ax - 0.5) ** 2 + (ay - 0.5) ** 2))
    yard = tinted(stone * (0.9 + 0.25 * texture(rng, 8, 2)), (0.30, 0.27, 0.23))
    shade = edge(y - (640 - 0.35 * x), 10)
    yard = yard * (1 - 0.55 * shade[..., None])
    left_wall = brickwork(rng, x * 1.25, y * 1.25, (0.36, 0.20, 0.14)) * 0.75
    picture = canvas((0, 0, 0))
    solid = np.zeros_like(x)

    def put(coverage: np.ndarray, colour: Picture) -> None:
        nonlocal picture, solid
        picture = over(picture, coverage, colour)
        solid = solid + (1 - solid) * coverage

    half = np.interp(y, [70, 110, 180, 300, 420, 520], [42, 46, 66, 128, 172, 180]).astype(np.float32)
    u = (x - 470) / half
    bottle = edge((np.abs(u) - 1) * half, 1.2) * edge(70 - y, 1.2) * edge(y - 520, 1.2)
    sun = np.clip(0.30 + 0.75 * (0.55 * u + 0.6 * np.sqrt(np.clip(1 - u * u, 0, 1))), 0.1, 1.1)
    put(bottle, brickwork(rng, np.arcsin(np.clip(u, -1, 1)) * half, y, (0.40, 0.20, 0.13), (46, 16)) * sun[..., None])
    put(box(x, y, 424, 66, 516, 84, 1.2), tinted(0.3 * sun, (0.42, 0.24, 0.16)))
    for a, b, top, tone in ((-60, 330, 296, 0.55), (640, 1010, 330, 1.0), (1010, 1400, 270, 0.8)):
        put(box(x, y, a, top, b, 520, 1.2), left_wall * tone)
        roof = [(a - 16.0, top + 4.0), ((a + b) / 2, top - 74.0), (b + 16.0, top + 4.0)]
        tiles = 0.6 + 0.3 * np.abs(np.sin(y / 5)) + 0.2 * texture(rng, 14)
        put(polygon(x, y, roof), tinted(tiles * tone, (0.20, 0.13, 0.11)))
        for window in range(a + 50, b - 60, 110):
            put(
                box(x, y, window, top + 54, window + 44, top + 124, 1.2),
                tinted(0.06 + 0.05 * smooth_noise(rng, 20), (0.8, 0.9, 1.0)),
            )
            put(box(x, y, window - 4, top + 124, window + 48, top + 131, 1), canvas((0.5, 0.47, 0.42)) * tone)
    put(box(x, y, -99, 512, 1999, 999, 2), yard.astype(np.float32))
    for px, size, glaze in (
        (180.0, 120.0, (0.10, 0.22, 0.30)),
        (270.0, 90.0, (0.42, 0.22, 0.08)),
        (900.0, 110.0, (0.16, 0.26, 0.12)),
        (1010.0, 150.0, (0.34, 0.12, 0.08)),
        (1120.0, 100.0, (0.46, 0.42, 0.33)),
    ):
        pot = Pot((px, 650), size, (size * 0.2, size * 0.4, size * 0.42, size * 0.2, size * 0.26), glaze)
        picture = draw_pot(picture, pot, (0.6, 0.6, 0.7), rng, 0.9, 0.3)
        solid = np.maximum(solid, (y > 512).astype(np.float32))

    def at(frame: int) -> Picture:
        drifting = np.roll(clouds, frame // 3, axis=1)
        light = 0.74 + glare + 0.34 * np.clip(drifting + 0.1, -0.4, 1) + 0.10 * (300 - y) / 300
        sky = base * light[..., None]
        sky = sky + (np.clip(light - 0.9, 0, 1) * 0.35)[..., None]
        whole = encode_709(over(sky.astype(np.float32), solid, picture))
        return np.minimum(view(whole, 0.10 * frame, 0), SUPER_WHITE).astype(np.float32)

    return at


def store_room(rng: np.random.Generator) -> Scene:
    """Shelves of stock by one dirty window: underexposed, with everything dark crushed into black."""
    x, y = grid()
    window = np.exp(-(((x - 1120) / 560) ** 2 + ((y - 210) / 420) ** 2))
    picture = brickwork(rng, x, y, (0.26, 0.20, 0.17)) * (0.10 + 0.8 * window)[..., None]
    pane = box(x, y, 1040, 60, 1220, 300, 1.5)
    bars = np.minimum(np.abs(x - 1130), np.abs(y - 180)) < 5
    picture = over(picture, pane * ~bars, tinted(0.62 + 0.2 * texture(rng, 60), (0.75, 0.85, 1.0)))
    for top in (250, 430, 610):
        board = planks(rng, y, (0.30, 0.21, 0.14), 26) * (0.06 + 0.9 * window)[..., None]
        picture = over(picture, box(x, y, 60, top, 980, top + 20, 1.2), board.astype(np.float32))
        picture = np.asarray(picture * (1 - 0.7 * box(x, y, 60, top + 20, 980, top + 46, 12)[..., None]), np.float32)
        for px in range(120, 960, 118):
            size = float(rng.uniform(70, 130))
            shape = rng.uniform(0.16, 0.46, 5) * size
            near = float(np.exp(-(((px - 1120) / 640) ** 2)))
            pot = Pot(
                (px + float(rng.uniform(-14, 14)), top + 4), size, tuple(shape), tuple(rng.uniform(0.06, 0.42, 3)), shine=0.4
            )
            picture = draw_pot(picture, pot, (0.9, 0.25, 0.35), rng, 0.14 + 0.75 * near, 0.12)
    sacks = ellipse(x, y, (1130, 660), (190, 120), 3)
    picture = over(picture, sacks, tinted((0.30 + 0.10 * texture(rng, 10, 3, 3)) * (0.3 + 0.7 * window), (0.44, 0.38, 0.28)))
    crushed = encode_709(picture * 0.50) - 0.125

    def at(frame: int) -> Picture:
        return np.maximum(view(crushed, 0.14 * frame - 4, 0.6 * np.sin(frame / 18)), 0).astype(np.float32)

    return at
