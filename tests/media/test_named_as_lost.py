"""What a written file won't carry is named before it is written: alpha beside the picture, titles of sound."""

import av
import numpy as np
import pytest

from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.report.looked_at import not_judged
from bluffline.rules.rulefile import load_rules
from bluffline.survey.survey import start_survey


def test_alpha_that_vp9_keeps_beside_its_picture_is_named(tmp_path):
    """The track's pixel format says nothing of it; only the container does."""
    with av.open(str(tmp_path / "a.webm"), "w") as output:
        stream = output.add_stream("libvpx-vp9", rate=25, options={"cpu-used": "8"})
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuva420p"
        for number in range(4):
            frame = av.VideoFrame(64, 48, "yuva420p")
            for plane in frame.planes:
                plane.update(np.full(plane.buffer_size, 100 + number, np.uint8))
            frame.pts = number
            output.mux(stream.encode(frame))
        output.mux(stream.encode(None))
    programme = probe(tmp_path / "a.webm")
    assert programme.pixel_format == "yuv420p" and programme.carried.alpha
    assert "Alpha channel: not measured" in not_judged(start_survey(programme, load_rules("r103")))
    for name in ("t.mkv", "t.mov", "t.mp4"):
        carriage = rehearse(programme, programme.format, codec_for(tmp_path / name), tmp_path / name)
        assert "The alpha channel is not carried." in carriage.losses


@pytest.mark.parametrize("ending", [".mov", ".mkv", ".mp4"])
def test_a_title_of_sound_is_carried_or_named(tmp_path, ending):
    with av.open(str(tmp_path / "s.mkv"), "w") as output:
        picture = output.add_stream("ffv1", rate=25)
        picture.width, picture.height, picture.pix_fmt = 64, 48, "yuv422p10le"
        sound = output.add_stream("aac", rate=48000, layout="stereo")
        sound.metadata["title"] = "Clean feed"
        for number in range(5):
            frame = av.VideoFrame(64, 48, "yuv422p10le")
            frame.pts = number
            output.mux(picture.encode(frame))
            block = av.AudioFrame.from_ndarray(np.zeros((2, 1920), np.float32), "fltp", "stereo")
            block.sample_rate, block.pts = 48000, number * 1920
            output.mux(sound.encode(block))
        output.mux([*picture.encode(None), *sound.encode(None)])
    programme, target = probe(tmp_path / "s.mkv"), tmp_path / f"t{ending}"
    carriage = rehearse(programme, programme.format, codec_for(target), target)
    named = [each for each in carriage.losses if "Clean feed" in each or "title" in each]
    assert bool(named) == (ending != ".mkv"), carriage.losses
