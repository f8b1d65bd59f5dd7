"""Values that break a rule: the smallest change of an environment's parameters that does it, each tried by the evaluator."""

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any, Final

from jovial_scaffold.core.expressions.syntax import Literal, nodes
from jovial_scaffold.core.expressions.types import Type
from jovial_scaffold.core.expressions.values import Secret, revealed
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.proof.accepted import Part, Path, Symbols
from jovial_scaffold.core.proof.applications import Application, Setting, World, behind, conditions_of
from jovial_scaffold.core.proof.terms import Refuted
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.schemas.sampling import sampled
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.model import Constant

Values = dict[str, Any]
REMOVED: Final = object()  #: in the place of a value: a field that is left out
_MISSING = object()
_ITEMS = 2  # of a list, those that are changed one by one
_SAMPLES = 6
_FAR = (100, 1_000, 1_000_000)  # numbers where nothing bounds them
_LONG = 300  # characters of a text that is made up
_JOINED = 12  # letters that a text may be joined with
_HALVINGS = 64
_TOGETHER = 16  # parts in which several values together are said to break something, that are tried in any case
_BLINDLY = 4  # how many times fewer values are tried where nothing is under suspicion


@value_record
class Change:
    """A part of a parameter set to a value, or left out (`REMOVED`)."""

    path: Path
    value: Any  #: marked


@value_record
class Witness:
    """Changes of an environment's parameters that break a rule, and all that it gives with them."""

    changes: tuple[Change, ...]
    main: Path  #: of the one that was looked for, where others only bring about what it is about
    values: Values


class Trials:
    """Concrete parameter sets of one environment, tried one after the other."""

    def __init__(self, setting: Setting, parameters: Parameters, symbols: Symbols, most: int) -> None:
        self._setting = setting
        self._most = most
        self._tried: dict[tuple[str, ...], World | None] = {}
        self._symbols = symbols
        self._given = {name: value for name, value in parameters.values.items() if name not in parameters.defaulted}
        self._now = self.world(self._given)
        self._plain = revealed({name: self._now.rendering.scope.value(name) for name in setting.plan.template.parameters})
        self._left = 0

    def world(self, values: Values) -> World:
        """The environment under other values."""
        return World(self._setting, self._symbols, None, dict(values))

    def fails_now(self, application: Application) -> bool:
        """Whether the environment as it is breaks the rule."""
        return _fails(self._now, application)

    def witness(
        self, application: Application, suspects: Collection[Path] | None, refuted: Sequence[tuple[Part, Refuted]]
    ) -> Witness | None:
        """The smallest change that breaks a rule; None where none was found. Of two parameters that both can, it is the first by name, of
        those that are under suspicion, where that is known; where no single value does, `refuted` says which may together."""
        self._left = self._most if suspects is not None else self._most // _BLINDLY
        constants = _constants(application)
        names = behind(application, self._setting.plan)
        places = [each for name in names for each in self._places((name,), self._plain.get(name, _MISSING))]
        before = self._bringing(application, places)
        for path in places:
            if suspects is not None and not any(_leads(path, each) or _leads(each, path) for each in suspects):
                continue
            passed: Any = _MISSING
            for value in self._candidates(path, constants):
                broken = self._breaks({**before, path: value}, application)
                if broken:
                    value = self._smaller({**before, path: value}, path, passed, application)
                    return self._made(self._fewer({**before, path: value}, application), path)
                if broken is False:
                    passed = value
        self._left = max(self._left, _TOGETHER)
        for part, told in refuted:
            changes = self._within(part, told)
            if changes and self._breaks(changes, application):
                fewer = self._fewer(changes, application)
                return self._made(fewer, next(iter(fewer)))
        return None

    def _bringing(self, application: Application, places: Sequence[Path]) -> dict[Path, Any]:
        """A choice with which there is what the rule is about, where the environment has none of it."""
        if application.entry is None or self._now.present(application.entry.steps) != []:
            return {}
        for path in places:
            for value in self._symbols.type(path).options or ():
                world = self._trial({path: value})
                if world is not None and world.present(application.entry.steps):
                    return {path: value}
        return {}

    # -- what is changed

    def _places(self, path: Path, value: Any) -> Iterator[Path]:
        """The parts of a parameter that are changed one by one, as far as the environment has them."""
        known = self._symbols.type(path)
        if known.options is None and type(value) is dict and known.fields is not None:
            for name in known.fields:
                yield from self._places((*path, name), value.get(name, _MISSING))
            return
        if known.options is None and type(value) is list:
            for index, item in enumerate(value[:_ITEMS]):
                yield from self._places((*path, index), item)
        yield path

    def _candidates(self, path: Path, constants: Sequence[Any]) -> Iterator[Any]:
        """What a part is changed to, the smallest first."""
        known = self._symbols.type(path)
        found: list[Any] = []
        if known.options is not None:
            found = list(known.options)
        elif known.is_only("int", "double"):
            found = _numbers(known, constants)
        elif known.is_only("string"):
            found = [*_texts(known, constants), *self._samples(path)]
            found.sort(key=lambda each: (len(each), each) if isinstance(each, str) else (0, ""))
        elif known.is_only("list"):
            now = _at(self._plain, path)
            found = [now[:count] for count in range(min(len(now), _ITEMS))] if type(now) is list else []
            found += self._samples(path)
        else:
            found = self._samples(path)
        now = _at(self._plain, path)
        yield from (each for each in found if not (type(each) is type(now) and each == now))
        if len(path) > 1 and isinstance(path[-1], str) and now is not _MISSING:
            above = self._symbols.type(path[:-1]).fields or {}
            if path[-1] in above and not above[path[-1]].required:
                yield REMOVED

    def _samples(self, path: Path) -> list[Any]:
        schema = self._symbols.schema(path)
        return [sampled(schema, number) for number in range(_SAMPLES)] if schema is not None else []

    # -- trials

    def _accepted(self, changes: Mapping[Path, Any]) -> Values | None:
        """All values with some changed; None where a declaration does not take one."""
        plan = self._setting.plan
        changed = self._plain
        for path, value in changes.items():
            changed = _with(changed, path, value)
        values = dict(self._given)
        for name in {str(path[0]) for path in changes}:
            declaration = plan.template.parameters[name]
            if changed.get(name, _MISSING) is _MISSING:
                return None
            value = plan.checker.as_declared(declaration, changed[name])
            if plan.checker.violations(declaration, value):
                return None
            values[name] = plan.checker.marked(declaration, value)
        return values

    def _breaks(self, changes: Mapping[Path, Any], application: Application) -> bool | None:
        """Whether changed values break a rule; None where they are not accepted, or nothing more may be tried."""
        if self._left <= 0 or self._setting.meter.spent:
            return None
        key = tuple(repr((path, type(value), value)) for path, value in changes.items())
        if key not in self._tried:
            self._tried[key] = self._trial(changes)
        world = self._tried[key]
        if world is None:
            return None
        self._left -= 1
        return _fails(world, application)

    def _trial(self, changes: Mapping[Path, Any]) -> World | None:
        """The environment with changed values; None where they are not accepted."""
        values = self._accepted(changes)
        world = self.world(values) if values is not None else None
        return world if world is not None and world.limits() is not None else None

    def _smaller(self, changes: Mapping[Path, Any], path: Path, passed: Any, application: Application) -> Any:
        """The smallest integer at a path that breaks, between one that does not and one that does."""
        broken = changes[path]
        if type(passed) is not int or type(broken) is not int:
            return broken
        self._left += _HALVINGS
        while abs(broken - passed) > 1:
            middle = (broken + passed) // 2
            if self._breaks({**changes, path: middle}, application):
                broken = middle
            else:
                passed = middle
        return broken

    def _fewer(self, changes: dict[Path, Any], application: Application) -> dict[Path, Any]:
        """As few of some changes as are needed."""
        for path in list(changes):
            rest = {each: value for each, value in changes.items() if each != path}
            if rest and self._breaks(rest, application):
                changes = rest
        return changes

    def _made(self, changes: dict[Path, Any], main: Path) -> Witness:
        values = self._accepted(changes)
        assert values is not None
        order = list(self._setting.plan.template.parameters)
        ordered = sorted(changes, key=lambda path: order.index(str(path[0])))
        shown = [Change(path, REMOVED if changes[path] is REMOVED else _at(values, path)) for path in ordered]
        return Witness(tuple(shown), main, values)

    # -- what the walk said

    def _within(self, part: Part, told: Refuted) -> dict[Path, Any]:
        """Changes that lead into a part, and into the ranges in which a rule is said to break."""
        changes: dict[Path, Any] = {}
        for path in (*part.opened, *part.settled, *told.ranges):
            root = str(path[0])
            if root in self._setting.plan.template.parameters:
                changes[(root,)] = self._inside((root,), part, told)
            elif root in self._symbols.sources:
                source = self._symbols.sources[root]
                now = _at(self._plain, source)
                first = self._inside((root,), part, told, now[0] if type(now) is list and now else _MISSING)
                if type(now) is list and first is not _MISSING:
                    changes[source] = [first, *now[1:]]
        return {path: value for path, value in changes.items() if value is not _MISSING}

    def _inside(self, path: Path, part: Part, told: Refuted, now: Any = _MISSING) -> Any:
        """A value within a part, as near to the environment's own as is easy."""
        now = _at(self._plain, path) if now is _MISSING else now
        if path in part.settled:
            return part.settled[path]
        held = part.opened.get(path)
        if held is None:
            known = told.ranges.get(path)
            if known is not None:
                return now if type(now) is int and _fits(now, known) else _least(known)
            return now if now is not _MISSING else next(iter(self._samples(path)), _MISSING) if self._is_own(path) else _MISSING
        if isinstance(held, int):
            return [self._inside((*path, index), part, told, _at(now, (index,))) for index in range(held)]
        found = {name: self._inside((*path, name), part, told, _at(now, (name,))) for name in held}
        return _MISSING if any(each is _MISSING for each in found.values()) else found

    def _is_own(self, path: Path) -> bool:
        return str(path[0]) in self._setting.plan.template.parameters


def _fails(world: World, application: Application) -> bool:
    """Whether a rule is surely broken where all is settled."""
    return any(each.require is False and not each.guards for each in world.goals(application) or ())


def _leads(path: Path, other: Path) -> bool:
    """Whether a path leads into what stands at another."""
    return path[: len(other)] == other


def _constants(application: Application) -> list[Any]:
    """The constants that a rule speaks of, or the bounds of a schema."""
    if application.rule is None and application.entry is not None:
        return _bounds(application.entry.kind.schema)
    parts = conditions_of(application)
    formulas = [formula for part in parts for formula, _, _ in formulas_of(part)]
    given = [each.value for each in parts if isinstance(each, Constant)]  # what the ruleset names, or takes
    listed = [each for value in given for each in (value if isinstance(value, list) else [value])]
    return [*(each.value for formula in formulas for each in nodes(formula.program.node) if isinstance(each, Literal)), *listed]


def _bounds(schema: Any) -> list[Any]:
    """The numbers that a schema sets as bounds."""
    found: list[Any] = []
    waiting = [schema]
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            found += [value for key, value in part.items() if key in _BOUNDS and type(value) in (int, float)]
        waiting += part.values() if isinstance(part, dict) else part if isinstance(part, list) else ()
    return sorted(set(found))


_BOUNDS = frozenset(
    (
        *("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "minLength", "maxLength"),
        *("minItems", "maxItems", "minProperties", "maxProperties", "multipleOf"),
    )
)


def _numbers(known: Type, constants: Sequence[Any]) -> list[Any]:
    """Numbers within the bounds of a type, the nearest to nothing first."""
    bounds = [each for each in (known.low, known.high) if each is not None]
    given = [each for each in constants if type(each) in (int, float) and math.isfinite(each)]
    found = {0, 1, -1, *bounds, *(each + step for each in (*given, *bounds) for step in (-1, 0, 1)), *(_FAR if known.high is None else ())}
    fitting = [int(each) if known.is_only("int") else float(each) for each in found if _fits(each, known)]
    return sorted(dict.fromkeys(fitting), key=lambda each: (abs(each), each))


def _texts(known: Type, constants: Sequence[Any]) -> list[str]:
    """Texts that a rule speaks of, and of lengths that it may compare with."""
    words = [each for each in constants if type(each) is str]
    # A text is mostly joined with few letters: its own length that matters is a little less than the one that is spoken of.
    lengths = {each + step for each in constants if type(each) is int for step in range(-_JOINED, 2) if 0 <= each + step <= _LONG}
    lengths |= {known.shortest, *((known.longest,) if known.longest is not None and known.longest <= _LONG else ())}
    return [*words, *("x" * each for each in sorted(lengths))]


def _fits(value: float, known: Type) -> bool:
    return (known.low is None or value >= known.low) and (known.high is None or value <= known.high)


def _least(known: Type) -> int:
    """The integer of a range that is nearest to nothing."""
    if _fits(0, known):
        return 0
    return int(known.low if known.low is not None and known.low > 0 else known.high or 0)


def _at(value: Any, path: Path) -> Any:
    for step in path:
        if isinstance(value, Secret):
            return value  # all of it
        if isinstance(value, dict):
            value = value.get(step, _MISSING)
        elif isinstance(value, list) and isinstance(step, int) and step < len(value):
            value = value[step]
        else:
            return _MISSING
    return value


def _with(value: Any, path: Path, changed: Any) -> Any:
    """A value with a part changed; what holds it is copied."""
    if not path:
        return changed
    step, rest = path[0], path[1:]
    if isinstance(value, list) and isinstance(step, int):
        return [_with(item, rest, changed) if index == step else item for index, item in enumerate(value)]
    held = value if isinstance(value, dict) else {}
    below = _with(held.get(step, {}), rest, changed)
    return {name: each for name, each in {**held, step: below}.items() if each is not REMOVED}
