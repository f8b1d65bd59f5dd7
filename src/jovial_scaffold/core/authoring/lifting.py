"""A literal that gets a name: it becomes a named value of the template, or a parameter, and everything is rendered as it was."""

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.authoring.literals import Written, is_secret, occurrences, reached, texts
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
from jovial_scaffold.core.templates.model import Compiled, Constant, ListValue, MapValue, Resource, Template
from jovial_scaffold.core.templates.sections import SECTIONS
from jovial_scaffold.core.text.edits import Change, Edit, edited
from jovial_scaffold.core.text.script import Script, Unplaced
from jovial_scaffold.core.text.source import Origin, Pointer, Source, pointer_text, split_pointer, value_at
from jovial_scaffold.core.words import nearest, say

_TAKEN_OVER = ("type", "enum", "format", "pattern", "minimum", "maximum", "minLength", "maxLength", "minItems", "maxItems")
_NOTHING: Any = object()


class Place(NamedTuple):
    """Where a literal is written: the resource and the property, the text that holds it, and the template that this is in."""

    label: str
    origin: Origin
    value: Any
    kind: ResourceType | None
    pointer: Pointer
    template: Template

    @property
    def key(self) -> tuple[str, Pointer]:
        """The file and the place in it."""
        return self.origin.source.name, self.origin.pointer


def lift(
    project: Project, places: Sequence[str], name: str, as_parameter: bool, everywhere: bool = False, text: str = ""
) -> tuple[Change, list[Done], list[Place | Written]]:
    """Give what stands at some places (`address:property`) a name, or a `text` wherever it stands. Raises ProjectError. What is equal elsewhere
    is the third result; with `everywhere` it gets the name, too. A place in a module gets a name of the module; one of the project is handed to
    the modules that lie in its folder, where the same stands in them."""
    project.views(project.environments)  # reads all files
    chosen = [_place(project, each) for each in places]
    first = chosen[0] if chosen else _said(project, text)
    template = first.template
    check_new(template, name)
    if not all(same(each.value, first.value) and each.template is template for each in chosen):
        raise broken(say("What stands at these places is not the same, or not in one template."))
    lifting = _Lifting(project, first, name)
    for each in chosen:
        lifting.replace(each)
    equal = lifting.equal(template)
    inner = lifting.reached() if template is project.template else []
    found = [*equal, *(each for one in inner for each in lifting.equal(one))]
    if everywhere:
        for one in [template, *inner]:
            lifting.replace_all(one)
        lifting.hand_over(inner)
    change, done = lifting.change, lifting.done
    if not done:
        message = say("What --text says stands nowhere as a word of its own, but in what is secret.")
        raise ProjectError([Finding("name-unknown", "error", message, None, say("jovial lift --suggest lists what recurs."))])
    if as_parameter:
        lifting.declare(template, is_given=template is not project.template)
        if template is project.template:
            _set(project, change, done, name, first.value)
    else:
        lifting.insert(template, "let", first.value)
        done.append(Done(name, lifting.home(template, "let").name, "named value"))
    then = after(project, change)
    adds_no_errors(project, then)
    keeps_renderings(project, then)
    return change, done, [] if everywhere else found


def _said(project: Project, text: str) -> Place:
    """A text that stands anywhere, in the template that it belongs to: the only module that says it, where the project's own does not."""
    holding = [each for each in reached(project) if any(occurrences(one.text, text) for one in texts(project, each))]
    template = holding[0] if len(holding) == 1 else project.template
    return Place(text, template.origin, text, None, (), template)


class _Lifting:
    """The edits that give a value a name."""

    def __init__(self, project: Project, first: Place, name: str) -> None:
        self.project = project
        self.first = first
        self.name = name
        self.change = Change(project.folder)
        self.done: list[Done] = []
        self._taken: set[tuple[str, Pointer]] = set()
        self._equal: dict[int, tuple[list[Place], list[tuple[Written, list[Edit]]]]] = {}

    def replace(self, place: Place) -> None:
        """Put the name where a literal stands."""
        script = Script(place.origin.source)
        try:
            script.set(place.origin.pointer, f"${{{self.name}}}")
        except Unplaced:
            raise broken(say("{} has no place that could be changed.", place.label)) from None
        self._taken.add(place.key)
        self._add(place, script.edits, f"${{{self.name}}}")

    def _add(self, place: Place | Written, edits: list[Edit], how: str) -> None:
        self.change.add(edits)
        self.done.append(Done(place.label, place.origin.source.name, how))

    def equal(self, template: Template) -> list[Place | Written]:
        """Where else the same stands in a template."""
        places, around = self._found(template)
        return [*places, *(each for each, _ in around)]

    def replace_all(self, template: Template) -> None:
        """Put the name there, too."""
        places, around = self._found(template)
        for place in places:
            self.replace(place)
        for each, edits in around:
            self._add(each, edits, f"…${{{self.name}}}…")

    def _found(self, template: Template) -> tuple[list[Place], list[tuple[Written, list[Edit]]]]:
        number = next(number for number, each in enumerate(self.project.templates) if each is template)
        if number not in self._equal:
            value = self.first.value
            places = [
                each
                for each in _literals(self.project, template)
                if each.key not in self._taken and type(each.value) is type(value) and same(each.value, value)
            ]
            taken = {*self._taken, *(each.key for each in places)}
            self._equal[number] = places, [*_inside(self.project, template, value, self.name, taken)]
        return self._equal[number]

    def reached(self) -> list[Template]:
        """The modules that say the same and those that use them, which can have a parameter of the name."""
        able = [each for each in reached(self.project)[1:] if self.name not in each.names and self.name not in each.functions]
        found = [each for each in able if self.equal(each)]
        while True:
            found = [each for each in found if all(user is self.project.template or user in able for user in self._users(each))]
            more = [user for each in found for user in self._users(each) if user is not self.project.template and user not in found]
            if not more:
                return found
            found += dict.fromkeys(more)

    def _users(self, template: Template) -> list[Template]:
        """The templates that use a module."""
        return [user for user in self.project.templates if any(each.template is template for each in user.modules())]

    def hand_over(self, modules: Sequence[Template]) -> None:
        """Declare it in modules, and hand it to each use of them."""
        for template in modules:
            self.declare(template)
            for user in self._users(template):
                for resource in user.resources.values():
                    if resource.module is not None and resource.module.template is template:
                        script = Script(resource.origin.source)
                        script.set((*resource.origin.pointer, self.name), f"${{{self.name}}}")
                        self.change.add(script.edits)
                        self.done.append(Done(self.name, resource.origin.source.name, f"handed to {resource.name}"))

    def declare(self, template: Template, is_given: bool = False) -> None:
        """A declaration as narrow as the property's own schema, with its description; with the value as default where that `is_given`."""
        schema: dict[str, Any] = {}
        place = self.first
        for part in reversed(subschema(place.kind.schema, place.pointer, surely=True) if place.kind is not None else []):
            schema.update({key: value for key, value in part.items() if key in (*_TAKEN_OVER, "description", "writeOnly")})
        if "type" not in schema and "enum" not in schema:
            kinds = {bool: "boolean", int: "integer", float: "number", str: "string"}
            schema = {"type": kinds.get(type(place.value), "string"), **schema}
        about = schema.pop("description", "") or (f"Of {place.label}" if place.pointer else f"What was {place.label}")
        schema = {key: schema[key] for key in (*_TAKEN_OVER, "writeOnly") if key in schema}
        given = {"default": place.value} if is_given else {}
        self.insert(template, "parameters", {**schema, **given, "description": about})
        self.done.append(Done(self.name, self.home(template, "parameters").name, "parameter"))

    def home(self, template: Template, section: str) -> Source:
        """The file of a template that holds a section, or the first of them."""
        declared = template.parameters if section == "parameters" else template.values
        return next((each.origin.source for each in declared.values()), template.origin.source)

    def insert(self, template: Template, section: str, value: Any) -> None:
        """Put the name into a section of a template."""
        script = Script(self.home(template, section))
        if isinstance(script.source.value, dict) and section in script.source.value:
            script.set((section, self.name), value)
        else:
            script.add_section(section, {self.name: value}, SECTIONS)
        self.change.add(script.edits)


def _inside(
    project: Project, template: Template, value: Any, name: str, taken: set[tuple[str, Pointer]]
) -> Iterator[tuple[Written, list[Edit]]]:
    """Texts that hold the literal as words of their own, or are it elsewhere than in a property, with the edits that put the name there."""
    if not isinstance(value, str) or not value.strip():
        return
    for each in texts(project, template):
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
    if value is _NOTHING or isinstance(value, dict | list):
        raise broken(say("{} is no literal of a template.", text))
    origin = compiled.origin.child(*found.rest)
    if is_secret(origin):
        hint = say(
            "Declare a parameter with `writeOnly: true`, read it here, and say in parameter files where it comes from: {}", "{$secret: …}"
        )
        raise ProjectError([Finding("promise-broken", "error", say("{} is secret, and a name would show it elsewhere.", text), None, hint)])
    return Place(text, origin, value, resource.type, steps, resource.instance.scope.template)


def _literals(project: Project, template: Template) -> Iterator[Place]:
    """Every scalar that is written out in a property of a template."""
    before = "" if template is project.template else f"{template.origin.source.name} "
    for address, resource in template.resources.items():
        if resource.module is None:
            yield from _in(resource, f"{before}{address}", resource.properties, (), template)


def _in(resource: Resource, address: str, whole: Compiled, pointer: Pointer, template: Template) -> Iterator[Place]:
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
                    yield Place(label, compiled.origin.child(*rest), value, resource.type, (*at, *rest), template)


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
