"""Texts with expressions in them, before any environment: judged as the one text that they come to."""

from collections.abc import Sequence
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.syntax import Call, Literal, Name, Node, Operation
from jovial_scaffold.core.expressions.types import STRING, Type, type_of_value
from jovial_scaffold.core.limits import FEW_COMBINATIONS
from jovial_scaffold.core.templates.fitting import Fitting, PropertyPlace
from jovial_scaffold.core.templates.knowledge import Known
from jovial_scaffold.core.templates.trials import choices_of


class JoinedTexts:
    """The joined texts of one template."""

    def __init__(self, known: Known, fitting: Fitting) -> None:
        self._known = known
        self._fitting = fitting
        self._values: dict[tuple[str, ...], list[tuple[Any, ...]] | None] = {}
        self._formulas: dict[Joined, Formula] = {}
        #: what the expressions that stand for texts have in common that differ in constants only
        self.shapes: dict[Program, tuple[Any, ...]] = {}

    def formula(self, content: Joined) -> Formula:
        """The text as one expression, `'…' + string(…)`, which has no place of its own."""
        if content not in self._formulas:
            nodes = [_node(part) for part in content.parts]
            whole = nodes[0]
            for node in nodes[1:]:
                whole = Operation(-1, -1, "+", (whole, node), -1)
            made = self._formulas[content] = Formula(Program(whole), "", 0)
            self.shapes[made.program] = tuple(part.program.shape if isinstance(part, Formula) else None for part in content.parts)
        return self._formulas[content]

    def fits(self, content: Joined, place: PropertyPlace) -> bool:
        """Whether a text that joins names, as most do, fits its property with each of the few values that they have, wherever it is
        reached; False where that is not told so easily."""
        names = _names(content)
        if len(names) < sum(isinstance(part, Formula) for part in content.parts):
            return False
        if names not in self._values:
            self._values[names] = self._texts(names)
        known, validator = self._values[names], self._fitting.validator(place)
        if known is None or validator is None:
            return False
        return self._each_fits(content, known, [tuple(part for part in content.parts if isinstance(part, str))], place)

    def all_fit(self, content: Joined, literals: Sequence[tuple[str, ...]], place: PropertyPlace) -> bool:
        """The same of texts that join the same names and have literal parts of their own."""
        if not self.fits(content, place):
            return False
        known = self._values[_names(content)]
        return known is not None and self._each_fits(content, known, literals, place)

    def _each_fits(self, content: Joined, known: list[tuple[Any, ...]], literals: Sequence[tuple[str, ...]], place: PropertyPlace) -> bool:
        lengths = [sum(map(len, each)) for each in literals]
        least, most = min(lengths), max(lengths)
        for values in known:
            if all(isinstance(value, str) for value in values):
                validator = self._fitting.validator(place)
                if validator is None or not all(validator.is_valid(_text(content, values, each)) for each in literals):
                    return False
                continue
            types = [type_of_value(value) for value in values]
            shortest = sum(each.shortest for each in types)
            longest = None if any(each.longest is None for each in types) else sum(each.longest or 0 for each in types)
            for literal in {least, most}:
                whole = Type(STRING.kinds, shortest=literal + shortest, longest=None if longest is None else literal + longest)
                if not self._fitting.may_hold_text(place, whole):
                    return False
        return True

    def _texts(self, names: tuple[str, ...]) -> list[tuple[Any, ...]] | None:
        """What is known of some names that are texts, together, in all cases; None where those are very many, or one may be no text."""
        template = self._known.template
        choices = choices_of(self._known, names, (), {})
        if choices.count > FEW_COMBINATIONS.most or not all(name in template.values or name in template.parameters for name in names):
            return None
        found = []
        for assignment, assumed in choices.each():
            values = tuple(self._known.scope(assignment, assumed).value(name) for name in names)
            if not all(type_of_value(value).is_only("string") for value in values):
                return None
            found.append(values)
        return found


def _names(content: Joined) -> tuple[str, ...]:
    return tuple(part.node.name for part in content.parts if isinstance(part, Formula) and isinstance(part.node, Name))


def _text(content: Joined, values: tuple[str, ...], literals: tuple[str, ...]) -> str:
    written, computed = iter(literals), iter(values)
    return "".join([next(written) if isinstance(part, str) else next(computed) for part in content.parts])


def _node(part: str | Formula) -> Node:
    return Literal(-1, -1, part) if isinstance(part, str) else Call(-1, -1, "string", None, (part.node,), -1)
