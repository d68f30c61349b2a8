"""Small pictures of the frames where a file is worst, for whoever decides without opening it."""

from collections.abc import Sequence

from bluffline.report.worst import worst_of
from bluffline.rules.finding import Finding
from bluffline.survey.survey import Survey
from bluffline.view.small import hatched

MOST = 3
_WIDTH = 160  # pixels
Pictured = tuple[str, int, str]  # a rule, a frame, and a JPEG in base 64


def worst_pictures(survey: Survey, findings: Sequence[Finding]) -> tuple[Pictured, ...]:
    """The frames where a file is worst, up to `MOST`, see `worst_of`; what is outside is hatched."""
    chosen = worst_of(findings, MOST)
    made = hatched(survey, [each.worst_frame for each in chosen], _WIDTH)
    return tuple((each.rule, each.worst_frame, jpeg) for each, jpeg in zip(chosen, made, strict=True) if jpeg is not None)
