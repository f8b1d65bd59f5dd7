"""A value against a JSON Schema 2020-12, by jsonschema-rs, with messages written for people.

References never leave the schema's own document: nothing is read or fetched. Pending, secret and unknown parts of the
value are judged as far as that is possible without knowing them.
"""

import re
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.limits import SCHEMA_WEIGHT
from jovial_scaffold.core.records import record, replace
from jovial_scaffold.core.schemas.formats import FORMATS, format_words, network_of
from jovial_scaffold.core.schemas.navigation import by_itself, referred, subschema
from jovial_scaffold.core.schemas.weighing import overweight
from jovial_scaffold.core.spelling import near
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Amount, Counted, Derived, Described, Operand, Sentence, Value, listed, nearest, say

Explain = Callable[[Any, Pointer, Any, Any], Iterator["Violation"]]


@record
class Violation:
    """What a schema says against a value: `id` is the end of a finding's id (`type`, `unknown`, …), `pointer` leads to the part.

    `message` has `{name}` where the name of the part belongs. `on_key` means that the key is at fault, not its value;
    `meant` are the known keys that an unknown one was probably meant to be, or that it holds.
    """

    id: str
    pointer: Pointer
    message: Sentence
    hint: Sentence
    expected: Operand
    on_key: bool = False
    meant: tuple[str, ...] = ()

    @property
    def is_of_keys(self) -> bool:
        """Whether it is about the keys of the whole value, whatever these hold."""
        return self.on_key and len(self.pointer) == 1


class Validator:
    """A compiled schema. Raises SchemaError where it is none."""

    __slots__ = ("_but_for_keys", "_compiled", "_found", "_stand_ins", "schema")

    def __init__(self, schema: Any) -> None:
        import jsonschema_rs

        self.schema = schema
        self._stand_ins: dict[Pointer, Any] = {}
        self._but_for_keys: Validator | None = None
        #: what is wrong with a single value at a place, of which very many may be the same
        self._found: dict[tuple[Any, ...], list[Violation]] = {}
        heavy = overweight(schema)
        if heavy is not None:
            message = say("More than {} {}: they refer to one another.", Amount(SCHEMA_WEIGHT.most), SCHEMA_WEIGHT.unit)
            raise SchemaError(
                message, heavy, say("Each `$ref` under `anyOf`, `oneOf` or `allOf` multiplies: write the choices as one list.")
            )
        try:
            self._compiled = jsonschema_rs.Draft202012Validator(
                schema,
                formats=FORMATS,
                validate_formats=True,
                offline=True,
                pattern_options=jsonschema_rs.RegexOptions(),
            )
        except jsonschema_rs.ValidationError as error:
            raise SchemaError(_schema_fault(error), tuple(error.instance_path)) from None
        except (jsonschema_rs.ReferencingError, ValueError) as error:
            raise SchemaError(say("A reference leads nowhere: {}", _first_line(error)), ()) from None

    def __reduce__(self) -> tuple[type["Validator"], tuple[Any]]:
        return Validator, (self.schema,)  # what is compiled stays in its process

    def violations(self, value: Any, is_wrong: bool = False) -> list[Violation]:
        """All that is wrong with a value; empty where nothing is. `is_wrong` says that it is known not to fit, whatever stands in for marks."""
        undecided: set[Pointer] = set()
        hidden: set[Pointer] = set()
        if not is_wrong and self._fits(value):
            return []
        # With null in the place of what is not known, so that no message can speak of a stand-in.
        plain, _ = _without_marks(value, (), undecided, hidden, None)
        try:
            found = list(self._compiled.iter_errors(plain))
        except ValueError as error:  # a number or nesting that the validator cannot take
            return [Violation("type", (), say("{name} cannot be judged: {}", _first_line(error)), NOTHING, "")]
        violations = [violation for error in found for violation in self._explained(error, plain, undecided, hidden)]
        meant = {(*violation.pointer[:-1], each) for violation in violations for each in violation.meant}
        # A misspelt key is one mistake: that the right one is then missing is not said as well.
        return [violation for violation in violations if not (violation.id == "missing" and violation.pointer in meant)]

    def _fits(self, value: Any) -> bool:
        """Whether a value is valid, with values that fit in the places of its marks."""
        try:
            return self._compiled.is_valid(value)
        except ValueError:
            plain, _ = _without_marks(value, (), set(), set(), self.stand_in)
            return self.is_valid(plain)

    def _explained(self, error: Any, whole: Any, undecided: set[Pointer], hidden: set[Pointer]) -> Iterable[Violation]:
        """What an error says; the same objects where it says the same of an equal value at the same place."""
        pointer = tuple(error.instance_path)
        if pointer in undecided:  # as most are where something is pending
            return ()
        value, keyword = error.instance, error.kind.name
        is_marked = any(pointer[: len(place)] == place for places in (undecided, hidden) for place in places)
        about = _KEYS_OF[keyword](error) if keyword in _KEYS_OF else value
        if is_marked or type(about) not in _ALIKE or keyword == "falseSchema":
            return _explained(error, whole, undecided, hidden, self.schema)
        key = (pointer, tuple(error.schema_path), type(about), about)
        if key not in self._found:
            self._found[key] = list(_explained(error, whole, undecided, hidden, self.schema))
        return self._found[key]

    def is_valid(self, value: Any) -> bool:
        """Whether a value without marks is valid; one that the validator cannot take is not."""
        try:
            return self._compiled.is_valid(value)
        except ValueError:
            return False

    @property
    def but_for_keys(self) -> "Validator":
        """The same schema, which takes any keys of the map."""
        if self._but_for_keys is None:
            self._but_for_keys = Validator({key: part for key, part in self.schema.items() if key not in _KEYS_OF})
        return self._but_for_keys

    def stand_in(self, pointer: Pointer) -> Any:
        """A value that fits at a pointer, in the place of one that is not known yet; null where none is found easily."""
        if pointer in self._stand_ins:
            return self._stand_ins[pointer]
        folded = tuple(0 if isinstance(step, int) else step for step in pointer)
        if folded not in self._stand_ins:
            self._stand_ins[folded] = None
            parts = subschema(self.schema, pointer)
            if len(parts) == 1 and "$ref" not in parts[0]:
                try:
                    part = Validator(parts[0])
                except SchemaError:
                    return None
                options = (*parts[0].get("enum", ()), *_STAND_INS)
                self._stand_ins[folded] = next((each for each in options if part._compiled.is_valid(each)), None)
        self._stand_ins[pointer] = self._stand_ins[folded]
        return self._stand_ins[folded]


_STAND_INS: tuple[Any, ...] = ("pending", 1, True, 100, [], {}, "10.0.0.0/16", "10.0.0.1", "https://ridgeline.example/", 0, 1.5)


def check_schema(schema: Any) -> None:
    """Whether a schema is one of JSON Schema 2020-12, wherever its references lead. Raises SchemaError."""
    import jsonschema_rs

    try:
        jsonschema_rs.meta.validate(schema)
    except jsonschema_rs.ValidationError as error:
        raise SchemaError(_schema_fault(error), tuple(error.instance_path)) from None


def is_schema(schema: Any) -> bool:
    """Whether a schema is one, by itself."""
    try:
        check_schema(schema)
    except SchemaError:
        return False
    return True


class SchemaError(Exception):
    """A schema that is none: what is wrong, where in it, and what to do."""

    def __init__(self, message: Sentence, pointer: Pointer, hint: Sentence = NOTHING) -> None:
        super().__init__(message)
        self.message = message
        self.pointer = pointer
        self.hint = hint


def _first_line(error: BaseException) -> str:
    return str(error).splitlines()[0] if str(error) else type(error).__name__


def _schema_fault(error: Any) -> Sentence:
    if "registry" in error.message:
        return say("A reference leads out of this document, or nowhere in it: `$ref` is written #/types/NAME.")
    keyword = error.instance_path[-1] if error.instance_path else ""
    if keyword == "type" or (len(error.instance_path) > 1 and error.instance_path[-2] == "type"):
        types = ("string", "integer", "number", "boolean", "array", "object", "null")
        hint = nearest(str(error.instance), types, say("The types are {}.", listed(types)))
        return say("{} is not a type of JSON Schema. {}", Value(error.instance), hint)
    return say(
        "The schema's `{}` is not as JSON Schema has it: {}.", keyword, _first_line(error.message if hasattr(error, "message") else error)
    )


_PLAIN = frozenset((str, int, bool, float, type(None)))
_ALIKE = _PLAIN | {tuple}
#: of errors about the keys of a map, those keys: what else is in it says nothing
_KEYS_OF: dict[str, Callable[[Any], tuple[str, ...]]] = {
    "additionalProperties": lambda error: tuple(_unexpected(error)),
    "required": lambda error: (_missing_key(error),),
}


def _unexpected(error: Any) -> Iterator[str]:
    """Keys that are not known, and those of maps in them."""
    for name in error.kind.unexpected:
        yield name
        yield from (f"{name}/{key}" for key in error.instance[name]) if isinstance(error.instance[name], dict) else ()


def _missing_key(error: Any) -> str:
    return str(error.kind.value if isinstance(error.kind.value, str) else error.kind.property)


def _without_marks(
    value: Any, pointer: Pointer, undecided: set[Pointer], hidden: set[Pointer], stand_in: Callable[[Pointer], Any] | None
) -> tuple[Any, bool]:
    """The value as the validator can take it; what is pending or unknown is noted, and stood in for by a value that fits, or null."""
    kind = type(value)
    if kind is dict or kind is list:
        changed = None
        if _PLAIN.issuperset(map(type, value.values() if kind is dict else value)):
            return value, False
        for key, item in value.items() if kind is dict else enumerate(value):
            kind_ = type(item)
            if kind_ in _PLAIN:
                continue
            # Most parts of parts are plain, and need no look of their own.
            if (kind_ is dict and _PLAIN.issuperset(map(type, item.values()))) or (kind_ is list and _PLAIN.issuperset(map(type, item))):
                continue
            plain, different = _without_marks(item, (*pointer, key), undecided, hidden, stand_in)
            if different:
                changed = changed or value.copy()
                changed[key] = plain
        return (value, False) if changed is None else (changed, True)
    if kind is Secret:
        hidden.add(pointer)
        return _without_marks(value.value, pointer, undecided, hidden, stand_in)[0], True
    if value is UNKNOWN or kind is Pending:
        undecided.add(pointer)
        return stand_in(pointer) if stand_in else None, True
    return value, False


_LOCAL = frozenset(("type", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "minLength", "maxLength", "pattern", "format",
                    "required", "additionalProperties", "minItems", "maxItems", "minProperties", "maxProperties", "propertyNames"))  # fmt: skip


def _explained(error: Any, whole: Any, undecided: set[Pointer], hidden: set[Pointer], schema: Any) -> Iterator[Violation]:
    pointer: Pointer = tuple(error.instance_path)
    keyword = error.kind.name
    if undecided:
        if any(pointer[: len(place)] == place for place in undecided):
            return
        if keyword not in _LOCAL and any(place[: len(pointer)] == pointer for place in undecided):
            return
    value = error.instance
    if any(place[: len(pointer)] == pointer[: len(place)] for place in hidden):
        value = Secret(value)
    if keyword == "falseSchema" and error.schema_path[-1] == "additionalProperties":
        # Where a schema allows none, the validator speaks of the first entry, as if it were the map.
        for step in pointer:
            whole = whole[step]
        yield from _unknown(pointer, list(whole), schema, whole)
        return
    explain: Explain = _EXPLAIN.get(keyword, _other)
    yield from explain(error, pointer, value, schema)


def as_written(hint: Sentence, written: str) -> Sentence:
    """A hint to put a value in quotes, with the value as it stands in the file: of `1.10`, its number says less."""
    return _in_quotes(written) if written and is_about_quoting(hint) else hint


def is_about_quoting(hint: Sentence) -> bool:
    """Whether a hint is to put a value in quotes."""
    return hint.template == _IN_QUOTES


def about_quotes(hint: Sentence) -> bool:
    """Whether a hint is about how a value is written out, which is nothing for one that is computed."""
    return hint.template in _WRITTEN_OUT


def _in_quotes(value: Operand) -> Sentence:
    return say('Write "{}" in quotes.', value)


def _without_quotes(value: str) -> Sentence:
    return say("Write {} without quotes.", value)


def _on_its_line(value: str) -> Sentence:
    return say("Write {} behind its key: a text with a line break is no integer.", value.strip())


_IN_QUOTES = _in_quotes("").template
_WRITTEN_OUT = frozenset(hint("").template for hint in (_in_quotes, _without_quotes, _on_its_line))


def _gives(value: Any) -> Sentence:
    return say("this is secret") if isinstance(value, Secret) else say("this gives {}", Described(value))


def _type(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    names = {
        "integer": "an integer",
        "number": "a number",
        "string": "text",
        "boolean": "true or false",
        "array": "a list",
        "object": "a map",
        "null": "null",
    }
    types = error.kind.types if hasattr(error.kind, "types") else [error.kind.value]
    if isinstance(types, str):
        types = [types]
    expected = listed((names.get(str(t), str(t)) for t in types), "or")
    hint = NOTHING
    if isinstance(value, str):
        if (
            ("integer" in types and re.fullmatch(r"[-+]?[0-9]+", value))
            or ("number" in types and re.fullmatch(r"[-+]?[0-9.]+", value))
            or ("boolean" in types and value in ("true", "false"))
        ):
            hint = _without_quotes(value)
        elif value.endswith("\n") and "integer" in types and re.fullmatch(r"[-+]?[0-9]+\n+", value):
            hint = _on_its_line(value)
        elif "boolean" in types and value.lower() in ("yes", "no", "on", "off"):
            hint = say("Write {}; YAML 1.2 reads {} as text.", "true" if value.lower() in ("yes", "on") else "false", value)
    elif "string" in types and isinstance(value, int | float):
        hint = _in_quotes(str(value).lower() if isinstance(value, bool) else value)
    given = "a secret of another type is given" if isinstance(value, Secret) else _gives(value)
    yield Violation("type", pointer, say("{name} takes {}, and {}.", expected, given), hint, expected)


def _enum(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    yield _none_of(error.kind.options if hasattr(error.kind, "options") else error.kind.value, pointer, value)


def _none_of(options: list[Any], pointer: Pointer, value: Any) -> Violation:
    expected = say("one of {}", listed(_texts(options), "or", 12))
    hint = nearest(value, [option for option in options if isinstance(option, str)]) if isinstance(value, str) else NOTHING
    return Violation("value", pointer, say("{name} takes {}, and {}.", expected, _gives(value)), hint, expected)


def _texts(options: list[Any]) -> list[Operand]:
    return [option if isinstance(option, str) else Value(option) for option in options]


def _const(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    expected = Value(error.kind.value)
    yield Violation("value", pointer, say("{name} takes only {}, and {}.", expected, _gives(value)), NOTHING, expected)


def _bound(words: str, id: str = "range") -> Explain:
    def explain(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
        expected = Sentence(words, (Value(error.kind.value),))
        yield Violation(id, pointer, say("{name} takes {}, and {}.", expected, _gives(value)), NOTHING, expected)

    return explain


def _length(words: str, measure: str) -> Explain:
    def explain(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
        limit = error.kind.value
        expected = say("{} {}", words, Counted(limit, *measure.split("/")))
        given = say("this is secret") if isinstance(value, Secret) else say("this has {}", len(value))
        if isinstance(value, str):
            given = say("{}: {}", given, Value(value))
        yield Violation("length", pointer, say("{name} takes {}, and {}.", expected, given), NOTHING, expected)

    return explain


def _pattern(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    expected = say("text that matches {}", error.kind.value)
    yield Violation("pattern", pointer, say("{name} takes {}, and {}.", expected, _gives(value)), NOTHING, expected)


def _format(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    name = error.kind.value
    expected, hint = format_words(name)
    if name == "cidr" and isinstance(value, str) and (around := network_of(value)):
        hint = say("The range that it lies in is {}.", Derived(around))
    yield Violation("format", pointer, say("{name} takes {}, and {}.", expected, _gives(value)), hint, expected)


def _required(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    missing = _missing_key(error)
    yield Violation(
        "missing", (*pointer, missing), say("{name} is required and is not set."), say("Add `{}`.", missing), missing, on_key=True
    )


def _additional(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    yield from _unknown(pointer, error.kind.unexpected, schema, value if isinstance(value, dict) else {})


def _unknown(pointer: Pointer, names: list[str], schema: Any, value: dict[str, Any]) -> Iterator[Violation]:
    within = subschema(schema, pointer)
    known = [name for part in within for name in part.get("properties", ())]
    for name in names:
        held = value.get(name)
        if isinstance(held, dict) and held and all(key in known for key in held):
            hint = say("Known in its place: {}. Write what it holds there.", listed(sorted(held)[:12]))
            yield Violation("unknown", (*pointer, name), say("{name} is not known here."), hint, name, on_key=True, meant=tuple(held))
            continue
        hint = nearest(name, known, say("Known here: {}.", listed(sorted(known)[:12])) if known else NOTHING)
        yield Violation(
            "unknown",
            (*pointer, name),
            say("{name} is not known here."),
            hint,
            name,
            on_key=True,
            meant=tuple(filter(None, [near(name, known)])),
        )


def _unique(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    yield Violation("value", pointer, say("{name} takes a list without repeated items, and this repeats one."), NOTHING, "unique items")


def _alternatives(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    parts = subschema(schema, pointer)
    branches = [branch for part in parts for branch in part.get(error.kind.name, ()) if isinstance(branch, dict)]
    meant = _meant_form(branches, value, schema) if "multiple" not in type(error.kind).__name__.lower() else None
    if meant is not None and (told := list(_within_form(meant, pointer, value, schema))):
        yield from told
        return
    name, options = _told_apart(branches, schema)
    if isinstance(value, dict) and name and name not in value:
        hint = say("It says which form is meant: {}.", listed(_texts(options), "or"))
        yield Violation("missing", (*pointer, name), say("{name} is required and is not set."), hint, name, on_key=True)
        return
    if isinstance(value, dict) and name and value[name] not in options:
        yield _none_of(options, (*pointer, name), value[name])
        return
    words = [str(branch.get("title") or branch.get("type") or branch.get("const") or "") for branch in branches]
    named = [word for word in dict.fromkeys(words) if word]
    expected = say("one of its forms ({})", listed(named, "or")) if named else say("one of its forms")
    count = (
        "more than one fits"
        if "multiple" in type(error.kind).__name__.lower()
        else say("none fits {}", "this secret" if isinstance(value, Secret) else Described(value))
    )
    yield Violation("value", pointer, say("{name} takes {}, and {}.", expected, count), NOTHING, expected)


def _meant_form(branches: list[dict[str, Any]], value: Any, root: Any) -> dict[str, Any] | None:
    """The one form whose properties a map has, more than those of the others, and what it says of itself by a constant."""
    if not isinstance(value, dict):
        return None
    scores = []
    for branch in branches:
        whole = referred(branch["$ref"], root) if isinstance(branch.get("$ref"), str) else branch
        properties = whole.get("properties", {}) if isinstance(whole, dict) else {}
        known = sum(key in properties or bool(near(key, properties)) for key in value)
        constants = [key for key, part in properties.items() if isinstance(part, dict) and "const" in part and key in value]
        scores.append(known - len(value) + sum(10 if value[key] == properties[key]["const"] else -10 for key in constants))
    best = max(scores, default=0)
    return branches[scores.index(best)] if scores.count(best) == 1 and best > -len(value) else None


def _told_apart(branches: list[dict[str, Any]], root: Any) -> tuple[str, list[Any]]:
    """The property by whose constants forms are told apart, with these; an empty name where there is none."""
    wholes = [referred(each["$ref"], root) if isinstance(each.get("$ref"), str) else each for each in branches]
    properties = [whole.get("properties", {}) if isinstance(whole, dict) else {} for whole in wholes]
    for name in properties[0] if len(properties) > 1 else ():
        parts = [each.get(name) for each in properties]
        if all(isinstance(part, dict) and "const" in part for part in parts):
            return name, [part["const"] for part in parts]
    return "", []


def _within_form(branch: dict[str, Any], pointer: Pointer, value: Any, root: Any) -> Iterator[Violation]:
    """What one form says against a value; a key that was meant is not missed as well."""
    try:
        found = Validator(by_itself(branch, root)).violations(value)
    except SchemaError:
        return
    meant = {(*each.pointer[:-1], one) for each in found for one in each.meant}
    for each in found:
        if not (each.id == "missing" and each.pointer in meant):
            yield replace(each, pointer=(*pointer, *each.pointer))


def _other(error: Any, pointer: Pointer, value: Any, schema: Any) -> Iterator[Violation]:
    given = "this secret" if isinstance(value, Secret) else Described(value)
    yield Violation("value", pointer, say("{name} does not meet its schema's `{}`: {}.", error.kind.name, given), NOTHING, error.kind.name)


_EXPLAIN: dict[str, Explain] = {
    "type": _type,
    "enum": _enum,
    "const": _const,
    "minimum": _bound("at least {}"),
    "maximum": _bound("at most {}"),
    "exclusiveMinimum": _bound("more than {}"),
    "exclusiveMaximum": _bound("less than {}"),
    "multipleOf": _bound("a multiple of {}"),
    "minLength": _length("at least", "character"),
    "maxLength": _length("at most", "character"),
    "minItems": _length("at least", "item"),
    "maxItems": _length("at most", "item"),
    "minProperties": _length("at least", "entry/entries"),
    "maxProperties": _length("at most", "entry/entries"),
    "pattern": _pattern,
    "format": _format,
    "required": _required,
    "additionalProperties": _additional,
    "uniqueItems": _unique,
    "anyOf": _alternatives,
    "oneOf": _alternatives,
}
