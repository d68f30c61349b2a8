"""Certificates as tests handle them."""

import json
import shutil
from datetime import UTC, datetime

from bluffline.media.target import CERTIFICATE_PARTS, certificate_paths
from bluffline.report.signature import canonical, sign


def copied(file, folder):
    for path in (file, *certificate_paths(file)):
        shutil.copy(path, folder)
    return folder / file.name


def told(verified, about):
    (point,) = [point for point in verified.points if point.about == about]
    return point


def forged(file, key, change):
    """Sign a changed certificate with a key."""
    paths = certificate_paths(file)
    data = json.loads(paths.data.read_bytes())
    change(data)
    paths.data.write_bytes(canonical(data))
    parts = {part: path.read_bytes() for part, path in zip(CERTIFICATE_PARTS[:-1], paths[:-1], strict=True)}
    paths.signature.write_bytes(sign(parts, key, datetime.now(UTC)))
