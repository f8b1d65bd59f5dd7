"""Layers of values, merged by RFC 7396, and the place that set each value down to its leaves."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.parameters.secrets import is_source
from jovial_scaffold.core.parameters.typing import from_text
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.text.source import Pointer, Source, part


@value_record
class Layer:
    """A flat map from parameter to value. `label` says in words where it comes from when there is no file.

    `texts` is True where all values are text that is read by the declared type, and names match without regard to case.
    """

    label: str
    values: dict[str, Any]
    source: Source | None = None
    texts: bool = False

    def span(self, pointer: Pointer) -> Span | None:
        """Where a value of the layer stands; None for a layer that is no file."""
        return self.source.value_span(self._written(pointer)) if self.source else None

    def key_span(self, pointer: Pointer) -> Span | None:
        """Where the key of a value stands."""
        return self.source.key_span(self._written(pointer)) if self.source else None

    def written(self, pointer: Pointer) -> str:
        """A plain scalar as it stands in the file; nothing for what is none, or where there is no file."""
        return self.source.written(self._written(pointer)) if self.source else ""

    def _written(self, pointer: Pointer) -> Pointer:
        if self.texts and self.source and pointer and isinstance(self.source.value, dict):
            if pointer[0] in self.source.value:
                return pointer
            folded = {key.casefold(): key for key in self.source.value}
            return (folded.get(str(pointer[0]).casefold(), pointer[0]), *pointer[1:])
        return pointer


@value_record
class Setting:
    """What set a value: a layer, and the pointer in it (which is shorter where the layer replaced the whole around it)."""

    layer: Layer
    pointer: Pointer

    def span(self) -> Span | None:
        """Where it stands."""
        return self.layer.span(self.pointer)

    def text(self) -> str:
        """`parameters/live.yaml:9`, or the layer's label."""
        span = self.span()
        return f"{span.file}:{span.line}" if span else self.layer.label


def merged_values(layers: Iterable[Layer]) -> dict[str, Any]:
    """All layers as one map; a null has removed what stood below it."""
    result: dict[str, Any] = {}
    for layer in layers:
        result = _merged(result, layer.values)
    return result


def _merged(base: dict[str, Any], patch: dict[str, Any]) -> dict[str, Any]:
    """RFC 7396, but that where a secret comes from is one value, which replaces and is replaced whole."""
    result = dict(base)
    for key, value in patch.items():
        if value is None:
            result.pop(key, None)
        elif type(value) is dict and not is_source(value):
            below = result.get(key)
            result[key] = _merged(below if type(below) is dict and not is_source(below) else {}, value)
        else:
            result[key] = value
    return result


def setting_of(layers: Iterable[Layer], pointer: Pointer) -> Setting | None:
    """The layer that set the value at a pointer, the latest first; None where no layer did."""
    for layer in reversed(tuple(layers)):
        value: Any = layer.values
        for depth, step in enumerate(pointer):
            if isinstance(value, Secret):
                value = value.value
            try:
                value = part(value, step)
            except KeyError:
                if depth and not isinstance(value, dict):
                    return Setting(layer, pointer[:depth])
                break
        else:
            return Setting(layer, pointer)
    return None


def file_layer(source: Source, texts: bool, schemas: Mapping[str, dict[str, Any]]) -> Layer:
    """The layer of a parameter file. In a file of texts, names match without regard to case."""
    values = source.value if isinstance(source.value, dict) else {}
    if texts:
        values = _folded(values, schemas)
    return Layer(source.name, values, source, texts)


def text_layer(label: str, values: Mapping[str, str], schemas: Mapping[str, dict[str, Any]]) -> Layer:
    """A layer of texts that is no file, such as process variables; `schemas` are those of the declared parameters."""
    return Layer(label, _folded(values, schemas), None, True)


def part_layer(label: str, name: str, pointer: Pointer, text: str, schema: dict[str, Any], below: Iterable[Layer]) -> Layer | None:
    """A layer that sets one part of a parameter, over the layers `below`; None where it has no such part.

    Maps merge, as those of any layer do. An item of a list has no key to merge by, so that the layer holds the whole list. `-` is one more
    item (RFC 6901, section 4).
    """
    whole = value = merged_values(below).get(name)
    steps: list[str | int] = []
    for step in pointer:
        if type(value) is list:
            at = len(value) if step == "-" else int(step) if step.isdigit() else -1  # type: ignore[union-attr]  # a step of a text is one
            if not 0 <= at < len(value) + (step == "-"):
                return None
            steps.append(at)
            value = value[at] if at < len(value) else None
        else:
            steps.append(step)
            value = value.get(step) if type(value) is dict and not is_source(value) else None
    leaf = from_text(text, {"allOf": subschema(schema, tuple(steps))})
    return Layer(label, {name: _with_part(whole, steps, leaf, merges=True)})


def _with_part(whole: Any, steps: Sequence[str | int], leaf: Any, merges: bool) -> Any:
    if not steps:
        return leaf
    first, rest = steps[0], steps[1:]
    if isinstance(first, int):
        items = [*whole, None] if first == len(whole) else whole
        return [_with_part(item, rest, leaf, False) if index == first else item for index, item in enumerate(items)]
    inside = whole if type(whole) is dict and not is_source(whole) else {}
    return {**({} if merges else inside), first: _with_part(inside.get(first), rest, leaf, merges)}


def _folded(values: Mapping[str, Any], schemas: Mapping[str, dict[str, Any]]) -> dict[str, Any]:
    """Texts by the declared names; what is to be a map or list is one already, so that it merges with others."""
    names = {name.casefold(): name for name in schemas}
    found = {}
    for key, value in values.items():
        name = names.get(key.casefold(), key)
        known = from_text(value, schemas[name]) if name in schemas and isinstance(value, str) else value
        found[name] = known if isinstance(known, dict | list) else value
    return found
