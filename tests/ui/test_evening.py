"""The guided tour, run in a real window: what docs/evening.md tells is what is measured."""

import hashlib
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import av
import numpy as np
import pytest

from bluffline.demo import demo_clip

pytestmark = [
    pytest.mark.window,
    pytest.mark.skipif(not shutil.which("Xvfb"), reason="needs Xvfb"),
]
DOCS = Path(__file__).parents[2] / "docs"
_SECONDS = 400


def samples(path):
    """A digest of every sample of the picture."""
    digest = hashlib.sha256()
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            for plane in frame.planes:
                lines = np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)
                digest.update(lines[:, : 2 * plane.width].tobytes())
    return digest.hexdigest()


def test_an_evening_at_larkmoor(screen, tmp_path):
    text = (DOCS / "evening.md").read_text(encoding="utf-8").replace("\\", "")
    environment = os.environ | {"DISPLAY": screen, "QT_QPA_PLATFORM": "xcb"}
    program = subprocess.run(
        [sys.executable, str(DOCS / "evening.py"), str(tmp_path)],
        env=environment, capture_output=True, text=True, timeout=_SECONDS, check=False,
    )  # fmt: skip
    assert program.returncode == 0, program.stderr
    stages = [json.loads(line) for line in program.stdout.splitlines()]
    assert len(stages) == 11 and {stage["on"] for stage in stages} == {"xcb"}
    missing = [told for stage in stages for told in stage["told"] if told not in text]
    assert not missing, "what was measured and docs/evening.md doesn't tell"
    assert all(f"evening/{stage['name']}.png" in text for stage in stages)
    assert all((DOCS / "evening" / f"{stage['name']}.png").exists() for stage in stages)
    again = tmp_path / "again.mkv"
    command = [sys.executable, "-m", "bluffline", "legalise", demo_clip(), again, "--work", tmp_path / "an-evening.bluffline"]
    legalised = subprocess.run(command, capture_output=True, text=True, timeout=_SECONDS, check=False)
    assert legalised.returncode == 0, legalised.stderr
    assert samples(again) == samples(tmp_path / "an-evening.mkv"), "the command line does what the desk did"
    assert (tmp_path / "an-evening.mkv").exists() and list(tmp_path.glob("an-evening*.pdf")) + list(tmp_path.glob("*.html"))
