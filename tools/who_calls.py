"""A plugin of pytest: which test enters which function of the package, and how long each test takes.

``pytest -p who_calls`` writes the answer as JSON to the file that ``WHO_CALLS`` names. Compiled loops are entered unseen.
"""

import json
import os
import sys
import threading
import time
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from types import FrameType

import pytest

_entered: dict[str, set[str]] = defaultdict(set)
_seconds: dict[str, float] = {}
_here = {"test": ""}


def _call(frame: FrameType, _event: str, _of: object) -> None:
    code = frame.f_code
    if "/src/bluffline/" in code.co_filename:
        inside = code.co_filename.rpartition("/src/bluffline/")[2]
        _entered[f"{inside}:{code.co_firstlineno}"].add(_here["test"])


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    """Notes the test that runs from here on, its fixtures too."""
    _here["test"] = item.nodeid
    begun = time.monotonic()
    sys.settrace(_call)
    threading.settrace(_call)
    yield
    sys.settrace(None)
    threading.settrace(None)
    _seconds[item.nodeid] = time.monotonic() - begun


def pytest_sessionfinish() -> None:
    """Writes what was seen."""
    found = {"entered": {each: sorted(tests) for each, tests in _entered.items()}, "seconds": _seconds}
    Path(os.environ["WHO_CALLS"]).write_text(json.dumps(found), "utf-8")
