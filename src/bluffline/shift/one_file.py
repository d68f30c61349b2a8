"""One file of a shift, from opening to what came of it: a function of plain data, so that it can be done anywhere."""

import socket
from array import array
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from time import monotonic
from typing import Any

import numpy as np

from bluffline import stopping
from bluffline.errors import BlufflineError, CancelledError, ElsewhereError, MediaError
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.handing import codec_to_hand_on
from bluffline.media.opening import Opening, shown
from bluffline.media.probe import probe
from bluffline.media.target import certificate_paths, put_certificate
from bluffline.prove.prove import Proof, ProveRequest, prove, refuse_unreadable
from bluffline.report.certificate import certificate_report, checked_report
from bluffline.report.certify import certificate_files, standing_certificate
from bluffline.report.check import frames_csv
from bluffline.report.files import save_text
from bluffline.report.keys import Keys, OwnKey
from bluffline.rules.columns import percent_columns
from bluffline.rules.finding import Waiver
from bluffline.rules.severity import Severity
from bluffline.session.faults import fault_of
from bluffline.session.fingerprint import fingerprint, stamped
from bluffline.session.kept_surveys import SurveyStore
from bluffline.session.likeness import looks_of, looks_text
from bluffline.session.plan import legalised, plan_of
from bluffline.session.store import DocumentStore, Known
from bluffline.session.workfile import WorkFile, beside, read_work
from bluffline.shift.profile import Profile
from bluffline.shift.states import State
from bluffline.shift.workers import tell_on_the_way
from bluffline.shift.worst import Pictured, worst_pictures
from bluffline.signal.format import NO_OVERRIDES, Overrides
from bluffline.survey.checking import Checked, check, check_again
from bluffline.survey.monitor import Monitor, Progress
from bluffline.survey.survey import Survey, start_survey
from bluffline.view.small import hatched

COLUMNS = 240  # of a small skyline, at most
_ENDS = ("y_min", "y_max", "rgb_min", "rgb_max")
_TELL_EVERY = 0.5  # seconds
_MOST = 3000  # tenths of a percent


@dataclass(frozen=True)
class Asked:
    """A file, and what is to be done to it.

    ``certify``: give it its certificate where it is good as it stands; ``target``: where a legal copy goes where it is not;
    ``leave``: the folder for the certificate of what is not written, beside it where None; ``work``: the work file that holds
    what was done to it; ``find_work``: take the one that lies beside it; ``read``: the operator's word beyond that of the
    profile; ``frames``: where the measurements of every frame go; ``content``: what the file holds, see `fingerprint`, where it
    is looked at from elsewhere; ``kept``: when the work that the desk keeps on it was last changed, which is then taken up;
    ``force``: replace what is there.
    """

    path: Path
    profile: Profile
    certify: bool = False
    target: Path | None = None
    leave: Path | None = None
    work: Path | None = None
    find_work: bool = False
    read: Overrides = NO_OVERRIDES
    waivers: tuple[Waiver, ...] = ()
    frames: Path | None = None
    content: str = ""
    kept: str = ""
    force: bool = False

    @property
    def standing(self) -> Path:
        """The name by which its certificate is called where it is good as it stands."""
        return self.path if self.leave is None else self.leave / self.path.name

    @property
    def outputs(self) -> list[Path]:
        """The files that it may leave."""
        written = [self.target, *certificate_paths(self.target)] if self.target is not None else []
        beside = certificate_paths(self.standing) if self.certify else []
        return [*written, *beside, *([self.frames] if self.frames is not None else [])]


@dataclass(frozen=True)
class Told:
    """What came of a file.

    ``sentence``: in words; ``report``: `checked_report` or `certificate_report`, empty where it was refused; ``skyline``: least
    and greatest luma and R′G′B′ of up to `COLUMNS` runs of frames, in tenths of a percent, one after the other; ``limits``: of
    luma and R′G′B′, in percent; ``written``: files that were left; ``at``: when it ended; ``seconds``: that it took; ``looks``:
    of its shots, see `likeness`; ``pictures``: of the frames where it is worst, see `worst_pictures`; ``sent_back``: why a
    gateway refused it, empty where none did.
    """

    state: State
    sentence: str
    report: Any = field(default_factory=dict, repr=False)
    skyline: bytes = field(default=b"", repr=False)
    limits: tuple[float, float, float, float] = (0.0, 100.0, 0.0, 100.0)
    written: tuple[str, ...] = ()
    at: str = ""
    seconds: float = 0.0
    looks: str = field(default="", repr=False)
    pictures: tuple[Pictured, ...] = field(default=(), repr=False)
    sent_back: str = ""

    @property
    def checked(self) -> dict[str, Any]:
        """What was found in the file as it came, in the form of schema ``bluffline.check/2``; empty where nothing was."""
        found: dict[str, Any] = self.report.get("before", self.report)
        return found

    def count(self, severity: Severity) -> int:
        """How many findings as grave as this it came with that nobody has waived."""
        found = self.checked.get("findings", ())
        return sum(each["severity"] == severity and "waived" not in each for each in found)


def work_kept(path: Path) -> str:
    """When the work that the desk keeps on a file was last changed; empty where there is none, or it can't be read."""
    try:
        return DocumentStore().changed(fingerprint(Opening.of(path).files))
    except (BlufflineError, OSError):
        return ""


class _Telling:
    """Tells how far a file is to whoever gave it, now and then."""

    def __init__(self) -> None:
        self._told, self._stage = 0.0, ""

    def __call__(self, progress: Progress) -> None:
        now = monotonic()
        if progress.stage != self._stage or now - self._told > _TELL_EVERY:
            self._told, self._stage = now, progress.stage
            tell_on_the_way(progress)


def do(asked: Asked) -> Told:
    """Do what is asked of a file. Whatever goes wrong with it is told in a sentence, and nothing of it is left behind.

    Raises
    ------
    ElsewhereError : it is another file here, or none
    CancelledError : it was asked to stop
    """
    began = monotonic()
    try:
        told = _done(asked, Monitor(_Telling()))
    except (CancelledError, ElsewhereError):
        raise
    except (BlufflineError, OSError) as error:
        if stopping.asked():
            raise
        told = Told(State.REFUSED, fault_of(error, "").sentence)
    except Exception as error:  # a file that breaks the program is one that could not be done
        if stopping.asked():
            raise
        told = Told(State.REFUSED, fault_of(error, f"What was asked of {shown(asked.path.name)}").sentence)
    return replace(told, at=datetime.now(UTC).isoformat(timespec="seconds"), seconds=monotonic() - began)


def measured(asked: Asked, monitor: Monitor) -> tuple[Checked, WorkFile | None]:
    """Open a file as its profile and its work say, measure it, or take what was measured before and hold it to the file.

    Raises
    ------
    MediaError, SettingsError, RulesError, ChartError, OSError : it can't be done, for a reason told in a sentence
    CancelledError : the monitor was asked to stop
    """
    rules, surveys = asked.profile.judged_by(), SurveyStore()
    named = asked.work or (beside(asked.path) if asked.find_work else None)
    work = read_work(named, asked.path) if named is not None else None
    if work is not None and not work.same:
        raise MediaError(f"{shown(named or '')} is work on another file than {shown(asked.path)}.")
    rate, track = (work.rate, work.track) if work is not None else (None, None)
    said = asked.profile.read.joined(work.overrides if work is not None else NO_OVERRIDES).joined(asked.read)
    if asked.content and not asked.path.exists():
        raise ElsewhereError(f"{shown(asked.path)} is not there where it was to be measured: {socket.gethostname()}.")
    files = Opening.of(asked.path, rate).files
    content = fingerprint(files)
    if asked.content not in ("", content):
        raise ElsewhereError(f"{shown(asked.path)} is another file where it was to be measured: {socket.gethostname()}.")
    mark = stamped(content, files)
    programme = probe(asked.path, rate=rate, track=track, walk=surveys.walk(mark, (rate, track), monitor)).read_as(said)
    survey = start_survey(programme, rules, region=surveys.region(programme, mark))
    if work is None and asked.kept and (kept := DocumentStore().recall(Known(content, asked.path))) is not None:
        work = WorkFile(asked.path, rate, programme.picture, kept[1], kept[0], same=True)
    waivers = (*asked.waivers, *(work.work.waivers if work is not None else ()))
    survey = replace(survey, waivers=waivers)
    if surveys.fill(survey, mark) and survey.complete:
        checked = check_again(survey, monitor)
    else:
        checked = check(survey, monitor)
        surveys.keep(survey, mark)
    return checked.divided(plan_of(survey, work).shots), work


def _done(asked: Asked, monitor: Monitor) -> Told:
    key = Keys().own() if asked.certify or asked.target is not None else None  # told before anything is measured
    checked, work = measured(asked, monitor)
    survey = checked.survey
    drawn, limits = small_skyline(survey), (*survey.rules.limits.luma, *survey.rules.limits.rgb)
    looks, pictures = looks_text(looks_of(survey.table, checked.shots)), worst_pictures(survey, checked.findings)
    kept: tuple[str, ...] = ()
    if asked.frames is not None:
        asked.frames.parent.mkdir(parents=True, exist_ok=True)
        save_text(asked.frames, frames_csv(survey))
        kept = (str(asked.frames),)
    treated = work is not None and bool(plan_of(survey, work).ladders)
    if asked.target is not None and key is not None and (treated or not checked.good):
        proof = _legalised(asked, survey, work, key, monitor)
        state = State.PROVED if proof.legal else State.TO_FIX
        written = tuple(str(path) for path in (asked.target, *certificate_paths(asked.target)))
        proved = certificate_report(proof)
        return Told(state, proof.verdict, proved, drawn, limits, (*kept, *written), looks=looks, pictures=pictures)
    report = checked_report(checked)
    left: tuple[str, ...] = ()
    if checked.good and asked.certify and key is not None:
        name = asked.standing
        name.parent.mkdir(parents=True, exist_ok=True)
        files = {name.parent / path.name: data for path, data in standing_certificate(checked, key, monitor, hatched).items()}
        put_certificate(name, files, force=asked.force)
        left = tuple(map(str, files))
    state = State.GOOD if checked.good else State.TO_FIX
    return Told(state, report["verdict"], report, drawn, limits, (*kept, *left), looks=looks, pictures=pictures)


def _legalised(asked: Asked, survey: Survey, work: WorkFile | None, key: OwnKey, monitor: Monitor) -> Proof:
    target, profile = asked.target, asked.profile
    assert target is not None
    if target.exists() and not asked.force:
        raise MediaError(f"{shown(target)} is there already; --force replaces it.")
    codec = codec_for(target, profile.codec or None, codec_to_hand_on(survey.programme))
    target.parent.mkdir(parents=True, exist_ok=True)
    carriage = rehearse(survey.programme, survey.source, codec, target)
    refuse_unreadable(survey, None)
    plan = legalised(survey, plan_of(survey, work), monitor)
    request = ProveRequest(survey, plan.shots, plan.ladders, target, codec, None, carriage)
    return prove(request, monitor, partial(certificate_files, key=key, monitor=monitor, draw=hatched))


def small_skyline(survey: Survey) -> bytes:
    """Least and greatest luma and R′G′B′ of up to `COLUMNS` runs of frames that are as long as each other."""
    percent, frames = percent_columns(survey.table, survey.source), len(survey.table)
    if not frames:
        return b""
    count = min(frames, COLUMNS)
    starts = np.arange(count) * frames // count
    with np.errstate(invalid="ignore"):
        columns = [(np.fmin if name.endswith("min") else np.fmax).reduceat(percent[name], starts) for name in _ENDS]
    tenths = np.clip(np.nan_to_num(np.stack(columns) * 10), -_MOST, _MOST).astype(np.int16)
    return array("h", tenths.ravel().tolist()).tobytes()
