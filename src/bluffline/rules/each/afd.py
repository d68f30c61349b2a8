"""Active format description that is missing, another than is asked for, or not what the picture is."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

_ANY = -1
_FOUR, _FOURTEEN, _SIXTEEN = 4 / 3, 14 / 9, 16 / 9
_HELD = {8: 0.0, 9: _FOUR, 10: _SIXTEEN, 11: _FOURTEEN, 13: _FOUR, 14: _SIXTEEN, 15: _SIXTEEN}  # 0: as the frame [ST2016-1]
_ALIKE = 0.04  # of a shape: blanking at the sides is no other


@dataclass(frozen=True, slots=True)
class AfdAsked:
    """``code``: that every frame has to carry [ST2016-1], any that is true of the picture where −1."""

    code: Annotated[int, Between(_ANY, 15)] = _ANY
    severity: Severity = Severity.LOOK


class Afd(Rule):
    """What frames say of where their picture is, held against where it is."""

    titles = {"afd": "Active format (AFD)"}
    words = "active format"
    place = 37
    section, key, named = AfdAsked, "afd", True
    whole_frames = True
    tried = False
    rides = "AFD"
    colon_told = True

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        asked, source, region, told = self.asked(rules), surveyed.source, surveyed.region, _told(table)
        if source is None:
            return  # a few frames are judged, not a file
        pixels = float(source.pixel_shape)
        frame, picture = source.width * pixels / source.height, region.width * pixels / region.height
        for code in np.unique(told).tolist():
            words = []
            if asked.code not in (_ANY, code):
                words.append(f"AFD {'is missing' if code == _ANY else f'says {code}'}: {asked.code} is asked for")
            elif code in _HELD and abs(picture / (held := _HELD[code] or frame) - 1) > _ALIKE:
                words.append(f"AFD {code} says a picture of {held:.2f} to 1: it is {picture:.2f} to 1")
            for first, last in runs_in(told == code) if words else ():
                yield across("afd", asked.severity, shots, words[0], float(code), "", first, last)


def _told(table: SurveyTable) -> NDArray[np.int32]:
    """(N,) the code in force at each frame: what is said stands until other is said; −1 before anything is."""
    codes = table.column("afd")
    told = np.maximum.accumulate(np.where(codes != _ANY, np.arange(len(codes)), -1))
    return np.where(told >= 0, codes[told], _ANY)
