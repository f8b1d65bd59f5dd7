"""What a commit touches: every project below some folders as of a revision and as it is now, and what that changes where.

Only what changed is read twice: a project without a changed file below its root is not opened, and an environment is rendered only
where the content of what it is made from differs.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cache, partial
from pathlib import PurePosixPath
from posixpath import relpath
from typing import Protocol

from jovial_scaffold.core.changes.edges import Edges, between, origins_of
from jovial_scaffold.core.changes.matrix import Comparison, compare
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Folder, Found, History, RevisionError
from jovial_scaffold.core.parallel import spread
from jovial_scaffold.core.project import Project, project_at
from jovial_scaffold.core.project_file import NAME, ProjectError, revision_error
from jovial_scaffold.core.project_inputs import OUTSIDE, Overrides
from jovial_scaffold.core.records import replace, value_record

#: the columns of the comparison of an environment with itself
WAS, BECOMES = "was", "becomes"
_PARALLEL = 8  # projects that are worth a process of their own


_NOTHING = Edges((), (), {})


@value_record
class Deployment:
    """What deploying an environment as it is now would do to what runs, as a snapshot of the name `against` says; what is said about that.
    Where errors stand before it, nobody knows the edges."""

    against: str
    edges: Edges | None
    findings: tuple[Finding, ...]


@value_record
class Reached:
    """An environment that was rendered twice. `causes` are the changed files that it is made from.

    `gone` says that it is on one of the two sides only: "added" or "removed"; then there is no comparison. `edges` are what deploying the one
    over the other would do, `deployment` what deploying it over what runs, where that was asked for and somebody says what runs.
    """

    environment: str
    causes: tuple[str, ...]
    comparison: Comparison | None
    gone: str = ""
    edges: Edges = _NOTHING
    deployment: Deployment | None = None

    @property
    def touched(self) -> bool:
        """Whether anything that is deployed differs."""
        return bool(self.gone or (self.comparison and self.comparison.differences))


@value_record
class ProjectRipple:
    """A project with changed files: the environments that they reach, those that they do not, and findings that are new or cured.

    `problem` says why the project cannot be used as it is now.
    """

    folder: str
    name: str
    changed: tuple[str, ...]
    reached: tuple[Reached, ...] = ()
    unreached: tuple[str, ...] = ()
    new: tuple[Finding, ...] = ()
    cured: tuple[Finding, ...] = ()
    problem: tuple[Finding, ...] = ()

    @property
    def touched(self) -> bool:
        """Whether anything differs, in what is deployed or in what is wrong."""
        return bool(self.new or self.cured or self.problem or any(each.touched for each in self.reached))


@value_record
class Ripple:
    """What was found. `looked_at` counts all projects below the folders, `projects` are those with changed files; `rendered` counts
    renderings, on both sides."""

    revision: str
    subject: str
    changed: tuple[str, ...]
    projects: tuple[ProjectRipple, ...]
    looked_at: int
    rendered: int

    @property
    def touched(self) -> bool:
        """Whether anything differs."""
        return any(each.touched for each in self.projects)


class WorkingTree(Protocol):
    """The repository that some folders lie in, its commits, and its files as they are now; names are paths from its root."""

    def commit(self, revision: str) -> str:
        """The full name of a commit. Raises RevisionError."""

    def described(self, commit: str) -> tuple[str, str, str]:
        """Date, author and subject. Raises RevisionError."""

    def changed(self, commit: str, folders: Sequence[str]) -> tuple[list[str], list[str]]:
        """Files below some folders that are not as they were in a commit, and those of them that are gone. Raises RevisionError."""

    def project_files(self, folders: Sequence[str]) -> list[str]:
        """The project files below some folders. Raises RevisionError where there are too many."""

    def workspace(self, folder: str) -> str | None:
        """The folder of the workspace that lists a project's folder; nothing where none does. Raises ProjectError."""

    def here(self, folder: str) -> Folder:
        """A project's folder as it is now. Raises ProjectError."""

    def past(self, folder: str) -> History:
        """The history of a project's folder, which may be gone by now. Raises ProjectError."""


def ripple(
    revision: str, tree: WorkingTree, folders: Sequence[str], overrides: Overrides, workers: int = 1, deployed: bool = False
) -> Ripple:
    """What differs between a revision and the working tree, below some folders, found in so many processes; where `deployed`, also what that
    does to what runs. Raises ProjectError where there is no such revision."""
    overrides = replace(overrides, shipped=cache(overrides.shipped))  # both sides of all projects share what comes with the tool
    try:
        commit = tree.commit(revision)
        changed, gone = tree.changed(commit, folders)
        then = {name for name in gone if PurePosixPath(name).name == NAME}
        files = sorted({*tree.project_files(folders), *then})
        roots = {str(PurePosixPath(file).parent) for file in files}
        by_project: dict[str, list[str]] = {}
        shared: list[str] = []
        for name in changed:
            owners = [root for root in map(str, PurePosixPath(name).parents) if root in roots]  # a project may stand inside of another
            for root in owners:
                by_project.setdefault(root, []).append(name)
            shared += () if owners else (name,)
        tasks: list[Callable[[], tuple[ProjectRipple, int]]] = []
        for file in files:
            folder = str(PurePosixPath(file).parent)
            own = [*by_project.get(folder, []), *_of_workspace(tree, folder, shared)]
            tasks += [partial(_project, tree, commit, PurePosixPath(file), own, overrides, deployed)] if own else []
        with spread(tasks, workers if len(tasks) >= _PARALLEL else 1) as results:
            found = results()
        # A project of a workspace that shares nothing that changed is none of these.
        projects = [each for each, _ in found if each.reached or each.problem or each.folder in by_project]
        rendered = sum(count for _, count in found)
        return Ripple(revision, tree.described(commit)[2], tuple(changed), tuple(projects), len(files), rendered)
    except RevisionError as error:
        raise revision_error(error) from None


def _of_workspace(tree: WorkingTree, folder: str, shared: Sequence[str]) -> list[str]:
    """The changed files, of those that belong to no project, that a project's workspace holds."""
    root = tree.workspace(folder) if shared else None
    return [name for name in shared if root is not None and (not root or name.startswith(f"{root}/"))]


class _Side:
    """A project on one side of the change, and the digests of what its environments are made from."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.inputs = {name: project.inputs(name) for name in project.environments}

    def findings(self, environments: Sequence[str], templates: bool) -> dict[tuple[object, ...], Finding]:
        """What a check of some environments says, with those that rules over pairs put beside them; of their templates where asked."""
        names = [name for name in self.project.with_partners(environments) if name in self.inputs]
        found = self.project.check(names, template_only=not names, environments_only=not templates).findings
        return {_identity(each): each for each in found}

    @property
    def template_inputs(self) -> dict[str, str]:
        """What the templates are made from: what a check of them alone may find depends on nothing else."""
        own = self.project.parameter_files
        return {name: digest for inputs in self.inputs.values() for name, digest in inputs.items() if name not in own and name != OUTSIDE}


def _project(
    tree: WorkingTree, commit: str, file: PurePosixPath, changed: list[str], overrides: Overrides, deployed: bool
) -> tuple[ProjectRipple, int]:
    folder = str(file.parent)
    names = tuple(relpath(name, folder) for name in changed)
    here = tree.here(folder)
    history = tree.past(folder)
    overrides = replace(overrides, history=lambda: history)
    try:
        new = _Side(Project(here, file.name, overrides)) if isinstance(here.find(file.name), Found) else None
    except ProjectError as error:
        return ProjectRipple(folder, folder, names, problem=tuple(error.findings)), 0
    try:
        return _between(_Side(project_at(history, commit, here, file.name, overrides, as_then=False)), new, folder, names, deployed)
    except (RevisionError, ProjectError):
        # There was no such project, or none that could be used: everything in it is new.
        return _between(None, new, folder, names, deployed) if new else (ProjectRipple(folder, folder, names), 0)


def _between(old: _Side | None, new: _Side | None, folder: str, changed: tuple[str, ...], deployed: bool) -> tuple[ProjectRipple, int]:
    sides = [side for side in (new, old) if side is not None]
    reached: list[Reached] = []
    unreached: list[str] = []
    for name in dict.fromkeys(name for side in sides for name in side.inputs):
        was, becomes = (side.inputs.get(name) if side else None for side in (old, new))
        if was is not None and was == becomes:
            unreached.append(name)
            continue
        comparison, edges = None, _NOTHING
        if old and new and was is not None and becomes is not None:
            labels = ((old, WAS), (new, BECOMES))
            # Both sides see the same run, and what changed is known: nothing else drives a difference.
            comparison = compare([replace(side.project.views((name,))[0], label=label) for side, label in labels], driven=False)
            edges = between(comparison, WAS, BECOMES)
            comparison = replace(comparison, renderings=())  # which nobody asks for, and which are large to be handed over
        gone = "" if comparison else "added" if becomes is not None else "removed"
        found_here = Reached(name, _causes(was, becomes, changed), comparison, gone, edges)
        if deployed and new and becomes is not None and found_here.touched:
            found_here = replace(found_here, deployment=_deployment(new.project, name))
        reached.append(found_here)
    names = [each.environment for each in reached]
    templates = not (old and new and old.template_inputs == new.template_inputs)
    then = old.findings(names, templates) if old and reached else {}
    now = new.findings(names, templates) if new and reached else {}
    found = ProjectRipple(
        folder,
        sides[0].project.name,
        changed,
        tuple(reached),
        tuple(unreached),
        tuple(each for key, each in now.items() if key not in then),
        tuple(each for key, each in then.items() if key not in now),
    )
    return found, sum(side.project.rendered for side in sides)


def _deployment(project: Project, environment: str) -> Deployment | None:
    """What deploying it does to what runs; nothing where nobody says what runs."""
    against = project.deployed_name(environment)
    if against is None:
        return None
    try:
        errors = project.effect_errors(environment)
        if errors:
            return Deployment(against, None, tuple(errors))
        result = project.effects(environment)
    except ProjectError as error:
        return Deployment(against, None, tuple(error.findings))
    edges = Edges(tuple(each for each in result.effects if each.effect != "unchanged"), result.beside, origins_of(result))
    return Deployment(against, edges, tuple(result.findings))


def _identity(finding: Finding) -> tuple[object, ...]:
    """What makes two findings the same one although lines have moved, and though the values that they speak of are others."""
    return finding.id, finding.level, finding.message.masked(), finding.address, finding.pointer, finding.span.file if finding.span else ""


def _causes(was: Mapping[str, str] | None, becomes: Mapping[str, str] | None, changed: Iterable[str]) -> tuple[str, ...]:
    """The files with another content on the two sides, among them the project file, whose entry of the environment is one input: with what the
    workspace adds to that, so that it may be another although the file is the same."""
    was, becomes, changed = was or {}, becomes or {}, tuple(changed)
    differing = [name for name in sorted(was.keys() | becomes.keys()) if was.get(name) != becomes.get(name)]
    files = [name for name in differing if name != OUTSIDE]
    return tuple([name for name in files if name in changed] or files or differing) or changed
