"""Surveying a programme: every frame measured once, shots and findings from that."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from functools import lru_cache, partial
from itertools import dropwhile, takewhile

import numpy as np

from bluffline.measure.active import find_active_picture
from bluffline.measure.areas import Selection
from bluffline.measure.brightness import brightness
from bluffline.measure.fields import FieldPairs, FieldVote
from bluffline.measure.flashes import FlashHistory, lights
from bluffline.measure.frame_measure import FrameMeasure, measure_area, measure_frame
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.gamut import gamut_area
from bluffline.measure.region import Region, without
from bluffline.measure.sound import SoundMeasure
from bluffline.measure.spots import Spots
from bluffline.measure.table import SurveyTable
from bluffline.media.programme import Programme
from bluffline.media.reader import Frame, Reader
from bluffline.media.riders import ridden
from bluffline.rules.columns import Column, Memo, table_levels
from bluffline.rules.each.chart import Chart
from bluffline.rules.each.dead import Dead
from bluffline.rules.each.flash import Flash
from bluffline.rules.each.hdr import Hdr
from bluffline.rules.each.line_up import LineUp
from bluffline.rules.each.loudness import Loudness
from bluffline.rules.evidence import ChartMeasure, Surveyed
from bluffline.rules.finding import Finding, Waiver
from bluffline.rules.judging import judge
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, TransitionSearch, find_shots, shot_at
from bluffline.rules.waivers import waived
from bluffline.signal.colorimetry import one_light
from bluffline.signal.format import Planes, SignalFormat
from bluffline.survey.chart_rule import rule_reference
from bluffline.survey.hearing import Listening, Mapping, listening
from bluffline.survey.monitor import Monitor, ahead_of, in_order
from bluffline.survey.searching import bars_in, charts_in, spots_in

_SAMPLES = 12
FIELDS_EVERY = 8  # frames: from one pair that is looked at for the order of fields to the next
_CHART, _DEAD, _FLASH, _HDR, _LINE_UP, _SOUND = Chart(), Dead(), Flash(), Hdr(), LineUp(), Loudness()
_BEFORE = 12  # frames that are decoded before those that are measured
_Told = tuple[FrameMeasure | None, SignalFormat | None, tuple[int, int, int], FieldVote]
THOROUGH_EVERY = 12  # frames: what a camera clips, and the range of a source, last longer than that


@dataclass(frozen=True)
class Survey:
    """A survey, finished or still growing: what was asked for, and the rows measured so far.

    ``exact``: shots in which no pixel is excused for having been rounded, since they were treated here. ``read``: once it is
    finished, `Reader.digest` of what was measured, if it was measured in one go. ``riding``: what rides on its frames, see
    `media.riders`. ``waivers``: what findings are to pass, and by whose word. ``bars``: its first shots that are colour bars;
    ``spots``: holds what single pixels stand out; ``searched``: holds True once those and charts were looked for, where the
    rules ask for any, ``heard``: once ``sounds`` holds every programme sound, where they ask for those. ``joins``: by what its
    shots come and go.
    """

    programme: Programme
    region: Region
    rules: Rules
    table: SurveyTable = field(repr=False)
    charts: list[ChartMeasure] = field(default_factory=list)
    read: list[str] = field(default_factory=list)
    exact: tuple[Shot, ...] = ()
    bars: list[Shot] = field(default_factory=list)
    spots: list[Spots] = field(default_factory=list)
    searched: list[bool] = field(default_factory=list)
    sounds: list[SoundMeasure] = field(default_factory=list, repr=False)
    heard: list[bool] = field(default_factory=list)
    riding: set[str] = field(default_factory=set)
    waivers: tuple[Waiver, ...] = ()
    joins: TransitionSearch = field(default_factory=TransitionSearch, repr=False)

    @property
    def source(self) -> SignalFormat:
        """How the programme is read: as its first frame is tagged, with the operator's word on it."""
        return self.programme.format

    @property
    def complete(self) -> bool:
        """Whether every frame has been measured, and all is looked for that is looked for among them."""
        searched = not any(rule.on(self.rules) for rule in (_CHART, _LINE_UP, _DEAD)) or any(self.searched)
        heard = not _SOUND.on(self.rules) or any(self.heard)
        return self.joins.known == len(self.table) == self.programme.frame_count and searched and heard

    def clear(self) -> None:
        """Forget what has been measured."""
        self.table.clear()
        self.riding.clear()
        self.joins.take([], 0)
        self.read[:] = []

    def shots(self) -> list[Shot]:
        """Shots of what has been measured so far."""
        return find_shots(self.table.frozen(), self.joins.found)

    def findings(self, shots: list[Shot] | None = None, memo: Memo | None = None) -> list[Finding]:
        """Findings of what has been measured so far, in ``shots`` or in those it finds itself.

        ``memo``: what was judged of this survey before.
        """
        shots = self.shots() if shots is None else shots
        index, programme = self.programme.index, self.programme
        surveyed = Surveyed(
            self.region, float(programme.frame_rate), index.lost, self.complete, self.source, index.broken,
            programme.sound_after, list(self.charts), list(self.sounds) if any(self.heard) else None, list(self.bars),
            self.spots[0] if self.spots else None, programme.tracks, programme.timecode, programme.title,
            programme.carried.mastering, programme.carried.light,
        )  # fmt: skip
        return waived(judge(self.table.frozen(), shots, self.source, self.rules, surveyed, memo), self.waivers)


def mended_by_writing(survey: Survey, finding: Finding) -> bool:
    """Whether a finding is no more once the programme is written: where tags change, all is brought to one format then."""
    return finding.rule == "tags" and len({one_light(each.transfer, each.primaries) for each in survey.table.formats}) == 1


def unreadable_frames(survey: Survey) -> list[int]:
    """The frames of a finished survey that could not be read."""
    return [int(number) for number in np.flatnonzero(~survey.table.column("readable"))]


def must_fix(findings: Iterable[Finding]) -> list[Finding]:
    """The findings that stop a programme from going to air: nobody has waived them."""
    return [finding for finding in findings if finding.severity is Severity.MUST_FIX and finding.waiver is None]


def find_region(programme: Programme) -> Region:
    """The active picture, from frames all over the programme (those that can be reached without decoding others)."""
    keys = programme.index.keys
    chosen = keys[np.unique(np.linspace(0, len(keys) - 1, _SAMPLES).astype(int))] if len(keys) else []
    source = programme.format
    with Reader(programme, keep_bytes=0) as reader:
        frames = (reader.key_frame(int(number)) for number in (chosen if programme.index.timed else [0]))
        return find_active_picture((planes for frame in frames if (planes := frame.planes_as(source)) is not None), source)


def start_survey(programme: Programme, rules: Rules, *, region: Region | None = None) -> Survey:
    """An empty survey, its active picture settled; `run_survey` fills it."""
    source = programme.format
    region = region or find_region(programme)
    if _CHART.on(rules):
        rule_reference(_CHART.asked(rules))  # what can't be used is told before anything is measured
    table = SurveyTable(programme.frame_count, len(rules.limited), [source], flash_history(programme, rules))
    return Survey(programme, region, rules, table)


def flash_history(programme: Programme, rules: Rules) -> FlashHistory | None:
    """What counts the flashes of a programme, where the rules ask for it."""
    limits = _FLASH.measured(rules)
    return None if limits is None else FlashHistory(limits, float(programme.frame_rate), programme.format)


def run_survey(survey: Survey, monitor: Monitor, *, stage: str = "Survey") -> Survey:
    """Measure every frame that has not been into the survey's table, which others may read meanwhile.

    Raises
    ------
    CancelledError : the monitor was asked to stop; the rows measured so far remain.
    """
    total = survey.programme.frame_count
    with Reader(survey.programme) as reader, listening(survey.programme, to_hear(survey)) as heard:
        if len(survey.table) == total:
            return end_survey(survey, reader, None, monitor, heard)
        begun = len(survey.table)
        for told in measured_frames(survey, reader, begun, total):
            survey.table.append(*told)
            survey.joins.grow(survey.table, complete=False)
            monitor.at(stage, len(survey.table), total)
        return end_survey(survey, reader, reader.digest if begun == 0 else "", monitor, heard)


def to_hear(survey: Survey) -> Mapping | None:
    """The programme sounds that a survey still has to hear; None where there are none."""
    return None if any(survey.heard) else _SOUND.measured(survey.rules)


def measured_frames(
    survey: Survey, reader: Reader, first: int, after: int, looked_at: int | None = None
) -> Iterator[_Told]:
    """What each frame of a run tells by itself, for `SurveyTable.append`, in their order, worked on by all cores.

    ``looked_at``: the frame from which on it is noted what rides on them; ``first`` where None.
    """
    noted = first if looked_at is None else looked_at
    before = reader.frames(max(first - _BEFORE, 0))  # a decoder hides damage by what it has decoded before
    frames = takewhile(lambda frame: frame.number < after, dropwhile(lambda frame: frame.number < first, before))
    return in_order(partial(_measure, survey), _watched(frames, survey, noted), ahead_of(survey.source))


def end_survey(
    survey: Survey, reader: Reader, digest: str | None, monitor: Monitor, heard: Listening | None
) -> Survey:
    """Finish a survey whose frames are all measured.

    ``digest``: see `Reader.digest`; None where it is known already. ``heard``: what listens to its sound, where that is asked.
    """
    survey.joins.grow(survey.table, complete=True)
    if digest is not None:
        survey.read[:] = [digest] if digest else []
    if _CHART.on(survey.rules):
        survey.charts[:] = charts_in(survey, _CHART.asked(survey.rules), reader, monitor)
    if _LINE_UP.on(survey.rules):
        survey.bars[:] = bars_in(survey, _LINE_UP.asked(survey.rules), reader)
    if _DEAD.on(survey.rules):
        survey.spots[:] = [spots_in(survey, reader, monitor)]
    survey.searched[:] = [True]
    if heard is not None:
        survey.sounds[:] = heard.result(monitor)
        survey.heard[:] = [True]
    return survey


def levels_of(programme: Programme, rules: Rules, frames: range) -> dict[str, Column]:
    """How far luma and R′G′B′ reach in a run of frames, in percent, and the mean of luma; NaN where one can't be measured."""
    survey = start_survey(programme, rules)
    table = SurveyTable(len(frames), len(rules.limited), [survey.source])
    with Reader(programme) as reader:
        for frame in reader.frames(frames.start):
            if frame.number >= frames.stop:
                break
            table.append(*_measure(survey, (frame, FieldVote.NOTHING)))
    return table_levels(table, survey.source)


def _watched(frames: Iterator[Frame], survey: Survey, noted: int) -> Iterator[tuple[Frame, FieldVote]]:
    """Frames as they come, and what pairs of them tell of the order of fields; from one on it is noted what rides on them."""
    pairs = FieldPairs()
    for frame in frames:
        if frame.number >= noted:
            survey.riding.update(frame.riders)
        vote, place = FieldVote.NOTHING, frame.number % FIELDS_EVERY
        if place < 2:
            vote = pairs.vote(None if frame.planes is None else frame.planes[0], frame.format, first=place == 0)
        yield frame, vote


def _measure(survey: Survey, watched: tuple[Frame, FieldVote]) -> _Told:
    """What a frame measures by its own format, that format, what rides on it, and what was told of the order of fields."""
    frame, vote = watched
    riding = ridden(frame.riders, survey.programme.frame_rate)
    if frame.planes is None or frame.format is None:
        return None, frame.format, riding, vote
    strict = bool(survey.exact) and frame.number in survey.exact[shot_at(survey.exact, frame.number)]
    rules = exacting(survey.rules) if strict else survey.rules
    thorough = frame.number % THOROUGH_EVERY == 0
    measure = measure_by_rules(frame.planes, frame.format, survey.region, rules, thorough=thorough)
    if (limits := _FLASH.measured(rules)) is not None:
        measure = replace(measure, lights=lights(frame.planes, frame.format, limits.white))
    if (peak := _HDR.measured(rules)) is not None and frame.format.transfer == "pq":
        mean, over = brightness(frame.planes, frame.format, survey.region, peak)
        measure = replace(measure, light_mean=mean, light_area=over)
    return measure, frame.format, riding, vote


@lru_cache(maxsize=4)
def exacting(rules: Rules) -> Rules:
    """The same rules for what is written here: no code is excused because it was rounded."""
    return replace(rules, limits=replace(rules.limits, exact=True))


def measure_by_rules(
    planes: Planes, source: SignalFormat, region: Region, rules: Rules, *, thorough: bool = False
) -> FrameMeasure:
    """Everything of a frame that the rules in force ask for; see there for ``thorough``."""
    size = source.width, source.height
    left_out = [area.region(*size) for area in rules.left_out]
    measure = measure_frame(planes, source, region, rules.limits, left_out, low_pass=rules.low_pass, thorough=thorough)
    if rules.limited:
        areas = tuple(measure_area(planes, source, area.region(*size), area.luma) for area in rules.limited if area.luma)
        measure = replace(measure, areas=areas)
    if rules.gamut is not None:
        judged = _judged(*size, region, tuple(left_out))
        measure = replace(measure, gamut_area=gamut_area(FrameSignal(planes, source), judged, rules.gamut))
    return measure


@lru_cache(maxsize=8)
def _judged(width: int, height: int, region: Region, left_out: tuple[Region, ...]) -> Selection:
    """The active picture without what is left out."""
    mask = np.zeros((height, width), bool)
    for left, right, top, bottom in (part.edges for part in without(region, left_out)):
        mask[top:bottom, left:right] = True
    return Selection.of_mask(mask)
