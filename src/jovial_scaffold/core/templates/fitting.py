"""Whether a result, or what is known of one, fits the place it is put in: a property, a text, `$when`, `$per`."""

import re
from collections.abc import Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.types import Type, has_abstract, type_of_value
from jovial_scaffold.core.expressions.values import is_bearable
from jovial_scaffold.core.limits import STATIC_VALUES
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.formats import format_words
from jovial_scaffold.core.schemas.keywords import is_by_property
from jovial_scaffold.core.schemas.letters import form_of, letters_of
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import Shape, secret_shape, with_secrets
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.schemas.validation import SchemaError, Validator, Violation
from jovial_scaffold.core.spelling import near
from jovial_scaffold.core.templates.advice import as_text, of_computed
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.words import NOTHING, Counted, Operand, Sentence, Value, listed, nearest, say


class PropertyPlace(NamedTuple):
    """A property of a resource type: the type's schema and id, and the pointer into it; no schema for what stands elsewhere."""

    schema: dict[str, Any] | None
    type_id: str
    pointer: Pointer


class Fitting:
    """Judges results for properties; the schemas of properties are compiled once."""

    def __init__(self) -> None:
        self._properties: dict[tuple[str, str], PropertyPlace] = {}
        self._validators: dict[tuple[str, Pointer], Validator | None] = {}
        self._takes: dict[tuple[str, Pointer], tuple[tuple[Any, ...] | None, re.Pattern[str] | None]] = {}
        self._roots: dict[str, Shape | None] = {}
        self._secret_shapes: dict[tuple[str, Pointer], Shape | None] = {}
        self._wanted: dict[tuple[str, Pointer], Type] = {}

    def place(self, kind: ResourceType | None, name: str) -> PropertyPlace:
        """That of a property of a type. What a closed type does not know is wrong by its name, whatever its value is; so is what is free."""
        if kind is None:
            return PropertyPlace(None, "", (name,))
        key = (kind.id, name)
        if key not in self._properties:
            is_any = is_by_property(kind.schema) and name not in kind.schema.get("properties", {})
            self._properties[key] = PropertyPlace(None, "", (name,)) if is_any else PropertyPlace(kind.schema, kind.id, (name,))
        return self._properties[key]

    def faults(self, place: PropertyPlace, result: Any) -> list[EvaluationError]:
        """What is wrong with a result: all that its schema says of a value, or that no value of its type fits."""
        if not is_bearable(result, STATIC_VALUES.most):
            return []
        known = type_of_value(result)
        if known.is_only("optional_type"):
            hint = say("Write ${?…} to leave the property out then, or .orValue(…).")
            return [EvaluationError(say("The result is an optional, which may hold nothing."), hint=hint, id="type-mismatch")]
        if known.is_only("timestamp", "duration", "bytes", "type"):
            return [
                EvaluationError(
                    say("A {} cannot stand in a resource.", known.text()), hint=say("Convert it with string(…)."), id="type-mismatch"
                )
            ]
        if place.schema is None:
            return []
        shape = self._secret_shape(place)
        if has_abstract(result):
            fault = self._type_fault(place, known)
            if fault is not None and shape is not None:
                message = say("`{}` does not take what is given, which is secret.", pointer_text(place.pointer))
                fault = EvaluationError(message, id=fault.id)
            return [fault] if fault else []
        validator = self.validator(place)
        violations = validator.violations(with_secrets(shape, result)) if validator else []
        if (
            type(result) is float
            and result.is_integer()
            and type_of_schema({"allOf": []} if validator is None else self._part(place)).is_only("int")
        ):
            violations = [
                Violation(
                    "type",
                    (),
                    say("{name} takes an integer, and this gives the double {}.", Value(result)),
                    say("Write int(…) around the expression."),
                    "",
                )
            ]
        return [_violation_error(violation, place) for violation in violations if not (violation.id == "unknown" and violation.pointer)]

    def may_hold_text(self, place: PropertyPlace, known: Type) -> bool:
        """Whether a text of which the length is known fits a place, for all that is known of it: one that is no choice between texts."""
        wanted = self._wanted_at(place)
        return wanted.options is None and self._type_fault(place, known) is None

    def is_secret(self, place: PropertyPlace) -> bool:
        """Whether something is secret at a place."""
        return self._secret_shape(place) is not None

    def _secret_shape(self, place: PropertyPlace) -> Shape | None:
        """What is secret at a place; None where nothing is."""
        key = (place.type_id, place.pointer)
        if key not in self._secret_shapes:
            if place.type_id not in self._roots:
                self._roots[place.type_id] = secret_shape(place.schema)
            shape = self._roots[place.type_id]
            for step in place.pointer:
                if shape is None or shape.write_only:
                    break
                shape = shape.item(step) if isinstance(step, int) else shape.of(step)
            self._secret_shapes[key] = shape if shape is not None and shape.holds_secrets() else None
        return self._secret_shapes[key]

    def never(self, parts: Sequence[str | None], place: PropertyPlace) -> EvaluationError | None:
        """What is wrong with a text that is joined of known parts and others, whatever those turn out to be."""
        key = (place.type_id, place.pointer)
        if key not in self._takes:
            pattern = self._part(place).get("pattern") if isinstance(self._part(place), dict) else None
            self._takes[key] = (self._wanted_at(place).options, letters_of(pattern) if isinstance(pattern, str) else None)
        options, letters = self._takes[key]
        name = say("`{}`", pointer_text(place.pointer))
        if options is not None:
            form = re.compile("".join(".*" if each is None else re.escape(each) for each in parts), re.DOTALL)
            if not any(isinstance(option, str) and form.fullmatch(option) for option in options):
                message = say("{} takes {}, and this text is none of them.", name, self._wanted_at(place).text())
                return EvaluationError(message, id="property-value")
        strange = next((each for each in parts if each is not None and letters is not None and not letters.fullmatch(each)), None)
        if strange is not None and options is None:
            shown = Value(strange) if self._secret_shape(place) is None else "a part of it"
            message = say("{} takes text that matches {}, and {} here does not.", name, self._part(place)["pattern"], shown)
            return EvaluationError(message, id="property-pattern")
        return None

    def takes_joined(self, parts: Sequence["str | Type | Piece"], place: PropertyPlace) -> bool:
        """Whether a text that is joined of texts, of values of some types, and of texts of which the letters are known fits a place, whatever
        those values are."""
        schema, wanted = self._part(place), self._wanted_at(place)
        every = [piece for piece in map(_piece_of, parts) if piece is not None]
        if not isinstance(schema, dict) or schema.keys() & _LIMITS - {"pattern"} or not wanted.is_only("string") or len(every) < len(parts):
            return False
        shortest = sum(each.shortest for each in every)
        longest = None if any(each.longest is None for each in every) else sum(each.longest or 0 for each in every)
        if shortest < wanted.shortest or (wanted.longest is not None and (longest is None or longest > wanted.longest)):
            return False
        pattern = schema.get("pattern")
        if pattern is None:
            return True
        form = form_of(pattern) if isinstance(pattern, str) else None
        if form is None or shortest < form.least or not all(_all_fit(each.others, form.others) for each in every):
            return False
        for each in every:
            if not _all_fit(each.first, form.first):
                return False
            if each.shortest:
                return True
        return not form.least

    def is_certain(self, place: PropertyPlace, known: Type) -> bool:
        """Whether every value of a type fits a place."""
        if place.schema is None:
            return known.is_only("string", "int", "uint", "double", "bool", "null_type", "list", "map")
        part = self._part(place)
        if not isinstance(part, dict) or not part:
            return False
        if known.options is not None:
            validator = self.validator(place)
            return validator is not None and all(not validator.violations(option) for option in known.options)
        wanted = type_of_schema(part, place.schema)
        kinds = wanted.kinds | {"int"} if "double" in wanted.kinds else wanted.kinds
        limits = part.keys() & _LIMITS
        if known.format is not None and known.format == part.get("format"):
            limits -= {"format"}
        if not known.kinds or not known.kinds <= kinds or limits:
            return False
        lengths = _above(known.longest, wanted.longest) or (known.longest is None and wanted.longest is not None)
        return not lengths and known.shortest >= wanted.shortest and _within(known, wanted)

    def _wanted_at(self, place: PropertyPlace) -> Type:
        key = (place.type_id, place.pointer)
        if key not in self._wanted:
            self._wanted[key] = type_of_schema(self._part(place), place.schema)
        return self._wanted[key]

    def _type_fault(self, place: PropertyPlace, known: Type) -> EvaluationError | None:
        return _fault(place.pointer, known, self._wanted_at(place))

    def _part(self, place: PropertyPlace) -> Any:
        parts = subschema(place.schema, place.pointer)
        return parts[0] if len(parts) == 1 else {}

    def validator(self, place: PropertyPlace) -> Validator | None:
        """The compiled schema of a property; None where it has none by itself."""
        key = (place.type_id, place.pointer)
        if key not in self._validators:
            part = self._part(place)
            try:
                self._validators[key] = Validator(part) if part and "$ref" not in str(part) else None
            except SchemaError:
                self._validators[key] = None
        return self._validators[key]


class Piece(NamedTuple):
    """What is known of a text by its letters: those that it may begin with, all that it may hold, and its length."""

    first: frozenset[str]
    others: frozenset[str]
    shortest: int
    longest: int | None

    @classmethod
    def of(cls, texts: Sequence[str]) -> "Piece":
        """That of one of some texts."""
        first, lengths = frozenset(each[:1] for each in texts) - {""}, list(map(len, texts))
        return cls(first, frozenset("".join(texts)), min(lengths), max(lengths))

    @classmethod
    def of_schema(cls, schema: dict[str, Any], known: Type) -> "Piece | None":
        """That of all texts that a schema accepts; None where it does not say which letters they have."""
        pattern = schema.get("pattern")
        form = form_of(pattern) if isinstance(pattern, str) and pattern.isascii() else None
        if form is None or not known.is_only("string"):
            return None
        first, others = (frozenset(each for each in _ASCII if kind.fullmatch(each)) for kind in (form.first, form.others))
        return cls(first, first | others, max(known.shortest, form.least), known.longest)


_ASCII = tuple(map(chr, range(128)))


def _piece_of(part: str | Type | Piece) -> Piece | None:
    """What is known of a part of a text; None where that is not enough."""
    texts = None if isinstance(part, Piece) else _texts_of(part)
    return part if isinstance(part, Piece) else Piece.of(texts) if texts is not None else None


def _all_fit(letters: frozenset[str], pattern: re.Pattern[str]) -> bool:
    return all(pattern.fullmatch(each) for each in letters)


def _fault(pointer: Pointer, known: Type, wanted: Type) -> EvaluationError | None:
    """What is wrong with every value of a type where another one is wanted."""
    name = say("`{}`", pointer_text(pointer))
    if not wanted.kinds or not known.kinds:
        return None
    kinds = wanted.kinds | {"int"} if "double" in wanted.kinds else wanted.kinds
    if known.kinds.isdisjoint(kinds):
        message = say("{} takes {}, and this gives {}.", name, _article(wanted), _article(known))
        converts = "string" in wanted.kinds and wanted.options is None and known.is_only("int", "double", "bool")
        return EvaluationError(message, hint=as_text() if converts else NOTHING, id="property-type")
    if wanted.refers is not None and known.refers is not None and _is_of_others(known.refers, wanted.refers):
        takes, gives = (listed(sorted(each), "or") for each in (wanted.refers, known.refers))
        return EvaluationError(say("{} refers to {}, and this is {}.", name, takes, gives), id="property-reference")
    if wanted.options is not None and known.options is not None and not set(map(repr, known.options)) & set(map(repr, wanted.options)):
        hint = next((advice for option in known.options if (advice := near(str(option), map(str, wanted.options)))), "")
        return EvaluationError(
            say("{} takes {}, and this gives {}.", name, wanted.text(), known.text()),
            hint=say("Did you mean `{}`?", hint) if hint else NOTHING,
            id="property-value",
        )
    if wanted.options is not None and known.options is None and not any(_may_be(known, option) for option in wanted.options):
        return EvaluationError(say("{} takes {}, and this gives {}.", name, wanted.text(), known.text()), id="property-value")
    if known.format != wanted.format and {known.format, wanted.format} <= _APART:
        words, example = format_words(str(wanted.format))
        message = say("{} takes {}, and this gives {}.", name, words, format_words(str(known.format))[0])
        return EvaluationError(message, hint=example, id="property-format")
    if known.is_only("int", "double") and (_above(known.low, wanted.high) or _above(wanted.low, known.high)):
        return EvaluationError(say("{} takes {}, and this gives {}.", name, wanted.text(), known.text()), id="property-range")
    if (
        known.is_only("string")
        and wanted.is_only("string")
        and (_above(known.shortest, wanted.longest) or _above(wanted.shortest, known.longest))
    ):
        return EvaluationError(say("{} takes a text of another length than this can have.", name), id="property-length")
    return _size_fault(name, known, wanted) or _inner_fault(pointer, known, wanted)


def _inner_fault(pointer: Pointer, known: Type, wanted: Type) -> EvaluationError | None:
    """The same of items that there are, and of entries that are always there."""
    if known.is_only("list") and wanted.is_only("list") and known.shortest and known.items is not None and wanted.items is not None:
        return _fault((*pointer, 0), known.items, wanted.items)
    if not known.is_only("map") or not wanted.is_only("map") or known.fields is None or wanted.fields is None:
        return None
    for name, field in known.fields.items():
        below = wanted.fields[name].type if name in wanted.fields else wanted.others
        if field.required and below is None:
            hint = nearest(name, wanted.fields, say("Known here: {}.", listed(sorted(wanted.fields)[:12])) if wanted.fields else NOTHING)
            return EvaluationError(say("`{}` is not known here.", pointer_text((*pointer, name))), hint=hint, id="property-unknown")
        fault = _fault((*pointer, name), field.type, below) if field.required and below is not None else None
        if fault is not None:
            return fault
    missing = [name for name, field in wanted.fields.items() if field.required and name not in known.fields]
    if known.others is None and missing:
        message = say("`{}` is required and is not set.", pointer_text((*pointer, missing[0])))
        return EvaluationError(message, hint=say("Add `{}`.", missing[0]), id="property-missing")
    return None


# Formats of which no text is of two. (An address of version 6 may be read as a URI.)
_APART = frozenset(("cidr", "address", "date-time", "date", "email", "uuid", "duration"))


def _may_be(known: Type, option: Any) -> bool:
    """Whether a value of a type may be one of those that are wanted, by its kind and bounds."""
    own = type_of_value(option)
    if own.is_only("int", "double"):
        return known.may_be("int", "double") and not _above(known.low, own.high) and not _above(own.low, known.high)
    return known.may_be(*own.kinds) and not _above(known.shortest, own.longest) and not _above(own.shortest, known.longest)


def _size_fault(name: Operand, known: Type, wanted: Type) -> EvaluationError | None:
    """What is wrong with how many items or entries there are, whatever they are."""
    for kind, unit in (("list", ("item",)), ("map", ("entry", "entries"))):
        if not known.is_only(kind) or not wanted.is_only(kind):
            continue
        exact = known.shortest == known.longest
        if wanted.longest is not None and known.shortest > wanted.longest:
            has = say("this has {}", known.shortest) if exact else say("this has {} or more", known.shortest)
            return EvaluationError(say("{} takes at most {}, and {}.", name, Counted(wanted.longest, *unit), has), id="property-length")
        if known.longest is not None and known.longest < wanted.shortest:
            has = say("this has {}", known.longest) if exact else say("this has {} or fewer", known.longest)
            return EvaluationError(say("{} takes at least {}, and {}.", name, Counted(wanted.shortest, *unit), has), id="property-length")
    return None


_LIMITS = frozenset(
    (
        *("enum", "const", "pattern", "format", "multipleOf", "exclusiveMinimum", "exclusiveMaximum", "uniqueItems", "contains", "not"),
        *("if", "items", "prefixItems", "properties", "patternProperties", "additionalProperties", "required", "propertyNames", "$ref"),
        *("anyOf", "oneOf", "allOf", "dependentRequired", "dependentSchemas", "unevaluatedProperties", "unevaluatedItems"),
        *("minProperties", "maxProperties"),
    )
)
"""What a schema may say beyond kinds, bounds and lengths."""


def _texts_of(part: str | Type) -> tuple[str, ...] | None:
    """All that a part of a text can be; None where that is not known."""
    if isinstance(part, str):
        return (part,)
    if part.options is None or not part.options or not all(type(option) in (str, bool, int) for option in part.options):
        return None
    return tuple(scalar_text(option) for option in part.options)


def _within(known: Type, wanted: Type) -> bool:
    """Whether the numbers of a type lie within the bounds of another."""
    low = wanted.low is None or (known.low is not None and known.low >= wanted.low)
    return low and (wanted.high is None or (known.high is not None and known.high <= wanted.high))


def counting(text: str) -> Sentence:
    """How a loop goes over a number, whose expression is a text."""
    return say("lists.range({}) counts from 0.", text) if text else NOTHING


def condition_fault(result: Any, role: str, text: str = "") -> EvaluationError | None:
    """The error of a `$when`, loop or key that surely gives something else; None where it may fit. `text` is its expression."""
    known = type_of_value(result)
    if role in ("$when", "$keep", "require", "where") and not known.may_be("bool"):
        return EvaluationError(say("`{}` takes true or false, and this gives {}.", role, known.text()), id="type-mismatch")
    if role in ("loop", "items") and not known.may_be("list", "map"):
        hint = counting(text) if known.is_only("int") else NOTHING
        return EvaluationError(say("`$per` goes over a list or map, and this gives {}.", known.text()), hint=hint, id="loop-invalid")
    if (
        role == "items"
        and known.is_only("list")
        and known.items is not None
        and known.longest != 0
        and not known.items.may_be("string", "int")
    ):
        hint = say("Write `$key:` with the field that tells the items apart.") if known.items.is_only("map") else NOTHING
        return EvaluationError(
            say("The key of an item is a text or an integer, and this is {}.", _article(known.items)), hint=hint, id="key-invalid"
        )
    if role == "key" and not known.may_be("string", "int"):
        return EvaluationError(say("The key of an item is a text or an integer, and this is {}.", _article(known)), id="key-invalid")
    return None


def omittable_fault(result: Any) -> EvaluationError | None:
    """The error of `${?…}` around what is no optional."""
    known = type_of_value(result)
    if not known.may_be("optional_type"):
        return EvaluationError(
            say("`${?…}` takes an optional, and this is {}.", known.text()),
            hint=say("Write ${…} for a value that is always there."),
            id="type-mismatch",
        )
    return None


def text_fault(result: Any) -> EvaluationError | None:
    """The error of joining what has no text into a text."""
    known = type_of_value(result)
    if known.may_be("string", "bool", "int", "double", "uint"):
        return None
    hint = (
        say("Write .orValue(…) to say what holds instead.")
        if known.is_only("optional_type")
        else say("Choose one of its fields, or write as_json(…).")
    )
    return EvaluationError(
        say("Only text, booleans and numbers can be joined into text, and this is {}.", known.text()), hint=hint, id="type-mismatch"
    )


def _violation_error(violation: Violation, place: PropertyPlace) -> EvaluationError:
    pointer = (*place.pointer, *violation.pointer)
    message = violation.message.about(say("`{}`", pointer_text(pointer)))
    error = EvaluationError(message, hint=of_computed(violation.hint, violation.expected), id=f"property-{violation.id}")
    error.rest = None if violation.on_key else violation.pointer
    return error


def _is_of_others(given: frozenset[str], wanted: frozenset[str]) -> bool:
    """Whether what is given belongs to other types, under a name that is wanted: of `machine:network_id`, nobody knows what it refers to."""
    names = {each.partition(":")[2] for each in wanted}
    return wanted.isdisjoint(given) and all(each.partition(":")[2] in names for each in given)


def _above(low: float | None, high: float | None) -> bool:
    return low is not None and high is not None and low > high


def _article(known: Type) -> Operand:
    words = {
        "int": "an integer",
        "double": "a number",
        "string": "text",
        "bool": "true or false",
        "list": "a list",
        "map": "a map",
        "null_type": "null",
    }
    if known.options is not None and len(known.options) <= 4:
        return known.text()
    return listed((words.get(each, each) for each in sorted(known.kinds)), "or")
