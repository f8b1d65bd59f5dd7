"""Where the placeholders of a document stand in its notation: as a value, inside of a text of JSON, YAML or TOML, or in a comment.

What is filled in later is written so that it stays one value or one text: it can never add a key (docs/documents.md).
"""

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.templates.model import Part, Placeholder, Scalar
from jovial_scaffold.core.text.formats import format_of

NOTATIONS = ("JSON", "YAML", "TOML")
_TOML_TOKEN = regex(
    r"""(?P<comment>\#[^\n]*) | (?P<basic>\"\"\"(?:[^\\]|\\.)*?\"\"\" | "(?:[^"\\\n]|\\.)*")
      | (?P<literal>'''.*?'''(?!') | '[^'\n]*') | (?P<other>[^\#"']+ | .)""",
    re.DOTALL | re.VERBOSE,
)


def notation_of(name: str) -> str | None:
    """What a file is written in, by the ending of its name."""
    form = format_of(name)
    return form.name if form is not None and form.name in NOTATIONS else None


def placed(parts: Sequence[str | Placeholder], notation: str | None) -> tuple[Part, ...]:
    """The parts of a document, each placeholder with its place in the notation; of no notation, all are text."""
    place = _PLACES.get(notation or "")
    if place is None or not any(isinstance(part, Placeholder) for part in parts):
        return tuple(parts)
    return tuple(place(parts))


def _json(parts: Sequence[str | Placeholder]) -> Iterator[Part]:
    """RFC 8259, section 7: what stands between quotes is text."""
    inside = escaped = False
    for part in parts:
        if isinstance(part, Placeholder):
            yield replace(part, place="escaped" if inside else "value")
            continue
        for char in part:
            if escaped:
                escaped = False
            elif char == "\\" and inside:
                escaped = True
            elif char == '"':
                inside = not inside
        yield part


class _Words:
    """A text with a word in the place of each placeholder."""

    def __init__(self, parts: Sequence[str | Placeholder]) -> None:
        self.placeholders = [part for part in parts if isinstance(part, Placeholder)]
        literal = "".join(part for part in parts if isinstance(part, str))
        prefix = "Jx"
        while prefix in literal:
            prefix += "x"
        numbers = iter(range(len(self.placeholders)))
        self.text = "".join(part if isinstance(part, str) else f"{prefix}{next(numbers)}J" for part in parts)
        self._pattern = re.compile(rf"{prefix}(\d+)J")

    def split(self, text: str, place: str = "") -> tuple[str | Placeholder, ...]:
        """A stretch of it as parts again."""
        found: list[str | Placeholder] = []
        at = 0
        for match in self._pattern.finditer(text):
            if match.start() > at:
                found.append(text[at : match.start()])
            held = self.placeholders[int(match[1])]
            found.append(replace(held, place=place) if place else held)
            at = match.end()
        return (*found, text[at:]) if at < len(text) else tuple(found)

    def among(self, text: str) -> bool:
        return self._pattern.search(text) is not None

    def whole(self, text: str) -> bool:
        return self._pattern.fullmatch(text) is not None


def _yaml(parts: Sequence[str | Placeholder]) -> Iterator[Part]:
    """YAML 1.2, chapter 7: scalars in their five styles; what stands in none of them is a comment, a tag or an anchor."""
    words = _Words(parts)
    at = 0
    for start, end, form, content in _yaml_scalars(words.text):
        if not words.among(content):
            continue
        yield from words.split(words.text[at:start], "comment")
        if form == "plain" and words.whole(content):
            yield from words.split(content, "value")
        else:
            yield Scalar(
                "plain" if form == "key" else form, words.split(content), words.split(words.text[start:end]), _indent(words.text[start:end])
            )
        at = end
    yield from words.split(words.text[at:], "comment")


def _indent(raw: str) -> int:
    """How far the lines of a block scalar are indented."""
    return next((len(line) - len(line.lstrip(" ")) for line in raw.splitlines()[1:] if line.strip()), 0)


def _yaml_scalars(text: str) -> Iterator[tuple[int, int, str, str]]:
    import yaml

    loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
    depth: list[list[bool]] = []  # for each open map or list: whether it is a map, and whether a key comes next
    try:
        for event in yaml.parse(text, loader):
            if isinstance(event, yaml.CollectionEndEvent):
                depth.pop()
                continue
            is_key = False
            if isinstance(event, yaml.NodeEvent) and depth and depth[-1][0]:
                is_key, depth[-1][1] = depth[-1][1], not depth[-1][1]
            if isinstance(event, yaml.CollectionStartEvent):
                depth.append([isinstance(event, yaml.MappingStartEvent), True])
            elif isinstance(event, yaml.ScalarEvent):
                style = event.style or "plain"
                yield _index(event.start_mark), _index(event.end_mark), "key" if is_key and style == "plain" else style, event.value
    except yaml.YAMLError:
        return  # the filled document cannot be read either, which is said then


def _index(mark: Any) -> int:
    return int(mark.index)


def _toml(parts: Sequence[str | Placeholder]) -> Iterator[Part]:
    """TOML 1.0, "String" and "Comment": what stands in neither is a value or a key."""
    words = _Words(parts)
    for match in _TOML_TOKEN.finditer(words.text):
        text = match[0]
        if not words.among(text):
            yield text
        elif match["comment"]:
            yield from words.split(text, "comment")
        elif match["basic"]:
            yield from words.split(text, "escaped")
        elif match["literal"]:
            quotes = 3 if text.startswith("'''") else 1
            content = text[quotes:-quotes]
            yield Scalar("literal", words.split(content.removeprefix("\n") if quotes == 3 else content), words.split(text), 0)
        else:
            yield from words.split(text, "value")


_PLACES: dict[str, Callable[[Sequence[str | Placeholder]], Iterator[Part]]] = {"JSON": _json, "YAML": _yaml, "TOML": _toml}
