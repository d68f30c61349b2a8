"""When files are on air: hours and minutes, typed, or in a CSV of names and times."""

import csv
import re
from pathlib import Path

from bluffline.errors import SettingsError
from bluffline.intake import read_text
from bluffline.media.opening import shown

_TIME = re.compile(r"([01]?\d|2[0-3]):([0-5]\d)")


def air_time(text: str) -> str:
    """A time as it is kept, with two digits each; empty for an empty text.

    Raises
    ------
    SettingsError : it is no time
    """
    found = _TIME.fullmatch(text.strip())
    if text.strip() and found is None:
        raise SettingsError(f"A time on air is hours and minutes, as 18:30, not {text[:20]}.")
    return f"{int(found[1]):02}:{found[2]}" if found else ""


def air_times(path: Path) -> dict[str, str]:
    """Times by names, without regard to capitals; the first line may name the columns.

    Raises
    ------
    SettingsError : it can't be read, or a line of it is none
    """
    try:
        rows = [row for row in csv.reader(read_text(path).splitlines()) if any(cell.strip() for cell in row)]
    except (OSError, ValueError, csv.Error) as error:
        raise SettingsError(f"The air times {shown(path)} can't be read: {error}.") from error
    times: dict[str, str] = {}
    for number, row in enumerate(rows, 1):
        if len(row) < 2 or not _TIME.fullmatch(row[1].strip()):
            if number == 1 and len(row) >= 2:
                continue  # the names of the columns
            told = f"{shown(path)}, line {number}: a name and a time are needed"
            raise SettingsError(f"{told}, as harbour-report.mxf, 18:30.")
        times[row[0].strip().casefold()] = air_time(row[1])
    return times
