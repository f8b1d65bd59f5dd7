"""A parameter file to fill in: what each parameter is, what it is without it, and what is open."""

import json
from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.authoring.inventory import Listed, inventory
from jovial_scaffold.core.authoring.promises import after, broken, keeps_parameters
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Found
from jovial_scaffold.core.parameters.envelopes import Envelope, FormEntry, wrapped_form, wrapped_text
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.edits import Change, edited
from jovial_scaffold.core.text.formats import format_of
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.text.written_values import FLOW, SUFFIXES, toml_key, yaml_block, yaml_flow
from jovial_scaffold.core.words import say


def form(project: Project, environment: str, notation: str = "", open_only: bool = False, envelope: Envelope | None = None) -> str:
    """The text of a form, in a notation or that of the environment's last file. Raises ProjectError, Unwritable."""
    here = project.chosen((environment,))[0]
    files = [each.source.name for each in project.parameters_of(here).layers if each.source is not None]
    name = f"form{SUFFIXES[notation]}" if notation else files[-1] if files else "form.yaml"
    script = Script(Source(name, "", None, lambda _: {}))
    entries = _entries(project, here, script.notation, open_only)
    if envelope is not None:
        if script.notation == "YAML":
            return wrapped_form(entries, envelope)
        return wrapped_text({each.name: each.value for each in entries if each.value is not None}, envelope, script.notation.lower())
    _write(script, entries)
    return edited("", script.edits)


def merged_form(project: Project, environment: str, file: str, open_only: bool = False) -> tuple[Change, list[Done]]:
    """The same put into a file of the project: only what nothing of the environment sets. Raises ProjectError."""
    here = project.chosen((environment,))[0]
    project.parameters_of(here)
    if format_of(file) is None or file.endswith(".csv"):
        message, hint = say("{} has an ending that says no notation of parameters.", file), say("It ends in .yaml, .json, .toml or .env.")
        raise ProjectError([Finding("file-format", "error", message, None, hint)])
    change = Change(project.folder)
    there = isinstance(project.folder.find(file), Found)
    source = project.source(file) if there else None
    if there and source is None:
        message = say("{} is there, and {} does not take it.", file, here)
        hint = say("Name it under `parameters` of the environment, or another file.")
        raise ProjectError([Finding("promise-broken", "error", message, None, hint)])
    script = Script(source or Source(file, "", None, lambda _: {}))
    done = _write(script, _entries(project, here, script.notation, open_only))
    if source is not None:
        change.add(script.edits)
    elif script.edits:
        change.write(file, edited("", script.edits))
    if change and source is not None:
        then = after(project, change)
        keeps_parameters(project, then, [(here, each.what) for each in done])
        for each in done:
            if script.notation != "dotenv" and then.parameters_of(here).setting((each.what,)) is None:
                raise broken(say("`{}` would not be set by {}.", each.what, file))
    return change, done


def _entries(project: Project, environment: str, notation: str, open_only: bool) -> list[FormEntry]:
    """What stands in a form: what is missing, and, unless `open_only`, what there is besides."""
    listed = inventory(list(project.template.parameters.values()), project.views((environment,)))
    label = project.label(environment)
    found = []
    for each in listed:
        if each.held[label].state == "missing":
            value = {"$secret": {"env": each.name.upper()}} if each.secret else {"$open": each.description or each.name}
            found.append(FormEntry(each.name, [*_about(each)], value))
        elif not open_only:
            found.append(FormEntry(each.name, [*_about(each)], notes=[*_comment(notation, each, label)]))
    return found


def _write(script: Script, entries: list[FormEntry]) -> list[Done]:
    """Put the entries of a form into a text; what there is besides only where it is a new one."""
    missing = [each for each in entries if each.value is not None]
    if script.source.wrapped is not None:
        for each in missing:
            script.insert((), each.name, each.value, each.comments)
    elif script.notation == "JSON" and script.text:
        for each in missing:
            script.insert((), each.name, each.value)
    elif script.notation == "JSON":
        script.add_lines([json.dumps({each.name: each.value for each in missing}, ensure_ascii=False, indent=2)])
    else:
        shown = missing if script.text else entries
        lines = [
            line
            for each in shown
            for line in (*each.comments, *each.notes, *(_entry(script.notation, each.name, each.value) if each.value is not None else ()))
        ]
        if lines:
            script.add_lines(lines)
    return [Done(each.name, script.source.name, "to be filled in") for each in missing]


def _about(each: Listed) -> Iterator[str]:
    about = ", ".join(part for part in (each.kind, each.bounds, "secret" if each.secret else "") if part)
    yield from (f"# {line}".rstrip() for line in f"{about}: {each.description}".rstrip(": ").splitlines())


def _entry(notation: str, name: str, value: Any) -> Iterator[str]:
    if notation == "dotenv":  # which has texts only
        yield f"# {name.upper()}="
    elif notation == "TOML":
        yield f"{toml_key(name)} = {FLOW['TOML'](value)}"
    else:
        yield f"{yaml_flow(name)}: {yaml_block(value)}"


def _comment(notation: str, each: Listed, label: str) -> Iterator[str]:
    """What the parameter is without this file: its value and who sets it, or its default."""
    held = each.held[label]
    name = each.name.upper() if notation == "dotenv" else each.name
    sign = {"dotenv": "=", "TOML": " = "}.get(notation, ": ")
    if held.state == "default" or not held.setter:
        yield f"# {name}{sign}{each.default}".rstrip()
    else:
        yield f"# {name} is set at {held.setter}"
