"""The findings, folded by shot, by rule or by what they are about; a click goes there."""

from collections.abc import Sequence
from dataclasses import replace
from enum import StrEnum

from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QActionGroup, QIcon, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QToolButton,
    QTreeView,
    QVBoxLayout,
    QWidget,
)

from bluffline.rules.catalogue import aspect_of, headline, part_of
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.rules.severity import Severity
from bluffline.session.session import Session
from bluffline.ui.findings.marks import draw_mark, drawn_mark
from bluffline.ui.findings.rows import FINDING, KEY, FindingRows, Group, title_of
from bluffline.ui.style.style import DIM, TEXT, TINT, font

_ROW = 38
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class Order(StrEnum):
    """By what findings are folded."""

    SHOT = "By shot"
    RULE = "By rule"
    ASPECT = "By kind"


_RULE, _ASPECT, _SOUND = Order.RULE, Order.ASPECT, Aspect.SOUND  # asked for thousands of times, which enumerations are slow at


class FindingsList(QWidget):
    """A row for each shot, rule or aspect with findings, and under it a row for each finding; above them what is shown."""

    chosen = pyqtSignal(object)  # Finding

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._order = Order.SHOT
        self.rows = FindingRows(session, self)
        self.tree = _Tree()
        self.tree.setModel(self.rows)
        self.tree.setItemDelegate(_FindingDelegate(session, self.tree))
        self.tree.clicked.connect(self._clicked)
        self.tree.activated.connect(self._activated)
        self.order = QToolButton()
        self.severities = {severity: self._severity_button(severity) for severity in Severity}
        head = QHBoxLayout()
        head.setSpacing(3)
        head.addWidget(self.order)
        head.addStretch()
        for button in self.severities.values():
            head.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(self.tree, 1)
        self.setFocusProxy(self.tree)
        self._make_menu()
        session.survey_changed.connect(self.refresh)
        session.trials_changed.connect(self._retell)
        session.document.changed.connect(self._retell)
        session.place.changed.connect(self._mark_selected)
        self.refresh()

    def _severity_button(self, severity: Severity) -> QToolButton:
        button = QToolButton()
        button.setObjectName("count")
        button.setFont(font(11))
        button.setIconSize(QSize(12, 12))
        button.setCheckable(True)
        button.setChecked(True)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.setIcon(QIcon(drawn_mark(severity, TEXT, 4.5)))
        button.setToolTip(f"Show findings that are “{severity}”, or leave them out; N and P stop at what is shown")
        button.toggled.connect(self._filter)
        return button

    def _make_menu(self) -> None:
        self.order.setObjectName("quiet")
        self.order.setFont(font(11))
        self.order.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu, group = QMenu(self.order), QActionGroup(self)
        for order in Order:
            action = QAction(order, self)
            action.setCheckable(True)
            action.setChecked(order is self._order)
            action.triggered.connect(lambda _, order=order: self.order_by(order))
            group.addAction(action)
            menu.addAction(action)
        menu.addSeparator()
        menu.addAction("Fold all", self.tree.collapseAll)
        menu.addAction("Unfold all", self.tree.expandAll)
        self.order.setMenu(menu)
        self.order.setText(f"{self._order} ▾")

    def order_by(self, order: Order) -> None:
        """Put findings together by what they have in common."""
        self._order = order
        self.order.setText(f"{order} ▾")
        self.refresh()

    def _filter(self) -> None:
        shown = frozenset(severity for severity, button in self.severities.items() if button.isChecked())
        self._session.place.severities = shown
        self.refresh()

    # Rows ----------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the session's findings; rows that stay as they were are left alone, so that a survey may grow at little cost."""
        found = self._session.findings
        each = [finding.severity for finding in found]
        counts = {severity: each.count(severity) for severity in Severity}
        for severity, button in self.severities.items():
            button.setText(f"{counts[severity]} {severity.rpartition(' ')[2]}")
        self.tree.setAccessibleDescription(", ".join(f"{counts[severity]} {severity}" for severity in Severity))
        for row in self.rows.show(self._grouped(found), self._empty_text()):
            self.tree.setExpanded(row, True)
        self._retell()
        self._mark_selected()

    def _grouped(self, found: Sequence[Finding]) -> list[Group]:
        """What is shown, by what it is folded under, in the order in which that is listed."""
        shown, groups = tuple(self._session.place.severities), dict[int | str, list[Finding]]()
        for finding in found:
            if finding.severity in shown:
                groups.setdefault(self._key(finding), []).append(finding)
        return sorted(groups.items(), key=self._listed)

    def _listed(self, group: Group) -> tuple[int, str]:
        """Where a group is listed: the gravest rules first, kinds in their order, and sound, which is no shot's, last."""
        key, findings = group
        if self._order is Order.RULE:
            return min(list(Severity).index(finding.severity) for finding in findings), str(key)
        return (list(Aspect).index(key) if isinstance(key, Aspect) else -1), ""

    def _empty_text(self) -> str:
        session = self._session
        if session.programme is None:
            return "No programme is open"
        if session.findings:
            return "Findings of these severities: none"
        return "Nothing found" if session.surveyed else "Nothing found so far"

    def _retell(self) -> None:
        viewport = self.tree.viewport()
        assert viewport is not None
        viewport.update()

    def _mark_selected(self) -> None:
        index = self.index_of(self._session.place.selected)
        if not index.isValid():
            self.tree.clearSelection()
        self.tree.setCurrentIndex(index)

    def index_of(self, finding: Finding | None) -> QModelIndex:
        """Where a finding stands; nowhere where it isn't shown."""
        for place, (key, findings) in enumerate(self.rows.groups):
            if finding is not None and key == self._key(finding) and finding in findings:
                return self.rows.index(findings.index(finding), 0, self.rows.index(place, 0))
        return QModelIndex()

    def _key(self, finding: Finding) -> int | str:
        """What a finding is folded under. Sound knows no cuts: it is no shot's."""
        if self._order is _RULE:
            return finding.rule
        aspect = aspect_of(finding)
        return aspect if self._order is _ASPECT or aspect is _SOUND else finding.shot

    def _clicked(self, index: QModelIndex) -> None:
        if index.data(KEY) is not None:
            self.tree.setExpanded(index, not self.tree.isExpanded(index))
        self._activated(index)

    def _activated(self, index: QModelIndex) -> None:
        finding = index.data(FINDING)
        if finding is not None:
            self.chosen.emit(finding)


class _Tree(QTreeView):
    def __init__(self) -> None:
        super().__init__()
        self.setHeaderHidden(True)
        self.setRootIsDecorated(False)
        self.setIndentation(0)
        self.setUniformRowHeights(True)
        self.setExpandsOnDoubleClick(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("List of findings")


class _FindingDelegate(QStyledItemDelegate):
    """Says what a row shows only when it is shown, so that thousands cost nothing."""

    def __init__(self, session: Session, tree: QTreeView) -> None:
        super().__init__(tree)
        self._session, self._tree = session, tree

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, _ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        finding, key = index.data(FINDING), index.data(KEY)
        if finding is not None:
            self._paint_finding(painter, option.rect, finding, current=self._tree.currentIndex() == index)
        elif key is not None:
            self._paint_group(painter, option.rect, key, index)
        else:
            painter.setPen(DIM)
            painter.setFont(font(12))
            painter.drawText(option.rect.adjusted(2, 0, 0, 0), _LEFT, index.data())
        painter.restore()

    def _paint_group(self, painter: QPainter, box: QRect, key: int | str, index: QModelIndex) -> None:
        session = self._session
        model = index.model()
        assert model is not None and session.programme is not None
        count = model.rowCount(index)
        if isinstance(key, str):
            facts = f"{count} finding{'s' if count > 1 else ''}"
        else:
            left = session.left_in(key)
            facts = session.programme.label(session.shots[key].first)
            if added := session.added_by_coding().get(key):
                facts = f"coding adds {added} · {facts}"
            if left is not None:  # how it was tried holds for all its findings, so it is said once
                told = f"{left or 'none'} left"
                facts = f"{told} · {facts}" if session.as_written else f"{told} (before coding)"
        if self._tree.hasFocus() and self._tree.currentIndex() == index:
            _mark_current(painter, box.adjusted(0, 10, 0, 0))
        title, x, y = title_of(key), box.left() + 6.0, box.top() + 24.0
        down = self._tree.isExpanded(index)
        corners = ((-4, -2), (4, -2), (0, 3)) if down else ((-2, -4), (-2, 4), (3, 0))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(DIM)
        painter.drawPolygon(QPolygonF([QPointF(x + dx, y + dy) for dx, dy in corners]))
        painter.setPen(TEXT)
        painter.setFont(font(12, bold=True))
        painter.drawText(box.adjusted(16, 10, 0, 0), _LEFT, title if down else f"{title} ({count})")
        painter.setPen(DIM)
        painter.setFont(font(11))
        painter.drawText(box.adjusted(0, 10, -2, 0), _RIGHT, facts)

    def _paint_finding(self, painter: QPainter, box: QRect, finding: Finding, *, current: bool) -> None:
        if current:
            _mark_current(painter, box)
        outcome = self._session.outcome(finding)
        draw_mark(painter, QPointF(box.left() + 13, box.top() + 13), finding.severity, TEXT)
        done = finding.waiver is not None or (outcome is not None and outcome.answered)
        painter.setPen(DIM if done else TEXT)
        painter.setFont(font(12))
        upper = QRect(box.left() + 26, box.top() + 3, box.width() - 28, 19)
        shown = painter.fontMetrics().elidedText(headline(finding), Qt.TextElideMode.ElideRight, upper.width())
        painter.drawText(upper, _LEFT, shown)
        painter.setPen(DIM)
        painter.setFont(font(11))
        told = " · ".join(filter(None, (f"{finding.severity} · {finding.length} fr", part_of(finding))))
        if finding.waiver is not None:
            told, outcome = f"waived by {finding.waiver.by}: {finding.waiver.reason}", None
        painter.drawText(upper.translated(0, 16), _LEFT, told if outcome is None else str(replace(outcome, coded=True)))


def _mark_current(painter: QPainter, box: QRect) -> None:
    painter.setPen(QPen(TINT, 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(QRectF(box).adjusted(0.5, 1.5, -0.5, -1.5), 3, 3)
