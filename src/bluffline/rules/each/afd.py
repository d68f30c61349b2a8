"""Active format description that is missing, another than is asked for, or not what the picture is."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.pictures import shot_pictures
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat

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
    """What frames say of where their picture is, held against where it is in their shot."""

    titles = {"afd": "Active format (AFD)"}
    words = "active format"
    place = 37
    section, key, named = AfdAsked, "afd", True
    whole_frames = True
    tried = False
    rides = "AFD"
    colon_told = True

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        asked, source, told = self.asked(rules), surveyed.source, _told(table)
        if source is None or (asked.code == _ANY and (told == _ANY).all()):
            return  # a few frames are judged, and not a file; or nothing is said, and nothing asked
        formats, which = table.formats or [source], table.column("format")
        wrong: dict[str, NDArray[np.bool_]] = {}
        codes: dict[str, int] = {}
        for shot, picture in zip(shots, shot_pictures(table, shots, source, surveyed.region), strict=True):
            part = slice(shot.first, shot.last + 1)
            for number, code in sorted({*zip(which[part].tolist(), told[part].tolist(), strict=True)}):
                if words := _wrong(asked.code, code, formats[number], picture.region):
                    mask = wrong.setdefault(words, np.zeros(len(told), bool))
                    mask[part] |= (which[part] == number) & (told[part] == code)
                    codes[words] = code
        for words, mask in wrong.items():
            for first, last in runs_in(mask):
                yield across("afd", asked.severity, shots, words, float(codes[words]), "", first, last)


def _wrong(asked: int, code: int, form: SignalFormat, region: Region) -> str:
    """What is wrong with a code on frames of a form that hold a picture in a region; nothing where it is true."""
    if asked not in (_ANY, code):
        return f"AFD {'is missing' if code == _ANY else f'says {code}'}: {asked} is asked for"
    if code not in _HELD:
        return ""
    pixels = float(form.pixel_shape)
    picture, held = region.width * pixels / region.height, _HELD[code] or form.width * pixels / form.height
    if abs(picture / held - 1) <= _ALIKE:
        return ""
    return f"AFD {code} says a picture of {held:.2f} to 1: it is {picture:.2f} to 1"


def _told(table: SurveyTable) -> NDArray[np.int32]:
    """(N,) the code in force at each frame: what is said stands until other is said; −1 before anything is."""
    codes = table.column("afd")
    told = np.maximum.accumulate(np.where(codes != _ANY, np.arange(len(codes)), -1))
    return np.where(told >= 0, codes[told], _ANY)
