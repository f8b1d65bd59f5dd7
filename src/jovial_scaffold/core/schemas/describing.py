"""A type as a person reads it: its properties one by one, an example, and what another version of it would break."""

from collections.abc import Iterator
from typing import Any, NamedTuple

from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.validation import Validator

_BOUNDS = (
    *(("minimum", "at least"), ("exclusiveMinimum", "more than"), ("maximum", "at most"), ("exclusiveMaximum", "less than")),
    *(
        ("multipleOf", "in steps of"),
        ("minLength", "at least"),
        ("maxLength", "at most"),
        ("minItems", "at least"),
        ("maxItems", "at most"),
    ),
    *(("minProperties", "at least"), ("maxProperties", "at most")),
)
_COUNTED = {"Length": "characters", "Items": "items", "Properties": "entries"}
_LEAST = ("minimum", "exclusiveMinimum", "minLength", "minItems", "minProperties")
_MOST = ("maximum", "exclusiveMaximum", "maxLength", "maxItems", "maxProperties")
_FLAGS = (("readOnly", "set by the cloud"), ("writeOnly", "secret"), ("deprecated", "deprecated"))


class Property(NamedTuple):
    """A property of a type. `path` is `disks[].gigabytes`; `depth` how far below the type it stands; `schema` its own part."""

    path: str
    depth: int
    required: bool
    schema: dict[str, Any]

    @property
    def kind(self) -> str:
        """Its type in words, or the values that it may have."""
        if "enum" in self.schema:
            return " | ".join(map(str, self.schema["enum"]))
        if "const" in self.schema:
            return str(self.schema["const"])
        if "oneOf" in self.schema:
            return "one of its forms"
        kind = self.schema.get("type", "anything")
        text = " or ".join(kind) if isinstance(kind, list) else str(kind)
        return f"{text} ({self.schema['format']})" if "format" in self.schema else text

    @property
    def bounds(self) -> str:
        """`at least 3, at most 48 characters`."""
        said = []
        for keyword, words in _BOUNDS:
            if keyword in self.schema:
                counted = next((f" {what}" for ending, what in _COUNTED.items() if keyword.endswith(ending)), "")
                said.append(f"{words} {self.schema[keyword]}{counted}")
        if "pattern" in self.schema:
            said.append(f"matches {self.schema['pattern']}")
        return ", ".join(said)

    @property
    def notes(self) -> list[str]:
        """What else is said: whether it must be set, its default, what a change does, what it refers to."""
        part = self.schema
        said = ["required"] if self.required else []
        said += [words for keyword, words in _FLAGS if part.get(keyword) is True]
        if "default" in part:
            said.append(f"else {_text(part['default'])}")
        if isinstance(part.get("unit"), str):
            said.append(f"in {part['unit']}")
        effect = part.get("changeEffect")
        if isinstance(effect, str) and effect != "in_place":
            said.append(f"a change: {effect}")
        if isinstance(part.get("refersTo"), list):
            said.append(f"refers to {', '.join(map(str, part['refersTo']))}")
        if isinstance(part.get("listKey"), str):
            said.append(f"items by {part['listKey']}")
        return said


def _text(value: Any) -> str:
    return f'"{value}"' if isinstance(value, str) and not value else str(value).lower() if isinstance(value, bool) else str(value)


def properties(schema: dict[str, Any], path: str = "", depth: int = 0) -> Iterator[Property]:
    """All properties of a schema, each before what stands in it."""
    required = schema.get("required", ())
    for name, part in schema.get("properties", {}).items():
        if isinstance(part, dict):
            at = f"{path}.{name}" if path else name
            yield Property(at, depth, name in required, part)
            yield from _below(part, at, depth + 1)


def _below(part: dict[str, Any], path: str, depth: int) -> Iterator[Property]:
    yield from properties(part, path, depth)
    for form in part.get("oneOf", ()):
        yield from properties(form, path, depth)
    if isinstance(part.get("items"), dict):
        yield from properties(part["items"], f"{path}[]", depth)
    if isinstance(part.get("additionalProperties"), dict):
        yield from properties(part["additionalProperties"], f"{path}.*", depth)


def example(schema: dict[str, Any]) -> dict[str, Any]:
    """Values for what must be set, as a person would begin."""
    return {
        name: _sample(part, name)
        for name, part in schema.get("properties", {}).items()
        if name in schema.get("required", ()) and isinstance(part, dict)
    }


_OF_FORMATS = {
    "cidr": "10.20.0.0/16",
    "address": "10.20.0.5",
    "uri": "https://alp.ridgeline.example/",
    "hostname": "alp.ridgeline.example",
    "email": "ada@ridgeline.example",
    "date": "2026-12-01",
}


def _sample(part: dict[str, Any], name: str) -> Any:
    if "default" in part:
        return part["default"]
    if "enum" in part:
        return part["enum"][0]
    if "const" in part:
        return part["const"]
    if "oneOf" in part:
        return _sample(part["oneOf"][0], name)
    targets = part.get("refersTo")
    if targets:
        kind, _, property = targets[0].partition(":")
        return f"${{{kind}.{property}}}"
    kind = part.get("type")
    if kind == "object":
        return example(part)
    if kind == "array":
        return [_sample(part.get("items", {}), name)] * max(1, part.get("minItems", 0))
    if kind in ("integer", "number"):
        return part.get("minimum", part.get("exclusiveMinimum", -1) + 1) or 1
    if kind == "boolean":
        return True
    texts = (_OF_FORMATS.get(part.get("format", ""), ""), f"alp-{name}".replace("_", "-"), f"alp_{name}", "1.0", f"/{name}")
    fits = Validator({key: value for key, value in part.items() if key != "$ref"})
    return next((text for text in texts if text and not fits.violations(text)), texts[1])


class Difference(NamedTuple):
    """What differs between two types at a property: `breaks` where what was valid may not be any more."""

    path: str
    breaks: bool
    text: str


def differences(old: ResourceType, new: ResourceType) -> list[Difference]:
    """What a resource of one type would meet as one of the other."""
    before = {each.path: each for each in properties(old.schema)}
    after = {each.path: each for each in properties(new.schema)}
    found = []
    for path, each in before.items():
        if path in after:
            found += list(_changed(each, after[path]))
        elif path.rpartition(".")[0].removesuffix("[]").removesuffix(".*") not in (before.keys() - after.keys()):
            found.append(Difference(path, True, "is gone"))
    for path, each in after.items():
        if path not in before:
            above = path.rpartition(".")[0].removesuffix("[]").removesuffix(".*")
            breaks = each.required and (not above or above in before)
            found.append(Difference(path, breaks, "is new and must be set" if breaks else f"is new: {each.kind}"))
    if new.schema.get("deprecated") is True and old.schema.get("deprecated") is not True:
        found.append(Difference("", False, "the type is deprecated"))
    return sorted(found, key=lambda each: (not each.breaks, each.path))


def _changed(old: Property, new: Property) -> Iterator[Difference]:
    if new.required and not old.required:
        yield Difference(new.path, True, "must be set now")
    gone = [str(each) for each in old.schema.get("enum", ()) if "enum" in new.schema and each not in new.schema["enum"]]
    if gone:
        yield Difference(new.path, True, f"does not take {', '.join(gone)} any more")
    elif old.kind != new.kind:
        added = [str(each) for each in new.schema.get("enum", ()) if each not in old.schema.get("enum", ())]
        grown = bool(added) and "enum" in old.schema
        yield Difference(new.path, not grown, f"takes {', '.join(added)} as well" if grown else f"was {old.kind} and is {new.kind}")
    for keyword in (*_LEAST, *_MOST):
        was, now = old.schema.get(keyword), new.schema.get(keyword)
        if was != now:
            narrower = now is not None and (was is None or (now > was if keyword in _LEAST else now < was))
            yield Difference(new.path, narrower, f"{keyword} was {_or_none(was)} and is {_or_none(now)}")
    for keyword in ("pattern", "multipleOf", "const", "uniqueItems"):
        was, now = old.schema.get(keyword), new.schema.get(keyword)
        if was != now:
            yield Difference(new.path, now not in (None, False), f"{keyword} was {_or_none(was)} and is {_or_none(now)}")
    for keyword in ("default", "changeEffect", "readOnly", "writeOnly", "deprecated", "unit"):
        was, now = old.schema.get(keyword), new.schema.get(keyword)
        if was != now:
            yield Difference(new.path, keyword == "readOnly" and now is True, f"{keyword} was {_or_none(was)} and is {_or_none(now)}")


def _or_none(value: Any) -> str:
    return "nothing" if value is None else _text(value)


def found_by(word: str, types: list[ResourceType]) -> list[tuple[ResourceType, list[Property]]]:
    """The types that a word is about: by their name, title or description; and their properties, by name or description."""
    wanted = word.casefold()
    found = []
    for each in types:
        about = f"{each.id} {each.schema.get('title', '')} {each.schema.get('description', '')}".casefold()
        hits = [one for one in properties(each.schema) if wanted in f"{one.path} {one.schema.get('description', '')}".casefold()]
        if wanted in about or hits:
            found.append((each, hits))
    return found
