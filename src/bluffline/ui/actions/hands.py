"""Who does what on the desk: for each subject the one controller that commands act by."""

from typing import TYPE_CHECKING, Protocol

from bluffline.session.gauges import GaugeModel
from bluffline.session.session import Session
from bluffline.ui.actions.balancing import Balancing
from bluffline.ui.actions.carrying import Carrying
from bluffline.ui.actions.delivering import Delivering
from bluffline.ui.actions.editing import Editing
from bluffline.ui.actions.long_work import LongWork
from bluffline.ui.actions.luts import Luts
from bluffline.ui.actions.overseeing import Overseeing
from bluffline.ui.actions.pairing import Pairing
from bluffline.ui.actions.programmes import Programmes
from bluffline.ui.actions.proposing import Proposing
from bluffline.ui.actions.shifting import Shifting
from bluffline.ui.actions.stocking import Stocking
from bluffline.ui.actions.who import Who
from bluffline.ui.chart.charting import Charting
from bluffline.ui.gauges.measuring import Measuring
from bluffline.ui.ladder.bench import Bench
from bluffline.ui.ladder.ladder import LadderPanel
from bluffline.ui.ladder.picking import Picking
from bluffline.ui.ladder.reaching import Reaching
from bluffline.ui.picture.player import Player
from bluffline.ui.picture.viewer import Viewer
from bluffline.ui.skyline.skyline import Skyline

if TYPE_CHECKING:  # it shows commands, which act by this
    from bluffline.ui.actions.helping import Helping


class Hands(Protocol):
    """The desk, as commands see it: its controllers, and what it does itself."""

    session: Session
    programmes: Programmes
    work: LongWork
    editing: Editing
    delivering: Delivering
    player: Player
    viewer: Viewer
    measuring: Measuring
    charting: Charting
    carrying: Carrying
    balancing: Balancing
    luts: Luts
    treatment: LadderPanel
    bench: Bench
    gauges: GaugeModel
    skyline: Skyline
    reaching: Reaching
    picking: Picking
    pairing: Pairing
    proposing: Proposing
    stocking: Stocking
    overseeing: Overseeing
    shifting: Shifting
    who: Who
    helping: "Helping"

    def cancel(self) -> None:
        """Stop what is running; else put down the tool in hand."""

    def close(self) -> bool:
        """Close it."""

    def show_page(self, name: str) -> None:
        """Turn the left column to a page."""

    def turn_to_shift(self) -> None:
        """Show the files in hand, or the desk again."""

    def show_chart(self) -> None:
        """Open the chart panel, or close it."""

    def find_chart(self) -> None:
        """Find the chart in view, with its panel open."""

    def place_chart(self) -> None:
        """Place the chart by hand, with its panel open."""
