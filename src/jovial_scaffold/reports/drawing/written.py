"""A map as text: for a terminal, as DOT, and as Mermaid; names from files are quoted for each."""

from collections.abc import Iterator

from jovial_scaffold.core.graph.picture import Node, Picture
from jovial_scaffold.reports.drawing.looks import looks
from jovial_scaffold.reports.terminal import Style, cells, cut, padded
from jovial_scaffold.reports.words import counted, listed, visible

_DOT_SHAPES = {"square": "box", "round": "box", "cut": "octagon", "drum": "cylinder", "point": "cds", "notch": "box", "fold": "note"}
_MERMAID_SHAPES = {
    "square": "[{}]",
    "round": "({})",
    "cut": "{{{{{}}}}}",
    "drum": "[({})]",
    "point": ">{}]",
    "notch": "[/{}/]",
    "fold": "[[{}]]",
}


def map_text(found: Picture, style: Style) -> str:
    """Rounds of nodes, what each needs, and what needs it."""
    return "\n".join(_lines(found, style)) + "\n"


def _lines(found: Picture, style: Style) -> Iterator[str]:
    total = sum(node.count for node in found.nodes.values())
    yield f"{style.paint('strong', visible(found.title))}: {counted(total, 'resource')}, {counted(len(found.edges), 'dependency', 'dependencies')}"
    needs: dict[str, list[str]] = {}
    needed: dict[str, int] = {}
    for edge in found.edges:
        needs.setdefault(edge.target, []).append(_label(found.nodes[edge.source], False) + (" …" if edge.pending else ""))
        needed[edge.source] = needed.get(edge.source, 0) + 1
    width = min(max((cells(_label(node)) for node in found.nodes.values()), default=0), max(20, style.width // 3))
    for number in sorted({node.round for node in found.nodes.values()}):
        yield ""
        yield style.paint("faint", f"── round {number} ".ljust(style.width - 1, "─"))
        for node in found.nodes.values():
            if node.round != number:
                continue
            mark = f"  {style.paint('note', node.mark)}" if node.mark else ""
            reach = f"  {style.paint('faint', f'needed by {needed[node.name]}')}" if node.name in needed else ""
            yield f"  {style.paint('strong', padded(cut(_label(node), width), width))}  {style.paint('place', node.type)}{mark}{reach}"
            if node.name in needs:
                yield f"  {' ' * width}  {style.paint('faint', 'needs')} {cut(listed(needs[node.name]), max(20, style.width - width - 10))}"
    yield ""
    yield "… stands after what hands over a value that only the deployment knows."


def _label(node: Node, count: bool = True) -> str:
    inside = f"{node.frame[-1]}/" if node.frame and not node.label.startswith(f"{node.frame[-1]}/") and "." not in node.frame[-1] else ""
    return visible(f"{inside}{node.label}") + (f" ×{node.count}" if count and node.count > 1 else "")


def _quoted(text: str) -> str:
    escaped = visible(text).replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


def dot_text(found: Picture) -> str:
    """The graph in the DOT language."""
    looking = looks((node.type, node.look) for node in found.nodes.values())
    lines = [
        "digraph map {",
        "  rankdir=LR;",
        '  node [fontname="DejaVu Sans Mono", fontsize=11, style="filled"];',
        f"  label={_quoted(found.title)};",
    ]
    lines += _clusters(found, (), looking, 1)
    lines += [f"  {_quoted(edge.source)} -> {_quoted(edge.target)}{' [style=dashed]' if edge.pending else ''};" for edge in found.edges]
    return "\n".join([*lines, "}"]) + "\n"


def _clusters(found: Picture, path: tuple[str, ...], looking: dict[str, tuple[str, str, str]], depth: int) -> list[str]:
    lines = []
    indent = "  " * depth
    for node in found.nodes.values():
        if node.frame == path:
            shape, fill, ink = looking[node.type]
            rounded = ', style="filled,rounded"' if shape == "round" else ""
            texts = [_quoted(text)[1:-1] for text in (_label(node), node.type, node.mark) if text]
            label = '"' + r"\n".join(texts) + '"'
            pen = ", penwidth=3" if node.mark else ""
            lines.append(
                f'{indent}{_quoted(node.name)} [label={label}, shape={_DOT_SHAPES[shape]}, fillcolor="{fill}", color="{ink}"{rounded}{pen}];'
            )
    below = sorted(
        {node.frame[: len(path) + 1] for node in found.nodes.values() if node.frame[: len(path)] == path and len(node.frame) > len(path)}
    )
    for inner in below:
        lines += [f"{indent}subgraph {_quoted('cluster_' + '/'.join(inner))} {{", f"{indent}  label={_quoted(inner[-1])};"]
        lines += [*_clusters(found, inner, looking, depth + 1), f"{indent}}}"]
    return lines


def mermaid_text(found: Picture) -> str:
    """The graph as a Mermaid flowchart."""
    looking = looks((node.type, node.look) for node in found.nodes.values())
    ids = {name: f"n{number}" for number, name in enumerate(found.nodes)}
    lines = ["flowchart LR", *_subgraphs(found, (), looking, ids, 1)]
    lines += [f"  {ids[edge.source]} {'-.->' if edge.pending else '-->'} {ids[edge.target]}" for edge in found.edges]
    return "\n".join(lines) + "\n"


def _entity(text: str) -> str:
    """Text in a Mermaid label: what means something to it, or to HTML, as its number."""
    return '"' + "".join(f"#{ord(char)};" if char in '"#<>&`;[](){}|\\' else char for char in visible(text)) + '"'


def _subgraphs(
    found: Picture, path: tuple[str, ...], looking: dict[str, tuple[str, str, str]], ids: dict[str, str], depth: int
) -> list[str]:
    lines = []
    indent = "  " * depth
    for node in found.nodes.values():
        if node.frame == path:
            text = " · ".join(filter(None, [_label(node), node.type, node.mark]))
            lines.append(f"{indent}{ids[node.name]}{_MERMAID_SHAPES[looking[node.type][0]].format(_entity(text))}")
    below = sorted(
        {node.frame[: len(path) + 1] for node in found.nodes.values() if node.frame[: len(path)] == path and len(node.frame) > len(path)}
    )
    for inner in below:
        number = f"f{sorted(found.frame_labels).index(inner)}"
        lines += [f"{indent}subgraph {number}[{_entity(inner[-1])}]", *_subgraphs(found, inner, looking, ids, depth + 1), f"{indent}end"]
    return lines
