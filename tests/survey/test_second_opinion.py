"""What FFmpeg's own filters say of the same programmes: where both mean the same they agree, and where not it is said why."""

from collections import defaultdict

import av
import numpy as np
import pytest
from av.filter import Graph

from bluffline.demo import tide_clip
from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey

RATE = 25


def filtered(kind, name, options):
    """The metadata that a filter gives to each frame of a demo's track, by its key: when, and what."""
    told = defaultdict(list)
    with av.open(str(tide_clip())) as container:
        stream = container.streams.video[0] if kind == "video" else container.streams.audio[0]
        graph = Graph()
        source = graph.add_buffer(template=stream) if kind == "video" else graph.add_abuffer(template=stream)
        sink = graph.add("buffersink" if kind == "video" else "abuffersink")
        graph.link_nodes(source, graph.add(name, options), sink).configure()
        for frame in container.decode(stream):
            graph.push(frame)
            while True:
                try:
                    made = graph.pull()
                except (av.error.BlockingIOError, av.error.EOFError):
                    break
                for key, value in made.metadata.items():
                    told[key.removeprefix("lavfi.")].append((float(made.time), float(value)))
    return told


@pytest.fixture(scope="module")
def survey():
    return run_survey(start_survey(probe(tide_clip()), load_rules("delivery")), Monitor())


@pytest.fixture(scope="module")
def found(survey):
    return {rule: [each for each in survey.findings() if each.rule == rule] for rule in ("silence", "black", "frozen", "phase")}


def test_loudness_range_and_peak(survey):
    told = filtered("audio", "ebur128", "metadata=1:peak=true")
    (sound,) = survey.sounds
    assert sound.integrated == pytest.approx(told["r128.I"][-1][1], abs=0.1)
    assert sound.range == pytest.approx(told["r128.LRA"][-1][1], abs=1.0)
    peaks = [value for key in told if key.startswith("r128.true_peaks_ch") for _, value in told[key]]
    assert 20 * np.log10(sound.true_peak.max()) == pytest.approx(20 * np.log10(max(peaks)), abs=0.2)


def test_silence(found):
    told = filtered("audio", "silencedetect", "noise=-60dB:duration=3")
    first = found["silence"][0]  # theirs is of all channels; that of one side is ours alone
    assert [value for _, value in told["silence_start"]] == [pytest.approx(first.first_frame / RATE, abs=0.12)]
    assert told["silence_end"][0][1] == pytest.approx((first.last_frame + 1) / RATE, abs=0.12)


def test_black(found):
    told = filtered("video", "blackdetect", "d=0.4:pix_th=0.02:pic_th=0.999")
    (black,) = found["black"]
    assert [round(value * RATE) for _, value in told["black_start"]] == [black.first_frame]
    assert round(told["black_end"][0][1] * RATE) == black.last_frame + 1


def test_freezes(found):
    """Black stands still as well: that is theirs too, and ours is told as black alone."""
    told = filtered("video", "freezedetect", "n=0.001:d=0.6")
    (frozen,) = found["frozen"]
    theirs = [round(value * RATE) for _, value in told["freezedetect.freeze_start"]]
    assert any(abs(start - frozen.first_frame) <= 1 for start in theirs)


def test_phase(found):
    told = filtered("audio", "aphasemeter", "video=0:phasing=0")
    (phase,) = found["phase"]
    by_frame = [(time * RATE, value) for time, value in told["aphasemeter.phase"]]
    inside = [value for frame, value in by_frame if phase.first_frame + 12 <= frame <= phase.last_frame - 12]
    before = [value for frame, value in by_frame if 10 <= frame <= 140]
    assert max(inside) < -0.5 and np.mean(before) > 0
