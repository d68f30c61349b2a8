"""A gateway as a process of its own, and what is delivered to it."""

import os
import shutil
import subprocess
import sys
from contextlib import contextmanager
from pathlib import Path

from bluffline.media.target import certificate_paths


@contextmanager
def running(folder, *words):
    """A gateway that runs; gives its address and its process."""
    command = [sys.executable, "-m", "bluffline", "gateway", "--folder", str(folder), "--port", "0", *words]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=os.environ)
    try:
        yield process.stdout.readline().strip(), process
    finally:
        process.terminate()
        process.wait(60)
        process.stdout.close()


def take(source: Path, folder: Path, name: str = "") -> Path:
    """A copy of a file with its certificate, under another name if one is given."""
    folder.mkdir(parents=True, exist_ok=True)
    target = folder / (name or source.name)
    for path, there in zip((source, *certificate_paths(source)), (target, *certificate_paths(target)), strict=True):
        shutil.copy(path, there)
    return target
