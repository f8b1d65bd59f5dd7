"""The board: everything about a project in one HTML page that needs no network. Here its data is put together; pages/board.html shows it."""

import json
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold._version import __version__
from jovial_scaffold.core.changes.aligning import PLAIN
from jovial_scaffold.core.changes.aspects import Aspects
from jovial_scaffold.core.changes.edges import Edges, between, origins_of
from jovial_scaffold.core.changes.effect_records import Effects
from jovial_scaffold.core.changes.matrix import Comparison, Row
from jovial_scaffold.core.changes.totals import Total
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.shapes import Shape
from jovial_scaffold.core.expressions.syntax import Call, Index, ListLiteral, Literal, MapLiteral, Name, Node, Operation, Select, children
from jovial_scaffold.core.expressions.values import Record, Secret, deep_marks
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.graph.layout import layout
from jovial_scaffold.core.graph.picture import picture
from jovial_scaffold.core.rendering.instances import Surroundings
from jovial_scaffold.core.rendering.noting import names_looked_up
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.templates.compiling import formulas_of, written_text
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Declaration, Dynamic, Resource, Template
from jovial_scaffold.core.text.source import Origin, Pointer, pointer_text
from jovial_scaffold.core.waivers import Waiver
from jovial_scaffold.reports.drawing.svg import svg_text
from jovial_scaffold.reports.edges import edges_entries
from jovial_scaffold.reports.effects_document import effects_document
from jovial_scaffold.reports.machine import compact_json, finding_entry
from jovial_scaffold.reports.pages import fill
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.terminal import cut
from jovial_scaffold.reports.words import visible

_LONGEST = 400
_SHORT = 90
_EAGER = frozenset(("string", "int", "size", "slug", "digest", "carve", "join", "replace", "lowerAscii", "upperAscii", "trim", "split"))
_ITEMS = 50  # of a loop, for each of which an expression is looked at


Findings = tuple[Sequence[Finding], Sequence[tuple[Finding, Waiver]]]
"""What is wrong, and what is waived."""


class Board(NamedTuple):
    """What the page shows of one project: data, and the map of each environment."""

    data: dict[str, Any]
    maps: dict[str, str]


def board_of(
    project: str,
    comparison: Comparison,
    renderings: Sequence[Evaluated],
    findings: Findings,
    effects: Mapping[str, Effects],
    when: str,
    folder: str = "",
) -> Board:
    """That of one project, which lies in a folder of its workspace."""
    data = board_data(project, comparison, renderings, findings, effects, when)
    maps = {each.label: svg_text(layout(picture([each])), f"{project} in {each.label}", standalone=False) for each in renderings}
    return Board({**data, "folder": folder}, maps)


def board_page(title: str, boards: Sequence[Board], live: bool = False) -> str:
    """The page of one project, or of those of a workspace. With `live` it asks the server that gave it whether there is a newer one, and what
    other values would do."""
    data = {"title": title, "live": live, "boards": [each.data for each in boards]}
    return fill("board.html", title=f"{title} · board", boards=[each.maps for each in boards], data=_embedded(data), live=live)


def trial_data(comparison: Comparison, effects: Effects | None, findings: Sequence[Finding]) -> dict[str, Any]:
    """What other values would do to an environment: what deploying it as it would be does to it as it is, and to what runs, where `effects` say
    so; and what is wrong then."""
    told = between(comparison, *comparison.environments)
    over = Edges(effects.effects, effects.beside, origins_of(effects)) if effects is not None else None
    return {
        **edges_entries(told),
        **({"deployment": {"against": effects.snapshot.name, **edges_entries(over)}} if effects is not None and over is not None else {}),
        "findings": [finding_entry(each) for each in findings],
    }


def _embedded(data: Any) -> str:
    """JSON that no HTML parser takes for anything else."""
    text = compact_json(data)
    return text.replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029")


class _Texts:
    """Each text once; rows hold its number."""

    def __init__(self) -> None:
        self.known: dict[str, int] = {}
        self._properties: dict[tuple[type, Any], int] = {}

    def number_of(self, row: Row, name: str) -> int:
        """The number of the text of a value."""
        value = row.values[name]
        if row.kind != "property" or type(value) not in PLAIN:
            return self._number(_value(row, name))
        key = (type(value), value)
        number = self._properties.get(key)
        if number is None:
            number = self._properties[key] = self._number(cell(value))
        return number

    def _number(self, text: str) -> int:
        return self.known.setdefault(_cut(text), len(self.known))


def board_data(
    project: str,
    comparison: Comparison,
    renderings: Sequence[Evaluated],
    findings: Findings,
    effects: Mapping[str, Effects],
    when: str,
) -> dict[str, Any]:
    """All that the page shows, as plain data; long texts are cut, secrets masked."""
    texts, aspects = _Texts(), Aspects(comparison)
    chains = _Chains()
    places: dict[str, dict[str, Any]] = {}
    rows: dict[str, list[Any]] = {}
    for row in comparison.rows:
        rows.setdefault(row.address, []).append(_row(row, comparison, renderings, texts, chains, aspects))
        if row.address not in places:
            places[row.address] = _place(row, renderings)
    return {
        "project": project,
        "version": __version__,
        "when": when,
        "environments": list(comparison.environments),
        "labels": {
            each.label: {name: str(value) for name, value in each.context.get("labels", {}).items()} for each in comparison.renderings
        },
        "texts": list(texts.known),
        "resources": [{"address": address, **places[address], "rows": rows[address]} for address in rows],
        "nodes": chains.nodes,
        "aspects": [
            {"aspect": each.name, "rows": each.rows, "echoes": each.echoes, "sums": [_sum(one, comparison) for one in each.sums]}
            for each in aspects.told()
        ],
        "parameters": [_parameter(each, renderings) for each in renderings[0].scope.template.parameters.values()] if renderings else [],
        "findings": [finding_entry(finding) for finding in findings[0]],
        "waived": [{**finding_entry(finding), "because": waiver.because, "until": waiver.until or ""} for finding, waiver in findings[1]],
        "effects": {name: effects_document(project, each) for name, each in effects.items()},
        "totals": [
            {"type": each.type, **_sum(each, comparison)}
            for each in aspects.totals
            if not each.property or len(set(each.values.values())) > 1
        ],
    }


def _sum(total: Total, comparison: Comparison) -> dict[str, Any]:
    return {"property": total.property, "values": [total.values[name] for name in comparison.environments]}


def _parameter(declaration: Declaration, renderings: Sequence[Evaluated]) -> dict[str, Any]:
    """A parameter, with its value and what sets it in each environment; a secret has neither."""
    entry: dict[str, Any] = {
        "name": declaration.name,
        "description": cut(visible(declaration.description), _LONGEST),
        "values": {},
        "set": {},
    }
    for each in renderings if not declaration.secret else ():
        value = each.parameters.values.get(declaration.name)
        if any(deep_marks(value)):
            continue
        entry["values"][each.label] = visible(json.dumps(to_json(value), ensure_ascii=False) if not isinstance(value, str) else value)
        setting = each.parameters.setting((declaration.name,))
        entry["set"][each.label] = visible(setting.text()) if setting is not None else ""
    return entry


def _row(
    row: Row, comparison: Comparison, renderings: Sequence[Evaluated], texts: _Texts, chains: "_Chains", aspects: Aspects
) -> list[Any]:
    """[label, values (a number of a text, or -1), differs, drivers, written, place, nodes read, aspect, what it repeats as an echo]"""
    if row.differs or len(row.values) < len(comparison.environments):
        values = [texts.number_of(row, name) if name in row.values else -1 for name in comparison.environments]
    else:
        values = [texts.number_of(row, comparison.environments[0])] * len(comparison.environments)
    drivers = [[driver.parameter, driver.sources] for driver in row.drivers]
    return [_label(row), values, int(row.counted), drivers, *chains.of(row, renderings), aspects.of(row), _cut(row.echo)]


def _label(row: Row) -> str:
    return "present" if row.kind == "presence" else "address" if row.kind == "address" else pointer_text(row.pointer) or "value"


def _value(row: Row, name: str) -> str:
    return "yes" if row.kind == "presence" else str(row.values[name]) if row.kind == "document" else cell(row.values[name])


def _place(row: Row, renderings: Sequence[Evaluated]) -> dict[str, Any]:
    """What a resource, output or document is, and where it is written."""
    for each in renderings:
        resource = each.resources.get(row.address)
        if resource is not None:
            use = resource.instance.scope.use
            found = {
                "type": resource.type_text,
                "place": _at(resource.instance.resource.origin),
                "module": use.resource.type_text if use else "",
            }
            after = {other.label: list(other.resources[row.address].after) for other in renderings if row.address in other.resources}
            needed = sorted({address for addresses in after.values() for address in addresses})
            return {**found, "after": needed, "keep": resource.keep, "formerly": resource.formerly}
        if row.address in each.documents:
            return {"type": "document", "place": _at(each.documents[row.address].document.origin), "module": "", "after": []}
        output = each.scope.template.output_at(row.address)
        if output is not None:
            return {"type": "output", "place": _at(output.value.origin), "module": "", "after": []}
    return {"type": row.type, "place": "", "module": "", "after": []}


def _at(origin: Origin) -> str:
    return f"{origin.source.name}:{origin.source.key_line(origin.pointer)}"


class _Chains:
    """Why a value is what it is: what was written, and the named values, parameters and resources that it reads, each once.

    A node is {kind, name, written, place, reads, values by environment, set at by environment}; names inside of a module are those of
    one use of it.
    """

    def __init__(self) -> None:
        self.nodes: dict[str, dict[str, Any]] = {}
        self._reads: dict[tuple[str, Compiled | Condition], list[str]] = {}
        self._straight: dict[Shape, bool] = {}

    def of(self, row: Row, renderings: Sequence[Evaluated]) -> tuple[str, str, list[str]]:
        """What was written for a row, where, and the keys of the nodes that it reads."""
        for each in renderings:
            resource = each.resources.get(row.address)
            if resource is not None and row.kind == "property":
                at = row.at.get(each.label)
                if at is None:
                    continue
                scope = resource.instance.scope
                compiled = _property(resource.instance.resource, at) or tracer_of(scope).leaf(resource.instance, at).compiled
                written, place, reads = self._found(compiled, scope, resource.instance.resource, renderings)
                secret = any(isinstance(value, Secret) for value in row.values.values())
                return ("" if secret and not formulas_of(compiled) else written), place, reads
            if resource is not None:
                own = resource.instance.resource
                conditions = [each for each in (own.loop.over if own.loop else None, own.when) if each is not None]
                reads = [key for condition in conditions for key in self._named(condition, resource.instance.scope, own, renderings)]
                return "", _at(own.origin), list(dict.fromkeys(reads))
            output = each.scope.template.output_at(row.address)
            if output is not None and row.type == "output":
                return self._found(output.value, each.scope, None, renderings)
        return "", "", []

    def _found(
        self, compiled: Compiled, scope: Surroundings, resource: Resource | None, renderings: Sequence[Evaluated]
    ) -> tuple[str, str, list[str]]:
        source, pointer = compiled.origin
        return (
            _cut(written_text(compiled)),
            f"{source.name}:{source.value_line(pointer)}",
            self._named(compiled, scope, resource, renderings),
        )

    def _named(
        self, part: Compiled | Condition, scope: Surroundings, resource: Resource | None, renderings: Sequence[Evaluated]
    ) -> list[str]:
        if isinstance(part, Constant):
            return []
        known = (scope.prefix, part)
        if known in self._reads:
            return self._reads[known]
        self._reads[known] = []
        found: dict[str, None] = {}
        for formula, _, variables in formulas_of(part):
            asked = None if variables or self._is_straight(formula) else self._looked_up(formula, part, scope.prefix, resource, renderings)
            for name in formula.program.read_names:
                if asked is not None and name not in asked and name not in (resource.variables if resource else ()):
                    continue  # it stands behind a condition that holds nowhere
                key = self._node(name, scope, resource, renderings)
                if key:
                    found[key] = None
        self._reads[known] = list(found)
        return self._reads[known]

    def _is_straight(self, formula: Formula) -> bool:
        """Whether all names of an expression are looked up, whatever is in them."""
        shape = formula.program.shape
        if shape not in self._straight:
            waiting, straight = [formula.node], True
            while waiting and straight:
                node = waiting.pop()
                is_plain = isinstance(node, Literal | Name | Select | Index | ListLiteral | MapLiteral)
                straight = is_plain or _is_eager(node)
                waiting += children(node)
            self._straight[shape] = straight
        return self._straight[shape]

    def _looked_up(
        self, formula: Formula, part: Compiled | Condition, prefix: str, resource: Resource | None, renderings: Sequence[Evaluated]
    ) -> set[str] | None:
        """The names that an expression looks up in some environment; None where it has no value in one, or there are very many items."""
        found: set[str] = set()
        for each in renderings:
            scope = _scope(each, prefix)
            if scope is None:
                continue
            around: list[Mapping[str, Any]] = [{}]
            if resource is not None and not isinstance(part, Condition):
                around = [instance.variables for instance in (scope.instances(resource) or {}).values()]
            if len(around) > _ITEMS or (isinstance(part, Condition) and resource is not None and resource.loop is not None):
                return None
            for variables in around:
                asked = names_looked_up(formula.node, scope, variables)
                if asked is None:
                    return None
                found |= asked
        return found

    def _node(self, name: str, scope: Surroundings, resource: Resource | None, renderings: Sequence[Evaluated]) -> str:
        """The key of a name's node, made where it is not there yet; nothing for what is no name of the template."""
        template = scope.template
        if resource is not None and resource.loop is not None and name in resource.loop.variables:
            key = f"{scope.prefix}{resource.name} ⟳ {name}"
            if key not in self.nodes:
                self.nodes[key] = _entry("item", name, written_text(resource.loop.over), _at(resource.origin))
                self.nodes[key]["reads"] = self._named(resource.loop.over, scope, None, renderings)
            return key
        key = f"{scope.prefix}{name}"
        if key in self.nodes:
            return key
        made = self._made(name, template, scope, renderings)
        if made is None:
            return ""
        entry, parts = made
        self.nodes[key] = entry
        entry["reads"] = list(dict.fromkeys(read for part, where in parts for read in self._named(part, where, None, renderings)))
        if entry["kind"] in ("parameter", "value", "lookup"):
            self._values(entry, name, scope.prefix, renderings)
        return key

    def _made(
        self, name: str, template: Template, scope: Surroundings, renderings: Sequence[Evaluated]
    ) -> tuple[dict[str, Any], list[tuple[Compiled | Condition, Surroundings]]] | None:
        if name in template.parameters:
            declaration = template.parameters[name]
            handed = scope.use.resource.properties.entry(name) if scope.use is not None else None
            if handed is not None and scope.use is not None:
                return _entry("parameter", name, written_text(handed), _at(handed.origin)), [(handed, scope.use.scope)]
            default = declaration.default
            written = written_text(default) if default is not None and not declaration.secret else ""
            return _entry("parameter", name, written, _at(declaration.origin)), [(default, scope)] if default is not None else []
        if name in template.values:
            value = template.values[name]
            return _entry("value", name, written_text(value.value), _at(value.origin)), [(value.value, scope)]
        if name in template.lookups:
            lookup = template.lookups[name]
            return _entry("lookup", name, written_text(lookup.where), _at(lookup.origin)), [(lookup.where, scope)]
        if name in template.resources:
            found = template.resources[name]
            return _entry("module" if found.module else "resource", f"{scope.prefix}{name}", found.type_text, _at(found.origin)), []
        if name in template.documents:
            return _entry("document", name, "", _at(template.documents[name].origin)), []
        return None

    def _values(self, entry: dict[str, Any], name: str, prefix: str, renderings: Sequence[Evaluated]) -> None:
        for each in renderings:
            scope = _scope(each, prefix)
            if scope is None:
                continue
            try:
                value = scope.value(name)
            except EvaluationError:
                continue
            entry["values"][each.label] = _short(value)
            if entry["kind"] == "parameter" and scope.use is None:
                setting = each.parameters.setting((name,))
                if setting is not None:
                    entry["set"][each.label] = setting.text()


def _property(resource: Resource, at: Pointer) -> Compiled | None:
    """What a whole property is written as, where that is one text or value."""
    found = resource.properties.entry(str(at[0])) if len(at) == 1 else None
    return found if isinstance(found, Constant | Dynamic) else None


def _is_eager(node: Node) -> bool:
    """Whether an operator or a call evaluates all that it is given."""
    if isinstance(node, Operation):
        return node.operator not in ("&&", "||")
    return isinstance(node, Call) and node.function in _EAGER


def _scope(rendering: Evaluated, prefix: str) -> Surroundings | None:
    """The environment of a use of a module, by the prefix of what it holds."""
    if not prefix:
        return rendering.scope
    address = prefix.removesuffix("/")
    for scope, resource in rendering.scope.along(address):
        for instance in (scope.instances(resource) or {}).values():
            if instance.address == address and instance.inside is not None:
                return instance.inside
    return None


def _entry(kind: str, name: str, written: str, place: str) -> dict[str, Any]:
    return {"kind": kind, "name": name, "written": _cut(written), "place": place, "reads": [], "values": {}, "set": {}}


def _cut(text: str) -> str:
    if len(text) <= _LONGEST and text.isascii() and text.isprintable():
        return text
    return cut(visible(text), _LONGEST)


def _short(value: Any) -> str:
    try:
        return cut(cell(value.whole() if isinstance(value, Record) else value), _SHORT)
    except (EvaluationError, TypeError):
        return ""
