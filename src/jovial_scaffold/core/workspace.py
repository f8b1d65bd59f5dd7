"""The workspace file `workspace.yaml`: what projects below one root share (docs/workspaces.md), and how a project takes it."""

from collections.abc import Mapping
from posixpath import normpath
from typing import Any

from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.folders import Folder, Found, Within
from jovial_scaffold.core.project_file import EnvironmentEntry, FileReader, ProjectError, ProjectFile, label_origins
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.patterns import folder_pattern
from jovial_scaffold.core.text.references import FileReference, taken
from jovial_scaffold.core.text.roles import misplaced
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.words import Described, say

NAME = "workspace.yaml"
KEYS = ("workspace", "description", "projects", "catalogs", "modules", "rulesets", "lookups", "sources", "labels")


@value_record
class Workspace:
    """What a workspace file says. Paths are relative to the folder that it stands in; `file` is its name as it was read."""

    file: str
    name: str
    projects: tuple[FileReference, ...]
    catalogs: dict[str, FileReference]
    modules: dict[str, FileReference]
    rulesets: dict[str, FileReference]
    lookups: dict[str, FileReference]
    labels: dict[str, Any]
    origin: Origin

    def lists(self, folder: str) -> bool:
        """Whether a folder, by its path from the workspace, is one of its projects."""
        return any(folder_pattern(normpath(each.text)).match(folder or ".") for each in self.projects)


def read_workspace(files: Files, name: str) -> tuple[Workspace, list[Finding]]:
    """The workspace file of a name, and its lesser findings. Raises ProjectError where it cannot be used."""
    source, findings = files.read(name, None)
    if source is None or source.broken:
        raise ProjectError(findings)
    whole, origin = source.value, Origin(source, ())
    reader = FileReader(whole, origin, "A workspace file", KEYS, findings)
    hint = say("Begin with `workspace:` and `projects:`.")
    wrong = misplaced(source, "a workspace file", hint)
    if wrong is not None:
        raise ProjectError([*findings, wrong])
    if not isinstance(whole, dict):
        found = "it is empty" if whole is None else say("this is {}", Described(whole))
        raise reader.unusable(say("A workspace file is a map, and {}.", found), origin.value_span(), hint)
    reader.check_keys()
    called = reader.name("workspace")
    if called is None:
        span = reader.place("workspace").value_span() if reader.content("workspace") is not None else origin.value_span()
        message = say("`workspace` is the workspace's name: letters a-z, digits, - and _.")
        raise reader.unusable(message, span, say("For example: workspace: fulmar-railways"))
    projects = reader.references("projects")
    if not projects and reader.content("projects") is None:
        message, example = say("`projects` lists the folders of projects, and there is none."), say('For example: projects: ["lines/*"]')
        reader.report("project-shape", message, reader.place("workspace").key_span(), example)
    catalogs, modules, rulesets, lookups = (reader.named(key) for key in ("catalogs", "modules", "rulesets", "lookups"))
    labels = reader.labels(reader.content("labels"), reader.place("labels"))
    return Workspace(name, called, projects, catalogs, modules, rulesets, lookups, labels, origin), findings


def workspace_of(folder: Folder, files: Files) -> tuple[Workspace | None, list[Finding]]:
    """The workspace that a folder lies in, where it lies in one that was there then. Raises ProjectError."""
    if not isinstance(folder, Within):
        return None, []
    name = f"{'../' * len(folder.base.split('/')) if folder.base else ''}{NAME}"
    return read_workspace(files, name) if isinstance(folder.find(name), Found) else (None, [])


def with_workspace(file: ProjectFile, workspace: Workspace, findings: list[Finding]) -> ProjectFile:
    """A project file with what the workspace offers, and the project takes: its own names win, which is noted."""
    labels = workspace.labels
    origins = label_origins(labels, workspace.origin.child("labels"))

    def labelled(entry: EnvironmentEntry) -> EnvironmentEntry:
        return replace(entry, labels={**labels, **entry.labels}, context_origins={**origins, **entry.context_origins})

    return replace(
        file,
        catalogs=tuple(taken(each, workspace.catalogs) for each in file.catalogs),
        rulesets=tuple(taken(each, workspace.rulesets) for each in file.rulesets),
        offered=workspace.rulesets,
        modules=_with_own(workspace.modules, file.modules, "module", findings),
        lookups=_with_own(workspace.lookups, file.lookups, "lookup table", findings),
        environments={name: labelled(entry) for name, entry in file.environments.items()} if labels else file.environments,
    )


def _with_own(
    offered: Mapping[str, FileReference], own: Mapping[str, FileReference], what: str, findings: list[Finding]
) -> dict[str, FileReference]:
    for name in offered.keys() & own.keys():
        here, there = own[name].origin, offered[name].origin
        if here is not None and there is not None:
            message = say("The {} `{}` of the workspace is not seen here: the project has its own.", what, name)
            related = (Related(there.key_span(), say("The workspace offers it here.")),)
            hint = say("Give it another name, or take it out.")
            findings.append(Finding("workspace-hidden", "note", message, here.key_span(), hint, related=related))
    return {**offered, **own}
