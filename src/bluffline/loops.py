"""How loops over samples are compiled: to machine code that is kept on disk and runs without the interpreter's lock.

``loop`` computes as IEEE 754 says. In a ``free_loop`` every value is taken for finite and signed zeros for equal, and a
product and a sum may be joined, and nothing is asked before a division: vector registers are used then.
"""

import sys

# Numba looks for SciPy's linear algebra at every start, 0.3 s of it, and does without where there is none. No loop needs it.
_algebra = sys.modules.get("scipy.linalg")
sys.modules["scipy.linalg"] = None  # type: ignore[assignment]
try:
    import numba.np.arraymath
finally:
    del sys.modules["scipy.linalg"]
    if _algebra is not None:
        sys.modules["scipy.linalg"] = _algebra

loop = numba.njit(nogil=True, cache=True)
free_loop = numba.njit(nogil=True, cache=True, error_model="numpy", fastmath={"nnan", "nsz", "ninf", "contract"})
