"""Shots, findings and waivers for an editor: as an edit list with locators, a timeline, a table, or captions."""

import csv
import io
from collections.abc import Iterator, Sequence
from fractions import Fraction
from html import escape
from itertools import groupby

from bluffline.errors import SettingsError
from bluffline.media.programme import Programme
from bluffline.report.check import finding_report, plain_cell
from bluffline.rules.catalogue import part_of
from bluffline.rules.finding import Finding
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

MARKERS = ".otio", ".edl", ".csv", ".vtt"
_COLOURS = {Severity.MUST_FIX: "RED", Severity.LOOK: "YELLOW", Severity.NOTE: "CYAN"}
_WAIVED = "GREEN"
_PLAIN = str.maketrans({"′": "'", "−": "-", "×": "x", "…": "...", "“": '"', "”": '"', "’": "'", "–": "-", "·": "-"})
_CSV = (
    *("what", "shot", "severity", "rule", "first_frame", "last_frame", "timecode_in", "timecode_out"),
    *("words", "waived_by", "reason"),
)


def markers_text(programme: Programme, shots: Sequence[Shot], findings: Sequence[Finding], ending: str) -> str:
    """Shots and findings in the form that a file's ending (see `MARKERS`) stands for.

    Raises
    ------
    SettingsError : that can't be written in this form
    """
    forms = {".otio": _timeline, ".edl": _edit_list, ".csv": _table, ".vtt": _captions}
    return forms[ending.lower()](programme, shots, findings)


def told(finding: Finding) -> str:
    """A finding in a line: what it asks for, what was found, and by whose word it passes."""
    words = ", ".join(filter(None, (finding.reason, part_of(finding))))
    if (waiver := finding.waiver) is not None:
        return f"waived: {words}; by {waiver.by}: {waiver.reason}"
    return f"{finding.severity}: {words}"


def _colour(finding: Finding) -> str:
    return _WAIVED if finding.waiver is not None else _COLOURS[finding.severity]


def _of_shots(shots: Sequence[Shot], findings: Sequence[Finding]) -> Iterator[tuple[int, Shot, list[Finding]]]:
    own = {number: list(each) for number, each in groupby(sorted(findings, key=_in_order), key=lambda each: each.shot)}
    for number, shot in enumerate(shots):
        yield number, shot, own.get(number, [])


def _in_order(finding: Finding) -> tuple[int, int]:
    return finding.shot, finding.first_frame


def _timeline(programme: Programme, shots: Sequence[Shot], findings: Sequence[Finding]) -> str:
    """An OpenTimelineIO timeline: a clip for each shot, a marker on it for each finding."""
    import opentimelineio as otio

    rate = float(programme.frame_rate)

    def span(first: int, last: int) -> "otio.opentime.TimeRange":
        start = otio.opentime.RationalTime(programme.timecode.start + first, rate)
        return otio.opentime.TimeRange(start, otio.opentime.RationalTime(last - first + 1, rate))

    whole = span(0, programme.frame_count - 1)
    timeline = otio.schema.Timeline(programme.title, global_start_time=whole.start_time)
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    for number, shot, own in _of_shots(shots, findings):
        media = otio.schema.ExternalReference(programme.path.absolute().as_uri(), whole)
        clip = otio.schema.Clip(f"shot {number + 1}", media, span(shot.first, shot.last))
        for each in own:
            data = {"bluffline": dict(finding_report(each, programme))}
            clip.markers.append(otio.schema.Marker(told(each), span(each.first_frame, each.last_frame), _colour(each), data))
        track.append(clip)
    text: str = otio.adapters.write_to_string(timeline, "otio_json")
    return text


def _edit_list(programme: Programme, shots: Sequence[Shot], findings: Sequence[Finding]) -> str:
    """A CMX 3600 list, in ASCII as those are: an event for each shot, a locator for each finding."""
    if programme.timecode.base > 100:
        raise SettingsError("An EDL counts frames in two digits; write an .otio, .csv or .vtt at this rate.")
    lines = [f"TITLE: {programme.title}", f"FCM: {'' if programme.timecode.drop else 'NON-'}DROP FRAME", ""]
    for number, shot, own in _of_shots(shots, findings):
        span = f"{programme.label(shot.first)} {programme.label(shot.last + 1)}"
        lines += [f"{number + 1:03d}  AX       V     C        {span} {span}", f"* FROM CLIP NAME: {programme.path.name}"]
        lines += [f"* LOC: {programme.label(each.first_frame)} {_colour(each):7} {told(each)}" for each in own]
    return "".join(f"{' '.join(line.split(chr(10)))}\n" for line in lines).translate(_PLAIN).encode("ascii", "replace").decode()


def _table(programme: Programme, shots: Sequence[Shot], findings: Sequence[Finding]) -> str:
    """A row for each shot, followed by one for each of its findings."""
    text = io.StringIO()
    writer = csv.DictWriter(text, _CSV, restval="", lineterminator="\n")
    writer.writeheader()

    def row(first: int, last: int, **cells: object) -> None:
        where = {"first_frame": first, "last_frame": last}
        labels = {"timecode_in": programme.label(first), "timecode_out": programme.label(last)}
        writer.writerow({name: plain_cell(value) for name, value in (where | labels | cells).items()})

    for number, shot, own in _of_shots(shots, findings):
        row(shot.first, shot.last, what="shot", shot=number + 1, words=f"shot {number + 1}")
        for each in own:
            waived = {"waived_by": each.waiver.by, "reason": each.waiver.reason} if each.waiver is not None else {}
            row(
                each.first_frame, each.last_frame, what="waived" if waived else "finding", shot=number + 1,
                severity=str(each.severity), rule=each.rule, words=told(each), **waived,
            )  # fmt: skip
    return text.getvalue()


def _captions(programme: Programme, shots: Sequence[Shot], findings: Sequence[Finding]) -> str:
    """WebVTT: a cue for each shot, and for each finding, by the file's own times."""
    cues = []
    for number, shot, own in _of_shots(shots, findings):
        cues.append((shot.first, shot.last, f"shot {number + 1}"))
        cues += [(each.first_frame, each.last_frame, told(each)) for each in own]
    parts = ["WEBVTT\n"]
    for place, (first, last, words) in enumerate(cues, 1):
        times = f"{_clock(programme, first)} --> {_clock(programme, last + 1)}"
        parts.append(f"{place}\n{times}\n{escape(' '.join(words.split()), quote=False)}\n")
    return "\n".join(parts)


def _clock(programme: Programme, frame: int) -> str:
    """When a frame begins, in hours, minutes, seconds and thousandths from the first; after the last, when that ends."""
    times, rate = programme.index.times, programme.frame_rate
    seconds = Fraction(frame) / rate
    if programme.index.variable:
        at = times[min(frame, len(times) - 1)] - times[0]
        seconds = int(at) * programme.time_base + (1 / rate if frame >= len(times) else 0)
    thousandths = round(seconds * 1000)
    minutes, thousandths = divmod(thousandths, 60_000)
    return f"{minutes // 60:02d}:{minutes % 60:02d}:{thousandths // 1000:02d}.{thousandths % 1000:03d}"
