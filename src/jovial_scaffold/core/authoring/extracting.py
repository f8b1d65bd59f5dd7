"""Resources that move into a module: with what only they use, with parameters for all else that they read, and outputs for what is read of them."""

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from posixpath import basename
from typing import Any

from jovial_scaffold.core.authoring.borders import Border, Use
from jovial_scaffold.core.authoring.expected import addresses_follow
from jovial_scaffold.core.authoring.moved_texts import check_whole, lines_from_brackets, part_with
from jovial_scaffold.core.authoring.naming import check_new
from jovial_scaffold.core.authoring.promises import adds_no_errors, after, broken, stays
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.authoring.tidying import tidied_text
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.values import Record, Secret
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Found
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.templates.sections import SECTIONS
from jovial_scaffold.core.text.edits import Change, Edit
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Origin, Pointer, Source, value_at
from jovial_scaffold.core.text.written_values import FLOW, yaml_flow, yaml_lines
from jovial_scaffold.core.words import listed, nearest, say

_SECTIONS = {"let": "values", "functions": "functions", "lookups": "lookups"}
_KINDS = {bool: "boolean", int: "integer", float: "number", str: "string", list: "array", dict: "object", Record: "object"}


def extract(project: Project, names: Sequence[str], file: str, use: str = "") -> tuple[Change, list[Done]]:
    """Move resources into a module in a new file, and use it under a name. Raises ProjectError."""
    use = use or basename(file).partition(".")[0].replace("-", "_")
    _asked(project, names, file, use)
    check_whole(project.own_sources)
    moving = _Moving(project, names, use)
    change, done = moving.change, moving.done
    change.write(file, moving.module(file))
    done.insert(0, Done(use, file, "module"))
    moving.rewrite(file)
    moved = {name: f"{use}/{name}" for name in moving.resources}
    done += addresses_follow(project, moved, change)
    verified(project, change, moved)
    return change, done


def _asked(project: Project, names: Sequence[str], file: str, use: str) -> None:
    template = project.template
    for name in names:
        if name not in template.resources:
            hint = nearest(name, template.resources, say("Its resources are {}.", listed(sorted(template.resources))))
            raise ProjectError([Finding("name-unknown", "error", say("The template has no resource `{}`.", name), None, hint)])
    check_new(template, use, say("Name the use of the module: --as NAME."))
    if not file.endswith((".yaml", ".yml")):
        raise ProjectError(
            [Finding("file-format", "error", say("{} is no name of a YAML file.", file), None, say("A module ends in .yaml."))]
        )
    if isinstance(project.folder.find(file), Found):
        hint = say("Choose another name.")
        raise ProjectError([Finding("promise-broken", "error", say("{} is there already, and nothing is overwritten.", file), None, hint)])


class _Moving(Border):
    """The module, and what the template has in its place."""

    # -- the module

    def module(self, file: str) -> str:
        """The text of the module."""
        for name in self.resources:
            resource = self.template.resources[name]
            if resource.module is not None and resource.type_text.startswith("."):  # a path from where it stands
                script = Script(resource.origin.source)
                script.rename(resource.origin.pointer, f"{name} ({relative(resource.module.label, file)})")
                self.inner += script.edits
        sections: dict[str, list[str]] = {}
        for name, each in sorted(self.takes.items()):
            sections.setdefault("parameters", []).append(self._parameter(name, each))
        for kind in sorted(self._types()):
            sections.setdefault("types", []).append(
                self._block(Origin(self.template.types[kind].source, self.template.types[kind].pointer))
            )
        for section, attribute in _SECTIONS.items():
            held: Mapping[str, Any] = getattr(self.template, attribute)
            for name in held:
                if name in self.moved or (section == "functions" and name in self.copied):
                    sections.setdefault(section, []).append(self._block(self.whole(held[name].origin)))
        sections["everywhere"] = [self._block(each) for each in self.everywhere]
        origins = sorted((self.template.resources[name].origin for name in self.resources), key=_order)
        apart = "\n" if len(origins) > 1 else ""
        sections["resources"] = [apart.join(self._block(each) for each in origins)]
        for name, value in sorted(self.gives.items()):
            sections.setdefault("outputs", []).append(f"  {name}: {{value: {yaml_flow(value)}, description: What others read of it}}\n")
        title = basename(file).partition(".")[0].replace("_", " ").replace("-", " ").capitalize()
        text = f"template: {title}\n"
        for section in SECTIONS:
            if sections.get(section):
                text += f"\n{section}:\n{''.join(sections[section])}"
        tidy = tidied_text(text, ".yaml")
        if tidy is None:
            raise broken(say("The entries cannot be moved as they are laid out."))
        return tidy

    def _parameter(self, name: str, each: Use) -> str:
        declaration = self.template.parameters.get(name)
        if declaration is not None:
            source, pointer = declaration.origin
            held = dict(value_at(source.value, pointer, None) or {})
            held.pop("default", None)
            held.pop("must", None)
            return "\n".join(yaml_lines(name, held, "  ")) + "\n"
        schema: dict[str, Any] = {}
        kind = self._kind(each, name)
        if kind:
            schema["type"] = kind
        if self._is_secret(each.reference.name):
            schema["writeOnly"] = True
        what = self.hands.get(name, name)
        return "\n".join(yaml_lines(name, {**schema, "description": f"The {what} of whoever uses it"}, "  ")) + "\n"

    def _values(self, name: str) -> Iterator[Any]:
        for view in self.views:
            try:
                yield view.scope.value(name)
            except EvaluationError:  # what has no value there says nothing of its type
                continue

    def _kind(self, each: Use, name: str) -> str:
        """The one type that a value has in all environments."""
        if name in self.hands:
            resource = self.template.resources[each.reference.name]
            if self.hands[name] == each.text and not self.field(each):
                return ""
            schema = resource.type.schema.get("properties", {}).get(self.field(each), {}) if resource.type is not None else {}
            return str(schema.get("type", "")) if isinstance(schema.get("type"), str) else ""
        found = {_KINDS.get(type(value.value if isinstance(value, Secret) else value), "") for value in self._values(name)}
        return found.pop() if len(found) == 1 else ""

    def _is_secret(self, name: str) -> bool:
        return any(isinstance(value, Secret) for value in self._values(name)) if name not in self.template.resources else False

    def _types(self) -> set[str]:
        """The types that declarations of the module refer to."""
        found: set[str] = set()
        waiting: list[Any] = []
        for name in self.takes:
            declaration = self.template.parameters.get(name)
            if declaration is not None:
                waiting.append(value_at(declaration.origin.source.value, declaration.origin.pointer, None))
        waiting += [
            value_at(each.origin.source.value, each.origin.pointer[:2], None)
            for each in map(self.template.functions.get, sorted(self.copied))
            if each
        ]
        while waiting:
            value = waiting.pop()
            if isinstance(value, dict):
                reference = value.get("$ref")
                kind = reference.split("/")[2] if isinstance(reference, str) and reference.startswith("#/types/") else ""
                if kind in self.template.types and kind not in found:
                    found.add(kind)
                    waiting.append(value_at(self.template.types[kind].source.value, self.template.types[kind].pointer, None))
                waiting += value.values()
            elif isinstance(value, list):
                waiting += value
        return found

    def _block(self, origin: Origin) -> str:
        """The lines of an entry with what is read in another way there, as far in as an entry of a section."""
        script = Script(origin.source)
        if not script.is_in_lines(origin.pointer):
            place = origin.source.place(origin.pointer)
            return lines_from_brackets(origin, part_with(origin.source, place.key_start, place.end, self.inner), 2)
        start, end = script.block(origin.pointer)
        text = part_with(origin.source, start, end, self.inner).replace("\r\n", "\n")
        return text if text.endswith("\n") else f"{text}\n"

    # -- the template

    def rewrite(self, file: str) -> None:
        """Take away what has moved, and use the module in its place."""
        template = self.template
        first = min((template.resources[name].origin for name in self.resources), key=_order)
        script = Script(first.source)
        properties: dict[str, Any] = {}
        if self.waits:
            properties["$after"] = self.waits
        for name in sorted(self.takes):
            properties[name] = f"${{{self.hands.get(name, name)}}}"
        path = relative(file, first.source.name)
        in_brackets = not script.is_in_lines(first.pointer)
        if in_brackets:
            place = first.source.place(first.pointer)
            key = f"{self.use} ({path})"
            own_key = json.dumps(key) if script.notation == "JSON" else yaml_flow(key)
            self.change.add([Edit(first.source.name, place.key_start, place.end, f"{own_key}: {FLOW[script.notation](properties)}")])
        else:
            self._use(script, first, path, properties)
        gone = [self.origin(name) for name in sorted(self.moved)]
        gone += [template.functions[name].origin for name in sorted(self.copied) if self._only_inside(name)]
        gone = [each for each in gone if not (in_brackets and each == first)]
        for source in {each.source.name: each.source for each in gone}.values():
            self._remove(source, [self.whole(each).pointer for each in gone if each.source.name == source.name])
        self.done += [Done(name, self.origin(name).source.name, f"moved to {file}") for name in sorted(self.moved)]
        self._after()
        self._renames()

    def _use(self, script: Script, first: Origin, path: str, properties: dict[str, Any]) -> None:
        """The use of the module in lines of its own, before the first of what moves."""
        lines = [line for key, value in properties.items() for line in yaml_lines(key, value, "")]
        place = script.block(first.pointer)[0]
        indent = " " * (script.column(first.pointer))
        own = [f"{indent}{self.use} ({path}):" if lines else f"{indent}{self.use} ({path}): {{}}", *(f"{indent}  {line}" for line in lines)]
        self.change.add([Edit(first.source.name, place, place, "\n".join(own) + "\n" + ("\n" if script.is_apart(first.pointer) else ""))])

    def _only_inside(self, function: str) -> bool:
        """Whether nothing that stays calls a function."""
        entries = {self.origin(name).pointer[:2] for name in self.moved}
        entries |= {self.template.functions[name].origin.pointer[:2] for name in self.copied}
        return not any(function in names for entry, calls in self._calls.items() if entry not in entries for names in calls.values())

    def _remove(self, source: Source, pointers: list[Pointer]) -> None:
        """Take entries away, and sections of which nothing is left."""
        sections: dict[str, int] = {}
        for pointer in pointers:
            sections[str(pointer[0])] = sections.get(str(pointer[0]), 0) + 1
        for section, count in sections.items():
            held = value_at(source.value, (section,), None)
            script = Script(source)
            entries = [pointer for pointer in pointers if pointer[0] == section]
            if isinstance(held, dict) and len(held) == count and section != "resources":
                script.cut((section,)) if script.is_in_lines((section,)) else script.remove((section,))
            elif not script.is_in_lines(entries[0]):
                script.remove_in_brackets(entries)
            else:
                for pointer in entries:
                    start, end = script.block(pointer)
                    end = script.behind_blank(end) if script.is_apart(pointer) else end
                    script.edits.append(Edit(source.name, start, end, ""))
            self.change.add(script.edits)

    def _after(self) -> None:
        for resource in self.template.resources.values():
            for other, origin in resource.after:
                if other in self.moved and resource.name not in self.moved:
                    script = Script(origin.source)
                    script.set(origin.pointer, self.use)
                    self.change.add(script.edits)

    def _renames(self) -> None:
        """What runs knows the resources by their old addresses."""
        source = self.template.resources[self.resources[0]].origin.source
        for entry in self.template.renames:
            head, slash, rest = entry.new.partition("/")
            if head in self.moved:
                script = Script(entry.origin.source)
                script.set(entry.origin.pointer, f"{self.use}/{head}{slash}{rest}")
                self.change.add(script.edits)
        script = Script(source)
        held = source.value.get("renames")
        entries = {name: f"{self.use}/{name}" for name in self.resources}
        if held:
            for old, new in entries.items():
                if old not in held:
                    script.insert(("renames",), old, new)
        elif not script.is_in_lines(("resources",)):
            script.add_section("renames", entries, SECTIONS)
        else:
            start, _ = script.block(("resources",))
            gap = ["", ""] if script.is_apart(("resources",)) else [""]
            script.edits.append(Edit(source.name, start, start, "\n".join([*yaml_lines("renames", entries, ""), *gap])))
        self.change.add(script.edits)
        self.done.append(Done(self.use, source.name, "renames, so that what runs stays"))


def _order(origin: Origin) -> tuple[str, int]:
    return origin.source.name, origin.source.place(origin.pointer).key_start


def relative(file: str, beside: str) -> str:
    from posixpath import dirname, relpath

    path = relpath(file, dirname(beside) or ".")
    return path if path.startswith("../") else f"./{path}"


def verified(project: Project, change: Change, moved: Mapping[str, str]) -> None:
    """Everything is rendered as it was, what has moved and what is inside of it under its new addresses. Raises ProjectError."""
    then = after(project, change)
    adds_no_errors(project, then, names_change=True)
    for was, becomes in zip(project.views(project.environments), then.views(project.environments), strict=True):
        stays(was.environment, was, becomes, dict(_moved(was.resources, moved)))


def _moved(addresses: Iterable[str], moved: Mapping[str, str]) -> Iterator[tuple[str, str]]:
    for address in addresses:
        old = next((each for each in moved if address == each or address.startswith(f"{each}/")), None)
        if old is not None:
            yield address, f"{moved[old]}{address[len(old) :]}"
