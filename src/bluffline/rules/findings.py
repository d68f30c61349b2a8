"""Judging a survey: which runs of frames inside one shot break which rule."""

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import SurveyTable
from bluffline.rules.rulefile import Rules
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Range

Column = NDArray[np.float64]


class Severity(StrEnum):
    """What a finding asks of the operator."""

    MUST_FIX = "must fix"
    LOOK = "look"
    NOTE = "note"


@dataclass(frozen=True, slots=True)
class Finding:
    """One run of frames inside one shot that breaks one rule.

    ``worst_value`` is in ``unit``; ``worst_area`` is the largest share of the active picture, in percent, that any
    frame of the run has. ``reason`` is the finding in a sentence. Frames and shots are counted from 0, ends included.
    """

    rule: str
    severity: Severity
    shot: int
    first_frame: int
    last_frame: int
    worst_frame: int
    worst_value: float
    unit: str
    worst_area: float
    reason: str

    @property
    def length(self) -> int:
        """Number of frames."""
        return self.last_frame - self.first_frame + 1


# A full-range picture shown as narrow reaches under black and over white within the same shot.
_MISTAGGED = (-3.0, 104.0)
# A narrow-range picture shown as full keeps clear of both ends and reaches both of its own.
_NARROW_IN_FULL = (16 / 255 * 100, 235 / 255 * 100)
_NARROW_SLACK = 1.0

_OVER = (
    ("luma-high", "y_max", "luma_high_area", "Luma over", 1),
    ("luma-low", "y_min", "luma_low_area", "Luma under", -1),
    ("rgb-high", "rgb_max", "rgb_high_area", "R′G′B′ over", 1),
    ("rgb-low", "rgb_min", "rgb_low_area", "R′G′B′ under", -1),
)


def percent_columns(table: SurveyTable, source: SignalFormat) -> dict[str, Column]:
    """Extremes of every frame in percent of the nominal range: y_min, y_max, y_p01, y_p999, rgb_min, rgb_max."""
    levels = source.levels
    columns = {
        name: (table.column(name).astype(np.float64) - levels.black) / levels.swing * 100.0
        for name in ("y_min", "y_max", "y_p01", "y_p999")
    }
    return columns | {name: table.column(name).astype(np.float64) for name in ("rgb_min", "rgb_max")}


def judge(table: SurveyTable, shots: list[Shot], source: SignalFormat, rules: Rules) -> list[Finding]:
    """All findings, in the order of their shots, the gravest of a shot first."""
    percent = percent_columns(table, source)
    findings: list[Finding] = []
    for number, shot in enumerate(shots):
        judged = _ShotJudge(number, shot, table, percent, source, rules)
        findings += [
            *judged.over_limits(), *judged.areas(), *judged.gamut(), *judged.clipping(), *judged.levels(), *judged.combing(),
            *judged.unreadable(),
        ]  # fmt: skip
    return in_reading_order(findings)


def in_reading_order(findings: list[Finding]) -> list[Finding]:
    """By shot, and in a shot the gravest first."""
    order = list(Severity)
    return sorted(findings, key=lambda found: (found.shot, order.index(found.severity), found.first_frame))


@dataclass(frozen=True)
class _ShotJudge:
    """Judges one shot of a survey."""

    number: int
    shot: Shot
    table: SurveyTable
    percent: dict[str, Column]
    source: SignalFormat
    rules: Rules

    def over_limits(self) -> Iterator[Finding]:
        """Luma or R′G′B′ outside the limits on more of the picture than is tolerated."""
        for rule, value, area_name, words, sign in _OVER:
            area = self._column(area_name)
            mask = self._readable & (area > self.rules.area)
            yield from self._runs_of(rule, Severity.MUST_FIX, mask, self._percent(value), area, words + " {:.1f} %", sign)

    def areas(self) -> Iterator[Finding]:
        """Luma outside the limits that an area has of its own, on more of that area than is tolerated."""
        levels = self.source.levels
        for number, area in enumerate(self.rules.limited):
            for end, words, sign in (("high", "over", 1), ("low", "under", -1)):
                share = self._column(f"areas_{end}")[:, number]
                codes = self._column("areas_max" if sign > 0 else "areas_min")[:, number].astype(np.float64)
                percent = (codes - levels.black) / levels.swing * 100
                mask = self._readable & (share > self.rules.area)
                reason = f"{area.name}: luma {words} {{:.1f}} %"
                yield from self._runs_of(f"area-{end}", Severity.MUST_FIX, mask, percent, share, reason, sign)

    def gamut(self) -> Iterator[Finding]:
        """Colours that the gamut asked for can't show, on more of the picture than is tolerated."""
        if self.rules.gamut is None:
            return
        area = self._column("gamut_area")
        words = f"Colours outside {self.rules.gamut.upper().replace('BT', 'BT.')} on {{:.1f}} % of the picture"
        mask = self._readable & (area > self.rules.area)
        yield from self._runs_of("gamut", Severity.MUST_FIX, mask, area.astype(np.float64), area, words)

    def combing(self) -> Iterator[Finding]:
        """Luma that falls into bands, as stretched 8-bit pictures do."""
        share = self._column("combing")
        mask = self._readable & (share > self.rules.combing)
        whole = np.full(len(share), 100.0, np.float32)
        words = "Combed: {:.1f} % of the codes in use are skipped"
        yield from self._runs_of("combing", Severity.NOTE, mask, share.astype(np.float64), whole, words)

    def clipping(self) -> Iterator[Finding]:
        """Flat tops and bottoms: lost detail to look at, or graphics to note."""
        for end, sign, lost, drawn in (("high", 1, "Highlights", "white"), ("low", -1, "Shadows", "black")):
            area = self._column(f"clip_{end}_area")
            flat = self._readable & (area > self.rules.clip_area)
            # One shot is one kind of picture: the more frequent verdict holds for all of its frames.
            graphic = flat.any() and float(self._column(f"clip_{end}_graphic")[flat].mean()) > 0.5
            words = f"Flat {drawn} {{:.1f}} %, likely graphics" if graphic else lost + " clipped at {:.1f} %"
            severity = Severity.NOTE if graphic else Severity.LOOK
            level = self._column(f"clip_{end}_level").astype(np.float64)
            yield from self._runs_of(f"clip-{end}", severity, flat, level, area, words, sign)

    def levels(self) -> Iterator[Finding]:
        """A shot whose levels contradict its range tag."""
        readable, low, high = self._readable, self._percent("y_p01"), self._percent("y_p999")
        if not readable.any():
            return
        least, greatest = float(low[readable].min()), float(high[readable].max())
        if self.source.range is Range.NARROW:
            contradicts = least <= _MISTAGGED[0] and greatest >= _MISTAGGED[1]
            words = "Levels look full range, tagged narrow"
        else:
            ends = zip((least, greatest), _NARROW_IN_FULL, strict=True)
            contradicts = all(abs(reached - expected) <= _NARROW_SLACK for reached, expected in ends)
            words = "Levels look narrow range, tagged full"
        if contradicts:
            whole = np.full(len(low), 100.0, np.float32)
            yield from self._runs_of("levels", Severity.LOOK, readable, high, whole, words)

    def unreadable(self) -> Iterator[Finding]:
        """Frames that could not be decoded, however few."""
        missing = ~self._readable
        area = np.where(missing, np.float32(100), np.float32(0))
        value = area.astype(np.float64)
        yield from self._runs_of("unreadable", Severity.LOOK, missing, value, area, "Frames that can't be decoded", least=1)

    @property
    def _span(self) -> slice:
        return slice(self.shot.first, self.shot.last + 1)

    @property
    def _readable(self) -> NDArray[np.bool_]:
        return self._column("readable")

    def _column(self, name: str) -> NDArray[Any]:
        return self.table.column(name)[self._span]

    def _percent(self, name: str) -> Column:
        return self.percent[name][self._span]

    def _runs_of(
        self, rule: str, severity: Severity, mask: NDArray[np.bool_], value: Column, area: NDArray[np.float32], words: str,
        sign: int = 1, least: int | None = None,
    ) -> Iterator[Finding]:  # fmt: skip
        """A finding for each run of frames in ``mask`` that is long enough."""
        start = self.shot.first
        for first, last in _runs(mask):
            if last - first + 1 < (least or self.rules.frames):
                continue
            worst = first + int(np.argmax(sign * value[first : last + 1]))
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
                worst_area=round(float(area[first : last + 1].max()), 3),
                reason=words.format(worst_value).replace("-", "−"),
            )


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last index of every run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(first), int(after) - 1) for first, after in zip(edges[::2], edges[1::2], strict=True)]
