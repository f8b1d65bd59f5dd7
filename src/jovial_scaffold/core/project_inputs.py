"""What a project is made from: its catalogs, rulesets and parameter files, read below its root, and what the caller adds."""

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jovial_scaffold.core.expressions.values import revealed
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.parameters.layers import Layer, file_layer, text_layer
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.parameters.secrets import tracked_by_git
from jovial_scaffold.core.project_file import EnvironmentEntry, FileReference, ProjectFile
from jovial_scaffold.core.rules.reading import Ruleset, read_ruleset
from jovial_scaffold.core.schemas.catalog import Catalogs, read_catalog, shipped_catalog
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.text.discretion import WORDS, discreet
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.formats import format_of
from jovial_scaffold.core.text.roles import misplaced, role_of
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.text.wording import described, did_you_mean

OUTSIDE = "(secrets and process variables)"
_VARIABLE_PREFIX = "JOVIAL_PARAMETER_"


@dataclass(frozen=True, slots=True)
class Overrides:
    """What the caller adds to every environment: process variables, further files, and `name=value` pairs; later wins.

    `run` gives `context.run` (date, revision, author) and is called only where a template reads it, or where `run_needed` says so.
    `beside` is another root, where files of secrets are looked for that the project's own does not have.
    """

    process: Mapping[str, str] = field(default_factory=dict)
    files: tuple[Path, ...] = ()
    values: tuple[tuple[str, str], ...] = ()
    run: Callable[[], Mapping[str, str]] = dict
    run_needed: bool = False
    beside: Path | None = None


class Inputs:
    """Reads what a project file names. What is wrong with catalogs and rulesets goes to `findings`."""

    def __init__(self, file: ProjectFile, overrides: Overrides, findings: list[Finding]) -> None:
        self.file = file
        self.overrides = overrides
        self.findings = findings
        self.files = Files(file.root)
        self._tracked: dict[Path, bool] = {}

    def catalogs(self) -> Catalogs:
        """All types that the project may use."""
        catalogs = Catalogs()
        for reference in self.file.catalogs:
            shipped = shipped_catalog(reference.text)
            path = self.file.root / reference.text
            if shipped is not None and not path.exists():
                self.findings += catalogs.add(*shipped, reference.text)
                continue
            inside, outside = self.files.inside(reference.text, reference.origin)
            self.findings += outside
            if inside is None or not inside.exists():
                catalogs.types_unknown = True
                if inside is not None:
                    message = f"There is no catalog {reference.text}."
                    span = reference.origin.value_span() if reference.origin else None
                    self.findings.append(
                        Finding(
                            "file-missing",
                            "error",
                            message,
                            span,
                            did_you_mean(reference.text, ("fulmar",), "`fulmar` comes with the tool; others are files or folders."),
                        )
                    )
                continue
            types, defaults, label, findings = read_catalog(inside, self.files.shown(inside))
            catalogs.types_unknown = catalogs.types_unknown or any(finding.level == "error" for finding in findings)
            self.findings += findings + catalogs.add(types, defaults, label)
        return catalogs

    def rulesets(self) -> list[Ruleset]:
        """The rules of the project, in the order of its file."""
        found = []
        for reference in self.file.rulesets:
            path, _ = self.files.inside(reference.text, reference.origin)
            if path is not None and path.is_dir():
                files = sorted(each for each in path.iterdir() if each.suffix in (".yaml", ".yml", ".json"))
                references = [FileReference(self.files.shown(each), reference.origin) for each in files]
            else:
                references = [reference]
            for each in references:
                source, findings = self.files.read(each.text, each.origin)
                self.findings += findings
                if source is not None and not source.broken:
                    wrong = misplaced(source, "a ruleset", "A ruleset has `ruleset` and `rules`.")
                    if wrong is not None:
                        self.findings.append(wrong)
                        continue
                    ruleset, findings = read_ruleset(source)
                    self.findings += findings
                    found.append(ruleset)
        return found

    def layers(
        self,
        template: Template,
        entry: EnvironmentEntry,
        findings: list[Finding],
        files: Sequence[Path],
        values: Sequence[tuple[str, str]],
    ) -> tuple[tuple[Layer, ...], bool]:
        """The environment's layers in order, with further files and values, and whether one of them could not be read."""
        declared = tuple(template.parameters)
        layers: list[Layer] = []
        unread = False
        for reference in entry.parameters:
            layer, problems = self._parameter_file(*self.files.read(reference.text, reference.origin), template)
            findings += problems
            unread = unread or layer is None
            layers += [layer] if layer else []
        process = {
            key.removeprefix(_VARIABLE_PREFIX): text for key, text in self.overrides.process.items() if key.startswith(_VARIABLE_PREFIX)
        }
        if process:
            layers.append(text_layer("process variables", process, declared))
        for path in (*files, *self.overrides.files):
            layer, problems = self._parameter_file(*self.files.outside(path), template)
            findings += problems
            unread = unread or layer is None
            layers += [layer] if layer else []
        for name, text in self.overrides.values:
            layers.append(text_layer(f"--with {name}", {name: text}, declared))
        for name, text in values:
            layers.append(text_layer(f"?{name}={text}", {name: text}, declared))
        return tuple(layers), unread

    def _parameter_file(self, source: Source | None, findings: list[Finding], template: Template) -> tuple[Layer | None, list[Finding]]:
        if source is None or source.broken:
            return None, findings if source is None else _discreet(source, findings, template)
        value = source.value
        if value is not None and not isinstance(value, dict):
            message = f"A parameter file is a map from parameter to value, and this is {described(value)}."
            return None, [*findings, Finding("parameters-shape", "error", message, Span(source.name, 1, 1, 1, 1))]
        role = role_of(value)
        if role and isinstance(value, dict) and not set(value) & template.parameters.keys():
            span = source.key_span((next(iter(value)),))
            message = f"{source.name} is used as a parameter file, and is {role}."
            hint = "A parameter file holds one value for each parameter."
            return None, [*findings, Finding("file-role", "error", message, span, hint)]
        form = format_of(source.name)
        return file_layer(source, form is not None and not form.typed, tuple(template.parameters)), findings

    def is_tracked(self, path: Path) -> bool:
        """Whether git keeps a file; asked once for each."""
        if path not in self._tracked:
            self._tracked[path] = tracked_by_git(path)
        return self._tracked[path]

    def digests(self, environment: str, parameters: Parameters, run: Mapping[str, str]) -> dict[str, str]:
        """What an environment is made from, as a digest by file: two that are equal render alike, and have the same findings.

        The project file's part is the environment's entry, and what all environments share.
        """
        entry = self.file.environments[environment]
        shared = (str(self.file.shared), dict(run))
        digests = {
            self.file.path.name: _digest((shared, entry.labels, [each.text for each in entry.parameters])),
            OUTSIDE: _digest(
                [(name, repr(revealed(parameters.values[name]))) for name in sorted(parameters.values.keys() - set(parameters.defaulted))]
            ),
        }
        others = {each.text for name, each in self._parameter_references() if name != environment}
        own = {each.text for each in entry.parameters}
        for source in self.files.sources():
            if source.name == self.file.path.name or (source.name in others and source.name not in own):
                continue
            digests[source.name] = _digest(source.text)
        digests |= {name: _digest(content) for name, content in self._catalog_contents()}
        return digests

    @property
    def parameter_files(self) -> frozenset[str]:
        """The parameter files of all environments, as the project file writes them."""
        return frozenset(each.text for _, each in self._parameter_references())

    def _parameter_references(self) -> list[tuple[str, FileReference]]:
        return [(name, each) for name, entry in self.file.environments.items() for each in entry.parameters]

    def _catalog_contents(self) -> "Iterator[tuple[str, bytes]]":
        """The files of catalogs that lie in the project."""
        for reference in self.file.catalogs:
            inside, _ = self.files.inside(reference.text, reference.origin)
            files = sorted(inside.iterdir()) if inside is not None and inside.is_dir() else [inside] if inside is not None else []
            for path in files:
                if path.is_file():
                    yield self.files.shown(path), path.read_bytes()


def _discreet(source: Source, findings: list[Finding], template: Template) -> list[Finding]:
    """The findings of a file that cannot be read, without the lines that a secret may stand in."""
    secrets = [declaration.name for declaration in template.parameters.values() if declaration.secret]
    return discreet(source, findings, (*secrets, *WORDS))


def _digest(content: Any) -> str:
    """Of bytes, of a text, or of plain data."""
    if isinstance(content, str):
        content = content.encode("utf-8", "surrogatepass")
    return hashlib.sha256(content if isinstance(content, bytes) else repr(content).encode()).hexdigest()
