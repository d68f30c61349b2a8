"""The certificate: what was wrong, what was done, what was measured after; as JSON, CSV and one printable page."""

import json
from collections.abc import Sequence
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np

from bluffline import __version__
from bluffline.prove.prove import Proof
from bluffline.prove.survey import Survey
from bluffline.report.check import check_report, finding_report, findings_csv
from bluffline.report.files import save_text
from bluffline.rules.findings import percent_columns
from bluffline.treat.steps import ChromaRein, LevelRemap, SoftCeiling, SoftFloor, Step
from bluffline.treat.stored import step_fields

_SVG_WIDTH, _SVG_HEIGHT = 1000, 150
_SVG_RANGE = (-12.0, 125.0)  # percent from the foot to the top of the drawing


def legalise_report(proof: Proof) -> dict[str, Any]:
    """The proof in the form of schema ``bluffline.legalise/1``."""
    shots = list(proof.request.shots)
    return {
        "schema": "bluffline.legalise/1",
        "before": check_report(proof.request.survey, shots),
        "after": check_report(proof.after, shots)
        | {"file": check_report(proof.after)["file"] | {"path": str(proof.request.target)}},
        "rounds": proof.rounds,
        "output": str(proof.request.target),
        "codec": proof.request.codec.title,
        "proved": proof.legal,
        "sha256": {"source": proof.source_checksum, "written": proof.written_checksum},
        "treatments": [
            {"shot": number, "steps": [step_report(step) for step in steps]}
            for number, steps in sorted(proof.treatments.items())
        ],
    }


def step_report(step: Step) -> dict[str, Any]:
    """One step as data: its title and parameters, in percent."""
    return {"step": step.title} | step_fields(step)


def step_text(step: Step) -> str:
    """One step's parameters in a line."""
    match step:
        case LevelRemap():
            low_in, high_in, low_out, high_out = map(_signed, (step.low_in, step.high_in, step.low_out, step.high_out))
            return f"{step.mode}: {low_in} … {high_in} % to {low_out} … {high_out} %"
        case SoftCeiling():
            how = "hard clip" if step.hard else f"knee {_signed(step.knee)} %"
            return f"{_signed(step.peak)} % to {_signed(step.limit)} %, {how}"
        case SoftFloor():
            how = "hard clip" if step.hard else f"knee {_signed(step.knee)} %"
            return f"{_signed(step.trough)} % to {_signed(step.limit)} %, {how}"
        case ChromaRein():
            return f"R′G′B′ {_signed(step.low)} … {_signed(step.high)} %, onset {step.onset:g} %"
        case _:
            return step.text


def _signed(value: float) -> str:
    return f"{value:.1f}".replace("-", "−")


def save_certificate(proof: Proof) -> list[Path]:
    """Write the certificate's three files beside the target and return their paths.

    Raises
    ------
    WriteError : the disk refuses.
    """
    target = proof.request.target
    programme = proof.request.survey.programme
    files = {
        target.with_name(f"{target.name}.certificate.json"): json.dumps(legalise_report(proof), indent=2, ensure_ascii=False)
        + "\n",
        target.with_name(f"{target.name}.findings.csv"): findings_csv(proof.before, programme),
        target.with_name(f"{target.name}.certificate.html"): certificate_page(proof),
    }
    for path, text in files.items():
        save_text(path, text)
    return list(files)


def certificate_page(proof: Proof) -> str:
    """The certificate as one self-contained HTML page, made to be printed."""
    import jinja2

    request = proof.request
    environment = jinja2.Environment(
        loader=jinja2.FunctionLoader(lambda name: resources.files("bluffline.report").joinpath(name).read_text("utf-8")),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["minus"] = _signed
    programme = request.survey.programme
    return environment.get_template("certificate.html.j2").render(
        proof=proof,
        request=request,
        programme=programme,
        source=request.survey.source,
        rules=request.survey.rules,
        before=[finding_report(finding, programme) for finding in proof.before],
        after=[finding_report(finding, programme) for finding in proof.after_findings],
        steps=[
            (
                number,
                programme.label(request.shots[number].first),
                [(step.title, step_text(step), step.bypassed) for step in steps],
            )
            for number, steps in sorted(proof.treatments.items())
        ],
        skylines=[
            ("Before", skyline_svg(request.survey, [shot.first for shot in request.shots])),
            ("After, read back", skyline_svg(proof.after, [shot.first for shot in request.shots])),
        ],
        version=__version__,
    )


def skyline_svg(survey: Survey, cuts: Sequence[int]) -> str:
    """The skyline as SVG: luma filled, R′G′B′ in outline, what lies outside the rules' limits hatched."""
    import jinja2

    percent = percent_columns(survey.table, survey.source)
    count = max(len(survey.table), 1)
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
        lines=[(f"{value:g}".replace("-", "−"), height(value)) for value in (*limits.luma, *limits.rgb)],
        cuts=[cut * _SVG_WIDTH / count for cut in cuts[1:]],
        marks=[(value, height(value)) for value in (0, 50, 100)],
    )
    return drawn
