"""A map as SVG 1.1: text is escaped, nothing is fetched, and dark pages are respected."""

import itertools
from collections.abc import Iterator, Sequence
from html import escape

from jovial_scaffold.core.graph.layout import LONGEST_LABEL, Box, Frame, Line, Point, Scene, shortened
from jovial_scaffold.reports.drawing.looks import looks, outline
from jovial_scaffold.reports.terminal import cells, wrapped
from jovial_scaffold.reports.words import counted, visible

_LEAST_WIDTH, _MARGIN = 460.0, 24.0  # pixels
_TITLE_LETTER, _LEGEND_LETTER = 8.43, 6.63  # widths of a letter in the sizes below, in pixels
_STYLE = """
svg.map{background:#fdfcf9;font-family:DejaVu Sans Mono,Menlo,Consolas,monospace}
.map .edge{fill:none;stroke:#7b766c;stroke-width:1.3}.map .pending{stroke-dasharray:5 4}.map .edge.marked{stroke:#8a3a00;stroke-width:2.4}
.map .head{fill:#7b766c}.map .frame{fill:#8a7f6a;fill-opacity:.07;stroke:#9a917f;stroke-dasharray:2 3}
.map .frametext,.map .legend{fill:#6b6558;font-size:11px}.map .name{font-size:12px;fill:#1d2126;font-weight:600}
.map .type{font-size:10px;fill:#4c5158}.map .round{font-size:10px;fill:#4c5158;text-anchor:end}
.map .title{font-size:14px;font-weight:600;fill:#22262b}.map .marked{stroke-width:3}.map .mark{font-weight:700;fill:#8a3a00}
"""


def svg_text(scene: Scene, title: str, standalone: bool = True) -> str:
    """The whole picture. Inside of a page (not `standalone`) it has no size of its own."""
    return "".join(_parts(scene, title, standalone))


def _number(value: float) -> str:
    return f"{value:.1f}".removesuffix(".0")


def _parts(scene: Scene, title: str, standalone: bool) -> Iterator[str]:
    looking = looks((node.type, node.look) for node in scene.picture.nodes.values())
    width, legend = width_of(scene, title), legend_lines(scene, title)
    height = scene.height + 34 + 16 * len(legend) + 12
    size = f' width="{_number(width)}" height="{_number(height)}"' if standalone else ""
    yield f'<svg xmlns="http://www.w3.org/2000/svg" class="map" role="img" aria-label="{_text(title)}" viewBox="0 0 {_number(width)} {_number(height)}"{size}>'
    yield f"<style>{_STYLE}</style>"
    yield '<defs><marker id="head" viewBox="0 0 8 8" refX="7.5" refY="4" markerWidth="7" markerHeight="7" orient="auto"><path class="head" d="M0,0L8,4L0,8z"/></marker></defs>'
    yield f'<text class="title" x="24" y="24">{_text(title)}</text><g transform="translate(0,30)">'
    for frame in sorted(scene.frames, key=lambda frame: len(frame.path)):
        yield _frame(frame)
    named = {name: _text(name) for name in scene.picture.nodes}
    for line in scene.lines:
        yield _line(line, named)
    bodies: dict[tuple[str, float, bool], str] = {}
    for box in scene.boxes:
        key = (box.node.type, box.width, bool(box.node.mark))
        if key not in bodies:
            bodies[key] = _body(box, *looking[box.node.type])
        yield _box(box, bodies[key], named[box.node.name])
    yield "</g>"
    for number, sentence in enumerate(legend):
        yield f'<text class="legend" x="24" y="{_number(scene.height + 42 + 16 * number)}">{_text(sentence)}</text>'
    yield "</svg>\n" if standalone else "</svg>"


def width_of(scene: Scene, title: str) -> float:
    """How wide a picture is, in pixels, with its title."""
    return max(scene.width, _LEAST_WIDTH, cells(visible(title)) * _TITLE_LETTER + 2 * _MARGIN)


def legend_lines(scene: Scene, title: str) -> list[str]:
    """What the picture means, in words, on lines that are no wider than it."""
    found = scene.picture
    resources = sum(node.count for node in found.nodes.values())
    lines = [
        f"{counted(resources, 'resource')}. An arrow leads from what is needed to what needs it; dashed: a value that only the deployment knows."
    ]
    second = "r1, r2, …: the round of the deployment."
    if "types" in found.folded:
        second += " Folded by type; --unfold shows every resource."
    elif "modules" in found.folded:
        second += " Modules and loops are folded; --unfold shows every resource."
    elif any(node.count > 1 for node in found.nodes.values()):
        second += " ×n: so many items of a loop."
    if any(edge.mark for edge in found.edges):
        second += " A thick arrow is in one of them only."
    room = int((width_of(scene, title) - 2 * _MARGIN) / _LEGEND_LETTER)
    return [line for each in (*lines, second) for line in wrapped(each, room, "")]


def _text(text: str) -> str:
    return escape(visible(text))


def _frame(frame: Frame) -> str:
    label = shortened(frame.path[-1]) + (f" · {frame.label}" if frame.label else "")
    return (
        f'<rect class="frame" x="{_number(frame.x)}" y="{_number(frame.y)}" width="{_number(frame.width)}" height="{_number(frame.height)}" rx="6"/>'
        f'<text class="frametext" x="{_number(frame.x + 10)}" y="{_number(frame.y + 16)}">{_text(label)}</text>'
    )


def curve(points: Sequence[Point]) -> list[tuple[str, tuple[Point, ...]]]:
    """A line as a start and lines and cubic curves that leave and arrive level."""
    found: list[tuple[str, tuple[Point, ...]]] = [("M", (points[0],))]
    for (x, y), (to_x, to_y) in itertools.pairwise(points):
        if y == to_y:
            found.append(("L", ((to_x, to_y),)))
            continue
        reach = max(24.0, abs(to_x - x) / 2)
        found.append(("C", ((x + reach, y), (to_x - reach, to_y), (to_x, to_y))))
    return found


def _line(line: Line, named: dict[str, str]) -> str:
    path = "".join(letter + " ".join([f"{x:.0f},{y:.0f}" for x, y in points]) for letter, points in curve(line.points))
    kind = "edge" + (" pending" if line.edge.pending else "") + (" marked" if line.edge.mark else "")
    title = f"<title>{_text(line.edge.mark)}</title>" if line.edge.mark else ""
    ends = f'data-from="{named[line.edge.source]}" data-to="{named[line.edge.target]}"'
    return f'<path class="{kind}" {ends} d="{path}" marker-end="url(#head)">{title}</path>'


def _body(box: Box, shape: str, fill: str, ink: str) -> str:
    """The outline of a box of a type and width, at the origin."""
    width, height = box.width, box.height
    marked = ' class="marked"' if box.node.mark else ""
    paint = f'fill="{fill}" stroke="{ink}"{marked}'
    if shape == "round":
        return f'<rect width="{_number(width)}" height="{_number(height)}" rx="13" {paint}/>'
    if shape == "drum":
        top, half = 3.0, _number(width / 2)
        return (
            f'<path d="M0,{top}a{half},{top} 0 0 1 {_number(width)},0v{_number(height - 2 * top)}a{half},{top} 0 0 1 -{_number(width)},0z" {paint}/>'
            f'<path d="M0,{top}a{half},{top} 0 0 0 {_number(width)},0" fill="none" stroke="{ink}"/>'
        )
    corners = " ".join(f"{_number(x)},{_number(y)}" for x, y in outline(shape, 0, 0, width, height))
    return f'<polygon points="{corners}" {paint}/>'


def _box(box: Box, body: str, name: str) -> str:
    node = box.node
    label, kind = _text(shortened(node.label)), _text(shortened(node.type))
    count = f" ×{node.count}" if node.count > 1 else ""
    mark = f'  <tspan class="mark">{_text(node.mark)}</tspan>' if node.mark else ""
    members = name if node.members == (node.name,) else _text(" ".join(node.members))
    title = f"{label} · {kind}" if len(node.label) <= LONGEST_LABEL else f"{_text(node.label)} · {kind}"
    return (
        f'<g class="node" transform="translate({box.x:.0f},{box.y:.0f})" data-name="{name}" data-members="{members}"><title>{title}</title>{body}'
        f'<text class="name" x="14" y="19">{label}{count}</text><text class="type" x="14" y="34">{kind}{mark}</text>'
        f'<text class="round" x="{box.width - 12:.0f}" y="34">r{node.round}</text></g>'
    )
