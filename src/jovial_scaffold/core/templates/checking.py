"""A template before any environment: every expression checked with the types of what it reads, and with each value of finite sets.

A finding is an error only where no value at all fits, or where a witness was found: values from the declared sets, allowed by `must` and
`$when`, with which evaluating really fails. What may fail behind an unknown condition is a warning; what may fit is left in silence.

It is long because each place of a template that holds an expression has its check here.
"""

import re
from collections.abc import Iterator, Sequence
from functools import partial
from itertools import islice
from types import MappingProxyType
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker, Path, constant_comparisons, constantly, never_members
from jovial_scaffold.core.expressions.errors import UNDECLARED, BudgetError, EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.references import references
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.syntax import Node, Operation
from jovial_scaffold.core.expressions.types import ANY, Abstract, Type, has_abstract, type_of_value, type_of_values
from jovial_scaffold.core.expressions.values import NONE, Optional
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.limits import FEW_COMBINATIONS, STATIC_COMBINATIONS, STATIC_TRIALS
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.templates import lacking
from jovial_scaffold.core.templates.absences import Without, what_is_false
from jovial_scaffold.core.templates.advice import advice
from jovial_scaffold.core.templates.around import Around, is_held, names_read
from jovial_scaffold.core.templates.compiling import default_part, formulas_of, reads_nothing_of, written_span
from jovial_scaffold.core.templates.families import Families, same_program
from jovial_scaffold.core.templates.fitting import Fitting, PropertyPlace, condition_fault, omittable_fault, text_fault
from jovial_scaffold.core.templates.joined_texts import JoinedTexts
from jovial_scaffold.core.templates.knowledge import Assignment, Environments, Knowledge, Known
from jovial_scaffold.core.templates.mistakes import ELSEWHERE, Mistake, Outcome, Place, findings_of
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
from jovial_scaffold.core.templates.probing import Probes
from jovial_scaffold.core.templates.properties import as_far_as_written, check_properties
from jovial_scaffold.core.templates.requirements import never_met
from jovial_scaffold.core.templates.selecting import leaf_of
from jovial_scaffold.core.templates.trials import Acceptance, Choices, literals
from jovial_scaffold.core.text.source import Origin, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Amount, Value, listed, nearest, say, together

_SHAPE_TRIALS = 300  # of expressions that differ in constants only
_FEW_TRIALS = 8  # of each of those that come after them
_WANTED: dict[str, tuple[str, ...]] = {
    **dict.fromkeys(("$when", "require", "where"), ("bool",)),
    "loop": ("list", "map"),
    "key": ("string", "int"),
    "text": ("string", "bool", "int", "double", "uint"),
}
"""What a result has to be, by the role of its place."""


def check_templates(templates: Sequence[Template], environments: Environments = MappingProxyType({})) -> list[Finding]:
    """All that is wrong with a template and its modules whatever the parameters will be, in `environments` that are declared with their
    labels: expressions, and properties by their types."""
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
        self.sound: dict[tuple[Any, ...], Outcome] = {}
        self.outcomes: dict[tuple[Any, ...], Outcome] = {}
        self.broken: set[Origin] = set()  # the bodies of functions with mistakes of their own
        #: resources that may be absent as a whole, and what is false where they are
        self.conditional = frozenset(
            name
            for name, each in self.template.resources.items()
            if each.when is not None and each.loop is None and isinstance(each.when.content, Formula)
        )
        self.false_where_absent: dict[str, tuple[list[Node], frozenset[str]]] = {}
        self.fitting = Fitting()
        self.acceptance = Acceptance(known)
        self.texts = JoinedTexts(known, self.fitting)
        self.families = Families(known, self.fitting, self.texts, self.conditional, self.is_quiet)
        self.lacking = lacking.Lacking(known)
        self.around = Around(known)
        self.filled: frozenset[str] = frozenset()  #: names whose lists and maps are taken to hold something
        self.shape_trials: dict[tuple[Any, ...], int] = {}
        self.probes = Probes(known)
        self.fits: dict[tuple[Any, ...], bool] = {}  #: whether a result fits a place
        self.findings: list[Finding] = []

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
                self.formula(default.content, default.origin, Place(), partial(self.declared_faults, place, id="default"))
            elif default is not None:
                self.default(declaration, default)
        requirements = [*self.template.must, *(each for d in self.template.parameters.values() for each in d.must)]
        requirements = [each for each in requirements if reads_nothing_of(later, each.require, each.message)]
        sound = [requirement for requirement in requirements if self.requirement(requirement)]
        contradictions = list(never_met(self.known))
        self.probes.clear()
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
            if not self.families.is_written_well(resource, lambda each: not any(True for _ in check_properties(each))):
                self.findings += check_properties(resource)
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
            self.formula(
                content, function.body.origin, Place(names=names), lambda result: self.declared_faults(gives, result, "function-result")
            )
            if any(each.level == "error" for each in self.findings[said:]):
                self.broken.add(function.body.origin)

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
            self.formula(lookup.where.content, lookup.where.origin, place, lambda result: condition_fault(result, "where"), comparing=False)
        if lookup.newest is not None and isinstance(lookup.newest.content, Formula):
            self.formula(lookup.newest.content, lookup.newest.origin, place, lambda result: None, comparing=False)

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
                self.formula(each.formula, document.file, Place(names=names), fault)

    def resource(self, resource: Resource) -> None:
        loops = (resource.loop,) if resource.loop else ()
        place = Place(resource.name, 2, loops)
        if resource.loop:
            self.condition(resource.loop.over, Place(resource.name, 2), "loop" if resource.key else "items")
        if resource.when:
            self.condition(resource.when, place, "$when")
            place = place._replace(conditions=(resource.when,))
        if resource.key:
            self.condition(resource.key, place, "key")
        quiet = self.families.quiet(resource)
        for name, compiled in resource.properties.entries:
            if type(compiled) is not Constant and name not in quiet:
                self.value(compiled, place._replace(property=_property(resource, name)))

    def is_quiet(self, resource: Resource, name: str, compiled: Compiled, there: bool) -> bool:
        """Whether nothing is wrong with a property, wherever it stands; `there` says whether every resource that it reads is there."""
        said, trials = len(self.findings), self.known.knowledge.trials
        self.value(compiled, Place(resource.name, 2, property=_property(resource, name), there=there))
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
            self.formula(content, origin, Place(), lambda result: condition_fault(result, "require"), comparing=False, role="require")
        return len(self.findings) == said

    def refusals(self, requirements: Sequence[Requirement]) -> None:
        """What conditions compare, and their messages, for which there are the combinations that some `must` does not allow."""
        self.known.disregards_must = True
        self.probes.clear()
        for requirement in requirements:
            content = requirement.require.content
            if isinstance(content, Formula):
                self.comparisons(content, requirement.require.origin, Place(), self.compared(content))
                otherwise = Formula(Program(Operation(0, 0, "!", (content.node,), 0)), content.text, content.offset)
                self.value(requirement.message, Place(conditions=(Condition(otherwise, requirement.require.origin),)))
        self.known.disregards_must = False
        self.probes.clear()
        self.sound.clear()
        self.outcomes.clear()

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
        outcome = self.formula(condition.content, condition.origin, place, lambda result: condition_fault(result, role, text), role=role)
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
            self.formula(content, compiled.origin, place, lambda result: self.fitting.faults(place.property, result))
        elif isinstance(content, Omittable):
            self.formula(content.formula, compiled.origin, place, partial(self.omittable_faults, place), role="omittable")
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
                    results = self.formula(part, compiled.origin, joined_place, text_fault, role="text").results
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
                self.formula(whole, compiled.origin, place, partial(self.joined_faults, compiled, place), False, "joined")

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

    # -- one expression

    def formula(self, formula: Formula, origin: Origin, place: Place, judge: Any, comparing: bool = True, role: str = "") -> Outcome:
        """Evaluate an expression for each combination of the finite values that it reads, and report what went wrong."""
        probed = self.probed(formula, place, judge, role)
        if probed is not None:
            return probed
        around = _around(place)
        if around is not None:
            # The same expression in the same property of many resources is looked at once, as long as nothing is wrong with it.
            key = (self.kind_of(formula, place.there), place.property.type_id, place.property.pointer, role, around)
            if key in self.sound:
                return self.sound[key]
            said = len(self.findings)
            if place.conditions:
                # What is right wherever it stands is right behind a condition, too; most conditions are of one resource only.
                bare = place._replace(conditions=(), there=self.are_there(formula, place))
                outcome = self.formula(formula, origin, bare, judge, comparing, role)
                if len(self.findings) == said or self.is_always_wrong(formula, outcome, place.conditions):
                    return outcome
                del self.findings[said:]
            outcome = self.judged(formula, origin, place, judge, comparing, role)
            if len(self.findings) == said and not outcome.mistakes:
                self.sound[key] = outcome
            return outcome
        return self.judged(formula, origin, place, judge, comparing, role)

    def probed(self, formula: Formula, place: Place, judge: Any, role: str) -> Outcome | None:
        """What comes of an expression with which nothing is wrong, wherever it stands; None where that cannot be told quickly."""
        if place.loops or place.names or role == "omittable":
            return None
        results = self.probes.results(formula)
        if results is None:
            return None
        for result in dict.fromkeys([(type(each), each) for each in results]):
            key = (place.property.type_id, place.property.pointer, role, result)
            if key not in self.fits:
                self.fits[key] = not judge(result[1])
            if not self.fits[key]:
                return None
        return Outcome(len(results), results=results)

    def is_always_wrong(self, formula: Formula, outcome: Outcome, conditions: tuple[Condition, ...]) -> bool:
        """Whether a mistake comes about wherever the only condition around it holds, as it does for some values. Whether a resource is there
        to be read may hang on the condition."""
        if len(conditions) != 1 or not outcome.mistakes or self.acceptance.is_asked:
            return False
        if not formula.program.names <= self.template.parameters.keys():
            return False
        if not all(each.sure and each.times >= outcome.tried for each in outcome.mistakes.values()):
            return False
        content = conditions[0].content
        return isinstance(content, Formula) and self.probes.can_hold(content)

    def are_there(self, formula: Formula, place: Place) -> bool:
        """Whether an expression reads resources that may be absent, and the condition of each is around it."""
        read = formula.program.names & self.conditional
        return bool(read) and all(self.is_there(self.template.resources[name], place) for name in read)

    def is_there(self, resource: Resource, place: Place) -> bool:
        """Whether a resource that may be absent is there at a place, since its condition holds there."""
        return place.there or any(same_program(each, resource.when) for each in place.conditions)

    def kind_of(self, formula: Formula, there: bool) -> Any:
        """What makes two expressions alike: that they are the same, or read the same field of resources that are alike."""
        read = formula.program.only_read
        return (self.families.field_of(*read, there) if read is not None else None) or formula.program

    def judged(self, formula: Formula, origin: Origin, place: Place, judge: Any, comparing: bool, role: str) -> Outcome:
        """All values that an expression may read are tried where they are few. Else its types are judged, and values only where those leave a
        doubt: those first that the expression speaks of itself, until one fails."""
        around = _around(place)
        key = (formula.program, place.property.type_id, place.property.pointer, role, around)
        outcome = self.outcomes.get(key) if around is not None else None
        if outcome is None:
            outcome = self.turned_out(formula, place, judge, role)
            if around is not None:  # else it hangs on names that the key does not tell
                self.outcomes[key] = outcome
        self.findings += findings_of(outcome, formula, origin, place)
        if comparing and not outcome.mistakes:
            self.comparisons(formula, origin, place, outcome)
        return outcome

    def turned_out(self, formula: Formula, place: Place, judge: Any, role: str) -> Outcome:
        """What comes of an expression, whatever is said of it."""
        choices = self.around.choices(formula, place)
        if choices.count <= FEW_COMBINATIONS.most:
            outcome = Outcome()
            for assignment, assumed in choices.each():
                self.tried(outcome, formula, place, judge, assignment, assumed)
        else:
            outcome = self.searched(formula, place, judge, role, choices)
        for resource, absent in self.absent_reads(formula, place):
            if absent[1] and outcome.mistakes and self.is_never_beside(resource, formula, place):
                outcome.mistakes.clear()  # nothing ever comes of reading it
            self.note(outcome, *absent)
        indexes = {loop.variables[0] for loop in place.loops if len(loop.variables) == 2}
        if not outcome.mistakes and not indexes.isdisjoint(formula.program.names):
            self.in_first_round(outcome, formula, place, judge, choices)
        if outcome.lacking and not outcome.mistakes:
            self.tried_without(outcome, formula, place)
        if outcome.mistakes and not any(each.sure for each in outcome.mistakes.values()):
            self.tried_filled(outcome, formula, place, judge, choices)
        return outcome

    def in_first_round(self, outcome: Outcome, formula: Formula, place: Place, judge: Any, choices: Choices) -> None:
        """Try an expression where the positions of lists are 0: each loop that has rounds has that one."""
        self.around.first_round = True
        results = len(outcome.results)
        for assignment, assumed in islice(choices.each(), FEW_COMBINATIONS.most):
            self.tried(outcome, formula, place, judge, assignment, assumed)
        del outcome.results[results:]
        self.around.first_round = False

    def tried_filled(self, outcome: Outcome, formula: Formula, place: Place, judge: Any, choices: Choices) -> None:
        """Try an expression where the lists and maps of parameters hold something: what may go wrong in a macro does, then."""
        self.filled = frozenset((*self.template.parameters, *(name for loop in place.loops for name in loop.variables)))
        trial = Outcome()
        for assignment, assumed in islice(choices.each(), FEW_COMBINATIONS.most):
            checker = self.tried(trial, formula, place, judge, assignment, assumed)
            for key, mistake in trial.mistakes.items():
                known = outcome.mistakes.get(key)
                if mistake.sure and known is not None and not known.sure and checker is not None:
                    held = listed(say("`{}`", each) for each in checker.gone_over)
                    words = say("It comes about where {} holds anything.", held) if len(checker.gone_over) == 1 else NOTHING
                    # The error may be the one of a function, whoever calls it.
                    error = mistake.error.with_hint(together(words, mistake.error.hint))
                    outcome.mistakes[key] = replace(mistake, error=error, times=known.times)
        self.filled = frozenset()

    def tried_without(self, outcome: Outcome, formula: Formula, place: Place) -> None:
        """Look for values of parameters that lack what an expression reads."""
        names = [*names_read(formula, place)]
        for assignment, assumed in self.lacking.trials(names, self.around.choices(formula, place)):
            if not self.known.knowledge.spend():
                return
            if self.around.reached(place, assignment, assumed) is not True:
                continue
            scope = self.known.scope(assignment, assumed)
            checker = Checker(scope, assumed)
            variables = self.around.variables(place, scope, Checker(scope, assumed))
            if variables is None:
                continue
            outcome.tried += 1
            try:
                checker.check(formula.node, variables)
            except BudgetError:
                return
            except EvaluationError as error:
                found, sure = [error], True
            else:
                found, sure = checker.problems, False  # behind a condition of which nothing is known
            for each in found:
                if each.id == "key-missing" and each.start in outcome.lacking and self.acceptance.accepts(assignment, assumed):
                    self.note(outcome, each, sure, assignment, assumed)
                    if sure:
                        return

    def searched(self, formula: Formula, place: Place, judge: Any, role: str, choices: Choices) -> Outcome:
        """What comes of an expression that reads very many combinations of values."""
        outcome = Outcome()
        checker = self.tried(outcome, formula, place, judge, {}, {})
        if any(mistake.sure for mistake in outcome.mistakes.values()):
            return outcome
        unsure, outcome.mistakes = outcome.mistakes, {}
        doubtful = bool(unsure) or (checker is not None and checker.doubtful)
        if not doubtful and self.around.choices(formula, place._replace(conditions=())).count < 2:
            return outcome  # whatever holds around it, it gives the same
        if not doubtful and all(self.is_certain(place, role, result) for result in outcome.results):
            return outcome
        # Of very many that differ in constants only, the first are tried as far as it goes, and the others with a few values.
        alike = self.texts.shapes.get(formula.program, formula.program.shape)
        shape = (alike, place.property.type_id, place.property.pointer, role)
        left = self.shape_trials.get(shape, _SHAPE_TRIALS)
        for assignment, assumed in islice(
            choices.each(literals(formula, place.conditions)), STATIC_COMBINATIONS.most if left > 0 else _FEW_TRIALS
        ):
            left -= 1
            if not self.known.knowledge.spend():
                break
            self.tried(outcome, formula, place, judge, assignment, assumed)
            if any(mistake.sure for mistake in outcome.mistakes.values()):
                break
        self.shape_trials[shape] = left
        # What was seen in no trial is not said: whether it comes about is not known.
        outcome.results = outcome.results[:1]
        return outcome

    def is_certain(self, place: Place, role: str, result: Any) -> bool:
        """Whether a result fits its place whatever it turns out to be."""
        if result is UNKNOWN or not has_abstract(result):
            return True  # then it was judged as it is
        known = type_of_value(result)
        if role == "items":  # which are their own keys
            return known.is_only("map") or (known.is_only("list") and known.items is not None and known.items.is_only("string", "int"))
        wanted = _WANTED.get(role)
        if wanted is not None:
            return known.is_only(*wanted)
        if role == "omittable":
            return known.is_only("optional_type") and known.items is not None and self.fitting.is_certain(place.property, known.items)
        return self.fitting.is_certain(place.property, known)

    def tried(
        self, outcome: Outcome, formula: Formula, place: Place, judge: Any, assignment: Assignment, assumed: dict[Path, Any]
    ) -> Checker | None:
        """Check an expression with some values; the checker, where it is reached."""
        sure = self.around.reached(place, assignment, assumed)
        if sure is False:
            return None
        scope = self.known.scope(assignment, assumed)
        checker = Checker(scope, assumed)
        checker.filled = self.filled
        try:
            variables = self.around.variables(place, scope, Checker(scope, assumed))
            if variables is None:
                return None
            outcome.tried += 1
            result = checker.check(formula.node, variables)
        except BudgetError:
            return checker
        except EvaluationError as error:
            if self.acceptance.accepts(assignment, assumed):
                self.note(outcome, error, sure is True, assignment, assumed)
            return checker
        if checker.problems and not self.acceptance.accepts(assignment, assumed):
            return checker
        for problem in checker.problems:
            self.note(outcome, problem, False, assignment, assumed)
        for missing in checker.never_there:
            self.note(outcome, missing, sure is True, assignment, assumed)
        for node, turned_out in checker.comparisons.items():
            outcome.comparisons.setdefault(node, set()).add(turned_out if type(turned_out) is bool else None)
        outcome.results.append(result)
        outcome.lacking |= checker.lacking
        if result is UNKNOWN:
            return checker
        faults = judge(result)
        told = faults if isinstance(faults, list) else [faults] if faults else []
        for fault in told if not told or self.acceptance.accepts(assignment, assumed) else []:
            cause = None
            if fault.start < 0 and fault.rest is not None and fault.id.startswith("property-"):
                cause = leaf_of(formula, fault.rest, self.template, lambda node: checker.check(node, variables), variables)
            self.note(outcome, fault, sure is True, assignment, assumed, cause)
        return checker

    def note(
        self,
        outcome: Outcome,
        error: EvaluationError,
        sure: bool,
        assignment: Assignment,
        assumed: dict[Path, Any],
        cause: Span | None = None,
    ) -> None:
        """Count a mistake; the first combination in which it surely comes about is its witness."""
        if error.trail and (error.id in UNDECLARED or any(origin in self.broken for origin, *_ in error.trail)):
            return  # it is said where the function stands
        key = (error.id, error.start, cause)
        known = outcome.mistakes.get(key)
        if known is None or (sure and not known.sure):
            outcome.mistakes[key] = Mistake(error, sure, assignment, assumed, cause, known.times if known else 0)
        outcome.mistakes[key].times += 1

    def comparisons(self, formula: Formula, origin: Origin, place: Place, outcome: Outcome) -> None:
        """Comparisons that turn out the same whatever the parameters are, and constants that nothing is found as."""
        self.members(formula, origin, place)
        for node, literal, other in constant_comparisons(outcome.comparisons):
            names = references(other)
            # Of a whole condition, more is said than that.
            if not names or (node is formula.node and node.operator not in ("==", "!=")):
                continue
            known = self.known.parameter_types.get(names[0].name) if not names[0].path else None
            options = [str(option) for option in (known.options if known and known.options else ())]
            if names[0].name == "context" and names[0].path == ("environment",):
                options = [*self.known.knowledge.environments]
            elif names[0].name == "context" and names[0].path[:1] == ("labels",) and len(names[0].path) == 2:
                label, every = names[0].path[1], self.known.knowledge.environments.values()
                options = [*dict.fromkeys(str(labels[str(label)]) for labels in every if label in labels)]
            hint = nearest(
                str(literal.value),
                options,
                say("`{}` is one of {}.", ".".join(map(str, (names[0].name, *names[0].path))), listed(options, "or"))
                if options
                else say("The two can never be equal.")
                if node.operator in ("==", "!=")
                else say("What is compared lies within the bounds that are declared."),
            )
            message = constantly(node, literal)
            span = origin.inner_span(formula.offset + node.start, formula.offset + node.end)
            self.findings.append(Finding("comparison-constant", "warning", message, span, hint, place.address))

    def members(self, formula: Formula, origin: Origin, place: Place) -> None:
        """Constants in the list of an `in` that what is looked for never is."""
        if " in " not in formula.text:
            return
        scope = self.known.scope({})
        variables = self.around.variables(place, scope, Checker(scope))

        def type_of(node: Node) -> Type:
            try:
                return type_of_value(Checker(scope).check(node, variables or {}))
            except (BudgetError, EvaluationError):
                return ANY

        for item, _, options in never_members(formula.node, type_of):
            hint = nearest(str(item.value), [str(each) for each in options], say("It is one of {}.", listed(map(Value, options), "or")))
            message = say("What is looked for in this list is never {}.", Value(item.value))
            span = origin.inner_span(formula.offset + item.start, formula.offset + item.end)
            self.findings.append(Finding("comparison-constant", "warning", message, span, hint, place.address))

    def absent_reads(
        self, formula: Formula, place: Place
    ) -> Iterator[tuple[Resource, tuple[EvaluationError, bool, Assignment, dict[Path, Any]]]]:
        """Resources that may be absent, read where they are: with a witness where their `$when` can be false while this is there."""
        for name in sorted(formula.program.names & self.conditional):
            resource = self.template.resources[name]
            assert resource.when is not None and isinstance(resource.when.content, Formula)
            if self.is_there(resource, place) or all(each.optional for each in formula.program.reads if each.name == name):
                continue  # it is there wherever this is, or only asked for
            if name not in self.false_where_absent:
                self.false_where_absent[name] = what_is_false(self.template, resource.when)
            false, false_names = self.false_where_absent[name]
            around = (*place.conditions, resource.when)
            found: tuple[EvaluationError, bool, Assignment, dict[Path, Any]] | None = None
            choices = self.around.choices(formula, place._replace(conditions=around))
            for assignment, assumed in islice(choices.each(literals(formula, around)), STATIC_COMBINATIONS.most):
                scope = self.known.scope(assignment, assumed)
                there = self.known.truth(resource.when, scope, {}, assumed)
                if there is True:
                    continue
                checker = Without(scope, assumed, resource, false, false_names)
                variables = self.around.variables(place, scope, checker)
                if variables is None:
                    continue
                here = is_held(place, checker, variables)
                mistake = checker.reads(formula.node, variables) if here is not False else None
                if mistake is None or not self.acceptance.accepts(assignment, assumed):
                    continue
                error, certain = mistake
                sure = certain and here is True and there is False and not self.around.may_exclude_each_other(place, assignment)
                if found is None or (sure and not found[1]):
                    found = (error, sure, assignment, assumed)
                if sure:
                    break
            if found is not None:
                yield resource, found

    def is_never_beside(self, resource: Resource, formula: Formula, place: Place) -> bool:
        """Whether a resource is absent wherever an expression is evaluated that reads it."""
        assert resource.when is not None
        around = (*place.conditions, resource.when)
        choices = self.around.choices(formula, place._replace(conditions=around))
        if choices.count > STATIC_COMBINATIONS.most:
            return False
        for assignment, assumed in choices.each():
            scope = self.known.scope(assignment, assumed)
            checker = Checker(scope, assumed)
            variables = self.around.variables(place, scope, checker)
            if variables is None or (
                self.known.truth(resource.when, scope, {}, assumed) is not False and is_held(place, checker, variables) is not False
            ):
                return False
        return True


def _property(resource: Resource, name: str) -> PropertyPlace:
    kind = resource.type
    return PropertyPlace(kind.schema, kind.id, (name,)) if kind is not None else PropertyPlace(None, "", (name,))


def _around(place: Place) -> tuple[Any, ...] | None:
    """What stands around a place, for telling whether two places are alike; None where that is not told so easily."""
    if place.names:
        return None
    if not place.loops and not place.conditions:
        return (place.there,)
    found: list[Any] = []
    for condition in (*(loop.over for loop in place.loops), *place.conditions):
        if not isinstance(condition.content, Formula):
            return None
        found.append(condition.content.program)
    return (*found, *(loop.variables for loop in place.loops))


def _declared(name: str, schema: dict[str, Any], role: str) -> PropertyPlace:
    """A declaration's schema as that of a property of the same name."""
    whole = {"properties": {name: schema}, "types": schema.get("types", {})}
    return PropertyPlace(whole, f"{role} {name}", (name,))
