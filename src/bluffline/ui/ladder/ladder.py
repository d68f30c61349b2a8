"""The ladder: the steps of the shot in view under their headings, in the order in which they act."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QModelIndex, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QContextMenuEvent, QDropEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from bluffline.errors import SettingsError
from bluffline.session.session import Session
from bluffline.treat.catalogue import KINDS
from bluffline.treat.ladder import Treatment
from bluffline.treat.step import Heading, Step
from bluffline.treat.transfer import largest_gap
from bluffline.ui.ladder.rows import BOX, ROW, Row, RowDelegate
from bluffline.ui.style.style import font

_FEW_BITS = 8


class Ladder(QListWidget):
    """Rungs to be chosen, dragged, and taken in and out of force; ``refused`` tells why something could not be done."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setItemDelegate(RowDelegate(self, self.title_of))
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Ladder of the shot in view")
        self.itemPressed.connect(self._pressed)
        self.itemActivated.connect(self._pressed)
        document, place = session.document, session.place
        for event in (document.changed, place.changed, place.rung_changed, session.survey_changed):
            event.connect(self.refresh)
        self.refresh()

    # Rows --------------------------------------------------------------------------------------------------------------

    def rows(self) -> list[Row]:
        """What is to be shown."""
        session, ladder = self._session, self._session.document.treatment
        if session.programme is None or not session.shots:
            return []
        rows = []
        for heading in Heading:
            rungs = [
                Row(heading, rung=n, step=step, gap=self._gap(ladder, n))
                for n, step in enumerate(ladder)
                if step.place is heading
            ]
            if heading is not Heading.GROUP or session.document.groups:
                rows += [Row(heading, self._told_of(heading)), *rungs]
        return rows

    def _gap(self, ladder: Treatment, rung: int) -> float:
        """The largest gap that a rung tears into an 8-bit source, if those before it have not torn it already."""
        source = self._session.source
        if source.bit_depth > _FEW_BITS or not ladder[rung].on:
            return 1.0
        before, after = (largest_gap(ladder[:count], source) for count in (rung, rung + 1))
        return after if after > before + 0.05 else 1.0

    def _told_of(self, heading: Heading) -> str:
        session = self._session
        if heading is Heading.GROUP:
            group = session.document.groups[0]
            return f"{group.name}: shots {', '.join(str(shot + 1) for shot in sorted(group.shots))}"
        if heading is Heading.SHOT:
            assert session.programme is not None
            return session.programme.label(session.shots[session.place.shot].first)
        return {
            Heading.SOURCE: "every shot, first", Heading.OVER_ALL: "every shot, after", Heading.LIMITS: "always last",
        }[heading]  # fmt: skip

    def refresh(self) -> None:
        """Show the ladder in force."""
        rows = self.rows()
        if rows != [self.item(n).data(ROW) for n in range(self.count())]:  # type: ignore[union-attr]
            self.clear()
            for row in rows:
                item = QListWidgetItem()
                item.setData(ROW, row)
                if row.step is None:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsDropEnabled)
                    item.setText(f"{row.heading}, {row.told}")
                else:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled)
                    item.setToolTip(f"{row.step.text}\n{row.warning}".strip())
                    item.setText(f"{(row.rung or 0) + 1} {row.step.title}: {row.step.text}")
                self.addItem(item)
        self.setAccessibleDescription("; ".join(row.step.title for row in rows if row.step is not None) or "untreated")
        chosen = next((n for n, row in enumerate(rows) if row.rung is not None and row.rung == self._session.place.rung), -1)
        self.setCurrentRow(chosen)
        viewport = self.viewport()
        assert viewport is not None
        viewport.update()

    def row_of(self, index: QModelIndex) -> Row:
        """What stands in a row."""
        row = index.data(ROW)
        assert isinstance(row, Row)
        return row

    def title_of(self, heading: Heading) -> str:
        """A heading as it is shown."""
        return f"Shot {self._session.place.shot + 1}" if heading is Heading.SHOT else heading.capitalize()

    # Hands -------------------------------------------------------------------------------------------------------------

    def _pressed(self, item: QListWidgetItem) -> None:
        rung = item.data(ROW).rung
        if rung is not None:
            self._session.place.choose(rung)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        index = self.indexAt(event.position().toPoint())
        row = self.row_of(index) if index.isValid() else None
        inside = event.position() - QPointF(self.visualRect(index).topLeft())
        if row is not None and row.step is not None and row.rung is not None and BOX.adjusted(-4, -4, 4, 4).contains(inside):
            self._session.document.bypass_step(row.rung, bypassed=row.step.on)
            return
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Keys that are not the ladder's own act on the desk."""
        assert event is not None
        rung = self._session.place.rung
        if rung is not None and rung >= len(self._session.document.treatment):
            rung = None  # the ladder has become another since it was chosen
        alt = event.modifiers() == Qt.KeyboardModifier.AltModifier
        if alt and rung is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.move_rung(rung, -1 if event.key() == Qt.Key.Key_Up else 1)
        elif event.key() == Qt.Key.Key_Delete and rung is not None:
            self.remove(rung)
        else:
            event.ignore()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Let a rung down: in its own heading it changes place, else it moves to the heading that it is let down under."""
        assert event is not None
        rung = self._session.place.rung
        index = self.indexAt(event.position().toPoint())
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        if rung is None:
            return
        target = self.row_of(index) if index.isValid() else Row(Heading.LIMITS)
        step = self._session.document.treatment[rung]
        if target.heading is not step.place:
            self.move_to(rung, target.heading)
        elif target.rung is not None:
            for _ in range(abs(target.rung - rung)):
                way = 1 if target.rung > rung else -1
                self.move_rung(rung, way)
                rung += way

    def move_rung(self, rung: int, by: int) -> None:
        """Move a rung earlier or later, and keep it chosen."""
        before = self._session.document.treatment[rung]
        try:
            self._session.document.move_step(rung, by)
        except SettingsError as error:
            self.refused.emit(str(error))
            return
        self._keep_chosen(before)

    def move_to(self, rung: int, heading: Heading) -> None:
        """Move a rung under another heading."""
        before = self._session.document.treatment[rung]
        try:
            self._session.document.move_to(rung, heading)
        except SettingsError as error:
            self.refused.emit(str(error))
            return
        self._keep_chosen(before)

    def _keep_chosen(self, step: Step) -> None:
        """Choose the step again, wherever it stands now."""
        bare = replace(step, heading=None)
        ladder = self._session.document.treatment
        self._session.place.choose(next((n for n, each in enumerate(ladder) if replace(each, heading=None) == bare), None))

    def remove(self, rung: int) -> None:
        """Remove a rung."""
        self._session.document.remove_step(rung)
        ladder = self._session.document.treatment
        self._session.place.choose(min(rung, len(ladder) - 1) if ladder else None)

    def copy(self, steps: Treatment) -> None:
        """Take copies of steps in hand."""
        session = self._session
        session.in_hand.take(steps, session.shots[session.place.shot])

    def paste(self) -> None:
        """Add what is in hand to the shot in view, beside what is there."""
        session = self._session
        steps = session.in_hand.for_shot(session.shots[session.place.shot])
        session.document.add_all(steps, f"Paste {session.in_hand.words}")

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        by_key = event.reason() is QContextMenuEvent.Reason.Keyboard
        index = self.currentIndex() if by_key else self.indexAt(event.pos())
        if index.isValid():
            below = self.viewport().mapToGlobal(self.visualRect(index).bottomLeft())  # type: ignore[union-attr]
            self.menu_for(self.row_of(index)).exec(below if by_key else event.globalPos())

    def menu_for(self, row: Row) -> QMenu:
        """What can be done with a rung, or with all under a heading."""
        document, menu = self._session.document, QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def add(words: str, act: Callable[[], object], *, can: bool = True) -> None:
            action = QAction(words, menu)
            action.setEnabled(can)
            action.triggered.connect(lambda *_: act())
            menu.addAction(action)

        rung, step, heading = row.rung, row.step, row.heading
        if rung is not None and step is not None:
            add("Bypass" if step.on else "Restore", lambda: document.bypass_step(rung, bypassed=step.on))
            add("Neutral figures", lambda: document.reset_step(rung))
            add("Copy", lambda: self.copy((step,)))
            add("Earlier\tAlt+Up", lambda: self.move_rung(rung, -1))
            add("Later\tAlt+Down", lambda: self.move_rung(rung, 1))
            for other in Heading:
                can = other is not heading and (other is not Heading.GROUP or bool(document.groups))
                add(f"To {self.title_of(other)}", partial(self.move_to, rung, other), can=can)
            add("Remove\tDel", lambda: self.remove(rung))
        else:
            under = tuple(each for each in document.treatment if each.place is heading)
            on = any(each.on for each in under)
            add("Bypass all" if on or not under else "Restore all", lambda: document.bypass_heading(heading), can=bool(under))
            add("Copy all", lambda: self.copy(under), can=bool(under))
            add("Reset: remove all", lambda: document.reset_heading(heading), can=bool(under))
        menu.addSeparator()
        add("Paste", self.paste, can=bool(self._session.in_hand))
        return menu


_UNDER = {
    Heading.SOURCE: "under Source: it acts on every shot of the file",
    Heading.SHOT: "to this shot",
    Heading.GROUP: "under the group: it acts on all its shots",
    Heading.OVER_ALL: "under Over all: it acts on every shot, after its own steps",
    Heading.LIMITS: "under Limits, which act last on this shot",
}


class LadderPanel(QWidget):
    """The ladder, and ways to add to it. ``added``: a sentence that says what was added, and under which heading."""

    added = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.ladder = Ladder(session)
        self.add = QToolButton()
        self.add.setText("Add a step ▾")
        self.add.setFont(font(12))
        self.add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.add)
        by_hand = [kind for kind in KINDS.values() if kind.by_hand]
        for before, kind in zip([None, *by_hand], by_hand, strict=False):
            if before is None or before.home is not kind.home:
                menu.addSection(kind.home.capitalize())
            action = QAction(f"{kind.title}\t{kind.key}" if kind.key else kind.title, menu)
            action.triggered.connect(lambda _, kind=kind: self.add_step(kind))
            menu.addAction(action)
        self.add.setMenu(menu)
        self.reset = QPushButton("Reset shot")
        self.reset.setFont(font(12))
        self.reset.clicked.connect(session.document.reset_shot)
        self.why = QLabel()
        self.why.setFont(font(11))
        self.why.setProperty("role", "dim")
        self.why.setWordWrap(True)
        self.why.setAccessibleName("Why the steps of this shot are as they were proposed")
        foot = QHBoxLayout()
        foot.addWidget(self.add)
        foot.addWidget(self.reset)
        foot.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.ladder, 1)
        layout.addWidget(self.why)
        layout.addLayout(foot)
        for event in (session.document.changed, session.place.changed, session.survey_changed):
            event.connect(self._refresh)
        self._refresh()

    def add_step(self, kind: type[Step]) -> None:
        """Add a step, and put it on the bench."""
        before = list(self._session.document.treatment)
        self._session.document.add_step(kind)
        after = self._session.document.treatment
        fresh = next((n for n, step in enumerate(after) if n >= len(before) or step is not before[n]), None)
        self._session.place.choose(fresh)
        if fresh is not None:
            self.added.emit(f"{kind.title} is added {_UNDER[after[fresh].place]}")

    def _refresh(self) -> None:
        document, shot = self._session.document, self._session.place.shot
        reasons = document.reasons.get(document.shot, ()) if document.treatment else ()
        self.why.setText("\n".join(reasons))
        self.why.setVisible(bool(reasons))
        self.add.setEnabled(shot < self._session.treatable)
        self.reset.setEnabled(bool(document.own))
