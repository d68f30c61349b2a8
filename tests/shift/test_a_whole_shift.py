"""Forty files, good, bad, damaged, growing, unreadable, HDR, long and delivered anew: three ways through a shift."""

import json
import shutil
import signal
import subprocess
import sys
import time
from contextlib import suppress
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from bluffline.shift.states import State
from clips import make_clip
from shift.test_compare import film, shot
from shift.test_hand import Desk

COMMAND = [sys.executable, "-m", "bluffline"]
WAIT = 240  # seconds
GOOD = State.GOOD
KINDS = (  # ending, codec, pixel format, options
    (".mkv", "ffv1", "yuv422p10le", {}), (".mov", "prores_ks", "yuv422p10le", {"profile": "3"}),
    (".ts", "mpeg2video", "yuv420p", {}),
    (".mp4", "libx264", "yuv420p", {"x264-params": "log-level=error"}), (".mxf", "mpeg2video", "yuv422p", {}),
)  # fmt: skip


def grained(level, seed=0):
    rng = np.random.default_rng(seed)
    slope = level + np.linspace(0, 0.1, 96)[None, :, None]
    return lambda n: np.clip(slope + rng.normal(0, 0.01, (64, 96, 1)), 0, 1.09).repeat(3, 2)


@pytest.fixture(scope="module")
def shelf(tmp_path_factory):
    """The files, and the state that each ends in when it is measured."""
    folder, states = tmp_path_factory.mktemp("saturday"), {}

    def put(name, state, picture, frames=12, **how):
        make_clip(folder / name, picture, frames, **how)
        states[name] = state

    for number in range(26):
        ending, codec, pixels, options = KINDS[number % len(KINDS)]
        level = 0.2 + 0.01 * number
        put(f"good-{number:02}{ending}", GOOD, grained(level), codec=codec, pixel_format=pixels, options=options)
    for number in range(6):
        put(f"over-{number}.mkv", State.TO_FIX, grained(0.95 + 0.02 * number))
    put("long.mkv", GOOD, grained(0.4), 400)
    put("torn-inside.mkv", State.TO_FIX, grained(0.4), 20, options={"slicecrc": "1", "level": "3", "g": "1"})
    data = bytearray((folder / "torn-inside.mkv").read_bytes())
    data[len(data) // 2 : len(data) // 2 + 40] = bytes(255 - byte for byte in data[len(data) // 2 : len(data) // 2 + 40])
    (folder / "torn-inside.mkv").write_bytes(data)
    put("growing.mkv", GOOD, grained(0.45), 60)
    make_hdr(folder / "hdr.mov")
    states["hdr.mov"] = GOOD
    for name, content in (("torn.mov", b"no film" * 500), ("empty.mxf", b"")):
        (folder / name).write_bytes(content)
        states[name] = State.REFUSED
    film(folder / "fair-v1.mkv", (shot(1, peak=1.08), 14), (shot(3), 14))
    film(folder / "fair-v2.mkv", (shot(1), 14), (shot(3), 14))
    states |= {"fair-v1.mkv": State.TO_FIX, "fair-v2.mkv": GOOD}
    assert len(states) == 40
    return folder, states


def make_hdr(path):
    """A PQ programme by its track's word."""
    plain = path.with_name("plain.mkv")
    make_clip(plain, grained(0.4), 12, codec="ffv1")
    with av.open(str(plain)) as source, av.open(str(path), "w") as target:
        stream = target.add_stream("prores_ks", 25, options={"profile": "3"})
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv422p10le"
        context = stream.codec_context
        context.color_range, context.colorspace, context.color_primaries, context.color_trc = 1, 9, 9, 16
        for number, frame in enumerate(source.decode(video=0)):
            frame.pts, frame.time_base = number, Fraction(1, 25)
            target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
    plain.unlink()


def shift_of(shelf, tmp_path):
    """The files, but for the last half of one that still grows; what is missing of it, and the states to come."""
    folder, states = shelf
    into = tmp_path / "in"
    shutil.copytree(folder, into)
    whole = (into / "growing.mkv").read_bytes()
    (into / "growing.mkv").write_bytes(whole[: len(whole) // 2])
    return into, whole[len(whole) // 2 :], dict(states)


def after_legalising(states):
    """What files come to where all that can be is legalised: of what holds a frame that can't be read nothing is written."""
    names = {State.TO_FIX: State.PROVED}
    return {name: names.get(state, state) for name, state in states.items()} | {"torn-inside.mkv": State.REFUSED}


def told_in(path):
    with suppress(FileNotFoundError):
        return {Path(each["path"]).name: each["state"] for each in map(json.loads, path.read_text().splitlines())}
    return {}


def test_batch(shelf, tmp_path):
    into, rest, states = shift_of(shelf, tmp_path)
    with (into / "growing.mkv").open("ab") as growing:
        growing.write(rest)
    command = [*COMMAND, "batch", into, "--certify", "--legalise", tmp_path / "legal", "--jobs", "2"]
    command += ["--json", tmp_path / "a.json"]
    run = subprocess.run(command, capture_output=True, text=True, check=False)
    assert run.returncode == 2 and "40 files" in run.stdout and run.stderr == ""
    assert told_in(tmp_path / "a.json") == after_legalising(states)
    assert len(list((tmp_path / "legal").glob("*-legal.mov"))) == 7 and len(list(into.glob("*.certificate.html"))) == 30
    again = subprocess.run(command, capture_output=True, text=True, check=False)
    assert again.stdout.count("as before") == 37 and told_in(tmp_path / "a.json") == after_legalising(states)


def test_watch(shelf, tmp_path):
    into, rest, states = shift_of(shelf, tmp_path)
    lines = tmp_path / "a.jsonl"
    command = [*COMMAND, "watch", into, "--out", tmp_path / "out", "--legalise", tmp_path / "legal", "--jobs", "2"]
    command += ["--json", lines]
    running = subprocess.Popen(command, stderr=subprocess.DEVNULL)
    growing, began, size = (into / "growing.mkv").open("ab", buffering=0), time.monotonic(), len(rest) // 20 + 1
    while set(told_in(lines)) != set(states) and time.monotonic() - began < WAIT:
        time.sleep(0.5)
        growing.write(rest[:size])
        rest = rest[size:]
    growing.close()
    running.send_signal(signal.SIGTERM)
    assert running.wait(60) == 128 + signal.SIGTERM
    assert rest == b"", "it was told while it grew"
    assert told_in(lines) == after_legalising(states)
    assert len(list((tmp_path / "legal").glob("*-legal.mov"))) == 7
    assert len(list((tmp_path / "out").glob("*.report.json"))) >= 37


def go_on(desk):
    """Time goes by, and all that was given to hands is done."""
    desk.now += 4
    desk.shift.step(0)
    desk.hands.work()
    desk.shift.step(0)


def test_desk(shelf, tmp_path):
    into, rest, states = shift_of(shelf, tmp_path)
    desk = Desk(tmp_path / "l.sqlite")
    desk.shift.watch(into)
    with (into / "growing.mkv").open("ab", buffering=0) as growing:
        while rest:
            piece, rest = rest[:900], rest[900:]
            growing.write(piece)
            desk.now += 1
            desk.shift.step(0)
            desk.hands.work()
            assert desk.states.get("growing.mkv", State.GROWING) is State.GROWING
    while len(desk.states) < 40 or set(desk.states.values()) & {State.GROWING, State.WAITING, State.MEASURING}:
        go_on(desk)
    assert desk.states == states
    before = {file.path.name: file.before for file in desk.shift.files if file.before is not None}
    assert set(before) == {"fair-v2.mkv"} and before["fair-v2.mkv"].answered >= 1
    for name, state in states.items():
        desk.shift.certify(into / name) if state is GOOD else desk.shift.legalise(into / name)
    while any(file.asked_for for file in desk.shift.files):
        go_on(desk)
    assert desk.states == after_legalising(states) | {"torn-inside.mkv": State.TO_FIX}, "what can't be done leaves it as it is"
    assert any("torn-inside.mkv" in sentence for sentence in desk.shift.told)
    for name, state in desk.states.items():
        if state in (GOOD, State.PROVED):
            desk.shift.deliver(into / name, "Rosalind")
    again = Desk(tmp_path / "l.sqlite")
    assert sum(state is State.DELIVERED for state in again.states.values()) == 37
