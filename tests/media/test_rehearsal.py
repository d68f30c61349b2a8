"""The folder that what a file would carry is tried in: full, left over by a run that was killed, and gone afterwards."""

import shutil
import signal
import subprocess
import sys
import tempfile
from types import SimpleNamespace

import pytest

from bluffline.errors import WriteError
from bluffline.media import carriage
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe

# Rehearses in a process of its own, and ends it there as a SIGKILL does.
KILLED = """
import os, signal, sys
from pathlib import Path
from bluffline.media import carriage
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe
carriage.probe = lambda path: os.kill(os.getpid(), signal.SIGKILL)
programme = probe(Path(sys.argv[1]))
carriage.rehearse(programme, programme.format, CODECS["ffv1"], Path(sys.argv[2]))
"""


@pytest.fixture
def folder(tmp_path, monkeypatch):
    """A folder for temporary files of this test's own."""
    made = tmp_path / "temporary"
    made.mkdir()
    monkeypatch.setenv("TMPDIR", str(made))
    monkeypatch.setattr(tempfile, "tempdir", str(made))
    return made


def tried(clip, target):
    programme = probe(clip)
    return rehearse(programme, programme.format, CODECS["ffv1"], target)


def test_nothing_is_left_and_what_a_killed_run_left_goes_with_the_next(folder, over_clip, tmp_path):
    tried(over_clip, tmp_path / "t.mkv")
    assert not list(folder.iterdir())
    command = [sys.executable, "-c", KILLED, str(over_clip), str(tmp_path / "t.mkv")]
    assert subprocess.run(command, check=False).returncode == -signal.SIGKILL
    (left,) = folder.iterdir()
    assert list(left.iterdir()), "it was killed while it wrote"
    tried(over_clip, tmp_path / "t.mkv")
    assert not list(folder.iterdir())


def test_a_full_folder_is_called_that(folder, over_clip, tmp_path, monkeypatch):

    class Full(carriage.Writer):
        def finish(self, *, carry=True):
            raise WriteError("The file could not be written: No space left on device.")

    monkeypatch.setattr(carriage, "Writer", Full)
    with pytest.raises(WriteError, match="No space left"):
        tried(over_clip, tmp_path / "t.mkv")
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=0))
    with pytest.raises(
        WriteError, match=r"The folder for temporary files, .*temporary, is full; make room there"
    ):
        tried(over_clip, tmp_path / "t.mkv")
    assert not list(folder.iterdir())
