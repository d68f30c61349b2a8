"""A checksum of each track of a file, as it is coded: what tells which of them was changed where the file is another."""

import hashlib
from collections.abc import Callable

import av

from bluffline.errors import MediaError
from bluffline.media.opening import Opening, shown
from bluffline.media.source_file import opened


def track_digests(opening: Opening, tell: Callable[[int], object]) -> list[tuple[str, str]]:
    """The kind and the SHA-256 of each track, in the file's order: of its packets' bytes one after the other.

    Times are not part of it, so that a track stays the same in another container. Numbered pictures have none.
    ``tell`` is called with the bytes read so far.

    Raises
    ------
    MediaError : the file can't be read to its end
    """
    if opening.numbered:
        return []
    done = 0
    with opened(opening) as source:
        streams = list(source.container.streams)
        digests = {stream.index: hashlib.sha256() for stream in streams}
        try:
            for packet in source.packets(streams):
                if packet.size:
                    digests[packet.stream.index].update(bytes(packet))
                    done += packet.size
                    tell(done)
        except av.error.FFmpegError as error:
            raise MediaError(f"{shown(opening.path.name)} can't be read to its end: {error.strerror}.") from error
        return [(stream.type or "data", digests[stream.index].hexdigest()) for stream in streams]
