import pytest

from bluffline.prove.monitor import Monitor
from bluffline.prove.survey import run_survey
from bluffline.session.session import Session


def surveyed(path):
    """A session with a programme under control, surveyed and judged."""
    made = Session()
    made.open(path)
    run_survey(made.survey, Monitor())
    made.refresh()
    return made


@pytest.fixture
def session(over_clip):
    return surveyed(over_clip)
