"""What goes to an editor and comes from one: shots and findings as markers, and where shots begin by an edit list."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from bluffline.errors import BlufflineError
from bluffline.media.cut_lists import CUT_LISTS, CutList, read_cuts
from bluffline.report.files import save_text
from bluffline.report.markers import MARKERS, markers_text
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor

_FORMS = {".otio": "OpenTimelineIO", ".edl": "Edit list with locators", ".csv": "Table", ".vtt": "Captions"}


class Editing:
    """Acts on the session beside its long work; ``say`` tells what came of it."""

    def __init__(self, session: Session, beside: Jobs, say: Callable[[str], None], window: QWidget) -> None:
        self._session, self._beside, self._say, self._window = session, beside, say, window

    def choose_markers(self) -> None:
        """Ask where to, and write shots and findings for an editor."""
        assert self._session.programme is not None
        path = self._session.programme.path
        usual = str(path.with_name(f"{path.name}{MARKERS[0]}"))
        kinds = ";;".join(f"{_FORMS[ending]} (*{ending})" for ending in MARKERS)
        name, kind = QFileDialog.getSaveFileName(self._window, "Markers for an editor", usual, kinds)
        if name:
            chosen = next((ending for ending in MARKERS if f"*{ending}" in kind), MARKERS[0])
            target = Path(name)
            self.write_markers(target if target.suffix.lower() in MARKERS else target.with_name(f"{target.name}{chosen}"))

    def write_markers(self, target: Path) -> None:
        """Write shots and findings, as they are now, in the form that a file's ending stands for."""
        session = self._session
        programme, shots, findings = session.programme, list(session.shots), list(session.findings)
        assert programme is not None

        def make(_: Monitor) -> str:
            return markers_text(programme, shots, findings, target.suffix)

        self._beside.start(Kind.MARKERS, make, partial(self._save, target, len(shots), len(findings)))

    def _save(self, target: Path, shots: int, findings: int, text: str) -> None:
        try:
            save_text(target, text)
        except BlufflineError as error:
            self._say(str(error))
            return
        count = f"{shots} shot{'s' * (shots != 1)} and {findings} finding{'s' * (findings != 1)}"
        self._say(f"{target.name} holds {count} as markers")

    def choose_cuts(self) -> None:
        """Ask for an edit list, and let shots begin where it says."""
        kinds = f"Edit lists ({' '.join(f'*{ending}' for ending in CUT_LISTS)})"
        name, _ = QFileDialog.getOpenFileName(self._window, "Cuts from an edit list", str(Path.cwd()), kinds)
        if name:
            self.take_cuts(Path(name))

    def take_cuts(self, path: Path) -> None:
        """Let shots begin where an edit list says, and nowhere else."""
        programme = self._session.programme
        assert programme is not None

        def read(_: Monitor) -> CutList:
            return read_cuts(path, programme)

        self._beside.start(Kind.CUTS, read, partial(self._divide, path))

    def _divide(self, path: Path, listed: CutList) -> None:
        if not self._session.surveyed:
            self._say(f"{path.name} was not taken: the shots are being measured anew; take it again then")
            return
        self._session.document.divide_by(listed.starts, f"Take the cuts of {path.name}")
        self._say(f"{path.name}: {listed.told} (Ctrl+Z takes it back)")
