"""An evening at Larkmoor: the demo from survey to certificate, in the order of the work, by the hands that an operator has.

``docs/evening.md`` tells it, with the figures that each stage measures; a test runs the stages in a real window and holds the
text to them, and ``docs/take_screenshots.py`` takes a picture of each.
"""

import json
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEventLoop, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QLabel

from bluffline.demo import demo_clip
from bluffline.figures import figure
from bluffline.media.reader import Reader
from bluffline.propose.pixels import Pixels, lab_of, look_at
from bluffline.prove.prove import Proof
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.step import Heading
from bluffline.ui.desk import Desk
from bluffline.ui.style.style import dress

_SECONDS = 300
Until = Callable[[Callable[[], bool]], None]
WALL = ((60.0, 60.0), (180.0, 180.0))  # of the workshop behind the potter: whitewash, green under her tubes
POTTER, MOOR, INSERT, STORE = 5, 6, 7, 8


@dataclass(frozen=True)
class Stage:
    """What is done, the picture that is taken of it (the desk, or a dialog), and what it tells: figures before and after."""

    name: str
    told: tuple[str, ...]
    dialog: QDialog | None = None


def run(desk: Desk, until: Until, folder: Path) -> Iterator[Stage]:
    """Work through the evening; the demo is open. After each stage the desk stands as its picture shows it.

    Parameters
    ----------
    until : lets the desk work until something holds
    folder : where the legal file goes
    """
    session, document = desk.session, desk.session.document

    def at(shot: int) -> None:
        found = session.shots[shot]
        frame = (found.first + found.last) // 2
        session.place.go_to(frame)
        until(lambda: desk.viewer.shown == frame)

    def press(command: str, holds: Callable[[], bool]) -> None:
        desk.refresh_commands()
        desk.acts[command].trigger()
        until(holds)

    until(lambda: session.surveyed and desk.jobs.kind is None)
    yield Stage(
        "survey", (f"{len(session.findings)} findings in {len(session.shots)} shots, {session.must_fix_count} must be fixed",)
    )

    at(0)
    press("bars", lambda: hasattr(desk.measuring, "bars_dialog"))
    verdict = next(label.text() for label in desk.measuring.bars_dialog.findChildren(QLabel) if label.text().startswith("The"))
    yield Stage("bars", (verdict,), desk.measuring.bars_dialog)
    desk.measuring.bars_dialog.close()

    at(INSERT)
    desk.show_page("Treatment")
    before = _seen(desk)
    desk.treatment.add_step(LevelRemap)
    rung = session.place.rung
    assert rung is not None
    document.replace_step(rung, document.treatment[rung].chosen("mode", RemapMode.FULL_TO_NARROW, document.measured()))
    rung = next(n for n, step in enumerate(document.treatment) if isinstance(step, LevelRemap))
    document.move_to(rung, Heading.SHOT)
    session.place.choose(0)
    yield Stage("levels", (_levels(before, _seen(desk)),))

    at(POTTER)
    before = _seen(desk)
    press("propose-exposure", lambda: bool(document.own))
    yield Stage("exposure", (_levels(before, _seen(desk)),))

    before = _seen(desk)
    press("propose-balance", lambda: not desk.lights.isHidden())
    QTest.keyClick(desk.lights, Qt.Key.Key_3)
    balance = next(step for step in document.treatment if isinstance(step, Balance))
    wall = f"the wall: C*ab {_cast(desk, before)} → {_cast(desk, _seen(desk))}"
    yield Stage("balance", (desk.lights.cards[2].accessibleName().partition(";")[0], wall, balance.text))

    before = _seen(desk)
    desk.treatment.add_step(Bands)
    rung = session.place.rung
    assert rung is not None
    document.replace_step(rung, Bands((Band(78, 120, 14, luma=-12, chroma=0.9),)))
    yield Stage("forehead", (f"the hottest hundredth: {_top(before)} → {_top(_seen(desk))} %",))

    at(MOOR)
    before = _seen(desk)
    press("propose-log", lambda: bool(document.own))
    yield Stage("moor", (_levels(before, _seen(desk)),))

    at(STORE)
    before = _seen(desk)
    press("propose-exposure", lambda: bool(document.own))
    yield Stage("store", (_levels(before, _seen(desk)),))

    at(POTTER)
    document.set_group("workshop", [POTTER, STORE])
    desk.treatment.add_step(Curves)
    rung = session.place.rung
    assert rung is not None
    document.replace_step(rung, Curves(((0, 0), (25, 23), (75, 77), (100, 100))))
    document.move_to(rung, Heading.GROUP)
    session.place.choose(next(n for n, step in enumerate(document.treatment) if step.place is Heading.GROUP))
    held = sum(any(step.place is Heading.GROUP for step in ladder) for ladder in document.treatments.values())
    yield Stage("group", (f"one rung, {held} shots",))

    press("legalise", lambda: desk.jobs.kind is None and any(step.limits for step in document.work.ladder(POTTER)))
    until(lambda: session.all_tried)
    session.place.choose(None)
    desk.show_page("Findings")
    yield Stage("answered", (f"{session.must_fix_count} had to be fixed, {session.left_count} are left",))

    target = folder / "an-evening.mkv"
    proofs: list[Proof] = []
    desk.work.proved.connect(proofs.append)
    desk.work.start_proof(target, "ffv1")
    until(lambda: bool(proofs) and desk.jobs.kind is None)
    (proof,) = proofs
    yield Stage("proved", (f"{target.name}: {proof.verdict} in {proof.rounds} round",), desk.work.result_dialog)
    desk.work.result_dialog.close()


def _seen(desk: Desk) -> Pixels:
    """The frame in view as it is treated."""
    session, survey = desk.session, desk.session.survey
    assert survey is not None
    with Reader(survey.programme) as reader:
        return look_at(
            reader.planes, [session.place.frame], survey.source, survey.region, treatment=session.document.treatment
        )


def _levels(before: Pixels, after: Pixels) -> str:
    """Black, middle and highlights before and after, in percent."""
    quantiles = (0.005, 0.5, 0.995)
    pairs = zip(*(np.quantile(each.ycbcr[:, 0], quantiles) for each in (before, after)), strict=True)
    names = ("black", "middle", "highlights")
    return ", ".join(f"{name} {_percent(was)} → {_percent(now)} %" for name, (was, now) in zip(names, pairs, strict=True))


def _percent(value: float) -> str:
    return figure(round(float(value), 1) + 0.0, ".1f")


def _top(pixels: Pixels) -> str:
    return _percent(float(np.quantile(pixels.ycbcr[:, 0], 0.99)))


def _cast(desk: Desk, pixels: Pixels) -> str:
    """C*ab of the wall."""
    width = desk.session.source.width
    part = pixels.rgb.shape[2] / width
    (x0, y0), (x1, y1) = (tuple(round(each * part) for each in corner) for corner in WALL)
    lab = lab_of(pixels.rgb[0, y0:y1, x0:x1].reshape(-1, 3), desk.session.source).mean(axis=0)
    return f"{float(np.hypot(lab[1], lab[2])):.1f}"


def until(holds: Callable[[], bool]) -> None:
    """Let the desk work until something holds."""
    loop, timer, limit = QEventLoop(), QTimer(), QTimer()
    timer.timeout.connect(lambda: loop.quit() if holds() else None)
    limit.setSingleShot(True)
    limit.timeout.connect(lambda: sys.exit("The desk did not get there in time."))
    timer.start(20)
    limit.start(_SECONDS * 1000)
    loop.exec()


def main() -> None:
    """Run the evening in a window and print each stage as a line of JSON; the file goes to the folder that is named."""
    application = QApplication(["bluffline"])
    dress(application)
    folder = Path(sys.argv[1])
    desk = Desk(Session(), Settings(folder / "settings.json"))
    desk.show()
    desk.open(demo_clip())
    for stage in run(desk, until, folder):
        told = {"name": stage.name, "told": stage.told, "on": application.platformName()}
        sys.stdout.write(json.dumps(told) + "\n")
        sys.stdout.flush()
    desk.work.save_work(folder / "an-evening.bluffline")
    desk.close()


if __name__ == "__main__":
    main()
