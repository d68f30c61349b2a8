"""Files with certificates, to be delivered to a gateway."""

import os
import subprocess
import sys

import numpy as np
import pytest

from clips import make_clip


@pytest.fixture(scope="session")
def signed_home(tmp_path_factory):
    """Where the key is that the files below are signed with."""
    return tmp_path_factory.mktemp("signed")


@pytest.fixture(scope="session")
def good_files(signed_home, tmp_path_factory):
    """Two small files that are good as they stand, and one that is over other rules, each with its certificate."""
    folder = tmp_path_factory.mktemp("good")
    for name, level in (("good.mkv", 0.3), ("other.mkv", 0.5)):
        make_clip(folder / name, lambda n, level=level: np.full((64, 96, 3), level + 0.02 * (n % 5)), 12, codec="ffv1")
    make_clip(
        folder / "wide.mkv",
        lambda n: np.full((64, 96, 3), 1.01 + 0.002 * (n % 5)),
        12,
        codec="ffv1",
        pixel_format="yuv422p10le",
    )
    environment = os.environ | {"XDG_DATA_HOME": str(signed_home)}
    for name, rules in (("good.mkv", "r103"), ("other.mkv", "r103"), ("wide.mkv", "r103")):
        command = [sys.executable, "-m", "bluffline", "check", str(folder / name), "--certificate", "--rules", rules]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stdout + done.stderr
    return folder


@pytest.fixture
def home(signed_home, monkeypatch):
    """This machine is the one where they were signed."""
    monkeypatch.setenv("XDG_DATA_HOME", str(signed_home))
    return signed_home
