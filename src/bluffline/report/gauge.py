"""Saving a gauge: PNG, SVG or CSV by the file's ending."""

from pathlib import Path

from bluffline.errors import SettingsError
from bluffline.gauges.instrument import Trace
from bluffline.gauges.painting import TraceStyle
from bluffline.gauges.scale import Unit
from bluffline.measure.counted import Limits
from bluffline.report.files import save_bytes, save_text
from bluffline.signal.format import SignalFormat

ENDINGS = (".png", ".svg", ".csv")
SIZE = (960, 540)


def save_gauge(
    path: Path, trace: Trace, title: str, source: SignalFormat, limits: Limits, *, size: tuple[int, int] = SIZE,
    unit: Unit = Unit.PERCENT, look: TraceStyle | None = None, gamut: str | None = None,
) -> None:  # fmt: skip
    """Write a gauge whole or not at all.

    Raises
    ------
    SettingsError : the ending is none of `ENDINGS`.
    WriteError : the disk refuses.
    """
    from bluffline.gauges.export import counts_csv, lay_out, png, svg

    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise SettingsError(f"A gauge is saved as {', '.join(ENDINGS)}, not as {path.name}.")
    if ending == ".csv":
        save_text(path, counts_csv(trace))
        return
    picture = lay_out(trace, title, size, source, limits, unit=unit, look=look, gamut=gamut)
    if ending == ".svg":
        save_text(path, svg(picture))
    else:
        save_bytes(path, png(picture))
