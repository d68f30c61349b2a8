"""Flat tops and bottoms: lost detail to look at, or graphics to note."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity

_EXTREME = {"high": 80.0, "low": 15.0}  # percent of luma from which a flat tone is called white or black
_WIDER = 1.25  # how much more of the picture a component's flat top has to cover than luma's to be told of by itself


@dataclass(frozen=True, slots=True)
class ClippingAsked:
    """``area``: percent of the active picture that must be flat before it is told."""

    area: Annotated[float, Between(0, 100, "percent")] = 0.5


class Clipping(Rule):
    """Extremes that are flat, at whatever level they lie."""

    titles = {
        "clip-high": "Highlights clipped", "clip-low": "Shadows clipped", "clip-red": "Red clipped",
        "clip-green": "Green clipped", "clip-blue": "Blue clipped",
    }  # fmt: skip
    place = 17
    words = "clipping"
    section, key = ClippingAsked, "clipping"

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        least = self.asked(shot.rules).area
        for end, sign, lost, drawn in (("high", 1, "Highlights", "white"), ("low", -1, "Shadows", "black")):
            area = shot.column(f"clip_{end}_area")
            flat = shot.readable & (area > least)
            graphic = _drawn(shot.column(f"clip_{end}_graphic"), flat)
            level = shot.column(f"clip_{end}_level").astype(np.float64)
            extreme = flat.any() and sign * level[flat].mean() > sign * _EXTREME[end]  # a flat mid grey is neither
            tone = f"Flat {drawn}" if extreme else "Flat tone at"
            words = f"{tone} {{:.1f}} %, likely graphics" if graphic else lost + " clipped at {:.1f} %"
            severity = Severity.NOTE if graphic else Severity.LOOK
            yield from shot.runs_of(f"clip-{end}", severity, flat, level, area, words, sign)
        looked = np.flatnonzero(shot.readable & (shot.column("clip_red_area") >= 0))
        if len(looked):
            # Components are looked at in some frames; those between them are taken to be like the last.
            last = looked[np.maximum(np.searchsorted(looked, np.arange(shot.shot.length), side="right") - 1, 0)]
            for name in ("red", "green", "blue"):
                yield from _component(shot, name, last, least)


def _component(shot: ShotEvidence, name: str, last: NDArray[np.int64], least: float) -> Iterator[Finding]:
    """One component's flat top, where it is more than that of luma; ``last``: the frame that tells of each."""
    area = shot.column(f"clip_{name}_area")[last]
    flat = shot.readable & (area > _WIDER * shot.column("clip_high_area") + least)
    if _drawn(shot.column(f"clip_{name}_graphic")[last], flat):
        return
    level = shot.column(f"clip_{name}_level")[last].astype(np.float64)
    yield from shot.runs_of(f"clip-{name}", Severity.LOOK, flat, level, area, f"{name.capitalize()} clipped at {{:.1f}} %")


def _drawn(graphic: NDArray[np.bool_], flat: NDArray[np.bool_]) -> bool:
    """Whether flat tones are graphics: a shot is one kind of picture, so the more frequent verdict holds for all of it."""
    return bool(flat.any()) and float(graphic[flat].mean()) > 0.5
