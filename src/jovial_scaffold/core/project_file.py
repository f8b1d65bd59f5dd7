"""The project file `jovial.yaml`: found, read, and checked for its own shape (docs/project.md)."""

from collections.abc import Mapping
from dataclasses import field
from typing import Any

from jovial_scaffold.core.defaults import Defaults, read_defaults
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.folders import Folder, Found, RevisionError
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.spelling import near, slip_of
from jovial_scaffold.core.templates.compiling import is_name
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.formats import DATA_SUFFIXES
from jovial_scaffold.core.text.references import FileReference, references
from jovial_scaffold.core.text.roles import misplaced
from jovial_scaffold.core.text.source import Origin, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Described, Sentence, nearest, say

NAME = "jovial.yaml"
KEYS = ("project", "description", "template", "catalogs", "modules", "rulesets", "waivers", "lookups", "environments", "defaults")
ENVIRONMENT_KEYS = ("parameters", "deployed", "labels")


class ProjectError(Exception):
    """A project that cannot be used at all, with the findings that say why (exit code 2)."""

    def __init__(self, findings: list[Finding]) -> None:
        super().__init__(findings)
        self.findings = findings

    def __str__(self) -> str:
        return f"{', '.join(each.id for each in self.findings)} (`said` of a finding's `message` is its text)"


def revision_error(error: RevisionError) -> ProjectError:
    """What the history of a folder cannot give, as findings."""
    return ProjectError([Finding("revision-unknown", "error", error.message, None, error.hint)])


@value_record
class EnvironmentEntry:
    """An environment: its parameter files in order, its labels, the snapshot of what runs there now, and where what `context` says of it is
    written, by name (`labels.tier`, `project`, `environment`)."""

    name: str
    parameters: tuple[FileReference, ...]
    labels: dict[str, Any]
    origin: Origin
    deployed: FileReference | None = None
    context_origins: Mapping[str, Origin] = field(default_factory=dict)


@value_record
class ProjectFile:
    """What a project file says. Paths are relative to the folder that it stands in; `file` is its name there."""

    file: str
    name: str
    template: FileReference
    catalogs: tuple[FileReference, ...]
    rulesets: tuple[FileReference, ...]
    waivers: tuple[FileReference, ...]
    modules: dict[str, FileReference]
    lookups: dict[str, FileReference]
    environments: dict[str, EnvironmentEntry]
    defaults: Defaults = field(default_factory=dict)  #: of options of commands
    offered: Mapping[str, FileReference] = field(default_factory=dict)  #: the rulesets of the workspace, which others include by name

    @property
    def shared(self) -> tuple[object, ...]:
        """What it says about all environments, without places."""
        paths = [[each.text for each in group] for group in (self.catalogs, self.rulesets, self.waivers)]
        named = [{name: each.text for name, each in group.items()} for group in (self.modules, self.lookups)]
        given = [value_at(each.given.source.value, each.given.pointer) for each in self.rulesets if each.given is not None]
        return self.name, self.template.text, *paths, *named, given


def read_project_file(files: Files, name: str) -> tuple[ProjectFile, list[Finding]]:
    """The project file of a name and its lesser findings. Raises ProjectError where it cannot be used."""
    source, findings = files.read(name, None)
    if source is None or source.broken:
        raise ProjectError(findings)
    reader = _Reader(source.value, Origin(source, ()), name, files.folder, findings)
    return reader.file(), findings


def defaults_in(files: Files, name: str) -> Defaults:
    """What a project file says of how commands are called, as far as it can be read; what is wrong is said by whoever reads it all."""
    source, _ = files.read(name, None)
    content = source.value.get("defaults") if source is not None and isinstance(source.value, dict) else None
    return read_defaults(content, Origin(source, ("defaults",)), lambda *_: None) if source is not None and content is not None else {}


def default_parameters(folder: Folder, stems: tuple[str, ...]) -> tuple[FileReference, ...]:
    """`parameters/common.*` and its like, where they exist."""
    names = [f"parameters/{stem}{suffix}" for stem in stems for suffix in DATA_SUFFIXES]
    found = [(name, folder.find(name)) for name in names]
    return tuple(FileReference(name, None) for name, each in found if isinstance(each, Found) and each.kind == "file")


def label_origins(labels: Mapping[str, Any], origin: Origin) -> dict[str, Origin]:
    """Where each of some labels is written, which stand together at a place."""
    return {f"labels.{name}": origin.child(name) for name in labels}


class FileReader:
    """Reads a file of keys that name other files; what is wrong goes to `findings`. `what` is what the file is called, `keys` it may have."""

    def __init__(self, whole: Any, origin: Origin, what: str, keys: tuple[str, ...], findings: list[Finding]) -> None:
        self.whole = whole
        self.written: dict[str, str] = {}  #: misspelt keys by what was meant
        self.origin = origin
        self.what = what
        self.keys = keys
        self.findings = findings

    def unusable(self, message: Sentence, span: Span, hint: Sentence = NOTHING) -> ProjectError:
        return ProjectError([*self.findings, Finding("project-invalid", "error", message, span, hint)])

    def report(self, id: str, message: Sentence, span: Span, hint: Sentence = NOTHING, warning: bool = False) -> None:
        self.findings.append(Finding(id, "warning" if warning else "error", message, span, hint))

    def check_keys(self) -> None:
        """Report keys that there are not; what was meant is read all the same, so that nothing follows from the mistake."""
        for key in self.whole:
            if key == "sources":
                hint = say("Copy what is needed into the project.")
                self.report("not-supported-yet", say("`sources` cannot be used yet."), self.origin.child(key).key_span(), hint)
            elif key not in self.keys and key != "$schema":
                hint = nearest(key, self.keys, say("Its keys are {}.", ", ".join(self.keys)))
                self.report("key-unknown", say("{} has no key `{}`.", self.what, key), self.origin.child(key).key_span(), hint)
                meant = near(key, self.keys)
                if meant and meant not in self.whole:
                    self.written[meant] = key

    def name(self, key: str) -> str | None:
        """What the file is the file of; None where that is no name."""
        name = self.content(key)
        return name if isinstance(name, str) and is_name(name.replace("-", "_")) else None

    def labels(self, content: Any, origin: Origin) -> dict[str, Any]:
        """A map of labels."""
        if content is None or content is UNKNOWN:
            return {}
        if not isinstance(content, dict):
            self.report("project-shape", say("`labels` is a map, and this is {}.", Described(content)), origin.value_span())
            return {}
        return content

    def content(self, key: str) -> Any:
        """What stands under a key, or under what was written for it."""
        return self.whole.get(self.written.get(key, key))

    def place(self, key: str) -> Origin:
        """Where that is."""
        return self.origin.child(self.written.get(key, key))

    def references(self, key: str) -> tuple[FileReference, ...]:
        return self.paths(self.content(key), self.place(key), key)

    def named(self, key: str) -> dict[str, FileReference]:
        """A map from name to path."""
        content, origin = self.content(key), self.place(key)
        if content is None or content is UNKNOWN:
            return {}
        if not isinstance(content, dict):
            self.report(
                "project-shape", say("`{}` is a map from name to path, and this is {}.", key, Described(content)), origin.value_span()
            )
            return {}
        found = {}
        for name, path in content.items():
            place = origin.child(name)
            if path is UNKNOWN or name == "$schema":
                continue
            if not is_name(name):
                self.report("name-invalid", say("`{}` cannot be a name here.", name), place.key_span(), say("Write a-z, 0-9 and _."))
            elif not isinstance(path, str):
                self.report("project-shape", say("`{}` names a file, and this is {}.", name, Described(path)), place.value_span())
            else:
                found[name] = FileReference(path, place)
        return found

    def parameters(self, content: Any, origin: Origin) -> tuple[FileReference, ...]:
        """Parameter files: paths, and maps of a `file` and the `envelope` that its values stand in."""
        if not isinstance(content, list) or not any(isinstance(each, dict) for each in content):
            return self.paths(content, origin, "parameters")
        found: list[FileReference] = []
        for index, item in enumerate(content):
            place = origin.child(index)
            if not isinstance(item, dict):
                found += self.paths(item, place, "parameters")
            elif item.keys() == {"file", "envelope"} and all(isinstance(each, str) for each in item.values()):
                found.append(FileReference(item["file"], place.child("file"), FileReference(item["envelope"], place.child("envelope"))))
            else:
                message = say("A parameter file is a path, or a map of `file` and `envelope`, and this is {}.", Described(item))
                self.report("project-shape", message, place.value_span(), say("For example: {file: live.json, envelope: wrapped.yaml}"))
        return tuple(found)

    def paths(self, content: Any, origin: Origin, what: str) -> tuple[FileReference, ...]:
        if content is None or content is UNKNOWN:
            return ()
        if isinstance(content, str):
            return (FileReference(content, origin),)
        if isinstance(content, list) and all(isinstance(item, str) for item in content):
            return tuple(FileReference(item, origin.child(index)) for index, item in enumerate(content))
        self.report("project-shape", say("`{}` is a list of paths, and this is {}.", what, Described(content)), origin.value_span())
        return ()


class _Reader(FileReader):
    def __init__(self, whole: Any, origin: Origin, name: str, folder: Folder, findings: list[Finding]) -> None:
        super().__init__(whole, origin, "A project file", KEYS, findings)
        self.file_name = name
        self.folder = folder

    def file(self) -> ProjectFile:
        whole, origin = self.whole, self.origin
        wrong = misplaced(origin.source, "a project file", say("Begin with `project:`, `template:` and `environments:`."))
        if wrong is not None:
            raise ProjectError([*self.findings, wrong])
        if not isinstance(whole, dict):
            found = "it is empty" if whole is None else say("this is {}", Described(whole))
            raise self.unusable(
                say("A project file is a map, and {}.", found),
                origin.value_span(),
                say("Begin with `project:`, `template:` and `environments:`."),
            )
        self.check_keys()
        name, template = self.name("project"), self.content("template")
        if name is None:
            span = self.place("project").value_span() if self.content("project") is not None else origin.value_span()
            raise self.unusable(
                say("`project` is the project's name: letters a-z, digits, - and _."), span, say("For example: project: ridgeline")
            )
        if not isinstance(template, str):
            span = self.place("template").value_span() if template is not None else self.place("project").key_span()
            given = say("this is {}", Described(template)) if template is not None else "there is none"
            raise self.unusable(say("`template` names the template file, and {}.", given), span, say("For example: template: line.yaml"))
        return ProjectFile(
            self.file_name,
            name,
            FileReference(template, self.place("template")),
            self.references("catalogs"),
            references(self.content("rulesets"), self.place("rulesets"), "rulesets", self.findings),
            self.references("waivers"),
            self.named("modules"),
            self.named("lookups"),
            self.environments(),
            read_defaults(self.content("defaults"), self.place("defaults"), self._of_defaults),
        )

    def _of_defaults(self, id: str, message: Sentence, origin: Origin, hint: Sentence, on_key: bool) -> None:
        self.report(id, message, origin.key_span() if on_key else origin.value_span(), hint)

    def environments(self) -> dict[str, EnvironmentEntry]:
        content = self.content("environments")
        origin = self.place("environments")
        if not isinstance(content, dict) or not content:
            span = origin.value_span() if content is not None else self.place("project").key_span()
            none = say("`environments` declares at least one environment, and there is none.")
            raise self.unusable(
                say("`environments` is a map, and this is {}.", Described(content)) if content and content is not UNKNOWN else none,
                span,
                say("For example: environments: {sandbox: {}}"),
            )
        found = {}
        for name, entry in content.items():
            place = origin.child(name)
            if not is_name(name.replace("-", "_")):
                self.report(
                    "name-invalid",
                    say("`{}` cannot be the name of an environment.", name),
                    place.key_span(),
                    say("Write a-z, 0-9, - and _."),
                )
                continue
            if entry is UNKNOWN:
                continue
            if entry is not None and not isinstance(entry, dict):
                self.report(
                    "project-shape",
                    say("An environment is a map, and this is {}.", Described(entry)),
                    place.value_span(),
                    say("For example: {parameters: [parameters/common.yaml]}"),
                )
                continue
            found[name] = self.environment(name, entry or {}, place)
        if not found:
            raise ProjectError(self.findings)
        return found

    def environment(self, name: str, entry: dict[str, Any], origin: Origin) -> EnvironmentEntry:
        for key in entry:
            if key not in ENVIRONMENT_KEYS and key != "$schema":
                self.report(
                    "key-unknown",
                    say("An environment has no key `{}`.", key),
                    origin.child(key).key_span(),
                    nearest(key, ENVIRONMENT_KEYS, say("Its keys are {}.", ", ".join(ENVIRONMENT_KEYS))),
                )
        # What was meant is taken in: that it is missing is no second mistake.
        meant = {slip_of(key, ENVIRONMENT_KEYS): value for key, value in entry.items() if key not in ENVIRONMENT_KEYS}
        entry = {**{key: value for key, value in meant.items() if key}, **entry}
        deployed = entry.get("deployed")
        if deployed is not None and deployed is not UNKNOWN and not isinstance(deployed, str):
            message = say("`deployed` names a file with what runs there now, and this is {}.", Described(deployed))
            self.report("project-shape", message, origin.child("deployed").value_span(), say("For example: deployed: deployed/live.json"))
        if "parameters" in entry:
            references = self.parameters(entry["parameters"], origin.child("parameters"))
        else:
            references = default_parameters(self.folder, ("common", name))
        labels = self.labels(entry.get("labels"), origin.child("labels"))
        snapshot = FileReference(deployed, origin.child("deployed")) if isinstance(deployed, str) else None
        written = {"project": self.place("project"), "environment": origin, **label_origins(labels, origin.child("labels"))}
        return EnvironmentEntry(name, references, labels, origin, snapshot, written)
