"""Which part of the frame the picture of each shot fills, and by what its areas are reckoned."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from bluffline.measure.active import same_picture, usual_region
from bluffline.measure.blanking import BLACK_FRAME, LIT
from bluffline.measure.region import Region, without
from bluffline.measure.table import SurveyTable
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat

_PICTURE = 1.5  # percent of spread that all sides of the blanking have where they hold picture; lit and flat is no picture
_STEADY = 0.9  # share of a shot's frames that have to agree on a smaller picture: dark scenes don't
_CREDIBLE = 0.5  # share of the frames that have to keep a blanking black for it to be one


@dataclass(frozen=True, slots=True)
class ShotPicture:
    """The picture of one shot.

    ``share``: what areas that were reckoned of the programme's active picture are to be multiplied by; ``pixels``: how many the
    shot's own picture has. ``blanked``: whether what lies outside the programme's active picture has to be black here;
    where it has not, it counts as picture.
    """

    region: Region
    usual: bool
    share: float
    pixels: int
    blanked: bool


def shot_pictures(
    table: SurveyTable,
    shots: Sequence[Shot],
    source: SignalFormat,
    region: Region,
    left_out: Sequence[Region] = (),
    once: Callable[[Any, Callable[[], Any]], Any] = lambda _, make: make(),
) -> list[ShotPicture]:
    """The picture of every shot, by the edges that its own frames have.

    Parameters
    ----------
    region : the active picture that the table was measured in; ``left_out`` are parts of it that were not
    once : see `Memo.once`
    """
    measured = _pixels(region, left_out)
    credible = region != Region.whole(source) and _credible(table, source)
    found = []
    for shot in shots:
        own, filled = once(("picture", shot), partial(_own_picture, table, shot, source, region))
        pixels = once(("pixels", own), partial(_pixels, own, left_out))
        found.append(ShotPicture(own, own == region, measured / pixels, pixels, credible and not filled))
    return found


def _own_picture(table: SurveyTable, shot: Shot, source: SignalFormat, region: Region) -> tuple[Region, bool]:
    """What a shot's picture fills, and whether that is more than the programme's."""
    span = slice(shot.first, shot.last + 1)
    edges = table.column("edges")[span]
    told = table.column("readable")[span] & (edges[:, 0] != BLACK_FRAME[0])
    own = usual_region(edges[told], source) if told.any() else region
    if same_picture(own, region):
        own = region
    inside = own.width * own.height < region.width * region.height
    if inside and not _steady(edges[told], own):
        own = region
    filled = not inside and own != region and float(np.median(table.column("blank_spread")[span][told])) >= _PICTURE
    return own, filled


def _pixels(region: Region, left_out: Sequence[Region]) -> int:
    return sum(part.width * part.height for part in without(region, left_out))


def _steady(edges: np.ndarray, own: Region) -> bool:
    """Whether nearly all frames have the edges of a picture that is smaller than the programme's."""
    left, top = own.x, own.y
    near = (np.abs(edges[:, 0] - top) <= 4) & (np.abs(edges[:, 2] - left) <= 4)
    return float(near.mean()) >= _STEADY


def _credible(table: SurveyTable, source: SignalFormat) -> bool:
    """Whether what lies outside the active picture is dark in most frames, if not within the limits."""
    pixels = table.column("blank_pixels")
    judged = pixels > 0
    if not judged.any():
        return False
    few = table.column("blank_lit")[judged] <= 0.01 * pixels[judged]
    dark = table.column("blank_greatest")[judged] <= source.levels.code(LIT)
    return float((few | dark).mean()) >= _CREDIBLE
