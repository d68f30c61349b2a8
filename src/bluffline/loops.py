"""How loops over samples are compiled: to machine code that is kept on disk and runs without the interpreter's lock.

``loop`` computes as IEEE 754 says. In a ``free_loop`` every value is taken for finite and signed zeros for equal, and a
product and a sum may be joined, and nothing is asked before a division: vector registers are used then.

What is compiled is kept by the text of all modules of loops together: one calls another across files, and numba asks only
whether a loop's own file has changed. Such a module (``*_kernels.py``) therefore takes nothing of ours but from its like.
"""

import contextlib
import hashlib
import os
import shutil
import sys
import threading
from importlib.abc import MetaPathFinder
from pathlib import Path

import llvmlite.binding

from bluffline.folders import UserFolder


class _NoAlgebra(MetaPathFinder):
    """Numba looks for SciPy's linear algebra when it is loaded, 0.3 s of it, and does without where there is none.

    No loop needs it; another thread may.
    """

    def __init__(self) -> None:
        self._here = threading.get_ident()

    def find_spec(self, name: str, _path: object, _target: object = None) -> None:
        if name == "scipy.linalg" and threading.get_ident() == self._here:
            raise ModuleNotFoundError(name=name)


_none = _NoAlgebra()
sys.meta_path.insert(0, _none)
try:
    import numba.np.arraymath
finally:
    sys.meta_path.remove(_none)

_PACKAGE = Path(__file__).parent
_TEXTS = 3  # how many are kept: today's, and those of programs that may still run


def _folder() -> Path:
    """Where loops of this text are kept: in the package, or with what the user can make anew where that can't be written."""
    text = hashlib.sha256(Path(__file__).read_bytes())
    for path in sorted(_PACKAGE.rglob("*_kernels.py")):
        text.update(path.read_bytes())
    parent = _PACKAGE / "__pycache__" if os.access(_PACKAGE, os.W_OK) else UserFolder.MADE_ANEW.path
    folder = parent / f"loops-{text.hexdigest()[:16]}"
    with contextlib.suppress(OSError):  # a loop that can't be kept is compiled each time
        folder.mkdir(parents=True, exist_ok=True)
        folder.touch()
        for old in sorted(parent.glob("loops-*"), key=lambda path: path.stat().st_mtime)[:-_TEXTS]:
            shutil.rmtree(old, ignore_errors=True)
    return folder


# Compilers keep to half of the widest registers, which on today's processors costs a fifth of the time of a treatment.
numba.config.CPU_FEATURES = f"{llvmlite.binding.get_host_cpu_features().flatten()},-prefer-256-bit"  # type: ignore[attr-defined]
numba.config.CACHE_DIR = str(_folder())  # type: ignore[attr-defined]

loop = numba.njit(nogil=True, cache=True)
free_loop = numba.njit(nogil=True, cache=True, error_model="numpy", fastmath={"nnan", "nsz", "ninf", "contract"})
