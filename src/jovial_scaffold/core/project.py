"""A project: its files read once, its template compiled once, and every environment rendered, checked and compared from that."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from jovial_scaffold.core.findings import Finding, Span, absorbed, merged
from jovial_scaffold.core.graph.ordering import waves
from jovial_scaffold.core.parameters.layers import Layer, file_layer, text_layer
from jovial_scaffold.core.parameters.resolving import Checker
from jovial_scaffold.core.parameters.secrets import tracked_by_git
from jovial_scaffold.core.project_file import EnvironmentEntry, FileReference, ProjectError, ProjectFile, find_project, read_project_file
from jovial_scaffold.core.rendering.environment import Environment
from jovial_scaffold.core.rendering.rendering import Rendering, render
from jovial_scaffold.core.rules.evaluation import check_examples, judge
from jovial_scaffold.core.rules.reading import Ruleset, read_ruleset
from jovial_scaffold.core.schemas.catalog import Catalogs, read_catalog, shipped_catalog
from jovial_scaffold.core.templates.checking import check_types
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.templates.names import check_names, reached_resources, reads_run, resource_cycles, without_cycles
from jovial_scaffold.core.templates.reading import read_template
from jovial_scaffold.core.text.formats import format_of, read_source
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.wording import described, did_you_mean, listed

if TYPE_CHECKING:
    from jovial_scaffold.core.comparing.matrix import Comparison

_VARIABLE_PREFIX = "JOVIAL_PARAMETER_"


@dataclass(frozen=True, slots=True)
class Overrides:
    """What the caller adds to every environment: process variables, further files, and `name=value` pairs; later wins.

    `run` gives `context.run` (date, revision, author) and is called only where a template reads it, or where `run_needed` says so.
    """

    process: Mapping[str, str] = field(default_factory=dict)
    files: tuple[Path, ...] = ()
    values: tuple[tuple[str, str], ...] = ()
    run: Callable[[], Mapping[str, str]] = dict
    run_needed: bool = False


@dataclass(frozen=True, slots=True)
class CheckResult:
    """All findings, sorted; and how much was looked at."""

    project: str
    environments: tuple[str, ...]
    findings: tuple[Finding, ...]
    resources: int
    rules: int

    def count(self, level: str) -> int:
        """How many findings have a level."""
        return sum(finding.level == level for finding in self.findings)


class Project:
    """A project that was read. Every method may be called any number of times, in any order."""

    def __init__(self, file: ProjectFile, findings: list[Finding], overrides: Overrides) -> None:
        self._file = file
        self._overrides = overrides
        self._findings = findings
        self._sources: dict[Path, tuple[Source | None, list[Finding]]] = {}
        self._tracked: dict[Path, bool] = {}
        self._renderings: dict[str, tuple[Rendering, list[Finding]]] = {}
        self._catalogs = self._read_catalogs()
        self._template = self._read_template()
        self._name_findings = check_names(self._template)
        self._template = without_cycles(self._template)
        self._rulesets = self._read_rulesets()
        self._reached = reached_resources(self._template)
        cycle_findings, self._in_cycle = resource_cycles(self._template, self._reached)
        self._findings += cycle_findings
        self._checker = Checker(self._template)
        self._run = {
            "date": "",
            "revision": "",
            "author": "",
            **(self._overrides.run() if reads_run(self._template) or self._overrides.run_needed else {}),
        }

    @classmethod
    def load(cls, path: str | Path = ".", overrides: Overrides | None = None) -> "Project":
        """The project whose file or folder is named, or that a folder belongs to. Raises ProjectError where it cannot be used."""
        given = Path(path)
        if not given.exists():
            raise ProjectError(
                [Finding("project-missing", "error", f"There is no {given}.", None, "Name the project's folder or its jovial.yaml.")]
            )
        found = given if given.is_file() or given.suffix in (".yaml", ".yml", ".json") else find_project(given)
        file, findings = read_project_file(found)
        return cls(file, findings, overrides or Overrides())

    @property
    def name(self) -> str:
        """The project's name."""
        return self._file.name

    @property
    def root(self) -> Path:
        """The folder of the project file; findings name files relative to it."""
        return self._file.root

    @property
    def environments(self) -> tuple[str, ...]:
        """The declared environments, in the order of the project file."""
        return tuple(self._file.environments)

    @property
    def template(self) -> Template:
        """The compiled template."""
        return self._template

    def scope(self, environment: str) -> Environment:
        """The names of an environment, for evaluating expressions over its parameters, values and resources."""
        self.chosen((environment,))
        return self._rendered(environment)[0].scope

    def source(self, name: str) -> Source | None:
        """A file that was read, as findings name it; for showing its lines."""
        for source, _ in self._sources.values():
            if source is not None and source.name == name:
                return source
        return None

    def chosen(self, names: Iterable[str]) -> tuple[str, ...]:
        """The environments that are named, or all. Raises ProjectError for one that is not declared."""
        given = tuple(dict.fromkeys(names))
        for name in given:
            if name not in self._file.environments:
                hint = did_you_mean(name, self.environments, f"Its environments are {listed(self.environments)}.")
                raise ProjectError([Finding("environment-unknown", "error", f"The project declares no environment `{name}`.", None, hint)])
        return given or self.environments

    # -- the three questions

    def check(self, environments: Iterable[str] = ()) -> CheckResult:
        """Everything that is wrong, for some environments or all."""
        chosen = self.chosen(environments)
        static = check_types(self._template)
        findings = [*self._findings, *self._name_findings, *check_examples(self._rulesets, self._catalogs)]
        resources = rules = 0
        for name in chosen:
            rendering, found = self._rendered(name)
            verdicts, judged = judge(rendering, self._rulesets, rendering.parameters.values)
            findings += found + rendering.findings + verdicts
            resources += len(rendering.resources)
            rules += judged
        return CheckResult(self.name, chosen, tuple(merged(absorbed(static, findings), self.environments)), resources, rules)

    def render(self, environment: str) -> Rendering:
        """One environment, in deployment order. Its `findings` hold what is wrong with template and parameters."""
        self.chosen((environment,))
        rendering, found = self._rendered(environment)
        findings = [*self._findings, *self._name_findings, *found, *rendering.findings]
        return replace(rendering, findings=merged(findings, self.environments))

    def compare(
        self, environments: Iterable[str] = (), baseline: str | None = None, everything: bool = False, only: str = "*"
    ) -> "Comparison":
        """Environments side by side; the baseline comes first. `only` is a pattern over `address` or `address:property`."""
        from jovial_scaffold.core.comparing.matrix import compare

        chosen = self.chosen(environments)
        if baseline is not None:
            self.chosen((baseline,))
            chosen = (baseline, *(name for name in chosen if name != baseline))
        return compare([self._rendered(name)[0] for name in chosen], everything, only)

    # -- reading

    def _read(self, reference: FileReference) -> tuple[Source | None, list[Finding]]:
        """A file inside the root, read once; its findings are given at the first time only."""
        path, outside = self._inside(reference)
        if path is None:
            return None, outside
        if path not in self._sources:
            self._sources[path] = read_source(path, self._shown(path))
            source, findings = self._sources[path]
            self._sources[path] = (source, [])
            missing = [
                finding for finding in findings if finding.id in ("file-missing", "file-format", "file-unreadable") and reference.origin
            ]
            if missing and reference.origin:
                # A file that is not there has no lines: the place is where it is named.
                at = reference.origin.value_span()
                return None, [Finding(each.id, each.level, each.message, at, each.hint) for each in missing]
            return source, findings
        return self._sources[path]

    def _inside(self, reference: FileReference) -> tuple[Path | None, list[Finding]]:
        """The file that is meant, links resolved; a finding where it lies outside of the root."""
        path = (self.root / reference.text).resolve()
        if path.is_relative_to(self.root.resolve()):
            return path, []
        span = reference.origin.value_span() if reference.origin else None
        message = f"{reference.text} lies outside of the project's folder."
        return None, [Finding("path-outside", "error", message, span, "Move it into the project; nothing outside is read.")]

    def _shown(self, path: Path) -> str:
        root = self.root.resolve()
        return path.relative_to(root).as_posix() if path.is_relative_to(root) else str(path)

    def _read_catalogs(self) -> Catalogs:
        catalogs = Catalogs()
        for reference in self._file.catalogs:
            shipped = shipped_catalog(reference.text)
            path = self.root / reference.text
            if shipped is not None and not path.exists():
                self._findings += catalogs.add(*shipped, reference.text)
                continue
            inside, outside = self._inside(reference)
            self._findings += outside
            if inside is None or not inside.exists():
                catalogs.types_unknown = True
                if inside is not None:
                    message = f"There is no catalog {reference.text}."
                    span = reference.origin.value_span() if reference.origin else None
                    self._findings.append(
                        Finding(
                            "file-missing",
                            "error",
                            message,
                            span,
                            did_you_mean(reference.text, ("fulmar",), "`fulmar` comes with the tool; others are files or folders."),
                        )
                    )
                continue
            types, defaults, label, findings = read_catalog(inside, self._shown(inside))
            catalogs.types_unknown = catalogs.types_unknown or any(finding.level == "error" for finding in findings)
            self._findings += findings + catalogs.add(types, defaults, label)
        return catalogs

    def _read_template(self) -> Template:
        reference = self._file.template
        path, outside = self._inside(reference)
        if path is not None and path.is_dir():
            span = reference.origin.value_span() if reference.origin else None
            message = "A folder as a template is not supported yet."
            self._findings.append(Finding("not-supported-yet", "error", message, span, "Name one file."))
            path = None
        source, findings = self._read(reference) if path is not None else (None, outside)
        self._findings += findings
        if source is None:
            source = Source(reference.text, "", UNKNOWN, lambda _: {}, broken=True)
        template, findings = read_template(source, self._catalogs)
        self._findings += findings
        return template

    def _read_rulesets(self) -> list[Ruleset]:
        found = []
        for reference in self._file.rulesets:
            path, _ = self._inside(reference)
            if path is not None and path.is_dir():
                files = sorted(each for each in path.iterdir() if each.suffix in (".yaml", ".yml", ".json"))
                references = [FileReference(each.relative_to(self.root.resolve()).as_posix(), reference.origin) for each in files]
            else:
                references = [reference]
            for each in references:
                source, findings = self._read(each)
                self._findings += findings
                if source is not None and not source.broken:
                    ruleset, findings = read_ruleset(source)
                    self._findings += findings
                    found.append(ruleset)
        return found

    # -- one environment

    def _rendered(self, name: str) -> tuple[Rendering, list[Finding]]:
        if name not in self._renderings:
            self._renderings[name] = self._render(self._file.environments[name])
        return self._renderings[name]

    def _render(self, entry: EnvironmentEntry) -> tuple[Rendering, list[Finding]]:
        findings: list[Finding] = []
        layers, unread = self._layers(entry, findings)
        parameters, problems = self._checker.resolve(entry.name, layers, self.root, self._overrides.process, self._is_tracked, unread)
        context = {"project": self.name, "environment": entry.name, "labels": entry.labels, "run": self._run}
        rendering = render(self._template, parameters, context, self._reached, self._in_cycle, self._checker)
        findings += problems + self._order(rendering)
        return rendering, findings

    def _order(self, rendering: Rendering) -> list[Finding]:
        """Bring the resources into deployment order, and report items of loops that wait for each other."""
        rendering.waves, circling = waves({address: each.after for address, each in rendering.resources.items()})
        order = [address for wave in rendering.waves for address in wave] + circling
        rendering.resources = {address: rendering.resources[address] for address in order}
        stuck = [rendering.resources[address].instance for address in circling]
        unsaid = [each for each in stuck if each.resource.loop is not None and each.resource.name not in self._in_cycle]
        if not unsaid or len(unsaid) < len(stuck):
            return []
        first = unsaid[0]
        names = listed(each.address for each in unsaid[:8])
        message = f"Items of `{first.resource.name}` wait for each other in a circle: {names}."
        span = first.resource.origin.key_span()
        return [
            Finding(
                "resource-cycle",
                "error",
                message,
                span,
                "Let each item read only items before it.",
                first.address,
                "",
                (rendering.environment,),
            )
        ]

    def _layers(self, entry: EnvironmentEntry, findings: list[Finding]) -> tuple[tuple[Layer, ...], bool]:
        """The environment's layers in order, and whether one of them could not be read."""
        declared = tuple(self._template.parameters)
        layers: list[Layer] = []
        unread = False
        for reference in entry.parameters:
            layer, problems = self._parameter_file(*self._read(reference), declared)
            findings += problems
            unread = unread or layer is None
            layers += [layer] if layer else []
        process = {
            key.removeprefix(_VARIABLE_PREFIX): text for key, text in self._overrides.process.items() if key.startswith(_VARIABLE_PREFIX)
        }
        if process:
            layers.append(text_layer("process variables", process, declared))
        for path in self._overrides.files:
            if path not in self._sources:
                self._sources[path] = read_source(path, str(path))
            layer, problems = self._parameter_file(*self._sources[path], declared)
            findings += problems
            unread = unread or layer is None
            layers += [layer] if layer else []
        for name, text in self._overrides.values:
            layers.append(text_layer(f"--with {name}", {name: text}, declared))
        return tuple(layers), unread

    def _parameter_file(
        self, source: Source | None, findings: list[Finding], declared: tuple[str, ...]
    ) -> tuple[Layer | None, list[Finding]]:
        if source is None or source.broken:
            return None, findings if source is None else self._discreet(source, findings)
        value = source.value
        if value is not None and not isinstance(value, dict):
            message = f"A parameter file is a map from parameter to value, and this is {described(value)}."
            return None, [*findings, Finding("parameters-shape", "error", message, Span(source.name, 1, 1, 1, 1))]
        roles = {"resources", "parameters", "rules", "environments"} & set(value or ()) - set(declared)
        if roles and isinstance(value, dict) and isinstance(value[min(roles)], dict):
            span = source.key_span((min(roles),))
            message = f"{source.name} is used as a parameter file, and looks like a template, ruleset or project file."
            return None, [
                *findings,
                Finding("file-role", "error", message, span, "A parameter file holds one value for each parameter."),
            ]
        form = format_of(source.name)
        return file_layer(source, form is not None and not form.typed, declared), findings

    def _discreet(self, source: Source, findings: list[Finding]) -> list[Finding]:
        """The findings of a file that cannot be read, without the lines that a secret may stand in."""
        secrets = [declaration.name for declaration in self._template.parameters.values() if declaration.secret]
        lines = {each.span: source.line(each.span.line) for each in findings if each.span}
        source.hide_after(secrets)
        return [replace(each, hint="") if each.span and source.line(each.span.line) != lines[each.span] else each for each in findings]

    def _is_tracked(self, path: Path) -> bool:
        if path not in self._tracked:
            self._tracked[path] = tracked_by_git(path)
        return self._tracked[path]
