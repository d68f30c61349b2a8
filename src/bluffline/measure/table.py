"""The survey's result: one row a frame, kept as columns."""

from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import astuple, fields
from operator import attrgetter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import survey_kernels as kernels
from bluffline.measure.fields import FieldVote
from bluffline.measure.flashes import FlashHistory, FlashMeasure
from bluffline.measure.frame_measure import FrameMeasure
from bluffline.measure.level_evidence import LevelEvidence
from bluffline.signal.format import SignalFormat

LOOK_SIZE = 16 * 9 + 64  # bytes of a frame's look: mean luma of a grid, and shares of tones and hues
DRIFT = 12  # frames back that a frame is held against as well: what moves slowly has moved by then
_TILE = 6  # of the pixels looked at, square: what moves little is seen in one
RIDDEN = "captions", "clock", "afd"  # of what rides on a frame, see `media.riders.ridden`
_NOTHING = 0, -1, -1
_FIELDS: list[tuple[Any, ...]] = [
    ("readable", "?"),
    ("format", "i4"),
    *(
        (name, "i4")
        for name in (
            "y_min",
            "y_max",
            "y_p01",
            "y_p999",
            "cb_min",
            "cb_max",
            "cr_min",
            "cr_max",
            "reserved",
            "reserved_x",
            "reserved_y",
            "blank_least",
            "blank_greatest",
            "blank_pixels",
            "blank_lit",
            "blank_luma_high",
            "blank_luma_low",
            "blank_rgb_high",
            "blank_rgb_low",
            "blank_outside",
            *RIDDEN,
            "flash_count",
            "flash_red_count",
        )
    ),
    ("field_vote", "i1"),
    ("edges", "i4", (4,)),
    ("look", "u1", (LOOK_SIZE,)),
    *(
        (name, "f4")
        for name in (
            "y_mean",
            "rgb_min",
            "rgb_max",
            "luma_high_area",
            "luma_low_area",
            "rgb_high_area",
            "rgb_low_area",
            "outside_area",
            "blank_spread",
            *(f"level_{field.name}" for field in fields(LevelEvidence)),
            "clip_high_level",
            "clip_high_area",
            "clip_low_level",
            "clip_low_area",
            *(f"clip_{name}_{figure}" for name in ("red", "green", "blue") for figure in ("level", "area")),
            "block_change",
            "spread_change",
            "pixel_change",
            "tile_change",
            "drift",
            "combing",
            "gamut_area",
            "light_mean",
            "light_area",
            "flash_area",
            "flash_rise",
            "flash_red_area",
            "flash_red_rise",
        )
    ),
    ("clip_high_graphic", "?"),
    ("clip_low_graphic", "?"),
    *((f"clip_{name}_graphic", "?") for name in ("red", "green", "blue")),
]
# Columns that stand in parts of a `FrameMeasure`. Those not measured are made from two frames.
_CLIPS = tuple((f"clip_{name}_", f"clip_{name}.") for name in ("high", "low", "red", "green", "blue"))
_NESTED = (*_CLIPS, ("blank_", "blanking."), ("level_", "level."))


def _place(name: str) -> str:
    """Where a column stands in a `FrameMeasure`."""
    return next((place + name.removeprefix(prefix) for prefix, place in _NESTED if name.startswith(prefix)), name)


_FLASHES = [f"flash_{field.name}" for field in fields(FlashMeasure)]
_NOT_MEASURED = {
    "readable", "format", "field_vote", "block_change", "spread_change", "pixel_change", "tile_change", "drift", "look",
    *RIDDEN, *_FLASHES,
}  # fmt: skip
_MEASURED = {name: _place(name) for name, *_ in _FIELDS if name not in _NOT_MEASURED}
_values = attrgetter(*_MEASURED.values())


def _change(samples: NDArray[Any], before: NDArray[Any], percent: float) -> tuple[float, float]:
    """How far pixels are from those of a frame before, in percent of luma: in the mean, and where they moved most."""
    if before.shape != samples.shape or before.dtype != samples.dtype:
        return 100.0, 100.0
    total, most = kernels.change(samples, before, _TILE)
    return total / samples.size * percent, most * percent


class SurveyTable:
    """Grows a row at a time, in frame order. Whoever reads more than one column while it grows reads a `frozen` one.

    ``areas``: how many areas have limits of their own; their columns ``areas_min``, ``areas_max`` (codes), ``areas_high`` and
    ``areas_low`` (percent of the area) are (N, areas). ``formats``: those that its frames are read by, which column ``format``
    counts; the first is the programme's. ``flashes``: counts them, where they are asked for.
    """

    def __init__(
        self, expected: int, areas: int = 0, formats: Sequence[SignalFormat] = (), flashes: FlashHistory | None = None
    ) -> None:
        self.formats, self._flashes = list(formats), flashes
        own = [
            (f"areas_{name}", kind, (areas,)) for name, kind in (("min", "i4"), ("max", "i4"), ("high", "f4"), ("low", "f4"))
        ]
        self._rows = np.zeros(max(expected, 1), np.dtype([*_FIELDS, *own]))
        self._measured = self._rows[list(_MEASURED)]
        self._count = 0
        self._previous: FrameMeasure | None = None
        self._samples: deque[NDArray[Any]] = deque(maxlen=DRIFT)

    def __len__(self) -> int:
        return self._count

    def extend(self, rows: NDArray[Any], formats: Sequence[SignalFormat]) -> None:
        """Add rows that another table of this kind has measured, behind frames that stand before them here as well.

        Parameters
        ----------
        formats : those that the column ``format`` of ``rows`` counts
        """
        mine = np.array([self._format(each) for each in formats], np.int32)
        end = self._count + len(rows)
        if end > len(self._rows):
            self._rows = np.concatenate([self._rows, np.zeros(end - len(self._rows), self._rows.dtype)])
            self._measured = self._rows[list(_MEASURED)]
        self._rows[self._count : end] = rows
        self._rows["format"][self._count : end] = mine[rows["format"]]
        self._count, self._previous = end, None
        self._samples.clear()

    def _format(self, source: SignalFormat) -> int:
        """The number of a format, which is known from now on."""
        if source not in self.formats:
            self.formats.append(source)
        return self.formats.index(source)

    def clear(self) -> None:
        """Forget every row; only the programme's own format is known again."""
        self._rows[:] = np.zeros(1, self._rows.dtype)
        self._count, self._previous = 0, None
        self._samples.clear()
        if self._flashes is not None:
            self._flashes.clear()
        del self.formats[1:]

    def frozen(self) -> "SurveyTable":
        """The table as it stands now, sharing the rows measured so far."""
        table = SurveyTable(0)
        count = self._count
        table._rows, table._count, table.formats = self._rows, count, self.formats[:]
        return table

    @property
    def rows(self) -> NDArray[Any]:
        """(N,) structured array of every frame measured so far."""
        return self._rows[: self._count]

    def column(self, name: str) -> NDArray[Any]:
        """(N,) one measurement of every frame measured so far."""
        column: NDArray[Any] = self._rows[name][: self._count]
        return column

    @property
    def names(self) -> tuple[str, ...]:
        """The names of its columns."""
        return self._rows.dtype.names or ()

    def put(self, place: int, measure: FrameMeasure) -> None:
        """Have a row say what a measurement does; what is made from two frames stays."""
        row = self._rows[place]
        row["readable"] = True
        self._measured[place] = _values(measure)
        for number, area in enumerate(measure.areas):
            row["areas_min"][number], row["areas_max"][number] = area.y_min, area.y_max
            row["areas_high"][number], row["areas_low"][number] = area.high_area, area.low_area

    def levels(self, source: SignalFormat, span: slice) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(N,) black and swing of the frames of a span, in codes; of ``source`` where no formats are known."""
        levels = [each.levels for each in self.formats or [source]]
        place = self.column("format")[span]
        black, swing = (np.array([getattr(each, name) for each in levels], np.float64) for name in ("black", "swing"))
        return black[place], swing[place]

    def fill(self, columns: Mapping[str, NDArray[Any]]) -> None:
        """Take over every row from columns that were kept; nothing may have been measured yet.

        Raises
        ------
        ValueError : they are not the columns of as many frames as are expected
        """
        rows = self._rows
        if self._count or set(columns) != set(self.names):
            raise ValueError("these are not the columns of this table")
        for name in self.names:
            if columns[name].dtype != rows[name].dtype or columns[name].shape != rows[name].shape:
                raise ValueError(f"column {name} is of another kind or length")
        for name in self.names:
            rows[name] = columns[name]
        self._count = len(rows)

    def append(
        self, measure: FrameMeasure | None, source: SignalFormat | None = None, ridden: tuple[int, int, int] = _NOTHING,
        vote: FieldVote = FieldVote.NOTHING,
    ) -> None:  # fmt: skip
        """Add the next frame; None where it could not be decoded.

        ``source``: the format that it is read by, else the last; ``ridden``: what rides on it, in the figures of `RIDDEN`;
        ``vote``: what it and the frame before it tell of the order of fields.
        """
        if self._count == len(self._rows):
            self._rows = np.concatenate([self._rows, np.zeros_like(self._rows)])
            self._measured = self._rows[list(_MEASURED)]
        row = self._rows[self._count]
        for name, figure in zip(RIDDEN, ridden, strict=True):
            row[name] = figure
        row["field_vote"] = vote
        if source is None:
            row["format"] = self._rows[self._count - 1]["format"] if self._count else 0
        else:
            row["format"] = self._format(source)
        if measure is not None:
            self.put(self._count, measure)
            look = row["look"]
            (measure.blocks.ravel() * 200 + 20).clip(0, 255, out=look[:144], casting="unsafe")
            (measure.spread * 255).clip(0, 255, out=look[144:], casting="unsafe")
            if self._previous is not None:
                row["block_change"] = np.abs(measure.blocks - self._previous.blocks).sum() / measure.blocks.size
                row["spread_change"] = np.abs(measure.spread - self._previous.spread).sum() / 6.0
            row["pixel_change"] = row["tile_change"] = row["drift"] = 100
            if self._samples:
                row["pixel_change"], row["tile_change"] = _change(measure.samples, self._samples[-1], measure.percent)
            if len(self._samples) == DRIFT:
                row["drift"] = _change(measure.samples, self._samples[0], measure.percent)[1]
            self._samples.append(measure.samples)
            if self._flashes is not None:
                told = self._flashes.add(measure.lights, self.formats[row["format"]])
                for name, figure in zip(_FLASHES, astuple(told), strict=True):
                    row[name] = figure
            self._previous = measure
        self._count += 1
