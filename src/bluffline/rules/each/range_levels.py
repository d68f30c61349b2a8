"""A shot whose levels contradict its range tag, or one of a source that surely does."""

from collections.abc import Iterator

from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.levels import LIKELY, UNTOLD
from bluffline.rules.rule import Rule
from bluffline.rules.severity import Severity


class RangeLevels(Rule):
    """Levels against the tag of their range."""

    titles = {"levels": "Levels against the tag"}
    place = 18
    words = "levels against the tags"
    tried = False

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        formats = shot.table.formats
        ranges = {formats[n].range for n in set(shot.column("format").tolist())} if formats else {shot.source.range}
        found, tag = shot.range_evidence, min(ranges)
        if len(ranges) > 1 or found.speaks_for in (None, tag) or found.confidence < UNTOLD:
            return
        sure = "all the source agrees" if shot.surely else "this shot alone"
        words = (
            f"Levels look {found.speaks_for} range, tagged {tag}: {found.reason} (confidence {found.confidence:.2f}; {sure})"
        )
        severity = Severity.LOOK
        if found.confidence < LIKELY:
            severity = Severity.NOTE
            words = f"Levels may be {found.speaks_for} range, tagged {tag}, or graded so: {found.reason}"
        yield from shot.runs_of("levels", severity, shot.readable, shot.percent("y_p999"), shot.all_of_it, words)
