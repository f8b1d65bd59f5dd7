"""Parameter values inside of other people's files: an envelope says where in them the values stand, and how each is wrapped.

An envelope is a file of its own: `envelope` (what it is, in words), and JSON Pointers (RFC 6901): `values` to the map or list that holds the
values, `value` from an entry to its value, `name` from an item of a list to its name; `skip` lists names that are no parameters, `around` is
what else stands in such a file when one is written.
"""

import json
from collections.abc import Iterator, Sequence
from functools import partial
from typing import Any, NamedTuple

from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.text.source import Place, Pointer, Source, Wrapping, split_pointer, value_at
from jovial_scaffold.core.text.written_values import Unwritable, toml_key, toml_value, yaml_lines
from jovial_scaffold.core.words import Described, Sentence, listed, nearest, say

_KEYS = ("envelope", "values", "value", "name", "skip", "around")
_MANUAL = say("See docs/parameters.md.")
_NOTHING: Any = object()
_BROKEN = 400  # characters: no map stands on one line with a text as long
_STEP = 2  # spaces


class Envelope(NamedTuple):
    """Where values stand in a file, and how each is wrapped."""

    values: Pointer
    value: Pointer
    name: Pointer | None
    skip: tuple[str, ...]
    around: dict[str, Any]
    source: Source | None = None  #: where it is written

    def wrong(self, key: str, message: Sentence, at: Span, hint: Sentence) -> Finding:
        """What it says under a key is not so in a file, at a span: to be mended where it says so."""
        source = self.source
        if source is None or key not in source.value:
            return Finding("envelope-shape", "error", message, at, hint)
        return Finding("envelope-shape", "error", message, source.key_span((key,)), hint, related=(Related(at, say("It is this file.")),))


def read_envelope(source: Source) -> tuple[Envelope | None, list[Finding]]:
    """An envelope, and what is wrong with it."""
    whole = source.value
    findings: list[Finding] = []

    def report(message: Any, *pointer: str | int, hint: Sentence = _MANUAL) -> None:
        span = source.key_span(pointer) if pointer else source.value_span(())
        findings.append(Finding("envelope-shape", "error", message, span, hint))

    if not isinstance(whole, dict) or not isinstance(whole.get("envelope"), str):
        report(say("An envelope is a map with `envelope`, and this is {}.", Described(whole)))
        return None, findings
    for key in whole:
        if key not in _KEYS and key != "$schema":
            report(say("An envelope has no key `{}`.", key), key, hint=nearest(key, _KEYS, say("Its keys are {}.", listed(_KEYS))))
    pointers: dict[str, Pointer | None] = {}
    for key in ("values", "value", "name"):
        text = whole.get(key)
        if text is not None and (not isinstance(text, str) or (text and text[0] != "/")):
            report(say("`{}` is a JSON Pointer, and this is {}.", key, Described(text)), key, hint=say("For example: {}: /{}", key, key))
        pointers[key] = split_pointer(text[1:]) if isinstance(text, str) and text[:1] == "/" else None if text is None else ()
    skip, around = whole.get("skip", []), whole.get("around", {})
    if not isinstance(skip, list) or not all(isinstance(each, str) for each in skip):
        report(say("`skip` is a list of names, and this is {}.", Described(skip)), "skip")
    if not isinstance(around, dict):
        report(say("`around` is a map, and this is {}.", Described(around)), "around")
    if pointers["name"] is not None and not pointers["value"] and not findings:
        report(say("Of the items of a list, `value` says where the value stands."), "name", hint=say("For example: value: /value"))
    if findings:
        return None, findings
    return Envelope(pointers["values"] or (), pointers["value"] or (), pointers["name"], tuple(skip), around, source), []


def unwrapped(source: Source, envelope: Envelope) -> tuple[Source | None, list[Finding]]:
    """The values of a file as a source of their own, whose places are those in the file."""
    envelope = envelope._replace(values=_along(source.value, envelope.values))
    held = value_at(source.value, envelope.values, _NOTHING) if envelope.values else source.value
    wanted = dict if envelope.name is None else list
    if not isinstance(held, wanted):
        found = "nothing is there" if held is _NOTHING else say("{} is there", Described(held))
        kind = "a map" if wanted is dict else "a list"
        message = say("The envelope says that {} of values stands at {}, and {}.", kind, _shown(envelope.values), found)
        return None, [envelope.wrong("values", message, source.span(0, 1), say("Correct `values` of the envelope."))]
    findings: list[Finding] = []
    inside: dict[str, Pointer] = {}
    values: dict[str, Any] = {}
    for name, at, value in _entries(held, envelope, source, findings):
        inside[name] = (*envelope.values, *at)
        values[name] = value
    places = source.places()

    def locate(_: str) -> dict[Pointer, Place]:
        found: dict[Pointer, Place] = {(): places.get(envelope.values) or Place(0, 0, 0, len(source.text), "")}
        heads = {pointer: name for name, pointer in inside.items()}
        for pointer, place in places.items():
            for depth in range(len(pointer), 0, -1):
                name = heads.get(pointer[:depth])
                if name is not None:
                    found[(name, *pointer[depth:])] = place if depth < len(pointer) else _named(place, pointer, envelope, places)
                    break
        return found

    made = Source(source.name, source.text, values, locate, source.broken)
    made.problems = source.problems
    entries = {name: pointer[: len(envelope.values) + 1] for name, pointer in inside.items()}
    made.wrapped = Wrapping(source, partial(_wrapped_entry, envelope), entries.__getitem__)
    return made, findings


def _wrapped_entry(envelope: Envelope, name: str, value: Any) -> tuple[Pointer, str | None, Any]:
    """Where a new value is put, under which key, and what."""
    if envelope.name is None:
        return envelope.values, name, _nested(envelope.value, value)
    return envelope.values, None, _with(_with({}, envelope.name, name), envelope.value, value)


def _along(value: Any, pointer: Pointer) -> Pointer:
    """A pointer whose steps through lists are numbers."""
    found: list[str | int] = []
    for step in pointer:
        found.append(int(step) if isinstance(value, list) and str(step).isdigit() else step)
        value = value_at(value, (found[-1],), None)
    return tuple(found)


def _entries(held: Any, envelope: Envelope, source: Source, findings: list[Finding]) -> Iterator[tuple[str, Pointer, Any]]:
    """The name, the pointer and the value of each entry."""
    for key, item in held.items() if isinstance(held, dict) else enumerate(held):
        name = key if envelope.name is None else value_at(item, envelope.name, None)
        at = (*envelope.values, key)
        if not isinstance(name, str):
            message = say("The envelope says that a name stands at {}, and there is none.", _shown(envelope.name or ()))
            findings.append(envelope.wrong("name", message, source.value_span(at), say("Correct `name` of the envelope.")))
            continue
        if name in envelope.skip:
            continue
        inner = _along(item, envelope.value)
        value = value_at(item, inner, _NOTHING) if inner else item
        if value is _NOTHING:
            message = say("The envelope says that the value of `{}` stands at {}, and there is none.", name, _shown(envelope.value))
            hint = say("Correct `value` of the envelope, or name it under `skip`.")
            findings.append(envelope.wrong("value", message, source.key_span(at), hint))
            continue
        yield name, (key, *inner), value


def _named(place: Place, pointer: Pointer, envelope: Envelope, places: dict[Pointer, Place]) -> Place:
    """The place of a value, with that of its name as its key."""
    entry = pointer[: len(envelope.values) + 1]
    if envelope.name is None:
        key = places[entry]
        return place._replace(key_start=key.key_start, key_end=key.key_end)
    name = places[(*entry, *envelope.name)]
    return place._replace(key_start=name.start, key_end=name.end)


def wrapped(values: dict[str, Any], envelope: Envelope) -> Any:
    """Values as such a file holds them."""
    held: Any = {name: _nested(envelope.value, value) for name, value in values.items()}
    if envelope.name is not None:
        held = [_with(_with({}, envelope.name, name), envelope.value, value) for name, value in values.items()]
    if not envelope.values:
        return held
    return _with({**envelope.around}, envelope.values, held)


def wrapped_text(values: dict[str, Any], envelope: Envelope, notation: str) -> str:
    """The same as a text in a notation (`yaml`, `json`, `toml`), without comments. Raises Unwritable."""
    whole = wrapped(values, envelope)
    if notation == "json":
        return json.dumps(whole, indent=2, ensure_ascii=False) + "\n"
    if notation == "yaml":
        entries = whole.items() if isinstance(whole, dict) else ((None, each) for each in whole)
        lines = [line for key, value in entries for line in yaml_lines(key, value, "")]
        return "".join(f"{line}\n" for line in lines)
    if notation == "toml" and isinstance(whole, dict):
        return "".join(f"{toml_key(key)} = {toml_value(value)}\n" for key, value in whole.items())
    raise Unwritable(notation)


class FormEntry(NamedTuple):
    """A parameter in a form: what is said of it, and its value to be filled in; without one, `notes` only say what it is."""

    name: str
    comments: Sequence[str]
    value: Any = None
    notes: Sequence[str] = ()


def wrapped_form(entries: Sequence[FormEntry], envelope: Envelope) -> str:
    """A form in YAML inside of an envelope, each entry behind what is said of it."""
    mark = "x" * _BROKEN
    whole = _with({**envelope.around}, envelope.values, mark) if envelope.values else {}
    lines = [line for key, value in whole.items() for line in yaml_lines(key, value, "")]
    at = next((number for number, line in enumerate(lines) if line.endswith(f": {mark}")), len(lines))
    head = lines[at : at + 1]
    indent = " " * (len(head[0]) - len(head[0].lstrip()) + _STEP) if head else ""
    made = []
    for each in entries:
        made += [f"{indent}{line}".rstrip() for line in (*each.comments, *each.notes)]
        if each.value is not None:
            name, item = each.name, _nested(envelope.value, each.value)
            if envelope.name is not None:
                name, item = None, _with(_with({}, envelope.name, each.name), envelope.value, each.value)  # type: ignore[assignment]
            made += yaml_lines(name, item, indent)
    held = "" if any(each.value is not None for each in entries) else " {}" if envelope.name is None else " []"
    lines[at : at + 1] = [*(f"{line.removesuffix(f' {mark}')}{held}" for line in head), *made]
    return "".join(f"{line}\n" for line in lines if head or not held) or f"{held.strip()}\n"


def _nested(pointer: Pointer, value: Any) -> Any:
    for step in reversed(pointer):
        value = {step: value}
    return value


def _with(whole: dict[str, Any], pointer: Pointer, value: Any) -> dict[str, Any]:
    """A map with a value at a place."""
    head, *rest = map(str, pointer)
    inside = whole.get(head)
    return {**whole, head: _with(inside if isinstance(inside, dict) else {}, tuple(rest), value) if rest else value}


def _shown(pointer: Pointer) -> str:
    return "".join(f"/{step}" for step in pointer) or "the root"
