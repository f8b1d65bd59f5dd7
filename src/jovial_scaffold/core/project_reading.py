"""A project as it was read: its files once, its template compiled once, and environments rendered from that, each once."""

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from pathlib import PurePath, PurePosixPath
from typing import TYPE_CHECKING, Any, Self, TypeVar

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.findings import Finding, has_errors, merged
from jovial_scaffold.core.folders import Folder, Found, History, RevisionError, Within
from jovial_scaffold.core.graph.ordering import Orders, put_in_order
from jovial_scaffold.core.limits import PARALLEL_RESOURCES
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.project_file import NAME, EnvironmentEntry, ProjectError, default_parameters, read_project_file, revision_error
from jovial_scaffold.core.project_inputs import Inputs, Overrides, is_public
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.plan import Plans
from jovial_scaffold.core.rendering.rendering import Evaluated, asked, render
from jovial_scaffold.core.schemas.catalog import Catalogs
from jovial_scaffold.core.schemas.shapes import with_secrets
from jovial_scaffold.core.sightings import Sighting
from jovial_scaffold.core.templates.library import ModuleLibrary
from jovial_scaffold.core.templates.model import Module, Template
from jovial_scaffold.core.templates.names import reads_run, without_cycles
from jovial_scaffold.core.text.discretion import discreet
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.source import NOWHERE, Source
from jovial_scaffold.core.views import View
from jovial_scaffold.core.words import listed, nearest, say
from jovial_scaffold.core.workspace import with_workspace, workspace_of

# What one question alone needs is loaded where it is asked: every command would pay for it.
if TYPE_CHECKING:
    from jovial_scaffold.core.changes.matrix import Comparison
    from jovial_scaffold.core.changes.snapshots import Snapshot
    from jovial_scaffold.core.project_file import ProjectFile
    from jovial_scaffold.core.text.edits import FileChange


Read = TypeVar("Read", bound="ReadProject")
NO_PROJECT = "there was no such project, or none that could be read"


class ReadProject:
    """What all questions about a project share. Every method may be called any number of times, in any order."""

    def __init__(self, folder: Folder, name: str = NAME, overrides: Overrides | None = None) -> None:
        """The project whose file of a name lies in a folder. Raises ProjectError where it cannot be used."""
        self._overrides = overrides = overrides or Overrides()
        self._files = Files(folder, overrides.named)
        file, self._findings = read_project_file(self._files, name)
        workspace, found = workspace_of(folder, self._files)
        self._findings += [*overrides.findings, *found]
        self._file = file = with_workspace(file, workspace, self._findings) if workspace is not None else file
        self._inputs = Inputs(file, self._files, overrides, self._findings)
        self._found: dict[bool, list[Finding]] = {}
        self._parameters: dict[str, tuple[Parameters, list[Finding]]] = {}
        self._renderings: dict[str, tuple[Evaluated, list[Finding]]] = {}
        self._orders = Orders()
        self._partly: dict[str, Evaluated] = {}
        self._revisions: dict[str, Self] = {}
        self._as_of = ""  # `@` and a revision, where it is a project of the past
        self._catalogs = self._inputs.catalogs()
        names = {name: (each.text, each.origin) for name, each in file.modules.items() if each.origin is not None}
        self._library = ModuleLibrary(self._files, self._catalogs, names, self._findings)
        for name, table in file.lookups.items():
            assert table.origin is not None
            self._library.add_table(name, table.text, table.origin)
        self._written = self._library.template(file.template.text, file.template.origin)
        self._template = without_cycles(self._written)
        self._rulesets = self._inputs.rulesets()
        self._judged_only: tuple[str, ...] = ()  # patterns of rules, where not all are judged
        self._waivers = self._inputs.waivers(self._rulesets)
        self._plans = Plans()
        self._meter = overrides.meter()
        self._plan = self._plans.of(self._template)
        # Only a file that says so, or hides it behind an escape, can read it.
        mentioned = any("context" in each.text or "\\" in each.text for each in self._files.sources())
        dated = any(each.until for each in self._waivers)
        run_needed = self._overrides.run_needed or dated or (mentioned and any(reads_run(each) for each in self.templates))
        self._run = {"date": "", "revision": "", "author": "", **(self._overrides.run() if run_needed else {})}

    def start_over(self) -> None:
        """Forget what was being computed when there was no room to go on."""
        self._plans = Plans()
        self._plan = self._plans.of(self._template)
        self._renderings.clear()
        self._partly.clear()
        self._found.clear()

    @property
    def templates(self) -> list[Template]:
        """The project's template and those of its modules."""
        return [self._template, *(module.template for module in self._library.modules)]

    @property
    def name(self) -> str:
        """The project's name."""
        return self._file.name

    @property
    def folder(self) -> Folder:
        """The folder of the project file; findings name files relative to it."""
        return self._files.folder

    @property
    def environments(self) -> tuple[str, ...]:
        """The declared environments, in the order of the project file."""
        return tuple(self._file.environments)

    @property
    def catalogs(self) -> Catalogs:
        """All types that it may use."""
        return self._catalogs

    @property
    def template(self) -> Template:
        """The compiled template."""
        return self._template

    def parameter_errors(self, environment: str) -> list[Finding]:
        """What is wrong with the parameters of a view: of those of the command line, too. Raises ProjectError."""
        project, here = self.side(environment)
        return merged([each for each in project._resolved(here)[1] if each.level == "error"], project.environments)

    def scope(self, environment: str) -> Scope:
        """The names of an environment, for evaluating expressions over its parameters, values and resources."""
        project, here = self.side(environment)
        return project._asked(here).scope

    @property
    def modules(self) -> list[Module]:
        """The modules that the template uses, directly or through others, by label."""
        return self._library.modules

    @property
    def template_sources(self) -> list[Source]:
        """The files of the template and its modules, as they were read."""
        return self._library.template_sources

    @property
    def own_sources(self) -> list[Source]:
        """The files of the template itself, as they were read."""
        return self._library.own_sources

    def source(self, name: str) -> Source | None:
        """A file that was read, as findings name it; for showing its lines."""
        return self._files.source(name)

    @property
    def sources(self) -> list[Source]:
        """All files that were read so far, by name."""
        return self._files.sources()

    def chosen(self, names: Iterable[str]) -> tuple[str, ...]:
        """The environments, or views of them, that are named, or all. Raises ProjectError for one that is not declared."""
        given = tuple(dict.fromkeys(names))
        for name in given:
            asked = self._view(name).environment  # what a view sets may be secret, and is not said
            if asked not in self._file.environments:
                hint = nearest(asked, self.environments, say("Its environments are {}.", listed(self.environments)))
                message = say("The project declares no environment `{}`{}.", asked, f" in {self._as_of[1:]}" if self._as_of else "")
                raise ProjectError([Finding("environment-unknown", "error", message, None, hint)])
        return given or self.environments

    def _view(self, text: str) -> View:
        """A view of this project. Raises ProjectError where it is one of another."""
        view = View.parse(text)
        if view.project not in ("", self.name):
            message = say("This is the project {}, and {}:{} is asked for.", self.name, view.project, view.environment)
            hint = say("One command looks at the environments of one project.")
            raise ProjectError([Finding("environment-unknown", "error", message, None, hint)])
        return view

    def side(self, text: str) -> tuple[Self, str]:
        """The project that a view is of, which is another where it names a revision, and the view there. Raises ProjectError."""
        view = self._view(text)
        project = self.at(view.revision) if view.revision else self
        return project, project.chosen((view.here,))[0]

    def label(self, text: str) -> str:
        """What a view is called where it is shown. Raises ProjectError."""
        project, here = self.side(text)
        return project._shown_label(View.parse(here))

    def sides(self, texts: Iterable[str]) -> list[tuple[Self, tuple[str, ...]]]:
        """Some views by the project that they are of, this one first; all environments of this one where none is named."""
        found: dict[str, list[str]] = {}
        for text in tuple(texts) or self.environments:
            view = self._view(text)
            found.setdefault(view.revision, []).append(view.here)
        projects = {revision: self.at(revision) if revision else self for revision in sorted(found)}
        return [(project, project.chosen(found[revision])) for revision, project in projects.items()]

    def edited(self, files: "Iterable[FileChange]") -> Self:
        """The project as it would be with some files changed, named as findings name them. Raises ProjectError."""
        from jovial_scaffold.core.text.edits import EditedFolder, EditedWithin

        folder = EditedWithin(self.folder, files) if isinstance(self.folder, Within) else EditedFolder(self.folder, files)
        return type(self)(folder, self._file.file, self._overrides)

    @property
    def project_file(self) -> "ProjectFile":
        """What the project file says."""
        return self._file

    def parameters_of(self, environment: str) -> Parameters:
        """The layers of an environment, and the values that they set, as far as they are right. Raises ProjectError."""
        project, here = self.side(environment)
        return project._resolved(here)[0]

    def _check_expressions(self) -> list[Finding]:
        """What is wrong with the expressions of the templates before any environment."""
        from jovial_scaffold.core.templates.checking import check_expressions

        return check_expressions(self.templates, self._environment_labels)

    def processes(self, most: int, environments: Iterable[str]) -> int:
        """How many processes are worth it for some environments, of those that may be: the resources of the template say so, or the items of a loop,
        as far as a parameter has so many."""
        if len(self._template.resources) >= PARALLEL_RESOURCES.most:
            return most
        if most == 1 or all(each.is_single for each in self._template.resources.values()):
            return 1
        values = [value for name in environments if name in self._file.environments for value in self._resolved(name)[0].values.values()]
        return most if any(type(each) in (list, dict) and len(each) >= PARALLEL_RESOURCES.most for each in values) else 1

    @cached_property
    def _catalog_findings(self) -> list[Finding]:
        """What is wrong with the project's own catalogs; once it is found, no resource is blamed for it."""
        return self._inputs.catalog_findings(self._used_types)

    @cached_property
    def _used_types(self) -> frozenset[str]:
        return frozenset(each.type.id for template in self.templates for each in template.resources.values() if each.type is not None)

    @property
    def _environment_labels(self) -> dict[str, dict[str, Any]]:
        return {name: entry.labels for name, entry in self._file.environments.items()}

    def compare(
        self,
        environments: Iterable[str] = (),
        baseline: str | None = None,
        everything: bool = False,
        only: str | Sequence[str] = (),
        ignore: Sequence[str] = (),
        echoes: bool = False,
    ) -> "Comparison":
        """Environments, or views of them such as `live?copies=4` and `live@HEAD~3`, side by side; the baseline comes first.

        `only` and `ignore` are patterns over addresses, or over `address:property` where they hold a colon. With `echoes`, rows that only
        repeat parameters say so.
        """
        from jovial_scaffold.core.changes.matrix import compare

        return compare(self.views(self.in_order(environments, baseline)), everything, only, ignore, echoes)

    def in_order(self, environments: Iterable[str] = (), baseline: str | None = None) -> tuple[str, ...]:
        """Some views, or all environments, each once, with the baseline before the others."""
        chosen = tuple(dict.fromkeys(environments)) or self.environments
        return chosen if baseline is None else (baseline, *(name for name in chosen if name != baseline))

    def views(self, texts: Iterable[str]) -> list[Evaluated]:
        """Environments rendered as they are asked for (see `View`), in that order; their findings are those of the environment alone."""
        labels: dict[str, int] = {}
        renderings = []
        for text in texts:
            project, here = self.side(text)
            rendering, findings = project._rendered(here)
            rendering = replace(rendering, findings=[*findings, *rendering.findings])
            count = labels[rendering.label] = labels.get(rendering.label, 0) + 1
            # What is told apart by a secret only looks the same, and is another column all the same.
            renderings.append(rendering if count == 1 else replace(rendering, label=f"{rendering.label} ({count})"))
        return renderings

    def at(self, revision: str) -> Self:
        """The project as of a revision. Raises ProjectError."""
        if revision not in self._revisions:
            try:
                history = self._overrides.history()
                found = read_at(type(self), history, history.commit(revision), self.folder, self._file.file, self._overrides)
            except RevisionError as error:
                raise revision_error(error) from None
            found._as_of = f"@{revision}"
            self._revisions[revision] = found
        return self._revisions[revision]

    def files(self, paths: Sequence[str]) -> list[Evaluated]:
        """The template under parameter files that no environment declares: each over `parameters/common.*`, where that exists."""
        found = []
        for path in paths:
            common = default_parameters(self.folder, ("common",))
            entry = EnvironmentEntry(PurePosixPath(path).stem, common, {}, NOWHERE)
            rendering, findings = self._render(entry, (path,))
            label = PurePosixPath(path).name if len({PurePosixPath(each).name for each in paths}) == len(paths) else path
            found.append(replace(rendering, label=label, findings=[*findings, *rendering.findings]))
        return found

    def _shown_label(self, view: View) -> str:
        """What a view is called where it is shown: what it sets, but for what is secret or declared by nobody."""
        shown = [f"{name}={value if is_public(self._template, name) else marks.SECRET}" for name, value in view.values]
        return f"{view.environment}{self._as_of}{'?' if shown else ''}{'&'.join(shown)}"

    def marked(self, name: str, value: Any) -> Any:
        """The content of one of the project's own files with what it keeps secret marked: a parameter file, or a snapshot."""
        if not isinstance(value, dict):
            return value
        if name in self.parameter_files:
            return {key: self._marked_parameter(key, item) for key, item in value.items()}
        if any(name == self.deployed_name(each) for each in self.environments) and isinstance(value.get("resources"), dict):
            return {**value, "resources": {address: self._marked_resource(each) for address, each in value["resources"].items()}}
        return value

    def _marked_parameter(self, name: str, value: Any) -> Any:
        declared = {each.casefold(): each for each in self._template.parameters}
        declaration = self._template.parameters.get(declared.get(name.casefold(), ""))
        return self._plan.checker.marked(declaration, value) if declaration else value

    def _marked_resource(self, value: Any) -> Any:
        kind = self._catalogs.find(str(value.get("type", ""))) if isinstance(value, dict) else None
        return {**value, "properties": with_secrets(kind.shape, value.get("properties"))} if kind else value

    def snapshot(self, environment: str, against: "str | PurePath | None" = None) -> "tuple[Snapshot, list[Finding]]":
        """What runs in an environment, and the lesser findings of its file. Raises ProjectError."""
        from jovial_scaffold.core.changes.snapshots import read_snapshot

        deployed = self._file.environments[environment].deployed
        if against is not None:
            source, findings = self._files.outside(str(against))
        elif deployed is not None:
            source, findings = self._files.read(deployed.text, deployed.origin)
        else:
            hint = say("Name a file with --against, or write `deployed` in the project file; `jovial record` makes one.")
            raise ProjectError([Finding("snapshot-missing", "error", say("Nothing says what runs in {} now.", environment), None, hint)])
        if source is None or source.broken:
            raise ProjectError(findings if source is None else discreet(source, findings))
        source.hide_all()  # what a cloud says of its resources is shown by what is known of them, not by lines
        snapshot, findings = read_snapshot(source, self._catalogs, self._overrides.snapshot_key)
        if snapshot is None or has_errors(findings):
            raise ProjectError(findings)
        if snapshot.environment and snapshot.environment != environment:
            span = source.value_span(("environment",))
            message = say("This snapshot is of {}, and {} is asked for.", snapshot.environment, environment)
            hint = say("Name the right file with --against, or as `deployed` of the project file.")
            findings.append(Finding("snapshot-environment", "warning", message, span, hint, environments=(environment,)))
        return snapshot, findings

    @property
    def rendered(self) -> int:
        """How many environments have been rendered so far."""
        return len(self._renderings)

    def with_partners(self, environments: Iterable[str]) -> tuple[str, ...]:
        """Some environments, and those that rules over pairs put beside them."""
        chosen = set(environments)
        for rule in (rule for ruleset in self._rulesets for rule in ruleset.rules if rule.over == "pair"):
            if rule.between is None and chosen:
                return self.environments
            if rule.between and chosen & set(rule.between):
                chosen |= set(rule.between)
        return tuple(name for name in self.environments if name in chosen)

    def inputs(self, environment: str) -> dict[str, str]:
        """What an environment is made from, as a digest by file: two that are equal render alike, and have the same findings."""
        self.chosen((environment,))
        run = self._run if any(reads_run(each) for each in self.templates) else {}
        return self._inputs.digests(environment, self._resolved(environment)[0], run)

    @property
    def parameter_files(self) -> frozenset[str]:
        """The parameter files of all environments, as the project file writes them."""
        return self._inputs.parameter_files

    @property
    def snapshot_key(self) -> str:
        """What hashes of secrets in snapshots are keyed with, where somebody handed it in."""
        return self._overrides.snapshot_key

    @property
    def run(self) -> Mapping[str, str]:
        """`context.run`, as far as it was asked for."""
        return self._run

    def deployed_name(self, environment: str) -> str | None:
        """The file that says what runs in an environment, by its name from the project's folder, where the project file names one that
        lies inside of the project."""
        entry = self._file.environments.get(View.parse(environment).environment)
        deployed = entry.deployed if entry is not None else None
        if deployed is None:
            return None
        found, outside = self._files.find(deployed.text, deployed.origin)
        return None if outside else found.name if found else deployed.text

    def _under(
        self, view: View, resolved: Parameters, deployed: Mapping[str, Mapping[str, Any]] | None, run: Mapping[str, str] | None
    ) -> Evaluated:
        """A view once more: under some parameters, with what the cloud has set, and as at another run."""
        entry = self._file.environments[view.environment]
        context = {**self._context(entry), "run": run or self._run}
        rendering = render(self._plan, resolved, context, self._plans, deployed, self._meter)
        put_in_order(rendering, self._orders)
        return rendering

    def _rendered(self, name: str, sightings: list[Sighting] | None = None) -> tuple[Evaluated, list[Finding]]:
        """An environment, and what is wrong with its parameters. What is wrong with it that goes to `sightings` is not kept."""
        if name not in self._renderings:
            view = View.parse(name)
            found = self._render(self._file.environments[view.environment], (), view.values, sightings)
            if sightings:
                return found
            self._renderings[name] = found
        return self._renderings[name]

    def _asked(self, name: str) -> Evaluated:
        """A view of which only what is asked for is evaluated; as a whole where it was rendered already."""
        if name in self._renderings:
            return self._renderings[name][0]
        if name not in self._partly:
            view = View.parse(name)
            entry = self._file.environments[view.environment]
            self._partly[name] = asked(self._plan, self._resolved(name)[0], self._context(entry), self._plans, self._meter)
        return self._partly[name]

    def _context(self, entry: EnvironmentEntry) -> dict[str, Any]:
        """What `context` holds in an environment."""
        return {"project": self.name, "environment": entry.name, "labels": entry.labels, "run": self._run}

    def _resolved(self, name: str) -> tuple[Parameters, list[Finding]]:
        """An environment's parameters, and what is wrong with its files and values."""
        if name not in self._parameters:
            view = View.parse(name)
            self._parameters[name] = self._resolve(self._file.environments[view.environment], (), view.values)
        return self._parameters[name]

    def _resolve(
        self, entry: EnvironmentEntry, files: Sequence[str] = (), values: Sequence[tuple[str, str]] = ()
    ) -> tuple[Parameters, list[Finding]]:
        findings: list[Finding] = []
        layers, unread = self._inputs.layers(self._template, entry, findings, files, values)
        label = self._shown_label(View(entry.name, entry.name, "", tuple(values)))
        parameters, problems = self._plan.checker.resolve(
            label, layers, self._inputs.read_secret, self._overrides.process, self._inputs.is_tracked, unread
        )
        return replace(parameters, context_origins=entry.context_origins), [*findings, *problems]

    def _render(
        self,
        entry: EnvironmentEntry,
        files: Sequence[str] = (),
        values: Sequence[tuple[str, str]] = (),
        sightings: list[Sighting] | None = None,
    ) -> tuple[Evaluated, list[Finding]]:
        self._catalog_findings  # noqa: B018 - it has to be found before resources are judged
        parameters, findings = self._resolve(entry, files, values) if files or values else self._resolved(entry.name)
        rendering = render(self._plan, parameters, self._context(entry), self._plans, meter=self._meter, sightings=sightings)
        return rendering, [*findings, *put_in_order(rendering, self._orders)]


def read_at(kind: type[Read], history: History, commit: str, folder: Folder, file: str, overrides: Overrides, as_then: bool = True) -> Read:
    """The project of a file as of a commit.

    What the repository does not keep, such as files of secrets, is taken from `folder`, where the project is now; `context.run` is that
    of the commit where `as_then`, else that of the caller. Raises RevisionError, ProjectError.
    """
    if as_then:
        date, author, _ = history.described(commit)
        run = {"date": date, "revision": commit[:12], "author": author}
        overrides = replace(overrides, run=lambda: run)
    then = history.at(commit)
    found = then.find(file)
    if not isinstance(found, Found):
        raise RevisionError(say("There was no {} in {}.", file, commit[:12]), say("Name a later revision."))
    return kind(then, file, replace(overrides, beside=folder))
