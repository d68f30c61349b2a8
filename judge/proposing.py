"""What proposals are worth: on pictures that need nothing, and on those that were pushed off what they were."""

from itertools import product

import numpy as np

from bluffline.propose.lights import offered_lights
from bluffline.propose.matching import bring
from bluffline.propose.neutral import light_of
from bluffline.propose.pixels import Pixels
from bluffline.propose.proposals import BEARABLE, What, steps_of, suggest
from bluffline.rules.aims import shipped_aims
from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.treat.encodings import ENTRIES, GREATEST, LEAST, encoding, encodings, to_primaries
from bluffline.treat.ladder import apply_to_colours
from clips import signal
from colour import WEIGHTS, difference
from legalising import saturated
from sets import picture

SOURCE, AIMS = signal(320, 240), shipped_aims()
_WORSE, _SAME = 1.0, 0.1  # ΔE


def exposed(rgb, stops, gains=(1, 1, 1)):
    """A picture in so many stops more light, or under light of another colour."""
    return camera_signal(camera_light(rgb, "bt709") * np.array(gains) * 2.0**stops, "bt709")


def _lit(red, green, blue):
    gains = np.array([red, green, blue]) / (np.array([red, green, blue]) @ WEIGHTS)
    return lambda rgb: exposed(rgb, 0, gains)


PUSHES = {
    "a stop under": lambda rgb: exposed(rgb, -1), "a stop over": lambda rgb: exposed(rgb, 1),
    "half a stop over": lambda rgb: exposed(rgb, 0.5),
    "flat": lambda rgb: 0.41 + 0.6 * (rgb - 0.41), "hard": lambda rgb: 0.41 + 1.4 * (rgb - 0.41),
    "blacks lifted": lambda rgb: 0.12 + 0.88 * rgb, "blacks crushed": lambda rgb: -0.08 + 1.08 * rgb,
    "pale": lambda rgb: saturated(rgb, 0.5), "vivid": lambda rgb: saturated(rgb, 1.6),
}  # fmt: skip
CASTS = {
    "warm": _lit(1.3, 1, 0.8), "warmer": _lit(1.6, 1, 0.5), "cold": _lit(0.75, 1, 1.3), "colder": _lit(0.6, 1, 1.7),
    "green": _lit(0.86, 1.06, 0.84), "greener": _lit(0.75, 1.1, 0.75), "magenta": _lit(1.1, 0.85, 1.1),
    "yellow": _lit(1.1, 1.05, 0.7), "blue": _lit(0.95, 0.95, 1.4),
}  # fmt: skip


def seen(rgb):
    """A picture as a file keeps it, with its ends, and as proposals look at it."""
    codes = np.clip(np.rint(64 + 876 * rgb), 4, 1019)
    kept = (codes - 64) / 876
    return kept, Pixels(SOURCE, kept[None], ~((codes <= 4) | (codes >= 1019)).any(axis=-1)[None])


def proposed(rgb, what=BEARABLE):
    """What a picture becomes by what is proposed for it, and the steps."""
    kept, pixels = seen(rgb)
    steps = steps_of(suggest(pixels, what, AIMS, bearable=what is BEARABLE))
    return np.asarray(apply_to_colours(steps, kept, SOURCE)), steps


def _apart(one, other):
    return float(difference(np.clip(one, 0, 1.09), np.clip(other, 0, 1.09)).mean())


def untouched(names):
    """Pictures that need nothing: doing nothing is right."""
    moved = {name: _apart(proposed(picture(name))[0], picture(name)) for name in names}
    worse = [f"{name} {by:.1f}" for name, by in moved.items() if by > _WORSE]
    print(
        f"  nothing wrong, {len(names)} pictures: moved by {np.median(list(moved.values())):.2f} in the median, "
        f"by more than 1: {len(worse)} ({', '.join(worse) or 'none'})"
    )


def pushed(names):
    """Pictures pushed off what they were: whether they come nearer it."""
    for push, make in (PUSHES | CASTS).items():
        given = [make(picture(name)) for name in names]
        before = np.array([_apart(seen(rgb)[0], picture(name)) for rgb, name in zip(given, names, strict=True)])
        after = np.array([_apart(proposed(rgb)[0], picture(name)) for rgb, name in zip(given, names, strict=True)])
        better, worse = np.mean(after < before - _SAME), np.sum(after > before + _WORSE)
        print(
            f"  {push}: better in {better * 100:.0f} %, worse by more than 1 in {worse} of {len(names)}; "
            f"{np.median(before):.1f} → {np.median(after):.1f} in the median"
        )


def log(names):
    """What is taken for camera log: true log, and lifted blacks of pictures, full of colour or pale."""
    told, taken = [], []

    def opened(rgb):
        return bool(proposed(rgb, [What.LOG])[1])

    cameras = [encoding(name) for name in encodings() if "proxy" not in name]  # that is for transport
    for name in names:
        light = camera_light(picture(name), "bt709")
        for camera in cameras:
            scene = light @ np.linalg.inv(to_primaries(camera.matrix, "bt709")).T
            told.append(opened(np.interp(scene, camera.table, np.linspace(LEAST, GREATEST, ENTRIES))))
        taken += [
            opened(lift + (white - lift) * saturated(picture(name), chroma))
            for lift, white, chroma in product((0.05, 0.09, 0.12, 0.16), (0.7, 0.85, 0.98), (1.0, 0.5))
        ]
    print(
        f"  camera log told: {np.mean(told) * 100:.0f} % of {len(told)}; "
        f"lifted blacks taken for it: {sum(taken)} of {len(taken)}"
    )


def lights(names):
    """Balance under casts: how often it is sure and right then, and how near the best of the lights comes that are offered."""
    sure, best = [], []
    for name, make in product(names, CASTS.values()):
        pixels = seen(make(picture(name)))[1]
        wanted = 1 / camera_light(make(np.full((1, 1, 3), 0.5)), "bt709")[0, 0]
        found = light_of(pixels)
        if found.sure:
            sure.append(_degrees(found.gains, wanted))
        offered = [_degrees(offer.step.gains, wanted) for offer in offered_lights(pixels, AIMS)]
        best.append(min(offered, default=180.0))
    print(
        f"  balance of {len(best)} casts: sure {len(sure)}, of these within 3°: {sum(each <= 3 for each in sure)}; "
        f"best of the offered within 3°: {np.mean(np.array(best) <= 3) * 100:.0f} %, {np.median(best):.1f}° in the median"
    )


def matched(names):
    """A part of a picture brought to another part of it, with a cast and without: only what both show may count."""
    plain, cast = [], []
    for name, (first, last) in product(names, ((1 / 2, 1 / 2), (2 / 3, 1 / 3), (7 / 8, 1 / 8), (1, 0))):
        rgb = picture(name)
        width = rgb.shape[1]
        mine, theirs = rgb[:, : round(width * first)], rgb[:, round(width * last) :]
        for make, into in ((None, plain), (CASTS["warm"], cast), (CASTS["green"], cast), (PUSHES["a stop under"], cast)):
            kept, pixels = seen(mine if make is None else make(mine))
            match = bring(pixels, seen(theirs)[1])
            made = np.asarray(apply_to_colours(match.treatment, kept, SOURCE))
            into.append((_apart(kept, mine), _apart(made, mine)))
    (was, now), (before, after) = (np.array(each).T for each in (plain, cast))
    print(
        f"  brought to another part, nothing wrong: worse by more than 1 in {(now > was + _WORSE).sum()} of {len(was)}; with a "
        f"cast: better in {np.mean(after < before - _SAME) * 100:.0f} % of {len(before)}, worse by more than 1 in "
        f"{(after > before + _WORSE).sum()}, {np.median(before):.1f} → {np.median(after):.1f} in the median"
    )


def _degrees(one, other):
    """Between two lights."""
    one, other = np.array(one) / np.linalg.norm(one), np.array(other) / np.linalg.norm(other)
    return np.degrees(np.arccos(np.clip(one @ other, -1, 1)))
