"""A resource that is written into a template: what it must have, each property with its type and description beside it."""

from collections.abc import Iterator, Mapping
from typing import Any

from jovial_scaffold.core.authoring.naming import check_new
from jovial_scaffold.core.authoring.promises import adds_no_errors, after, broken
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.authoring.tidying import tidied_text
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.describing import Property
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.templates.compiling import written_text
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Source, value_at
from jovial_scaffold.core.text.written_values import yaml_block, yaml_flow
from jovial_scaffold.core.words import listed, say

_STEP = "  "
_WIDTH = 120


def new_resource(project: Project, type_text: str, name: str, into: str = "", every: bool = False) -> tuple[Change, list[Done]]:
    """A block for a resource behind the last one: with what its type requires, or with all that it has. Raises ProjectError."""
    check_new(project.template, name)
    kind = project.catalogs.find(type_text) or project.catalogs.find(f"fulmar.{type_text}")
    if kind is None:
        message = say("No catalog knows the type `{}`.", type_text)
        raise ProjectError([Finding("type-unknown", "error", message, None, project.catalogs.advice(type_text))])
    source = _home(project, into)
    written = kind.name if project.catalogs.find(kind.name) is kind else kind.id
    change = Change(project.folder)
    script = Script(source)
    block = _Block(project, kind, name, every)
    held = value_at(source.value, ("resources",), None)
    in_brackets = isinstance(held, dict) and held and not script.is_in_lines(("resources", next(iter(held))))
    if script.notation == "YAML" and not in_brackets:
        text = "".join(f"{line}\n" for line in block.lines(kind.schema, (), True))
        script.insert_block(("resources",), f"{name} ({written}):", (tidied_text(text, ".yaml") or text).splitlines())
    else:
        script.insert(("resources",), f"{name} ({written})", block.value(kind.schema, ()))
    change.add(script.edits)
    # What is wrong with it, and what rules say of it, is for whoever fills it in.
    adds_no_errors(project, after(project, change), lambda each: each.id.startswith(("value-", "rule-")) or each.address == name)
    return change, [Done(name, source.name, f"a {kind.id}, {block.told()}")]


def _home(project: Project, into: str) -> Source:
    """The file of the template that a resource is written into: the one that is named, else that of the last resource. Raises ProjectError."""
    sources = {each.name: each for each in project.template_sources}
    if into:
        if into not in sources:
            message = say("{} is no file of the template.", into)
            raise ProjectError([Finding("file-missing", "error", message, None, say("Its files are {}.", listed(sorted(sources))))])
        return sources[into]
    resources = [each.origin.source for each in project.template.resources.values()]
    found = resources[-1] if resources else project.template.origin.source
    if found.name not in sources:
        raise broken(say("The template has no file where a resource could be written."))
    return sources[found.name]


class _Block:
    """The properties of a type as they are written, and how many of them are to be filled in."""

    def __init__(self, project: Project, kind: ResourceType, name: str, every: bool) -> None:
        self._project = project
        self._kind = kind
        self._name = name
        self._every = every
        self.open = 0

    def told(self) -> str:
        """What is still to be done."""
        return f"{self.open} to fill in: jovial check says which" if self.open else "nothing to fill in"

    def lines(self, schema: Mapping[str, Any], pointer: tuple[str | int, ...], required: bool) -> Iterator[str]:
        """The entries of a map, one after the other, without the indentation that all have; one that need not be there is a comment."""
        for each in self._parts(schema, pointer):
            place = (*pointer, each.path)
            about = ", ".join(part for part in (each.kind, each.bounds) if part)
            described = f"# {about}: {each.schema.get('description', '')}".rstrip(": ").replace("\n", " ")
            below = self._below(each.schema, place) if each.required else None
            if below is not None:
                yield described
                yield f"{each.path}:"
                yield from (f"{_STEP}{line}" for line in below)
                continue
            value = self._value(each, place)
            told = f"# {about}" if isinstance(value, dict) and "$open" in value else described  # an open value says it itself
            head = f"{yaml_flow(each.path)}: {yaml_block(value)}"
            mark = "" if each.required or "default" in each.schema or "const" in each.schema else "# "
            if len(mark) + len(head) + len(told) + 2 <= _WIDTH:
                yield f"{mark}{head}  {told}"
            else:
                yield told
                yield f"{mark}{head}"

    def value(self, schema: Mapping[str, Any], pointer: tuple[str | int, ...]) -> dict[str, Any]:
        """The same as a map, for a notation without comments."""
        found: dict[str, Any] = {}
        for each in self._parts(schema, pointer):
            if each.required or "default" in each.schema:
                deeper = self._is_map(each.schema) and each.required
                place = (*pointer, each.path)
                found[each.path] = self.value(each.schema, place) if deeper else self._value(each, place)
        return found

    def _parts(self, schema: Mapping[str, Any], pointer: tuple[str | int, ...]) -> Iterator[Property]:
        parts = subschema(self._kind.schema, pointer, surely=True)
        names = {name: None for part in parts for name in part.get("properties", {})}
        must = {name for part in parts for name in part.get("required", ())}
        for name in sorted(names, key=lambda each: (each not in must, [*names].index(each))):
            own: dict[str, Any] = {}
            for part in reversed(subschema(self._kind.schema, (*pointer, name), surely=True)):
                own.update(part)
            if own.get("readOnly") is not True and (name in must or self._every) and own.get("deprecated") is not True:
                yield Property(name, name in must, own)

    def _is_map(self, schema: Mapping[str, Any]) -> bool:
        return bool(schema.get("properties")) and schema.get("type") == "object"

    def _below(self, schema: Mapping[str, Any], pointer: tuple[str | int, ...]) -> list[str] | None:
        return list(self.lines(schema, pointer, True)) or None if self._is_map(schema) and "default" not in schema else None

    def _value(self, each: Property, pointer: tuple[str | int, ...]) -> Any:
        """What stands at a property: its default, the only value, what it may refer to; else a place to be filled in."""
        schema = each.schema
        if "default" in schema:
            return schema["default"]
        if "const" in schema:
            return schema["const"]
        if schema.get("type") == "array" and not schema.get("minItems"):
            items: dict[str, Any] = {}
            for part in reversed(subschema(self._kind.schema, (*pointer, 0), surely=True)):
                items.update(part)
            return [found] if each.required and (found := self._reference(items)) else []
        found = self._reference(schema)
        if found is not None:
            return found
        if schema.get("type") == "array" and (item := self._reference(_first(self._kind.schema, pointer))) is not None:
            return [item]
        if len(pointer) == 1 and schema.get("type") == "string" and (habit := self._habit(str(pointer[0]))) is not None:
            return habit
        if not each.required:
            return {} if schema.get("type") == "object" else f"‹{each.kind}›"
        self.open += 1
        return {"$open": schema.get("description") or each.path}

    def _habit(self, name: str) -> str | None:
        """How at least two resources of the template write a property after their own name, as `${prefix}-gates` does, with that of the new one."""
        found: dict[str, int] = {}
        for own, resource in self._project.template.resources.items():
            written = resource.properties.entry(name)
            text = written_text(written) if written is not None else ""
            hyphened = own.replace("_", "-")
            if text.endswith(hyphened):
                head = text[: -len(hyphened)]
                found[head] = found.get(head, 0) + 1
        best = max(found, key=lambda each: found[each], default="")
        return f"{best}{self._name.replace('_', '-')}" if best and found[best] > 1 else None

    def _reference(self, schema: Mapping[str, Any]) -> str | None:
        """`${net.id}` where exactly one resource of the template is what may stand here."""
        wanted = schema.get("refersTo")
        found = []
        for text in wanted if isinstance(wanted, list) else ():
            kind, _, path = str(text).partition(":")
            for name, resource in self._project.template.resources.items():
                types = (resource.type.name, resource.type.name.partition(".")[2], resource.type.id) if resource.type is not None else ()
                if kind in types and resource.is_single and path:
                    found.append(f"${{{name}.{path.replace('/', '.')}}}")
        return found[0] if len(found) == 1 else None


def _first(schema: Mapping[str, Any], pointer: tuple[str | int, ...]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for part in reversed(subschema(dict(schema), (*pointer, 0), surely=True)):
        found.update(part)
    return found
