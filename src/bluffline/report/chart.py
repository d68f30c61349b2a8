"""A chart's measurement and fit as data and in words."""

from typing import Any

import numpy as np

from bluffline.charts.fit import ChartFit, Stage
from bluffline.charts.frame import SURE
from bluffline.charts.reference import Reference
from bluffline.charts.shot import ChartShot
from bluffline.charts.tint import describe_tint
from bluffline.media.programme import Programme
from bluffline.signal.difference import delta_e_1976
from bluffline.treat.stored import step_to


def chart_report(programme: Programme, reference: Reference, shot: ChartShot, fit: ChartFit) -> dict[str, Any]:
    """The chart in the form of schema ``bluffline.chart/1``: Lab under D65, ΔE as CIEDE2000 unless it says otherwise."""
    frame, layout = shot.chart_frame, reference.layout
    warnings = shot.samples.warnings(layout)
    return {
        "schema": "bluffline.chart/1",
        "file": programme.name,
        "frame": shot.frame,
        "timecode": programme.label(shot.frame),
        "reference": reference.title,
        "corners": [[round(x, 2), round(y, 2)] for x, y in frame.corners],
        "placed": "by hand" if frame.confidence is None else "found",
        "confidence": None if frame.confidence is None else round(frame.confidence, 3),
        "mirrored": frame.mirrored,
        "frames_averaged": shot.samples.frames,
        "tint": {stage.name: tint_of(stage, reference) for stage in fit.stages},
        "stages": [_stage_report(stage) for stage in fit.stages],
        "chosen": fit.result.name,
        "worse": list(fit.worse),
        "notes": [*doubts(shot), *fit.notes],
        "patches": [
            {
                "name": name,
                "neutral": n in layout.neutral,
                "used": bool(fit.used[n]),
                "reference_lab": _rounded(reference.lab[n]),
                "measured_lab": _rounded(fit.stages[0].lab[n]),
                "fitted_lab": _rounded(fit.result.lab[n]),
                "delta_e": {stage.name: round(float(stage.difference.total[n]), 3) for stage in fit.stages},
                "delta_e_parts": {
                    stage.name: {
                        part: round(float(getattr(stage.difference, part)[n]), 3) for part in ("lightness", "chroma", "hue")
                    }
                    for stage in fit.stages
                },
                "delta_e_1976": {
                    stage.name: round(float(delta_e_1976(stage.lab[n], reference.lab[n])), 3) for stage in fit.stages
                },
                "spread": round(float(shot.samples.spread[n]), 3),
                "clipped": round(float(shot.samples.clipped[n]), 4),
                "warnings": list(warnings[n]),
            }
            for n, name in enumerate(reference.names)
        ],
    }


def _stage_report(stage: Stage) -> dict[str, Any]:
    total, left_out = stage.difference.total, stage.left_out_mean
    return {
        "name": stage.name,
        "mean": round(stage.mean, 3),
        "median": round(float(np.median(total)), 3),
        "p95": round(float(np.percentile(total, 95)), 3),
        "worst": round(float(total.max()), 3),
        "left_out_mean": None if np.isnan(left_out) else round(left_out, 3),
        "steps": [step_to(step) for step in stage.steps],
    }


def doubts(shot: ChartShot) -> list[str]:
    """What is to be told of a chart frame that was found, but not surely, or that is not the only one."""
    found, told = shot.chart_frame, []
    if found.confidence is not None and found.confidence < SURE:
        told = [
            f"The chart was found with a confidence of only {found.confidence:.2f}: check its corners, or place them by hand."
        ]
    if found.others:
        x, y = np.mean(found.corners, axis=0)
        told.append(
            f"There are {found.others + 1} charts like it in the picture; the one around {x:.0f}, {y:.0f} is measured: "
            "place its corners to choose."
        )
    return told


def tint_of(stage: Stage, reference: Reference) -> str:
    """What the tint of the neutral patches says at a stage."""
    return describe_tint(stage.lab[list(reference.layout.neutral)])


def describe_chart(report: dict[str, Any]) -> str:
    """The report as a table of text with what there is to tell under it."""
    names = [stage["name"] for stage in report["stages"]]
    head = f"{'patch':<14} {'reference L a b':>22} {'measured L a b':>22} " + " ".join(f"{name:>10}" for name in names)
    lines = [_place_line(report), "", head]
    for patch in report["patches"]:
        lab = [" ".join(f"{value:>6.1f}" for value in patch[key]) for key in ("reference_lab", "measured_lab")]
        differences = " ".join(f"{patch['delta_e'][name]:>10.2f}" for name in names)
        told = f"  {', '.join(patch['warnings'])}" if patch["warnings"] else ""
        lines.append(f"{patch['name']:<14} {lab[0]:>22} {lab[1]:>22} {differences}{told}")
    for label, key in (("mean ΔE2000", "mean"), ("median", "median"), ("95th percentile", "p95"), ("worst", "worst"),
                       ("mean, left out", "left_out_mean")):  # fmt: skip
        values = [stage[key] for stage in report["stages"]]
        lines.append(f"{label:<60} " + " ".join(f"{'–' if value is None else format(value, '.2f'):>10}" for value in values))
    lines += ["", report["tint"]["source"], *report["notes"]]
    return "\n".join(lines).replace(" -", " −")


def _place_line(report: dict[str, Any]) -> str:
    corners = "  ".join(f"{x:.1f},{y:.1f}" for x, y in report["corners"])
    how = "placed by hand" if report["confidence"] is None else f"found with confidence {report['confidence']:.2f}"
    return (
        f"{report['reference']}, frame {report['frame']}, {report['timecode']}: {how}, corners {corners}, "
        f"{report['frames_averaged']} frame{'s' if report['frames_averaged'] > 1 else ''} averaged"
    )


def _rounded(lab: Any) -> list[float]:
    return [round(float(value), 3) for value in lab]
