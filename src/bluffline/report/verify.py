"""Verifying: whether a file, its certificate and the signature belong together, and whether the signer is trusted."""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from hashlib import sha256
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from bluffline import __version__
from bluffline.declared import made
from bluffline.errors import MediaError, RulesError, SettingsError
from bluffline.intake import read_bounded
from bluffline.measure.region import Region
from bluffline.media.opening import Opening, shown
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.media.target import CERTIFICATE_PARTS, CertificatePaths, certificate_paths
from bluffline.media.track_digests import track_digests
from bluffline.report.check import finding_report
from bluffline.report.forms import VerifyForm
from bluffline.report.keys import Keys, told_time
from bluffline.report.printed import Print, printed, printer, read_print
from bluffline.report.signature import Signature, read_signature
from bluffline.rules.rulefile import load_rules
from bluffline.rules.rules import Rules
from bluffline.rules.shots import Shot
from bluffline.signal.format import Overrides
from bluffline.survey.checking import check, checksum
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import start_survey

_PROOF, _CHECK = "bluffline.certificate/2", "bluffline.check/2"
_PRINTED = ".pdf"
_FIGURES = "rule", "severity", "first_frame", "last_frame", "worst_frame", "worst_value", "unit", "worst_area", "runs"


@dataclass(frozen=True)
class Point:
    """Something that was looked at, whether it is as it should be, and what was seen, in a sentence."""

    about: str
    holds: bool
    told: str


@dataclass(frozen=True)
class Verified:
    """What came of verifying a file and its certificate."""

    file: Path
    certificate: Path
    points: Sequence[Point]

    @property
    def good(self) -> bool:
        """Whether all of it is as it should be."""
        return all(point.holds for point in self.points)

    @property
    def report(self) -> VerifyForm:
        """The same in the form of schema ``bluffline.verify/1``."""
        return {
            "schema": "bluffline.verify/1",
            "version": __version__,
            "file": shown(self.file),
            "certificate": shown(self.certificate),
            "verified": self.good,
            "points": [{"about": each.about, "holds": each.holds, "told": each.told} for each in self.points],
        }


def verify(
    file: Path,
    certificate: Path | None,
    keys: Keys,
    monitor: Monitor,
    *,
    measure: bool = False,
    rules: Rules | None = None,
    look_inside: bool = True,
) -> Verified:
    """Look whether a file is the one that its certificate is about, and whether that is as it was signed, by someone trusted.

    Parameters
    ----------
    certificate : its JSON, or the PDF that it was printed as; None: the JSON that stands beside the file
    measure : judge the file anew as well, and hold that against what the certificate says finding by finding
    rules : those that it is judged by anew, where they are not shipped ones
    look_inside : tell which tracks differ, where the file is another: not to be done to a file that nobody answers for

    Raises
    ------
    MediaError : the file can't be read
    SettingsError : there is no certificate, or it can't be read
    CancelledError : the monitor was asked to stop
    """
    if certificate is not None and certificate.suffix.lower() == _PRINTED:
        pdf = _read(certificate)
        found = _read_print(certificate, pdf)
        with TemporaryDirectory(prefix="bluffline-") as folder:
            paths = found.lay_out(Path(folder))
            points, content = _signed(paths, keys, monitor)
            points.append(_printed(paths, found, pdf, believed=all(each.holds for each in points)))
    else:
        paths = _beside(file) if certificate is None else _paths_of(certificate)
        points, content = _signed(paths, keys, monitor)
    try:
        data = json.loads(content)
        points += _about(file, data, monitor, look_inside=look_inside)
        if measure:
            points.append(_measured(file, data, rules, monitor))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        points.append(Point("certificate", holds=False, told=f"{shown(paths.data.name)} is no certificate: {_why(error)}."))
    return Verified(file, certificate or paths.data, points)


def _read(certificate: Path) -> bytes:
    try:
        return read_bounded(certificate)
    except FileNotFoundError as error:
        raise SettingsError(f"There is no certificate {shown(certificate)}.") from error
    except OSError as error:
        raise SettingsError(f"{shown(certificate)} can't be read: {error.strerror}.") from error


def _beside(file: Path) -> CertificatePaths:
    """The certificate beside a file; of a link that has none, the one beside what it leads to."""
    paths = certificate_paths(file)
    return certificate_paths(file.resolve()) if file.is_symlink() and not paths.data.exists() else paths


def print_certificate(file: Path, monitor: Monitor) -> bytes:
    """The certificate beside a file as PDF, if it is as it was signed; by whom, and whether the file is, is not looked at.

    Raises
    ------
    SettingsError : there is none, it is not as it was signed, or nothing can be printed here
    """
    paths = _beside(file)
    for point in _signature(paths, _read(paths.data), None, monitor):
        if not point.holds:
            raise SettingsError(f"The certificate of {shown(file.name)} is not printed. {point.told}")
    try:
        return printed(paths)
    except OSError as error:
        raise SettingsError(f"The certificate of {shown(file.name)} can't be read: {error.strerror}.") from error


def _read_print(certificate: Path, pdf: bytes) -> Print:
    try:
        return read_print(pdf)
    except ValueError as error:
        raise SettingsError(f"{shown(certificate)} can't be verified: {error}.") from error


def _printed(paths: CertificatePaths, found: Print, pdf: bytes, *, believed: bool) -> Point:
    """Whether the pages of a PDF show just what is signed: they are printed anew, where whoever signed is believed."""
    if not believed:
        return Point("print", holds=False, told="Its pages were not looked at: what they were printed of is not believed.")
    if found.by != (own := printer()):
        by = found.by or "nobody knows what"
        return Point("print", holds=False, told=f"What its pages show can't be told: printed by {by}, here by {own}.")
    if printed(paths) == pdf:
        return Point("print", holds=True, told="Its pages are, to the byte, what is signed.")
    told = "Its pages are not what is signed as it is printed here: they were changed, or fonts or libraries differ."
    return Point("print", holds=False, told=told)


def _why(error: Exception) -> str:
    return "it lacks " + str(error) if isinstance(error, KeyError) else "what it holds can't be one"


def _paths_of(certificate: Path) -> CertificatePaths:
    """The parts of a certificate, by its JSON.

    Raises
    ------
    SettingsError : that is not what the name of one ends with
    """
    ending = f".{CERTIFICATE_PARTS[0]}"
    name = certificate.name.removesuffix(ending)
    if not name or name == certificate.name:
        raise SettingsError(f"{shown(certificate)} is not named as certificates are: …{ending}, or ….pdf where it was printed.")
    return certificate_paths(certificate.with_name(name))


def _signed(paths: CertificatePaths, keys: Keys, monitor: Monitor) -> tuple[list[Point], bytes]:
    """Whether the parts of a certificate are as they were signed, and by whom; and its data, as they were read for that."""
    content = _read(paths.data)
    return list(_signature(paths, content, keys, monitor)), content


def _signature(paths: CertificatePaths, content: bytes, keys: Keys | None, monitor: Monitor) -> Iterator[Point]:
    try:
        signature = read_signature(read_bounded(paths.signature))
    except FileNotFoundError:
        yield Point("signature", holds=False, told="It is not signed: anybody may have written it.")
        return
    except OSError as error:
        raise SettingsError(f"{shown(paths.signature)} can't be read: {error.strerror}.") from error
    except ValueError as error:
        yield Point("signature", holds=False, told=f"{shown(paths.signature.name)} has been changed: {error}.")
        return
    if not signature.holds:
        yield Point("signature", holds=False, told="The signature was not made with the key that it names.")
        return
    found = {CERTIFICATE_PARTS[0]: sha256(content).hexdigest()}
    for part, path in zip(CERTIFICATE_PARTS[1:-1], paths[1:-1], strict=True):
        if path.exists():
            found[part] = checksum([path], monitor, path.name)
    if changed := signature.differing(found):
        yield Point("certificate", holds=False, told=f"Not as it was signed: {', '.join(changed)}.")
    else:
        yield Point("certificate", holds=True, told=f"All of it is as it was signed, {told_time(signature.at)}.")
    if keys is not None:
        yield _signer(signature, keys)


def _signer(signature: Signature, keys: Keys) -> Point:
    """Whether whoever has signed is trusted."""
    key = signature.signer
    if (mine := keys.mine) is not None and mine.data == key.data:
        return Point("signer", holds=True, told=f"Signed by {key.name} with your own key.")
    for other in keys.others():
        if other.key.data == key.data:
            name = key.name if key.name == other.key.name else f"{key.name}, whom you trust as {other.key.name}"
            if other.revoked:
                return Point("signer", holds=False, told=f"Signed by {name}: revoked {told_time(other.revoked)}, {other.why}.")
            return Point("signer", holds=True, told=f"Signed by {name}, trusted since {told_time(other.trusted)}.")
    told = f"Signed by someone who calls themselves {key.name}, with a key that you don't trust: {key.fingerprint}."
    return Point("signer", holds=False, told=told)


def _about(file: Path, data: dict[str, Any], monitor: Monitor, *, look_inside: bool) -> list[Point]:
    """Whether the file is the one that a certificate is about, and whether that finds it good."""
    proof = _is_proof(data)
    digest, size = certified_digest(data), data["size"]["written"] if proof else data["file"]["size"]
    good = data["proved"] is True if proof else data["must_fix"] == 0
    under = _report(data)["rules"]["title"]
    told = data["verdict"] if under in data["verdict"] else f"{data['verdict']} under {under}"
    points = [Point("verdict", good, f"It says: {told}.")]
    opening = Opening.of(file)
    try:
        own = sum(each.stat().st_size for each in opening.files)
        found = checksum(opening.files, monitor, "The file")
        is_it, is_source = own == size and found == digest, proof and found == data["sha256"]["source"]
    except OSError as error:
        raise MediaError(f"{shown(file)} can't be read: {error.strerror}.") from error
    if is_it:
        before = Path(_report(data)["file"]["path"]).name
        called = f", called {before} then" if before != shown(file.name) else ""
        points.append(Point("file", holds=True, told=f"{shown(file.name)} is, to the byte, the file that it is about{called}."))
    else:
        other = "it is the source that was corrected, not what was written"
        if not is_source:
            other = _changed_tracks(opening, data, monitor) if look_inside else "its bytes are others"
        points.append(Point("file", holds=False, told=f"{shown(file.name)} is not the file that it is about: {other}."))
    return points


def _changed_tracks(opening: Opening, data: dict[str, Any], monitor: Monitor) -> str:
    """Which tracks of a file are not those that were certified, in words."""
    try:
        found = track_digests(opening, lambda _: monitor.at("Its tracks", 0, 1))
    except MediaError:
        found = []
    then = [(each["kind"], each["sha256"]) for each in _report(data)["track_sha256"]]
    changed = [f"track {n} ({now[0]})" for n, (now, was) in enumerate(zip(found, then, strict=False)) if now != was]
    if len(found) != len(then) or len(changed) == len(found):
        return "it is another, or was changed"
    if not changed:
        return "what its tracks hold is the same, but it was wrapped anew or its header changed"
    return f"{', '.join(changed)} changed, the others are the same"


def _is_proof(data: dict[str, Any]) -> bool:
    """Whether a certificate is of a file that was written, rather than of one that is good as it stands.

    Raises
    ------
    ValueError : it is neither
    """
    if data["schema"] not in (_PROOF, _CHECK):
        raise ValueError(data["schema"])
    return bool(data["schema"] == _PROOF)


def read_as_certified(file: Path, report: Mapping[str, Any]) -> Programme:
    """A file, opened as it was when it was certified; ``report``: what its certificate says of it."""
    said = made(Overrides, {name.replace(" ", "_"): word for name, word in report["file"]["read_as"].items()}, "how it is read")
    rate = Fraction(report["file"]["frame_rate"]) if Opening.of(file).numbered else None
    return probe(file, rate=rate, track=report["file"]["video_track"]).read_as(said)


def certified_digest(data: dict[str, Any]) -> str:
    """The SHA-256 of the file that a certificate is about.

    Raises
    ------
    ValueError, KeyError, TypeError : it is no certificate
    """
    return str(data["sha256"]["written"] if _is_proof(data) else data["file"]["sha256"])


def _report(data: dict[str, Any]) -> dict[str, Any]:
    """What a certificate says of the file that it is about."""
    report: dict[str, Any] = data["after"] if _is_proof(data) else data
    return report


def _measured(file: Path, data: dict[str, Any], rules: Rules | None, monitor: Monitor) -> Point:
    """Whether the file, judged anew, has just the findings that its certificate says."""
    report = _report(data)
    under = report["rules"]
    try:
        rules = rules or load_rules(under["name"] if under["shipped"] else "")
    except RulesError:
        told = f"Judged by a rule file of the station's own, {under['title']}: give it with --rules."
        return Point("measured", holds=False, told=told)
    if rules.checksum != under["sha256"]:
        return Point("measured", holds=False, told=f"Not judged anew: {rules.title} are not the rules that it was judged by.")
    programme = read_as_certified(file, report)
    survey = start_survey(programme, rules, region=Region(*report["file"]["active_picture"]))
    survey = replace(survey, exact=tuple(Shot(first, last) for first, last in report.get("exact", ())))
    if check(survey, monitor).sha256 != certified_digest(data):
        return Point("measured", holds=False, told="Not judged anew: it is not the file that the certificate is about.")
    shots = [Shot(each["first_frame"], each["last_frame"]) for each in report["shots"]]
    now = {_figures(finding_report(each, programme)) for each in survey.findings(shots)}
    then = {_figures(each) for each in report["findings"]}
    if now == then:
        count = f"{len(then)} finding{'s' if len(then) != 1 else ''}" if then else "nothing"
        return Point("measured", holds=True, told=f"Judged anew, {survey.programme.frame_count} frames: {count}, as it says.")
    rule, _, frame, *_ = min(now ^ then, key=lambda each: each[2])
    differ = f"{len(now - then)} that it does not say, {len(then - now)} that are not there; the first: {rule} at frame {frame}"
    return Point("measured", holds=False, told=f"Judged anew, findings differ: {differ}.")


def _figures(finding: Any) -> tuple[Any, ...]:
    return tuple(finding[name] for name in _FIGURES)
