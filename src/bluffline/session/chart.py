"""The chart in hand: which reference, where its frame is, what was measured and fitted; and shots under the same light."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.charts.fit import ChartFit, Wishes, fit_chart
from bluffline.charts.frame import ChartFrame
from bluffline.charts.reference import Reference, load_reference
from bluffline.charts.shot import ChartShot, read_chart
from bluffline.measure.frame_signal import FrameSignal
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.rules.shots import Shot
from bluffline.session.event import Event
from bluffline.signal.colorimetry import camera_signal
from bluffline.signal.format import Planes, SignalFormat
from bluffline.survey.monitor import Monitor
from bluffline.treat.bake import lab_of
from bluffline.treat.ladder import Treatment, apply_to_colours

_TELLING_STAGES = 8  # of a chart being read and fitted, as progress counts them
_THINNED = 6  # one pixel in so many across and down tells a shot's light
_NEARLY_NEUTRAL = 5.0  # C*ab of a pixel that may be a neutral thing under the light
_SAME_LIGHT = 0.10  # share of such pixels after the fit from which a shot may be under the chart's light …
_GAIN = 2.0  # … if there are so many times those that there were before
_LUMA = (12.0, 92.0)  # percent; darker and lighter pixels say little of the light


@dataclass(frozen=True)
class ChartSetup:
    """What the operator chose; ``reference``: a shipped one's name or a path, ``layout``: a path or None."""

    reference: str = "glaze-24"
    layout: str | None = None
    wishes: Wishes = field(default_factory=Wishes)


@dataclass(frozen=True)
class ChartRequest:
    """What is to be read: ``placed`` is the chart frame set by hand, or None to find it; ``span``: of the shot."""

    programme: Programme
    source: SignalFormat
    frame: int
    span: tuple[int, int]
    setup: ChartSetup
    placed: ChartFrame | None = None


@dataclass(frozen=True, eq=False)
class ChartResult:
    """A chart that was read and fitted."""

    request: ChartRequest
    reference: Reference
    shot: ChartShot
    fit: ChartFit

    @property
    def chart_frame(self) -> ChartFrame:
        """Where the chart is, on the frame it was read on."""
        return self.shot.chart_frame

    @property
    def wanted(self) -> NDArray[np.float64]:
        """(N, 3) R′G′B′ that the patches ought to have."""
        return self.reference.signal(self.request.source)

    @property
    def filmed(self) -> NDArray[np.float64]:
        """(N, 3) R′G′B′ of the patches as they were filmed."""
        return camera_signal(self.shot.samples.light, self.request.source.transfer)

    def through(self, steps: Treatment) -> NDArray[np.float64]:
        """(N, 3) R′G′B′ of the patches as some steps leave them."""
        return np.asarray(apply_to_colours(steps, self.filmed, self.request.source), np.float64)


def read_and_fit(request: ChartRequest, monitor: Monitor) -> ChartResult:
    """Find the chart, sample and fit it, telling each stage.

    Raises
    ------
    ChartError : the chart can't be found, sampled or fitted
    """
    told = 0

    def tell(stage: str) -> None:
        nonlocal told
        told += 1
        monitor.at(f"Chart: {stage}", min(told, _TELLING_STAGES), _TELLING_STAGES, "stages")

    setup = request.setup
    reference = load_reference(setup.reference, setup.layout)
    with Reader(request.programme) as reader:
        shot = read_chart(
            reader.planes, request.frame, request.span, request.source, reference, request.placed, tell
        )
    fit = fit_chart(shot.samples, reference, request.source, setup.wishes, tell)
    return ChartResult(request, reference, shot, fit)


class ChartModel:
    """The chart in hand, and the event that tells of its changes."""

    def __init__(self) -> None:
        self.setup = ChartSetup()
        self.reference = load_reference(self.setup.reference)
        self.result: ChartResult | None = None
        self.placed: ChartFrame | None = None
        self.changed = Event()

    @property
    def chart_frame(self) -> ChartFrame | None:
        """Where the chart is taken to be: where it was placed, else where it was found."""
        return self.placed or (self.result.chart_frame if self.result is not None else None)

    def change(self, **fields: Any) -> None:
        """Choose otherwise; what was read under another reference is let go.

        Raises
        ------
        ChartError : the reference can't be used; nothing is changed
        """
        before, setup = self.setup, replace(self.setup, **fields)
        if (before.reference, before.layout) != (setup.reference, setup.layout):
            self.reference = load_reference(setup.reference, setup.layout)
            self.result = self.placed = None
        self.setup = setup
        self.changed.tell()

    def wish(self, **fields: Any) -> None:
        """Have the chart fitted otherwise."""
        self.change(wishes=replace(self.setup.wishes, **fields))

    def place(self, frame: ChartFrame) -> None:
        """Put the chart frame where the operator says; what was measured elsewhere is let go."""
        self.placed, self.result = replace(frame, confidence=None), None
        self.changed.tell()

    def take(self, result: ChartResult) -> None:
        """Take a result, unless the operator has gone on since it was asked for."""
        if result.request.setup == self.setup and result.request.placed == self.placed:
            self.result = result
            self.changed.tell()

    def let_go(self) -> None:
        """Put the chart down."""
        self.result = self.placed = None
        self.changed.tell()

    def place_in_middle(self, width: int, height: int) -> None:
        """Lay a chart frame of the reference's shape over the middle of a picture, to be moved by hand."""
        layout = self.reference.layout
        cell = min(width * 0.6 / layout.columns, height * 0.6 / layout.rows)
        left, top = (width - cell * layout.columns) / 2, (height - cell * layout.rows) / 2
        right, bottom = width - left, height - top
        self.place(ChartFrame(((left, top), (right, top), (right, bottom), (left, bottom))))


def same_light(
    result: ChartResult, shots: Sequence[Shot], look: Callable[[int], Planes | None], monitor: Monitor | None = None
) -> list[int]:
    """Numbers of the shots that look to be under the chart's light, that of the chart itself among them.

    Under the same light the fit turns things that are neutral, but did not look so, neutral: a shot is proposed where it
    leaves much more of the picture nearly neutral than it found.
    """
    source, steps, found = result.request.source, result.fit.steps, []
    for number, shot in enumerate(shots):
        if shot.first <= result.shot.frame <= shot.last:
            found.append(number)
        elif (planes := look(shot.middle)) is not None:
            before, after = neutral_shares(planes, source, steps)
            if after >= _SAME_LIGHT and after >= _GAIN * before:
                found.append(number)
        if monitor is not None:
            monitor.at("Same light", number + 1, len(shots), "shots")
    return found


def neutral_shares(planes: Planes, source: SignalFormat, steps: Treatment) -> tuple[float, float]:
    """The share of a picture that is nearly neutral before and after some steps, 0 … 1 of what is neither dark nor bright."""
    frame = FrameSignal(planes, source)
    codes = np.stack([plane[: source.height : _THINNED, : source.width : _THINNED] for plane in frame.rgb], axis=-1)
    rgb = ((codes.reshape(-1, 3).astype(np.float64) - frame.room) - source.levels.black) / source.levels.swing
    luma = rgb @ np.array(source.matrix.luma_weights) * 100
    rgb = rgb[(luma > _LUMA[0]) & (luma < _LUMA[1])]
    if not len(rgb):
        return 0.0, 0.0
    shares = []
    for colours in (rgb, apply_to_colours(steps, rgb, source)):
        lab = lab_of(colours, source)
        shares.append(float((np.hypot(lab[:, 1], lab[:, 2]) < _NEARLY_NEUTRAL).mean()))
    return shares[0], shares[1]
