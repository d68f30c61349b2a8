"""HDR: the light of PQ is measured, and what a file says of it held against that."""

from dataclasses import replace

import av
import numpy as np
import pytest

from bluffline.measure.brightness import brightness, pq_light
from bluffline.measure.region import Region
from bluffline.media.probe import probe
from bluffline.report.looked_at import judged, not_judged
from bluffline.rules.each.hdr import content_light
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.signal.matrix import Matrix
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import signal, to_planes

LEVELS = "[limits]\nluma = [-1.0, 109.0]\nrgb = [-5.0, 109.0]\n"
P3 = "G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)"
HIGH, WIDE, FRAMES, BRIGHT = 96, 160, 20, range(8, 12)
PEAK, AREA = 0.75, 0.04  # of PQ's signal: 983 cd/m²; of the picture


def picture(number, high=PEAK):
    """Grey at 100 cd/m², and for some frames a part of it at the peak."""
    made = np.full((HIGH, WIDE, 3), 0.508)
    if number in BRIGHT:
        made[: round(HIGH * 0.2), : round(WIDE * 0.2)] = high
    return made


@pytest.fixture
def hdr(tmp_path):
    def make(display="", transfer=16, high=PEAK):
        path = tmp_path / f"hdr{transfer}.mp4"
        options = {"x265-params": f"log-level=none:lossless=1:bframes=0{display and ':' + display}", "preset": "ultrafast"}
        with av.open(str(path), "w") as container:
            stream = container.add_stream("libx265", rate=25, options=options)
            stream.width, stream.height, stream.pix_fmt = WIDE, HIGH, "yuv420p10le"
            context = stream.codec_context
            context.color_primaries, context.color_trc, context.colorspace, context.color_range = 9, transfer, 9, 1
            source = signal(WIDE, HIGH, sampling="420", matrix=Matrix.BT2020)
            for number in [*range(FRAMES), None]:
                frame = None
                if number is not None:
                    frame = av.VideoFrame(WIDE, HIGH, "yuv420p10le")
                    for plane, samples in zip(frame.planes, to_planes(picture(number, high), source), strict=True):
                        rows = np.frombuffer(plane, np.uint16).reshape(plane.height, -1)
                        rows[:, : samples.shape[1]] = samples[:, : rows.shape[1]]
                    frame.pts = number
                for packet in stream.encode(frame):
                    container.mux(packet)
        return path

    return make


def survey_of(path, text):
    rules = load_rules(text) if 0 < len(text) < 5 else parse_rules(LEVELS + text, "own")
    return run_survey(start_survey(probe(path), rules), Monitor())


def found(path, text):
    ids = {"hdr-transfer", "light-peak", "light-average", "light-told", "mastering"}
    return [(each.reason, each.first_frame, each.last_frame) for each in survey_of(path, text).findings() if each.rule in ids]


def test_pq_is_the_recommendations():
    """ITU-R BT.2100, table 4: 10,000 cd/m² at 100 %, and figures of BT.2408."""
    assert pq_light(np.array([0.0, 0.38, 0.58, 0.75, 1.0])) == pytest.approx([0, 26, 203, 983, 10_000], rel=0.02)


def test_light_is_measured_and_told(hdr):
    survey = survey_of(hdr(), "[hdr]")
    peak, mean = content_light(survey.table)
    grey = float(pq_light(0.508))
    assert peak == pytest.approx(float(pq_light(PEAK)), rel=0.01)
    assert mean == pytest.approx(grey + AREA * (float(pq_light(PEAK)) - grey), rel=0.03)
    assert any(each == f"Light: MaxCLL {peak:.0f} cd/m², MaxFALL {mean:.0f} cd/m² measured" for each in judged(survey))
    assert not any("Brightness" in each for each in not_judged(survey))
    assert any("Brightness" in each for each in not_judged(survey_of(hdr(), "")))


@pytest.mark.parametrize(("text", "told"), [
    ("", []),
    ("peak = 1000.0", []),
    ("peak = 900.0", [("Up to 983 cd/m²: 900 at most", 8, 11)]),
    ("peak = 900.0\nshare = 5.0", []),
    ("peak = 900.0\nshare = 3.0", [("Up to 983 cd/m²: 900 at most", 8, 11)]),
    ("average = 120.0", [("135 cd/m² in the mean: 120 at most", 8, 11)]),
    ("average = 140.0", []),
    ('transfer = "hlg"', [("It is PQ: HLG is asked for", 0, 19)]),
])  # fmt: skip
def test_light_beyond_what_is_asked_for_is_told_where_it_is(hdr, text, told):
    assert found(hdr(), f"[hdr]\n{text}") == told


@pytest.mark.parametrize(("display", "told"), [
    (f"master-display={P3}L(10000000,50):max-cll=1000,200", []),
    (f"master-display={P3}L(10000000,50):max-cll=900,130", []),  # within what is let pass
    (f"master-display={P3}L(10000000,50):max-cll=800,100", [
        "MaxCLL is told as 800 cd/m²: 983 are measured", "MaxFALL is told as 100 cd/m²: 135 are measured",
    ]),
    (f"master-display={P3}L(10000000,50)", [
        "MaxCLL is not told: 983 cd/m² are measured", "MaxFALL is not told: 135 cd/m² are measured",
    ]),
    ("max-cll=1000,200", ["No mastering display is told"]),
    (f"master-display={P3.replace('R(34000', 'R(31000')}L(10000000,50):max-cll=1000,200", ["The mastering display is none of"]),
    (f"master-display={P3}L(500000,50):max-cll=1000,200", ["The mastering display can't be: from 0.005 to 50 cd/m²"]),
])  # fmt: skip
def test_what_a_file_says_of_its_light_is_held_against_it(hdr, display, told):
    reasons = [words for words, *_ in found(hdr(display), "pq")]
    assert len(reasons) == len(told) and all(map(str.startswith, reasons, told)), reasons


def test_other_transfers_have_no_such_light(hdr):
    assert found(hdr(transfer=18), "[hdr]\npeak = 100.0\ntold = true") == []
    assert found(hdr(transfer=18), "hlg") == []
    assert [words for words, *_ in found(hdr(transfer=14), "hlg")] == ["It is BT.2020: HLG is asked for"]


def test_only_the_active_picture_counts():
    source = replace(signal(WIDE, HIGH), transfer="pq")
    boxed = np.zeros((HIGH, WIDE, 3))
    boxed[24:72] = 0.58
    whole, inside = (brightness(to_planes(boxed, source), source, part, 100.0) for part in (
        Region.whole(source), Region(0, 24, WIDE, 48),
    ))  # fmt: skip
    assert (
        inside == (pytest.approx(203, rel=0.02), 100.0)
        and whole[0] == pytest.approx(inside[0] / 2, rel=0.02)
        and whole[1] == 50
    )
