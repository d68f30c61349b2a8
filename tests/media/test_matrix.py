"""Every kind of file to every codec: what is written is read by bare FFmpeg, and says and shows what the source did."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image

from bluffline.errors import WriteError
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import CODECS, codec_for
from bluffline.media.probe import probe
from bluffline.media.tagging import TOP_FIRST
from bluffline.prove.prove import ProveRequest, prove
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import make_clip, numbered, two_pictures

FRAMES = 9
SD = (576, 720)
CBR = {"b": "30000000", "minrate": "30000000", "maxrate": "30000000", "bufsize": "1200000", "rc_init_occupancy": "1200000"}
KINDS = {
    "d10.mxf": ("mpeg2video", "yuv422p", CBR | {"g": "1", "qmin": "1", "intra_vlc": "1"}, 25),
    "long.ts": ("mpeg2video", "yuv422p", CBR | {"g": "12", "qmin": "1", "bufsize": "1835008"}, 25),
    "server.gxf": ("mpeg2video", "yuv422p", {"b": "20000000"}, 25),
    "ntsc.dv": ("dvvideo", "yuv411p", {}, Fraction(30000, 1001)),
    "pal.dv": ("dvvideo", "yuv420p", {}, 25),
    "packed.mov": ("v410", "yuv444p10le", {}, 50),
    "tall.mkv": ("ffv1", "yuv440p", {}, 24),
    "sparse.mkv": ("ffv1", "yuv410p", {}, Fraction(24000, 1001)),
    "reordered.mp4": ("libx264", "yuv420p", {"bf": "2"}, 30),
    "alpha.mov": ("prores_ks", "yuva444p10le", {"profile": "4444", "alpha_bits": "16"}, 25),
    "fields.mov": ("prores_ks", "yuv422p10le", {"profile": "2", "flags": "+ildct"}, 25),
    "colours.mov": ("png", "rgb24", {}, 25),
    "late.mkv": ("ffv1", "yuv422p10le", {}, 25),
    "two.mkv": ("ffv1", "yuv422p", {}, 25),
    "palette": ("", "", {}, 25),
    "dpx": ("dpx", "gbrp10le", {}, 25),
}
NO_LABEL = {"long.ts", "ntsc.dv", "pal.dv", "palette", "dpx", "late.mkv", "two.mkv"}
FIELDS = {"ntsc.dv": False, "pal.dv": False, "fields.mov": True}  # whether the top one is first
KINDS_OF_ONE = {"prores-422", "prores-lt", "prores-proxy", "dnxhr-hq", "dnxhr-sq", "dnxhr-lb"}  # as the first of their codec
WAYS = [(name, ending) for name, codec in CODECS.items() if name not in KINDS_OF_ONE for ending in codec.containers]
# What can't be, and the word that says why.
REFUSED = {
    **{(kind, "dnxhr", end): "interlaced" for kind in FIELDS for end in (".mov", ".mxf")},
    **{(kind, "prores", ".mxf"): "scanning" for kind in FIELDS},
}  # fmt: skip


def picture(number, height=SD[0], width=SD[1]):
    """The frame's number in bars, with a slope of colour below that any range or matrix taken for another would shift."""
    drawn = np.resize(numbered(number, height, width), (height, width, 3)).astype(float)
    across = np.linspace(0.1, 0.9, width)
    drawn[height // 2 :] = np.stack([across, 0.5 * np.ones(width), 1 - across], axis=-1)
    return drawn


def remuxed(source, target, change):
    """A file again, stream by stream, with ``change(packet, stream)`` to each packet."""
    with av.open(str(source)) as one, av.open(str(target), "w") as other:
        copies = {stream.index: other.add_stream_from_template(stream, opaque=None) for stream in one.streams}
        for packet in one.demux():
            if packet.dts is not None and change(packet):
                packet.stream = copies[packet.stream_index]
                other.mux(packet)
    return target


def numbered_pictures(folder, kind, codec, pixels):
    (folder / kind).mkdir()
    for number in range(FRAMES):
        rgb = np.rint(picture(number) * 255).astype(np.uint8)
        if kind == "palette":
            Image.fromarray(rgb).quantize(64).save(folder / kind / f"s_{number:04d}.png")
            continue
        context = av.CodecContext.create(codec, "w")
        context.width, context.height, context.pix_fmt, context.time_base = SD[1], SD[0], pixels, Fraction(1, 25)
        frame = av.VideoFrame.from_ndarray(rgb, format="rgb24").reformat(format=pixels)
        data = b"".join(map(bytes, [*context.encode(frame), *context.encode(None)]))
        (folder / kind / f"s_{number:04d}.{kind}").write_bytes(data)
    return folder / kind


def make(folder: Path, kind: str) -> Path:
    codec, pixels, options, rate = KINDS[kind]
    if not Path(kind).suffix:
        return numbered_pictures(folder, kind, codec, pixels)
    size = (480, 720) if kind == "ntsc.dv" else SD
    made = make_clip(
        folder / kind, lambda n: picture(n, *size), FRAMES, codec=codec, pixel_format=pixels, options=options, rate=rate,
        sound=kind not in {"long.ts", "ntsc.dv", "pal.dv"}, timecode=None if kind in NO_LABEL else "00:00:00:00",
        top_first=kind == "fields.mov" or None,
    )  # fmt: skip
    if kind == "late.mkv":  # its sound begins with the fourth frame
        return remuxed(made, folder / "later.mkv", lambda p: p.stream_index == 0 or p.pts * p.time_base >= Fraction(3, 25))
    if kind == "two.mkv":
        return two_pictures(made, folder / "both.mkv")
    return made


def plainly(programme):
    """What bare FFmpeg finds in a file: its picture's frames, and all that is said beside them."""
    options = {"framerate": "25"} if programme.opening.numbered else {}
    quiet = options | {"codec_whitelist": "none"}  # decoders write over what the container says
    with av.open(programme.opening.name, format=programme.opening.format, options=quiet) as container:
        context = container.streams.video[0].codec_context
        tags = int(context.color_primaries), int(context.color_trc)
    with av.open(programme.opening.name, format=programme.opening.format, options=options) as container:
        video = container.streams.video[0]
        context = video.codec_context
        decoded = int(context.color_primaries), int(context.color_trc)
        frames = list(container.decode(video=0))
        told = [video.metadata, container.metadata, *(stream.metadata for stream in container.streams)]
        start = float(frames[0].pts * frames[0].time_base)
        said = {
            "frames": len(frames),
            "rate": video.guessed_rate,
            "timecode": next((v for t in told for k, v in t.items() if k.lower() == "timecode"), None),
            "fields": TOP_FIRST.get(int(context.field_order)),
            "tags": tags if tags != (2, 2) else decoded,
            "tracks": sorted(s.type for s in container.streams if s.type != "data"),
            "shape": video.sample_aspect_ratio or Fraction(1),
        }
    with av.open(programme.opening.name, format=programme.opening.format) as container:
        blocks = list(container.decode(audio=0)) if container.streams.audio else []
    said["sound"] = sum(block.samples for block in blocks)
    said["offset"] = round(float(blocks[0].pts * blocks[0].time_base) - start, 3) if blocks else 0.0
    return said, frames


@pytest.fixture(scope="module")
def sources(tmp_path_factory):
    folder, kept = tmp_path_factory.mktemp("sources"), {}

    def source(kind):
        if kind not in kept:
            programme = probe(make(folder, kind))
            survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
            kept[kind] = survey, *plainly(programme)
        return kept[kind]

    return source


@pytest.mark.parametrize("way", WAYS, ids="".join)
@pytest.mark.parametrize("kind", KINDS)
def test_what_is_written_says_and_shows_what_the_source_did(tmp_path, sources, kind, way):
    survey, said, frames = sources(kind)
    programme = survey.programme
    target = tmp_path / f"o{way[1]}"
    codec = codec_for(target, way[0])
    if (kind, *way) in REFUSED:
        with pytest.raises(WriteError, match=REFUSED[(kind, *way)]):
            rehearse(programme, programme.format, codec, target, drop_tracks=True)
        return
    carriage = rehearse(programme, programme.format, codec, target, drop_tracks=True)
    proof = prove(ProveRequest(survey, survey.shots(), {}, target, codec, None, carriage), Monitor())
    assert proof.verdict == "picture proved legal" or proof.after_findings, "what coding has pushed over a limit is told"
    written = probe(target)
    found, others = plainly(written)
    assert found == expected(programme, said, carriage, way[1]), carriage.losses
    for one, other in zip(frames, others, strict=True):
        if codec.lossless and programme.pixel_format == other.format.name:
            assert all(map(np.array_equal, samples(one), samples(other))), "sample for sample"
        off = np.abs(one.to_ndarray(format="rgb24").astype(int) - other.to_ndarray(format="rgb24"))
        assert off.mean() < 3, off.mean()


def expected(programme, said, carriage, ending):
    """What bare FFmpeg should find in a written file: what the source says, but for what is told to be otherwise."""
    told = " ".join(carriage.losses)
    gone = [track for track in programme.tracks if f"Track {track.index} " in told and "is left out" in told]
    sounds = [track for track in programme.tracks if track.kind == "audio" and track not in gone]
    beside = [track.kind for track in programme.tracks if track.kind not in {"timecode", "data"} and track not in gone]
    found = said | {
        "tracks": sorted(["video", *beside]),
        "fields": FIELDS.get(programme.path.name),
        "timecode": said["timecode"] or ("00:00:00:00" if ending == ".mxf" else None),
        "shape": Fraction(1) if "shape of its pixels" in told else said["shape"],
    }
    if not sounds:
        return found | {"sound": 0, "offset": 0.0}
    if "as .mxf files have it" in told:
        return found | {"sound": round(FRAMES / programme.frame_rate * 48000)}
    return found


def samples(frame):
    """Each plane of a decoded frame, without its padding."""
    deep = 2 if frame.format.components[0].bits > 8 else 1
    for plane in frame.planes:
        yield np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)[: plane.height, : plane.width * deep]
