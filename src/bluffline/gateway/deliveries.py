"""Deliveries: a file with its certificate, which is verified, and then accepted whole or refused with the reasons."""

import json
import shutil
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from enum import StrEnum
from pathlib import Path
from typing import Any
from uuid import uuid4

from bluffline.errors import CancelledError
from bluffline.gateway.uploads import RefusedError, Upload
from bluffline.intake import read_bounded
from bluffline.media.opening import shown
from bluffline.media.target import CERTIFICATE_PARTS, certificate_paths, claimed
from bluffline.report.files import save_text
from bluffline.report.keys import Keys
from bluffline.report.verify import certified_digest, read_as_certified, verify
from bluffline.rules.catalogue import headline
from bluffline.rules.rules import Rules
from bluffline.session.faults import fault_of
from bluffline.survey.checking import check, checksum
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, start_survey

FILE = "file"  # the part of a delivery that is the programme; the others are those of its certificate
PARTS = FILE, *CERTIFICATE_PARTS
_OURS = *CERTIFICATE_PARTS, "certificate.pdf"  # what certificates are called, and no file is
_LONGEST = 180  # bytes of a name


class Decision(StrEnum):
    """What has been decided of a delivery."""

    CHECKING = "being checked"
    ACCEPTED = "accepted"
    REFUSED = "refused"


@dataclass(frozen=True, slots=True)
class Delivery:
    """One delivery. ``reasons``: why it was refused, or what was looked at where it was not, in sentences."""

    number: str
    name: str
    at: str
    size: int
    state: Decision = Decision.CHECKING
    reasons: tuple[str, ...] = ()


class Deliveries:
    """Takes deliveries in a folder; what is decided is kept there, and what a stop left undecided is checked anew.

    ``rules``: what it judges by where a certificate is of others.
    """

    def __init__(self, folder: Path, keys: Keys, rules: Rules) -> None:
        self._keys, self._rules = keys, rules
        self._kept, self._checking, self.accepted = folder / "deliveries", folder / "checking", folder / "accepted"
        for each in (self._kept, self._checking, self.accepted):
            each.mkdir(parents=True, exist_ok=True)
        self._known = {each.number: each for each in self._read()}
        self._worker, self._monitor = ThreadPoolExecutor(1, "bluffline-gateway"), Monitor()
        undecided = {each.number for each in self._known.values() if each.state is Decision.CHECKING}
        for path in self._checking.iterdir():  # a stop came before it was noted, so that its uploads are begun anew, or after
            if path.name not in undecided:
                shutil.rmtree(path, ignore_errors=True)
        for delivery in self._known.values():
            if delivery.state is Decision.CHECKING:
                self._worker.submit(self._decide, delivery)

    def __iter__(self) -> Iterator[Delivery]:
        return iter(sorted(self._known.values(), key=lambda each: each.at, reverse=True))

    def find(self, number: str) -> Delivery | None:
        """A delivery by its number."""
        return self._known.get(number)

    def hand_in(self, name: str, parts: Mapping[str, Upload]) -> Delivery:
        """Begin to check a file, under a name, and the parts of its certificate (see `PARTS`), all of which have arrived.

        Raises
        ------
        RefusedError : the name is none that a file may have here, or parts are missing
        """
        plain = name.isprintable() and name == Path(name).name and not name.startswith(".")
        if not plain or not 0 < len(name.encode()) <= _LONGEST or name.endswith(_OURS):
            raise RefusedError(422, "That is no name that a file may have here.")
        if missing := [part for part in PARTS if part not in parts]:
            raise RefusedError(422, f"Without its {' and '.join(missing)} nothing is taken.")
        if len({upload.number for upload in parts.values()}) < len(parts):
            raise RefusedError(422, "Two of its parts are one upload.")
        if behind := [part for part, upload in parts.items() if not upload.whole]:
            raise RefusedError(409, f"Not all of it has arrived yet: {', '.join(sorted(behind))}.")
        at = datetime.now(UTC).isoformat(timespec="milliseconds")
        delivery = Delivery(uuid4().hex, name, at, parts[FILE].length)
        into = self._checking / delivery.number
        into.mkdir()
        try:
            for part, target in zip(PARTS, (into / name, *certificate_paths(into / name)), strict=True):
                parts[part].path.replace(target)
        except FileNotFoundError as error:
            shutil.rmtree(into, ignore_errors=True)
            raise RefusedError(409, "A part of it was handed in already.") from error
        self._save(delivery)
        self._known[delivery.number] = delivery
        self._worker.submit(self._decide, delivery)
        return delivery

    def close(self) -> None:
        """Stop; what is not decided yet is checked the next time."""
        self._monitor.cancel()
        self._worker.shutdown(cancel_futures=True)

    # Deciding ---------------------------------------------------------------------------------------------------------

    def _decide(self, delivery: Delivery) -> None:
        file = self._checking / delivery.number / delivery.name
        try:
            reasons = self._wrong_with(file)
            if reasons:
                decided = replace(delivery, state=Decision.REFUSED, reasons=tuple(reasons))
            else:
                decided = replace(delivery, state=Decision.ACCEPTED, reasons=(self._put(file),))
        except CancelledError:
            return  # it is checked the next time
        except Exception as error:  # noqa: BLE001 - whatever it is, nothing is accepted, and it is told
            told = fault_of(error, f"Checking {shown(delivery.name)}").sentence
            decided = replace(delivery, state=Decision.REFUSED, reasons=(told,))
        self._save(decided)
        shutil.rmtree(file.parent, ignore_errors=True)
        self._known[delivery.number] = decided  # told once all of it is done

    def _wrong_with(self, file: Path) -> list[str]:
        """Why a file is not accepted; nothing where it is."""
        verified = verify(file, None, self._keys, self._monitor, look_inside=False)
        if not verified.good:
            return [f"{point.about.capitalize()}: {point.told}" for point in verified.points if not point.holds]
        data = json.loads(read_bounded(certificate_paths(file).data))
        report = data.get("after", data)
        if report["rules"]["sha256"] == self._rules.checksum:
            return []
        return self._judged_here(file, report)

    def _judged_here(self, file: Path, report: Mapping[str, Any]) -> list[str]:
        """What the rules of this place find that others did not."""
        programme = read_as_certified(file, report)
        checked = check(start_survey(programme, self._rules), self._monitor)
        if checked.good:
            return []
        found = must_fix(checked.findings)
        under = f"It was certified under {report['rules']['title']}; under {self._rules.title}, which hold here,"
        if not found:
            return [f"{under} not all of its frames could be read."]
        first = min(found, key=lambda each: each.first_frame)
        count = f"{len(found)} finding{'s' if len(found) > 1 else ''} must be fixed"
        return [f"{under} {count}; the first: {headline(first)} at {programme.label(first.worst_frame)}."]

    def _put(self, file: Path) -> str:
        """Put a file and its certificate where playout takes them, whole or not at all; what was done, in a sentence.

        Raises
        ------
        RefusedError : another file of its name is there
        WriteError : the disk refuses
        """
        target, here = self.accepted / file.name, certificate_paths(file)
        with claimed(target, "delivery") as claim:
            if target.exists():
                if checksum([target], self._monitor, file.name) != certified_digest(json.loads(read_bounded(here.data))):
                    raise RefusedError(409, f"Another {shown(file.name)} was accepted before; it was left as it is.")
                if all(path.exists() for path in certificate_paths(target)):
                    return "It was accepted before, and is the same."
            try:
                claim.working.hardlink_to(file)
            except OSError:  # a file system without links
                shutil.copyfile(file, claim.working)
            beside = certificate_paths(target)
            claim.settle({there: path.read_bytes() for there, path in zip(beside, here, strict=True)})
        return "It is what its certificate says, signed by someone who is trusted."

    # Kept -------------------------------------------------------------------------------------------------------------

    def _save(self, delivery: Delivery) -> None:
        save_text(self._kept / f"{delivery.number}.json", json.dumps(asdict(delivery)))

    def _read(self) -> Iterator[Delivery]:
        for path in self._kept.glob("*.json"):
            with suppress(ValueError, KeyError, TypeError):  # it is none of ours
                data = json.loads(path.read_text(encoding="utf-8"))
                yield Delivery(**{**data, "state": Decision(data["state"]), "reasons": tuple(data["reasons"])})
