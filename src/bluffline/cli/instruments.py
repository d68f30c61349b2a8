"""The commands that measure one frame or make a test signal: scope, bars and signal."""

import argparse
import json
import re
import sys
from pathlib import Path

from bluffline.cli import files
from bluffline.errors import SettingsError
from bluffline.gauges.catalogue import INSTRUMENTS, gauge_named
from bluffline.gauges.instrument import Instrument, Moment
from bluffline.measure.areas import Selection
from bluffline.measure.bars import BarsReading, read_bars
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.media.codecs import CODECS, codec_for
from bluffline.media.opening import shown
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.media.signals import SIGNALS, signal_named, write_signal
from bluffline.report.bars import bars_report, describe_bars
from bluffline.report.files import save_text
from bluffline.report.gauge import SIZE, save_gauge
from bluffline.rules.each.loudness import Loudness
from bluffline.rules.rulefile import load_rules
from bluffline.rules.rules import Rules
from bluffline.session.around import Around, heard_by_frame
from bluffline.signal.colorimetry import GAMUTS
from bluffline.survey.hearing import hear, sounds_of
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import find_region, levels_of

_SEARCHED = 10  # seconds at the head of a file that bars are looked for in
_OFF = 1


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Declare the three commands."""
    scope = commands.add_parser("scope", help="save a gauge of one frame as .png, .svg or .csv")
    scope.set_defaults(run=_scope)
    files.add_source(scope)
    files.add_force(scope)
    scope.add_argument("out", type=Path, metavar="OUT")
    scope.add_argument("--frame", type=int, default=0, metavar="N", help="counted from 0")
    scope.add_argument("--gauge", choices=list(INSTRUMENTS), default="waveform")
    modes = "; ".join(f"{name}: {', '.join(kind.modes)}" for name, kind in INSTRUMENTS.items())
    scope.add_argument("--mode", metavar="MODE", help=modes)
    scope.add_argument("--area", metavar="X,Y,W,H", help="the pixels to take")
    scope.add_argument("--size", default="{}x{}".format(*SIZE), metavar="WxH", help="of the picture")
    scope.add_argument("--rules", default="r103", metavar="NAME|PATH", help="whose limits are drawn")
    scope.add_argument("--gamut", choices=tuple(GAMUTS), help="that the chromaticity diagram marks colours against")
    bars = commands.add_parser("bars", help="read colour bars and say what is wrong with them")
    bars.set_defaults(run=_bars)
    files.add_source(bars)
    files.add_force(bars)
    bars.add_argument("--frame", type=int, metavar="N", help="default: the first that shows bars")
    bars.add_argument("--json", metavar="OUT|-", help="write the result as JSON; - for standard output")
    signal = commands.add_parser("signal", help="make a test signal")
    signal.set_defaults(run=_signal)
    signal.add_argument("name", metavar="NAME", help=", ".join(SIGNALS))
    signal.add_argument("out", type=Path, metavar="OUT", help="the clip to write: .mov, .mxf, .mkv or .mp4")
    signal.add_argument("--size", default="1920x1080", metavar="WxH")
    signal.add_argument("--rate", default="25", metavar="FRAMES", help="a second, as 25 or 30000/1001")
    signal.add_argument("--depth", type=int, default=10, metavar="BITS", help="8, 10 or 12")
    signal.add_argument("--duration", type=float, default=10.0, metavar="SECONDS")
    signal.add_argument("--codec", choices=tuple(CODECS), help="default: the usual one for OUT's ending")
    files.add_force(signal)


def _numbers(text: str, separator: str, count: int, what: str) -> list[int]:
    parts = text.lower().split(separator)
    if len(parts) != count or not all(re.fullmatch(r"\d{1,5}", part.strip()) for part in parts):
        raise SettingsError(f"{what} must be {count} whole numbers with {separator} between, not {text}.")
    return [int(part) for part in parts]


def _frame_signal(programme: Programme, number: int) -> FrameSignal:
    with Reader(programme) as reader:
        planes = reader.planes(number)
        if planes is None:
            raise SettingsError(f"Frame {number} of {programme.name} can't be decoded.")
        return FrameSignal(tuple(plane.copy() for plane in planes), programme.format)  # type: ignore[arg-type]


def _scope(options: argparse.Namespace) -> int:
    programme, rules = files.open_source(options), load_rules(options.rules)
    files.Targets(programme.opening.files, force=options.force).add(options.out, (".png", ".svg", ".csv"))
    source = programme.format
    width, height = _numbers(options.size, "x", 2, "--size")
    try:
        gauge = gauge_named(options.gauge, options.mode or "")
    except ValueError as error:
        raise SettingsError(f"{str(error)[0].upper()}{str(error)[1:]}.") from error
    selection = Selection.whole(source)
    if options.area is not None:
        x, y, wide, high = _numbers(options.area, ",", 4, "--area")
        selection = Selection.box(source, x, y, x + wide, y + high)
        if selection.count == 0:
            raise SettingsError(f"--area {options.area} lies outside the picture of {source.width}×{source.height}.")
    signal, moment = _frame_signal(programme, options.frame), _moment(programme, rules, options.frame, gauge)
    trace = gauge.count(signal, selection, width, moment)
    title = f"{programme.title}, {programme.label(options.frame)} · {gauge.title}"
    save_gauge(options.out, trace, title, source, rules.limits, size=(width, height), gamut=options.gamut or rules.gamut)
    return 0


def _moment(programme: Programme, rules: Rules, frame: int, gauge: Instrument) -> Moment | None:
    """What is around a frame, measured for a gauge that shows it."""
    if not gauge.around:
        return None
    rate = float(programme.frame_rate)
    half = round(gauge.around / 2 * rate)
    first = max(frame - half, 0)
    part = range(first, min(frame + half + 1, programme.frame_count))
    if gauge.hears:
        sounds = hear(programme, sounds_of(programme, Loudness().measured(rules) or ()), Monitor())
        heard = heard_by_frame(sounds[0], programme, rules) if sounds else None
        return Around(rate, programme.format, SurveyTable(0), heard=heard).at(frame, gauge.around)
    return Moment(frame, rate, first, levels_of(programme, rules, part))


def _bars(options: argparse.Namespace) -> int:
    programme = files.open_source(options)
    target = None if options.json is None else Path(options.json)
    files.Targets(programme.opening.files, force=options.force).add(target, (".json",))
    region = find_region(programme)
    number, reading = _find_bars(programme, region, options.frame)
    text = json.dumps(bars_report(reading, programme, number), indent=2, ensure_ascii=False) + "\n"
    if options.json == "-":
        sys.stdout.write(text)
    else:
        if options.json is not None:
            save_text(Path(options.json), text)
        print(f"{shown(programme.path.name)}, frame {number}, {programme.label(number)}\n{describe_bars(reading)}")
    return 0 if reading.right else _OFF


def _find_bars(programme: Programme, region: Region, wanted: int | None) -> tuple[int, BarsReading]:
    if wanted is not None:
        reading = read_bars(_frame_signal(programme, wanted), region)
        if reading is None:
            raise SettingsError(f"No colour bars were recognised in frame {wanted} of {programme.name}.")
        return wanted, reading
    step = max(round(programme.frame_rate), 1)
    with Reader(programme) as reader:
        for number in range(0, min(_SEARCHED * step, programme.frame_count), step):
            planes = reader.planes(number)
            reading = None if planes is None else read_bars(FrameSignal(planes, programme.format), region)
            if reading is not None:
                return number, reading
    raise SettingsError(f"No colour bars were recognised in the first {_SEARCHED} seconds of {programme.name}.")


def _signal(options: argparse.Namespace) -> int:
    made = signal_named(options.name)
    width, height = _numbers(options.size, "x", 2, "--size")
    rate = files.frame_rate(options.rate)
    codec = codec_for(options.out, options.codec)
    files.Targets([], force=options.force).add(options.out, codec.containers)
    write_signal(made, options.out, codec, size=(width, height), rate=rate, depth=options.depth, seconds=options.duration)
    return 0
