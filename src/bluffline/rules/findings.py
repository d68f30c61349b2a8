"""Judging a survey: which runs of frames inside one shot break which rule."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from operator import attrgetter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.measure.blanking import LIT
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.columns import Column, Memo
from bluffline.rules.levels import LIKELY, UNTOLD, ShotLevels, mistagged, shot_levels, source_levels
from bluffline.rules.pictures import ShotPicture, shot_pictures
from bluffline.rules.rulefile import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat, difference
from bluffline.signal.matrix import standard


@dataclass(frozen=True, slots=True)
class Finding:
    """One run of frames inside one shot that breaks one rule.

    ``worst_value`` is in ``unit``; ``worst_area`` is the largest share of the active picture, in percent, that any
    frame of the run has. ``reason`` is the finding in a sentence. Frames and shots are counted from 0, ends included.
    Runs that lie close together are one finding: ``runs`` tells how many, ``frames`` how many frames they have.
    ``made_of``: for `outside`, the share of the picture outside each limit in the worst frame, in percent.
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
    runs: int = 1
    frames: int = 0
    made_of: tuple[tuple[str, float], ...] = ()

    @property
    def length(self) -> int:
        """Number of frames."""
        return self.last_frame - self.first_frame + 1

    @property
    def part(self) -> str:
        """How much of the picture is meant, in words; empty where it is not a part of the picture that breaks the rule."""
        return "" if self.rule in _OF_WHOLE_FRAMES else f"{self.worst_area:.1f} % of the picture"

    @property
    def headline(self) -> str:
        """The reason without what it goes on to say."""
        return self.reason if self.rule.startswith("area-") else self.reason.partition(": ")[0]


_OF_WHOLE_FRAMES = frozenset({"missing", "sound", "tags", "unreadable"})
_EXTREME = {"high": 80.0, "low": 15.0}  # percent of luma from which a flat tone is called white or black
_WIDER = 1.25  # how much more of the picture a component's flat top has to cover than luma's to be told of by itself

_OVER = (
    ("luma-high", "y_max", "luma_high_area", "Luma over", 1),
    ("luma-low", "y_min", "luma_low_area", "Luma under", -1),
    ("rgb-high", "rgb_max", "rgb_high_area", "R′G′B′ over", 1),
    ("rgb-low", "rgb_min", "rgb_low_area", "R′G′B′ under", -1),
)


@dataclass(frozen=True, slots=True)
class Surveyed:
    """What a table was measured of: the active picture, frames a second, and the numbers of frames that are not in the file."""

    region: Region
    rate: float = 25.0
    lost: NDArray[np.int64] | None = None


def judge(
    table: SurveyTable,
    shots: list[Shot],
    source: SignalFormat,
    rules: Rules,
    surveyed: Surveyed | None = None,
    memo: Memo | None = None,
) -> list[Finding]:
    """All findings, in the order of their shots, the gravest of a shot first.

    ``memo``: what was judged of the same table before, so that it is not judged again.
    """
    surveyed, memo = surveyed or Surveyed(Region.whole(source)), memo or Memo()
    percent = memo.percent(table, source)
    left_out = [area.region(source.width, source.height) for area in rules.left_out]
    pictures = shot_pictures(table, shots, source, surveyed.region, left_out, memo.once)
    findings: list[Finding] = []
    levels = [memo.once(("levels", shot), partial(shot_levels, table, shot)) for shot in shots]
    # Where frames say different things, no shot speaks for another.
    alike = len({each.range for each in table.formats}) < 2
    whole = source_levels(levels, [shot.length for shot in shots]) if alike else None
    for number, (shot, picture) in enumerate(zip(shots, pictures, strict=True)):
        own = whole if whole is not None and mistagged(whole, source) else levels[number]
        judged = _ShotJudge(number, shot, table, percent, source, rules, surveyed, picture, own, own is whole)
        found = memo.once((shot, picture, own, own is whole), judged.all)
        findings += [each if each.shot == number else replace(each, shot=number) for each in found]
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
    surveyed: Surveyed
    picture: ShotPicture
    range_evidence: ShotLevels
    surely: bool

    def all(self) -> list[Finding]:
        """All findings of the shot."""
        return [
            *self.over_limits(), *self.outside(), *self.reserved(), *self.blanking(), *self.picture_changes(), *self.areas(),
            *self.gamut(), *self.clipping(), *self.levels(), *self.combing(), *self.tags(),
            *self.unreadable(),
        ]  # fmt: skip

    def outside(self) -> Iterator[Finding]:
        """Pixels outside any limit, counted together, on more of the picture than is tolerated."""
        area = self._area("outside")
        parts = {rule: self._area(rule.replace("-", "_")) for rule, _, _, _, _ in _OVER}
        mask = self._readable & (area > self.rules.area)
        for found in self._runs_of("outside", Severity.MUST_FIX, mask, area.astype(np.float64), area, "{:.1f} %"):
            worst = found.worst_frame - self.shot.first
            made_of = tuple((rule, round(float(part[worst]), 3)) for rule, part in parts.items() if part[worst] > 0)
            named = {rule: words.replace("Luma", "luma") for rule, _, _, words, _ in _OVER}
            told = ", ".join(f"{named[rule]} {share:.1f} %" for rule, share in made_of)
            words = f"Outside on {found.worst_value:.1f} % in all: {told}"
            yield replace(found, reason=words + _runs_told(found), made_of=made_of)

    def reserved(self) -> Iterator[Finding]:
        """Codes that a serial link reserves, in any amount."""
        count = self._column("reserved")
        if not self.rules.reserved or not count.any():
            return
        mask = self._readable & (count > 0)
        share = (count / (self.source.width * self.source.height) * 100).astype(np.float32)
        for found in self._runs_of("reserved", Severity.MUST_FIX, mask, count.astype(np.float64), share, "{:.0f}", least=1):
            row = self.table.rows[found.worst_frame]
            place = f"the first at x {row['reserved_x']}, y {row['reserved_y']}"
            words = f"Reserved codes in {found.worst_value:.0f} samples: {place}"
            yield replace(found, unit="samples", reason=words + _runs_told(found))

    def blanking(self) -> Iterator[Finding]:
        """What lies outside the active picture and is not black within the limits."""
        if not self.picture.blanked:
            return
        pixels = self._column("blank_pixels")
        share = (self._column("blank_lit") / np.maximum(pixels, 1) * 100).astype(np.float32)
        mask = self._readable & (share > self.rules.area)
        black, swing = self._levels
        least, greatest = (
            (self._column(f"blank_{end}").astype(np.float64) - black) / swing * 100
            for end in ("least", "greatest")
        )
        for end, sign, words in ((greatest, 1, "reaching {:.1f} %"), (least, -1, "falling to {:.1f} %")):
            lit = greatest > LIT if sign > 0 else greatest <= LIT
            text = f"Blanking that is not black, {words} of luma"
            yield from self._runs_of("blanking", Severity.MUST_FIX, mask & lit, end, share, text, sign)

    def picture_changes(self) -> Iterator[Finding]:
        """A shot whose picture is larger or smaller than the programme's."""
        if self.picture.usual or self.picture.blanked:
            return
        own, usual = self.picture.region, self.surveyed.region
        words = f"The picture is {own.width}×{own.height} here, {usual.width}×{usual.height} in most of the programme"
        whole = np.full(self.shot.length, 100.0, np.float32)
        yield from self._runs_of("active-picture", Severity.NOTE, self._readable, whole.astype(np.float64), whole, words)

    def over_limits(self) -> Iterator[Finding]:
        """Luma or R′G′B′ outside the limits on more of the picture than is tolerated."""
        for rule, value, area_name, words, sign in _OVER:
            area = self._area(area_name.removesuffix("_area"))
            mask = self._readable & (area > self.rules.area)
            yield from self._runs_of(rule, Severity.MUST_FIX, mask, self._percent(value), area, words + " {:.1f} %", sign)

    def areas(self) -> Iterator[Finding]:
        """Luma outside the limits that an area has of its own, on more of that area than is tolerated."""
        black, swing = self._levels
        for number, area in enumerate(self.rules.limited):
            for end, words, sign in (("high", "over", 1), ("low", "under", -1)):
                share = self._column(f"areas_{end}")[:, number]
                codes = self._column("areas_max" if sign > 0 else "areas_min")[:, number].astype(np.float64)
                percent = (codes - black) / swing * 100
                mask = self._readable & (share > self.rules.area)
                reason = f"{area.name}: luma {words} {{:.1f}} %"
                yield from self._runs_of(f"area-{end}", Severity.MUST_FIX, mask, percent, share, reason, sign)

    def gamut(self) -> Iterator[Finding]:
        """Colours that the gamut asked for can't show, on more of the picture than is tolerated."""
        if self.rules.gamut is None:
            return
        area = self._column("gamut_area")
        words = f"Colours outside {standard(self.rules.gamut)} on {{:.1f}} % of the picture"
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
            graphic = self._drawn(f"clip_{end}_graphic", flat)
            level = self._column(f"clip_{end}_level").astype(np.float64)
            extreme = flat.any() and sign * level[flat].mean() > sign * _EXTREME[end]  # a flat mid grey is neither
            tone = f"Flat {drawn}" if extreme else "Flat tone at"
            words = f"{tone} {{:.1f}} %, likely graphics" if graphic else lost + " clipped at {:.1f} %"
            severity = Severity.NOTE if graphic else Severity.LOOK
            yield from self._runs_of(f"clip-{end}", severity, flat, level, area, words, sign)
        looked = np.flatnonzero(self._readable & (self._column("clip_red_area") >= 0))
        if len(looked):
            # Components are looked at in some frames; those between them are taken to be like the last.
            last = looked[np.maximum(np.searchsorted(looked, np.arange(self.shot.length), side="right") - 1, 0)]
            for name in ("red", "green", "blue"):
                yield from self._clipped_component(name, last)

    def _clipped_component(self, name: str, last: NDArray[np.int64]) -> Iterator[Finding]:
        """One component's flat top, where it is more than that of luma; ``last``: the frame that tells of each."""
        area = self._column(f"clip_{name}_area")[last]
        flat = self._readable & (area > _WIDER * self._column("clip_high_area") + self.rules.clip_area)
        if self._drawn(f"clip_{name}_graphic", flat, last):
            return
        level = self._column(f"clip_{name}_level")[last].astype(np.float64)
        words = f"{name.capitalize()} clipped at {{:.1f}} %"
        yield from self._runs_of(f"clip-{name}", Severity.LOOK, flat, level, area, words)

    def _drawn(self, column: str, flat: NDArray[np.bool_], last: NDArray[np.int64] | None = None) -> bool:
        """Whether flat tones are graphics: a shot is one kind of picture, so the more frequent verdict holds for all of it."""
        graphic = self._column(column) if last is None else self._column(column)[last]
        return bool(flat.any()) and float(graphic[flat].mean()) > 0.5

    def levels(self) -> Iterator[Finding]:
        """A shot whose levels contradict its range tag, or one of a source that surely does."""
        formats = self.table.formats
        ranges = {formats[n].range for n in set(self._column("format").tolist())} if formats else {self.source.range}
        found, tag = self.range_evidence, min(ranges)
        if len(ranges) > 1 or found.speaks_for in (None, tag) or found.confidence < UNTOLD:
            return
        sure = "all the source agrees" if self.surely else "this shot alone"
        words = (
            f"Levels look {found.speaks_for} range, tagged {tag}: {found.reason} (confidence {found.confidence:.2f}; {sure})"
        )
        severity = Severity.LOOK
        if found.confidence < LIKELY:
            severity = Severity.NOTE
            words = f"Levels may be {found.speaks_for} range, tagged {tag}, or graded so: {found.reason}"
        whole = np.full(self.shot.length, 100.0, np.float32)
        yield from self._runs_of("levels", severity, self._readable, self._percent("y_p999"), whole, words)

    def _measurable(self, other: SignalFormat) -> bool:
        """Whether frames of another format can be measured beside the programme's."""
        kept = attrgetter("width", "height", "bit_depth", "model", "halved")
        return bool(kept(other) == kept(self.source))

    def unreadable(self) -> Iterator[Finding]:
        """Frames that could not be decoded, however few."""
        missing = ~self._readable
        area = np.where(missing, np.float32(100), np.float32(0))
        value = area.astype(np.float64)
        lost = self.surveyed.lost
        there = ~np.isin(np.arange(self.shot.first, self.shot.last + 1), lost if lost is not None else ())
        other = np.array([not self._measurable(each) for each in self.table.formats or [self.source]])[self._column("format")]
        for rule, mask, words in (
            ("unreadable", missing & there & ~other, "Frames that can't be decoded"),
            ("unreadable", missing & there & other, "Frames of another size or sampling, which were not measured"),
            ("missing", missing & ~there, "Frames that are not in the file, by its times or by what it declares"),
        ):
            yield from self._runs_of(rule, Severity.MUST_FIX, mask, value, area, words, least=1)

    def tags(self) -> Iterator[Finding]:
        """Frames from which on the programme says something else of itself."""
        formats, start = self.table.formats, self.shot.first
        if len(formats) < 2:
            return
        place = self.table.column("format")[max(start - 1, 0) : self.shot.last + 1]
        if not start:
            place = np.concatenate([place[:1], place])
        changes = place[1:] != place[:-1]
        whole = np.full(len(changes), 100.0, np.float32)
        for found in self._runs_of("tags", Severity(self.rules.tags), changes, whole.astype(np.float64), whole, "", least=1):
            at = found.worst_frame - start
            words = difference(formats[place[at]], formats[place[at + 1]])
            yield replace(found, reason=f"From here its frames say {words}{_runs_told(found)}")

    @property
    def _levels(self) -> tuple[Column, Column]:
        """Black and swing of each frame, in codes."""
        return self.table.levels(self.source, self._span)

    @property
    def _span(self) -> slice:
        return slice(self.shot.first, self.shot.last + 1)

    @property
    def _readable(self) -> NDArray[np.bool_]:
        return self._column("readable")

    def _column(self, name: str) -> NDArray[Any]:
        return self.table.column(name)[self._span]

    def _area(self, name: str) -> NDArray[np.float32]:
        """Percent of the shot's own picture outside a limit."""
        area: NDArray[np.float32] = self._column(f"{name}_area") * np.float32(self.picture.share)
        if self.picture.blanked:
            return area
        # What lies outside the programme's active picture is picture here.
        return np.asarray(area + self._column(f"blank_{name}") * np.float32(100 / self.picture.pixels), np.float32)

    def _percent(self, name: str) -> Column:
        return self.percent[name][self._span]

    def _runs_of(
        self, rule: str, severity: Severity, mask: NDArray[np.bool_], value: Column, area: NDArray[np.float32], words: str,
        sign: int = 1, least: int | None = None,
    ) -> Iterator[Finding]:  # fmt: skip
        """A finding for each run of frames in ``mask`` that is long enough; runs that lie close together are one."""
        if not mask.any():
            return
        start = self.shot.first
        kept = [run for run in _runs(mask) if run[1] - run[0] + 1 >= (least or self.rules.frames)]
        for runs in _close(kept, self.rules.gap * self.surveyed.rate):
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
                reason=_filled(words, worst_value) + (f" ({len(runs)} runs)" if len(runs) > 1 else ""),
                runs=len(runs),
                frames=len(inside),
            )


def _filled(words: str, value: float) -> str:
    """The sentence with its figure, if it has one, and a true minus sign in that alone."""
    before, brace, after = words.partition("{:")
    if not brace:
        return words
    form, _, rest = after.partition("}")
    return before + figure(value, form) + rest


def _runs_told(found: Finding) -> str:
    return f" ({found.runs} runs)" if found.runs > 1 else ""


def _close(runs: list[tuple[int, int]], gap: float) -> list[list[tuple[int, int]]]:
    """Runs in groups that lie less than ``gap`` frames apart."""
    groups: list[list[tuple[int, int]]] = []
    for run in runs:
        if groups and run[0] - groups[-1][-1][1] - 1 < gap:
            groups[-1].append(run)
        else:
            groups.append([run])
    return groups


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last index of every run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(first), int(after) - 1) for first, after in zip(edges[::2], edges[1::2], strict=True)]
