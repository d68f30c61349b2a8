"""The made-up programme *Glaze Fair, part two* of Larkmoor Television, and the truth about it."""

from importlib import resources
from pathlib import Path

CLIP = "glaze-fair-part-two.mov"
TRUTH = "glaze-fair-part-two.truth.json"


def demo_clip() -> Path:
    """Path of the shipped programme."""
    return Path(str(resources.files("bluffline.demo").joinpath("data", CLIP)))


def demo_truth() -> Path:
    """Path of its truth table."""
    return Path(str(resources.files("bluffline.demo").joinpath("data", TRUTH)))
