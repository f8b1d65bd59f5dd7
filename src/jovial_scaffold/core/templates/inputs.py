"""Which inputs a value can depend on: parameters, and entries of `context`. Found from what is written, so it may name too many, never too few."""

from collections.abc import Iterable

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.templates.compiling import formulas_of, presence_uses, uses_of
from jovial_scaffold.core.templates.model import Compiled, Condition, Document, Resource, Template, Use

CONTEXT = "context"


class Inputs:
    """The inputs behind the names of one template. Those of a module are its own parameters, and `context`."""

    def __init__(self, template: Template) -> None:
        self.template = template
        self._found: dict[str, frozenset[str]] = {}
        self._properties: dict[tuple[str, str], frozenset[str]] = {}
        self._presences: dict[str, frozenset[str]] = {}
        self._documents: dict[str, frozenset[str]] = {}
        self._unions: dict[frozenset[str], frozenset[str]] = {}

    def of_value(self, compiled: Compiled | Condition | None) -> frozenset[str]:
        """Behind a value."""
        return self.of_names(_names(formulas_of(compiled)))

    def of_property(self, resource: Resource, name: str) -> frozenset[str]:
        """Behind a property of a resource, and its being there."""
        key = (resource.name, name)
        if key not in self._properties:
            compiled = resource.properties.entry(name)
            self._properties[key] = self.of_names(_names([*formulas_of(compiled), *presence_uses(resource)]))
        return self._properties[key]

    def of_presence(self, resource: Resource) -> frozenset[str]:
        """Behind a resource's being there, and which items it has."""
        if resource.name not in self._presences:
            self._presences[resource.name] = self.of_names(_names(presence_uses(resource)))
        return self._presences[resource.name]

    def of_items(self, resource: Resource) -> frozenset[str]:
        """Behind the items that a resource may have, and which has which key, whatever decides which of them are there."""
        return self.of_value(resource.loop.over) | self.of_value(resource.key) if resource.loop is not None else frozenset()

    def of_document(self, document: Document) -> frozenset[str]:
        """Behind a document's text and target."""
        if document.name not in self._documents:
            self._documents[document.name] = self.of_names(_document_names(document))
        return self._documents[document.name]

    def of_names(self, names: Iterable[str]) -> frozenset[str]:
        """Behind some names; those that are variables of a loop give nothing of their own."""
        chosen = frozenset(names)
        if chosen not in self._unions:
            self._unions[chosen] = frozenset().union(*(self._of(name) for name in chosen))
        return self._unions[chosen]

    def _of(self, name: str) -> frozenset[str]:
        if name not in self._found:
            reached: set[str] = set()
            waiting = [name]
            inputs: set[str] = set()
            while waiting:
                here = waiting.pop()
                if here in reached:
                    continue
                reached.add(here)
                if here in self._found:
                    inputs |= self._found[here]
                    continue
                if here in self.template.parameters or here == CONTEXT:
                    inputs.add(here)
                waiting.extend(self._reads(here))
            self._found[name] = frozenset(inputs)
        return self._found[name]

    def _reads(self, name: str) -> set[str]:
        """The names that the declaration of a name reads."""
        template = self.template
        if name in template.parameters:
            return _names(formulas_of(template.parameters[name].default))
        if name in template.values:
            return _names(formulas_of(template.values[name].value))
        if name in template.lookups:
            lookup = template.lookups[name]
            return _names([*formulas_of(lookup.where), *formulas_of(lookup.newest)])
        if name in template.documents:
            return _document_names(template.documents[name])
        if name in template.resources:
            resource = template.resources[name]
            return _names(uses_of(resource)) | ({CONTEXT} if resource.module is not None else set())
        return set()


def _document_names(document: Document) -> set[str]:
    formulas: list[Formula] = [each.formula for each in document.placeholders]
    given = [use for value in (*(document.narrowed or {}).values(), document.to) for use in formulas_of(value)]
    return {reference.name for formula in formulas for reference in formula.program.reads} | _names(given)


def _names(uses: Iterable[Use]) -> set[str]:
    return set().union(*(formula.program.names for formula, _, _ in uses))
