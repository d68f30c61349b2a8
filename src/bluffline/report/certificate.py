"""The certificate: what was wrong, what was done, what was measured after; as data."""

from importlib.metadata import version
from typing import Any

import av
import numpy as np

from bluffline import __version__
from bluffline.media.codecs import written_format
from bluffline.media.opening import shown
from bluffline.prove.prove import Proof
from bluffline.report.check import check_report, overrides
from bluffline.report.forms import CertificateForm, CheckForm
from bluffline.signal.convert import same_samples
from bluffline.survey.checking import Checked
from bluffline.treat.ladder import ordered
from bluffline.treat.step import Step
from bluffline.treat.stored import step_to


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


def versions() -> dict[str, str]:
    """The program and the libraries that measured and wrote."""
    libraries = {name: ".".join(map(str, number)) for name, number in av.library_versions.items()}
    return {"bluffline": __version__, "PyAV": av.__version__, "NumPy": np.__version__, "numba": version("numba")} | libraries


def step_report(step: Step) -> dict[str, Any]:
    """One step as data: its title, and what a treatment file holds of it."""
    return {"step": step.title} | step_to(step)


def checked_report(checked: Checked) -> CheckForm:
    """A check in the form of schema ``bluffline.check/2``, bound to the file that was read."""
    report = check_report(checked.survey, checked.shots, checked.findings)
    file = report["file"]
    file["size"], file["sha256"] = checked.size, checked.sha256
    file["modified"] = checked.modified.isoformat(timespec="microseconds")
    report["checked"], report["versions"] = checked.at.isoformat(timespec="seconds"), versions()
    return report
