"""A read that fails is never taken for the end of a file: each read of each pass is made to fail, in every carrier."""

import errno
import hashlib
import io

import numpy as np
import pytest
from PIL import Image

from bluffline.errors import MediaError, WriteError
from bluffline.media import source_file
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.prove.prove import ProveRequest, prove
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import find_region, run_survey, start_survey
from clips import make_clip

RULES = load_rules("r103")
NOISE = np.random.default_rng(5).uniform(0.2, 0.8, (96, 128, 3))
CARRIERS = {
    "a.mov": ("prores_ks", "yuv422p10le", True), "a.mkv": ("ffv1", "yuv422p10le", True),
    "a.mxf": ("mpeg2video", "yuv422p", True), "a.ts": ("mpeg2video", "yuv420p", False), "a.avi": ("rawvideo", "uyvy422", True),
    "a.nut": ("ffv1", "yuv420p", True),
    "a.mp4": ("libx264", "yuv420p", False), "a.h264": ("libx264", "yuv420p", False), "a.m2v": ("mpeg2video", "yuv420p", False),
    "a.y4m": ("wrapped_avframe", "yuv420p", False),
}  # fmt: skip


class FailingReads(io.FileIO):
    """Counts the reads of all files of one name, and fails one of them."""

    fails, count = -1, 0
    watched = ""

    def read(self, size=-1):
        if str(self.name).endswith(FailingReads.watched):
            FailingReads.count += 1
            if FailingReads.count - 1 == FailingReads.fails:
                raise OSError(errno.EIO, "Input/output error")
        return super().read(size)


@pytest.fixture
def failing(monkeypatch):
    """Says how many reads of a file an act makes, or has one of them fail."""
    opened = source_file.Path.open

    def open_failing(path, mode="r", *args, **kwargs):
        if mode == "rb" and kwargs.get("buffering") == 0:
            return FailingReads(path, "r")
        return opened(path, mode, *args, **kwargs)

    monkeypatch.setattr(source_file.Path, "open", open_failing)

    def run(name, fails, act):
        FailingReads.watched, FailingReads.fails, FailingReads.count = name, fails, 0
        try:
            return act(), FailingReads.count
        finally:
            FailingReads.fails, FailingReads.watched = -1, "no such name"

    return run


def checked(path):
    survey = run_survey(start_survey(probe(path), RULES), Monitor())
    found = [(finding.rule, finding.first_frame) for finding in survey.findings()]
    return survey.programme.frame_count, found, survey.complete


def places(count):
    """All reads where they are few; else the first and last ones and some between."""
    between = np.linspace(0, count - 1, 12).astype(int).tolist()
    return sorted({*range(min(count, 12)), *range(max(count - 6, 0), count), *between})


@pytest.mark.parametrize("name", CARRIERS)
def test_each_read_that_fails_ends_in_a_sentence_or_changes_nothing(tmp_path, failing, name):
    codec, pixels, sound = CARRIERS[name]
    options = {"x264-params": "log-level=-1", "g": "4", "qp": "4"} if codec == "libx264" else {}
    made = make_clip(
        tmp_path / name, lambda n: np.roll(NOISE, n, axis=1), 16, codec=codec, pixel_format=pixels, sound=sound, options=options
    )
    whole, count = failing(name, -1, lambda: checked(made))
    assert count > 3
    told = []
    for place in places(count):
        try:
            found, _ = failing(name, place, lambda: checked(made))
        except MediaError as error:
            told.append(str(error))
        else:
            assert found == whole, f"read {place} of {count} was taken for the end"
    assert told and all("not wholly read (Input/output error)" in each for each in told), told


@pytest.mark.parametrize("ending", [".mov", ".mkv", ".mxf"])
def test_no_file_is_proved_of_a_source_or_a_copy_that_could_not_be_read(tmp_path, failing, ending):
    """Sound and picture of the source while it is rendered, and the written file while it is read back."""
    made = make_clip(tmp_path / "a.mov", lambda n: np.roll(NOISE, n, axis=1), 12, codec="prores_ks", sound=True)
    target = tmp_path / f"o{ending}"
    survey = run_survey(start_survey(probe(made), RULES), Monitor())
    codec = codec_for(target, "prores" if ending != ".mkv" else None)
    carriage = rehearse(survey.programme, survey.source, codec, target)
    request = ProveRequest(survey, survey.shots(), {}, target, codec, None, carriage)
    for name in ("a.mov", f"unproved{ending}"):
        proof, count = failing(name, -1, lambda: prove(request, Monitor()))
        whole = proof.after.read, proof.written_size
        target.unlink()
        for place in places(count):
            try:
                proof, _ = failing(name, place, lambda: prove(request, Monitor()))
            except (MediaError, WriteError, OSError):
                assert [path.name for path in tmp_path.iterdir()] == ["a.mov"], "nothing is left"
            else:
                assert (proof.after.read, proof.written_size) == whole, f"read {place} of {count} of {name} cut something off"
                target.unlink()


def test_the_active_picture_is_not_found_of_what_could_not_be_read(tmp_path, failing):
    made = make_clip(tmp_path / "a.mov", lambda n: np.roll(NOISE, n, axis=1), 12, codec="prores_ks")
    programme = probe(made)
    region, count = failing("a.mov", -1, lambda: find_region(programme))
    told = 0
    for place in range(count):
        try:
            assert failing("a.mov", place, lambda: find_region(programme))[0] == region
        except MediaError:
            told += 1
    assert told > count // 2


def test_a_file_that_becomes_shorter_while_it_is_read_is_told(tmp_path):
    made = make_clip(tmp_path / "a.mkv", lambda n: np.roll(NOISE, n, axis=1), 12)
    programme = probe(made)
    survey = start_survey(programme, RULES)

    class Cut(Monitor):
        def at(self, stage, done, total, unit="frames"):
            super().at(stage, done, total, unit)
            if done == 2:
                with made.open("rb+") as file:
                    file.truncate(made.stat().st_size // 2)

    with pytest.raises(MediaError, match="not wholly read \\(it became shorter"):
        run_survey(survey, Cut())
    assert not survey.complete


def test_numbered_pictures_of_which_one_can_not_be_read_are_told(tmp_path):
    for number in range(4):
        Image.new("RGB", (64, 48), (90, 40 * number, 90)).save(tmp_path / f"s_{number}.png")
    programme = probe(tmp_path)
    (tmp_path / "s_2.png").unlink()
    (tmp_path / "s_2.png").mkdir()  # opening it succeeds, reading it fails
    with pytest.raises(MediaError, match=r"not wholly read \(Is a directory\)"):
        run_survey(start_survey(programme, RULES), Monitor())


def test_files_that_name_other_files_are_refused_by_name(tmp_path):
    clip = make_clip(tmp_path / "a.ts", lambda n: NOISE, 3, codec="mpeg2video", pixel_format="yuv420p")
    before = hashlib.sha256(clip.read_bytes()).hexdigest()
    lists = {
        "l.m3u8": "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\na.ts\n#EXT-X-ENDLIST\n",
        "l.ffconcat": "ffconcat version 1.0\nfile a.ts\n",
        "l.mov": "ffconcat version 1.0\nfile a.ts\n",
        "l.mpd": '<?xml version="1.0"?>\n<!-- made -->\n<MPD xmlns="urn:mpeg:dash:schema:mpd:2011"></MPD>',
        "c.xml": '<?xml version="1.0"?><CompositionPlaylist xmlns="http://www.smpte-ra.org/schemas/2067-3/2016"/>',
        "s.sdp": "v=0\no=- 0 0 IN IP4 127.0.0.1\n",
    }
    for name, text in lists.items():
        (tmp_path / name).write_text(text)
        with pytest.raises(MediaError, match="names other files: open those"):
            probe(tmp_path / name)
    assert hashlib.sha256(clip.read_bytes()).hexdigest() == before
