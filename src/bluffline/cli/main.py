"""The command line, and its long jobs: check and legalise."""

import argparse
import json
import shlex
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from bluffline import __version__, stopping
from bluffline.cli import charts, completion, doctor, files, gateway, instruments, looks, shift, trust
from bluffline.cli.progress import add_telling, telling, terminal_monitor
from bluffline.errors import BlufflineError, SettingsError
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.handing import codec_to_hand_on
from bluffline.media.opening import shown
from bluffline.media.programme import Programme
from bluffline.media.target import certificate_paths, put_certificate
from bluffline.prove.prove import ProveRequest, prove, refuse_unreadable
from bluffline.report.certificate import certificate_report, checked_report
from bluffline.report.certify import certificate_files, standing_certificate
from bluffline.report.check import describe, frames_csv
from bluffline.report.files import save_text
from bluffline.report.forms import FORMS, CheckForm, ChecksForm, ErrorForm, schema_of
from bluffline.report.keys import Keys
from bluffline.report.markers import MARKERS, markers_text
from bluffline.rules.rulefile import SHIPPED, load_rules
from bluffline.rules.rules import Rules
from bluffline.rules.waivers import load_waivers
from bluffline.session.faults import fault_of, log_path, on_the_way
from bluffline.session.plan import legalised, plan_of
from bluffline.session.workfile import WorkFile
from bluffline.survey.checking import check
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands, run_survey_in_runs
from bluffline.survey.survey import Survey, run_survey, start_survey
from bluffline.view.small import hatched

COMMANDS = (
    *("check", "legalise", "batch", "watch", "compare", "verify", "print", "deliver", "gateway", "keys", "schema"),
    *("doctor", "completion"),
    *("scope", "bars", "signal", "chart", "apply", "steps", "propose", "match"),
)
_JSON, _CSV = (".json",), (".csv",)
_NOTHING_TO_FIX, _MUST_FIX, _COULD_NOT, _UNFORESEEN = 0, 1, 2, 3
_RUNS = 64  # of a file that a cluster shares
_DESK_HELP = "with no command, opens the desk: bluffline [FILE | --demo]"


def main(arguments: Sequence[str]) -> int:
    """Run a command and return its exit code.

    0: nothing to fix; 1: must-fix findings remain; 2: it could not be done; 3: an error that was not foreseen, told in the log.
    """
    options = make_parser().parse_args(arguments)
    try:
        with telling(options):
            begun = time.monotonic()
            token = getattr(options, "token", "")  # which no log is to hold
            asked = shlex.join(each.replace(token, "…") if token else each for each in arguments)
            on_the_way.info("bluffline %s: %s", __version__, asked)
            code = _done(options)
            on_the_way.info("ended with code %d after %.1f s", code, time.monotonic() - begun)
            return code
    except SettingsError as error:  # how it was to be told
        return _failed(options, str(error), "", _COULD_NOT)


def _done(options: argparse.Namespace) -> int:
    """Run a command, tell of any error, and return its exit code."""
    try:
        run: Callable[[argparse.Namespace], int] = options.run
        return run(options)
    except BrokenPipeError:
        raise
    except (BlufflineError, OSError) as error:
        if stopping.asked():
            raise
        return _failed(options, fault_of(error, "").sentence, "", _COULD_NOT)
    except Exception as error:
        if stopping.asked():
            raise
        return _failed(options, fault_of(error, "This command").sentence, f" More is in {log_path()}.", _UNFORESEEN)


def _failed(options: argparse.Namespace, sentence: str, more: str, code: int) -> int:
    """Say why it could not be done; with ``--json`` in a form of its own as well, where that can be written."""
    on_the_way.debug("%s", sentence)
    print(f"bluffline: {sentence}{more}", file=sys.stderr)
    where = getattr(options, "json", None)
    if where is not None and options.command not in ("batch", "watch"):  # of many files each line says how it ended
        told: ErrorForm = {
            "schema": "bluffline.error/1", "version": __version__, "command": options.command, "error": sentence,
            "exit_code": code, "at": datetime.now(UTC).isoformat(timespec="seconds"),
        }  # fmt: skip
        if str(where) == "-" or not Path(where).exists():  # what is there may be what could not be replaced
            with suppress(BlufflineError, OSError):
                _deliver(told, str(where))
    return code


def make_parser() -> argparse.ArgumentParser:
    """What the command line understands: all commands and their options."""
    parser = argparse.ArgumentParser("bluffline", description="Broadcast quality control.", epilog=_DESK_HELP)
    parser.add_argument("--version", action="version", version=f"bluffline {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND", dest="command")
    schema = commands.add_parser("schema", help="print the JSON Schema of a report")
    schema.set_defaults(run=_schema)
    schema.add_argument("name", nargs="?", metavar="NAME", help=f"{', '.join(FORMS)}; without it their names")
    check = commands.add_parser("check", help="survey a file and say what is illegal in it")
    legalise = commands.add_parser("legalise", help="write a legal file and prove it")
    check.set_defaults(run=_check)
    legalise.set_defaults(run=_legalise)
    files.add_source(check, several=True)
    files.add_source(legalise)
    files.add_target(legalise)
    check.add_argument("--certificate", action="store_true", help="give a file that is good as it stands its certificate")
    for command in (check, legalise):
        files.add_force(command)
        files.add_work(command)
        files.add_profile(command)
        files.add_waivers(command)
        files.add_cuts(command)
        rules = f"{', '.join(SHIPPED)} or a rule file; default: those of the profile, of the work, or r103"
        command.add_argument("--rules", metavar="NAME|PATH", help=rules)
        command.add_argument("--json", metavar="OUT|-", help="write the result as JSON; - for standard output")
        shift.add_hands(command, "processes that share one long file; the result is the same")
    check.add_argument("--frames", type=Path, metavar="OUT.csv", help="write the measurements of every frame")
    check.add_argument("--markers", type=Path, metavar="OUT", help=f"shots and findings for an editor: {', '.join(MARKERS)}")
    shift.add_commands(commands)
    instruments.add_commands(commands)
    charts.add_commands(commands)
    looks.add_commands(commands)
    trust.add_commands(commands)
    gateway.add_commands(commands)
    doctor.add_command(commands)
    completion.add_command(commands, parser)
    add_telling(parser)
    return parser


def _schema(options: argparse.Namespace) -> int:
    if options.name is None:
        print("\n".join(FORMS))
    else:
        _deliver(schema_of(options.name), "-")
    return _NOTHING_TO_FIX


def _check(options: argparse.Namespace) -> int:
    if options.rules is not None:  # what can't be used is told before anything is measured
        load_rules(options.rules)
    paths = [path for named in options.files for path in files.programmes_in(named)]
    for option in ("frames", "markers", "cuts"):
        if len(paths) > 1 and getattr(options, option) is not None:
            raise SettingsError(f"--{option} is about one file; name one.")
    if options.markers is not None and options.markers.suffix.lower() not in MARKERS:
        raise SettingsError(f"Markers are written in files that end with {', '.join(MARKERS)}.")
    reports: list[CheckForm] = []
    worst = _NOTHING_TO_FIX
    for path in paths:
        try:
            code = _check_one(options, path, reports)
        except (BlufflineError, OSError) as error:
            if stopping.asked() or len(paths) == 1:
                raise
            print(f"bluffline: {fault_of(error, '').sentence}", file=sys.stderr)
            code = _COULD_NOT
        worst = max(worst, code)
    if options.json is not None and reports:
        several: ChecksForm = {"schema": "bluffline.checks/1", "checks": reports}
        _deliver(reports[0] if len(paths) == 1 else several, options.json)
    return worst


def _judged_by(options: argparse.Namespace, work: WorkFile | None) -> Rules:
    """The rules that a command was given, else those of its profile, else those of the work, else the usual ones."""
    if options.rules is None and (profile := files.profile_of(options)) is not None:
        return profile.judged_by()
    if options.rules is None and work is not None and work.rules is not None:
        return work.rules
    return load_rules(options.rules or SHIPPED[0])


def _surveyed(options: argparse.Namespace, programme: Programme, work: WorkFile | None) -> Survey:
    """The survey that is to be run, with what is waived by the command's word or in the work."""
    given = load_waivers(options.waivers) if options.waivers is not None else ()
    waivers = (*given, *(work.work.waivers if work is not None else ()))
    return replace(start_survey(programme, _judged_by(options, work)), waivers=waivers)


def _check_one(options: argparse.Namespace, path: Path, reports: list[CheckForm]) -> int:
    """Check one file, tell of it, and give it its certificate where that was asked for and it is good."""
    work = files.work_of(options, path)
    programme = files.open_source(options, path, work)
    targets = files.Targets(programme.opening.files, force=options.force)
    targets.add(_path(options.json), _JSON)
    targets.add(options.frames, _CSV)
    targets.add(options.markers, MARKERS)
    key = Keys().own() if options.certificate else None
    if options.certificate:
        targets.add_certificate(path)
    survey, listed = _surveyed(options, programme, work), files.cuts_of(options, programme)
    with terminal_monitor(options) as monitor:
        with _hands(options) as hands:
            checked = check(survey, monitor, partial(_run, hands))
        checked = checked.divided(plan_of(survey, work, listed).shots)
    if options.frames is not None:
        save_text(options.frames, frames_csv(survey))
    if options.markers is not None:
        save_text(options.markers, markers_text(programme, checked.shots, checked.findings, options.markers.suffix))
    reports.append(checked_report(checked))
    if options.json != "-":
        print(describe(survey, checked))
    if key is not None and checked.good:
        with terminal_monitor(options) as monitor:
            certificate = standing_certificate(checked, key, monitor, hatched)
        put_certificate(path, certificate, force=options.force)
        print(f"Certificate: {shown(certificate_paths(path).page)}", file=sys.stderr)
    elif key is not None:
        print("bluffline: no certificate is written, since there is something to fix.", file=sys.stderr)
    return _NOTHING_TO_FIX if checked.good else _MUST_FIX


def _legalise(options: argparse.Namespace) -> int:
    profile = files.profile_of(options)
    work = files.work_of(options, options.file)
    programme, kept = files.open_source(options, work=work), files.keep_unreadable(options)
    named = options.codec or (profile.codec if profile is not None else "") or None
    codec = codec_for(options.out, named, codec_to_hand_on(programme))
    targets = files.Targets(programme.opening.files, force=options.force)
    targets.add(options.out, codec.containers, certified=True)
    targets.add(_path(options.json), _JSON)
    carriage = rehearse(programme, programme.format, codec, options.out, drop_tracks=options.drop_tracks)
    for loss in carriage.losses:
        print(f"bluffline: {loss}", file=sys.stderr)
    survey, key = _surveyed(options, programme, work), Keys().own()
    listed = files.cuts_of(options, programme)
    with terminal_monitor(options) as monitor, _hands(options) as hands:
        _run(hands, survey, monitor)
        refuse_unreadable(survey, kept)
        plan = legalised(survey, plan_of(survey, work, listed), monitor)
        request = ProveRequest(survey, plan.shots, plan.ladders, options.out, codec, kept, carriage)
        proof = prove(request, monitor, partial(certificate_files, key=key, monitor=monitor, draw=hatched), hands)
    for loss in proof.losses[len(carriage.losses) :]:
        print(f"bluffline: {loss}", file=sys.stderr)

    def summary() -> str:
        verdict = proof.verdict.replace("not legal", "NOT legal")
        treated = f"{len(proof.treatments)} of {len(plan.shots)} shots treated"
        rounds = "round" if proof.rounds == 1 else "rounds"
        paths = "\n".join(f"  {shown(path)}" for path in certificate_paths(options.out))
        told = f"{verdict} under {survey.rules.title}; {treated}, {proof.rounds} {rounds}."
        return f"{shown(options.out)}: {told}\n{options.out.name} in {codec.title}: {proof.coded}.\nCertificate:\n{paths}"

    if options.json is not None:
        _deliver(certificate_report(proof), options.json)
    if options.json != "-":
        print(summary())
    return _NOTHING_TO_FIX if proof.legal else _MUST_FIX


@contextmanager
def _hands(options: argparse.Namespace) -> Iterator[Hands | None]:
    """Those who share the work on one long file, where it was asked for; None: this process does it."""
    if options.jobs is None and options.cluster is None:
        yield None
        return
    with shift.workers(options) as executor:
        yield Hands(executor, 4 * options.jobs if options.jobs else _RUNS)


def _run(hands: Hands | None, survey: Survey, monitor: Monitor) -> Survey:
    return run_survey(survey, monitor) if hands is None else run_survey_in_runs(survey, hands, monitor)


def _path(where: str | None) -> Path | None:
    return None if where is None else Path(where)


def _deliver(report: object, where: str) -> None:
    """JSON to where it was asked for."""
    text = json.dumps(report, indent=2, ensure_ascii=False) + "\n"
    if where == "-":
        sys.stdout.write(text)
    else:
        save_text(Path(where), text)
