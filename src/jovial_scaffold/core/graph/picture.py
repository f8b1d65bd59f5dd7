"""A rendering as a graph to look at: resources as nodes, loops folded into one, uses of modules as frames, dependencies as edges."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import field
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.limits import MAP_NODES
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.instances import EvaluatedResource, Instance
from jovial_scaffold.core.rendering.rendering import Evaluated

FOLDS = ("loops", "modules", "types")


@value_record
class Node:
    """A resource, or several folded into one: `members` are their addresses. `frame` leads from the outermost frame to its own.

    `mark` says what a comparison found: the name of the only column that has it, "differs", or nothing. `round` counts from 1.
    `look` is what the catalog says of how the type is drawn (docs/catalogs.md), or nothing.
    """

    name: str
    label: str
    type: str
    members: tuple[str, ...]
    round: int
    frame: tuple[str, ...]
    mark: str = ""
    look: str = ""

    @property
    def count(self) -> int:
        """How many resources it stands for."""
        return len(self.members)


@value_record
class Edge:
    """`source` is needed by `target`; `pending` where it hands over a value that only the deployment can know."""

    source: str
    target: str
    pending: bool
    count: int = 1
    mark: str = ""


@value_record
class Picture:
    """Nodes by name, edges, and what was folded to stay readable."""

    title: str
    nodes: dict[str, Node]
    edges: tuple[Edge, ...]
    folded: tuple[str, ...]
    frame_labels: Mapping[tuple[str, ...], str] = field(default_factory=dict)


def picture(
    renderings: Sequence[Evaluated], by: str = "module", unfold: bool = False, marks: Mapping[str, str] | None = None, most: int = 0
) -> Picture:
    """The graph of one rendering, or of several laid over each other; `by` says what frames are: modules, or files.

    Large graphs are folded by module, then by type, until they have at most `most` nodes (or a readable number of them).
    """
    most = most or MAP_NODES.most
    resources: dict[str, EvaluatedResource] = {}
    rounds: dict[str, int] = {}
    for rendering in renderings:
        for number, group in enumerate(rendering.rounds, 1):
            for address in group:
                if address not in resources:
                    resources[address] = rendering.resources[address]
                    rounds[address] = number
        for address, each in rendering.resources.items():
            resources.setdefault(address, each)
            rounds.setdefault(address, len(rendering.rounds) + 1)
    title = " and ".join(rendering.label for rendering in renderings)
    folds: tuple[str, ...] = () if unfold else ("loops",)
    while (grouped := _grouped(resources, by, folds, len(resources) if unfold or folds == FOLDS else most)) is None:
        folds = FOLDS[: len(folds) + 1]
    return _drawn(title, resources, rounds, by, folds, marks or {}, renderings, grouped)


class _Grouped(NamedTuple):
    """Which resources go into which node, the frame around each, and what the module of a frame is."""

    members: dict[str, list[str]]
    frames: dict[str, tuple[str, ...]]
    labels: dict[tuple[str, ...], str]


def _grouped(resources: Mapping[str, EvaluatedResource], by: str, folds: tuple[str, ...], most: int) -> _Grouped | None:
    """None where that makes more nodes than `most`."""
    found = _Grouped({}, {}, {})
    members = found.members
    for address, resource in resources.items():
        name, frame = _place(resource.instance, by, folds, resource, found.labels)
        if name in members:
            members[name].append(address)
            continue
        if len(members) == most:
            return None
        members[name] = [address]
        found.frames[name] = frame
    return found


def _drawn(
    title: str,
    resources: Mapping[str, EvaluatedResource],
    rounds: Mapping[str, int],
    by: str,
    folds: tuple[str, ...],
    marks: Mapping[str, str],
    renderings: Sequence[Evaluated],
    grouped: _Grouped,
) -> Picture:
    groups, frames, labels = grouped
    names = {address: name for name, members in groups.items() for address in members}
    nodes = {}
    for name in sorted(groups):
        members = sorted(groups[name])
        kinds = {resources[address].type_text for address in members}
        found = {marks.get(address, "") for address in members}
        kind = kinds.pop() if len(kinds) == 1 else f"{len(kinds)} types"
        mark = found.pop() if len(found) == 1 else "differs"
        label = members[0] if len(members) == 1 and folds != FOLDS else name
        own = frames[name]
        shown = label.removeprefix(f"{own[-1]}/") if own and by == "module" else label
        known = resources[members[0]].type if kind == resources[members[0]].type_text else None
        look = str(known.schema.get("look", "")) if known is not None else ""
        nodes[name] = Node(name, shown, kind, tuple(members), min(rounds[address] for address in members), own, mark, look)
    return Picture(title, nodes, _edges(renderings, names), folds, labels)


def _edges(renderings: Sequence[Evaluated], names: Mapping[str, str]) -> tuple[Edge, ...]:
    """The dependencies of all renderings between nodes; one that not all have where both its ends are is marked with those that do."""
    found: dict[tuple[str, str], list[bool]] = {}
    owners: dict[tuple[str, str], dict[str, None]] = {}
    possible: dict[str, set[str]] = {}
    for rendering in renderings:
        for address, resource in rendering.resources.items():
            own = names[address]
            possible.setdefault(own, set()).add(rendering.label)
            needed = [first for first in resource.after if names.get(first, own) != own]
            origins = {origin.partition(":")[0] for origin in deep_marks(_computed(resource))[0]} if needed else ()
            for first in needed:
                ends = names[first], own
                found.setdefault(ends, []).append(first in origins)
                owners.setdefault(ends, {})[rendering.label] = None
    return tuple(
        Edge(
            *ends,
            all(pending),
            len(pending),
            "" if set(owners[ends]) >= possible[ends[0]] & possible[ends[1]] else f"only {' '.join(owners[ends])}",
        )
        for ends, pending in sorted(found.items())
    )


def _computed(resource: EvaluatedResource) -> Any:
    """All of a resource that is not a constant."""
    computed = resource.instance.computed
    return list(computed[1]) if computed is not None else resource.properties


def _place(
    instance: Instance, by: str, folds: tuple[str, ...], resource: EvaluatedResource, labels: dict[tuple[str, ...], str]
) -> tuple[str, tuple[str, ...]]:
    """The node that a resource goes into, and the frame around that."""
    if instance.scope.use is None and by != "file":
        return resource.type_text if "types" in folds else _folded(instance, "", folds), ()
    path: list[str] = []
    for each in _uses(instance) if instance.scope.use is not None else ():
        path.append(_folded(each, f"{path[-1]}/" if path else "", folds))
        labels.setdefault(tuple(path), each.resource.type_text)
    frame = tuple(path)
    if by == "file":
        file = instance.resource.origin.source.name
        labels.setdefault((file,), "")
        frame = (file,)
    if "modules" in folds and path and by != "file":
        frame = ()
    if "types" in folds:
        return f"{'/'.join(frame)}{'/' if frame else ''}{resource.type_text}", frame
    if "modules" in folds and path:
        return path[0], frame
    return _folded(instance, f"{path[-1]}/" if path else "", folds), frame


def _uses(instance: Instance) -> list[Instance]:
    """The uses of modules around an instance, the outermost first."""
    uses: list[Instance] = []
    use = instance.scope.use
    while use is not None:
        uses.insert(0, use)
        use = use.scope.use
    return uses


def _folded(each: Instance, prefix: str, folds: tuple[str, ...]) -> str:
    """How something is called below a frame: all items of a loop alike, where these are folded."""
    key = "" if "loops" in folds else each.address.removeprefix(f"{each.scope.prefix}{each.resource.name}")
    return f"{prefix}{each.resource.name}{key}"


def around(found: Picture, names: Iterable[str], steps: int) -> Picture:
    """Only what is at most so many steps away from some nodes, in either direction."""
    near = {name for name in found.nodes if name in set(names)}
    for _ in range(steps):
        near |= {edge.source for edge in found.edges if edge.target in near} | {edge.target for edge in found.edges if edge.source in near}
    nodes = {name: node for name, node in found.nodes.items() if name in near}
    edges = tuple(edge for edge in found.edges if edge.source in near and edge.target in near)
    return Picture(found.title, nodes, edges, found.folded, found.frame_labels)
