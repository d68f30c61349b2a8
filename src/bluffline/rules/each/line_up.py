"""What a programme begins with: bars, tone, slate and black, in which order and how long, and where its picture begins."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import inf
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.figures import figure
from bluffline.measure.sound import HOP, SoundMeasure
from bluffline.measure.table import SurveyTable
from bluffline.rules.each.black import dark_frames
from bluffline.rules.each.length import LABEL
from bluffline.rules.evidence import Surveyed, across, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

BARS, SLATE, BLACK, PICTURE = "bars", "slate", "black", "picture"
_PARTS = BARS, SLATE, BLACK
_DARK = 2.0  # percent of luma, that black stays under
_STILL, _MOSTLY = 0.2, 0.95  # percent that a slate changes by from frame to frame, in so many of them: a clock may go on it
_MOST_PARTS, _LONGEST = 16, 3600.0
_SINE = 3.01  # dB that the peak of a sine is over its mean power, by which tones are told
_TONE = 1.0  # dB to both sides
_EDGE = 3  # hops at the ends of bars, in which tone comes and goes


@dataclass(frozen=True, slots=True)
class LineUpAsked:
    """What stands before the picture.

    ``parts``: bars, slate (a picture that all but stands) and black in their order, and seconds of each, ± ``tolerance``;
    ``tone``: dBFS of a steady tone with the bars, where ``[sound]`` is measured; ``picture``: the timecode of the first picture
    after them.
    """

    parts: tuple[tuple[str, Annotated[float, Between(0, _LONGEST, "seconds")]], ...] = ()
    tolerance: Annotated[float, Between(0, 60, "seconds")] = 0.5
    tone: Annotated[float, Between(-60, 0, "dBFS")] = inf
    picture: str = ""
    severity: Severity = Severity.MUST_FIX

    def __post_init__(self) -> None:
        if unknown := {name for name, _ in self.parts} - set(_PARTS):
            raise ValueError(f"parts must be of {', '.join(_PARTS)}, not {', '.join(sorted(unknown))}")
        if len(self.parts) > _MOST_PARTS:
            raise ValueError(f"parts must be {_MOST_PARTS} at most")
        if self.picture and not LABEL.fullmatch(self.picture):
            raise ValueError(f"picture must be a timecode, as 10:00:00:00 or 10:00:00;00, not {self.picture[:20]}")

    @property
    def seconds(self) -> float:
        """How long all parts are together, with what is tolerated."""
        return sum(length for _, length in self.parts) + self.tolerance * (len(self.parts) + 1)


@dataclass(frozen=True, slots=True)
class _Part:
    kind: str
    first: int
    last: int

    def seconds(self, rate: float) -> float:
        return (self.last - self.first + 1) / rate


class LineUp(Rule):
    """The head of a programme."""

    titles = {"line-up": "Line-up"}
    words = "line-up"
    place = 38
    section, key, named = LineUpAsked, "line-up", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False
    colon_told = True

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        if not surveyed.complete or surveyed.source is None:
            return
        asked, rate = self.asked(rules), surveyed.rate
        head = list(_parts(table, surveyed, shots, asked))
        for place, (kind, length) in enumerate(asked.parts):
            found = head[place] if place < len(head) else _Part("nothing", shots[-1].last, shots[-1].last)
            if found.kind != kind:
                words = f"The line-up has {found.kind} in place of {kind}: {_told(head, rate)}"
                yield across("line-up", asked.severity, shots, words, first=found.first, last=found.first)
                return
            if abs(found.seconds(rate) - length) > asked.tolerance + 1e-6:
                words = f"The line-up has {found.seconds(rate):.2f} s of {kind}: {length:g} ± {asked.tolerance:g} s"
                yield across("line-up", asked.severity, shots, words, found.seconds(rate), "s", found.first, found.last)
            if kind == BARS and asked.tone < inf and (words := _off_tone(surveyed.sounds, found, rate, asked.tone)):
                yield across("line-up", asked.severity, shots, words, first=found.first, last=found.last)
        yield from self._picture(asked, surveyed, shots, head[len(asked.parts) :])

    def _picture(
        self, asked: LineUpAsked, surveyed: Surveyed, shots: Sequence[Shot], rest: Sequence[_Part]
    ) -> Iterator[Finding]:
        """Whether the picture follows, and at the timecode asked for."""
        if not rest or rest[0].kind != PICTURE:
            words = f"The line-up goes on in place of the picture: {_told(rest, surveyed.rate) or 'there is none'}"
            yield across("line-up", asked.severity, shots, words, last=0)
            return
        first = rest[0].first
        label = surveyed.timecode.label(first) if surveyed.timecode.told else "no timecode"
        if asked.picture and label != asked.picture:
            words = f"The picture begins at {label}: {asked.picture} is asked for"
            yield across("line-up", asked.severity, shots, words, first=first, last=first)


def _parts(table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], asked: LineUpAsked) -> Iterator[_Part]:
    """What a programme begins with, up to its first picture; what is alike and adjoins is one."""
    last: _Part | None = None
    assert surveyed.source is not None, "a file is judged by its format"
    dark = dark_frames(table, surveyed.source, _DARK)
    for shot in shots:
        for first, end, kind in _kinds(table, dark, shot, any(shot.first in each for each in surveyed.bars)):
            if last is not None and last.kind == kind:
                last = _Part(kind, last.first, end)
                continue
            if last is not None:
                yield last
            last = _Part(kind, first, end)
        if last is not None and last.kind == PICTURE:
            break
        if shot.first > asked.seconds * surveyed.rate * 2:
            break
    if last is not None:
        yield last


def _kinds(table: SurveyTable, dark: NDArray[np.bool_], shot: Shot, bars: bool) -> Iterator[tuple[int, int, str]]:
    """Runs of a shot that are black, and what the others are."""
    own = dark[shot.first : shot.last + 1]
    for first, last in sorted([*runs_in(own), *runs_in(~own)]):
        part = slice(shot.first + first, shot.first + last + 1)
        if own[first]:
            kind = BLACK
        elif bars:
            kind = BARS
        else:
            moved = table.column("pixel_change")[part][1:]
            kind = SLATE if len(moved) and np.quantile(moved, _MOSTLY) <= _STILL else PICTURE
        yield part.start, part.stop - 1, kind


def _off_tone(sounds: Sequence[SoundMeasure] | None, bars: _Part, rate: float, asked: float) -> str:
    """What is wrong with the tone of bars; nothing where it is steady and as loud as it has to be."""
    if not sounds:
        why = "the rules ask for no sound" if sounds is None else "no sound was measured"
        return f"No tone with the bars: {why}"
    for sound in sounds:
        first, last = (round((at / rate - sound.begins) / HOP) for at in (bars.first, bars.last + 1))
        power = sound.power[max(first + _EDGE, 0) : max(last - _EDGE, 0)]
        if not len(power):
            return "The bars are too short for a tone to be measured"
        levels = 10 * np.log10(np.maximum(power.astype(np.float64), 1e-12)) + _SINE
        if np.ptp(levels, axis=0).max() > _TONE or np.abs(levels.mean(axis=0) - asked).max() > _TONE:
            worst = float(levels.ravel()[np.abs(levels - asked).argmax()])
            track, told = " and ".join(map(str, sound.tracks)), figure(worst, ".1f")
            return f"The tone of track {track} with the bars is not steady at {figure(asked)} dBFS: it comes to {told}"
    return ""


def _told(parts: Sequence[_Part], rate: float) -> str:
    return ", ".join(f"{part.kind} {part.seconds(rate):.1f} s" for part in parts)
