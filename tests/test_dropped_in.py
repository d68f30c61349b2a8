"""A kind, a gauge and a rule that nobody has heard of are dropped into their catalogues, and everything knows them.

They are modules of a folder of their own; nothing else of the program is told of them.
"""

import json
import subprocess
import sys

import pytest

from bluffline.treat.stored import SCHEMA

SOFTEN = '''
from dataclasses import dataclass, replace
from typing import Annotated, Self

import cv2

from bluffline.treat.hands import Grip
from bluffline.treat.step import Figure, NeighbourStep, Number

SIZE = Number("Pixels", "px", 0, 41, 2, 1)


@dataclass(frozen=True)
class Soften(NeighbourStep):
    """Luma as it is about a pixel in the mean."""

    kind = "soften"
    title = "Soften"
    picks = True
    radius: Annotated[float, Number("Radius", "px", 0, 20, 1, 0.5)] = 0.0
    from_level: Annotated[float, Number("From", "%", -20, 120, 1, 0.1)] = 0.0

    @property
    def acts(self):
        return self.radius > 0

    def added(self, luma, shrunk):
        size = 2 * round(self.radius / shrunk) + 1
        return cv2.blur(luma, (size, size), borderType=cv2.BORDER_REPLICATE) - luma

    @classmethod
    def derived(cls):
        return (Figure("size", SIZE, 1.0),)

    def derived_value(self, key, signal):
        return 2 * self.radius + 1

    def with_derived(self, key, value, signal) -> Self:
        return replace(self, radius=(value - 1) / 2)

    def picked(self, colours) -> Self:
        return replace(self, from_level=round(colours.luma, 1))

    def grips(self, black, grey, white):
        return (Grip("from", "from_level", None, self.from_level, -20, 120, inside=True, line=True),)

    @property
    def text(self):
        return f"over {self.radius:g} px"
'''

ROWS = '''
import numpy as np

from bluffline.gauges.graticule import Line, Stroke, Word
from bluffline.gauges.instrument import Instrument, Trace
from bluffline.gauges.painting import colour_of, GROUND
from bluffline.gauges.scale import Span
from bluffline.gauges import trace_kernels as kernels


class Rows(Instrument):
    """The mean luma of each row of the picture."""

    name = "rows"
    modes = {"mean": "mean luma"}
    sideways = True

    @property
    def components(self):
        return ("Y′",)

    @property
    def span(self):
        return Span(0.0, 100.0)

    def count(self, frame, selection, columns, moment):
        source = frame.source
        means = frame.ycbcr[0][: source.height, : source.width].mean(axis=1)
        levels = np.clip(np.rint((means - source.levels.black) / source.levels.swing * 100), 0, 100).astype(int)
        counts = np.zeros((1, source.height, 101), np.int32)
        counts[0, np.arange(source.height), levels] = source.width
        return Trace(self, counts, 0.0, 1.0, selection.count)

    def marks(self, scale):
        yield Line(((0.5, 0.0), (0.5, 1.0)), Stroke.SCALE)
        yield Word("50", (0.5, 2), 0)

    def paint(self, trace, image, by, other=None):
        height, width = image.shape
        rows = np.arange(height) * trace.counts.shape[1] // height
        amounts = np.zeros((height, width), np.float32)
        places = trace.counts[0, rows].argmax(axis=1) * (width - 1) // 100
        amounts[np.arange(height), places] = 1
        kernels.lay(amounts, colour_of("Y′"), np.float32(GROUND), image)

    def facts(self, seen):
        return "row by row"
'''

DULL = '''
from dataclasses import dataclass, replace
from typing import Annotated

from bluffline.declared import Between
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity


@dataclass(frozen=True, slots=True)
class DullAsked:
    level: Annotated[float, Between(0, 100, "percent")] = 40.0
    severity: Severity = Severity.MUST_FIX


class Dull(Rule):
    """Frames that nothing in is bright."""

    titles = {"dull": "Dull frames"}
    words = "dullness"
    section, key, named = DullAsked, "dull", True

    def judge(self, shot):
        asked, level = self.asked(shot.rules), shot.percent("y_p999")
        words = "Dull: no more than {:.1f} % of luma"
        yield from shot.runs_of("dull", asked.severity, shot.readable & (level < asked.level), level, shot.all_of_it, words)
'''

BEGIN = """
import sys
folder = sys.argv.pop(1)
from bluffline.treat import kinds
from bluffline.gauges import each as instruments
from bluffline.rules import each as rules
for package, name in ((kinds, "kinds"), (instruments, "gauges"), (rules, "rules")):
    package.__path__.append(f"{folder}/{name}")
"""

DESK = """
import json
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from bluffline.gauges.catalogue import gauge_named
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.rules.rulefile import load_rules
from bluffline.treat.catalogue import KINDS
from bluffline.ui.desk import Desk
from bluffline.ui.style.style import dress
from bluffline.view.looking import Tool

clip, rule_file, folder = sys.argv[1:]
application = QApplication(["bluffline"])
dress(application)
desk = Desk(Session(load_rules(rule_file)), Settings(Path(folder) / "settings.json"))
desk.show()


def until(holds):
    for _ in range(6000):
        application.processEvents()
        if holds():
            return
        QTest.qWait(10)
    raise SystemExit(f"waited too long, line {sys._getframe(1).f_lineno}")


until(lambda: desk.open(Path(clip)))
until(lambda: desk.session.surveyed and desk.jobs.kind is None)
rows = desk.findings.rows
groups = [rows.index(n, 0) for n in range(rows.rowCount())]
told = {"findings": [rows.index(n, 0, group).data() for group in groups for n in range(rows.rowCount(group))]}
desk.gauges.put(0, gauge_named("rows"))
gauge = desk.viewer.gauges[0]
until(lambda: gauge.trace is not None and gauge.trace.gauge == gauge_named("rows"))
told["title"], told["facts"] = desk.viewer.board.cards[0]._title.text(), desk.viewer.board.cards[0].facts
QTest.mouseClick(gauge, Qt.MouseButton.LeftButton, pos=QPoint(gauge.width() // 2, gauge.height() // 2))
shown = gauge.grab().toImage()
told["painted"] = len({shown.pixel(x, gauge.height() // 2) for x in range(gauge.width())}) > 2
desk.gauges.put(1, gauge_named("waveform"))
desk.treatment.add_step(KINDS["soften"])
desk.show_page("Treatment")
until(lambda: desk.bench.step is not None)
told["bench"] = sorted(box.accessibleName() for box, _ in desk.bench.controls.figures.values())
box = next(box for box, _ in desk.bench.controls.figures.values() if box.accessibleName() == "Soften: Pixels")
box.setValue(9)
told["radius"] = desk.bench.step.radius
until(lambda: desk.viewer.frames.idle and desk.viewer.preview.treated is not None)
preview = desk.viewer.preview
told["softened"] = float(np.abs(preview.treated.image.astype(int) - preview.original.image.astype(int)).max()) > 0
until(lambda: desk.viewer.gauges[1].pulling.handles() != [])
told["pulled"] = [handle.grip.name for handle, _ in desk.viewer.gauges[1].pulling.handles()]
desk.picking.take(Tool.COLOUR)
told["tool"] = desk.viewer.look.state.tool is Tool.COLOUR
desk.picture.colour_picked.emit([(10.0, 10.0), (20.0, 20.0)], "new")
until(lambda: desk.bench.step.from_level != 0)
told["picked"] = desk.bench.step.from_level
told["menu"] = [kind.title for kind in KINDS.values() if kind.by_hand]
desk.close()
desk = Desk(Session(), Settings.load(Path(folder) / "settings.json"))
told["kept"] = desk.gauges.setup.slots[0].title
desk.open(Path(clip))
until(lambda: desk.session.surveyed and desk.session.document.treatment)
told["came back"] = desk.session.document.treatment[0].text
desk.close()
print(json.dumps(told))
"""

LIMITS = '[limits]\nluma = [-1.0, 103.0]\nrgb = [-5.0, 105.0]\n'


@pytest.fixture
def dropped(tmp_path):
    """Runs the command line, or a script, of a program that the three were dropped into."""
    for folder, name, text in (("kinds", "soften", SOFTEN), ("gauges", "rows", ROWS), ("rules", "dull", DULL)):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / f"{name}.py").write_text(text)

    def run(*arguments, script="from bluffline.entry import main\nraise SystemExit(main(sys.argv[1:]))", code=0):
        done = subprocess.run(
            [sys.executable, "-c", BEGIN + script, str(tmp_path), *map(str, arguments)],
            capture_output=True, text=True, timeout=300, check=False,
        )  # fmt: skip
        assert done.returncode == code, done.stderr
        return done.stdout

    return run


def test_the_command_line_knows_them(dropped, over_clip, tmp_path):
    house = tmp_path / "house.toml"
    house.write_text(LIMITS + "[dull]\nlevel = 45.0\n")
    told = dropped("check", over_clip, "--rules", house, "--json", "-", code=1)
    report = json.loads(told)
    found = [each for each in report["findings"] if each["rule"] == "dull"]
    assert [(each["first_frame"], each["last_frame"], each["severity"]) for each in found] == [(0, 11, "must fix")]
    assert found[0]["reason"].startswith("Dull: no more than") and report["rules"]["asked"]["dull"]["level"] == 45.0
    house.write_text(LIMITS + "[dull]\nlevel = 145.0\n")
    dropped("check", over_clip, "--rules", house, code=2)
    house.write_text(LIMITS)
    assert "dullness" in dropped("check", over_clip, "--rules", house, code=1), "what is not asked for is said"
    dropped("scope", over_clip, tmp_path / "rows.csv", "--gauge", "rows")
    assert (tmp_path / "rows.csv").read_text().startswith("component,column,code,count\nY′,0,")
    dropped("scope", over_clip, tmp_path / "rows.svg", "--gauge", "rows")
    assert "Rows, mean luma" in (tmp_path / "rows.svg").read_text()
    steps = json.loads(dropped("steps", "--json", "-"))["steps"]
    soften = next(each for each in steps if each["kind"] == "soften")
    assert [each["key"] for each in soften["values"]] == ["radius", "from_level"]


def test_what_is_written_through_the_kind_is_what_its_oracle_says(dropped, over_clip, tmp_path):
    treatment = {"schema": SCHEMA, "title": "Soft", "steps": [{"kind": "soften", "values": {"radius": 4.0}}]}
    (tmp_path / "soft.json").write_text(json.dumps(treatment))
    dropped("apply", over_clip, tmp_path / "soft.mkv", "--treatment", tmp_path / "soft.json")
    script = """
import numpy as np
from pathlib import Path
from bluffline.measure.frame_signal import FrameSignal
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.treat.catalogue import KINDS

before, after = (np.array(Reader(probe(Path(path))).planes(3)[0], float) for path in sys.argv[1:])
luma = (before - 64) / 876
wanted = KINDS["soften"](4.0).added(luma.astype(np.float32), 1) + luma
print(np.abs(after - (64 + 876 * wanted)).max(), np.abs(after - before).max())
"""
    off, moved = map(float, dropped(over_clip, tmp_path / "soft.mkv", script=script).split())
    assert off <= 1.01 and moved > 5


@pytest.mark.parametrize(("folder", "text", "told"), [
    ("rules", DULL.replace('{"dull":', '{"outside":'), "two rules are called .*outside"),
    ("rules", DULL.replace('"dull", True', '"tags", True'), r"two rules are called \[tags\]"),
    ("gauges", ROWS.replace('"rows"', '"waveform"'), "two gauges have one name"),
    ("kinds", SOFTEN.replace('"soften"', '"sharpen"'), "two kinds have one name"),
])  # fmt: skip
def test_one_that_takes_the_name_of_another_is_refused(dropped, tmp_path, folder, text, told):
    (tmp_path / folder / "other.py").write_text(text)
    script = "import bluffline.rules.catalogue\nimport bluffline.gauges.catalogue\nimport bluffline.treat.catalogue"
    with pytest.raises(AssertionError, match=told):
        dropped(script=script)


def test_the_desk_knows_them(dropped, over_clip, tmp_path):
    house = tmp_path / "house.toml"
    house.write_text(LIMITS + "[dull]\nlevel = 45.0\n")
    told = json.loads(dropped(over_clip, house, tmp_path, script=DESK).splitlines()[-1])
    assert any(text.startswith("Dull") for text in told["findings"])
    assert told["title"].startswith("Rows, mean luma") and told["facts"] == "row by row" and told["painted"]
    assert told["bench"] == ["Soften: From", "Soften: Pixels", "Soften: Radius"] and told["radius"] == 4 and told["softened"]
    assert told["pulled"] == ["from"] and told["tool"] and told["picked"] == pytest.approx(35, abs=2)
    assert told["kept"] == "Rows, mean luma" and told["came back"] == "over 4 px"
