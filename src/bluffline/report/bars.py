"""A bars check as data and in words."""

from typing import Any

from bluffline.figures import figure
from bluffline.measure.bars import BarsReading
from bluffline.media.programme import Programme


def bars_report(reading: BarsReading, programme: Programme, frame: int) -> dict[str, Any]:
    """The check in the form of schema ``bluffline.bars/1``; luma in percent, chroma in percent of ±50, hue in degrees."""
    return {
        "schema": "bluffline.bars/1",
        "file": programme.name,
        "frame": frame,
        "timecode": programme.label(frame),
        "pattern": reading.pattern,
        "right": reading.right,
        "verdict": reading.verdict,
        "tagged": {"matrix": str(reading.source.matrix), "range": str(reading.source.range)},
        "made_as": {"matrix": str(reading.made_matrix), "range": str(reading.made_range)},
        "luma_gain": round(reading.gain, 4),
        "setup": round(reading.setup, 2),
        "chroma_gain": round(reading.saturation, 4),
        "hue": round(reading.hue, 2),
        "residual": round(reading.residual, 3),
        "bars": [
            {
                "name": bar.name,
                "luma": round(bar.luma, 2),
                "luma_error": round(bar.luma_error, 2),
                "cb": round(bar.chroma[0] * 100, 2),
                "cr": round(bar.chroma[1] * 100, 2),
                "chroma_gain": None if bar.chroma_gain is None else round(bar.chroma_gain, 4),
                "hue_error": None if bar.hue_error is None else round(bar.hue_error, 2),
            }
            for bar in reading.bars
        ],
    }


def describe_bars(reading: BarsReading) -> str:
    """The check as a table of text, the verdict last."""
    lines = [f"{'bar':<8} {'luma':>8} {'error':>8} {'chroma':>8} {'hue':>8}"]
    for bar in reading.bars:
        gain = "" if bar.chroma_gain is None else f"×{bar.chroma_gain:.3f}"
        hue = "" if bar.hue_error is None else f"{figure(bar.hue_error, '+.1f')}°"
        luma, error = figure(bar.luma, ">6.1f"), figure(bar.luma_error, ">+6.1f")
        lines.append(f"{bar.name:<8} {luma} % {error} % {gain:>8} {hue:>8}")
    return "\n".join([*lines, reading.verdict])
