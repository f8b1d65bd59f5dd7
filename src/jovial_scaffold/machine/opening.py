"""Projects on disk: found, opened through the one door for reading, with the history of their folder."""

import os
import time
from collections.abc import Callable, Mapping, Sequence
from functools import partial, wraps
from pathlib import Path
from typing import Any

from jovial_scaffold.core import project as computing
from jovial_scaffold.core.defaults import Defaults
from jovial_scaffold.core.expressions.scopes import LookupScope, OwnFunction, Scope
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Folder, History, RevisionError, Within, WithinHistory
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.project_file import NAME, ProjectError, defaults_in
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.words import say
from jovial_scaffold.core.workspace import NAME as WORKSPACE
from jovial_scaffold.core.workspace import Workspace, workspace_of
from jovial_scaffold.machine.disk import DiskFolder, read_named
from jovial_scaffold.machine.journals import journal_path
from jovial_scaffold.machine.room import with_room


class Project(computing.Project):
    """A project on disk."""

    @classmethod
    def load(cls, path: str | Path = ".", overrides: Overrides | None = None) -> "Project":
        """The project whose file or folder is named, or that a folder belongs to. Raises ProjectError where it cannot be used."""
        given = Path(path)
        if given.is_dir():
            root, name = _upwards(given), NAME
        elif given.exists() or given.is_symlink():
            root, name = given.parent, given.name
        else:
            hint = say("Name the project's folder or its jovial.yaml.")
            raise ProjectError([Finding("project-missing", "error", say("There is no {}.", str(given)), None, hint)])
        if os.path.exists(journal_path(root)):  # a change was broken off
            from jovial_scaffold.machine.changing import finish

            finish(root)
        folder, history, findings = surroundings(root, history_of)
        if isinstance(folder, Within) and os.path.exists(journal_path(Path(folder.whole.where))):
            from jovial_scaffold.machine.changing import finish

            finish(Path(folder.whole.where))
            folder, history, findings = surroundings(root, history_of)
        handed_in = replace(overrides or Overrides(), named=read_named, history=history, findings=tuple(findings))
        return with_room(lambda: cls(folder, name, handed_in))

    def scope(self, environment: str) -> Scope:
        """The names of an environment, for evaluating expressions over its parameters, values and resources."""
        return _Scope(self, environment)


class _Scope(LookupScope):
    """The names of an environment, with room for chains of any length behind each."""

    def __init__(self, project: Project, environment: str) -> None:
        self._project = project
        self._environment = environment
        self._scope = computing.Project.scope(project, environment)

    @property
    def meter(self) -> Meter | None:
        """What the run may still do."""
        return getattr(self._scope, "meter", None)

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError."""

        def again() -> Any:
            self._project.start_over()  # what was half done is not gone on with
            self._scope = computing.Project.scope(self._project, self._environment)
            return self._scope.value(name)

        return with_room(lambda: self._scope.value(name), again)

    def function(self, name: str) -> OwnFunction | None:
        """A function of the template."""
        return self._scope.function(name)


def _roomy(method: Callable[..., Any]) -> Callable[..., Any]:
    """A method that has room for chains of any length."""

    @wraps(method)
    def call(project: Project, *arguments: Any, **named: Any) -> Any:
        def again() -> Any:
            project.start_over()  # what was half done is not gone on with
            return method(project, *arguments, **named)

        return with_room(lambda: method(project, *arguments, **named), again)

    return call


for _name in (
    "check",
    "compare",
    "effects",
    "files",
    "find",
    "history",
    "impact",
    "names",
    "properties",
    "render",
    "render_each",
    "settings",
    "views",
    "why",
):
    setattr(Project, _name, _roomy(getattr(computing.Project, _name)))


def surroundings(
    root: Path, past: Callable[[Path], History], known: dict[Path, Workspace] | None = None
) -> tuple[Folder, Callable[[], History], list[Finding]]:
    """A project's folder as it may be read, with its history, which `past` gives of a folder: inside of the workspace that lists it, where
    there is one above; `known` are workspaces that were read before. Raises ProjectError where that cannot be used."""
    alone = DiskFolder(root)
    above = workspace_above(alone.root)
    if above is None:
        return alone, partial(past, alone.root), []
    whole = DiskFolder(above)
    base = "" if above == alone.root else alone.root.relative_to(above).as_posix()
    within = Within(whole, base)
    workspace = known.get(above) if known is not None else None
    if workspace is None:
        workspace, _ = workspace_of(within, Files(within))
        if known is not None and workspace is not None:
            known[above] = workspace
    if workspace is None or workspace.lists(base):
        return within, lambda: WithinHistory(past(whole.root), base), []
    if not base:
        return alone, partial(past, alone.root), []  # what is shared is beside it, and it takes no part
    message = say("This project lies below the workspace {}, which does not list it.", workspace.name)
    hint = say("Add {} to its `projects`, if it is to share what is there.", base)
    return alone, partial(past, alone.root), [Finding("workspace-unlisted", "note", message, None, hint)]


def defaults_at(path: Path) -> Defaults:
    """How the project here, or the one that is named, wants commands to be called; nothing where there is none that can be read."""
    try:
        root, name = (path.parent, path.name) if path.is_file() else (_upwards(path), NAME)
    except ProjectError:
        return {}
    folder = DiskFolder(root)
    content = folder.read(name)
    return defaults_in(Files(folder), name) if isinstance(content, bytes) and b"defaults" in content else {}


def workspace_above(folder: Path) -> Path | None:
    """The nearest folder with a workspace file, from one upwards."""
    return next((each for each in (folder, *folder.parents) if os.path.lexists(each / WORKSPACE)), None)


def is_in_project(path: Path) -> bool:
    """Whether a project file is here or above, or this is one."""
    return path.is_file() or _project_above(path) is not None


def _project_above(start: Path) -> Path | None:
    start = start.resolve()
    return next((each for each in (start, *start.parents) if os.path.lexists(each / NAME)), None)


def _upwards(start: Path) -> Path:
    """The folder with a project file, here or above. Raises ProjectError."""
    found = _project_above(start)
    if found is not None:
        return found
    hint = say("Go to the project's folder, name it with --project, or begin with `jovial demo`.")
    if workspace_above(start.resolve()) is not None:
        hint = say("Here is a workspace: write PROJECT:ENVIRONMENT, go to the folder of a project, or name it with --project.")
    raise ProjectError([Finding("project-missing", "error", say("No {} is here or in a folder above.", NAME), None, hint)])


def history_of(folder: Path) -> History:
    """The earlier states of a folder. Raises RevisionError."""
    # Imported here: most commands read no revision.
    from jovial_scaffold.machine.repository import DiskHistory

    return DiskHistory(folder)


def today(process: Mapping[str, str]) -> str:
    """The date (SOURCE_DATE_EPOCH is respected)."""
    epoch = process.get("SOURCE_DATE_EPOCH", "")
    seconds = int(epoch) if epoch.isdigit() and len(epoch) < 12 else time.time()
    return time.strftime("%Y-%m-%d", time.gmtime(seconds))


def run_context(folder: Path, process: Mapping[str, str]) -> Mapping[str, str]:
    """`context.run`: the date, and the revision and author that the repository of a folder names."""
    from jovial_scaffold.machine.repository import author

    try:
        revision = history_of(folder).commit("HEAD")[:12]
    except RevisionError:
        revision = ""
    return {"date": today(process), "revision": revision, "author": author(folder, process)}


class DiskTree:
    """The working tree that some folders lie in (`core.ripple.WorkingTree`). Raises RevisionError where there is no repository."""

    def __init__(self, folders: Sequence[Path]) -> None:
        from jovial_scaffold.machine.repository import Repository
        from jovial_scaffold.machine.worktree import changed

        start = folders[0]
        self._repository = Repository(start if start.is_dir() else start.parent)
        self._changed = partial(changed, self._repository)
        self._around: dict[str, tuple[Folder, Callable[[], History], list[Finding]]] = {}
        self._workspaces: dict[Path, Workspace] = {}
        self.commit = self._repository.commit
        self.described = self._repository.described
        #: the folders, by their paths from the root
        self.folders = [self._repository.inside(each if each.is_dir() else each.parent) for each in folders]

    def changed(self, commit: str, folders: Sequence[str]) -> tuple[list[str], list[str]]:
        """Files that are not as they were, and those of them that are gone: below the folders, and what a workspace around them shares."""
        root = self._repository.root
        around = [above for each in folders if (above := workspace_above(root / each)) is not None and above.is_relative_to(root)]
        found = self._changed(commit, [*folders, *(self._repository.inside(each) for each in around)] if around else folders)

        def is_meant(name: str) -> bool:
            path = root / name
            in_project = any(os.path.lexists(each / NAME) for each in path.parents if any(each.is_relative_to(above) for above in around))
            return not in_project or any(not each or name == each or name.startswith(f"{each}/") for each in folders)

        return ([*filter(is_meant, found[0])], [*filter(is_meant, found[1])]) if around else found

    def project_files(self, folders: Sequence[str]) -> list[str]:
        """The project files below some folders; of a folder in a workspace that belongs to no project, all of the workspace."""
        from jovial_scaffold.machine.worktree import find_files

        root = self._repository.root
        return [path.relative_to(root).as_posix() for path in find_files([self._sharing(root / each) for each in folders], NAME)]

    def _sharing(self, folder: Path) -> Path:
        above = workspace_above(folder)
        if above is None or not above.is_relative_to(self._repository.root):
            return folder
        between = [folder, *folder.parents]
        in_project = any(os.path.lexists(each / NAME) for each in between[: between.index(above)])
        return folder if in_project else above

    def workspace(self, folder: str) -> str | None:
        """The folder of the workspace that lists a project's folder; nothing where none does."""
        found = self._surroundings(folder)[0]
        return self._repository.inside(Path(found.whole.where)) if isinstance(found, Within) else None

    def here(self, folder: str) -> Folder:
        """A project's folder as it is now."""
        return self._surroundings(folder)[0]

    def past(self, folder: str) -> History:
        """The history of a project's folder."""
        return self._surroundings(folder)[1]()

    def _surroundings(self, folder: str) -> tuple[Folder, Callable[[], History], list[Finding]]:
        if folder not in self._around:
            from jovial_scaffold.machine.repository import DiskHistory

            path = self._repository.root / folder
            self._around[folder] = surroundings(path, lambda each: DiskHistory(each, self._repository), self._workspaces)
        return self._around[folder]
