"""Small pictures of frames, what is outside the limits hatched, for pages that are read without the program."""

import base64
import io
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from bluffline.media.reader import Reader
from bluffline.survey.survey import Survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.view.preview import View, screen_picture

_QUALITY = 80


def hatched(survey: Survey, frames: Sequence[int], width: int) -> list[str | None]:
    """Frames as JPEGs in base 64, so many pixels wide; None of one that can't be read."""
    source = survey.source
    size = width, max(round(width * source.height / source.width), 1)
    as_it_is = FrameTreatment((), source, region=survey.region)
    view = View(source, survey.region, survey.rules.limits, as_it_is, size, rules=survey.rules)
    with Reader(survey.programme, keep_bytes=0) as reader:
        read = (reader.planes(frame) for frame in frames)
        return [None if planes is None else _jpeg(screen_picture(planes, view).image) for planes in read]


def _jpeg(pixels: NDArray[np.uint32]) -> str:
    from PIL import Image  # which takes a while to load, and is asked for by certificates alone

    height, width = pixels.shape
    image = Image.fromarray(np.ascontiguousarray(pixels.view(np.uint8).reshape(height, width, 4)[..., 2::-1]))
    out = io.BytesIO()
    image.save(out, "JPEG", quality=_QUALITY)
    return base64.b64encode(out.getvalue()).decode()
