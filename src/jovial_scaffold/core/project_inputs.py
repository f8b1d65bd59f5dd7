"""What a project is made from: its catalogs, rulesets and parameter files, read below its root, and what the caller adds."""

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import field
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from jovial_scaffold.core.expressions.values import revealed
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.folders import Folder, History, Refusal, RevisionError, no_history, nothing_named
from jovial_scaffold.core.limits import IDLE_FILES, LINTED_TYPES
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.layers import Layer, file_layer, part_layer, text_layer
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.parameters.secrets import is_source
from jovial_scaffold.core.project_file import EnvironmentEntry, ProjectFile
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rules.shipped import shipped_source
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType, Shipped, loses_types, read_catalog, shipped_catalog
from jovial_scaffold.core.schemas.shapes import secret_pointers, secret_shape
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.text.discretion import discreet
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.formats import DATA_SUFFIXES, format_of, loses_keys, read_source
from jovial_scaffold.core.text.references import FileReference, taken
from jovial_scaffold.core.text.roles import misplaced, role_of
from jovial_scaffold.core.text.source import Origin, Source, split_pointer, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, nearest, say

# What not every project has is read by what is loaded then.
if TYPE_CHECKING:
    from jovial_scaffold.core.rules.reading import Ruleset
    from jovial_scaffold.core.waivers import Waiver

OUTSIDE = "(secrets and process variables)"
_VARIABLE_PREFIX = "JOVIAL_PARAMETER_"


@value_record
class Overrides:
    """What the caller adds to every environment: process variables, further files, and `name=value` pairs; later wins. `envelope` is that of the
    further files.

    `run` gives `context.run` (date, revision, author) and is called only where a template reads it, or where `run_needed` says so.
    `beside` is another root, where files of secrets are looked for that the project's own does not have. `named` reads what the command
    line names, wherever it is, and `history` gives the earlier states of the project's folder (it raises RevisionError). `snapshot_key` is
    what hashes of secrets in snapshots are keyed with; without one there are none. `meter` makes the budget of a run. `shipped` gives the
    catalogs that come with the tool: who opens many projects may read them once.
    """

    process: Mapping[str, str] = field(default_factory=dict)
    files: tuple[str, ...] = ()
    envelope: str = ""
    values: tuple[tuple[str, str], ...] = ()
    run: Callable[[], Mapping[str, str]] = dict
    run_needed: bool = False
    beside: Folder | None = None
    named: Callable[[str], bytes | Refusal] = nothing_named
    history: Callable[[], History] = no_history
    snapshot_key: str = ""
    meter: Callable[[], Meter] = Meter
    shipped: Callable[[str], Shipped | None] = shipped_catalog
    findings: tuple[Finding, ...] = ()  #: what is wrong with where the project lies


class _Own(NamedTuple):
    """A catalog of the project itself: its types, their default versions, its name, its `catalog.yaml`, and whether all of it was read."""

    types: list[ResourceType]
    defaults: dict[str, int]
    label: str
    listed_in: Origin | None
    whole: bool


class Inputs:
    """Reads what a project file names. What is wrong with catalogs and rulesets goes to `findings`."""

    def __init__(self, file: ProjectFile, files: Files, overrides: Overrides, findings: list[Finding]) -> None:
        self.file = file
        self.files = files
        self.overrides = overrides
        self.findings = findings
        self._history: History | Literal["unknown"] | None = "unknown"
        self._own_catalogs: list[_Own] = []

    def catalogs(self) -> Catalogs:
        """All types that the project may use."""
        catalogs = Catalogs()
        for reference in self.file.catalogs:
            shipped = self.overrides.shipped(reference.text)
            found, outside = self.files.find(reference.text, reference.origin)
            if shipped is not None and found is None and not outside:
                self.findings += catalogs.add(*shipped, reference.text)
                continue
            self.findings += outside
            if found is None:
                catalogs.types_unknown = True
                if not outside:
                    message = say("There is no catalog {}.", reference.text)
                    span = reference.origin.value_span() if reference.origin else None
                    hint = nearest(reference.text, ("fulmar",), say("`fulmar` comes with the tool; others are files or folders."))
                    self.findings.append(Finding("file-missing", "error", message, span, hint))
                continue
            types, defaults, label, findings = read_catalog(self.files, found, reference.origin)
            catalogs.types_unknown = catalogs.types_unknown or any(finding.level == "error" for finding in findings)
            self.findings += findings + catalogs.add(types, defaults, label)
            index = next((each for suffix in DATA_SUFFIXES if (each := self.files.source(f"{found.name}/catalog{suffix}"))), None)
            # A type that is lost is not missed as well.
            self._own_catalogs.append(
                _Own(types, defaults, label, Origin(index, ()) if index is not None else None, not loses_types(findings))
            )
        return catalogs

    def catalog_findings(self, used: frozenset[str]) -> list[Finding]:
        """What the project's own catalogs get wrong, which is said of them and of no resource. Of a very large one, only the types that are
        `used` are looked at; `jovial catalog lint` looks at all."""
        found: list[Finding] = []
        if self._own_catalogs:
            from jovial_scaffold.core.schemas.linting import lint
        for own in self._own_catalogs:
            types = own.types if len(own.types) <= LINTED_TYPES.most else [each for each in own.types if each.id in used]
            found += lint(types, own.defaults, own.label, own.listed_in, own.whole and types is own.types)
        return [each for each in found if each.id != "description-missing"]

    def rulesets(self) -> "list[Ruleset]":
        """The rules of the project, in the order of its file, those that others include before them."""
        found: dict[str, Ruleset] = {}
        for reference in self.file.rulesets:
            self._take_in(reference, found, ())
        return list(found.values())

    def _take_in(self, reference: FileReference, found: "dict[str, Ruleset]", above: tuple[str, ...]) -> None:
        """Read what a reference to rulesets names, by the files."""
        path, outside = self.files.find(reference.text, reference.origin)
        shipped = shipped_source(reference.text) if path is None and not outside else None
        if shipped is not None:
            self.files.know(shipped)
            self._ruleset(shipped, reference, found, above)
            return
        in_folder = path is not None and path.kind == "folder"
        if path is None and not outside and reference.text.endswith("/") and reference.origin is not None:
            message = say("There is no folder {}.", reference.text)
            hint = say("Make it, or take it out of `rulesets`.")
            self.findings.append(Finding("file-missing", "error", message, reference.origin.value_span(), hint))
            return
        names = self.files.listed(path.name, (".yaml", ".yml", ".json")) if path is not None and in_folder else [reference.text]
        if in_folder and not names and reference.origin is not None:
            message, hint = say("The folder {} holds no rulesets.", reference.text), say("Its files end in .yaml, .yml or .json.")
            self.findings.append(Finding("file-missing", "warning", message, reference.origin.value_span(), hint))
        for name in names:
            read = self.files.at if in_folder else self.files.read
            source, findings = read(name, reference.origin)
            if source is None or source.name not in found:
                self.findings += findings
            if source is not None and not source.broken:
                wrong = misplaced(source, "a ruleset", say("A ruleset has `ruleset` and `rules`."))
                if wrong is not None:
                    self.findings.append(wrong)
                    continue
                self._ruleset(source, reference, found, above)

    def _ruleset(self, source: Source, reference: FileReference, found: "dict[str, Ruleset]", above: tuple[str, ...]) -> None:
        from jovial_scaffold.core.rules.reading import read_ruleset
        from jovial_scaffold.core.rules.using import used

        if source.name in above and reference.origin is not None:
            message, hint = say("{} includes itself.", source.name), say("Take one of them out.")
            self.findings.append(Finding("ruleset-use", "error", message, reference.origin.value_span(), hint))
        if source.name in above or source.name in found:  # what is used first says how
            return
        ruleset, findings = read_ruleset(source)
        self.findings += findings
        for each in ruleset.includes:
            self._take_in(taken(each, self.file.offered), found, (*above, source.name))
        found[source.name] = used(ruleset, reference.given, reference.origin, self.file.environments, self.findings)

    def idle_files(self, declared: Collection[str]) -> Iterator[Finding]:
        """Parameter files that lie beside those of environments, and belong to none. Where other files lie there, too, what sets nothing but
        `declared` parameters is one."""
        used: set[str] = set()
        for entry in self.file.environments.values():
            for reference in entry.parameters:
                found, _ = self.files.find(reference.text, reference.origin)
                if found is None or found.kind != "file":
                    return  # it may be the one that was meant
                used.add(found.name)
        home = self.file.file.rpartition("/")[0]
        for folder in sorted({name.rpartition("/")[0] for name in used}):
            listed = self.files.listed(folder, DATA_SUFFIXES)
            for name in listed if folder != home else listed[: IDLE_FILES.most]:
                told = name in used or any(name == each.text for each in (*self.file.waivers, *self.file.rulesets))
                if not told and (folder != home or self._sets_only(name, declared)):
                    span = next(iter(self.file.environments.values())).origin.key_span()
                    message = say("{} lies beside the parameter files, and no environment takes it.", name)
                    hint = say("Name it under `parameters` of an environment, or take it away.")
                    yield Finding("parameter-file-unused", "warning", message, span, hint)

    def _sets_only(self, name: str, declared: Collection[str]) -> bool:
        """Whether a file that nothing has read sets parameters, and nothing else."""
        if self.files.source(name) is not None:
            return False
        source, _ = read_source(self.files.folder.read(name), name)  # which stays unknown: none of its lines is ever shown
        values = source.value if source is not None and not source.broken else None
        return isinstance(values, dict) and bool(values) and all(key in declared or str(key).lower() in declared for key in values)

    def waivers(self, rulesets: "Sequence[Ruleset]") -> "list[Waiver]":
        """What somebody has decided to live with."""
        if not self.file.waivers:
            return []
        from jovial_scaffold.core.waivers import WaiverReader

        rules = [rule.label for ruleset in rulesets for rule in ruleset.rules]
        reader = WaiverReader(tuple(self.file.environments), rules, self.findings)
        found = []
        for reference in self.file.waivers:
            source, findings = self.files.read(reference.text, reference.origin)
            self.findings += findings
            if source is not None and not source.broken:
                found += reader.waivers(source)
        return found

    def layers(
        self,
        template: Template,
        entry: EnvironmentEntry,
        findings: list[Finding],
        files: Sequence[str],
        values: Sequence[tuple[str, str]],
    ) -> tuple[tuple[Layer, ...], bool]:
        """The environment's layers in order, with further files and values, and whether one of them could not be read."""
        schemas = {name: each.schema for name, each in template.parameters.items()}
        layers: list[Layer] = []
        unread = False
        for reference in entry.parameters:
            layer, problems = self._parameter_file(*self._read(reference), template)
            findings += problems
            unread = unread or layer is None or (layer.source is not None and loses_keys(layer.source))
            layers += [layer] if layer else []
        process = {
            key.removeprefix(_VARIABLE_PREFIX): text for key, text in self.overrides.process.items() if key.startswith(_VARIABLE_PREFIX)
        }
        if process:
            layers.append(text_layer("process variables", process, schemas))
        for path in (*files, *self.overrides.files):
            layer, problems = self._parameter_file(*self._named(path), template)
            findings += problems
            unread = unread or layer is None or (layer.source is not None and loses_keys(layer.source))
            layers += [layer] if layer else []
        for name, text in self.overrides.values:
            layers.append(_set(f"--with {name}", name, text, schemas, layers))
        for name, text in values:
            label = f"?{name}={text}" if is_public(template, name) else f"?{name}"
            layers.append(_set(label, name, text, schemas, layers))
        return tuple(layers), unread

    def _read(self, reference: FileReference) -> tuple[Source | None, list[Finding]]:
        """A parameter file of the project; of one in an envelope, the values in it."""
        source, findings = self.files.read(reference.text, reference.origin)
        if reference.envelope is None:
            return source, findings
        return self._unwrapped(source, findings, *self.files.read(reference.envelope.text, reference.envelope.origin))

    def _named(self, path: str) -> tuple[Source | None, list[Finding]]:
        """A parameter file that the command line names."""
        source, findings = self.files.outside(path)
        if not self.overrides.envelope or (source is not None and source.wrapped is not None):
            return source, findings
        return self._unwrapped(source, findings, *self.files.outside(self.overrides.envelope))

    def _unwrapped(
        self, source: Source | None, findings: list[Finding], wrapping: Source | None, wrong: list[Finding]
    ) -> tuple[Source | None, list[Finding]]:
        if source is None or wrapping is None or source.broken or wrapping.broken:
            if source is not None:
                source.hide_all()  # nobody knows where in it a secret stands
            return None, [*findings, *wrong]
        from jovial_scaffold.core.parameters.envelopes import read_envelope, unwrapped

        envelope, more = read_envelope(wrapping)
        made, last = unwrapped(source, envelope) if envelope is not None else (None, [])
        if made is None:
            source.hide_all()
            return None, [*findings, *wrong, *more, *last]
        self.files.know(made)  # whose lines are shown as it says
        return made, [*findings, *wrong, *more, *last]

    def _parameter_file(self, source: Source | None, findings: list[Finding], template: Template) -> tuple[Layer | None, list[Finding]]:
        if source is None or source.value is UNKNOWN:
            return None, findings if source is None else discreet(source, findings)
        form = format_of(source.name)
        texts = form is not None and not form.typed
        if hide_secrets(source, texts, template) and findings:
            source.hide_all()  # what a reader complains of may stand elsewhere than it seems: a key that is there twice, say
        findings = discreet(source, findings)
        value = source.value
        if value is not None and not isinstance(value, dict):
            message = say("A parameter file is a map from parameter to value, and this is {}.", Described(value))
            return None, [*findings, Finding("parameters-shape", "error", message, Span(source.name, 1, 1, 1, 1))]
        role = role_of(value)
        if role and isinstance(value, dict) and not set(value) & template.parameters.keys():
            span = source.key_span((next(iter(value)),))
            message = say("{} is used as a parameter file, and is {}.", source.name, role)
            hint = say("A parameter file holds one value for each parameter.")
            return None, [*findings, Finding("file-role", "error", message, span, hint)]
        if texts and isinstance(value, dict):
            findings = [*findings, *_same_names(source, value)]
        return file_layer(source, texts, {name: each.schema for name, each in template.parameters.items()}), findings

    def is_tracked(self, name: str) -> bool:
        """Whether the repository keeps a file of the project; the history is asked for once."""
        if self._history == "unknown":
            try:
                self._history = self.overrides.history()
            except RevisionError:
                self._history = None
        return self._history is not None and self._history.tracks(name)

    def read_secret(self, path: str, beside: str) -> bytes | Refusal:
        """A file that a `$secret` names, relative to the parameter file `beside`: the one file that may lie outside of the project, as
        its content is never shown. What the repository does not keep is in none of its revisions, so it is looked for where it is now."""
        name = (PurePosixPath(beside).parent / path).as_posix()
        content: bytes | Refusal = Refusal("missing")
        for folder in (self.files.folder, self.overrides.beside):
            if folder is None:
                continue
            content = folder.read(name)
            if isinstance(content, bytes):
                return content
            if content.kind == "outside" and (folder is self.overrides.beside or self.overrides.beside is None):
                return self.overrides.named((PurePosixPath(folder.where) / name).as_posix())
        return content

    def digests(self, environment: str, parameters: Parameters, run: Mapping[str, str]) -> dict[str, str]:
        """What an environment is made from, as a digest by file: two that are equal render alike, and have the same findings.

        The project file's part is the environment's entry, and what all environments share.
        """
        entry = self.file.environments[environment]
        shared = (str(self.file.shared), dict(run))
        digests = {
            self.file.file: _digest((shared, entry.labels, [each.text for each in entry.parameters])),
            OUTSIDE: _digest(
                [(name, repr(revealed(parameters.values[name]))) for name in sorted(parameters.values.keys() - set(parameters.defaulted))]
            ),
        }
        others = {each.text for name, each in self._parameter_references() if name != environment}
        own = {each.text for each in entry.parameters}
        for source in self.files.sources():
            if source.name == self.file.file or (source.name in others and source.name not in own):
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
            found, _ = self.files.find(reference.text, reference.origin)
            if found is None:
                continue
            suffixes = (".yaml", ".yml", ".json")
            for name in self.files.listed(found.name, suffixes) if found.kind == "folder" else [found.name]:
                content = self.files.folder.read(name)
                if isinstance(content, bytes):
                    yield name, content


def _set(label: str, name: str, text: str, schemas: dict[str, dict[str, Any]], below: Sequence[Layer]) -> Layer:
    """What `name=text`, or `name/pointer=text`, says over the layers below."""
    whole, _, pointer = name.partition("/")
    layer = part_layer(label, whole, split_pointer(pointer), text, schemas[whole], below) if pointer and whole in schemas else None
    return layer or text_layer(label, {name: text}, schemas)


def is_public(template: Template, name: str) -> bool:
    """Whether what a parameter is set to may be shown: it is declared, and no part of it is secret."""
    declaration = template.parameters.get(name.partition("/")[0])
    return declaration is not None and secret_shape(declaration.schema) is None


def hide_secrets(source: Source, texts: bool, template: Template) -> bool:
    """Show no secret of a parameter file in its lines, and nothing that nobody declared: it may be a secret under a wrong name. Whether
    there is any."""
    hidden = False
    source.hide_comments()
    names = {name.casefold(): name for name in template.parameters} if texts else {}
    for key, value in source.value.items() if isinstance(source.value, dict) else ():
        declaration = template.parameters.get(names.get(str(key).casefold(), str(key)))
        if declaration is None:
            source.hide((key,))
            hidden = True
            continue
        if declaration.name in template.secret_names and not is_source(value):
            source.hide((key,))
        for pointer in secret_pointers(secret_shape(declaration.schema), value):
            hidden = True
            if not is_source(value_at(value, pointer)):  # where a secret comes from is no secret
                source.hide((key, *pointer))
    return hidden


def _digest(content: Any) -> str:
    """Of bytes, of a text, or of plain data."""
    if isinstance(content, str):
        content = content.encode("utf-8", "surrogatepass")
    import hashlib

    return hashlib.sha256(content if isinstance(content, bytes) else repr(content).encode()).hexdigest()


def _same_names(source: Source, values: dict[str, Any]) -> Iterator[Finding]:
    """Names of a file of texts that differ in capitals only, which mean nothing there: one of the values would be lost."""
    first: dict[str, str] = {}
    for name in values:
        other = first.setdefault(name.casefold(), name)
        if other != name:
            related = (Related(source.key_span((other,)), say("The first one is here.")),)
            message, hint = say("`{}` and `{}` are one name: capitals mean nothing here.", other, name), say("Remove one of the two.")
            yield Finding("duplicate-key", "error", message, source.key_span((name,)), hint, related=related)
