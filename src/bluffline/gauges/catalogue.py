"""The catalogue of instruments: every one that there is a module of."""


from bluffline.declared import declared_in
from bluffline.gauges import each
from bluffline.gauges.instrument import Instrument


def _found() -> dict[str, type[Instrument]]:
    own = declared_in(each, Instrument, "name")  # type: ignore[type-abstract]
    found = {one.name: one for one in sorted(own, key=lambda one: (one.place, one.name))}
    if len(found) < len(own):
        raise TypeError(f"two gauges have one name among {', '.join(sorted(one.name for one in own))}")
    return found


INSTRUMENTS = _found()


def every_gauge() -> list[Instrument]:
    """Every instrument in each of its modes."""
    return [kind(mode) for kind in INSTRUMENTS.values() for mode in kind.modes]


def gauge_named(name: str, mode: str = "") -> Instrument:
    """An instrument in a mode, or in its first.

    Raises
    ------
    ValueError : there is none of that name, or it has no such mode
    """
    if name not in INSTRUMENTS:
        raise ValueError(f"there is no gauge {name}; there are {', '.join(INSTRUMENTS)}")
    return INSTRUMENTS[name](mode)
