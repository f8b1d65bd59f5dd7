"""A template before any environment: every expression checked with the types of what it reads, and with each value of finite sets.

A finding is an error only where no value at all fits, or where a witness was found: values from the declared sets, allowed by `must` and
`$when`, with which evaluating really fails. What may fail behind an unknown condition is a warning; what may fit is left in silence.
"""

import re
from collections.abc import Sequence
from functools import partial
from types import MappingProxyType
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.syntax import Operation
from jovial_scaffold.core.expressions.types import ANY, Abstract, Type, type_of_value, type_of_values
from jovial_scaffold.core.expressions.values import NONE, Optional
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import STATIC_TRIALS
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.templates.advice import advice
from jovial_scaffold.core.templates.compiling import default_part, formulas_of, reads_nothing_of, written_span
from jovial_scaffold.core.templates.expression_check import ExpressionCheck
from jovial_scaffold.core.templates.families import Families
from jovial_scaffold.core.templates.fitting import PropertyPlace, condition_fault, omittable_fault, text_fault
from jovial_scaffold.core.templates.knowledge import Environments, Knowledge, Known
from jovial_scaffold.core.templates.mistakes import ELSEWHERE, Outcome, Place
from jovial_scaffold.core.templates.model import (
    Compiled,
    Condition,
    Constant,
    Declaration,
    Document,
    Dynamic,
    Function,
    ListValue,
    Lookup,
    MapValue,
    Overlaid,
    Requirement,
    Resource,
    Template,
)
from jovial_scaffold.core.templates.properties import as_far_as_written
from jovial_scaffold.core.templates.requirements import never_met
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Amount, say


def check_expressions(templates: Sequence[Template], environments: Environments = MappingProxyType({})) -> list[Finding]:
    """All that is wrong with the expressions of a template and its modules whatever the parameters will be, in `environments` that are declared
    with their labels."""
    knowledge = Knowledge(environments)
    findings = [finding for template in templates for finding in _TypeCheck(knowledge.of(template)).run()]
    if knowledge.trials < 0 and templates:
        message = say(
            "Not all values that expressions may read were tried: there are more than {} {}.",
            Amount(STATIC_TRIALS.most),
            STATIC_TRIALS.unit,
        )
        hint = say("What comes about in an environment is found all the same.")
        findings.append(Finding(STATIC_TRIALS.finding, "note", message, templates[0].origin.value_span(), hint))
    return findings


def static_scope(template: Template) -> Scope:
    """The names of a template with their types, no environment chosen."""
    return Knowledge().of(template).scope({})


class _TypeCheck:
    def __init__(self, known: Known) -> None:
        self.known = known
        self.template = known.template
        self.expressions = ExpressionCheck(known)
        self.findings = self.expressions.findings
        self.fitting = self.expressions.fitting
        self.texts = self.expressions.texts
        self.families = Families(known, self.fitting, self.texts, self.expressions.conditional, self.is_quiet)
        self.expressions.families = self.families

    def run(self) -> list[Finding]:
        if self.template.unread:
            return []
        for function in self.template.functions.values():
            self.own_function(function)
        later = self.template.later_names
        for declaration in self.template.parameters.values():
            default = declaration.default
            if not reads_nothing_of(later, default):
                continue  # which is said of the names
            if isinstance(default, Dynamic) and isinstance(default.content, Formula):
                place = _declared(declaration.name, declaration.schema, "default")
                self.expressions.formula(default.content, default.origin, Place(), partial(self.declared_faults, place, id="default"))
            elif default is not None:
                self.default(declaration, default)
        requirements = [*self.template.must, *(each for d in self.template.parameters.values() for each in d.must)]
        requirements = [each for each in requirements if reads_nothing_of(later, each.require, each.message)]
        sound = [requirement for requirement in requirements if self.requirement(requirement)]
        contradictions = list(never_met(self.known))
        self.expressions.probes.clear()
        if contradictions:
            self.known.rule_out()
        else:
            self.refusals(sound)
        self.findings += contradictions
        for value in self.template.values.values():
            self.value(value.value, Place())
        for lookup in self.template.lookups.values():
            self.lookup(lookup)
        for resource in self.template.resources.values():
            self.resource(resource)
        for document in self.template.documents.values():
            self.document(document)
        for output in self.template.outputs.values():
            self.value(output.value, Place())
        return self.findings

    # -- walking

    def default(self, declaration: Declaration, default: Compiled) -> None:
        """A default that is more than one expression: what is written out, and each expression in it."""
        place, said = _declared(declaration.name, declaration.schema, "default"), len(self.findings)
        self.value(default, Place(property=place))
        found = [replace(each, id=re.sub("^property-", "default-", each.id)) for each in self.findings[said:]]
        # One without expressions was judged where it was read.
        validator = self.fitting.validator(place) if isinstance(default, MapValue | ListValue) and formulas_of(default) else None
        if validator is not None and not self.fitting.is_secret(place):
            written, open_parts = as_far_as_written(default)
            for violation in validator.violations(written):
                if violation.pointer not in open_parts:
                    message = violation.message.about(default_part(declaration.name, violation.pointer))
                    span = written_span(default, violation.pointer)
                    found.append(Finding(f"default-{violation.id}", "error", message, span, violation.hint))
        self.findings[said:] = found

    def own_function(self, function: Function) -> None:
        """The body of a function, with arguments of which the types are known."""
        names = {name: Abstract(type_of_schema(schema)) for name, schema in function.takes.items()}
        content = function.body.content
        if isinstance(content, Formula):
            gives = _declared(function.name, function.gives, "result") if function.gives else ELSEWHERE
            said = len(self.findings)
            self.expressions.formula(
                content, function.body.origin, Place(names=names), lambda result: self.declared_faults(gives, result, "function-result")
            )
            if any(each.level == "error" for each in self.findings[said:]):
                self.expressions.broken.add(function.body.origin)

    def declared_faults(self, place: PropertyPlace, result: Any, id: str) -> list[EvaluationError]:
        """What a declaration says against a result, under the id that the same mistake has once values are there."""
        faults = self.fitting.faults(place, result) if place.schema is not None else []
        for fault in faults:
            fault.id = f"{id}{fault.id.removeprefix('property')}" if id == "default" else id
            if id != "default":
                fault.message = fault.message.reworded(" takes ", " is declared as ")
        return faults

    def lookup(self, lookup: Lookup) -> None:
        """The conditions of a lookup, with the columns of its table."""
        place = Place(names={"row": self.known.row(lookup.table)})
        if isinstance(lookup.where.content, Formula):
            self.expressions.formula(
                lookup.where.content, lookup.where.origin, place, lambda result: condition_fault(result, "where"), comparing=False
            )
        if lookup.newest is not None and isinstance(lookup.newest.content, Formula):
            self.expressions.formula(lookup.newest.content, lookup.newest.origin, place, lambda result: None, comparing=False)

    def document(self, document: Document) -> None:
        """The placeholders of a document, and where it is written."""
        names: dict[str, Any] = {}
        for name, compiled in (document.narrowed or {}).items():
            self.value(compiled, Place())
            names[name] = self.known.computed(compiled, self.known.scope({}), {})
        if document.to is not None:
            self.value(document.to, Place())
        for each in document.placeholders:
            if each.otherwise is None and each.complaint is None:
                fault = (lambda result: None) if each.place == "value" else text_fault
                self.expressions.formula(each.formula, document.file, Place(names=names), fault)

    def resource(self, resource: Resource) -> None:
        loops = (resource.loop,) if resource.loop else ()
        place = Place(resource.name, 2, loops)
        if resource.loop:
            self.condition(resource.loop.over, Place(resource.name, 2), "loop" if resource.key else "items")
        if resource.keep is not None:
            self.condition(resource.keep, Place(resource.name, 2), "$keep")
        if resource.when:
            self.condition(resource.when, place, "$when")
            place = place._replace(conditions=(resource.when,))
        if resource.key:
            self.condition(resource.key, place, "key")
        quiet = self.families.quiet(resource)
        for name, compiled in resource.properties.entries:
            if type(compiled) is not Constant and name not in quiet:
                self.value(compiled, place._replace(property=self.fitting.place(resource.type, name)))

    def is_quiet(self, resource: Resource, name: str, compiled: Compiled, there: bool) -> bool:
        """Whether nothing is wrong with a property, wherever it stands; `there` says whether every resource that it reads is there."""
        said, trials = len(self.findings), self.known.knowledge.trials
        self.value(compiled, Place(resource.name, 2, property=self.fitting.place(resource.type, name), there=there))
        if len(self.findings) == said:
            return True
        del self.findings[said:]
        self.known.knowledge.trials = trials  # it is looked at again, where it stands
        return False

    def value(self, compiled: Compiled, place: Place) -> None:
        if isinstance(compiled, Dynamic):
            self.dynamic(compiled, place)
        elif isinstance(compiled, MapValue):
            inner = place
            if compiled.loop:
                self.condition(compiled.loop.over, inner, "loop")
                inner = inner._replace(loops=(*inner.loops, compiled.loop))
            if compiled.when:
                self.condition(compiled.when, inner, "$when")
                inner = inner._replace(conditions=(*inner.conditions, compiled.when))
            for name, item in compiled.entries:
                if type(item) is not Constant:
                    self.value(item, inner.below(name))
        elif isinstance(compiled, ListValue):
            for index, item in enumerate(compiled.items):
                if type(item) is not Constant:
                    self.value(item, place.below(index))
        elif isinstance(compiled, Overlaid):
            self.value(compiled.own, place)
            self.value(compiled.base, place._replace(loops=()))

    def requirement(self, requirement: Requirement) -> bool:
        """A `must` is judged in combinations that every `must` allows; whether nothing is wrong with it."""
        content, origin = requirement.require.content, requirement.require.origin
        said = len(self.findings)
        if isinstance(content, Formula):
            self.expressions.formula(
                content, origin, Place(), lambda result: condition_fault(result, "require"), comparing=False, role="require"
            )
        return len(self.findings) == said

    def refusals(self, requirements: Sequence[Requirement]) -> None:
        """What conditions compare, and their messages, for which there are the combinations that some `must` does not allow."""
        self.known.disregards_must = True
        self.expressions.forget()
        for requirement in requirements:
            content = requirement.require.content
            if isinstance(content, Formula):
                self.expressions.comparisons(content, requirement.require.origin, Place(), self.compared(content))
                otherwise = Formula(Program(Operation(0, 0, "!", (content.node,), 0)), content.text, content.offset)
                self.value(requirement.message, Place(conditions=(Condition(otherwise, requirement.require.origin),)))
        self.known.disregards_must = False
        self.expressions.forget()

    def compared(self, formula: Formula) -> Outcome:
        """What the comparisons of a condition turn out to be."""
        outcome = Outcome()
        for assignment in self.known.assignments(self.known.closure([each.name for each in formula.program.reads])):
            checker = Checker(self.known.scope(assignment))
            try:
                checker.check(formula.node, {})
            except (BudgetError, EvaluationError):
                continue
            for node, turned_out in checker.comparisons.items():
                outcome.comparisons.setdefault(node, set()).add(turned_out if type(turned_out) is bool else None)
        return outcome

    def constant_condition(self, condition: Condition, place: Place, role: str) -> None:
        """A key that holds an expression and has a value instead, which may be of the wrong type."""
        value = condition.content.value if isinstance(condition.content, Constant) else UNKNOWN
        fault = condition_fault(value, role) if value is not UNKNOWN else None
        if fault is not None:
            pointer = pointer_text(condition.origin.pointer[place.prefix :]) if place.address else ""
            span = condition.origin.value_span()
            self.findings.append(Finding(fault.id, "error", fault.message, span, fault.hint, place.address, pointer))

    def condition(self, condition: Condition, place: Place, role: str) -> None:
        if not isinstance(condition.content, Formula):
            self.constant_condition(condition, place, role)
            return
        said = len(self.findings)
        text = condition.content.text.strip()
        outcome = self.expressions.formula(
            condition.content, condition.origin, place, lambda result: condition_fault(result, role, text), role=role
        )
        reads_something = bool(condition.content.program.names)
        if role == "$when" and reads_something and outcome.results and len(self.findings) == said:
            for constant, identity, words in ((True, "condition-always", "always true"), (False, "condition-never", "never true")):
                if all(result is constant for result in outcome.results):
                    message = say("This condition is {}, whatever the parameters are.", words)
                    hint = say("Leave it out.") if constant else say("What it guards is never there; remove it, or correct the condition.")
                    self.findings.append(Finding(identity, "warning", message, condition.origin.value_span(), hint, place.address))

    def dynamic(self, compiled: Dynamic, place: Place) -> None:
        content = compiled.content
        if isinstance(content, Formula):
            self.expressions.formula(content, compiled.origin, place, lambda result: self.fitting.faults(place.property, result))
        elif isinstance(content, Omittable):
            self.expressions.formula(content.formula, compiled.origin, place, partial(self.omittable_faults, place), role="omittable")
        elif isinstance(content, Joined):
            # What is joined has only to be a text, whatever property it is put in.
            joined_place = place._replace(property=ELSEWHERE)
            said = len(self.findings)
            known = True
            parts: list[str | Type] = []
            for part in content.parts:
                if isinstance(part, str):
                    parts.append(part)
                elif isinstance(part, Formula):
                    results = self.expressions.formula(part, compiled.origin, joined_place, text_fault, role="text").results
                    known = known and not any(each is UNKNOWN for each in results)
                    parts.append(type_of_values(results) if results else ANY)
            judged = known and place.property.schema is not None and len(self.findings) == said
            never = (
                self.fitting.never([part if isinstance(part, str) else None for part in content.parts], place.property) if judged else None
            )
            if never is not None:
                pointer = pointer_text(compiled.origin.pointer[place.prefix :]) if place.address else ""
                span = compiled.origin.value_span()
                hint = advice(never.id.removeprefix("property-"), compiled)
                self.findings.append(Finding(never.id, "error", never.message, span, hint, place.address, pointer))
                return
            seen = bool(place.names or place.loops)  # variables, which are no names of the template
            certain = judged and self.fitting.takes_joined(parts, place.property)
            if judged and not certain and (seen or not self.texts.fits(content, place.property)):
                whole = self.texts.formula(content)
                self.expressions.formula(whole, compiled.origin, place, partial(self.joined_faults, compiled, place), False, "joined")

    def joined_faults(self, compiled: Dynamic, place: Place, result: Any) -> list[EvaluationError]:
        """What is wrong with a text that is joined, with what its way of writing tells."""
        faults = self.fitting.faults(place.property, result)
        for fault in faults:
            fault.hint = advice(fault.id.removeprefix("property-"), compiled) or fault.hint
        return faults

    def omittable_faults(self, place: Place, result: Any) -> list[EvaluationError]:
        """What is wrong with the optional of `${?…}`, or with what it may hold."""
        fault = omittable_fault(result)
        if fault is not None:
            return [fault]
        known = type_of_value(result)
        if result is NONE or not known.is_only("optional_type") or known.items is None:
            return []
        return self.fitting.faults(place.property, result.value if isinstance(result, Optional) else Abstract(known.items))


def _declared(name: str, schema: dict[str, Any], role: str) -> PropertyPlace:
    """A declaration's schema as that of a property of the same name."""
    whole = {"properties": {name: schema}, "types": schema.get("types", {})}
    return PropertyPlace(whole, f"{role} {name}", (name,))
