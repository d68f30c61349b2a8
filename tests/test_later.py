"""What most commands need nothing of is loaded when something needs it, once, whoever asks first."""

import subprocess
import sys

MOST = 760  # modules that a command loads before it does anything


def told_by(program):
    """What another process prints."""
    return subprocess.run([sys.executable, "-c", program], check=True, capture_output=True, text=True, timeout=300).stdout


def test_a_command_loads_no_compiler_and_no_desk_until_it_measures_or_shows_anything():
    count, *loaded = told_by(
        "import sys, bluffline.cli.main\n"
        "print(len(sys.modules), *(each for each in ('numba', 'llvmlite', 'PyQt6', 'dask', 'uvicorn') if each in sys.modules))"
    ).split()
    assert not loaded and int(count) <= MOST
    assert "numba" not in told_by("import sys, bluffline.ui.application; print(*sys.modules)").split()


def test_many_threads_that_ask_first_all_get_it_whole():
    told = told_by(
        "import sys, threading\n"
        "import numpy as np\n"
        "from bluffline.measure import survey_kernels as kernels\n"
        "start, found, plane = threading.Barrier(9), [], np.arange(64, dtype=np.uint16).reshape(8, 8)\n"
        "def count():\n"
        "    start.wait()\n"
        "    found.append(int(kernels.count_codes(plane, 0, 8, 0, 8, 1024).sum()))\n"
        "def other():\n"
        "    start.wait()\n"
        "    import scipy.linalg\n"
        "    found.append(scipy.linalg.norm([3.0, 4.0]))\n"
        "threads = [threading.Thread(target=count) for _ in range(8)] + [threading.Thread(target=other)]\n"
        "for each in threads: each.start()\n"
        "for each in threads: each.join()\n"
        "print(*sorted(found), 'numba' in sys.modules, hasattr(kernels, 'no_such_loop'), kernels.__file__)"
    ).split()
    assert told[:-1] == ["5.0", *["64"] * 8, "True", "False"] and told[-1].endswith("survey_kernels.py")
