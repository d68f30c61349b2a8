"""Delivering to a gateway: a file and its certificate, piece by piece by tus 1.0, going on after any break."""

import base64
import hashlib
import json
import time
from collections.abc import Container, Iterator, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx

from bluffline.errors import MediaError, SettingsError
from bluffline.folders import UserFolder
from bluffline.media.opening import Opening, shown
from bluffline.media.target import CERTIFICATE_PARTS, certificate_paths
from bluffline.report.files import save_text
from bluffline.shift.delivery import Decided
from bluffline.survey.monitor import Monitor

_TUS = {"Tus-Resumable": "1.0.0"}
_PIECE = 8 << 20  # bytes that are sent, and checked, at once
_TRIES = 6  # how often it is tried again while nothing gets through
_WAITS = 30.0  # seconds for an answer
_LOOK_EVERY = 0.3  # seconds between two looks at what has been decided
_BROKEN = frozenset({423, 460, 500, 502, 503, 504})  # answers that another try may mend


def deliver(file: Path, gateway: str, monitor: Monitor, token: str = "") -> Decided:
    """Deliver a file and its certificate to a gateway, by its address, and wait for what it decides.

    What was sent before a break, a stop or the end of the program is not sent again.

    Raises
    ------
    MediaError : the file has no certificate, or one of them can't be read
    SettingsError : the gateway can't be reached, or takes no delivery from here
    CancelledError : the monitor was asked to stop; what was sent stays there for a while
    """
    if not gateway.startswith(("http://", "https://")):
        raise SettingsError(f"{gateway} is no address of a gateway, as http://127.0.0.1:8600.")
    if Opening.of(file).numbered:
        raise MediaError(f"{shown(file.name)} is numbered pictures, which a gateway does not take.")
    parts = dict(zip(("file", *CERTIFICATE_PARTS), (file, *certificate_paths(file)), strict=True))
    if missing := [shown(path.name) for path in parts.values() if not path.is_file()]:
        raise MediaError(f"{missing[0]} is not there, so {shown(file.name)} is not delivered.")
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    try:
        with httpx.Client(base_url=gateway, headers=headers, timeout=_WAITS) as client:
            return _Delivering(client, gateway, _Begun(gateway, file), monitor).deliver(file, parts)
    except (httpx.InvalidURL, httpx.UnsupportedProtocol, UnicodeError) as error:
        raise SettingsError(f"{gateway} is no address of a gateway: {error}.") from error
    except OSError as error:
        raise MediaError(f"{shown(file.name)} can't be delivered: {error.strerror}.") from error


class _Begun:
    """Where a delivery's parts are uploaded to, kept until it is decided, so that it goes on after the end of the program."""

    def __init__(self, gateway: str, file: Path) -> None:
        signature = certificate_paths(file).signature.read_bytes()
        known = hashlib.sha256(gateway.encode() + b"\0" + signature).hexdigest()
        self._path = UserFolder.LOG.path / "deliveries" / f"{known}.json"
        self.at: dict[str, str] = {}
        with suppress(OSError, ValueError, AttributeError):  # it is begun anew
            self.at = {str(part): str(url) for part, url in json.loads(self._path.read_text(encoding="utf-8")).items()}

    def note(self, part: str, url: str) -> None:
        """Keep where a part goes."""
        self.at[part] = url
        self._path.parent.mkdir(parents=True, exist_ok=True)
        save_text(self._path, json.dumps(self.at))

    def forget(self) -> None:
        """It is decided, or has to begin anew."""
        self.at = {}
        self._path.unlink(missing_ok=True)


class _Delivering:
    def __init__(self, client: httpx.Client, gateway: str, begun: _Begun, monitor: Monitor) -> None:
        self._client, self._gateway, self._begun, self._monitor = client, gateway, begun, monitor

    def deliver(self, file: Path, parts: dict[str, Path]) -> Decided:
        sizes = {part: path.stat().st_size for part, path in parts.items()}
        total, done = max(sum(sizes.values()), 1), 0
        self._monitor.at("Deliver", 0, total, "bytes")
        for part, path in parts.items():
            for sent in self._send(part, path, sizes[part]):
                self._monitor.at("Deliver", done + sent, total, "bytes")
            done += sizes[part]
        numbers = {part: url.rpartition("/")[2] for part, url in self._begun.at.items()}
        answer = self._ask("POST", "/deliveries", json={"name": file.name, "parts": numbers})
        self._begun.forget()
        where = answer.headers.get("location", "")
        while True:
            told = self._ask("GET", where).json()
            if told["state"] != "being checked":
                return Decided(told["state"] == "accepted", tuple(map(str, told["reasons"])))
            self._monitor.at("Wait for its decision", 0, 1, "")
            time.sleep(_LOOK_EVERY)

    def _send(self, part: str, path: Path, size: int) -> Iterator[int]:
        """Send what of a part is not there yet; gives how much of it is."""
        if (url := self._begun.at.get(part)) is None or (offset := self._offset(url, size)) is None:
            name = base64.b64encode(path.name.encode("utf-8", "replace")).decode()
            made = self._ask("POST", "/uploads", headers={"Upload-Length": str(size), "Upload-Metadata": f"filename {name}"})
            url, offset = made.headers["location"], 0
            self._begun.note(part, url)
        with path.open("rb") as file:
            while offset < size:
                yield offset
                file.seek(offset)
                piece = file.read(_PIECE)
                if not piece:
                    raise MediaError(f"{shown(path.name)} became shorter while it was delivered.")
                offset = self._add(url, offset, piece, size)
        yield size

    def _add(self, url: str, offset: int, piece: bytes, size: int) -> int:
        """Add a piece, and tell where the next begins, by what the gateway says that it has."""
        checksum = base64.b64encode(hashlib.sha256(piece).digest()).decode()
        headers = {
            "Upload-Offset": str(offset), "Upload-Checksum": f"sha256 {checksum}",
            "Content-Type": "application/offset+octet-stream",
        }  # fmt: skip
        answer = self._ask("PATCH", url, headers=headers, content=piece, but={409})
        if answer.status_code == httpx.codes.CONFLICT:  # the answer to an earlier try was lost on its way
            found = self._offset(url, size)
            if found is None:
                raise SettingsError(f"{self._gateway} has lost what was sent; deliver it again.")
            return found
        return int(answer.headers["upload-offset"])

    def _offset(self, url: str, size: int) -> int | None:
        """How much of a part the gateway has; None where it knows nothing of it."""
        answer = self._ask("HEAD", url, but={404})
        if answer.status_code == httpx.codes.NOT_FOUND or answer.headers.get("upload-length") != str(size):
            return None
        return int(answer.headers["upload-offset"])

    def _ask(
        self, method: str, url: str, *, headers: Mapping[str, str] = _TUS, but: Container[int] = (), **request: Any
    ) -> httpx.Response:
        """An answer that is good, or one of those in ``but``; asked again while the line or the gateway fails."""
        why = ""
        for tried in range(_TRIES):
            if tried:
                self._monitor.at("Wait for the gateway", tried, _TRIES, "tries")
                time.sleep(0.2 * 2**tried)
            try:
                answer = self._client.request(method, url, headers={**_TUS, **headers}, **request)
            except httpx.TransportError as error:
                why = str(error) or type(error).__name__
                continue
            if answer.is_success or answer.status_code in but:
                return answer
            why = _why(answer)
            if answer.status_code not in _BROKEN:
                raise SettingsError(f"{self._gateway} takes no delivery: {why}")
        raise SettingsError(f"{self._gateway} can't be reached: {why.rstrip('.')}.")


def _why(answer: httpx.Response) -> str:
    try:
        return str(answer.json()["error"])
    except (ValueError, KeyError, TypeError):
        return f"it answers {answer.status_code}."
