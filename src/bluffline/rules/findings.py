"""Judging a survey: which runs of frames inside one shot break which rule."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import SurveyTable
from bluffline.rules.rulefile import Rules
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Range


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


def percent_columns(table: SurveyTable, source: SignalFormat) -> dict[str, NDArray[np.float64]]:
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
        span = slice(shot.first, shot.last + 1)
        readable = table.column("readable")[span]

        def add(
            rule: str,
            severity: Severity,
            mask: NDArray[np.bool_],
            value: NDArray[np.float64],
            area: NDArray[np.float32],
            text: str,
            sign: int = 1,
            *,
            number: int = number,
            start: int = shot.first,
            least: int = rules.frames,
        ) -> None:
            for first, last in _runs(mask):
                if last - first + 1 < least:
                    continue
                worst = first + int(np.argmax(sign * value[first : last + 1]))
                worst_value, worst_area = float(value[worst]), float(area[first : last + 1].max())
                reason = text.format(value=worst_value, area=worst_area)
                findings.append(
                    Finding(
                        rule, severity, number, start + first, start + last, start + worst,
                        round(worst_value, 2), "%", round(worst_area, 3), reason,
                    )
                )  # fmt: skip

        for rule, value_name, area_name, text, sign in _OVER:
            area = table.column(area_name)[span]
            values = percent[value_name][span]
            add(rule, Severity.MUST_FIX, readable & (area > rules.area), values, area, text + " {value:.1f} %", sign)
        for end, sign in (("high", 1), ("low", -1)):
            area = table.column(f"clip_{end}_area")[span]
            level = table.column(f"clip_{end}_level")[span].astype(np.float64)
            graphic = table.column(f"clip_{end}_graphic")[span]
            flat = readable & (area > rules.clip_area)
            what = "Highlights" if end == "high" else "Shadows"
            drawn = f"Flat {'white' if end == 'high' else 'black'} {{value:.1f}} %, likely graphics"
            # One shot is one kind of picture: the more frequent verdict holds for all of its frames.
            likely = bool(graphic[flat].mean() > 0.5) if flat.any() else False
            text = drawn if likely else what + " clipped at {value:.1f} %"
            add(f"clip-{end}", Severity.NOTE if likely else Severity.LOOK, flat, level, area, text, sign)
        _judge_levels(percent, span, source, readable, add)
        missing = ~readable
        zero = np.zeros(shot.length)
        add(
            "unreadable", Severity.LOOK, missing, zero, np.where(missing, np.float32(100), np.float32(0)),
            "Frames that can't be decoded", least=1,
        )  # fmt: skip
    order = list(Severity)
    return sorted(findings, key=lambda found: (found.shot, order.index(found.severity), found.first_frame))


def _judge_levels(percent, span, source, readable, add) -> None:  # type: ignore[no-untyped-def]
    low, high = percent["y_p01"][span], percent["y_p999"][span]
    if not readable.any():
        return
    least, greatest = float(low[readable].min()), float(high[readable].max())
    area = np.full(len(low), np.float32(100))
    if source.range is Range.NARROW:
        if least <= _MISTAGGED[0] and greatest >= _MISTAGGED[1]:
            add("levels", Severity.LOOK, readable, high, area, "Levels look full range, tagged narrow")
    elif (
        abs(least - _NARROW_IN_FULL[0]) <= _NARROW_SLACK and abs(greatest - _NARROW_IN_FULL[1]) <= _NARROW_SLACK
    ):
        add("levels", Severity.LOOK, readable, high, area, "Levels look narrow range, tagged full")


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last index of every run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(first), int(after) - 1) for first, after in zip(edges[::2], edges[1::2], strict=True)]
