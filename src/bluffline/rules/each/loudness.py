"""Programme sound: its loudness and peaks [R128], silence, clipping and phase."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from math import ceil, floor, inf, isfinite
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.figures import figure
from bluffline.measure.sound import HOP, SHORT_TERM, SoundMeasure, decibels
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across, close_runs, filled, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, shot_at

_LAYOUTS = {1: "mono", 2: "stereo", 6: "5.1"}
_SECOND = round(1 / HOP)  # hops
_SILENT = -70.0  # LUFS: what programme loudness is told as where nothing is over it
_SIDES = "left", "right"


@dataclass(frozen=True, slots=True)
class SoundAsked:
    """What is asked of each programme sound.

    ``programmes``: the tracks that each is made of, by their numbers in the file; where none are named, each track that is
    stereo or 5.1 is one by itself. ``layouts``: what they have to be, in their order, any where there are none. ``loudness``:
    LUFS, ± ``tolerance`` LU; ``range`` in LU, ``short_term`` in LUFS and ``true_peak`` in dBTP at most. ``silence``: dBFS that
    sound may stay under for ``silence_seconds``; ``clipped``: samples at full scale in a row that are allowed; ``phase``: the
    least correlation of left and right, for ``phase_seconds``.
    """

    programmes: tuple[tuple[Annotated[int, Between(0, 1000)], ...], ...] = ()
    layouts: tuple[str, ...] = ()
    loudness: Annotated[float, Between(-70, 0, "LUFS")] = -23.0
    tolerance: Annotated[float, Between(0, 70, "LU")] = 0.5
    range: Annotated[float, Between(0, 100, "LU")] = inf
    short_term: Annotated[float, Between(-70, 10, "LUFS")] = inf
    true_peak: Annotated[float, Between(-60, 20, "dBTP")] = -1.0
    silence: Annotated[float, Between(-110, 0, "dBFS")] = -60.0
    silence_seconds: Annotated[float, Between(0.1, 86_400, "seconds")] = 3.0
    clipped: Annotated[int, Between(0, 100_000)] = 3
    phase: Annotated[float, Between(-1, 1)] = -0.5
    phase_seconds: Annotated[float, Between(0.1, 86_400, "seconds")] = 1.0
    severity: Severity = Severity.LOOK

    def __post_init__(self) -> None:
        if unknown := set(self.layouts) - set(_LAYOUTS.values()):
            raise ValueError(f"layouts must be of {', '.join(_LAYOUTS.values())}, not {', '.join(sorted(unknown))}")
        if any(len(tracks) not in _LAYOUTS or len(set(tracks)) < len(tracks) for tracks in self.programmes):
            raise ValueError("programmes must each name 1, 2 or 6 tracks")


class Loudness(Rule):
    """What is heard. A finding of sound is no part of the picture, and reaches over cuts."""

    titles = {
        "loudness": "Programme loudness",
        "loudness-range": "Loudness range",
        "short-term": "Short-term loudness",
        "true-peak": "True peak",
        "silence": "Silence",
        "sound-clipped": "Clipped sound",
        "phase": "Out of phase",
        "sound-layout": "Sound layout",
        "sound-unmeasured": "Sound that could not be measured",
    }
    words = "programme sound"
    place = 31
    section, key, named = SoundAsked, "sound", True
    aspect = Aspect.SOUND
    whole_frames = True
    tried = False

    def measured(self, rules: Rules) -> tuple[tuple[int, ...], ...] | None:
        asked = self.asked(rules)
        return None if asked is None else asked.programmes

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        if surveyed.sounds is None:
            return
        asked, sounds = self.asked(rules), surveyed.sounds
        telling = _Telling(asked, shots, surveyed.rate, rules.gap)
        found: list[Finding] = []
        if not sounds:
            words = "No programme sound: no track is stereo or 5.1, and the rules name none"
            found.append(telling.whole("sound-unmeasured", 0.0, "", words))
        layouts = tuple(_LAYOUTS.get(len(each.channels), f"{len(each.channels)} channels") for each in sounds)
        if asked.layouts and layouts != asked.layouts:
            words = f"Programme sound is {', '.join(layouts) or 'missing'}: {', '.join(asked.layouts)} is asked for"
            found.append(telling.whole("sound-layout", float(len(sounds)), "", words))
        for sound in sounds:
            found += telling.of(sound)
        for _, alike in groupby(sorted(found, key=_place), key=_place):  # of several sounds: waived together or not at all
            first, *others = alike
            yield replace(first, reason="; ".join([first.reason, *(each.reason for each in others)]))


@dataclass(frozen=True)
class _Telling:
    """Tells findings of sound, in the frames that they are heard with."""

    asked: SoundAsked
    shots: Sequence[Shot]
    rate: float
    gap: float

    def of(self, sound: SoundMeasure) -> Iterator[Finding]:
        asked, name = self.asked, _name(sound)
        if sound.trouble:
            yield self.whole("sound-unmeasured", sound.seconds, "s", f"{name} is not measured to its end: {sound.trouble}")
        if not len(sound.power):
            return
        loudness = max(sound.integrated, _SILENT)
        if abs(loudness - asked.loudness) > asked.tolerance + 1e-9:
            told = f"is {figure(loudness, '.1f')} LUFS" if loudness > _SILENT else "has nothing over −70 LUFS for 0.4 s"
            words = f"{name} {told}: {figure(asked.loudness, 'g')} ± {asked.tolerance:g} is asked for"
            yield self.whole("loudness", loudness, "LUFS", words)
        if sound.range > asked.range:
            words = f"{name} has a loudness range of {sound.range:.1f} LU: {asked.range:g} is allowed"
            yield self.whole("loudness-range", sound.range, "LU", words)
        if isfinite(asked.short_term):
            loud = np.concatenate([np.full(SHORT_TERM - 1, -inf), sound.loudness_over(SHORT_TERM)])[: len(sound.power)]
            yield from self._runs(sound, "short-term", loud > asked.short_term, loud, "LUFS", "reaches {:.1f} LUFS within 3 s")
        top = decibels(sound.true_peak.max(axis=1))
        yield from self._runs(sound, "true-peak", top > asked.true_peak, top, "dBTP", "peaks at {:.1f} dBTP")
        clipped = sound.clipped.max(axis=1)
        words = "is clipped: {:.0f} samples in a row at full scale"
        yield from self._runs(sound, "sound-clipped", clipped > asked.clipped, clipped, "samples", words)
        yield from self._silence(sound)
        if len(sound.channels) == len(_SIDES):
            yield from self._phase(sound)

    def _silence(self, sound: SoundMeasure) -> Iterator[Finding]:
        """Silence of all channels; of one of two; and where there is no sound yet, or no more."""
        asked, level = self.asked, decibels(np.sqrt(sound.power))
        quiet = level < asked.silence
        least = ceil(asked.silence_seconds / HOP - 1e-6)
        end = (self.shots[-1].last + 1) / self.rate
        after = 0.0 if sound.trouble else end - sound.begins - sound.seconds
        missing = max(round(sound.begins / HOP), 0), max(round(after / HOP), 0)
        whole = np.pad(quiet.all(axis=1), missing, constant_values=True)
        loudest = np.pad(level.max(axis=1), missing, constant_values=float(decibels(np.zeros(1))[0]))
        words = "is silent for {:.1f} s"
        yield from self._runs(sound, "silence", whole, -loudest, "dBFS", words, least, -1.0, ahead=missing[0])
        for side, of_it in zip(_SIDES, quiet.T, strict=False) if quiet.shape[1] == len(_SIDES) else ():
            words = f"has nothing in its {side} channel for {{:.1f}} s"
            alone = of_it & ~quiet.all(axis=1)
            yield from self._runs(sound, "silence", alone, -level.min(axis=1), "dBFS", words, least, -1.0)

    def _phase(self, sound: SoundMeasure) -> Iterator[Finding]:
        asked = self.asked
        both = sound.together, np.sqrt(sound.power.prod(axis=1))
        product, power = (np.convolve(each, np.ones(_SECOND), "same")[: len(each)] for each in both)
        heard = decibels(np.sqrt(sound.power)).min(axis=1) >= asked.silence
        alike = np.where(heard, product / np.maximum(power, 1e-20), 1.0)
        least = ceil(asked.phase_seconds / HOP - 1e-6)
        words = "has left against right: they correlate by {:.2f}"
        yield from self._runs(sound, "phase", alike < asked.phase, -alike, "", words, least, -1.0)

    def _runs(
        self, sound: SoundMeasure, rule: str, mask: NDArray[np.bool_], value: NDArray[Any], unit: str, words: str,
        least: int = 1, sign: float = 1.0, ahead: int = 0,
    ) -> Iterator[Finding]:  # fmt: skip
        """A finding for each run of hops that is long enough; those that lie close together are one.

        ``value``: of each hop, the greatest is the worst; told times ``sign``. ``ahead``: hops before the first of the sound.
        """
        kept = [run for run in runs_in(mask) if run[1] - run[0] + 1 >= least]
        for runs in close_runs(kept, self.gap / HOP):
            inside = np.concatenate([np.arange(first, last + 1) for first, last in runs])
            worst = int(inside[np.argmax(value[inside])])
            told = sign * float(value[worst])
            first, at = (self._frame(sound.begins + (hop - ahead) * HOP) for hop in (runs[0][0], worst))
            last = self._frame(sound.begins + (runs[-1][1] + 1 - ahead) * HOP, before=True)
            shown = len(inside) * HOP if rule == "silence" else told
            more = f" ({len(runs)} times)" if len(runs) > 1 else ""
            yield Finding(
                rule, self.asked.severity, shot_at(self.shots, at), first, max(first, last), at, round(told, 2), unit, 0.0,
                f"{_name(sound)} {filled(words, shown)}{more}", runs=len(runs),
                frames=max(round(len(inside) * HOP * self.rate), 1),
            )  # fmt: skip

    def whole(self, rule: str, value: float, unit: str, words: str) -> Finding:
        """A finding of the programme from end to end."""
        return across(rule, self.asked.severity, self.shots, words, value, unit)

    def _frame(self, seconds: float, *, before: bool = False) -> int:
        """The frame that is shown at a time, or just before it, within the programme."""
        frame = ceil(seconds * self.rate - 1e-6) - 1 if before else floor(seconds * self.rate + 1e-6)
        return min(max(frame, 0), self.shots[-1].last)


def _name(sound: SoundMeasure) -> str:
    numbers = [str(each) for each in sound.tracks]
    return f"Track {numbers[0]}" if len(numbers) == 1 else f"Tracks {', '.join(numbers[:-1])} and {numbers[-1]}"


def _place(finding: Finding) -> tuple[str, int, int]:
    return finding.place
