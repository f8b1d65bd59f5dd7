"""One expression before any environment: what comes of it for the values that it may read, and what is wrong with it where it stands.

It is looked at the quick way first, which is enough for most: with generated code where its names have few values (`probing`), else by the
types of what it reads. Only where those leave a doubt are values tried, and an error is said where the evaluator fails with values that
can be given.
"""

from itertools import islice
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker, Path, constant_comparisons, constantly, never_members
from jovial_scaffold.core.expressions.errors import UNDECLARED, BudgetError, EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import references
from jovial_scaffold.core.expressions.syntax import Node
from jovial_scaffold.core.expressions.types import ANY, Type, has_abstract, type_of_value
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.limits import FEW_COMBINATIONS, STATIC_COMBINATIONS
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.templates import lacking
from jovial_scaffold.core.templates.absences import Absences
from jovial_scaffold.core.templates.around import Around, names_read
from jovial_scaffold.core.templates.families import Families
from jovial_scaffold.core.templates.fitting import Fitting
from jovial_scaffold.core.templates.joined_texts import JoinedTexts
from jovial_scaffold.core.templates.knowledge import Assignment, Known
from jovial_scaffold.core.templates.mistakes import Mistake, Outcome, Place, findings_of
from jovial_scaffold.core.templates.model import (
    Condition,
)
from jovial_scaffold.core.templates.probing import Probes
from jovial_scaffold.core.templates.selecting import leaf_of
from jovial_scaffold.core.templates.trials import Acceptance, Choices, literals
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Value, listed, nearest, say, together

_SHAPE_TRIALS = 300  # of expressions that differ in constants only
_FEW_TRIALS = 8  # of each of those that come after them
_WANTED: dict[str, tuple[str, ...]] = {
    **dict.fromkeys(("$when", "require", "where"), ("bool",)),
    "loop": ("list", "map"),
    "key": ("string", "int"),
    "text": ("string", "bool", "int", "double", "uint"),
}
"""What a result has to be, by the role of its place."""


class ExpressionCheck:
    """Checks the expressions of one template, each where it stands. `families` are told afterwards: they look at expressions, too.

    `broken` are the bodies of functions with mistakes of their own.
    """

    families: Families

    def __init__(self, known: Known) -> None:
        self.known = known
        self.template = known.template
        self.findings: list[Finding] = []
        self.broken: set[Origin] = set()
        self.conditional = frozenset(
            name
            for name, each in self.template.resources.items()
            if each.when is not None and each.loop is None and isinstance(each.when.content, Formula)
        )
        self.fitting = Fitting()
        self.texts = JoinedTexts(known, self.fitting)
        self.probes = Probes(known)
        self._sound: dict[tuple[Any, ...], Outcome] = {}
        self._outcomes: dict[tuple[Any, ...], Outcome] = {}
        self._acceptance = Acceptance(known)
        self._lacking = lacking.Lacking(known)
        self._around = Around(known)
        self._absences = Absences(known, self.conditional, self._around, self._acceptance)
        self._filled: frozenset[str] = frozenset()  #: names whose lists and maps are taken to hold something
        self._shape_trials: dict[tuple[Any, ...], int] = {}
        self._fits: dict[tuple[Any, ...], bool] = {}  #: whether a result fits a place

    def forget(self) -> None:
        """Look at everything anew: `must` allows other values from now on."""
        self.probes.clear()
        self._sound.clear()
        self._outcomes.clear()

    def formula(self, formula: Formula, origin: Origin, place: Place, judge: Any, comparing: bool = True, role: str = "") -> Outcome:
        """Evaluate an expression for each combination of the finite values that it reads, and report what went wrong."""
        probed = self._probed(formula, place, judge, role)
        if probed is not None:
            return probed
        around = _around(place)
        if around is not None:
            # The same expression in the same property of many resources is looked at once, as long as nothing is wrong with it.
            key = (self._kind_of(formula, place.there), place.property.type_id, place.property.pointer, role, around)
            if key in self._sound:
                return self._sound[key]
            said = len(self.findings)
            if place.conditions:
                # What is right wherever it stands is right behind a condition, too; most conditions are of one resource only.
                bare = place._replace(conditions=(), there=self._absences.are_there(formula, place))
                outcome = self.formula(formula, origin, bare, judge, comparing, role)
                if len(self.findings) == said or self._is_always_wrong(formula, outcome, place.conditions):
                    return outcome
                del self.findings[said:]
            outcome = self._judged(formula, origin, place, judge, comparing, role)
            if len(self.findings) == said and not outcome.mistakes:
                self._sound[key] = outcome
            return outcome
        return self._judged(formula, origin, place, judge, comparing, role)

    def _probed(self, formula: Formula, place: Place, judge: Any, role: str) -> Outcome | None:
        """What comes of an expression with which nothing is wrong, wherever it stands; None where that cannot be told quickly."""
        if place.loops or place.names or role == "omittable":
            return None
        results = self.probes.results(formula)
        if results is None:
            return None
        for result in dict.fromkeys([(type(each), each) for each in results]):
            key = (place.property.type_id, place.property.pointer, role, result)
            if key not in self._fits:
                self._fits[key] = not judge(result[1])
            if not self._fits[key]:
                return None
        return Outcome(len(results), results=results)

    def _is_always_wrong(self, formula: Formula, outcome: Outcome, conditions: tuple[Condition, ...]) -> bool:
        """Whether a mistake comes about wherever the only condition around it holds, as it does for some values. Whether a resource is there
        to be read may hang on the condition."""
        if len(conditions) != 1 or not outcome.mistakes or self._acceptance.is_asked:
            return False
        if not formula.program.names <= self.template.parameters.keys():
            return False
        if not all(each.sure and each.times >= outcome.tried for each in outcome.mistakes.values()):
            return False
        content = conditions[0].content
        return isinstance(content, Formula) and self.probes.can_hold(content)

    def _kind_of(self, formula: Formula, there: bool) -> Any:
        """What makes two expressions alike: that they are the same, or read the same field of resources that are alike."""
        read = formula.program.only_read
        return (self.families.field_of(*read, there) if read is not None else None) or formula.program

    def _judged(self, formula: Formula, origin: Origin, place: Place, judge: Any, comparing: bool, role: str) -> Outcome:
        """All values that an expression may read are tried where they are few. Else its types are judged, and values only where those leave a
        doubt: those first that the expression speaks of itself, until one fails."""
        around = _around(place)
        key = (formula.program, place.property.type_id, place.property.pointer, role, around)
        outcome = self._outcomes.get(key) if around is not None else None
        if outcome is None:
            outcome = self._turned_out(formula, place, judge, role)
            if around is not None:  # else it hangs on names that the key does not tell
                self._outcomes[key] = outcome
        self.findings += findings_of(outcome, formula, origin, place)
        if comparing and not outcome.mistakes:
            self.comparisons(formula, origin, place, outcome)
        return outcome

    def _turned_out(self, formula: Formula, place: Place, judge: Any, role: str) -> Outcome:
        """What comes of an expression, whatever is said of it."""
        choices = self._around.choices(formula, place)
        if choices.count <= FEW_COMBINATIONS.most:
            outcome = Outcome()
            for assignment, assumed in choices.each():
                self._tried(outcome, formula, place, judge, assignment, assumed)
        else:
            outcome = self._searched(formula, place, judge, role, choices)
        for resource, absent in self._absences.reads(formula, place):
            if absent[1] and outcome.mistakes and self._absences.is_never_beside(resource, formula, place):
                outcome.mistakes.clear()  # nothing ever comes of reading it
            self._note(outcome, *absent)
        indexes = {loop.variables[0] for loop in place.loops if len(loop.variables) == 2}
        if not outcome.mistakes and not indexes.isdisjoint(formula.program.names):
            self._in_first_round(outcome, formula, place, judge, choices)
        if outcome.lacking and not outcome.mistakes:
            self._tried_without(outcome, formula, place)
        if outcome.mistakes and not any(each.sure for each in outcome.mistakes.values()):
            self._tried_filled(outcome, formula, place, judge, choices)
        return outcome

    def _in_first_round(self, outcome: Outcome, formula: Formula, place: Place, judge: Any, choices: Choices) -> None:
        """Try an expression where the positions of lists are 0: each loop that has rounds has that one."""
        self._around.first_round = True
        results = len(outcome.results)
        for assignment, assumed in islice(choices.each(), FEW_COMBINATIONS.most):
            self._tried(outcome, formula, place, judge, assignment, assumed)
        del outcome.results[results:]
        self._around.first_round = False

    def _tried_filled(self, outcome: Outcome, formula: Formula, place: Place, judge: Any, choices: Choices) -> None:
        """Try an expression where the lists and maps of parameters hold something: what may go wrong in a macro does, then."""
        self._filled = frozenset((*self.template.parameters, *(name for loop in place.loops for name in loop.variables)))
        trial = Outcome()
        for assignment, assumed in islice(choices.each(), FEW_COMBINATIONS.most):
            checker = self._tried(trial, formula, place, judge, assignment, assumed)
            for key, mistake in trial.mistakes.items():
                known = outcome.mistakes.get(key)
                if mistake.sure and known is not None and not known.sure and checker is not None:
                    held = listed(say("`{}`", each) for each in checker.gone_over)
                    words = say("It comes about where {} holds anything.", held) if len(checker.gone_over) == 1 else NOTHING
                    # The error may be the one of a function, whoever calls it.
                    error = mistake.error.with_hint(together(words, mistake.error.hint))
                    outcome.mistakes[key] = replace(mistake, error=error, times=known.times)
        self._filled = frozenset()

    def _tried_without(self, outcome: Outcome, formula: Formula, place: Place) -> None:
        """Look for values of parameters that lack what an expression reads."""
        names = [*names_read(formula, place)]
        for assignment, assumed in self._lacking.trials(names, self._around.choices(formula, place)):
            if not self.known.knowledge.spend():
                return
            if self._around.reached(place, assignment, assumed) is not True:
                continue
            scope = self.known.scope(assignment, assumed)
            checker = Checker(scope, assumed)
            variables = self._around.variables(place, scope, Checker(scope, assumed))
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
                if each.id == "key-missing" and each.start in outcome.lacking and self._acceptance.accepts(assignment, assumed):
                    self._note(outcome, each, sure, assignment, assumed)
                    if sure:
                        return

    def _searched(self, formula: Formula, place: Place, judge: Any, role: str, choices: Choices) -> Outcome:
        """What comes of an expression that reads very many combinations of values."""
        outcome = Outcome()
        checker = self._tried(outcome, formula, place, judge, {}, {})
        if any(mistake.sure for mistake in outcome.mistakes.values()):
            return outcome
        unsure, outcome.mistakes = outcome.mistakes, {}
        doubtful = bool(unsure) or (checker is not None and checker.doubtful)
        if not doubtful and self._around.choices(formula, place._replace(conditions=())).count < 2:
            return outcome  # whatever holds around it, it gives the same
        if not doubtful and all(self._is_certain(place, role, result) for result in outcome.results):
            return outcome
        # Of very many that differ in constants only, the first are tried as far as it goes, and the others with a few values.
        alike = self.texts.shapes.get(formula.program, formula.program.shape)
        shape = (alike, place.property.type_id, place.property.pointer, role)
        left = self._shape_trials.get(shape, _SHAPE_TRIALS)
        for assignment, assumed in islice(
            choices.each(literals(formula, place.conditions)), STATIC_COMBINATIONS.most if left > 0 else _FEW_TRIALS
        ):
            left -= 1
            if not self.known.knowledge.spend():
                break
            self._tried(outcome, formula, place, judge, assignment, assumed)
            if any(mistake.sure for mistake in outcome.mistakes.values()):
                break
        self._shape_trials[shape] = left
        # What was seen in no trial is not said: whether it comes about is not known.
        outcome.results = outcome.results[:1]
        return outcome

    def _is_certain(self, place: Place, role: str, result: Any) -> bool:
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

    def _tried(
        self, outcome: Outcome, formula: Formula, place: Place, judge: Any, assignment: Assignment, assumed: dict[Path, Any]
    ) -> Checker | None:
        """Check an expression with some values; the checker, where it is reached."""
        sure = self._around.reached(place, assignment, assumed)
        if sure is False:
            return None
        scope = self.known.scope(assignment, assumed)
        checker = Checker(scope, assumed)
        checker.filled = self._filled
        try:
            variables = self._around.variables(place, scope, Checker(scope, assumed))
            if variables is None or self._absences.is_lost(formula, place, scope, assumed, variables):
                return None
            outcome.tried += 1
            result = checker.check(formula.node, variables)
        except BudgetError:
            return checker
        except EvaluationError as error:
            if self._acceptance.accepts(assignment, assumed):
                self._note(outcome, error, sure is True, assignment, assumed)
            return checker
        if checker.problems and not self._acceptance.accepts(assignment, assumed):
            return checker
        for problem in checker.problems:
            self._note(outcome, problem, False, assignment, assumed)
        for missing in checker.never_there:
            self._note(outcome, missing, sure is True, assignment, assumed)
        for node, turned_out in checker.comparisons.items():
            outcome.comparisons.setdefault(node, set()).add(turned_out if type(turned_out) is bool else None)
        outcome.results.append(result)
        outcome.lacking |= checker.lacking
        if result is UNKNOWN:
            return checker
        faults = judge(result)
        told = faults if isinstance(faults, list) else [faults] if faults else []
        for fault in told if not told or self._acceptance.accepts(assignment, assumed) else []:
            cause = None
            if fault.start < 0 and fault.rest is not None and fault.id.startswith("property-"):
                cause = leaf_of(formula, fault.rest, self.template, lambda node: checker.check(node, variables), variables)
            self._note(outcome, fault, sure is True, assignment, assumed, cause)
        return checker

    def _note(
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
        self._members(formula, origin, place)
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

    def _members(self, formula: Formula, origin: Origin, place: Place) -> None:
        """Constants in the list of an `in` that what is looked for never is."""
        if " in " not in formula.text:
            return
        scope = self.known.scope({})
        variables = self._around.variables(place, scope, Checker(scope))

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
