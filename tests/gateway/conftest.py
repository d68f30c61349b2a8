"""Files with certificates, to be delivered to a gateway."""

import numpy as np
import pytest

from bluffline.media.probe import probe
from bluffline.media.target import put_certificate
from bluffline.report.certify import standing_certificate
from bluffline.report.keys import Keys
from bluffline.rules.rulefile import load_rules
from bluffline.survey.checking import check
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import start_survey
from bluffline.view.small import hatched
from clips import make_clip

LEVELS = {"good.mkv": 0.3, "other.mkv": 0.5, "wide.mkv": 1.01} | {f"part-{n}.mkv": 0.2 + 0.05 * n for n in range(8)}


@pytest.fixture(scope="session")
def signed_home(tmp_path_factory):
    """Where the key is that the files below are signed with."""
    return tmp_path_factory.mktemp("signed")


@pytest.fixture(scope="session")
def good_files(signed_home, tmp_path_factory):
    """Small files that are good as they stand, each with its certificate; ``wide.mkv`` is not by every rule."""
    folder, key = tmp_path_factory.mktemp("good"), Keys(signed_home / "bluffline" / "keys").own("Larkmoor, desk 3")
    for name, level in LEVELS.items():
        clip = make_clip(
            folder / name, lambda n, level=level: np.full((64, 96, 3), level + 0.002 * (n % 5)), 12, codec="ffv1",
            pixel_format="yuv422p10le",
        )  # fmt: skip
        checked = check(start_survey(probe(clip), load_rules("r103")), Monitor())
        assert checked.good, name
        put_certificate(clip, standing_certificate(checked, key, Monitor(), hatched))
    return folder


@pytest.fixture
def home(signed_home, monkeypatch):
    """This machine is the one where they were signed."""
    monkeypatch.setenv("XDG_DATA_HOME", str(signed_home))
    return signed_home
