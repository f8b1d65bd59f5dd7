"""Layers of values, merged by RFC 7396, and the place that set each value down to its leaves."""

from collections.abc import Iterable, Mapping
from typing import Any

from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.parameters.secrets import is_source
from jovial_scaffold.core.records import value_record
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


def file_layer(source: Source, texts: bool, declared: Iterable[str]) -> Layer:
    """The layer of a parameter file. In a file of texts, names match without regard to case."""
    values = source.value if isinstance(source.value, dict) else {}
    if texts:
        values = _folded(values, declared)
    return Layer(source.name, values, source, texts)


def text_layer(label: str, values: Mapping[str, str], declared: Iterable[str]) -> Layer:
    """A layer of texts that is no file, such as process variables."""
    return Layer(label, _folded(values, declared), None, True)


def _folded(values: Mapping[str, Any], declared: Iterable[str]) -> dict[str, Any]:
    names = {name.casefold(): name for name in declared}
    return {names.get(key.casefold(), key): value for key, value in values.items()}
