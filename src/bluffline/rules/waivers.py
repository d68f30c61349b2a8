"""Waivers: a person's word that something found is to pass, with a name and a reason. What is waived is told, never gone."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

from bluffline.declared import Between, made
from bluffline.errors import RulesError, SettingsError, require
from bluffline.intake import parse_toml, read_text
from bluffline.rules.catalogue import rule_title
from bluffline.rules.finding import Finding, Waiver

_FRAME = Annotated[int, Between(0, 1 << 31)]
_MOST = 1000  # in a file


@dataclass(frozen=True, slots=True)
class _Written:
    """A waiver as a file has it."""

    reason: str
    by: str
    at: str
    rule: str = ""
    frames: tuple[_FRAME, _FRAME] | None = None


def waived(findings: Sequence[Finding], waivers: Sequence[Waiver]) -> list[Finding]:
    """The findings, each with the first of the waivers that covers it whole; one that none covers has none."""
    if not waivers and all(found.waiver is None for found in findings):
        return list(findings)

    def of(finding: Finding) -> Waiver | None:
        return next((waiver for waiver in waivers if waiver.covers(finding)), None)

    return [found if found.waiver == (waiver := of(found)) else replace(found, waiver=waiver) for found in findings]


def waiver_from(data: Any, where: str) -> Waiver:
    """A waiver from plain data: ``reason``, ``by`` and ``at``, and what it is about: ``rule``, ``frames`` or both.

    Raises
    ------
    SettingsError : something is missing or wrong; the sentence names ``where`` and what
    """
    written = made(_Written, data, where)
    require(bool(written.reason.strip() and written.by.strip()), f"{where} needs a reason and the name of who gives it.")
    about = bool(written.rule or written.frames)
    require(about, f"{where} must name a rule, frames, or both: not everything is waived at once.")
    try:
        at = datetime.fromisoformat(written.at)
        known = not written.rule or bool(rule_title(written.rule))
    except (ValueError, KeyError) as error:
        wrong = f"no rule {written.rule!r}" if isinstance(error, KeyError) else f"no time {written.at!r} (2026-11-29T16:41:00Z)"
        raise SettingsError(f"{where}: there is {wrong}.") from error
    require(known and at.tzinfo is not None, f"{where}: at must be a time with its zone, as 2026-11-29T16:41:00Z.")
    first, last = written.frames if written.frames is not None else (None, None)
    require(first is None or last is None or first <= last, f"{where}: its frames end before they begin.")
    return Waiver(written.rule, written.reason.strip(), written.by.strip(), written.at, first, last)


def waiver_to(waiver: Waiver) -> Any:
    """A waiver as `waiver_from` reads it."""
    data: dict[str, Any] = {"reason": waiver.reason, "by": waiver.by, "at": waiver.at}
    if waiver.rule:
        data["rule"] = waiver.rule
    if waiver.first_frame is not None:
        data["frames"] = [waiver.first_frame, waiver.last_frame]
    return data


def load_waivers(path: Path) -> tuple[Waiver, ...]:
    """Waivers from a TOML file: a table [[waiver]] each.

    Raises
    ------
    RulesError : it can't be read, or the waiver in it that can't be used
    """
    try:
        data = parse_toml(read_text(path))
    except OSError as error:
        raise RulesError(f"The waivers {path} can't be read: {error.strerror}.") from error
    except ValueError as error:
        raise RulesError(f"The waivers {path} are not valid TOML: {str(error)[:200]}.") from error
    listed = data.get("waiver")
    if data.keys() != {"waiver"} or not isinstance(listed, list) or len(listed) > _MOST:
        raise RulesError(f"The waivers {path}: waivers are written [[waiver]], one table each, and nothing else.")
    for entry in listed:  # a time of TOML's own is as good as one in quotes
        if isinstance(entry, dict) and isinstance(entry.get("at"), datetime):
            entry["at"] = entry["at"].isoformat()
    try:
        return tuple(waiver_from(entry, f"The waivers {path}: waiver {number}") for number, entry in enumerate(listed, 1))
    except SettingsError as error:
        raise RulesError(str(error)) from error
