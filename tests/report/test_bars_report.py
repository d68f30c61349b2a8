import json
from dataclasses import replace

from bluffline.measure.bars import read_bars
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.region import Region
from bluffline.media.probe import probe
from bluffline.media.signals import SIGNALS, signal_planes
from bluffline.report.bars import bars_report, describe_bars
from bluffline.signal.matrix import Matrix
from clips import signal


def test_a_check_is_told_as_data_and_in_words(over_clip):
    source = signal(640, 96)
    tagged = replace(source, matrix=Matrix.BT601)
    reading = read_bars(FrameSignal(signal_planes(SIGNALS["bars"], source), tagged), Region.whole(tagged))
    report = bars_report(reading, probe(over_clip), 12)
    assert report["timecode"] == "09:59:58:12" and report["right"] is False
    assert report["tagged"]["matrix"] == "bt601" and report["made_as"]["matrix"] == "bt709"
    assert [bar["name"] for bar in report["bars"]][:3] == ["white", "yellow", "cyan"]
    assert report["bars"][0]["chroma_gain"] is None and report["bars"][3]["hue_error"] is not None
    assert json.loads(json.dumps(report)) == report
    words = describe_bars(reading)
    assert words.count("\n") == 9 and words.endswith("decoded as BT.601, made as BT.709.") and "-" not in words
