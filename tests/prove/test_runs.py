"""A programme that is rendered in runs comes out as the file that one process writes."""

import hashlib
import json
import re
from concurrent.futures import Executor, Future
from dataclasses import replace
from functools import partial

import av
import numpy as np
import pytest

from bluffline.errors import CancelledError, MediaError, WriteError
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove import prove as proving
from bluffline.prove.pictures import KeepUnreadable, refuse_other_light
from bluffline.prove.prove import ProveRequest, prove
from bluffline.prove.render import render
from bluffline.prove.runs import PieceAsked, render_piece
from bluffline.report.certify import certificate_files
from bluffline.report.keys import Keys
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.shift.workers import Workers
from bluffline.survey import runs
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.view.small import hatched
from clips import make_clip, signal

SHOTS = [Shot(0, 0), Shot(1, 40), Shot(41, 60), Shot(61, 89)]
STEPS = {0: (SoftCeiling(100, 109, 90),), 2: (SoftCeiling(98, 109, 70),), 3: (SoftCeiling(100, 109, 90),)}


class Here(Executor):
    """Does at once what it is given, and notes it."""

    def __init__(self):
        self.given = []

    def submit(self, function, /, *arguments, **named):
        future = Future()
        self.given.append(arguments[0])
        try:
            future.set_result(function(*arguments))
        except (MediaError, WriteError) as error:
            future.set_exception(error)
        return future


def moving(number):
    rng = np.random.default_rng(number)
    picture = np.full((128, 256, 3), 0.3) + rng.normal(0, 0.05 if number % 9 else 0.3, (128, 256, 1))
    picture[20:50, number % 150 : number % 150 + 30] = (1.06, 0.9, 1.02)
    return np.clip(picture, 0, 1.09)


@pytest.fixture(autouse=True)
def _short(monkeypatch):
    monkeypatch.setattr(runs, "SHORTEST", 7)


@pytest.fixture(scope="module", params=["ffv1", "libx264", "interlaced", "variable", "numbered"])
def programme(request, tmp_path_factory):
    folder = tmp_path_factory.mktemp("source")
    if request.param == "numbered":
        with av.open(str(folder / "%03d.png"), "w", format="image2") as container:
            stream = container.add_stream("png", rate=25)
            stream.width, stream.height, stream.pix_fmt = 256, 128, "rgb24"
            for number in range(90):
                frame = av.VideoFrame.from_ndarray((moving(number) * 233).astype(np.uint8), format="rgb24")
                frame.pts = number
                container.mux(stream.encode(frame))
        return probe(folder, rate=25)
    return probe(
        make_clip(
            folder / "film.mkv", moving, 90, codec="libx264" if request.param == "libx264" else "ffv1", sound=True,
            timecode="10:00:00:00", options={"bf": "2", "g": "12"} if request.param == "libx264" else {},
            top_first=True if request.param == "interlaced" else None,
            times=(lambda n: 40 * n + 17 * (n % 3)) if request.param == "variable" else None,
        )
    )  # fmt: skip


def held(path):
    """Every packet of every track with its times, and the size of the file: the rest is made anew each time, as its hour."""
    with av.open(str(path)) as container:
        packets = [(p.stream_index, p.pts, p.dts, p.duration, p.is_keyframe, bytes(p)) for p in container.demux() if p.size]
    return packets, path.stat().st_size


@pytest.mark.parametrize(
    ("codec", "ending"),
    [("prores", "mov"), ("prores", "mxf"), ("dnxhr", "mov"), ("dnxhr", "mxf"), ("ffv1", "mkv"), ("v210", "mov")],
)
def test_the_file_is_the_one_that_is_written_in_one_go(programme, codec, ending, tmp_path):
    if ending == "mxf" and programme.index.variable:
        pytest.skip("it holds no variable rate")
    if programme.format.interlaced and (codec == "dnxhr" or ending == "mxf"):
        pytest.skip("it holds no fields, or readers would mistake them")
    files = []
    for hands in (None, Hands(Here(), 99)):
        target = tmp_path / f"{len(files)}.{ending}"
        _, digest = render(
            programme, programme.format, SHOTS, STEPS, target, CODECS[codec], Monitor(), region=None, hands=hands
        )
        files.append((held(target), digest))
    assert files[0] == files[1] and len({each.piece for each in hands.executor.given}) > 5
    assert {path.name for path in tmp_path.iterdir()} == {f"0.{ending}", f"1.{ending}"}, "nothing else is left"


def test_every_codec_that_says_so_codes_a_frame_the_same_whatever_came_before(tmp_path):
    assert {codec.encoder for codec in CODECS.values() if codec.apart} == {"prores", "dnxhd", "ffv1", "v210"}
    film = probe(make_clip(tmp_path / "film.mkv", moving, 60))
    here = Here()
    render(film, film.format, [Shot(0, 59)], {}, tmp_path / "o.mxf", CODECS["mpeg2"], Monitor(), hands=Hands(here, 99))
    assert not here.given, "its rate is shared out over frames, so it is written in one go"
    assert probe(tmp_path / "o.mxf").frame_count == 60


def certified(folder, hands):
    """What a proof and its certificate come to, without names and hours."""
    folder.mkdir()
    film = make_clip(folder / "film.mkv", moving, 90, sound=True)
    survey = run_survey(start_survey(probe(film), load_rules("r103")), Monitor())
    request = ProveRequest(survey, SHOTS, STEPS, folder / "o.mov", CODECS["prores"])
    proof = prove(request, Monitor(), partial(certificate_files, key=Keys().own(), monitor=Monitor(), draw=hatched), hands)
    report = json.loads((folder / "o.mov.certificate.json").read_text())
    words = re.sub(r'"[^"]*(sha256|path|at|modified|finished|checked)": [^,}]*', "", json.dumps(report["after"]["findings"]))
    with av.open(str(folder / "o.mov")) as container:
        coded = [bytes(packet) for packet in container.demux() if packet.size]
    return proof.verdict, proof.rounds, words, proof.after.table.rows.tobytes(), hashlib.sha256(b"".join(coded)).hexdigest()


def test_a_proof_by_processes_is_that_of_one(tmp_path):
    workers = Workers(2)
    by_two = certified(tmp_path / "two", Hands(workers, 8))
    workers.shutdown()
    assert by_two == certified(tmp_path / "one", None)


def test_a_proof_that_needs_another_round_is_that_of_one(tmp_path, monkeypatch):
    rounds = []
    margins = proving._with_margin
    monkeypatch.setattr(proving, "_with_margin", lambda *given: rounds.append(1) or margins(*given))
    for number, (step,) in list(STEPS.items()):
        monkeypatch.setitem(STEPS, number, (replace(step, limit=103.0),))
    assert certified(tmp_path / "two", Hands(Here(), 8)) == certified(tmp_path / "one", None) and rounds


def test_what_goes_wrong_in_a_run_is_told_and_leaves_nothing(tmp_path):
    film = make_clip(tmp_path / "film.mkv", moving, 60)
    programme = probe(film)
    arguments = programme, programme.format, [Shot(0, 59)], {}, tmp_path / "o.mov", CODECS["prores"]

    class Short(Here):
        def submit(self, function, /, *arguments):
            asked = arguments[0]
            return super().submit(function, replace(asked, after=asked.after - 1) if asked.first else asked)

    class Cut(Here):
        def submit(self, function, /, *arguments):
            done = super().submit(function, *arguments)
            arguments[0].piece.write_bytes(b"torn")
            return done

    for executor, error, words in (
        (Short(), WriteError, "Of frames 16 to 23 only 7 were rendered"),
        (Cut(), WriteError, "What was rendered of frames 0 to 15 can't be read"),
    ):  # fmt: skip
        with pytest.raises(error, match=words):
            render(*arguments, Monitor(), hands=Hands(executor, 99))
        (tmp_path / "o.mov").unlink()
        assert [path.name for path in tmp_path.iterdir()] == ["film.mkv"]
    stopping = Monitor()
    stopping.cancel()
    with pytest.raises(CancelledError):
        render(*arguments, stopping, hands=Hands(Here(), 99))
    (tmp_path / "o.mov").unlink()
    assert [path.name for path in tmp_path.iterdir()] == ["film.mkv"]
    asked = PieceAsked(*arguments[:4], None, arguments[5], 0, 9, tmp_path / "piece.mov")
    film.write_bytes(film.read_bytes() + b"more")
    with pytest.raises(MediaError, match="is not what was opened any more"):
        render_piece(asked)


def test_what_can_not_be_read_is_written_in_one_go_where_that_was_asked_for(tmp_path):
    film = make_clip(tmp_path / "film.mkv", moving, 60)
    data = bytearray(film.read_bytes())
    data[len(data) // 2 : len(data) // 2 + 300] = b"\0" * 300
    film.write_bytes(data)
    programme, here = probe(film), Here()
    with Reader(programme) as reader:
        assert any(frame.planes is None for frame in reader.frames())
    arguments = programme, programme.format, [Shot(0, 59)], {}, tmp_path / "o.mov", CODECS["prores"], Monitor()
    render(*arguments, keep_unreadable=KeepUnreadable.HOLD, hands=Hands(here, 99))
    assert not here.given, "what is held may be a frame of the run before"
    with pytest.raises(MediaError, match="can't be read, so nothing was written"):
        render(*arguments, hands=Hands(here, 99))


def test_light_that_is_not_the_programmes_is_named():
    source = signal(64, 48)
    for other, words in (
        (replace(source, transfer="pq"), "From frame 7 on the transfer characteristic is .*--transfer"),
        (replace(source, primaries="bt2020"), "From frame 7 on the primaries are .*--primaries"),
    ):
        with pytest.raises(WriteError, match=words):
            refuse_other_light(other, source, 7)
    refuse_other_light(source, source, 7)
