"""What commands do over a whole workspace: each of its projects is opened and asked, and the answers are put together."""

import os
import sys
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from posixpath import normpath, relpath
from typing import Annotated, NamedTuple

import typer

from jovial_scaffold.cli.options import first_of, where_shown
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.views import View
from jovial_scaffold.core.words import listed, say
from jovial_scaffold.machine.opening import Project, is_in_project, workspace_above
from jovial_scaffold.machine.workspaces import OpenWorkspace, workspace_here
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.terminal import style_for

WholeWorkspace = Annotated[bool, typer.Option("--workspace", help="All projects of the workspace that this folder lies in.")]


def workspace_asked(project: Path | None, whole: bool) -> OpenWorkspace | None:
    """The workspace that a command is about: asked for, or the one whose root this is. Raises ProjectError."""
    if project is not None and not whole:
        return None
    here = project or Path()
    here = here if here.is_dir() else here.parent
    if not whole:
        return workspace_here(here)
    above = workspace_above(here.resolve())
    if above is None:
        hint = say("A workspace is a folder with a workspace.yaml, which lists its projects.")
        raise ProjectError([Finding("project-missing", "error", say("No workspace.yaml is here or in a folder above."), None, hint)])
    return OpenWorkspace(above)


class Named(NamedTuple):
    """An environment of one of several projects: what the project is called, where it lies, and the view of it."""

    name: str
    folder: str
    project: Project
    view: str


def of_several(given: Path | None, views: Sequence[str], added: Overrides) -> list[Named]:
    """Environments of several projects of the workspace here, where `PROJECT:ENVIRONMENT` names such; nothing where all are of one. One without its
    project is of the project here. Raises ProjectError."""
    parsed = [View.parse(each) for each in views]
    above = workspace_above((given or Path()).resolve()) if any(each.project for each in parsed) else None
    if above is None:
        return []
    here = Project.load(given or Path(), added).name if not all(each.project for each in parsed) and is_in_project(given or Path()) else ""
    names = [each.project or here for each in parsed]
    if len(set(names)) < 2:  # one project alone
        return []
    opened = OpenWorkspace(above)
    if "" in names:
        bare = next(view for view, name in zip(parsed, names, strict=True) if not name)
        message = say("Of which project {} is meant, is not said.", bare.environment)
        hint = say(
            "Beside environments of other projects, write PROJECT:{}: the projects are {}.", bare.environment, listed(opened.folders)
        )
        raise ProjectError([Finding("environment-unknown", "error", message, None, hint)])
    projects = {name: opened.load(name, added) for name in dict.fromkeys(names)}
    return [
        Named(name, opened.folders[name], projects[name], view.label.partition(":")[2] if view.project else view.label)
        for name, view in zip(names, parsed, strict=True)
    ]


class Projects:
    """The projects of a workspace, as far as they can be used, and the lines of their files."""

    def __init__(self, opened: OpenWorkspace, added: Overrides) -> None:
        self.opened = opened
        self._added = added
        self.loaded: dict[str, Project] = {}
        self.problems: dict[str, tuple[Finding, ...]] = {}

    def each(self, views: Iterable[str] = ()) -> Iterator[tuple[str, str, Project | None, list[str]]]:
        """Name, folder, project (None where it cannot be used), and which of its environments are asked for: `PROJECT:ENVIRONMENT` is one,
        `ENVIRONMENT` that of every project that has it. Raises ProjectError for a project that there is not."""
        asked = [View.parse(each) for each in views]
        for view in asked:
            if view.project and view.project not in self.opened.folders:
                self.opened.load(view.project)
        known: set[str] = set()
        for name, folder in self.opened.folders.items():
            mine = [view for view in asked if view.project in ("", name)]
            if asked and not mine:
                continue
            try:
                project = self.loaded[name] = self.opened.load(name, self._added)
            except ProjectError as error:
                self.problems[name] = tuple(error.findings)
                yield name, folder, None, []
                continue
            found = [view.label.partition(":")[2] if view.project else view.label for view in mine]
            there = [text for text, view in zip(found, mine, strict=True) if view.project or view.environment in project.environments]
            known.update(view.environment for view in mine if view.project or view.environment in project.environments)
            if not asked or there:
                yield name, folder, project, there
        unknown = [view.environment for view in asked if view.environment not in known and not self.problems]
        if unknown:
            message = say("No project of the workspace has an environment `{}`.", unknown[0])
            hint = say("Write PROJECT:ENVIRONMENT for that of one project.")
            raise ProjectError([Finding("environment-unknown", "error", message, None, hint)])

    def usable(self, views: Iterable[str] = ()) -> Iterator[tuple[str, str, Project, list[str]]]:
        """As `each`, without those that cannot be used: why, is said on standard error. Raises ProjectError."""
        for name, folder, project, there in self.each(views):
            if project is None:
                print_workspace_findings(list(self.problems[name]), self, to_stderr=True)
            else:
                yield name, folder, project, there

    def unusable(self) -> list[Finding]:
        """Why projects cannot be used."""
        return [each for found in self.problems.values() for each in found]

    def place(self, label: str, address: str, property: str) -> Span:
        """Where an environment, as `PROJECT:ENVIRONMENT`, writes a property, as the workspace names files."""
        name, _, environment = label.partition(":")
        span = self.loaded[name].place(environment, address, property)
        return span._replace(file=normpath(f"{self.opened.folders[name]}/{span.file}"))

    def source(self, file: str) -> Source | None:
        """A file by its path from the workspace; of several projects that read it, as the one that hides most of it does."""
        found = [self.opened.files.source(file)]
        found += [project.source(relpath(file, self.opened.folders[name])) for name, project in self.loaded.items()]
        sources = [each for each in found if each is not None]
        return max(sources, key=lambda each: each.hidden, default=None)


def print_workspace_findings(findings: list[Finding], projects: Projects, most: int | None = None, to_stderr: bool = False) -> None:
    """Findings over several projects as text, of very many `most`."""
    shown, closing = first_of(findings, most)
    stream = sys.stderr if to_stderr else sys.stdout
    if shown:
        base = where_shown(projects.opened.folder.where)
        every = [f"{name}:{each}" for name, project in projects.loaded.items() for each in project.environments]
        print(findings_text(shown, projects.source, style_for(stream, os.environ), every, base) + closing, file=stream)
