"""How much legalising harms: pictures pushed out of R 103, ramps, a caption, PQ; made legal as the product proposes it."""

import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from scipy.ndimage import gaussian_filter

from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.prove import propose_all
from bluffline.rules.rulefile import load_rules
from bluffline.signal.colorimetry import rgb_to_xyz, to_light
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from clips import make_clip, signal, to_planes
from colour import WEIGHTS, difference, least_difference, outside
from sets import picture

RULES = load_rules("r103")
LIMITS = RULES.limits
SAMPLINGS = "444", "422", "420"
_ROUNDED = 0.004  # R′G′B′ that rounding of 10-bit Y′CbCr may be off
_LOOKED_AT = 1000  # illegal pixels of a picture, at random
_STEP = 0.01
_TURNED = 0.0018  # a code and a half of 10 bits


def saturated(rgb, by):
    """R′G′B′ with chroma multiplied."""
    luma = (rgb @ WEIGHTS)[..., None]
    return luma + by * (rgb - luma)


PUSHES = {
    "hot": lambda rgb: rgb * 1.15,
    "vivid": lambda rgb: saturated(rgb, 1.5),
    "hard": lambda rgb: 0.45 + 1.3 * (rgb - 0.45),
    "deep": lambda rgb: saturated(rgb - 0.05, 1.3),
    "all": lambda rgb: saturated(0.45 + 1.15 * (rgb * 1.08 - 0.45), 1.25),
}


def shown(planes, source):
    """(H, W, 3) R′G′B′ of native planes, chroma between its sites by the nearest two."""
    levels = source.levels
    luma = (planes[0][: source.height, : source.width].astype(float) - levels.black) / levels.swing
    chroma = []
    for plane in planes[1:]:
        sites = (plane[: source.chroma_size[1], : source.chroma_size[0]].astype(float) - levels.zero) / levels.span
        if source.halved[1]:
            rows = np.clip((np.arange(source.height) - 0.5) / 2, 0, len(sites) - 1)
            first = np.minimum(rows.astype(int), len(sites) - 2)
            sites = sites[first] + (sites[first + 1] - sites[first]) * (rows - first)[:, None]
        if source.halved[0]:
            columns = np.clip(np.arange(source.width) / 2, 0, sites.shape[1] - 1)
            first = np.minimum(columns.astype(int), sites.shape[1] - 2)
            sites = sites[:, first] + (sites[:, first + 1] - sites[:, first]) * (columns - first)
        chroma.append(sites)
    kr, _, kb = WEIGHTS
    red, blue = luma + 2 * (1 - kr) * chroma[1], luma + 2 * (1 - kb) * chroma[0]
    return np.stack([red, (luma - kr * red - kb * blue) / WEIGHTS[1], blue], axis=-1)


def legalised(rgb, sampling):
    """A picture of 10 bits as it is shown, and as it is shown when it has been legalised; None where nothing is proposed."""
    with tempfile.TemporaryDirectory() as folder:
        path = make_clip(Path(folder) / "p.mkv", lambda _: rgb, 2, pixel_format=f"yuv{sampling}p10le", filtered=True)
        survey = run_survey(start_survey(probe(path), RULES), Monitor())
        shots = survey.shots()
        proposals = propose_all(survey, shots, survey.findings(shots))
        with Reader(survey.programme) as reader:
            planes = tuple(np.array(plane) for plane in reader.planes(0))
    if not proposals:
        return None
    made = FrameTreatment(proposals[0].treatment, survey.source).apply(planes)
    return shown(planes, survey.source), shown(made, survey.source)


def harm(before, after, rng):
    """The figures of one legalised picture."""
    illegal, moved = outside(before, LIMITS, _ROUNDED), difference(before, after)
    some = rng.permutation(np.flatnonzero(illegal.ravel()))[:_LOOKED_AT]
    least = least_difference(before.reshape(-1, 3)[some], LIMITS, rng).mean()
    luma, made = before @ WEIGHTS, after @ WEIGHTS
    rise, kept = np.diff(luma), np.diff(made)
    steps = illegal[:, 1:] & illegal[:, :-1] & (np.abs(rise) > _STEP)
    turned = steps & (kept * np.sign(rise) < -_TURNED)
    fine, kept_fine = (each - gaussian_filter(each, 2) for each in (luma, made))
    white = luma > 1.0
    texture = kept_fine[white].std() / fine[white].std() if white.mean() > 0.01 else np.nan
    return (
        moved.ravel()[some].mean() / max(least, 1e-6), 100 * (moved[~illegal] > 1).mean(),
        100 * turned.sum() / max(steps.sum(), 1), texture, 100 * outside(after, LIMITS, _ROUNDED).mean(),
    )  # fmt: skip


def pushed(names):
    """Print how pictures fare that are pushed out of the limits, by sampling."""
    for sampling in SAMPLINGS:
        rng = np.random.default_rng(1)
        pairs = (legalised(push(picture(name)), sampling) for name in names for push in PUSHES.values())
        found = np.array([harm(*pair, rng) for pair in pairs if pair is not None])
        ratio, legal, turned, texture, left = found.T
        texture = texture[np.isfinite(texture)]
        kept = f"{np.median(texture):.2f} (a tenth under {np.percentile(texture, 10):.2f})" if len(texture) else "nothing is"
        print(
            f"  4:{sampling[1]}:{sampling[2]}, {len(found)} pictures: harm over the least {np.median(ratio):.2f} "
            f"(worst {ratio.max():.2f}); legal moved by more than 1: {np.median(legal):.2f} % (worst {legal.max():.1f}); "
            f"steps turned {np.median(turned):.2f} % (worst {turned.max():.1f}); texture over white {kept}; "
            f"outside, as the rules tolerate, {left.max():.2f} % at most"
        )


def ramps():
    """Ramps of constant chroma through the ceiling, and through the floor: how many fall where the source rises by 1 %."""
    source = signal(1024, 4, 10, "422")
    for name, ends, steps in (
        ("ceiling", (0.4, 1.12), (SoftCeiling.towards(109, 103), ChromaRein(*LIMITS.rgb))),
        ("floor", (-0.07, 0.6), (SoftFloor.towards(-7, -1), ChromaRein(*LIMITS.rgb))),
    ):
        luma, falls, worst = np.linspace(*ends, 1024), 0, 0
        rise = int(np.ceil(_STEP * 1024 / (ends[1] - ends[0])))
        for hue in np.linspace(0, 2 * np.pi, 72, endpoint=False):
            for size in np.linspace(0.05, 0.35, 7):
                cb, cr = size * np.cos(hue), size * np.sin(hue)
                kr, kg, kb = WEIGHTS
                red, blue = luma + 2 * (1 - kr) * cr, luma + 2 * (1 - kb) * cb
                row = np.stack([red, (luma - kr * red - kb * blue) / kg, blue], axis=-1)
                planes = to_planes(np.broadcast_to(row, (4, 1024, 3)), source)
                made = FrameTreatment(steps, source).apply(planes)[0][1].astype(int)
                fall = (made[:-rise] - made[rise:]).max()
                falls, worst = falls + (fall > 1), max(worst, fall)
        print(f"  504 ramps through the {name}: luma falls by over a code where it rose by 1 % in {falls}, at most {worst}")


def caption():
    """A caption at 100 % with overshoots of a pixel to 107 %, in 8 bits: its white, 235 before."""
    rgb = np.full((192, 320, 3), 0.35)
    for column in range(20, 300, 20):
        rgb[60:140, column : column + 10] = 1.0
        rgb[60:140, [column, column + 9]] = 1.07
    _, after = legalised(rgb, "422")
    print(f"  caption at 100 % beside overshoots to 107 %: white 235 → {16 + 219 * np.median(after[80:120, 24:27]):.0f}")


def pq(names):
    """Bright pictures in PQ and BT.2020 with chroma raised: what the light and the hue of pixels over the limit become."""
    to_xyz, kept, turned = rgb_to_xyz("bt2020")[1], [], []
    for name in names:
        source = replace(signal(*picture(name).shape[1::-1], 10, "444"), transfer="pq", primaries="bt2020")
        steps = SoftCeiling.towards(109, LIMITS.luma[1]), ChromaRein(*LIMITS.rgb)
        planes = to_planes(saturated(0.3 + 0.75 * picture(name), 1.5), source)
        before, after = (shown(each, source) for each in (planes, FrameTreatment(steps, source).apply(planes)))
        over = before.max(axis=-1) > LIMITS.rgb[1] / 100 + _ROUNDED
        one, other = (to_light(np.clip(each[over], 0, 1), "pq") for each in (before, after))
        kept.append(other @ to_xyz / np.maximum(one @ to_xyz, 1e-6))
        hues, chroma = zip(*(_hue(light) for light in (one, other)), strict=True)
        turn = np.abs((hues[0] - hues[1] + 180) % 360 - 180)
        turned.append(turn[np.minimum(*chroma) > 0.02])
    kept, turned = np.concatenate(kept), np.concatenate(turned)
    print(
        f"  PQ, pixels over the limit: display luminance × {np.median(kept):.2f} "
        f"(a twentieth under {np.percentile(kept, 5):.2f}); hue in ICtCp turned by {np.median(turned):.1f}° "
        f"(a twentieth by more than {np.percentile(turned, 95):.1f}°)"
    )


def _hue(light):
    """Hue in degrees, and chroma, in ICtCp of BT.2020 light of which 1 is 203 cd/m² [BT2100]."""
    lms = light @ np.array([(1688, 683, 99), (2146, 2951, 309), (262, 462, 3688)]) / 4096
    power = (np.maximum(lms, 0) * 203 / 10000) ** 0.1593017578125
    coded = ((0.8359375 + 18.8515625 * power) / (1 + 18.6875 * power)) ** 78.84375
    ct, cp = coded @ (np.array([6610, -13613, 7003]) / 4096), coded @ (np.array([17933, -17390, -543]) / 4096)
    return np.degrees(np.arctan2(cp, ct)), np.hypot(ct, cp)
