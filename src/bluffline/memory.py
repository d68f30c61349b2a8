"""How the C library treats the memory of frames, and the interpreter that of what is loaded."""

import ctypes
import ctypes.util
import gc
import sys

_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD = -1, -3  # from malloc.h of the GNU C library
_KEPT = 256 << 20
_LARGEST_FRAME_PLANE = 32 << 20  # the most that the library allows


def keep_frame_memory() -> None:
    """Let freed planes be used again instead of going back to the system.

    Frames are megabytes in size and come and go many times a second; left to itself the library returns each to the
    system and has it cleared anew, which took a third of the time of a preview. Does nothing elsewhere than on Linux.
    """
    if not sys.platform.startswith("linux"):
        return
    library = ctypes.CDLL(ctypes.util.find_library("c") or "libc.so.6")
    if hasattr(library, "mallopt"):
        library.mallopt(_M_MMAP_THRESHOLD, _LARGEST_FRAME_PLANE)
        library.mallopt(_M_TRIM_THRESHOLD, _KEPT)


def leave_what_is_loaded() -> None:
    """Let what is there by now out of every later search for what nobody needs any more.

    Compiled loops and libraries are half a million objects that stay to the end. Looking through them takes a tenth of a
    second each time, in which no other thread runs, the interface least of all.
    """
    gc.freeze()
