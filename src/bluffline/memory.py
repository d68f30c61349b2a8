"""How the C library treats the memory of frames, and the interpreter that of what is loaded."""

import ctypes
import ctypes.util
import gc
import sys

_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD = -1, -3  # from malloc.h of the GNU C library
_KEPT = 256 << 20
_LARGEST_KEPT = 6 << 20  # planes of UHD go back at once: clearing them costs little beside what is done to them


def keep_frame_memory() -> None:
    """Let freed planes be used again instead of going back to the system.

    Frames are megabytes in size and come and go many times a second; left to itself the library returns each to the
    system and has it cleared anew, which took a third of the time of a preview. Does nothing elsewhere than on Linux.
    """
    if (library := _library()) is not None:
        library.mallopt(_M_MMAP_THRESHOLD, _LARGEST_KEPT)
        library.mallopt(_M_TRIM_THRESHOLD, _KEPT)


def give_back_memory() -> None:
    """Give back to the system what was freed, once a stage of a job has ended that needs more than those after it."""
    gc.collect()  # files and their codecs hold each other
    if (library := _library()) is not None:
        library.malloc_trim(0)


def _library() -> ctypes.CDLL | None:
    """The GNU C library, where there is one."""
    if not sys.platform.startswith("linux"):
        return None
    library = ctypes.CDLL(ctypes.util.find_library("c") or "libc.so.6")
    return library if hasattr(library, "mallopt") and hasattr(library, "malloc_trim") else None
