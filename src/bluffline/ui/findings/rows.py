"""The rows of the list of findings: as many as there are, and what they say only when it is asked for."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QModelIndex, QObject, Qt
from PyQt6.QtGui import QStandardItem, QStandardItemModel

from bluffline.rules.catalogue import headline, rule_title
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.session.session import Session

FINDING = Qt.ItemDataRole.UserRole + 1
KEY = Qt.ItemDataRole.UserRole + 2
Group = tuple[int | str, list[Finding]]  # the number of a shot, the id of a rule or an aspect, and what is found there
_TOLD = (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole)


class FindingRows(QStandardItemModel):
    """A row for each group, and under it one for each of its findings; of thousands only those in sight are made into words."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self.groups: list[Group] = []
        self._names: list[int | str] = []  # what groups are known by when others come before them: a shot by its first frame

    def show(self, groups: list[Group], empty: str) -> list[QModelIndex]:
        """Show these groups, or a row that says why there are none; rows of the same groups stay what they are.

        Returns the rows of groups that were not there before.
        """
        if not (groups and self.groups):
            self.clear()
            self._names = []
        before, counts = self._names, [len(findings) for _, findings in self.groups]
        names = [key if isinstance(key, str) else self._session.shots[key].first for key, _ in groups]
        head = _in_common(before, names)
        tail = _in_common(before[head:][::-1], names[head:][::-1])
        self.groups, self._names = groups, names
        self.removeRows(head, len(before) - tail - head)
        root = self.invisibleRootItem()
        assert root is not None
        root.insertRows(head, [_row() for _ in names[head : len(names) - tail]])
        if not groups:
            root.appendRow(_row(empty))
        counts[head : len(counts) - tail] = [0] * (len(names) - tail - head)
        for place, ((_, findings), count) in enumerate(zip(groups, counts, strict=True)):
            if len(findings) != count and (row := root.child(place)) is not None:
                row.setRowCount(len(findings))
        return [self.index(place, 0) for place in range(head, len(names) - tail)]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        group = index.parent()
        if not group.isValid():
            if index.row() >= len(self.groups) or role not in (KEY, Qt.ItemDataRole.AccessibleTextRole):
                return super().data(index, role)
            key, found = self.groups[index.row()]
            return key if role == KEY else f"{title_of(key)}, {len(found)} finding{'s' * (len(found) > 1)}"
        findings = self.groups[group.row()][1] if group.row() < len(self.groups) else []
        finding = findings[index.row()] if index.row() < len(findings) else None  # a row that is about to go has none
        if role == FINDING or finding is None:
            return finding
        if role == Qt.ItemDataRole.DisplayRole:
            return headline(finding)
        return self._told(finding) if role in _TOLD else None

    def _told(self, finding: Finding) -> str:
        programme = self._session.programme
        assert programme is not None
        when = f"{programme.label(finding.first_frame)} to {programme.label(finding.last_frame)}"
        waiver = f"; waived by {finding.waiver.by}: {finding.waiver.reason}" if finding.waiver is not None else ""
        return f"{finding.severity}: {finding.reason}, {when}{waiver}"


def title_of(key: int | str) -> str:
    """What a group is called."""
    return f"Shot {key + 1}" if isinstance(key, int) else key.capitalize() if isinstance(key, Aspect) else rule_title(key)


def _row(words: str = "") -> QStandardItem:
    row = QStandardItem(words)
    row.setFlags(Qt.ItemFlag.ItemIsEnabled)
    row.setColumnCount(1)
    return row


def _in_common(before: Sequence[object], now: Sequence[object]) -> int:
    """How many names two rows of them begin with alike."""
    shorter = min(len(before), len(now))
    return next((n for n in range(shorter) if before[n] != now[n]), shorter)
