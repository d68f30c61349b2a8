"""Every command of the desk, declared once; menus, shortcuts and the key sheet are made from this list."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from bluffline.session.looking import Tool

if TYPE_CHECKING:
    from bluffline.ui.desk import Desk

MENUS = ("Programme", "Go", "Treatment", "Chart", "View", "Gauges", "Areas", "Help")


@dataclass(frozen=True, slots=True)
class Command:
    """What it is called, where it stands, its keys, what it does and when it can be done."""

    id: str
    menu: str
    title: str
    keys: tuple[str, ...]
    do: Callable[["Desk"], None]
    enabled: Callable[["Desk"], bool] = lambda desk: desk.session.programme is not None
    apart: bool = False  # a line above it in the menu


def _always(_: "Desk") -> bool:
    return True


def _surveyed(desk: "Desk") -> bool:
    return desk.session.surveyed and desk.jobs.kind is None


def _has_findings(desk: "Desk") -> bool:
    return bool(desk.session.findings)


def _treated(desk: "Desk") -> bool:
    return bool(desk.session.treatment)


def _has_aside(desk: "Desk") -> bool:
    return _surveyed(desk) and bool(desk.session.work.aside)


def _coloured(desk: "Desk") -> bool:
    return bool(desk.charting.steps)


def _charted(desk: "Desk") -> bool:
    return desk.charting.model.result is not None and _surveyed(desk)


def _with_areas(desk: "Desk") -> bool:
    return _surveyed(desk) and bool(desk.session.areas)


def _interlaced(desk: "Desk") -> bool:
    return desk.session.survey is not None and desk.session.source.interlaced


COMMANDS: tuple[Command, ...] = (
    Command("open", "Programme", "Open …", ("Ctrl+O",), lambda d: d.choose_programme(), _always),
    Command("open-demo", "Programme", "Open the demo programme", (), lambda d: d.open_demo(), _always),
    Command("facts", "Programme", "Facts and overrides …", ("I",), lambda d: d.show_facts(), apart=True),
    Command("survey", "Programme", "Survey again", ("Ctrl+R",), lambda d: d.survey_again()),
    Command("cancel", "Programme", "Cancel, or put the tool down", ("Esc",), lambda d: d.cancel(), _always),
    Command("bars", "Programme", "Bars check …", ("Ctrl+B",), lambda d: d.measuring.check_bars()),
    Command("signal", "Programme", "Make a test signal …", ("Ctrl+T",), lambda d: d.work.make_signal(), _always),
    Command("rules-file", "Programme", "Rules from a file …", (), lambda d: d.choose_rules(), _always),
    Command("prove", "Programme", "Prove and write …", ("Ctrl+P",), lambda d: d.work.prove_and_write(), _surveyed, apart=True),
    Command("save-work", "Programme", "Save the work …", ("Ctrl+S",), lambda d: d.work.ask_where_to_save()),
    Command("quit", "Programme", "Quit", ("Ctrl+Q",), lambda d: d.close(), _always, apart=True),
    Command("play", "Go", "Play or pause", ("Space", "K"), lambda d: d.player.toggle()),
    Command("play-forward", "Go", "Play", ("L",), lambda d: d.player.play(1)),
    Command("play-back", "Go", "Play backwards", ("J",), lambda d: d.player.play(-1)),
    Command("next-frame", "Go", "Next frame", ("Right",), lambda d: d.step(1), apart=True),
    Command("previous-frame", "Go", "Previous frame", ("Left",), lambda d: d.step(-1)),
    Command("second-on", "Go", "One second on", ("Shift+Right",), lambda d: d.step_seconds(1)),
    Command("second-back", "Go", "One second back", ("Shift+Left",), lambda d: d.step_seconds(-1)),
    Command("next-finding", "Go", "Next finding", ("N",), lambda d: d.session.step_finding(1), _has_findings, apart=True),
    Command("previous-finding", "Go", "Previous finding", ("P",), lambda d: d.session.step_finding(-1), _has_findings),
    Command("next-shot", "Go", "Next shot", ("Down",), lambda d: d.session.step_shot(1)),
    Command("previous-shot", "Go", "Previous shot", ("Up",), lambda d: d.session.step_shot(-1)),
    Command("first-frame", "Go", "First frame", ("Home",), lambda d: d.session.go_to(0)),
    Command("last-frame", "Go", "Last frame", ("End",), lambda d: d.session.go_to(1 << 60)),
    Command("legalise", "Treatment", "Legalise", ("G",), lambda d: d.work.legalise(), _surveyed),
    Command(
        "bypass",
        "Treatment",
        "Bypass or restore the steps",
        ("B",),
        lambda d: d.bypass_all(),
        lambda d: bool(d.session.treatment),
    ),
    Command(
        "reset",
        "Treatment",
        "Reset the shot",
        ("Ctrl+Backspace",),
        lambda d: d.session.reset_shot(),
        lambda d: bool(d.session.treatment),
    ),
    Command(
        "undo", "Treatment", "Undo", ("Ctrl+Z",), lambda d: d.session.undo(), lambda d: d.session.undoes is not None, apart=True
    ),
    Command(
        "redo",
        "Treatment",
        "Redo",
        ("Ctrl+Shift+Z", "Ctrl+Y"),
        lambda d: d.session.redo(),
        lambda d: d.session.redoes is not None,
    ),
    Command("paste", "Treatment", "Paste steps …", ("Ctrl+Shift+V",), lambda d: d.charting.paste(), _treated, apart=True),
    Command("split", "Treatment", "Split the shot here", ("Ctrl+D",), lambda d: d.divide(d.session.split_shot), _surveyed),
    Command("join", "Treatment", "Join it to the shot before", ("Ctrl+U",), lambda d: d.divide(d.session.join_shot), _surveyed),
    Command("aside", "Treatment", "Give what was kept aside", (), lambda d: d.session.give_aside(), _has_aside),
    Command("keep-stock", "Treatment", "Keep as a stock treatment …", (), lambda d: d.charting.keep_stock(), _treated),
    Command("put-stock", "Treatment", "Put a stock treatment …", (), lambda d: d.charting.put_stock(), _surveyed),
    Command("load-lut", "Treatment", "Step from a LUT or CDL …", (), lambda d: d.charting.load_lut(), _surveyed, apart=True),
    Command("save-lut", "Treatment", "Save the steps on colours …", ("Ctrl+L",), lambda d: d.charting.save_lut(), _coloured),
    Command("bake", "Treatment", "Bake the steps on colours", ("Ctrl+K",), lambda d: d.charting.bake(), _coloured),
    Command("chart", "Chart", "Chart panel", ("Shift+C",), lambda d: d.show_chart()),
    Command("chart-find", "Chart", "Find the chart here", ("Ctrl+F",), lambda d: d.with_chart(d.charting.find), _surveyed),
    Command("chart-place", "Chart", "Place its corners", ("Ctrl+H",), lambda d: d.with_chart(d.charting.place), _surveyed),
    Command("chart-turn", "Chart", "Turn it by a quarter", ("Ctrl+J",), lambda d: d.charting.turn(), _surveyed),
    Command("chart-give", "Chart", "Give the fit to this shot", ("Ctrl+G",), lambda d: d.charting.give(), _charted, apart=True),
    Command("chart-carry", "Chart", "Carry the fit on …", ("Ctrl+Shift+G",), lambda d: d.charting.carry_on(), _charted),
    Command("neutral", "Chart", "Neutral pick from areas", ("Ctrl+N",), lambda d: d.charting.neutral_pick(), _with_areas),
    Command("coded", "Chart", "The same on coded values", (), lambda d: d.charting.neutral_pick(linear=False), _with_areas),
    Command("light", "Chart", "Balance by temperature …", ("Ctrl+4",), lambda d: d.charting.balance_by_light(), _surveyed),
    Command("cards", "Chart", "Three-point from three areas", ("Ctrl+3",), lambda d: d.charting.three_point(), _with_areas),
    Command("wipe", "View", "Wipe to the middle, to either picture", ("W",), lambda d: d.measuring.cycle_wipe()),
    Command("turn-wipe", "View", "Turn the wipe", ("Shift+W",), lambda d: d.measuring.turn_wipe()),
    Command("compare", "View", "Wipe, side by side, flip", ("C",), lambda d: d.viewer.look.next_of("compare")),
    Command("flip", "View", "Flip to the other picture", ("F",), lambda d: d.measuring.flip()),
    Command("pin", "View", "Pin this frame, or let it go", ("M",), lambda d: d.viewer.pin()),
    Command("hatching", "View", "Hatching", ("H",), lambda d: d.viewer.look.toggle("hatching"), apart=True),
    Command("zones", "View", "Zone map", ("Z",), lambda d: d.viewer.look.toggle("zones")),
    Command("fields", "View", "Both fields, either", ("Shift+F",), lambda d: d.viewer.look.next_of("field"), _interlaced),
    Command("picture-in", "View", "Zoom the picture: 1:1, 4:1", ("Ctrl++", "Ctrl+="), lambda d: d.measuring.zoom_picture(1)),
    Command("picture-out", "View", "Zoom the picture out", ("Ctrl+-",), lambda d: d.measuring.zoom_picture(-1)),
    Command("shots", "View", "Shots overview …", ("O",), lambda d: d.work.show_shots(), _surveyed),
    Command("zoom-in", "View", "Zoom the skyline in", ("+", "="), lambda d: d.zoom_skyline(1 / 1.5), apart=True),
    Command("zoom-out", "View", "Zoom the skyline out", ("-",), lambda d: d.zoom_skyline(1.5)),
    Command("zoom-all", "View", "Show the whole skyline", ("0",), lambda d: d.skyline.show_all()),
    Command("layout", "Gauges", "One gauge, two, four", ("Q",), lambda d: d.gauges.next_layout(), _always),
    Command("beneath", "Gauges", "First gauge under the picture", ("U",), lambda d: d.measuring.gauge_beneath(), _always),
    Command("window", "Gauges", "Four more in a second window", ("Shift+Q",), lambda d: d.viewer.open_window(), _always),
    Command("unit", "Gauges", "Unit: %, mV, codes", ("X",), lambda d: d.gauges.next_unit(), _always, apart=True),
    Command("stronger", "Gauges", "Stronger traces", ("]",), lambda d: d.gauges.strengthen(0.2), _always),
    Command("fainter", "Gauges", "Fainter traces", ("[",), lambda d: d.gauges.strengthen(-0.2), _always),
    Command("decades", "Gauges", "Histogram in decades", ("D",), lambda d: d.measuring.histogram_scale(), _always),
    Command("gamut", "Gauges", "Gamut to mark on the diagram", ("T",), lambda d: d.measuring.next_gamut(), _always),
    Command("luma-up", "Gauges", "Legal chroma at a higher luma", (".",), lambda d: d.gauges.shift_luma(5), _always),
    Command("luma-down", "Gauges", "Legal chroma at a lower luma", (",",), lambda d: d.gauges.shift_luma(-5), _always),
    Command("outline", "Gauges", "Source in outline over the traces", ("E",), lambda d: d.measuring.outline_source(), _always),
    Command("isolate", "Gauges", "Isolate the column or line", ("V",), lambda d: d.viewer.look.next_of("isolate")),
    Command("probe-size", "Gauges", "Probe: 1, 5, 11, 21 pixels square", ("Y",), lambda d: d.viewer.next_probe_size()),
    Command("export-gauge", "Gauges", "Save the first gauge …", ("Ctrl+E",), lambda d: d.measuring.save_gauge(), apart=True),
    Command("rectangle", "Areas", "Draw a rectangle", ("R",), lambda d: d.measuring.take_tool(Tool.RECTANGLE)),
    Command("ellipse", "Areas", "Draw an ellipse", ("Shift+R",), lambda d: d.measuring.take_tool(Tool.ELLIPSE)),
    Command("polygon", "Areas", "Draw a polygon", ("Ctrl+Shift+R",), lambda d: d.measuring.take_tool(Tool.POLYGON)),
    Command("path", "Areas", "Draw a path to see it on the gauges", ("Shift+Y",), lambda d: d.measuring.take_tool(Tool.PATH)),
    Command("taken", "Areas", "Gauges take areas, others, all", ("A",), lambda d: d.measuring.next_taken(), apart=True),
    Command("keys", "Help", "Key sheet", ("F1",), lambda d: d.show_keys(), _always),
    Command("about", "Help", "About Bluffline", (), lambda d: d.show_about(), _always),
)

HELD_KEYS = (("S", "Hold to see the source"),)
MOUSE = (
    ("Skyline", "click or drag to go to a frame; wheel zooms; Shift and drag moves along; double-click shows all"),
    ("Picture", "drag the wipe, with Shift turn it; wheel zooms to 1:1 and 4:1, then drag moves it"),
    ("Areas", "drag an edge to move one, with Shift in this shot only; a double-click closes a polygon"),
    ("Chart", "drag a corner to where it is; point at a patch in the panel for all its figures"),
    ("Gauges", "drag to see on the picture which pixels stand there; right-click for guides; drag a guide"),
    ("Figures", "type, or turn the wheel; arrows nudge, Shift is finer; double-click resets"),
)
