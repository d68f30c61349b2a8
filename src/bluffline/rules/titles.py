"""What rules are called, where there is no finding to tell it."""

_TITLES = {
    "luma-high": "Luma over",
    "luma-low": "Luma under",
    "rgb-high": "R′G′B′ over",
    "rgb-low": "R′G′B′ under",
    "outside": "Outside any limit",
    "reserved": "Reserved codes",
    "blanking": "Blanking not black",
    "active-picture": "Active picture changes",
    "area-high": "Luma over, in an area",
    "area-low": "Luma under, in an area",
    "gamut": "Colours out of gamut",
    "combing": "Combed",
    "clip-high": "Highlights clipped",
    "clip-low": "Shadows clipped",
    "clip-red": "Red clipped",
    "clip-green": "Green clipped",
    "clip-blue": "Blue clipped",
    "tags": "Tags change",
    "levels": "Levels against the tag",
    "unreadable": "Can't be decoded",
    "missing": "Missing frames",
    "chart": "Chart off its reference",
    "fields": "Order of fields",
    "sound": "Sound without picture",
}


def rule_title(rule: str) -> str:
    """A rule in words, from the id that findings carry."""
    return _TITLES[rule]
