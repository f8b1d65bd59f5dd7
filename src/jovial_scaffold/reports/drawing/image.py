"""A map as PNG, drawn with Matplotlib from the same coordinates as the SVG."""

import io

from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.patches import Ellipse, FancyBboxPatch, PathPatch, Polygon, Rectangle
from matplotlib.path import Path

from jovial_scaffold.core.graph.layout import Box, Scene, shortened
from jovial_scaffold.reports.drawing.looks import looks, outline
from jovial_scaffold.reports.drawing.svg import curve, legend_lines, width_of
from jovial_scaffold.reports.words import visible

_DPI = 96
_LARGEST = 16_000
_FONT = "DejaVu Sans Mono"


def png_bytes(scene: Scene, title: str) -> bytes:
    """The picture; a very large one is drawn smaller, since no program opens more pixels."""
    width, legend = width_of(scene, title), legend_lines(scene, title)
    height = scene.height + 34 + 18 * len(legend) + 12
    scale = min(1.5, _LARGEST / max(width, height))
    figure = Figure(figsize=(width / _DPI * scale, height / _DPI * scale), dpi=_DPI, facecolor="#fdfcf9")
    FigureCanvasAgg(figure)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, width)
    axes.set_ylim(height, 0)
    axes.axis("off")
    points = 72 / _DPI * scale  # font sizes are points of a figure whose pixels are scaled

    def write(x: float, y: float, text: str, size: float, colour: str, bold: bool = False, right: bool = False) -> None:
        axes.text(
            x,
            y,
            visible(text).replace("$", r"\$"),
            fontsize=size * points,
            color=colour,
            family=_FONT,
            weight="bold" if bold else "normal",
            ha="right" if right else "left",
            va="baseline",
            zorder=5,
        )

    down = 30.0
    for frame in sorted(scene.frames, key=lambda frame: len(frame.path)):
        axes.add_patch(
            Rectangle(
                (frame.x, frame.y + down), frame.width, frame.height, facecolor="#8a7f6a12", edgecolor="#9a917f", linestyle=":", linewidth=1
            )
        )
        write(frame.x + 10, frame.y + down + 16, shortened(frame.path[-1]) + (f" · {frame.label}" if frame.label else ""), 11, "#6b6558")
    _draw_lines(axes, scene, down, scale)
    looking = looks((node.type, node.look) for node in scene.picture.nodes.values())
    for box in scene.boxes:
        _draw(axes, box, *looking[box.node.type], down)
        node = box.node
        count = f" ×{node.count}" if node.count > 1 else ""
        write(box.x + 14, box.y + down + 19, f"{shortened(node.label)}{count}", 12, "#1d2126", bold=True)
        write(
            box.x + 14,
            box.y + down + 34,
            shortened(node.type) + (f"  {node.mark}" if node.mark else ""),
            10,
            "#8a3a00" if node.mark else "#4c5158",
        )
        write(box.x + box.width - 12, box.y + down + 34, f"r{node.round}", 10, "#4c5158", right=True)
    write(24, 24, title, 14, "#22262b", bold=True)
    for number, text in enumerate(legend):
        write(24, scene.height + 42 + 18 * number, text, 11, "#6b6558")
    stream = io.BytesIO()
    figure.savefig(stream, format="png", dpi=_DPI)
    return stream.getvalue()


def _draw_lines(axes: "object", scene: Scene, down: float, scale: float) -> None:
    add = axes.add_patch  # type: ignore[attr-defined]  # as below
    for line in scene.lines:
        vertices, codes = [], []
        for letter, found in curve([(x, y + down) for x, y in line.points]):
            vertices += list(found)
            codes += {"M": [Path.MOVETO], "L": [Path.LINETO]}.get(letter, [Path.CURVE4] * 3)
        add(
            PathPatch(
                Path(vertices, codes),
                fill=False,
                edgecolor="#8a3a00" if line.edge.mark else "#7b766c",
                linewidth=(2.2 if line.edge.mark else 1.1) * scale,
                linestyle="--" if line.edge.pending else "-",
                zorder=2,
            )
        )
        x, y = line.points[-1]
        add(Polygon([(x, y + down), (x - 7, y + down - 3.5), (x - 7, y + down + 3.5)], facecolor="#7b766c", edgecolor="none", zorder=3))


def _draw(axes: "object", box: Box, shape: str, fill: str, ink: str, down: float) -> None:
    x, y, width, height = box.x, box.y + down, box.width, box.height
    heavy = 2.6 if box.node.mark else 1.1
    add = axes.add_patch  # type: ignore[attr-defined]  # Matplotlib's own types name no axes without its large stubs
    if shape == "round":
        add(
            FancyBboxPatch(
                (x + 12, y + 12),
                width - 24,
                height - 24,
                boxstyle="round,pad=12,rounding_size=12",
                facecolor=fill,
                edgecolor=ink,
                linewidth=heavy,
                zorder=4,
            )
        )
    elif shape == "drum":
        add(Rectangle((x, y + 2.5), width, height - 2.5, facecolor=fill, edgecolor=ink, linewidth=heavy, zorder=4))
        add(Ellipse((x + width / 2, y + 2.5), width, 5, facecolor=fill, edgecolor=ink, linewidth=heavy, zorder=4))
    else:
        add(Polygon(outline(shape, x, y, width, height), facecolor=fill, edgecolor=ink, linewidth=heavy, zorder=4))
