"""``python -m bluffline``."""

from bluffline.entry import command

command()
