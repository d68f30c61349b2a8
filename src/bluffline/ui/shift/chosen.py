"""The file that is picked: its facts, its findings by rule, what was not looked at, and what can be done with it."""

import base64
from collections.abc import Sequence
from itertools import groupby
from typing import Any

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bluffline.figures import figure
from bluffline.media.opening import shown
from bluffline.rules.catalogue import rule_title
from bluffline.rules.severity import Severity
from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.one_file import Told
from bluffline.shift.redelivery import CameBefore
from bluffline.shift.states import State
from bluffline.shift.worst import Pictured
from bluffline.signal.matrix import standard
from bluffline.ui.findings.marks import draw_mark
from bluffline.ui.shift.painting import draw_skyline
from bluffline.ui.shift.words import length_of
from bluffline.ui.style.style import DIM, TEXT, font

ACTS = (
    ("open", "Open on the desk", "Enter"), ("certify", "Certify as it stands", "C"), ("legalise", "Legalise and prove", "G"),
    ("put_off", "Put off", "O"), ("send_back", "Send back", "B"), ("deliver", "Deliver", "D"),
    ("profile", "Profile …", "P"), ("remove", "Let it go", "Del"),
)  # fmt: skip
_WIDE = frozenset({"open", "certify", "legalise"})  # acts with a row of their own
_LINE = 34
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


class Chosen(QFrame):
    """What is known of one file; ``asked`` tells which act of `ACTS` was pressed."""

    asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self._name, self._facts, self._state = QLabel(), QLabel(), QLabel()
        self._name.setFont(font(15, bold=True))
        self._name.setWordWrap(True)
        self._state.setFont(font(13, bold=True))
        for label in (self._facts, self._state):
            label.setWordWrap(True)
        self._facts.setProperty("role", "dim")
        self._facts.setFont(font(12))
        self._found = _Found()
        self._found.setObjectName("steps")
        scrolled = QScrollArea()
        scrolled.setAccessibleName("What was found in the file")
        scrolled.setWidget(self._found)
        scrolled.setWidgetResizable(True)
        scrolled.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._worst, self._came = _Worst(), _Came()
        self._rest = QLabel()
        self._rest.setWordWrap(True)
        self._rest.setFont(font(11))
        self._rest.setProperty("role", "dim")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 10)
        layout.setSpacing(6)
        for widget in (self._name, self._facts, self._state):
            layout.addWidget(widget)
        layout.addWidget(scrolled, 1)
        layout.addWidget(self._worst)
        layout.addWidget(self._came)
        layout.addWidget(self._rest)
        self.buttons: dict[str, QPushButton] = {}
        acts = QGridLayout()
        acts.setSpacing(6)
        place = 0  # of the next half of a row
        for name, title, key in ACTS:
            button = QPushButton(f"{title}   {key}")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _, name=name: self.asked.emit(name))
            acts.addWidget(button, place // 2, place % 2, 1, 2 if name in _WIDE else 1)
            place += 2 if name in _WIDE else 1
            self.buttons[name] = button
        layout.addLayout(acts)
        self.show_file(None)

    def show_file(self, file: FileInHand | None) -> None:
        """Draw what is known of a file; without one, say how files come here."""
        told = file.told if file is not None else None
        self._worst.show_pictures(told.pictures if told is not None else ())
        self._came.show_file(file)
        self._found.show_findings(told.checked.get("findings", []) if told is not None else [])
        for name, button in self.buttons.items():
            button.setEnabled(file is not None and can(name, file))
            title, key = next((title, key) for act, title, key in ACTS if act == name)
            again = name == "put_off" and file is not None and file.state is State.PUT_OFF
            button.setText(f"{'Take up' if again else title}   {key}")
            button.setProperty("next", name == _chief(file))
            style = button.style()
            assert style is not None
            style.polish(button)
        self.buttons["legalise"].setVisible(file is not None and file.state is State.TO_FIX)  # of the two one can be done
        self.buttons["certify"].setVisible(not self.buttons["legalise"].isVisibleTo(self))
        if file is None:
            self._name.setText("No file is picked")
            self._facts.setText("Drop files or folders here, or add them above. Each is measured behind what you do.")
            self._state.setText("")
            self._rest.setText("")
            return
        self._name.setText(shown(file.path.stem))
        facts = _facts(told.checked, length_of(file)) if told is not None else ""
        self._facts.setText("\n".join(filter(None, (facts, shown(file.path.parent)))))
        self._state.setText(_state_told(file))
        missing = told.checked.get("not_judged", []) if told is not None else []
        self._rest.setText(f"Not looked at: {'; '.join(map(_thing, missing))}" if missing else "")


def can(act: str, file: FileInHand) -> bool:
    """Whether something can be done with a file as it is now."""
    working = file.state in (State.GROWING, State.WAITING, State.MEASURING) or bool(file.asked_for)
    good = file.state is State.GOOD
    certified = good and file.told is not None and bool(file.told.written)
    sent_back = file.state is State.TO_FIX and file.told is not None and bool(file.told.sent_back)
    return {
        "open": file.state not in (State.GROWING, State.REFUSED),
        "certify": good and not certified and not working,
        "legalise": file.state is State.TO_FIX and not working,
        "put_off": file.state in (State.TO_FIX, State.GOOD, State.PROVED, State.REFUSED, State.PUT_OFF) and not working,
        "send_back": file.state in (State.TO_FIX, State.REFUSED, State.PUT_OFF) and not working,
        "profile": not file.asked_for and file.state is not State.MEASURING,
        "deliver": (file.state is State.PROVED or certified or sent_back) and not working,
        "remove": not file.asked_for,
    }[act]


def _chief(file: FileInHand | None) -> str:
    """The act that goes on with a file."""
    if file is None:
        return ""
    return next((act for act in ("deliver", "certify") if can(act, file)), "open" if can("open", file) else "")


def _state_told(file: FileInHand) -> str:
    told = file.told
    if file.asked_for:
        return f"{file.asked_for.capitalize()}: under way"
    if told is None:
        return str(file.state).capitalize()
    if told.state is file.state:
        return f"{told.sentence[:1].upper()}{told.sentence[1:]}"
    return f"{str(file.state).capitalize()}, {file.since[:16].replace('T', ' ')} UTC, by {file.by}"


def _facts(report: dict[str, Any], length: str) -> str:
    facts = report.get("file")
    if not facts:
        return ""
    rate = float(facts["frame_rate"].partition("/")[0]) / float(facts["frame_rate"].partition("/")[2])
    scan = "i" if facts["interlaced"] else "p"
    size, depth = f"{facts['width']}×{facts['height']}", f"{facts['sampling']} {facts['bit_depth']}-bit"
    return f"{size} · {rate:.4g}{scan} · {depth} · {standard(facts['matrix'])}\n{length} from {facts['start_timecode']}"


def _thing(told: str) -> str:
    """What is not judged, without the reason; where the rules are the reason, what they don't ask for."""
    about, _, rest = told.partition(": ")
    return rest if about in ("Not asked for by the rules", "No rule here", "Left out by the rules") else about


class _Worst(QWidget):
    """The frames where a file is worst, one for each rule: what is outside is hatched, the rule stands beneath."""

    _WIDE, _GAP, _WORDS = 88, 9, 28

    def __init__(self) -> None:
        super().__init__()
        self._drawn: list[tuple[str, QPixmap]] = []
        self.setAccessibleName("Frames where it is worst")

    def show_pictures(self, pictures: Sequence[Pictured]) -> None:
        """Show these; nothing where there are none."""
        self._drawn = []
        for rule, _, data in pictures:
            picture = QPixmap()
            if picture.loadFromData(base64.b64decode(data)):
                scaled = picture.scaledToWidth(self._WIDE, Qt.TransformationMode.SmoothTransformation)
                self._drawn.append((rule_title(rule), scaled))
        tall = max((picture.height() for _, picture in self._drawn), default=0)
        self.setFixedHeight(tall + self._WORDS)
        self.setVisible(bool(self._drawn))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(font(11))
        painter.setPen(DIM)
        for place, (title, picture) in enumerate(self._drawn):
            left = place * (self._WIDE + self._GAP)
            painter.drawPixmap(left, 0, picture)
            box = QRect(left, self.height() - self._WORDS, self._WIDE, self._WORDS)
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap, title)
        painter.end()


class _Came(QWidget):
    """What came before under this name: in words, and both skylines, one above the other."""

    def __init__(self) -> None:
        super().__init__()
        self._words = QLabel()
        self._words.setWordWrap(True)
        self._words.setFont(font(12))
        self._both = _Both()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 4)
        layout.setSpacing(4)
        layout.addWidget(self._words)
        layout.addWidget(self._both)

    def show_file(self, file: FileInHand | None) -> None:
        """Show what came before a file, nothing where nothing did."""
        before = file.before if file is not None else None
        self.setVisible(before is not None)
        if file is not None and before is not None:
            self._words.setText(f"Came before: {before}")
            self._both.show_both(before, file.told)


class _Both(QWidget):
    """The skyline of the delivery before, above that of this one."""

    _TALL, _LABEL = 30, 46

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(2 * self._TALL + 4)
        self._drawn: list[tuple[str, CameBefore | Told | None]] = []
        self.setAccessibleName("Skylines of the delivery before and of this one")

    def show_both(self, before: CameBefore, now: Told | None) -> None:
        """Draw these."""
        self._drawn = [("before", before), ("now", now)]
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for row, (name, told) in enumerate(self._drawn):
            top = row * (self._TALL + 4)
            painter.setPen(DIM)
            painter.setFont(font(11))
            painter.drawText(QRect(0, top, self._LABEL, self._TALL), _LEFT, name)
            draw_skyline(painter, QRectF(self._LABEL, top, self.width() - self._LABEL, self._TALL), told)
        painter.end()


class _Found(QWidget):
    """Findings by rule: a mark, the worst of each in words, and where."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[tuple[Severity, bool, str, str]] = []

    def show_findings(self, findings: list[dict[str, Any]]) -> None:
        """Draw these, the gravest first."""
        order = list(Severity)
        ranked = sorted(findings, key=lambda each: (order.index(each["severity"]), each["rule"]))
        self._rows = []
        for _, same in groupby(ranked, key=lambda each: (each["severity"], each["rule"], "waived" in each)):
            several = list(same)
            worst = max(several, key=lambda each: (each["worst_area"], abs(each["worst_value"])))
            shots = sorted({each["shot"] + 1 for each in several})
            named = f"{', '.join(map(str, shots[:6]))}{' …' * (len(shots) > 6)}"
            where = f"shot{'s' * (len(shots) > 1)} {named}"
            waiver = worst.get("waived")
            under = f"waived by {waiver['by']}: {waiver['reason']}" if waiver else f"{where}, {worst['timecode_in']}"
            self._rows.append((Severity(worst["severity"]), waiver is not None, _worst_told(worst), under))
        self.setMinimumHeight(_LINE * len(self._rows) + 4)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(260, _LINE * len(self._rows) + 4)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for place, (severity, waived, title, where) in enumerate(self._rows):
            top = place * _LINE
            draw_mark(painter, QPointF(8, top + 12), severity, DIM if waived else TEXT)
            for words, colour, size, y in ((title, DIM if waived else TEXT, 12, top + 2), (where, DIM, 11, top + 18)):
                painter.setPen(colour)
                painter.setFont(font(size))
                box = QRect(22, y, self.width() - 26, 17)
                painter.drawText(box, _LEFT, painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, box.width()))
        painter.end()


def _worst_told(finding: dict[str, Any]) -> str:
    """A rule, and how far the worst finding breaks it."""
    title = rule_title(finding["rule"])
    return f"{title} {figure(finding['worst_value'], '.1f')} %" if finding["unit"] == "%" else title
