"""What a project begins with: a small whole one, and what is added to it by name: environments, modules, rulesets, catalogs."""

import re
from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.authoring.naming import check_name
from jovial_scaffold.core.authoring.promises import adds_no_errors, after, broken, keeps_renderings
from jovial_scaffold.core.authoring.settings import Done, set_parameters
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Found, MemoryFolder
from jovial_scaffold.core.parameters.secrets import with_sources
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import KEYS, NAME, ProjectError
from jovial_scaffold.core.templates.compiling import is_name
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.script import Script, Unplaced
from jovial_scaffold.core.text.source import Source, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.written_values import yaml_flow
from jovial_scaffold.core.words import say

ENVIRONMENTS = ("sandbox", "live")
_SIZES = ("s", "m", "l", "xl")

_PROJECT = """# The project: its template, the types that it may use, and its environments. `jovial check` says what is wrong in any of these files.
project: {name}
template: main.yaml
catalogs: [fulmar]  # the types of Fulmar come with the tool; others are files or folders
environments:
"""
_TEMPLATE = """template: {title}
description: What {name} runs on; say here what it is for.

parameters:  # what may differ from environment to environment; values stand in parameters/
  owner: {{type: string, minLength: 2, description: Who answers for it}}
  copies: {{type: integer, minimum: 1, maximum: 20, default: 1, description: How many machines share the work}}

let:  # named values, to write things once
  prefix: {name}-${{context.environment}}
  sizes:
{sizes}  tags: {{owner: "${{owner}}", environment: "${{context.environment}}"}}

resources:
  net (fulmar.network):
    name: ${{prefix}}-net
    range: 10.20.0.0/16
    tags: ${{tags}}

  workers (fulmar.machine_group):
    name: ${{prefix}}-workers
    image: base-2026-10
    size: ${{sizes[context.environment]}}
    copies: ${{copies}}
    tags: ${{tags}}

  uploads (fulmar.bucket):
    name: ${{prefix}}-uploads
    encrypted: true
    tags: ${{tags}}

outputs:
  uploads_name: {{value: "${{uploads.name}}", description: Where files are put}}
"""
_COMMON = "# What all environments have in common.\nowner: {owner}\n"
_OWN = "# What only {name} has.\ncopies: {copies}\n"
_MODULE = """template: {title}
description: Say here what this module makes, and for whom.

parameters:
  name: {{type: string, minLength: 2, maxLength: 40, description: What it is called}}

resources:
  main (fulmar.queue):
    name: ${{name}}
    encrypted: true

outputs:
  url: {{value: "${{main.url}}", description: Where messages are sent}}
"""
_RULESET = """ruleset: {title}
rules:
  encrypted:
    because: What is stored must not be readable from a lost disk.
    applies: [fulmar.bucket, fulmar.queue]
    require: self.encrypted
    message: ${{address}} is not encrypted.
    fix: Set encrypted to true.
    examples:
      passes: [{{encrypted: true}}]
      fails: [{{encrypted: false}}]
"""
_OWN_RULESET = """ruleset: {title}
rules:
  {rule}:
    because: Say here why it has to be so.
    applies: [{type}]
    require: {require}
    message: ${{address}} is not as it has to be.
    fix: Say here what to do.
    examples:
      passes: [{{{passes}}}]
      fails: [{{{fails}}}]
"""
_PLAIN_RULESET = """ruleset: {title}
rules:
  not_empty:
    because: An environment without resources is a mistake.
    over: environment
    require: resources.size() > 0
    message: ${{environment}} has no resources.
"""
_CATALOG = "name: {name}\ndescription: Types of our own.\n"
_TYPE = """$id: {name}.thing.v1
title: Thing
description: Say here what this is.
type: object
properties:
  name: {{type: string, minLength: 2, description: What it is called, aspect: naming, changeEffect: rebuild}}
  size: {{enum: [s, m, l], default: s, description: How large it is, aspect: capacity}}
  id: {{type: string, readOnly: true, description: What the cloud calls it}}
required: [name]
additionalProperties: false
identity: [name]
"""


def project_files(name: str, environments: Sequence[str]) -> dict[str, str]:
    """The files of a small project that has something to render in each environment. Raises ProjectError where a name is none."""
    named(name, "a project")
    for each in environments:
        named(each, "an environment")
    entries = "".join(f"  {each}: {{parameters: [parameters/common.yaml, parameters/{each}.yaml]}}\n" for each in environments)
    sizes = "".join(f"    {_key(each)}: {_SIZES[min(number, len(_SIZES) - 1)]}\n" for number, each in enumerate(environments))
    files = {
        NAME: _PROJECT.format(name=name) + entries,
        "main.yaml": _TEMPLATE.format(name=name, title=_title(name), sizes=sizes),
        "parameters/common.yaml": _COMMON.format(owner=f"{name}-team"),
        **{f"parameters/{each}.yaml": _OWN.format(name=each, copies=number + 1) for number, each in enumerate(environments)},
    }
    sound(files)
    return files


def sound(files: dict[str, str]) -> None:
    """Files that are a project which nothing is wrong with. Raises ProjectError, which says what is."""
    found = Project(MemoryFolder({name: text.encode("utf-8", "surrogateescape") for name, text in files.items()})).check().findings
    wrong = [each for each in found if each.level != "note"]
    if wrong:
        raise ProjectError(wrong)


def named(name: str, what: str) -> None:
    """Raises ProjectError where something cannot be the name of what it is to be."""
    if not is_name(name.replace("-", "_")):
        message, hint = say("`{}` cannot be the name of {}.", name, what), say("Write a-z, 0-9, - and _, a letter first.")
        raise ProjectError([Finding("name-invalid", "error", message, None, hint)])


def _title(name: str) -> str:
    return name.replace("-", " ").replace("_", " ").capitalize()


def _key(name: str) -> str:
    return yaml_flow(name)


# -- what is added to a project


def new_environment(project: Project, name: str, like: str = "", force: bool = False) -> tuple[Change, list[Done]]:
    """An environment whose parameters are those of another one, the last where none is named; files that are there are overwritten by `force`
    only. Raises ProjectError."""
    named(name, "an environment")
    if name in project.environments:
        raise _there_already(say("The project has an environment `{}` already.", name))
    like = project.chosen((like,))[0] if like else project.environments[-1]
    entry = project.project_file.environments[like]
    for each in project.environments:
        project.parameters_of(each)  # reads their files
    shared = {each.text for other, found in project.project_file.environments.items() if other != like for each in found.parameters}
    own = [each.text for each in entry.parameters if each.text not in shared]
    change, done = Change(project.folder), []
    names = {text: _beside(text, like, name, number) for number, text in enumerate(own)}
    for text, target in names.items():
        _check_free(project, target, force)
        source = project.source(text)
        if source is not None:
            change.write(target, _like(project, source, like, name))
            done.append(Done(name, target, f"values of {like}, to be changed"))
    script = Script(entry.origin.source)
    whole: dict[str, Any] = {}
    if any(each.origin is not None for each in entry.parameters):
        whole["parameters"] = [names.get(each.text, each.text) for each in entry.parameters]
    elif not own:
        target = f"parameters/{name}.yaml"
        change.write(target, f"# What only {name} has.\n")
        done.append(Done(name, target, "no values yet"))
    if entry.labels:
        whole["labels"] = entry.labels
    script.insert(entry.origin.pointer[:-1], name, whole, after=like)
    change.add(script.edits)
    done.insert(0, Done(name, entry.origin.source.name, "environment"))
    done += _known_by_name(project, change, name, like)
    then = after(project, change)
    keeps_renderings(project, then)
    _has_values_of(project, then, like, name)
    return change, done


def own_parameters(project: Project, change: Change, name: str) -> tuple[Project, list[str]]:
    """The project as a change makes it that adds an environment, and the parameters that only files of that one set."""
    then = after(project, change)
    files = {each.name for each in change.files() if each.before is None}
    parameters = then.parameters_of(name)
    settings = {each: parameters.setting((each,)) for each in then.template.parameters}
    found = {each: setting.layer.source for each, setting in settings.items() if setting is not None}
    return then, [each for each, source in found.items() if source is not None and source.name in files]


def give(then: Project, change: Change, name: str, values: list[tuple[str, str]]) -> list[Done]:
    """Give the new environment other values, in the files that the change makes. Raises ProjectError."""
    if not values:
        return []
    further, done = set_parameters(then, name, values)
    for file in further.files():
        change.write(file.name, (file.after or b"").decode("utf-8", "surrogateescape"))
    return done


def _known_by_name(project: Project, change: Change, name: str, like: str) -> Iterator[Done]:
    """What the template says of each environment by its name: the new one gets what the other has."""
    environments = set(project.environments)
    for each in project.template.values.values():
        source, pointer = each.origin
        held = value_at(source.value, pointer, None)
        if isinstance(held, dict) and like in held and environments.issuperset(held):
            script = Script(source)
            script.insert(pointer, name, held[like], after=like)
            change.add(script.edits)
            yield Done(each.name, source.name, f"an entry for {name}, as for {like}")
    for declaration in project.template.parameters.values():
        source, pointer = declaration.origin
        options = value_at(source.value, (*pointer, "enum"), None)
        if isinstance(options, list) and like in options and environments.issuperset(map(str, options)):
            script = Script(source)
            script.append((*pointer, "enum"), name)
            change.add(script.edits)
            yield Done(declaration.name, source.name, f"may be {name}")


def _has_values_of(before: Project, then: Project, like: str, name: str) -> None:
    """The new environment has the parameters of the other one, but for its name. Raises ProjectError."""
    old, new = before.parameters_of(like), then.parameters_of(name).values
    for each, value in old.values.items():
        if old.setting((each,)) is not None and not _alike(value, new.get(each), name):
            raise broken(say("`{}` of {} would not be what it is in {}.", each, name, like))


def _alike(value: Any, becomes: Any, name: str) -> bool:
    """Whether a value is the other one but for its secrets, and for the name of the environment."""
    if becomes is UNKNOWN or value is UNKNOWN or isinstance(value, Secret):
        return True
    if isinstance(value, dict) and isinstance(becomes, dict):
        return all(_alike(item, becomes.get(key, UNKNOWN), name) for key, item in value.items())
    if isinstance(value, list) and isinstance(becomes, list):
        return len(value) == len(becomes) and all(_alike(one, other, name) for one, other in zip(value, becomes, strict=True))
    return becomes == name or same(value, becomes)


def _beside(text: str, like: str, name: str, number: int) -> str:
    """The file for an environment beside that of another."""
    folder, slash, last = text.rpartition("/")
    renamed = last.replace(like, name) if like in last else f"{name}{f'-{number}' if number else ''}{last[last.find('.') :]}"
    return f"{folder}{slash}{renamed}"


def _like(project: Project, source: Source, like: str, name: str) -> str:
    """A parameter file of another environment: what is its name there is that of the new one, and a secret in clear text a source."""
    from jovial_scaffold.core.text.edits import edited

    script = Script(source)
    for key, value in (source.value if isinstance(source.value, dict) else {}).items():
        declaration = next((each for each in project.template.parameters.values() if each.name.casefold() == key.casefold()), None)
        if declaration is None:
            script.remove((key,))  # nobody declares it: there is nothing that it could say
        elif value == like:
            script.set((key,), name)
        else:
            sourced, secrets = with_sources(declaration.name, value, declaration.schema)
            for pointer in secrets:
                script.set((key, *pointer), value_at(sourced, pointer, sourced) if pointer else sourced)
    whole = re.compile(rf"(?<![\w-]){re.escape(like)}(?![\w-])")
    lines = edited(source.text, script.edits).split("\n")
    return "\n".join(
        whole.sub(name, line) if line.startswith("#") else line for line in lines
    )  # what is said of the one is said of the other


def new_module(project: Project, name: str, force: bool = False) -> tuple[Change, list[Done]]:
    """A module, under its name in the project file. Raises ProjectError."""
    return _added(project, name, "modules", {f"modules/{name}.yaml": _MODULE.format(title=_title(name))}, f"modules/{name}.yaml", force)


def new_ruleset(project: Project, name: str, force: bool = False) -> tuple[Change, list[Done]]:
    """A ruleset with one rule, among those of the project. Raises ProjectError."""
    return _added(project, name, "rulesets", {f"rules/{name}.yaml": _ruleset(project, _title(name))}, f"rules/{name}.yaml", force)


def _ruleset(project: Project, title: str) -> str:
    """A ruleset with one rule, over types that the project has."""
    if all(project.catalogs.find(each) is not None for each in ("fulmar.bucket", "fulmar.queue")):
        return _RULESET.format(title=title)
    for kind in project.catalogs:
        for each, schema in kind.schema.get("properties", {}).items():
            if schema.get("type") == "boolean" and schema.get("readOnly") is not True and is_name(each):
                return _OWN_RULESET.format(
                    title=title, rule=f"is_{each}", type=kind.name, require=f"self.{each}", passes=f"{each}: true", fails=f"{each}: false"
                )
    return _PLAIN_RULESET.format(title=title)


def new_catalog(project: Project, name: str, force: bool = False) -> tuple[Change, list[Done]]:
    """A catalog with one type, among those of the project. Raises ProjectError."""
    files = {f"{name}/catalog.yaml": _CATALOG.format(name=name), f"{name}/thing.yaml": _TYPE.format(name=name)}
    return _added(project, name, "catalogs", files, f"{name}/", force)


def _added(project: Project, name: str, section: str, files: dict[str, str], path: str, force: bool) -> tuple[Change, list[Done]]:
    check_name(name)
    change = Change(project.folder)
    for target, text in files.items():
        _check_free(project, target, force)
        change.write(target, text)
    source = next(iter(project.project_file.environments.values())).origin.source
    script = Script(source)
    held = source.value.get(section) if isinstance(source.value, dict) else None
    done = [Done(name, target, f"new, part of `{section}`") for target in files]
    covered = any(isinstance(each, str) and each.endswith("/") and path.startswith(each) for each in _each(held))
    try:
        if section == "modules":
            script.set((section, name), path) if held is not None else script.add_section(section, {name: path}, KEYS)
        elif covered:
            done = [Done(name, target, f"new; `{section}` takes the whole folder") for target in files]
        elif held is None:
            script.add_section(section, [path], KEYS)
        elif isinstance(held, str):
            script.set((section,), [held, path])
        else:
            script.append((section,), path)
    except Unplaced:
        raise broken(say("`{}` of {} has no place for it.", section, source.name)) from None
    change.add(script.edits)
    if script.edits:
        done.append(Done(name, source.name, f"named under `{section}`"))
    adds_no_errors(project, after(project, change), lambda each: each.id == "rule-failed")  # which is what rules are for
    return change, done


def _each(held: Any) -> list[Any]:
    return held if isinstance(held, list) else [held] if isinstance(held, str) else []


def _there_already(message: Any) -> ProjectError:
    return ProjectError([Finding("promise-broken", "error", message, None, say("Choose another name."))])


def _check_free(project: Project, target: str, force: bool) -> None:
    """Raises ProjectError where a file is there already that nobody wants to overwrite."""
    if not force and isinstance(project.folder.find(target), Found):
        message = say("{} is there already, and nothing is overwritten.", target)
        raise ProjectError([Finding("promise-broken", "error", message, None, say("Choose another name, or overwrite it with --force."))])
