"""Values of parameters written into parameter files: set, taken away where they say nothing, dropped with their declaration."""

from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from jovial_scaffold.core.authoring.promises import Refused, adds_no_errors, after, broken, keeps_parameters, keeps_renderings
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.parameters.layers import Layer
from jovial_scaffold.core.parameters.secrets import is_source
from jovial_scaffold.core.parameters.typing import as_declared, from_text
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.templates.model import Constant, Template
from jovial_scaffold.core.templates.names import readings
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.script import Script, Unplaced, Unwritable
from jovial_scaffold.core.text.source import Pointer, Source, split_pointer, value_at
from jovial_scaffold.core.text.yaml_reader import read_yaml
from jovial_scaffold.core.words import listed, nearest, say

_NOTHING: Any = object()


@value_record
class Done:
    """One thing that a change does: to what, where, and in a few words how."""

    what: str
    file: str
    how: str


def set_parameters(project: Project, environment: str, assignments: Sequence[tuple[str, str]]) -> tuple[Change, list[Done]]:
    """Write values for one environment: into the file that sets them for it alone, else into its own. Raises ProjectError."""
    here = project.chosen((environment,))[0]
    trial = f"{here}?{'&'.join(f'{quote(name)}={quote(text)}' for name, text in assignments)}"
    scripts: dict[str, Script] = {}
    done = []
    change = Change(project.folder)
    wanted: dict[str, tuple[Pointer, Any]] = {}
    for written, text in assignments:
        name, pointer, value = _asked(project, written, text)
        wanted[written] = (_along(project.parameters_of(here).values, (name, *pointer)), value)
    known = [(each.id, each.message) for each in project.parameter_errors(here)]
    wrong = [each for each in project.parameter_errors(trial) if (each.id, each.message) not in known]
    if any(_holds_source(value) for _, value in wanted.values()):
        wrong = [each for each in wrong if each.id != "secret-in-clear"]
    if wrong:
        raise Refused(wrong, project)
    for written, (place, value) in wanted.items():
        file, is_new = home_of(project, here, place)
        if is_new and file not in scripts:
            scripts[file] = Script(Source(file, "", None, lambda _: {}))
        script = scripts.setdefault(file, Script(_source(project, file))) if not is_new else scripts[file]
        at = _as_written(script, place)
        try:
            script.set(at, value)
        except Unplaced:
            raise broken(say("{} has no place in {} where it could be written.", written, file)) from None
        except Unwritable:
            raise broken(say("{} cannot be written in {}: the notation has no null.", written, file)) from None
        done.append(Done(written, file, "set"))
    for name, script in scripts.items():
        if project.source(name) is None:
            change.write(name, "".join(edit.text for edit in script.edits))
        else:
            change.add(script.edits)
    then = after(project, change)
    keeps_parameters(project, then, [(here, str(place[0])) for place, _ in wanted.values()])
    meant = project.parameters_of(trial).values
    got = then.parameters_of(here).values
    for place, value in wanted.values():
        if _holds_source(value):  # what it gives is known elsewhere, perhaps not here
            setting = then.parameters_of(here).setting(place)
            if setting is None or setting.layer.source is None or setting.layer.source.name not in scripts:
                raise broken(say("`{}` of {} would not come from there: a later layer sets it, too.", place[0], here))
        elif not same(meant.get(str(place[0])), got.get(str(place[0]))):
            raise broken(say("`{}` of {} would not have the value that is asked for: a later layer sets it, too.", place[0], here))
    return change, done


def _asked(project: Project, written: str, text: str) -> tuple[str, Pointer, Any]:
    """The parameter, the place in it, and the value as it is to be written. Raises ProjectError."""
    name, _, inside = written.partition("/")
    declaration = project.template.parameters.get(name)
    if declaration is None:
        hint = nearest(name, project.template.parameters, say("Declare it under `parameters` of the template first."))
        raise ProjectError([Finding("parameter-undeclared", "error", say("The template declares no parameter `{}`.", name), None, hint)])
    pointer: Pointer = tuple(int(step) if str(step).isdigit() else step for step in split_pointer(inside)) if inside else ()
    parts = subschema(declaration.schema, pointer) or subschema(declaration.schema, tuple(0 if step == "-" else step for step in pointer))
    value = from_text(text, {"allOf": parts})
    if isinstance(value, str) and text.lstrip().startswith("{"):
        read, problems = read_yaml(text)
        value = read if not problems and is_source(read) else value
    secret = declaration.secret or any(part.get("writeOnly") is True for part in parts)
    if secret and not _holds_source(value):
        message = say("`{}` is secret, and parameter files hold no secret in clear text.", written)
        hint = say("Write where it comes from: `{}={$secret: {env: {}}}`", written, name.upper())
        raise ProjectError([Finding("secret-in-clear", "error", message, None, hint)])
    return name, pointer, as_declared(value, {"allOf": parts})


def _along(values: Any, place: Pointer) -> Pointer:
    """A place in which `-` is the item after the last one of a list."""
    found: list[str | int] = []
    for step in place:
        held = value_at(values, tuple(found), None) if found else values
        found.append(len(held) if step == "-" and isinstance(held, list) else step)
    return tuple(found)


def _holds_source(value: Any) -> bool:
    return is_source(value) or (isinstance(value, dict) and any(map(_holds_source, value.values())))


def _source(project: Project, name: str) -> Source:
    source = project.source(name)
    assert source is not None  # it is a layer of an environment, or was read as one
    return source


def _files_of(project: Project, environment: str) -> list[str]:
    """The parameter files of an environment, in order."""
    layers = project.parameters_of(environment).layers
    return [each.source.name for each in layers if each.source is not None]


def home_of(project: Project, environment: str, place: Pointer) -> tuple[str, bool]:
    """The file that a value of an environment belongs in, and whether it is still to be made. Raises ProjectError."""
    own = _files_of(project, environment)
    shared = {name for each in project.environments if each != environment for name in _files_of(project, each)}
    alone = [name for name in own if name not in shared]
    parameters = project.parameters_of(environment)
    for depth in range(len(place), 0, -1):
        setting = parameters.setting(place[:depth])
        if setting is not None and setting.layer.source is not None and setting.layer.source.name in alone:
            return setting.layer.source.name, False
    if alone:
        return alone[-1], False
    entry = project.project_file.environments[environment]
    if any(reference.origin is not None for reference in entry.parameters):
        message = say("{} has no parameter file of its own: {} are those of other environments, too.", environment, listed(own))
        hint = say("Name one under `parameters` of {} in the project file.", environment)
        raise ProjectError([Finding("promise-broken", "error", message, entry.origin.key_span(), hint)])
    return f"parameters/{environment}.yaml", True


def _as_written(script: Script, place: Pointer) -> Pointer:
    """A place as a file writes it: names of dotenv may be in other letters."""
    value = script.source.value
    if script.notation != "dotenv" or not isinstance(value, dict):
        return place
    folded = {key.casefold(): key for key in value}
    name = str(place[0])
    return (folded.get(name.casefold(), name.upper() if value and all(key.isupper() for key in value) else name), *place[1:])


# -- what says nothing


def prune(project: Project) -> tuple[Change, list[Done]]:
    """Take away values that nobody declares, and those that every environment of their file would have without them. Raises ProjectError."""
    change, done = Change(project.folder), []
    declared = project.template
    uses: dict[str, list[tuple[str, int, tuple[Layer, ...]]]] = {}
    for environment in project.environments:
        layers = tuple(each for each in project.parameters_of(environment).layers if each.source is not None)
        for number, layer in enumerate(layers):
            uses.setdefault(layer.source.name if layer.source else "", []).append((environment, number, layers))
    for file, used in uses.items():
        script = Script(_source(project, file))
        held = script.source.value if isinstance(script.source.value, dict) else {}
        values = used[0][2][used[0][1]].values
        for key in held:
            name = key if key in values else next((each for each in values if each.casefold() == key.casefold()), key)
            if key == "$schema" or not _is_needless(declared, name, used):
                continue
            if name not in declared.parameters and (declared.unread or name in declared.unknown_names):
                continue  # its declaration may be among what could not be read
            script.remove((key,))
            how = "nobody declares it" if name not in declared.parameters else "it is so without it"
            done.append(Done(name, file, how))
        change.add(script.edits)
    if change:
        keeps_parameters(project, after(project, change))
    return change, done


def _is_needless(template: Template, name: str, used: Sequence[tuple[str, int, tuple[Layer, ...]]]) -> bool:
    declaration = template.parameters.get(name)
    if declaration is None:
        return True
    default = declaration.default.value if isinstance(declaration.default, Constant) else _NOTHING
    for _, number, layers in used:
        value = layers[number].values.get(name, _NOTHING)
        below = next((each.values[name] for each in reversed(layers[:number]) if name in each.values), default)
        if below is _NOTHING or isinstance(value, dict) or not same(value, below):  # maps merge: what each part says is another question
            return False
    return True


# -- a parameter that goes


def drop(project: Project, name: str) -> tuple[Change, list[Done]]:
    """Take a parameter away: its declaration, and the values that files give it. Raises ProjectError where something still reads it."""
    declaration = project.template.parameters.get(name)
    if declaration is None:
        hint = nearest(name, project.template.parameters, say("`jovial parameters` lists those that there are."))
        raise ProjectError([Finding("parameter-undeclared", "error", say("The template declares no parameter `{}`.", name), None, hint)])
    used = [origin.inner_span(start, end) for origin, start, end in readings(project.template, name)]
    if used:
        hint = say("Take it out there first.")
        places = dict.fromkeys(used)
        raise Refused([Finding("parameter-used", "error", say("`{}` is still used here.", name), span, hint) for span in places], project)
    change = Change(project.folder)
    done = []
    script = Script(declaration.origin.source)
    script.remove(declaration.origin.pointer)
    change.add(script.edits)
    done.append(Done(name, declaration.origin.source.name, "declaration"))
    files = dict.fromkeys(file for environment in project.environments for file in _files_of(project, environment))
    for file in files:
        script = Script(_source(project, file))
        for key in script.source.value if isinstance(script.source.value, dict) else ():
            if key == name or (script.notation == "dotenv" and key.casefold() == name.casefold()):
                script.remove((key,))
                done.append(Done(name, file, "value"))
        change.add(script.edits)
    then = after(project, change)
    adds_no_errors(project, then)
    keeps_renderings(project, then)
    return change, done
