"""Captions that are missing, in another language, late, or that stop."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import inf
from typing import Annotated

import numpy as np

from bluffline.declared import Between
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across, close_runs, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

_SECONDS = Between(0, 360_000, "seconds")
_PAUSE = 1.0  # seconds without captions on frames that are no end of them
_LANGUAGE = re.compile(r"[a-z]{2,3}(/[a-z]{2,3})*")


@dataclass(frozen=True, slots=True)
class CaptionsAsked:
    """What captions there have to be, in tracks or on the frames themselves.

    ``languages``: of each a track, as files name them [ISO639-2], a stroke between two names of one; ``by``: seconds within
    which there is a first one; ``pause``: seconds at most without any.
    """

    languages: tuple[str, ...] = ()
    by: Annotated[float, _SECONDS] = inf
    pause: Annotated[float, _SECONDS] = inf
    severity: Severity = Severity.MUST_FIX

    def __post_init__(self) -> None:
        if not all(_LANGUAGE.fullmatch(each) for each in self.languages):
            raise ValueError("languages must be of two or three letters, as eng, or eng/en where files name one in two ways")


@dataclass(frozen=True, slots=True)
class _Carried:
    """Captions of one carrier: what it is, and from when to when there are some, in seconds."""

    title: str
    language: str
    said: Sequence[tuple[float, float]]


class Captions(Rule):
    """Whether captions are there, from where to where. What they say is not read."""

    titles = {"captions": "Captions"}
    words = "captions"
    place = 35
    section, key, named = CaptionsAsked, "captions", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False
    beside = "subtitle"
    colon_told = True

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        if not surveyed.complete:
            return
        asked, end = self.asked(rules), (shots[-1].last + 1) / surveyed.rate
        carried = list(_carriers(table, surveyed))
        heard = {one.language for one in carried if one.said}
        missing = [each for each in asked.languages if heard.isdisjoint(each.split("/"))]
        if not any(one.said for one in carried):
            yield across("captions", asked.severity, shots, f"There are no captions: {_seen(table, carried)}")
            return
        if missing:
            words = f"No captions in {', '.join(missing)}: {_seen(table, carried)}"
            yield across("captions", asked.severity, shots, words, float(len(missing)))
        for one in carried:
            if not one.said or (asked.languages and one.language not in "/".join(asked.languages).split("/")):
                continue
            for words, last, first in _without(one, asked, end):
                begin, after = (min(max(round(time * surveyed.rate), 0), shots[-1].last + 1) for time in (last, first))
                begin = min(begin, shots[-1].last)
                told = f"{one.title} {words}"
                yield across("captions", asked.severity, shots, told, first - last, "s", begin, max(after - 1, begin))


def _without(one: _Carried, asked: CaptionsAsked, end: float) -> Iterator[tuple[str, float, float]]:
    """Where captions are missing for too long: in words, and from when to when, in seconds."""
    times = [(0.0, 0.0), *one.said, (end, end)]
    for place, ((_, last), (first, _)) in enumerate(pairwise(times)):
        length, allowed = first - last, min(asked.by, asked.pause) if place == 0 else asked.pause
        if length <= allowed:
            continue
        if place == 0:
            words = f"begin after {length:.1f} s"
        elif place == len(one.said):
            words = f"end, and {length:.1f} s are without"
        else:
            words = f"pause for {length:.1f} s"
        yield f"{words}: {allowed:g} s at most", last, first


def _carriers(table: SurveyTable, surveyed: Surveyed) -> Iterator[_Carried]:
    for track in surveyed.tracks:
        if track.kind == "subtitle":
            language = f" ({track.language})" if track.language else ""
            yield _Carried(f"Captions of track {track.index}{language}", track.language, track.said)
    rate = surveyed.rate
    runs = close_runs(runs_in(table.column("captions") > 0), _PAUSE * rate)
    if runs:
        yield _Carried("Captions on frames", "", [(run[0][0] / rate, (run[-1][1] + 1) / rate) for run in runs])


def _seen(table: SurveyTable, carried: Sequence[_Carried]) -> str:
    """What there is instead, and what could not be looked into."""
    seen = [f"{one.title[0].lower()}{one.title[1:]}{'' if one.said else ' say nothing'}" for one in carried]
    unknown = int(np.count_nonzero(table.column("captions") < 0))
    more = [f"what rides on {unknown} frames can't be read here"] if unknown else []
    return ", ".join([*(seen or ["no track of them, and none on frames"]), *more])
