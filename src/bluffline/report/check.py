"""A survey as data: ``bluffline.check/1`` and the frame table."""

import csv
import io
from typing import Any

from bluffline.media.programme import Programme
from bluffline.prove.survey import Survey, must_fix
from bluffline.rules.findings import Finding
from bluffline.rules.shots import Shot

_COLUMNS = (
    *("y_min", "y_max", "y_mean", "cb_min", "cb_max", "cr_min", "cr_max"),
    *("rgb_min", "rgb_max", "luma_high_area", "luma_low_area", "rgb_high_area", "rgb_low_area"),
    *("clip_high_level", "clip_high_area", "clip_low_level", "clip_low_area"),
)


def check_report(survey: Survey, shots: list[Shot] | None = None) -> dict[str, Any]:
    """The survey in the form of schema ``bluffline.check/1``."""
    programme, source = survey.programme, survey.source
    shots = survey.shots() if shots is None else shots
    findings = survey.findings(shots)
    return {
        "schema": "bluffline.check/1",
        "file": {
            "path": str(programme.path),
            "container": programme.container,
            "codec": programme.codec,
            "width": source.width,
            "height": source.height,
            "frame_rate": f"{programme.frame_rate.numerator}/{programme.frame_rate.denominator}",
            "variable_frame_rate": programme.index.variable,
            "frame_count": programme.frame_count,
            "pixel_format": programme.pixel_format,
            "bit_depth": source.bit_depth,
            "sampling": source.sampling.replace("′", ""),
            "interlaced": source.interlaced,
            "range": str(source.range),
            "range_assumed": "range" in source.assumed,
            "matrix": str(source.matrix),
            "matrix_assumed": "matrix" in source.assumed,
            "primaries": source.primaries,
            "primaries_assumed": "primaries" in source.assumed,
            "transfer": source.transfer,
            "transfer_assumed": "transfer" in source.assumed,
            "start_timecode": programme.label(0),
            "active_picture": survey.region.as_list(),
            "tracks": [{"kind": track.kind, "description": track.description} for track in programme.tracks],
        },
        "rules": {"name": survey.rules.name, "title": survey.rules.title},
        "verdict": "fail" if must_fix(findings) else "pass",
        "shots": [{"first_frame": shot.first, "last_frame": shot.last} for shot in shots],
        "findings": [finding_report(finding, programme) for finding in findings],
    }


def finding_report(finding: Finding, programme: Programme) -> dict[str, Any]:
    """One finding as data; frames and shots counted from 0, ends included."""
    return {
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
    }


def frames_csv(survey: Survey) -> str:
    """One row a frame: luma and chroma in native codes, R′G′B′ and areas in percent; empty where unreadable."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("frame", "timecode", *_COLUMNS))
    for number, row in enumerate(survey.table.rows):
        label = survey.programme.label(number)
        values = [_cell(row[name]) for name in _COLUMNS] if row["readable"] else [""] * len(_COLUMNS)
        writer.writerow((number, label, *values))
    return text.getvalue()


def _cell(value: Any) -> str:
    return str(value) if value.dtype.kind == "i" else f"{float(value):.3f}"


def findings_csv(findings: list[Finding], programme: Programme) -> str:
    """One row a finding, with the columns of `finding_report`."""
    text = io.StringIO()
    rows = [finding_report(finding, programme) for finding in findings]
    columns = (
        *("rule", "severity", "shot", "first_frame", "last_frame", "timecode_in", "timecode_out"),
        *("worst_frame", "worst_value", "unit", "worst_area", "reason"),
    )
    writer = csv.DictWriter(text, columns, lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue()


def describe(survey: Survey) -> str:
    """A survey's result in a few lines."""
    programme, source = survey.programme, survey.source
    findings = survey.findings()
    assumed = f" (assumed: {', '.join(sorted(source.assumed))})" if source.assumed else ""
    lines = [
        (
            f"{programme.path.name}: {source.width}×{source.height}, {float(programme.frame_rate):.4g} frames/s, "
            f"{source.sampling} {source.bit_depth}-bit, {source.range} range, matrix {source.matrix}{assumed}, "
            f"{programme.frame_count} frames from {programme.label(0)}"
        )
    ]
    for finding in findings:
        when = f"{programme.label(finding.first_frame)} – {programme.label(finding.last_frame)}"
        worst = f"{finding.reason}, {finding.worst_area:.1f} % of the picture"
        lines.append(f"  {finding.severity:<8}  shot {finding.shot + 1:<3} {when}  {worst}")

    count = len(must_fix(findings))
    lines.append(f"{survey.rules.title}: " + (f"{count} must-fix findings" if count else "nothing to fix"))
    return "\n".join(lines)
