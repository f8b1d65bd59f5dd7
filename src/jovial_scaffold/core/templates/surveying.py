"""An overview of a template that one has never seen, or of any structured file: sizes, types, parameters, paths, what recurs."""

import json
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.types import Type
from jovial_scaffold.core.limits import SHOWN_VALUE
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.templates.compiling import shown_content
from jovial_scaffold.core.templates.model import Compiled, Constant, Declaration, ListValue, MapValue, Overlaid, Template, parts_of
from jovial_scaffold.core.templates.names import uses_by_name
from jovial_scaffold.core.text.discretion import SECRETIVE
from jovial_scaffold.core.text.source import Origin, Pointer, Source
from jovial_scaffold.core.words import Operand, say

_RECURS = 3  # a literal that stands so often may deserve a name
_SHORTEST = 3


@value_record
class Section:
    """A top-level part of a file: how many entries it has, and how many lines."""

    name: str
    entries: int
    lines: int


@value_record
class SurveyedFile:
    """A file: its size, and its sections in the order of the text."""

    name: str
    lines: int
    bytes: int
    values: int
    sections: tuple[Section, ...]


@value_record
class SurveyedParameter:
    """A parameter: its type in words, its default as written, and the places that read it."""

    name: str
    type: Operand
    default: str | None
    secret: bool
    description: str
    used: tuple[str, ...]


@value_record
class Recurring:
    """A literal value and the places where it stands."""

    value: str
    places: tuple[str, ...]


@value_record
class Part:
    """A named part of a file, its place, and a number: its lines, or how often it is read."""

    name: str
    place: str
    count: int


@value_record
class Survey:
    """Everything; the parts that speak of templates are empty for other files."""

    title: str
    description: str
    files: tuple[SurveyedFile, ...]
    types: tuple[tuple[str, int], ...]
    modules: tuple[tuple[str, int], ...]
    parameters: tuple[SurveyedParameter, ...]
    paths: tuple[tuple[str, int], ...]
    recurring: tuple[Recurring, ...]
    longest: tuple[Part, ...]
    referenced: tuple[Part, ...]


def survey(sources: Sequence[Source], templates: Sequence[Template]) -> Survey:
    """The overview of some files; `templates` are those that they make up, the main one first."""
    types: Counter[str] = Counter()
    modules: Counter[str] = Counter()
    paths: Counter[str] = Counter()
    literals: dict[str, list[str]] = {}
    for template in templates:
        for resource in template.resources.values():
            if resource.module is not None:
                modules[resource.module.label] += 1
            else:
                types[resource.type.id if resource.type else resource.type_text] += 1
            label = resource.module.label if resource.module else (resource.type.id if resource.type else resource.type_text)
            for name, value in resource.properties.entries:
                for path in _paths(value, (name,)):
                    paths[f"{label}:{path}"] += 1
            hidden = {name for name, shape in resource.type.shape.properties.items() if shape.write_only} if resource.type else set()
            for name, value in resource.properties.entries:
                if name not in hidden and not SECRETIVE.search(name):
                    _literals(value, literals)
        named = [each.value for each in template.values.values()] + [each.value for each in template.outputs.values()]
        for value in named:
            _literals(value, literals)
    if not templates:
        for source in sources:
            for path, _ in _plain_paths(source.value, ""):
                paths[path] += 1
        literals = _placed(sources)
    recurring = [Recurring(value, tuple(places)) for value, places in literals.items() if len(places) >= _RECURS]
    return Survey(
        templates[0].title if templates else "",
        templates[0].description if templates else "",
        tuple(_file(source) for source in sources),
        _ranked(types),
        _ranked(modules),
        tuple(_parameter(template, each) for template in templates[:1] for each in template.parameters.values()),
        _ranked(paths),
        tuple(sorted(recurring, key=lambda each: (-len(each.places), each.value))),
        _longest(sources),
        tuple(sorted(_referenced(templates), key=lambda each: (-each.count, each.name))),
    )


def _ranked(counts: Counter[str]) -> tuple[tuple[str, int], ...]:
    return tuple(sorted(counts.items(), key=lambda each: (-each[1], each[0])))


def _line(source: Source, pointer: Pointer) -> str:
    return f"{source.name}:{source.key_span(pointer).line}"


# -- files


def _file(source: Source) -> SurveyedFile:
    value = source.value
    sections = [Section(str(key), _size(each), _lines(source, (key,))) for key, each in value.items()] if isinstance(value, dict) else []
    return SurveyedFile(source.name, len(source.text.splitlines()), len(source.text.encode()), _count(value), tuple(sections))


def _size(value: Any) -> int:
    return len(value) if isinstance(value, dict | list) else 1


def _count(value: Any) -> int:
    stack, count = [value], 0
    while stack:
        current = stack.pop()
        if isinstance(current, dict):
            stack.extend(current.values())
        elif isinstance(current, list):
            stack.extend(current)
        else:
            count += 1
    return count


def _lines(source: Source, pointer: Pointer) -> int:
    """How many lines a part takes, its key among them."""
    place = source.place(pointer)
    start = place.key_start if place.key_end > place.key_start else place.start
    return source.text.count("\n", start, max(start, len(source.text[: place.end].rstrip()))) + 1


def _longest(sources: Sequence[Source]) -> tuple[Part, ...]:
    """The entries of sections by their lines."""
    found = []
    for source in sources:
        if not isinstance(source.value, dict):
            continue
        for section, entries in source.value.items():
            names = entries if isinstance(entries, dict) else range(len(entries)) if isinstance(entries, list) else ()
            for name in names:
                pointer = (section, name)
                found.append(Part(f"{section}/{name}", _line(source, pointer), _lines(source, pointer)))
    return tuple(sorted((each for each in found if each.count > 1), key=lambda each: (-each.count, each.place)))


# -- templates


def type_words(declaration: Declaration) -> Operand:
    """The type of a parameter, in words."""
    known = type_of_schema(declaration.schema)
    described = _words(known)
    named = declaration.schema.get("format")
    return say("{} ({})", described, named) if isinstance(named, str) else described


def _words(known: Type) -> Operand:
    if known.is_only("bool"):
        return "boolean"
    words = {"int": "integer", "double": "number", "string": "text", "bool": "boolean"}
    if known.options is not None:
        return known.text()
    if known.is_only("list") and known.items is not None and known.items.kinds:
        return say("list of {}", _words(known.items))
    if known.is_only("map") and known.fields:
        return say("map with {}", ", ".join(known.fields))
    if len(known.kinds) == 1:
        kind = next(iter(known.kinds))
        return words.get(kind, known.text())
    return known.text()


def _parameter(template: Template, declaration: Declaration) -> SurveyedParameter:
    default = None
    if declaration.default is not None:
        is_secret = declaration.secret or declaration.name in template.secret_names
        default = marks.SECRET if is_secret else _as_written(declaration.default)
    places = tuple(dict.fromkeys(_line(origin.source, origin.pointer) for origin in uses_by_name(template).get(declaration.name, ())))
    return SurveyedParameter(declaration.name, type_words(declaration), default, declaration.secret, declaration.description, places)


def _short(value: Any) -> str:
    """A literal of a template as JSON, cut."""
    text = json.dumps(value, ensure_ascii=False, default=repr)
    return text if len(text) <= SHOWN_VALUE.most else f"{text[: SHOWN_VALUE.most - 1]}…"


def _as_written(compiled: Compiled) -> str:
    content = shown_content(compiled)
    is_plain = isinstance(content, str) and (content == marks.SECRET or not isinstance(compiled, Constant))
    return str(content) if is_plain else _short(content)


def _referenced(templates: Sequence[Template]) -> Iterator[Part]:
    for template in templates:
        for name, origins in uses_by_name(template).items():
            declared = _declared(template, name)
            if declared is not None:
                yield Part(name, _line(declared.source, declared.pointer), len(origins))


def _declared(template: Template, name: str) -> Origin | None:
    for section in (template.parameters, template.values, template.lookups, template.functions, template.resources, template.documents):
        if name in section:
            return section[name].origin
    return None


def _paths(compiled: Compiled, pointer: tuple[str, ...]) -> Iterator[str]:
    """The paths of the leaves that a template writes, list positions folded."""
    if isinstance(compiled, MapValue):
        for key, item in compiled.entries:
            yield from _paths(item, (*pointer, key))
    elif isinstance(compiled, ListValue):
        for item in compiled.items:
            yield from _paths(item, (*pointer, "[]"))
    elif isinstance(compiled, Constant) and isinstance(compiled.value, dict | list) and compiled.value:
        for path, _ in _plain_paths(compiled.value, "/".join(pointer)):
            yield path
    else:
        yield "/".join(pointer)


def _plain_paths(value: Any, path: str) -> Iterator[tuple[str, Any]]:
    if isinstance(value, dict) and value:
        for key, item in value.items():
            yield from _plain_paths(item, f"{path}/{key}" if path else str(key))
    elif isinstance(value, list) and value:
        for item in value:
            yield from _plain_paths(item, f"{path}/[]" if path else "[]")
    else:
        yield path, value


def _literals(compiled: Compiled, found: dict[str, list[str]]) -> None:
    if isinstance(compiled, Constant):
        _constant(compiled.value, compiled.origin, found)
    # What `everywhere` gives is counted where it stands.
    own = [("", compiled.own)] if isinstance(compiled, Overlaid) else parts_of(compiled)
    for key, part in own:
        if not SECRETIVE.search(key):
            _literals(part, found)


def _constant(value: Any, origin: Origin, found: dict[str, list[str]]) -> None:
    if isinstance(value, dict):
        for key, item in value.items():
            if not SECRETIVE.search(key):
                _constant(item, origin.child(key), found)
    elif isinstance(value, list):
        for index, item in enumerate(value):
            _constant(item, origin.child(index), found)
    else:
        _literal(value, _line(origin.source, origin.pointer) if _worth_a_name(value) else "", found)


def _worth_a_name(value: Any) -> bool:
    if isinstance(value, str):
        return len(value) >= _SHORTEST
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) >= 10


def _literal(value: Any, place: str, found: dict[str, list[str]]) -> None:
    if place and _worth_a_name(value):
        found.setdefault(_short(value), []).append(place)


def _placed(sources: Sequence[Source]) -> dict[str, list[str]]:
    """The literals of files that are no templates."""
    found: dict[str, list[str]] = {}
    for source in sources:
        _constant(source.value, Origin(source, ()), found)
    return found
