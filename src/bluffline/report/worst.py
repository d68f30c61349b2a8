"""Where a file is worst."""

from collections.abc import Sequence

from bluffline.rules.catalogue import aspect_of
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.rules.severity import Severity


def worst_of(findings: Sequence[Finding], most: int) -> list[Finding]:
    """Of the gravest rules that are broken the finding where each is worst, up to ``most``, of shots of their own if there are.

    Notes, what is waived, and what is heard, are none: they are shown by their frames.
    """
    order = list(Severity)
    told = [each for each in findings if each.severity is not Severity.NOTE and each.waiver is None]
    ranked = sorted(
        (each for each in told if aspect_of(each) is not Aspect.SOUND),
        key=lambda each: (order.index(each.severity), -each.worst_area),
    )
    chosen: dict[str, Finding] = {}
    for another_shot in (True, False):
        for each in ranked:
            seen = {other.shot if another_shot else other.worst_frame for other in chosen.values()}
            if (each.shot if another_shot else each.worst_frame) not in seen:
                chosen.setdefault(each.rule, each)
    return list(chosen.values())[:most]
