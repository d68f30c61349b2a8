"""The catalogue of steps: every kind that there is a module of."""

from importlib import import_module
from pkgutil import iter_modules
from typing import Any

from bluffline.treat import kinds
from bluffline.treat.step import Heading, Number, Step

SCHEMA = "bluffline.steps/1"


def _found() -> dict[str, type[Step]]:
    modules = [import_module(f"{kinds.__name__}.{module.name}") for module in iter_modules(kinds.__path__)]
    own = {
        each
        for module in modules
        for each in vars(module).values()
        if isinstance(each, type) and issubclass(each, Step) and "kind" in vars(each)
    }
    headings = list(Heading)
    found = {each.kind: each for each in sorted(own, key=lambda each: (headings.index(each.home), each.title))}
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
