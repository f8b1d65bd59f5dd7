"""Coordinates for a picture: layers from left to right, what is needed left of what needs it; frames laid out from the inside out."""

import sys
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from itertools import chain, pairwise
from math import isnan, nan

from jovial_scaffold.core.graph.picture import Edge, Node, Picture
from jovial_scaffold.core.records import value_record

Point = tuple[float, float]
Ends = tuple[str, str]
"""What an edge leads between in a frame: two items of it, or one and `OUTSIDE`."""
OUTSIDE = ""
Bends = dict[tuple[tuple[str, ...], Ends], list[Point]]
"""The points that an edge goes through, by the frame and what it leads between there."""

LETTER = 7.25
SMALL_LETTER = 6.05
NODE_HEIGHT = 44.0
NARROWEST = 92.0
LONGEST_LABEL = 34
_GAP_X, _GAP_Y = 64.0, 14.0
_MARGIN, _HEAD = 14.0, 24.0
_IN_COLUMN = 24  # items of a frame
_ROUNDS = 50


@value_record
class Box:
    """A node's rectangle: left, top, width and height, in pixels of a 96 dpi screen."""

    node: Node
    x: float
    y: float
    width: float
    height: float


@value_record
class Frame:
    """The rectangle around a module's resources, or a file's."""

    path: tuple[str, ...]
    label: str
    x: float
    y: float
    width: float
    height: float


@value_record
class Line:
    """An edge as points from the needed to the needing box."""

    edge: Edge
    points: tuple[Point, ...]


@value_record
class Scene:
    """Everything with its coordinates; the origin is at the top left."""

    picture: Picture
    width: float
    height: float
    boxes: tuple[Box, ...]
    frames: tuple[Frame, ...]
    lines: tuple[Line, ...]


def shortened(text: str, most: int = LONGEST_LABEL) -> str:
    """A label, cut in the middle where it is long: names tend to differ at their ends."""
    return text if len(text) <= most else f"{text[: most // 2 - 1]}…{text[-(most // 2) :]}"


def node_width(node: Node) -> float:
    """How wide a node's rectangle must be for its two lines."""
    count = f" ×{node.count}" if node.count > 1 else ""
    first = (len(shortened(node.label)) + len(count)) * LETTER
    second = (len(shortened(node.type)) + len(node.mark) + (2 if node.mark else 0) + 4) * SMALL_LETTER
    return max(NARROWEST, first + 34, second + 34)


@dataclass(slots=True)
class _Item:
    """A node or a frame while it is placed: its size, and where it is inside of what holds it."""

    key: str
    width: float
    height: float
    node: Node | None = None
    inside: "_Placed | None" = None
    x: float = 0.0
    y: float = 0.0


@dataclass(slots=True)
class _Placed:
    """What a frame holds, placed; bends are the points that edges between items go through."""

    path: tuple[str, ...]
    items: dict[str, _Item]
    width: float
    height: float
    bends: dict[Ends, list[Point]] = field(default_factory=dict)


def layout(found: Picture) -> Scene:
    """Place all of a picture. Layers are igraph's (Sugiyama, Tagawa and Toda 1981); frames hold together what belongs together."""
    parts = [_parts(edge, found) for edge in found.edges]
    ends: dict[tuple[str, ...], set[Ends]] = {}
    for path, part in chain.from_iterable(parts):
        ends.setdefault(path, set()).add(part)
    placed = _placed((), found, ends)
    boxes: list[Box] = []
    frames: list[Frame] = []
    bends: Bends = {}
    _absolute(placed, 24.0, 20.0, found, boxes, frames, bends)
    at = {box.node.name: box for box in boxes}
    lines = []
    for edge, along in zip(found.edges, parts, strict=True):
        way = bends.get(along[0], ()) if len(along) == 1 else [point for part in along for point in bends.get(part, ())]
        lines.append(Line(edge, _route(at[edge.source], at[edge.target], way)))
    return Scene(found, placed.width + 48.0, placed.height + 40.0, tuple(boxes), tuple(frames), tuple(lines))


def _key(path: tuple[str, ...]) -> str:
    return "\0".join(("frame", *path))


def _child(node: Node, path: tuple[str, ...]) -> str:
    """The item of a frame that a node is, or is in."""
    return node.name if node.frame == path else _key(node.frame[: len(path) + 1])


def _common(one: Node, other: Node) -> tuple[str, ...]:
    """The innermost frame around two nodes."""
    depth = 0
    while depth < min(len(one.frame), len(other.frame)) and one.frame[depth] == other.frame[depth]:
        depth += 1
    return one.frame[:depth]


def _parts(edge: Edge, found: Picture) -> list[tuple[tuple[str, ...], Ends]]:
    """What an edge leads between in each frame, from the needed on: out of the frames around it, to the other side, and into those there."""
    one, other = found.nodes[edge.source], found.nodes[edge.target]
    if one.frame == other.frame:
        return [(one.frame, (one.name, other.name))]
    depth = len(_common(one, other))
    return [
        *((one.frame[:level], (_child(one, one.frame[:level]), OUTSIDE)) for level in range(len(one.frame), depth, -1)),
        (one.frame[:depth], (_child(one, one.frame[:depth]), _child(other, other.frame[:depth]))),
        *((other.frame[:level], (OUTSIDE, _child(other, other.frame[:level]))) for level in range(depth + 1, len(other.frame) + 1)),
    ]


def _placed(path: tuple[str, ...], found: Picture, ends: Mapping[tuple[str, ...], set[Ends]]) -> _Placed:
    items: dict[str, _Item] = {}
    inner: dict[str, tuple[str, ...]] = {}
    for node in found.nodes.values():
        if node.frame[: len(path)] != path:
            continue
        if node.frame == path:
            items[node.name] = _Item(node.name, node_width(node), NODE_HEIGHT, node)
        else:
            inner.setdefault(_key(node.frame[: len(path) + 1]), node.frame[: len(path) + 1])
    for key, below in sorted(inner.items()):
        content = _placed(below, found, ends)
        label = len(shortened(below[-1])) + len(found.frame_labels.get(below, "")) + 3
        width = max(content.width + 2 * _MARGIN, label * SMALL_LETTER + 2 * _MARGIN)
        items[key] = _Item(key, width, content.height + _HEAD + _MARGIN, None, content)
    return _arranged(path, items, sorted(each for each in ends.get(path, ()) if each[0] != each[1]))


def _arranged(path: tuple[str, ...], items: dict[str, _Item], edges: list[Ends]) -> _Placed:
    tied = {end for edge in edges if OUTSIDE not in edge for end in edge}
    outward = {end for edge in edges for end in edge} - {OUTSIDE}
    # What only things outside are tied to would be behind its neighbours in a row; very many of those would make a column that nobody looks through.
    tied |= outward if len(outward - tied) <= _IN_COLUMN else set()
    edges = [each for each in edges if tied.issuperset({*each} - {OUTSIDE})]
    loose = [item for key, item in items.items() if key not in tied]
    bends: dict[Ends, list[Point]] = {}
    width = height = 0.0
    if tied:
        width, height = _layered({key: item for key, item in items.items() if key in tied}, edges, bends)
    top = height + _GAP_Y * 2 if height else 0.0
    # What hangs together with nothing stands in rows below, about as wide as the rest.
    x, row, widest = 0.0, 0.0, max(width, min(1100.0, max((item.width for item in loose), default=0.0) * 4))
    for item in loose:
        if x and x + item.width > widest:
            x, top, row = 0.0, top + row + _GAP_Y, 0.0
        item.x, item.y = x, top
        x += item.width + _GAP_Y * 2
        row = max(row, item.height)
        width = max(width, item.x + item.width)
    return _Placed(path, items, width, top + row if loose else height, bends)


@contextmanager
def _without(*packages: str) -> Iterator[None]:
    """Hide packages that another one loads where it finds them, though nothing of them is used (importlib, "The module cache")."""
    hidden = [each for each in packages if each not in sys.modules]
    sys.modules.update(dict.fromkeys(hidden))  # type: ignore[arg-type]  # by None, Python says that there is no such module
    try:
        yield
    finally:
        for each in hidden:
            del sys.modules[each]


def _layered(items: dict[str, _Item], edges: list[Ends], bends: dict[Ends, list[Point]]) -> tuple[float, float]:
    """Place items in layers; gives width and height."""
    keys = list(items)
    number = {key: index for index, key in enumerate(keys)}
    layers = _layers(keys, [each for each in edges if OUTSIDE not in each])
    last = max(layers.values(), default=0)
    # Where an edge passes a layer, it gets a point of its own there: so it has a place among the boxes.
    depths = [layers[key] for key in keys]
    links: list[tuple[int, int]] = []
    ways: dict[Ends, list[int]] = {}
    for source, target in edges:
        # What comes from outside passes all layers before its own, and what leads there all behind.
        first = layers[source] + 1 if source else 0
        passed = list(range(first, layers[target] if target else last + 1))
        points = list(range(len(depths), len(depths) + len(passed)))
        depths += passed
        links += pairwise([*([number[source]] if source else ()), *points, *([number[target]] if target else ())])
        ways[source, target] = points
    columns: dict[int, list[tuple[float, int]]] = {}
    for vertex, (layer, at) in enumerate(zip(depths, _in_their_layers(depths, links), strict=True)):
        columns.setdefault(layer, []).append((at, vertex))
    # A layer's width is that of its widest item; a point where an edge only passes is thin.
    left: dict[int, float] = {}
    right: dict[int, float] = {}
    x = 0.0
    for layer in sorted(columns):
        left[layer] = x
        right[layer] = x + max((items[keys[vertex]].width for _, vertex in columns[layer] if vertex < len(keys)), default=0.0)
        x = right[layer] + _GAP_X
    centre = _centres(columns, items, keys, links)
    shift = min(centre[vertex] - (items[keys[vertex]].height / 2 if vertex < len(keys) else 2) for vertex in centre)
    height = 0.0
    for layer, members in columns.items():
        for _, vertex in members:
            if vertex < len(keys):
                item = items[keys[vertex]]
                item.x, item.y = left[layer], centre[vertex] - shift - item.height / 2
                height = max(height, item.y + item.height)
    for ends, points in ways.items():
        # Level to the end of its own column, so that it crosses no wider neighbour; then level through each column that it passes.
        found_bends = [(right[layers[ends[0]]], nan)] if ends[0] else []
        for point in points:
            found_bends += [(left[depths[point]], centre[point] - shift), (right[depths[point]], centre[point] - shift)]
        bends[ends] = found_bends
    return x - _GAP_X, height


def _in_their_layers(depths: Sequence[int], links: Sequence[tuple[int, int]]) -> Sequence[float]:
    """How far along each vertex stands in its layer, of `depths`, so that few links cross."""
    if not links:
        return range(len(depths))
    with _without("matplotlib", "numpy"):
        import igraph

        graph = igraph.Graph(n=len(depths), edges=links, directed=True)
        found = graph.layout_sugiyama(layers=depths, hgap=1, vgap=1, maxiter=_ROUNDS)
    return [found[vertex][0] for vertex in range(len(depths))]  # behind these it may have some of its own


def _layers(keys: Iterable[str], edges: Sequence[Ends]) -> dict[str, int]:
    """The length of the longest way to each item; what goes in circles (frames that read each other) stays where it is met first."""
    following: dict[str, list[str]] = {}
    waiting = dict.fromkeys(keys, 0)
    for source, target in edges:
        following.setdefault(source, []).append(target)
        waiting[target] += 1
    layer = dict.fromkeys(waiting, 0)
    ready = [key for key, count in waiting.items() if not count]
    left = set(waiting)
    while left:
        if not ready:
            ready = [min(left, key=lambda key: (waiting[key], key))]
        key = ready.pop()
        if key not in left:
            continue
        left.discard(key)
        for target in following.get(key, ()):
            if target in left:
                layer[target] = max(layer[target], layer[key] + 1)
                waiting[target] -= 1
                if not waiting[target]:
                    ready.append(target)
    return layer


def _centres(
    columns: Mapping[int, list[tuple[float, int]]], items: Mapping[str, _Item], keys: list[str], links: list[tuple[int, int]]
) -> dict[int, float]:
    """The height of each vertex: in igraph's order, drawn towards its neighbours, and never over another."""
    size = {
        vertex: (items[keys[vertex]].height if vertex < len(keys) else 4.0) + _GAP_Y
        for members in columns.values()
        for _, vertex in members
    }
    order = {layer: [vertex for _, vertex in sorted(members)] for layer, members in columns.items()}
    centre: dict[int, float] = {}
    for members in order.values():
        y = -sum(size[vertex] for vertex in members) / 2
        for vertex in members:
            centre[vertex] = y + size[vertex] / 2
            y += size[vertex]
    before: dict[int, list[int]] = {}
    after: dict[int, list[int]] = {}
    for edge in links:
        before.setdefault(edge[1], []).append(edge[0])
        after.setdefault(edge[0], []).append(edge[1])
    for neighbours, sequence in ((before, sorted(order)), (after, sorted(order, reverse=True)), (before, sorted(order))):
        for layer in sequence:
            members = order[layer]
            wanted = []
            for vertex in members:
                near = neighbours.get(vertex)
                wanted.append(sum(centre[each] for each in near) / len(near) if near else centre[vertex])
            _settled(members, wanted, size, centre)
    return centre


def _settled(members: list[int], wanted: list[float], size: Mapping[int, float], centre: dict[int, float]) -> None:
    """Each vertex as near to where it wants to be as the others allow: blocks that collide share their wishes (pool adjacent violators)."""
    blocks: list[list[float]] = []  # [sum of wishes of the first member's centre, members, height so far]
    for vertex, wish in zip(members, wanted, strict=True):
        blocks.append([wish - size[vertex] / 2, 1.0, size[vertex]])
        while len(blocks) > 1 and blocks[-2][0] / blocks[-2][1] + blocks[-2][2] > blocks[-1][0] / blocks[-1][1]:
            wishes, count, height = blocks.pop()
            blocks[-1][0] += wishes - count * blocks[-1][2]
            blocks[-1][1] += count
            blocks[-1][2] += height
    position = 0
    for wishes, count, _ in blocks:
        y = wishes / count
        for vertex in members[position : position + int(count)]:
            centre[vertex] = y + size[vertex] / 2
            y += size[vertex]
        position += int(count)


def _absolute(placed: _Placed, x: float, y: float, found: Picture, boxes: list[Box], frames: list[Frame], bends: Bends) -> None:
    for item in placed.items.values():
        if item.node is not None:
            boxes.append(Box(item.node, x + item.x, y + item.y, item.width, item.height))
        elif item.inside is not None:
            label = found.frame_labels.get(item.inside.path, "")
            frames.append(Frame(item.inside.path, label, x + item.x, y + item.y, item.width, item.height))
            _absolute(item.inside, x + item.x + _MARGIN, y + item.y + _HEAD, found, boxes, frames, bends)
    for ends, points in placed.bends.items():
        bends[placed.path, ends] = [(x + across, y + down) for across, down in points]


def _route(source: Box, target: Box, bends: Sequence[Point]) -> tuple[Point, ...]:
    """From the right side of the needed to the left side of the needing; between boxes of one column, around them."""
    start = (source.x + source.width, source.y + source.height / 2)
    end = (target.x, target.y + target.height / 2)
    passed = [start]
    for x, y in bends:
        if x > passed[-1][0] + 1:
            passed.append((x, passed[-1][1] if isnan(y) else y))
    return (*passed, end)
