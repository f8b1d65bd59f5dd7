"""What a change touches, against brute force: both states of two projects that share a module are rendered and checked wholly, and looked at by
the naked eye."""

import json
import random
import re
from collections.abc import Sequence
from typing import Any

from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Folder, History, MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.ripple import ProjectRipple, ripple
from tests.fuzz import drivers, repeated
from tests.fuzz.drivers import shown

_THEN = "then"
_ENTRIES = 4  # of a template or a parameter file that change at most


class _History:
    """A folder's one commit."""

    def __init__(self, files: dict[str, bytes]) -> None:
        self._files = files

    def commit(self, revision: str) -> str:
        return revision

    def described(self, commit: str) -> tuple[str, str, str]:
        return "2026-11-23", "somebody", "What there was"

    def touching(self, most: int) -> list[str]:
        return [_THEN]

    def at(self, commit: str) -> Folder:
        return MemoryFolder(self._files)

    def tracks(self, name: str) -> bool:
        return False


class _Tree:
    """A repository in memory: what its projects, by folder, were and are."""

    def __init__(self, was: dict[str, dict[str, bytes]], now: dict[str, dict[str, bytes]]) -> None:
        self._was, self._now = was, now

    def commit(self, revision: str) -> str:
        return revision

    def described(self, commit: str) -> tuple[str, str, str]:
        return "2026-11-23", "somebody", "What there was"

    def changed(self, commit: str, folders: Sequence[str]) -> tuple[list[str], list[str]]:
        was, now = (
            {f"{folder}/{name}": text for folder, files in side.items() for name, text in files.items()} for side in (self._was, self._now)
        )
        gone = sorted(was.keys() - now.keys())
        return sorted([*(name for name in now if was.get(name) != now[name]), *gone]), gone

    def project_files(self, folders: Sequence[str]) -> list[str]:
        return [f"{folder}/jovial.yaml" for folder in self._now]

    def workspace(self, folder: str) -> str | None:
        return None

    def here(self, folder: str) -> Folder:
        return MemoryFolder(self._now[folder])

    def past(self, folder: str) -> History:
        return _History(self._was[folder])


def _otherwise(chance: random.Random, value: Any) -> Any:
    """A value that is another one, of the same kind."""
    if isinstance(value, dict) and value:
        key = chance.choice([*value])
        return {**value, key: _otherwise(chance, value[key])}
    if isinstance(value, list) and value:
        at = chance.randrange(len(value))
        return [*value[:at], *([] if chance.random() < 0.2 else [_otherwise(chance, value[at])]), *value[at + 1 :]]
    if isinstance(value, bool):
        return not value
    if isinstance(value, int):
        return value + chance.choice((1, 2))
    if isinstance(value, str):
        return chance.choice((f"{value}!", "valley", "${line}", re.sub("[a-z]", "q", value, count=1)))
    return value


def _edited(chance: random.Random, name: str, text: bytes) -> bytes:
    """A file as somebody has changed it, maybe without any meaning."""
    what = chance.random()
    try:
        content = json.loads(text)
    except ValueError:
        return text.replace(*chance.choice(((b"x", b"xx"), (b"\n", b"\n\n"), (b"name: ", b"name:  "), (b"one", b"once"), (b"-", b"--"))), 1)
    if what < 0.1:
        return json.dumps(content, indent=2).encode()
    for _ in range(chance.randint(1, _ENTRIES)):
        content = _otherwise(chance, content)
    return json.dumps(content).encode()


def _flat(rendering: Rendering) -> dict[str, str]:
    """All that is deployed, by what it is a part of."""
    found = {}
    for address, each in rendering.resources.items():
        properties = {
            name: sorted(value, key=repr) if name == "disks" and type(value) is list else value for name, value in each.properties.items()
        }
        found[f"resource {address}"] = each.type_text + shown(properties)
    found |= {f"output {name}": shown(value) for name, value in rendering.outputs.items()}
    return {**found, **{f"document {name}": f"{each.to}\n{each.compared}" for name, each in rendering.documents.items()}}


def _touched(row: Row) -> str:
    return f"{row.type if row.type in ('output', 'document') else 'resource'} {row.address}"


def _identity(finding: Finding) -> tuple[object, ...]:
    """What it says, apart from where exactly and of which value."""
    return finding.id, finding.level, finding.message.masked(), finding.address, finding.pointer, finding.span.file if finding.span else ""


def _judge(found: ProjectRipple | None, was: Project, now: Project, what: object) -> None:
    reached = {each.environment: each for each in found.reached} if found is not None else {}
    for name in dict.fromkeys((*was.environments, *now.environments)):
        if name not in was.environments or name not in now.environments:
            assert reached[name].gone == ("added" if name in now.environments else "removed"), (name, what)
            continue
        one, other = _flat(was.render(name)), _flat(now.render(name))
        true = {each for each in one.keys() | other.keys() if one.get(each) != other.get(each)}
        comparison = reached[name].comparison if name in reached else None
        told = {_touched(row) for row in comparison.differences} if comparison is not None else set()
        assert told == true, (name, told ^ true, [(one.get(each), other.get(each)) for each in told ^ true], what)
    sides = [(side, [name for name in reached if name in side.environments]) for side in (was, now)]
    # Where only parameter files changed, what the template says is the same, and is not looked at again.
    alone = found is not None and {*found.changed} <= {*now.parameter_files}
    checks = [side.check(names, template_only=not names, environments_only=alone and bool(names)) for side, names in sides]
    then, later = ({_identity(each) for each in each.findings} for each in checks)
    new, cured = ({_identity(each) for each in each} for each in ((found.new, found.cured) if found is not None else ((), ())))
    assert new == later - then, (new ^ (later - then), what)
    assert cured == then - later, (cured ^ (then - later), what)


def attempt(chance: random.Random) -> str:
    """Two projects, some files of which are changed."""
    was = {"one": drivers.project(chance), "two": repeated.project(chance)}
    now = {folder: dict(files) for folder, files in was.items()}
    edits = []
    for _ in range(chance.randint(1, 4)):
        folder = chance.choice([*now])
        name = chance.choice([each for each in now[folder] if each != "jovial.yaml" and not each.startswith("catalog/")])
        now[folder][name] = _edited(chance, name, now[folder][name])
        edits.append((folder, name, was[folder][name], now[folder][name]))
    result = ripple(_THEN, _Tree(was, now), [""], Overrides())
    projects = {each.folder: each for each in result.projects}
    for folder in was:
        changed = was[folder] != now[folder]
        assert changed == (folder in projects), (folder, edits)
        assert not changed or not projects[folder].problem, projects[folder].problem
        _judge(projects.get(folder), drivers.loaded(was[folder]), drivers.loaded(now[folder]), edits)
    return "clean" if result.touched else "unusable"
