"""One chart shot: where the chart is, and its samples averaged over the frames in which it holds still."""

from collections.abc import Callable
from dataclasses import dataclass

from bluffline.charts.frame import ChartFrame
from bluffline.charts.reference import Reference
from bluffline.charts.sample import Samples, average, sample_frame
from bluffline.errors import ChartError
from bluffline.signal.format import Planes, SignalFormat

FRAMES = 4  # that are averaged at most
_REACH = 8  # frames on each side from which they are taken
_STEADY = 0.4  # likeness to the frame in view from which a frame counts as the same chart, held still

PlanesAt = Callable[[int], Planes | None]


@dataclass(frozen=True, eq=False)
class ChartShot:
    """``frame`` on which ``chart_frame`` stands, and what its patches measure."""

    frame: int
    chart_frame: ChartFrame
    samples: Samples


def read_chart(
    look: PlanesAt,
    frame: int,
    span: tuple[int, int],
    source: SignalFormat,
    reference: Reference,
    chart_frame: ChartFrame | None = None,
    progress: Callable[[str], None] = lambda _: None,
) -> ChartShot:
    """Find a chart (where it is not placed by hand) and sample it.

    Parameters
    ----------
    look : gives the native planes of a frame, or None where it can't be decoded
    span : first and last frame that may be averaged, as those of the shot
    progress : told what is being done

    Raises
    ------
    ChartError : the frame can't be decoded, or no chart was found in it
    """
    from bluffline.charts.locate import find_chart, follow

    planes = look(frame)
    if planes is None:
        raise ChartError(f"Frame {frame} can't be decoded.")
    if chart_frame is None:
        progress("finding the chart")
        chart_frame = find_chart(planes, source, reference)
    progress("sampling")
    taken = [sample_frame(planes, source, chart_frame, reference.layout)]
    first, last = max(span[0], frame - _REACH), min(span[1], frame + _REACH)
    step = max((last - first) // max(FRAMES - 1, 1), 1)
    for number in range(first, last + 1, step):
        other = look(number) if abs(number - frame) >= step / 2 and len(taken) < FRAMES else None
        if other is None:
            continue
        moved, likeness = follow(planes, other, source, chart_frame)
        if likeness >= _STEADY:
            try:
                taken.append(sample_frame(other, source, chart_frame.moved(*moved), reference.layout))
            except ChartError:
                continue  # it has moved out of the picture there
    return ChartShot(frame, chart_frame, average(taken))
