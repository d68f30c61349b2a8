"""How well black, freezes, flashes and faults of sound are found: in moving programmes of every rate and scan, and in none."""

from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial

import numpy as np

from bluffline.measure.flashes import FlashHistory, FlashLimits, lights
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.sound import CHANNELS, SoundMeter
from bluffline.measure.table import SurveyTable
from bluffline.rules.catalogue import RULES
from bluffline.rules.evidence import Surveyed
from bluffline.rules.judging import judge
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.shots import Shot, TransitionSearch, find_shots
from clips import signal, to_planes
from joined import HEIGHT, WIDTH, programme

_CORES = 2
_PICTURES, _SOUNDS = 100, 120
_RATES = 24, 25, 30_000 / 1001, 50, 60_000 / 1001
_KINDS = (
    "none", "flash", "red-flash", "black", "frozen", "repeat", "film broken",
    "on twos", "film", "slow flash", "small flash", "weak flash", "short black", "light",
)  # fmt: skip
_NONE = "none", "on twos", "film", "slow flash", "small flash", "weak flash", "short black", "light"
_LIMITS = FlashLimits(25.0, 3, 200.0)
_SECONDS, _RATE = 24, 48_000
_HEARD = "none", "none", "silence", "one side", "sound-clipped", "phase", "true-peak", "loudness", "short silence", "wide"
_UNHEARD = "none", "short silence", "wide"
_RULE = {"one side": "silence", "film broken": "cadence"}
_MOVES = "true-peak", "silence", "one side", "wide"  # what loudness moves by
_ALSO = {kind: {"loudness"} for kind in _MOVES} | {"sound-clipped": {"true-peak", "loudness"}, "red-flash": {"flash"}}
_TOLD = "black", "frozen", "flash", "red-flash", "repeat", "cadence"
_SOUND_RULES = [rule for rule in RULES if rule.key == "sound"]


def _moving(frames):
    """(N,) which frames lie in motion of one speed, from five before to five after, in their shot."""
    step = np.abs(np.diff(frames[:, ::2, ::2], axis=0)).mean((1, 2, 3)) * 100
    near = np.lib.stride_tricks.sliding_window_view(step, 10)
    return 5 + np.flatnonzero((near.min(1) > 2) & (np.ptp(near, axis=1) < 0.3 * near.mean(1)))


def _halting(rng, frames, kind):
    """Pictures that halt or jump where they move, and there; as they were where none of them moves."""
    if not len(moving := _moving(frames)):
        return frames, range(0)
    at = int(rng.choice(moving))
    if kind.startswith("film"):
        order = np.arange(len(frames) * 5 // 4) * 4 // 5
        made, place = frames[order], int(np.flatnonzero(order == at)[0])
        return (np.delete(made, place, axis=0), range(place - 1, place + 8)) if kind == "film broken" else (made, range(0))
    if kind == "light":  # comes on in one frame
        made = frames.copy()
        made[at:] = np.clip(made[at:] * rng.uniform(1.15, 1.6), 0, 1.05)
        return made, range(0)
    if kind == "on twos":
        return frames[np.arange(len(frames)) // 2 * 2], range(0)
    count = int(rng.integers(1, 3))
    return np.concatenate([frames[:at], *[frames[at - 1 : at]] * count, frames[at:]]), range(at, at + count)


def _wrong(rng, frames, kind, rate):
    """Pictures with what is wrong with them in a run of 1.5 seconds or more, and that run."""
    if kind in ("repeat", "film", "film broken", "on twos", "light"):
        return _halting(rng, frames, kind)
    length = min(round(rate * rng.uniform(1.5, 2.5)), len(frames) - 2)
    if kind == "short black":
        length = round(rate * rng.uniform(0.1, 0.35))
    first = int(rng.integers(1, len(frames) - length))
    if kind == "frozen" and np.abs(frames[first] - frames[first - 1]).mean() > 0.1:
        first += 1  # what stands from a cut to a cut is a still
    run, made = range(first, first + length), frames.copy()
    frequency = rng.uniform(1.0, 2.6) if kind == "slow flash" else rng.uniform(3.6, rate / 2.2)
    share = rng.uniform(0.08, 0.2) if kind == "small flash" else rng.uniform(0.4, 1.0)
    high, wide = round(HEIGHT * share**0.5), round(WIDTH * share**0.5)
    top, left = int(rng.integers(HEIGHT - high + 1)), int(rng.integers(WIDTH - wide + 1))
    part = np.s_[top : top + high, left : left + wide]
    amount = rng.uniform(4, 14) if kind == "weak flash" else rng.uniform(40, 150)  # cd/m²
    for number in run:
        if kind in ("black", "short black"):
            made[number] = rng.uniform(0, 0.01)
        elif kind == "frozen":
            made[number] = frames[first]
        elif kind != "none":
            lit = ((number - first) * frequency / rate) % 1 < 0.5
            under = made[number][part] * 0.3  # dark enough for all of a flash to be seen
            if kind == "red-flash":
                made[number][part] = under * 0.2 + (np.array([0.75, 0, 0]) if lit else 0)
            elif lit:
                made[number][part] = (np.maximum(under, 0) ** 2.4 + amount / 200) ** (1 / 2.4)
            else:
                made[number][part] = under
    return made, run


def _pictures(names, number):
    """Counts of one programme: of what there is, of what was found of it, and of what was found and is not there."""
    rng = np.random.default_rng([len(names), 77, number])
    rate, kind, woven = _RATES[number % len(_RATES)], _KINDS[number % len(_KINDS)], number % 3 == 0
    frames, _ = programme(rng, names, joins=4, cut=True)
    made, run = _wrong(rng, np.asarray(frames), kind, rate)
    if kind not in _NONE and not run:
        kind = "none"
    source, rules = signal(WIDTH, HEIGHT), load_rules("r103")
    if woven and rate < 40 and kind not in ("repeat", "film", "film broken"):  # of two pictures a frame; half as long
        source, rate = replace(source, interlaced=True), rate / 2
        made = [_woven(one, other) for one, other in zip(made[::2], made[1::2], strict=False)]
        run = range(run.start // 2, run.stop // 2)
    table, search = SurveyTable(len(made), 0, [source], FlashHistory(_LIMITS, rate, source)), TransitionSearch()
    for rgb in made:
        planes = to_planes(rgb, source)
        measure = measure_frame(planes, source, Region.whole(source), rules.limits)
        table.append(replace(measure, lights=lights(planes, source, _LIMITS.white)), source)
    search.grow(table, complete=True)
    surveyed = Surveyed(Region.whole(source), rate, complete=True, source=source)
    found = judge(table, find_shots(table, search.found), source, rules, surveyed)
    told = [each for each in found if each.rule in _TOLD and each.severity != "note"]
    return _counted(kind, _NONE, [(each.rule, each.first_frame, each.last_frame) for each in told], run)


def _woven(one, other):
    frame = one.copy()
    frame[1::2] = other[1::2]
    return frame


def _counted(kind, nothing, told, run):
    rule, counts = _RULE.get(kind, kind), Counter()
    counts[f"{kind} made"] += 1
    hits = [each for each in told if each[0] == rule and each[1] <= run.stop and each[2] >= run.start]
    counts[f"{kind} found"] += bool(hits) and kind not in nothing
    also = _ALSO.get(kind, set())  # a burst lifts loudness as well, and half of a sound gone lowers it
    counts["false"] += sum(each not in hits and each[0] not in also for each in told)
    counts["runs"] += len(told)
    return counts


def _heard(number):
    """The same of one sound."""
    rng = np.random.default_rng([99, number])
    kind = _HEARD[number % len(_HEARD)]
    count = _SECONDS * _RATE
    time = np.arange(count) / _RATE
    noise = np.cumsum(rng.normal(0, 1, (count, 2)) * 0.02, axis=0)
    noise -= np.stack([np.convolve(each, np.ones(2400) / 2400, "same") for each in noise.T], 1)
    voice = np.sin(2 * np.pi * rng.uniform(90, 400) * time) * (0.55 + 0.45 * np.sin(2 * np.pi * rng.uniform(0.2, 1.5) * time))
    both = noise * rng.uniform(0.1, 1) + voice[:, None] * rng.uniform(0.3, 1)
    both[:, 1] = both[:, 1] * 0.9 + 0.1 * rng.normal(0, 0.1, count)
    asked = rng.uniform(-23.4, -22.6) if kind != "loudness" else -23 + rng.choice([-1, 1]) * rng.uniform(0.7, 9)
    for _ in range(3):  # no peak of it comes near full scale, which would be a fault of its own
        both *= 10 ** ((asked - _metered(both).integrated) / 20)
        both = 0.6 * np.tanh(both / 0.6)
    both *= 10 ** ((asked - _metered(both).integrated) / 20)
    length = int(_RATE * (rng.uniform(0.3, 2.5) if kind == "short silence" else rng.uniform(3.5, 8)))
    first = int(rng.integers(_RATE, count - length - _RATE))
    part = slice(first, first + length)
    if kind in ("silence", "short silence"):
        both[part] *= 1e-4
    elif kind == "one side":
        both[part, int(rng.integers(2))] = 0
    elif kind == "sound-clipped":
        both[first : first + 4800] = np.clip(both[first : first + 4800] * 60, -1, 1)
    elif kind == "true-peak":
        both[first : first + 4800] *= 0.98 / np.abs(both[first : first + 4800]).max()
    elif kind == "phase":
        both[part, 1] = -both[part, 0]
    elif kind == "wide":  # left and right have nothing in common, which is no fault
        both[part, 1] = np.abs(both[part]).mean() * rng.normal(0, 1.2, length)
    run = range(_SECONDS * 25) if kind == "loudness" else range(first * 25 // _RATE, (first + length) * 25 // _RATE + 1)
    rules = parse_rules(load_rules("delivery").text, "delivery")
    surveyed = Surveyed(Region.whole(signal()), 25.0, complete=True, source=signal(), sounds=[_metered(both)])
    shots = [Shot(0, _SECONDS * 25 - 1)]
    table = SurveyTable(1, 0, [signal()])
    found = [each for rule in _SOUND_RULES for each in rule.judge_file(table, surveyed, shots, rules)]
    return _counted(kind, _UNHEARD, [(each.rule, each.first_frame, each.last_frame) for each in found], run)


def _metered(samples):
    meter = SoundMeter((1,), CHANNELS[2], _RATE, 0.0)
    meter.add(samples.astype(np.float32))
    return meter.end()


def timed(names):
    """What is found in programmes of some pictures, and in sounds."""
    with ProcessPoolExecutor(_CORES) as pool:
        pictures = sum(pool.map(partial(_pictures, names), range(_PICTURES)), Counter())
        sounds = sum(pool.map(_heard, range(_SOUNDS)), Counter())
    for title, counts, nothing in (("pictures", pictures, _NONE), ("sounds", sounds, _UNHEARD)):
        made = sum(counts[f"{kind} made"] for kind in {*_KINDS, *_HEARD} if kind not in nothing)
        found = sum(counts[f"{kind} found"] for kind in {*_KINDS, *_HEARD} if kind not in nothing)
        kinds = [name.removesuffix(" made") for name in counts if name.endswith(" made")]
        told = ", ".join(f"{kind} {counts[f'{kind} found']} of {counts[f'{kind} made']}" for kind in kinds)
        print(f"  {title}: recall {found / made:.3f}, precision {1 - counts['false'] / max(counts['runs'], 1):.3f} ({told})")
