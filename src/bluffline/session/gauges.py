"""How the gauges are set up: what stands in which slot, units, density, guides, what they take. Kept between sittings."""

from dataclasses import asdict, dataclass, field, replace
from typing import Annotated, Any

from bluffline.declared import Between, OneOf, checked, made
from bluffline.errors import SettingsError, require
from bluffline.gauges.catalogue import gauge_named
from bluffline.gauges.graticule import Guide
from bluffline.gauges.instrument import Instrument
from bluffline.gauges.painting import SPOTS, TraceStyle
from bluffline.gauges.scale import Unit
from bluffline.measure.areas import Taken
from bluffline.session.event import Event
from bluffline.signal.colorimetry import GAMUTS

LAYOUTS = (1, 2, 4)
PROBE_SIZES = (1, 5, 11, 21)  # pixels square
SLOTS = 4  # on the desk; as many again in the second window
_FIRST = (
    gauge_named("waveform"), gauge_named("vectorscope"), gauge_named("parade"), gauge_named("histogram"),
    gauge_named("parade", "yrgb"), gauge_named("time", "60"), gauge_named("waveform", "rgb"), gauge_named("chromaticity"),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class GaugeSetup:
    """Everything the operator chose about the gauges.

    ``slots``: four on the desk, then four in the second window; ``shown``: how many of the desk's are; ``beneath``: whether the
    first stands under the picture, column for column; ``gamut``: what the chromaticity diagram marks colours against;
    ``luma``: percent, at which the vectorscope shows what chroma is legal.
    """

    slots: tuple[Instrument, ...] = _FIRST
    shown: Annotated[int, OneOf(LAYOUTS)] = 2
    beneath: bool = False
    unit: Unit = Unit.PERCENT
    look: TraceStyle = field(default_factory=TraceStyle)
    guides: tuple[Guide, ...] = ()
    taken: Taken = Taken.AREAS
    gamut: Annotated[str | None, OneOf((None, *GAMUTS))] = None
    luma: Annotated[float, Between(0, 100)] = 50.0
    outline_source: bool = False
    probe_size: Annotated[int, OneOf(PROBE_SIZES)] = 1

    def stored(self) -> dict[str, Any]:
        """As plain data."""
        kept = asdict(self)
        kept["slots"] = [[gauge.name, gauge.mode] for gauge in self.slots]
        return kept

    @classmethod
    def restored(cls, kept: dict[str, Any]) -> "GaugeSetup":
        """From plain data.

        Raises
        ------
        SettingsError : it is not what `stored` gives
        """
        slots = checked(kept.get("slots", cls().stored()["slots"]), tuple[tuple[str, str], ...], "gauges: slots")
        require(len(slots) == 2 * SLOTS, f"gauges: slots must be {2 * SLOTS}.")
        setup = made(cls, {name: value for name, value in kept.items() if name != "slots"}, "gauges")
        try:
            return replace(setup, slots=tuple(gauge_named(*slot) for slot in slots))
        except ValueError as error:
            raise SettingsError(f"gauges: slots: {error}.") from error


class GaugeModel:
    """The setup in force, and the event that tells of its changes."""

    def __init__(self, setup: GaugeSetup | None = None) -> None:
        self.setup = setup or GaugeSetup()
        self.changed = Event()

    def change(self, **fields: Any) -> None:
        """Change fields of the setup."""
        self.setup = replace(self.setup, **fields)
        self.changed.tell()

    def put(self, slot: int, gauge: Instrument) -> None:
        """Put an instrument into a slot."""
        slots = list(self.setup.slots)
        slots[slot] = gauge
        self.change(slots=tuple(slots))

    def next_unit(self) -> None:
        """The next unit, for every gauge."""
        units = list(Unit)
        self.change(unit=units[(units.index(self.setup.unit) + 1) % len(units)])

    def next_layout(self) -> None:
        """One gauge, two, four, and one again."""
        self.change(shown=LAYOUTS[(LAYOUTS.index(self.setup.shown) + 1) % len(LAYOUTS)])

    def strengthen(self, by: float) -> None:
        """Make traces brighter or fainter."""
        self.change(look=replace(self.setup.look, strength=min(max(self.setup.look.strength + by, -1.0), 1.0)))

    def next_spot(self) -> None:
        """A broader beam, and after the broadest the finest."""
        look = self.setup.look
        self.change(look=replace(look, spot=SPOTS[(SPOTS.index(look.spot) + 1) % len(SPOTS)]))

    def shift_luma(self, by: float) -> None:
        """Show what chroma is legal at another luma (percent)."""
        self.change(luma=min(max(self.setup.luma + by, 0.0), 100.0))

    def add_guide(self, name: str, level: float) -> None:
        """Add a guide at a level (percent)."""
        self.change(guides=(*self.setup.guides, Guide(name, round(level, 1))))

    def move_guide(self, number: int, level: float) -> None:
        """Move a guide to another level."""
        self.set_guide(number, replace(self.setup.guides[number], level=round(level, 1)))

    def set_guide(self, number: int, guide: Guide | None) -> None:
        """Put another guide in the place of one, or remove it."""
        guides = list(self.setup.guides)
        guides[number : number + 1] = [guide] if guide is not None else []
        self.change(guides=tuple(guides))
