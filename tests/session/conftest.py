import pytest

from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey


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
