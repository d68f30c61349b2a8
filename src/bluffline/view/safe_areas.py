"""Safe areas of pictures of 16:9 [R95]: inside them action and graphics are seen on any screen."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class SafeArea:
    """What is safe in it, and how much of the picture's width and height lies outside on each side, in percent."""

    title: str
    margin: float

    def box(self, width: int, height: int) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of it in a picture of so many columns and rows, in pixels."""
        across, down = width * self.margin / 100, height * self.margin / 100
        return across, down, width - across, height - down


SAFE_AREAS = SafeArea("action", 3.5), SafeArea("graphics", 5.0)
