"""What becomes of files that were hurt on their way."""

import binascii
import subprocess
import sys

import av
import numpy as np
import pytest

from bluffline.media import crc_kernels
from bluffline.media.ffv1 import SliceChecks
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from clips import make_clip, numbered, read_number

TEXTURE = np.random.default_rng(0).normal(0, 0.05, (128, 256, 1))


def picture(number):
    return numbered(number, 128, 256) + TEXTURE


def reflected(value, bits):
    return int(f"{value:0{bits}b}"[::-1], 2)


def test_checksum_is_the_standard_polynomial():
    """The library's CRC-32 runs the same polynomial from the other end, with its register inverted."""
    data = bytes(range(60))
    mirrored = bytes(reflected(byte, 8) for byte in data)
    expected = reflected(binascii.crc32(mirrored, 0xFFFFFFFF) ^ 0xFFFFFFFF, 32)
    table = crc_kernels.crc32_table()
    assert crc_kernels.crc32(np.frombuffer(data, np.uint8), table) == expected
    closed = np.frombuffer(data + expected.to_bytes(4, "big"), np.uint8)
    assert crc_kernels.crc32(closed, table) == 0


def test_a_frame_without_checksums_passes():
    checks = SliceChecks(b"\x01\x02\x03\x04" * 20)
    assert checks.whole(b"anything at all, however long it may be")


def test_a_frame_with_codes_beyond_its_depth_is_missing(tmp_path):
    """Ten bits lie in sixteen, and nothing in an uncompressed file keeps the upper six clear."""
    made = make_clip(tmp_path / "raw.nut", numbered, 3, codec="rawvideo", pixel_format="yuv422p10le")
    with av.open(str(made)) as container:
        second = [packet.pos + packet.size for packet in container.demux(video=0) if packet.size][1]
    data = bytearray(made.read_bytes())
    data[second - 1] |= 0x10
    (tmp_path / "stray.nut").write_bytes(data)
    with Reader(probe(tmp_path / "stray.nut")) as reader:
        assert [frame.planes is None for frame in reader.frames()] == [False, True, False]


KEYS = 12
PREDICTED = [
    ("f.mkv", "ffv1", "yuv422p10le", {"slicecrc": "1", "level": "3"}),
    ("h.mp4", "libx264", "yuv420p", {"x264-params": "log-level=error:scenecut=0"}),
    ("open.ts", "libx264", "yuv420p", {"x264-params": "log-level=error:scenecut=0:open-gop=1:slices=4", "bf": "3"}),
    ("m.mxf", "mpeg2video", "yuv420p", {"bf": "2", "sc_threshold": "1000000000"}),
]


def moving(number):
    return np.roll(picture(number), 3 * number, axis=1)


@pytest.mark.parametrize(("name", "codec", "pixels", "options"), PREDICTED)
def test_no_frame_that_is_read_is_other_than_it_was(tmp_path, name, codec, pixels, options):
    """Of a damaged packet, of a lost one, and of a place to begin from: what may be predicted from it is not believed."""
    options = options | {"g": str(KEYS)}
    made = make_clip(tmp_path / name, moving, 40, codec=codec, pixel_format=pixels, options=options)
    with Reader(probe(made)) as reader:
        whole = [[plane.copy() for plane in frame.planes] for frame in reader.frames()]
    data, told = made.read_bytes(), 0
    for at in np.random.default_rng(5).integers(len(data) // 6, len(data) * 5 // 6, 6):
        hurt = tmp_path / f"hurt-{name}"
        hurt.write_bytes(data[:at] + bytes(255 - byte for byte in data[at : at + 40]) + data[at + 40 :])
        programme = probe(hurt)
        with Reader(programme) as reader:
            frames = list(reader.frames())
            later = list(reader.frames(19))
        if all(frame.planes is not None for frame in frames):
            continue  # the decoder saw nothing: see docs/judging.md
        told += 1
        lost = {frame.number for frame in frames if frame.planes is None}
        for frame in frames:
            if frame.planes is not None:
                assert all(map(np.array_equal, frame.planes, whole[frame.number])), (at, frame.number)
        assert len(lost) < 2 * KEYS + 4, "what stands alone is read again"
        assert {frame.number for frame in later if frame.planes is None} == {number for number in lost if number >= 19}
    assert told >= 3


def test_what_was_left_out_casts_no_doubt_on_others(tmp_path):
    """A frame without a packet may have been dropped before coding: it is missing, and what is there is read."""
    options = {"g": "12", "bf": "0"}
    made = make_clip(tmp_path / "whole.mkv", moving, 40, codec="libx264", pixel_format="yuv420p", options=options)
    with av.open(str(made)) as source, av.open(str(tmp_path / "lost.mkv"), "w") as target:
        stream = target.add_stream_from_template(source.streams.video[0])
        for order, packet in enumerate(source.demux(video=0)):
            if order not in (15, 16) and packet.dts is not None:
                packet.stream = stream
                target.mux(packet)
    programme = probe(tmp_path / "lost.mkv")
    with Reader(programme) as reader:
        read = [frame.number for frame in reader.frames() if frame.planes is not None]
        after = list(reader.frames(18))
    assert read == [number for number in range(40) if number not in (15, 16)] and programme.index.lost.tolist() == [15, 16]
    assert [frame.planes is not None for frame in after] == [number in read for number in range(18, 40)]


@pytest.mark.parametrize(
    ("name", "codec", "pixels", "options"),
    [
        ("p.mov", "prores_ks", "yuv422p10le", {}),
        ("d.mxf", "dnxhd", "yuv422p10le", {"profile": "dnxhr_hqx"}),
        ("m.ts", "mpeg2video", "yuv420p", {"g": "1"}),
        ("f.mkv", "ffv1", "yuv422p10le", {"slicecrc": "1", "level": "3", "g": "1"}),
    ],
)
def test_every_other_frame_keeps_its_number(tmp_path, name, codec, pixels, options):
    data = bytearray(make_clip(tmp_path / name, picture, 40, codec=codec, pixel_format=pixels, options=options).read_bytes())
    middle = len(data) // 2
    data[middle : middle + 60] = bytes(255 - byte for byte in data[middle : middle + 60])
    hurt = tmp_path / f"hurt-{name}"
    hurt.write_bytes(data)
    programme = probe(hurt)
    with Reader(programme) as reader:
        frames = list(reader.frames())
    assert [frame.number for frame in frames] == list(range(40))
    missing = [frame.number for frame in frames if frame.planes is None]
    assert 1 <= len(missing) <= 4
    middle_level = programme.format.levels.code(50)
    for frame in frames:
        assert frame.planes is None or read_number(frame.planes[0], 256, 128, middle_level) == frame.number


OPENING = """
import sys
from concurrent.futures import ThreadPoolExecutor
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
programme = probe(sys.argv[1])
def read(_):
    for _ in range(60):
        with Reader(programme) as reader:
            assert any(frame.planes is None for frame in reader.frames())
def look(_):
    for _ in range(60):
        assert probe(sys.argv[1]).frame_count == 20
with ThreadPoolExecutor(4) as pool:
    list(pool.map(lambda work: work(0), [read, look, read, look]))
"""


def test_what_decoders_say_of_damage_holds_nobody_and_is_not_said_to_the_operator(tmp_path):
    """While files are opened and closed by several threads, as on the desk."""
    made = make_clip(tmp_path / "whole.mkv", picture, 20, options={"slicecrc": "1", "g": "1", "level": "3"})
    data = bytearray(made.read_bytes())
    for at in range(len(data) // 8, len(data) * 7 // 8, 2000):
        data[at] ^= 255
    (tmp_path / "hurt.mkv").write_bytes(data)
    command = [sys.executable, "-c", OPENING, str(tmp_path / "hurt.mkv")]
    run = subprocess.run(command, capture_output=True, text=True, check=False, timeout=120)
    assert (run.returncode, run.stdout, run.stderr) == (0, "", "")
