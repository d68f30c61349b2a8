"""The waveform: levels in each column of the picture."""

from bluffline.gauges.level_gauge import LevelGauge


class Waveform(LevelGauge):
    """Levels, all over one another."""

    name = "waveform"
    place = 10
    modes = {
        "luma": "luma", "rgb": "R′G′B′", "coloured": "luma in its colours", "envelope": "luma and chroma envelope",
    }  # fmt: skip

    @property
    def pulled(self) -> tuple[int | None, ...]:
        return (None,) if self.mode == "luma" else ()
