"""The findings, shot by shot; a click goes there."""

from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QAbstractItemView, QListView, QStyledItemDelegate, QStyleOptionViewItem

from bluffline.rules.findings import Finding
from bluffline.session.session import Session
from bluffline.ui.marks import draw_mark
from bluffline.ui.style import DIM, TEXT, TINT, font

_FINDING = Qt.ItemDataRole.UserRole + 1
_FACTS = Qt.ItemDataRole.UserRole + 2
_ROW, _HEAD = 38, 30


class FindingsList(QListView):
    """A row for each shot with findings, and under it a row for each finding."""

    chosen = pyqtSignal(object)  # Finding

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: list[Finding] = []
        self._rows = QStandardItemModel(self)
        self.setModel(self._rows)
        self.setItemDelegate(_FindingDelegate(self))
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Findings")
        self.clicked.connect(self._choose)
        self.activated.connect(self._choose)
        session.survey_changed.connect(self._fill)
        session.place_changed.connect(self._mark_selected)
        self._fill()

    def _fill(self) -> None:
        if self._session.findings == self._shown and self._shown:
            return
        self._shown = list(self._session.findings)
        self._rows.clear()
        if not self._shown:
            self._rows.appendRow(self._head(self._empty_text(), ""))
        shot = -1
        programme = self._session.programme
        for finding in self._shown:
            assert programme is not None
            if finding.shot != shot:
                shot = finding.shot
                self._rows.appendRow(self._head(f"Shot {shot + 1}", programme.label(self._session.shots[shot].first)))
            row = QStandardItem(finding.headline)
            row.setData(finding, _FINDING)
            row.setData(f"{finding.length} fr · {finding.worst_area:.1f} % of picture", _FACTS)
            when = f"{programme.label(finding.first_frame)} to {programme.label(finding.last_frame)}"
            row.setToolTip(f"{finding.severity}: {finding.reason}, {when}")
            row.setAccessibleText(f"{finding.severity}: {finding.reason}, {when}")
            self._rows.appendRow(row)
        self._mark_selected()

    def _empty_text(self) -> str:
        if self._session.programme is None:
            return "No programme is open"
        return "Nothing found" if self._session.surveyed else "Nothing found so far"

    @staticmethod
    def _head(text: str, facts: str) -> QStandardItem:
        head = QStandardItem(text)
        head.setData(facts, _FACTS)
        head.setFlags(Qt.ItemFlag.ItemIsEnabled)
        return head

    def _mark_selected(self) -> None:
        for row in range(self._rows.rowCount()):
            index = self._rows.index(row, 0)
            if self._session.selected is not None and index.data(_FINDING) == self._session.selected:
                self.setCurrentIndex(index)
                return
        self.clearSelection()
        self.setCurrentIndex(QModelIndex())

    def _choose(self, index: QModelIndex) -> None:
        finding = index.data(_FINDING)
        if finding is not None:
            self.chosen.emit(finding)


class _FindingDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, _ROW if index.data(_FINDING) is not None else _HEAD)

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
            painter.drawText(box.adjusted(2, 6, 0, 0), left, index.data())
            painter.setPen(DIM)
            painter.setFont(font(11))
            painter.drawText(box.adjusted(0, 6, -2, 0), right, index.data(_FACTS))
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
