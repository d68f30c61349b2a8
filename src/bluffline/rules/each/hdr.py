"""HDR: whether it is what was asked for, how bright it gets, and whether what the file says of its light is true."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from math import inf
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between, OneOf
from bluffline.measure.brightness import pq_light
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import ShotEvidence, Surveyed, across, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.matrix import standard

_LIGHT = Between(0, 10_000, "cd/m²")
_NAMES = {  # x and y of red, green and blue; all have the white of D65
    "BT.2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
    "P3-D65": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
    "BT.709": ((0.640, 0.330), (0.300, 0.600), (0.150, 0.060)),
}
_WHITE, _NEAR = (0.3127, 0.3290), 0.0015
_LEAST_PEAK, _MOST_BLACK = 100.0, 1.0  # cd/m² of a display that HDR is mastered on


@dataclass(frozen=True, slots=True)
class HdrAsked:
    """What is asked of HDR; of light where it is PQ.

    ``transfer``: that the programme has to be in, any where empty. ``peak``: cd/m² that the brightest component of a pixel has
    at most, on all but ``share`` percent of the picture; ``average``: that a frame has in the mean. ``told``: whether the file
    has to say MaxCLL and MaxFALL, no less than is measured but for ``slack`` percent, and on which display it was mastered.
    """

    transfer: Annotated[str, OneOf(("", "pq", "hlg"))] = ""
    peak: Annotated[float, _LIGHT] = 10_000.0
    share: Annotated[float, Between(0, 100, "percent")] = 0.0
    average: Annotated[float, _LIGHT] = inf
    told: bool = False
    slack: Annotated[float, Between(0, 100, "percent")] = 10.0
    severity: Severity = Severity.MUST_FIX


class Hdr(Rule):
    """Light of PQ, and what is told of it."""

    titles = {
        "hdr-transfer": "Another transfer than asked for",
        "light-peak": "Light over the peak",
        "light-average": "Mean light over the limit",
        "light-told": "Content light as it is told",
        "mastering": "Mastering display as it is told",
    }
    words = "light of HDR"
    place = 17
    section, key, named = HdrAsked, "hdr", True
    whole_frames = True
    tried = False
    colon_told = True

    def measured(self, rules: Rules) -> float | None:
        asked = self.asked(rules)
        return None if asked is None else asked.peak

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        asked, in_pq = self.asked(shot.rules), frames_in(shot.table, "pq")[shot.span]
        if not in_pq.any():
            return
        peak, mean, area = pq_light(shot.percent("rgb_max") / 100), shot.column("light_mean"), shot.column("light_area")
        over = shot.readable & in_pq & (peak > asked.peak) & ((area > asked.share) | (asked.share == 0))
        for found in shot.runs_of("light-peak", asked.severity, over, peak, area, ""):
            words = f"Up to {found.worst_value:.0f} cd/m²: {asked.peak:g} at most"
            yield replace(found, unit="cd/m²", reason=words + found.runs_told)
        bright = shot.readable & in_pq & (mean > asked.average)
        for found in shot.runs_of("light-average", asked.severity, bright, mean.astype(np.float64), shot.all_of_it, ""):
            words = f"{found.worst_value:.0f} cd/m² in the mean: {asked.average:g} at most"
            yield replace(found, unit="cd/m²", reason=words + found.runs_told)

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        asked = self.asked(rules)
        if surveyed.source is None or not surveyed.complete:
            return
        for other in sorted({each.transfer for each in table.formats} - {asked.transfer}) if asked.transfer else ():
            words = f"It is {standard(other)}: {standard(asked.transfer)} is asked for"
            for first, last in runs_in(frames_in(table, other)):
                yield across("hdr-transfer", asked.severity, shots, words, first=first, last=last)
        if asked.told and frames_in(table, "pq").any():
            for title, told, measured in zip(("MaxCLL", "MaxFALL"), _told(surveyed.light), content_light(table), strict=True):
                yield from _content(title, told, measured, asked, shots)
            if words := _mastering(surveyed.mastering):
                yield across("mastering", asked.severity, shots, words)


def frames_in(table: SurveyTable, transfer: str) -> NDArray[np.bool_]:
    """(N,) which frames say that they are coded by a transfer characteristic; a programme's may change on its way."""
    says = np.array([each.transfer == transfer for each in table.formats], bool)
    return np.asarray(says[table.column("format")])


def content_light(table: SurveyTable) -> tuple[float, float]:
    """MaxCLL and MaxFALL as they are measured of frames in PQ, cd/m²; the second where a survey was asked for light."""
    lit = table.column("readable") & frames_in(table, "pq")
    greatest, mean = (table.column(name)[lit].max(initial=0.0) for name in ("rgb_max", "light_mean"))
    return float(pq_light(greatest / 100)), float(mean)


def _told(light: str) -> tuple[int, int]:
    """MaxCLL and MaxFALL as the file tells them; 0 where it does not [CTA861]."""
    numbers = [int(each) for each in re.findall(r"\d+", light)]
    return (numbers[0], numbers[1]) if len(numbers) == 2 else (0, 0)


def _content(title: str, told: int, measured: float, asked: HdrAsked, shots: Sequence[Shot]) -> Iterator[Finding]:
    if not told:
        words = f"{title} is not told: {measured:.0f} cd/m² are measured"
    elif measured > told * (1 + asked.slack / 100) + 1:
        words = f"{title} is told as {told} cd/m²: {measured:.0f} are measured"
    else:
        return
    yield across("light-told", asked.severity, shots, words, measured, "cd/m²")


def _mastering(told: str) -> str:
    """What is wrong with a description of a mastering display [ST2086]; nothing where it may be true."""
    if not told:
        return "No mastering display is told"
    numbers = [float(each) for each in re.findall(r"\d+\.\d+", told)]
    *colours, white = zip(numbers[0:8:2], numbers[1:8:2], strict=True)
    least, most = numbers[8:10]
    if not any(_alike(colours, known) for known in _NAMES.values()) or not _alike([white], [_WHITE]):
        return f"The mastering display is none of {', '.join(_NAMES)} with white D65: {told.partition(' min_')[0]}"
    if not (most >= _LEAST_PEAK and 0 <= least < _MOST_BLACK):
        return f"The mastering display can't be: from {least:g} to {most:g} cd/m²"
    return ""


def _alike(points: Sequence[tuple[float, float]], others: Sequence[tuple[float, float]]) -> bool:
    return bool(np.abs(np.subtract(points, others)).max() <= _NEAR)
