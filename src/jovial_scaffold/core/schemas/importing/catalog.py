"""A foreign description as the files of a catalog: a file for each type, one for what they share, and `catalog.yaml`."""

import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any, NamedTuple

from jovial_scaffold.core.limits import NAME_LENGTH
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.schemas.importing.documents import NAMED, Document, Documents, Place, dialect_of
from jovial_scaffold.core.schemas.importing.translating import INVALID, Translator, plain
from jovial_scaffold.core.schemas.validation import SchemaError, check_schema
from jovial_scaffold.core.text.patterns import pattern

SHARED = "definitions.yaml"
#: in which order people read a schema
_FIRST = ("$id", "title", "description", "deprecated", "type", "properties", "required", "additionalProperties")
NO_OBJECT = "not a type: its values are no objects; what refers to it has it"
NOT_SELECTED = "not selected"
_EXAMPLES = 3
_ENDING = regex(r"(\.schema)?\.(json|ya?ml)\Z")


class Left(NamedTuple):
    """What has no counterpart: `what`, `why`, how many `times`, and the first places."""

    what: str
    why: str
    times: int
    places: tuple[str, ...]


@dataclass(slots=True)
class Imported:
    """What a description became. `files` are documents by their names in the catalog's folder; `types` ids of types by what they were called;
    `shared` counts the schemas that are none and that types refer to."""

    name: str
    files: dict[str, Any]
    types: dict[str, str]
    shared: int
    left: list[Left]


class NothingToImport(Exception):
    """A description without a type: `reason` is one of "unknown" (its standard is not understood), "empty", "selected"."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason


def snake(text: str) -> str:
    """A name as catalogs have them: `HTTPRoute.v1` becomes `http_route_v1`."""
    words = re.sub(r"([a-z0-9])([A-Z])|([A-Z]+)(?=[A-Z][a-z])", lambda found: f"{found[1] or found[3]}_{found[2] or ''}", text)
    made = re.sub(r"[^a-z0-9]+", "_", words.lower()).strip("_")[: NAME_LENGTH.most].rstrip("_")
    return made if made[:1].isalpha() else f"t_{made}".rstrip("_")


@dataclass(slots=True)
class _Importing:
    documents: Documents
    name: str
    files: dict[tuple[str, Any], str] = field(default_factory=dict)  # of types, by their places
    shared: dict[tuple[str, Any], tuple[str, Place]] = field(default_factory=dict)
    waiting: list[Place] = field(default_factory=list)
    taken: Counter[str] = field(default_factory=Counter)
    notes: dict[tuple[str, str], tuple[int, tuple[str, ...]]] = field(default_factory=dict)
    writing: str = ""  # the file that is being written

    def note(self, what: str, why: str, place: Place) -> None:
        count, places = self.notes.get((what, why), (0, ()))
        self.notes[what, why] = (count + 1, (*places, place.text) if len(places) < _EXAMPLES else places)

    def refer(self, place: Place) -> str:
        """The reference to a place, which is written sooner or later."""
        file = self.files.get(place.key)
        if file is not None:
            return "#" if file == self.writing else file
        if place.key not in self.shared:
            self.shared[place.key] = (self.unused(_label(place)), place)
            self.waiting.append(place)
        pointer = f"#/$defs/{self.shared[place.key][0]}"
        return pointer if self.writing == SHARED else f"{SHARED}{pointer}"

    def unused(self, text: str) -> str:
        """A name that nothing has yet."""
        while True:
            self.taken[text] += 1
            made = text if self.taken[text] == 1 else f"{text}_{self.taken[text]}"
            if made == text or not self.taken[made]:
                self.taken[made] += made != text
                return made


def _label(place: Place) -> str:
    """What a shared schema is called: its own name, and the way from there."""
    steps = next((place.pointer[len(named) :] for named in NAMED if place.pointer[: len(named)] == named), place.pointer)
    name = "_".join(map(str, steps)) or PurePosixPath(place.document.name).stem
    return re.sub(r"[^A-Za-z0-9_.-]+", "_", name)[: NAME_LENGTH.most]


def import_catalog(documents: Mapping[str, Any], load: Callable[[str], Any], select: Iterable[str], name: str) -> Imported:
    """The catalog `name` (or one called after the description) of documents by their names. Raises NothingToImport."""
    understood = {each: value for each, value in documents.items() if dialect_of(value) is not None}
    if documents and not understood:
        raise NothingToImport("unknown")
    known = Documents(understood, load)
    title, about = _about(list(known))
    making = _Importing(known, name or snake(title))
    translator = Translator(known, making.refer, making.note)
    patterns = [pattern(each) for each in select]
    chosen: dict[str, Place] = {}
    for text, place, by_itself in _candidates(known):
        called = snake(text)
        if patterns and not any(each.match(text) or each.match(called) for each in patterns):
            continue
        if not patterns and not by_itself:
            continue
        if not _is_object(known, place, 0):
            making.note("schema", NO_OBJECT, place)
            continue
        chosen[making.unused(called)] = place
    if not chosen:
        raise NothingToImport("selected" if patterns else "empty")
    making.taken.clear()
    making.files = {place.key: f"{called}.v1.yaml" for called, place in chosen.items()}
    files: dict[str, Any] = {}
    for called, place in chosen.items():
        making.writing = f"{called}.v1.yaml"
        files[making.writing] = _sound(_ordered({"$id": f"{making.name}.{called}.v1", **_whole(translator, making, place)}), making, place)
    making.writing = SHARED
    shared: dict[str, Any] = {}
    while making.waiting:
        place = making.waiting.pop()
        made = translator.schema(place)
        shared[making.shared[place.key][0]] = _sound(_ordered(made), making, place) if isinstance(made, dict) else made
    if shared:
        files[SHARED] = {"description": "What types of this catalog share.", "$defs": {key: shared[key] for key in sorted(shared)}}
    index = {"name": making.name, "description": about} if about else {"name": making.name}
    left = sorted((Left(what, why, *found) for (what, why), found in making.notes.items()), key=lambda each: (-each.times, each.what))
    types = {f"{making.name}.{called}.v1": place.text for called, place in chosen.items()}
    return Imported(making.name, {"catalog.yaml": index, **files}, types, len(shared), left)


def _about(documents: list[Document]) -> tuple[str, str]:
    """What a description is called, and what it says of itself."""
    first = documents[0] if documents else None
    whole = first.value if first is not None and isinstance(first.value, dict) else {}
    told = whole.get("info")
    info = told if isinstance(told, dict) else whole
    title = info.get("title")
    stem = _ENDING.sub("", PurePosixPath(first.name).name) if first is not None else ""
    named = title if isinstance(title, str) and title.strip() and len(documents) == 1 else stem
    version = info.get("version")
    about = (
        f"{title}, version {version}" if isinstance(title, str) and isinstance(version, str) else title if isinstance(title, str) else ""
    )
    return named or "imported", str(plain(about if len(documents) == 1 else ""))


def _candidates(documents: Documents) -> Iterable[tuple[str, Place, bool]]:
    """Named schemas with their places, and whether they are types without being asked for: those of OpenAPI, whole documents, and what
    is named where nothing else is said."""
    every = list(documents)
    only_names = not any(_is_description(each.value) or _says_something(each.value) for each in every)
    for document in every:
        root = documents.root(document)
        described = _is_description(document.value)
        whole = not described and _says_something(document.value)
        if whole:
            yield _ENDING.sub("", PurePosixPath(document.name).name), root, True
        for named in NAMED:
            try:
                found = documents.at(root.child(*named))
            except KeyError:
                continue
            for name in found if isinstance(found, dict) else ():
                yield str(name), root.child(*named, name).within(found[name]), described or only_names


def _is_description(value: Any) -> bool:
    return isinstance(value, dict) and "openapi" in value


def _says_something(value: Any) -> bool:
    return isinstance(value, dict) and bool(value.keys() & {"type", "properties", "allOf", "anyOf", "oneOf", "$ref", "required"})


def _is_object(documents: Documents, place: Place, depth: int) -> bool:
    """Whether the values of a schema are maps."""
    value = documents.at(place)
    if not isinstance(value, dict) or depth > 16:
        return False
    kinds = value.get("type")
    if kinds is not None:
        return kinds == "object" or (isinstance(kinds, list) and "object" in kinds)
    target = documents.target(place, value["$ref"]) if isinstance(value.get("$ref"), str) else None
    if target is not None and _is_object(documents, target, depth + 1):
        return True
    for keyword, test in (("allOf", any), ("anyOf", all), ("oneOf", all)):
        branches = value.get(keyword)
        if isinstance(branches, list) and branches:
            return test(_is_object(documents, place.child(keyword, index), depth + 1) for index in range(len(branches)))
    return bool(value.keys() & {"properties", "required", "additionalProperties"})


def _whole(translator: Translator, making: _Importing, place: Place) -> dict[str, Any]:
    """The schema of a type; where it only refers to another one that is no type, that one."""
    for _ in range(16):
        made = translator.schema(place)
        if not isinstance(made, dict):
            return {}
        value = making.documents.at(place)
        target = (
            making.documents.target(place, value["$ref"]) if "$ref" in made and made.keys() <= {"$ref", "title", "description"} else None
        )
        if target is None or target.key in making.files:
            return made
        place = target
    return {}


def _ordered(schema: dict[str, Any]) -> dict[str, Any]:
    return {key: schema[key] for key in (*(each for each in _FIRST if each in schema), *(each for each in schema if each not in _FIRST))}


def _sound(schema: dict[str, Any], making: _Importing, place: Place) -> dict[str, Any]:
    """The schema without what JSON Schema would refuse."""
    while True:
        try:
            check_schema({key: value for key, value in schema.items() if key != "$id"})
        except SchemaError as error:
            if not error.pointer:
                return {key: value for key, value in schema.items() if key in ("$id", "title", "description")}
            *above, last = error.pointer
            part: Any = schema
            for step in above:
                part = part[step]
            del part[last]
            making.note(str(last), INVALID, place)
        else:
            return schema
