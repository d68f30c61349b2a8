"""What can be pulled of the step on the bench, on the frame in view."""

from collections.abc import Sequence

from bluffline.session.session import Session
from bluffline.treat.pulling import Handle, handles
from bluffline.treat.step import Step
from bluffline.treat.transfer import MID_GREY


def handles_in_view(session: Session, components: Sequence[int | None]) -> list[Handle]:
    """The handles of the step on the bench where components are shown (None: luma); none before the frame is measured."""
    rung, ladder, columns = session.place.rung, session.document.treatment, session.source_columns()
    frame = session.place.frame
    if rung is None or rung >= len(ladder) or frame >= len(columns.get("y_p999", ())):
        return []
    ends = float(columns["y_p01"][frame]), MID_GREY, float(columns["y_p999"][frame])
    return handles(ladder, rung, ends, components, session.source)


def balancing(session: Session) -> Step | None:
    """The step on the bench, where a colour that is pulled sets it and it is in force."""
    rung, ladder = session.place.rung, session.document.treatment
    step = ladder[rung] if rung is not None and rung < len(ladder) else None
    return step if step is not None and step.balances and step.on else None
