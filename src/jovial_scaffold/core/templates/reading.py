"""The files of a template to a `Template`: its sections, each by its own reader, and the one namespace they share."""

from collections.abc import Sequence

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.schemas.catalog import Catalogs
from jovial_scaffold.core.templates.casting import Castings
from jovial_scaffold.core.templates.declaring import Library
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.templates.reaching import Reaching, hide_reaching
from jovial_scaffold.core.templates.renaming import read_renames
from jovial_scaffold.core.templates.resourcing import ResourceReader
from jovial_scaffold.core.templates.shapes import ResourceShapes
from jovial_scaffold.core.text.source import Origin, Source


def read_template(sources: Sequence[Source], origin: Origin, catalogs: Catalogs, library: Library) -> tuple[Template, list[Finding]]:
    """The model of a template, and what is wrong with it as far as its own text and the catalogs tell.

    `sources` are its files; `origin` is the place that stands for the whole.
    """
    findings: list[Finding] = []
    return _Reader(sources, catalogs, library, findings).template(origin), findings


class _Reader(ResourceReader):
    def __init__(self, sources: Sequence[Source], catalogs: Catalogs, library: Library, findings: list[Finding]) -> None:
        super().__init__(sources, findings)
        self.catalogs = catalogs
        self.library = library
        self.shapes = ResourceShapes()
        self.secret_moulds = {}
        self.lost_resources = False
        self.used_types = set()
        self.types = {}
        self.secret_reads = {}

    def template(self, origin: Origin) -> Template:
        self.check_section_names()
        self.programs.shapes.know(self.resource_names())
        self.castings = Castings(self.programs)
        self.types, type_origins = self.read_types()
        parameters = self.each("parameters", self.parameter)
        values = self.each("let", self.let)
        functions = self.each("functions", self.function)
        self.reaching = Reaching(functions)
        lookups = self.each("lookups", self.lookup)
        resources = self.with_everywhere(self.each("resources", self.resource), self.everywhere())
        documents = self.each("documents", self.document)
        outputs = self.each("outputs", self.output)
        renames = read_renames(self.section("renames"), resources, self.report, unread=self.unread or self.lost_resources)
        secret, parts = hide_reaching(self.secret_reads, values, functions, parameters, self.reaching)
        for name, declaration in parameters.items():
            self.sound_default(declaration, name in secret)
        return Template(
            title=self.text_section("template"),
            description=self.text_section("description"),
            parameters=parameters,
            must=self.all_requirements(),
            values=values,
            functions=functions,
            lookups=lookups,
            resources=resources,
            documents=documents,
            outputs=outputs,
            types=type_origins,
            used_types=frozenset(self.used_types),
            origin=origin,
            unread=self.unread or not self.sources,
            garbled=self.garbled,
            secret_names=secret,
            secret_parts=parts,
            unknown_names=frozenset(self.unknown_names),
            renames=renames,
        )
