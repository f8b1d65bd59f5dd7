"""What a commit touches: every project below some folders as of a revision and as it is now, and what that changes where.

Only what changed is read twice: a project without a changed file below its root is not opened, and an environment is rendered only
where the content of what it is made from differs.
"""

import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from jovial_scaffold.core.comparing.matrix import Comparison, compare
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import PROJECTS
from jovial_scaffold.core.project import Project, project_at
from jovial_scaffold.core.project_file import NAME, ProjectError
from jovial_scaffold.core.project_inputs import OUTSIDE, Overrides
from jovial_scaffold.core.text.revisions import Repository, RevisionError

_SKIPPED = frozenset((".git", ".venv", "node_modules", "__pycache__"))


@dataclass(frozen=True, slots=True)
class Reached:
    """An environment that was rendered twice. `causes` are the changed files that it is made from.

    `gone` says that it is on one of the two sides only: "added" or "removed"; then there is no comparison.
    """

    environment: str
    causes: tuple[str, ...]
    comparison: Comparison | None
    gone: str = ""

    @property
    def touched(self) -> bool:
        """Whether anything that is deployed differs."""
        return bool(self.gone or (self.comparison and self.comparison.differences))


@dataclass(frozen=True, slots=True)
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


@dataclass(frozen=True, slots=True)
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


def find_projects(folders: Sequence[Path]) -> list[Path]:
    """Every project file below some folders, sorted; links to folders are not followed."""
    found: set[Path] = set()
    for folder in folders:
        if folder.is_file():
            found.add(folder.resolve())
            continue
        for here, below, files in os.walk(folder):
            below[:] = sorted(each for each in below if each not in _SKIPPED)
            if NAME in files:
                found.add((Path(here) / NAME).resolve())
            if len(found) > PROJECTS.most:
                message = f"There are more than {PROJECTS.most:,} projects below {folder}."
                raise ProjectError([Finding(PROJECTS.finding, "error", message, None, "Name folders further down.")])
    return sorted(found)


def ripple(revision: str, folders: Sequence[Path], overrides: Overrides) -> Ripple:
    """What differs between a revision and the working tree. Raises ProjectError where there is no repository, or no such revision."""
    start = folders or [Path()]
    try:
        repository = Repository(start[0] if start[0].is_dir() else start[0].parent)
        commit = repository.commit(revision)
        changed, gone = repository.changed(commit)
        below = [folder.resolve() for folder in start]
        for folder in below:
            if not folder.is_relative_to(repository.root):
                raise RevisionError(f"{folder} lies outside of the repository {repository.root}.", "Look at one repository at a time.")
        then = {path for path in gone if path.name == NAME and any(path.is_relative_to(folder) for folder in below)}
        files = sorted({*find_projects(start), *then})
        roots = {file.parent for file in files}
        by_project: dict[Path, list[Path]] = {}
        for path in changed:
            for root in _around(path, roots):
                by_project.setdefault(root, []).append(path)
        projects, rendered = [], 0
        for file in files:
            own = by_project.get(file.parent, [])
            if own:
                found, count = _project(repository, commit, file, own, overrides)
                projects.append(found)
                rendered += count
        shown = tuple(_shown(path, repository.root) for path in changed)
        return Ripple(revision, repository.described(commit)[2], shown, tuple(projects), len(files), rendered)
    except RevisionError as error:
        raise ProjectError([Finding("revision-unknown", "error", error.message, None, error.hint)]) from None


def _around(path: Path, roots: set[Path]) -> Iterator[Path]:
    """The projects that a file lies in; a project may stand inside of another."""
    for folder in path.parents:
        if folder in roots:
            yield folder


def _shown(path: Path, root: Path) -> str:
    return path.relative_to(root).as_posix() if path.is_relative_to(root) else str(path)


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


def _project(repository: Repository, commit: str, file: Path, changed: list[Path], overrides: Overrides) -> tuple[ProjectRipple, int]:
    folder = _shown(file.parent, repository.root)
    names = tuple(_shown(path, file.parent) for path in changed)
    try:
        new = _Side(Project.load(file, overrides)) if file.is_file() else None
    except ProjectError as error:
        return ProjectRipple(folder, folder, names, problem=tuple(error.findings)), 0
    try:
        with project_at(repository, commit, file, overrides, as_then=False) as project:
            return _between(_Side(project), new, folder, names)
    except (RevisionError, ProjectError):
        # There was no such project, or none that could be used: everything in it is new.
        return _between(None, new, folder, names) if new else (ProjectRipple(folder, folder, names), 0)


def _between(old: _Side | None, new: _Side | None, folder: str, changed: tuple[str, ...]) -> tuple[ProjectRipple, int]:
    sides = [side for side in (new, old) if side is not None]
    reached: list[Reached] = []
    unreached: list[str] = []
    for name in dict.fromkeys(name for side in sides for name in side.inputs):
        before, after = (side.inputs.get(name) if side else None for side in (old, new))
        if before is not None and before == after:
            unreached.append(name)
            continue
        comparison = None
        if old and new and before is not None and after is not None:
            labels = ((old, "before"), (new, "after"))
            comparison = compare([replace(side.project.render(name), label=label) for side, label in labels])
        gone = "" if comparison else "added" if after is not None else "removed"
        reached.append(Reached(name, _causes(before, after, changed), comparison, gone))
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


def _identity(finding: Finding) -> tuple[object, ...]:
    """What makes two findings the same one although lines have moved."""
    return finding.id, finding.level, finding.message, finding.address, finding.pointer, finding.span.file if finding.span else ""


def _causes(before: Mapping[str, str] | None, after: Mapping[str, str] | None, changed: Iterable[str]) -> tuple[str, ...]:
    """The files with another content on the two sides, among them the project file, whose entry of the environment is one input."""
    before, after = before or {}, after or {}
    differing = [name for name in sorted(before.keys() | after.keys()) if before.get(name) != after.get(name)]
    files = [name for name in differing if name != OUTSIDE]
    return tuple(files or differing) or tuple(changed)
