"""A literal that gets a name: it becomes a named value of the template, or a parameter, and everything is rendered as it was."""

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.authoring.literals import Written, is_secret, occurrences, texts
from jovial_scaffold.core.authoring.naming import check_new
from jovial_scaffold.core.authoring.promises import adds_no_errors, after, broken, keeps_renderings
from jovial_scaffold.core.authoring.settings import Done, home_of
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.templates.model import Compiled, Constant, ListValue, MapValue, Resource
from jovial_scaffold.core.templates.sections import SECTIONS
from jovial_scaffold.core.text.edits import Change, Edit, edited
from jovial_scaffold.core.text.script import Script, Unplaced
from jovial_scaffold.core.text.source import Origin, Pointer, Source, pointer_text, split_pointer, value_at
from jovial_scaffold.core.words import nearest, say

_TAKEN_OVER = ("type", "enum", "format", "pattern", "minimum", "maximum", "minLength", "maxLength", "minItems", "maxItems")
_NOTHING: Any = object()


class Place(NamedTuple):
    """Where a literal is written: the resource and the property, and the text that holds it."""

    label: str
    origin: Origin
    value: Any
    kind: ResourceType | None
    pointer: Pointer


def lift(
    project: Project, places: Sequence[str], name: str, as_parameter: bool, everywhere: bool = False, text: str = ""
) -> tuple[Change, list[Done], list[Place | Written]]:
    """Give what stands at some places (`address:property`) a name, or a `text` wherever it stands. Raises ProjectError. What is equal elsewhere
    is the third result; with `everywhere` it gets the name, too."""
    check_new(project.template, name)
    chosen = [_place(project, each) for each in places]
    first = chosen[0] if chosen else Place(text, project.template.origin, text, None, ())
    if not chosen:
        project.views(project.environments)  # reads all files
    if not all(same(each.value, first.value) for each in chosen):
        raise broken(say("What stands at these places is not the same."))
    taken = {(each.origin.source.name, each.origin.pointer) for each in chosen}
    equal = [
        each
        for each in _literals(project)
        if (each.origin.source.name, each.origin.pointer) not in taken
        and type(each.value) is type(first.value)
        and same(each.value, first.value)
    ]
    chosen += equal if everywhere else []
    inside = [*_inside(project, first.value, name, {*taken, *((each.origin.source.name, each.origin.pointer) for each in equal)})]
    change, done = Change(project.folder), []
    for each in chosen:
        script = Script(each.origin.source)
        try:
            script.set(each.origin.pointer, f"${{{name}}}")
        except Unplaced:
            raise broken(say("{} has no place that could be changed.", each.label)) from None
        change.add(script.edits)
        done.append(Done(each.label, each.origin.source.name, f"${{{name}}}"))
    for around, edits in inside if everywhere else ():
        change.add(edits)
        done.append(Done(around.label, around.origin.source.name, f"…${{{name}}}…"))
    if not done:
        message = say("What --text says stands nowhere as a word of its own, but in what is secret.")
        raise ProjectError([Finding("name-unknown", "error", message, None, say("jovial lift --suggest lists what recurs."))])
    if as_parameter:
        _declare(project, change, done, name, first)
        _set(project, change, done, name, first.value)
    else:
        _insert(project, change, "let", name, first.value)
        done.append(Done(name, project.template.origin.source.name, "named value"))
    then = after(project, change)
    adds_no_errors(project, then)
    keeps_renderings(project, then)
    return change, done, [] if everywhere else [*equal, *(each for each, _ in inside)]


def _inside(project: Project, value: Any, name: str, taken: set[tuple[str, Pointer]]) -> Iterator[tuple[Written, list[Edit]]]:
    """Texts that hold the literal as words of their own, or are it elsewhere than in a property, with the edits that put the name there."""
    if not isinstance(value, str) or not value.strip():
        return
    for each in texts(project):
        source, pointer = each.origin
        found = occurrences(each.text, value)
        if not found or (source.name, pointer) in taken:
            continue
        pieces, last = [], 0
        for start in found:
            pieces += [each.text[last:start], f"${{{name}}}"]
            last = start + len(value)
        script = Script(source)
        if pointer or source.value != source.text:
            script.set(pointer, "".join((*pieces, each.text[last:])))
        else:  # of a document, the text itself
            script.edits += [Edit(source.name, start, start + len(value), f"${{{name}}}") for start in found]
        yield each, script.edits


def _place(project: Project, text: str) -> Place:
    address, _, pointer = text.partition(":")
    rendering = next((each for each in project.views(project.environments) if address in each.resources), None)
    if rendering is None or not pointer:
        known = [each for view in project.views(project.environments) for each in view.resources]
        hint = nearest(address, known, say("Write ADDRESS:PROPERTY, as jovial render shows them."))
        raise ProjectError(
            [Finding("name-unknown", "error", say("There is no resource `{}` whose property could be lifted.", address), None, hint)]
        )
    resource = rendering.resources[address]
    steps: Pointer = tuple(int(step) if str(step).isdigit() else step for step in split_pointer(pointer))
    if resource.type is not None:
        steps = resource.type.lists.positions(resource.properties, steps)
    found = tracer_of(resource.instance.scope).leaf(resource.instance, steps)
    compiled = found.compiled
    value = value_at(compiled.value, found.rest, _NOTHING) if isinstance(compiled, Constant) else _NOTHING
    if value is _NOTHING or isinstance(value, dict | list) or resource.instance.scope.use is not None:
        raise broken(say("{} is no literal of the project's own template.", text))
    origin = compiled.origin.child(*found.rest)
    if is_secret(origin):
        hint = say(
            "Declare a parameter with `writeOnly: true`, read it here, and say in parameter files where it comes from: {}", "{$secret: …}"
        )
        raise ProjectError([Finding("promise-broken", "error", say("{} is secret, and a name would show it elsewhere.", text), None, hint)])
    return Place(text, origin, value, resource.type, steps)


def _literals(project: Project) -> Iterator[Place]:
    """Every scalar that is written out in a property of the project's own template."""
    for address, resource in project.template.resources.items():
        if resource.module is None:
            yield from _in(resource, address, resource.properties, ())


def _in(resource: Resource, address: str, whole: Compiled, pointer: Pointer) -> Iterator[Place]:
    waiting: list[tuple[Compiled, Pointer]] = [(whole, pointer)]
    while waiting:
        compiled, at = waiting.pop()
        if isinstance(compiled, MapValue):
            waiting += [(each, (*at, key)) for key, each in compiled.entries]
        elif isinstance(compiled, ListValue):
            waiting += [(each, (*at, index)) for index, each in enumerate(compiled.items)]
        elif isinstance(compiled, Constant):
            inside: list[tuple[Any, Pointer]] = [(compiled.value, ())]
            while inside:
                value, rest = inside.pop()
                if isinstance(value, dict | list):
                    inside += [(each, (*rest, key)) for key, each in (value.items() if isinstance(value, dict) else enumerate(value))]
                else:
                    label = f"{address}:{pointer_text((*at, *rest))}"
                    if is_secret(compiled.origin.child(*rest)):
                        continue
                    yield Place(label, compiled.origin.child(*rest), value, resource.type, (*at, *rest))


def _declare(project: Project, change: Change, done: list[Done], name: str, place: Place) -> None:
    """A declaration as narrow as the property's own schema, with its description."""
    schema: dict[str, Any] = {}
    for part in reversed(subschema(place.kind.schema, place.pointer, surely=True) if place.kind is not None else []):
        schema.update({key: value for key, value in part.items() if key in (*_TAKEN_OVER, "description", "writeOnly")})
    if "type" not in schema and "enum" not in schema:
        kinds = {bool: "boolean", int: "integer", float: "number", str: "string"}
        schema = {"type": kinds.get(type(place.value), "string"), **schema}
    about = schema.pop("description", "") or (f"Of {place.label}" if place.pointer else f"What was {place.label}")
    schema = {key: schema[key] for key in (*_TAKEN_OVER, "writeOnly") if key in schema}
    _insert(project, change, "parameters", name, {**schema, "description": about})
    done.append(Done(name, project.template.origin.source.name, "parameter"))


def _insert(project: Project, change: Change, section: str, name: str, value: Any) -> None:
    parameters, values = project.template.parameters.values(), project.template.values.values()
    origins = [each.origin for each in parameters] if section == "parameters" else [each.origin for each in values]
    source = origins[0].source if origins else project.template.origin.source
    script = Script(source)
    if isinstance(source.value, dict) and section in source.value:
        script.set((section, name), value)
    else:
        script.add_section(section, {name: value}, SECTIONS)
    change.add(script.edits)


def _set(project: Project, change: Change, done: list[Done], name: str, value: Any) -> None:
    """The value, in a file that all environments take, or in each environment's own."""
    files = [
        [layer.source.name for layer in project.parameters_of(each).layers if layer.source is not None] for each in project.environments
    ]
    shared = next((file for file in files[0] if all(file in each for each in files)), None) if files else None
    targets = [(shared, False)] if shared is not None else [home_of(project, each, (name,)) for each in project.environments]
    for file, is_new in dict.fromkeys(targets):
        source = None if is_new else project.source(file)
        script = Script(source or Source(file, "", None, lambda _: {}))
        script.set((name.upper() if script.notation == "dotenv" and script.text.isupper() else name,), value)
        if source is None:
            change.write(file, edited("", script.edits))
        else:
            change.add(script.edits)
        done.append(Done(name, file, "value"))
