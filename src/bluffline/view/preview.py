"""One frame as the desk shows it: pictures for the screen, gauge counts and figures from the full-size samples."""

from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges.instrument import Instrument, Trace
from bluffline.gauges.painting import Painting, TraceStyle, ground
from bluffline.measure.areas import Area, Selection, Taken, select
from bluffline.measure.counted import Limits, rgb_arithmetic, ycbcr_planes
from bluffline.measure.frame_measure import FrameMeasure, measure_frame
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.gamut import gamut_area, mark_gamut
from bluffline.measure.outside import GAMUT, HIGH, LOW, LUMA, RGB, mark_luma, mark_outside
from bluffline.measure.reading import Reading, read_selection
from bluffline.measure.region import Region
from bluffline.prove.across import AcrossTreatment
from bluffline.rules.rules import Rules
from bluffline.session.around import Around
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.survey.survey import measure_by_rules
from bluffline.treat.frame_treatment import FrameTreatment, greyed, reach_weights
from bluffline.treat.ladder import Treatment
from bluffline.view import preview_kernels as kernels
from bluffline.view import zones
from bluffline.view.tone_mapping import tables, tone_mapped

_GRID = 4  # pixels from one that is looked at to the next
_POOL = ThreadPoolExecutor(2, thread_name_prefix="bluffline-preview")


@dataclass(frozen=True, slots=True)
class ScreenPicture:
    """``image``: (H, W) uint32 of bytes B, G, R, 255; ``marks``: (H, W) uint8, bits of `measure.outside`, hatched if asked.

    ``mapped``: whether it is HDR, brought to the light of an SDR screen.
    """

    image: NDArray[np.uint32]
    marks: NDArray[np.uint8]
    mapped: bool = False


@dataclass(frozen=True, slots=True)
class GaugeView:
    """A gauge as it is to be drawn: columns and rows of its field, in screen pixels."""

    gauge: Instrument
    size: tuple[int, int]


@dataclass(frozen=True, eq=False)
class PinnedFrame:
    """A frame kept for comparison: its native planes, copied, and what it is called."""

    title: str
    planes: Planes
    source: SignalFormat


@dataclass(frozen=True)
class View:
    """How a frame is to be shown.

    ``rules``: where areas, gamut and the like are to be judged as well as ``limits``; ``picture_size``: screen pixels,
    columns and rows; ``window``: the part of the picture that fills them, all of it where None; ``areas`` and ``taken``:
    which pixels the gauges take; ``line_field``: 0 or 1 to show the upper or the lower field alone; ``isolated``: a single
    column (x, None) or line (None, y) for the waveforms; ``gauges_show_source``: whether the gauges read the source although
    there is a treatment; ``pinned``: a frame whose traces are laid over in outline, as those of the source are with
    ``outline_source``; ``shown_reach``: a ladder and a rung, what that does not reach is shown without colour, on the gauges
    as well. ``around``: what is known of other frames, where a gauge shows them.
    ``proxy``: the treatment for every other pixel of every other line, which alone are worked on while something moves.
    """

    source: SignalFormat
    region: Region
    limits: Limits
    treatment: FrameTreatment | AcrossTreatment
    picture_size: tuple[int, int]
    gauges: tuple[GaugeView, ...] = ()
    rules: Rules | None = None
    look: TraceStyle = field(default_factory=TraceStyle)
    gamut: str | None = None
    hatching: bool = True
    zones: bool = False
    line_field: int | None = None
    window: Region | None = None
    areas: tuple[Area, ...] = ()
    taken: Taken = Taken.WHOLE
    isolated: tuple[int | None, int | None] = (None, None)
    gauges_show_source: bool = False
    pinned: PinnedFrame | None = None
    outline_source: bool = False
    shown_reach: tuple[Treatment, int] | None = None
    around: Around | None = None
    proxy: FrameTreatment | AcrossTreatment | None = None


def half_size(source: SignalFormat) -> SignalFormat:
    """The format of every other pixel of every other line: of one field, so that it has none itself."""
    return replace(source, width=-(-source.width // 2), height=-(-source.height // 2), interlaced=False)


@dataclass(frozen=True, slots=True)
class AreaReading:
    """What an area measures, and what it measures on the frame compared with, where there is one of the same size."""

    name: str
    now: Reading
    other: Reading | None = None


@dataclass(frozen=True, eq=False)
class Preview:
    """A frame made ready. ``treated`` is None where there is no treatment; all are None where it is unreadable.

    ``pinned``: the picture of the pinned frame; ``gauges``: counts and (H, W) uint32 pixels, in the order of the view's;
    ``gamut_area``: percent of the pixels taken that lie outside the gamut in view, where a gauge shows chromaticities;
    ``signal``: the frame that the gauges read, ``other`` the one laid over in outline; ``tones``: how often each luma code is
    found in the source, on a grid of its pixels. ``proxy``: whether it is half as wide and high; nothing is measured of it.
    """

    frame: int
    readable: bool
    original: ScreenPicture | None = None
    treated: ScreenPicture | None = None
    pinned: ScreenPicture | None = None
    gauges: tuple[tuple[Trace, NDArray[np.uint32]], ...] = ()
    measure: FrameMeasure | None = None
    signal: FrameSignal | None = None
    other: FrameSignal | None = None
    readings: tuple[AreaReading, ...] = ()
    gamut_area: float | None = None
    tones: NDArray[np.int64] | None = None
    proxy: bool = False


def make_preview(frame: int, planes: Planes | None, view: View, before: tuple[View, Preview] | None = None) -> Preview:
    """Everything the desk draws of one frame.

    Parameters
    ----------
    planes : native planes in ``view.source``, or None where the frame can't be decoded
    before : what was made last of the same programme: its picture of the source serves again where nothing of it changed
    """
    if planes is None:
        return Preview(frame, readable=False)
    if view.proxy is not None:
        return _proxy(frame, planes, view, before)
    kept = before[1].original if before is not None and before[1].frame == frame and _same_picture(before[0], view) else None
    # Begun before the treatment, which it does not wait for; without one it waits for what is measured.
    early = kept is None and view.treatment.active
    original = _POOL.submit(screen_picture, planes, view) if early else None
    treated = view.treatment.apply(planes, frame, _POOL)
    if view.shown_reach is not None:
        weights = reach_weights(*view.shown_reach, view.source, planes, frame)
        treated = greyed(treated, weights, view.source)
    shown = planes if view.gauges_show_source else treated
    measured = _POOL.submit(_measure, shown, view)
    signal, other = FrameSignal(shown, view.source), None
    if view.pinned is not None:
        other = FrameSignal(view.pinned.planes, view.pinned.source)
    elif view.outline_source and shown is not planes:
        other = FrameSignal(planes, view.source)
    gauges = [_POOL.submit(_draw_gauge, gauge, frame, signal, other, view) for gauge in view.gauges]
    # Last, since a picture that waits for what is measured holds a place in the pool.
    if kept is None and not early:
        original = _POOL.submit(_measured_picture, planes, view, measured)
    own = measured if shown is treated else None
    other_picture = view.treatment.active or view.shown_reach is not None
    picture = _POOL.submit(_measured_picture, treated, view, own) if other_picture else None
    return Preview(
        frame,
        readable=True,
        original=kept if original is None else original.result(),
        treated=None if picture is None else picture.result(),
        pinned=_pinned_picture(view) if view.pinned is not None else None,
        gauges=tuple(gauge.result() for gauge in gauges),
        measure=measured.result(),
        signal=signal,
        other=other,
        readings=tuple(_read_areas(signal, other, view)),
        gamut_area=_gamut_area(signal, view),
        tones=_tones(planes, view.source),
    )


def _proxy(frame: int, planes: Planes, view: View, before: tuple[View, Preview] | None) -> Preview:
    """The same of half the size, of the field in view or the upper one: to be seen, not measured."""
    assert view.proxy is not None
    source, region, field = view.source, view.region, view.line_field or 0
    sizes = ((source.width, source.height), source.chroma_size, source.chroma_size)
    luma, cb, cr = (
        np.ascontiguousarray(plane[_lines_of(field, rows), :columns:2])
        for plane, (columns, rows) in zip(planes, sizes, strict=True)
    )
    part = Region(region.x // 2, region.y // 2, -(-region.width // 2), -(-region.height // 2))
    small = replace(view, source=half_size(source), region=part, treatment=view.proxy, proxy=None, line_field=None)
    if before is not None:
        same = before[1].proxy and before[0].line_field == view.line_field
        before = (replace(before[0], source=small.source, proxy=None, line_field=None), before[1]) if same else None
    made = make_preview(frame, (luma, cb, cr), small, before)
    return replace(made, measure=None, signal=None, gamut_area=None, tones=_tones(planes, source), proxy=True)


def _lines_of(field: int, rows: int) -> NDArray[np.int64]:
    """(half of the rows, rounded up) the rows of a field; its last one again where it has a row less."""
    return np.minimum(np.arange(field, rows + field, 2), max(rows - 1 - (rows - 1 - field) % 2, 0))


def _tones(planes: Planes, source: SignalFormat) -> NDArray[np.int64]:
    """(2**depth,) how many pixels of a grid have each code of luma."""
    parts = [plane[::_GRID, : source.width : _GRID] for plane in planes] if source.model is Model.RGB else None
    luma = planes[0][::_GRID, : source.width : _GRID]
    if parts is not None:
        whole = sum(part * weight for part, weight in zip(parts, source.matrix.luma_weights, strict=True))
        luma = np.rint(whole).astype(np.int64)
    return np.bincount(luma.ravel(), minlength=1 << source.bit_depth)


def _gamut_area(signal: FrameSignal, view: View) -> float | None:
    if view.gamut is None or not any(each.gauge.by_gamut for each in view.gauges):
        return None
    return gamut_area(signal, select(view.source, view.areas, view.taken), view.gamut)


def _measure(planes: Planes, view: View) -> FrameMeasure:
    if view.rules is None:
        return measure_frame(planes, view.source, view.region, view.limits, thorough=False)
    return measure_by_rules(planes, view.source, view.region, view.rules)


def _measured_picture(planes: Planes, view: View, measured: Future[FrameMeasure] | None) -> ScreenPicture:
    """A frame for the screen; one that was measured to be legal need not be searched for marks."""
    own = view.rules is not None and (view.rules.areas or view.rules.gamut)
    if measured is None or own or view.region != Region.whole(view.source):
        return screen_picture(planes, view)
    measure = measured.result()  # begun before this, so it never waits for a place in the pool
    outside = measure.luma_high_area + measure.luma_low_area + measure.rgb_high_area + measure.rgb_low_area
    return screen_picture(planes, replace(view, hatching=view.hatching and outside > 0))


def _same_picture(one: View, other: View) -> bool:
    """Whether the source looks the same in two views of a frame."""
    names = ("source", "limits", "rules", "picture_size", "window", "hatching", "zones", "line_field")
    return all(getattr(one, name) == getattr(other, name) for name in names)


def _read_areas(signal: FrameSignal, other: FrameSignal | None, view: View) -> Iterator[AreaReading]:
    """Each area; the whole picture as well where two frames are compared."""
    parts = [(area.name, (area,)) for area in view.areas]
    for name, areas in [*parts, ("whole picture", ())] if other is not None else parts:
        now = read_selection(signal, select(signal.source, areas))
        same = other is not None and (other.source.width, other.source.height) == (view.source.width, view.source.height)
        if now is not None:
            before = read_selection(other, select(other.source, areas)) if other is not None and (same or not areas) else None
            yield AreaReading(name, now, before)


def _pinned_picture(view: View) -> ScreenPicture:
    """The pinned frame at the size of the picture in view; all of it, where its format is another."""
    assert view.pinned is not None
    source = view.pinned.source
    same = (source.width, source.height) == (view.source.width, view.source.height)
    window = view.window if same else None
    return screen_picture(view.pinned.planes, replace(view, source=source, window=window))


def _draw_gauge(
    asked: GaugeView, frame: int, signal: FrameSignal, other: FrameSignal | None, view: View
) -> tuple[Trace, NDArray[np.uint32]]:
    gauge, image = asked.gauge, ground(asked.size)

    moment = view.around.at(frame, gauge.around) if view.around is not None and gauge.around else None

    def counted(seen: FrameSignal) -> Trace:
        return gauge.count(seen, _selection(gauge, seen.source, view), asked.size[0], moment)

    trace = counted(signal)
    laid_over = counted(other) if other is not None else None
    gauge.paint(trace, image, Painting(view.source, view.limits, view.look, view.gamut), laid_over)
    return trace, image


def _selection(gauge: Instrument, source: SignalFormat, view: View) -> Selection:
    x, y = view.isolated
    if gauge.across:
        if y is not None:
            return Selection.box(source, 0, y, source.width, y + 1)
        if x is not None:
            return Selection.box(source, x, 0, x + 1, source.height)
    return select(source, view.areas, view.taken)


def screen_picture(planes: Planes, view: View) -> ScreenPicture:
    """The part of a frame in view for the screen, each pixel the mean of those it covers, marked where any is outside."""
    source, single = view.source, np.float32
    marked = mark_by_rules(planes, source, view) if view.hatching else None
    levels, gains = source.levels, rgb_arithmetic(source)[-1]
    width, height = view.picture_size
    shown = view.window or Region.whole(source)
    luma, cb, cr = ycbcr_planes(planes, source)
    columns, rows = _covered(shown.x, shown.width, width), _covered(shown.y, shown.height, height)
    across, down = source.halved if source.model is Model.YCBCR else (False, False)
    site_rows = _halved(rows) if down else rows
    if view.line_field is not None:
        rows = _of_field(rows, view.line_field, source.height)
        site_rows = _of_field(site_rows, view.line_field, source.chroma_size[1]) if down else rows
    sites = _halved(columns) if across else columns, site_rows
    per_span, zero = single(1 / levels.span), single(levels.zero)
    image, marks = np.empty((height, width), np.uint32), np.zeros((height, width), np.uint8)
    light = kernels.shrink(luma, columns, rows, single(1 / levels.swing), single(levels.black))
    mapped = tone_mapped(source) and not view.zones
    if view.zones:
        kernels.paint_zones(light, zones.edges(), zones.inks(), zones.patterns(), image)
    else:
        chroma = kernels.shrink(cb, *sites, per_span, zero), kernels.shrink(cr, *sites, per_span, zero)
        if mapped:
            kernels.paint_hdr(light, *chroma, gains, *tables(source), image)
        else:
            kernels.paint(light, *chroma, gains, image)
    if marked is not None:
        kernels.gather_marks(marked, columns, rows, marks)
        kernels.hatch(image, marks, *(np.uint8(bits) for bits in (LUMA, RGB, HIGH, LOW)))
    return ScreenPicture(image, marks, mapped)


def mark_by_rules(planes: Planes, source: SignalFormat, view: View) -> NDArray[np.uint8]:
    """The rules that each pixel breaks, (H, W) bits of `measure.outside`; areas with rules of their own by those."""
    marks = mark_outside(planes, source, view.limits)
    rules, size = view.rules, (source.width, source.height)
    if rules is None:
        return marks
    if rules.gamut is not None:
        mark_gamut(FrameSignal(planes, source), Selection.whole(source), rules.gamut, GAMUT, marks)
    for area in rules.limited:
        if area.luma is not None:
            mark_luma(planes, source, area.region(*size), area.luma, marks)
    for area in rules.left_out:
        left, right, top, bottom = area.region(*size).edges
        marks[top:bottom, left:right] = 0
    return marks


def _covered(start: int, length: int, pixels: int) -> NDArray[np.uint32]:
    """(2, pixels): the first sample that each screen pixel covers, and the one after its last."""
    places = start + np.arange(pixels + 1) * length // pixels
    return np.stack([places[:-1], np.maximum(places[1:], places[:-1] + 1)]).astype(np.uint32)


def _of_field(rows: NDArray[np.uint32], field: int, height: int) -> NDArray[np.uint32]:
    """For each screen row one line of a field, the one nearest to the lines covered."""
    lines = np.minimum(rows[0] // 2 * 2 + field, (height - 1 - field) // 2 * 2 + field)
    return np.stack([lines, lines + 1]).astype(np.uint32)


def _halved(covered: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """The chroma sites that belong to the luma samples covered."""
    return np.stack([covered[0] // 2, (covered[1] - 1) // 2 + 1]).astype(np.uint32)
