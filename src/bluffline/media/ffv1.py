"""Whether an FFV1 frame is whole, by its own checksums: the decoder patches over damage without telling."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.media import crc_kernels as kernels

_FOOTER = 8  # bytes: size of the slice (3), error status (1), checksum (4) [RFC9043, section 4.9]


class SliceChecks:
    """Checks the frames of one file. Files made without checksums have nothing to check and always pass."""

    def __init__(self, first_frame: bytes) -> None:
        self._table = kernels.crc32_table()
        self._carried = self._whole(np.frombuffer(first_frame, np.uint8))

    def whole(self, frame: bytes) -> bool:
        """Whether every slice of a frame has the checksum it says it has."""
        return not self._carried or self._whole(np.frombuffer(frame, np.uint8))

    def _whole(self, data: NDArray[Any]) -> bool:
        end = len(data)
        while end > _FOOTER:
            size = int(data[end - 8]) << 16 | int(data[end - 7]) << 8 | int(data[end - 6])
            start = end - size - _FOOTER
            if start < 0 or kernels.crc32(data[start:end], self._table):
                return False
            end = start
        return end == 0
