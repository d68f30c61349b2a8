"""The catalogue of steps: every kind that there is a module of, in the order of the work."""

from typing import Any

from bluffline.declared import declared_in
from bluffline.treat import kinds
from bluffline.treat.step import Heading, Number, Step

SCHEMA = "bluffline.steps/1"


def _found() -> dict[str, type[Step]]:
    own = declared_in(kinds, Step, "kind")
    headings = list(Heading)
    found = {each.kind: each for each in sorted(own, key=lambda each: (headings.index(each.home), each.work, each.title))}
    if len(found) < len(own):
        raise TypeError(f"two kinds have one name among {', '.join(sorted(each.kind for each in own))}")
    return found


KINDS = _found()


def as_data(kind: type[Step]) -> dict[str, Any]:
    """What is declared of a kind, as JSON holds it; bounds are given where a figure is a number."""
    values = []
    for one in kind.figures():
        number = one.declared if isinstance(one.declared, Number) else None
        values.append(
            {
                "key": one.stored,
                "label": one.declared.label,
                "unit": number.unit if number else "",
                "least": number.least if number else None,
                "greatest": number.greatest if number else None,
                "neutral": one.neutral,
            }
        )
    return {"kind": kind.kind, "title": kind.title, "heading": kind.home, "values": values}
