"""Where shots begin by an editor's list: an EDL (CMX 3600), or OpenTimelineIO's own file."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil, isfinite
from pathlib import Path
from typing import Any

from bluffline.errors import SettingsError
from bluffline.intake import read_text
from bluffline.media.opening import shown
from bluffline.media.programme import Programme
from bluffline.media.timecode import Timecode

CUT_LISTS = ".edl", ".otio"
_LABEL = re.compile(r"\d{2}:\d{2}:\d{2}[:;.,]\d{2,3}")
_SHORTEST = 8  # words of an event: its number, reel, channels, transition, and two times twice
_NEAR = Fraction(1, 5000)  # of a frame rate: a list may say 29.97 of what is 30000/1001


@dataclass(frozen=True)
class CutList:
    """``starts``: the frames of a programme that shots begin at, ascending, its first left out; ``told``: what was taken."""

    starts: tuple[int, ...]
    told: str


def read_cuts(path: Path, programme: Programme) -> CutList:
    """Read where the shots of a programme begin; timecodes of the list are held against its own.

    A dissolve or wipe parts shots in its middle.

    Raises
    ------
    SettingsError : it can't be read, is about other times than the programme's, or is at another rate
    """
    name = shown(path.name)
    try:
        text = read_text(path)
    except UnicodeDecodeError as error:
        raise SettingsError(f"{name} is no edit list: it is no text.") from error
    except OSError as error:
        raise SettingsError(f"{shown(path)} can't be read: {error.strerror}.") from error
    ending = path.suffix.lower()
    if ending not in CUT_LISTS:
        raise SettingsError(f"{name} is no edit list that is read here; these are: {', '.join(CUT_LISTS)}.")
    try:
        edges, passed = _of_edl(text, programme) if ending == ".edl" else _of_timeline(text, programme)
    except ValueError as error:
        raise SettingsError(f"{name} can't be taken: {error}.") from error
    count = programme.frame_count
    inside = sorted({edge for edge in edges if 0 < edge < count})
    if edges and not any(0 <= edge <= count for edge in edges):
        first, last = (programme.label(each) for each in (0, count - 1))
        raise SettingsError(f"{name} is about other times: none of its cuts lies in the programme, {first} to {last}.")
    outside = len({edge for edge in edges if not 0 <= edge <= count})
    told = [f"shots begin at {len(inside)} frame{'s' if len(inside) != 1 else ''} after the first"]
    told += [f"{outside} more lie outside the programme"] if outside else []
    return CutList(tuple(inside), "; ".join((*told, *passed)))


def _of_edl(text: str, programme: Programme) -> tuple[Sequence[int], Sequence[str]]:
    """The frames that pictures begin and end at, by their record times, and what was passed over."""
    drop, begins, ends, sounds, strange = False, [], [], 0, 0
    for line in text.splitlines():
        words = line.split()
        if line.strip().upper().startswith("FCM:"):
            drop = "NON" not in line.upper()
        if not line.strip()[:1].isdigit():
            continue
        if len(words) < _SHORTEST or not all(map(_LABEL.fullmatch, words[-4:])):
            strange += 1
            continue
        channels = words[2].upper()
        if not ("V" in channels or channels.startswith("B")):  # B: both
            sounds += 1
            continue
        mixed = next((int(word) for word in words[4:-4] if word.isdigit()), 0)
        first, after = (_frame(label, programme, drop=drop or label[8] in ";,") for label in words[-2:])
        if first < after:  # the first line of a dissolve lasts for nothing
            begins.append((first, mixed))
            ends.append(after)
    if not begins:
        raise ValueError("it has no event with a picture")
    starts = {first for first, _ in begins}
    edges = [first + mixed // 2 for first, mixed in begins] + [end for end in ends if end not in starts]
    passed = [f"lines that were not understood: {strange}"] if strange else []
    return edges, passed + ([f"events of sound alone, passed over: {sounds}"] if sounds else [])


def _frame(label: str, programme: Programme, *, drop: bool) -> int:
    """The number of the frame of a programme that a record time names."""
    clock = programme.timecode
    if drop != clock.drop:
        told = ("non-drop", "drop-frame")
        raise ValueError(f"it counts {told[drop]}, and the programme {told[clock.drop]}")
    found = Timecode.parse(f"{label[:8]}{';' if drop else ':'}{label[9:]}", programme.frame_rate)
    if not found.told:
        raise ValueError(f"{label} is no timecode at the programme's {float(programme.frame_rate):.5g} frames/s")
    day = 86_400 * clock.base - (1_296 * (clock.base // 15) if clock.drop else 0)  # frames: a programme may run over midnight
    return (found.start - clock.start) % day


def _of_timeline(text: str, programme: Programme) -> tuple[Sequence[int], Sequence[str]]:
    """The frames that clips of the first track of pictures begin and end at, and what was passed over."""
    import opentimelineio as otio

    strange = (otio.exceptions.OTIOError, ValueError, TypeError, AttributeError, RuntimeError, OverflowError)
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
        tracks = timeline.video_tracks() if isinstance(timeline, otio.schema.Timeline) else []
        clips = [child for track in tracks[:1] for child in track if not isinstance(child, otio.schema.Transition)]
        ranges = [each for each in (child.trimmed_range_in_parent() for child in clips) if each is not None]
        ends = [time for each in ranges for time in (each.start_time, each.end_time_exclusive())]
    except strange as error:
        raise ValueError("it is no timeline that can be read") from error
    if not ends:
        raise ValueError("it has no clip on a track of pictures")
    begin = timeline.global_start_time
    offset = 0 if begin is None else _frames(begin, programme) - programme.timecode.start
    more = f"tracks of pictures beside the first are passed over: {len(tracks) - 1}"
    return [_frames(time, programme) + offset for time in ends], [more] if len(tracks) > 1 else []


def _frames(time: Any, programme: Programme) -> int:
    """A time as a number of the programme's frames."""
    if abs(time.rate / float(programme.frame_rate) - 1) > _NEAR:
        raise ValueError(f"it is at {time.rate:.5g} frames/s, and the programme at {float(programme.frame_rate):.5g}")
    if not isfinite(time.value):
        raise ValueError("it holds a time that is none")
    return ceil(float(time.value) - 0.001)
