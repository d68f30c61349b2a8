"""What of a programme was judged, and what was not and why: no verdict speaks of more than was looked at."""

from collections.abc import Iterator

from bluffline.figures import figure
from bluffline.measure.sound import QUIETEST, SoundMeasure, decibels
from bluffline.measure.spots import LEAST_PICTURES
from bluffline.media.riders import words_for
from bluffline.rules.catalogue import RULES
from bluffline.rules.each.hdr import Hdr, content_light, frames_in
from bluffline.signal.matrix import standard
from bluffline.survey.survey import Survey, unreadable_frames

_BESIDE = {
    "audio": ("sound", "its levels and content are not measured"),
    "video": ("second picture", "not measured; --track takes it"),
    "subtitle": ("captions", "not read"),
    "timecode": ("timecode", "only its first label is read"),
    "chapters": ("chapters", "their titles are not read"),
    "cover": ("cover picture", "not measured"),
}
_JUDGED = {"subtitle": "what they say is not read", "timecode": ""}  # of tracks that a rule looks at, what is left
_HDR = Hdr()
_UNHEARD = "part of no programme sound that the rules name"


def judged(survey: Survey) -> list[str]:
    """What was judged, each in a few words."""
    rules, programme, region = survey.rules, survey.programme, survey.region
    read = programme.frame_count - len(unreadable_frames(survey))
    things = [words for rule in RULES if rule.on(rules) and (words := rule.told(rules))]
    return [
        f"Video track {programme.picture}: {read} of {programme.frame_count} frames, picture {region.width}×{region.height}",
        *(_sound(each) for each in survey.sounds),
        *([f"Light: {light}"] if (light := measured_light(survey)) else []),
        f"By {rules.title}: {', '.join(things)}",
    ]


def measured_light(survey: Survey) -> str:
    """MaxCLL and MaxFALL as they are measured; empty where nobody asks for them, or no frame is PQ."""
    if _HDR.measured(survey.rules) is None or not frames_in(survey.table, "pq").any():
        return ""
    peak, mean = content_light(survey.table)
    return f"MaxCLL {peak:.0f} cd/m², MaxFALL {mean:.0f} cd/m² measured"


def _sound(sound: SoundMeasure) -> str:
    numbers = " and ".join(map(str, sound.tracks))
    top = figure(float(decibels(sound.true_peak.max(initial=0))), ".1f")
    told = f"{figure(sound.integrated, '.1f')} LUFS" if sound.integrated > QUIETEST else "silent"
    return f"Sound track {numbers}: {sound.seconds:.1f} s, {told}, range {sound.range:.1f} LU, true peak {top} dBTP"


def not_judged(survey: Survey) -> list[str]:
    """What was not judged, each with the reason."""
    return [*_of_the_file(survey), *_of_the_rules(survey)]


def _of_the_file(survey: Survey) -> Iterator[str]:
    programme, on = survey.programme, [rule for rule in RULES if rule.on(survey.rules)]
    heard = {number for sound in survey.sounds for number in sound.tracks}
    left = {"audio": _UNHEARD} if any(survey.heard) else {}
    left |= {rule.beside: _JUDGED[rule.beside] for rule in on if rule.beside}
    for track in programme.tracks:
        kind, why = _BESIDE.get(track.kind, (track.kind, "not read"))
        why = left.get(track.kind, why)
        if track.index not in heard and why:
            yield f"Track {track.index}, {kind} ({track.description}): {why}"
    for words in words_for(survey.riding - {rule.rides for rule in on}):
        yield f"{words[0].upper()}{words[1:]}: not read"
    if programme.carried.alpha:
        yield "Alpha channel: not measured"
    if unreadable := unreadable_frames(survey):
        yield f"Frames that could not be measured: {len(unreadable)}"


def _of_the_rules(survey: Survey) -> Iterator[str]:
    rules = survey.rules
    if off := [words for rule in RULES if not rule.on(rules) and (words := rule.told(rules))]:
        yield f"Not asked for by the rules: {', '.join(off)}"
    if rules.left_out:
        yield f"Left out by the rules: {', '.join(area.name for area in rules.left_out)}"
    if survey.spots and not survey.spots[0].told:
        pictures = survey.spots[0].looked_at
        yield f"Dead pixels: {LEAST_PICTURES} pictures that are unlike one another tell of any, and it has {pictures}"
    if survey.source.transfer in ("pq", "hlg") and not measured_light(survey):
        yield f"Brightness on a display: {standard(survey.source.transfer)} is judged by its code values"

