"""Projects on disk: found, opened through the one door for reading, with the history of their folder."""

import os
import time
from collections.abc import Callable, Mapping, Sequence
from functools import partial, wraps
from pathlib import Path
from typing import Any

from jovial_scaffold.core import project as computing
from jovial_scaffold.core.expressions.scopes import LookupScope, OwnFunction, Scope
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Folder, History, RevisionError
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.project_file import NAME, ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.words import say
from jovial_scaffold.machine.disk import DiskFolder, read_named
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
        folder = DiskFolder(root)
        handed_in = replace(overrides or Overrides(), named=read_named, history=partial(history_of, folder.root))
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


for _name in ("check", "compare", "effects", "files", "find", "history", "names", "properties", "render", "render_each", "views", "why"):
    setattr(Project, _name, _roomy(getattr(computing.Project, _name)))


def _upwards(start: Path) -> Path:
    """The folder with a project file, here or above. Raises ProjectError."""
    start = start.resolve()
    for folder in (start, *start.parents):
        if os.path.lexists(folder / NAME):
            return folder
    hint = say("Go to the project's folder, name it with --project, or begin with `jovial demo`.")
    raise ProjectError([Finding("project-missing", "error", say("No {} is here or in a folder above.", NAME), None, hint)])


def history_of(folder: Path) -> History:
    """The earlier states of a folder. Raises RevisionError."""
    # Imported here: most commands read no revision.
    from jovial_scaffold.machine.repository import DiskHistory

    return DiskHistory(folder)


def run_context(folder: Path, process: Mapping[str, str]) -> Mapping[str, str]:
    """`context.run`: the date (SOURCE_DATE_EPOCH is respected), and the revision and author that the repository of a folder names."""
    from jovial_scaffold.machine.repository import author

    epoch = process.get("SOURCE_DATE_EPOCH", "")
    seconds = int(epoch) if epoch.isdigit() and len(epoch) < 12 else time.time()
    try:
        revision = history_of(folder).commit("HEAD")[:12]
    except RevisionError:
        revision = ""
    return {"date": time.strftime("%Y-%m-%d", time.gmtime(seconds)), "revision": revision, "author": author(folder, process)}


class DiskTree:
    """The working tree that some folders lie in (`core.ripple.WorkingTree`). Raises RevisionError where there is no repository."""

    def __init__(self, folders: Sequence[Path]) -> None:
        from jovial_scaffold.machine.repository import Repository
        from jovial_scaffold.machine.worktree import changed

        start = folders[0]
        self._repository = Repository(start if start.is_dir() else start.parent)
        self._changed = partial(changed, self._repository)
        self.commit = self._repository.commit
        self.described = self._repository.described
        #: the folders, by their paths from the root
        self.folders = [self._repository.inside(each if each.is_dir() else each.parent) for each in folders]

    def changed(self, commit: str, folders: Sequence[str]) -> tuple[list[str], list[str]]:
        """Files that are not as they were, and those of them that are gone."""
        return self._changed(commit, folders)

    def project_files(self, folders: Sequence[str]) -> list[str]:
        """The project files below some folders."""
        from jovial_scaffold.machine.worktree import find_files

        root = self._repository.root
        return [path.relative_to(root).as_posix() for path in find_files([root / each for each in folders], NAME)]

    def here(self, folder: str) -> Folder:
        """A folder as it is now."""
        return DiskFolder(self._repository.root / folder)

    def past(self, folder: str) -> History:
        """The history of a folder."""
        from jovial_scaffold.machine.repository import DiskHistory

        return DiskHistory(self._repository.root / folder, self._repository)
