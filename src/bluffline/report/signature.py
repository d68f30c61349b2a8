"""The signature of a certificate: who has signed which bytes, in a file of its own beside them."""

import base64
import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from hashlib import sha256
from typing import Any

import rfc8785

from bluffline.report.keys import OwnKey, PublicKey

_SCHEMA = "bluffline.signature/1"


@dataclass(frozen=True)
class Signature:
    """A signature that was read: by which key it says it is, when, and the SHA-256 of each file that it covers, by its part.

    ``holds``: whether it was made with that key, of just this.
    """

    signer: PublicKey
    at: datetime
    covers: Mapping[str, str]
    holds: bool

    def differing(self, found: Mapping[str, str]) -> list[str]:
        """The parts that are not what was signed, or are not there, or that nobody has signed; ``found``: their SHA-256."""
        return sorted(part for part in {*self.covers, *found} if self.covers.get(part) != found.get(part))


def canonical(data: Any) -> bytes:
    """JSON in the one form in which it has the same bytes for everybody, RFC 8785 (numbers as IEEE 754 doubles)."""
    return rfc8785.dumps(data)


def sign(files: Mapping[str, bytes], key: OwnKey, at: datetime) -> bytes:
    """A signature of files, by their parts, as canonical JSON; what is signed is all of it but the signature's own field."""
    data = {
        "schema": _SCHEMA,
        "at": at.isoformat(timespec="seconds"),
        "signer": key.public.as_data,
        "covers": {part: sha256(content).hexdigest() for part, content in files.items()},
    }
    return canonical({**data, "signature": base64.b64encode(key.sign(canonical(data))).decode()})


def read_signature(content: bytes) -> Signature:
    """A signature from its file.

    Raises
    ------
    ValueError : it is none, or not a byte of it is as it was written
    """
    try:
        data = json.loads(content)
        if canonical(data) != content or data["schema"] != _SCHEMA:
            raise ValueError("it is not in the form in which signatures are written")
        signer, at = PublicKey.from_data(data["signer"]), datetime.fromisoformat(data["at"])
        signature = base64.b64decode(data.pop("signature"), validate=True)
        covers = {str(part): str(digest) for part, digest in data["covers"].items()}
    except (KeyError, TypeError, AttributeError, RecursionError, rfc8785.CanonicalizationError) as error:
        raise ValueError("it is no signature") from error
    return Signature(signer, at, covers, signer.signed(canonical(data), signature))
