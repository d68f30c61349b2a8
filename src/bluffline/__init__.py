"""Bluffline: a broadcast quality-control desk that measures, corrects and proves programme files."""

__version__ = "0.1.0"
