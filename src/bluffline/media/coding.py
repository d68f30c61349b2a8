"""What a codec makes of single pictures: coded and decoded again in memory, as they will be in a written file."""

from fractions import Fraction

import av
from av.codec.context import Flags

from bluffline.errors import WriteError
from bluffline.media.codecs import MATRIX_TAGS, PRIMARIES_TAGS, RANGE_TAGS, TRANSFER_TAGS, Codec, written_format
from bluffline.media.pixels import layout_of, native_planes, put_planes
from bluffline.media.writer import FieldMarker
from bluffline.signal.format import Planes, SignalFormat

_DECODERS = {"libx264": "h264"}  # by encoder, where it has another name


class Coding:
    """Codes pictures by themselves. Not for use from several threads at once.

    ``format``: of what goes in and comes out. Rates that are shared among pictures, and pictures that are coded by others, come
    out a little differently in a file.

    Raises
    ------
    WriteError : the codec can't hold the format
    """

    def __init__(self, source: SignalFormat, codec: Codec, rate: Fraction) -> None:
        if codec.lossless:
            raise WriteError(f"{codec.title} changes nothing.")
        self.codec, self.format, self._rate = codec, written_format(source, codec), rate
        self._options = codec.options_for(self.format, rate)
        self._layout = layout_of(codec.pixel_format)
        self._marker = FieldMarker(self.format.top_field_first) if self.format.interlaced else None

    def through(self, planes: Planes) -> Planes:
        """A picture as it is read back.

        Raises
        ------
        WriteError : the codec can't code it
        """
        source = self.format
        encoder = av.CodecContext.create(self.codec.encoder, "w")
        assert isinstance(encoder, av.VideoCodecContext)
        encoder.width, encoder.height, encoder.pix_fmt = source.width, source.height, self.codec.pixel_format
        encoder.time_base, encoder.framerate, encoder.options = 1 / self._rate, self._rate, self._options
        said = (
            RANGE_TAGS[source.range], MATRIX_TAGS[source.matrix], PRIMARIES_TAGS[source.primaries],
            TRANSFER_TAGS[source.transfer],
        )  # fmt: skip
        encoder.color_range, encoder.colorspace, encoder.color_primaries, encoder.color_trc = said
        if source.interlaced:
            encoder.flags |= Flags.interlaced_dct | Flags.interlaced_me
        picture = av.VideoFrame(source.width, source.height, self.codec.pixel_format)
        put_planes(picture, planes)
        picture.pts, picture.time_base = 0, 1 / self._rate
        if self._marker is not None:
            picture = self._marker.mark(picture)
        decoder = av.CodecContext.create(_DECODERS.get(self.codec.encoder, self.codec.encoder), "r")
        assert isinstance(decoder, av.VideoCodecContext)
        try:
            encoder.open(strict=False)
            packets = [*encoder.encode(picture), *encoder.encode(None)]
            frames = [frame for packet in [*packets, None] for frame in decoder.decode(packet)]
        except (av.error.FFmpegError, ValueError) as error:
            raise WriteError(f"{self.codec.title} can't encode such a picture.") from error
        return native_planes(frames[0], self._layout)
