"""Where the command begins: from its first line on Ctrl+C ends it and prints nothing, until `stopping` takes over."""

import signal

if signal.getsignal(signal.SIGINT) is signal.default_int_handler:  # what is told to ignore it goes on doing so
    signal.signal(signal.SIGINT, signal.SIG_DFL)

from bluffline.entry import command

__all__ = ["command"]
