"""What to write, and what would be lost by it."""

import os
from fractions import Fraction
from pathlib import Path

from PyQt6.QtCore import QStandardPaths
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QLabel,
    QWidget,
)

from bluffline.demo import demo_clip
from bluffline.errors import WriteError
from bluffline.media.carriage import Carriage, rehearse
from bluffline.media.codecs import CODECS, Codec, written_format
from bluffline.media.handing import codec_to_hand_on
from bluffline.media.target import refuse_long_name
from bluffline.media.writer import refuse_source_as_target
from bluffline.prove.handing import why_all_encoded
from bluffline.prove.pictures import KeepUnreadable
from bluffline.prove.prove import frame_list
from bluffline.report.looked_at import not_judged
from bluffline.session.jobs import Ended, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import unreadable_frames
from bluffline.ui.actions.runner import JobRunner
from bluffline.ui.dialogs.layout import add_row, cancel_button, dim, lay_out
from bluffline.ui.dialogs.target import TargetRows

_RATES = tuple(Fraction(n * 1000, 1001) for n in (24, 30, 60)) + tuple(map(Fraction, (24, 25, 30, 50, 60)))
_WIDE, _ROOM = 640, 490  # pixels: of the dialog, and of what stands beside a name in it, at the least


def _folder_for(source: Path) -> Path:
    """Beside the source; but nothing is put into the program itself, or where nothing can be: the user's videos then."""
    beside = source.parent
    if os.access(beside, os.W_OK) and beside.resolve() != demo_clip().parent.resolve():
        return beside
    videos = Path(QStandardPaths.writableLocation(QStandardPaths.StandardLocation.MoviesLocation) or Path.home())
    return videos if videos.is_dir() else Path.home()


class WriteDialog(QDialog):
    """Where the legal file goes and in which codec; what would go wrong is said before anything is written."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Prove and write")
        assert session.programme is not None and session.survey is not None
        self._survey = session.survey
        self._programme, self._source, self._format = session.programme, session.programme.path, session.source
        self._looking, self._looked = JobRunner(), dict[tuple[str, str, bool], Carriage | str]()
        self._looking.ended.connect(self._looked_at)
        self.carried = dim("")
        self.carried.setWordWrap(True)
        unreadable = unreadable_frames(session.survey)
        self._keep = QComboBox()
        for text, way in (("Hold the last good frame", KeepUnreadable.HOLD), ("Black", KeepUnreadable.BLACK)):
            self._keep.addItem(text, way)
        self.handed = dim("")
        self.handed.setWordWrap(True)
        self.drop_box = QCheckBox("Leave out those that the file can't carry")
        self.drop_box.toggled.connect(lambda _: self.rows.look())
        treated = len(session.document.treatments)
        codec = codec_to_hand_on(session.programme) or session.codec or CODECS["prores"]
        start = _folder_for(self._source) / f"{self._source.stem}-legal{codec.containers[0]}"
        self.rows = TargetRows(start, codec.name, self._refuse, "will be replaced once the new file is proved.")
        words = QLabel(
            f"{treated} of {len(session.shots)} shots are treated. The file is "
            "written, read back, and measured again by the same rules; where coding overshoots, it is written again with "
            "more margin, at most four times. The source is not touched."
        )
        words.setWordWrap(True)
        words.setProperty("role", "dim")
        form = QFormLayout()
        form.setHorizontalSpacing(18)
        self.rows.add_to(form)
        if self._programme.tracks:
            form.addRow(dim("Other tracks"), self.drop_box)
        left_out = QLabel(". ".join(not_judged(session.survey)))
        left_out.setWordWrap(True)
        left_out.setMinimumHeight(left_out.heightForWidth(_ROOM))  # a form has no more height for a label than it had at first
        form.addRow(dim("Not judged"), left_out)
        if unreadable:
            add_row(form, "Unreadable frames", self._keep)
            words.setText(
                f"{words.text()} {len(unreadable)} frames can't be read ({frame_list(unreadable)}): the file can be "
                "written, but not proved."
            )
        self._unreadable = bool(unreadable)
        buttons = cancel_button(self)
        self.rows.add_button(buttons, "Write unproved" if unreadable else "Prove and write")
        lay_out(self, words, form, self.rows.trouble, self.handed, self.carried, buttons)
        self.setMinimumWidth(_WIDE)

    @property
    def keep(self) -> KeepUnreadable | None:
        """What is to be written for frames that can't be read, if there are any."""
        return KeepUnreadable(self._keep.currentData()) if self._unreadable else None

    @property
    def drop_tracks(self) -> bool:
        """Whether tracks that the file can't carry are to be left out."""
        return self.drop_box.isChecked()

    def done(self, result: int) -> None:
        self._looking.jobs.stop()
        super().done(result)

    def _refuse(self, target: Path, codec: Codec) -> None:
        because = why_all_encoded(self._survey, codec)
        self.handed.setText(
            f"All frames are encoded anew: {because}." if because else "Frames that are not treated go over as they are coded."
        )
        refuse_source_as_target(self._source, target)
        refuse_long_name(target)
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
