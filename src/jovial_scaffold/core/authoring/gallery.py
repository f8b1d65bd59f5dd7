"""Starting points: whole projects in a folder, each with what it is and what it asks for, of which a new project is made."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.authoring.scaffolding import named, new_environment, sound
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Folder, Found, MemoryFolder, Refusal
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import NAME, ProjectError
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.text.edits import edited
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.words import listed, nearest, say

INDEX = "gallery.yaml"
KEYS = ("title", "description", "picture", "questions")
_FILES = 500  # of one starting point


@value_record
class Entry:
    """A starting point: `questions` are parameters with what to ask for them, `files` its texts by name."""

    name: str
    title: str
    description: str
    picture: str
    questions: tuple[tuple[str, str], ...]
    files: Mapping[str, str]

    @property
    def project(self) -> Project:
        """The project that it is. Raises ProjectError."""
        return _project(self.files)


def entries(folder: Folder) -> list[Entry]:
    """The starting points in a folder, by name. Raises ProjectError for one whose `gallery.yaml` cannot be read."""
    names = folder.names("")
    found = [_entry(folder, name) for name in (names if not isinstance(names, Refusal) else ())]
    return [each for each in found if each is not None]


def entry_named(known: Sequence[Entry], name: str) -> Entry:
    """One of them. Raises ProjectError."""
    found = next((each for each in known if each.name == name), None)
    if found is None:
        hint = nearest(name, [each.name for each in known], say("There are {}.", listed(each.name for each in known)))
        raise ProjectError([Finding("name-unknown", "error", say("The gallery has no starting point `{}`.", name), None, hint)])
    return found


def _entry(folder: Folder, name: str) -> Entry | None:
    content = folder.read(f"{name}/{INDEX}")
    if isinstance(content, Refusal):
        return None
    source, findings = read_source(content, f"{name}/{INDEX}")
    about = source.value if source is not None and not source.broken else None
    if not isinstance(about, dict) or not isinstance(about.get("title"), str):
        message = say("{} says what a starting point is: `title`, `description`, `questions`.", f"{name}/{INDEX}")
        raise ProjectError(findings or [Finding("project-shape", "error", message, None)])
    questions = about.get("questions")
    asked = tuple(
        (str(each["parameter"]), str(each.get("ask", "")))
        for each in (questions if isinstance(questions, list) else ())
        if isinstance(each, dict) and "parameter" in each
    )
    files = dict(_texts(folder, name, ""))
    for each in (INDEX, str(about.get("picture", ""))):  # which are about the starting point, and no part of a project
        files.pop(each, None)
    return Entry(name, about["title"], str(about.get("description", "")), str(about.get("picture", "")), asked, files)


def _texts(folder: Folder, root: str, below: str) -> Iterator[tuple[str, str]]:
    waiting, count = [below], 0
    while waiting:
        here = waiting.pop()
        names = folder.names(f"{root}/{here}" if here else root)
        for name in names if not isinstance(names, Refusal) else ():
            path = f"{here}/{name}" if here else name
            found = folder.find(f"{root}/{path}")
            if isinstance(found, Found) and found.kind == "folder":
                waiting.append(path)
                continue
            content = folder.read(f"{root}/{path}")
            count += 1
            if not isinstance(content, Refusal) and count <= _FILES:
                yield path, content.decode("utf-8", "surrogateescape")


def made(entry: Entry, name: str, environments: Sequence[str], values: Mapping[str, Any] | None = None) -> dict[str, str]:
    """The files of a project that begins there, with other environments and other values of what it asks for. Raises ProjectError."""
    named(name, "a project")
    files = dict(entry.files)
    files[NAME] = _changed(files, NAME, (("project",), name))
    project = _project(files)
    wanted = list(environments) or list(project.environments)
    for each in wanted:
        if each not in project.environments:
            like = project.environments[0] if each in wanted[:1] else project.environments[-1]
            change, _ = new_environment(project, each, like)
            files |= {file.name: (file.after or b"").decode() for file in change.files()}
            project = _project(files)
    gone = [each for each in project.environments if each not in wanted]
    for each in gone:
        shared = {reference.text for other in wanted for reference in project.project_file.environments[other].parameters}
        for reference in project.project_file.environments[each].parameters:
            if reference.text not in shared:
                files.pop(reference.text, None)
        source, _ = read_source(bytes_of(files[NAME]), NAME)
        assert source is not None  # it was read before
        script = Script(source)
        script.remove(("environments", each))
        files[NAME] = edited(source.text, script.edits)
    for parameter, value in (values or {}).items():
        for file in files:
            source, _ = read_source(bytes_of(files[file]), file) if file.startswith("parameters/") else (None, [])
            if source is not None and isinstance(source.value, dict) and parameter in source.value:
                files[file] = _changed(files, file, ((parameter,), value))
    if any(each.startswith("secrets/") for each in files):
        files.setdefault(".gitignore", "secrets/\n")
    sound(files)
    return files


def _project(files: Mapping[str, str]) -> Project:
    return Project(MemoryFolder({name: bytes_of(text) for name, text in files.items()}))


def bytes_of(text: str) -> bytes:
    """A file as it was read: one that is no text comes back as it was."""
    return text.encode("utf-8", "surrogateescape")


def _changed(files: Mapping[str, str], name: str, *settings: tuple[tuple[str, ...], Any]) -> str:
    source, _ = read_source(bytes_of(files[name]), name)
    assert isinstance(source, Source)
    script = Script(source)
    for pointer, value in settings:
        script.set(pointer, value)
    return edited(source.text, script.edits)
