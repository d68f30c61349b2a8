"""The commands that correct: chart, apply, and steps."""

import argparse
import json
import re
import sys
from pathlib import Path

import numpy as np

from bluffline.charts.fit import Aim, ChartFit, Wishes, fit_chart
from bluffline.charts.frame import SURE, ChartFrame
from bluffline.charts.reference import SHIPPED, load_reference
from bluffline.charts.shot import ChartShot, read_chart
from bluffline.cli import files
from bluffline.cli.progress import terminal_monitor
from bluffline.errors import ChartError, SettingsError
from bluffline.figures import figure
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.handing import codec_to_hand_on
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.media.target import claimed
from bluffline.prove.handing import HandedOn, why_all_encoded
from bluffline.prove.render import render
from bluffline.report.chart import chart_report, describe_chart
from bluffline.report.files import save_text
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.session.plan import Plan, plan_of
from bluffline.signal.colorimetry import camera_signal
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.bake import SIZES, USUAL_SIZE, bake_cube, fitted_cdl, residual
from bluffline.treat.catalogue import KINDS, as_data
from bluffline.treat.catalogue import SCHEMA as STEPS_SCHEMA
from bluffline.treat.ladder import Treatment, ordered
from bluffline.treat.lutfile import ENDINGS, READ_ENDINGS, read_step, step_text_for
from bluffline.treat.step import Number
from bluffline.treat.stored import load_treatment, treatment_text


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Declare the three commands."""
    chart = commands.add_parser("chart", help="measure a filmed chart and fit a calibration to it")
    chart.set_defaults(run=_chart)
    files.add_source(chart)
    files.add_force(chart)
    chart.add_argument("--frame", type=int, default=0, metavar="N", help="counted from 0")
    chart.add_argument("--reference", required=True, metavar="REF", help=f"{', '.join(SHIPPED)}, or a CGATS.17 or CSV file")
    chart.add_argument("--layout", type=Path, metavar="LAYOUT", help="default: the .toml beside the reference")
    chart.add_argument("--corners", metavar="x1,y1,…,x4,y4", help="the chart's own, clockwise from its upper left")
    chart.add_argument("--fit", choices=[str(aim) for aim in Aim], default=str(Aim.AUTO))
    chart.add_argument("--skin-first", action="store_true", help="let patches of skin count four times")
    chart.add_argument("--weight", action="append", default=[], metavar="PATCH=W", help="what a patch counts; 0 leaves it out")
    least = "what the matrix makes least: mean ΔE2000, or squares of XYZ"
    chart.add_argument("--least", choices=("delta-e", "xyz"), default="delta-e", help=least)
    chart.add_argument("--even-light", choices=("yes", "no"), help="default: where it is uneven, with --fit auto")
    chart.add_argument("--lut", type=Path, metavar="OUT", help=f"write the fit as {', '.join(ENDINGS)}")
    chart.add_argument("--lut-size", type=int, choices=SIZES, default=USUAL_SIZE, help="entries along a side of the cube")
    chart.add_argument("--treatment", type=Path, metavar="OUT.json", help="write the fit as a treatment")
    chart.add_argument("--accept-unsure", action="store_true", help="fit a chart that is not surely found")
    chart.add_argument("--json", metavar="OUT|-", help="write the result as JSON; - for standard output")
    apply = commands.add_parser("apply", help="write a file through a LUT, a treatment, or what was done to it on the desk")
    apply.set_defaults(run=_apply)
    files.add_source(apply)
    files.add_target(apply)
    files.add_force(apply)
    what = apply.add_mutually_exclusive_group(required=True)
    what.add_argument("--lut", type=Path, metavar="LUT", help=", ".join(READ_ENDINGS))
    what.add_argument("--treatment", type=Path, metavar="T.json")
    files.add_work(what)
    files.add_profile(apply)
    apply.add_argument("--correction", metavar="NAME", help="which one of a .ccc or .cdl file that holds several")
    steps = commands.add_parser("steps", help="list the steps that a treatment can have, and their figures")
    steps.set_defaults(run=_steps)
    files.add_force(steps)
    steps.add_argument("kind", nargs="?", metavar="KIND", help=", ".join(KINDS))
    steps.add_argument("--json", metavar="OUT|-", help="write the list as JSON; - for standard output")


def _chart(options: argparse.Namespace) -> int:
    programme = files.open_source(options)
    read = [Path(options.reference), *([options.layout] if options.layout else [])]
    targets = files.Targets([*programme.opening.files, *read], force=options.force)
    targets.add(options.lut, ENDINGS)
    targets.add(options.treatment, (".json",))
    targets.add(None if options.json is None else Path(options.json), (".json",))
    reference = load_reference(options.reference, options.layout)
    placed = None if options.corners is None else ChartFrame.of(_corners(options.corners))
    if not 0 <= options.frame < programme.frame_count:
        raise SettingsError(f"There is no frame {options.frame}: {programme.name} has {programme.frame_count}, counted from 0.")
    everything = (0, programme.frame_count - 1)
    with Reader(programme) as reader:
        shot = read_chart(
            reader.planes, options.frame, everything, programme.format, reference, placed
        )  # fmt: skip
    confidence = shot.chart_frame.confidence
    if confidence is not None and confidence < SURE and not options.accept_unsure:
        raise ChartError(
            f"No chart like {reference.title} is surely there: the best place has a confidence of {confidence:.2f}, "
            f"and {SURE:g} is needed; give its corners, or --accept-unsure."
        )
    even_light = None if options.even_light is None else options.even_light == "yes"
    weights = dict(_weight(text) for text in options.weight)
    wishes = Wishes(Aim(options.fit), options.skin_first, even_light, options.least == "xyz", weights)
    fit = fit_chart(shot.samples, reference, programme.format, wishes)
    report = chart_report(programme, reference, shot, fit)
    if options.lut is not None:
        report["lut"] = _save_lut(options.lut, options.lut_size, programme, shot, fit)
    if options.treatment is not None:
        title = f"{reference.title}, {programme.label(shot.frame)}"
        save_text(options.treatment, treatment_text(title, fit.steps))
    if options.json == "-":
        sys.stdout.write(json.dumps(report, indent=2, ensure_ascii=False) + "\n")
        return 0
    if options.json is not None:
        save_text(Path(options.json), json.dumps(report, indent=2, ensure_ascii=False) + "\n")
    print(describe_chart(report))
    if options.lut is not None:
        made = report["lut"]
        print(f"{made['path']}: on the chart {made['mean']:.2f} ΔE from the fit in the mean, {made['worst']:.2f} at most")
    return 0


def _steps(options: argparse.Namespace) -> int:
    if options.kind is not None and options.kind not in KINDS:
        raise SettingsError(f"There is no step of the kind {options.kind}; there are {', '.join(KINDS)}.")
    kinds = list(KINDS.values()) if options.kind is None else [KINDS[options.kind]]
    report = json.dumps({"schema": STEPS_SCHEMA, "steps": list(map(as_data, kinds))}, indent=2, ensure_ascii=False) + "\n"
    if options.json == "-":
        sys.stdout.write(report)
        return 0
    if options.json is not None:
        targets = files.Targets([], force=options.force)
        targets.add(Path(options.json), (".json",))
        save_text(Path(options.json), report)
    for kind in kinds:
        print(f"{kind.kind}: {kind.title}, under {kind.home}")
        for one in kind.figures():
            number = one.declared
            bounds = f"{figure(number.least)} … {figure(number.greatest)} {number.unit}" if isinstance(number, Number) else ""
            print(f"  {one.key:<12} {number.label:<16} {bounds}".rstrip())
    return 0


def _weight(text: str) -> tuple[str, float]:
    name, sign, weight = text.rpartition("=")
    if not sign or not re.fullmatch(r"\d+(\.\d+)?", weight):
        raise SettingsError(f"--weight must be a patch's name, = and a number, not {text}.")
    return name, float(weight)


def _corners(text: str) -> list[float]:
    parts = [part.strip() for part in text.split(",")]
    if len(parts) != 8 or not all(re.fullmatch(r"-?\d+(\.\d+)?", part) for part in parts):
        raise SettingsError(f"--corners must be eight numbers with commas between, not {text}.")
    return [float(part) for part in parts]


def _save_lut(path: Path, size: int, programme: Programme, shot: ChartShot, fit: ChartFit) -> dict[str, object]:
    """Write the fit as a file, and tell how far it is from the fit on the chart's own colours."""
    source, ending = programme.format, path.suffix.lower()
    colours = camera_signal(shot.samples.light, source.transfer)
    step = fitted_cdl(fit.steps, source, colours) if ending == ".cdl" else bake_cube(fit.steps, source, size, name=path.stem)
    save_text(path, step_text_for(step, ending))
    off = residual(fit.steps, (step,), source, colours)
    return {"path": str(path), "mean": round(float(np.mean(off)), 4), "worst": round(float(np.max(off)), 4)}


def _apply(options: argparse.Namespace) -> int:
    work = files.work_of(options, options.file)
    programme = files.open_source(options, work=work)
    profile = files.profile_of(options)
    named = options.codec or (profile.codec if profile is not None else "") or None
    codec = codec_for(options.out, named, codec_to_hand_on(programme))
    given = [path for path in (options.lut, options.treatment) if path is not None]
    files.Targets([*programme.opening.files, *given], force=options.force).add(options.out, codec.containers, certified=True)
    treatment: Treatment = ()
    if options.lut is not None:
        treatment = (read_step(options.lut, options.correction),)
    elif options.treatment is not None:
        treatment = load_treatment(options.treatment)[1]
    carriage = rehearse(programme, programme.format, codec, options.out, drop_tracks=options.drop_tracks)
    for loss in carriage.losses:
        print(f"bluffline: {loss}", file=sys.stderr)
    plan, region, handed = Plan([Shot(0, programme.frame_count - 1)], {0: treatment}), None, None
    with claimed(options.out, "part") as claim:
        with terminal_monitor(options) as monitor:
            if work is not None:
                rules = profile.judged_by() if profile is not None else work.rules or load_rules("r103")
                survey = run_survey(start_survey(programme, rules), monitor)
                plan, region = plan_of(survey, work), survey.region
                handed = None if why_all_encoded(survey, codec) else HandedOn()
            render(
                programme, programme.format, plan.shots, plan.ladders, claim.working, codec, monitor,
                region=region, keep_unreadable=files.keep_unreadable(options), tracks=carriage.tracks,
                handed=handed,
            )  # fmt: skip
        claim.settle({})
    through = ", ".join(step.title for step in ordered(treatment)) or "no step"
    if work is not None:
        through = f"the work on {len(plan.ladders)} of {len(plan.shots)} shots"
    print(f"{options.out}: {programme.frame_count} frames through {through}.")
    return 0
