"""What is compiled is never older than what it was compiled from."""

import shutil
import subprocess
import sys
from pathlib import Path

import bluffline

UPPER = """
from bluffline.loops import loop
from bluffline.lower_kernels import figure

@loop
def twice():
    return 2 * figure()
"""
LOWER = """
from bluffline.loops import loop

@loop
def figure():
    return {}
"""


def test_a_loop_that_calls_another_follows_a_change_in_the_other_ones_file(tmp_path):
    package = tmp_path / "bluffline"
    package.mkdir()
    for name in ("__init__.py", "later.py", "loops.py", "folders.py"):
        shutil.copy(Path(bluffline.__file__).parent / name, package)
    (package / "upper_kernels.py").write_text(UPPER)
    for figure in (3, 4, 3, 5, 6):
        (package / "lower_kernels.py").write_text(LOWER.format(figure))
        told = subprocess.run(
            [sys.executable, "-c", "from bluffline.upper_kernels import twice; print(twice())"],
            cwd=tmp_path, check=True, capture_output=True, text=True,
        )  # fmt: skip
        assert told.stdout == f"{2 * figure}\n"
    kept = list((package / "__pycache__").glob("loops-*"))
    assert len(kept) == 3, "those of today and of two texts before"
    assert all(list(folder.rglob("*.nbc")) for folder in kept)


def test_modules_of_loops_take_nothing_of_ours_but_from_their_like():
    package = Path(bluffline.__file__).parent
    modules = sorted(package.rglob("*_kernels.py"))
    ours = [line for path in modules for line in path.read_text().splitlines() if "import" in line and "bluffline" in line]
    assert len(modules) > 10
    assert [line for line in ours if "_kernels import" not in line and "bluffline.loops import" not in line] == []
    others = set(package.rglob("*.py")) - set(modules)
    assert [path for path in others if "bluffline.loops import" in path.read_text()] == [], "loops that the key doesn't know"
