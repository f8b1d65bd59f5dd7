"""Documents: text files with their placeholders filled in, for people (secrets masked) and as a value for expressions."""

import json
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions import residuals
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.pending import Pending, comparable
from jovial_scaffold.core.expressions.placeholders import no_text
from jovial_scaffold.core.expressions.scopes import LookupScope, OwnFunction, Scope
from jovial_scaffold.core.expressions.values import NONE, Optional, Secret, deep_marks, revealed
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.limits import RESULT_SIZE
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.computing import OMITTED, Computer, Site, plain
from jovial_scaffold.core.rendering.instances import Surroundings
from jovial_scaffold.core.rendering.notations import one_line, quoted, scalar, written
from jovial_scaffold.core.rendering.results import RenderedDocument
from jovial_scaffold.core.templates.model import Document, Part, Placeholder, Scalar, placeholders
from jovial_scaffold.core.text.formats import format_of
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Amount, Described, Sentence, say, told


@value_record
class EvaluatedDocument(RenderedDocument):
    """A rendered document, and what it was computed from: `lines` are the first and last line, from 0, of each part of its content."""

    document: Document
    scope: Surroundings
    lines: tuple[tuple[int, int], ...]

    def within(self, line: int) -> list[Placeholder]:
        """The placeholders that a line, from 0, was filled in from."""
        parts = self._parts(line)
        return list(placeholders(self.document.content[parts.start : parts.stop]))

    def is_across(self, line: int) -> bool:
        """Whether something that a line, from 0, was filled in from gives more than that line."""
        return any(self.lines[index] != (line, line) and not isinstance(self.document.content[index], str) for index in self._parts(line))

    def _parts(self, line: int) -> range:
        """The numbers of the parts of the content that a line was made from."""
        begin = bisect_left(self.lines, line, key=lambda ends: ends[1])
        return range(begin, bisect_right(self.lines, line, key=lambda ends: ends[0]))


class _Narrowed(LookupScope):
    """The names that a document's `with` gives it."""

    def __init__(self, values: Mapping[str, Any], below: Scope) -> None:
        self._values = values
        self._below = below

    def value(self, name: str) -> Any:
        """A name of `with`; any other is unknown, and reported where it stands."""
        return self._values.get(name, UNKNOWN)

    def function(self, name: str) -> OwnFunction | None:
        """The template's functions are there as well."""
        return self._below.function(name)


def rendered_document(document: Document, environment: Surroundings, address: str) -> EvaluatedDocument:
    """Fill in a document; what goes wrong is reported."""
    computer = environment.computer
    known = environment.template.names | {"context"}
    if document.narrowed is not None:
        values = {}
        for name, compiled in document.narrowed.items():
            value = computer.whole(compiled, {}, Site())
            values[name] = NONE if value is OMITTED else value
        known = frozenset(values)
        computer = Computer(_Narrowed(values, environment), computer.environment, computer.report)

    def value_of(part: Placeholder) -> Any:
        return _filled(part, document, computer, known, address)

    def fail(error: EvaluationError, part: Placeholder) -> None:
        computer.fail(error, part.formula, document.file, Site(address))

    filled = fill_parts(document.content, value_of, fail, document.notation)
    target = _target(document, environment, address)
    return EvaluatedDocument(address, target, filled.masked, filled.value, filled.compared, document, environment, filled.lines)


class Filled(NamedTuple):
    """A text with its placeholders filled in: masked for people, and as a value, which is secret or pending as its parts are."""

    masked: str
    value: Any
    lines: tuple[tuple[int, int], ...]
    compared: str


def fill_parts(
    parts: Sequence[Part],
    value_of: Callable[[Placeholder], Any],
    fail: Callable[[EvaluationError, Placeholder], None],
    notation: str | None,
) -> Filled:
    """Join literal text and the values of placeholders. What has no text is handed to `fail`."""
    filling = _Filling(value_of, fail, notation)
    for part in parts:
        filling.add(part)
    whole: Any = "".join(filling.clear)
    if filling.pending:
        whole = residuals.joined(filling.pieces)
        whole = whole.value if type(whole) is Secret else whole
    if filling.secret:
        whole = Secret(whole)
    masked = "".join(filling.masked)
    return Filled(masked, UNKNOWN if filling.unknown else whole, _lines(filling.masked, len(parts)), "".join(filling.compared))


class _Filling:
    """A document on its way: its text masked, in the clear and for comparing, and the pieces that it is made of."""

    def __init__(
        self, value_of: Callable[[Placeholder], Any], fail: Callable[[EvaluationError, Placeholder], None], notation: str | None
    ) -> None:
        self.value_of = value_of
        self.fail = fail
        self.notation = notation
        self.masked: list[str] = []
        self.clear: list[str] = []
        self.compared: list[str] = []
        self.pieces: list[Any] = []
        self.secret = self.pending = self.unknown = False
        self.length = 0  #: characters of what was filled in

    def add(self, part: Part) -> None:
        """One more part."""
        if isinstance(part, str):
            for texts in (self.masked, self.clear, self.compared, self.pieces):
                texts.append(part)
            return
        values = [self.value_of(each) for each in placeholders((part,))]
        found = deep_marks(values)
        try:
            masked = self.text(part, [_masked(value) for value in values], values)
            clear = self.text(part, [revealed(value) for value in values], values) if found[1] else masked
        except _NoText as error:
            self.fail(no_text(error.value, error.part.formula), error.part)
            self.unknown = True
            return
        origins, has_secret, has_unknown = found
        self.secret, self.pending, self.unknown = self.secret or has_secret, self.pending or bool(origins), self.unknown or has_unknown
        self.length += len(clear)
        if self.length > RESULT_SIZE.most:
            if not self.unknown:
                message = say("The document has more than {} {}.", Amount(RESULT_SIZE.most), RESULT_SIZE.unit)
                self.fail(BudgetError(message, hint=say("Write it as several documents.")), placeholders((part,))[0])
            self.unknown = True
            return
        self.masked.append(masked)
        self.clear.append(clear)
        self.compared.append(
            f"{masked}\0{json.dumps([clear, [_compared(value) for value in values]])}" if has_secret or origins else masked
        )
        if not origins:
            self.pieces.append(Secret(clear) if has_secret else clear)
        elif isinstance(part, Scalar):
            following = iter(values)
            self.pieces += [each if isinstance(each, str) else next(following) for each in part.parts]
        else:
            self.pieces.append(residuals.called("as_json", values, False) if part.place == "value" else values[0])

    def text(self, part: Placeholder | Scalar, shown: list[Any], values: list[Any]) -> str:
        """How values stand in the document. Raises _NoText."""
        if isinstance(part, Placeholder):
            return self.placed(part, shown[0], values[0])
        inside = [(index, each) for index, each in enumerate(part.parts) if isinstance(each, Placeholder)]
        texts = {index: _text(shown[at], each, values[at]) for at, (index, each) in enumerate(inside)}
        return scalar(part, texts)

    def placed(self, part: Placeholder, shown: Any, value: Any) -> str:
        """One value, as the place of its placeholder asks for."""
        if part.place == "value" and self.notation is not None:
            if part.otherwise is not None and shown == part.otherwise and value == part.otherwise:
                return part.otherwise  # a default is written as it stands
            try:
                return written(_pending(shown), self.notation)
            except TypeError:
                raise _NoText(value, part) from None
        text = _text(shown, part, value)
        return quoted(text)[1:-1] if part.place == "escaped" else one_line(text) if part.place == "comment" else text


class _NoText(Exception):
    """A value cannot stand where a placeholder does."""

    def __init__(self, value: Any, part: Placeholder) -> None:
        self.value = value
        self.part = part


def _compared(value: Any) -> Any:
    """What is pending in a value, for comparing."""
    if isinstance(value, Secret):
        return _compared(value.value)
    if isinstance(value, Pending):
        return comparable(value)
    if isinstance(value, dict):
        return {key: _compared(item) for key, item in value.items()}
    return [_compared(item) for item in value] if isinstance(value, list) else repr(value)


def _lines(texts: Sequence[str], parts: int) -> tuple[tuple[int, int], ...]:
    """First and last line, from 0, of each part; none where a part has no text."""
    if len(texts) != parts:
        return ((0, -1),) * parts
    found, line = [], 0
    for text in texts:
        last = line + text.count("\n")
        found.append((line, last))
        line = last
    return tuple(found)


def _filled(part: Placeholder, document: Document, computer: Computer, known: frozenset[str], address: str) -> Any:
    """The value of a placeholder; of a plain name with a default, what stands in for nothing."""
    if part.otherwise is None and part.complaint is None:
        try:
            return plain(part.formula.program.run(computer.scope, {}))
        except EvaluationError as error:
            computer.fail(error, part.formula, document.file, Site(address))
            return UNKNOWN
    name = part.formula.text
    value = stand_in(part, computer.scope.value(name) if name in known else "")
    if isinstance(value, EvaluationError):
        computer.fail(value, part.formula, document.file, Site(address))
        return UNKNOWN
    return value


def stand_in(part: Placeholder, value: Any) -> Any:
    """The value of a plain name; where it is empty, what the placeholder says instead, or the error that it asks for."""
    if type(value) is Optional:
        value = None if value is NONE else value.value
    held = value.value if isinstance(value, Secret) else value
    if held is not None and not (isinstance(held, str) and not held):
        return value
    if part.otherwise is not None:
        return part.otherwise
    return EvaluationError(told(part.complaint or "") or say("`{}` has no value.", part.formula.text), id="value-missing")


def _masked(value: Any) -> Any:
    """The value with marks as JSON shows them."""
    if isinstance(value, Secret):
        return marks.SECRET
    if isinstance(value, dict):
        return {key: _masked(item) for key, item in value.items()}
    if isinstance(value, list):
        return [_masked(item) for item in value]
    return marks.UNKNOWN if value is UNKNOWN else value


def _pending(value: Any) -> Any:
    if isinstance(value, Pending):
        return to_json(value)
    if isinstance(value, dict):
        return {key: _pending(item) for key, item in value.items()}
    return [_pending(item) for item in value] if isinstance(value, list) else value


def _text(shown: Any, part: Placeholder, value: Any) -> str:
    """A value as a part of a text. Raises _NoText for what has none."""
    if isinstance(shown, Pending):
        return repr(shown)
    if isinstance(shown, str | bool | int | float):
        return scalar_text(shown)
    raise _NoText(value, part)


def _target(document: Document, environment: Surroundings, address: str) -> str | None:
    """Where the document is to be written: a relative path without `..`; None where it is a value only, or the path is wrong."""
    if document.to is None:
        return None
    value = environment.computer.value(document.to, {}, Site(address))
    if value is UNKNOWN:
        return None
    origin = document.to.origin

    def wrong(message: Sentence, hint: Sentence = NOTHING) -> None:
        found = Finding(
            "path-invalid", "error", message, origin.value_span(), hint, address, environments=(environment.computer.environment,)
        )
        environment.computer.report(found)

    if isinstance(value, Pending | Secret):
        state = say("pending") if isinstance(value, Pending) else say("secret")
        wrong(say("`to` must be known before the deployment, and this is {}.", state))
    elif not isinstance(value, str):
        wrong(say("`to` is a path, and this is {}.", Described(value)))
    elif not value or value.startswith(("/", "~")) or value.endswith("/") or "\\" in value or any(ord(char) < 32 for char in value):
        wrong(
            say("`to` is a path of a file below the folder of documents, and this is {}.", Described(value)),
            say("Write a relative path with forward slashes."),
        )
    elif any(step in ("..", ".", "") for step in value.split("/")) or value[1:2] == ":":
        wrong(say("`to` may not leave the folder of documents, and this is {}.", Described(value)), say("Write a path without `..`."))
    else:
        return value
    return None


def check_documents(documents: Mapping[str, EvaluatedDocument], environment: str) -> list[Finding]:
    """Targets that clash, and texts that their target's format cannot read."""
    findings = []
    first: dict[str, EvaluatedDocument] = {}
    for each in documents.values():
        if each.to is not None:
            other = first.setdefault(each.to.casefold(), each)
            if other is not each:
                related = (Related(other.document.origin.key_span(), say("`{}` is written there.", other.name)),)
                message = say("Two documents are written to {}.", each.to)
                hint = say("Put something into `to` that tells them apart.")
                span = (each.document.to.origin if each.document.to else each.document.origin).value_span()
                findings.append(
                    Finding("document-clash", "error", message, span, hint, each.name, environments=(environment,), related=related)
                )
        if each.value is not UNKNOWN:
            findings += _unreadable(each, environment)
    return findings


def _unreadable(each: EvaluatedDocument, environment: str) -> list[Finding]:
    name = each.to or each.document.file.source.name
    form = format_of(name)
    if form is None or form.name not in ("JSON", "YAML", "TOML"):
        return []
    _, problems = form.read(each.text)
    if not problems:
        return []
    line = each.text.count("\n", 0, problems[0].start) + 1
    lines = each.text.split("\n")[:line]
    while len(lines) > 1 and not lines[-1].strip():  # where the text ends too early, the last line that says something
        lines.pop()
    message = say("The document {} is not {} once it is filled in: {}", name, form.name, problems[0].message)
    span = each.document.file.inner_span(0, 1)
    related = (Related(each.document.origin.key_span(), say("`{}` is declared here.", each.name)),)
    hint = say("It is line {} of the rendered text: {}", len(lines), lines[-1].strip()[:80]) if each.text.strip() else say("It is empty.")
    return [Finding("document-syntax", "error", message, span, hint, each.name, environments=(environment,), related=related)]
