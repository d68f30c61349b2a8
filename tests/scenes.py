"""Made pictures of all kinds, as a camera, a caption machine or a paint box would make them, with the truth about each.

Every picture is luma or R′G′B′, 0 black … 1 white, unclamped; nothing of the code under test is used to make one.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np

HEIGHT, WIDTH = 360, 640


def smooth(rng: np.random.Generator, cell: float) -> np.ndarray:
    """(H, W) noise of one scale, about −1 … 1."""
    small = rng.normal(0, 1, (int(HEIGHT / cell) + 3, int(WIDTH / cell) + 3)).astype(np.float32)
    return cv2.resize(small, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)


def scene(rng: np.random.Generator) -> np.ndarray:
    """(H, W) a lit scene, roughly 0.03 … 0.95: soft light, some objects with edges, texture of several scales."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] / np.array([HEIGHT, WIDTH])[:, None, None]
    light = 0.35 + 0.25 * np.sin(rng.uniform(0, 6) + rng.uniform(1, 4) * x + rng.uniform(1, 4) * y)
    light += 0.12 * smooth(rng, 60) + 0.05 * smooth(rng, 17) + 0.025 * smooth(rng, 5)
    for _ in range(rng.integers(4, 10)):
        cx, cy, rx, ry = rng.uniform(0, 1), rng.uniform(0, 1), rng.uniform(0.03, 0.25), rng.uniform(0.03, 0.25)
        inside = np.clip((1 - np.hypot((x - cx) / rx, (y - cy) / ry)) * 40, 0, 1)
        shaded = rng.uniform(0.02, 0.9) + 0.15 * (x - cx) / rx + 0.04 * smooth(rng, 9)
        light = light * (1 - inside) + shaded * inside
    low, high = np.percentile(light, [0.5, 99.5])
    return ((light - low) / (high - low)).astype(np.float64)


def sharpened(picture: np.ndarray, amount: float, radius: float) -> np.ndarray:
    """Unsharp masking, with the overshoot that it makes."""
    return picture + amount * (picture - cv2.GaussianBlur(picture, (0, 0), radius))


def lettering(rng: np.random.Generator, lines: int, size: float) -> np.ndarray:
    """(H, W) coverage of lines of text, 0 … 1."""
    page = np.zeros((HEIGHT * 2, WIDTH * 2), np.uint8)
    for line in range(lines):
        words = "".join(rng.choice(list("ABCDEFGHKLMNOPRSTUVW 0123456789"), rng.integers(6, 18)))
        place = (int(rng.integers(10, 200)), int(60 + line * 42 * size + rng.integers(0, 200)))
        cv2.putText(page, words, place, cv2.FONT_HERSHEY_SIMPLEX, size, 255, max(int(2.5 * size), 1), cv2.LINE_AA)
    return cv2.resize(page, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA) / 255.0


def coded(picture: np.ndarray, quality: int) -> np.ndarray:
    """What block coding makes of a picture: JPEG at a quality, within −0.1 … 1.1."""
    codes = np.clip((picture + 0.1) / 1.2 * 255, 0, 255).astype(np.uint8)
    return (
        cv2.imdecode(cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, quality])[1], cv2.IMREAD_UNCHANGED) / 255 * 1.2
        - 0.1
    )


@dataclass(frozen=True)
class LevelCase:
    """Luma of one source, in shots, as codes from 0 … 1 of all codes; ``full``: how it was made; ``told``: how it is tagged."""

    kind: str
    shots: tuple[np.ndarray, ...]
    full: bool
    told: bool


def _stored(picture: np.ndarray, *, full: bool) -> np.ndarray:
    return np.clip(picture if full else 16 / 255 + picture * 219 / 255, 0, 1)


def _true_narrow(rng: np.random.Generator, kind: str) -> np.ndarray:
    base = scene(rng)
    if kind == "sharpened captions":
        page = lettering(rng, int(rng.integers(1, 5)), rng.uniform(0.7, 1.6))
        ground = np.zeros_like(base) if rng.random() < 0.6 else np.clip(base, 0, 1) * 0.8
        return sharpened(ground * (1 - page) + page, rng.uniform(0.3, 1.2), rng.uniform(0.7, 2.0))
    if kind == "sharpened picture":
        return sharpened(np.clip(base, 0, 1), rng.uniform(0.3, 1.0), rng.uniform(0.7, 1.5))
    if kind == "super-white camera":
        return np.clip(base, 0, None) ** 0.9 * rng.uniform(1.02, 1.09)
    if kind == "bars below black":
        base = np.clip(base, 0, 1)
        base[: HEIGHT // 8] = base[-HEIGHT // 8 :] = -rng.uniform(0.03, 0.07)
        return base
    if kind == "noisy black":
        return np.clip(base, 0, 1) * rng.uniform(0.2, 0.6) + rng.normal(0, rng.uniform(0.003, 0.02), base.shape)
    if kind == "pluge":
        base = np.clip(base, 0, 1)
        base[:, : WIDTH // 10], base[:, WIDTH // 10 : WIDTH // 5] = -0.04, 0.04
        return base
    if kind == "coded":
        return coded(np.clip(base, 0, 1), int(rng.integers(25, 90)))
    if kind == "graded":
        return np.clip(base ** rng.uniform(0.8, 1.3) if base.min() > 0 else base * rng.uniform(1.0, 1.05) - 0.01, 0, 1)
    return np.clip(base * rng.uniform(0.5, 1.0) + rng.uniform(0, 0.2), 0, 1)


def _true_full(rng: np.random.Generator, kind: str) -> np.ndarray:
    base = np.clip(scene(rng), 0, 1)
    if kind == "does not span":
        return rng.uniform(0.0, 0.03) + base * rng.uniform(0.55, 0.9)
    if kind == "lifted":
        return rng.uniform(0.05, 0.15) + base * rng.uniform(0.5, 0.85)
    if kind == "coded":
        return np.clip(coded(base, int(rng.integers(40, 95))), 0, 1)
    if kind == "grain":
        return np.clip(base + rng.normal(0, rng.uniform(0.004, 0.02), base.shape), 0, 1)
    if kind == "letterbox":
        base[: HEIGHT // 8] = base[-HEIGHT // 8 :] = 0
        return base
    return base ** rng.uniform(0.8, 1.4)


NARROW_KINDS = (
    "sharpened captions", "sharpened picture", "super-white camera", "bars below black", "noisy black", "pluge", "coded",
    "graded", "plain",
)  # fmt: skip
FULL_KINDS = ("does not span", "lifted", "coded", "grain", "letterbox", "plain")


def level_cases(count: int, seed: int, shots_each: int = 3) -> Iterator[LevelCase]:
    """``count`` sources of each of the four: narrow or full, told so or as the other."""
    rng = np.random.default_rng(seed)
    for number in range(count):
        for full in (False, True):
            kinds = FULL_KINDS if full else NARROW_KINDS
            kind = kinds[number % len(kinds)]
            make = _true_full if full else _true_narrow
            shots = tuple(_stored(make(rng, kind), full=full) for _ in range(shots_each))
            for told in (False, True):
                yield LevelCase(kind, shots, full, told)


@dataclass(frozen=True)
class ClipCase:
    """A picture, (H, W, 3) R′G′B′, and what of it is clipped: luma's high or low end, red, green or blue; None: nothing."""

    kind: str
    rgb: np.ndarray
    clipped: str | None
    depth: int


def glow(rng: np.random.Generator, peak: float) -> np.ndarray:
    """(H, W) a sky or a window that grows brighter than the camera can hold, over a scene."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    cx, cy = rng.uniform(0.2, 0.8) * WIDTH, rng.uniform(0, 0.5) * HEIGHT
    wide, high = rng.uniform(0.25, 0.5) * WIDTH, rng.uniform(0.3, 0.6) * HEIGHT
    shape = np.exp(-(((x - cx) / wide) ** 2 + ((y - cy) / high) ** 2))
    return 0.15 + 0.35 * scene(rng) * (1 - shape) + (peak - 0.15) * shape


def _grey(luma: np.ndarray) -> np.ndarray:
    return np.repeat(luma[..., None], 3, axis=2)


def _clipped(rng: np.random.Generator, kind: str) -> tuple[np.ndarray, str]:
    level = rng.choice([1.09, 1.0, 1.0, 0.92, 0.8, 0.6])
    if kind == "sky":
        picture = np.minimum(glow(rng, rng.uniform(1.4, 2.2)), 1.05) * level / 1.05
    elif kind == "lamps":
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
        picture = 0.05 + 0.4 * scene(rng)
        for _ in range(rng.integers(3, 8)):
            cx, cy, size = rng.uniform(30, WIDTH - 30), rng.uniform(30, HEIGHT - 30), rng.uniform(10, 24)
            picture += rng.uniform(2.5, 5) * np.exp(-(((x - cx) ** 2 + (y - cy) ** 2) / size**2))
        picture = np.minimum(picture, 1.05) * level / 1.05
    elif kind == "blacks":
        floor = rng.uniform(0, 0.08)
        return _grey(np.maximum(scene(rng) * 0.8 - rng.uniform(0.15, 0.3), floor)), "low"
    else:  # one component alone
        picture = _grey(0.25 + 0.4 * scene(rng))
        number = {"red": 0, "green": 1, "blue": 2}[kind]
        picture[..., number] = np.minimum(glow(rng, rng.uniform(1.4, 2.0)), 1.0) * rng.choice([1.0, 0.9, 0.97])
        return picture, kind
    return _grey(picture), "high"


def _smooth_or_drawn(rng: np.random.Generator, kind: str) -> np.ndarray:
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] / np.array([HEIGHT, WIDTH])[:, None, None]
    slope = rng.uniform(-1, 1) * x + rng.uniform(-1, 1) * y
    slope = (slope - slope.min()) / np.ptp(slope)
    if kind == "faint gradient":
        return _grey(rng.uniform(0.1, 0.95) + rng.uniform(0.008, 0.03) * slope)
    if kind == "gradient":
        return _grey(rng.uniform(0.0, 0.3) + rng.uniform(0.1, 0.6) * slope)
    if kind == "rolled off":
        light = glow(rng, rng.uniform(1.5, 2.5))
        knee, limit = rng.uniform(0.6, 0.85), rng.choice([1.0, 1.03])
        over = np.maximum(light - knee, 0)
        return _grey(np.minimum(light, knee) + over / (1 + over / (limit - knee)))
    if kind == "title":
        ground, ink = rng.uniform(0.05, 0.4), rng.uniform(0.6, 1.0)
        page = lettering(rng, int(rng.integers(1, 4)), rng.uniform(0.8, 2))[..., None]
        return ground * np.array([1, 0.9, 1.2]) * (1 - page) + ink * page
    if kind == "lower third":
        picture = _grey(0.1 + 0.6 * scene(rng))
        top = int(0.7 * HEIGHT)
        picture[top : top + HEIGHT // 6, WIDTH // 12 : -WIDTH // 12] = rng.choice([0.03, 0.9, 0.95]) * np.array([1, 1, 1.02])
        page = np.zeros((HEIGHT, WIDTH), np.uint8)
        cv2.putText(page, "POTTERY FAIR", (WIDTH // 9, top + 40), cv2.FONT_HERSHEY_SIMPLEX, 1.1, 255, 3, cv2.LINE_AA)
        ink = page[..., None] / 255
        return picture * (1 - ink) + 0.5 * ink
    if kind == "captions":
        page = lettering(rng, int(rng.integers(1, 4)), rng.uniform(1.0, 2.0))
        return _grey(0.75 * scene(rng) * (1 - page) + page)
    if kind == "bars":
        bars = np.array([(1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0)]) * 0.75
        return np.repeat(bars[np.arange(WIDTH) * 8 // WIDTH][None], HEIGHT, axis=0)
    if kind == "card":
        card = (abs(x - 0.5) < rng.uniform(0.1, 0.3)) & (abs(y - 0.5) < rng.uniform(0.1, 0.3))
        return _grey(np.where(card, rng.uniform(0.8, 0.95), 0.2 + 0.2 * scene(rng)) + rng.normal(0, 0.006, x.shape))
    base = scene(rng)
    return _grey((base - base.min()) / np.ptp(base) * 0.85 + 0.05)


CLIPPED_KINDS = ("sky", "lamps", "blacks", "red", "sky", "green", "sky", "blue")
WHOLE_KINDS = (
    "faint gradient", "gradient", "rolled off", "title", "lower third", "captions", "bars", "card", "scene",
)  # fmt: skip


def clip_cases(count: int, seed: int) -> Iterator[ClipCase]:
    """``count`` clipped and ``count`` whole pictures, clean, under grain (σ 0.05 … 0.5 %), or through block coding."""
    rng = np.random.default_rng(seed)
    for number in range(count):
        for clipped in (True, False):
            kinds = CLIPPED_KINDS if clipped else WHOLE_KINDS
            kind = kinds[number % len(kinds)]
            rgb, what = _clipped(rng, kind) if clipped else (_smooth_or_drawn(rng, kind), None)
            way = ("clean", "grain", "coded")[(number // len(kinds)) % 3]
            if way == "grain":
                rgb = rgb + rng.normal(0, rng.uniform(0.0005, 0.005), (HEIGHT, WIDTH, 1))
            elif way == "coded":
                rgb = np.stack([coded(rgb[..., c], int(rng.integers(75, 95))) for c in range(3)], axis=-1)
            yield ClipCase(f"{kind}, {way}", rgb, what, 8 if number % 3 == 0 else 10)
