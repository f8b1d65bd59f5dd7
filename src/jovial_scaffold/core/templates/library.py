"""What templates name in other files: modules, each read and compiled once; tables; the sources of documents."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.templates.model import Module, Table, Template
from jovial_scaffold.core.templates.names import without_cycles
from jovial_scaffold.core.templates.reading import read_template
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.wording import described

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
        self.written: list[Template] = []  # modules as they stand in their files, with what goes in circles
        self._modules: dict[Path, Module | None] = {}
        self._reading: list[tuple[Path, str, Span]] = []

    def template(self, text: str, origin: Origin | None) -> Template:
        """The template in a file, or in the files of a folder. Where it cannot be read, an empty one that is marked so."""
        path, outside = self.files.inside(text, origin)
        self.findings += outside
        sources = self._sources(path, origin) if path is not None else []
        if path is not None:
            self._reading.append((path, self.files.shown(path), Span("", 0, 0, 0, 0)))
        template = self._template(sources, self.files.shown(path) if path else text)
        if path is not None:
            self._reading.pop()
        return template

    def _template(self, sources: list[Source], label: str) -> Template:
        stand_in = Source(label, "", UNKNOWN, lambda _: {}, broken=True)
        whole = sources[0] if sources else stand_in
        template, findings = read_template(sources or [stand_in], Origin(whole, ()), self.catalogs, self)
        self.findings += findings
        return template

    def _sources(self, path: Path, origin: Origin | None) -> list[Source]:
        paths = [path]
        if path.is_dir():
            paths = sorted(each for each in path.iterdir() if each.suffix in _SUFFIXES)
            if not paths:
                message = f"The folder {self.files.shown(path)} holds no template."
                span = origin.value_span() if origin else None
                self.findings.append(Finding("file-missing", "error", message, span, "Its files end in .yaml, .yml or .json."))
        found: list[Source] = []
        for each in paths:
            source, findings = self.files.at(each.resolve(), origin) if self._is_inside(each, origin) else (None, [])
            self.findings += findings
            if source is not None:
                found.append(source)
        self.template_sources += [source for source in found if source not in self.template_sources]
        return found

    def _is_inside(self, path: Path, origin: Origin | None) -> bool:
        """Whether a file of a folder stays inside of the root when its links are resolved."""
        if path.resolve().is_relative_to(self.files.root):
            return True
        message = f"{self.files.shown(path)} leads out of the project's folder."
        span = origin.value_span() if origin else None
        self.findings.append(Finding("path-outside", "error", message, span, "Move it into the project; nothing outside is read."))
        return False

    # -- modules

    def is_module(self, text: str) -> bool:
        """A name under `modules` of the project file, or a path."""
        return text in self.names or "/" in text or text.endswith(_SUFFIXES)

    def module(self, text: str, span: Span, origin: Origin) -> Module | None:
        """The module that a type names. A circle of modules is reported where it closes."""
        named, base = text, origin
        if text in self.names:
            self.used_names.add(text)
            named, base = self.names[text]
        if "${" in named:
            self.findings.append(Finding("path-invalid", "error", "A module's path holds no expressions.", span, "Choose with `$when`."))
            return None
        path, outside = self.files.inside(named, base)
        if path is None:
            self.findings += [Finding(each.id, each.level, each.message, span, each.hint) for each in outside]
            return None
        if not path.exists():
            message = f"There is no module {self.files.shown(path)}."
            related = (Related(base.value_span(), f"`{text}` is named here."),) if text in self.names else ()
            self.findings.append(Finding("file-missing", "error", message, span, "Correct the path, or write the module.", related=related))
            return None
        open_paths = [each for each, _, _ in self._reading]
        if path in open_paths:
            self._circle(path, open_paths.index(path), span)
            return None
        if path not in self._modules:
            self._reading.append((path, self.files.shown(path), span))
            self._modules[path] = self._module(path, base)
            self._reading.pop()
        return self._modules[path]

    def _module(self, path: Path, origin: Origin) -> Module | None:
        sources = self._sources(path, origin)
        written = self._template(sources, self.files.shown(path))
        if written.unread and not sources:
            return None
        self.written.append(written)
        template = without_cycles(written)
        label = self.files.shown(path)
        return Module(label, template, interface(label, template))

    def _circle(self, path: Path, first: int, span: Span) -> None:
        steps = self._reading[first:]
        names = " → ".join([name for _, name, _ in steps] + [self.files.shown(path)])
        related = tuple(Related(at, f"It uses {name} here.") for _, name, at in steps[1:])
        message = f"Modules use each other in a circle: {names}."
        self.findings.append(Finding("module-cycle", "error", message, span, "Take one of the uses out of the circle.", related=related))

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
                wrong = described(rows) if not isinstance(rows, list) else "a list that holds something else"
                message = f"A table is a list of maps from column to value, and this is {wrong}."
                self.findings.append(
                    Finding("table-shape", "error", message, place.value_span(), "For example: - {use: gate, image: gate-7}")
                )
            self.tables[name] = Table(name, (), place, broken=True)
            return
        broken = source.broken or any(finding.level == "error" for finding in findings)
        self.tables[name] = Table(name, tuple(rows), place, broken)

    def unused_names(self) -> list[Finding]:
        """Modules that the project file names and nobody uses."""
        return [
            Finding("module-unused", "warning", f"No template uses the module `{name}`.", origin.key_span(), "Use it, or remove its name.")
            for name, (_, origin) in self.names.items()
            if name not in self.used_names
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


def standalone(path: Path) -> tuple[list[Source], list[Template]]:
    """The files of a template without a project, and the template with the modules that it reaches."""
    folder = path if path.is_dir() else path.parent
    catalogs = Catalogs()
    catalogs.types_unknown = True
    files = Files(folder)
    library = ModuleLibrary(files, catalogs, {}, [])
    template = library.template(path.name if path != folder else ".", None)
    return library.template_sources, [template, *(module.template for module in library.modules)]
