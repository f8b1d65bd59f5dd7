"""Catalogs: folders or files of resource schemas, one document for each version of a type (docs/catalogs.md)."""

import json
import os
import re
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path, PurePosixPath
from typing import Any

from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.types import Type
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.folders import Folder, Found
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.schemas.annotations import ANNOTATIONS, wrong_annotations
from jovial_scaffold.core.schemas.bundling import Documents, outward
from jovial_scaffold.core.schemas.keywords import misspelt, parts
from jovial_scaffold.core.schemas.lists import Lists
from jovial_scaffold.core.schemas.navigation import referred, subschema
from jovial_scaffold.core.schemas.shapes import Shape, shape_of_map
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.schemas.validation import SchemaError, Validator, check_schema, is_schema
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Sentence, listed, nearest, say

_ID = regex(r"(?P<catalog>[a-z][a-z0-9_]*)\.(?P<type>[a-z][a-z0-9_]*)\.v(?P<version>[1-9][0-9]*)\Z")
# what a document holds that types of a catalog share, and that is none itself
_SHARED = frozenset(("$defs", "$schema", "$comment", "title", "description"))
#: what `catalog.yaml` holds
INDEX_KEYS = ("name", "description", "defaults")
SHIPPED = Path(__file__).parents[2] / "catalogs"


@dataclass(frozen=True)
class ResourceType:
    """One version of a type. `id` is `fulmar.machine_group.v2`, `name` is that without the version."""

    id: str
    name: str
    version: int
    written: dict[str, Any]
    origin: Origin | None = None
    #: the other documents of the catalog, where it refers to some, and its own name among them
    others: tuple[Documents, str] | None = None

    @cached_property
    def schema(self) -> dict[str, Any]:
        """The whole schema: what it refers to in other documents of the catalog stands in it."""
        return self.written if self.others is None else self.others[0].bundled(self.others[1], self.written)

    @cached_property
    def validator(self) -> Validator:
        """Compiled when the first resource of the type is judged. Raises SchemaError."""
        return Validator(self.schema)

    def fits(self, text: str) -> bool:
        """Whether a pattern of types means it: without `.vN`, every version."""
        wanted = pattern(text)
        return wanted.match(self.id) is not None or wanted.match(self.name) is not None

    def forgive(self, part: dict[str, Any], keywords: Collection[str]) -> None:
        """Take keywords out of a part of the schema, which the catalog gets wrong: that is no mistake of its resources."""
        for each in keywords:
            part.pop(each, None)
        self.__dict__.pop("validator", None)

    def forgive_required(self, part: dict[str, Any], names: Collection[str]) -> None:
        """The same of names that a part requires."""
        part["required"] = [name for name in part["required"] if name not in names]
        self.__dict__.pop("validator", None)

    @cached_property
    def _programs(self) -> dict[str, Program]:
        return {}

    def program(self, text: str) -> Program:
        """An expression of the schema, compiled once. Raises SyntaxProblem."""
        if text not in self._programs:
            self._programs[text] = Program(parse(text))
        return self._programs[text]

    @cached_property
    def _change_effects(self) -> dict[Pointer, tuple[str, int]]:
        return {}

    def written_effect(self, pointer: Pointer) -> tuple[str, int]:
        """What changing a property does (`changeEffect`) as the innermost part of the schema around it says, a word or an expression, and how
        deep that part is; nothing where none does."""
        if pointer not in self._change_effects:
            found = (
                (part["changeEffect"], depth)
                for depth in range(len(pointer), 0, -1)
                for part in subschema(self.schema, pointer[:depth])
                if isinstance(part.get("changeEffect"), str)
            )
            self._change_effects[pointer] = next(found, ("", 0))
        return self._change_effects[pointer]

    @cached_property
    def _required(self) -> dict[Pointer, frozenset[str]]:
        return {}

    def is_always_set(self, pointer: Pointer) -> bool:
        """Whether a property has a value in every resource: it is required, or has a default."""
        above = pointer[:-1]
        if above not in self._required:
            parts = subschema(self.schema, above, surely=True)
            self._required[above] = frozenset(name for each in parts for name in each.get("required", ()))
        return pointer[-1] in self._required[above] or any("default" in each for each in subschema(self.schema, pointer, surely=True))

    @cached_property
    def identity(self) -> tuple[str, ...]:
        """The properties that tell its resources apart; nothing where there are none."""
        names = self.schema.get("identity")
        return tuple(map(str, names)) if isinstance(names, list) else ()

    @cached_property
    def adds_up(self) -> bool:
        """Whether any number of it is one that people add up."""
        return "'adds'" in repr(self.schema)

    @cached_property
    def takes_integers(self) -> bool:
        """Whether any part of it is to be an integer."""
        return "integer" in json.dumps(self.schema)

    @cached_property
    def effective(self) -> Type:
        """What is known of its effective values: what has a default, or is set by the cloud, is there at every depth."""
        return type_of_schema(self.schema, filled=True)

    @cached_property
    def secret_shape(self) -> Shape | None:
        """The same, where any property may be secret."""
        return self.shape if "writeOnly" in repr(self.schema) else None

    @cached_property
    def lists(self) -> Lists:
        """How the items of its lists meet."""
        return Lists(self.schema)

    @cached_property
    def shape(self) -> Shape:
        """Defaults, read-only and secret properties."""
        return shape_of_map(self.schema)


class Catalogs:
    """All types that a project may use."""

    def __init__(self) -> None:
        self._types: dict[str, ResourceType] = {}
        self._defaults: dict[str, str] = {}
        self._newest: dict[str, ResourceType] = {}
        self.types_unknown = False  # a catalog could not be read: what it would have held is not judged

    def add(self, types: Iterable[ResourceType], defaults: dict[str, int], catalog: str) -> list[Finding]:
        """Take in a catalog; a type that is there already is a finding."""
        findings = []
        newest: dict[str, ResourceType] = {}
        for each in types:
            if each.id in self._types:
                first = self._types[each.id].origin
                related = (Related(first.value_span(), say("The first one is here.")),) if first else ()
                span = each.origin.value_span() if each.origin else None
                message = say("The type {} is described twice.", each.id)
                findings.append(
                    Finding("catalog-duplicate", "error", message, span, say("Remove one, or give it another version."), related=related)
                )
                continue
            self._types[each.id] = each
            if each.name not in newest or newest[each.name].version < each.version:
                newest[each.name] = each
        self._newest |= newest
        for name, each in newest.items():
            chosen = defaults.get(name.removeprefix(f"{catalog}."), each.version)
            self._defaults[name] = f"{name}.v{chosen}" if f"{name}.v{chosen}" in self._types else each.id
        return findings

    def find(self, text: str) -> ResourceType | None:
        """The type that a template names, with or without a version."""
        return self._types.get(text) or self._types.get(self._defaults.get(text, ""))

    def newest(self, kind: ResourceType) -> ResourceType:
        """The newest version of a type; the type itself where it is no catalog's."""
        return self._newest.get(kind.name, kind)

    def advice(self, text: str) -> Sentence:
        """What to write instead of a type that is not there."""
        name, _, version = text.rpartition(".v")
        if version.isdigit() and name in self._defaults:
            there = sorted(each.version for each in self._types.values() if each.name == name)
            return say("{} has {} {}.", name, "version" if len(there) == 1 else "versions", listed(f"v{number}" for number in there))
        bare = {full.partition(".")[2]: full for full in self._defaults}
        if text in bare:
            return say("Did you mean `{}`?", bare[text])
        known = sorted(self._defaults)[:12]
        hint = (
            say("Known types: {}.", listed(known)) if known else say("The project has no catalogs: write for example catalogs: [fulmar].")
        )
        return nearest(text, [*self._defaults, *self._types], hint)

    def __iter__(self) -> Any:
        return iter(self._types.values())


Shipped = tuple[list[ResourceType], dict[str, int]]
"""The types of a catalog that comes with the tool, and their default versions."""


def shipped_catalog(name: str) -> Shipped | None:
    """A catalog that comes with the tool, from its pre-parsed form; None where there is none of that name."""
    path = SHIPPED / f"{name}.json"
    if not re.fullmatch(r"[a-z][a-z0-9_]*", name) or not os.path.isfile(path):
        return None
    prepared = json.loads(path.read_text("utf-8"))
    types = [_resource_type(schema, None) for schema in prepared["types"]]
    return types, prepared["defaults"]


def prepare(folder: Folder) -> dict[str, Any]:
    """The pre-parsed form of a catalog folder, for shipping. Raises ValueError where it has findings."""
    types, defaults, _, findings = read_catalog(Files(folder), Found("", "folder"), None)
    if findings:
        raise ValueError("; ".join(finding.id for finding in findings))
    return {"types": [{"$id": each.id, **each.schema} for each in sorted(types, key=lambda each: each.id)], "defaults": defaults}


def _resource_type(schema: dict[str, Any], origin: Origin | None, others: tuple[Documents, str] | None = None) -> ResourceType:
    match = _ID.match(schema["$id"])
    assert match is not None
    # Without `$id` and `$schema` the validator sees a document of its own, whose references can lead nowhere else.
    body = {key: value for key, value in schema.items() if key not in ("$schema", "$id")}
    return ResourceType(schema["$id"], f"{match['catalog']}.{match['type']}", int(match["version"]), body, origin, others)


def read_catalog(files: Files, found: Found, origin: Origin | None) -> tuple[list[ResourceType], dict[str, int], str, list[Finding]]:
    """Types, default versions, the catalog's name, and findings, from a folder or a single file of schemas."""
    in_folder = found.kind == "folder"
    names = files.listed(found.name, (".yaml", ".yml", ".json")) if in_folder else [found.name]
    types: list[ResourceType] = []
    defaults: dict[str, int] = {}
    label = PurePosixPath(found.name).stem
    findings: list[Finding] = []
    read: dict[str, tuple[Any, Origin]] = {}
    for name in names:
        # Once more by what its links lead to: a link inside of the folder may lead out.
        source, problems = files.read(name, None)
        findings += [replace(each, span=origin.value_span()) if origin and each.id == "path-outside" else each for each in problems]
        if source is not None and not source.broken:
            read[PurePosixPath(name).name] = source.value, Origin(source, ())
    documents = Documents({name: value for name, (value, _) in read.items()})
    for name, (value, place) in read.items():
        if in_folder and PurePosixPath(name).stem == "catalog":
            label, defaults = _read_index(value, place, findings, label, defaults)
        elif isinstance(value, dict) and isinstance(value.get("$id"), str) and _ID.match(value["$id"]):
            findings += misspelt(value, place, is_schema, ANNOTATIONS)
            leading = outward(value, place)
            each = _resource_type(value, place, (documents, name) if leading else None)
            problems = [*_lost_within(value, place)] or [*_check(each, place), *_lost(leading, documents, name)]
            findings += problems
            if not problems:
                types.append(each)
        elif in_folder and isinstance(value, dict) and isinstance(value.get("$defs"), dict) and value.keys() <= _SHARED:
            findings += misspelt(value, place, is_schema, ANNOTATIONS)
            findings += [*_sound(value, place), *wrong_annotations(value, place), *_lost(outward(value, place), documents, name)]
        elif value is not UNKNOWN:
            hint = say("Name it under $id as catalog.type.v1.")
            findings.append(
                Finding(
                    "catalog-schema",
                    "error",
                    say("This is not the schema of a resource type: it has no $id of the form name.type.v1."),
                    place.value_span(),
                    hint,
                )
            )
    if not types and not findings:
        span = origin.value_span() if origin else Span(found.name, 1, 1, 1, 1)
        hint = say("A schema begins with $id: {}.machine.v1", label)
        findings.append(Finding("catalog-empty", "warning", say("The catalog {} holds no schemas.", found.name), span, hint))
    return types, defaults, label, findings


#: errors of schemas that are types all the same
_OF_KEYWORDS = ("key-unknown", "format-unknown", "schema-contradiction")


def loses_types(findings: Iterable[Finding]) -> bool:
    """Whether a type may be missing from what was read of a catalog, by what was found."""
    return any(each.level == "error" and each.id not in _OF_KEYWORDS for each in findings)


def _read_index(value: Any, origin: Origin, findings: list[Finding], label: str, defaults: dict[str, int]) -> tuple[str, dict[str, int]]:
    if not isinstance(value, dict):
        findings.append(
            Finding("catalog-schema", "error", say("catalog.yaml is a map with name, description and defaults."), origin.value_span())
        )
        return label, defaults
    for key in value:
        if key not in (*INDEX_KEYS, "$schema"):
            hint = nearest(key, INDEX_KEYS)
            findings.append(
                Finding("key-unknown", "error", say("`{}` is not known in catalog.yaml.", key), origin.child(key).key_span(), hint)
            )
    chosen = value.get("defaults") or {}
    if not isinstance(chosen, dict) or any(type(version) is not int for version in chosen.values()):
        findings.append(
            Finding("catalog-schema", "error", say("`defaults` maps type names to version numbers."), origin.child("defaults").value_span())
        )
        chosen = {}
    name = value.get("name", label)
    return (name if isinstance(name, str) else label), chosen


def _check(each: ResourceType, origin: Origin) -> list[Finding]:
    """That a schema is one, and that our annotations hold what they may."""
    if each.others is not None:
        # With all that it refers to it may be large, and most types of a large catalog are never used: that is put together then.
        wrong = _sound(each.written, origin)
        return wrong or list(wrong_annotations(each.written, origin))
    try:
        each.validator  # noqa: B018 - compiling it is the check
    except SchemaError as error:
        return [Finding("catalog-schema", "error", error.message, origin.child(*error.pointer).value_span(), error.hint)]
    return list(wrong_annotations(each.schema, origin))


def _sound(schema: dict[str, Any], origin: Origin) -> list[Finding]:
    """That a schema is one, wherever its references lead."""
    try:
        check_schema(schema)
    except SchemaError as error:
        return [Finding("catalog-schema", "error", error.message, origin.child(*error.pointer).value_span(), error.hint)]
    return []


def _lost_within(schema: dict[str, Any], origin: Origin) -> Iterator[Finding]:
    """References that lead to nothing in the document itself."""
    for part, place in parts(schema, origin):
        reference = part.get("$ref")
        if isinstance(reference, str) and reference.startswith("#/") and referred(reference, schema) is None:
            names = [f"#/$defs/{name}" for name in schema["$defs"]] if isinstance(schema.get("$defs"), dict) else []
            hint = nearest(reference, names, say("It is written #/$defs/NAME, with NAME under `$defs`."))
            message = say("`$ref` leads nowhere: there is no {} in this document.", reference)
            yield Finding("catalog-schema", "error", message, place.child("$ref").value_span(), hint)


def _lost(leading: Iterable[tuple[str, Origin]], documents: Documents, file: str) -> Iterator[Finding]:
    """References that lead to no schema of the catalog."""
    for reference, place in leading:
        if not documents.leads_somewhere(file, reference):
            message = say("`$ref` leads nowhere: the catalog has no {}.", reference)
            hint = say("It is written #/$defs/NAME, or FILE#/$defs/NAME for a file of the same folder.")
            yield Finding("catalog-schema", "error", message, place.value_span(), hint)
