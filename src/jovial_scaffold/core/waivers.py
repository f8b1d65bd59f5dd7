"""Waivers: findings that somebody has decided to live with, where, why, and until when (docs/findings.md, "Waivers")."""

import datetime
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from typing import Any

from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.registry import known_ids
from jovial_scaffold.core.spelling import near
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Counted, Described, Sentence, listed, nearest, say

KEYS = ("finding", "rule", "at", "environments", "because", "until")
_SOON = 14  # days before its last one that a waiver is said to end
#: how the ids of findings begin that nothing waives
UNREADABLE = ("file-", "yaml-", "json-", "toml-", "dotenv-", "waiver-", "project-")


@dataclass(frozen=True, slots=True, eq=False)
class Waiver:
    """One entry. `finding` is an id or `rule` is RULESET/RULE; nothing in `at` is everywhere, nothing in `environments` are all."""

    finding: str
    rule: str
    at: str
    environments: tuple[str, ...]
    because: str
    until: str
    origin: Origin


@value_record
class Waived:
    """A finding that is waived, in the environments that are taken out of its reach, and by what."""

    finding: Finding
    waiver: Waiver


class WaiverReader:
    """Reads the file of waivers; what is wrong with it is added to `findings`."""

    def __init__(self, environments: Collection[str], rules: Collection[str], findings: list[Finding]) -> None:
        self._environments = environments
        self._rules = rules
        self._findings = findings

    def _report(self, message: Sentence, span: Span, hint: Sentence = NOTHING) -> None:
        self._findings.append(Finding("waiver-shape", "error", message, span, hint))

    def waivers(self, source: Source) -> list[Waiver]:
        """The entries that can be understood."""
        whole, origin = source.value, Origin(source, ())
        if whole is None or whole is UNKNOWN:
            return []
        if not isinstance(whole, list):
            hint = say("Each has `finding` or `rule`, and `because`.")
            self._report(say("Waivers are a list of maps, and this is {}.", Described(whole)), origin.value_span(), hint)
            return []
        found = [self._waiver(entry, origin.child(index)) for index, entry in enumerate(whole) if entry is not UNKNOWN]
        return [each for each in found if each is not None]

    def _waiver(self, entry: Any, origin: Origin) -> Waiver | None:
        if not isinstance(entry, dict):
            self._report(say("A waiver is a map, and this is {}.", Described(entry)), origin.value_span())
            return None
        for key in entry:
            if key not in KEYS:
                hint = nearest(key, KEYS, say("Its keys are {}.", listed(KEYS)))
                self._report(say("A waiver has no key `{}`.", key), origin.child(key).key_span(), hint)
        meant = {near(key, KEYS) for key in entry if key not in KEYS}
        if meant - {"", "because"}:
            return None  # what it was to take away is not known
        texts = {key: self._text(entry, key, origin) for key in ("finding", "rule", "at", "because", "until")}
        if None in texts.values():
            return None
        told = {key: text or "" for key, text in texts.items()}
        if bool(told["finding"]) is bool(told["rule"]):
            hint = say("Write the id of a finding, or RULESET/RULE.")
            self._report(say("A waiver has either `finding` or `rule`."), origin.value_span(), hint)
            return None
        if told["rule"] and told["rule"] not in self._rules:
            hint = nearest(told["rule"], self._rules, say("A rule is named RULESET/RULE, by the ruleset's `ruleset`."))
            self._report(say("There is no rule `{}`.", told["rule"]), origin.child("rule").value_span(), hint)
            return None
        if told["finding"] and told["finding"] not in (ids := known_ids()):
            hint = nearest(told["finding"], ids, say("`jovial findings` lists them."))
            self._report(say("There is no finding `{}`.", told["finding"]), origin.child("finding").value_span(), hint)
            return None
        if not told["because"].strip() and "because" not in meant:
            self._report(say("A waiver says why."), origin.value_span(), say("Write `because`."))
        if told["until"] and not is_day(told["until"]):
            span = origin.child("until").value_span()
            self._report(say("`until` is a day, as 2030-01-31, and this is {}.", Described(entry["until"])), span)
            return None
        environments = self._environments_of(entry, origin.child("environments"))
        return None if environments is None else Waiver(**told, environments=environments, origin=origin)

    def _text(self, entry: dict[str, Any], key: str, origin: Origin) -> str | None:
        value = entry.get(key, "")
        if isinstance(value, str):
            return value
        if value is not UNKNOWN:
            self._report(say("`{}` is a text, and this is {}.", key, Described(value)), origin.child(key).value_span())
        return None

    def _environments_of(self, entry: dict[str, Any], origin: Origin) -> tuple[str, ...] | None:
        names = entry.get("environments", [])
        names = [names] if isinstance(names, str) else names
        if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
            if names is not UNKNOWN:
                self._report(say("`environments` is a list of names, and this is {}.", Described(names)), origin.value_span())
            return None
        for name in names:
            if name not in self._environments:
                hint = nearest(name, self._environments, say("The environments are {}.", listed(self._environments)))
                self._report(say("There is no environment `{}`.", name), origin.value_span(), hint)
        known = tuple(name for name in names if name in self._environments)
        return known if known or not names else None


def _days(today: str, until: str) -> int | None:
    """How many days a waiver is still good for; None where nobody knows."""
    if not (is_day(today) and is_day(until)):
        return None
    return (datetime.date.fromisoformat(until) - datetime.date.fromisoformat(today)).days


def is_day(text: str) -> bool:
    """Whether a text is a date of ISO 8601, as 2030-01-31."""
    try:
        datetime.date.fromisoformat(text)
    except ValueError:
        return False
    return len(text) == len("2030-01-31")


class Waivers:
    """The waivers of one check: what they take away, and which of them did. `today` is a date in UTC, or nothing where nobody knows it.

    `place_of` gives the span of a value of a file by its name and a JSON Pointer without its first slash, None where there is none.
    """

    def __init__(self, waivers: list[Waiver], today: str, place_of: Callable[[str, str], Span | None]) -> None:
        self._active = [each for each in waivers if not (each.until and today and each.until < today)]
        self._expired = [each for each in waivers if each not in self._active]
        self._used: set[int] = set()
        self._today = today
        self._place_of = place_of
        self.waived: list[Waived] = []

    def left(self, findings: Iterable[Finding]) -> list[Finding]:
        """What is not waived."""
        return [left for each in findings if (left := self._left(each)) is not None] if self._active else list(findings)

    def _left(self, finding: Finding) -> Finding | None:
        if finding.id.startswith(UNREADABLE):
            return finding
        for number, waiver in enumerate(self._active):
            if not self._is_about(waiver, finding):
                continue
            taken = tuple(name for name in finding.environments if name in waiver.environments or not waiver.environments)
            if waiver.environments and not taken:
                continue
            self._used.add(number)
            self.waived.append(Waived(replace(finding, environments=taken), waiver))
            kept = tuple(name for name in finding.environments if name not in taken)
            if not kept:
                return None
            finding = replace(finding, environments=kept)
        return finding

    def _is_about(self, waiver: Waiver, finding: Finding) -> bool:
        if waiver.rule:
            if finding.rule != waiver.rule:
                return False
        elif finding.id != waiver.finding:
            return False
        if not waiver.at:
            return True
        if finding.address:
            return bool(pattern(waiver.at).match(finding.where if ":" in waiver.at else finding.address))
        file, _, pointer = waiver.at.rpartition(":")
        place = self._place_of(file, pointer)
        span = finding.cause or finding.span
        if place is None or span is None or place.file != span.file:
            return False
        return (place.line, place.column) <= (span.line, span.column) <= (place.end_line, place.end_column)

    def findings(self, everything: bool, elsewhere: Collection[str] = ()) -> list[Finding]:
        """What is to be said about the waivers themselves; that one is not used, only where `everything` was looked at, and of no rule that
        is judged `elsewhere`."""
        found = []
        for each in self._expired:
            message = say("This waiver was good until {}.", each.until)
            hint = say("Mend what it is about, or decide anew and write another day.")
            found.append(Finding("waiver-expired", "warning", message, each.origin.value_span(), hint))
        for each in self._active:
            left = _days(self._today, each.until)
            if left is not None and left <= _SOON:
                message = say("This waiver is good until {}, {}.", each.until, Counted(left, "more day") if left else say("which is today"))
                hint = say("Mend what it is about, or decide anew.")
                found.append(Finding("waiver-ending", "note", message, each.origin.value_span(), hint))
        for number, each in enumerate(self._active if everything else ()):
            if number not in self._used and each.rule not in elsewhere and not each.finding.startswith("snapshot-"):
                message = say("Nothing is waived by this: there is no such finding.")
                found.append(Finding("waiver-unused", "warning", message, each.origin.value_span(), say("Take it out.")))
        return found
