"""A survey as data: ``bluffline.check/2`` and the frame table."""

import csv
import io
from dataclasses import asdict
from math import inf
from typing import Any

from bluffline.media.opening import shown
from bluffline.media.programme import Programme, Track
from bluffline.report.forms import CheckForm, FindingForm, RulesForm, ShotForm, TrackForm, TransitionForm
from bluffline.report.looked_at import judged, not_judged
from bluffline.rules.catalogue import RULES, part_of
from bluffline.rules.finding import Finding
from bluffline.rules.rulefile import SHIPPED, load_rules
from bluffline.rules.rules import Rules
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition
from bluffline.rules.waivers import waiver_to
from bluffline.signal.matrix import standard
from bluffline.signal.naming import colours
from bluffline.survey.checking import Checked
from bluffline.survey.survey import Survey, must_fix

_COLUMNS = (
    *("y_min", "y_max", "y_mean", "cb_min", "cb_max", "cr_min", "cr_max"),
    *("rgb_min", "rgb_max", "luma_high_area", "luma_low_area", "rgb_high_area", "rgb_low_area", "outside_area"),
    *("clip_high_level", "clip_high_area", "clip_low_level", "clip_low_area", "reserved", "blanking_area"),
)


def check_report(survey: Survey, shots: list[Shot] | None = None, findings: list[Finding] | None = None) -> CheckForm:
    """The survey in the form of schema ``bluffline.check/2``; ``findings``: as they were judged, where that was done."""
    programme, source = survey.programme, survey.source
    shots = survey.shots() if shots is None else shots
    findings = survey.findings(shots) if findings is None else findings
    report: CheckForm = {
        "schema": "bluffline.check/2",
        "file": {
            "path": programme.name,
            "container": programme.container,
            "codec": programme.codec,
            "width": source.width,
            "height": source.height,
            "frame_rate": f"{programme.frame_rate.numerator}/{programme.frame_rate.denominator}",
            "variable_frame_rate": programme.index.variable,
            "frame_count": programme.frame_count,
            "missing_frames": programme.index.missing,
            "video_track": programme.picture,
            "pixel_format": programme.pixel_format,
            "bit_depth": source.bit_depth,
            "sampling": source.sampling.replace("′", ""),
            "interlaced": source.interlaced,
            "top_field_first": source.top_field_first if source.interlaced else None,
            "chroma_location": str(source.siting),
            "chroma_location_assumed": "chroma location" in source.assumed,
            "range": str(source.range),
            "range_assumed": "range" in source.assumed,
            "matrix": str(source.matrix),
            "matrix_assumed": "matrix" in source.assumed,
            "primaries": source.primaries,
            "primaries_assumed": "primaries" in source.assumed,
            "transfer": source.transfer,
            "transfer_assumed": "transfer" in source.assumed,
            "overrides": overrides(programme),
            "read_as": programme.overrides.said,
            "start_timecode": programme.label(0),
            "active_picture": survey.region.as_list(),
            "tracks": [track_report(track) for track in programme.tracks],
            "notes": list(programme.notes),
        },
        "rules": rules_report(survey.rules),
        "verdict": verdict(survey, findings),
        "must_fix": len(must_fix(findings)),
        "waived": sum(finding.waiver is not None for finding in findings),
        "judged": judged(survey),
        "not_judged": not_judged(survey),
        "shots": list(map(_shot, shots)),
        "findings": [finding_report(finding, programme) for finding in findings],
    }
    if survey.exact:
        report["exact"] = [[shot.first, shot.last] for shot in survey.exact]
    return report


def _shot(shot: Shot) -> ShotForm:
    told: ShotForm = {"first_frame": shot.first, "last_frame": shot.last}
    if shot.opens is not None:
        told["opens"] = _transition(shot.opens)
    if shot.closes is not None:
        told["closes"] = _transition(shot.closes)
    return told


def _transition(transition: Transition) -> TransitionForm:
    return {"kind": str(transition.kind), "first_frame": transition.first, "last_frame": transition.last}


def _figures(asked: Any) -> dict[str, Any]:
    """What a section asks, without what it leaves free, which no JSON can say."""
    return {name: value for name, value in asdict(asked).items() if value != inf}


def overrides(programme: Programme) -> dict[str, str]:
    """The operator's word against the file's own, by what it is about."""
    told = programme.tagged
    was = {
        "range": told.range, "matrix": told.matrix, "primaries": told.primaries, "transfer": told.transfer,
        "fields": told.scan, "chroma location": told.siting,
    }  # fmt: skip
    said = programme.overrides.said
    return {name: f"{standard(was[name])} read as {standard(now)}" for name, now in said.items() if str(was[name]) != now}


def verdict(survey: Survey, findings: list[Finding]) -> str:
    """What the findings come to, and what that is about."""
    count = len(must_fix(findings))
    left = "nothing to fix" if not count else f"{count} finding{'s' if count > 1 else ''} that must be fixed"
    waived = sum(finding.waiver is not None for finding in findings)
    passed = f"; {waived} finding{'s' if waived > 1 else ''} waived" if waived else ""
    filtered = f", judged after a {survey.rules.filter} filter" if survey.rules.low_pass else ""
    judged = "picture and sound" if survey.sounds else "the picture"
    return f"{left} in {judged} under {rules_name(survey.rules)}{filtered}{passed}"


def track_report(track: Track) -> TrackForm:
    """A track as data."""
    return {
        "index": track.index,
        "kind": track.kind,
        "description": track.description,
        "language": track.language,
        "flags": list(track.flags),
        "offset": track.offset,
    }


def rules_report(rules: Rules) -> RulesForm:
    """The rules in force as data: limits in percent, what is tolerated, and whether they are shipped ones to the letter."""
    return {
        "name": rules.name,
        "title": rules.title,
        "shipped": rules.shipped or None,
        "sha256": rules.checksum,
        "luma": list(rules.limits.luma),
        "rgb": list(rules.limits.rgb),
        "gamut": rules.gamut,
        "reserved": "forbidden" if rules.reserved else "allowed",
        "filter": rules.filter,
        "tolerance": {"area": rules.area, "frames": rules.frames, "gap": rules.gap},
        "areas": [
            {"name": area.name, "box": list(area.box), "use": "leave out" if area.luma is None else None, "luma": area.luma}
            for area in rules.areas
        ],
        "asked": {rule.key: _figures(rule.asked(rules)) for rule in RULES if rule.section is not None and rule.on(rules)},
    }


def finding_report(finding: Finding, programme: Programme) -> FindingForm:
    """One finding as data; frames and shots counted from 0, ends included."""
    found: FindingForm = {
        "rule": finding.rule,
        "severity": str(finding.severity),
        "shot": finding.shot,
        "first_frame": finding.first_frame,
        "last_frame": finding.last_frame,
        "timecode_in": programme.label(finding.first_frame),
        "timecode_out": programme.label(finding.last_frame),
        "worst_frame": finding.worst_frame,
        "worst_value": finding.worst_value,
        "unit": finding.unit,
        "worst_area": finding.worst_area,
        "reason": finding.reason,
        "runs": finding.runs,
        "frames": finding.frames or finding.length,
    }
    if finding.made_of:
        found["made_of"] = dict(finding.made_of)
    if finding.waiver is not None:
        found["waived"] = waiver_to(finding.waiver)
    return found


def frames_csv(survey: Survey) -> str:
    """One row a frame: luma and chroma in native codes, R′G′B′ and areas in percent; empty where unreadable."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("frame", "timecode", *_COLUMNS))
    for number, row in enumerate(survey.table.rows):
        label = survey.programme.label(number)
        values = [_cell(row, name) for name in _COLUMNS] if row["readable"] else [""] * len(_COLUMNS)
        writer.writerow((number, label, *values))
    return text.getvalue()


def _cell(row: Any, name: str) -> str:
    if name == "blanking_area":
        return f"{100 * row['blank_lit'] / max(row['blank_pixels'], 1):.3f}"
    value = row[name]
    return str(value) if value.dtype.kind == "i" else f"{float(value):.3f}"


def findings_csv(findings: list[Finding], programme: Programme) -> str:
    """One row a finding, with the columns of `finding_report`."""
    text = io.StringIO()
    rows = [finding_report(finding, programme) for finding in findings]
    columns = (
        *("rule", "severity", "shot", "first_frame", "last_frame", "timecode_in", "timecode_out"),
        *("worst_frame", "worst_value", "unit", "worst_area", "reason", "runs", "frames"),
    )
    writer = csv.DictWriter(text, columns, lineterminator="\n", extrasaction="ignore")
    writer.writeheader()
    writer.writerows({name: plain_cell(value) for name, value in row.items()} for row in rows)
    return text.getvalue()


def plain_cell(value: Any) -> Any:
    """A cell that a table program takes as text, whatever it begins with."""
    return f"'{value}" if isinstance(value, str) and value[:1] in "=+-@\t\r" and value else value


def rules_name(rules: Rules) -> str:
    """The title of rules; where it is that of shipped rules that they are not, so much is said."""
    titled = next((known for known in SHIPPED if load_rules(known).title.casefold() == rules.title.casefold()), "")
    return rules.title if titled in ("", rules.shipped) else f"{rules.title} (a rule file of its own, not the shipped one)"


def describe(survey: Survey, checked: Checked | None = None) -> str:
    """The result of a survey in a few lines, and of which file it is, where that is known."""
    findings = survey.findings() if checked is None else checked.findings
    programme, source = survey.programme, survey.source
    lines = [
        (
            f"{shown(programme.path.name)}: {source.width}×{source.height}, {float(programme.frame_rate):.4g} frames/s, "
            f"{source.sampling} {source.bit_depth}-bit, {colours(source)}, "
            f"{programme.frame_count} frames from {programme.label(0)}"
        ),
        *(f"  note      {note}" for note in programme.notes),
    ]
    if checked is not None:
        changed = f"changed {checked.modified:%Y-%m-%d %H:%M:%S} UTC"
        lines.insert(1, f"  file      {checked.size} bytes, {changed}, sha256 {checked.sha256}")
    for finding in findings:
        when = f"{programme.label(finding.first_frame)} – {programme.label(finding.last_frame)}"
        told = ", ".join(filter(None, (finding.reason, part_of(finding))))
        if finding.waiver is not None:
            told += f"; waived by {finding.waiver.by}: {finding.waiver.reason}"
        lines.append(f"  {'waived' if finding.waiver else finding.severity:<8}  shot {finding.shot + 1:<3} {when}  {told}")
    lines += [f"  not judged  {each}" for each in not_judged(survey)]
    told = verdict(survey, findings)
    lines.append(f"{told[0].upper()}{told[1:]}")
    return "\n".join(lines)
