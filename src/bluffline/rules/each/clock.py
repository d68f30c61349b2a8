"""Timecode that breaks, that counts otherwise than is asked for, or that is told in two ways."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np

from bluffline.declared import OneOf
from bluffline.measure.table import SurveyTable
from bluffline.media.timecode import Timecode
from bluffline.rules.evidence import Surveyed, across
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

_DROP, _WHOLE = "drop-frame", "non-drop-frame"
_IN_NAMES = re.compile(r"(?<!\d)(\d\d)([-_.]?)(\d\d)\2(\d\d)\2(\d\d)(?!\d)")
_SOME = 3  # breaks that are told one by one


@dataclass(frozen=True, slots=True)
class TimecodeAsked:
    """What is asked of timecode beside going on.

    ``counting``: drop-frame or not, where the rate has both, any where empty; ``name``: whether the file's name has to hold its
    start. That timecode goes on from frame to frame is asked for in any case, wherever it is told more than once.
    """

    counting: Annotated[str, OneOf(("", _DROP, _WHOLE))] = ""
    name: bool = False
    severity: Severity = Severity.MUST_FIX


@dataclass(frozen=True, slots=True)
class _Told:
    """Timecode that is told here and there: at some frames, as numbers of frames from midnight."""

    where: str
    frames: Sequence[int]
    counts: Sequence[int]
    each: bool = False  # whether by frames, and not by where it begins anew


class Clock(Rule):
    """Timecode of tracks and of the frames themselves, held against itself."""

    titles = {"timecode": "Timecode"}
    words = "timecode"
    place = 36
    section, key, named = TimecodeAsked, "timecode", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False
    rides, beside = "S12M_TIMECODE", "timecode"
    colon_told = True

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        asked, timecode = self.asked(rules), surveyed.timecode
        start = timecode.label(0) if timecode.told else ""
        both = timecode.base % 30 == 0 and surveyed.rate < timecode.base
        if asked.counting and (not start or (both and timecode.drop is not (asked.counting == _DROP))):
            counted = (_DROP if timecode.drop else _WHOLE) if start else "not there"
            yield across("timecode", asked.severity, shots, f"Timecode is {counted}: {asked.counting} is asked for")
        if asked.name and (words := _unlike(surveyed, start)):
            yield across("timecode", asked.severity, shots, words, last=0)
        for told in _all_told(table, surveyed):
            if timecode.told and told.counts[0] - told.frames[0] != timecode.start:
                other = _label(timecode, told.counts[0])
                words = f"{told.where} says {other}: the file says {timecode.label(told.frames[0])}"
                yield across("timecode", asked.severity, shots, words, last=0)
            yield from self._breaks(told, timecode, shots, asked.severity)
            if surveyed.complete and shots[-1].last - told.frames[-1] > max(np.diff(told.frames)) and told.each:
                words = f"{told.where} is told no more from here on"
                yield across("timecode", asked.severity, shots, words, first=told.frames[-1] + 1)

    def _breaks(self, told: _Told, timecode: Timecode, shots: Sequence[Shot], severity: Severity) -> Iterator[Finding]:
        """Where it does not go on; of many places the first few, and how many there are."""
        off = np.diff(np.asarray(told.counts) - np.asarray(told.frames))
        known = np.asarray(told.frames[1:]) <= shots[-1].last
        breaks = np.flatnonzero((off % timecode.day != 0) & known).tolist()
        for number, place in enumerate(breaks[:_SOME], 1):
            before, after = (_label(timecode, told.counts[n]) for n in (place, place + 1))
            apart = told.frames[place + 1] - told.frames[place]
            within = "from one frame to the next" if apart == 1 else f"in {apart} frames"
            more = f" (and {len(breaks) - _SOME} more times)" if number == _SOME < len(breaks) else ""
            words = f"{told.where} goes from {before} to {after} {within}{more}"
            at = max(told.frames[place + 1], 0)
            yield across("timecode", severity, shots, words, float(off[place]), "frames", at, at)


def _all_told(table: SurveyTable, surveyed: Surveyed) -> Iterator[_Told]:
    """Wherever timecode is told more than once; zeros on every frame are none."""
    for track in surveyed.tracks:
        if len(track.counts) > 1:
            frames, counts = zip(*track.counts, strict=True)
            yield _Told(f"Timecode of track {track.index}", frames, counts)
    clock = table.column("clock")
    known = np.flatnonzero(clock >= 0)
    if len(known) > 1 and clock[known].any():
        yield _Told("Timecode on frames", known.tolist(), clock[known].tolist(), each=True)


def _label(timecode: Timecode, count: int) -> str:
    return replace(timecode, start=count).label(0)


def _unlike(surveyed: Surveyed, start: str) -> str:
    """What is wrong where the file's name has to hold its start; nothing where it does."""
    found = _IN_NAMES.search(surveyed.name)
    if found is None:
        return f"Its name holds no timecode: it starts at {start or 'none'}"
    label = ":".join(found[n] for n in (1, 3, 4, 5))
    if start.replace(";", ":") == label:
        return ""
    return f"Its name says {label}: it starts at {start or 'no timecode'}"
