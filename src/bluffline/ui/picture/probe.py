"""The probe, both ways: what a pixel of the picture holds and where it stands on gauges, and which pixels stand at a place."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from bluffline.figures import figure, light_text
from bluffline.gauges.instrument import Box, Instrument
from bluffline.gauges.scale import Unit
from bluffline.measure.reading import Reading, read_square, stored_codes
from bluffline.session.gauges import PROBE_SIZES, GaugeModel
from bluffline.session.session import Session
from bluffline.ui.gauges.gauge import Gauge
from bluffline.ui.picture.picture import PictureView
from bluffline.ui.picture.shown import Point
from bluffline.ui.style.line import Line
from bluffline.ui.style.style import font
from bluffline.view.preview import Preview

_PATH_POINTS = 200
_HINT = "Point at the picture to read a pixel; drag on a gauge to see which pixels stand there"


class Probe(QObject):
    """Reads the frame that the gauges show, under the pointer or along a path, and says so in its line."""

    probed = pyqtSignal(object)  # R′G′B′ under the pointer, 0 … 1, or None

    def __init__(self, session: Session, model: GaugeModel, picture: PictureView, gauges: Callable[[], list[Gauge]]) -> None:
        super().__init__()
        self._session, self._model, self._picture, self._gauges = session, model, picture, gauges
        self._preview: Preview | None = None
        self._path: list[Point] | None = None
        self.line = Line(font(12), right=False)
        self.line.setText(_HINT)
        self.line.setAccessibleName("What the probe reads")
        picture.hovered.connect(self._tell)
        picture.path_drawn.connect(self._follow)

    def show(self, preview: Preview | None) -> None:
        """Read another frame; None: of another programme, none of which is shown yet."""
        self._preview = preview
        if preview is None:
            self._path = None
        else:
            self._tell()

    def next_size(self) -> None:
        """The next size of the square that is averaged."""
        place = PROBE_SIZES.index(self._model.setup.probe_size) if self._model.setup.probe_size in PROBE_SIZES else 0
        self._model.change(probe_size=PROBE_SIZES[(place + 1) % len(PROBE_SIZES)])

    def point_back(self, instrument: Instrument, box: Box | None) -> None:
        """Show on the picture which pixels stand where the operator points on a gauge."""
        signal = self._preview.signal if self._preview is not None else None
        self._picture.highlight(None if box is None or signal is None else instrument.pixels(signal, box))

    def _follow(self, points: list[Point] | None) -> None:
        self._path = points
        self._tell()

    def _read(self, pixel: Point) -> Reading | None:
        """What is read about a pixel of the frame that the gauges show."""
        if self._preview is None or self._preview.signal is None:
            return None
        return read_square(self._preview.signal, int(pixel[0]), int(pixel[1]), self._model.setup.probe_size)

    def _tell(self, *_: object) -> None:
        pixel = self._picture.probe
        signal = self._preview.signal if self._preview is not None else None
        if signal is None:
            return
        source = self._session.source
        points = self._path or ([pixel] if pixel is not None else [])
        points = points[:: max(len(points) // _PATH_POINTS, 1)]
        readings = [(reading, point) for point in points if (reading := self._read(point)) is not None]
        for gauge in self._gauges():
            gauge.show_places([gauge.instrument.places(source, reading, point[0]) for reading, point in readings])
        if pixel is None or not readings:
            self.line.setText(_HINT)
            self.probed.emit(None)
            return
        self.probed.emit(tuple(source.levels.percent(code) / 100 for code in readings[-1][0].rgb))
        reading, (x, y) = readings[-1] if self._path is None else (self._read(pixel), pixel)
        if reading is not None:
            self.line.setText(self._told(reading, int(x), int(y)))

    def _told(self, reading: Reading, x: int, y: int) -> str:
        assert self._preview is not None and self._preview.signal is not None
        source, size, unit = self._session.source, self._model.setup.probe_size, self._model.setup.unit
        names = ("R′", "G′", "B′") if source.sampling == "R′G′B′" else ("Y′", "Cb", "Cr")
        codes = " ".join(f"{n} {c}" for n, c in zip(names, stored_codes(self._preview.signal, x, y), strict=True))
        percent = source.levels.percent
        levels = " ".join(
            f"{name} {unit.bare(percent(code), source)}"
            for name, code in zip(("Y′", "R′", "G′", "B′"), (reading.luma, *reading.rgb), strict=True)
        )
        also = f" · {Unit.MILLIVOLT.text(percent(reading.luma), source)}" if unit is not Unit.MILLIVOLT else ""
        also += f" · {figure(percent(reading.luma), '.1f')} %" if unit is not Unit.PERCENT else ""
        also += f" · {light_text(reading.luminance)}" if reading.luminance is not None else ""
        square = "pixel" if size == 1 else f"{size}×{size} about"
        return f"{square} {x}, {y} · codes {codes} · {levels} {unit}{also}"
