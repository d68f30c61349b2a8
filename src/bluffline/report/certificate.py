"""The certificate: what was wrong, what was done, what was measured after; as JSON, CSV and one printable page, signed."""

from collections.abc import Sequence
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path
from typing import Any

import av
import numba
import numpy as np

from bluffline import __version__
from bluffline.errors import WriteError
from bluffline.figures import figure
from bluffline.media.codecs import written_format
from bluffline.media.opening import shown
from bluffline.media.programme import Programme
from bluffline.media.target import CERTIFICATE_PARTS, certificate_paths
from bluffline.media.track_digests import track_digests
from bluffline.prove.across import beside
from bluffline.prove.prove import Proof, frame_list
from bluffline.report.check import check_report, finding_report, findings_csv, overrides, rules_name, verdict
from bluffline.report.forms import CertificateForm, CheckForm, TrackDigestForm
from bluffline.report.keys import OwnKey, PublicKey
from bluffline.report.looked_at import judged, not_judged
from bluffline.report.signature import canonical, sign
from bluffline.rules.catalogue import part_of
from bluffline.rules.columns import percent_columns
from bluffline.rules.finding import Finding
from bluffline.rules.shots import Shot, edges
from bluffline.signal.convert import same_samples
from bluffline.signal.naming import colours
from bluffline.survey.checking import Checked
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey
from bluffline.treat.ladder import ordered
from bluffline.treat.step import Step
from bluffline.treat.stored import step_to

_SVG_WIDTH, _SVG_HEIGHT = 1000, 150
_SVG_RANGE = (-12.0, 125.0)  # percent from the foot to the top of the drawing


def certificate_report(proof: Proof) -> CertificateForm:
    """The proof in the form of schema ``bluffline.certificate/2``."""
    shots = list(proof.request.shots)
    before, after = check_report(proof.request.survey, shots), check_report(proof.after, shots)
    before["file"]["size"], before["file"]["sha256"] = proof.source_size, proof.source_checksum
    after["file"]["path"] = shown(proof.request.target)
    return {
        "schema": "bluffline.certificate/2",
        "before": before,
        "after": after,
        "rounds": proof.rounds,
        "output": shown(proof.request.target),
        "codec": proof.request.codec.title,
        "handed_on": proof.handed_on.frames,
        "encoded": proof.request.survey.programme.frame_count - proof.handed_on.frames,
        "all_encoded_because": proof.handed_on.because or None,
        "proved": proof.legal,
        "verdict": proof.verdict,
        "unreadable_frames": list(proof.unreadable),
        "kept_unreadable": str(proof.request.keep_unreadable) if proof.unreadable else None,
        "not_carried": proof.losses,
        "overrides": overrides(proof.request.survey.programme),
        "untreated_same_samples": same_samples_written(proof),
        "versions": versions(),
        "finished": proof.finished.isoformat(timespec="seconds"),
        "size": {"source": proof.source_size, "written": proof.written_size},
        "sha256": {"source": proof.source_checksum, "written": proof.written_checksum},
        "treatments": [
            {"shot": number, "steps": [step_report(step) for step in ordered(steps)]}
            for number, steps in sorted(proof.treatments.items())
        ],
    }


def same_samples_written(proof: Proof) -> bool:
    """Whether untreated frames reach the encoder as the very samples of the source, not brought to another format."""
    survey = proof.request.survey
    written = written_format(survey.source, proof.request.codec)
    return all(same_samples(each, written) for each in survey.table.formats)


def _mixed(proof: Proof) -> list[str]:
    """Which frames of which shots got what two ladders make of them, in sentences."""
    shots, told = proof.request.shots, []
    for number, shot in enumerate(shots):
        for each in beside(shots, number, proof.treatments):
            first, last = max(each.transition.first, shot.first), min(each.transition.last, shot.last)
            other = number + 2 if each.comes else number
            told.append(
                f"Frames {first} to {last} of shot {number + 1} are mixed with shot {other} by a {each.transition.kind}: they "
                "got of both ladders what they have of both shots, within the limits of both."
            )
    return told


def _handed(proof: Proof) -> str:
    """What became of the frames that were not treated."""
    if not proof.handed_on.because:
        return "handed on as they are coded in the source"
    how = "sample for sample" if same_samples_written(proof) else "untreated, brought to the codec's format"
    return f"handed to the encoder {how}"


def versions() -> dict[str, str]:
    """The program and the libraries that measured and wrote."""
    libraries = {name: ".".join(map(str, number)) for name, number in av.library_versions.items()}
    return {"bluffline": __version__, "PyAV": av.__version__, "NumPy": np.__version__, "numba": numba.__version__} | libraries


def step_report(step: Step) -> dict[str, Any]:
    """One step as data: its title, and what a treatment file holds of it."""
    return {"step": step.title} | step_to(step)


def _line(step: Step) -> str:
    """A step's figures and reach in a line."""
    return step.text if step.reach.everywhere else f"{step.text}; {step.reach.text}"


def _signed(value: float) -> str:
    return figure(value, ".1f")


def certificate_files(proof: Proof, key: OwnKey, monitor: Monitor) -> dict[Path, bytes]:
    """The certificate's files, by the paths where they are to stand (see `certificate_paths`), signed with a key."""
    findings, report = findings_csv(proof.before, proof.request.survey.programme), certificate_report(proof)
    report["after"]["track_sha256"] = _tracks(proof.after.programme, monitor)
    return _signed_files(proof.request.target, report, findings, certificate_page(proof, key.public), key)


def _tracks(programme: Programme, monitor: Monitor) -> list[TrackDigestForm]:
    """The checksums of a file's tracks."""
    size = max(sum(stat[1] for stat in programme.identity.stats), 1)
    digests = track_digests(programme.opening, lambda done: monitor.at("Hash its tracks", min(done, size), size, "bytes"))
    return [{"index": index, "kind": kind, "sha256": digest} for index, (kind, digest) in enumerate(digests)]


def _signed_files(target: Path, report: object, findings: str, page: str, key: OwnKey) -> dict[Path, bytes]:
    """Files of a certificate and their signature: data in canonical form, so that it has the same bytes for everybody."""
    parts = dict(zip(CERTIFICATE_PARTS, (canonical(report), findings.encode(), page.encode()), strict=False))
    return dict(zip(certificate_paths(target), (*parts.values(), sign(parts, key, datetime.now(UTC))), strict=True))


def certificate_page(proof: Proof, signer: PublicKey) -> str:
    """The certificate as one self-contained HTML page, made to be printed; ``signer``: whose signature stands beside it."""
    request = proof.request
    programme = request.survey.programme
    text: str = page("certificate.html.j2").render(
        proof=proof,
        request=request,
        programme=programme,
        judged=judged(proof.after),
        not_judged=not_judged(request.survey),
        rules=request.survey.rules,
        before=_rows(proof.before, programme),
        after=_rows(proof.after_findings, programme),
        steps=[
            (
                number,
                programme.label(request.shots[number].first),
                [(step.title, _line(step), not step.on) for step in ordered(steps)],
            )
            for number, steps in sorted(proof.treatments.items())
        ],
        skylines=[
            ("Before", skyline_svg(request.survey, request.shots)),
            ("After, read back", skyline_svg(proof.after, request.shots)),
        ],
        version=__version__,
        versions=versions(),
        overrides=overrides(programme),
        rules_name=rules_name(request.survey.rules),
        handed=_handed(proof),
        mixed=_mixed(proof),
        source_name=shown(programme.path.name),
        target_name=shown(request.target.name),
        signer=signer,
        losses=proof.losses,
        unreadable=frame_list(proof.unreadable),
    )
    return text


def checked_report(checked: Checked) -> CheckForm:
    """A check in the form of schema ``bluffline.check/2``, bound to the file that was read."""
    report = check_report(checked.survey, findings=checked.findings)
    file = report["file"]
    file["size"], file["sha256"] = checked.size, checked.sha256
    file["modified"] = checked.modified.isoformat(timespec="microseconds")
    report["checked"], report["versions"] = checked.at.isoformat(timespec="seconds"), versions()
    return report


def standing_certificate(checked: Checked, key: OwnKey, monitor: Monitor) -> dict[Path, bytes]:
    """The certificate of a file that is good as it stands, signed with a key: its files, by the paths where they are to stand.

    Raises
    ------
    WriteError : it is not good
    """
    survey = checked.survey
    programme = survey.programme
    if not checked.good:
        raise WriteError(f"{programme.name} can't be certified as it stands: {verdict(survey, checked.findings)}.")
    drawn = page("as_it_stands.html.j2").render(
        checked=checked,
        verdict=verdict(survey, checked.findings),
        survey=survey,
        programme=programme,
        rules=survey.rules,
        rules_name=rules_name(survey.rules),
        overrides=overrides(programme),
        judged=judged(survey),
        not_judged=not_judged(survey),
        findings=_rows(checked.findings, programme),
        skyline=skyline_svg(survey, survey.shots()),
        version=__version__,
        versions=versions(),
        source_name=shown(programme.path.name),
        signer=key.public,
    )
    report = checked_report(checked)
    report["track_sha256"] = _tracks(programme, monitor)
    return _signed_files(programme.path, report, findings_csv(checked.findings, programme), drawn, key)


def page(name: str) -> Any:
    """A template of a page."""
    import jinja2

    environment = jinja2.Environment(
        loader=jinja2.FunctionLoader(lambda part: resources.files("bluffline.report").joinpath(part).read_text("utf-8")),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters |= {"minus": _signed, "colours": colours}
    return environment.get_template(name)


def _rows(findings: Sequence[Finding], programme: Programme) -> list[dict[str, Any]]:
    """The findings as lines of a table."""
    return [{"waived": None, **finding_report(finding, programme), "part": part_of(finding)} for finding in findings]


def skyline_svg(survey: Survey, shots: Sequence[Shot]) -> str:
    """The skyline as SVG: luma filled, R′G′B′ in outline, what lies outside the rules' limits hatched."""
    import jinja2

    percent, frames = percent_columns(survey.table, survey.source), max(len(survey.table), 1)
    count = min(frames, _SVG_WIDTH)
    if frames > count:  # as fine as the page is wide: the extremes of the frames that share a column
        starts = np.arange(count) * frames // count
        ends = {"y_max": np.maximum, "y_min": np.minimum, "rgb_max": np.maximum, "rgb_min": np.minimum}
        percent = {name: extreme.reduceat(percent[name], starts) for name, extreme in ends.items()}
    limits = survey.rules.limits
    low, high = _SVG_RANGE

    def height(value: float) -> float:
        return _SVG_HEIGHT * (high - min(max(value, low), high)) / (high - low)

    def band(upper: np.ndarray, lower: np.ndarray) -> str:
        across = np.arange(count + 1).repeat(2)[1:-1] * _SVG_WIDTH / count
        top = [f"{x:.1f},{height(float(v)):.1f}" for x, v in zip(across, upper.repeat(2), strict=True)]
        foot = [f"{x:.1f},{height(float(v)):.1f}" for x, v in zip(across, lower.repeat(2), strict=True)]
        return " ".join(top + foot[::-1])

    over = band(np.maximum(percent["y_max"], limits.luma[1]), np.full(count, limits.luma[1]))
    under = band(np.full(count, limits.luma[0]), np.minimum(percent["y_min"], limits.luma[0]))
    rgb_over = band(np.maximum(percent["rgb_max"], limits.rgb[1]), np.full(count, limits.rgb[1]))
    rgb_under = band(np.full(count, limits.rgb[0]), np.minimum(percent["rgb_min"], limits.rgb[0]))
    template = jinja2.Template(
        resources.files("bluffline.report").joinpath("skyline.svg.j2").read_text("utf-8"), autoescape=True
    )
    drawn: str = template.render(
        width=_SVG_WIDTH,
        height=_SVG_HEIGHT,
        luma=band(percent["y_max"], percent["y_min"]),
        rgb=band(percent["rgb_max"], percent["rgb_min"]),
        outside=[over, under, rgb_over, rgb_under],
        lines=[(figure(value), height(value)) for value in (*limits.luma, *limits.rgb)],
        edges=sorted({tuple(round(frame * _SVG_WIDTH / frames) for frame in ends) for ends in edges(shots)}),
        marks=[(value, height(value)) for value in (0, 50, 100)],
        times=[
            (survey.programme.label((frames - 1) * place // 2), _SVG_WIDTH * place / 2, anchor)
            for place, anchor in enumerate(("start", "middle", "end"))
        ],
    )
    return drawn
