"""A ruleset file to rules (docs/rules.md)."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import field
from re import Pattern
from typing import Any

from jovial_scaffold.core.expressions.evaluation import unknown_function
from jovial_scaffold.core.findings import LEVELS, Finding, Level
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.schemas.validation import SchemaError, check_schema
from jovial_scaffold.core.spelling import near
from jovial_scaffold.core.templates.compiling import Compiler, formulas_of, is_name, taken_for
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Named
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.references import FileReference, references
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, listed, nearest, say

SCOPES = ("resource", "parameters", "declarations", "outputs", "environment", "pair", "effect")
_WHOLE = ("environment", "labels", "parameters", "outputs", "resources")
NAMES = {
    "resource": ("self", "address", "type", *_WHOLE),
    "parameters": ("self", *_WHOLE),
    "declarations": ("self",),
    "outputs": ("self", *_WHOLE),
    "environment": _WHOLE,
    "pair": ("left", "right"),
    "effect": ("was", "becomes", "effect", "touched", "causes", "address", "type", *_WHOLE),
}
"""The names that a rule of each scope sees (docs/rules.md)."""
_OF_TYPES = ("resource", "effect")
SECTIONS = ("ruleset", "description", "include", "takes", "let", "rules")
KEYS = ("because", "over", "applies", "where", "require", "absent", "level", "message", "fix", "examples", "between", "tags")

_DECIDING = ("over", "applies", "where", "absent", "between", "require")  # what a rule judges, and how


@value_record
class LevelOverride:
    """Another level of a rule, in some environments; in none named, in all."""

    level: Level
    environments: tuple[str, ...]


@value_record
class Taken:
    """What a ruleset takes from who uses it: a JSON Schema, with a default where nothing has to be given."""

    schema: dict[str, Any]
    origin: Origin


@value_record
class Rule:
    """One rule of the ruleset of a title. `absent_fails` says what it means when a property that the rule uses is not set; `between` is the one pair that it is
    about, or None for every pair."""

    ruleset: str
    name: str
    over: str
    between: tuple[str, str] | None
    because: str
    applies: tuple[str, ...]
    where: Condition | None
    require: Condition
    absent_fails: bool
    level: Level
    message: Compiled | None
    fix: Compiled | None
    passes: tuple[tuple[dict[str, Any], Origin], ...]
    fails: tuple[tuple[dict[str, Any], Origin], ...]
    origin: Origin
    tags: tuple[str, ...] = ()
    levels: tuple[LevelOverride, ...] = ()  #: that a project gives it; the last that fits is meant

    def level_in(self, environments: Collection[str]) -> Level:
        """Its level where it is judged."""
        fitting = [each.level for each in self.levels if not each.environments or {*environments} <= {*each.environments}]
        return fitting[-1] if fitting else self.level

    @property
    def label(self) -> str:
        """What it is called among all rules."""
        return f"{self.ruleset}/{self.name}"


@value_record
class Ruleset:
    """Rules that share named values."""

    title: str
    values: dict[str, Named]
    rules: tuple[Rule, ...]
    takes: Mapping[str, Taken] = field(default_factory=dict)
    includes: tuple[FileReference, ...] = ()


def read_ruleset(source: Source) -> tuple[Ruleset, list[Finding]]:
    """The rules of a file, and what is wrong with it."""
    findings: list[Finding] = []
    return _Reader(source, findings).ruleset(), findings


def fitting(rulesets: Sequence[Ruleset], patterns: Collection[str]) -> list[Ruleset]:
    """Rulesets with those rules whose label, name or a tag fits one of some patterns; all where there are none."""
    if not patterns:
        return list(rulesets)
    meant = [pattern(each) for each in patterns]
    return [replace(each, rules=tuple(rule for rule in each.rules if _fits(rule, meant))) for each in rulesets]


def _fits(rule: Rule, patterns: Sequence[Pattern[str]]) -> bool:
    return any(each.match(name) for each in patterns for name in (rule.label, rule.name, *rule.tags))


def values_read(parts: Sequence[Compiled | Condition | None], values: dict[str, Named]) -> list[str]:
    """The named values that some parts read, directly or through others."""
    found: dict[str, None] = {}
    waiting = [*parts]
    while waiting:
        names = {name for formula, _, _ in formulas_of(waiting.pop()) for name in formula.program.names}
        new = sorted(names & values.keys() - found.keys())
        found.update(dict.fromkeys(new))
        waiting += [values[name].value for name in new]
    return list(found)


class _Reader(Compiler):
    def __init__(self, source: Source, findings: list[Finding]) -> None:
        super().__init__(findings)
        self.source = source
        self.title = source.name

    def ruleset(self) -> Ruleset:
        whole, origin = self.source.value, Origin(self.source, ())
        if not isinstance(whole, dict):
            if whole is not UNKNOWN:
                found = "it is empty" if whole is None else say("this is {}", Described(whole))
                self.report("ruleset-shape", say("A ruleset is a map with `ruleset` and `rules`, and {}.", found), origin.value_span())
            return Ruleset("", {}, ())
        for key in whole:
            if key not in (*SECTIONS, "$schema"):
                hint = nearest(key, SECTIONS, say("Its sections are ruleset, description, let and rules."))
                if key in ("resources", "parameters", "outputs"):
                    hint = say("This looks like a template in the place of a ruleset.")
                self.report("section-unknown", say("A ruleset has no section `{}`.", key), origin.child(key).key_span(), hint)
        whole = taken_for(whole, origin, SECTIONS)
        takes = dict(self.taken(self._map_of(whole, "takes"), origin.child("takes")))
        values = {
            name: Named(name, Constant(each.schema.get("default", UNKNOWN), each.origin), each.origin) for name, each in takes.items()
        }
        for name, content in self._map_of(whole, "let").items():
            if name in takes:
                span = origin.child("let", name).key_span()
                self.report("name-declared-twice", say("The ruleset takes `{}` already.", name), span, say("Choose another name."))
                continue
            values[name] = Named(name, self.value(content, origin.child("let", name)), origin.child("let", name))
        self.title = str(whole.get("ruleset") or self.source.name)
        rules = [self.rule(name, content, origin.child("rules", name), values) for name, content in self._map_of(whole, "rules").items()]
        included = references(whole.get("include"), origin.child("include"), "include", self.findings)
        return Ruleset(self.title, values, tuple(rule for rule in rules if rule is not None), takes, included)

    def taken(self, content: dict[str, Any], origin: Origin) -> Iterator[tuple[str, Taken]]:
        """What the ruleset takes, as far as it is declared rightly."""
        for name, schema in content.items():
            place = origin.child(name)
            if schema is UNKNOWN:
                continue
            if not is_name(name):
                self.report("name-invalid", say("`{}` cannot be a name here.", name), place.key_span(), say("Write a-z, 0-9 and _."))
                continue
            if not isinstance(schema, dict):
                message = say("What a ruleset takes is declared by a JSON Schema, and this is {}.", Described(schema))
                self.report("ruleset-shape", message, place.value_span(), say("For example: {type: integer, default: 5}"))
                continue
            try:
                check_schema(schema)
            except SchemaError as error:
                self.report("schema-invalid", error.message, place.child(*error.pointer).value_span(), error.hint)
                continue
            yield name, Taken(schema, place)

    def _map_of(self, whole: dict[str, Any], section: str) -> dict[str, Any]:
        content = whole.get(section)
        if content is None or content is UNKNOWN:
            return {}
        if not isinstance(content, dict):
            self.report(
                "ruleset-shape",
                say("The section `{}` is a map, and this is {}.", section, Described(content)),
                Origin(self.source, (section,)).value_span(),
            )
            return {}
        return content

    def rule(self, name: str, content: Any, origin: Origin, values: dict[str, Named]) -> Rule | None:
        if content is UNKNOWN:
            return None
        if not is_name(name):
            self.report("name-invalid", say("`{}` cannot be the name of a rule.", name), origin.key_span(), say("Write a-z, 0-9 and _."))
            return None
        if not isinstance(content, dict):
            self.report("ruleset-shape", say("A rule is a map, and this is {}.", Described(content)), origin.value_span())
            return None
        written, content = content, taken_for(content, origin, KEYS)
        over = self.over(written, content, origin)
        if over is None or not self.requires(name, content, origin):
            return None
        where = self.condition(content["where"], origin.child("where")) if "where" in content else None
        require = self.condition(content["require"], origin.child("require"))
        message = self.value(content["message"], origin.child("message")) if "message" in content else None
        fix = self.value(content["fix"], origin.child("fix")) if "fix" in content else None
        parts: list[Compiled | Condition | None] = [where, require, message, fix]
        named = values_read(parts, values)
        parts += [values[name].value for name in named]
        known = [self.names_known(each, values, NAMES[over]) for each in parts]
        if not all(known):
            return None
        if isinstance(require.content, Constant) and require.content.value is UNKNOWN:
            return None
        examples = content.get("examples") or {}
        return Rule(
            self.title,
            name,
            over,
            self.between(content.get("between"), origin.child("between")),
            content["because"] if isinstance(content.get("because"), str) else "",
            self.patterns(content.get("applies"), origin.child("applies")),
            where,
            require,
            self.choice(content, "absent", ("fail", "pass"), origin) == "fail",
            self.level(content, origin),
            message,
            fix,
            self.examples(examples, "passes", origin),
            self.examples(examples, "fails", origin),
            origin,
            self.texts(content.get("tags"), origin.child("tags")),
        )

    def over(self, written: dict[str, Any], content: dict[str, Any], origin: Origin) -> str | None:
        """What a rule is about, once its keys were looked at, as they are written; None where that is not known."""
        for key in written:
            if key not in KEYS:
                self.report(
                    "key-unknown",
                    say("A rule has no key `{}`.", key),
                    origin.child(key).key_span(),
                    nearest(key, KEYS, say("Its keys are {}.", listed(KEYS))),
                )
        over = content.get("over", "resource")
        if over is UNKNOWN or any(near(key, KEYS) in _DECIDING and near(key, KEYS) not in content for key in content if key not in KEYS):
            return None  # what it is about is not known, which was said
        if over not in SCOPES:
            hint = nearest(str(over), SCOPES)
            self.report("ruleset-shape", say("`over` is one of {}.", listed(SCOPES, "or")), origin.child("over").value_span(), hint)
            return None
        for key, scopes in (("applies", _OF_TYPES), ("between", ("pair",))):
            if key in content and over not in scopes:
                told = say("`{}` says nothing in a rule over `{}`.", key, over)
                hint = say("It belongs to rules over {}.", listed(scopes, "or"))
                self.report("ruleset-shape", told, origin.child(key).key_span(), hint)
        return str(over)

    def requires(self, name: str, content: dict[str, Any], origin: Origin) -> bool:
        """Whether a rule has a condition."""
        if "require" not in content:
            self.report(
                "ruleset-shape",
                say("The rule `{}` has no `require`.", name),
                origin.key_span(),
                say("Write the condition that must hold, for example require: self.encrypted"),
            )
            return False
        return True

    def level(self, content: dict[str, Any], origin: Origin) -> Level:
        chosen = self.choice(content, "level", LEVELS, origin)
        return next(level for level in LEVELS if level == chosen)

    def choice(self, content: dict[str, Any], key: str, options: tuple[str, ...], origin: Origin) -> str:
        chosen = content.get(key, options[0])
        if chosen is UNKNOWN or chosen not in options:
            if chosen is not UNKNOWN:
                self.report(
                    "ruleset-shape",
                    say("`{}` is {}, and this is {}.", key, listed(options, "or"), Described(chosen)),
                    origin.child(key).value_span(),
                    nearest(str(chosen), options),
                )
            return options[0]
        return str(chosen)

    def between(self, content: Any, origin: Origin) -> tuple[str, str] | None:
        if content is None or content is UNKNOWN:
            return None
        if isinstance(content, list) and len(content) == 2 and all(isinstance(item, str) for item in content):
            return content[0], content[1]
        self.report(
            "ruleset-shape",
            say("`between` names two environments, and this is {}.", Described(content)),
            origin.value_span(),
            say("For example: between: [rehearsal, live]"),
        )
        return None

    def texts(self, content: Any, origin: Origin) -> tuple[str, ...]:
        """Tags."""
        if content is None or content is UNKNOWN:
            return ()
        if isinstance(content, list) and all(isinstance(item, str) for item in content):
            return tuple(content)
        self.report("ruleset-shape", say("`tags` is a list of words, and this is {}.", Described(content)), origin.value_span())
        return ()

    def patterns(self, content: Any, origin: Origin) -> tuple[str, ...]:
        if content is None or content is UNKNOWN:
            return ("*",)
        if isinstance(content, str):
            return (content,)
        if isinstance(content, list) and all(isinstance(item, str) for item in content):
            return tuple(content)
        self.report(
            "ruleset-shape",
            say("`applies` is a list of patterns of types, and this is {}.", Described(content)),
            origin.value_span(),
            say("For example: applies: [fulmar.machine, fulmar.machine_group]"),
        )
        return ()

    def examples(self, content: Any, key: str, origin: Origin) -> tuple[tuple[dict[str, Any], Origin], ...]:
        place = origin.child("examples", key)
        listed_ = content.get(key) if isinstance(content, dict) else None
        if listed_ is None or listed_ is UNKNOWN:
            return ()
        if not isinstance(listed_, list) or not all(isinstance(item, dict) for item in listed_):
            self.report(
                "ruleset-shape", say("`{}` is a list of maps: of properties, or of the names that the rule sees.", key), place.value_span()
            )
            return ()
        return tuple((item, place.child(index)) for index, item in enumerate(listed_))

    def names_known(self, part: Compiled | Condition | None, values: dict[str, Named], known: tuple[str, ...]) -> bool:
        fine = True
        for formula, origin, _ in formulas_of(part):
            for reference in formula.program.reads:
                if reference.name not in known and reference.name not in values:
                    hint = nearest(reference.name, (*known, *values), say("A rule of this scope knows {}.", listed(known)))
                    span = origin.inner_span(formula.offset + reference.start, formula.offset + reference.end)
                    self.report("name-unknown", say("Nothing is called `{}` in a rule.", reference.name), span, hint)
                    fine = False
            for call in formula.program.own_calls:
                error = unknown_function(call)
                span = origin.inner_span(formula.offset + error.start, formula.offset + error.end)
                self.report(error.id, error.message, span, error.hint)
                fine = False
        return fine
