"""Ends ``bluffline legalise`` and the desk at random moments, and looks whether anything is lost, half written or left behind.

Run as ``python tools/kill_at_random.py [RUNS]``; prints what it did and saw, and exits with 1 where a promise was broken.
"""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import av
import numpy as np

from bluffline.folders import UserFolder
from bluffline.session.store import DocumentStore

SIGNALS = (signal.SIGKILL, signal.SIGTERM, signal.SIGINT, signal.SIGHUP)
# The real desk, but that an area is drawn all the time, and what has been kept is said.
DESK = """
import sys
from bluffline import entry, stopping

def run_desk(arguments):
    with stopping.held():
        from PyQt6.QtCore import QTimer
        from bluffline.measure.areas import Shape
        from bluffline.ui import application

    class Drawing(application.Desk):
        def __init__(self, *arguments):
            super().__init__(*arguments)
            keep = self.work.documents.keep
            def told(*what):
                done = keep(*what)
                if done:
                    print(len(what[2].areas), flush=True)
                return done
            self.work.documents.keep = told
            self.pen = QTimer(self)
            self.pen.timeout.connect(self.draw)
            self.pen.start(60)

        def draw(self):
            if self.session.programme is not None:
                self.session.document.drawn.add(Shape.RECTANGLE, [(5, 5), (40, 40)])

    application.Desk = Drawing
    return application.run_desk(arguments)

entry._run = run_desk
entry.command()
"""


def make_clip(path: Path) -> None:
    """A second of noise, with a white that has to be legalised."""
    rng = np.random.default_rng(1)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = 640, 360, "yuv422p"
        for number in range(25):
            frame = av.VideoFrame(640, 360, "yuv422p")
            for plane, codes in zip(frame.planes, ((20, 254), (120, 136), (120, 136)), strict=True):
                plane.update(rng.integers(*codes, plane.buffer_size).astype(np.uint8).tobytes())
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))


def _heed() -> None:
    """Signals end a command that this tool starts, though the tool itself may have been told to ignore them."""
    for number in SIGNALS[1:]:
        signal.signal(number, signal.SIG_DFL)


def ended(command: list[str], longest: float, how: signal.Signals, env: dict[str, str]) -> tuple[int, str, str, int]:
    """Run a command and send it a signal at some moment; its exit code, output, errors, and number as a process."""
    run = subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=env, preexec_fn=_heed
    )  # fmt: skip
    time.sleep(random.uniform(0, longest))
    run.send_signal(how)
    try:
        out, errors = run.communicate(timeout=60)
    except subprocess.TimeoutExpired:
        run.kill()
        out, errors = run.communicate()
        return 999, out, errors, run.pid
    return run.returncode, out, errors, run.pid


def legalise(folder: Path, clip: Path, how: signal.Signals, longest: float, env: dict[str, str]) -> tuple[str, list[str]]:
    """One run over a target with a file and its certificate in place already; what came of it, and what is wrong."""
    target, wrong = folder / "legal.mkv", []
    command = [sys.executable, "-m", "bluffline", "legalise", str(clip), str(target), "--force"]
    code, _, errors, pid = ended(command, longest, how, env)
    # Before Python itself has come as far as our own code, it ends as it does.
    if "bluffline" in errors and any(word in errors for word in ("Traceback", "Exception", "SystemError")):
        wrong.append(f"{how.name}: {errors.strip()}")
    if how is not signal.SIGKILL and code not in (0, 1, 128 + how, -how):
        wrong.append(f"{how.name}: exit code {code}")
    certificate = folder / "legal.mkv.certificate.json"
    if target.exists() and certificate.exists():
        size = json.loads(certificate.read_text())["size"]["written"]
        if size != target.stat().st_size:
            wrong.append(f"{how.name}: the certificate is of another file")
    # What a killed run left is removed by the next that comes as far; a run that was asked to end leaves nothing of its own.
    hidden = [path.name for path in folder.iterdir() if path.name.startswith(".") and f".{pid}." in path.name]
    if hidden and how is not signal.SIGKILL:
        wrong.append(f"{how.name}: left {hidden}")
    return f"{how.name} {'finished' if code in (0, 1) else 'ended'}", wrong


def main() -> int:
    """Run and report."""
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    random.seed(runs)
    seen: Counter[str] = Counter()
    wrong: list[str] = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        homes = dict.fromkeys((f"XDG_{place}_HOME" for place in ("DATA", "STATE", "CONFIG", "CACHE")), name)
        env = os.environ | homes | {"QT_QPA_PLATFORM": "offscreen", "PYTHONFAULTHANDLER": "1"}
        clip, out = folder / "clip.mkv", folder / "out"
        out.mkdir()
        make_clip(clip)
        command = [sys.executable, "-m", "bluffline", "legalise", str(clip), str(out / "legal.mkv")]
        subprocess.run(command, env=env, check=False, capture_output=True)  # compiles what has not been
        began = time.monotonic()
        subprocess.run([*command, "--force"], env=env, check=False, capture_output=True)
        whole = time.monotonic() - began
        for number in range(runs):
            what, bad = legalise(out, clip, SIGNALS[number % 4], whole * 1.05, env)
            seen[f"legalise {what}"] += 1
            wrong += bad
        subprocess.run([*command, "--force"], env=env, check=False, capture_output=True)
        if hidden := [path.name for path in out.iterdir() if path.name.startswith(".")]:
            wrong.append(f"not removed by the next run: {hidden}")
        wrong += desks(clip, runs, seen, env)
    for what, count in sorted(seen.items()):
        print(f"{count:4d}  {what}")
    print(f"{len(wrong)} promises broken", *wrong[:20], sep="\n  ")
    return bool(wrong)


def desks(clip: Path, runs: int, seen: Counter[str], env: dict[str, str]) -> list[str]:
    """Desks that draw an area again and again, ended: what was said to be kept is there at the next start."""
    os.environ.update({"XDG_DATA_HOME": env["XDG_DATA_HOME"]})
    wrong = []
    began = time.monotonic()
    with subprocess.Popen([sys.executable, "-c", DESK, str(clip)], stdout=subprocess.PIPE, text=True, env=env) as first:
        assert first.stdout is not None
        first.stdout.readline()
        longest = 2 * (time.monotonic() - began)  # so that half of them are ended while work is being kept
        first.kill()
    for number in range(runs):
        how = SIGNALS[number % 4]
        for ending in ("", "-wal", "-shm"):
            (UserFolder.WORK.path / f"work.sqlite{ending}").unlink(missing_ok=True)
        code, out, errors, _ = ended([sys.executable, "-c", DESK, str(clip)], longest, how, env)
        kept = DocumentStore().recall(clip)
        said = int(out.split()[-1]) if out.split() else 0
        there = len(kept[0].areas) if kept is not None else 0
        seen[f"desk {how.name}, {'some' if said else 'nothing'} kept"] += 1
        if there < said:
            wrong.append(f"desk {how.name}: {said} areas were kept, {there} are there")
        if "Traceback" in errors:
            wrong.append(f"desk {how.name}: {errors.strip().splitlines()[-1]}")
        if how is not signal.SIGKILL and code not in (128 + how, -how):
            wrong.append(f"desk {how.name}: exit code {code}: {errors.strip()}")
    if not seen["desk SIGKILL, some kept"]:
        wrong.append("no desk was killed while it kept work: nothing is shown")
    return wrong


if __name__ == "__main__":
    sys.exit(main())
