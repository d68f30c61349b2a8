"""Frames made ready beside the interface thread; stale ones are dropped."""

import threading
import time

from PyQt6.QtCore import QObject, pyqtSignal

from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.session.faults import fault_of
from bluffline.view.costs import FrameCosts, Work
from bluffline.view.preview import Preview, View, make_preview

_AHEAD = 6  # frames made ready before they are asked for, while the programme plays


class FrameWorker(QObject):
    """Decodes, treats and measures the frame asked for last; frames asked for in between are skipped.

    What it tells carries the number of the request; those before the one that `set_programme` gives are of another programme.
    """

    ready = pyqtSignal(int, object)  # request, Preview
    failed = pyqtSignal(int, object)  # request, Fault

    def __init__(self) -> None:
        super().__init__()
        self._condition = threading.Condition()
        self._programme: Programme | None = None
        self._wanted: tuple[int, View, Work] | None = None
        self._request = 0
        self._ahead = self._told = self._making = False
        self._maker = _Maker()
        self.costs = self._maker.costs
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name="bluffline-frames", daemon=True)
        self._thread.start()

    def set_programme(self, programme: Programme) -> int:
        """Read frames of this programme from now on; returns the number of the first request that is of it."""
        with self._condition:
            self._programme, self._wanted = programme, None
            self._condition.notify_all()
            return self._request + 1

    def ask(self, frame: int, view: View, work: Work, *, ahead: bool = False) -> None:
        """Make a frame ready; with ``ahead`` a few after it as well, as playing needs them next.

        ``work``: what has to be done for it, of which `costs` are told. One that was made ahead is told at once, though another
        may be in the making.
        """
        with self._condition:
            made = self._maker.made(self._programme, frame, view)
            self._request += 1
            request = self._request
            self._wanted, self._ahead, self._told = (frame, view, work), ahead, made is not None
            self._condition.notify_all()
        if made is not None:
            self.ready.emit(request, made)

    @property
    def idle(self) -> bool:
        """Whether nothing is asked for that has not been made."""
        with self._condition:
            return self._wanted is None and not self._making

    def wait_until_idle(self, seconds: float) -> None:
        """Hold another thread's work back until what is asked for has been made, or for so long."""
        with self._condition:
            self._condition.wait_for(lambda: self.idle, seconds)

    def stop(self) -> None:
        """End the thread; the worker is of no use afterwards."""
        with self._condition:
            self._stopping = True
            self._condition.notify_all()
        self._thread.join()

    def _run(self) -> None:
        maker = self._maker
        try:
            while True:
                with self._condition:
                    self._making = False
                    self._condition.notify_all()
                    self._condition.wait_for(lambda: self._stopping or self._wanted is not None)
                    if self._stopping:
                        return
                    assert self._wanted is not None and self._programme is not None
                    (frame, view, work), programme, ahead, told = self._wanted, self._programme, self._ahead, self._told
                    request = self._request
                    self._wanted, self._making = None, True
                try:
                    preview = maker.take(programme, frame, view, work)
                    with self._condition:  # never after a later one that was at hand
                        if not told and not (self._told and self._wanted is not None):
                            self.ready.emit(request, preview)
                    # While this frame is painted the next ones are made, so that one slow frame does not make them late.
                    for number in range(frame + 1, min(frame + 1 + _AHEAD, programme.frame_count) if ahead else 0):
                        if self._wanted is not None or self._stopping:
                            break
                        maker.take(programme, number, view, work, keep_from=frame)
                except Exception as error:  # noqa: BLE001 (whatever it is, the next frame is made)
                    maker.close()
                    self.failed.emit(request, fault_of(error, f"Frame {frame}"))
        finally:
            maker.close()


class _Maker:
    """Makes frames of one programme ready, and keeps those that are likely to be asked for next."""

    def __init__(self) -> None:
        self._reader: Reader | None = None
        self._made: dict[int, Preview] = {}
        self._view: View | None = None
        self._last: tuple[View, Preview] | None = None
        self._read: int | None = None  # the frame read last
        self.costs = FrameCosts()

    def take(self, programme: Programme, frame: int, view: View, work: Work, *, keep_from: int | None = None) -> Preview:
        """A frame under a view; kept are those from ``keep_from`` (else from this frame) on."""
        if self._reader is None or self._reader.programme is not programme:
            self.close()
            self._reader = Reader(programme)
        if view != self._view:
            self._made.clear()
            self._view = view
        first = frame if keep_from is None else keep_from
        for number in [number for number in self._made if not first <= number <= first + _AHEAD]:
            del self._made[number]
        if frame not in self._made:
            self._made[frame] = self._make(self._reader, frame, view, work)
        if keep_from is None:
            self._last = view, self._made[frame]
        return self._made[frame]

    def _make(self, reader: Reader, frame: int, view: View, work: Work) -> Preview:
        began = time.monotonic()
        planes = reader.planes(frame)
        read = time.monotonic()
        if self._read is not None and frame == self._read + 1:
            self.costs.read(read - began)
        self._read = frame
        preview = make_preview(frame, planes, view, self._last)
        if view.proxy is None:
            self.costs.made(work, time.monotonic() - read)
        return preview

    def made(self, programme: Programme | None, frame: int, view: View) -> Preview | None:
        """The frame if it is at hand under this view. Safe while another thread takes frames."""
        mine = self._reader is not None and self._reader.programme is programme
        return self._made.get(frame) if mine and view == self._view else None

    def close(self) -> None:
        """Let go of the programme."""
        if self._reader is not None:
            self._reader.close()
        self._reader = self._last = self._read = None
        self._made.clear()
        self.costs.begin()
