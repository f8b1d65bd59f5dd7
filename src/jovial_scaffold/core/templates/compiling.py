"""Values as written to compiled values: texts are split into expressions once, directives of nested maps are understood.

A mistake becomes a finding and an unknown value, so that what depends on it stays silent.
"""

import json
from collections.abc import Collection
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.errors import CutShort, ExpressionError, SyntaxProblem
from jovial_scaffold.core.expressions.placeholders import Formula, Omittable, Programs
from jovial_scaffold.core.findings import Finding, Level, Span
from jovial_scaffold.core.limits import NAME_LENGTH
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.spelling import slip_of
from jovial_scaffold.core.templates.model import (
    FILL_IN,
    Compiled,
    Condition,
    Constant,
    Dynamic,
    ListValue,
    Loop,
    MapValue,
    Overlaid,
    Resource,
    Use,
    parts_of,
)
from jovial_scaffold.core.text.source import Origin, Pointer, pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Described, Sentence, nearest, say, together, told

NAME = regex(r"[a-z][a-z0-9_]*\Z")
NESTED_DIRECTIVES = ("$when", "$per")


_LATER_KEYS = {
    "$value": say("Compute the list in one expression, with map() and filter()."),
}


class Compiler:
    """Compiles the values of one template and collects what is wrong with them."""

    def __init__(self, findings: list[Finding]) -> None:
        self.findings = findings
        self.programs = Programs()

    def report(self, id: str, message: Sentence, span: Any, hint: Sentence = NOTHING, level: Level = "error", **more: Any) -> None:
        """Add a finding."""
        self.findings.append(Finding(id, level, message, span, hint, **more))

    def later(self, what: Sentence, span: Any, hint: Sentence, lost: Any = "") -> None:
        """What the language has and the program does not do yet; the names in what is `lost` by it are not judged."""
        self.report("not-supported-yet", say("{} cannot be used yet.", what), span, hint)
        self.lost_expression(str(lost))

    def value(self, written: Any, origin: Origin, in_list: bool = False) -> Compiled:
        """A value with `${…}` at any depth."""
        kind = type(written)
        if kind is str:
            if "${" not in written:
                return Constant(written, origin)
            return self.text(written, origin)
        if kind is dict:
            return self.map(written, origin, in_list)
        if kind is list:
            items = tuple(self.value(item, origin.child(index), in_list=True) for index, item in enumerate(written))
            if all(type(item) is Constant for item in items):
                return Constant([item.value for item in items if isinstance(item, Constant)], origin)
            return ListValue(items, origin)
        if kind is float and (written != written or written in (float("inf"), float("-inf"))):
            self.report("number-range", say("NaN and infinities are not values."), origin.value_span())
            return Constant(UNKNOWN, origin)
        return Constant(written, origin)

    def text(self, written: str, origin: Origin) -> Compiled:
        """A string with placeholders."""
        try:
            content = self.programs.text(written)
        except SyntaxProblem as problem:
            self.expression_problem(problem, origin)
            self.lost_expression(written)
            return Constant(UNKNOWN, origin)
        return Constant(content, origin) if isinstance(content, str) else Dynamic(content, origin)

    def lost_expression(self, text: str) -> None:
        """A text that could not be read: what it may name is not judged."""

    def expression_problem(self, problem: ExpressionError, origin: Origin) -> None:
        """A finding at the exact characters of an expression."""
        hint = problem.hint
        if isinstance(problem, CutShort) and _may_be_cut(origin):
            if _is_said_to_be_cut(origin):
                return
            hint = say("YAML ends a plain value at ` #`, and inside {} or [] at a comma; quotes around the whole value prevent that.", "{}")
        self.report(problem.id, problem.message, origin.inner_span(problem.start, problem.end), hint)

    def map(self, written: dict[str, Any], origin: Origin, in_list: bool) -> Compiled:
        """A map; `$when` and `$per` in it are directives, `$$name` is a key that begins with a dollar sign."""
        if "<<" in written and not origin.source.name.endswith(".json"):
            self.lost_expression(str(written))
            return Constant(UNKNOWN, origin)  # what it should have been merged with is not known, and was said
        for key, hint in _LATER_KEYS.items():
            if key in written:
                self.later(say("`{}`", key), origin.child(key).key_span(), hint, written)
                return Constant(UNKNOWN, origin)
        if "$open" in written:
            asked = told(str(written["$open"]))
            message = together(say("A value is still to be filled in."), asked)
            self.report("value-open", message, origin.child("$open").value_span(), FILL_IN)
            return Constant(UNKNOWN, origin)
        when = loop = None
        entries: list[tuple[str, Compiled]] = []
        source, pointer = origin
        for key, item in written.items():
            if key[:1] != "$" or key == "$schema":
                if key != "$schema":
                    place = Origin(source, (*pointer, key))
                    plain = type(item) is str and "${" not in item  # as most are
                    entries.append((key, Constant(item, place) if plain else self.value(item, place)))
            elif key.startswith("$$"):
                entries.append((key[1:], self.value(item, origin.child(key))))
            elif key == "$when":
                when = self.condition(item, origin.child(key))
            elif key == "$per" and in_list:
                loop = self.loop(item, origin.child(key))
            else:
                hint = nearest(key, NESTED_DIRECTIVES, say("A property that begins with a dollar sign is written ${}.", key))
                if key == "$per":
                    hint = say("It repeats a whole resource, or a map that is an item of a list.")
                self.report("directive-unknown", say("The directive `{}` has no meaning here.", key), origin.child(key).key_span(), hint)
                meant = slip_of(key, NESTED_DIRECTIVES)  # as which it is taken in
                if meant == "$when" and meant not in written:
                    when = self.condition(item, origin.child(key))
                elif meant == "$per" and meant not in written and in_list:
                    loop = self.loop(item, origin.child(key))
        if when is None and loop is None and all(type(item) is Constant for _, item in entries):
            return Constant({key: item.value for key, item in entries if isinstance(item, Constant)}, origin)
        return MapValue(tuple(entries), origin, when, loop)

    def condition(self, written: Any, origin: Origin) -> Condition:
        """A key that takes an expression without `${}`."""
        if not isinstance(written, str):
            return Condition(Constant(written, origin), origin)
        try:
            return Condition(self.programs.bare(written), origin)
        except SyntaxProblem as problem:
            self.expression_problem(problem, origin)
            self.lost_expression(written)
            return Condition(Constant(UNKNOWN, origin), origin)

    def loop(self, written: Any, origin: Origin) -> Loop | None:
        """`{variable: expression}` or `{"first, second": expression}`."""
        if written is UNKNOWN:
            return Loop(("_",), Condition(Constant(UNKNOWN, origin), origin))
        if isinstance(written, list) and written and all(type(each) is dict for each in written):
            hint = say("Loop over a list of all combinations, or over one of them.")
            self.later(say("A loop of several dimensions"), origin.value_span(), hint, written)
            names = [name.strip() for each in written for key in each for name in key.split(",") if is_name(name.strip())]
            return Loop(tuple(dict.fromkeys(names)) or ("_",), Condition(Constant(UNKNOWN, origin), origin))
        if not isinstance(written, dict) or len(written) != 1:
            shown = Described(written) if not isinstance(written, dict) else say("a map with {} entries", len(written))
            self.report(
                "loop-invalid",
                say("`$per` takes one or two variables and what they go over, and this is {}.", shown),
                origin.value_span(),
                _two_variables(written),
            )
            unknown = Condition(Constant(UNKNOWN, origin), origin)
            if not isinstance(written, dict):
                return Loop(("_",), unknown)
            for over in written.values():
                self.lost_expression(str(over))
            names = [name.strip() for key in written for name in key.split(",") if is_name(name.strip())]
            return Loop(tuple(dict.fromkeys(names)) or ("_",), unknown)
        names, over = next(iter(written.items()))
        variables = tuple(part.strip() for part in names.split(","))
        if len(variables) > 2 or len(set(variables)) != len(variables) or not all(is_name(variable) for variable in variables):
            self.report(
                "loop-invalid",
                say("`{}` is neither one variable nor two with a comma between them.", names),
                origin.child(names).key_span(),
                say("Names begin with a letter: a-z, 0-9 and _."),
            )
            return Loop(("_",), Condition(Constant(UNKNOWN, origin), origin))
        return Loop(variables, self.condition(over, origin.child(names)))


def taken_for(content: dict[str, Any], origin: Origin, keys: Collection[str], strange: Collection[str] | None = None) -> dict[str, Any]:
    """A map in which keys that differ from others by a slip have those names, all of them or only `strange` ones; where they stand in the
    file is noted."""
    found = {}
    for key, value in content.items():
        meant = slip_of(key, keys) if key not in keys and (strange is None or key in strange) else ""
        if meant and meant not in content and meant not in found:
            origin.source.meant[*origin.pointer, meant] = key
            key = meant
        found[key] = value
    return found


def _may_be_cut(origin: Origin) -> bool:
    """Whether YAML may have ended a text before its end: without quotes, and with something behind it in its line."""
    place, text = origin.source.place(origin.pointer), origin.source.text
    return place.style == "plain" and text[place.end : place.end + 1] not in ("", "\n", "\r")


def _is_said_to_be_cut(origin: Origin) -> bool:
    place = origin.source.place(origin.pointer)
    return any(each.id == "yaml-cut" and each.start <= place.end and each.end >= place.start for each in origin.source.problems)


def is_name(text: str) -> bool:
    """Whether a text may be a name of our own."""
    return bool(NAME.match(text)) and len(text) <= NAME_LENGTH.most


def loops_in(value: Compiled) -> list[Loop]:
    """The loops inside a value, at any depth."""
    own = [value.loop] if isinstance(value, MapValue) and value.loop else []
    return own + [loop for _, part in parts_of(value) for loop in loops_in(part)]


def _expressions(value: Compiled, variables: tuple[str, ...]) -> list[tuple[Condition | Dynamic, tuple[str, ...]]]:
    if isinstance(value, Dynamic):
        return [(value, variables)]
    if isinstance(value, Overlaid):  # what `everywhere` gives sees no variables of the resource
        return _expressions(value.base, ()) + _expressions(value.own, variables)
    found: list[tuple[Condition | Dynamic, tuple[str, ...]]] = []
    if isinstance(value, MapValue) and value.loop:
        found.append((value.loop.over, variables))
        variables = (*variables, *value.loop.variables)
    if isinstance(value, MapValue) and value.when:
        found.append((value.when, variables))
    return found + [each for _, part in parts_of(value) for each in _expressions(part, variables)]


def reads_nothing_of(names: frozenset[str], *written: Compiled | Condition | None) -> bool:
    """Whether expressions read none of some names."""
    return all(names.isdisjoint(formula.program.names) for each in written for formula, _, _ in formulas_of(each))


def formulas_of(value: Compiled | Condition | None, variables: tuple[str, ...] = ()) -> list[tuple[Formula, Origin, tuple[str, ...]]]:
    """Every expression inside a value, with its origin and the loop variables it sees."""
    if value is None:
        return []
    if isinstance(value, Condition):
        return [(value.content, value.origin, variables)] if isinstance(value.content, Formula) else []
    found = []
    for owner, seen in _expressions(value, variables):
        if isinstance(owner, Dynamic):
            found += [(formula, owner.origin, seen) for formula in owner.formulas()]
        elif isinstance(owner.content, Formula):
            found.append((owner.content, owner.origin, seen))
    return found


def presence_uses(resource: Resource) -> list[Use]:
    """The expressions that decide whether a resource is there, and which items it has."""
    uses = formulas_of(resource.loop.over) if resource.loop else []
    return uses + formulas_of(resource.when, resource.variables) + formulas_of(resource.key, resource.variables)


def uses_of(resource: Resource) -> list[Use]:
    """Every expression of a resource, its directives' first."""
    return presence_uses(resource) + formulas_of(resource.keep) + formulas_of(resource.properties, resource.variables)


def default_part(name: str, pointer: Pointer) -> Sentence:
    """What a part of a parameter's default is called."""
    return say("`{}` in the default of `{}`", pointer_text(pointer), name) if pointer else say("The default of `{}`", name)


def is_there_once(item: Compiled) -> bool:
    """Whether an item of a list is there once, whatever happens."""
    if isinstance(item, MapValue):
        return item.loop is None and item.when is None
    return not (isinstance(item, Dynamic) and isinstance(item.content, Omittable))


def written_span(compiled: Compiled, pointer: Pointer) -> Span:
    """Where a value was written: an expression without its `${}`, or the part of a constant."""
    while pointer:
        if isinstance(compiled, MapValue) and compiled.loop is None:
            below = compiled.entry(str(pointer[0]))
        elif isinstance(compiled, ListValue) and isinstance(pointer[0], int) and all(map(is_there_once, compiled.items)):
            below = compiled.items[pointer[0]] if pointer[0] < len(compiled.items) else None
        else:
            break
        if below is None:
            break
        compiled, pointer = below, pointer[1:]
    if isinstance(compiled, Dynamic):
        content = compiled.content.formula if isinstance(compiled.content, Omittable) else compiled.content
        if isinstance(content, Formula):
            return compiled.origin.inner_span(content.offset, content.offset + len(content.text.rstrip()))
        return compiled.origin.value_span()
    return compiled.origin.child(*pointer).value_span()


def _two_variables(written: Any) -> Sentence:
    """How `$per` is written, with the two variables that YAML has read as two keys."""
    names = [*written] if isinstance(written, dict) else []
    over = written[names[-1]] if len(names) == 2 and is_name(names[0]) and written[names[0]] is None else None
    if isinstance(over, str):
        return say("Put both variables in quotes, the position or key first: `$per: {}`", content_text({f"{names[0]}, {names[1]}": over}))
    return say('For example: $per: {station: "stations"}')


def shown_text(written: Compiled | Condition) -> str:
    """The same for people: what stands for a secret is not shown, be it in an expression."""
    source, pointer = written.own.origin if isinstance(written, Overlaid) else written.origin
    return marks.SECRET if source.conceals(pointer) else written_text(written)


def shown_content(written: Compiled) -> Any:
    """What stands in the file, with a mark for each part that is not shown."""
    origin = written.own.origin if isinstance(written, Overlaid) else written.origin
    hidden = origin.source.hidden_pointers

    def shown(value: Any, pointer: Pointer) -> Any:
        if not origin.source.conceals(pointer):
            return value
        if pointer in hidden or not isinstance(value, dict | list):
            return marks.SECRET
        if isinstance(value, dict):
            return {key: shown(item, (*pointer, key)) for key, item in value.items()}
        return [shown(item, (*pointer, index)) for index, item in enumerate(value)]

    above = any(origin.pointer[:depth] in hidden for depth in range(len(origin.pointer)))
    return marks.SECRET if above else shown(value_at(origin.source.value, origin.pointer, ""), origin.pointer)


def written_text(written: Compiled | Condition) -> str:
    """What stands in the file."""
    origin = written.own.origin if isinstance(written, Overlaid) else written.origin
    return content_text(value_at(origin.source.value, origin.pointer, ""))


def content_text(content: Any) -> str:
    """What stands in a file: a text as it is, anything else as short JSON."""
    return content.strip() if isinstance(content, str) else json.dumps(content, ensure_ascii=False, default=str)


def overlaid(base: Compiled, own: Compiled) -> Compiled | None:
    """A value merged over another by RFC 7396, now where the parts are known, else when they are; None where nothing remains."""
    if isinstance(own, Constant) and own.value is None:
        return None
    below, above = _entries(base), _entries(own)
    if below is not None and above is not None:
        merged = dict(below)
        for key, item in above.items():
            result = overlaid(merged[key], item) if key in merged else item
            merged.pop(key, None)
            if result is not None and not (isinstance(result, Constant) and result.value is None):
                merged[key] = result
        return MapValue(tuple(merged.items()), own.origin)
    may_be_maps = all(
        not isinstance(each, ListValue) and not (isinstance(each, Constant) and type(each.value) is not dict) for each in (base, own)
    )
    return Overlaid(base, own, own.origin) if may_be_maps else own


def _entries(value: Compiled) -> dict[str, Compiled] | None:
    """The entries of a map that is surely there."""
    if isinstance(value, MapValue) and value.when is None and value.loop is None:
        return dict(value.entries)
    if isinstance(value, Constant) and type(value.value) is dict:
        return {key: Constant(item, value.origin.child(key)) for key, item in value.value.items()}
    return None
