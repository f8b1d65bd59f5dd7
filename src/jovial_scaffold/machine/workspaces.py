"""Workspaces on disk: the projects that one lists, each opened when it is asked for."""

from collections.abc import Iterator
from functools import cache
from pathlib import Path
from posixpath import normpath

from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.folders import Found, Refusal
from jovial_scaffold.core.project_file import NAME as PROJECT
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.catalog import shipped_catalog
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.patterns import folder_pattern
from jovial_scaffold.core.text.references import FileReference
from jovial_scaffold.core.words import listed, nearest, say
from jovial_scaffold.core.workspace import NAME, read_workspace
from jovial_scaffold.machine.disk import DiskFolder
from jovial_scaffold.machine.opening import Project, workspace_above

_WILD = frozenset("*?")


class OpenWorkspace:
    """A workspace, and its projects by name, in the order of their folders. `findings` are what is wrong with its file."""

    def __init__(self, root: Path) -> None:
        """The workspace whose file lies in a folder. Raises ProjectError where it cannot be used."""
        self.folder = DiskFolder(root)
        self._files = Files(self.folder)
        self.workspace, self.findings = read_workspace(self._files, NAME)
        self._shipped = cache(shipped_catalog)  # all projects share what comes with the tool
        self.folders = self._named()  #: of the projects, by name

    @property
    def name(self) -> str:
        """The workspace's name."""
        return self.workspace.name

    @property
    def files(self) -> Files:
        """The files that were read for the workspace itself."""
        return self._files

    def load(self, name: str, overrides: Overrides | None = None) -> Project:
        """The project of a name. Raises ProjectError where there is none, or it cannot be used."""
        if name not in self.folders:
            hint = nearest(name, self.folders, say("Its projects are {}.", listed(self.folders)))
            message = say("The workspace {} has no project `{}`.", self.name, name)
            raise ProjectError([Finding("project-missing", "error", message, None, hint)])
        overrides = replace(overrides or Overrides(), shipped=self._shipped)
        return Project.load(self.folder.root / self.folders[name], overrides)

    def _named(self) -> dict[str, str]:
        found: dict[str, str] = {}
        for reference in self.workspace.projects:
            for folder in self._matching(reference):
                source, _ = Files(self.folder).at(f"{folder}/{PROJECT}")
                value = source.value if source is not None else None
                name = value.get("project") if isinstance(value, dict) else None
                name = name if isinstance(name, str) else folder  # which opening it says
                if folder in found.values():
                    continue
                if name in found:
                    self._same_name(name, found[name], folder, reference)
                    name = folder
                found[name] = folder
        return dict(sorted(found.items(), key=lambda each: each[1]))

    def _same_name(self, name: str, first: str, second: str, reference: FileReference) -> None:
        message = say("Two projects are called `{}`: in {} and in {}.", name, first, second)
        related = (Related(self.workspace.origin.child("projects").key_span(), say("Both are listed here.")),)
        assert reference.origin is not None
        span = reference.origin.value_span()
        self.findings.append(Finding("name-declared-twice", "error", message, span, say("Give one of them another name."), related=related))

    def _matching(self, reference: FileReference) -> list[str]:
        """The folders that an entry of `projects` means; one that means none is said."""
        text = normpath(reference.text)
        assert reference.origin is not None
        if _WILD & set(text):
            found = sorted(each for each in self._below(text) if self._is_project(each))
            if not found:
                message = say("No folder with a {} matches {}.", PROJECT, reference.text)
                hint = say("`*` stands for one folder; paths are relative to the workspace.")
                self.findings.append(Finding("file-missing", "warning", message, reference.origin.value_span(), hint))
            return found
        if not self._is_project(text):
            message = say("There is no {} in {}.", PROJECT, reference.text)
            self.findings.append(Finding("file-missing", "error", message, reference.origin.value_span(), say("Correct the path.")))
            return []
        return [text]

    def _below(self, text: str) -> Iterator[str]:
        """The folders that a pattern matches, found step by step."""
        found = [""]
        for step in text.split("/"):
            following = []
            for folder in found:
                names = [step] if not _WILD & set(step) else self.folder.names(folder)
                wanted = folder_pattern(step)
                following += (
                    [f"{folder}/{name}" if folder else name for name in names if wanted.match(name)]
                    if not isinstance(names, Refusal)
                    else []
                )
            found = following
        yield from found

    def _is_project(self, folder: str) -> bool:
        found = self.folder.find(f"{folder}/{PROJECT}")
        return isinstance(found, Found) and found.kind == "file"


def workspace_here(path: Path) -> OpenWorkspace | None:
    """The workspace that a folder is the root of, or lies in without belonging to a project. Raises ProjectError."""
    folder = path.resolve()
    above = workspace_above(folder)
    if above is None:
        return None
    between = [folder, *folder.parents]
    nearer = any((each / PROJECT).is_file() for each in between[: between.index(above) + 1])
    return None if nearer else OpenWorkspace(above)
