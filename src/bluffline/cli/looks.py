"""The commands that propose and match: propose, match."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from bluffline.cli import files
from bluffline.cli.progress import terminal_monitor
from bluffline.errors import SettingsError
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.propose.matching import bring
from bluffline.propose.pixels import Pixels, frames_of, look_at
from bluffline.propose.suggesting import Wanted, evidence_for, propose_look
from bluffline.report.files import save_text
from bluffline.rules.aims import load_aims
from bluffline.rules.rulefile import SHIPPED, load_rules
from bluffline.rules.shots import Shot
from bluffline.survey.survey import Survey, find_region, run_survey, start_survey
from bluffline.treat.ladder import Treatment
from bluffline.treat.step import called
from bluffline.treat.stored import step_to, treatment_text

PROPOSE_SCHEMA, MATCH_SCHEMA = "bluffline.proposal/1", "bluffline.match/1"
_JSON = (".json",)
_WHOLE_FRAMES = 9  # of a file that is looked at as one


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Declare both commands."""
    propose = commands.add_parser("propose", help="propose a treatment that brings a file, or a shot of it, to the aims")
    propose.set_defaults(run=_propose)
    match = commands.add_parser("match", help="bring a shot to a reference: a frame of the same file, or another file")
    match.set_defaults(run=_match)
    for command in (propose, match):
        files.add_source(command)
        files.add_force(command)
        command.add_argument("--rules", default="r103", metavar="NAME|PATH", help=f"{', '.join(SHIPPED)} or a rule file")
        command.add_argument("--json", metavar="OUT|-", help="write the result as JSON; - for standard output")
        command.add_argument("--treatment", type=Path, metavar="OUT.json", help="write the steps as a treatment")
    words = ", ".join(Wanted)
    propose.add_argument("--what", default=str(Wanted.BEARABLE), metavar="LIST", help=f"with commas between: {words}")
    propose.add_argument("--shot", type=int, metavar="N", help="counted from 1; default: the whole file as one")
    propose.add_argument("--aims", type=Path, metavar="AIMS.toml", help="default: your own, else the usual ones")
    match.add_argument("--shot", type=int, required=True, metavar="N", help="counted from 1")
    match.add_argument("--to", required=True, metavar="FILE|FRAME", help="another file, or a frame of this one, from 0")


def _propose(options: argparse.Namespace) -> int:
    wanted = _wanted(options.what)
    rules, aims = load_rules(options.rules), load_aims(options.aims)
    programme, target = _taken_in(options, [options.aims] if options.aims else [])
    survey = start_survey(programme, rules)
    with terminal_monitor(options) as monitor:
        if options.shot is not None or {Wanted.BEARABLE, Wanted.LEGAL, Wanted.LEVELS} & set(wanted):
            run_survey(survey, monitor)
        shots = [Shot(0, programme.frame_count - 1)] if options.shot is None else survey.shots()
        number = _number(1 if options.shot is None else options.shot, shots)
        findings = survey.findings(shots) if len(survey.table) else []
        own = [finding for finding in findings if finding.shot == number]
        levels = evidence_for(survey, shots, number) if Wanted.LEVELS in wanted else None
        with Reader(programme) as reader:
            proposal = propose_look(
                survey, number, shots[number], own, reader.planes, wanted, aims, levels=levels
            )  # fmt: skip
    told = [f"  {reason}" for reason in proposal.reasons] or ["  nothing is proposed"]
    told += [f"  left alone: {reason}" for reason in proposal.left]
    told += [f"  offered: {one.offer.title}: {one.offer.step.text}; {one.offer.told}" for one in proposal.offered]
    report = {
        "schema": PROPOSE_SCHEMA,
        "what": list(map(str, wanted)),
        "aims": aims.title,
        **_shot_report(options, shots, number),
    }
    report |= {"steps": list(map(step_to, proposal.treatment)), "reasons": proposal.reasons, "left": proposal.left}
    report["offered"] = [
        {"light": one.offer.title, "why": one.offer.told, "step": step_to(one.offer.step)} for one in proposal.offered
    ]
    title = f"Proposed: {', '.join(wanted)}"
    _deliver(options, target, report, title, proposal.treatment, "\n".join(told))
    return 0


def _match(options: argparse.Namespace) -> int:
    rules = load_rules(options.rules)
    other = None if options.to.isdecimal() else Path(options.to)
    programme, target = _taken_in(options, [other] if other else [])
    if other is None and int(options.to) >= programme.frame_count:
        raise SettingsError(f"There is no frame {options.to}: {programme.name} has {programme.frame_count}, counted from 0.")
    survey = start_survey(programme, rules)
    with terminal_monitor(options) as monitor:
        run_survey(survey, monitor)
        shots = survey.shots()
        number = _number(options.shot, shots)
        with Reader(programme) as reader:
            pixels = _seen(survey, reader, frames_of(shots[number]))
            reference = _reference(probe(other)) if other else _seen(survey, reader, [int(options.to)])
        match = bring(pixels, reference)
    report: dict[str, Any] = {"schema": MATCH_SCHEMA, **_shot_report(options, shots, number), "to": options.to}
    report |= {"before": round(match.before, 3), "after": round(match.after, 3), "at_best": match.at_best}
    report |= {"steps": list(map(step_to, match.treatment))}
    told = "\n".join([f"  {match.told}", *(f"  {called(step)}: {step.text}" for step in match.treatment)])
    title = f"{'Brought to' if match.treatment else 'Compared with'} {options.to}"
    _deliver(options, target, report, title, match.treatment, told)
    return 0


def _taken_in(options: argparse.Namespace, read: list[Path]) -> tuple[Programme, Path | None]:
    """The programme, and where JSON goes, with all targets taken."""
    programme = files.open_source(options)
    targets = files.Targets([*programme.opening.files, *read], force=options.force)
    target = None if options.json in (None, "-") else Path(options.json)
    targets.add(options.treatment, _JSON)
    targets.add(target, _JSON)
    return programme, target


def _wanted(text: str) -> list[Wanted]:
    words = [word.strip() for word in text.split(",") if word.strip()]
    unknown = next((word for word in words if word not in list(Wanted)), None)
    if unknown is not None or not words:
        raise SettingsError(f"--what must be of {', '.join(Wanted)}, with commas between, not {text[:60]}.")
    return [Wanted(word) for word in words]


def _number(shot: int, shots: list[Shot]) -> int:
    if not 1 <= shot <= len(shots):
        raise SettingsError(f"There is no shot {shot}: the file has {len(shots)}, counted from 1.")
    return shot - 1


def _seen(survey: Survey, reader: Reader, frames: list[int]) -> Pixels:
    return look_at(reader.planes, frames, survey.source, survey.region)


def _reference(programme: Programme) -> Pixels:
    """What another file looks like, as one."""
    whole = Shot(0, programme.frame_count - 1)
    with Reader(programme) as reader:
        region = find_region(programme)
        return look_at(reader.planes, frames_of(whole, _WHOLE_FRAMES), programme.format, region)


def _shot_report(options: argparse.Namespace, shots: list[Shot], number: int) -> dict[str, Any]:
    shot = shots[number]
    return {"shot": options.shot, "first_frame": shot.first, "last_frame": shot.last}


def _deliver(
    options: argparse.Namespace, target: Path | None, report: dict[str, Any], title: str, treatment: Treatment, told: str
) -> None:
    if options.treatment is not None:
        save_text(options.treatment, treatment_text(title, treatment))
    text = json.dumps(report, indent=2, ensure_ascii=False) + "\n"
    if options.json == "-":
        sys.stdout.write(text)
        return
    if target is not None:
        save_text(target, text)
    print(f"{title}\n{told}")
