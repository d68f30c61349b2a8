"""The guided tour, run through the desk: what docs/evening.md tells is what is measured."""

import sys
from pathlib import Path

from bluffline.demo import demo_clip

WAIT = 120_000
DOCS = Path(__file__).parents[2] / "docs"


def test_an_evening_at_larkmoor(desk, qtbot, tmp_path, monkeypatch):
    monkeypatch.syspath_prepend(str(DOCS))
    from evening import run

    text = (DOCS / "evening.md").read_text(encoding="utf-8").replace("\\", "")
    assert desk.open(demo_clip())
    stages = list(run(desk, lambda holds: qtbot.waitUntil(holds, timeout=WAIT), tmp_path))
    missing = [told for stage in stages for told in stage.told if told not in text]
    assert not missing, "what was measured and docs/evening.md doesn't tell"
    pictures = {stage.name for stage in stages}
    assert all(f"evening/{name}.png" in text and (DOCS / "evening" / f"{name}.png").exists() for name in pictures)
    sys.modules.pop("evening", None)
