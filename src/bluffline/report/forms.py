"""The forms of reports, declared once: what writes them is held to these by the type checker, and their schemas follow.

Frames and shots are counted from 0, ends included. Areas and shares are percent of the active picture.
"""

from types import NoneType, UnionType
from typing import Any, Literal, NotRequired, TypedDict, get_args, get_origin, get_type_hints, is_typeddict

from bluffline.errors import SettingsError


class TrackForm(TypedDict):
    """A track beside the picture; ``offset``: seconds that it begins after the picture."""

    index: int
    kind: str
    description: str
    language: str
    flags: list[str]
    offset: float


class FileForm(TypedDict):
    """The facts of a file as it is read; what was assumed for want of a tag is marked. ``size``: bytes.

    ``overrides``: where the operator's word differs from the file's, in words; ``read_as``: all of that word, by fact.
    """

    path: str
    container: str
    codec: str
    width: int
    height: int
    frame_rate: str
    variable_frame_rate: bool
    frame_count: int
    missing_frames: int
    video_track: int
    pixel_format: str
    bit_depth: int
    sampling: str
    interlaced: bool
    top_field_first: bool | None
    chroma_location: str
    chroma_location_assumed: bool
    range: str
    range_assumed: bool
    matrix: str
    matrix_assumed: bool
    primaries: str
    primaries_assumed: bool
    transfer: str
    transfer_assumed: bool
    overrides: dict[str, str]
    read_as: dict[str, str]
    start_timecode: str
    active_picture: list[int]
    tracks: list[TrackForm]
    notes: list[str]
    size: NotRequired[int]
    sha256: NotRequired[str]
    modified: NotRequired[str]


class TrackDigestForm(TypedDict):
    """A track of a file, by its place there, and the SHA-256 of its packets' bytes one after the other."""

    index: int
    kind: str
    sha256: str


class RulesForm(TypedDict):
    """The rules in force; ``luma`` and ``rgb``: percent."""

    name: str
    title: str
    shipped: str | None
    sha256: str
    luma: list[float]
    rgb: list[float]
    gamut: str | None
    reserved: str
    filter: str
    tolerance: dict[str, float]
    areas: list[dict[str, Any]]
    asked: dict[str, Any]


class WaiverForm(TypedDict):
    """By whose word a finding is to pass, and why."""

    reason: str
    by: str
    at: str
    rule: NotRequired[str]
    frames: NotRequired[list[int]]


class FindingForm(TypedDict):
    """A finding; ``worst_value`` is in ``unit``, ``worst_area`` in percent of the active picture."""

    rule: str
    severity: str
    shot: int
    first_frame: int
    last_frame: int
    timecode_in: str
    timecode_out: str
    worst_frame: int
    worst_value: float
    unit: str
    worst_area: float
    reason: str
    runs: int
    frames: int
    made_of: NotRequired[dict[str, float]]
    waived: NotRequired[WaiverForm]


class TransitionForm(TypedDict):
    """By what a shot comes or goes: ``dissolve``, ``wipe``, ``fade in`` or ``fade out``, and its frames."""

    kind: str
    first_frame: int
    last_frame: int


class ShotForm(TypedDict):
    """A shot; ``opens`` and ``closes`` where it comes or goes by no cut. What mixes two shots stands in both."""

    first_frame: int
    last_frame: int
    opens: NotRequired[TransitionForm]
    closes: NotRequired[TransitionForm]


class CheckForm(TypedDict):
    """What was found in a file as it stands. ``checked``: when that ended, in ISO 8601.

    ``track_sha256`` stands in certificates alone.
    ``exact``: first and last frames of the shots in which no pixel is excused for having been rounded, since they were treated.
    """

    schema: Literal["bluffline.check/2"]
    file: FileForm
    rules: RulesForm
    verdict: str
    must_fix: int
    waived: int
    judged: list[str]
    not_judged: list[str]
    shots: list[ShotForm]
    findings: list[FindingForm]
    exact: NotRequired[list[list[int]]]
    track_sha256: NotRequired[list[TrackDigestForm]]
    checked: NotRequired[str]
    versions: NotRequired[dict[str, str]]


class TreatmentForm(TypedDict):
    """The steps of a shot, each as treatment files have them."""

    shot: int
    steps: list[dict[str, Any]]


class CertificateForm(TypedDict):
    """What was wrong, what was done, what was measured after. ``size``: bytes, of source and written file.

    ``handed_on``: frames that went over as they are coded in the source; ``encoded``: those that were encoded anew, and why all
    were, where they were.
    """

    schema: Literal["bluffline.certificate/2"]
    before: CheckForm
    after: CheckForm
    rounds: int
    output: str
    codec: str
    handed_on: int
    encoded: int
    all_encoded_because: str | None
    proved: bool
    verdict: str
    unreadable_frames: list[int]
    kept_unreadable: str | None
    not_carried: list[str]
    overrides: dict[str, str]
    untreated_same_samples: bool
    versions: dict[str, str]
    finished: str
    size: dict[str, int]
    sha256: dict[str, str]
    treatments: list[TreatmentForm]


class BatchForm(TypedDict):
    """One file of a batch: a line of JSON. ``report``: a check or a certificate, null where the file was refused."""

    schema: Literal["bluffline.batch/1"]
    version: str
    path: str
    state: str
    profile: str
    rules: str
    must_fix_findings: int
    look_findings: int
    note_findings: int
    waived_findings: int
    verdict: str
    seconds: float
    from_an_earlier_run: bool
    at: str
    written: list[str]
    report: CheckForm | CertificateForm | None


class WasForm(TypedDict):
    """A shot now, and which it was before; null where it was not there."""

    shot: int
    was: int | None


class CompareForm(TypedDict):
    """A delivery held against the one before."""

    schema: Literal["bluffline.compare/1"]
    old: CheckForm
    new: CheckForm
    shots: list[WasForm]
    answered: list[FindingForm]
    still_there: list[FindingForm]
    new_findings: list[FindingForm]
    gone_with_their_shots: list[FindingForm]
    changed_frames: list[list[int]]
    longer_by_frames: dict[str, int]


class ChecksForm(TypedDict):
    """Checks of several files."""

    schema: Literal["bluffline.checks/1"]
    checks: list[CheckForm]


class PointForm(TypedDict):
    """Something that was looked at when a certificate was verified, whether it is as it should be, and what was seen."""

    about: str
    holds: bool
    told: str


class VerifyForm(TypedDict):
    """Whether a file, its certificate and the signature belong together and are trusted."""

    schema: Literal["bluffline.verify/1"]
    version: str
    file: str
    certificate: str
    verified: bool
    points: list[PointForm]


class ErrorForm(TypedDict):
    """Why something could not be done. ``exit_code``: that of the command."""

    schema: Literal["bluffline.error/1"]
    version: str
    command: str
    error: str
    exit_code: int
    at: str


FORMS: dict[str, Any] = {
    get_args(get_type_hints(form)["schema"])[0]: form
    for form in (CheckForm, ChecksForm, CertificateForm, BatchForm, CompareForm, VerifyForm, ErrorForm)
}
_PLAIN = {str: "string", int: "integer", float: "number", bool: "boolean", NoneType: "null"}


def schema_of(name: str) -> dict[str, Any]:
    """The JSON Schema (2020-12) of a form, by its name.

    Raises
    ------
    SettingsError : there is none of that name
    """
    if name not in FORMS:
        raise SettingsError(f"There is no schema {name[:40]!r}; there are {', '.join(FORMS)}.")
    parts: dict[str, Any] = {}
    whole = _of(FORMS[name], parts)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": name, **whole, "$defs": parts}


def _of(hint: Any, parts: dict[str, Any]) -> dict[str, Any]:
    """The schema of a type; those of forms go to ``parts``, once each."""
    if is_typeddict(hint):
        name = hint.__name__.removesuffix("Form").lower()
        if name not in parts:
            parts[name] = {}
            hints = get_type_hints(hint)
            parts[name] = {
                "type": "object",
                "description": " ".join((hint.__doc__ or "").split()),
                "properties": {field: _of(kind, parts) for field, kind in hints.items()},
                "required": sorted(hint.__required_keys__),
                "additionalProperties": False,
            }
        return {"$ref": f"#/$defs/{name}"}
    origin, arguments = get_origin(hint), get_args(hint)
    if hint is Any:
        return {}
    if origin is Literal:
        return {"const": arguments[0]}
    if origin is list:
        return {"type": "array", "items": _of(arguments[0], parts)}
    if origin is dict:
        return {"type": "object", "additionalProperties": _of(arguments[1], parts)}
    if origin is UnionType:
        return {"anyOf": [_of(each, parts) for each in arguments]}
    return {"type": _PLAIN[hint]}
