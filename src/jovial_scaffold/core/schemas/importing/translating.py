"""A foreign schema written anew in JSON Schema 2020-12, such that the same values are valid; what has no counterpart is noted.

OpenAPI 3.0 is read by its section 4.7.24 ("Schema Object"), with `nullable` as 3.0.3 has it; JSON Schema by the appendix "Changes" of each
draft.
"""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.limits import INT64_MAX, INT64_MIN, NESTING
from jovial_scaffold.core.schemas.importing.documents import Documents, Place
from jovial_scaffold.core.schemas.keywords import LISTS, MAPS, SINGLE
from jovial_scaffold.core.schemas.validation import SchemaError, Validator
from jovial_scaffold.core.text.patterns import linear_pattern

_NUMBERS = (
    *("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "minLength", "maxLength", "minItems", "maxItems"),
    *("minProperties", "maxProperties", "minContains", "maxContains"),
)
_KEPT = (
    *_NUMBERS,
    "type",
    "enum",
    "const",
    "uniqueItems",
    "dependentRequired",
    "title",
    "description",
    "deprecated",
    "readOnly",
    "writeOnly",
    "contentEncoding",
    "contentMediaType",
)
# JSON Schema 2020-12, Validation, section 7.3; what the validator knows of them
FORMATS = frozenset(
    (
        *("date-time", "date", "time", "duration", "email", "idn-email", "hostname", "idn-hostname", "ipv4", "ipv6", "uri"),
        *("uri-reference", "iri", "iri-reference", "uuid", "uri-template", "json-pointer", "relative-json-pointer", "regex"),
    )
)
_EXAMPLES = ("example", "examples", "x-example", "x-examples")
_IDENTIFIERS = (
    "$schema",
    "$id",
    "id",
    "$anchor",
    "$vocabulary",
    "$recursiveAnchor",
    "$dynamicAnchor",
    "openapi",
    "info",
    "paths",
    "components",
)
#: why something is left out, or otherwise than it was
PATTERN = "its pattern cannot be matched in linear time, or is none"
REQUIRED = "the cloud sets it (readOnly), so nobody can be asked to"
FORMAT = "a format that JSON Schema does not have: any text passes"
CHECKED = "is checked here; its standard leaves that open"
PASSWORD = "became writeOnly, so that it is never shown"
EXAMPLE = "examples are not taken over"
UNKNOWN = "no keyword that judges a value"
BESIDE = "what stands beside a $ref is ignored by its standard"
NOWHERE = "leads nowhere, or out of the folder: anything passes"
DEEP = "nested too deep: anything passes"
HINT = "the forms are told apart by what they say themselves (OpenAPI 3.0.4 and 3.1.1)"
DYNAMIC = "read as $ref, without looking at who refers"
DEFAULT = "the default does not fit its own schema"
NUMBER = "beyond 64 bits: written as the nearest floating-point number"
INVALID = "not as JSON Schema has it"
SHAPE = "no schema: anything passes"

Note = Callable[[str, str, Place], None]


class Translator:
    """Writes schemas anew. `refer` gives the reference to a place; `note` takes what has no counterpart: what, why, and where."""

    def __init__(self, documents: Documents, refer: Callable[[Place], str], note: Note) -> None:
        self._documents = documents
        self._refer = refer
        self._note = note
        self._linear: dict[str, bool] = {}

    def schema(self, place: Place) -> Any:
        """The schema at a place."""
        return self._schema(self._documents.at(place), place, {}, 0)

    def _schema(self, value: Any, place: Place, around: Mapping[str, list[tuple[Any, Place]]], depth: int) -> Any:
        """`around` are the properties that schemas say which apply to the same value."""
        if isinstance(value, bool):
            return value
        if not isinstance(value, dict) or depth > NESTING.most:
            self._note("schema", DEEP if isinstance(value, dict) else SHAPE, place)
            return True
        place = place.within(value)
        dialect = place.document.dialect
        if dialect.lone_references and "$ref" in value:
            for key in value.keys() - {"$ref", "title", "description", *MAPS, *_IDENTIFIERS}:
                self._note(key, BESIDE, place)
            target = self._reference(value["$ref"], place)
            told = {key: plain(value[key]) for key in ("title", "description") if isinstance(value.get(key), str)}
            return {**told, **target} if isinstance(target, dict) else target
        properties = self._properties(value, place, around) if value.keys() & {"required", "allOf"} else {}
        made: dict[str, Any] = {}
        for key, item in value.items():
            self._keyword(made, key, item, place, properties, depth)
        if dialect.tuples and isinstance(value.get("items"), list):
            made["prefixItems"] = made.pop("items")
            if "additionalItems" in value:
                made["items"] = self._schema(value["additionalItems"], place.child("additionalItems"), {}, depth + 1)
        if len(made.get("patternProperties", ())) < _count(value.get("patternProperties")):
            # What such a name has would be refused, or judged as another one, where others are forbidden: so they are let through.
            made["additionalProperties"] = True
        if dialect.boolean_bounds:
            self._bounds(made, value)
        if dialect.nullable and value.get("nullable") is True and isinstance(made.get("type"), str):
            made["type"] = [made["type"], "null"]
        if isinstance(value.get("required"), list):
            self._required(made, value["required"], place, properties)
        if "default" in value:
            self._default(made, value["default"], place)
        return made

    def _keyword(self, made: dict[str, Any], key: str, item: Any, place: Place, properties: Mapping[str, Any], depth: int) -> None:
        at, dialect = place.child(key), place.document.dialect
        if key in ("$ref", "$recursiveRef", "$dynamicRef"):
            if key != "$ref":
                self._note(key, DYNAMIC, place)
            target = self._reference(item, place)
            if isinstance(target, dict):
                made.update(target)
        elif key == "items" and isinstance(item, list) and dialect.tuples:
            made[key] = [self._schema(each, at.child(index), {}, depth + 1) for index, each in enumerate(item)]
        elif key in SINGLE:
            made[key] = self._schema(item, at, {}, depth + 1)
        elif key in LISTS and isinstance(item, list):
            shared = properties if key == "allOf" else {}
            made[key] = [self._schema(each, at.child(index), shared, depth + 1) for index, each in enumerate(item)]
        elif key in ("properties", "dependentSchemas") and isinstance(item, dict):
            made[key] = {plain(name): self._schema(each, at.child(name), {}, depth + 1) for name, each in item.items()}
        elif key == "patternProperties" and isinstance(item, dict):
            self._patterned(made, item, at, depth)
        elif key in ("$defs", "definitions"):
            return  # named schemas are written where they are referred to
        elif key in ("exclusiveMinimum", "exclusiveMaximum") and isinstance(item, bool) and dialect.boolean_bounds:
            return  # see `_bounds`
        elif key in _KEPT:
            made[key] = self._plain(item, key, at)
        elif key == "pattern":
            if self._is_linear(item):
                made[key] = plain(item)
            else:
                self._note(key, PATTERN, place)
        elif key == "format":
            self._format(made, item, place)
        elif key == "dependencies" and dialect.dependencies and isinstance(item, dict):
            for name, each in item.items():
                if isinstance(each, list):
                    made.setdefault("dependentRequired", {})[plain(name)] = plain(each)
                else:
                    made.setdefault("dependentSchemas", {})[plain(name)] = self._schema(each, at.child(name), {}, depth + 1)
        elif key in _EXAMPLES or key == "discriminator":
            self._note(key, HINT if key == "discriminator" else EXAMPLE, place)
        elif key in (*LISTS, *MAPS) or (key == "required" and not isinstance(item, list)):
            self._note(key, INVALID, place)
        elif key not in ("required", "default", *_IDENTIFIERS, *(["nullable"] * dialect.nullable), *(["additionalItems"] * dialect.tuples)):
            self._note(key, UNKNOWN, place)

    def _reference(self, written: Any, place: Place) -> Any:
        target = self._documents.target(place, written) if isinstance(written, str) else None
        if target is None:
            self._note(f"$ref {written}" if isinstance(written, str) else "$ref", NOWHERE, place)
            return True
        return {"$ref": self._refer(target)}

    def _plain(self, item: Any, key: str, at: Place) -> Any:
        made = plain(item)
        if key in (*_NUMBERS, "enum", "const") and repr(made) != repr(item) and not isinstance(item, str):
            self._note(key, NUMBER, at)
        return made

    def _format(self, made: dict[str, Any], item: Any, place: Place) -> None:
        if item == "password":
            made["writeOnly"] = True
            self._note("format password", PASSWORD, place)
        elif isinstance(item, str) and item in FORMATS:
            made["format"] = item
            self._note(f"format {item}", CHECKED, place)
        else:
            self._note(f"format {item}" if isinstance(item, str) else "format", FORMAT, place)

    def _bounds(self, made: dict[str, Any], value: dict[str, Any]) -> None:
        """Bounds that are exclusive by a word beside them (OpenAPI 3.0, JSON Schema draft 4)."""
        for side in ("Minimum", "Maximum"):
            if value.get(f"exclusive{side}") is True and side.lower() in made:
                made[f"exclusive{side}"] = made.pop(side.lower())

    def _patterned(self, made: dict[str, Any], item: dict[str, Any], at: Place, depth: int) -> None:
        kept = {text: each for text, each in item.items() if self._is_linear(text)}
        made["patternProperties"] = {plain(text): self._schema(each, at.child(text), {}, depth + 1) for text, each in kept.items()}
        if len(kept) < len(item):
            self._note("patternProperties", PATTERN, at)

    def _required(self, made: dict[str, Any], names: list[Any], place: Place, properties: Mapping[str, list[tuple[Any, Place]]]) -> None:
        kept = []
        for name in names:
            if any(self._is_read_only(each, at, 0) for each, at in (properties.get(name, ()) if isinstance(name, str) else ())):
                self._note("required", REQUIRED, place.child("properties", name))
            else:
                kept.append(plain(name))
        if kept:
            made["required"] = list(dict.fromkeys(map(str, kept)))

    def _default(self, made: dict[str, Any], item: Any, place: Place) -> None:
        value = plain(item)
        try:
            fits = "$ref" in repr(made) or not Validator(made).violations(value)
        except SchemaError:
            fits = False
        if fits:
            made["default"] = value
        else:
            self._note("default", DEFAULT, place)

    def _properties(self, value: Any, place: Place, around: Mapping[str, list[tuple[Any, Place]]]) -> dict[str, list[tuple[Any, Place]]]:
        """The schemas of each property, as this schema, all that it is made of, and those around it have them."""
        found = {name: list(each) for name, each in around.items()}
        for part, at in self._parts(value, place, 0):
            for name, each in part["properties"].items() if isinstance(part.get("properties"), dict) else ():
                found.setdefault(name, []).append((each, at.child("properties", name)))
        return found

    def _parts(self, value: Any, place: Place, depth: int) -> list[tuple[dict[str, Any], Place]]:
        """A schema and what applies with it: through `$ref` and `allOf`."""
        if not isinstance(value, dict) or depth > 8:
            return []
        found = [(value, place)]
        target = self._documents.target(place, value["$ref"]) if isinstance(value.get("$ref"), str) else None
        if target is not None:
            found += self._parts(self._documents.at(target), target, depth + 1)
        if isinstance(value.get("allOf"), list):
            for index, each in enumerate(value["allOf"]):
                found += self._parts(each, place.child("allOf", index), depth + 1)
        return found

    def _is_linear(self, text: Any) -> bool:
        """Whether both engines that match in linear time take a pattern."""
        if not isinstance(text, str):
            return False
        if text not in self._linear:
            try:
                Validator({"pattern": plain(text)})
                linear_pattern(plain(text))
                self._linear[text] = True
            except (SchemaError, ValueError):
                self._linear[text] = False
        return self._linear[text]

    def _is_read_only(self, value: Any, place: Place, depth: int) -> bool:
        if not isinstance(value, dict) or depth > 8:
            return False
        alone = place.document.dialect.lone_references and "$ref" in value
        if value.get("readOnly") is True and not alone:
            return True
        target = self._documents.target(place, value["$ref"]) if isinstance(value.get("$ref"), str) else None
        if target is not None and self._is_read_only(self._documents.at(target), target, depth + 1):
            return True
        branches = value.get("allOf") if not alone else None
        return any(
            self._is_read_only(each, place.child("allOf", index), depth + 1)
            for index, each in enumerate(branches if isinstance(branches, list) else ())
        )


def _count(value: Any) -> int:
    return len(value) if isinstance(value, dict) else 0


def plain(value: Any, depth: int = 0) -> Any:
    """Data as our own readers take it: integers of 64 bits, texts that UTF-8 can hold."""
    if isinstance(value, str):
        return value.encode("utf-8", "replace").decode()
    if type(value) is int and not INT64_MIN <= value <= INT64_MAX:
        return float(value) if abs(value) < 1e300 else 0
    if depth > NESTING.most:
        return None
    if isinstance(value, dict):
        return {plain(str(key)): plain(item, depth + 1) for key, item in value.items()}
    return [plain(item, depth + 1) for item in value] if isinstance(value, list) else value
