"""What a row of the list says of a file, and what is done with it next."""

from fractions import Fraction

from bluffline.rules.severity import Severity
from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.states import State
from bluffline.survey.monitor import Progress

GROUPS: tuple[tuple[str, frozenset[State]], ...] = (
    ("need a person", frozenset({State.TO_FIX, State.REFUSED})),
    ("good as they are", frozenset({State.GOOD})),
    ("proved", frozenset({State.PROVED})),
    ("delivered", frozenset({State.DELIVERED})),
    ("put off or sent back", frozenset({State.PUT_OFF, State.SENT_BACK})),
    ("being measured", frozenset({State.MEASURING})),
    ("waiting or growing", frozenset({State.WAITING, State.GROWING})),
)
ONE = {"need a person": "needs a person", "good as they are": "good as it is"}
_NEXT = {State.TO_FIX: "take", State.GOOD: "certify", State.PROVED: "deliver", State.PUT_OFF: "take up"}


def found_in(file: FileInHand) -> str:
    """What was found in a file, in a few words."""
    told = file.told
    if file.progress is not None:
        return f"{file.progress.stage.lower()}, {_percent(file.progress)} %"
    if told is None or file.state in (State.GROWING, State.WAITING, State.MEASURING):
        return str(file.state)
    if file.state is State.REFUSED:
        return "could not be done"
    if told.sent_back and file.state is State.TO_FIX:
        return f"sent back: {told.sent_back}"
    must, look, notes = (told.count(severity) for severity in Severity)
    counts = [(must, "must fix"), (look, "look"), (int(told.checked.get("waived", 0)), "waived")]
    if not must and not look:
        counts.append((notes, "note" if notes == 1 else "notes"))
    said = ", ".join(f"{count} {words}" for count, words in counts if count)
    if file.state is State.PROVED:
        return f"proved, {told.count(Severity.MUST_FIX)} answered"
    if file.state in (State.DELIVERED, State.PUT_OFF, State.SENT_BACK):
        return f"{file.state} {file.since[11:16]} UTC"
    if file.told is not None and file.told.written and file.state is State.GOOD:
        return f"certified, {said or 'nothing'}"
    return said or "nothing"


def part_done(file: FileInHand) -> float | None:
    """How much is done of what is done with a file now, 0 … 1; None where that is not known."""
    progress = file.progress
    return min(progress.done / progress.total, 1.0) if progress is not None and progress.total else None


def _percent(progress: Progress) -> int:
    return int(100 * min(progress.done, progress.total) / progress.total) if progress.total else 0


def next_for(file: FileInHand) -> str:
    """What is done with a file next, in a word; while it is under way, what that is."""
    if file.asked_for:
        return "…"
    if file.state is State.GOOD and file.told is not None and file.told.written:
        return "deliver"
    return _NEXT.get(file.state, "")


def gravity(file: FileInHand) -> tuple[int, ...]:
    """Less for what is graver: what could not be done, then by what was found."""
    counts = (-file.told.count(severity) for severity in Severity) if file.told is not None else (1,) * len(Severity)
    return (-(file.state is State.REFUSED), *counts)


def seconds_of(file: FileInHand) -> float:
    """How long a file is; 0 where that is not known."""
    facts = file.told.checked.get("file", {}) if file.told is not None else {}
    return float(facts["frame_count"] / Fraction(facts["frame_rate"])) if facts else 0.0


def length_of(file: FileInHand) -> str:
    """How long a file is, in hours, minutes and seconds; empty where that is not known."""
    if file.told is None or "file" not in file.told.checked:
        return ""
    seconds = int(seconds_of(file))
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
