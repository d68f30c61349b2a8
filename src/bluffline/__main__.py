"""``python -m bluffline``."""

from bluffline.start import command

command()
