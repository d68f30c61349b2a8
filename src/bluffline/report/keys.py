"""Keys that certificates are signed with: this user's own, and those of others, trusted by name until they are revoked."""

from __future__ import annotations

import base64
import json
import os
import tempfile
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bluffline.errors import SettingsError
from bluffline.folders import UserFolder
from bluffline.intake import read_text
from bluffline.media.opening import shown
from bluffline.report.files import save_text

if TYPE_CHECKING:  # loaded where something is signed or verified, so that the desk is there a tenth of a second sooner
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

_SCHEMA = "bluffline.key/1"
_OWN, _OTHERS = "own.pem", "others.json"
_BYTES = 32  # of a public key, RFC 8032
_LONGEST_NAME = 200  # characters


@dataclass(frozen=True)
class PublicKey:
    """An Ed25519 public key (RFC 8032) as its 32 bytes, and the name of whoever signs with it."""

    name: str
    data: bytes

    def __post_init__(self) -> None:
        if len(self.data) != _BYTES:
            raise ValueError("an Ed25519 public key has 32 bytes")
        if not self.name.strip() or len(self.name) > _LONGEST_NAME or not self.name.isprintable():
            raise ValueError("a key's name is one line of 1 to 200 characters")

    @property
    def fingerprint(self) -> str:
        """The first 16 bytes of its SHA-256 in groups of four, to be read out and compared."""
        digits = sha256(self.data).hexdigest()[:32]
        return " ".join(digits[place : place + 4] for place in range(0, len(digits), 4))

    def signed(self, message: bytes, signature: bytes) -> bool:
        """Whether a signature of a message was made with this key."""
        from cryptography.exceptions import InvalidSignature
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

        try:
            Ed25519PublicKey.from_public_bytes(self.data).verify(signature, message)
        except (InvalidSignature, ValueError):
            return False
        return True

    @property
    def as_data(self) -> dict[str, str]:
        """Its stored form."""
        return {"name": self.name, "public": base64.b64encode(self.data).decode()}

    @classmethod
    def from_data(cls, data: Any) -> PublicKey:
        """A key of its stored form.

        Raises
        ------
        ValueError, KeyError, TypeError : it is none
        """
        if not isinstance(data["name"], str) or not isinstance(data["public"], str):
            raise TypeError("a key's name and bytes are words")
        return cls(data["name"], base64.b64decode(data["public"], validate=True))


@dataclass(frozen=True)
class OwnKey:
    """The key that this user signs with."""

    name: str
    private: Ed25519PrivateKey

    @cached_property
    def public(self) -> PublicKey:
        """What others need to verify what it has signed."""
        return PublicKey(self.name, self.private.public_key().public_bytes_raw())

    def sign(self, message: bytes) -> bytes:
        """The signature of a message, 64 bytes."""
        return self.private.sign(message)


@dataclass(frozen=True)
class OtherKey:
    """Somebody else's key: since when it is trusted, and, if it is revoked, since when and why."""

    key: PublicKey
    trusted: datetime
    revoked: datetime | None = None
    why: str = ""

    @property
    def as_data(self) -> dict[str, str | None]:
        """Its stored form, times as ISO 8601."""
        revoked = None if self.revoked is None else self.revoked.isoformat(timespec="seconds")
        return {**self.key.as_data, "trusted": self.trusted.isoformat(timespec="seconds"), "revoked": revoked, "why": self.why}

    @classmethod
    def from_data(cls, data: Any) -> OtherKey:
        """A key of its stored form.

        Raises
        ------
        ValueError, KeyError, TypeError : it is none
        """
        revoked = data["revoked"] and datetime.fromisoformat(data["revoked"])
        return cls(PublicKey.from_data(data), datetime.fromisoformat(data["trusted"]), revoked or None, str(data["why"]))


class Keys:
    """The keys in a folder of the user's, which nobody else may read. What is done is on disk when it returns."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or UserFolder.WORK.path / "keys"

    # One's own ---------------------------------------------------------------------------------------------------------

    def own(self, name: str = "") -> OwnKey:
        """One's own key; at first use it is made, for ``name`` or else the user as this machine calls them.

        Raises
        ------
        SettingsError : it can't be read, or made; what is there is left as it is
        """
        path = self.folder / _OWN
        try:
            if not path.exists():
                self._make(path, name or os.environ.get("USER", "") or "operator")
            head, _, pem = read_text(path).partition("\n")
            key = OwnKey(head.removeprefix("# "), _ed25519(pem))
            key.public  # noqa: B018 (its name may be none)
        except OSError as error:
            raise SettingsError(f"The key in {shown(path)} can't be read or made: {error.strerror}.") from error
        except (ValueError, TypeError) as error:
            raise SettingsError(f"{shown(path)} is not a key that can be signed with: {error}.") from error
        return key

    @property
    def mine(self) -> PublicKey | None:
        """One's own public key; None where none has been made, and none is made."""
        return self.own().public if (self.folder / _OWN).exists() else None

    def rename(self, name: str) -> OwnKey:
        """Sign under another name from now on; the key stays.

        Raises
        ------
        SettingsError : the name can't be one, or the disk refuses
        """
        renamed = OwnKey(name, self.own(name).private)
        _checked(renamed)
        try:
            _put(self.folder / _OWN, _own_text(renamed), anew=False)
        except OSError as error:
            raise SettingsError(f"The key could not be kept: {error.strerror}.") from error
        return renamed

    def _make(self, path: Path, name: str) -> None:
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        own = OwnKey(name, Ed25519PrivateKey.generate())
        _checked(own)
        _put(path, _own_text(own), anew=True)

    # Others' -----------------------------------------------------------------------------------------------------------

    def others(self) -> list[OtherKey]:
        """Those of others, trusted or not any more.

        Raises
        ------
        SettingsError : they can't be read
        """
        path = self.folder / _OTHERS
        if not path.exists():
            return []
        try:
            return [OtherKey.from_data(each) for each in json.loads(read_text(path))]
        except (OSError, ValueError, KeyError, TypeError, RecursionError) as error:
            raise SettingsError(f"The keys in {shown(path)} can't be read, so nobody's is trusted: {error}.") from error

    def trust(self, key: PublicKey) -> None:
        """Trust what is signed with a key from now on.

        Raises
        ------
        SettingsError : it has been revoked, or another has its name
        """
        others = self.others()
        for other in others:
            if other.key.data == key.data and other.revoked:
                raise SettingsError(f"The key of {other.key.name} was revoked ({other.why}); it is not trusted again.")
            if other.key.name == key.name and other.key.data != key.data and not other.revoked:
                raise SettingsError(f"Another key is trusted as {key.name}; revoke that, or give this one another name.")
        kept = [other for other in others if other.key.data != key.data]
        self._save([*kept, OtherKey(key, datetime.now(UTC))])

    def revoke(self, name: str, why: str) -> OtherKey:
        """Trust nothing any more that was signed with the key of this name, whenever that was.

        Raises
        ------
        SettingsError : no key of this name is trusted
        """
        others = self.others()
        for place, other in enumerate(others):
            if other.key.name == name and not other.revoked:
                others[place] = replace(other, revoked=datetime.now(UTC), why=why)
                self._save(others)
                return others[place]
        raise SettingsError(f"No key is trusted as {name}.")

    def _save(self, others: Sequence[OtherKey]) -> None:
        try:
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise SettingsError(f"The keys could not be kept: {error.strerror}.") from error
        save_text(self.folder / _OTHERS, json.dumps([each.as_data for each in others], indent=1, ensure_ascii=False) + "\n")


def key_text(key: PublicKey) -> str:
    """A public key as a file that is given to others."""
    return json.dumps({"schema": _SCHEMA, **key.as_data}, indent=1, ensure_ascii=False) + "\n"


def load_key(path: Path, name: str = "") -> PublicKey:
    """A public key from a file that `key_text` has made; ``name``: what it is to be called here.

    Raises
    ------
    SettingsError : it is none
    """
    try:
        data = json.loads(read_text(path))
        return PublicKey.from_data({**data, "name": name or data["name"]})
    except OSError as error:
        raise SettingsError(f"{shown(path)} can't be read: {error.strerror}.") from error
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise SettingsError(f"{shown(path)} is not a public key: {error}.") from error


def _ed25519(pem: str) -> Ed25519PrivateKey:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
    from cryptography.hazmat.primitives.serialization import load_pem_private_key

    private = load_pem_private_key(pem.encode(), None)
    if not isinstance(private, Ed25519PrivateKey):
        raise TypeError("it is of another kind")
    return private


def _checked(own: OwnKey) -> None:
    try:
        own.public  # noqa: B018
    except ValueError as error:
        raise SettingsError(f"That can't be the name of a key: {error}.") from error


def _own_text(own: OwnKey) -> bytes:
    from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

    pem = own.private.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    return f"# {own.name}\n".encode() + pem


def _put(path: Path, data: bytes, *, anew: bool) -> None:
    """A file that only its owner may read, whole or not at all; ``anew``: one that came meanwhile stays."""
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")  # which only its owner may read
    aside = Path(name)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if anew:
            with suppress(FileExistsError):
                path.hardlink_to(aside)
        else:
            aside.replace(path)
    finally:
        aside.unlink(missing_ok=True)


def told_time(moment: datetime) -> str:
    """A moment, to the minute."""
    return moment.astimezone(UTC).strftime("%Y-%m-%d %H:%M UTC")
