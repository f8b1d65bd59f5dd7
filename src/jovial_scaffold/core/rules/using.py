"""How a project uses a ruleset: values for what it takes, and levels of its rules (docs/rules.md, "Using a ruleset")."""

from collections.abc import Collection, Mapping
from typing import Any

from jovial_scaffold.core.findings import LEVELS, Finding, Level, Span
from jovial_scaffold.core.parameters.typing import as_declared
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rules.reading import LevelOverride, Rule, Ruleset, values_read
from jovial_scaffold.core.schemas.validation import Validator
from jovial_scaffold.core.templates.model import Constant, Named
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Described, Sentence, listed, nearest, say

LEVEL_KEYS = ("rule", "level", "environments", "because")


def used(ruleset: Ruleset, given: Origin | None, where: Origin | None, environments: Collection[str], findings: list[Finding]) -> Ruleset:
    """A ruleset with the values that it is given, else its defaults, and with the levels that a project gives its rules. `given` is the map
    that says so, None where there is none, and `where` what names the ruleset. What is wrong goes to `findings`; rules that read a value which
    nobody knows are left out."""
    use = _Use(ruleset, given, where, environments, findings)
    values = {**ruleset.values, **use.values()}
    unknown = {name for name in ruleset.takes if isinstance(held := values[name].value, Constant) and held.value is UNKNOWN}
    sound = [each for each in ruleset.rules if not unknown.intersection(_read(each, values))] if unknown else list(ruleset.rules)
    levels = use.levels()
    return replace(ruleset, values=values, rules=tuple(replace(each, levels=levels.get(each.name, ())) for each in sound))


def _read(rule: Rule, values: dict[str, Named]) -> list[str]:
    return values_read([rule.where, rule.require, rule.message, rule.fix], values)


class _Use:
    def __init__(
        self, ruleset: Ruleset, given: Origin | None, where: Origin | None, environments: Collection[str], findings: list[Finding]
    ) -> None:
        self._ruleset = ruleset
        self._given = given
        self._where = where
        self._environments = environments
        self._findings = findings

    def _report(self, message: Sentence, span: Span | None, hint: Sentence = NOTHING) -> None:
        self._findings.append(Finding("ruleset-use", "error", message, span, hint))

    def _part(self, key: str) -> tuple[Any, Origin | None]:
        if self._given is None:
            return None, None
        whole = self._given.source.value
        for step in self._given.pointer:
            whole = whole[step]
        return whole.get(key), self._given.child(key)

    def values(self) -> dict[str, Named]:
        """What the ruleset takes, each with its value; UNKNOWN where there is none that fits."""
        takes = self._ruleset.takes
        given, place = self._part("with")
        if given is not None and given is not UNKNOWN and not isinstance(given, dict) and place is not None:
            self._report(say("`with` is a map of values, and this is {}.", Described(given)), place.value_span())
        given = given if isinstance(given, dict) else {}
        for name in given:
            if name not in takes and place is not None:
                hint = nearest(name, takes, say("It takes {}.", listed(takes)) if takes else say("It takes nothing."))
                self._report(say("The ruleset {} takes no `{}`.", self._ruleset.title, name), place.child(name).key_span(), hint)
        return {name: self._value(name, taken.schema, taken.origin, given, place) for name, taken in takes.items()}

    def _value(self, name: str, schema: dict[str, Any], origin: Origin, given: Mapping[str, Any], place: Origin | None) -> Named:
        if name in given and place is not None:
            value, here = given[name], place.child(name)
        elif "default" in schema:
            value, here = schema["default"], origin.child("default")
        else:
            span = self._where.value_span() if self._where is not None else None
            message = say("The ruleset {} takes `{}`, and nothing gives it.", self._ruleset.title, name)
            self._report(message, span, say("Write it under `with`, beside `use`."))
            return Named(name, Constant(UNKNOWN, origin), origin)
        wrong = Validator(schema).violations(value) if value is not UNKNOWN else []
        for each in wrong[:1]:
            self._report(each.message.about(f"`{name}`"), here.value_span(), each.hint)
        return Named(name, Constant(UNKNOWN if wrong else as_declared(value, schema), here), here)

    def levels(self) -> dict[str, tuple[LevelOverride, ...]]:
        """The levels that rules are given, by the name of the rule."""
        content, place = self._part("levels")
        if content is None or content is UNKNOWN or place is None:
            return {}
        if not isinstance(content, list):
            self._report(say("`levels` is a list of maps, and this is {}.", Described(content)), place.value_span(), _EXAMPLE)
            return {}
        found: dict[str, tuple[LevelOverride, ...]] = {}
        for number, entry in enumerate(content):
            level = self._level(entry, place.child(number))
            if level is not None:
                found[entry["rule"]] = (*found.get(entry["rule"], ()), level)
        return found

    def _level(self, entry: Any, place: Origin) -> LevelOverride | None:
        if entry is UNKNOWN:
            return None
        if not isinstance(entry, dict):
            self._report(say("A level is a map, and this is {}.", Described(entry)), place.value_span(), _EXAMPLE)
            return None
        for key in entry:
            if key not in LEVEL_KEYS:
                hint = nearest(key, LEVEL_KEYS, say("Its keys are {}.", listed(LEVEL_KEYS)))
                self._report(say("A level of a rule has no key `{}`.", key), place.child(key).key_span(), hint)
                return None
        known = [each.name for each in self._ruleset.rules]
        rule, because = entry.get("rule"), entry.get("because")
        level: Level | None = next((each for each in LEVELS if each == entry.get("level")), None)
        names = [entry["environments"]] if isinstance(entry.get("environments"), str) else entry.get("environments", [])
        if rule not in known:
            place = place.child("rule") if "rule" in entry else place
            hint = nearest(str(rule), known, say("Its rules are {}.", listed(known)))
            self._report(say("The ruleset {} has no rule `{}`.", self._ruleset.title, str(rule or "")), place.value_span(), hint)
        elif level is None:
            place = place.child("level") if "level" in entry else place
            self._report(say("`level` is {}.", listed(LEVELS, "or")), place.value_span(), nearest(str(entry.get("level")), LEVELS))
        elif not isinstance(because, str) or not because.strip():
            self._report(say("Another level of a rule says why."), place.value_span(), say("Write `because`."))
        elif not isinstance(names, list) or any(each not in self._environments for each in names):
            strange = next((str(each) for each in names if each not in self._environments), "") if isinstance(names, list) else ""
            hint = nearest(strange, self._environments, say("The environments are {}.", listed(self._environments)))
            self._report(say("There is no environment `{}`.", strange), place.child("environments").value_span(), hint)
        else:
            return LevelOverride(level, tuple(names))
        return None


_EXAMPLE = say('For example: {rule: disks_encrypted, level: note, environments: [sandbox], because: "Nothing is kept there."}')
