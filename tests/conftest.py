"""What tests share: clips made for the purpose, the demo's survey, and a home that is not the user's."""

import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pytest
from hypothesis import settings

from bluffline.charts.reference import load_reference
from bluffline.demo import demo_clip
from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey, run_survey, start_survey
from clips import make_clip
from filmed import Filming, straight_on

# Kernels compile at their first call, so no example has a deadline; the examples are the same in every run.
settings.register_profile("bluffline", deadline=None, derandomize=True, max_examples=40)
settings.load_profile("bluffline")


@pytest.fixture(autouse=True)
def _own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))


@pytest.fixture(scope="session")
def demo_survey() -> Survey:
    """The demo programme, surveyed under R 103."""
    return run_survey(start_survey(probe(demo_clip()), load_rules("r103")), Monitor())


@pytest.fixture(scope="session")
def over_clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two shots of 12 frames, lossless 10-bit 4:2:2 with sound and timecode: grey texture, then a third at 108 %."""
    rng = np.random.default_rng(5)

    def picture(number: int) -> np.ndarray:
        rgb = np.full((128, 256, 3), 0.35) + rng.normal(0, 0.01, (128, 256, 1))
        if number >= 12:
            rgb[:] = 0.62 + rng.normal(0, 0.01, (128, 256, 1))
            rgb[:32] += np.linspace(0.1, 0.46, 256)[None, :, None]
        return np.minimum(rgb, 1.09)  # short of the codes that are reserved

    return make_clip(
        tmp_path_factory.mktemp("over") / "over.mkv", picture, 24, codec="ffv1", pixel_format="yuv422p10le",
        timecode="09:59:58:00", sound=True,
    )  # fmt: skip


@pytest.fixture(scope="session")
def chart_clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two shots of 8 frames, 480×360: the glaze chart under warm lamps, its outer corners 60 pixels in; a plain field."""
    chart = straight_on(load_reference("glaze-24"), Filming(gains=(0.95, 0.8, 0.55), gamma=0.9))
    plain = np.full(chart.shape, 0.3)
    return make_clip(tmp_path_factory.mktemp("chart") / "chart.mkv", lambda n: chart if n < 8 else plain, 16)


@pytest.fixture
def clip(tmp_path: Path) -> Iterator[Callable[..., Path]]:
    """Make a clip in this test's own folder: ``clip("name.mov", picture, frames, codec=…)``."""

    def make(name: str, *args: object, **kwargs: object) -> Path:
        return make_clip(tmp_path / name, *args, **kwargs)  # type: ignore[arg-type]

    return make


@pytest.fixture
def folder(tmp_path: Path, over_clip: Path) -> Path:
    """Two programmes, one of them bad, and a file that is none."""
    into = tmp_path / "in"
    into.mkdir()
    shutil.copy(over_clip, into / "over.mkv")
    make_clip(into / "good.mkv", lambda n: np.full((64, 96, 3), 0.2 + 0.02 * (n % 5)), 10, codec="ffv1")
    (into / "torn.mov").write_bytes(b"no film" * 500)
    return into
