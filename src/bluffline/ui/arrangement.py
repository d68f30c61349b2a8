"""Where everything stands in the window: the desk, or the files in hand in its place."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from bluffline.session.gauges import GaugeModel
from bluffline.session.settings import Settings
from bluffline.ui.header import Header
from bluffline.ui.ladder.bench import Bench
from bluffline.ui.ladder.lights import LightsPanel
from bluffline.ui.picture.viewer import Viewer
from bluffline.ui.skyline.skyline import Skyline
from bluffline.ui.style.card import Card
from bluffline.ui.style.pages import Pages

_GAP = 7


class Arrangement(QWidget):
    """The header; under it the skyline, and below that the pages, the picture with what is beneath it, and the gauges.

    ``shift`` stands in place of all but the header. What is beneath the picture takes room from the skyline while it is there.
    """

    def __init__(
        self, header: Header, skyline: Skyline, viewer: Viewer, pages: Pages, bench: Bench, lights: LightsPanel,
        shift: QWidget, gauges: GaugeModel, settings: Settings,
    ) -> None:  # fmt: skip
        super().__init__()
        self._skyline, self._viewer, self._shift, self._gauges, self._settings = skyline, viewer, shift, gauges, settings
        self.skyline_card = Card("Skyline", skyline)
        self.picture_card = Card("Picture", viewer.picture, viewer.probe.line)
        upper = QWidget()
        above = QVBoxLayout(upper)
        above.addWidget(self.picture_card, 5)
        above.addLayout(viewer.board.beneath, 3)
        self._divider = QSplitter(Qt.Orientation.Vertical)
        self._divider.setHandleWidth(_GAP)
        for part in (upper, bench, lights):
            self._divider.addWidget(part)
        self._divider.setChildrenCollapsible(False)
        self._divider.setStretchFactor(0, 1)
        self._divider.setStretchFactor(1, 0)
        self._lower = QHBoxLayout()
        for part in (pages, self._divider, viewer.board):
            self._lower.addWidget(part)
        one = QWidget()
        programme = QVBoxLayout(one)
        programme.addWidget(self.skyline_card)
        programme.addLayout(self._lower, 1)
        self._places = QStackedWidget()
        self._places.addWidget(one)
        self._places.addWidget(shift)
        whole = QVBoxLayout(self)
        whole.addWidget(header)
        whole.addWidget(self._places, 1)
        for bare in (above, programme):
            bare.setContentsMargins(0, 0, 0, 0)
        whole.setContentsMargins(8, 4, 8, 8)
        for layout in (above, self._lower, programme, whole):
            layout.setSpacing(_GAP)
        bench.opened.connect(self._bench_opened)
        lights.opened.connect(self._make_room)
        self._divider.splitterMoved.connect(self._keep_divider)
        gauges.changed.connect(self._share_room)
        self._share_room()

    @property
    def in_hand(self) -> bool:
        """Whether the files in hand are shown, and not the programme under control."""
        return self._places.currentWidget() is self._shift

    def turn(self, *, to_shift: bool, reason: Qt.FocusReason) -> None:
        """Show the files in hand, or the desk, which gets the focus for a reason."""
        self._places.setCurrentIndex(int(to_shift))
        (self._shift if to_shift else self._skyline).setFocus(reason)

    def _share_room(self) -> None:
        """One gauge or four get more of the width than two, which stand one above the other."""
        setup = self._gauges.setup
        self._viewer.board.setVisible(not (setup.beneath and setup.shown == 1))
        self._lower.setStretch(1, 11)
        self._lower.setStretch(2, 5 if setup.shown == 2 or setup.beneath else 9)

    def _make_room(self, needed: bool) -> None:
        self._skyline.set_low(needed)
        self.skyline_card.set_head(shown=not needed)

    def _bench_opened(self, opened: bool) -> None:
        self._make_room(opened)
        if opened and self._settings.bench:
            self._divider.setSizes([max(self._divider.height() - self._settings.bench, 0), self._settings.bench])

    def _keep_divider(self) -> None:
        self._settings.bench = self._divider.sizes()[1]
        self._settings.save()
