"""What a deployment changes beside resources: outputs and documents, against those that were recorded."""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.changes.aligning import matched_lines, same
from jovial_scaffold.core.changes.dragging import pending_in
from jovial_scaffold.core.changes.effect_records import MISSING, Beside
from jovial_scaffold.core.changes.secrecy import as_secret, covered
from jovial_scaffold.core.changes.snapshots import Snapshot
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import UNSEEN, Secret
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.text.unknown import UNKNOWN


def beside(rendering: Evaluated, known: Evaluated, snapshot: Snapshot, rebuilt: frozenset[str]) -> Iterator[Beside]:
    """The outputs and documents that are not as recorded, by name; `known` has the cloud's values filled in where they are known, those of `rebuilt`
    resources as they were, too."""
    if snapshot.outputs is not None:
        yield from _outputs(rendering, known, snapshot, rebuilt)
    if snapshot.documents is not None:
        yield from _documents(rendering, snapshot, rebuilt)


def _outputs(rendering: Evaluated, known: Evaluated, snapshot: Snapshot, rebuilt: frozenset[str]) -> Iterator[Beside]:
    outputs = snapshot.outputs or {}
    for name in sorted(outputs.keys() | rendering.outputs.keys()):
        was, becomes = outputs.get(name, MISSING), known.outputs.get(name, MISSING)
        if becomes is UNKNOWN:
            continue
        was = as_secret(was, becomes) if was is not MISSING else was
        told = [each if each is MISSING else snapshot.hidden(each) for each in (was, becomes, rendering.outputs.get(name, MISSING))]
        # As it was recorded, before the cloud's values were known, or after.
        is_same = was is not MISSING and becomes is not MISSING and (same(told[0], told[1]) or same(told[0], told[2]))
        anew = _anew(rendering.outputs.get(name), rebuilt)
        if is_same and anew:
            yield Beside("output", name, "in_place", covered(told[0], told[2]), covered(told[2], told[0]), because=anew)
        if is_same:
            continue
        becomes, told[1] = (rendering.outputs[name], told[2]) if anew else (becomes, told[1])
        effect = "add" if was is MISSING else "remove" if becomes is MISSING else "in_place"
        yield Beside(
            "output", name, effect, covered(told[0], told[1]), covered(told[1], told[0]), bool(anew) or not isinstance(becomes, Pending)
        )


def _anew(value: Any, rebuilt: frozenset[str]) -> tuple[str, ...]:
    """The rebuilt resources whose values a value holds."""
    origins = {origin.partition(":")[0] for _, each in pending_in(value) for origin in each.origins} if rebuilt else set[str]()
    return tuple(sorted(origins & rebuilt))


def _documents(rendering: Evaluated, snapshot: Snapshot, rebuilt: frozenset[str]) -> Iterator[Beside]:
    documents = snapshot.documents or {}
    for name in sorted(documents.keys() | rendering.documents.keys()):
        recorded, document = documents.get(name), rendering.documents.get(name)
        if not isinstance(recorded, dict) or document is None:
            yield Beside("document", name, "add" if document is not None else "remove", MISSING, MISSING)
            continue
        if recorded.get("to") != document.to:
            yield Beside("document", f"{name}:to", "in_place", recorded.get("to", MISSING), MISSING if document.to is None else document.to)
        was, becomes = str(recorded.get("text", "")).split("\n"), document.text.split("\n")
        lines = 0
        for row in matched_lines([(0, was), (1, becomes)]) if was != becomes else ():
            old = was[row[0]] if 0 in row else MISSING
            new = becomes[row[1]] if 1 in row else MISSING
            if old != new:
                lines += 1
                yield Beside("document", f"{name}:{row.get(1, row.get(0, 0)) + 1}", "in_place", old, new)
        hashed = recorded.get("secret")
        if not lines and isinstance(hashed, Secret) and isinstance(document.value, Secret) and hashed.value is not UNSEEN:
            told = snapshot.hidden(hashed), snapshot.hidden(document.value)
            if snapshot.key and not same(*told):
                yield Beside("document", name, "in_place", *told)
        anew = () if lines else _anew(document.value, rebuilt)
        if anew:
            yield Beside("document", name, "in_place", because=anew)
