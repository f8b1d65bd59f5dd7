"""Which resources would break as a newer version of their type: said before anybody moves to it."""

from collections.abc import Iterator

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.schemas.shapes import annotated
from jovial_scaffold.core.templates.properties import violation_message
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.words import Sentence, say


def breaking_upgrades(rendering: Evaluated, catalogs: Catalogs) -> Iterator[Finding]:
    """For each resource that the newest version of its type would refuse, the first reason; what is at fault already is left out."""
    for address, resource in rendering.resources.items():
        kind = resource.type
        newest = catalogs.newest(kind) if kind is not None else None
        if kind is None or newest is None or newest is kind or resource.faulty:
            continue
        reasons = list(_reasons(resource, newest))
        if not reasons:
            continue
        pointer, reason = min(reasons, key=lambda each: pointer_text(each[0]))
        more = say(" ({} more)", len(reasons) - 1) if len(reasons) > 1 else say("")
        declared = resource.instance.resource
        yield Finding(
            "type-upgrade-breaks",
            "note",
            say("As {}, {} would not be valid: {}{}", newest.id, declared.name, reason, more),
            declared.origin.key_span(),
            say("jovial catalog compare {} {} shows what else differs.", kind.id, newest.id),
            address,
            "",
            (rendering.label,),
            group=f"{newest.id} {pointer_text(pointer)}",
        )


def _reasons(resource: EvaluatedResource, newest: ResourceType) -> Iterator[tuple[Pointer, Sentence]]:
    notes: list[tuple[str, Pointer]] = []
    marked = annotated(newest.shape, resource.properties, (), notes)
    set_by_cloud = [pointer for note, pointer in notes if note == "read-only"]
    yield from ((pointer, say("`{}` is set by the cloud there.", pointer_text(pointer))) for pointer in set_by_cloud)
    for violation in newest.validator.violations(marked):
        if violation.pointer not in set_by_cloud:
            yield (
                violation.pointer,
                violation_message(violation.id, violation.pointer, violation.message, newest, resource.instance.resource.name),
            )
