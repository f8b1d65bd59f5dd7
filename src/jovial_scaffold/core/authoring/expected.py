"""Files beside a template that name resources, parameters and environments, waivers and expected differences: they follow a change of names."""

import re
from collections.abc import Callable, Iterator, Mapping

from jovial_scaffold.core.authoring.addressed import rules_follow
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.folders import Found, Refusal
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Source

_SUFFIXES = (".yaml", ".yml", ".json")
_FILES = 300  # that are looked at


def _files(project: Project) -> Iterator[Source]:
    """Those in the project's folder, and in the folders in it."""
    seen = 0
    for folder in ("", *_names(project, "")):
        for name in _names(project, folder):
            path = f"{folder}/{name}" if folder else name
            if not name.endswith(_SUFFIXES) or project.source(path) is not None or seen >= _FILES:
                continue
            seen += 1
            source, findings = read_source(project.folder.read(path), path)
            value = source.value if source is not None and not findings else None
            if source is not None and isinstance(value, dict) and "expected" in value and {"differences", "echoes"} & value.keys():
                yield source


def _names(project: Project, folder: str) -> list[str]:
    found = project.folder.find(folder or ".")
    names = project.folder.names(folder) if isinstance(found, Found) and found.kind == "folder" else []
    return [] if isinstance(names, Refusal) else [each for each in names if not each.startswith(".")]


def addresses_follow(project: Project, moved: Mapping[str, str], change: Change) -> list[Done]:
    """What has moved, and what is inside of it, is waived and judged at its new addresses, and may differ there."""

    def becomes(address: str) -> str:
        head = next((old for old in moved if re.match(rf"{re.escape(old)}(?![^/:])", address)), None)
        return address if head is None else f"{moved[head]}{address[len(head) :]}"

    def rename(script: Script) -> None:
        held = script.source.value.get("differences")
        for address in held if isinstance(held, dict) else ():
            if becomes(address) != address:
                script.rename(("differences", address), becomes(address))

    done = _changed(project, rename, change)
    for waiver in project.waivers:
        if becomes(waiver.at) != waiver.at:
            script = Script(waiver.origin.source)
            script.set((*waiver.origin.pointer, "at"), becomes(waiver.at))
            change.add(script.edits)
            done.append(Done(f"{waiver.at} → {becomes(waiver.at)}", waiver.origin.source.name, "waiver"))
    return [*done, *rules_follow(project, becomes, change)]


def parameter_follows(project: Project, old: str, new: str, change: Change) -> list[Done]:
    """Texts may repeat a parameter under its new name."""

    def rename(script: Script) -> None:
        held = script.source.value.get("echoes")
        for index, name in enumerate(held if isinstance(held, list) else ()):
            if name == old:
                script.set(("echoes", index), new)

    return _changed(project, rename, change)


def environment_follows(project: Project, old: str, new: str, change: Change) -> list[Done]:
    """An environment is compared, and has its values, under its new name."""

    def rename(script: Script) -> None:
        held, differences = script.source.value.get("environments"), script.source.value.get("differences")
        for index, name in enumerate(held if isinstance(held, list) else ()):
            if name == old:
                script.set(("environments", index), new)
        for address, parts in differences.items() if isinstance(differences, dict) else ():
            for part, values in parts.items() if isinstance(parts, dict) else ():
                if isinstance(values, dict) and old in values:
                    script.rename(("differences", address, part, old), new)
                elif part == "$present" and isinstance(values, list) and old in values:
                    script.set(("differences", address, part, values.index(old)), new)

    return _changed(project, rename, change)


def _changed(project: Project, rename: Callable[[Script], None], change: Change) -> list[Done]:
    done = []
    for source in _files(project):
        script = Script(source)
        rename(script)
        change.add(script.edits)
        if script.edits:
            done.append(Done("expected", source.name, "differences that are expected"))
    return done
