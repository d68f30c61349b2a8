"""What is not treated goes over as it is coded, in the source's own codec; the file is read as one stream, by any reader."""

import os
import shutil
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import av
import numpy as np
import pytest

from bluffline.errors import CancelledError, MediaError, WriteError
from bluffline.media.codecs import CODECS, codec_for
from bluffline.media.handing import codec_to_hand_on, own_codec, why_encoded
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove import prove as proving
from bluffline.prove.handing import HandedOn
from bluffline.prove.prove import ProveRequest, prove
from bluffline.prove.render import render
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.signal.format import Overrides
from bluffline.signal.matrix import Matrix
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.tone import Tone
from clips import make_clip

COUNT = 48
DARKER = (Tone(gain=(0.8, 1, 1, 1)),)
SINGLE = [Shot(n, n) for n in range(COUNT)]
THIRDS = [Shot(0, 9), Shot(10, 30), Shot(31, 47)]
MIXED = Transition(TransitionKind.DISSOLVE, 5, 14)
WORK = {
    "one": (THIRDS, [1]),
    "first and last": (THIRDS, [0, 2]),
    "single frames": (SINGLE, [0, 7, 8, 30, 47]),
    "forty": (SINGLE, list(range(3, 43))),
    "mixed": ([replace(THIRDS[0], closes=MIXED), replace(THIRDS[1], opens=MIXED), THIRDS[2]], [1]),
    "none": (THIRDS, []),
}
WAYS = [
    ("prores-422", ".mov", ".mov"), ("prores", ".mov", ".mxf"), ("prores-lt", ".mxf", ".mov"), ("prores-proxy", ".mov", ".mov"),
    ("dnxhr", ".mov", ".mxf"), ("dnxhr-hq", ".mxf", ".mov"), ("dnxhr-sq", ".mov", ".mov"), ("dnxhr-lb", ".mov", ".mxf"),
    ("ffv1", ".mkv", ".mkv"), ("v210", ".mov", ".mov"), ("fields", ".mov", ".mov"),
]  # fmt: skip


def picture(number):
    rng = np.random.default_rng(number)
    made = np.full((128, 256, 3), 0.3) + rng.normal(0, 0.05, (128, 256, 1))
    made[20:50, number * 3 : number * 3 + 30] = (0.8, 0.5, 0.6)
    return np.clip(made, 0, 1)


@pytest.fixture(scope="module")
def source_of(tmp_path_factory):
    made = {}

    def source(name, ending):
        if (name, ending) not in made:
            codec = CODECS["prores" if name == "fields" else name]
            made[name, ending] = make_clip(
                tmp_path_factory.mktemp("source") / f"film{ending}", picture, COUNT, codec=codec.encoder,
                pixel_format=codec.pixel_format or "yuv422p10le", options=dict(codec.options), sound=True,
                timecode="10:00:00:00", top_first=True if name == "fields" else None,
            )  # fmt: skip
        return probe(made[name, ending])

    return source


def packets(path):
    """Those of the picture, those of all other tracks, and what the file says of the picture's: their times, and the codec."""
    with av.open(str(path)) as container:
        pictures = container.streams.video[0]
        context, found = pictures.codec_context, [packet for packet in container.demux() if packet.size]
        ours = [packet for packet in found if packet.stream_index == pictures.index]
        said = [(packet.pts, packet.dts, packet.duration, packet.is_keyframe) for packet in ours]
        head = pictures.duration, pictures.frames, context.codec_tag, context.profile, context.extradata, str(context.format)
        others = [bytes(packet) for packet in found if packet.stream_index != pictures.index]
    return [bytes(packet) for packet in ours], others, (said, head)


@pytest.mark.parametrize("work", WORK)
@pytest.mark.parametrize(("name", "begins", "ends"), WAYS)
def test_untreated_frames_are_the_packets_that_they_were_and_treated_ones_what_they_would_be(
    source_of, tmp_path, name, begins, ends, work
):
    programme, (shots, treated) = source_of(name, begins), WORK[work]
    treatments, target, plain = dict.fromkeys(treated, DARKER), tmp_path / f"o{ends}", tmp_path / f"plain{ends}"
    codec, handed = own_codec(programme), HandedOn()
    assert codec is CODECS["prores" if name == "fields" else name]
    asked = (programme, programme.format, shots, treatments)
    written, digest = render(*asked, target, codec, Monitor(), handed=handed)
    _, wanted = render(*asked, plain, codec, Monitor())
    changed = {n for shot in treated for n in range(shots[shot].first, shots[shot].last + 1)}
    changed |= set(range(MIXED.first, 10)) if work == "mixed" else set()
    assert (handed.frames, handed.because, digest) == (COUNT - len(changed), "", wanted)
    (before, *_), (after, carried, said), (anew, sound, words) = (packets(each) for each in (programme.path, target, plain))
    assert [after[n] == before[n] for n in range(COUNT)] == [n not in changed for n in range(COUNT)]
    assert all(after[n] == anew[n] for n in changed), "coded as it is where everything is"
    assert (carried, said) == (sound, words), "one stream, as if it were encoded in one go"
    assert (written.format, written.timecode, written.frame_count) == (programme.format, programme.timecode, COUNT)
    with Reader(written) as reader:
        for number in (47, 31, 9, 10, 30, 0):
            assert reader.frame(number).planes is not None, "any frame is found by the index of the file"
        assert all(frame.planes is not None for frame in reader.frames()) and reader.digest == handed.digest


def test_a_proof_tells_how_much_went_over_and_reads_back_what_did(source_of, tmp_path, monkeypatch):
    programme = source_of("prores-422", ".mov")
    survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
    target = tmp_path / "out.mov"
    request = ProveRequest(survey, THIRDS, {1: DARKER}, target, codec_for(target, None, codec_to_hand_on(programme)))
    assert request.codec.title == "ProRes 422", "the source's own where nothing else is asked for"
    proof = prove(request, Monitor())
    assert (proof.handed_on.frames, proof.handed_on.because) == (27, "")

    def other(*given, handed, **named):
        made = render(*given, handed=handed, **named)
        handed.digest = "00000000"  # as if a container had changed a packet
        return made

    monkeypatch.setattr(proving, "render", other)
    before = target.read_bytes()
    with pytest.raises(WriteError, match="not what was read back"):
        prove(request, Monitor())
    assert target.read_bytes() == before


def test_others_may_render_what_is_treated(source_of, tmp_path):
    programme, (shots, treated) = source_of("dnxhr", ".mov"), WORK["single frames"]
    asked, files = (programme, programme.format, shots, dict.fromkeys(treated, DARKER)), []
    with ThreadPoolExecutor(2) as pool:
        for name, hands in (("here", None), ("elsewhere", Hands(pool, 4))):
            handed = HandedOn()
            render(*asked, tmp_path / f"{name}.mov", own_codec(programme), Monitor(), hands=hands, handed=handed)
            files.append((packets(tmp_path / f"{name}.mov"), handed))
    assert files[0] == files[1] and not list(tmp_path.glob("*.runs-*")), "and nothing is left beside it"


def test_a_render_that_is_stopped_or_whose_source_changes_leaves_nothing_beside_it(source_of, tmp_path):
    programme = probe(shutil.copy2(source_of("prores-422", ".mov").path, tmp_path / "source.mov"))
    asked = programme, programme.format, THIRDS, {1: DARKER}, tmp_path / "o.mov", own_codec(programme)
    stopped = Monitor(lambda progress: stopped.cancel() if progress.done == 15 else None)
    with pytest.raises(CancelledError):
        render(*asked, stopped, handed=HandedOn())
    changed = Monitor(lambda progress: os.utime(programme.path) if progress.done == 40 else None)
    with pytest.raises(MediaError, match="was changed"):
        render(*asked, changed, handed=HandedOn())
    assert not list(tmp_path.glob("*.runs-*"))


def test_why_all_is_encoded_is_said(source_of, tmp_path):
    programme = source_of("prores-422", ".mov")
    own = own_codec(programme)
    assert why_encoded(programme, programme.format, own) == ""
    assert "not coded in ProRes 422 HQ" in why_encoded(programme, programme.format, CODECS["prores"])
    for name in ("h264", "mpeg2"):  # whatever the source is coded in
        assert "may lean on others" in why_encoded(programme, programme.format, CODECS[name])
    overruled = programme.read_as(Overrides(transfer="hlg"))
    assert "overruled" in why_encoded(overruled, overruled.format, own)
    assert codec_to_hand_on(programme) is own and codec_to_hand_on(overruled) is None
    index = replace(programme.index, keys=programme.index.keys[::2])
    assert "stands alone" in why_encoded(replace(programme, index=index), programme.format, own)
    handed = HandedOn()
    target = tmp_path / "all.mov"
    render(programme, programme.format, [Shot(0, COUNT - 1)], {0: DARKER}, target, own, Monitor(), handed=handed)
    assert (handed.frames, handed.because) == (0, "every frame is treated")


def test_what_an_edit_list_leaves_out_is_not_handed_on(source_of, tmp_path):
    whole, cut = source_of("prores-lt", ".mov").path, tmp_path / "cut.mov"
    with av.open(str(whole)) as one, av.open(str(cut), "w") as other:
        copy = other.add_stream_from_template(one.streams.video[0], opaque=None)
        step = None
        for packet in one.demux(one.streams.video[0]):
            if packet.size:
                step = step or packet.duration
                packet.pts, packet.dts, packet.stream = packet.pts - 3 * step, packet.dts - 3 * step, copy
                other.mux(packet)
    programme = probe(cut)
    assert programme.frame_count == COUNT - 3
    shots, handed, target = [Shot(0, 9), Shot(10, 44)], HandedOn(), tmp_path / "o.mov"
    _, digest = render(programme, programme.format, shots, {0: DARKER}, target, own_codec(programme), Monitor(), handed=handed)
    assert (handed.frames, packets(target)[0][10:]) == (35, packets(whole)[0][13:])
    with Reader(programme) as reader:
        assert digest == reader.packets_digest(lambda _: None)


def test_a_source_that_its_own_codec_does_not_tell_of_is_written_in_another(source_of):
    programme = source_of("dnxhr", ".mov")
    wide = replace(programme, tagged=replace(programme.tagged, matrix=Matrix.BT2020))
    assert "can't be said" in why_encoded(wide, wide.format, own_codec(wide)) and codec_to_hand_on(wide) is None


def test_a_stream_with_a_head_of_its_own_is_encoded(tmp_path):
    options = dict(CODECS["ffv1"].options) | {"slices": "9"}
    programme = probe(make_clip(tmp_path / "nine.mkv", picture, 4, options=options))
    handed, target = HandedOn(), tmp_path / "o.mkv"
    render(programme, programme.format, [Shot(0, 3)], {}, target, CODECS["ffv1"], Monitor(), handed=handed)
    assert (handed.frames, handed.because) == (0, "the source is coded with other options")
