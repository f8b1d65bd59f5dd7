"""A type as a person reads it: its properties one by one, an example, and what another version of it would break."""

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import referred
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
_COUNTED = {"Length": ("character", "characters"), "Items": ("item", "items"), "Properties": ("entry", "entries")}
_LEAST = ("minimum", "exclusiveMinimum", "minLength", "minItems", "minProperties")
_MOST = ("maximum", "exclusiveMaximum", "maxLength", "maxItems", "maxProperties")
_SHOWN = 400  # properties of a type, about which what stands deepest is left out
_DEEPEST = 12
_REFERENCES = 3  # what stands within more of them is shown when one asks for it
_FLAGS = (("readOnly", "set by the cloud"), ("writeOnly", "secret"), ("deprecated", "deprecated"))


class Property(NamedTuple):
    """A property of a type. `path` is `disks[].gigabytes`; `schema` its own part."""

    path: str
    required: bool
    schema: dict[str, Any]

    @property
    def depth(self) -> int:
        """How far below the type it stands."""
        return _depth(self.path)

    @property
    def kind(self) -> str:
        """Its type in words, or the values that it may have."""
        if "enum" in self.schema:
            return " | ".join(map(str, self.schema["enum"]))
        if "const" in self.schema:
            return str(self.schema["const"])
        if "oneOf" in self.schema or ("anyOf" in self.schema and "type" not in self.schema):
            return self._forms(self.schema.get("oneOf") or self.schema["anyOf"])
        kind = self.schema.get("type", "anything")
        text = " or ".join(kind) if isinstance(kind, list) else str(kind)
        return f"{text} ({self.schema['format']})" if "format" in self.schema else text

    def _forms(self, forms: Any) -> str:
        """The types of its forms, where they are simple: `string or null`."""
        kinds = [each.get("type") for each in forms if isinstance(each, dict)] if isinstance(forms, list) else []
        simple = [each for each in kinds if isinstance(each, str) and each not in ("object", "array")]
        return " or ".join(dict.fromkeys(simple)) if simple and len(simple) == len(forms) else "one of its forms"

    @property
    def bounds(self) -> str:
        """`at least 3, at most 48 characters`."""
        said = []
        for keyword, words in _BOUNDS:
            if keyword in self.schema:
                bound = self.schema[keyword]
                unit = next((f" {names[bound != 1]}" for ending, names in _COUNTED.items() if keyword.endswith(ending)), "")
                said.append(f"{words} {bound}{unit}")
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


def properties(schema: dict[str, Any], below: str = "") -> list[Property]:
    """The properties of a schema, those of its forms too, each before what stands in it; or those at and `below` a path. Of very many,
    those that stand deepest are left out."""
    return shown_properties(schema, below)[0]


def shown_properties(schema: dict[str, Any], below: str = "") -> tuple[list[Property], bool]:
    """The same, and whether any are left out."""
    found: list[Property] = []
    for deepest in range(_DEEPEST):
        more = list(_seen(schema, below, deepest))
        if len(more) == len(found):
            return found, False
        if found and len(more) > _SHOWN:
            break
        found = more
    return found, True


def _seen(schema: dict[str, Any], below: str, deepest: int) -> Iterator[Property]:
    base = _depth(below) + 1 if below else 0

    def keep(path: str) -> bool:
        return _within(path, below) and _depth(path) - base <= deepest if _within(path, below) or not below else _within(below, path)

    known: set[str] = set()
    for path, each in _places(schema, "", False, schema, True, keep):
        if path and not path.endswith(("[]", ".*")) and _within(path, below):
            told = f"{path} {each.required} {each.schema}"
            if told not in known:  # forms have much in common
                yield each
            known.add(told)


def _within(path: str, above: str) -> bool:
    return not above or path == above or path.startswith((f"{above}.", f"{above}["))


def _depth(path: str) -> int:
    return path.count(".") - path.count(".*")


def _places(
    part: dict[str, Any],
    path: str,
    required: bool,
    root: dict[str, Any],
    forms: bool,
    keep: Callable[[str], bool] = lambda path: True,
    within: tuple[str, ...] = (),
) -> Iterator[tuple[str, Property]]:
    """A schema and every part of it by its path, the items of lists (`[]`) and the entries of maps (`.*`) too; where asked, its `forms`.
    References are followed, but not in a circle, nor `within` too many others; only what is to be kept is looked into."""
    own, opened = _read_through(part, root, within)
    yield path, Property(path, required, own)
    if len(opened) > _REFERENCES or len(set(opened)) < len(opened):
        return
    for name, below in own.get("properties", {}).items():
        at = f"{path}.{name}" if path else name
        if isinstance(below, dict) and keep(at):
            yield from _places(below, at, name in own.get("required", ()), root, forms, keep, opened)
    for form in (form for keyword in ("allOf", "oneOf", "anyOf") for form in own.get(keyword, ())) if forms else ():
        if isinstance(form, dict):
            yield from (each for each in _places(form, path, False, root, forms, keep, opened) if each[0] != path)
    for keyword, step in (("items", "[]"), ("additionalProperties", ".*")):
        if isinstance(own.get(keyword), dict) and keep(f"{path}{step}"):
            yield from _places(own[keyword], f"{path}{step}", False, root, forms, keep, opened)


def _read_through(part: dict[str, Any], root: dict[str, Any], within: tuple[str, ...]) -> tuple[dict[str, Any], tuple[str, ...]]:
    """A part with what it refers to, and the references that it stands within then."""
    for _ in range(_REFERENCES * 2):
        reference = part.get("$ref")
        if not isinstance(reference, str):
            break
        target = referred(reference, root)
        within = (*within, reference)
        part = {**(target if isinstance(target, dict) else {}), **{key: item for key, item in part.items() if key != "$ref"}}
    return part, within


def example(schema: dict[str, Any], root: dict[str, Any] | None = None, depth: int = 0) -> dict[str, Any]:
    """Values for what must be set, as a person would begin."""
    root = schema if root is None else root
    if depth > _REFERENCES * 4:
        return {}
    own, _ = _read_through(schema, root, ())
    made = {
        name: _sample(part, name, root, depth + 1)
        for name, part in own.get("properties", {}).items()
        if name in own.get("required", ()) and isinstance(part, dict)
    }
    for each in own.get("allOf", ()):
        made |= example(each, root, depth + 1) if isinstance(each, dict) else {}
    return made


_OF_FORMATS = {
    "cidr": "10.20.0.0/16",
    "address": "10.20.0.5",
    "uri": "https://alp.ridgeline.example/",
    "hostname": "alp.ridgeline.example",
    "email": "ada@ridgeline.example",
    "date": "2026-12-01",
}


def _sample(part: dict[str, Any], name: str, root: dict[str, Any], depth: int) -> Any:
    part, _ = _read_through(part, root, ())
    if "default" in part:
        return part["default"]
    if part.get("enum"):
        return part["enum"][0]
    if "const" in part:
        return part["const"]
    forms = [each for keyword in ("oneOf", "anyOf") for each in part.get(keyword, ()) if isinstance(each, dict)]
    if forms:
        return _sample(forms[0], name, root, depth)
    targets = part.get("refersTo")
    if targets:
        kind, _, property = targets[0].partition(":")
        return f"${{{kind}.{property}}}"
    kind = part.get("type")
    kind = kind[0] if isinstance(kind, list) and kind else kind
    if kind == "object" or (kind is None and part.keys() & {"properties", "allOf"}):
        return example(part, root, depth)
    if kind == "array":
        items = part.get("items")
        return [_sample(items if isinstance(items, dict) else {}, name, root, depth)] * max(1, min(part.get("minItems", 0), 3))
    if kind in ("integer", "number"):
        return part.get("minimum", part.get("exclusiveMinimum", -1) + 1) or 1
    if kind in ("boolean", "null"):
        return True if kind == "boolean" else None
    texts = (_OF_FORMATS.get(part.get("format", ""), ""), f"alp-{name}".replace("_", "-"), f"alp_{name}", "1.0", f"/{name}")
    fits = Validator({key: value for key, value in part.items() if key in ("type", "pattern", "minLength", "maxLength", "format")})
    return next((text for text in texts if text and not fits.violations(text)), texts[1])


class Difference(NamedTuple):
    """What differs between two types at a property: `breaks` where what was valid may not be any more."""

    path: str
    breaks: bool
    text: str


def differences(old: ResourceType, new: ResourceType) -> list[Difference]:
    """What a resource of one type would meet as one of the other. What cannot be judged by itself counts as breaking."""
    before, after = (dict(_places(each.schema, "", False, each.schema, forms=False)) for each in (old, new))
    found = []
    for path, each in before.items():
        if path in after:
            found += list(_changed(path, _inlined(each, old), _inlined(after[path], new)))
        elif _above(path) in after:
            found.append(Difference(path, True, "is gone"))
    for path, each in after.items():
        if path not in before and _above(path) in before:
            text = "is new and must be set" if each.required else f"is new: {each.kind}"
            # What was let through unjudged is judged now.
            open_before = before[_above(path)].schema.get("additionalProperties", True) is not False or path.endswith(("[]", ".*"))
            found.append(Difference(path, each.required or open_before, text))
    return sorted(found, key=lambda each: (not each.breaks, each.path))


def _above(path: str) -> str:
    return path[:-2] if path.endswith(("[]", ".*")) else path.rpartition(".")[0]


def _inlined(each: Property, kind: ResourceType) -> Property:
    """A property whose other keywords say themselves what they refer to: the same reference may mean something else in another type."""

    def whole(value: Any, depth: int) -> Any:
        if isinstance(value, list):
            return [whole(item, depth) for item in value]
        if not isinstance(value, dict):
            return value
        target = referred(value["$ref"], kind.schema) if isinstance(value.get("$ref"), str) and depth < _REFERENCES * 2 else None
        made = {**target, **value, "$ref": ""} if isinstance(target, dict) else value
        return {key: whole(item, depth + (target is not None)) for key, item in made.items()}

    own = {key: item if key in _TOLD else whole(item, 0) for key, item in each.schema.items()}
    return each._replace(schema=own)


# Keywords of which the text says all, and those that bind nobody.
_TOLD = frozenset((*_LEAST, *_MOST, "type", "enum", "properties", "required", "items", "additionalProperties"))
_SILENT = frozenset(("title", "description", "examples", "$comment", "aspect", "look", "refersTo", "adds", "anyOrder", "listKey", "apart",
                     "holdsData", "identity", "identityReach", "$id", "$schema", "$defs", "definitions"))  # fmt: skip
_OTHERS = frozenset(("default", "changeEffect", "writeOnly", "deprecated", "unit"))


def _changed(path: str, old: Property, new: Property) -> Iterator[Difference]:
    was, now = old.schema, new.schema
    if new.required and not old.required:
        yield Difference(path, True, "must be set now")
    if _types(was) != _types(now):
        yield Difference(path, not _types(was) <= _types(now), f"was {_kinds(was)} and is {_kinds(now)}")
    if was.get("enum") != now.get("enum"):
        yield _choices(path, was.get("enum"), now.get("enum"))
    for keyword in (*_LEAST, *_MOST):
        one, two = was.get(keyword), now.get(keyword)
        if one != two:
            narrower = two is not None and (one is None or (two > one if keyword in _LEAST else two < one))
            yield Difference(path, narrower, f"{keyword} was {_or_none(one)} and is {_or_none(two)}")
    closed = (now.get("additionalProperties", True) is False, was.get("additionalProperties", True) is False)
    if closed[0] != closed[1]:
        yield Difference(path, closed[0], "takes no other properties now" if closed[0] else "takes other properties, too")
    for keyword in sorted((was.keys() | now.keys()) - _TOLD - _SILENT):
        if was.get(keyword) != now.get(keyword):
            binds = keyword not in _OTHERS and now.get(keyword) not in (None, False)
            sides = (was.get(keyword), now.get(keyword))
            whole = any(isinstance(side, dict | list) for side in sides)  # too much to be read in a line
            text = f"`{keyword}` differs" if whole else f"{keyword} was {_or_none(sides[0])} and is {_or_none(sides[1])}"
            yield Difference(path, binds, text)


def _types(part: dict[str, Any]) -> frozenset[str]:
    written = part.get("type", ["string", "integer", "number", "boolean", "array", "object", "null"])
    kinds = frozenset(written if isinstance(written, list) else [written])
    return kinds | {"integer"} if "number" in kinds else kinds  # an integer is a number, too


def _kinds(part: dict[str, Any]) -> str:
    written = part.get("type", "anything")
    return " or ".join(written) if isinstance(written, list) else str(written)


def _choices(path: str, was: list[Any] | None, now: list[Any] | None) -> Difference:
    gone = [_text(each) for each in was or () if now is not None and each not in now]
    added = [_text(each) for each in now or () if was is not None and each not in was]
    if now is None:
        return Difference(path, False, "takes other values, too")
    if was is None:
        return Difference(path, True, f"takes {' | '.join(map(_text, now))} only")
    if gone:
        return Difference(path, True, f"does not take {', '.join(gone)} any more")
    return Difference(path, False, f"takes {', '.join(added)} as well" if added else "names its values in another order")


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
