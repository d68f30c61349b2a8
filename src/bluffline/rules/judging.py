"""Judging a survey: which runs of frames inside one shot break which rule."""

from collections.abc import Iterator
from functools import partial

from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.catalogue import RULES
from bluffline.rules.columns import Memo
from bluffline.rules.evidence import ShotEvidence, Surveyed
from bluffline.rules.finding import Finding, in_reading_order
from bluffline.rules.levels import mistagged, shot_levels, source_levels
from bluffline.rules.pictures import shot_pictures
from bluffline.rules.rules import Rules
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat


def judge(
    table: SurveyTable,
    shots: list[Shot],
    source: SignalFormat,
    rules: Rules,
    surveyed: Surveyed | None = None,
    memo: Memo | None = None,
) -> list[Finding]:
    """All findings, in the order of their shots, the gravest of a shot first.

    ``memo``: what was judged of the same table before, so that it is not judged again.
    """
    surveyed, memo = surveyed or Surveyed(Region.whole(source)), memo or Memo()
    percent = memo.percent(table, source)
    left_out = [area.region(source.width, source.height) for area in rules.left_out]
    pictures = shot_pictures(table, shots, source, surveyed.region, left_out, memo.once)
    findings: list[Finding] = []
    levels = [memo.once(("levels", shot), partial(shot_levels, table, shot)) for shot in shots]
    # Where frames say different things, no shot speaks for another.
    alike = len({each.range for each in table.formats}) < 2
    whole = source_levels(levels, [shot.length for shot in shots]) if alike else None
    for number, (shot, picture) in enumerate(zip(shots, pictures, strict=True)):
        own = whole if whole is not None and mistagged(whole, source) else levels[number]
        evidence = ShotEvidence(number, shot, table, percent, source, rules, surveyed, picture, own, own is whole)
        found = memo.once((shot, picture, own, own is whole), partial(_of_shot, evidence))
        findings += [each if each.shot == number else each.in_shot(number) for each in found]
    return in_reading_order([*findings, *_of_file(table, surveyed, shots, rules)])


def _of_shot(evidence: ShotEvidence) -> list[Finding]:
    return [found for rule in RULES if rule.on(evidence.rules) for found in rule.judge(evidence)]


def _of_file(table: SurveyTable, surveyed: Surveyed, shots: list[Shot], rules: Rules) -> Iterator[Finding]:
    for rule in RULES if shots else ():
        if rule.on(rules):
            yield from rule.judge_file(table, surveyed, shots, rules)
