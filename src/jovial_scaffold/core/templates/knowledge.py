"""What is known of a template's names before any environment: their types, their sets of values, and the combinations that `must` allows."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from itertools import product
from types import MappingProxyType
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker, Path
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable, join_parts
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.scopes import LookupScope, OwnFunction
from jovial_scaffold.core.expressions.types import ANY, STRING, Abstract, Field, Owner, Type, has_abstract, joined, settled, type_of_value
from jovial_scaffold.core.expressions.values import NONE, Optional, is_bearable
from jovial_scaffold.core.limits import STATIC_COMBINATIONS, STATIC_TRIALS, STATIC_VALUES
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.functions import Functions
from jovial_scaffold.core.templates.model import (
    Compiled,
    Condition,
    Constant,
    Dynamic,
    ListValue,
    Lookup,
    MapValue,
    Module,
    Overlaid,
    Resource,
    Table,
    Template,
    may_be_absent,
)
from jovial_scaffold.core.text.unknown import UNKNOWN

Environments = Mapping[str, Mapping[str, Any]]
"""The environments of a project by name, each with its labels."""


def labels_type(labels: Sequence[Mapping[str, Any]]) -> Type:
    """What is known of the labels of one of some environments."""
    names = dict.fromkeys(str(name) for each in labels for name in each)
    fields = {
        name: Field(joined(type_of_value(each[name]) for each in labels if name in each), all(name in each for each in labels))
        for name in names
    }
    return Type(frozenset(("map",)), fields=fields)


def _context(environments: Environments) -> dict[str, Any]:
    names = tuple(environments)
    return {
        "project": Abstract(STRING),
        "environment": settled(Type(frozenset(("string",)), names)) if names else Abstract(STRING),
        "labels": Abstract(labels_type([*environments.values()]) if names else Type(frozenset(("map",)))),
        "run": {"date": Abstract(STRING), "revision": Abstract(STRING), "author": Abstract(STRING)},
    }


_LEFT_OUT = object()
_DECIDED_ROWS = 60  # in larger tables, which rows a lookup may find is not looked at
_FEW_ROWS = 400  # in larger tables, what a column may hold is not looked at
Assignment = Mapping[str, Any]


class Knowledge:
    """What is known of a template and its modules: a module's outputs have the same types wherever it is used. `environments` are those
    that the project declares, nothing where it has none."""

    def __init__(self, environments: Environments = MappingProxyType({})) -> None:
        self._known: dict[Template, Known] = {}
        self.environments = environments
        self.trials = STATIC_TRIALS.most  #: how many more combinations of values may be tried
        self.context = _context(environments)

    def spend(self) -> bool:
        """Take one trial; whether there was one left."""
        self.trials -= 1
        return self.trials >= 0

    def of(self, template: Template) -> "Known":
        """What is known of one of them; made once."""
        if template not in self._known:
            self._known[template] = Known(template, self)
        return self._known[template]


def is_of_environment(references: Iterable[Reference]) -> bool:
    """Whether the name or the labels of an environment are read."""
    return any(each.name == "context" and each.path[:1] in (("environment",), ("labels",)) for each in references)


def key_of(assignment: Assignment) -> tuple[tuple[str, str], ...]:
    """What is the same of equal assignments: 1, 1.0, true and "1" are four values."""
    return tuple(sorted((name, repr(value)) for name, value in assignment.items()))


class KnownScope(LookupScope):
    """The names of a template under one assignment of finite parameters, and what is `assumed` of the context."""

    def __init__(self, known: "Known", assignment: Assignment, assumed: dict[Path, Any]) -> None:
        self.known = known
        self.assignment = assignment
        self.assumed = assumed
        self.values: dict[str, Any] = {}

    def value(self, name: str) -> Any:
        """A value where it is known, else a mark with its type; unknown where a finding already speaks of it."""
        template = self.known.template
        if name in template.parameters:
            return self.assignment[name] if name in self.assignment else settled(self.known.parameter_types[name])
        if name in template.values:
            if name not in self.values:
                self.values[name] = UNKNOWN  # what reads itself stays unknown
                self.values[name] = self.known.named(template.values[name].value, self)
            return self.values[name]
        if name in template.resources:
            return Abstract(self.known.resource_type(template.resources[name]))
        if name in template.lookups:
            if name not in self.values:
                self.values[name] = UNKNOWN
                self.values[name] = self.looked_up(template.lookups[name])
            return self.values[name]
        if name in template.documents:
            return Abstract(STRING)
        return self.known.knowledge.context if name == "context" else UNKNOWN

    def looked_up(self, lookup: Lookup) -> Any:
        """What is known of the row of a lookup: those that meet it, where that is decided; unknown where none does, which is said there."""
        table, where = lookup.table, lookup.where.content
        if table is None or table.broken or len(table.rows) > _DECIDED_ROWS:
            return self.known.row(table)
        found = []
        for row in table.rows:
            try:
                held = Checker(self, self.assumed).check(where.node, {"row": row}) if isinstance(where, Formula) else where.value
            except EvaluationError:
                return UNKNOWN
            if type(held) is not bool:
                return UNKNOWN if held is UNKNOWN else self.known.row(table)
            if held:
                found.append(row)
        if not found or (len(found) > 1 and lookup.newest is None):
            return UNKNOWN
        return self.known.one_of(table, found)

    def function(self, name: str) -> OwnFunction | None:
        """A function of the template."""
        return self.known.functions.function(name)


class Known:
    """What is known of one template."""

    def __init__(self, template: Template, knowledge: Knowledge) -> None:
        self.template = template
        self.knowledge = knowledge
        self.functions = Functions(template)
        self.parameter_types = {name: type_of_schema(each.schema) for name, each in template.parameters.items()}
        self.finite = {name: known.options for name, known in self.parameter_types.items() if known.options is not None}
        self.rows: dict[str, Any] = {}
        self.shown_fields: dict[Any, Type] = {}
        self.reads: dict[str, frozenset[str]] = {}
        self.contextual: dict[str, bool] = {}  #: whether named values read what differs between environments
        self.scopes: dict[tuple[Any, ...], KnownScope] = {}
        self.resource_types: dict[str, Type] = {}
        self.allowed_cache: dict[tuple[Any, ...], bool] = {}
        self.disregards_must = False  #: whether every value is allowed, as for what is said of those that are not

    def row(self, table: Table | None) -> Any:
        """What is known of the rows of a table: its columns, and the values that they hold."""
        if table is None or table.broken or not table.rows:
            return UNKNOWN
        if table.name not in self.rows:
            self.rows[table.name] = self.one_of(table, table.rows)
        return self.rows[table.name]

    def one_of(self, table: Table, rows: Sequence[Mapping[str, Any]]) -> Abstract:
        """One of some rows of a table."""
        columns: dict[str, list[Any]] = {}
        for row in rows:
            for name, value in row.items():
                columns.setdefault(name, []).append(value)
        fields = {
            name: Field(joined(type_of_value(value) for value in values) if len(values) <= _FEW_ROWS else ANY, len(values) == len(rows))
            for name, values in columns.items()
        }
        for row in table.rows if rows is not table.rows else ():
            for name in row.keys() - fields.keys():
                fields[name] = Field(ANY, False)  # that these rows do not have it is said where it is read
        return Abstract(Type(frozenset(("map",)), fields=fields, owner=Owner("field-unknown", table.name)))

    def assignments(self, names: frozenset[str], every: bool = False) -> Iterator[dict[str, Any]]:
        chosen: dict[str, tuple[Any, ...]] = {}
        total = 1
        for name in sorted(names & self.finite.keys(), key=lambda each: (len(self.finite[each]), each)):
            options = self.finite[name]
            if total * len(options) <= STATIC_COMBINATIONS.most:
                chosen[name] = options
                total *= len(options)
        for values in product(*chosen.values()):
            assignment = dict(zip(chosen, values, strict=True))
            if every or self.allowed(assignment):
                yield assignment

    def allowed(self, assignment: Assignment) -> bool:
        """Whether no `must` is surely false."""
        return self.is_possible and all(self.allows(name, assignment) for name in assignment)

    def allows(self, name: str, assignment: Assignment) -> bool:
        """Whether no `must` that reads one of the parameters is surely false."""
        concerned = self.requirements.get(name)
        if concerned is None or self.disregards_must:
            return True
        key = (name, *key_of(assignment))
        if key not in self.allowed_cache:
            scope = self.scope(assignment)
            self.allowed_cache[key] = all(self.truth(each, scope, {}) is not False for each in concerned)
        return self.allowed_cache[key]

    @cached_property
    def requirements(self) -> dict[str, list[Condition]]:
        """The conditions of `must`, by the parameters that they read."""
        found: dict[str, list[Condition]] = {}
        for condition in self._conditions():
            if isinstance(condition.content, Formula):
                for name in {reference.name for reference in condition.content.program.reads}:
                    found.setdefault(name, []).append(condition)
        return found

    @cached_property
    def is_possible(self) -> bool:
        """Whether no `must` is surely false whatever the parameters are: those that read none of an assignment need no other look."""
        return all(self.truth(each, self.scope({}), {}) is not False for each in self._conditions())

    def rule_out(self) -> None:
        """Take in that no values meet all of them, though each by itself may hold: then nothing can be shown with any."""
        self.is_possible = False

    def _conditions(self) -> list[Condition]:
        own = (each for declaration in self.template.parameters.values() for each in declaration.must)
        return [each.require for each in (*self.template.must, *own)]

    def closure(self, names: list[str]) -> frozenset[str]:
        """The parameters that some names read, directly or through values."""
        found: set[str] = set()
        for name in names:
            if name in self.template.values or name in self.template.lookups:
                if name not in self.reads:
                    self.reads[name] = frozenset()
                    self.reads[name] = self.closure(self.reads_of(name))
                found |= self.reads[name]
            elif name in self.template.parameters:
                found.add(name)
        return frozenset(found)

    def reads_of(self, name: str) -> list[str]:
        """The names that a value or a lookup reads itself."""
        return [reference.name for formula in self.formulas_in(name) for reference in formula.program.reads]

    def formulas_in(self, name: str) -> list[Formula]:
        """The expressions of a value or a lookup."""
        value, lookup = self.template.values.get(name), self.template.lookups.get(name)
        uses = formulas_of(value.value) if value else []
        if lookup:
            uses = formulas_of(lookup.where) + formulas_of(lookup.newest)
        return [formula for formula, _, _ in uses]

    def outputs(self, module: Module) -> Type:
        """What can be read from a use of a module."""
        return self.knowledge.of(module.template).own_outputs()

    def own_outputs(self) -> Type:
        """What can be read from this template."""
        template = self.template
        if template.unread or template.unknown_names:
            return ANY
        fields = {}
        for name, output in template.outputs.items():
            value = self.computed(output.value, self.scope({}), {})
            fields[name] = Field(ANY if value is _LEFT_OUT else type_of_value(value), not may_be_absent(output.value))
        return Type(frozenset(("map",)), fields=fields)

    def scope(self, assignment: Assignment, assumed: Mapping[Path, Any] = MappingProxyType({})) -> KnownScope:
        """The names under an assignment; named values see what is assumed of the context."""
        context = {path: value for path, value in assumed.items() if path[0] == "context"} if assumed else {}
        key = (*key_of(assignment), *sorted(map(repr, context.items())))
        if key not in self.scopes:
            self.scopes[key] = KnownScope(self, dict(assignment), context)
        return self.scopes[key]

    def reads_environment(self, names: Iterable[str]) -> bool:
        """Whether named values read what differs between environments: their names and labels."""
        return any(self._reads_environment(name) for name in names if name in self.template.values or name in self.template.lookups)

    def _reads_environment(self, name: str) -> bool:
        if name not in self.contextual:
            self.contextual[name] = False  # what reads itself is said elsewhere
            reads = [each for formula in self.formulas_in(name) for each in formula.program.reads]
            self.contextual[name] = is_of_environment(reads) or self.reads_environment(each.name for each in reads)
        return self.contextual[name]

    def truth(self, condition: Condition, scope: KnownScope, variables: Mapping[str, Any], assumed: dict[Path, Any] | None = None) -> Any:
        if isinstance(condition.content, Constant):
            return condition.content.value
        try:
            return Checker(scope, scope.assumed if assumed is None else assumed).check(condition.content.node, variables)
        except EvaluationError:
            return None

    def named(self, compiled: Compiled, scope: KnownScope) -> Any:
        """What is known of a `let` value as it is read: an optional where it may be absent, and nothing of one that is very large."""
        value = self._named(compiled, scope)
        return value if is_bearable(value, STATIC_VALUES.most) else Abstract(ANY)

    def _named(self, compiled: Compiled, scope: KnownScope) -> Any:
        if not may_be_absent(compiled):
            return self.computed(compiled, scope, {})
        if isinstance(compiled, Dynamic) and isinstance(compiled.content, Omittable):
            try:
                held = Checker(scope, scope.assumed).check(compiled.content.formula.node, {})
            except EvaluationError:
                return UNKNOWN
            return held if isinstance(held, Optional) or held is UNKNOWN or has_abstract(held) else UNKNOWN
        assert isinstance(compiled, MapValue)
        there = self.truth(compiled.when, scope, {}) if compiled.when else True
        if there is False:
            return NONE
        held = self.computed(replace(compiled, when=None), scope, {})
        if held is UNKNOWN:
            return UNKNOWN
        return Optional(held) if there is True else Abstract(Type(frozenset(("optional_type",)), items=type_of_value(held)))

    def computed(self, compiled: Compiled, scope: KnownScope, variables: Mapping[str, Any]) -> Any:
        """A `let` value under an assignment; its mistakes are said where it stands."""
        if isinstance(compiled, Constant):
            return compiled.value
        if isinstance(compiled, MapValue):
            if compiled.loop is not None:
                return Abstract(ANY)
            if compiled.when is not None and self.truth(compiled.when, scope, variables) is not True:
                return Abstract(ANY)
            entries = {name: self.computed(item, scope, variables) for name, item in compiled.entries}
            return {name: item for name, item in entries.items() if item is not _LEFT_OUT}
        if isinstance(compiled, Overlaid):
            return Abstract(ANY)
        if isinstance(compiled, ListValue):
            if any(isinstance(item, MapValue) and (item.loop or item.when) for item in compiled.items):
                return Abstract(Type(frozenset(("list",))))
            return [item for item in (self.computed(each, scope, variables) for each in compiled.items) if item is not _LEFT_OUT]
        return self._computed_text(compiled.content, scope, variables)

    def _computed_text(self, content: Formula | Joined | Omittable, scope: KnownScope, variables: Mapping[str, Any]) -> Any:
        try:
            if isinstance(content, Formula):
                return Checker(scope, scope.assumed).check(content.node, variables)
            if isinstance(content, Omittable):
                held = Checker(scope, scope.assumed).check(content.formula.node, variables)
                if held is NONE:
                    return _LEFT_OUT
                return held.value if isinstance(held, Optional) else Abstract(ANY)
            parts = [part if isinstance(part, str) else Checker(scope, scope.assumed).check(part.node, variables) for part in content.parts]
        except EvaluationError:
            return UNKNOWN
        if any(part is UNKNOWN for part in parts):
            return UNKNOWN
        if not any(map(has_abstract, parts)):
            try:
                return join_parts(list(zip(content.parts, parts, strict=True)))
            except EvaluationError:
                return UNKNOWN
        shortest = sum(len(part) if isinstance(part, str) else type_of_value(part).shortest for part in parts)
        return Abstract(Type(frozenset(("string",)), shortest=shortest))

    def resource_type(self, resource: Resource) -> Type:
        """What can be read from a resource, by its catalog; of a loop, a map of such."""
        if resource.name not in self.resource_types:
            known = ANY
            if resource.module is not None:
                known = replace(self.outputs(resource.module), owner=Owner("output-unknown", resource.type_text))
            elif resource.type is not None:
                known = self.properties(resource.type, frozenset(name for name, _ in resource.properties.entries))
            if resource.loop is not None:
                known = Type(frozenset(("map",)), fields={}, others=known)
            self.resource_types[resource.name] = known
        return self.resource_types[resource.name]

    def properties(self, kind: ResourceType, written: frozenset[str]) -> Type:
        """What can be read from a resource that writes some properties; found once for all that write the same."""
        key = (kind.id, written)
        if key not in self.shown_fields:
            fields = {}
            for name, schema in kind.schema.get("properties", {}).items():
                if (kind.id, name) not in self.shown_fields:
                    known = type_of_schema(schema, kind.schema)
                    shape = kind.shape.properties.get(name)
                    if shape is not None and shape.read_only and known.refers is None:
                        known = replace(known, refers=frozenset((f"{kind.name.rpartition('.')[2]}:{name}",)))
                    self.shown_fields[kind.id, name] = known
                # Fields that nobody sets are found missing when they are read; here they only have their type.
                fields[name] = Field(self.shown_fields[kind.id, name], name in written or name in kind.shape.properties)
            open_ended = kind.schema.get("additionalProperties", True) is not False
            owner = Owner("property-unknown", kind.id)
            self.shown_fields[key] = Type(frozenset(("map",)), fields=fields, others=ANY if open_ended else None, owner=owner)
        return self.shown_fields[key]
