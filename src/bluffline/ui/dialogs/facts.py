"""What the file says of itself, and the operator's word against it."""

from fractions import Fraction

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QSpinBox,
    QWidget,
)

from bluffline.measure.region import Region
from bluffline.session.session import Session
from bluffline.signal.colorimetry import PRIMARIES, TRANSFERS
from bluffline.signal.format import Overrides, Scan
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, standard
from bluffline.signal.siting import Siting
from bluffline.ui.dialogs.layout import ask_buttons, dim, lay_out

_RATES = tuple(Fraction(n * 1000, 1001) for n in (24, 30, 60)) + tuple(map(Fraction, (24, 25, 30, 50, 60)))
_CHOICES = {
    "range": tuple(Range), "matrix": tuple(Matrix), "primaries": (*PRIMARIES, "p3-dci"), "transfer": TRANSFERS,
    "fields": tuple(Scan), "chroma_location": tuple(Siting),
}  # fmt: skip
_TAGGED = {"fields": "scan", "chroma_location": "siting"}  # as a format names them


class FactsDialog(QDialog):
    """What the file says of itself, what was assumed, and the operator's word against either."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Programme: facts and overrides")
        programme, survey = session.programme, session.survey
        assert programme is not None and survey is not None
        source = survey.source
        form = QFormLayout()
        form.setHorizontalSpacing(18)
        form.setVerticalSpacing(5)

        def fact(name: str, text: str) -> None:
            label = QLabel(text)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            label.setWordWrap(True)
            form.addRow(dim(name), label)

        fact("File", str(programme.path))
        fact("Container, codec", f"{programme.container}; {programme.codec} {programme.profile}".rstrip())
        fact("Picture", f"{source.width}×{source.height}, {source.sampling} {source.bit_depth}-bit, {programme.pixel_format}")
        scan = "interlaced, top field first" if source.top_field_first else "interlaced, bottom field first"
        rate = f"{float(programme.frame_rate):.6g} frames/s, {scan if source.interlaced else 'progressive'}"
        fact("Rate and scan", rate + "".join(f"; {note.lower()}" for note in programme.notes))
        fact("Length", f"{programme.frame_count} frames, {programme.label(0)} to {programme.label(programme.frame_count - 1)}")
        tracks = "; ".join(f"{track.kind}: {track.description}" for track in programme.tracks)
        fact("Other tracks", tracks or "none")
        self._programme = programme
        self.track_box, self.rate_box = QComboBox(), QComboBox()
        for number in programme.video_tracks:
            self.track_box.addItem(f"Track {number}", number)
        self.track_box.setCurrentIndex(self.track_box.findData(programme.picture))
        self._rates = sorted({*_RATES, programme.frame_rate})
        self.rate_box.addItems([f"{float(rate):.6g} frames/s" for rate in self._rates])
        self.rate_box.setCurrentIndex(self._rates.index(programme.frame_rate))
        if self.track_box.count() > 1:
            form.addRow(dim("Picture track"), self._beside(self.track_box, "another is opened and surveyed anew"))
        if programme.opening.numbered:
            form.addRow(dim("Rate"), self._beside(self.rate_box, "pictures in files of their own don't say it"))
        self.boxes = {name: QComboBox() for name in _CHOICES}
        for name, box in self.boxes.items():
            tagged, said = getattr(programme.tagged, _TAGGED.get(name, name)), getattr(programme.overrides, name)
            fact_name = name.replace("_", " ")
            box.addItem(f"{standard(tagged)}, {'assumed' if fact_name in programme.tagged.assumed else 'as tagged'}", None)
            for choice in _CHOICES[name]:
                box.addItem(standard(choice), choice)
            box.setCurrentIndex(0 if said is None else 1 + list(_CHOICES[name]).index(said))
            box.setAccessibleName(fact_name.capitalize())
            words = "your word against the file" if said is not None else ""
            form.addRow(dim(fact_name.capitalize()), self._beside(box, words))
        self.edges = [QSpinBox() for _ in range(4)]
        line = QHBoxLayout()
        line.setSpacing(8)
        bounds = (source.width, source.height, source.width, source.height)
        for edge, label, at, most in zip(
            self.edges, ("x", "y", "width", "height"), survey.region.as_list(), bounds, strict=True
        ):
            edge.setRange(2 if label in {"width", "height"} else 0, most)
            edge.setSingleStep(2)
            edge.setSuffix(" px")
            edge.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            edge.setValue(at)
            edge.setAccessibleName(f"Active picture {label}")
            line.addWidget(dim(label))
            line.addWidget(edge)
        line.addStretch(1)
        form.addRow(dim("Active picture"), line)
        lay_out(self, form, ask_buttons(self, "Apply and survey again"))
        self.setMinimumWidth(640)

    @staticmethod
    def _beside(box: QComboBox, words: str) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(10)
        line.addWidget(box)
        line.addWidget(dim(words))
        line.addStretch(1)
        return line

    @property
    def reopened(self) -> dict[str, object] | None:
        """How the programme is to be opened anew, by the words of `probe`: by another track or rate; None where by neither."""
        track, rate = self.track_box.currentData(), self._rates[self.rate_box.currentIndex()]
        if track == self._programme.picture and rate == self._programme.frame_rate:
            return None
        return {"track": track, "rate": rate if self._programme.opening.numbered else None}

    @property
    def overrides(self) -> Overrides:
        """What the operator says against the file; nothing of what is left as the file has it."""
        return Overrides(**{name: box.currentData() for name, box in self.boxes.items()})

    @property
    def region(self) -> Region:
        """The active picture as the operator says."""
        x, y, width, height = (box.value() for box in self.edges)
        x, y = x - x % 2, y - y % 2
        width = min(width, self.edges[2].maximum() - x)
        height = min(height, self.edges[3].maximum() - y)
        return Region(x, y, max(width, 2), max(height, 2))
