"""The catalogue of rules: every one that there is a module of."""


from bluffline.declared import declared_in
from bluffline.rules import each
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule


def _found() -> tuple[Rule, ...]:
    own = declared_in(each, Rule, "titles")
    rules = sorted((kind() for kind in own), key=lambda rule: (rule.place, *rule.titles))
    told = [*(name for rule in rules for name in rule.titles), *(f"[{rule.key}]" for rule in rules if rule.section is not None)]
    if twice := {name for name in told if told.count(name) > 1}:
        raise TypeError(f"two rules are called {', '.join(sorted(twice))}")
    return tuple(rules)


RULES = _found()
_BY_NAME = {name: rule for rule in RULES for name in rule.titles}
_ASPECTS = {name: rule.aspect for name, rule in _BY_NAME.items()}  # asked of each of thousands of findings


def rule_of(name: str) -> Rule:
    """The rule whose findings carry an id.

    Raises
    ------
    KeyError : there is none
    """
    return _BY_NAME[name]


def rule_title(name: str) -> str:
    """A rule in words, from the id that findings carry."""
    return rule_of(name).titles[name]


def aspect_of(finding: Finding) -> Aspect:
    """What of the programme a finding is about."""
    return _ASPECTS[finding.rule]


def answered() -> frozenset[str]:
    """The ids of what *Legalise* answers."""
    return frozenset().union(*(rule.answered for rule in RULES))


def part_of(finding: Finding) -> str:
    """How much of the picture is meant, in words; empty where it is not a part of the picture that breaks the rule."""
    return "" if rule_of(finding.rule).whole_frames else f"{finding.worst_area:.1f} % of the picture"


def headline(finding: Finding) -> str:
    """The reason without what it goes on to say."""
    return finding.reason if rule_of(finding.rule).colon_told else finding.reason.partition(": ")[0]
