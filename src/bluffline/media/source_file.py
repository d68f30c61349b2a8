"""Files handed to FFmpeg's libraries through our own hands, so that a read that fails is never taken for the end of a file."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
from av.container import InputContainer
from av.stream import Stream

from bluffline.errors import MediaError
from bluffline.media.opening import Opening, shown
from bluffline.stopping import never_unwound

_BUFFER = 1 << 16  # bytes that the libraries read ahead; larger packets are read by themselves
_HEAD = 1 << 12
# What names other files or addresses to be read: it could not be hashed, and what it names could change unseen.
_LISTS = {
    "a playlist": re.compile(rb"\s*(#EXTM3U|\[playlist\]|<asx|<smil)", re.IGNORECASE),
    "a list of files to be joined": re.compile(rb"\s*ffconcat version"),
    "a manifest of other files": re.compile(
        rb"\s*<.*?<?([\w:]*:)?(MPD|SmoothStreamingMedia|WebMDash|CompositionPlaylist|AssetMap)\b", re.DOTALL
    ),
    "a session description": re.compile(rb"v=0\r?\n"),
}


class WatchedFile:
    """A file as it is handed to FFmpeg's libraries, which may take a read that fails for its end: what failed is remembered.

    ``trouble``: what went wrong, in the words of the system; empty where nothing did.
    """

    def __init__(self, path: Path) -> None:
        self._file = path.open("rb", buffering=0)
        self._size = os.fstat(self._file.fileno()).st_size
        self.name = f"programme{path.suffix}"  # its ending may tell what it is
        self.trouble = ""

    @never_unwound
    def read(self, count: int) -> bytes:
        """The next bytes; none at the end, or where reading failed: an error raised here might come out anywhere."""
        try:
            data = self._file.read(count) or b""
        except OSError as error:
            self.trouble = error.strerror or "reading failed"
            return b""
        if not data and count and self._file.tell() < self._size:
            self.trouble = "it became shorter while it was read"
        return data

    @never_unwound
    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        """Go to a place."""
        return self._file.seek(offset, whence)

    @never_unwound
    def tell(self) -> int:
        """The place of the next byte."""
        return self._file.tell()

    def close(self) -> None:
        """Let go of the file."""
        self._file.close()


@dataclass(frozen=True, slots=True, eq=False)
class SourceFile:
    """A programme's file, opened. ``name``: of the programme, to be printed."""

    container: InputContainer
    name: str
    watched: WatchedFile | None

    def packets(self, streams: Sequence[Stream]) -> Iterator[av.Packet[Any]]:
        """Packets of some streams to the end of the file.

        Raises
        ------
        MediaError : a read failed, now or before
        av.error.FFmpegError : the file is damaged here
        """
        try:
            yield from self.container.demux(*streams)
        except av.error.FFmpegError as error:
            self.refuse_trouble()
            if self.watched is None and not isinstance(error, av.error.InvalidDataError):
                raise not_wholly_read(self.name, error.strerror or "reading failed") from error
            raise
        self.refuse_trouble()

    def seek(self, time: int, stream: Stream) -> None:
        """Go to a time of a track, in its ticks, or to somewhere else where that can't be done."""
        with suppress(av.error.FFmpegError):
            self.container.seek(time, stream=stream)

    def refuse_trouble(self) -> None:
        """Nothing can be said of a file that could not be read wholly.

        Raises
        ------
        MediaError : a read of it has failed
        """
        if self.watched is not None and self.watched.trouble:
            raise not_wholly_read(self.name, self.watched.trouble)


def not_wholly_read(name: str, trouble: str) -> MediaError:
    """What is said where reading failed."""
    return MediaError(f"{name} was not wholly read ({trouble}), so nothing is said of it; try again.")


@contextmanager
def opened(opening: Opening, **options: str) -> Iterator[SourceFile]:
    """Open for reading only, with decoder and file errors told in a sentence; ``options`` are FFmpeg's for the container.

    Nothing that is named inside the file is opened.

    Raises
    ------
    MediaError : nothing that FFmpeg's libraries can read, or a list of other files.
    """
    path = shown(opening.path)
    told = dict(opening.options) | options
    watched: WatchedFile | None = None
    try:
        try:
            if opening.numbered:
                given: Any = opening.name
                told["protocol_whitelist"] = "file"
            else:
                given = watched = WatchedFile(opening.path)
                refuse_list(watched.read(_HEAD), path)
                watched.seek(0)
                told["protocol_whitelist"] = "none"
            container = av.open(
                given, "r", format=opening.format, options=told, metadata_errors="ignore", buffer_size=_BUFFER
            )
        except PermissionError as error:
            raise MediaError(f"{path} may not be read by this user.") from error
        except (av.error.FFmpegError, OSError, ValueError) as error:
            if watched is not None and watched.trouble:
                raise not_wholly_read(path, watched.trouble) from error
            raise MediaError(
                f"{path} can't be opened as a programme file: it is damaged, cut short or not a video."
            ) from error
        try:
            source = SourceFile(container, path, watched)
            source.refuse_trouble()
            yield source
        finally:
            container.close()
    finally:
        if watched is not None:
            watched.close()


def refuse_list(head: bytes, name: str) -> None:
    """A programme is one file, or numbered pictures: what else it would read could not be held against a checksum.

    Raises
    ------
    MediaError : the file is a list of others
    """
    for kind, pattern in _LISTS.items():
        if pattern.match(head):
            raise MediaError(f"{name} is {kind}, which names other files: open those, or join them into one file first.")
