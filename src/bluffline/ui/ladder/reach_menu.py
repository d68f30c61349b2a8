"""The menu that says where the step on the bench acts."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from bluffline.measure.areas import Area
from bluffline.treat.reach import Reach
from bluffline.ui.ladder.picking import Picking
from bluffline.ui.ladder.reaching import FEATHERS, Reaching
from bluffline.view.looking import Tool


def reach_menu(parent: QWidget, reach: Reach, areas: Sequence[Area], reaching: Reaching, picking: Picking) -> QMenu:
    """Ways to say where a step acts that has a reach, in a picture with these areas."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

    def add(to: QMenu, words: str, act: Callable[[], object], *, can: bool = True, on: bool | None = None) -> None:
        action = QAction(words, to)
        action.setEnabled(can)
        if on is not None:
            action.setCheckable(True)
            action.setChecked(on)
        action.triggered.connect(lambda *_: act())
        to.addAction(action)

    add(menu, "Everywhere", reaching.everywhere, on=reach.everywhere)
    names = tuple(area.name for area in areas)
    choices = [((name,), name) for name in names] + ([(names, "all areas")] if len(names) > 1 else [])
    for chosen, words in choices or [((), "an area (draw one with R)")]:
        add(menu, f"Inside {words}", partial(reaching.areas, chosen, inside=True), can=bool(chosen))
        add(menu, f"All but {words}", partial(reaching.areas, chosen, inside=False), can=bool(chosen))
    drawing = QMenu("Draw an area of its own", menu)
    for tool in (Tool.RECTANGLE, Tool.ELLIPSE, Tool.POLYGON):
        add(drawing, f"{tool.capitalize()}", partial(reaching.draw, tool))
    menu.addMenu(drawing)
    feathers = QMenu("Feather", menu)
    for feather in FEATHERS:
        on = bool(reach.areas) and reach.areas[0].feather == feather
        add(feathers, f"{feather:g} % of the height", partial(reaching.feather, feather), on=on)
    feathers.setEnabled(bool(reach.areas))
    menu.addMenu(feathers)
    has, placed = bool(reach.areas), any(area.follow for area in reach.areas)
    add(menu, "Follow along the shot\tCtrl+Shift+F", reaching.follow, can=has)
    add(menu, "Place it on this frame\tCtrl+Shift+P", reaching.place_here, can=has)
    add(menu, "Stand still again", reaching.stay, can=placed)
    menu.addSeparator()
    add(menu, "Pick a key on the picture\tCtrl+I", partial(picking.take, Tool.KEY))
    key = reach.key
    add(menu, "All but the key", lambda: reaching.change_key(inverted=not key.inverted) if key else None,
        can=key is not None, on=key is not None and key.inverted)  # fmt: skip
    add(menu, "Clean the key of specks", lambda: reaching.change_key(clean=0.0 if key and key.clean else 0.3),
        can=key is not None, on=key is not None and key.clean > 0)  # fmt: skip
    add(menu, "Soften the key", lambda: reaching.change_key(soften=0.0 if key and key.soften else 0.5),
        can=key is not None, on=key is not None and key.soften > 0)  # fmt: skip
    add(menu, "No key", reaching.no_key, can=key is not None)
    return menu
