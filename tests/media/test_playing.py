"""Crops that a player makes are told; edits that play something else than the frames as they are stored are refused."""

import struct

import numpy as np
import pytest

from bluffline.errors import MediaError
from bluffline.media.playing import Playing, _edits, playing_of
from bluffline.media.probe import probe
from clips import make_clip

GREY = np.full((96, 128, 3), 0.5)


def box(kind, *parts):
    data = b"".join(parts)
    return struct.pack(">I4s", 8 + len(data), kind) + data


def edits(*entries):
    return struct.pack(">II", 0, len(entries)) + b"".join(struct.pack(">Iii", *entry) for entry in entries)


def with_edits(path, target, *entries):
    """A MOV file of one track again, with another edit list; its index lies at its end."""
    data = path.read_bytes()
    place = data.rindex(b"elst") - 4
    old = struct.unpack_from(">I", data, place)[0]
    made = box(b"elst", edits(*entries))
    grown = len(made) - old
    data = bytearray(data[:place] + made + data[place + old :])
    for kind in (b"moov", b"trak", b"edts"):
        at = data.rindex(kind, 0, place) - 4
        struct.pack_into(">I", data, at, struct.unpack_from(">I", data, at)[0] + grown)
    target.write_bytes(data)
    return target


@pytest.mark.parametrize(
    ("entries", "words"),
    [
        ([(6, 0, 1 << 16), (2, -1, 1 << 16), (6, 3, 1 << 16)], "nothing in its middle"),
        ([(6, 0, 1 << 15)], "another speed"),
        ([(6, 0, 1 << 16), (4, 2, 0)], "dwells on a frame"),
        ([(3, 6144, 1 << 16), (3, 0, 1 << 16)], "another order"),
    ],
)
def test_edits_that_are_not_followed_are_a_sentence(tmp_path, entries, words):
    made = make_clip(tmp_path / "a.mov", lambda n: GREY, 12, codec="prores_ks")
    with pytest.raises(MediaError, match=f"edit list that is not followed here: .*{words}"):
        probe(with_edits(made, tmp_path / "b.mov", *entries))


def test_plain_edits_are_followed():
    assert _edits(edits((12, 0, 1 << 16))) == "" == _edits(edits((2, -1, 1 << 16), (12, 1024, 1 << 16)))


def test_clean_apertures_and_crops_are_told(tmp_path):
    made = make_clip(tmp_path / "a.mov", lambda n: GREY, 3, codec="prores_ks")
    assert playing_of(made, "mov", 0).crop == ""
    data = made.read_bytes()
    clap = box(b"clap", struct.pack(">iIiIiIiI", 120, 1, 90, 1, 0, 1, 0, 1))
    place = data.rindex(b"stsd") - 4
    end = place + 16 + struct.unpack_from(">I", data, place + 16)[0]
    changed = bytearray(data[:end] + clap + data[end:])
    struct.pack_into(">I", changed, place + 16, struct.unpack_from(">I", changed, place + 16)[0] + len(clap))
    for kind in (b"stsd", b"stbl", b"minf", b"mdia", b"trak", b"moov"):
        at = changed.rindex(kind, 0, place + 8) - 4
        struct.pack_into(">I", changed, at, struct.unpack_from(">I", changed, at)[0] + len(clap))
    (tmp_path / "clap.mov").write_bytes(changed)
    assert any("shows 120×90 of 128×96 (clean aperture)" in note for note in probe(tmp_path / "clap.mov").notes)


def test_crops_of_matroska_are_told(tmp_path):
    def element(kind, data):
        return bytes.fromhex(kind) + (len(data) | 1 << 28).to_bytes(4) + data

    video = element("E0", element("54CC", b"\x04") + element("54DD", b"\x00") + element("B0", b"\x80"))
    tracks = element("1654AE6B", element("AE", element("D7", b"\x01") + video))
    (tmp_path / "c.mkv").write_bytes(element("1A45DFA3", b"") + element("18538067", tracks))
    assert playing_of(tmp_path / "c.mkv", "matroska,webm", 0).crop == "all but 4 px at the left"


def test_what_is_damaged_says_nothing(tmp_path):
    (tmp_path / "d.mov").write_bytes(b"\x00\x00\x00\x10moov" + b"\xff" * 20)
    assert playing_of(tmp_path / "d.mov", "mov", 0) == Playing()
    with pytest.raises(FileNotFoundError):
        playing_of(tmp_path / "none.mkv", "matroska", 0)
