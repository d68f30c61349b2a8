"""Buttons that stand back: words without a frame."""

from collections.abc import Callable

from PyQt6.QtWidgets import QToolButton

from bluffline.ui.style.style import font


def quiet_button(text: str, words: str, act: Callable[[], object]) -> QToolButton:
    """A button with a few letters, and what it does in words."""
    button = QToolButton()
    button.setObjectName("quiet")
    button.setText(text)
    button.setFont(font(12))
    button.setToolTip(words)
    button.setAccessibleName(words)
    button.clicked.connect(lambda *_: act())
    return button
