"""Taking a programme under control: all that reads a file, done before the session is asked to take it over."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from bluffline.media.opening import Opening, shown
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.rules.rules import Rules
from bluffline.rules.shots import Shot
from bluffline.session.fingerprint import fingerprint, stamped
from bluffline.session.hold import Hold
from bluffline.session.kept_surveys import SurveyStore
from bluffline.session.likeness import Looks
from bluffline.session.store import DocumentStore, Kept, Known
from bluffline.session.work import Work
from bluffline.session.workfile import ENDING, WorkFile, read_work
from bluffline.signal.format import NO_OVERRIDES, Overrides
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey, start_survey


@dataclass(frozen=True, eq=False)
class Opened:
    """A programme ready to be taken over.

    ``known``: what it is known by; ``mark``: the same with its times of change; ``hold``: the right to work on it; ``kept``:
    earlier work on it; ``brought``: work from a file of its own; ``before``: work on another delivery of its name, see
    `DocumentStore`; ``told``: what the operator has to know of them.
    """

    programme: Programme
    survey: Survey
    known: Known
    mark: str
    hold: Hold
    kept: Kept | None = None
    brought: WorkFile | None = None
    before: tuple[Work, list[Shot], Looks] | None = None
    told: str = ""


def take_in(
    path: Path, rules: Rules, documents: DocumentStore, surveys: SurveyStore, held: Hold | None = None,
    *, rate: Fraction | None = None, track: int | None = None, read: Overrides = NO_OVERRIDES, monitor: Monitor | None = None,
) -> Opened:  # fmt: skip
    """Open a programme, or the work on one; its survey is begun and has to be run.

    Parameters
    ----------
    held : what this desk holds already
    rate, track : as for `probe`
    read : the operator's word on how it is read

    Raises
    ------
    MediaError : it can't be read
    SettingsError : another desk has it under control, or a work file can't be used
    ChartError : the chart that the rules ask for can't be used
    OSError : the disk refuses
    CancelledError : the monitor was asked to stop
    """
    brought, told, said = None, "", read
    if path.suffix == ENDING:
        brought = read_work(path)
        path, rate, track, said = brought.programme, brought.rate, brought.track, brought.overrides
        if not brought.same:
            told = f"{shown(path)} is another file than the work was made for; it went to the shots at the same frames"
        elif brought.rules is not None and brought.rules.checksum != rules.checksum:
            told = f"The work was judged by {brought.rules.title}; {rules.title} is in force here"
    files = Opening.of(path, rate).files  # what is no programme is refused before it is read, as a pipe has to be
    known = Known(fingerprint(files), path)
    mark = stamped(known.content, files)
    programme = probe(path, rate=rate, track=track, walk=surveys.walk(mark, (rate, track), monitor or Monitor())).read_as(said)
    hold = held if held is not None and held.mark == known.content else documents.hold(known.content)
    try:
        survey = start_survey(programme, rules, region=surveys.region(programme, mark))
        documents.told = ""
        kept = documents.recall(known)
        before = documents.delivered_before(known) if kept is None and brought is None else None
    except BaseException:
        if hold is not held:
            hold.release()
        raise
    return Opened(programme, survey, known, mark, hold, kept, brought, before, told or documents.told)
