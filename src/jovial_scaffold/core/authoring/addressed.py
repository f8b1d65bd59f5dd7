"""Where rules call resources by their addresses, and what they say once these are others."""

from collections.abc import Callable, Iterator

from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Call, Has, Index, ListLiteral, Literal, Name, Node, Operation, Select, nodes
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.templates.compiling import formulas_of, is_name
from jovial_scaffold.core.text.edits import Change, Edit, edited
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Origin, value_at

_ALL = "resources"
_ADDRESS = "address"
_STARTS = "startsWith"


def rules_follow(project: Project, becomes: Callable[[str], str], change: Change) -> list[Done]:
    """What the project's own rules compare with addresses, and read by them, are the new ones; those that it shares with others stay."""
    done = []
    for ruleset in project.rulesets:
        parts = [(value.name, value.value) for value in ruleset.values.values()]
        parts += [(rule.name, part) for rule in ruleset.rules for part in (rule.where, rule.require, rule.message, rule.fix)]  # type: ignore[misc]
        found: dict[Origin, list[Edit]] = {}
        names: dict[Origin, str] = {}
        for name, part in parts:
            for formula, origin, _ in formulas_of(part):
                edits = [Edit("", formula.offset + start, formula.offset + end, text) for start, end, text in _others(formula, becomes)]
                if edits and not origin.source.name.startswith("../"):
                    found.setdefault(origin, []).extend(edits)
                    names[origin] = name
        for origin, edits in found.items():
            _write(origin, edits, change)
            done.append(Done(f"rule {names[origin]}", origin.source.name, f"{len(edits)} {'address' if len(edits) == 1 else 'addresses'}"))
    return done


def _write(origin: Origin, edits: list[Edit], change: Change) -> None:
    """Edits of a text in a file: word by word, or the whole of it where brackets or quotes come into it."""
    source = origin.source
    places = [source.inner_offsets(origin.pointer, each.start, each.end) for each in edits]
    if all(place is not None for place in places) and not any(set(each.text) & set("'\"[]{},#: ") for each in edits):
        change.add(Edit(source.name, *place, each.text) for place, each in zip(places, edits, strict=True) if place is not None)
        return
    script = Script(source)
    script.set(origin.pointer, edited(str(value_at(source.value, origin.pointer, "")), edits))
    change.add(script.edits)


def _others(formula: Formula, becomes: Callable[[str], str]) -> Iterator[tuple[int, int, str]]:
    """Characters of an expression, and what stands there instead."""
    for node in nodes(formula.node):
        if isinstance(node, Select | Has) and _is_all(node.operand) and becomes(node.field) != node.field:
            yield _read(node, formula.text, becomes(node.field))
        for each in _texts(node):
            new = becomes(str(each.value))
            if new != each.value and formula.text[each.start + 1 : each.end - 1] == each.value:
                yield each.start + 1, each.end - 1, new


def _read(node: Select | Has, text: str, new: str) -> tuple[int, int, str]:
    """A resource that is read of the map of all, by its field or, where that is no name, by its key."""
    every = text[node.operand.start : node.operand.end]
    if isinstance(node, Has):
        return node.start, node.end, f"has({every}.{new})" if is_name(new) else f"('{new}' in {every})"
    if is_name(new):
        return node.field_start, node.field_start + len(node.field), new
    return node.start, node.end, f"{every}[{'?' if node.optional else ''}'{new}']"


def _texts(node: Node) -> list[Literal]:
    """The texts that a node takes for addresses."""
    found: list[Node] = []
    if isinstance(node, Index) and _is_all(node.operand):
        found = [node.index]
    elif isinstance(node, Operation) and node.operator in ("==", "!=", "in"):
        if any(_is_address(each) for each in node.operands):
            found = [item for each in node.operands for item in (each.items if isinstance(each, ListLiteral) else (each,))]
        elif node.operator == "in" and _is_all(node.operands[1]):
            found = [node.operands[0]]
    elif isinstance(node, Call) and node.function == _STARTS and node.target is not None and _is_address(node.target):
        found = [*node.arguments]
    return [each for each in found if isinstance(each, Literal) and type(each.value) is str]


def _is_address(node: Node) -> bool:
    return isinstance(node, Name) and node.name == _ADDRESS


def _is_all(node: Node) -> bool:
    """Whether something is the map of all resources: of the environment, or of one of a pair."""
    if isinstance(node, Select):
        return node.field == _ALL and isinstance(node.operand, Name) and node.operand.name in ("left", "right")
    return isinstance(node, Name) and node.name == _ALL
