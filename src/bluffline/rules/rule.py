"""What a rule declares: its section in a rule file, what it is called, how it judges, and what can answer it.

Everything else follows from the declaration: the rule file's keys with every value checked, lists and reports, what is said
of what was judged and what was not, which findings *Legalise* answers, what a trial can tell of.
"""

from collections.abc import Hashable, Iterator, Mapping, Sequence
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from bluffline.declared import made
from bluffline.rules.finding import Finding

if TYPE_CHECKING:
    from bluffline.measure.table import SurveyTable
    from bluffline.rules.evidence import ShotEvidence, Surveyed
    from bluffline.rules.rules import Rules
    from bluffline.rules.shots import Shot


class Aspect(StrEnum):
    """What of a programme is judged: its pictures, what they do in time, or its sound."""

    __hash__ = str.__hash__  # as of `Severity`

    PICTURE = "picture"
    TIME = "time"
    SOUND = "sound"


class Rule:
    """A rule. A module of `bluffline.rules.each` holds it, and that is all that has to be known of it.

    Attributes
    ----------
    titles : what its findings are called, by the ids that they carry
    words : what is judged by it, in lists of what was judged and what was not asked for; those without are not listed
    place : rules of a lower one come first where findings are equally grave
    section, key : the frozen dataclass of its section in a rule file, and what the section is called; none where there is none
    named : whether it is off unless the rule file has the section
    answered : the ids that *Legalise* answers
    extremes : of ids that are told by one, the column of `percent_columns` and whether its greatest counts
    aspect : what it is about
    whole_frames : whether its findings are of frames as a whole, not of parts of the picture
    tried : whether treated frames of a shot tell what becomes of it
    rides : what rides on frames and is judged by it, by FFmpeg's name
    beside : the kind of tracks that it judges, as far as they are
    colon_told : whether what follows a colon in its reasons belongs to what they say in short
    """

    titles: ClassVar[Mapping[str, str]]
    words: ClassVar[str] = ""
    place: ClassVar[int] = 50
    section: ClassVar[type | None] = None
    key: ClassVar[str] = ""
    named: ClassVar[bool] = False
    answered: ClassVar[frozenset[str]] = frozenset()
    extremes: ClassVar[Mapping[str, tuple[str, bool]]] = {}
    aspect: ClassVar[Aspect] = Aspect.PICTURE
    whole_frames: ClassVar[bool] = False
    tried: ClassVar[bool] = True
    rides: ClassVar[str] = ""
    beside: ClassVar[str] = ""
    colon_told: ClassVar[bool] = False

    def told(self, rules: "Rules") -> str:
        """Its words, by the rules in force."""
        return self.words

    def on(self, rules: "Rules") -> bool:
        """Whether the rules in force ask for it."""
        return not self.named or self.asked(rules) is not None

    def asked(self, rules: "Rules") -> Any:
        """Its section in the rules in force; as declared where they have none; None where it is off."""
        assert self.section is not None, "a rule without a section is asked for nothing"
        own = next((each for each in rules.sections if type(each) is self.section), None)
        return self.section() if own is None and not self.named else own

    def read(self, table: Mapping[str, Any], where: str, folder: Path) -> Any:
        """Its section from a table of a rule file; files it names are sought from ``folder``.

        Raises
        ------
        SettingsError : a figure is unknown, missing, of another kind or out of bounds; the sentence names it
        """
        assert self.section is not None, "a rule without a section is never read"
        return made(self.section, table, where)

    def judge(self, shot: "ShotEvidence") -> Iterator[Finding]:
        """What of one shot breaks it."""
        return iter(())

    def measured(self, rules: "Rules") -> Hashable:
        """What the rules in force have the survey measure for it beside all else; None where nothing."""
        return None

    def judge_file(
        self, table: "SurveyTable", surveyed: "Surveyed", shots: Sequence["Shot"], rules: "Rules"
    ) -> Iterator[Finding]:
        """What of the file as a whole breaks it; there is at least one shot."""
        return iter(())
