"""Every command of the desk, declared once; menus, shortcuts and the key sheet are made from this list."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from bluffline.propose.suggesting import Wanted
from bluffline.session.jobs import Kind
from bluffline.treat.catalogue import KINDS
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.ladder import acts
from bluffline.treat.step import Step
from bluffline.ui.actions.hands import Hands
from bluffline.ui.actions.proposing import PROPOSED
from bluffline.view.looking import Tool

MENUS = ("Programme", "Go", "Treatment", "Chart", "View", "Gauges", "Areas", "Shift", "Help")
WHILE_IN_HAND = frozenset({"Shift", "Help"})  # menus that act while the files in hand are shown, and not the programme


@dataclass(frozen=True, slots=True)
class Command:
    """What it is called, where it stands, its keys, what it does and when it can be done."""

    id: str
    menu: str
    title: str
    keys: tuple[str, ...]
    do: Callable[[Hands], object]
    enabled: Callable[[Hands], bool] = lambda hands: hands.session.programme is not None
    apart: bool = False  # a line above it in the menu
    held: bool = False  # its key shows something for as long as it is held; tapped, it stays


def _always(_: Hands) -> bool:
    return True


def _surveyed(hands: Hands) -> bool:
    return hands.session.surveyed and hands.work.jobs.kind is None


def _treatable(hands: Hands) -> bool:
    """Whether the shot in view is known to its end, so that it can be treated though others are still being measured."""
    return hands.session.place.shot < hands.session.treatable and hands.work.jobs.kind in (None, Kind.SURVEY)


def _has_findings(hands: Hands) -> bool:
    return bool(hands.session.findings)


def _found(hands: Hands) -> bool:
    return _has_findings(hands) and _surveyed(hands)


def _treated(hands: Hands) -> bool:
    return bool(hands.session.document.treatment)


def _benched(hands: Hands) -> bool:
    return hands.reaching.step is not None


def _add(kind: type[Step], hands: Hands) -> None:
    hands.show_page("Treatment")
    hands.treatment.add_step(kind)
    hands.bench.take_figure()


def _set_by_a_colour(hands: Hands) -> None:
    """By a colour of the picture; a balance is added where the step on the bench is none that a colour sets."""
    step = hands.reaching.step
    if step is None or not step.picks:
        _add(Balance, hands)
    hands.picking.take(Tool.COLOUR)


def _pair_colours(hands: Hands) -> None:
    """By the curves on the bench; they are added where there are none."""
    if not isinstance(hands.reaching.step, Curves):
        _add(Curves, hands)
    hands.pairing.start()


def _has_aside(hands: Hands) -> bool:
    return _surveyed(hands) and bool(hands.session.document.work.aside)


def _earlier(hands: Hands) -> bool:
    return _surveyed(hands) and hands.work.earlier.offered is not None


def _coloured(hands: Hands) -> bool:
    return bool(hands.luts.steps)


def _good(hands: Hands) -> bool:
    """Whether there is nothing to fix, and nothing was treated."""
    session = hands.session
    return _surveyed(hands) and not session.must_fix_count and not any(acts(t) for t in session.document.treatments.values())


def _delivering(hands: Hands) -> bool:
    return hands.delivering.busy


def _copied(hands: Hands) -> bool:
    return bool(hands.session.in_hand) and _treatable(hands)


def _charted(hands: Hands) -> bool:
    return hands.charting.model.result is not None and _surveyed(hands)


def _with_areas(hands: Hands) -> bool:
    return _surveyed(hands) and bool(hands.session.document.areas)


def _interlaced(hands: Hands) -> bool:
    return hands.session.survey is not None and hands.session.source.interlaced


_NUDGE = 0.25  # percent of the picture


def _nudged(across: float, down: float) -> Callable[[Hands], object]:
    return lambda hands: hands.reaching.nudge(across, down)


def _looked(field: str) -> Callable[[Hands], object]:
    return lambda hands: hands.viewer.look.toggle(field)


def _proposed(wanted: Wanted) -> Callable[[Hands], object]:
    return lambda hands: hands.proposing.propose_here(wanted)


COMMANDS: tuple[Command, ...] = (
    Command("open", "Programme", "Open …", ("Ctrl+O",), lambda h: h.programmes.choose(), _always),
    Command("open-demo", "Programme", "Open the demo programme", (), lambda h: h.programmes.open_demo(), _always),
    Command(
        "open-tide", "Programme", "Open the demo of time and sound", (), lambda h: h.programmes.open_demo_of_time(), _always
    ),
    Command("facts", "Programme", "Facts and overrides …", ("I",), lambda h: h.programmes.show_facts(), apart=True),
    Command("survey", "Programme", "Survey again", ("Ctrl+R",), lambda h: h.programmes.survey_again()),
    Command("cancel", "Programme", "Cancel, or put the tool down", ("Esc",), lambda h: h.cancel(), _always),
    Command("bars", "Programme", "Bars check …", ("Ctrl+B",), lambda h: h.measuring.check_bars()),
    Command("signal", "Programme", "Make a test signal …", ("Ctrl+T",), lambda h: h.programmes.make_signal(), _always),
    Command("rules-file", "Programme", "Rules from a file …", (), lambda h: h.programmes.choose_rules(), _always),
    Command("prove", "Programme", "Prove and write …", ("Ctrl+P",), lambda h: h.work.prove_and_write(), _surveyed, apart=True),
    Command("certify", "Programme", "Certify as it stands", (), lambda h: h.work.certify(), _good),
    Command("print", "Programme", "Print the certificate as PDF", (), lambda h: h.work.printing.print_here()),
    Command("deliver", "Programme", "Deliver …", (), lambda h: h.delivering.ask_here()),
    Command("stop-delivering", "Programme", "Stop delivering", (), lambda h: h.delivering.cancel(), _delivering),
    Command("markers", "Programme", "Markers for an editor …", (), lambda h: h.editing.choose_markers(), _surveyed, apart=True),
    Command("edit-list", "Programme", "Cuts from an edit list …", (), lambda h: h.editing.choose_cuts(), _surveyed),
    Command("save-work", "Programme", "Save the work …", ("Ctrl+S",), lambda h: h.work.ask_where_to_save(), apart=True),
    Command("before", "Programme", "Take up the work on the delivery before", (), lambda h: h.work.earlier.take(), _earlier),
    Command("kept-work", "Programme", "Work that is kept …", (), lambda h: h.work.show_kept(), _always),
    Command("quit", "Programme", "Quit", ("Ctrl+Q",), lambda h: h.close(), _always, apart=True),
    Command("play", "Go", "Play or pause", ("Space", "K"), lambda h: h.player.toggle()),
    Command("play-forward", "Go", "Play", ("L",), lambda h: h.player.play(1)),
    Command("play-back", "Go", "Play backwards", ("J",), lambda h: h.player.play(-1)),
    Command("next-frame", "Go", "Next frame", ("Right",), lambda h: h.player.move(1), apart=True),
    Command("previous-frame", "Go", "Previous frame", ("Left",), lambda h: h.player.move(-1)),
    Command("second-on", "Go", "One second on", ("Shift+Right",), lambda h: h.player.move_seconds(1)),
    Command("second-back", "Go", "One second back", ("Shift+Left",), lambda h: h.player.move_seconds(-1)),
    Command("next-finding", "Go", "Next finding", ("N",), lambda h: h.session.place.next_finding(1), _has_findings, apart=True),
    Command("worst-finding", "Go", "Worst finding", ("Shift+N",), lambda h: h.session.go_to_worst(), _has_findings),
    Command("previous-finding", "Go", "Previous finding", ("P",), lambda h: h.session.place.next_finding(-1), _has_findings),
    Command("waive", "Go", "Waive, or take that back", ("Shift+V",), lambda h: h.programmes.waive(), _found),
    Command("next-shot", "Go", "Next shot", ("Down",), lambda h: h.session.place.next_shot(1)),
    Command("previous-shot", "Go", "Previous shot", ("Up",), lambda h: h.session.place.next_shot(-1)),
    Command("first-frame", "Go", "First frame", ("Home",), lambda h: h.session.place.go_to(0)),
    Command("last-frame", "Go", "Last frame", ("End",), lambda h: h.session.place.go_to(1 << 60)),
    Command("legalise", "Treatment", "Legalise", ("G",), lambda h: h.work.legalise(), _treatable),
    *(
        Command(f"propose-{wanted}", "Treatment", f"Propose: {words}", keys, _proposed(wanted), _treatable)
        for wanted, (words, keys) in PROPOSED.items()
    ),
    Command("match", "Treatment", "Bring to the pinned frame", ("Shift+M",), lambda h: h.proposing.match_pinned(), _treatable),
    Command(
        "bypass",
        "Treatment",
        "Bypass or restore the steps",
        ("B",),
        lambda h: h.session.document.bypass_shot(),
        lambda h: bool(h.session.document.treatment),
    ),
    Command(
        "reset",
        "Treatment",
        "Reset the shot",
        ("Ctrl+Backspace",),
        lambda h: h.session.document.reset_shot(),
        lambda h: bool(h.session.document.treatment),
    ),
    Command(
        "undo",
        "Treatment",
        "Undo",
        ("Ctrl+Z",),
        lambda h: h.session.document.undo(),
        lambda h: h.session.document.undoes is not None,
        apart=True,
    ),
    Command(
        "redo",
        "Treatment",
        "Redo",
        ("Ctrl+Shift+Z", "Ctrl+Y"),
        lambda h: h.session.document.redo(),
        lambda h: h.session.document.redoes is not None,
    ),
    *(
        Command(f"add-{kind.kind}", "Treatment", f"Add a step: {kind.title}", (kind.key,), partial(_add, kind), _treatable)
        for kind in KINDS.values()
        if kind.key
    ),
    Command(
        "key", "Treatment", "Pick a key for the step", ("Ctrl+I",), lambda h: h.picking.take(Tool.KEY), _benched, apart=True
    ),
    Command("colour", "Treatment", "Set a step by a colour", ("Shift+I",), _set_by_a_colour, _treatable),
    Command("pair", "Treatment", "This colour becomes that …", ("Ctrl+Shift+I",), _pair_colours, _treatable),
    Command("show-reach", "Treatment", "Show the step's reach", ("Shift+S",), _looked("reach"), _benched, held=True),
    Command("until", "Treatment", "Show the ladder up to the step", ("Shift+U",), _looked("until"), _benched),
    Command("follow", "Treatment", "Follow the step's reach", ("Ctrl+Shift+F",), lambda h: h.reaching.follow(), _benched),
    Command(
        "place-reach",
        "Treatment",
        "Place the step's reach here",
        ("Ctrl+Shift+P",),
        lambda h: h.reaching.place_here(),
        _benched,
    ),
    *(
        Command(f"nudge-{way}", "Treatment", f"Nudge the step's reach {way}", (f"Ctrl+{way.title()}",), _nudged(*by), _benched)
        for way, by in (("left", (-_NUDGE, 0.0)), ("right", (_NUDGE, 0.0)), ("up", (0.0, -_NUDGE)), ("down", (0.0, _NUDGE)))
    ),
    Command("copy", "Treatment", "Copy the step, or all", ("Ctrl+C",), lambda h: h.carrying.copy(), _treated, apart=True),
    Command("put", "Treatment", "Paste what was copied", ("Ctrl+V",), lambda h: h.carrying.put(), _copied),
    Command("paste", "Treatment", "Give steps to other shots …", ("Ctrl+Shift+V",), lambda h: h.carrying.paste(), _treated),
    Command("split", "Treatment", "Split the shot here", ("Ctrl+D",), lambda h: h.programmes.split_shot(), _surveyed),
    Command("join", "Treatment", "Join the shot to the one before", ("Ctrl+U",), lambda h: h.programmes.join_shot(), _surveyed),
    Command("aside", "Treatment", "Give what was kept aside", (), lambda h: h.session.document.give_aside(), _has_aside),
    Command("keep-stock", "Treatment", "Keep as a stock treatment …", (), lambda h: h.stocking.keep(), _treated),
    Command("put-stock", "Treatment", "Stock treatments …", ("Shift+K",), lambda h: h.stocking.show(), _treatable),
    Command("load-lut", "Treatment", "Step from a LUT or CDL …", (), lambda h: h.luts.load_lut(), _treatable, apart=True),
    Command("save-lut", "Treatment", "Save the steps on colours …", ("Ctrl+L",), lambda h: h.luts.save_lut(), _coloured),
    Command("bake", "Treatment", "Bake the steps on colours", ("Ctrl+K",), lambda h: h.luts.bake(), _coloured),
    Command("page-findings", "View", "Findings", ("1",), lambda h: h.show_page("Findings"), _always),
    Command("page-treatment", "View", "Treatment", ("2",), lambda h: h.show_page("Treatment"), _always),
    Command("page-chart", "View", "Chart", ("3",), lambda h: h.show_page("Chart"), _always),
    Command("page-areas", "View", "Areas", ("4",), lambda h: h.show_page("Areas"), _always),
    Command("chart", "Chart", "Chart panel", ("Shift+C",), lambda h: h.show_chart()),
    Command("chart-find", "Chart", "Find the chart here", ("Ctrl+F",), lambda h: h.find_chart(), _surveyed),
    Command("chart-place", "Chart", "Place the chart's corners", ("Ctrl+H",), lambda h: h.place_chart(), _surveyed),
    Command("chart-turn", "Chart", "Turn the chart by a quarter", ("Ctrl+J",), lambda h: h.charting.turn(), _surveyed),
    Command("chart-give", "Chart", "Give the fit to this shot", ("Ctrl+G",), lambda h: h.charting.give(), _charted, apart=True),
    Command(
        "chart-carry", "Chart", "Give the fit to other shots …", ("Ctrl+Shift+G",), lambda h: h.charting.carry_on(), _charted,
    ),
    Command("neutral", "Chart", "Neutral pick from areas", ("Ctrl+N",), lambda h: h.balancing.neutral_pick(), _with_areas),
    Command("coded", "Chart", "Neutral pick, coded values", (), lambda h: h.balancing.neutral_pick(linear=False), _with_areas),
    Command("light", "Chart", "Balance by temperature …", ("Ctrl+4",), lambda h: h.balancing.balance_by_light(), _surveyed),
    Command("cards", "Chart", "Three-point from three areas", ("Ctrl+3",), lambda h: h.balancing.three_point(), _with_areas),
    Command("wipe", "View", "Wipe: middle, either side", ("W",), lambda h: h.measuring.cycle_wipe()),
    Command("turn-wipe", "View", "Turn the wipe", ("Shift+W",), lambda h: h.measuring.turn_wipe()),
    Command("compare", "View", "Wipe, side by side, flip", ("C",), lambda h: h.viewer.look.next_of("compare")),
    Command("flip", "View", "Flip to the other picture", ("F",), lambda h: h.measuring.flip()),
    Command("pin", "View", "Pin this frame, or unpin", ("M",), lambda h: h.viewer.pin()),
    Command("hatching", "View", "Hatching", ("H",), lambda h: h.viewer.look.toggle("hatching"), apart=True),
    Command("zones", "View", "Zone map", ("Z",), lambda h: h.viewer.look.toggle("zones")),
    Command("safe", "View", "Safe areas (EBU R 95)", ("Shift+A",), lambda h: h.viewer.look.toggle("safe")),
    Command("fields", "View", "Both fields, either", ("Shift+F",), lambda h: h.viewer.look.next_of("field"), _interlaced),
    Command("picture-in", "View", "Zoom the picture: 1:1, 4:1", ("Ctrl++", "Ctrl+="), lambda h: h.measuring.zoom_picture(1)),
    Command("picture-out", "View", "Zoom the picture out", ("Ctrl+-",), lambda h: h.measuring.zoom_picture(-1)),
    Command("shots", "View", "Shots overview …", ("O",), lambda h: h.overseeing.show(), _surveyed),
    Command(
        "every-shot", "View", "Shots overview, all picked …", ("Ctrl+A",), lambda h: h.overseeing.show(all_picked=True),
        _surveyed,
    ),
    Command("zoom-in", "View", "Zoom the skyline in", ("+", "="), lambda h: h.skyline.zoom_here(1 / 1.5), apart=True),
    Command("zoom-out", "View", "Zoom the skyline out", ("-",), lambda h: h.skyline.zoom_here(1.5)),
    Command("zoom-all", "View", "Show the whole skyline", ("0",), lambda h: h.skyline.show_all()),
    Command("layout", "Gauges", "One gauge, two, four", ("Q",), lambda h: h.gauges.next_layout(), _always),
    Command("beneath", "Gauges", "First gauge under the picture", ("U",), lambda h: h.measuring.gauge_beneath(), _always),
    Command("window", "Gauges", "Four more in a second window", ("Shift+Q",), lambda h: h.viewer.open_window(), _always),
    Command("unit", "Gauges", "Unit: %, mV, codes", ("X",), lambda h: h.gauges.next_unit(), _always, apart=True),
    Command("stronger", "Gauges", "Stronger traces", ("]",), lambda h: h.gauges.strengthen(0.2), _always),
    Command("fainter", "Gauges", "Fainter traces", ("[",), lambda h: h.gauges.strengthen(-0.2), _always),
    Command("spot", "Gauges", "Broader beam, and finest again", ("Shift+B",), lambda h: h.gauges.next_spot(), _always),
    Command("decades", "Gauges", "Histogram in decades", ("D",), lambda h: h.measuring.histogram_scale(), _always),
    Command("gamut", "Gauges", "Gamut to mark on the diagram", ("T",), lambda h: h.measuring.next_gamut(), _always),
    Command("luma-up", "Gauges", "Legal chroma at a higher luma", (".",), lambda h: h.gauges.shift_luma(5), _always),
    Command("luma-down", "Gauges", "Legal chroma at a lower luma", (",",), lambda h: h.gauges.shift_luma(-5), _always),
    Command("outline", "Gauges", "Source in outline over the traces", ("E",), lambda h: h.measuring.outline_source(), _always),
    Command("isolate", "Gauges", "Isolate the column or line", ("V",), lambda h: h.viewer.look.next_of("isolate")),
    Command("probe-size", "Gauges", "Probe: 1, 5, 11, 21 pixels square", ("Y",), lambda h: h.viewer.probe.next_size()),
    Command("export-gauge", "Gauges", "Save the first gauge …", ("Ctrl+E",), lambda h: h.measuring.save_gauge(), apart=True),
    Command("rectangle", "Areas", "Draw a rectangle", ("R",), lambda h: h.measuring.take_tool(Tool.RECTANGLE)),
    Command("ellipse", "Areas", "Draw an ellipse", ("Shift+R",), lambda h: h.measuring.take_tool(Tool.ELLIPSE)),
    Command("polygon", "Areas", "Draw a polygon", ("Ctrl+Shift+R",), lambda h: h.measuring.take_tool(Tool.POLYGON)),
    Command("path", "Areas", "Draw a path for gauges", ("Shift+Y",), lambda h: h.measuring.take_tool(Tool.PATH)),
    Command("taken", "Areas", "Gauges take areas, others, all", ("A",), lambda h: h.measuring.next_taken(), apart=True),
    Command("shift", "Shift", "Files in hand, or the desk", ("F2",), lambda h: h.turn_to_shift(), _always),
    Command("shift-next", "Shift", "Take the next", ("F3",), lambda h: h.shifting.take_next(), _always),
    Command("shift-add", "Shift", "Add files …", ("Ctrl+Shift+O",), lambda h: h.shifting.choose_files(), _always, apart=True),
    Command("shift-watch", "Shift", "Watch a folder …", (), lambda h: h.shifting.choose_folder(), _always),
    Command("shift-air", "Shift", "Air times from a CSV …", (), lambda h: h.shifting.choose_air_times(), _always),
    Command("shift-where", "Shift", "Where the work is done …", (), lambda h: h.shifting.choose_machines(), _always),
    Command("who", "Shift", "Who is at the desk …", (), lambda h: h.who.ask(), _always, apart=True),
    Command("keys", "Help", "Key sheet", ("F1",), lambda h: h.helping.show_keys(), _always),
    Command("find", "Help", "Find a command …", ("F4",), lambda h: h.helping.find_command(), _always),
    Command("said", "Help", "What was said …", (), lambda h: h.helping.show_said(), _always),
    Command("about", "Help", "About Bluffline", (), lambda h: h.helping.show_about(), _always),
)

OTHER_KEYS = {  # by the menu that they stand beside; they are no commands
    "View": (("S", "Hold to see the source"),),
    "Help": (("Tab", "From place to place"), ("Space", "Press what Tab is at"), ("arrows", "Through its rows")),
}
MOUSE = (
    ("In hand", "Enter opens, C certifies, G legalises, D delivers; O off, B back, P profile, T time on air"),
    ("Skyline", "click or drag: go there; wheel: zoom; Shift and drag: move; double-click: all"),
    ("Picture", "drag the wipe, with Shift turn it; wheel zooms to 1:1 and 4:1, a drag moves it"),
    ("Areas", "drag an edge, with Shift in this shot only; double-click closes a polygon"),
    ("Chart", "drag a corner to where it is; point at a patch in the panel for its figures"),
    ("Gauges", "drag to see which pixels stand there; right-click for guides; drag a guide"),
    ("Pull", "tags of a tone step on waveform and parade, lines of bands, the ring of a balance"),
    ("Curves", "click sets a point, Ctrl chooses several; double-click takes one away; arrows nudge"),
    ("Shots", "click picks one, Shift all up to it, Ctrl one more; double-click goes there"),
    ("Reach", "drag its line; with Alt the wheel scales it, with Shift as well turns it"),
    ("Key", "drag over colours to pick them; with Shift add to the key, with Alt take away"),
    ("Ladder", "drag a rung to reorder it, or under another heading; right-click for all else"),
    ("Figures", "type, turn the wheel or drag; arrows nudge, Shift is finer; double-click resets"),
)
