"""Pixels of a camera that are dead, stuck or hot: they stand out at one place in picture after picture."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, shot_at

_SOME = 8  # that are told one by one


@dataclass(frozen=True, slots=True)
class DeadAsked:
    """``severity``: how grave it is where single pixels stand out at one place through cuts."""

    severity: Severity = Severity.LOOK


class Dead(Rule):
    """Single pixels that stand out wherever the picture changes about them."""

    titles = {"dead": "Dead pixels"}
    words = "dead pixels"
    place = 39
    section, key, named = DeadAsked, "dead", True
    whole_frames = True
    tried = False

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        if surveyed.spots is None or not surveyed.complete:
            return
        found, severity = surveyed.spots.found, self.asked(rules).severity
        for number, spot in enumerate(found[:_SOME], 1):
            kind = "Bright" if spot.percent > 0 else "Dark"
            more = f" (and {len(found) - _SOME} more pixels)" if number == _SOME < len(found) else ""
            often = f"in {len(spot.frames)} of {surveyed.spots.looked_at} pictures"
            words = f"{kind} pixel at x {spot.x}, y {spot.y}: {abs(spot.percent):.0f} % from those about it {often}{more}"
            first, last = (shots[shot_at(shots, frame)] for frame in (spot.frames[0], spot.frames[-1]))
            told = across("dead", severity, shots, words, abs(spot.percent), "%", first.first, last.last)
            yield replace(told, worst_frame=spot.frames[len(spot.frames) // 2])
