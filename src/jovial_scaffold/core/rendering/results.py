"""What comes of rendering one environment, as plain data: it can be kept, compared and sent to other processes, and says nothing of how it
was computed."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.expressions.values import Secret, revealed
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.shapes import filled, with_secrets
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN


@dataclass(slots=True, eq=False)
class RenderedResource:
    """A resource as it would be deployed. `properties` may hold pending and secret marks at any depth."""

    address: str
    type: ResourceType | None
    type_text: str
    properties: dict[str, Any]
    after: tuple[str, ...]
    faulty: tuple[Pointer, ...]
    keep: bool
    formerly: str

    @property
    def effective(self) -> dict[str, Any]:
        """The properties with the schema's defaults filled in, pending what the cloud sets, and unknown what has a finding."""
        written = self.properties
        for pointer in self.faulty:
            written = _without(written, pointer)
        return self._filled(written)

    @property
    def as_written(self) -> dict[str, Any]:
        """The same, with what has a finding as it is."""
        return self._filled(self.properties)

    def _filled(self, written: dict[str, Any]) -> dict[str, Any]:
        shape = self.type.shape if self.type else None
        result: dict[str, Any] = with_secrets(shape, filled(shape, written, self.address))
        return result


def _without(value: Any, pointer: Pointer) -> Any:
    """The value with an unknown one at the pointer, and nothing else changed."""
    if not pointer:
        return UNKNOWN
    if isinstance(value, dict):
        return {**value, pointer[0]: _without(value.get(pointer[0], {}), pointer[1:])}
    if isinstance(value, list) and isinstance(pointer[0], int) and pointer[0] < len(value):
        return [_without(item, pointer[1:]) if index == pointer[0] else item for index, item in enumerate(value)]
    return UNKNOWN


@value_record
class RenderedDocument:
    """A document of one environment. `text` is masked; `value` is the whole text, secret or pending as its parts are; `to` is where it is
    written. `compared` is the text with what is masked in it told apart: for comparing only."""

    name: str
    to: str | None
    text: str
    value: Any
    compared: str


@dataclass(slots=True, eq=False)
class Rendering:
    """One environment, rendered. `rounds` are groups of addresses that can be deployed together, in order.

    `label` is how a comparison calls it: the environment's name, or what it was asked for by (`live?copies=4`, `live@HEAD~1`).
    """

    environment: str
    context: dict[str, Any]
    parameters: Parameters
    resources: Mapping[str, RenderedResource]
    documents: Mapping[str, RenderedDocument]
    outputs: Mapping[str, Any]
    findings: list[Finding] = field(default_factory=list)
    rounds: list[list[str]] = field(default_factory=list)
    label: str = ""

    def __post_init__(self) -> None:
        self.label = self.label or self.environment


def without_masks(rendering: Rendering) -> Rendering:
    """The same rendering with secrets as plain values: for the one file that may hold them."""
    return replace(
        rendering,
        resources={address: replace(each, properties=revealed(each.properties)) for address, each in rendering.resources.items()},
        documents={
            name: replace(each, text=each.value.value) if isinstance(each.value, Secret) else each
            for name, each in rendering.documents.items()
        },
        outputs=revealed(rendering.outputs),
    )
