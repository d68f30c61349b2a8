"""The parade: the levels of each component beside one another."""

from bluffline.gauges.level_gauge import LevelGauge


class Parade(LevelGauge):
    """Levels, a part of the field for each component."""

    name = "parade"
    place = 11
    modes = {"rgb": "R′G′B′", "yrgb": "Y′R′G′B′", "ycbcr": "Y′CbCr"}
    in_parts = True

    @property
    def pulled(self) -> tuple[int | None, ...]:
        return (0, 1, 2) if self.mode == "rgb" else ()
