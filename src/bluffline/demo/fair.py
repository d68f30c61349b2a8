"""At the fair: the potter, the moor above the works, a viewer's phone, the captioned stall, a shot with nothing wrong."""

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from bluffline.demo.line_up import Scene
from bluffline.demo.paint import (
    HEIGHT,
    MARGIN,
    WIDTH,
    Colour,
    Field,
    Picture,
    Pot,
    box,
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
)  # fmt: skip
from bluffline.demo.works import SUPER_WHITE

FULL_RANGE_BLACK, FULL_RANGE_WHITE = -64 / 876, 959 / 876  # codes 0 and 1023, read as narrow range
SKIN = np.array((0.56, 0.33, 0.245), np.float32)
GREEN_CAST: Colour = (0.86, 1.06, 0.84)


def potter(rng: np.random.Generator) -> Scene:
    """The potter talks to camera under green workshop tubes, her forehead hot from a lamp above."""
    studio = _workshop(rng)
    window = (slice(60 + MARGIN, 500 + MARGIN), slice(330 + MARGIN, 690 + MARGIN))
    x, y = (axis[window] for axis in grid())
    place = (x, y)
    mottle = 1 + 0.05 * texture(rng, 26, 3, place=place) + 0.02 * texture(rng, 5, 2, place=place)
    hair = tinted(0.5 + 0.45 * texture(rng, 7, 3, 0.35, place=place), (0.115, 0.068, 0.042))
    bowl = throw_pot(
        Pot((830, 700), 150, (52, 96, 128, 140, 146), (0.24, 0.36, 0.40), dipped=0.25, shine=0.5), (-0.5, 0.7, 0.6), rng, 0.8
    )
    grip = (slice(560 + MARGIN, 720 + MARGIN), slice(620 + MARGIN, 780 + MARGIN))
    grip_x, grip_y = (axis[grip] for axis in grid())

    def at(frame: int) -> Picture:
        t = frame / 25
        sway = (2.5 * np.sin(t * 1.3), 1.8 * np.sin(t * 2.1))
        picture = studio.copy()
        centre = (500 + sway[0], 268 + sway[1])
        picture[window] = _head(picture[window], x, y, centre, frame, mottle, hair)
        picture = bowl.onto(picture)
        picture[grip] = _hand(picture[grip], grip_x, grip_y, sway[0])
        return encode_709(view(picture * np.array(GREEN_CAST, np.float32), 0.5 * sway[0], 0))

    return at


def _ball(x: Field, y: Field, centre: tuple[float, float], radii: tuple[float, float]) -> tuple[Field, Field, Field]:
    """An ellipsoid lit from above left: its coverage, its light, and how far it faces the camera."""
    u, v = (x - centre[0]) / radii[0], (y - centre[1]) / radii[1]
    depth = np.sqrt(np.clip(1 - u * u - v * v, 0, 1))
    return ellipse(x, y, centre, radii, 1.6), np.clip(-0.38 * u - 0.62 * v + 0.68 * depth, 0, 1), depth


def _hand(picture: Picture, x: Field, y: Field, sway: float) -> Picture:
    """The hand that holds the bowl: its palm, then four fingers laid over the rim."""
    for (px, py), radii, tone in (
        ((690.0, 642.0), (34, 62), 0.7), *(((712.0 + 3 * finger, 600.0 + 25 * finger), (44, 14), 1.0) for finger in range(4)),
    ):  # fmt: skip
        cover, light, _ = _ball(x, y, (px + sway, py), radii)
        picture = over(picture, cover, SKIN * (tone * (0.3 + 0.7 * light))[..., None])
    return picture


def _workshop(rng: np.random.Generator) -> Picture:
    """Shelves out of focus, and the potter from the shoulders down."""
    x, y = grid()
    back = (
        tinted(0.42 + 0.08 * texture(rng, 180, 3), (0.42, 0.46, 0.42))
        * (0.7 + 0.3 * np.exp(-((x - 900) ** 2) / 300000))[..., None]
    )
    for top in (150, 330):
        back = over(back, box(x, y, 720, top, 1320, top + 16, 4), (0.10, 0.075, 0.05))
        for px in range(770, 1280, 92):
            size = float(rng.uniform(70, 120))
            shape = tuple(rng.uniform(0.16, 0.42, 5) * size)
            back = draw_pot(
                back, Pot((px, top), size, shape, tuple(rng.uniform(0.1, 0.5, 3)), shine=0.2), (-0.5, 0.6, 0.6), rng, 0.6
            )
    for _ in range(4):
        back = np.asarray(sum(np.roll(back, shift, axis) for shift in (-3, 0, 3) for axis in (0, 1))) / 6
    cloth = tinted(0.5 + 0.10 * texture(rng, 16, 3) + 0.14 * np.sin(x / 34 + 2 * smooth_noise(rng, 160)), (0.16, 0.24, 0.36))
    apron = tinted(0.55 + 0.08 * texture(rng, 6, 2) + 0.10 * smooth_noise(rng, 120), (0.46, 0.40, 0.30))
    fold = (0.55 + 0.55 * np.clip(0.6 - (x - 380) / 520, 0, 1))[..., None]
    shoulders = edge((np.hypot((x - 500) / 300, np.minimum(y - 640, 0) / 190) - 1) * 190, 2)
    picture = over(back.astype(np.float32), shoulders, cloth * fold)
    neck = polygon(x, y, [(446, 330), (556, 330), (572, 486), (430, 486)], 3)
    picture = over(picture, neck, SKIN * (0.52 - 0.26 * np.clip((x - 460) / 120, 0, 1))[..., None])
    picture = over(picture, polygon(x, y, [(404, 520), (596, 520), (668, 760), (332, 760)], 2), apron * fold)
    for middle in (408, 592):
        strap = [(middle - 11.0, 430.0), (middle + 11.0, 430.0), (middle + 11.0, 524.0), (middle - 11.0, 524.0)]
        picture = over(picture, polygon(x, y, strap, 2), apron * 0.85 * fold)
    return picture


def _head(
    picture: Picture, x: Field, y: Field, centre: tuple[float, float], frame: int, mottle: Field, hair: Picture
) -> Picture:
    """The potter's head over a part of the picture, speaking and blinking."""
    cx, cy = centre
    t = frame / 25
    mouth_open = 3.0 + 6.5 * abs(np.sin(t * 6.3)) * (0.6 + 0.4 * np.sin(t * 2.2))
    blink = 0.15 if frame % 58 in (20, 21, 22) else 1.0
    picture = over(picture, ellipse(x, y, (cx + 6, cy - 8), (136, 176), 3), hair * 0.8)
    neck = polygon(x, y, [(cx - 52, cy + 90), (cx + 54, cy + 90), (cx + 66, 500), (cx - 66, 500)], 3)
    picture = over(picture, neck, SKIN * (0.52 - 0.26 * np.clip((x - cx + 40) / 120, 0, 1))[..., None])
    for side in (-1, 1):
        lobe, light, _ = _ball(x, y, (cx + side * 112, cy + 12), (17, 32))
        picture = over(picture, lobe, SKIN * (0.25 + 0.45 * light)[..., None])
    face, light, depth = _ball(x, y, (cx, cy + 6), (112, 146))
    head = SKIN * ((0.20 + 0.80 * light) * mottle)[..., None]
    blush = np.asarray(sum(np.exp(-(((x - cx - side * 58) / 34) ** 2 + ((y - cy - 48) / 26) ** 2)) for side in (-1, 1)))
    head = head * (1 - tinted(blush, (0.0, 0.22, 0.18)))
    hot = np.exp(-(((x - cx + 34) / 58) ** 2 + ((y - cy + 82) / 30) ** 2))
    head = head + tinted(hot * 0.56 + 0.10 * depth**24, (1.0, 0.95, 0.86))
    for side in (-1, 1):
        head = _eye(head, x, y, (cx + side * 45, cy - 8), side, blink)
    nose_side = np.exp(-(((x - cx - 17) / 9) ** 2 + ((y - cy - 34) / 36) ** 2))
    nose_tip = np.exp(-(((x - cx) / 15) ** 2 + ((y - cy - 58) / 11) ** 2))
    head = head * (1 - 0.30 * nose_side)[..., None] + tinted(nose_tip * 0.10, (1.0, 0.85, 0.75))
    for side in (-1, 1):
        head = head * (1 - 0.6 * ellipse(x, y, (cx + side * 10, cy + 68), (6, 3.5), 2))[..., None]
    my, wide = cy + 99, 36 - 0.5 * mouth_open
    head = over(head, ellipse(x, y, (cx, my), (wide, mouth_open + 9), 2), (0.36, 0.115, 0.10))
    head = over(head, ellipse(x, y, (cx, my + 1), (wide - 6, mouth_open), 1.5), (0.035, 0.012, 0.012))
    if mouth_open > 6:
        head = over(head, ellipse(x, y, (cx, my - mouth_open * 0.5), (wide - 13, mouth_open - 4), 1.5), (0.58, 0.54, 0.46))
    head = head * (1 - 0.25 * np.exp(-(((x - cx) / 26) ** 2 + ((y - my - 24) / 7) ** 2)))[..., None]
    picture = over(picture, face, head)
    fringe = np.maximum(
        (np.hypot((x - cx - 4) / 122, (y - cy + 20) / 138) - 1) * 122, y - cy + 92 - 0.0042 * (x - cx + 30) ** 2
    )
    return over(picture, edge(fringe, 2.5), hair)


def _eye(head: Picture, x: Field, y: Field, centre: tuple[float, float], side: int, blink: float) -> Picture:
    ex, ey = centre
    socket = np.exp(-(((x - ex) / 32) ** 2 + ((y - ey + 4) / 20) ** 2))
    head = head * (1 - 0.34 * socket)[..., None]
    for radii, colour in (((20, 10), (0.58, 0.56, 0.52)), ((8.5, 8.5), (0.11, 0.15, 0.09)), ((4, 4), (0.012, 0.012, 0.012))):
        head = over(head, ellipse(x, y, (ex + (2 if radii[0] < 20 else 0), ey), (radii[0], radii[1] * blink), 1.2), colour)
    head = over(head, ellipse(x, y, (ex - 1, ey - 3), (1.8, 1.8 * blink), 0.8), (0.9, 0.9, 0.9))
    lid = np.abs(y - ey + 11 * blink - 0.018 * (x - ex) ** 2 * blink) - 1.4
    head = over(head, edge(np.maximum(lid, np.abs(x - ex) - 21), 1.1), (0.06, 0.035, 0.025))
    brow = np.abs(y - ey + 38 - 0.008 * (x - ex - side * 7) ** 2) - 3.8
    return over(head, 0.85 * edge(np.maximum(brow, np.abs(x - ex) - 28), 2.2), (0.085, 0.05, 0.032))


def moor(rng: np.random.Generator) -> Scene:
    """The moor in mist, recorded flat for grading: no black, no white, little colour."""
    x, y = grid()
    sky = tinted(0.70 + 0.10 * texture(rng, 170, 5, 2.4) - 0.12 * (y / 720), (0.92, 0.97, 1.05))
    picture = sky
    ridges = ((300, 60, 230, 0.50), (370, 80, 150, 0.34), (455, 95, 110, 0.20), (560, 110, 70, 0.11))
    for level, rise, cell, tone in ridges:
        crest = level + rise * smooth_noise(rng, cell * 2.2)[40:41] + 14 * smooth_noise(rng, cell / 3)[60:61]
        heather = tone * (1 + (0.55 - tone) * 0.9 * texture(rng, 22, 5, 2.5))
        colour = (1.02 - 0.2 * tone, 0.96, 0.80 + 0.5 * tone)
        picture = over(picture, edge(crest - y, 2.0), tinted(heather, colour))
    track = np.abs(x - 690 - 140 * np.sin(y / 95) * (720 - y) / 260) - np.clip((y - 520) / 9, 0, 30)
    picture = over(picture, edge(track, 4) * (y > 530), tinted(0.24 + 0.05 * texture(rng, 9, 3), (1.0, 0.94, 0.82)))
    for px, py, size in ((240, 452, 1.0), (300, 462, 0.8), (980, 520, 1.5), (1040, 536, 1.3), (880, 540, 1.2)):
        picture = over(picture, ellipse(x, y, (px, py), (9 * size, 6 * size)), (0.46, 0.45, 0.42))
        picture = over(picture, ellipse(x, y, (px + 9 * size, py - 3 * size), (3 * size, 3 * size)), (0.08, 0.08, 0.08))
    mist = texture(rng, 210, 4, 3)

    def at(frame: int) -> Picture:
        drift = np.roll(mist, frame // 2, axis=1)
        veil = np.clip(0.30 + 0.32 * drift, 0, 0.8) * np.exp(-(((y - 420) / 120) ** 2))
        return (
            0.28 + 0.44 * encode_709(view(over(picture, veil.astype(np.float32), (0.56, 0.58, 0.60)), 0.16 * frame - 5, 0))
        ).astype(np.float32)

    return at


def _stall(rng: np.random.Generator, sun: float) -> Picture:
    """A market stall: striped awning, three rows of pots, an open field behind."""
    x, y = grid()
    hills = edge(300 + 40 * smooth_noise(rng, 300)[30:31] - y, 3)
    picture = tinted(0.62 - 0.0004 * y + 0.08 * texture(rng, 160, 4, 2), (0.80, 0.92, 1.06))
    picture = over(picture, hills, tinted(0.22 + 0.05 * texture(rng, 30, 4), (0.72, 1.0, 0.55)))
    trees = edge(360 + 46 * texture(rng, 70, 3)[50:51] - y, 6) * edge(y - 470, 4)
    picture = over(picture, trees, tinted(0.10 + 0.07 * texture(rng, 16, 4), (0.55, 1.0, 0.42)))
    picture = over(picture, edge(440 - y, 5), tinted(0.30 + 0.09 * texture(rng, 8, 4, 2), (0.62, 0.92, 0.36)))
    stripe = (np.floor((x - (y - 60) * (x - 640) / 1800) / 70) % 2)[..., None]
    scallop = 150 + 14 * np.abs(np.sin((x - 30) * np.pi / 70))
    cloth = tinted(0.9 - 0.0016 * y, (0.78, 0.74, 0.64)) * (1 - stripe) + tinted(0.9 - 0.0016 * y, (0.13, 0.26, 0.32)) * stripe
    picture = over(
        picture,
        edge(y - scallop, 1.5) * edge(30 - y, 1.5),
        (cloth * (1 + 0.05 * texture(rng, 12)[..., None])).astype(np.float32),
    )
    for post in (70, 1210):
        picture = over(
            picture, box(x, y, post - 11, 140, post + 11, 999, 1.5), tinted(0.30 - 0.006 * (x - post), (0.9, 0.66, 0.44))
        )
    for level, (top, count, size) in enumerate(((330, 9, 96), (480, 8, 122), (650, 7, 150))):
        board = planks(rng, y, (0.40, 0.28, 0.18), 30)
        picture = np.asarray(picture * (1 - 0.45 * box(x, y, 60, top + 18, 1220, top + 60, 16)[..., None]), np.float32)
        picture = over(picture, box(x, y, 40 - 10 * level, top - 6, 1240 + 10 * level, top + 24, 1.5), board)
        for index in range(count):
            tall = size * float(rng.uniform(0.75, 1.25))
            shape = tuple(np.array([0.24, 0.42, 0.40, 0.24, 0.28]) * tall * rng.uniform(0.75, 1.1, 5))
            hue = float(rng.uniform(0, 1))
            glaze = [
                (0.08, 0.20, 0.30),
                (0.42, 0.20, 0.08),
                (0.50, 0.46, 0.36),
                (0.10, 0.26, 0.18),
                (0.36, 0.09, 0.07),
                (0.20, 0.16, 0.30),
            ]
            pot = Pot(
                (120 + (index + 0.5) * 1060 / count, top),
                tall,
                shape,
                glaze[int(hue * 6)],
                dipped=float(rng.choice([0, 0.2, 0.3])),
            )
            picture = draw_pot(picture, pot, (-0.45, 0.75, 0.6), rng, 0.72 * sun, 0.30)
    return np.asarray(picture * sun, np.float32)


def phone_insert(rng: np.random.Generator) -> Scene:
    """A viewer's phone film of a vase by a bright window: full range, but tagged narrow by whoever cut it in."""
    x, y = grid()
    picture = tinted(0.035 + 0.012 * texture(rng, 60, 4), (1.0, 0.80, 0.62))
    light = tinted(1.22 + 0.12 * texture(rng, 120, 3), (1.0, 1.0, 1.0))
    light = over(
        light,
        edge(430 + 30 * smooth_noise(rng, 200)[20:21] - y, 6),
        tinted(0.36 + 0.10 * texture(rng, 24, 4), (0.6, 0.95, 0.42)),
    )
    picture = over(picture, box(x, y, 690, 40, 1180, 520, 2), light)
    for bar in ((926, 40, 942, 520), (690, 270, 1180, 284), (676, 26, 692, 534), (1178, 26, 1196, 534), (676, 518, 1196, 540)):
        picture = over(picture, box(x, y, *bar, 1.5), tinted(0.30 + 0.04 * texture(rng, 9), (0.9, 0.8, 0.7)))
    fall = np.exp(-np.abs(x - 900) / 420)
    table = planks(rng, y * 1.6, (0.34, 0.17, 0.08)) * (0.02 + 0.75 * fall * np.clip((y - 520) / 120, 0.2, 1))[..., None]
    picture = over(picture, box(x, y, -99, 560, 1999, 999, 2), table.astype(np.float32))
    vase = Pot((520, 660), 420, (84, 142, 150, 92, 60, 86), (0.06, 0.20, 0.34), dipped=0.12, shine=0.9)
    picture = draw_pot(picture, vase, (0.85, 0.35, 0.4), rng, 0.85, 0.04)
    bowl = Pot((250, 690), 120, (40, 84, 112, 124, 128), (0.40, 0.16, 0.05), shine=0.6)
    picture = draw_pot(picture, bowl, (0.9, 0.3, 0.3), rng, 0.5, 0.03)
    shadowed = box(x, y, -99, -99, 330, 470, 90)
    picture = np.asarray(np.maximum(picture * (1 - 0.93 * shadowed[..., None]) - 0.004, 0), np.float32)

    def at(frame: int) -> Picture:
        t = frame / 25
        shaken = view(picture, 7 * np.sin(t * 2.3) + 3 * np.sin(t * 5.1), 5 * np.sin(t * 1.9 + 1) + 2 * np.sin(t * 6.7))
        signal = np.clip(encode_709(shaken), 0, 1)
        return (FULL_RANGE_BLACK + signal * (FULL_RANGE_WHITE - FULL_RANGE_BLACK)).astype(np.float32)

    return at


def lettering(lines: list[tuple[str, int, tuple[int, int]]], fonts: str) -> Field:
    """Coverage of lines of text: (text, size in pixels, baseline start)."""
    image = Image.new("L", (WIDTH, HEIGHT))
    draw = ImageDraw.Draw(image)
    for text, size, place in lines:
        draw.text(place, text, fill=255, font=ImageFont.truetype(fonts, size), anchor="ls")
    return np.asarray(image, np.float32) / 255


def caption(rng: np.random.Generator, fonts: str) -> Scene:
    """The stall, legal throughout, under a caption set in super-white."""
    picture = _stall(rng, 0.80)
    letters = lettering(
        [("Maud Pellow, stallholder", 62, (84, 592)), ("Glaze Fair at Larkmoor Kiln Works", 46, (86, 656))], fonts
    )

    def at(frame: int) -> Picture:
        scene = encode_709(view(picture, 0.14 * frame - 5, 0))
        x = np.arange(WIDTH, dtype=np.float32)[None, :]
        y = np.arange(HEIGHT, dtype=np.float32)[:, None]
        band = 0.62 * np.clip((y - 500) / 60, 0, 1) * np.clip((1180 - x) / 500, 0, 1)
        scene = scene * (1 - band[..., None])
        return over(scene.astype(np.float32), letters, np.full(3, SUPER_WHITE, np.float32))

    return at


def clean(rng: np.random.Generator) -> Scene:
    """Three finished pots in window light: nothing wrong."""
    x, y = grid()
    wall = tinted(
        0.34 + 0.05 * texture(rng, 200, 4) + 0.10 * np.exp(-(((x - 300) / 420) ** 2 + ((y - 180) / 300) ** 2)),
        (1.0, 0.94, 0.84),
    )
    slant = edge(np.abs((x - 250) + 0.55 * (y - 200)) - 120, 26) * edge(np.abs(y - 220) - 170, 26)
    cross = edge(np.abs((x - 250) + 0.55 * (y - 200)) - 7, 10)
    wall = wall * (1 + 0.42 * (slant * (1 - cross))[..., None])
    table = planks(rng, y * 1.3, (0.46, 0.30, 0.17), 74) * (0.95 - (x - 100)[..., None] / 2600)
    picture = over(wall.astype(np.float32), box(x, y, -99, 520, 1999, 999, 2), table.astype(np.float32))
    cloth = polygon(x, y, [(200, 600), (1060, 572), (1150, 690), (130, 712)], 2)
    weave = tinted(0.5 + 0.05 * np.sin(x / 2.2) * np.sin(y / 2.2) + 0.06 * texture(rng, 30, 3), (0.78, 0.76, 0.68))
    picture = over(picture, cloth, weave)
    for pot in (
        Pot((330, 640), 330, (62, 104, 118, 70, 46, 62), (0.09, 0.22, 0.26), dipped=0.16),
        Pot((640, 660), 220, (56, 120, 132, 116, 96), (0.46, 0.24, 0.09), dipped=0.1),
        Pot((930, 634), 380, (58, 84, 112, 120, 70, 44, 50), (0.38, 0.10, 0.075), dipped=0.2),
    ):
        picture = draw_pot(picture, pot, (-0.7, 0.5, 0.55), rng, 0.8, 0.2)

    def at(frame: int) -> Picture:
        return encode_709(view(picture * np.float32(0.92), 0.2 * frame - 6, 0.05 * frame - 2))

    return at
