"""Bluffline: a broadcast quality-control desk that measures, corrects and proves programme files."""

from bluffline.later import load_loops_later

__version__ = "0.1.0"

load_loops_later()
