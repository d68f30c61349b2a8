"""Which codec a programme is coded in, of those that are written, and whether its frames can go over as they are coded."""

from bluffline.errors import WriteError
from bluffline.media.codecs import CODECS, Codec, written_format
from bluffline.media.programme import Programme
from bluffline.signal.format import SignalFormat

# By a word of what FFmpeg calls a codec, and by its profile where there is any.
_OWN = {
    ("ProRes", "HQ"): "prores", ("ProRes", "Standard"): "prores-422", ("ProRes", "LT"): "prores-lt",
    ("ProRes", "Proxy"): "prores-proxy", ("DNxHD", "DNXHR HQX"): "dnxhr", ("DNxHD", "DNXHR HQ"): "dnxhr-hq",
    ("DNxHD", "DNXHR SQ"): "dnxhr-sq", ("DNxHD", "DNXHR LB"): "dnxhr-lb", ("FFmpeg video codec #1", ""): "ffv1",
    ("Uncompressed 4:2:2 10-bit", ""): "v210",
}  # fmt: skip


def own_codec(programme: Programme) -> Codec | None:
    """The codec that codes pictures as those of a programme are coded; None where none is written here."""
    for (word, profile), name in _OWN.items():
        if word in programme.codec and profile in ("", programme.profile):
            return CODECS[name]
    return None


def codec_to_hand_on(programme: Programme) -> Codec | None:
    """The codec in which frames of a programme can go over as they are coded, if there is one."""
    own = own_codec(programme)
    return own if own is not None and not why_encoded(programme, programme.format, own) else None


def why_encoded(programme: Programme, source: SignalFormat, codec: Codec) -> str:
    """Why no frame of a programme can go over as it is coded, in a clause; empty where they can.

    Parameters
    ----------
    source : its format with the operator's word on it
    """
    index = programme.index
    if codec.name not in _OWN.values():
        return f"frames in {codec.title} may lean on others, or on what is said or planned once for all"
    if own_codec(programme) is not codec:
        return f"the source is not coded in {codec.title}"
    try:
        kept = programme.format == programme.tagged == written_format(source, codec)
    except WriteError:  # fields, or a matrix, that readers would not be told of
        kept = False
    if not kept:
        return "what its frames say of themselves was overruled, or can't be said in the written file"
    if not index.timed or index.missing or index.broken or len(index.keys) != index.count or _doubled(programme):
        return "not every frame of it stands alone at a time of its own"
    return ""


def _doubled(programme: Programme) -> bool:
    times = programme.index.times
    return bool((times[1:] <= times[:-1]).any())
