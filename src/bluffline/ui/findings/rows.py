"""The findings, shot by shot; a click goes there."""

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractItemView, QListView, QStyledItemDelegate, QStyleOptionViewItem

from bluffline.rules.findings import Finding
from bluffline.rules.shots import Shot
from bluffline.session.session import Session
from bluffline.ui.findings.marks import draw_mark
from bluffline.ui.style.style import DIM, TEXT, TINT, font

_FINDING = Qt.ItemDataRole.UserRole + 1
_FACTS = Qt.ItemDataRole.UserRole + 2
_ROW = 38


class _Rows(QAbstractListModel):
    """Findings by shot; a row says what it shows only when it is shown, so that thousands cost nothing."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._rows: list[Finding | Shot | str] = [""]
        self._places: dict[Finding, int] = {}

    def fill(self, empty: str) -> None:
        """Show the session's findings; ``empty`` where there are none."""
        rows: list[Finding | Shot | str] = []
        shot = -1
        for finding in self._session.findings:
            if finding.shot != shot:
                shot = finding.shot
                rows.append(self._session.shots[shot])
            rows.append(finding)
        self.beginResetModel()
        self._rows = rows or [empty]
        self._places = {row: number for number, row in enumerate(rows) if isinstance(row, Finding)}
        self.endResetModel()

    def place(self, finding: Finding | None) -> QModelIndex:
        """Where a finding stands; nowhere where it isn't shown."""
        number = self._places.get(finding) if finding is not None else None
        return QModelIndex() if number is None else self.index(number)

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 – as Qt declares it
        return 0 if parent.isValid() else len(self._rows)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        told = isinstance(self._rows[index.row()], Finding)
        return Qt.ItemFlag.ItemIsEnabled | (Qt.ItemFlag.ItemIsSelectable if told else Qt.ItemFlag.NoItemFlags)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row, programme = self._rows[index.row()], self._session.programme
        if isinstance(row, Finding):
            assert programme is not None
            if role == _FINDING:
                return row
            if role == Qt.ItemDataRole.DisplayRole:
                return row.headline
            if role == _FACTS:
                return f"{row.length} fr · {row.worst_area:.1f} % of picture"
            if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
                when = f"{programme.label(row.first_frame)} to {programme.label(row.last_frame)}"
                return f"{row.severity}: {row.reason}, {when}"
        elif isinstance(row, Shot):
            assert programme is not None
            if role == Qt.ItemDataRole.DisplayRole:
                return f"Shot {self._rows[index.row() + 1].shot + 1}"  # type: ignore[union-attr]
            if role == _FACTS:
                return programme.label(row.first)
        elif role == Qt.ItemDataRole.DisplayRole:
            return row
        return None


class FindingsList(QListView):
    """A row for each shot with findings, and under it a row for each finding."""

    chosen = pyqtSignal(object)  # Finding

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: list[Finding] | None = None
        self._rows = _Rows(session, self)
        self.setModel(self._rows)
        self.setItemDelegate(_FindingDelegate(self))
        self.setUniformItemSizes(True)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Findings")
        self.clicked.connect(self._choose)
        self.activated.connect(self._choose)
        session.survey_changed.connect(self._fill)
        session.place.changed.connect(self._mark_selected)
        self._fill()

    def _fill(self) -> None:
        if self._session.findings == self._shown and self._shown:
            return
        self._shown = self._session.findings
        at = self.verticalScrollBar()
        assert at is not None
        place = at.value()
        self._rows.fill(self._empty_text())
        at.setValue(place)
        self._mark_selected()

    def _empty_text(self) -> str:
        if self._session.programme is None:
            return "No programme is open"
        return "Nothing found" if self._session.surveyed else "Nothing found so far"

    def _mark_selected(self) -> None:
        index = self._rows.place(self._session.place.selected)
        if not index.isValid():
            self.clearSelection()
        self.setCurrentIndex(index)

    def _choose(self, index: QModelIndex) -> None:
        finding = index.data(_FINDING)
        if finding is not None:
            self.chosen.emit(finding)


class _FindingDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, _ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box: QRect = option.rect
        finding = index.data(_FINDING)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        if finding is None:
            painter.setPen(TEXT)
            painter.setFont(font(12, bold=True))
            painter.drawText(box.adjusted(2, 10, 0, 0), left, index.data())
            painter.setPen(DIM)
            painter.setFont(font(11))
            painter.drawText(box.adjusted(0, 10, -2, 0), right, index.data(_FACTS))
        else:
            if self.parent().currentIndex() == index:  # type: ignore[union-attr]
                painter.setPen(QPen(TINT, 1))
                painter.drawRoundedRect(QRectF(box).adjusted(0.5, 1.5, -0.5, -1.5), 3, 3)
            draw_mark(painter, QPointF(box.left() + 13, box.top() + 13), finding.severity, TEXT)
            painter.setPen(TEXT)
            painter.setFont(font(12))
            painter.drawText(QRect(box.left() + 26, box.top() + 3, box.width() - 28, 19), left, index.data())
            painter.setPen(DIM)
            painter.setFont(font(11))
            facts = f"{finding.severity} · {index.data(_FACTS)}"
            painter.drawText(QRect(box.left() + 26, box.top() + 19, box.width() - 28, 16), left, facts)
        painter.restore()
