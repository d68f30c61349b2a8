"""The header: the menus and beside them what is running; what is under control, the rules, the next thing to press."""

from datetime import datetime

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QMenuBar,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from bluffline.rules.rulefile import SHIPPED, load_rules
from bluffline.session.faults import Fault, log_path
from bluffline.session.session import Session
from bluffline.signal.naming import colours
from bluffline.survey.monitor import Progress
from bluffline.ui.dialogs.layout import asked
from bluffline.ui.style.line import Line
from bluffline.ui.style.style import font

_BAR_STEPS = 1000


_NEWS = 20_000  # milliseconds that a sentence is news
_MOST_SAID = 500


class Header(QWidget):
    """Title, facts, rules and the chief commands; a line for progress, results and errors."""

    command = pyqtSignal(str)
    rules_chosen = pyqtSignal(str)
    cancelled = pyqtSignal()

    def __init__(self, menus: QMenuBar) -> None:
        super().__init__()
        self._title = QLabel("Bluffline")
        self._title.setFont(font(18, bold=True))
        self.facts_line = Line(font(12), right=False)
        self.rules_button = QToolButton()
        self.rules_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.rules_button)
        for name in SHIPPED:
            action = QAction(load_rules(name).title, menu)
            action.triggered.connect(lambda _, name=name: self.rules_chosen.emit(name))
            menu.addAction(action)
        menu.addSeparator()
        other = QAction("From a file …", menu)
        other.triggered.connect(lambda: self.rules_chosen.emit(""))
        menu.addAction(other)
        self.rules_button.setMenu(menu)
        self.offer = QPushButton()
        self.offer.setFont(font(12))
        self.offer.setToolTip("Take up the work on the delivery before: it is brought to the shots that are here again")
        self.offer.clicked.connect(lambda: self.command.emit("before"))
        self.offer.hide()
        self.buttons = {
            name: self._button(name, text)
            for name, text in (
                ("open", "Open …"),
                ("survey", "Survey again"),
                ("legalise", "Legalise"),
                ("prove", "Prove and write …"),
            )
        }
        self.programme_row = QWidget()
        top = QHBoxLayout(self.programme_row)
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(8)
        top.addWidget(self._title)
        top.addSpacing(10)
        top.addWidget(self.offer)
        top.addWidget(self.facts_line, 1)
        top.addWidget(self.rules_button)
        for button in self.buttons.values():
            top.addWidget(button)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(220)
        self._message = Line(font(12), dim=False)
        self._message.setAccessibleName("What is going on")
        self.details = QPushButton("Show details")
        self.details.setFont(font(11))
        self.details.setStyleSheet("padding: 1px 8px")
        self.details.clicked.connect(self._show_details)
        self.details.hide()
        self.read_on = QPushButton("Read on …")
        self.read_on.setFont(font(11))
        self.read_on.setStyleSheet("padding: 1px 8px")
        self.read_on.clicked.connect(lambda: self.command.emit("said"))
        self.read_on.hide()
        self._message.cut.connect(self.read_on.setVisible)
        self._fault: Fault | None = None
        self._progress = self._news = ""
        self.said: list[tuple[str, str]] = []  # times and sentences, the latest last
        self._fresh = QTimer(self)
        self._fresh.setSingleShot(True)
        self._fresh.setInterval(_NEWS)
        self._fresh.timeout.connect(lambda: self.say(""))
        self.cancel_button = QPushButton("Cancel")
        self.cancel_button.setFont(font(11))
        self.cancel_button.setStyleSheet("padding: 1px 8px")
        self.cancel_button.clicked.connect(self.cancelled)
        menus.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
        state = QHBoxLayout()
        state.setSpacing(10)
        state.addWidget(menus)
        state.addSpacing(20)
        state.addWidget(self._message, 1)
        state.addWidget(self.read_on)
        state.addWidget(self.details)
        state.addWidget(self.bar)
        state.addWidget(self.cancel_button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(2, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(state)
        layout.addWidget(self.programme_row)
        self.end_progress()

    def _button(self, name: str, text: str) -> QPushButton:
        button = QPushButton(text)
        button.clicked.connect(lambda: self.command.emit(name))
        return button

    @property
    def message(self) -> str:
        """The sentence shown."""
        return self._message.text()

    def show_session(self, session: Session) -> None:
        """Draw what is under control."""
        self.rules_button.setText(f"Rules: {session.rules.title} ▾")
        programme, survey = session.programme, session.survey
        if programme is None or survey is None:
            self._title.setText("Bluffline")
            self.facts_line.setText("")
            return
        source, region = survey.source, survey.region
        scan = "i" if source.interlaced else "p"
        active = ""
        if (region.width, region.height) != (source.width, source.height):
            active = f" · active {region.width}×{region.height}"
        notes = "".join(f" · {note.lower()}" for note in programme.notes)
        self._title.setText(programme.title)
        self.facts_line.setText(
            f"{source.width}×{source.height} · {float(programme.frame_rate):.4g}{scan} · "
            f"{source.sampling} {source.bit_depth}-bit · "
            f"{colours(source)}{active}{notes}"
        )

    def show_offer(self, words: str) -> None:
        """Show beside the programme's name what can be taken up; nothing where there are no words."""
        self.offer.setText(words)
        self.offer.setVisible(bool(words))

    def enable(self, enabled: dict[str, bool]) -> None:
        """Enable the buttons as their commands are; the next thing to press is the one that is tinted."""
        for name, button in self.buttons.items():
            button.setEnabled(enabled.get(name, False))

    def count_left(self, left: int | None) -> None:
        """Say on the button that proves how many findings must be fixed still; None where that isn't known."""
        self.buttons["prove"].setText("Prove and write …" if left is None else f"Prove and write ({left} left) …")

    def point_to(self, name: str) -> None:
        """Tint the button that is the next thing to press."""
        for other, button in self.buttons.items():
            if button.property("next") != (other == name):
                button.setProperty("next", other == name)
                style = button.style()
                assert style is not None
                style.unpolish(button)
                style.polish(button)

    def show_progress(self, progress: Progress) -> None:
        """Show where the running job is."""
        self.bar.setMaximum(_BAR_STEPS)  # not the total itself: the bytes of a long programme are more than a bar can count
        self.bar.setValue(_BAR_STEPS * progress.done // max(progress.total, 1))
        done, total, speed, unit = progress.done, progress.total, progress.speed, progress.unit
        if unit == "bytes":
            done, total, speed, unit = done // 1_000_000, total // 1_000_000, speed / 1e6, "MB"
        self._progress = (
            f"{progress.stage}: {done} of {total} {unit} · {speed:.{0 if speed >= 10 else 1}f} {unit}/s · "
            f"{progress.seconds_left:.0f} s left"
        )
        self._tell()
        self.bar.show()
        self.cancel_button.show()

    def end_progress(self) -> None:
        """Nothing is running."""
        self.bar.hide()
        self.cancel_button.hide()
        self._progress = ""
        self._tell()

    def say(self, message: str) -> None:
        """Show a sentence for as long as it is news."""
        self._news = message
        if message:
            if not self.said or self.said[-1][1] != message:
                self.said.append((datetime.now().astimezone().strftime("%H:%M:%S"), message))
                del self.said[:-_MOST_SAID]
            self._fresh.start()
        else:
            self._fresh.stop()
        self._tell()

    def fault(self, fault: Fault) -> None:
        """Show what went wrong: until something else is said, or, where more is known of it, until that has been looked at."""
        if fault.details:
            self._fault = fault
            self.details.show()
        self.say(fault.sentence)
        self._fresh.stop()

    def _tell(self) -> None:
        self._message.setText(self._fault.sentence if self._fault is not None else self._progress or self._news)

    def _show_details(self) -> None:
        self.details.hide()
        fault, self._fault = self._fault, None
        self._tell()
        if fault is not None:
            box = QMessageBox(QMessageBox.Icon.Warning, "What went wrong", fault.sentence, parent=self)
            box.setInformativeText(f"Bluffline goes on. The log is {log_path()}.")
            box.setDetailedText(fault.details)
            asked(box)
