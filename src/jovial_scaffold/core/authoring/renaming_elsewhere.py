"""Renaming what is no name of an expression: a type of the template, a module of the project file, an environment, a field of a parameter."""

import re
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from jovial_scaffold.core.authoring.expected import environment_follows
from jovial_scaffold.core.authoring.following import follow
from jovial_scaffold.core.authoring.naming import check_name, taken
from jovial_scaffold.core.authoring.promises import broken, keeps_renderings, stays
from jovial_scaffold.core.authoring.scaffolding import named
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Has, Index, ListLiteral, Literal, MapLiteral, Name, Node, Operation, Select, nodes
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Found
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.model import Compiled, Dynamic, Template
from jovial_scaffold.core.templates.names import all_formulas
from jovial_scaffold.core.text.edits import Change, Edit
from jovial_scaffold.core.text.script import Script, Unplaced
from jovial_scaffold.core.text.source import Origin, Pointer, Source, value_at
from jovial_scaffold.core.words import say

Renaming = Callable[[Project, str, str], tuple[Change, list[Done]]]
_FIELD = re.compile(r"[A-Za-z_][A-Za-z0-9_-]*\Z")


def kind_of(project: Project, old: str) -> Renaming | None:
    """How something is renamed that is none of the names that expressions read; None for those, and for what there is not."""
    head, dot, rest = old.partition(".")
    template = project.template
    if dot and head in ("types", "modules", "environments"):
        known = {"types": [*template.types], "modules": [*project.project_file.modules], "environments": [*project.environments]}
        if rest in known[head]:
            return _KINDS[head]
    if dot and head in template.parameters:
        return _field
    if dot or old in template.names or old in template.functions:
        return None
    return (
        _type
        if old in template.types
        else _module
        if old in project.project_file.modules
        else _environment
        if old in project.environments
        else None
    )


def _renamed(origin: Origin, new: str, change: Change) -> None:
    script = Script(origin.source)
    try:
        script.rename(origin.pointer, new)
    except Unplaced:
        raise broken(say("The declaration in {} has no place that could be changed.", origin.source.name)) from None
    change.add(script.edits)


# -- types and modules


def _type(project: Project, old: str, new: str) -> tuple[Change, list[Done]]:
    old = old.removeprefix("types.")
    check_name(new)
    template, change = project.template, Change(project.folder)
    if new in template.types:
        raise taken(say("The template has a type `{}` already.", new))
    _renamed(template.types[old], new, change)
    done = [Done(f"{old} → {new}", template.types[old].source.name, "type")]
    for source in project.own_sources:
        uses = [
            (pointer, text)
            for pointer, text in _texts(source.value)
            if pointer[-1:] == ("$ref",) and (text == f"#/types/{old}" or text.startswith(f"#/types/{old}/"))
        ]
        for pointer, text in uses:
            script = Script(source)
            script.set(pointer, f"#/types/{new}{text[len('#/types/') + len(old) :]}")
            change.add(script.edits)
        if uses:
            done.append(Done(f"{old} → {new}", source.name, f"{len(uses)} {'use' if len(uses) == 1 else 'uses'}"))
    keeps_renderings(project, follow(project, change, old, new, done))
    return change, done


def _module(project: Project, old: str, new: str) -> tuple[Change, list[Done]]:
    old = old.removeprefix("modules.")
    check_name(new)
    change = Change(project.folder)
    if new in project.project_file.modules:
        raise taken(say("The project has a module `{}` already.", new))
    origin = project.project_file.modules[old].origin
    if origin is None or origin.source.name != project.project_file.file:
        raise broken(say("`{}` is named outside of the project.", old))
    _renamed(origin, new, change)
    done = [Done(f"{old} → {new}", origin.source.name, "module")]
    for template in project.templates:
        for resource in template.resources.values():
            if resource.module is not None and resource.type_text == old:
                _renamed(resource.origin, f"{resource.name} ({new})", change)
                done.append(Done(f"{old} → {new}", resource.origin.source.name, f"used by {resource.name}"))
    keeps_renderings(project, follow(project, change, old, new, done))
    return change, done


def _texts(value: Any, pointer: Pointer = ()) -> Iterator[tuple[Pointer, str]]:
    """All texts in a value, and where they are."""
    if isinstance(value, str):
        yield pointer, value
    elif isinstance(value, dict | list):
        for key, item in value.items() if isinstance(value, dict) else enumerate(value):
            yield from _texts(item, (*pointer, key))


# -- environments


def _environment(project: Project, old: str, new: str) -> tuple[Change, list[Done]]:
    old = old.removeprefix("environments.")
    named(new, "an environment")
    if new in project.environments:
        raise taken(say("The project has an environment `{}` already.", new))
    before = project.views(project.environments)
    entry, change = project.project_file.environments[old], Change(project.folder)
    _renamed(entry.origin, new, change)
    done = [Done(f"{old} → {new}", entry.origin.source.name, "environment")]
    for each in entry.parameters:
        if each.origin is None and each.text.rpartition("/")[2].startswith(f"{old}."):  # which is found by its name
            folder, slash, last = each.text.rpartition("/")
            target = f"{folder}{slash}{new}{last[len(old) :]}"
            if isinstance(project.folder.find(target), Found):
                raise taken(say("{} is there already, and nothing is overwritten.", target))
            change.move(each.text, target)
            done.append(Done(f"{old} → {new}", target, f"was {each.text}"))
    for file, edits in _known_by_name(project, old, new).items():
        change.add(edits)
        done.append(Done(f"{old} → {new}", file, f"{len(edits)} {'use' if len(edits) == 1 else 'uses'}"))
    done += environment_follows(project, old, new, change)
    then = follow(project, change, old, new, done)
    names = [new if each == old else each for each in project.environments]
    word = re.compile(f"({re.escape(old)})")
    for was, becomes in zip(before, then.views(names), strict=True):
        stays(was.environment, was, becomes, alike=partial(_is_but_for, word if was.environment == old else None, new))
    return change, done


def _is_but_for(word: re.Pattern[str] | None, new: str, was: Any, now: Any) -> bool:
    """Whether a value is another one but for a name in its texts."""
    if isinstance(was, dict) and isinstance(now, dict):
        return was.keys() == now.keys() and all(_is_but_for(word, new, was[key], now[key]) for key in was)
    if isinstance(was, list) and isinstance(now, list):
        return len(was) == len(now) and all(_is_but_for(word, new, one, other) for one, other in zip(was, now, strict=True))
    if same(was, now):
        return True
    if word is None or not isinstance(was, str) or not isinstance(now, str):
        return False
    # What is the same text by chance stays what it is: each place may have the one or the other.
    either = "".join(
        re.escape(part) if number % 2 == 0 else f"(?:{re.escape(part)}|{re.escape(new)})" for number, part in enumerate(word.split(was))
    )
    return re.fullmatch(either, now) is not None


def _known_by_name(project: Project, old: str, new: str) -> dict[str, list[Edit]]:
    """Where an environment is called by its name: in comparisons with it, in maps that are read by it, in rules and in waivers."""
    found: dict[str, list[Edit]] = {}
    scripts: list[Script] = []
    for template in project.templates:
        aliases = {name for name, each in template.values.items() if _is_alias(each.value)}
        for formula, origin in all_formulas(template):
            _compared(formula.node, formula.offset, origin, old, new, aliases, found)
            for node in _indexed(formula.node, aliases):
                script = _entry(template, node, old, new)
                scripts += [script] if script is not None else []
    for ruleset in project.rulesets:
        for rule in ruleset.rules:
            for part in (rule.where, rule.require, rule.message, rule.fix):
                for formula, origin, _ in formulas_of(part):
                    _compared(formula.node, formula.offset, origin, old, new, set(), found)
            if rule.between is not None and old in rule.between:
                script = Script(rule.origin.source)
                script.set((*rule.origin.pointer, "between", rule.between.index(old)), new)
                scripts.append(script)
    scripts += _listed(project, old, new)
    for script in scripts:
        held = found.setdefault(script.source.name, [])
        held += [each for each in script.edits if each not in held]
    return found


def _listed(project: Project, old: str, new: str) -> Iterator[Script]:
    """Where waivers and levels of rules list an environment, alone or among others."""
    entries = [each.origin for each in project.waivers]
    for reference in project.project_file.rulesets:
        levels = value_at(reference.given.source.value, (*reference.given.pointer, "levels"), None) if reference.given is not None else None
        if reference.given is not None and isinstance(levels, list):
            entries += [reference.given.child("levels", number) for number in range(len(levels))]
    for entry in entries:
        pointer = (*entry.pointer, "environments")
        held = value_at(entry.source.value, pointer, None)
        if held == old or (isinstance(held, list) and old in held):
            script = Script(entry.source)
            script.set((*pointer, held.index(old)) if isinstance(held, list) else pointer, new)
            yield script


def _is_alias(value: Compiled) -> bool:
    """Whether a named value is the name of the environment."""
    return isinstance(value, Dynamic) and isinstance(value.content, Formula) and _is_environment(value.content.node, set())


def _indexed(whole: Node, aliases: set[str]) -> Iterator[Node]:
    """The maps that are read by the name of the environment."""
    for node in nodes(whole):
        if isinstance(node, Index) and _is_environment(node.index, aliases):
            yield node.operand


def _entry(template: Template, node: Node, old: str, new: str) -> Script | None:
    """The key of an environment in a named value, or in a part of one, that an expression reads."""
    steps: list[str] = []
    while isinstance(node, Select):
        steps.insert(0, node.field)
        node = node.operand
    value = template.values.get(node.name) if isinstance(node, Name) else None
    if value is None:
        return None
    source, pointer = value.origin
    held = value_at(source.value, (*pointer, *steps), None)
    if not isinstance(held, dict) or old not in held:
        return None
    script = Script(source)
    script.rename((*pointer, *steps, old), new)
    return script


def _compared(whole: Node, offset: int, origin: Origin, old: str, new: str, aliases: set[str], found: dict[str, list[Edit]]) -> None:
    """The texts that are compared with the name of an environment, as edits."""
    for node in nodes(whole):
        sides: tuple[Node, ...] = ()
        if (
            isinstance(node, Operation)
            and node.operator in ("==", "!=", "in")
            and any(_is_environment(each, aliases) for each in node.operands)
        ):
            sides = tuple(item for each in node.operands for item in (each.items if isinstance(each, ListLiteral) else (each,)))
        elif isinstance(node, Index) and _is_environment(node.index, aliases) and isinstance(node.operand, MapLiteral):
            sides = node.operand.keys
        for side in sides:
            if isinstance(side, Literal) and type(side.value) is str and side.value == old:
                offsets = origin.source.inner_offsets(origin.pointer, offset + side.start + 1, offset + side.end - 1)
                if offsets is not None:
                    found.setdefault(origin.source.name, []).append(Edit(origin.source.name, *offsets, new))


def _is_environment(node: Node, aliases: set[str]) -> bool:
    """Whether something reads the name of the environment."""
    if isinstance(node, Select):
        return node.field == "environment" and isinstance(node.operand, Name) and node.operand.name in ("context", "left", "right")
    return isinstance(node, Name) and (node.name == "environment" or node.name in aliases)


# -- fields of parameters


def _field(project: Project, old: str, new: str) -> tuple[Change, list[Done]]:
    name, *steps = old.split(".")
    if not _FIELD.match(new):
        raise ProjectError(
            [Finding("name-invalid", "error", say("`{}` cannot be a field.", new), None, say("Write letters, digits and _."))]
        )
    template, change = project.template, Change(project.folder)
    origin = template.parameters[name].origin
    places = _declared(origin.source.value, origin.pointer, steps, template)
    if not places:
        message, hint = say("`{}` declares no field `{}`.", name, ".".join(steps)), say("Write PARAMETER.FIELD, as expressions read it.")
        raise ProjectError([Finding("name-unknown", "error", message, None, hint)])
    done: list[Done] = []
    for source, pointer in places:
        held = value_at(source.value, pointer[:-1], None)
        if isinstance(held, dict) and new in held:
            raise taken(say("There is a field `{}` already.", new))
        script = Script(source)
        script.rename(pointer, new)
        around = value_at(source.value, pointer[:-2], None)
        required = around.get("required") if isinstance(around, dict) else None
        if isinstance(required, list) and steps[-1] in required:
            script.set((*pointer[:-2], "required", required.index(steps[-1])), new)
        change.add(script.edits)
        done.append(Done(f"{old} → {new}", source.name, "declaration"))
    _keyed(template, steps[-1], new, change)
    _values_of(project, template, name, steps, new, change, done)
    then = follow(project, change, steps[-1], new, done)
    try:
        _keeps_renderings_but_for(project, then, steps[-1], new)
    except ProjectError:  # what is read only where it is there, nobody misses
        edits = _read_if_there(project, steps[-1], new)
        if not edits:
            raise
        change.add(edits)
        done += [Done(f"{old} → {new}", each.file, "read where it is there") for each in edits]
        _keeps_renderings_but_for(project, follow(project, change, steps[-1], new, done), steps[-1], new)
    return change, done


def _read_if_there(project: Project, old: str, new: str) -> list[Edit]:
    """Every `.?field` and `has(….field)` of a name, as edits."""
    edits = []
    for template in project.templates:
        for formula, origin in all_formulas(template):
            for node in nodes(formula.node):
                if isinstance(node, Select) and node.optional and node.field == old:
                    start = node.field_start
                elif isinstance(node, Has) and node.field == old:
                    start = formula.text.rindex(old, node.start, node.end)
                else:
                    continue
                offsets = origin.source.inner_offsets(origin.pointer, formula.offset + start, formula.offset + start + len(old))
                edits += [Edit(origin.source.name, *offsets, new)] if offsets is not None else []
    return edits


def _keeps_renderings_but_for(before: Project, then: Project, old: str, new: str) -> None:
    """Every environment renders the same, where a whole item is copied with its field under the new name. Raises ProjectError."""

    def renamed(value: Any) -> Any:
        if isinstance(value, dict):
            return {new if key == old else key: renamed(item) for key, item in value.items()}
        return [renamed(each) for each in value] if isinstance(value, list) else value

    for environment in before.environments:
        was, becomes = before.render(environment), then.render(environment)
        stays(environment, was, becomes, alike=lambda one, other: same(one, other) or same(renamed(one), other))


def _declared(value: Any, pointer: Pointer, steps: list[str], template: Template) -> list[tuple[Source, Pointer]]:
    """Where a schema declares a field, through items, alternatives and types of the template."""
    found: dict[tuple[str, Pointer], tuple[Source, Pointer]] = {}
    origin = next(
        each.origin for each in template.parameters.values() if each.origin.pointer == pointer and each.origin.source.value is value
    )
    waiting: list[tuple[Source, Pointer, int]] = [(origin.source, pointer, 0)]
    seen = set()
    while waiting:
        source, at, depth = waiting.pop()
        schema = value_at(source.value, at, None)
        if not isinstance(schema, dict) or (source.name, at, depth) in seen:
            continue
        seen.add((source.name, at, depth))
        reference = schema.get("$ref")
        if isinstance(reference, str) and reference.startswith("#/types/") and reference.split("/")[2] in template.types:
            kind = template.types[reference.split("/")[2]]
            waiting.append((kind.source, (*kind.pointer, *reference.split("/")[3:]), depth))
        waiting += [(source, (*at, key), depth) for key in ("items", "additionalProperties", "if", "then", "else", "not")]
        for key in ("allOf", "anyOf", "oneOf", "prefixItems"):
            several = schema.get(key)
            waiting += [(source, (*at, key, index), depth) for index in range(len(several))] if isinstance(several, list) else []
        properties = schema.get("properties")
        if isinstance(properties, dict) and steps[depth] in properties:
            place = (*at, "properties", steps[depth])
            if depth + 1 < len(steps):
                waiting.append((source, place, depth + 1))
            else:
                found[source.name, place] = (source, place)
    return list(found.values())


def _keyed(template: Template, old: str, new: str, change: Change) -> None:
    """A list that is told apart by the field."""
    for declaration in template.parameters.values():
        source, pointer = declaration.origin
        if value_at(source.value, (*pointer, "listKey"), None) == old:
            script = Script(source)
            script.set((*pointer, "listKey"), new)
            change.add(script.edits)


def _values_of(project: Project, template: Template, name: str, steps: list[str], new: str, change: Change, done: list[Done]) -> None:
    """The field in what files, the default and examples give the parameter."""
    origin = template.parameters[name].origin
    examples = [each for requirement in template.must for each in (*requirement.passes, *requirement.fails)]
    heads: list[tuple[Source, Pointer]] = [(origin.source, (*origin.pointer, "default"))]
    heads += [(each.source, (*each.pointer, name)) for _, each in examples]
    for environment in project.environments:
        for layer in project.parameters_of(environment).layers:
            held = layer.source.value if layer.source is not None else None
            heads += [(layer.source, (key,)) for key in held if key.casefold() == name] if isinstance(held, dict) and layer.source else []
    counts: dict[str, int] = {}
    for source, head in dict.fromkeys(heads):
        for place in _fields(value_at(source.value, head, None), head, steps):
            script = Script(source)
            try:
                script.rename(place, new)
            except Unplaced:
                raise broken(say("A value in {} has no place that could be changed.", source.name)) from None
            change.add(script.edits)
            counts[source.name] = counts.get(source.name, 0) + len(script.edits)
    done += [
        Done(f"{'.'.join((name, *steps))} → {new}", file, f"{count} {'value' if count == 1 else 'values'}")
        for file, count in counts.items()
    ]


def _fields(value: Any, pointer: Pointer, steps: list[str]) -> Iterator[Pointer]:
    """Where a value, or what is in its lists and maps of any keys, has a field."""
    if isinstance(value, list):
        for index, item in enumerate(value):
            yield from _fields(item, (*pointer, index), steps)
    elif isinstance(value, dict):
        if steps[0] in value:
            if len(steps) == 1:
                yield (*pointer, steps[0])
            else:
                yield from _fields(value[steps[0]], (*pointer, steps[0]), steps[1:])
        else:
            for key, item in value.items():
                yield from _fields(item, (*pointer, key), steps)


_KINDS: dict[str, Renaming] = {"types": _type, "modules": _module, "environments": _environment}
