"""The dialogs: facts and overrides, what to write, the key sheet."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QSpinBox,
    QWidget,
)

from bluffline.errors import WriteError
from bluffline.measure.region import Region
from bluffline.media.carriage import Carriage, rehearse
from bluffline.media.codecs import Codec, written_format
from bluffline.media.writer import refuse_source_as_target
from bluffline.prove.monitor import Monitor
from bluffline.prove.prove import frame_list
from bluffline.prove.render import KeepUnreadable
from bluffline.prove.survey import unreadable_frames
from bluffline.session.jobs import Ended, Kind
from bluffline.session.session import Session
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.ui.commands import COMMANDS, HELD_KEYS, MENUS, MOUSE
from bluffline.ui.layout import ask_buttons, cancel_button, close_button, dim, lay_out
from bluffline.ui.style import font
from bluffline.ui.target import TargetRows
from bluffline.ui.workers import JobRunner

_RATES = tuple(Fraction(n * 1000, 1001) for n in (24, 30, 60)) + tuple(map(Fraction, (24, 25, 30, 50, 60)))


@dataclass(frozen=True)
class Overrides:
    """The operator's word on a programme."""

    signal_range: Range
    matrix: Matrix
    region: Region


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

        def told(name: str, text: str) -> str:
            return f"{text} (assumed by size: the file does not say)" if name in source.assumed else f"{text} (tagged)"

        fact("File", str(programme.path))
        fact("Container, codec", f"{programme.container}; {programme.codec} {programme.profile}".rstrip())
        fact("Picture", f"{source.width}×{source.height}, {source.sampling} {source.bit_depth}-bit, {programme.pixel_format}")
        scan = "interlaced, top field first" if source.top_field_first else "interlaced, bottom field first"
        rate = f"{float(programme.frame_rate):.6g} frames/s, {scan if source.interlaced else 'progressive'}"
        fact("Rate and scan", rate + "".join(f"; {note.lower()}" for note in programme.notes))
        fact("Length", f"{programme.frame_count} frames, {programme.label(0)} to {programme.label(programme.frame_count - 1)}")
        fact("Primaries", told("primaries", source.primaries))
        fact("Transfer", told("transfer", source.transfer))
        tracks = "; ".join(f"{track.kind}: {track.description}" for track in programme.tracks)
        fact("Other tracks", tracks or "none")
        self._programme = programme
        self._track, self._rate = QComboBox(), QComboBox()
        for number in programme.video_tracks:
            self._track.addItem(f"Track {number}", number)
        self._track.setCurrentIndex(self._track.findData(programme.picture))
        self._rates = sorted({*_RATES, programme.frame_rate})
        self._rate.addItems([f"{float(rate):.6g} frames/s" for rate in self._rates])
        self._rate.setCurrentIndex(self._rates.index(programme.frame_rate))
        if self._track.count() > 1:
            form.addRow(dim("Picture track"), self._beside(self._track, "another is opened and surveyed anew"))
        if programme.opening.numbered:
            form.addRow(dim("Rate"), self._beside(self._rate, "pictures in files of their own don't say it"))
        self._range, self._matrix = QComboBox(), QComboBox()
        for box, kinds, value, name in (
            (self._range, Range, source.range, "range"),
            (self._matrix, Matrix, source.matrix, "matrix"),
        ):
            for kind in kinds:
                box.addItem(str(kind), kind)
            box.setCurrentIndex(list(kinds).index(value))
            form.addRow(dim(name.capitalize()), self._beside(box, self._standing(session, name)))
        self._edges = [QSpinBox() for _ in range(4)]
        line = QHBoxLayout()
        line.setSpacing(8)
        bounds = (source.width, source.height, source.width, source.height)
        for box, label, value, most in zip(
            self._edges, ("x", "y", "width", "height"), survey.region.as_list(), bounds, strict=True
        ):
            box.setRange(2 if label in {"width", "height"} else 0, most)
            box.setSingleStep(2)
            box.setSuffix(" px")
            box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            box.setValue(value)
            box.setAccessibleName(f"Active picture {label}")
            line.addWidget(dim(label))
            line.addWidget(box)
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

    @staticmethod
    def _standing(session: Session, name: str) -> str:
        assert session.programme is not None
        tagged = session.programme.format
        if getattr(session.source, name) != getattr(tagged, name):
            return f"your word; the file was taken as {getattr(tagged, name)}"
        return "assumed: the file does not say" if name in session.source.assumed else "tagged in the file, or your word"

    @property
    def reopened(self) -> dict[str, object] | None:
        """How the programme is to be opened anew, by the words of `probe`: by another track or rate; None where by neither."""
        track, rate = self._track.currentData(), self._rates[self._rate.currentIndex()]
        if track == self._programme.picture and rate == self._programme.frame_rate:
            return None
        return {"track": track, "rate": rate if self._programme.opening.numbered else None}

    @property
    def overrides(self) -> Overrides:
        """What the operator says."""
        x, y, width, height = (box.value() for box in self._edges)
        x, y = x - x % 2, y - y % 2
        width = min(width, self._edges[2].maximum() - x)
        height = min(height, self._edges[3].maximum() - y)
        return Overrides(self._range.currentData(), self._matrix.currentData(), Region(x, y, max(width, 2), max(height, 2)))


class WriteDialog(QDialog):
    """Where the legal file goes and in which codec; what would go wrong is said before anything is written."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Prove and write")
        assert session.programme is not None and session.survey is not None
        self._programme, self._source, self._format = session.programme, session.programme.path, session.source
        self._looking, self._looked = JobRunner(), dict[tuple[str, str, bool], Carriage | str]()
        self._looking.ended.connect(self._looked_at)
        self.carried = dim("")
        self.carried.setWordWrap(True)
        unreadable = unreadable_frames(session.survey)
        self._keep = QComboBox()
        for text, way in (("Hold the last good frame", KeepUnreadable.HOLD), ("Black", KeepUnreadable.BLACK)):
            self._keep.addItem(text, way)
        self._drop = QCheckBox("Leave out those that the file can't carry")
        self._drop.toggled.connect(lambda _: self.rows.look())
        treated = len(session.treatments)
        start = self._source.with_name(f"{self._source.stem}-legal.mov")
        self.rows = TargetRows(start, "prores", self._refuse, "will be replaced once the new file is proved.")
        words = QLabel(
            f"{treated} of {len(session.shots)} shots are treated; every other frame is handed on as it stands. The file is "
            "written, read back, and measured again by the same rules; where coding overshoots, it is written again with "
            "more margin, at most four times. The source is not touched."
        )
        words.setWordWrap(True)
        words.setProperty("role", "dim")
        form = QFormLayout()
        form.setHorizontalSpacing(18)
        self.rows.add_to(form)
        if self._programme.tracks:
            form.addRow(dim("Other tracks"), self._drop)
        if unreadable:
            form.addRow(dim("Unreadable frames"), self._keep)
            words.setText(
                f"{words.text()} {len(unreadable)} frames can't be read ({frame_list(unreadable)}): the file can be "
                "written, but not proved."
            )
        self._unreadable = bool(unreadable)
        buttons = cancel_button(self)
        self.rows.add_button(buttons, "Write unproved" if unreadable else "Prove and write")
        lay_out(self, words, form, self.rows.trouble, self.carried, buttons)
        self.setMinimumWidth(640)

    @property
    def keep(self) -> KeepUnreadable | None:
        """What is to be written for frames that can't be read, if there are any."""
        return KeepUnreadable(self._keep.currentData()) if self._unreadable else None

    @property
    def drop_tracks(self) -> bool:
        """Whether tracks that the file can't carry are to be left out."""
        return self._drop.isChecked()

    def done(self, result: int) -> None:
        self._looking.jobs.stop()
        super().done(result)

    def _refuse(self, target: Path, codec: Codec) -> None:
        refuse_source_as_target(self._source, target)
        written_format(self._format, codec)
        self._look_at(codec, target)
        found = self._looked.get((codec.name, target.suffix.lower(), self.drop_tracks))
        self.carried.setText(
            "Looking at what the file will carry …" if found is None
            else "" if isinstance(found, str)
            else " ".join(found.losses) or "Sound, other tracks, timecode and tags are carried over."
        )  # fmt: skip
        if isinstance(found, str):
            raise WriteError(found)

    def _look_at(self, codec: Codec, target: Path) -> None:
        """Rehearse a codec and an ending once, away from the window."""
        key = codec.name, target.suffix.lower(), self.drop_tracks
        if key in self._looked or self._looking.jobs.kind is not None:
            return

        def job(_: Monitor) -> Carriage:
            return rehearse(self._programme, self._format, codec, target, drop_tracks=key[-1])

        self._key = key
        self._looking.jobs.start(Kind.REHEARSAL, job, lambda found: self._looked.update({key: found}))

    def _looked_at(self, ended: Ended) -> None:
        if self._looking.jobs.settle(ended):
            if ended.fault is not None:
                self._looked[self._key] = ended.fault.sentence
            self.rows.look()


class KeySheet(QDialog):
    """Every key on one page."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        columns = QHBoxLayout()
        columns.setSpacing(22)
        for group in (("Go", "Help"), ("Treatment", "Chart"), ("View", "Areas"), ("Programme", "Gauges")):
            grid = QGridLayout()
            grid.setHorizontalSpacing(12)
            grid.setVerticalSpacing(4)
            row = 0
            for menu in MENUS:
                if menu not in group:
                    continue
                row = self._heading(grid, row, menu)
                for command in COMMANDS:
                    if command.menu == menu and command.keys:
                        keys = ", ".join(
                            QKeySequence(key).toString(QKeySequence.SequenceFormat.NativeText) for key in command.keys
                        )
                        row = self._line(grid, row, keys, command.title.removesuffix(" …"))
                if menu == "View":
                    for key, text in HELD_KEYS:
                        row = self._line(grid, row, key, text)
            grid.setRowStretch(row, 1)
            columns.addLayout(grid)
        mouse = QGridLayout()
        mouse.setHorizontalSpacing(16)
        mouse.setVerticalSpacing(4)
        row = self._heading(mouse, 0, "Mouse")
        for place, text in MOUSE:
            row = self._line(mouse, row, place, text)
        mouse.setColumnStretch(1, 1)
        lay_out(self, columns, mouse, close_button(self))

    @staticmethod
    def _heading(grid: QGridLayout, row: int, text: str) -> int:
        label = QLabel(text)
        label.setFont(font(13, bold=True))
        label.setContentsMargins(0, 10 if row else 0, 0, 2)
        grid.addWidget(label, row, 0, 1, 2)
        return row + 1

    @staticmethod
    def _line(grid: QGridLayout, row: int, keys: str, text: str) -> int:
        key = QLabel(keys)
        key.setFont(font(12, mono=True))
        grid.addWidget(key, row, 0)
        told = dim(text)
        told.setFont(font(12))
        grid.addWidget(told, row, 1)
        return row + 1
