"""The command line, and its long jobs: check and legalise."""

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from bluffline import __version__, stopping
from bluffline.cli import charts, files, instruments, looks
from bluffline.cli.progress import terminal_monitor
from bluffline.errors import BlufflineError
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.opening import shown
from bluffline.prove.prove import ProveRequest, certificate_paths, propose_all, prove, refuse_unreadable
from bluffline.prove.survey import must_fix, run_survey, start_survey
from bluffline.report.certificate import certificate_files, legalise_report
from bluffline.report.check import check_report, describe, frames_csv
from bluffline.report.files import save_text
from bluffline.rules.rulefile import SHIPPED, load_rules
from bluffline.session.faults import fault_of, log_path

COMMANDS = ("check", "legalise", "scope", "bars", "signal", "chart", "apply", "steps", "propose", "match")
_JSON, _CSV = (".json",), (".csv",)
_NOTHING_TO_FIX, _MUST_FIX, _COULD_NOT, _UNFORESEEN = 0, 1, 2, 3
_DESK_HELP = "with no command, opens the desk: bluffline [FILE | --demo]"


def main(arguments: Sequence[str]) -> int:
    """Run a command and return its exit code.

    0: nothing to fix; 1: must-fix findings remain; 2: it could not be done; 3: an error that was not foreseen, told in the log.
    """
    options = _parser().parse_args(arguments)
    try:
        run: Callable[[argparse.Namespace], int] = options.run
        return run(options)
    except BrokenPipeError:
        raise
    except (BlufflineError, OSError) as error:
        if stopping.asked():
            raise
        print(f"bluffline: {fault_of(error, '').sentence}", file=sys.stderr)
        return _COULD_NOT
    except Exception as error:
        if stopping.asked():
            raise
        print(f"bluffline: {fault_of(error, 'This command').sentence} More is in {log_path()}.", file=sys.stderr)
        return _UNFORESEEN


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser("bluffline", description="Broadcast quality control.", epilog=_DESK_HELP)
    parser.add_argument("--version", action="version", version=f"bluffline {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    check = commands.add_parser("check", help="survey a file and say what is illegal in it")
    legalise = commands.add_parser("legalise", help="write a legal file and prove it")
    check.set_defaults(run=_check)
    legalise.set_defaults(run=_legalise)
    for command in (check, legalise):
        files.add_source(command)
    files.add_target(legalise)
    for command in (check, legalise):
        files.add_force(command)
        command.add_argument("--rules", default="r103", metavar="NAME|PATH", help=f"{', '.join(SHIPPED)} or a rule file")
        command.add_argument("--json", metavar="OUT|-", help="write the result as JSON; - for standard output")
    check.add_argument("--frames", type=Path, metavar="OUT.csv", help="write the measurements of every frame")
    instruments.add_commands(commands)
    charts.add_commands(commands)
    looks.add_commands(commands)
    return parser


def _check(options: argparse.Namespace) -> int:
    rules = load_rules(options.rules)
    programme = files.open_source(options)
    targets = files.Targets(programme.opening.files, force=options.force)
    targets.add(_path(options.json), _JSON)
    targets.add(options.frames, _CSV)
    survey = start_survey(programme, rules)
    with terminal_monitor() as monitor:
        run_survey(survey, monitor)
    if options.frames is not None:
        save_text(options.frames, frames_csv(survey))
    _deliver(check_report(survey), options.json, lambda: describe(survey))
    return _MUST_FIX if must_fix(survey.findings()) else _NOTHING_TO_FIX


def _legalise(options: argparse.Namespace) -> int:
    rules = load_rules(options.rules)
    codec = codec_for(options.out, options.codec)
    programme, kept = files.open_source(options), files.keep_unreadable(options)
    targets = files.Targets(programme.opening.files, force=options.force)
    targets.add(options.out, codec.containers, certified=True)
    targets.add(_path(options.json), _JSON)
    carriage = rehearse(programme, programme.format, codec, options.out, drop_tracks=options.drop_tracks)
    for loss in carriage.losses:
        print(f"bluffline: {loss}", file=sys.stderr)
    survey = start_survey(programme, rules)
    with terminal_monitor() as monitor:
        run_survey(survey, monitor)
        refuse_unreadable(survey, kept)
        shots = survey.shots()
        proposals = propose_all(survey, shots, survey.findings(shots), monitor)
        treatments = {proposal.shot: proposal.treatment for proposal in proposals}
        request = ProveRequest(survey, shots, treatments, options.out, codec, kept, carriage)
        proof = prove(request, monitor, certificate_files)

    def summary() -> str:
        verdict = proof.verdict if proof.legal or proof.unreadable else "NOT legal"
        treated = f"{len(proof.treatments)} of {len(shots)} shots treated"
        paths = "\n".join(f"  {shown(path)}" for path in certificate_paths(options.out))
        return (
            f"{shown(options.out)}: {verdict} under {rules.title}; {treated}, {proof.rounds} round(s).\nCertificate:\n{paths}"
        )

    _deliver(legalise_report(proof), options.json, summary)
    return _NOTHING_TO_FIX if proof.legal else _MUST_FIX


def _path(where: str | None) -> Path | None:
    return None if where is None else Path(where)


def _deliver(report: dict[str, Any], where: str | None, summary: Callable[[], str]) -> None:
    """JSON to where it was asked for; a summary for people unless standard output carries the JSON."""
    text = json.dumps(report, indent=2, ensure_ascii=False) + "\n"
    if where == "-":
        sys.stdout.write(text)
        return
    if where is not None:
        save_text(Path(where), text)
    print(summary())
