"""What frames have cost lately, by which it is known whether the next can come in time at full size."""

from collections import defaultdict, deque
from statistics import median
from typing import NamedTuple

from bluffline.gauges.instrument import Instrument
from bluffline.signal.format import SignalFormat
from bluffline.treat.step import Step

_LAST = 5  # of so many the median counts: a host may take the machine away for one


class Work(NamedTuple):
    """What has to be done to a frame: frames of the same take about the same time."""

    source: SignalFormat
    steps: tuple[type[Step], ...] = ()
    gauges: tuple[Instrument, ...] = ()
    shows_source: bool = False


class FrameCosts:
    """Seconds that frames took to be read one after another, and to be made of what is read, by the work that is.

    Written by one thread, read by any.
    """

    def __init__(self) -> None:
        self._read: deque[float] = deque(maxlen=_LAST)
        self._made: dict[Work, deque[float]] = defaultdict(lambda: deque(maxlen=_LAST))

    def begin(self) -> None:
        """Another programme is read."""
        self._read.clear()
        self._made.clear()

    def read(self, seconds: float) -> None:
        """A frame was read that follows the one read before."""
        self._read.append(seconds)

    def made(self, work: Work, seconds: float) -> None:
        """A frame was made at full size."""
        self._made[work].append(seconds)

    def of(self, work: Work, *, played: bool) -> float | None:
        """Seconds that a frame of that work takes, those of reading it as well where it is ``played``; None where not known.

        Where no two frames were read one after the other yet, reading is taken for half of making.
        """
        made, read = list(self._made.get(work, ())), list(self._read)
        if not made:
            return None
        making = median(made)
        return making + (median(read) if read else making / 2) * played
