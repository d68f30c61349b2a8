"""What moves contradicts the order of fields that the file tells."""

from collections.abc import Iterator, Sequence

from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot


class FieldOrder(Rule):
    """Which field is first."""

    titles = {"fields": "Order of fields"}
    place = 31
    tried = False

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        source, seen = surveyed.source, surveyed.top_first
        if source is None or seen is None or (source.interlaced and seen is source.top_field_first):
            return
        told = f"tagged {'top' if source.top_field_first else 'bottom'} first" if source.interlaced else "tagged progressive"
        words = f"The {'top' if seen else 'bottom'} field is first by what moves, {told}"
        first, last = shots[0].first, shots[0].last
        yield Finding("fields", Severity.LOOK, 0, first, last, first, 100.0, "%", 100.0, words)
