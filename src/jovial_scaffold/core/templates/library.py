"""What templates name in other files: modules, each read and compiled once; tables; the sources of documents."""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.folders import Folder, Found
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.templates.model import Module, Table, Template
from jovial_scaffold.core.templates.names import without_cycles
from jovial_scaffold.core.templates.reading import read_template
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, say

_SUFFIXES = (".yaml", ".yml", ".json")


class ModuleLibrary:
    """Reads templates; `names` are the modules that the project file names, as (path, place) pairs."""

    def __init__(self, files: Files, catalogs: Catalogs, names: Mapping[str, tuple[str, Origin]], findings: list[Finding]) -> None:
        self.files = files
        self.catalogs = catalogs
        self.names = names
        self.findings = findings
        self.tables: dict[str, Table] = {}
        self.used_names: set[str] = set()
        self.template_sources: list[Source] = []
        self.own_sources: list[Source] = []  # of the project's template, and no module
        self.written: list[Template] = []  # modules as they stand in their files, with what goes in circles
        self._modules: dict[str, Module | None] = {}
        self._reading: list[tuple[str, Callable[[], Span]]] = []

    def template(self, text: str, origin: Origin | None) -> Template:
        """The template in a file, or in the files of a folder. Where it cannot be read, an empty one that is marked so."""
        found, outside = self.files.find(text, origin)
        self.findings += outside
        if outside:
            return self._template([], text)
        if found is None:
            _, missing = self.files.read(text, origin)
            self.findings += missing
            return self._template([], text)
        self._reading.append((found.name, lambda: Span("", 0, 0, 0, 0)))
        self.own_sources = self._sources(found, origin)
        template = self._template(self.own_sources, found.name)
        self._reading.pop()
        return template

    def _template(self, sources: list[Source], label: str) -> Template:
        stand_in = Source(label, "", UNKNOWN, lambda _: {}, broken=True)
        whole = sources[0] if sources else stand_in
        template, findings = read_template(sources or [stand_in], Origin(whole, ()), self.catalogs, self)
        self.findings += findings
        return template

    def _sources(self, found: Found, origin: Origin | None) -> list[Source]:
        names = [found.name]
        if found.kind == "folder":
            names = self.files.listed(found.name, _SUFFIXES)
            if not names:
                message = say("The folder {} holds no template.", found.name)
                span = origin.value_span() if origin else None
                self.findings.append(Finding("file-missing", "error", message, span, say("Its files end in .yaml, .yml or .json.")))
        sources: list[Source] = []
        for name in names:
            source, findings = self._file(name, origin) if found.kind == "folder" else self.files.at(name, origin)
            self.findings += findings
            if source is not None:
                sources.append(source)
        self.template_sources += [source for source in sources if source not in self.template_sources]
        return sources

    def _file(self, name: str, origin: Origin | None) -> tuple[Source | None, list[Finding]]:
        """A file of a folder; what is wrong with it as a whole stands where the folder is named."""
        found, outside = self.files.find(name, None)
        if outside or found is None:
            return None, [replace(each, span=origin.value_span()) if origin else each for each in outside]
        return self.files.at(found.name, origin)

    # -- modules

    def is_module(self, text: str) -> bool:
        """A name under `modules` of the project file, or a path."""
        return text in self.names or "/" in text or text.endswith(_SUFFIXES)

    def module(self, text: str, at: Callable[[], Span], origin: Origin) -> Module | None:
        """The module that a type names, `at` a place. A circle of modules is reported where it closes."""
        named, base = text, origin
        if text in self.names:
            self.used_names.add(text)
            named, base = self.names[text]
        if "${" in named:
            self.findings.append(
                Finding("path-invalid", "error", say("A module's path holds no expressions."), at(), say("Choose with `$when`."))
            )
            return None
        found, outside = self.files.find(named, base)
        if outside:
            self.findings += [Finding(each.id, each.level, each.message, at(), each.hint) for each in outside]
            return None
        if found is None:
            message = say("There is no module {}.", named)
            related = (Related(base.value_span(), say("`{}` is named here.", text)),) if text in self.names else ()
            self.findings.append(
                Finding("file-missing", "error", message, at(), say("Correct the path, or write the module."), related=related)
            )
            return None
        being_read = [name for name, _ in self._reading]
        if found.name in being_read:
            self._circle(found.name, being_read.index(found.name), at())
            return None
        if found.name not in self._modules:
            self._reading.append((found.name, at))
            self._modules[found.name] = self._module(found, base)
            self._reading.pop()
        return self._modules[found.name]

    def _module(self, found: Found, origin: Origin) -> Module | None:
        sources = self._sources(found, origin)
        written = self._template(sources, found.name)
        if written.unread and not sources:
            return None
        self.written.append(written)
        template = without_cycles(written)
        return Module(found.name, template, interface(found.name, template))

    def _circle(self, closing: str, first: int, span: Span) -> None:
        steps = self._reading[first:]
        names = " → ".join([name for name, _ in steps] + [closing])
        related = tuple(Related(at(), say("It uses {} here.", name)) for name, at in steps[1:])
        message = say("Modules use each other in a circle: {}.", names)
        self.findings.append(
            Finding("module-cycle", "error", message, span, say("Take one of the uses out of the circle."), related=related)
        )

    @property
    def modules(self) -> list[Module]:
        """All modules that were read, by label."""
        return sorted((each for each in self._modules.values() if each is not None), key=lambda each: each.label)

    # -- tables and documents

    def document(self, text: str, origin: Origin) -> Source | None:
        """The source of a document."""
        source, findings = self.files.read(text, origin, formatted=False)
        self.findings += findings
        return source

    def add_table(self, name: str, text: str, origin: Origin) -> None:
        """A table of the project file: a list of maps from column to value."""
        source, findings = self.files.read(text, origin)
        self.findings += findings
        if source is None:
            self.tables[name] = Table(name, (), origin, broken=True)
            return
        rows, place = source.value, Origin(source, ())
        if rows is None:
            rows = []
        if rows is UNKNOWN or not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
            if rows is not UNKNOWN:
                wrong = Described(rows) if not isinstance(rows, list) else "a list that holds something else"
                message = say("A table is a list of maps from column to value, and this is {}.", wrong)
                self.findings.append(
                    Finding("table-shape", "error", message, place.value_span(), say("For example: - {use: gate, image: gate-7}"))
                )
            self.tables[name] = Table(name, (), place, broken=True)
            return
        broken = source.broken or any(finding.level == "error" for finding in findings)
        self.tables[name] = Table(name, tuple(rows), place, broken)

    def unused_names(self, file: str) -> list[Finding]:
        """Modules that the project file, of that name, names and nobody uses."""
        return [
            Finding(
                "module-unused",
                "warning",
                say("No template uses the module `{}`.", name),
                origin.key_span(),
                say("Use it, or remove its name."),
            )
            for name, (_, origin) in self.names.items()
            if name not in self.used_names and origin.source.name == file
        ]


def interface(label: str, template: Template) -> ResourceType:
    """The parameters of a template as the properties of a type."""
    properties: dict[str, Any] = {}
    types: dict[str, Any] = {}
    for name, declaration in template.parameters.items():
        schema = dict(declaration.schema)
        types.update(schema.pop("types", {}))
        properties[name] = schema
    required = [name for name, declaration in template.parameters.items() if declaration.default is None]
    schema = {"type": "object", "properties": properties, "required": required, "additionalProperties": False}
    if types:
        schema["types"] = types
    if template.unread or template.unknown_names:  # what could not be read is not judged
        schema["additionalProperties"] = True
        schema["required"] = []
    return ResourceType(label, label, 1, schema, template.origin)


def standalone(folder: Folder, name: str) -> tuple[list[Source], list[Template]]:
    """The files of a template without a project, and the template with the modules that it reaches. `name` is a file or folder inside of
    `folder`, or empty for all of it."""
    catalogs = Catalogs()
    catalogs.types_unknown = True
    library = ModuleLibrary(Files(folder), catalogs, {}, [])
    template = library.template(name or ".", None)
    return library.template_sources, [template, *(module.template for module in library.modules)]
