"""Proving: write, read back what was written, measure it again by the same rules, until it passes."""

import hashlib
import os
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType

from bluffline.errors import SettingsError, WriteError
from bluffline.media.reader import Reader
from bluffline.media.writer import Codec, refuse_source_as_target
from bluffline.prove.monitor import Monitor
from bluffline.prove.propose import Proposal, luma_extremes, propose, tightened
from bluffline.prove.render import render
from bluffline.prove.survey import Survey, must_fix, run_survey, start_survey
from bluffline.rules.findings import Finding
from bluffline.rules.shots import Shot
from bluffline.treat.steps import Treatment

MOST_ROUNDS = 4
_LEAST_MARGIN, _MOST_MARGIN = 0.5, 3.0  # percent a round
_OVERSHOOT_SHARE = 0.6
_BLOCK = 1 << 20


@dataclass(frozen=True)
class ProveRequest:
    """What is to be written: a complete survey of the source, its shots, and their treatments by shot number."""

    survey: Survey
    shots: Sequence[Shot]
    treatments: dict[int, Treatment]
    target: Path
    codec: Codec


@dataclass(frozen=True)
class Proof:
    """What was written and what it measured: the whole of a certificate."""

    request: ProveRequest
    before: list[Finding]
    after: Survey
    after_findings: list[Finding]
    treatments: dict[int, Treatment]
    rounds: int
    source_checksum: str
    written_checksum: str
    finished: datetime

    @property
    def legal(self) -> bool:
        """Whether the written file has nothing left that must be fixed."""
        return not must_fix(self.after_findings)


def propose_all(
    survey: Survey,
    shots: Sequence[Shot],
    findings: Sequence[Finding],
    monitor: Monitor | None = None,
    treatments: Mapping[int, Treatment] = MappingProxyType({}),
) -> list[Proposal]:
    """The least treatment for every shot that needs one; steps on colours that it has in ``treatments`` are kept."""
    proposals = []
    with Reader(survey.programme) as reader:
        for number, shot in enumerate(shots):
            found = [finding for finding in findings if finding.shot == number]
            proposal = propose(survey, number, shot, found, lambda n: reader.frame(n).planes, treatments.get(number, ()))
            if proposal is not None:
                proposals.append(proposal)
            if monitor is not None:
                monitor.at("Legalise", number + 1, len(shots), "shots")
    return proposals


def prove(request: ProveRequest, monitor: Monitor) -> Proof:
    """Write the treated programme and prove it.

    Each round renders to a temporary name beside the target, reads that file back and surveys it; where coding has
    pushed a shot over a limit again, the shot's treatment keeps further clear of it in the next round. Only then does
    the file get the target's name. After the last round it does so even if findings remain, and the proof says so.

    Raises
    ------
    WriteError, MediaError, CancelledError : nothing stands under the target's name that was not there before.
    """
    survey, target = request.survey, request.target
    refuse_source_as_target(survey.programme.path, target)
    treatments = dict(request.treatments)
    working = target.with_name(f".{target.stem}.{os.getpid()}.unproved{target.suffix}")
    try:
        for turn in range(1, MOST_ROUNDS + 1):
            told = f", round {turn}" if turn > 1 else ""
            written = render(
                survey.programme, survey.source, request.shots, treatments, working, request.codec, monitor,
                stage=f"Render{told}",
            )  # fmt: skip
            after = start_survey(written, survey.rules, region=survey.region)
            run_survey(after, monitor, stage=f"Read back{told}")
            findings = after.findings(list(request.shots))
            if not must_fix(findings) or turn == MOST_ROUNDS:
                break
            treatments = _with_margin(request, treatments, findings)
        source_checksum = _checksum(survey.programme.path, monitor, "the source")
        written_checksum = _checksum(working, monitor, "the written file")
        _settle(working, target)
    finally:
        working.unlink(missing_ok=True)
    return Proof(
        request=request,
        before=survey.findings(list(request.shots)),
        after=after,
        after_findings=findings,
        treatments=treatments,
        rounds=turn,
        source_checksum=source_checksum,
        written_checksum=written_checksum,
        finished=datetime.now(UTC),
    )


def _with_margin(request: ProveRequest, treatments: dict[int, Treatment], findings: list[Finding]) -> dict[int, Treatment]:
    survey = request.survey
    limits = survey.rules.limits
    bounds = {
        "luma-high": limits.luma[1], "luma-low": limits.luma[0], "rgb-high": limits.rgb[1], "rgb-low": limits.rgb[0],
    }  # fmt: skip
    margins: dict[tuple[int, str], float] = {}
    for finding in must_fix(findings):
        if finding.rule not in bounds:
            continue  # no step answers it: the proof says what remains
        excess = abs(finding.worst_value - bounds[finding.rule]) * _OVERSHOOT_SHARE
        key = finding.shot, finding.rule
        margins[key] = max(margins.get(key, _LEAST_MARGIN), min(excess, _MOST_MARGIN))
    changed = dict(treatments)
    for (shot, rule), margin in margins.items():
        extremes = luma_extremes(survey, request.shots[shot])
        # Limits too narrow for any more margin leave the treatment as it was, and the proof says what remains.
        with suppress(SettingsError):
            changed[shot] = tightened(changed.get(shot, ()), rule, margin, extremes, limits)
    return changed


def _checksum(path: Path, monitor: Monitor, name: str) -> str:
    """SHA-256 of a file, in hexadecimal."""
    digest, size, done = hashlib.sha256(), max(path.stat().st_size, 1), 0
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            digest.update(block)
            done += len(block)
            monitor.at(f"Checksum of {name}", done, size, "bytes")
    return digest.hexdigest()


def _settle(working: Path, target: Path) -> None:
    """Give the finished file its name, after it has reached the disk."""
    try:
        with working.open("rb+") as file:
            os.fsync(file.fileno())
        working.replace(target)
    except OSError as error:
        raise WriteError(f"{target.name} could not be given its name: {error.strerror}.") from error
