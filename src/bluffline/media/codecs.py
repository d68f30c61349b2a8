"""What programmes are written in, and what of a signal each can say."""

import math
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from bluffline.errors import SettingsError, WriteError
from bluffline.media.pixels import layout_of
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, standard
from bluffline.signal.siting import Siting


@dataclass(frozen=True, slots=True)
class Codec:
    """A way of writing pictures. ``pixel_format`` is empty where the source's own is kept, sample for sample.

    ``full_range``: whether readers can tell from it that a picture is full range; else it is written narrow.
    ``matrices``: those that readers can tell from it. ``matrix_tags``: code points of H.273 that it writes for others of the
    same meaning, which it doesn't know. ``interlaced``: whether it can hold fields. ``apart``: whether a frame is coded the
    same, whatever was coded before it. ``bare``: whether its pictures say nothing of themselves, so that the file has to.
    """

    name: str
    title: str
    encoder: str
    pixel_format: str
    containers: tuple[str, ...]
    options: tuple[tuple[str, str], ...] = ()
    threads: str = "SLICE"
    full_range: bool = True
    matrices: tuple[Matrix, ...] = tuple(Matrix)
    matrix_tags: tuple[tuple[int, int], ...] = ()
    interlaced: bool = True
    apart: bool = False
    bare: bool = False

    @property
    def lossless(self) -> bool:
        """Whether every sample comes back as it was handed over."""
        return not self.pixel_format

    def options_for(self, source: SignalFormat, rate: Fraction) -> dict[str, str]:
        """What the encoder is told for pictures of a format, at frames a second; H.264's own words are one option."""
        options, large = dict(self.options), source.frame_bytes > LARGE
        if "maxrate" in options:  # a constant rate: every frame has the same share
            options["bufsize"] = str(math.ceil(int(options["maxrate"]) / rate))
        if self.name == "ffv1" and source.width * source.height > _FOUR_SLICES:
            options["slices"] = "24"  # of more pixels than four can hold
        if self.name == "h264":
            order = "tff=1" if source.top_field_first else "bff=1"
            options["x264-params"] = ":".join(("log-level=-1", *(order,) * source.interlaced, *_FEW_HELD * large))
        return options

    def threads_for(self, source: SignalFormat) -> str:
        """How the encoder shares its work among threads: frames each, which it holds meanwhile, or slices of one."""
        return "SLICE" if source.frame_bytes > LARGE else self.threads


LARGE = 24 << 20  # bytes of a frame; from here on every one that is held is told in memory
_FOUR_SLICES = 4096 * 2304  # pixels; FFV1's encoder refuses four slices beyond some number of them
# H.264 looks some forty frames ahead by itself, which is gigabytes; without, it takes more bits for the same picture.
_FEW_HELD = ("rc-lookahead=0", "sync-lookahead=0", "mbtree=0", "bframes=0", "sliced-threads=1", "ref=1", "weightp=0")



def _prores(name: str, kind: str, profile: int) -> Codec:
    """ProRes 422 of one kind. FFmpeg's other encoder, prores_ks, is six times slower and no closer to the source at HQ."""
    options = ("profile", str(profile)), ("vendor", "apl0")
    return Codec(
        name, f"ProRes 422 {kind}".strip(), "prores", "yuv422p10le", (".mov", ".mxf"), options, "FRAME", full_range=False,
        matrix_tags=((5, 6),), apart=True,
    )  # fmt: skip


def _dnxhr(name: str, kind: str, ten_bits: bool) -> Codec:
    """DNxHR of one kind."""
    return Codec(
        name, f"DNxHR {kind}", "dnxhd", "yuv422p10le" if ten_bits else "yuv422p", (".mov", ".mxf"),
        (("profile", f"dnxhr_{kind.lower()}"),), matrices=(Matrix.BT709,), interlaced=False, apart=True,
    )  # fmt: skip


_PRORES = ("prores", "HQ", 3), ("prores-422", "", 2), ("prores-lt", "LT", 1), ("prores-proxy", "Proxy", 0)
_DNXHR = ("dnxhr", "HQX", True), ("dnxhr-hq", "HQ", False), ("dnxhr-sq", "SQ", False), ("dnxhr-lb", "LB", False)
CODECS = {
    codec.name: codec
    for codec in (
        *(_prores(*each) for each in _PRORES),
        *(_dnxhr(*each) for each in _DNXHR),
        Codec(
            "mpeg2",
            "MPEG-2 4:2:2 50 Mbit/s intra",
            "mpeg2video",
            "yuv422p",
            (".mxf", ".mov"),
            (
                *((key, "50000000") for key in ("b", "minrate", "maxrate")),
                *(
                    ("g", "1"),
                    ("bf", "0"),
                    ("qmin", "1"),
                    ("qmax", "28"),
                    ("intra_vlc", "1"),
                    ("non_linear_quant", "1"),
                    ("dc", "10"),
                ),
            ),
            full_range=False,
        ),
        Codec(
            "ffv1",
            "FFV1",
            "ffv1",
            "",
            (".mkv",),
            (("level", "3"), ("slicecrc", "1"), ("slices", "4"), ("g", "1")),
            apart=True,
        ),
        Codec("v210", "Uncompressed 10-bit 4:2:2", "v210", "yuv422p10le", (".mov",), full_range=False, apart=True, bare=True),
        Codec("h264", "H.264 10-bit 4:2:2", "libx264", "yuv422p10le", (".mp4", ".mov"), (("preset", "medium"), ("crf", "12"))),
    )
}
RANGE_TAGS = {Range.NARROW: 1, Range.FULL: 2}  # FFmpeg's numbers for H.273's VideoFullRangeFlag 0 and 1
MATRIX_TAGS = {Matrix.BT709: 1, Matrix.BT601: 6, Matrix.BT2020: 9}  # H.273 table 4
PRIMARIES_TAGS = {"bt709": 1, "bt601-625": 5, "bt601-525": 6, "bt2020": 9, "p3-dci": 11, "p3-d65": 12}  # H.273 table 2
TRANSFER_TAGS = {"bt709": 1, "bt601": 6, "linear": 8, "srgb": 13, "bt2020": 14, "pq": 16, "hlg": 18}  # H.273 table 3
ENDINGS = (".mov", ".mxf", ".mkv", ".mp4")
_DEFAULTS = {".mov": "prores", ".mxf": "dnxhr", ".mkv": "ffv1", ".mp4": "h264"}


def codec_for(target: Path, name: str | None = None, own: Codec | None = None) -> Codec:
    """The codec to write ``target`` with: the one named, else the source's own where the file can hold it, else the usual one.

    Raises
    ------
    SettingsError : no such codec, no such container, or the two don't go together.
    """
    ending = target.suffix.lower()
    if ending not in _DEFAULTS:
        raise SettingsError(f"{target.name} can't be written: its ending must be one of {', '.join(_DEFAULTS)}.")
    if name is not None and name not in CODECS:
        raise SettingsError(f"There is no codec named {name}; choose {', '.join(CODECS)}.")
    if name is None and own is not None and ending in own.containers:
        return own
    codec = CODECS[name or _DEFAULTS[ending]]
    if ending not in codec.containers:
        raise SettingsError(f"{codec.title} is written to {' or '.join(codec.containers)}, not to {ending}.")
    return codec


def written_format(source: SignalFormat, codec: Codec) -> SignalFormat:
    """The format of what ``codec`` writes from ``source``.

    Raises
    ------
    WriteError : readers would take its colours for others.
    """
    if codec.lossless:
        return source
    if source.interlaced and not codec.interlaced:
        raise WriteError(f"{codec.title} can't hold interlaced pictures; choose ProRes, MPEG-2, H.264 or FFV1.")
    if source.model is Model.RGB and source.matrix not in codec.matrices:
        source = replace(source, matrix=codec.matrices[0])
    if source.matrix not in codec.matrices:
        raise WriteError(f"{codec.title} can't say that its matrix is {standard(source.matrix)}; choose another codec.")
    layout = layout_of(codec.pixel_format)
    carried = source.range if codec.full_range else Range.NARROW
    # 4:2:2 has its chroma on even columns, and lines of its own.
    siting = Siting.TOP_LEFT if source.siting is Siting.TOP_LEFT else Siting.LEFT
    return replace(source, model=Model.YCBCR, bit_depth=layout.bit_depth, halved=layout.halved, range=carried, siting=siting)
