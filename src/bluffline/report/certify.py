"""Making a certificate: its data, its findings, its page, and the signature of these, by the paths where they are to stand."""

from datetime import UTC, datetime
from pathlib import Path

from bluffline.errors import WriteError
from bluffline.media.programme import Programme
from bluffline.media.target import CERTIFICATE_PARTS, certificate_paths
from bluffline.media.track_digests import track_digests
from bluffline.prove.prove import Proof
from bluffline.report.certificate import certificate_report, checked_report
from bluffline.report.check import findings_csv, verdict
from bluffline.report.forms import TrackDigestForm
from bluffline.report.keys import OwnKey
from bluffline.report.pages import Draw, certificate_page, standing_page
from bluffline.report.signature import canonical, sign
from bluffline.survey.checking import Checked
from bluffline.survey.monitor import Monitor


def certificate_files(proof: Proof, key: OwnKey, monitor: Monitor, draw: Draw) -> dict[Path, bytes]:
    """The certificate's files, by the paths where they are to stand (see `certificate_paths`), signed with a key.

    ``draw``: makes the pictures of its page, see `certificate_page`.
    """
    findings, report = findings_csv(proof.before, proof.request.survey.programme), certificate_report(proof)
    report["after"]["track_sha256"] = _tracks(proof.after.programme, monitor)
    page = certificate_page(proof, key.public, draw)
    return _signed_files(proof.request.target, report, findings, page, key)


def _tracks(programme: Programme, monitor: Monitor) -> list[TrackDigestForm]:
    """The checksums of a file's tracks."""
    size = max(sum(stat[1] for stat in programme.identity.stats), 1)
    digests = track_digests(programme.opening, lambda done: monitor.at("Hash its tracks", min(done, size), size, "bytes"))
    return [{"index": index, "kind": kind, "sha256": digest} for index, (kind, digest) in enumerate(digests)]


def _signed_files(target: Path, report: object, findings: str, page: str, key: OwnKey) -> dict[Path, bytes]:
    """Files of a certificate and their signature: data in canonical form, so that it has the same bytes for everybody."""
    parts = dict(zip(CERTIFICATE_PARTS, (canonical(report), findings.encode(), page.encode()), strict=False))
    return dict(zip(certificate_paths(target), (*parts.values(), sign(parts, key, datetime.now(UTC))), strict=True))


def standing_certificate(checked: Checked, key: OwnKey, monitor: Monitor, draw: Draw) -> dict[Path, bytes]:
    """The certificate of a file that is good as it stands, signed with a key: its files, by the paths where they are to stand.

    Raises
    ------
    WriteError : it is not good
    """
    survey = checked.survey
    programme = survey.programme
    if not checked.good:
        raise WriteError(f"{programme.name} can't be certified as it stands: {verdict(survey, checked.findings)}.")
    page = standing_page(checked, key.public, draw)
    report = checked_report(checked)
    report["track_sha256"] = _tracks(programme, monitor)
    return _signed_files(programme.path, report, findings_csv(checked.findings, programme), page, key)
