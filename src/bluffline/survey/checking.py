"""Checking a programme as it stands: its word is bound to the very file that was read."""

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from bluffline.errors import MediaError
from bluffline.measure.sound import SoundMeasure
from bluffline.media.reader import Reader
from bluffline.rules.finding import Finding
from bluffline.rules.shots import Shot
from bluffline.survey.beside import Beside
from bluffline.survey.hearing import hear
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey, must_fix, run_survey, unreadable_frames

_BLOCK = 1 << 20


@dataclass(frozen=True)
class Checked:
    """What was found in a file, in which shots, and which file it was.

    ``sha256``: of the file, or of numbered pictures one after the other; ``size`` in bytes; ``modified``: when it was changed
    last; ``at``: when the check ended.
    """

    survey: Survey
    shots: list[Shot]
    findings: list[Finding]
    sha256: str
    size: int
    modified: datetime
    at: datetime

    @property
    def good(self) -> bool:
        """Whether nothing has to be fixed, and all of it was read."""
        return not must_fix(self.findings) and not unreadable_frames(self.survey)

    def divided(self, shots: list[Shot]) -> "Checked":
        """The same in other shots."""
        return self if shots == self.shots else replace(self, shots=shots, findings=self.survey.findings(shots))


def check(survey: Survey, monitor: Monitor, run: Callable[[Survey, Monitor], object] = run_survey) -> Checked:
    """Run a survey, and take the file's checksum while it is read; ``run``: runs it.

    Raises
    ------
    MediaError : the file could not be wholly read, or is no longer what was opened: it gets no verdict
    CancelledError : the monitor was asked to stop
    """
    hashing = Beside(lambda quiet: checksum(survey.programme.opening.files, quiet, ""))
    try:
        run(survey, monitor)
        sha256 = hashing.result()
    finally:
        hashing.stop()
    return _bound(survey, sha256)


def check_again(survey: Survey, monitor: Monitor) -> Checked:
    """Bind a survey that was made before to its file: every packet of the picture is read again, and every sound heard again.

    Raises
    ------
    MediaError : the file is no longer what was surveyed, or the survey is not finished
    """
    if not survey.complete:
        raise MediaError(f"{survey.programme.name} has not been measured wholly yet.")
    total = survey.programme.frame_count
    with Reader(survey.programme) as reader:
        alike = survey.read == [reader.packets_digest(lambda number: monitor.at("Reading again", number, total))]
    again = hear(survey.programme, tuple(sound.tracks for sound in survey.sounds), monitor)
    if not alike or not all(map(SoundMeasure.same, survey.sounds, again)):
        raise MediaError(f"{survey.programme.name} is not what was surveyed; survey it again.")
    return _bound(survey, checksum(survey.programme.opening.files, monitor, "the file"))


def _bound(survey: Survey, sha256: str) -> Checked:
    programme = survey.programme
    if programme.changed():
        raise MediaError(f"{programme.name} was changed while it was checked, so nothing is said of it; check it again.")
    stats = programme.identity.stats
    modified = max(stat[2] for stat in stats)
    size = sum(stat[1] for stat in stats)
    made = datetime.fromtimestamp(modified / 1e9, UTC)
    shots = survey.shots()
    return Checked(survey, shots, survey.findings(shots), sha256, size, made, datetime.now(UTC))


def checksum(paths: Sequence[Path], monitor: Monitor, name: str) -> str:
    """SHA-256 of a file, or of numbered pictures one after the other, in hexadecimal.

    Raises
    ------
    MediaError : it could not be read
    CancelledError : the monitor was asked to stop
    """
    digest, done = hashlib.sha256(), 0
    try:
        size = max(sum(path.stat().st_size for path in paths), 1)
        for path in paths:
            with path.open("rb") as file:
                while block := file.read(_BLOCK):
                    digest.update(block)
                    done += len(block)
                    monitor.at(f"Checksum of {name}", done, size, "bytes")
    except OSError as error:
        raise MediaError(f"{name.capitalize() or 'The file'} could not be read for its checksum: {error.strerror}.") from error
    return digest.hexdigest()
