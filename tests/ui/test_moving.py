"""While something moves, large treated frames are worked on at half the size, and at rest in full."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.treat.kinds.tone import Tone
from bluffline.view.costs import FrameCosts
from clips import make_clip

WAIT = 60_000


@pytest.fixture
def large_clip(tmp_path):
    shown = np.random.default_rng(2).uniform(0.1, 0.9, (810, 1440, 3))
    return make_clip(tmp_path / "large.mkv", lambda number: np.roll(shown, 8 * number, axis=1), 5)


def test_a_pull_is_seen_at_half_the_size_and_measured_at_rest(desk, qtbot, large_clip):
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        desk.open(large_clip)
    document, seen = desk.session.document, []
    desk.viewer.shown_changed.connect(lambda _: seen.append(desk.viewer.preview))
    document.set_treatment(0, (Tone(), Tone(), Tone()), "own")
    qtbot.waitUntil(lambda: bool(seen) and not seen[-1].proxy, timeout=WAIT)
    assert seen[0].proxy, "at once, and then as it is"
    for pull in range(1, 6):
        document.replace_step(0, replace(document.treatment[0], exposure=pull / 10), gesture="pull")
        qtbot.wait(30)
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and not seen[-1].proxy and not desk.viewer._moves, timeout=WAIT)
    moving = [preview for preview in seen if preview.proxy]
    assert moving, "what came between was half as large"
    for preview in moving:
        assert preview.measure is None and preview.signal is None and preview.gamut_area is None
        assert preview.gauges[0][0].measured < seen[-1].gauges[0][0].measured / 3
        assert preview.tones.sum() == seen[-1].tones.sum()
    assert seen[-1].measure is not None and seen[-1].signal.source.width == 1440
    desk.viewer.preview = moving[-1]
    told = desk.measuring.facts_of(desk.viewer.gauges[0].instrument, treated=True)
    assert told == "% · half size", "as much as there is room for"
    assert desk.picture.grab().toImage().width() > 0


def test_half_a_frame_that_comes_when_all_is_at_rest_is_not_the_last_word(desk, qtbot, large_clip):
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        desk.open(large_clip)
    seen = []
    desk.viewer.shown_changed.connect(lambda _: seen.append(desk.viewer.preview.proxy))
    desk.viewer._rest.setInterval(0)
    desk.session.document.set_treatment(0, (Tone(), Tone(), Tone()), "own")
    qtbot.waitUntil(lambda: seen[:1] == [True] and seen[-1:] == [False], timeout=WAIT)


def test_playing_is_seen_at_half_the_size_and_the_last_frame_as_it_is(desk, qtbot, large_clip):
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        desk.open(large_clip)
    desk.session.document.set_treatment(0, (Tone(0.2), Tone(0.1), Tone(-0.1)), "own")
    seen = []
    desk.viewer.shown_changed.connect(lambda _: seen.append(desk.viewer.preview))
    desk.player.play(1)
    qtbot.waitUntil(lambda: not desk.player.playing, timeout=WAIT)
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and not seen[-1].proxy, timeout=WAIT)
    assert any(preview.proxy for preview in seen)
    assert seen[-1].frame == desk.session.place.frame and seen[-1].measure is not None


MANY = Tone(0.2), Tone(0.1), Tone(-0.1)


@pytest.mark.parametrize(
    ("steps", "seconds", "fields", "half"), [((), 0.05, False, True), (MANY, 0.01, False, False), (MANY, 0.05, True, True)]
)
def test_half_the_size_is_taken_by_what_the_last_frames_took(
    desk, qtbot, tmp_path, large_clip, monkeypatch, steps, seconds, fields, half
):
    flat = np.full((128, 256, 3), 0.4)
    clip = make_clip(tmp_path / "fields.mkv", lambda _: flat, 5, top_first=True) if fields else large_clip
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        desk.open(clip)
    assert desk.session.source.interlaced is fields
    desk.session.document.set_treatment(0, steps, "own")
    viewer = desk.viewer
    qtbot.waitUntil(lambda: viewer.frames.idle and not viewer._moves and not viewer.preview.proxy, timeout=WAIT)
    asked, seen = [seconds], []
    monkeypatch.setattr(FrameCosts, "of", lambda *_, **__: asked[-1])
    viewer.shown_changed.connect(lambda _: (seen.append(viewer.preview.proxy), asked.append(0.0)))
    desk.player.play(1)
    qtbot.waitUntil(lambda: not desk.player.playing, timeout=WAIT)
    playing = seen.copy()
    qtbot.waitUntil(lambda: viewer.frames.idle and not viewer.preview.proxy, timeout=WAIT)
    assert playing and all(proxy is half for proxy in playing), "and while it plays it stays so"
    asked.append(0.0)
    desk.session.place.go_to(0)
    qtbot.waitUntil(lambda: viewer.frames.idle and viewer.shown == 0, timeout=WAIT)
    seen.clear()
    desk.player.play(1)
    qtbot.waitUntil(lambda: not desk.player.playing and viewer.frames.idle, timeout=WAIT)
    assert seen and not any(seen), "played again it is looked at anew"
