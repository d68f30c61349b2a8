"""What came of many files: a line of ``bluffline.batch/1`` each, a table, and a page with their skylines."""

import csv
import io
from array import array
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from bluffline import __version__
from bluffline.report.check import plain_cell
from bluffline.report.forms import BatchForm
from bluffline.report.pages import page

_WIDTH, _HEIGHT = 240, 36
_RANGE = (-12.0, 125.0)  # percent from the foot to the top of a small skyline
_COLUMNS = (
    *("path", "state", "profile", "rules", "must_fix", "look", "note", "waived"),
    *("verdict", "seconds", "size_bytes", "sha256", "at"),
)


@dataclass(frozen=True)
class FileRow:
    """What is told of one file of a batch.

    ``state``: in words; ``rank``: the worst comes first; ``report``: in the form of ``bluffline.check/2`` or ``certificate/2``;
    ``skyline``: four rows of tenths of a percent, see `shift.one_file.Told`; ``seconds``: that it took, 0 where it was known.
    """

    path: str
    state: str
    rank: int
    profile: str
    rules: str
    counts: dict[str, int]
    verdict: str
    seconds: float
    known: bool
    at: str
    report: Any = field(repr=False)
    skyline: bytes = field(repr=False)
    limits: tuple[float, float, float, float]
    written: tuple[str, ...]

    @property
    def file(self) -> dict[str, Any]:
        """The facts of the file as it came; empty where it could not be read."""
        found: dict[str, Any] = self.report.get("before", self.report).get("file", {})
        told = {name: self.report.get(name) for name in ("sha256", "size")}
        return {name: each["source"] for name, each in told.items() if isinstance(each, dict)} | found


def row_report(row: FileRow) -> BatchForm:
    """One file as data, in the form of schema ``bluffline.batch/1``."""
    return {
        "schema": "bluffline.batch/1",
        "version": __version__,
        "path": row.path,
        "state": row.state,
        "profile": row.profile,
        "rules": row.rules,
        "must_fix_findings": row.counts["must_fix"],
        "look_findings": row.counts["look"],
        "note_findings": row.counts["note"],
        "waived_findings": row.counts["waived"],
        "verdict": row.verdict,
        "seconds": round(row.seconds, 3),
        "from_an_earlier_run": row.known,
        "at": row.at,
        "written": list(row.written),
        "report": row.report or None,
    }


def batch_csv(rows: Sequence[FileRow]) -> str:
    """One row a file."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for row in rows:
        counts = [row.counts[name] for name in ("must_fix", "look", "note", "waived")]
        facts = row.file.get("size", ""), row.file.get("sha256", "")
        cells = [row.path, row.state, row.profile, row.rules, *counts, row.verdict, f"{row.seconds:.1f}", *facts, row.at]
        writer.writerow([plain_cell(cell) for cell in cells])
    return text.getvalue()


def batch_page(rows: Sequence[FileRow], counts: Sequence[tuple[str, int]], told: Sequence[str]) -> str:
    """All files as one self-contained HTML page, the worst first."""
    ordered = sorted(rows, key=lambda row: (row.rank, -row.counts["must_fix"], -row.counts["look"], row.path))
    text: str = page("batch.html.j2").render(
        rows=[(row, small_skyline_svg(row.skyline, row.limits)) for row in ordered],
        counts=counts, told=told, version=__version__,
    )  # fmt: skip
    return text


def small_skyline_svg(skyline: bytes, limits: Sequence[float]) -> str:
    """A skyline of up to 240 columns as SVG: luma filled, R′G′B′ in outline, what is outside the limits hatched."""
    columns = array("h", skyline)
    count = len(columns) // 4
    low, high = _RANGE

    def height(percent: float) -> float:
        return _HEIGHT * (high - min(max(percent, low), high)) / (high - low)

    def band(upper: Sequence[float], lower: Sequence[float]) -> str:
        wide = _WIDTH / max(count, 1)
        top = [f"{(n + end) * wide:.1f},{height(value):.1f}" for n, value in enumerate(upper) for end in (0, 1)]
        foot = [f"{(n + end) * wide:.1f},{height(value):.1f}" for n, value in enumerate(lower) for end in (0, 1)]
        return " ".join(top + foot[::-1])

    y_low, y_high, rgb_low, rgb_high = ([v / 10 for v in columns[n * count : (n + 1) * count]] for n in range(4))
    outside = [
        band([max(v, limit) for v in top], [limit] * count) for top, limit in ((y_high, limits[1]), (rgb_high, limits[3]))
    ] + [band([limit] * count, [min(v, limit) for v in foot]) for foot, limit in ((y_low, limits[0]), (rgb_low, limits[2]))]
    drawn: str = page("small_skyline.svg.j2").render(
        width=_WIDTH, height=_HEIGHT, luma=band(y_high, y_low), rgb=band(rgb_high, rgb_low), outside=outside if count else [],
        lines=[height(value) for value in limits[:2]],
    )  # fmt: skip
    return drawn
