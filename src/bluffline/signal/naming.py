"""How a signal is coded, in words."""

from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import standard


def colours(source: SignalFormat) -> str:
    """Range, matrix, primaries and transfer characteristic in a line; equal names once, what is assumed marked."""
    names: dict[str, list[str]] = {}
    for fact in ("matrix", "primaries", "transfer"):
        mark = " (assumed)" if fact in source.assumed else ""
        names.setdefault(standard(getattr(source, fact)) + mark, []).append(fact)
    alone = len(names) == 1
    told = [name if alone or name in {"PQ", "HLG"} else f"{' and '.join(facts)} {name}" for name, facts in names.items()]
    mark = " (assumed)" if "range" in source.assumed else ""
    return " · ".join([f"{source.range} range{mark}", *told])
