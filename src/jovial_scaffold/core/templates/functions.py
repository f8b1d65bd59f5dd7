"""The functions that a template declares, ready to be called: arguments and results are judged by their schemas."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from functools import cached_property
from typing import Any

from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.scopes import LookupScope
from jovial_scaffold.core.expressions.types import ANY, Abstract, Type, has_abstract, type_of_value
from jovial_scaffold.core.expressions.values import Optional, Record
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import FUNCTION_CALLS
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.schemas.validation import Validator
from jovial_scaffold.core.templates.model import Constant, Function, Template
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Amount, Counted, Sentence, Value, say

_TYPE_NAMES = frozenset(("int", "uint", "double", "string", "bytes", "bool", "list", "map", "null_type", "type", "optional_type"))


class Functions(LookupScope):
    """All functions of a template; also the scope of their bodies, which see their arguments and each other only."""

    def __init__(self, template: Template) -> None:
        self._functions = {name: TemplateFunction(each, self) for name, each in template.functions.items()}
        self._depth = 0
        self._calls = 0

    def function(self, name: str) -> "TemplateFunction | None":
        """A function by its name."""
        return self._functions.get(name)

    def value(self, name: str) -> Any:
        """No names are seen; a finding says so where one is used."""
        if name in _TYPE_NAMES:
            raise EvaluationError(say("Nothing is called `{}` here.", name), id="name-unknown")
        return UNKNOWN

    @contextmanager
    def called(self) -> Iterator[None]:
        """Counts calls inside of calls: chains of functions that call each other twice would otherwise never end."""
        self._calls = self._calls + 1 if self._depth else 0
        if self._calls > FUNCTION_CALLS.most:
            message = say("The call takes more than {} {}.", Amount(FUNCTION_CALLS.most), FUNCTION_CALLS.unit)
            raise BudgetError(message, hint=say("Functions that call one another twice multiply: hand the result on as an argument."))
        self._depth += 1
        try:
            yield
        finally:
            self._depth -= 1


class TemplateFunction:
    """One function. Its schemas are compiled when it is first called."""

    def __init__(self, declared: Function, scope: Functions) -> None:
        self.declared = declared
        self._scope = scope
        self._validators: dict[str, Validator] = {}
        self._known: dict[tuple[Any, ...], Any] = {}

    def run(self, arguments: list[Any]) -> Any:
        """The result for values, marks among them. Raises EvaluationError."""
        variables = self._variables(arguments)
        if any(value is UNKNOWN for value in variables.values()):
            return UNKNOWN
        for name, value in variables.items():
            schema = self.declared.takes[name]
            self._judge(say("`{}` of {}()", name, self.declared.name), name, schema, value)
            if type(value) is int and type_of_schema(schema).is_only("double"):
                variables[name] = float(value)
        result = self._body(variables)
        if self.declared.gives and result is not UNKNOWN:
            self._judge(say("What {}() gives", self.declared.name), "", self.declared.gives, result)
        return result

    def _judge(self, what: Sentence, key: str, schema: Any, value: Any) -> None:
        if not schema:
            return
        if key not in self._validators:
            self._validators[key] = Validator(schema)
        for violation in self._validators[key].violations(value):
            inner = say(" (at {})", "/".join(map(str, violation.pointer))) if violation.pointer else NOTHING
            message = violation.message.about(say("{}{}", what, inner))
            if not key:
                message = message.reworded(" takes ", " is declared as ")
            hint = violation.hint if key else NOTHING  # which is about a value that is written, and this one is computed
            error = EvaluationError(message, hint=hint, id="function-argument" if key else "function-result")
            if not key:  # which is mended where the function stands
                body = self.declared.body
                error.trail = ((body.origin, 0, 1, say("`{}` is declared here.", self.declared.name)),)
            raise error

    def _variables(self, arguments: list[Any]) -> dict[str, Any]:
        names = list(self.declared.takes)
        if len(arguments) != len(names):
            takes = Counted(len(names), "argument")
            hint = say("It is written {}({}).", self.declared.name, ", ".join(names))
            raise EvaluationError(
                say("{}() takes {}, and {} are given.", self.declared.name, takes, len(arguments)), hint=hint, id="function-argument"
            )
        for name, argument in zip(names, arguments, strict=True):
            if type(argument) is Optional:
                message = say("`{}` of {}() may be absent here, and a function needs all that it takes.", name, self.declared.name)
                raise EvaluationError(message, hint=say("Say what holds instead with .orValue(…)."), id="function-argument")
        whole = [argument.whole() if isinstance(argument, Record) else argument for argument in arguments]
        return dict(zip(names, whole, strict=True))

    def _body(self, variables: Mapping[str, Any]) -> Any:
        content = self.declared.body.content
        if isinstance(content, Constant):
            return content.value
        with self._scope.called():
            try:
                return content.program.run(self._scope, variables)
            except EvaluationError as error:
                raise self._failed(error) from None

    def _failed(self, error: EvaluationError) -> EvaluationError:
        if isinstance(error, BudgetError):  # what is too much is too much of the whole call
            error.start, error.end = -1, -1
            return error
        failed = type(error)(say("{}() fails: {}", self.declared.name, error.message), hint=error.hint, id=error.id)
        start, end = (error.start, error.end) if error.start >= 0 else (0, 1)
        origin = self.declared.body.origin
        failed.trail = ((origin, start, end, say("`{}` fails here.", self.declared.name)), *error.trail)
        return failed

    def typed(self, arguments: list[Any]) -> Any:
        """The result as far as it is known where arguments are types. Raises EvaluationError where none of their values fits."""
        if not all(type(each) is Abstract for each in arguments):
            return self._typed(arguments)
        # Functions that call functions would be looked through again and again. 1, 1.0 and true are equal, and three options.
        key = tuple([(each.type, repr(each.type.options)) for each in arguments])
        try:
            if key in self._known:
                return self._known[key]
        except TypeError:  # options that are lists or maps
            return self._typed(arguments)
        found = self._known[key] = self._typed(arguments)
        return found

    @cached_property
    def _wanted(self) -> dict[str, Type]:
        return {name: type_of_schema(schema) for name, schema in self.declared.takes.items()}

    def _typed(self, arguments: list[Any]) -> Any:
        from jovial_scaffold.core.expressions.checking import Checker

        variables = self._variables(arguments)
        for name, value in variables.items():
            wanted, known = self._wanted[name], type_of_value(value)
            kinds = wanted.kinds | {"int"} if "double" in wanted.kinds else wanted.kinds
            if kinds and known.kinds and known.kinds.isdisjoint(kinds):
                message = say("`{}` of {}() takes {}, and this gives {}.", name, self.declared.name, wanted.text(), known.text())
                raise EvaluationError(message, id="function-argument")
            if has_abstract(value) and not known.kinds:
                variables[name] = Abstract(wanted)
        content = self.declared.body.content
        if isinstance(content, Constant):
            return content.value
        with self._scope.called():
            try:
                result = Checker(self._scope).check(content.node, variables)
            except EvaluationError as error:
                raise self._failed(error) from None
        if not self.declared.gives or result is UNKNOWN:
            return result
        known, gives = type_of_value(result), type_of_schema(self.declared.gives)
        if has_abstract(result) and known is ANY:
            return Abstract(gives)
        kinds = gives.kinds | {"int"} if "double" in gives.kinds else gives.kinds
        if known.kinds and kinds and known.kinds.isdisjoint(kinds):
            return UNKNOWN  # which is said where the function stands
        return result


def check_examples(template: Template, functions: Functions) -> list[Finding]:
    """The examples of functions, evaluated: each must give what it says."""
    findings = []
    for function in template.functions.values():
        for call, expected, origin in function.examples:
            if isinstance(call.content, Constant):
                continue
            try:
                result = call.content.program.run(functions, {})
            except EvaluationError as error:
                span = call.origin.inner_span(max(error.start, 0), max(error.end, 1))
                findings.append(Finding("function-example-wrong", "error", say("This example fails: {}", error.message), span, error.hint))
                continue
            if result is not UNKNOWN and not _same(result, expected):
                message = say("This example gives {}, and says {}.", Value(result), Value(expected))
                findings.append(
                    Finding("function-example-wrong", "error", message, origin.child("gives").value_span(), say("Correct one of the two."))
                )
    return findings


def _same(result: Any, expected: Any) -> bool:
    from jovial_scaffold.core.expressions.values import equal

    return equal(result, expected)
