"""Whether captions say anything: most carriers go on, filled with nothing, while nobody speaks."""

_FILLING = 0x7F  # bits of a byte of CEA-608 beside its parity; 0 in both bytes of a pair that says nothing
_PAIR = 3  # bytes of a triplet of CEA-708
_VALID, _SERVICE = 0x04, 0x02
_EMPTY = 2  # bytes: the length of a text of none


def triplets_say(data: bytes) -> int:
    """How many triplets of CEA-708's carriage, as A53 user data has them, say anything [CTA708]."""
    said = 0
    for place in range(0, len(data) - 2, _PAIR):
        kind, first, second = data[place : place + _PAIR]
        if not kind & _VALID:
            continue
        said += bool(first or second) if kind & _SERVICE else bool((first | second) & _FILLING)
    return said


def says_something(data: bytes, codec: str) -> bool:
    """Whether a packet of a track of captions says anything; one of a codec that is not looked into always does."""
    if codec == "eia_608":
        return triplets_say(data) > 0 if len(data) % _PAIR == 0 else any(byte & _FILLING for byte in data)
    if codec == "mov_text":
        return len(data) > _EMPTY and any(data[:_EMPTY])
    return bool(data.strip())
