"""Pictures of another size, rate, scan or pixel shape than is asked for."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated

from bluffline.declared import Between, OneOf
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import Scan

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
    """Size, rate, scan and pixel shape, as the file says them."""

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
        asked, source = self.asked(rules), surveyed.source
        assert source is not None, "a file is judged by its format"
        wanted, size = (asked.width or source.width, asked.height or source.height), (source.width, source.height)
        pixels = float(source.pixel_shape)
        held = (
            (size == wanted, f"{size[0]}×{size[1]}, not {wanted[0]}×{wanted[1]}"),
            (_free_or_near(surveyed.rate, asked.rate, _NEAR), f"{surveyed.rate:.6g} frames a second, not {asked.rate:g}"),
            (asked.scan in {"", source.scan}, f"{source.scan}, not {asked.scan}"),
            (_free_or_near(pixels, asked.pixels, _ALIKE), f"pixels of {pixels:.4g}, not {asked.pixels:g}"),
        )
        wrong = [words for right, words in held if not right]
        if wrong:
            yield across("shape", asked.severity, shots, f"It is {'; '.join(wrong)}", float(len(wrong)))


def _free_or_near(figure: float, asked: float, within: float) -> bool:
    return asked == 0 or abs(figure - asked) <= within
