"""Whether the levels of shots, and of the source that they are of, contradict its range tag: by evidence, with a confidence."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bluffline.measure.table import SurveyTable
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Range

UNTOLD = 0.35  # confidence below which nothing is said
LIKELY = 0.5  # confidence from which a shot's levels are told of
SURE = 0.7  # confidence from which the levels of a source are called wrong, and not of a shot alone
_PICTURE = 0.0008  # share of the picture beyond black, beside no edge, that begins to speak for full range
_RUNS_ON = 0.04  # of what lies about black, the share beyond it where a picture runs on across it
_PILED = 3.0  # how much fuller than its surroundings a pile-up at black or white is
_CLEAR = 0.0005  # share of the picture that may lie beyond, beside no edge, in a source that keeps to narrow range
_TOUCHED = 0.001  # share of the picture right within black or white that shows where it stops
_STOPS = 0.1  # of that, the share that may lie as far beyond
_BOTH = 0.9  # confidence that a picture which piles up at both is narrow
_SHOWN = 0.5  # of the shots that speak, the share that have to pile up at one of both
_MET = 0.0004  # share of the picture that has to stand at an end of full range
_PASSED = 0.02  # of that, the share that may lie beyond
_HALF = 0.4  # confidence of what shows where its black stops and not its white: nothing is offered by it
_FAR = 0.01  # share of the picture beyond either end that is told of, whether it was graded so or is full range
_SPEAKING = 0.25  # share of a source's frames that have to speak
_EVIDENCE = ("under", "over", "shade", "dark", "black", "white", "foot", "head", "below", "above")
_ENDS = ("black_met", "black_passed", "white_met", "white_passed")


@dataclass(frozen=True, slots=True)
class ShotLevels:
    """What the levels of a shot speak for, if for anything, how surely (0 … 1), and why.

    ``white``: whether it shows where its white stops. ``piles``: how many times fuller codes at narrow black and at narrow
    white are than those within.
    """

    speaks_for: Range | None
    confidence: float
    reason: str
    piles: tuple[float, float] = (0.0, 0.0)
    white: bool = False


def shot_levels(table: SurveyTable, shot: Shot) -> ShotLevels:
    """The evidence of one shot, from those of its frames that were looked at for it."""
    span = slice(shot.first, shot.last + 1)
    readable = table.column("readable")[span] & (table.column("level_dark")[span] >= 0)
    if not readable.any():
        return ShotLevels(None, 0.0, "")
    found = {name: table.column(f"level_{name}")[span][readable].astype(np.float64) for name in (*_EVIDENCE, *_ENDS)}
    mean = {name: float(values.mean()) for name, values in found.items()}
    piles = float(np.median(found["black"])), float(np.median(found["white"]))
    piled = {end: pile >= _PILED for end, pile in zip(("black", "white"), piles, strict=True)}
    runs_on = mean["shade"] / max(mean["shade"] + mean["dark"], 1e-9)
    strength = min(mean["under"] / _PICTURE, mean["shade"] / _PICTURE, runs_on / _RUNS_ON)
    stops_at_black, stops_at_white = (
        mean[f"{end}_met"] > _MET and mean[f"{end}_passed"] < _PASSED * mean[f"{end}_met"] for end in ("black", "white")
    )
    passed = max(mean["black_passed"], mean["white_passed"]) >= _PASSED * _MET
    if not piled["black"] and stops_at_black and (stops_at_white or (strength > 1 and not passed)):
        beyond = f"picture runs on beyond narrow black on {100 * mean['shade']:.1f} % of it, and " if mean["shade"] else ""
        words = f"{beyond}colours stop at full black{' and white' if stops_at_white else ''}"
        return ShotLevels(Range.FULL, _BOTH if stops_at_white else _HALF, words, white=stops_at_white)
    if strength > 1 and not piled["black"] and mean["under"] > _FAR and mean["over"] > _FAR:
        shares = f"{100 * mean['under']:.1f} and {100 * mean['over']:.1f} %"
        words = f"picture runs on beyond narrow black and white on {shares} of it"
        return ShotLevels(Range.FULL, _HALF, words)
    if mean["under"] >= _CLEAR:
        return ShotLevels(None, 0.0, "")
    ends = [("black", "foot", "below"), ("white", "head", "above")] if mean["over"] < _CLEAR else [("black", "foot", "below")]
    stops = {end for end, within, beyond in ends if mean[within] > _TOUCHED and mean[beyond] < _STOPS * mean[within]}
    at = stops | {end for end, _, _ in ends if piled[end]}
    if not at:
        return ShotLevels(None, 0.0, "")
    words = f"it ends at the codes of narrow {' and '.join(sorted(at))}"
    return ShotLevels(Range.NARROW, _BOTH if all(piled[end] for end in ("black", "white")) else 0.3 * len(at), words, piles)


def source_levels(shots: Sequence[ShotLevels], lengths: Sequence[int]) -> ShotLevels:
    """What all shots of a source speak for: for nothing where two of them contradict each other."""
    speaking = [(shot, length) for shot, length in zip(shots, lengths, strict=True) if shot.speaks_for is not None]
    kinds = {shot.speaks_for for shot, _ in speaking}
    if len(kinds) != 1:
        return ShotLevels(None, 0.0, "its shots speak for different ranges" if kinds else "")
    kind = kinds.pop()
    heard = sum(length for _, length in speaking) / sum(lengths)
    confidence = float(np.average([shot.confidence for shot, _ in speaking], weights=[length for _, length in speaking]))
    if kind is Range.FULL:  # what is known of one shot's white is known of the source
        seen = [shot.confidence for shot, _ in speaking if shot.white]
        confidence = float(np.mean(seen)) if seen else min(confidence, _HALF)
    if kind is Range.NARROW:  # by chance a picture stops at one of them, or piles up at one
        piles = np.array([shot.piles for shot, _ in speaking])
        piled, usual = (piles >= _PILED).sum(axis=0), piles.mean(axis=0) >= _PILED / 2
        shown = usual.all() and piled.min() >= 1 and piled.max() >= _SHOWN * len(piles)
        confidence = _BOTH if shown else min(confidence, 0.6)
    if heard < _SPEAKING:
        confidence = min(confidence, 0.5)
    return ShotLevels(kind, confidence, max(speaking, key=lambda each: each[0].confidence)[0].reason)


def mistagged(levels: ShotLevels, source: SignalFormat) -> bool:
    """Whether a source is surely of the other range than it is read as."""
    return levels.speaks_for not in (None, source.range) and levels.confidence >= SURE
