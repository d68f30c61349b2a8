"""Small pictures of the frames where a file is worst, for whoever decides without opening it."""

import base64
import io
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from bluffline.media.reader import Reader
from bluffline.rules.finding import Finding
from bluffline.rules.severity import Severity
from bluffline.survey.survey import Survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.view.preview import View, screen_picture

MOST = 3
_WIDTH = 160  # pixels
_QUALITY = 80
Pictured = tuple[str, int, str]  # a rule, a frame, and a JPEG in base 64


def worst_pictures(survey: Survey, findings: Sequence[Finding]) -> tuple[Pictured, ...]:
    """Of the gravest rules that are broken a frame where each is worst, of shots of their own where they have some.

    What is outside is hatched; up to `MOST`.
    """
    order = list(Severity)
    ranked = sorted(
        (each for each in findings if each.severity is not Severity.NOTE and each.waiver is None),
        key=lambda each: (order.index(each.severity), -each.worst_area),
    )
    chosen: dict[str, Finding] = {}
    for another_shot in (True, False):
        for each in ranked:
            seen = {other.shot if another_shot else other.worst_frame for other in chosen.values()}
            if (each.shot if another_shot else each.worst_frame) not in seen:
                chosen.setdefault(each.rule, each)
    source = survey.source
    size = _WIDTH, max(round(_WIDTH * source.height / source.width), 1)
    view = View(
        source, survey.region, survey.rules.limits, FrameTreatment((), source, region=survey.region), size, rules=survey.rules,
    )  # fmt: skip
    found = []
    with Reader(survey.programme, keep_bytes=0) as reader:
        for rule, each in list(chosen.items())[:MOST]:
            planes = reader.planes(each.worst_frame)
            if planes is not None:
                found.append((rule, each.worst_frame, _jpeg(screen_picture(planes, view).image)))
    return tuple(found)


def _jpeg(pixels: NDArray[np.uint32]) -> str:
    height, width = pixels.shape
    image = Image.fromarray(np.ascontiguousarray(pixels.view(np.uint8).reshape(height, width, 4)[..., 2::-1]))
    out = io.BytesIO()
    image.save(out, "JPEG", quality=_QUALITY)
    return base64.b64encode(out.getvalue()).decode()
