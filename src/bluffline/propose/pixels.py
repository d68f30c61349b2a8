"""What a shot looks like: a few of its frames made small, as proposals and matches look at them."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.charts.sample import at_the_end
from bluffline.errors import MediaError
from bluffline.measure.areas import Area
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.region import Region
from bluffline.rules.shots import Shot
from bluffline.signal.colorimetry import camera_light, rgb_to_xyz, to_light, xyz_to_lab
from bluffline.signal.format import Planes, SignalFormat
from bluffline.signal.matrix import rgb_to_ycbcr
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.ladder import Treatment, acts, apply_to_colours

Array = NDArray[np.float64]
PlanesAt = Callable[[int], Planes | None]

WIDTH = 320  # samples that a frame is made small to: noise is averaged out, and all of the picture is seen
_FRAMES = 3
_AREA_PIXELS = 20_000
_DARKEST, LEAST_COMPONENT = 0.004, 0.001  # light below which a pixel says nothing of colour


@dataclass(frozen=True, eq=False)
class Pixels:
    """Small pictures of a shot's active picture.

    ``rgb``: (N, H, W, 3) R′G′B′, 0 black and 1 white, each the mean of a block of pixels; ``whole``: (N, H, W) whether no pixel
    of the block is stored at the first or last code there is; ``areas``: by name (M, 3) R′G′B′ of the pixels in areas.
    """

    source: SignalFormat
    rgb: Array
    whole: NDArray[np.bool_]
    areas: Mapping[str, Array] = field(default_factory=dict)

    def through(self, treatment: Treatment) -> "Pixels":
        """The same after steps, wherever those reach by areas."""
        if not acts(treatment):
            return self
        made = np.asarray(apply_to_colours(treatment, self.rgb, self.source), np.float64)
        areas = {
            name: np.asarray(apply_to_colours(treatment, rgb, self.source), np.float64) for name, rgb in self.areas.items()
        }
        return replace(self, rgb=made, areas=areas)

    @cached_property
    def ycbcr(self) -> Array:
        """(N·H·W, 3) Y′, Cb and Cr of all blocks, in percent."""
        return np.asarray(rgb_to_ycbcr(self.rgb.reshape(-1, 3), self.source.matrix) * 100)

    @cached_property
    def lab(self) -> Array:
        """(N·H·W, 3) CIE L*, a*, b* of all blocks, as a display shows them, white being 100."""
        return lab_of(self.rgb.reshape(-1, 3), self.source)

    def lit(self, blur: float) -> list[tuple[Array, NDArray[np.bool_]]]:
        """(H, W, 3) light of each picture, blurred by so many samples, and which of it says something of colour."""
        luminance, found = rgb_to_xyz(self.source.primaries)[1], []
        for rgb, whole in zip(self.rgb, self.whole, strict=True):
            light = np.asarray(cv2.GaussianBlur(camera_light(rgb, self.source.transfer), (0, 0), blur), np.float64)
            usable = cv2.erode(whole.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
            found.append((light, usable & (light @ luminance > _DARKEST) & (light.min(axis=-1) > LEAST_COMPONENT)))
        return found

    def named(self, names: Sequence[str]) -> Array | None:
        """(M, 3) R′G′B′ of the areas that have one of some names; None where there is none."""
        found = [rgb for name, rgb in self.areas.items() if name.strip().lower() in names and len(rgb)]
        return np.concatenate(found) if found else None


def lab_of(rgb: Array, source: SignalFormat) -> Array:
    """(N, 3) R′G′B′ to CIE Lab of what a display makes of it."""
    return xyz_to_lab(to_light(rgb, source.transfer) @ rgb_to_xyz(source.primaries).T)


def frames_of(shot: Shot, count: int = _FRAMES) -> list[int]:
    """Frames all over a shot, where it is seen by itself."""
    alone = shot.alone
    return sorted(set(np.linspace(alone.first, alone.last, count + 2)[1:-1].round().astype(int).tolist()))


def look_at(
    look: PlanesAt,
    frames: Sequence[int],
    source: SignalFormat,
    region: Region,
    *,
    treatment: Treatment = (),
    areas: Sequence[Area] = (),
) -> Pixels:
    """What some frames look like behind a treatment.

    Parameters
    ----------
    look : gives the native planes of a frame, or None where it can't be decoded
    treatment : of their shot
    areas : in luma samples of the whole picture

    Raises
    ------
    MediaError : none of the frames can be decoded
    """
    treat = FrameTreatment(treatment, source, region=region)
    small, whole, found = [], [], {area.name: [np.zeros((0, 3))] for area in areas}
    for number in frames:
        planes = look(number)
        if planes is None:
            continue
        frame = FrameSignal(treat.apply(planes, number), source)
        rgb, unclipped = _grid_of(frame, region)
        small.append(rgb)
        whole.append(unclipped)
        for area in areas:
            found[area.name].append(_inside(frame, area))
    if not small:
        raise MediaError("None of the frames that were looked at can be decoded.")
    return Pixels(source, np.stack(small), np.stack(whole), {name: np.concatenate(each) for name, each in found.items()})


def colours_in(
    planes: Planes, source: SignalFormat, treatment: Treatment, number: int, corners: Sequence[tuple[float, float]]
) -> tuple[Array, Array]:
    """(N, 3) R′G′B′, behind a treatment, of the pixels between two corners of a frame, and of those that are not clipped."""
    given, treated = FrameSignal(planes, source), FrameSignal(FrameTreatment(treatment, source).apply(planes, number), source)
    (x0, x1), (y0, y1) = (sorted(int(corner[axis]) for corner in corners) for axis in (0, 1))
    rows, columns = (axis.ravel() for axis in np.mgrid[y0 : y1 + 1, x0 : x1 + 1])
    stored = np.stack([plane[rows, columns] for plane in given.rgb], axis=-1).astype(np.float64) - given.room
    rgb = _signal(np.stack([plane[rows, columns] for plane in treated.rgb], axis=-1).astype(np.float64), treated)
    return rgb, rgb[~at_the_end(given, stored, (columns, rows))]


def _signal(codes: NDArray[Any], frame: FrameSignal) -> Array:
    levels = frame.source.levels
    return np.asarray((codes - frame.room - levels.black) / levels.swing, np.float64)


def _grid_of(frame: FrameSignal, region: Region) -> tuple[Array, NDArray[np.bool_]]:
    """A picture made small, and which of its blocks hold no clipped pixel."""
    left, right, top, bottom = region.edges
    codes = np.stack([plane[top:bottom, left:right] for plane in frame.rgb], axis=-1)
    rows, columns = np.mgrid[top:bottom, left:right]
    ends = at_the_end(frame, codes.reshape(-1, 3).astype(np.float64) - frame.room, (columns.ravel(), rows.ravel()))
    times = max(region.width / WIDTH, 1.0)
    size = max(round(region.width / times), 1), max(round(region.height / times), 1)
    small = cv2.resize(codes.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    clipped = cv2.resize(ends.reshape(codes.shape[:2]).astype(np.float32), size, interpolation=cv2.INTER_AREA)
    return _signal(small.reshape(size[1], size[0], 3), frame), clipped.reshape(size[1], size[0]) < 1e-6


def _inside(frame: FrameSignal, area: Area) -> Array:
    """(M, 3) R′G′B′ of the pixels of an area that are not clipped, of very many some."""
    source = frame.source
    rows, columns = np.nonzero(area.mask(source.width, source.height))
    step = max(len(rows) // _AREA_PIXELS, 1)
    rows, columns = rows[::step], columns[::step]
    codes = np.stack([plane[rows, columns] for plane in frame.rgb], axis=-1).astype(np.float64)
    return _signal(codes[~at_the_end(frame, codes - frame.room, (columns, rows))], frame)
