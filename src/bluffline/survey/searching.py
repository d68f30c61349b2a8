"""What is looked for among the frames of a survey once all of them are measured, where the rules ask for it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from bluffline.measure.bars import read_bars
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.spots import LEAST_PICTURES, Spots, SpotSearch
from bluffline.media.reader import Reader
from bluffline.rules.each.chart import ChartAsked
from bluffline.rules.each.line_up import LineUpAsked
from bluffline.rules.evidence import ChartMeasure
from bluffline.rules.shots import Shot
from bluffline.survey.chart_rule import chart_in, rule_reference
from bluffline.survey.monitor import Monitor

if TYPE_CHECKING:
    from bluffline.survey.survey import Survey

_PICTURES = 48  # that are looked at for single pixels, at most
_BLOCKS = 144  # bytes of a look that are mean luma of a grid, 200 steps to nominal white
_UNLIKE = 12.0  # of these steps, by which pictures that are unlike one another differ in the mean
_EVENLY = 0.6180339887  # the golden ratio: its multiples, less their whole parts, lie evenly however many there are


def charts_in(survey: Survey, rule: ChartAsked, reader: Reader, monitor: Monitor) -> Iterator[ChartMeasure]:
    """What charts measure that stand in the middle of a shot."""
    reference, shots = rule_reference(rule), survey.shots()
    for number, shot in enumerate(shots):
        middle = shot.middle
        planes = reader.planes(middle)
        measure = None if planes is None else chart_in(middle, planes, survey.source, reference)
        monitor.at("Charts", number + 1, len(shots), "shots")
        if measure is not None:
            yield measure


def spots_in(survey: Survey, reader: Reader, monitor: Monitor) -> Spots:
    """The single pixels that stand out in pictures of the programme's own form that are unlike one another."""
    search, frames = SpotSearch(survey.source, survey.region), _unlike(survey)
    if len(frames) < LEAST_PICTURES:  # whatever stands out in them, nothing could be told
        return Spots(len(frames), ())
    for number, frame in enumerate(frames, 1):
        planes = reader.planes(frame)
        if planes is not None:
            search.look(frame, planes)
        monitor.at("Pixels", number, len(frames), "pictures")
    return search.result()


def _unlike(survey: Survey) -> list[int]:
    """Frames from the middles of shots all over a programme whose pictures are unlike one another."""
    table, middles = survey.table, np.array([shot.middle for shot in survey.shots()], np.intp)
    middles = middles[table.column("readable")[middles] & (table.column("format")[middles] == 0)]  # as the programme's own
    blocks = table.column("look")[middles, :_BLOCKS].astype(np.float32)
    chosen: list[int] = []
    for place in np.argsort(np.arange(len(middles)) * _EVENLY % 1).tolist():  # what comes early speaks for no other
        if len(chosen) < _PICTURES and (np.abs(blocks[chosen] - blocks[place]).mean(axis=1) > _UNLIKE).all():
            chosen.append(place)
    return sorted(middles[chosen].tolist())


def bars_in(survey: Survey, asked: LineUpAsked, reader: Reader) -> Iterator[Shot]:
    """The shots of colour bars among the first."""
    for shot in survey.shots():
        if shot.first > 2 * asked.seconds * survey.programme.frame_rate:
            return
        planes = reader.planes(shot.middle)
        if planes is not None and read_bars(FrameSignal(planes, survey.source), survey.region) is not None:
            yield shot
