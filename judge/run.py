"""How well the product judges and corrects, on pictures to tune on and on others kept back. Run by ``make judge``."""

import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import joining
import legalising
import proposing
import timed
from sets import FILMS_KEPT_BACK, FRAMES_KEPT_BACK, FRAMES_TUNED_ON, KEPT_BACK, TUNED_ON


def main() -> None:
    """Everything, on both sets; or on one, by its name."""
    sets = {"tuned on": TUNED_ON, "kept back": KEPT_BACK}
    frames = {"tuned on": FRAMES_TUNED_ON, "kept back": FRAMES_KEPT_BACK}
    films = {"tuned on": TUNED_ON, "kept back": (*KEPT_BACK, *FILMS_KEPT_BACK)}  # of which one is among those tuned on
    for name in sys.argv[1:] or sets:
        began = time.perf_counter()
        print(f"Legalising, pictures {name}: {', '.join(sets[name])}")
        legalising.pushed(sets[name])
        legalising.pq(sets[name])
        more = *sets[name], *frames[name]
        print(f"Proposing what is bearable, pictures {name}: {', '.join(more)}")
        proposing.untouched(more)
        proposing.pushed(more)
        proposing.log(more)
        proposing.lights(more)
        proposing.matched(more)
        print(f"Joined shots, pictures {name}")
        joining.joined(films[name])
        print(f"Time and sound, pictures {name}")
        timed.timed(films[name])
        print(f"  {time.perf_counter() - began:.0f} s")
    print("Legalising, made pictures")
    legalising.ramps()
    legalising.caption()


if __name__ == "__main__":
    main()
