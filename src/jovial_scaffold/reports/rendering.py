"""A rendering as text: rounds of resources in deployment order, each with its properties, then the outputs."""

import json
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.marks import unmarked
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.reports.terminal import Style, cells, cut, padded
from jovial_scaffold.reports.words import counted, listed, visible

_WORDS = frozenset(("true", "false", "null"))


def cell(value: Any) -> str:
    """A value in one line as people read it: plain texts without quotes, marks in words."""
    if isinstance(value, str):
        if value.isascii() and value[:1].isalpha() and value[-1] != " " and value.isprintable() and value not in _WORDS:
            return value  # as most are
        may_be_number = not value[:1].isalpha() and value.replace(".", "", 1).lstrip("-").isdigit()
        quoted = value == "" or value != value.strip() or value in _WORDS or may_be_number
        return json.dumps(unmarked(value), ensure_ascii=False) if quoted else visible(unmarked(value))
    if type(value) is int:
        return str(value)
    if isinstance(value, Pending):
        return visible(repr(value))
    if isinstance(value, Secret) or value is UNKNOWN:
        return repr(value)
    if isinstance(value, list):
        return f"[{', '.join(map(cell, value))}]"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{visible(unmarked(key))}: {cell(value[key])}' for key in sorted(value))}}}"
    return json.dumps(value)


def line_texts(lines: Sequence[str]) -> list[str]:
    """Lines of documents, without their indentation; where only that tells some apart, in quotes and with it."""
    told = [visible(each.strip()) for each in lines]
    if len(set(told)) == len(set(lines)):
        return told
    return [json.dumps(visible(each), ensure_ascii=False) for each in lines]


def cell_beside(value: Any, first: Any) -> str:
    """A value beside another that it is not equal to: where only secrets tell them apart, they say so."""
    return cells_beside([first, value])[1]


def cells_beside(values: Sequence[Any]) -> list[str]:
    """Values beside each other, of which no two that are not equal read the same: where only secrets tell some apart, they say so."""
    texts = [cell(value) for value in values]
    if not any(marks.SECRET in text for text in texts):
        return texts
    found: dict[str, list[Any]] = {}
    told = []
    for text, value in zip(texts, values, strict=True):
        known = found.setdefault(text, [])
        number = next((number for number, each in enumerate(known) if same(each, value)), len(known))
        known += [value] if number == len(known) else []
        told.append(text.replace(marks.SECRET, marks.other_secret(number)) if number else text)
    return told


def rendering_text(project: str, rendering: Rendering, style: Style) -> str:
    """The whole rendering."""
    return "\n".join(_lines(project, rendering, style)) + "\n"


def _lines(project: str, rendering: Rendering, style: Style) -> Iterator[str]:
    count = counted(len(rendering.resources), "resource")
    yield f"{style.paint('strong', f'{project} in {rendering.label}')}: {count}, deployed in {counted(len(rendering.rounds), 'round')}"
    for number, addresses in enumerate(rendering.rounds, 1):
        yield ""
        yield style.paint("faint", f"── round {number} ".ljust(style.width - 1, "─"))
        for address in addresses:
            resource = rendering.resources[address]
            after = f"  after {listed(resource.after[:4])}{' and more' if len(resource.after) > 4 else ''}" if resource.after else ""
            room = style.width - cells(address) - len(resource.type_text) - 3
            yield f"{style.paint('strong', visible(address))}  {style.paint('place', resource.type_text)}{style.paint('faint', cut(after, max(room, 10)))}"
            yield from _properties(resource.properties, style, "  ")
    if rendering.documents:
        yield ""
        yield style.paint("faint", "── documents ".ljust(style.width - 1, "─"))
        width = max(cells(visible(name)) for name in rendering.documents)
        for name, document in sorted(rendering.documents.items()):
            size = counted(len(document.text.splitlines()), "line")
            where = visible(document.to) if document.to else style.paint("faint", "(a value only)")
            yield f"  {style.paint('faint', padded(visible(name), width))}  {where}  {style.paint('faint', size)}"
    if rendering.outputs:
        yield ""
        yield style.paint("faint", "── outputs ".ljust(style.width - 1, "─"))
        yield from _properties(rendering.outputs, style, "  ")


def _properties(value: Mapping[str, Any], style: Style, indent: str) -> Iterator[str]:
    width = max((cells(visible(key)) for key in value), default=0)
    for key in sorted(value):
        item = value[key]
        line = f"{indent}{style.paint('faint', padded(visible(key), width))}  "
        room = style.width - len(indent) - width - 2
        text = cell(item)
        if cells(text) <= room or not isinstance(item, list | dict):
            yield line + cut(text, max(room, 20))
        elif isinstance(item, dict):
            yield line.rstrip()
            yield from _properties(item, style, f"{indent}  ")
        else:
            yield line.rstrip()
            for part in item:
                text = cell(part)
                if isinstance(part, dict) and cells(text) > style.width - len(indent) - 4:
                    yield from _item(part, style, f"{indent}  ")
                else:
                    yield f"{indent}  - {cut(text, style.width - len(indent) - 4)}"


def _item(value: dict[str, Any], style: Style, indent: str) -> Iterator[str]:
    for number, line in enumerate(_properties(value, style, f"{indent}  ")):
        yield f"{indent}- {line[len(indent) + 2 :]}" if number == 0 else line
