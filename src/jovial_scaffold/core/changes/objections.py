"""What stands against a deployment, or cannot be known of it: what is to be kept or is locked, and secrets that the snapshot does not have."""

from collections.abc import Iterator, Mapping
from typing import Any

from jovial_scaffold.core.changes.causing import Causes
from jovial_scaffold.core.changes.effect_records import Effects
from jovial_scaffold.core.expressions.values import UNSEEN, Secret
from jovial_scaffold.core.findings import Finding, Related, without_positions
from jovial_scaffold.core.limits import TRIAL_ROUNDS
from jovial_scaffold.core.rendering.causes import cause_of
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.words import Counted, listed, say


def violations(result: Effects, rendering: Evaluated) -> Iterator[Finding]:
    """What is to be kept and would be removed or made anew, and properties that are locked and would change."""
    environments = (rendering.label,)
    for each in result.effects:
        resource = rendering.resources.get(each.address)
        deployed = result.snapshot.resources.get(each.formerly or each.address)
        place = resource.instance.resource.origin.key_span() if resource else deployed.origin.key_span() if deployed else None
        if each.keep and each.effect in ("remove", "rebuild"):
            verb = "removed" if each.effect == "remove" else "rebuilt"
            reasons = listed(say("`{}`", pointer_text(change.pointer)) for change in each.rebuilt_for)
            why = say(", because {} would change", reasons) if reasons else ""
            hint = (
                say("Undo the change, or take `$keep` away first.")
                if resource
                else say("Bring it back into the template, or name its new address under `renames`.")
            )
            yield Finding(
                "keep-violated",
                "error",
                say("{} is to be kept, and would be {}{}.", each.address, verb, why),
                place,
                hint,
                each.address,
                "",
                environments,
                group=each.effect,  # of all items of a loop, it is one mistake
            )
        for change in each.changes:
            if change.effect == "locked" and change.counted and change.certain:
                pointer = pointer_text(change.pointer)
                message = say("`{}` of {} is locked: {} cannot change it once it is there.", pointer, each.address, each.type)
                span, cause = place, None
                related: tuple[Related, ...] = ()
                if resource is not None:
                    tracer = tracer_of(resource.instance.scope)
                    span = tracer.place(resource.instance, change.pointer)
                    related = tracer.related(tracer.sources(resource.instance, change.pointer))
                    cause = cause_of(tracer, resource.instance, change.pointer)
                hint = say("Give it its old value, or make another resource and move over.")
                group = without_positions(pointer)
                yield Finding(
                    "property-locked", "error", message, span, hint, each.address, pointer, environments, related, group, cause=cause
                )


def unknown_secrets(result: Effects, known: Evaluated, older: Mapping[str, str]) -> Iterator[Finding]:
    """Secrets of which the snapshot says only that they are there."""
    snapshot = result.snapshot
    unseen = 0
    for there, deployed in snapshot.resources.items():
        if there in older and older[there] in known.resources:
            unseen += _unseen(snapshot.hidden(deployed.properties))
    if unseen:
        message = say("Whether {} changed is not known: the snapshot does not say what they were.", Counted(unseen, "secret"))
        hint = say("With a key, in JOVIAL_SNAPSHOT_KEY or --key-file, `jovial record` writes hashes of them.")
        yield Finding("secrets-unseen", "note", message, None, hint, environments=(result.environment,))


def _unseen(value: Any) -> int:
    """How many secrets inside of a value nobody knows."""
    if isinstance(value, Secret):
        return int(value.value is UNSEEN)
    if isinstance(value, dict | list):
        return sum(map(_unseen, value.values() if isinstance(value, dict) else value))
    return 0


def untried(causing: Causes, environment: str) -> Iterator[Finding]:
    """That some causes were not looked for to the end, as a note."""
    if causing.untried:
        message = say("What causes {} was not tried to the end: that takes too long.", Counted(causing.untried, "effect"))
        hint = say("Give some parameters their recorded values, with --with, and look again.")
        yield Finding(TRIAL_ROUNDS.finding, "note", message, None, hint, environments=(environment,))
