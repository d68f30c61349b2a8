"""The certificate as a page: what it comes to on the first sheet, to be read in five seconds; then all of it."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from importlib import resources
from typing import Any

import numpy as np

from bluffline import __version__
from bluffline.figures import figure
from bluffline.media.opening import shown
from bluffline.media.programme import Programme
from bluffline.prove.across import beside
from bluffline.prove.prove import Proof, frame_list
from bluffline.report.certificate import same_samples_written, versions
from bluffline.report.check import finding_report, overrides, rules_name, verdict
from bluffline.report.keys import PublicKey
from bluffline.report.looked_at import judged, measured_light, not_judged
from bluffline.report.worst import worst_of
from bluffline.rules.catalogue import aspect_of, headline, part_of
from bluffline.rules.columns import percent_columns
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.rules.shots import Shot, edges
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import standard
from bluffline.signal.naming import colours
from bluffline.survey.checking import Checked
from bluffline.survey.survey import Survey, must_fix
from bluffline.treat.ladder import ordered
from bluffline.treat.step import Step

Draw = Callable[[Survey, Sequence[int], int], list[str | None]]
_SVG_WIDTH, _SVG_HEIGHT = 1000, 115
_SVG_RANGE = (-12.0, 125.0)  # percent from the foot to the top of the drawing
_NUMBERED = 22  # how wide a shot is drawn, at least, for its number to stand under it
_PICTURED, _PICTURE = 3, 320  # how many frames are pictured, and how many pixels wide


def certificate_page(proof: Proof, signer: PublicKey, draw: Draw) -> str:
    """The certificate of a written file as one self-contained HTML page, made to be printed, while that has its working name.

    ``signer``: whose signature stands beside it; ``draw``: makes small pictures of frames as JPEGs in base 64, see `hatched`.
    """
    request = proof.request
    survey, programme = request.survey, request.survey.programme
    text: str = page("certificate.html.j2").render(
        proof=proof,
        request=request,
        to_fix=len(must_fix(proof.before)),
        left=len(must_fix(proof.after_findings)),
        worst=_worst(proof.before, survey, draw, proof),
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
        before_drawn=skyline_svg(survey, request.shots),
        after_drawn=skyline_svg(proof.after, request.shots),
        handed=_handed(proof),
        mixed=_mixed(proof),
        target_name=shown(request.target.name),
        unreadable=frame_list(proof.unreadable),
        judged=judged(proof.after),
        losses=proof.losses,
        **_facts(survey, proof.after_findings, signer),
    )
    return text


def standing_page(checked: Checked, signer: PublicKey, draw: Draw) -> str:
    """The certificate of a file that is good as it stands, likewise."""
    survey = checked.survey
    text: str = page("as_it_stands.html.j2").render(
        checked=checked,
        verdict=verdict(survey, checked.findings),
        worst=_worst(checked.findings, survey, draw),
        findings=_rows(checked.findings, survey.programme),
        skyline=skyline_svg(survey, checked.shots),
        judged=judged(survey),
        **_facts(survey, checked.findings, signer),
    )
    return text


def _facts(survey: Survey, findings: Sequence[Finding], signer: PublicKey) -> dict[str, Any]:
    """What every certificate tells of the programme, the rules, and who has signed; ``findings``: those that stand now."""
    programme = survey.programme
    return {
        "survey": survey,
        "programme": programme,
        "rules": survey.rules,
        "rules_name": rules_name(survey.rules),
        "overrides": overrides(programme),
        "hdr": hdr_facts(programme, survey.source, measured_light(survey)),
        "assumed": sorted(survey.source.assumed),
        "not_judged": not_judged(survey),
        "waived": [(each.reason, each.shot + 1, each.waiver) for each in findings if each.waiver is not None],
        "source_name": shown(programme.path.name),
        "last": programme.label(max(programme.frame_count - 1, 0)),
        "signer": signer,
        "version": __version__,
        "versions": versions(),
    }


def hdr_facts(programme: Programme, source: SignalFormat, measured: str = "") -> list[str]:
    """What an HDR file says of its light and what was measured of it, in lines; none for any other."""
    if source.transfer not in ("pq", "hlg"):
        return []
    carried = programme.carried
    ends = re.search(r"min_luminance=([\d.]+), max_luminance=([\d.]+)", carried.mastering)
    display = f"{float(ends[1]):g} to {float(ends[2]):g} cd/m²" if ends else "not said"
    light = ", ".join(f"{each.replace('=', ' ')} cd/m²" for each in carried.light.split(", ")) if carried.light else ""
    return [
        f"{standard(source.transfer)}; mastering display: {display}",
        f"{light or 'MaxCLL, MaxFALL: not said'}, as in the file; {measured or 'not held against the picture'}",
        "Pictures here are tone-mapped for an SDR screen; they were not measured",
    ]


def _worst(
    findings: Sequence[Finding], survey: Survey, draw: Draw, proof: Proof | None = None
) -> list[dict[str, Any]]:
    """Where a file is worst, pictured; and the same frames as they were written, with what is left there or answers it."""
    chosen = worst_of(findings, _PICTURED)
    frames = [each.worst_frame for each in chosen]
    then = draw(survey, frames, _PICTURE)
    now = draw(proof.after, frames, _PICTURE) if proof is not None else [None] * len(frames)
    left = proof.after_findings if proof is not None else []
    ladders = proof.treatments if proof is not None else {}
    return [
        {
            "reason": headline(each),
            "where": f"shot {each.shot + 1}, {survey.programme.label(each.worst_frame)}",
            "part": part_of(each),
            "before": before,
            "after": pictured,
            "left": next((headline(other) for other in left if (other.rule, other.shot) == (each.rule, each.shot)), ""),
            "by": ", ".join(step.title for step in ordered(ladders.get(each.shot, ())) if step.on),
        }
        for each, before, pictured in zip(chosen, then, now, strict=True)
    ]


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


def _line(step: Step) -> str:
    """A step's figures and reach in a line."""
    return step.text if step.reach.everywhere else f"{step.text}; {step.reach.text}"


def _signed(value: float) -> str:
    return figure(value, ".1f")


def page(name: str, package: str = "bluffline.report") -> Any:
    """A template of a page, from a package that it lies in."""
    import jinja2

    environment = jinja2.Environment(
        loader=jinja2.FunctionLoader(lambda part: resources.files(package).joinpath(part).read_text("utf-8")),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters |= {"minus": _signed, "colours": colours}
    return environment.get_template(name)


def _rows(findings: Sequence[Finding], programme: Programme) -> list[dict[str, Any]]:
    """The findings as lines of a table."""
    told = [(finding_report(each, programme), part_of(each) or _whole(each)) for each in findings]
    return [{"waived": None, **report, "part": part} for report, part in told]


def _whole(finding: Finding) -> str:
    """What of the programme a finding is about that is no part of its picture."""
    return "sound" if aspect_of(finding) is Aspect.SOUND else "frames"


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

    def band(upper: np.ndarray, lower: np.ndarray, first: int = 0) -> str:
        across = np.arange(first, first + len(upper) + 1).repeat(2)[1:-1] * _SVG_WIDTH / count
        top = [f"{x:.1f},{height(float(v)):.1f}" for x, v in zip(across, upper.repeat(2), strict=True)]
        foot = [f"{x:.1f},{height(float(v)):.1f}" for x, v in zip(across, lower.repeat(2), strict=True)]
        return " ".join(top + foot[::-1])

    def bands(upper: np.ndarray, lower: np.ndarray) -> list[str]:
        """Where the upper is over the lower, each run of columns by itself."""
        starts, ends = np.flatnonzero(np.diff(np.concatenate(([False], upper > lower, [False])))).reshape(-1, 2).T
        return [band(upper[first:end], lower[first:end], first) for first, end in zip(starts, ends, strict=True)]

    outside = [
        part
        for name, (lowest, highest) in (("y", limits.luma), ("rgb", limits.rgb))
        for part in (
            *bands(percent[f"{name}_max"], np.full(count, highest)), *bands(np.full(count, lowest), percent[f"{name}_min"])
        )
    ]  # fmt: skip
    template = jinja2.Template(
        resources.files("bluffline.report").joinpath("skyline.svg.j2").read_text("utf-8"), autoescape=True
    )
    drawn: str = template.render(
        width=_SVG_WIDTH,
        height=_SVG_HEIGHT,
        luma=band(percent["y_max"], percent["y_min"]),
        rgb=band(percent["rgb_max"], percent["rgb_min"]),
        outside=outside,
        lines=[(figure(value), height(value)) for value in (*limits.luma, *limits.rgb)],
        edges=sorted({tuple(round(frame * _SVG_WIDTH / frames) for frame in ends) for ends in edges(shots)}),
        numbers=[
            (number, round(shot.first * _SVG_WIDTH / frames) + 2)
            for number, shot in enumerate(shots, 1)
            if shot.length * _SVG_WIDTH > _NUMBERED * frames
        ],
        marks=[(value, height(value)) for value in (0, 50, 100)],
        times=[
            (survey.programme.label((frames - 1) * place // 2), _SVG_WIDTH * place / 2, anchor)
            for place, anchor in enumerate(("start", "middle", "end"))
        ],
    )
    return drawn
