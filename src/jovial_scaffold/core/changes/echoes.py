"""Echoes: differences that only repeat a parameter's value in a text, as `alp-‹setting›-gates` does in a name (docs/language/comparing.md).

Whether a row is one is no question of likeness. Its value is evaluated once more with a mark in the place of each parameter behind it, as
for a property that only the cloud sets; what is left is the same expression in all columns, and does nothing but copy, join and rewrite text.
"""

import json
import re
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aligning import PLAIN, Alike, Leaf, are_alike, same
from jovial_scaffold.core.changes.driving import Driver, Drivers
from jovial_scaffold.core.changes.trials import value_of
from jovial_scaffold.core.expressions.errors import EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.pending import Pending, comparable, holds_secret, people_text, shown
from jovial_scaffold.core.expressions.shapes import Shape
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Index, ListLiteral, Literal, Name, Node, Operation, Select, children
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.rendering.computing import Site
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.overlays import CONTEXT, MISSING, Overlay, trial_meter
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.shapes import Constants, Text
from jovial_scaffold.core.templates.model import Dynamic
from jovial_scaffold.core.text.source import Pointer, value_at

_TEXTS = frozenset((str, Pending))
_REPEATING = (Pending, list)
#: functions that give a text which says the same as the one that they are given
_REWRITING = frozenset(("string", "slug", "digest", "carve", "join", "lowerAscii", "upperAscii", "trim", "quote", "as_json", "replace"))

#: constants that stand in a residual as they are written, and how long all of an expression may be
_AS_WRITTEN = regex(r"[A-Za-z0-9._:/-]+")
_MOST_WRITTEN = 200
#: what stands for a constant: a text or number that each function which only copies or rewrites changes, if it looks at it at all
_TEXT_IN_PLACE, _NUMBER_IN_PLACE = " Zz~{} ", 7_919_000_000

#: a text or a number that is written out in an expression
_CONSTANT = regex(r'"(?:[^"\\]|\\.)*"|(?<![\w.])[0-9][\w.]*')


class Echoes:
    """Finds the echoes among the rows of one comparison."""

    def __init__(self, renderings: Sequence[Evaluated], drivers: Drivers) -> None:
        self._renderings = renderings
        self._drivers = drivers
        self._meter = trial_meter(renderings[0]) if renderings else Meter()
        self._overlays: dict[tuple[int, tuple[str, ...]], Overlay] = {}
        declared = [{*each.scope.template.parameters} for each in renderings]
        self._declared = frozenset[str]().union(*declared[:1]).intersection(*declared)  # parameters of all columns
        self._copying: dict[tuple[str, tuple[str, ...]], bool] = {}
        self._moulds: dict[tuple[str, tuple[str, ...]], bool] = {}
        self._calculating: dict[Shape, frozenset[str]] = {}  # the names that an expression calculates with: all where it copies nothing
        self._copying_shapes: dict[Shape, bool] = {}
        self._known: dict[Alike, str] = {}  # what rows repeat that are written alike
        self._within: dict[Alike, str] = {}  # the same between the words around it, which may differ
        self._patterns: dict[tuple[Shape, tuple[tuple[int, str], ...], tuple[str, ...]], tuple[str | int, ...]] = {}

    def of_property(self, addresses: Mapping[int, str], leaf: Leaf, drivers: Iterable[Driver]) -> str:
        """What a part of a property repeats, for people; nothing where it is no echo. `addresses` is where each column has the resource."""
        if leaf.text is None:
            names = self._names_of(addresses, leaf, drivers)
            return self._of_property(names, addresses, leaf, None) if names else ""
        if leaf.text in self._known:
            return self._known[leaf.text]
        if leaf.text in self._within:
            written = self._text(addresses, leaf)
            before, behind = _around(*written[:2]) if written is not None else ("", "")
            return f"{before}{self._within[leaf.text]}{behind}"
        names = self._names_of(addresses, leaf, drivers)
        written = self._text(addresses, leaf) if names else None
        found = self._of_property(names, addresses, leaf, written) if names else ""
        if not found or not leaf.text.is_joined:
            self._known[leaf.text] = found
        elif written is not None:
            before, behind = _around(*written[:2])
            self._within[leaf.text] = found[len(before) : len(found) - len(behind)]
        return found

    def is_never(self, addresses: Mapping[int, str], leaf: Leaf, drivers: Iterable[Driver]) -> bool:
        """Whether what the code of a single resource computes repeats nothing, whatever the constants in it are."""
        names, written = self._names_of(addresses, leaf, drivers), self._text(addresses, leaf)
        if written is None:
            return False
        return not names or not all(self._may_be_copied(each, names) for each in written[0].shapes if isinstance(each, Shape))

    def _names_of(self, addresses: Mapping[int, str], leaf: Leaf, drivers: Iterable[Driver]) -> tuple[str, ...]:
        """The parameters behind a part that is there wherever the resource is."""
        return self._names(drivers, leaf.values.values()) if len(leaf.values) == len(addresses) else ()

    def _text(self, addresses: Mapping[int, str], leaf: Leaf) -> tuple[Text, Constants, Instance] | None:
        """How what a single resource computes is written, with the constants of that."""
        column, address = next(iter(addresses.items()))
        instance = self._renderings[column].resources[address].instance
        if leaf.computed is None or instance.computed is None:
            return None
        code, _, constants = instance.computed
        return code.texts[leaf.computed], constants, instance

    def _of_property(
        self, names: tuple[str, ...], addresses: Mapping[int, str], leaf: Leaf, written: tuple[Text, Constants, Instance] | None
    ) -> str:
        columns = [*leaf.values]
        if written is None:
            inputs = self._drivers.inputs_of(columns[0], addresses[columns[0]], str(leaf.label[0]))
        else:
            text, constants, instance = written
            if not all(self._may_be_copied(each, names) for each in text.shapes if isinstance(each, Shape)):
                return ""
            inputs = instance.scope.plan.inputs.of_names(text.names(constants))
        # What an entry of a map is may stand there in one column, and in the template in another.
        is_fixed = written is not None or not any(map(self._drivers.is_parted, names))
        is_alike = self._drivers.templates == 1 and is_fixed and not self._differs(names, inputs)
        if is_alike:
            told = self._by_shape(columns[0], names, *written[:2]) if written is not None else ""
            if told:
                return told
        found: dict[int, Any] = {}
        for each in columns:
            found[each], is_own = self._property(each, names, addresses[each], leaf.at[each], written)
            if type(found[each]) not in _REPEATING:
                return ""
            if is_alike and is_own:  # with marks for the parameters behind it, it is the same everywhere
                break
        return self._pattern(names, found)

    def _by_shape(self, column: int, names: tuple[str, ...], text: Text, constants: Constants) -> str:
        """The same of an expression that differs from others in constants only, which stand in what is left of it; nothing where they do more
        than that."""
        own = constants[text.first : text.last]
        if len(text.shapes) != 1 or not all(map(_is_as_written, own)) or sum(map(len, map(str, own))) > _MOST_WRITTEN:
            return ""
        shape = text.shapes[0]
        assert isinstance(shape, Shape)
        read = tuple([(each - text.first, constants[each]) for each in text.reads if isinstance(each, int)])
        key = (shape, read, names)
        if key not in self._patterns:
            self._patterns[key] = self._pattern_of(column, names, shape, [*map(type, own)], dict(read))
        return "".join([each if isinstance(each, str) else str(own[each]) for each in self._patterns[key]])

    def _pattern_of(
        self, column: int, names: tuple[str, ...], shape: Shape, kinds: Sequence[type], read: Mapping[int, str]
    ) -> tuple[str | int, ...]:
        """What expressions of a shape repeat, as texts and, between them, which of the constants; nothing where a constant does more than stand
        there. `read` has the constants that are names."""
        if not _only_copies(shape.node, lambda name: True):
            return ()
        held: list[Any] = [
            read.get(index, _NUMBER_IN_PLACE + index if kind is int else _TEXT_IN_PLACE.format(index)) for index, kind in enumerate(kinds)
        ]
        try:
            value = evaluate(_filled(shape, tuple(held)), self._overlay(column, names).scope)
        except EvaluationError:
            return ()
        found = self._pattern(names, {column: value})
        at = {str(each): index for index, each in enumerate(held) if index not in read}
        if not all(found.count(each) == 1 for each in at):
            return ()
        pieces = re.split(f"({'|'.join(map(re.escape, at))})", found) if at else [found]
        return tuple([at.get(each, each) for each in pieces])

    def _differs(self, names: tuple[str, ...], inputs: Iterable[str]) -> bool:
        """Whether something else that a value may be computed from is not the same in all columns, or is set in some of them and follows its
        default in others."""
        return self._drivers.differ(each for each in inputs if each not in names)

    def of_output(self, name: str, at: Mapping[int, Pointer], values: Mapping[int, Any], drivers: Iterable[Driver]) -> str:
        """The same of an output, or of a part of one."""
        names = self._names(drivers, values.values())
        if not names:
            return ""
        found = {}
        for column in values:
            value = self._overlay(column, names).output(name)
            found[column] = value_at(value, at[column], MISSING) if at[column] else value
        return self._pattern(names, found)

    def of_target(self, name: str, columns: Iterable[int], drivers: Iterable[Driver]) -> str:
        """The same of the path that a document is written to."""
        names = self._names(drivers, ())
        found: dict[int, Any] = {}
        for column in columns if names else ():
            evaluated = self._renderings[column].documents[name]
            if evaluated.scope.use is not None or evaluated.document.to is None:
                return ""
            found[column] = self._overlay(column, names).value(evaluated.document.to)
        return self._pattern(names, found) if found else ""

    def of_line(self, name: str, lines: Mapping[int, int], drivers: Iterable[Driver]) -> str:
        """The same of a line of a document, as columns number it from 0: of all texts that are filled in there."""
        names = self._names(drivers, ())
        told: dict[str, str] = {}
        for column, line in lines.items() if names else ():
            evaluated, overlay = self._renderings[column].documents[name], self._overlay(column, names)
            if evaluated.scope.use is not None or evaluated.document.narrowed is not None or evaluated.is_across(line):
                return ""
            marked = overlay.document(name)
            if marked is None or marked.lines != evaluated.lines:
                return ""
            for each in evaluated.within(line):
                written = Dynamic(each.formula, evaluated.document.origin)
                was, becomes = self._overlay(column, ()).value(written), overlay.value(written)
                if type(becomes) is not Pending or same(was, becomes):  # what the cloud will say is the same in all columns
                    continue
                if type(was) not in _TEXTS or not self._pattern(names, {column: becomes}):
                    return ""
            told[marked.compared.split("\n")[line]] = marked.text.split("\n")[line]
        text = next(iter(told.values())).strip() if len(told) == 1 and not self._meter.spent else ""
        return text if marks.SECRET not in text else ""

    def _names(self, drivers: Iterable[Driver], values: Collection[Any]) -> tuple[str, ...]:
        """The parameters behind a row of texts, or of lists of them; none where something else is behind it, too."""
        if not _are_texts(values):
            return ()
        names = tuple(sorted(each.parameter for each in drivers))
        return names if all(each in self._declared or each.startswith(CONTEXT) for each in names) else ()

    def _overlay(self, column: int, names: tuple[str, ...]) -> Overlay:
        """A column with a mark for each of some parameters."""
        key = (column, names)
        if key not in self._overlays:
            changes = {name: Pending((name,), (name,), primary=True) for name in names}
            self._overlays[key] = Overlay(self._renderings[column], changes, self._meter)
        return self._overlays[key]

    def _property(
        self, column: int, names: tuple[str, ...], address: str, at: Pointer, written: tuple[Text, Constants, Instance] | None
    ) -> tuple[Any, bool]:
        """A part of a property there, whatever decides that the resource is there; and whether all that it is computed from is what it is with
        the marks: items of a loop over something else there are those of the column."""
        overlay, instance = self._overlay(column, names), self._renderings[column].resources[address].instance
        try:
            shape = written[0].shapes[0] if written is not None and len(written[0].shapes) == 1 else None
            if written is not None and isinstance(shape, Shape) and self._copies_by_itself(shape):
                text, constants, _ = written
                return evaluate(_filled(shape, constants[text.first : text.last]), overlay.scope), True
            return self._part(overlay, instance, at, names)
        except EvaluationError:
            return MISSING, True

    def _part(self, overlay: Overlay, instance: Instance, at: Pointer, names: tuple[str, ...]) -> tuple[Any, bool]:
        # Of a loop over something else, the items are there as they are.
        is_apart = instance.scope.use is None and not self._decides(instance, names)
        if not is_apart:
            value = value_at(overlay.property(instance.address, str(at[0])), at[1:], MISSING)
            if type(value) in _REPEATING:
                return value, True
        leaf = self._drivers.tracer(instance.scope).leaf(instance, at)
        formulas = leaf.compiled.formulas() if isinstance(leaf.compiled, Dynamic) and instance.scope.use is None else []
        if not all(self._may_be_copied(each.program.shape, names) for each in formulas):
            return MISSING, True
        is_alone = leaf.variables is instance.variables  # no loop inside of the property
        scope: Surroundings = overlay.scope
        variables, is_own = leaf.variables, is_alone
        if not is_apart:
            there, is_own = overlay.counterpart(instance)
            scope, variables = there.scope, there.variables if is_alone else leaf.variables
        if not leaf.variables and scope is overlay.scope:
            value = overlay.value(leaf.compiled)
        else:
            value = scope.computer.whole(leaf.compiled, variables, Site())
        return value_at(value, leaf.rest, MISSING), is_own and is_alone

    def _decides(self, instance: Instance, names: tuple[str, ...]) -> bool:
        """Whether some parameters may decide which items a loop has."""
        inputs = instance.scope.plan.inputs.of_items(instance.resource)
        return any(name in inputs or name.partition(".")[0] in inputs for name in names)

    def _pattern(self, names: tuple[str, ...], found: Mapping[int, Any]) -> str:
        first = next(iter(found.values()))
        if self._meter.spent:  # then nothing that came of it means anything
            return ""
        if type(first) is list:
            return self._pattern_of_list(names, found)
        if not all(type(each) is Pending and not each.template and not holds_secret(each) for each in found.values()):
            return ""
        told = comparable(first)
        if any(comparable(each) != told for each in found.values()) or not self._copies(first, names, told):
            return ""
        return people_text(first)

    def _pattern_of_list(self, names: tuple[str, ...], found: Mapping[int, Any]) -> str:
        """The same of lists, item by item: one at least repeats something, and the others are the same in all columns."""
        lists = [*found.values()]
        if not all(type(each) is list and len(each) == len(lists[0]) for each in lists):
            return ""
        told, repeats = [], False
        for items in zip(*lists, strict=True):
            if type(items[0]) in PLAIN and are_alike(items):
                told.append(marks.unmarked(items[0] if type(items[0]) is str else json.dumps(items[0])))
                continue
            pattern = self._pattern(names, dict(zip(found, items, strict=True)))
            if not pattern:
                return ""
            told.append(pattern)
            repeats = True
        return f"[{', '.join(told)}]" if repeats else ""

    def _may_be_copied(self, shape: Shape, names: tuple[str, ...]) -> bool:
        """Whether an expression may give what it reads as it is, or rewritten: what it chooses by, or calculates, may be the same in all columns, as
        long as it reads none of some parameters for that."""
        if shape not in self._calculating:
            self._calculating[shape] = (
                _calculated(shape.node) if _may_copy(shape.node) else frozenset(each.name for each in shape.facts.reads)
            )
        calculated = self._calculating[shape]
        return not any(name.partition(".")[0] in calculated for name in names)

    def _copies_by_itself(self, shape: Shape) -> bool:
        """Whether an expression does nothing but copy, whatever it reads, and whatever is called."""
        if shape not in self._copying_shapes:
            self._copying_shapes[shape] = _only_copies(shape.node, lambda name: True, judges_calls=False)
        return self._copying_shapes[shape]

    def _copies(self, pending: Pending, names: tuple[str, ...], told: str) -> bool:
        """Whether nothing is done but to copy, join and rewrite text."""
        key = (told, names)
        if key not in self._copying:
            pieces = pending.joined if pending.joined is not None else (pending,)
            self._copying[key] = all(self._copies_one(each, names) for each in pieces if isinstance(each, Pending))
        return self._copying[key]

    def _copies_one(self, piece: Pending, names: tuple[str, ...]) -> bool:
        if not any(name in piece.origins for name in names):
            return True  # what the cloud will say is the same in all columns
        mould = (_CONSTANT.sub(lambda match: '""' if match[0][0] == '"' else "0", shown(piece.segments)), names)
        if mould not in self._moulds:  # what the constants are, does not matter
            self._moulds[mould] = self._only_copies(*mould)
        return self._moulds[mould]

    def _only_copies(self, text: str, names: tuple[str, ...]) -> bool:
        try:
            node = parse(text)
        except SyntaxProblem:  # longer than an expression may be
            return False
        heads = {name.partition(".")[0] for name in names}
        return _only_copies(
            node,
            lambda name: name in names and all(type(value_of(each, name, ())) is str for each in self._renderings),
            lambda within: heads.isdisjoint(_names_in(within)),
        )


def _are_texts(values: Collection[object]) -> bool:
    """Whether values are texts, or lists of as many items of which each is one, or is the same in all."""
    if _TEXTS.issuperset(map(type, values)):
        return True
    lists = [each for each in values if type(each) is list]
    if not lists or len(lists) < len(values) or len(set(map(len, lists))) > 1:
        return False
    return all(_TEXTS.issuperset(map(type, items)) or are_alike(items) for items in zip(*lists, strict=True))


def _around(text: Text, constants: Constants) -> tuple[str, str]:
    """The words before and behind what is computed."""
    before, behind = constants[text.begins : text.first], constants[text.last : text.ends]
    return marks.unmarked("".join(before)), marks.unmarked("".join(behind))


def _is_as_written(constant: object) -> bool:
    return type(constant) is int or (type(constant) is str and _AS_WRITTEN.fullmatch(constant) is not None)


def _filled(shape: object, constants: Constants) -> Node:
    """The expression of a shape that only copies, with constants of its own."""
    assert isinstance(shape, Shape)
    holes = shape.holes

    def filled(node: Node) -> Node:
        if isinstance(node, Literal):
            return Literal(node.start, node.end, constants[holes[node.start]]) if node.start in holes else node
        if isinstance(node, Name):
            return Name(node.start, node.end, constants[holes[node.start]]) if node.start in holes else node
        if isinstance(node, Select):
            return replace(node, operand=filled(node.operand))
        if isinstance(node, Operation):
            return replace(node, operands=tuple(map(filled, node.operands)))
        if isinstance(node, ListLiteral):
            return replace(node, items=tuple(map(filled, node.items)))
        assert isinstance(node, Call)
        target = filled(node.target) if node.target is not None else None
        return replace(node, target=target, arguments=tuple(map(filled, node.arguments)))

    return filled(shape.node) if holes else shape.node


def _may_copy(node: Node) -> bool:
    """Whether an expression may give a text that holds another one, and is not calculated, compared or made by a macro."""
    if isinstance(node, Conditional):
        return _may_copy(node.then) or _may_copy(node.otherwise)
    if isinstance(node, Operation):
        return node.operator == "+" and any(map(_may_copy, node.operands))
    return isinstance(node, Call | Index | ListLiteral | Name | Select)


def _calculated(whole: Node) -> frozenset[str]:
    """The names that an expression reads to calculate, compare or choose by what they are."""
    found: set[str] = set()
    waiting = [(whole, False)]
    while waiting:
        node, inside = waiting.pop()
        if isinstance(node, Name) and inside:
            found.add(node.name)
        decides: Collection[Node] = ()
        if isinstance(node, Conditional):
            decides = (node.condition,)
        elif isinstance(node, Index):
            decides = (node.index,)
        elif isinstance(node, Operation) and (node.operator != "+" or any(map(_is_number, node.operands))):
            decides = node.operands
        waiting += [(each, inside or each in decides) for each in children(node)]
    return frozenset(found)


def _is_number(node: Node) -> bool:
    return isinstance(node, Literal) and type(node.value) in (int, float)


def _only_copies(
    whole: Node, is_text: Callable[[str], bool], is_same: Callable[[Node], bool] = lambda within: False, judges_calls: bool = True
) -> bool:
    """Whether an expression only copies, joins and rewrites; `is_text` says of a name that it holds text, `is_same` of what is within the expression
    that it is the same in all columns, whatever is done there."""
    waiting = [whole]
    while waiting:
        node = waiting.pop()
        if isinstance(node, Operation):
            copies = node.operator == "+" and _joins(node, is_text)
        elif isinstance(node, Call):
            copies = not judges_calls or node.function in _REWRITING
        else:
            copies = isinstance(node, ListLiteral | Literal | Name | Select)
        if copies:
            waiting += children(node)
        elif not is_same(node):
            return False
    return True


def _names_in(whole: Node) -> set[str]:
    found: set[str] = set()
    waiting = [whole]
    while waiting:
        node = waiting.pop()
        if isinstance(node, Name):
            found.add(node.name)
        waiting += children(node)
    return found


def _joins(node: Operation, is_text: Callable[[str], bool]) -> bool:
    """Whether what is added are texts: one that surely is says so of all."""
    waiting: list[Node] = [*node.operands]
    while waiting:
        operand = waiting.pop()
        if isinstance(operand, Operation) and operand.operator == "+":
            waiting += operand.operands
        elif isinstance(operand, Literal):
            return type(operand.value) is str
        elif isinstance(operand, Call):
            return True  # all of them give texts
        elif isinstance(operand, Name) and is_text(operand.name):
            return True
    return False
