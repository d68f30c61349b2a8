"""Takes the pictures in docs/screenshots from the demo programme, without a display. Run by ``make screenshots``."""

import os
import shutil
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
for _place in ("DATA", "CACHE", "STATE"):
    os.environ[f"XDG_{_place}_HOME"] = tempfile.mkdtemp()  # nothing from another sitting

from evening import run, until
from larkmoor_shift import AIR, make
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog

from bluffline.demo import demo_clip
from bluffline.gauges.catalogue import gauge_named
from bluffline.gauges.graticule import Guide
from bluffline.measure.areas import Shape
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.shift.profile import Profile
from bluffline.shift.states import State
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Heading
from bluffline.ui.desk import Desk
from bluffline.ui.dialogs.facts import FactsDialog
from bluffline.ui.dialogs.key_sheet import KeySheet
from bluffline.ui.dialogs.write import WriteDialog
from bluffline.ui.findings.list import Order
from bluffline.ui.style.style import dress
from bluffline.view.looking import Compare
from bluffline.view.preview import View

_STEADY = 10  # looks at what is asked for


def _take_in_hand(desk: Desk, folder: Path) -> None:
    """A Saturday's files: all but two measured, one proved, one certified, one delivered."""
    shutil.rmtree(folder, ignore_errors=True)
    files = make(folder)
    desk.settings.operator = "Duty editor"
    desk.shifting.add(files)
    shift = desk.shifting.shift
    until(lambda: len(shift.files) == len(files))
    for name, time in AIR.items():
        shift.put_on_air(folder / f"{name}.mov", time)
    until(lambda: all(file.state.measured or file.state.needs_a_person for file in shift.files))
    shift.legalise(folder / "quay-market.mov")
    for name in ("opening-titles", "low-water"):
        shift.certify(folder / f"{name}.mov")
    until(lambda: not any(file.asked_for for file in shift.files))
    shift.deliver(folder / "opening-titles.mov", "Duty editor")
    shift.put_off(folder / "ferry-line-ep4.mov", "Duty editor")
    shift.send_back(folder / "harbour-report-v2.mov", "Duty editor")
    shift.choose_profile(folder / "moor-walks-2.mov", Profile("archive", rules="strict"))
    place = desk.shifting.place
    desk.header.say("")
    harbour = folder / "harbour-report-v3.mov"
    until(lambda: [file.state for file in place.rows.files] == [file.state for file in shift.files])
    place.list.setCurrentIndex(place.rows.index([file.path for file in place.rows.files].index(harbour)))
    until(lambda: all(file.state is not State.WAITING for file in place.rows.files))


def main() -> None:
    """Drive the desk through its main views and save each."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parent / "screenshots")
    folder = folder.absolute()
    folder.mkdir(parents=True, exist_ok=True)
    application = QApplication(["bluffline"])
    dress(application)
    scratch = Path(tempfile.gettempdir()) / "larkmoor"  # a folder that may be shown
    scratch.mkdir(exist_ok=True)
    os.chdir(scratch)
    with tempfile.TemporaryDirectory() as settings:
        desk = Desk(Session(), Settings(Path(settings) / "settings.json"))
        desk.show()

        def save(name: str, shown: Desk | QDialog | None = None) -> None:
            (shown or desk).grab().save(str(folder / f"{name}.png"))

        def go_to(frame: int) -> None:
            desk.session.place.go_to(frame)
            until(lambda: desk.viewer.shown == frame)

        def settle() -> None:
            """Wait until the frame is asked for in the same way some times, and shown; what was opened has its room by then."""
            asked: list[View] = []

            def steady() -> bool:
                asked.append(replace(desk.viewer._view(), around=None))
                still = len(asked) > _STEADY and asked[-_STEADY:] == [asked[-1]] * _STEADY and desk.viewer.frames.idle
                return still and desk.session.all_tried

            until(steady)

        def dialog(name: str, made: QDialog, *, fitted: bool = True) -> None:
            made.show()
            if fitted:
                made.adjustSize()
            application.processEvents()
            save(name, made)
            made.close()

        clip = scratch / demo_clip().name
        clip.unlink(missing_ok=True)
        clip.symlink_to(demo_clip())
        desk.open(clip)
        until(lambda: len(desk.session.shots) >= 6)
        save("surveying")
        until(lambda: desk.session.surveyed and desk.jobs.kind is None)
        desk.work.legalise()
        until(lambda: bool(desk.session.document.treatments) and desk.jobs.kind is None)
        until(lambda: desk.session.all_tried)  # what is told to be left is what was tried
        go_to(236)
        save("desk")
        go_to(520)
        desk.show_page("Treatment")
        desk.treatment.add_step(LevelRemap)
        desk.session.document.move_to(desk.session.place.rung or 0, Heading.SHOT)
        settle()
        save("levels")
        desk.session.place.choose(None)
        desk.show_page("Findings")
        desk.viewer.look.change(zones=True)
        go_to(400)
        settle()
        save("zones")
        desk.viewer.look.change(zones=False)
        desk.gauges.change(shown=4)
        desk.gauges.put(2, gauge_named("time", "60"))
        desk.gauges.put(3, gauge_named("chromaticity"))
        desk.gauges.change(gamut="bt709")
        go_to(236)
        settle()
        save("gauges")
        desk.gauges.change(shown=2, beneath=True, guides=(Guide("faces", 62.0),))
        desk.gauges.put(0, gauge_named("waveform", "rgb"))
        go_to(380)
        settle()
        desk.gauges.change(beneath=False)
        desk.session.document.drawn.add(Shape.ELLIPSE, ((430, 150), (570, 330)))
        desk.session.document.drawn.rename(0, "face")
        desk.session.document.drawn.add(Shape.POLYGON, ((700, 540), (880, 520), (930, 600), (860, 690), (720, 690)))
        desk.session.document.drawn.rename(1, "bowl")
        settle()
        desk.viewer.pin()
        go_to(345)
        desk.viewer.look.change(compare=Compare.SIDE)
        settle()
        save("areas")
        desk.viewer.pin()
        desk.viewer.look.change(compare=Compare.WIPE)
        desk.session.document.drawn.remove(1)
        desk.show_page("Treatment")
        desk.session.document.set_group("workshop", [5, 8, 10])
        desk.treatment.add_step(Tone)
        desk.session.document.replace_step(0, Tone(-0.2, white_point=97, gamma=(1.04, 1, 1, 1), contrast=1.08))
        desk.reaching.areas(("face",), inside=True)
        desk.viewer.look.change(reach=True)
        settle()
        save("reach")
        desk.viewer.look.change(reach=False)
        desk.reaching.everywhere()
        desk.session.document.drawn.remove(0)
        desk.treatment.add_step(Balance)
        desk.session.document.replace_step(1, Balance((1.06, 1.0, 1.11)))
        desk.treatment.add_step(Cdl)
        desk.session.document.replace_step(2, Cdl(saturation=0.94))
        desk.session.document.move_to(2, Heading.GROUP)
        desk.treatment.add_step(SoftCeiling)
        desk.session.place.choose(0)
        settle()
        save("bench")
        for name, step in (
            ("curves", Curves(((0, 0), (28, 22), (70, 78), (100, 100)))),
            ("bands", Bands((Band(0, 28, 12, 1.5, -1), Band(34, 66, 12, -2.4, 3.2, 1), Band(76, 120, 12, luma=-6)))),
            ("hues", Hues(((-130, 0), (123, -9)), ((-130, 0.7), (60, 1.15)))),
        ):
            desk.session.document.set_treatment(5, (step,), name)
            desk.session.place.choose(next(n for n, each in enumerate(desk.session.document.treatment) if each == step))
            settle()
            save(name)
        desk.session.place.choose(None)
        desk.session.document.set_group("workshop", [])
        desk.session.document.reset_shot()
        desk.show_page("Findings")
        desk.gauges.put(0, gauge_named("parade"))
        desk.gauges.change(guides=())
        go_to(75)
        desk.find_chart()
        until(lambda: desk.charting.model.result is not None and desk.jobs.kind is None)
        desk.charting.give()
        settle()
        save("chart")
        desk.session.document.undo()
        desk.show_chart()
        desk.gauges.put(0, gauge_named("waveform"))
        desk.overseeing.show()
        until(lambda: hasattr(desk.overseeing, "dialog"))
        board = desk.overseeing.dialog.focusWidget()
        QTest.keyClick(board, Qt.Key.Key_Space)  # what can be done appears with what is picked
        QTest.keyClick(board, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        dialog("shots", desk.overseeing.dialog, fitted=False)
        go_to(10)
        desk.measuring.check_bars()
        until(lambda: hasattr(desk.measuring, "bars_dialog"))
        dialog("bars", desk.measuring.bars_dialog)
        dialog("facts", FactsDialog(desk.session, desk))
        write = WriteDialog(desk.session, desk)
        until(lambda: "Looking" not in write.carried.text())
        dialog("write", write)
        dialog("keys", KeySheet(desk), fitted=False)
        desk.programmes.open_demo_of_time()
        until(lambda: desk.session.surveyed and desk.jobs.kind is None)
        desk.findings.order_by(Order.ASPECT)
        desk.gauges.put(0, gauge_named("loudness", "60"))
        desk.session.place.select(next(f for f in desk.session.findings if f.rule == "phase"))
        settle()
        save("time-and-sound")
        desk.findings.order_by(Order.SHOT)
        desk.gauges.put(0, gauge_named("waveform"))
        desk.programmes.choose_rules("r103")
        until(lambda: desk.session.surveyed and desk.jobs.kind is None)
        _take_in_hand(desk, scratch / "saturday")
        save("hand")
        desk.close()
        with tempfile.TemporaryDirectory() as made:
            os.environ["XDG_DATA_HOME"] = made  # the evening begins without what was done above
            desk = Desk(Session(), Settings(Path(made) / "settings.json"))
            desk.show()
            folder = folder.parent / "evening"
            folder.mkdir(exist_ok=True)
            desk.open(demo_clip())
            for stage in run(desk, until, Path(made)):
                settle()
                if stage.dialog is not None:
                    stage.dialog.adjustSize()
                save(stage.name, stage.dialog)
            desk.close()
        clip.unlink()


if __name__ == "__main__":
    main()
