"""What is left of an expression once all that is known has been put in: the canonical form of a pending value (docs/expressions.md, "Pending").

Two pending values are equal where their residuals are. A residual is written in the language itself, with references as addresses
of resources: `size(net.ranges) + 2`, or, joined into text, `http://${ledger.address}/v1`. Nothing is reordered.
"""

import json
import math
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.pending import Hidden, Pending, Reference, Segment, exact
from jovial_scaffold.core.expressions.times import Duration, Timestamp
from jovial_scaffold.core.expressions.values import (
    NONE,
    Optional,
    Record,
    Secret,
    TypeValue,
    UInt,
    has_pending,
    key_value,
    sorted_keys,
)
from jovial_scaffold.core.limits import RESIDUAL_TEXT

Operand = Any
"""A value of the language: plain, pending, secret, or a list or map of such."""


def pending_property(address: str, path: str) -> Pending:
    """A property that only the cloud sets, at a JSON Pointer without its first slash."""
    return Pending((f"{address}:{path}",), (Reference(address, path),), primary=True)


def bound_variable(depth: int) -> Pending:
    """The variable of a loop over what is pending, by how deep the loop stands: renamed, so that its own name does not matter."""
    return Pending((f"_{depth}",), (f"_{depth}",), primary=True)  # what is inside of the loop depends on it


def failed(id: str) -> Pending:
    """An expression that has no value, where only the deployment can know whether it is reached."""
    return Pending((), (f"fails({json.dumps(id)})",), primary=True)


def field_of(operand: Operand, field: str, optional: bool = False) -> Any:
    """`operand.field`, or `operand.?field`."""
    return _made([operand], (*_primary(operand), f".{'?' * optional}{field}"), primary=True)


def item_of(operand: Operand, key: Operand, optional: bool = False) -> Any:
    """`operand[key]`, or `operand[?key]`."""
    return _made([operand, key], (*_primary(operand), f"[{'?' * optional}", *_written(key), "]"), primary=True)


def called(name: str, operands: Sequence[Operand], method: bool) -> Any:
    """`name(…)`, or `first.name(…)` of a method."""
    before = (*_primary(operands[0]), f".{name}(") if method else (f"{name}(",)
    return _made(operands, (*before, *_listed(operands[method:]), ")"), primary=True)


def unary(operator: str, operand: Operand) -> Any:
    """`!operand` or `-operand`."""
    return _made([operand], (operator, *_primary(operand)))


def binary(operator: str, a: Operand, b: Operand) -> Any:
    """`a operator b`; adding to a text joins."""
    if operator == "+" and any(map(_is_text, (a, b))) and all(_is_text(each) or type(each) is Pending for each in (a, b)):
        return joined([a, b], added=True)
    made = _made([a, b], (*_primary(a), f" {operator} ", *_primary(b)))
    if operator == "+" and type(a) is type(b) is type(made) is Pending and not made.primary:
        return Pending(made.origins, made.segments, added=(*(a.added or (a,)), *(b.added or (b,))))
    return made


def logic(operator: str, operands: Sequence[Operand]) -> Any:
    """`a && b && …`: what is known and does not decide is left out before; one alone is itself."""
    if len(operands) == 1 and type(operands[0]) is Pending:
        return operands[0]
    return _made(operands, _between(f" {operator} ", [_primary(each) for each in operands]))


def conditional(condition: Operand, then: Operand, otherwise: Operand) -> Any:
    """`condition ? then : otherwise`."""
    return _made([condition, then, otherwise], (*_primary(condition), " ? ", *_primary(then), " : ", *_primary(otherwise)))


def looped(name: str, target: Operand, variables: Sequence[Operand], bodies: Sequence[Operand]) -> Any:
    """A macro over what is pending."""
    made = _made([target, *bodies], (*_primary(target), f".{name}(", *_listed([*variables, *bodies]), ")"), primary=True)
    pending: Pending = made.value if isinstance(made, Secret) else made
    closed = Pending(pending.origins.difference(*(each.origins for each in variables)), pending.segments, primary=True)
    return Secret(closed) if isinstance(made, Secret) else closed


def listed(items: Sequence[tuple[Operand, Operand]]) -> Any:
    """A list of items of which some are there only if a condition holds: pairs of condition (true where it is there) and item."""
    written = [_entry((), test, item) for test, item in items]
    return _made([part for pair in items for part in pair], ("[", *_between(", ", written), "]"), primary=True)


def mapped(entries: Sequence[tuple[Operand, Operand, Operand]]) -> Any:
    """A map of entries of which some are there only if a condition holds: condition, key and value of each."""
    written = [_entry((*_written(key), ": "), test, value) for test, key, value in entries]
    return _made([part for entry in entries for part in entry], ("{", *_between(", ", written), "}"), primary=True)


def optional_entries(items: Sequence[tuple[bool, Operand, Operand]], key: bool) -> Any:
    """A list, or with `key` a map, of which an optional item is pending: whether it is there is, too."""
    opened, closed = "{}" if key else "[]"
    written = [("?" * optional, *((*_written(name), ": ") if key else ()), *_written(value)) for optional, name, value in items]
    parts = [part for _, name, value in items for part in (name, value)]
    return _made(parts, (opened, *_between(", ", written), closed), primary=True)


def joined(parts: Iterable[Operand], added: bool = False) -> Any:
    """Text and values as one text; known texts beside each other are one. `added` by `+`, which takes texts only."""
    parts = list(parts)
    found: list[str | Hidden | Pending] = []
    for part in parts:
        for piece in _pieces(part, added):
            if isinstance(piece, str) and found and isinstance(found[-1], str):
                found[-1] += piece
            elif not isinstance(piece, str) or piece:
                found.append(piece)
    if len(found) == 1 and isinstance(found[0], Pending):
        return _sealed(parts, found[0])
    made = _made(parts, _between(" + ", [_piece(each) for each in found]))
    pending = made.value if isinstance(made, Secret) else made
    if pending.primary:  # too long: a digest stands for all of it
        return made
    return _sealed(parts, Pending(pending.origins, pending.segments, tuple(found)))


def _made(operands: Sequence[Operand], segments: Sequence[Segment], primary: bool = False) -> Any:
    origins: set[str] = set()
    for operand in operands:
        _gather(operand, origins)
    merged: list[Segment] = []
    for segment in segments:
        if isinstance(segment, str) and merged and isinstance(merged[-1], str):
            merged[-1] += segment
        else:
            merged.append(segment)
    if (
        sum(len(each) if isinstance(each, str) else len(each.exact) if isinstance(each, Hidden) else 20 for each in merged)
        > RESIDUAL_TEXT.most
    ):
        # Too long to carry about: a digest stands for it, of secrets one that nobody is shown.
        import hashlib

        digest = hashlib.sha256(exact(merged).encode("utf-8", "surrogatepass")).hexdigest()[:32]
        secret = any(isinstance(each, Hidden) for each in merged)
        merged, primary = (["long(", Hidden((digest,)), ")"] if secret else [f'long("{digest}")']), True
    return _sealed(operands, Pending(origins, tuple(merged), primary=primary))


def _sealed(operands: Sequence[Operand], pending: Pending) -> Any:
    """Secret as a whole where only secrets hold what is pending: that it is pending at all is secret then."""
    return pending if any(_is_open(operand) for operand in operands) else Secret(pending)


def _is_open(operand: Operand) -> bool:
    """Whether something is pending in it that is not inside of a secret."""
    return has_pending(operand, through_secrets=False)


def _gather(operand: Operand, origins: set[str]) -> None:
    stack = [operand]
    while stack:
        value = stack.pop()
        if type(value) is Pending:
            origins.update(value.origins)
        elif type(value) is Secret or type(value) is Optional:
            stack.append(value.value)
        elif type(value) is dict:
            stack.extend(value.values())
        elif type(value) is list:
            stack.extend(value)


def _is_text(value: Operand) -> bool:
    held = value.value if type(value) is Secret else value
    return type(held) is str or (type(held) is Pending and held.joined is not None)


def _pieces(part: Operand, added: bool) -> Iterator[str | Hidden | Pending]:
    """The pieces of one part of a text."""
    if type(part) is Pending:
        yield from part.joined if part.joined is not None else part.added if added and part.added else (part,)
    elif type(part) is Secret:
        yield _hidden(part)
    else:
        yield scalar_text(part)


def _piece(piece: "str | Hidden | Pending") -> tuple[Segment, ...]:
    if isinstance(piece, Pending):
        return piece.segments if piece.primary else ("(", *piece.segments, ")")
    return (piece if isinstance(piece, Hidden) else _literal(piece),)


def _primary(operand: Operand) -> tuple[Segment, ...]:
    written = _written(operand)
    is_primary = operand.primary if type(operand) is Pending else not (isinstance(operand, int | float) and operand < 0)
    return written if is_primary else ("(", *written, ")")


def _entry(key: tuple[Segment, ...], test: Operand, item: Operand) -> tuple[Segment, ...]:
    if test is True:
        return (*key, *_written(item))
    return ("?", *key, *_primary(test), " ? optional.of(", *_written(item), ") : optional.none()")


def _listed(operands: Sequence[Operand]) -> tuple[Segment, ...]:
    return _between(", ", [_written(each) for each in operands])


def _between(separator: str, written: Sequence[tuple[Segment, ...]]) -> tuple[Segment, ...]:
    found: list[Segment] = []
    for index, each in enumerate(written):
        found += [separator, *each] if index else each
    return tuple(found)


def _hidden(secret: Secret) -> Hidden:
    return Hidden(_written(secret.value))


def _written(value: Operand) -> tuple[Segment, ...]:
    """A value as the language writes it."""
    kind = type(value)
    if kind is Pending:
        return value.segments if not value.template else (value.template,)
    if kind is Secret:
        return (_hidden(value),)
    if kind is list:
        return ("[", *_listed(value), "]")
    if kind is dict:
        entries = [(*_written(key_value(key)), ": ", *_written(value[key])) for key in sorted_keys(value)]
        return ("{", *_between(", ", entries), "}")
    if kind is Optional:
        return ("optional.none()",) if value is NONE else ("optional.of(", *_written(value.value), ")")
    if isinstance(value, Record):
        return _written(value.whole())
    return (_literal(value),)


def _literal(value: Any) -> str:
    kind = type(value)
    if kind is str:
        return json.dumps(value, ensure_ascii=False)
    if value is None or kind is bool:
        return {None: "null", True: "true", False: "false"}[value]
    if kind is UInt:
        return f"{int(value)}u"
    if kind is bytes:
        return 'b"' + "".join(f"\\x{byte:02x}" for byte in value) + '"'
    if kind is Timestamp or kind is Duration:
        return f'{value.type_name}("{value!r}")'
    if kind is float and not math.isfinite(value):
        return f'double("{value}")'
    if kind is TypeValue:
        return str(value.name)
    return repr(value)
