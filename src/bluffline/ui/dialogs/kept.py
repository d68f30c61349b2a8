"""The work that is kept on programmes of earlier sittings, which goes only when it is told to."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QDialog, QDialogButtonBox, QHeaderView, QTreeWidget, QTreeWidgetItem, QWidget

from bluffline.errors import SettingsError
from bluffline.media.opening import shown
from bluffline.session.store import DocumentStore, Earlier
from bluffline.ui.dialogs.layout import close_button, dim, lay_out

_COLUMNS = ("Programme", "Folder", "Last changed (UTC)", "Size")
_CONTENT = Qt.ItemDataRole.UserRole


class KeptDialog(QDialog):
    """A list of it, the oldest first, of which some may be picked and forgotten.

    Parameters
    ----------
    here : what the programme under control is known by, whose work is not offered; empty where there is none
    ask : asks the operator a question before something is lost, with the words of the button that agrees
    """

    def __init__(self, store: DocumentStore, here: str, ask: Callable[[str, str], bool], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Work that is kept")
        self._store, self._here, self._ask = store, here, ask
        self.told = dim("")
        self.told.setWordWrap(True)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Programmes with work on them")
        self.list.setHeaderLabels(_COLUMNS)
        self.list.headerItem().setTextAlignment(3, int(Qt.AlignmentFlag.AlignRight))  # type: ignore[union-attr]
        self.list.setRootIsDecorated(False)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._count)
        self.buttons = close_button(self)
        forget = self.buttons.addButton("Forget what is picked", QDialogButtonBox.ButtonRole.ActionRole)
        assert forget is not None
        self.forget = forget
        forget.clicked.connect(self._forget)
        lay_out(self, self.told, self.list, self.buttons)
        self.resize(900, 420)
        self._fill()

    def _fill(self) -> None:
        earlier = [each for each in self._store.listed() if each.known.content != self._here]
        self.list.clear()
        self.list.addTopLevelItems([_row(each) for each in earlier])
        header = self.list.header()
        assert header is not None
        for column in (0, 2, 3):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setStretchLastSection(False)
        self._count()

    def _count(self) -> None:
        there, picked = self.list.topLevelItemCount(), len(self.list.selectedItems())
        self.forget.setEnabled(picked > 0)
        if not there:
            self.told.setText("No work is kept but that on the programme under control.")
        elif picked:
            self.told.setText(f"{picked} of {there} programmes picked. The programmes themselves are never touched.")
        else:
            self.told.setText(
                f"Work on {there} programme{'s' if there > 1 else ''} is kept and taken up when they are opened again. "
                "Nothing of it goes by itself; pick what is not needed any more."
            )

    def _forget(self) -> None:
        picked = [str(item.data(0, _CONTENT)) for item in self.list.selectedItems()]
        if self._ask(f"Forget the work on {len(picked)} programme{'s' if len(picked) > 1 else ''} for good?", "Forget"):
            try:
                self._store.clear(picked)
            except SettingsError as error:
                self.told.setText(str(error))
            else:
                self._fill()


def _row(earlier: Earlier) -> QTreeWidgetItem:
    path = earlier.known.path
    size = f"{max(earlier.size / 1000, 0.1):.1f} kB"
    row = QTreeWidgetItem([shown(path.name), shown(path.parent), earlier.changed[:16], size])
    row.setData(0, _CONTENT, earlier.known.content)
    row.setTextAlignment(3, int(Qt.AlignmentFlag.AlignRight))
    row.setToolTip(1, shown(path))
    return row
