"""Pictures of another size, rate, scan or pixel shape than is asked for."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Annotated

import numpy as np

from bluffline.declared import Between, OneOf
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import Scan, SignalFormat

_NEAR = 0.005  # frames a second: 29.97 is 30000/1001
_ALIKE = 0.002  # of the shape of pixels


@dataclass(frozen=True, slots=True)
class ShapeAsked:
    """What every frame has to be; ``width``, ``height``, ``rate`` and ``pixels`` (width to height) are free where 0."""

    width: Annotated[int, Between(0, 16_384)] = 0
    height: Annotated[int, Between(0, 16_384)] = 0
    rate: Annotated[float, Between(0, 1000, "frames a second")] = 0.0
    scan: Annotated[str, OneOf(("", *Scan))] = ""
    pixels: Annotated[float, Between(0, 10)] = 0.0
    severity: Severity = Severity.MUST_FIX


class Shape(Rule):
    """Size, rate, scan and pixel shape, as the file and its frames say them."""

    titles = {"shape": "Picture of another shape"}
    words = "size, rate and scan"
    place = 33
    section, key, named = ShapeAsked, "shape", True
    whole_frames = True
    tried = False
    colon_told = True

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        if surveyed.source is None:
            return  # a few frames are judged, not a file
        asked, formats = self.asked(rules), table.formats or [surveyed.source]
        wrong = [_unlike(asked, form, surveyed.rate) for form in formats]
        # Frames that are coded now as a whole and now in fields are what most of their shot is.
        most = [int(np.bincount(table.column("format")[shot.first : shot.last + 1]).argmax()) for shot in shots]
        for words, alike in groupby(zip(shots, most, strict=True), lambda one: wrong[one[1]]):
            run = [shot for shot, _ in alike]
            if words:
                told = f"It is {'; '.join(words)}"
                yield across("shape", asked.severity, shots, told, float(len(words)), "", run[0].first, run[-1].last)


def _unlike(asked: ShapeAsked, source: SignalFormat, rate: float) -> list[str]:
    """In what frames of a format are otherwise than is asked for."""
    wanted, size = (asked.width or source.width, asked.height or source.height), (source.width, source.height)
    pixels = float(source.pixel_shape)
    held = (
        (size == wanted, f"{size[0]}×{size[1]}, not {wanted[0]}×{wanted[1]}"),
        (_free_or_near(rate, asked.rate, _NEAR), f"{rate:.6g} frames a second, not {asked.rate:g}"),
        (asked.scan in {"", source.scan}, f"{source.scan}, not {asked.scan}"),
        (_free_or_near(pixels, asked.pixels, _ALIKE), f"pixels of {pixels:.4g}, not {asked.pixels:g}"),
    )
    return [words for right, words in held if not right]


def _free_or_near(figure: float, asked: float, within: float) -> bool:
    return asked == 0 or abs(figure - asked) <= within
