"""The made-up programmes *Glaze Fair, part two* and *The Tide Hour* of Larkmoor Television, and the truth about them."""

from importlib import resources
from pathlib import Path

CLIP = "glaze-fair-part-two.mov"
TRUTH = "glaze-fair-part-two.truth.json"
TIDE_CLIP, TIDE_TRUTH = "the-tide-hour.mov", "the-tide-hour.truth.json"


def demo_clip() -> Path:
    """Path of the shipped programme whose levels and colours are wrong."""
    return _shipped(CLIP)


def tide_clip() -> Path:
    """Path of the shipped programme whose time and sound are wrong."""
    return _shipped(TIDE_CLIP)


def tide_truth() -> Path:
    """Path of what is known to be wrong with that."""
    return _shipped(TIDE_TRUTH)


def demo_truth() -> Path:
    """Path of its truth table."""
    return _shipped(TRUTH)


def _shipped(name: str) -> Path:
    return Path(str(resources.files("bluffline.demo").joinpath("data", name)))
