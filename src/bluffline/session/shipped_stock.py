"""The stock treatments that come with the desk: a dozen, each for a need that a newsroom meets every week.

What each does on cases made for it is measured in `tests/session/test_shipped_stock.py`.
"""

from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Step
from bluffline.treat.stored import Stock


def _stock(title: str, need: str, *steps: Step) -> Stock:
    return Stock(title, steps, (need,) * len(steps))


_ALL = (
    _stock("Over by a fifth", "pictures exposed a fifth too bright", Tone(exposure=-0.26)),
    _stock("Under by a stop", "pictures exposed a stop too dark", Tone(exposure=1.0)),
    _stock("Shade gone blue", "open shade, at 8000 K, with the camera set for sun", Balance((1.23, 1.0, 0.71))),
    _stock("Lamp taken for day", "lamp light, at 3200 K, with the camera set for day, 5600 K", Balance((0.62, 1.0, 2.09))),
    _stock("Day taken for lamp", "daylight, at 5600 K, with the camera set for lamps, 3200 K", Balance((1.6, 1.0, 0.48))),
    _stock("Green tubes", "tubes or cheap lamps that lean to green", Balance((1.05, 0.91, 1.05))),
    _stock("Hot faces", "faces and other lights too near white; what is darker stays",
           Curves(((0, 0), (42, 42), (52, 50.5), (65, 60), (94, 80), (105, 90)))),
    _stock("Flat camera", "a camera set flat, of which nobody knows the curve",
           Tone(contrast=1.33, soft_ends=True, saturation=1.33)),
    _stock("Blacks lifted", "haze or a veil, black at 6 %", Tone(black_point=6.0)),
    _stock("Shadows sunk", "a dark room: opened from below, black and white stay",
           Tone(gamma=(1.3, 1.0, 1.0, 1.0))),
    _stock("Colours too loud", "colours of a phone or a game", Tone(saturation=0.75)),
    _stock("Captions held", "captions and graphics beyond 0 … 100 %, in luma or in R′G′B′",
           SoftCeiling.towards(100.0, 100.0, hard=True), SoftFloor.towards(0.0, 0.0, hard=True),
           ChromaRein(0.0, 100.0, onset=0.0)),
)  # fmt: skip
SHIPPED = {stock.title: stock for stock in _ALL}
