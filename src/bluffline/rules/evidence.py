"""One shot of a survey, and everything that rules judge it by."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.measure.region import Region
from bluffline.measure.sound import SoundMeasure
from bluffline.measure.spots import Spots
from bluffline.measure.table import SurveyTable
from bluffline.media.programme import Track
from bluffline.media.timecode import Timecode
from bluffline.rules.columns import Column
from bluffline.rules.finding import Finding
from bluffline.rules.levels import ShotLevels
from bluffline.rules.pictures import ShotPicture
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, shot_at
from bluffline.signal.format import SignalFormat


@dataclass(frozen=True, slots=True)
class ChartMeasure:
    """CIEDE2000 of a chart that was found in ``frame``; ``patch``: the one with the worst; ``area``: percent of the picture."""

    frame: int
    mean: float
    worst: float
    patch: str
    area: float


_UNTOLD = Timecode(25)


@dataclass(frozen=True, slots=True)
class Surveyed:
    """What a table was measured of, and what is known of the file beside it.

    ``region``: the active picture; ``rate``: frames a second; ``lost``: the numbers of frames that are not in the file.
    ``complete``: whether all that the rules ask for has been measured. ``source``: how the programme is read, where the file is
    judged. ``broken``: what is wrong with the file behind its last frame; ``sound_after``: seconds that sound goes on after the
    picture. ``charts``: what was measured of filmed ones; ``sounds``: of programme sounds, None before they were. ``bars``: its
    first shots that are colour bars; ``spots``: single pixels that stand out, None where they were not looked for;
    ``tracks``: of the file beside the picture; ``timecode``: how its frames are counted; ``name``: the file's, without its
    ending. ``mastering``, ``light``: what it says of its mastering display and of its content light.
    """

    region: Region
    rate: float = 25.0
    lost: NDArray[np.int64] | None = None
    complete: bool = False
    source: SignalFormat | None = None
    broken: str = ""
    sound_after: float = 0.0
    charts: Sequence[ChartMeasure] = ()
    sounds: Sequence[SoundMeasure] | None = None
    bars: Sequence[Shot] = ()
    spots: Spots | None = None
    tracks: Sequence[Track] = ()
    timecode: Timecode = _UNTOLD
    name: str = ""
    mastering: str = ""
    light: str = ""


@dataclass(frozen=True)
class ShotEvidence:
    """One shot, what was measured of it, and the rules in force.

    ``number``: of the shot; ``percents``: columns of the whole table, see `percent_columns`; ``range_evidence``: what speaks
    for a range, ``surely``: of all the source together.
    """

    number: int
    shot: Shot
    table: SurveyTable
    percents: dict[str, Column]
    source: SignalFormat
    rules: Rules
    surveyed: Surveyed
    picture: ShotPicture
    range_evidence: ShotLevels
    surely: bool

    @property
    def levels(self) -> tuple[Column, Column]:
        """Black and swing of each frame, in codes."""
        return self.table.levels(self.source, self.span)

    @property
    def span(self) -> slice:
        """The rows of the table that are the shot's."""
        return slice(self.shot.first, self.shot.last + 1)

    @property
    def readable(self) -> NDArray[np.bool_]:
        """(N,) which of its frames could be measured."""
        return self.column("readable")

    def column(self, name: str) -> NDArray[Any]:
        """(N,) one measurement of its frames."""
        return self.table.column(name)[self.span]

    def area(self, name: str) -> NDArray[np.float32]:
        """Percent of the shot's own picture outside a limit."""
        area: NDArray[np.float32] = self.column(f"{name}_area") * np.float32(self.picture.share)
        if self.picture.blanked:
            return area
        # What lies outside the programme's active picture is picture here.
        return np.asarray(area + self.column(f"blank_{name}") * np.float32(100 / self.picture.pixels), np.float32)

    def percent(self, name: str) -> Column:
        """(N,) one of `percent_columns` of its frames."""
        return self.percents[name][self.span]

    @property
    def all_of_it(self) -> NDArray[np.float32]:
        """(N,) 100 %: the area of what is true of whole frames."""
        return np.full(self.shot.length, 100.0, np.float32)

    def runs_of(
        self, rule: str, severity: Severity, mask: NDArray[np.bool_], value: Column, area: NDArray[np.float32], words: str,
        sign: int = 1, least: int | None = None,
    ) -> Iterator[Finding]:  # fmt: skip
        """A finding for each run of frames in ``mask`` that is long enough; runs that lie close together are one."""
        if not mask.any():
            return
        start = self.shot.first
        kept = [run for run in runs_in(mask) if run[1] - run[0] + 1 >= (least or self.rules.frames)]
        for runs in close_runs(kept, self.rules.gap * self.surveyed.rate):
            first, last = runs[0][0], runs[-1][1]
            inside = np.concatenate([np.arange(a, b + 1) for a, b in runs])
            worst = int(inside[np.argmax(sign * value[inside])])
            worst_value = float(value[worst])
            yield Finding(
                rule=rule,
                severity=severity,
                shot=self.number,
                first_frame=start + first,
                last_frame=start + last,
                worst_frame=start + worst,
                worst_value=round(worst_value, 2),
                unit="%",
                worst_area=round(float(area[inside].max()), 3),
                reason=filled(words, worst_value) + (f" ({len(runs)} runs)" if len(runs) > 1 else ""),
                runs=len(runs),
                frames=len(inside),
            )


def across(
    rule: str, severity: Severity, shots: Sequence[Shot], reason: str, value: float = 0.0, unit: str = "",
    first: int = 0, last: int | None = None,
) -> Finding:  # fmt: skip
    """A finding of the file and not of one shot: of all of it, or of frames from ``first`` to ``last``."""
    end = shots[-1].last if last is None else last
    value = round(value, 2)
    return Finding(rule, severity, shot_at(shots, first), first, end, first, value, unit, 0.0, reason, frames=end - first + 1)


def in_shots(
    runs: Iterable[tuple[int, int]], shots: Sequence[Shot], gap: float, least: int = 1
) -> Iterator[list[tuple[int, int]]]:
    """Runs of a file's frames of ``least`` length, those together that begin in one shot and lie less than ``gap`` apart.

    A run goes on across cuts: where it is parted tells nothing of how long it lasts.
    """
    kept = [run for run in runs if run[1] - run[0] + 1 >= least]
    for close in close_runs(kept, gap):
        for _, own in groupby(close, lambda run: shot_at(shots, run[0])):
            yield list(own)


def of_runs(
    rule: str, severity: Severity, shots: Sequence[Shot], runs: Sequence[tuple[int, int]], value: Column, reason: str = ""
) -> Finding:
    """A finding of the file for runs of its frames that lie close together.

    ``value``: (N,) in percent, of every frame of the file; the greatest is the worst.
    """
    worsts = [first + int(np.argmax(value[first : last + 1])) for first, last in runs]
    worst = max(worsts, key=lambda frame: value[frame])
    first, last = runs[0][0], runs[-1][1]
    return Finding(
        rule, severity, shot_at(shots, first), first, last, worst, round(float(value[worst]), 2), "%", 100.0, reason,
        runs=len(runs), frames=sum(last - first + 1 for first, last in runs),
    )  # fmt: skip


def filled(words: str, value: float) -> str:
    """The sentence with its figure, if it has one, and a true minus sign in that alone."""
    before, brace, after = words.partition("{:")
    if not brace:
        return words
    form, _, rest = after.partition("}")
    return before + figure(value, form) + rest


def close_runs(runs: list[tuple[int, int]], gap: float) -> list[list[tuple[int, int]]]:
    """Runs in groups that lie less than ``gap`` frames apart."""
    groups: list[list[tuple[int, int]]] = []
    for run in runs:
        if groups and run[0] - groups[-1][-1][1] - 1 < gap:
            groups[-1].append(run)
        else:
            groups.append([run])
    return groups


def runs_in(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last index of every run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(first), int(after) - 1) for first, after in zip(edges[::2], edges[1::2], strict=True)]
