"""Rules before any environment: their patterns, names, properties and comparisons against catalogs, environments, labels and parameters.

A rule is checked once for each type that it is about. What is wrong for all of them is wrong; a property that only some lack is wrong for
those, by name. What a rule asks safely (`has`, `.?`) may be missing from some types, and not from all.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.checking import Checker, constant_comparisons, constantly, never_members
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.scopes import LookupScope
from jovial_scaffold.core.expressions.syntax import Name, Node
from jovial_scaffold.core.expressions.types import ANY, BOOL, STRING, Abstract, Field, Type, settled, type_of_value
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rules.evaluation import CAUSE_KINDS, Verdicts, applies
from jovial_scaffold.core.rules.reading import NAMES, Rule, Ruleset, Taken, values_read
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.schemas.keywords import KEYWORDS
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.fitting import condition_fault
from jovial_scaffold.core.templates.knowledge import Environments, labels_type
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, Named, Template
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Origin, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Sentence, Value, listed, nearest, say

_MAP = frozenset(("map",))
_EFFECT = Type(frozenset(("string",)), ("add", "in_place", "restart", "rebuild", "locked", "rename", "move", "remove"))
_TOUCHED = Type(frozenset(("list",)), items=STRING)
_CAUSES = Type(
    frozenset(("list",)),
    items=Type(
        _MAP,
        fields={
            "kind": Field(Type(frozenset(("string",)), CAUSE_KINDS), True),
            "parameter": Field(STRING, True),
            "file": Field(STRING, True),
            "line": Field(Type(frozenset(("int",))), True),
        },
    ),
)

_OWN = {"name": Field(STRING, True), "module": Field(STRING, True), "description": Field(STRING, False), "writeOnly": Field(BOOL, False)}
_DECLARATION = Type(_MAP, fields={**{each: Field(ANY, False) for each in KEYWORDS}, **_OWN})


class World(NamedTuple):
    """What rules may speak of: the types of the catalogs and those that are `used`, the template and what is known of its outputs, and the
    environments with their labels."""

    catalogs: Catalogs
    used: frozenset[str]
    template: Template
    outputs: Type
    environments: Environments


class _Scope(LookupScope):
    """The names that a rule sees, as far as they are known."""

    def __init__(self, names: Mapping[str, Any], values: Mapping[str, Named], takes: Mapping[str, Taken]) -> None:
        self._names = names
        self._values = values
        self._takes = takes
        self._computing: set[str] = set()

    def value(self, name: str) -> Any:
        """A value or what is known of it. Raises EvaluationError where there is none."""
        if name in self._takes:  # whatever a project gives it
            return Abstract(type_of_schema(self._takes[name].schema))
        named = self._values.get(name)
        if named is None or name in self._computing:
            return self._names.get(name, UNKNOWN)
        self._computing.add(name)
        try:
            return _known(named.value, self)
        finally:
            self._computing.discard(name)


def _known(compiled: Compiled, scope: _Scope) -> Any:
    if isinstance(compiled, Constant):
        return compiled.value
    if isinstance(compiled, Dynamic) and isinstance(compiled.content, Formula):
        try:
            return Checker(scope).check(compiled.content.node, {})
        except (BudgetError, EvaluationError):
            return UNKNOWN
    return Abstract(STRING if isinstance(compiled, Dynamic) else ANY)


class _Seen(NamedTuple):
    """What is wrong with a part of a rule for one type: the error, where its expression stands, and whether it only asks safely."""

    error: EvaluationError
    origin: Origin
    formula: Formula
    safe: bool

    @property
    def key(self) -> tuple[Any, ...]:
        """What makes it the same for two types."""
        return (self.origin.pointer, self.formula.offset, self.error.id, self.error.start, self.safe)

    @property
    def cause(self) -> object:
        """What a person would mend: a field that is missing is missed once, wherever the rule reads it."""
        return self.formula.text[self.error.start : self.error.end] if self.error.id == "field-unknown" else self.key


def check_rules(ruleset: Ruleset, world: World) -> Iterator[tuple[Rule, list[Finding]]]:
    """For each rule of a ruleset, what is wrong with it whatever the environments hold."""
    addresses = _addresses(ruleset, world)
    for rule in ruleset.rules:
        check = _RuleCheck(rule, ruleset, world, addresses)
        yield rule, [*check.patterns(), *check.pair(), *check.parts()]


def idle_rules(rulesets: Sequence[Ruleset], verdicts: Iterable[Verdicts], environments: int) -> Iterator[Finding]:
    """Rules that judged nothing anywhere, although all environments were looked at."""
    judged = {label for each in verdicts for label, _ in each}
    for rule in (rule for ruleset in rulesets for rule in ruleset.rules):
        if rule.label not in judged and rule.over != "effect" and (rule.over != "pair" or environments > 1):
            message = say("The rule `{}` judges nothing: what it is about is in no environment.", rule.name)
            yield Finding("rule-idle", "note", message, rule.origin.key_span(), say("Keep it for what may come, or take it out."))


def parameters_read(rulesets: Sequence[Ruleset]) -> frozenset[str]:
    """The parameters that rules read."""
    found: set[str] = set()
    for ruleset in rulesets:
        named = [each.value for each in ruleset.values.values()]
        for rule in ruleset.rules:
            for part in (rule.where, rule.require, rule.message, rule.fix, *named):
                for formula, _, _ in formulas_of(part):
                    for reference in formula.program.reads:
                        own = reference.name == "parameters" or (reference.name == "self" and rule.over == "parameters")
                        path = reference.path if own else reference.path[1:] if reference.path[:1] == ("parameters",) else ()
                        found.update(map(str, path[:1]))
    return frozenset(found)


class _RuleCheck:
    def __init__(self, rule: Rule, ruleset: Ruleset, world: World, addresses: Type) -> None:
        self.rule = rule
        self.addresses = addresses
        self.values = ruleset.values
        self.takes = ruleset.takes
        self.world = world
        self.constant: dict[Node, set[Any]] = {}
        self.places: dict[Node, tuple[Formula, Origin]] = {}
        self.wheres: list[Any] = []

    # -- what it is about

    def patterns(self) -> Iterator[Finding]:
        """Patterns that no type of the catalogs fits."""
        if self.world.catalogs.types_unknown or self.rule.over not in ("resource", "effect"):
            return
        origin = self.rule.origin.child("applies")
        written = value_at(origin.source.value, origin.pointer)
        for index, each in enumerate(self.rule.applies):
            matches = pattern(each).match
            if not any(matches(kind.id) or matches(kind.name) for kind in self.world.catalogs):
                place = origin.child(index) if isinstance(written, list) else origin
                names = {name for kind in self.world.catalogs for name in (kind.id, kind.name)}
                hint = nearest(each, names, say("`jovial catalog` lists the types."))
                yield Finding("rule-type-unknown", "error", say("No type of the catalogs fits `{}`.", each), place.value_span(), hint)

    def pair(self) -> Iterator[Finding]:
        """Environments of `between` that are not declared."""
        origin = self.rule.origin.child("between")
        for index, name in enumerate(self.rule.between or ()):
            if name not in self.world.environments:
                message = say("There is no environment `{}`.", name)
                hint = nearest(name, self.world.environments, say("The environments are {}.", listed(self.world.environments)))
                yield Finding("environment-unknown", "error", message, origin.child(index).value_span(), hint)

    def kinds(self) -> list[ResourceType | None]:
        """The types that it is checked with: those in use, else all that fit; None where it is about no type."""
        if self.rule.over not in ("resource", "effect"):
            return [None]
        fitting = [kind for kind in self.world.catalogs if applies(self.rule, kind)]
        found = [kind for kind in fitting if kind.id in self.world.used]
        return [*(found or fitting)]

    # -- what it says

    def parts(self) -> Iterator[Finding]:
        """Its conditions and messages, over all types that it is about."""
        kinds = self.kinds()
        seen: dict[tuple[Any, ...], list[tuple[ResourceType | None, _Seen]]] = {}
        for kind in kinds:
            for each in self._of(kind):
                seen.setdefault(each.key, []).append((kind, each))
        said: set[object] = set()
        in_use = any(kind is not None and kind.id in self.world.used for kind in kinds)
        for found in seen.values():
            everywhere, first = len(found) == len(kinds), found[0][1]
            if (everywhere or (in_use and not first.safe)) and first.cause not in said:
                said.add(first.cause)
                yield self._finding(first, [kind for kind, _ in found if kind is not None], everywhere)
        if not said:
            constants = list(self._constants())
            yield from constants
            where = self.rule.where.content if self.rule.where is not None else None
            reads = isinstance(where, Formula) and bool(where.program.reads)
            if not constants and reads and self.rule.where is not None and self.wheres and all(each is False for each in self.wheres):
                message = say("The rule `{}` is about nothing: its `where` is never true.", self.rule.name)
                yield Finding("rule-never", "error", message, self.rule.where.origin.value_span(), say("Correct it, or take the rule out."))

    def _of(self, kind: ResourceType | None) -> Iterator[_Seen]:
        scope = _Scope(self._names(kind), self.values, self.takes)
        rule = self.rule
        if rule.where is not None:
            result: Any = UNKNOWN
            for each in self._condition(rule.where, "where", scope):
                if isinstance(each, _Seen):
                    yield each
                else:
                    result = each
            self.wheres.append(result)
            if result is False:
                return
        for each in self._condition(rule.require, "require", scope):
            if isinstance(each, _Seen):
                yield each
        for formula, origin in self._texts():
            yield from (each for each in self._checked(formula, origin, scope) if isinstance(each, _Seen))

    def _texts(self) -> Iterator[tuple[Formula, Origin]]:
        """The expressions of what the rule says, and of the named values that it reads."""
        rule = self.rule
        named = values_read((rule.where, rule.require, rule.message, rule.fix), self.values)
        for part in (rule.message, rule.fix, *(self.values[name].value for name in named)):
            yield from ((formula, origin) for formula, origin, _ in formulas_of(part))

    def _condition(self, condition: Condition, role: str, scope: _Scope) -> Iterator[Any]:
        """What is wrong with a condition, and, as the last, its result."""
        if not isinstance(condition.content, Formula):
            yield condition.content.value
            return
        for each in self._checked(condition.content, condition.origin, scope):
            if not isinstance(each, _Seen) and each is not UNKNOWN:
                fault = condition_fault(each, role)
                if fault is not None:
                    yield _Seen(fault, condition.origin, condition.content, False)
                    continue
            yield each

    def _checked(self, formula: Formula, origin: Origin, scope: _Scope) -> Iterator[Any]:
        checker = Checker(scope)
        result: Any = UNKNOWN
        try:
            result = checker.check(formula.node, {})
        except BudgetError:
            return
        except EvaluationError as error:
            yield _Seen(error, origin, formula, False)
        else:
            wrong = self._with_items(formula, scope) if checker.problems else None
            if wrong is not None and wrong.id != "field-unknown":
                yield _Seen(wrong, origin, formula, False)
        for missing in checker.never_there:
            yield _Seen(missing, origin, formula, True)
        for problem in checker.problems:
            # These are wrong whether or not the condition before them holds.
            if problem.id == "field-unknown" or any(problem is each for each in checker.never_boolean):
                yield _Seen(problem, origin, formula, False)
        for node, turned_out in checker.comparisons.items():
            self.constant.setdefault(node, set()).add(turned_out if type(turned_out) is bool else None)
            self.places[node] = (formula, origin)
        yield result

    @staticmethod
    def _with_items(formula: Formula, scope: _Scope) -> EvaluationError | None:
        """What goes wrong where the lists and maps that a rule goes over hold something."""
        checker = Checker(scope)
        checker.filled = formula.program.names
        try:
            checker.check(formula.node, {})
        except BudgetError:
            return None
        except EvaluationError as error:
            return error
        return None

    def _finding(self, seen: _Seen, kinds: list[ResourceType], everywhere: bool) -> Finding:
        error, formula = seen.error, seen.formula
        start, end = (error.start, error.end) if error.start >= 0 else (0, len(formula.text.rstrip()))
        span = seen.origin.inner_span(formula.offset + start, formula.offset + end)
        message, hint = error.message, error.hint
        names = listed(kind.id for kind in kinds[:4])
        root = next((each for each in formula.program.reads if each.start <= start < each.chain_end), None)
        if (
            error.id == "field-unknown"
            and root is not None
            and root.name == "self"
            and kinds
            and formula.text[start:end] == str(root.path[0])
        ):
            message = say("{} has no property `{}`.", names, root.path[0])
            hint = nearest(str(root.path[0]), kinds[0].schema.get("properties", {}), hint if everywhere else _NARROW)
        elif not everywhere:
            message = say("{} This is so for {}.", error.message, names)
        return Finding("rule-invalid" if error.id == "field-unknown" else error.id, "error", message, span, hint)

    def _constants(self) -> Iterator[Finding]:
        """Comparisons with a value that the other side never has."""
        for node, literal, other in constant_comparisons(self.constant):
            if self._is_type(other, literal.value):
                continue
            options = self._options(other)
            yield self._never(node, node, constantly(node, literal), str(literal.value), options)
        formulas = {formula.program: (formula, origin) for formula, origin in self.places.values()}
        conditions = [found for part in (self.rule.where, self.rule.require) for found in formulas_of(part)]
        for formula, origin in (*((formula, origin) for formula, origin, _ in conditions), *self._texts()):
            formulas.setdefault(formula.program, (formula, origin))
        for formula, origin in formulas.values():
            for item, other, _ in never_members(formula.node, self._type_of):
                if not self._is_type(other, item.value):
                    self.places[item] = (formula, origin)
                    message = say("What is looked for in this list is never {}.", Value(item.value))
                    yield self._never(item, item, message, str(item.value), self._options(other))

    def _never(self, node: Node, place: Node, message: Sentence, literal: str, options: list[str]) -> Finding:
        """An error where the other side is one of few values, else a warning: a bound of a length says less."""
        formula, origin = self.places[node]
        hint = nearest(literal, options, say("It is one of {}.", listed(options, "or"))) if options else NOTHING
        span = origin.inner_span(formula.offset + place.start, formula.offset + place.end)
        return Finding("comparison-constant", "error" if options else "warning", message, span, hint)

    def _is_type(self, node: Node, value: Any) -> bool:
        """Whether a comparison asks for a type that the catalogs have, if not the resources."""
        return isinstance(node, Name) and node.name == "type" and any(value == kind.id for kind in self.world.catalogs)

    def _type_of(self, node: Node) -> Type:
        if isinstance(node, Name) and node.name == "type":
            return _types(self.world.catalogs)
        for kind in self.kinds()[:1]:
            try:
                return type_of_value(Checker(_Scope(self._names(kind), self.values, self.takes)).check(node, {}))
            except (BudgetError, EvaluationError):
                return ANY
        return ANY

    def _options(self, node: Node) -> list[str]:
        """The texts that an expression can be, where they are few; of `type`, all types of the catalogs."""
        return [each for each in self._type_of(node).options or () if isinstance(each, str)]

    # -- what it sees

    def _names(self, kind: ResourceType | None) -> dict[str, Any]:
        names = {name: Abstract(known) for name, known in self._whole(tuple(self.world.environments)).items()}
        own: dict[str, Any] = {
            "address": Abstract(STRING),
            "effect": Abstract(_EFFECT),
            "touched": Abstract(_TOUCHED),
            "causes": Abstract(_CAUSES),
        }
        if self.rule.over == "pair":
            sides = self.rule.between or (None, None)
            for name, side in zip(("left", "right"), sides, strict=True):
                known = self._whole((side,) if side is not None else tuple(self.world.environments))
                own[name] = Abstract(Type(_MAP, fields={each: Field(type_, True) for each, type_ in known.items()}))
        elif self.rule.over in ("parameters", "outputs"):
            own["self"] = names[self.rule.over]
        elif self.rule.over == "declarations":
            own["self"] = Abstract(_DECLARATION)
        elif kind is not None:
            own["self"] = Abstract(kind.effective)
            own["type"] = kind.id
        own |= {"was": Abstract(ANY), "becomes": Abstract(ANY)}
        return {
            name: settled(each.type) if isinstance(each, Abstract) else each
            for name, each in {**names, **own}.items()
            if name in NAMES[self.rule.over]
        }

    def _whole(self, environments: tuple[str, ...]) -> dict[str, Type]:
        """What a rule sees of an environment that is one of these."""
        template = self.world.template
        open_ = ANY if template.unread else None
        parameters = {name: Field(type_of_schema(each.schema), True) for name, each in template.parameters.items()}
        return {
            "environment": Type(frozenset(("string",)), environments),
            "labels": labels_type([self.world.environments.get(each, {}) for each in environments]),
            "parameters": Type(_MAP, fields=parameters, others=open_),
            "outputs": self.world.outputs,
            "resources": self.addresses,
        }


def _types(catalogs: Catalogs) -> Type:
    """What the type of a resource can be."""
    return STRING if catalogs.types_unknown else Type(frozenset(("string",)), tuple(kind.id for kind in catalogs))


def _addresses(ruleset: Ruleset, world: World) -> Type:
    """The resources by address: those that a template has once are of their types, of others only the form is known. Where no rule looks
    into them, that is all."""
    any_type = _types(world.catalogs)
    found = Type(_MAP, fields={}, others=Type(_MAP, fields={"type": Field(any_type, True), "properties": Field(Type(_MAP), True)}))
    named = [each.value for each in ruleset.values.values()]
    every = [part for rule in ruleset.rules for part in (rule.where, rule.require, rule.message, rule.fix)]
    reads = (each for part in (*every, *named) for formula, _, _ in formulas_of(part) for each in formula.program.reads)
    if not any(each.name == "resources" or each.path[:1] == ("resources",) for each in reads):
        return found
    of_types: dict[str, Type] = {}
    fields = {}
    for name, resource in world.template.resources.items():
        if resource.type is not None and resource.loop is None and resource.module is None:
            if resource.type.id not in of_types:
                properties = Field(resource.type.effective, True)
                of_types[resource.type.id] = Type(_MAP, fields={"type": Field(any_type, True), "properties": properties})
            fields[name] = Field(of_types[resource.type.id], resource.when is None)
    return replace(found, fields=fields)


_NARROW = say("Name the types that have it in `applies`, or ask with has(self.…).")
