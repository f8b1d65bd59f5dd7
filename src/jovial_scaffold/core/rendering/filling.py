"""Any text with placeholders, filled in from named values: every name without a value is reported, and none is ever silently empty."""

from collections.abc import Mapping, Sequence
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.placeholders import Programs
from jovial_scaffold.core.expressions.scopes import LookupScope, OwnFunction, Scope
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.computing import plain
from jovial_scaffold.core.rendering.documents import Filled, fill_parts, stand_in
from jovial_scaffold.core.templates.documents import document_content, only_known
from jovial_scaffold.core.templates.model import Part, Placeholder, placeholders
from jovial_scaffold.core.templates.notations import notation_of, placed
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Sentence, nearest, say


@value_record
class Need:
    """A name that a text needs: the lines where it stands, and what holds where it has no value."""

    name: str
    lines: tuple[int, ...]
    default: str | None
    complaint: str | None

    @property
    def required(self) -> bool:
        """Whether there is no text without a value for it."""
        return self.default is None


class NamedValues(LookupScope):
    """Values by name, before those of an environment."""

    def __init__(self, values: Mapping[str, Any], below: Scope | None = None) -> None:
        self._values = values
        self._below = below
        self._hints: dict[str, Sentence] = {}

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError where there is none."""
        if name in self._values:
            return self._values[name]
        if self._below is not None:
            return self._below.value(name)
        if name not in self._hints:  # a text may ask for the same name very often
            self._hints[name] = nearest(name, self._values, say("Give it a value, or write a default: ${{}:-text}.", name))
        raise EvaluationError(say("`{}` has no value.", name), hint=self._hints[name], id="value-missing")

    def function(self, name: str) -> OwnFunction | None:
        """The functions of the environment's template."""
        return self._below.function(name) if self._below is not None else None


def parts_of(source: Source, target: str, only: Sequence[str]) -> tuple[tuple[Part, ...], list[Finding]]:
    """The parts of a text, by the notation that the ending of `target` says. Where `only` names patterns, placeholders that read anything
    else stay as they are."""
    notation = notation_of(target)
    try:
        if only:
            fits = [pattern(each) for each in only]
            return placed(only_known(source.text, lambda name: any(each.match(name) for each in fits)), notation), []
        return placed(document_content(source.text, Programs()), notation), []
    except SyntaxProblem as problem:
        span = Origin(source, ()).inner_span(problem.start, problem.end)
        hint = say("A literal ${ is written $${; placeholders of another tool stay as they are with --only.")
        return (), [Finding(problem.id, "error", problem.message, span, hint)]


def needs(source: Source, parts: tuple[Part, ...]) -> list[Need]:
    """The names that a text needs, in the order in which they first stand there."""
    found: dict[str, Need] = {}
    for part in placeholders(parts):
        for reference in part.formula.program.reads:
            line = source.span(part.formula.offset, part.formula.offset).line
            known = found.get(reference.name)
            lines = tuple(dict.fromkeys((*(known.lines if known else ()), line)))
            # A name that is required in one place is required.
            default = part.otherwise if known is None or known.default is not None else None
            found[reference.name] = Need(reference.name, lines, default, part.complaint or (known.complaint if known else None))
    return list(found.values())


def fill(source: Source, parts: tuple[Part, ...], scope: Scope, target: str) -> tuple[Filled, list[Finding]]:
    """The text with every placeholder filled in, and a finding for each name without a value."""
    findings: list[Finding] = []
    origin = Origin(source, ())

    def fail(error: EvaluationError, part: Placeholder) -> None:
        start, end = (error.start, error.end) if error.start >= 0 else (0, len(part.formula.text.rstrip()))
        span = origin.inner_span(part.formula.offset + start, part.formula.offset + end)
        findings.append(Finding(error.id, "error", error.message, span, error.hint))

    def value_of(part: Placeholder) -> Any:
        return _value(part, scope, fail)

    return fill_parts(parts, value_of, fail, notation_of(target)), findings


def _value(part: Placeholder, scope: Scope, fail: Any) -> Any:
    missing = _missing(part, scope)
    if part.otherwise is not None or part.complaint is not None:
        value = stand_in(part, "" if missing else scope.value(part.formula.text))
        if isinstance(value, EvaluationError):
            fail(value, part)
            return UNKNOWN
        return value
    for error in missing:  # all of them at once, not the first only
        fail(error, part)
    if missing:
        return UNKNOWN
    try:
        value = plain(part.formula.program.run(scope, {}))
    except EvaluationError as error:
        fail(error, part)
        return UNKNOWN
    if type(value) is str and not value:
        name = part.formula.text.strip()
        hint = say("Write ${{}:-} where nothing is meant.", name) if name.isidentifier() else say("Write what holds instead.")
        fail(EvaluationError(say("`{}` is empty.", name), hint=hint, id="value-empty"), part)
        return UNKNOWN
    return value


def _missing(part: Placeholder, scope: Scope) -> list[EvaluationError]:
    """Errors for the names of a placeholder that have no value, each with its place."""
    found = []
    for reference in part.formula.program.reads:
        try:
            scope.value(reference.name)
        except EvaluationError as error:
            if reference.optional:
                continue
            missing = EvaluationError(say("`{}` has no value.", reference.name), hint=error.hint, id="value-missing")
            missing.start, missing.end = reference.start, reference.end
            found.append(missing)
    return found


def sample(wanted: Sequence[Need], name: str) -> str:
    """A dotenv file to fill in."""
    lines = [f"# Values for {name}"]
    for need in wanted:
        where = f"line {', '.join(map(str, need.lines))}"
        told = f"; {need.complaint}" if need.complaint else ""
        if need.default is not None:
            lines += [
                "",
                f"# {where}; without a value: {need.default or '(nothing)'}",
                f"# {need.name}={_quoted(need.default)}",
            ]
        else:
            lines += ["", f"# {where}{told}", f"{need.name}="]
    return "\n".join(lines) + "\n"


def _quoted(text: str) -> str:
    return text if text.replace("-", "").replace("_", "").replace(".", "").isalnum() else "'" + text.replace("'", "\\'") + "'"
