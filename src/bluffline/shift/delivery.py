"""Handing a file on: copied into a folder with its certificate, if it still is what was certified."""

import json
import os
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from bluffline.errors import BlufflineError, MediaError, WriteError
from bluffline.intake import read_bounded
from bluffline.media.opening import Opening, shown
from bluffline.media.target import certificate_paths, claimed
from bluffline.report.verify import certified_digest
from bluffline.shift.one_file import Told
from bluffline.survey.checking import checksum
from bluffline.survey.monitor import Monitor


def what_goes(path: Path, told: Told | None) -> tuple[Path, Sequence[Path]] | None:
    """The file that is handed on for one in hand, its proved copy or itself as it stands, and its certificate; None without."""
    written = [Path(each) for each in told.written] if told is not None else []
    for file in written:
        if set(pages := certificate_paths(file)) <= set(written):
            return file, pages
    named = {page.name: page for page in written}
    own = [page.name for page in certificate_paths(path)]
    return (path, [named[name] for name in own]) if set(own) <= named.keys() else None


GATEWAY_TOKEN = "BLUFFLINE_GATEWAY_TOKEN"  # noqa: S105 - the variable that holds what gateways ask for


@dataclass(frozen=True, slots=True)
class Decided:
    """What a gateway decided: whether it accepted, and why, in sentences."""

    accepted: bool
    reasons: tuple[str, ...]


class SentBackError(BlufflineError):
    """A gateway refused a delivery; it says why."""


def is_gateway(where: str) -> bool:
    """Whether a profile's word for where files are handed on to is a gateway's address, rather than a folder."""
    return where.startswith(("http://", "https://"))


def hand_on(path: Path, told: Told, where: str) -> None:
    """Copy what is handed on into a folder, with its certificate, or deliver it to a gateway, by its address.

    What is there already, and the same, is left as it is. What a gateway asks for stands in the environment, as
    ``BLUFFLINE_GATEWAY_TOKEN``.

    Raises
    ------
    MediaError : it has no certificate, or is not what was certified any more
    WriteError : it can't be copied, or something else has its name there
    SettingsError : the gateway can't be reached, or takes no delivery from here
    SentBackError : the gateway refused it
    """
    goes = what_goes(path, told)
    if goes is None:
        raise MediaError(f"{shown(path.name)} has no certificate, so it is not handed on.")
    media, pages = goes
    name = shown(media.name)
    if is_gateway(where):
        from bluffline.shift.sending import deliver

        decided = deliver(media, where, Monitor(), os.environ.get(GATEWAY_TOKEN, ""))
        if not decided.accepted:
            raise SentBackError(" ".join(decided.reasons))
        return
    folder = Path(where).expanduser().absolute()
    if Opening.of(media).numbered:
        raise MediaError(f"{name} is numbered pictures, which are not copied: hand their folder on.")
    if not folder.is_dir():
        raise WriteError(f"The folder {shown(folder)} is not there, so {name} was not handed on.")
    target = folder / media.name
    try:
        certified = certified_digest(json.loads(read_bounded(pages[0])))
        beside = {there: page.read_bytes() for there, page in zip(certificate_paths(target), pages, strict=True)}
        with claimed(target, "delivery") as claim:
            if target.exists():
                if checksum([target], Monitor(), name) != certified:
                    raise WriteError(f"There is another {name} in {shown(folder)}; it was left as it is.")
                return
            shutil.copyfile(media, claim.working)
            if checksum([claim.working], Monitor(), name) != certified:
                raise MediaError(f"What was copied of {name} is not what was certified, so it was not handed on.")
            claim.settle(beside)
    except OSError as error:
        raise WriteError(f"{name} could not be copied into {shown(folder)}: {error.strerror}.") from error
    except (ValueError, KeyError, TypeError) as error:
        raise MediaError(f"{shown(pages[0].name)} is no certificate any more, so {name} was not handed on.") from error
