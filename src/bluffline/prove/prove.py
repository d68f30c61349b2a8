"""Proving: write, read back what was written, measure it again by the same rules, until it passes."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType

import numpy as np

from bluffline.errors import MediaError, SettingsError, WriteError
from bluffline.measure.bars import read_bars
from bluffline.measure.frame_signal import FrameSignal
from bluffline.media.carriage import Carriage
from bluffline.media.codecs import Codec
from bluffline.media.reader import Reader
from bluffline.media.riders import words_for
from bluffline.media.target import claimed
from bluffline.media.writer import refuse_source_as_target
from bluffline.memory import give_back_memory
from bluffline.propose.propose import Proposal, luma_extremes, propose, tightened
from bluffline.prove.handing import HandedOn, why_all_encoded
from bluffline.prove.pictures import KeepUnreadable, refuse_changed, refuse_other_light
from bluffline.prove.render import render
from bluffline.rules.catalogue import aspect_of
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.rules.shots import Shot
from bluffline.survey.checking import checksum
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands, run_survey_in_runs
from bluffline.survey.survey import Survey, must_fix, run_survey, start_survey, unreadable_frames
from bluffline.treat.ladder import Treatment, acts

MOST_ROUNDS = 4
_LEAST_MARGIN, _MOST_MARGIN = 0.5, 3.0  # percent a round
_OVERSHOOT_SHARE = 0.6
_SHOWN_RUNS = 12
_KEEP = 64 << 20  # bytes of frames that are looked at more than once


@dataclass(frozen=True)
class ProveRequest:
    """What is to be written: a complete survey of the source, its shots, and their treatments by shot number.

    ``keep_unreadable``: what is written for frames that can't be read; without it a source that has some is refused.
    ``carriage``: which tracks go over, and what is lost; all tracks where None.
    """

    survey: Survey
    shots: Sequence[Shot]
    treatments: dict[int, Treatment]
    target: Path
    codec: Codec
    keep_unreadable: KeepUnreadable | None = None
    carriage: Carriage | None = None


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
    unreadable: tuple[int, ...] = ()
    source_size: int = 0
    written_size: int = 0
    handed_on: HandedOn = field(default_factory=HandedOn)

    @property
    def legal(self) -> bool:
        """Whether the written file has nothing left that must be fixed, and all of the source was read."""
        return not must_fix(self.after_findings) and not self.unreadable

    @property
    def verdict(self) -> str:
        """The outcome in a few words."""
        if self.unreadable:
            count = len(self.unreadable)
            return f"not proved: {count} frame{'s' if count > 1 else ''} could not be read"
        waived = sum(finding.waiver is not None for finding in self.after_findings)
        but = f" but for {waived} finding{'s' if waived > 1 else ''} waived" if waived else ""
        if self.legal:
            return f"{'picture and sound' if self.after.sounds else 'picture'} proved legal{but}"
        left = sorted({"sound" if aspect_of(each) is Aspect.SOUND else "picture" for each in must_fix(self.after_findings)})
        return f"{' and '.join(left)} not legal"

    @property
    def coded(self) -> str:
        """How many frames went over as they are coded, and how many were encoded anew, and why, if all were."""
        total, handed = self.request.survey.programme.frame_count, self.handed_on
        if handed.because:
            return f"all {total} frames encoded anew, since {handed.because}"
        return f"{handed.frames} of {total} frames handed on as they are coded, {total - handed.frames} encoded anew"

    @property
    def losses(self) -> list[str]:
        """What of the source is not in the written file: what was foreseen, and what rode on frames and was not read back."""
        told = list(self.request.carriage.losses) if self.request.carriage else []
        lost = words_for(self.request.survey.riding - self.after.riding)
        return [*told, *(f"Not carried: {words}." for words in lost)]


# What a certificate makes of a proof: the texts that are to stand beside the written file, by their paths.
Certify = Callable[[Proof], Mapping[Path, bytes]]


def frame_list(numbers: Sequence[int]) -> str:
    """Frame numbers as runs: 3, 7–9."""
    runs: list[list[int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    told = [f"{first}" if first == last else f"{first}–{last}" for first, last in runs[:_SHOWN_RUNS]]
    return ", ".join(told) + (" …" if len(runs) > _SHOWN_RUNS else "")


def refuse_unreadable(survey: Survey, keep: KeepUnreadable | None) -> None:
    """A source with frames that can't be read is not treated as if they were there.

    Raises
    ------
    MediaError : it has some, and it was not said what is to be written for them
    """
    missing = unreadable_frames(survey)
    if missing and keep is None:
        raise MediaError(
            f"{len(missing)} of {survey.programme.frame_count} frames of {survey.programme.name} can't be read "
            f"({frame_list(missing)}), so it can't be proved; --keep-unreadable hold or black writes it all the same."
        )


def propose_all(
    survey: Survey,
    shots: Sequence[Shot],
    findings: Sequence[Finding],
    monitor: Monitor | None = None,
    treatments: Mapping[int, Treatment] = MappingProxyType({}),
) -> list[Proposal]:
    """The least treatment for every shot that needs one; steps on colours that it has in ``treatments`` are kept.

    Colour bars are not treated unless they have steps already: what they show is what they are for.
    What is waived is left as it is.
    Levels that contradict their tag are told with their evidence, and never remapped here: see `prove.suggesting`.
    """
    proposals = []
    with Reader(survey.programme, keep_bytes=_KEEP) as reader:
        for number, shot in enumerate(shots):
            found = [finding for finding in findings if finding.shot == number and finding.waiver is None]
            given = treatments.get(number, ())
            if found and not given and _is_line_up(reader, shot, survey):
                continue
            proposal = propose(survey, number, shot, found, reader.planes, given)
            if proposal is not None:
                proposals.append(proposal)
            if monitor is not None:
                monitor.at("Legalise", number + 1, len(shots), "shots")
    return proposals


def _is_line_up(reader: Reader, shot: Shot, survey: Survey) -> bool:
    """Whether a shot shows colour bars, by its middle frame."""
    planes = reader.planes(shot.middle)
    return planes is not None and read_bars(FrameSignal(planes, survey.source), survey.region) is not None


def prove(request: ProveRequest, monitor: Monitor, certify: Certify = lambda _: {}, hands: Hands | None = None) -> Proof:
    """Write the treated programme and prove it; ``hands``: who renders and measures in runs, this process where None.

    Each round renders to a temporary name beside the target, reads that file back and surveys it; where coding has
    pushed a shot over a limit again, the shot's treatment keeps further clear of it in the next round; shots that were to be
    left as they are, though they break a limit, are. Treated shots
    are judged without any allowance for rounding, so that any other meter says the same. Only then does the file get the
    target's name, and what ``certify`` makes of the proof is put beside it; an older certificate is gone before. After the
    last round it does so even if findings remain, and the proof says so.

    Raises
    ------
    WriteError, MediaError, CancelledError : nothing stands under the target's name that was not there before.
    """
    survey, target = request.survey, request.target
    refuse_source_as_target(survey.programme.path, target)
    refuse_unreadable(survey, request.keep_unreadable)
    for place, other in enumerate(survey.table.formats):
        if (frames := np.flatnonzero((survey.table.column("format") == place) & survey.table.column("readable"))).size:
            refuse_other_light(other, survey.source, int(frames[0]))
    treatments = dict(request.treatments)
    before = survey.findings(list(request.shots))
    # Bars, and what the operator leaves as it is: nothing is treated that was not to be.
    left_alone = {finding.shot for finding in must_fix(before)} - {n for n, steps in treatments.items() if acts(steps)}
    why = why_all_encoded(survey, request.codec)
    handed = HandedOn(because=why)
    with claimed(target, "unproved") as claim:
        working = claim.working
        for turn in range(1, MOST_ROUNDS + 1):
            told = f", round {turn}" if turn > 1 else ""
            written, digest = render(
                survey.programme, survey.source, request.shots, treatments, working, request.codec, monitor,
                region=survey.region, keep_unreadable=request.keep_unreadable, stage=f"Render{told}",
                tracks=request.carriage.tracks if request.carriage else None, hands=hands,
                handed=None if why else handed,
            )  # fmt: skip
            if survey.read and survey.read != [digest]:
                raise MediaError(f"{survey.programme.name} is not what was surveyed any more; open it again.")
            treated = tuple(request.shots[number] for number, steps in sorted(treatments.items()) if acts(steps))
            after = replace(start_survey(written, survey.rules, region=survey.region), exact=treated, waivers=survey.waivers)
            if hands is not None:
                run_survey_in_runs(after, hands, monitor, stage=f"Read back{told}")
            else:
                run_survey(after, monitor, stage=f"Read back{told}")
            if handed.digest and after.read != [handed.digest]:
                raise WriteError("What was handed on is not what was read back of the written file, so it was not kept.")
            give_back_memory()
            findings = after.findings(list(request.shots))
            to_mend = [finding for finding in must_fix(findings) if finding.shot not in left_alone]
            if not to_mend or turn == MOST_ROUNDS:
                break
            tightened_up = _with_margin(request, treatments, to_mend)
            if tightened_up == treatments:  # no step answers what is left
                break
            treatments = tightened_up
        source_checksum = checksum(survey.programme.opening.files, monitor, "the source")
        refuse_changed(survey.programme)
        proof = Proof(
            request=request,
            before=before,
            after=after,
            after_findings=findings,
            treatments=treatments,
            rounds=turn,
            source_checksum=source_checksum,
            written_checksum=checksum((working,), monitor, "the written file"),
            finished=datetime.now(UTC),
            unreadable=tuple(unreadable_frames(survey)),
            source_size=sum(stat[1] for stat in survey.programme.identity.stats),
            written_size=working.stat().st_size,
            handed_on=handed,
        )
        claim.settle(certify(proof))
    return proof


def _with_margin(request: ProveRequest, treatments: dict[int, Treatment], findings: list[Finding]) -> dict[int, Treatment]:
    survey = request.survey
    limits = survey.rules.limits
    bounds = {
        "luma-high": limits.luma[1], "luma-low": limits.luma[0], "rgb-high": limits.rgb[1], "rgb-low": limits.rgb[0],
    }  # fmt: skip
    margins: dict[tuple[int, str], float] = {}
    for finding in findings:
        for rule, _ in finding.made_of:  # together too much, though none of them is by itself
            margins[finding.shot, rule] = max(margins.get((finding.shot, rule), 0.0), _LEAST_MARGIN)
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
            changed[shot] = tightened(changed.get(shot, ()), rule, margin, extremes, limits, survey.source)
    return changed
