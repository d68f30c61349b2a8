"""The files in hand, in the desk's own window: counts, the list, the file that is picked, and what can be done with it."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QItemSelectionModel, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.states import State
from bluffline.ui.shift.chosen import Chosen, can
from bluffline.ui.shift.painting import FilePainter, columns
from bluffline.ui.shift.rows import ORDERS, ShiftRows
from bluffline.ui.shift.strip import Strip
from bluffline.ui.style.line import Line
from bluffline.ui.style.style import DIM, TEXT, font

_KEYS = {
    Qt.Key.Key_Return: "open", Qt.Key.Key_Enter: "open", Qt.Key.Key_C: "certify", Qt.Key.Key_G: "legalise",
    Qt.Key.Key_O: "put_off", Qt.Key.Key_D: "deliver", Qt.Key.Key_B: "send_back", Qt.Key.Key_P: "profile",
    Qt.Key.Key_Delete: "remove", Qt.Key.Key_T: "air",
}  # fmt: skip
_EMPTY = (
    "No file is in hand.\n\nDrop files or folders here, add them above, or watch a folder.\nWhatever comes is measured behind "
    "what you do: what is good needs one key,\nand what is not is one key away from its worst frame."
)


class ShiftPlace(QWidget):
    """``asked``: an act, by its name, and the files that it is about; ``command``: a command of the desk by its id."""

    asked = pyqtSignal(str, object)  # act, list[FileInHand]
    command = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._title = QLabel("In hand")
        self._title.setFont(font(18, bold=True))
        self.facts = Line(font(12), right=False)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search names, profiles, states")
        self.search.setAccessibleName("Search the files in hand")
        self.search.setClearButtonEnabled(True)
        self.search.setFixedWidth(210)
        self.buttons = {
            name: self._button(name, words)
            for name, words in (
                ("shift-add", "Add files …"), ("shift-watch", "Watch a folder …"), ("shift-air", "Air times …"),
                ("shift-next", "Take the next"),
            )
        }  # fmt: skip
        self.buttons["shift-next"].setProperty("next", True)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self._title)
        top.addSpacing(10)
        top.addWidget(self.facts, 1)
        top.addWidget(self.search)
        for button in self.buttons.values():
            top.addWidget(button)
        self.strip = Strip()
        self.rows = ShiftRows(self)
        self.list = _List()
        self.list.setModel(self.rows)
        self.list.setItemDelegate(FilePainter(self.list))
        self.list.acted.connect(self._act)
        self.list.doubleClicked.connect(lambda _: self._act("open"))
        self.head = _Head(self.list, self.rows)
        self.head.chosen.connect(self._sort)
        self.chosen = Chosen()
        self.chosen.setFixedWidth(306)
        self.chosen.asked.connect(self._act)
        listed = QFrame()
        listed.setObjectName("card")
        within = QVBoxLayout(listed)
        within.setContentsMargins(6, 4, 4, 6)
        within.setSpacing(0)
        within.addWidget(self.head)
        within.addWidget(self.list, 1)
        self._counted = QFrame()
        self._counted.setObjectName("card")
        counting = QVBoxLayout(self._counted)
        counting.setContentsMargins(10, 2, 10, 2)
        counting.addWidget(self.strip)
        lower = QHBoxLayout()
        lower.setSpacing(7)
        lower.addWidget(listed, 1)
        lower.addWidget(self.chosen)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        layout.addLayout(top)
        layout.addWidget(self._counted)
        layout.addLayout(lower, 1)
        self.setFocusProxy(self.list)
        self._states: frozenset[State] | None = None
        self.strip.chosen.connect(self._show_only)
        self.search.textChanged.connect(lambda _: self._narrow())
        selection = self.list.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(lambda *_: self._show_chosen())
        self.show_files([])

    def _button(self, name: str, words: str) -> QPushButton:
        button = QPushButton(words)
        button.clicked.connect(lambda: self.command.emit(name))
        return button

    # What is shown --------------------------------------------------------------------------------------------------

    def show_files(self, files: Sequence[FileInHand]) -> None:
        """Show these, in their order; what is picked stays so."""
        picked = {file.path for file in self.picked}
        here = self.current
        self.rows.show(files)
        self.strip.show_files(files)
        self.list.told = _EMPTY if not files else "" if self.rows.files else "No file in hand is so."
        first = next((file.on_air for file in files if file.on_air and file.state.needs_a_person), "")
        self._counted.setVisible(bool(files))
        count = f"{len(files)} file{'s' if len(files) != 1 else ''}" if files else ""
        self.facts.setText(", ".join(filter(None, (count, f"first on air that needs a person at {first}" if first else ""))))
        self.buttons["shift-next"].setEnabled(any(file.state is State.TO_FIX for file in files))
        self._pick(picked, here.path if here is not None else None)
        self._show_chosen()

    def _pick(self, picked: set[Path], here: Path | None) -> None:
        selection = self.list.selectionModel()
        assert selection is not None
        if {file.path for file in self.picked} != picked:
            for row, file in enumerate(self.rows.files):
                if file.path in picked:
                    selection.select(self.rows.index(row), QItemSelectionModel.SelectionFlag.Select)
        if not self.list.currentIndex().isValid() and self.rows.files:
            row = next((row for row, file in enumerate(self.rows.files) if file.path == here), 0)
            flags = QItemSelectionModel.SelectionFlag.NoUpdate if picked else QItemSelectionModel.SelectionFlag.ClearAndSelect
            selection.setCurrentIndex(self.rows.index(row), flags)

    @property
    def picked(self) -> list[FileInHand]:
        """The files that are picked, in the order of the list."""
        selection = self.list.selectionModel()
        assert selection is not None
        rows = sorted(index.row() for index in selection.selectedIndexes())
        return [self.rows.files[row] for row in rows if row < len(self.rows.files)]

    @property
    def current(self) -> FileInHand | None:
        """The file that is drawn at the right."""
        row = self.list.currentIndex().row()
        return self.rows.files[row] if 0 <= row < len(self.rows.files) else None

    def _show_chosen(self) -> None:
        self.chosen.show_file(self.current)

    def _show_only(self, states: frozenset[State] | None) -> None:
        self._states = states
        self._narrow()

    def _narrow(self) -> None:
        self.rows.narrow(states=self._states, words=self.search.text())
        self.list.told = "" if self.rows.files else "No file in hand is so."
        self._pick(set(), None)
        self._show_chosen()

    def _sort(self, title: str) -> None:
        picked, here = {file.path for file in self.picked}, self.current
        self.rows.sort_by(title)
        self.head.update()
        self._pick(picked, here.path if here is not None else None)
        self._show_chosen()

    def _act(self, act: str) -> None:
        files = self.picked or ([self.current] if self.current is not None else [])
        able = [file for file in files if act == "air" or can(act, file)]
        if able:
            self.asked.emit(act, able)


class _Head(QWidget):
    """The names of the columns; a click on one, or arrows, sort by it, and Space the other way round."""

    chosen = pyqtSignal(str)

    def __init__(self, below: QListView, rows: ShiftRows) -> None:
        super().__init__()
        self._below, self._rows = below, rows
        self.setFixedHeight(22)
        self.setMouseTracking(True)
        self.setAccessibleName("Columns of the files in hand")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def _sorted_at(self, x: float) -> str:
        """The column at a place that can be sorted by; empty where there is none."""
        viewport = self._below.viewport()
        assert viewport is not None
        there = (title for title, left, width in columns(viewport.width()) if left <= x < left + width and title in ORDERS)
        return next(there, "")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        title = self._sorted_at(event.position().x())
        self.setCursor(Qt.CursorShape.PointingHandCursor if title else Qt.CursorShape.ArrowCursor)
        self.setToolTip(f"Sort by “{title}”; again, the other way round" if title else "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if title := self._sorted_at(event.position().x()):
            self.chosen.emit(title)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Space: 0}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        titles = list(ORDERS)
        self.chosen.emit(titles[(titles.index(self._rows.order) + step) % len(titles)])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(DIM)
        painter.setFont(font(12))
        viewport = self._below.viewport()
        assert viewport is not None
        for title, left, width in columns(viewport.width()):
            painter.setPen(TEXT if title == self._rows.order else DIM)
            painter.drawText(left, 0, width, 20, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, title)
            if title == self._rows.order:
                x, y = left + painter.fontMetrics().horizontalAdvance(title) + 7.0, 10.0
                up = 1 if self._rows.reverse else -1
                painter.setBrush(TEXT)
                painter.drawPolygon(QPolygonF([QPointF(x - 3, y + 2 * up), QPointF(x + 3, y + 2 * up), QPointF(x, y - 2 * up)]))
        painter.end()


class _List(QListView):
    """Rows of one height; keys act on what is picked, and where there is no row it is said why."""

    acted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.told = ""
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Files in hand")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        act = _KEYS.get(Qt.Key(event.key())) if not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier else None
        if act is not None:
            self.acted.emit(act)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.told:
            viewport = self.viewport()
            assert viewport is not None
            painter = QPainter(viewport)
            painter.setPen(DIM)
            painter.setFont(font(14))
            painter.drawText(viewport.rect(), Qt.AlignmentFlag.AlignCenter, self.told)
            painter.end()
