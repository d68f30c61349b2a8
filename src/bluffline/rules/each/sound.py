"""Sound that goes on after the picture ends."""

from collections.abc import Iterator, Sequence

from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

_SLACK = 0.03  # seconds: the packets of sound don't end where frames do


class Sound(Rule):
    """Sound without picture."""

    titles = {"sound": "Sound without picture"}
    place = 32
    aspect = Aspect.SOUND
    whole_frames = True
    tried = False

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        after = surveyed.sound_after
        if surveyed.complete and after > _SLACK + 1 / surveyed.rate:
            words = f"Sound goes on {after:.2f} s after the picture ends"
            yield across("sound", Severity.LOOK, shots, words, after, "s", first=shots[-1].last)
