"""One layout for the texts that people write: indentation, spaces, quotes, blank lines, comments in a column; never another value.

Where somebody broke a line, it stays broken. What was laid out is read again, and holds the same values and comments, or is not given.
"""

import json
import re
from collections.abc import Sequence
from typing import Any

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.formats import format_of
from jovial_scaffold.core.text.laid_lines import STEP, Line, Strange, joined
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.text.tree import Tree
from jovial_scaffold.core.text.written_values import dotenv_value
from jovial_scaffold.core.text.yaml_layout import laid_out_yaml

_WIDTH = 100  # characters: a longer line of JSON is broken
_TOML = regex(
    r'(?P<text>"""(?:[^\\]|\\.)*?"{3,5}|\'{3}.*?\'{3,5}|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\')|(?P<comment>#[^\n]*)|(?P<end>\n)'
    r"|(?P<sign>[\[\]{},=])|(?P<space>[ \t]+)|(?P<bare>[^\s\[\]{},=#\"']+)",
    re.DOTALL,
)
_DOTENV = regex(r"[ \t]*(export[ \t]+)?([A-Za-z_][\w.]*)[ \t]*=[ \t]*(.*?)[ \t]*\Z")
_JSON = regex(r'"(?:[^"\\]|\\.)*"|[\[\]{},:]|[^\s\[\]{},:"]+')


def tidied(source: Source, order: Sequence[str] = ()) -> str:
    """A text in the one layout, its outermost entries in an order. Raises Strange where that is not known to keep every value and comment."""
    form = format_of(source.name)
    notation = form.name if form is not None else "YAML"
    if source.broken or source.problems:
        raise Strange(source.name)
    text = source.text.replace("\r\n", "\n")
    if "\r" in text:
        raise Strange(source.name)
    plain = _read(source.name, text)
    made = _read(source.name, _WRITERS[notation](plain))
    if not _is_same(plain, made) or Tree(plain).said() != Tree(made).said():
        raise Strange(source.name)
    if order and isinstance(made.value, dict):
        ordered = _in_their_order(made, notation, order)
        if ordered.text != made.text and (not _is_same(made, ordered) or Tree(made).said_of() != Tree(ordered).said_of()):
            raise Strange(source.name)
        made = ordered
    return made.text.replace("\n", "\r\n") if text != source.text else made.text


def _read(name: str, text: str) -> Source:
    form = format_of(name) or format_of("x.yaml")
    assert form is not None
    value, problems = form.read(text)
    source = Source(name, text, value, form.locate)
    source.problems = tuple(problems)
    return source


def _in_their_order(made: Source, notation: str, order: Sequence[str]) -> Source:
    """A text in the one layout with its outermost entries in an order, in YAML and JSON."""
    if notation == "JSON":
        return _read(made.name, _ordered_json(made.text, order))
    ordered = _ordered(made.text, order) if notation == "YAML" else made.text
    if ordered == made.text:
        return made
    return _read(made.name, laid_out_yaml(_read(made.name, ordered)))  # other comments stand in a column now


def _is_same(one: Source, other: Source) -> bool:
    """Whether two texts hold the same values, in the same order inside of an entry."""
    return not other.problems and bool(_in_order(one.value) == _in_order(other.value))


def _in_order(value: Any) -> Any:
    """A value with the types of its parts, and the order of its keys but for the outermost."""
    if isinstance(value, dict):
        return {key: json.dumps(item, ensure_ascii=True) for key, item in value.items()}
    return json.dumps(value)


def _ranks(value: dict[str, Any], order: Sequence[str]) -> dict[str, int]:
    """Where the outermost entries belong: as in an order, others behind them, what says how to read the file first."""
    rank = {name: number for number, name in enumerate(order)}
    return {key: -1 if key == "$schema" else rank.get(key, len(rank)) for key in value}


def _ordered_json(text: str, order: Sequence[str]) -> str:
    """A text of JSON in the one layout, with its outermost entries in an order."""
    form = format_of("x.json")
    assert form is not None
    places = form.locate(text)
    ranks = _ranks(form.read(text)[0], order)
    entries = [text[places[(key,)].key_start : places[(key,)].end] for key in sorted(ranks, key=lambda key: ranks[key])]
    if not entries:
        return text
    between, before = (",\n  ", "\n") if text.startswith("{\n") else (", ", "")
    return f"{{{f'{before}  ' if before else ''}{between.join(entries)}{before}}}\n"


def _ordered(text: str, order: Sequence[str]) -> str:
    """A text with its outermost entries in an order; each takes the comments above it along, a comment at the very top stays there."""
    form = format_of("x.yaml")
    assert form is not None
    value, _ = form.read(text)
    if not isinstance(value, dict):
        return text
    ranks = _ranks(value, order)
    if [*ranks.values()] == sorted(ranks.values()):
        return text
    places = form.locate(text)
    keys = [key for key in value if (key,) in places]
    starts = {key: text.rfind("\n", 0, places[(key,)].key_start) + 1 for key in keys}
    if len(keys) != len(value) or len(set(starts.values())) != len(keys) or any(text[starts[key]] in " {[" for key in keys):
        return text
    wanted = sorted(keys, key=lambda key: ranks[key])
    present = sorted(keys, key=lambda key: starts[key])
    begins = [_above(text, starts[key]) for key in present]
    head = text[: begins[0]]
    top = head + text[begins[0] : starts[present[0]]]
    parted = top.rfind("\n\n")
    if not head and top.startswith("#") and parted >= 0:  # what is about the whole file
        head, begins[0] = top[: parted + 2], parted + 2
    last = _above(text, len(text))  # what is said at the end stays there
    ends = [*begins[1:], last]
    chunks = {key: text[start:end] for key, start, end in zip(present, begins, ends, strict=True)}
    spaced = any(chunk.endswith("\n\n") for chunk in chunks.values())
    bodies = []
    for key in wanted:
        body = chunks[key].rstrip("\n") + "\n"
        bodies.append(body + ("\n" if spaced and (chunks[key].endswith("\n\n") or key == present[-1]) else ""))
    end = text[last:]
    apart = "\n" if end and text[:last].endswith("\n\n") else ""
    return f"{head}{''.join(bodies)}".rstrip("\n") + f"\n{apart}{end}"


def _above(text: str, start: int) -> int:
    """Where the comments begin that stand right above a place."""
    begin = start
    while begin:
        line = text.rfind("\n", 0, begin - 1) + 1
        if not text[line:begin].startswith("#"):
            break
        begin = line
    return begin


# -- JSON, TOML, dotenv


def _json(source: Source) -> str:
    """JSON: what somebody broke into lines stays so, and what is too long for one is broken."""
    tokens = [(match.group(), match.start(), match.end()) for match in _JSON.finditer(source.text)]
    text, at = source.text, 0

    def value(indent: int, head: int) -> str:
        """The value at a token, behind so many characters of its line."""
        nonlocal at
        token, start, _ = tokens[at]
        at += 1
        if token not in "[{":
            return token
        begun, is_map = at, token == "{"
        whole = one_line()
        broken = "\n" in text[start : tokens[at - 1][2]]
        if whole in ("[]", "{}") or (not broken and head + len(whole) <= _WIDTH):
            return whole
        end, at = at, begun
        parts = []
        below = " " * (indent + STEP)
        while at < end - 1:
            name = ""
            if is_map:
                name = f"{tokens[at][0]}: "
                at += 2
            parts.append(f"{below}{name}{value(indent + STEP, indent + STEP + len(name))}")
            if tokens[at][0] == ",":
                at += 1
        at = end
        inside = ",\n".join(parts)
        return f"{token}\n{inside}\n{' ' * indent}{'}' if is_map else ']'}"

    def one_line() -> str:
        """What stands up to the bracket that closes the one before, on one line."""
        nonlocal at
        pieces, depth = [tokens[at - 1][0]], 1
        while depth:
            token = tokens[at][0]
            depth += (token in "[{") - (token in "]}")
            pieces.append(f"{token} " if token in ",:" else token)
            at += 1
        return "".join(pieces)

    return f"{value(0, 0)}\n" if tokens else source.text


def _toml(source: Source) -> str:
    """TOML: a line stays a line; nothing stands further in but what is in brackets."""
    out: list[Line] = []
    pieces: list[str] = []
    depth, comment, header = 0, "", False
    before = ""

    def finish() -> None:
        nonlocal pieces, comment, before, header
        code = "".join(pieces)
        *firsts, last = code.split("\n")
        out.extend(Line(each, verbatim=True) for each in firsts)
        out.append(Line(last, comment, verbatim=bool(firsts)) if last or not comment else Line(comment))
        pieces, comment, before, header = [], "", "", False

    for match in _TOML.finditer(source.text):
        kind, text = match.lastgroup, match.group()
        if kind == "end":
            finish()
        elif kind == "comment":
            comment = text.rstrip() if pieces else " " * (STEP * depth) + text.rstrip()
        elif kind != "space":
            if not pieces:
                header = depth == 0 and text == "["
                pieces.append(" " * (STEP * (depth - (text in "]}"))) if depth else "")
                gap = ""
            elif header or ((kind == "bare" and text[0] == ".") or before.endswith(".")):
                gap = ""
            else:
                gap = "" if before == "[" or text in (",", "]") or (before == "{" and text == "}") else " "
            if not header:
                depth += (text in ("[", "{")) - (text in ("]", "}"))
            pieces.append(gap + text)
            before = text
    if pieces or comment:
        finish()
    return joined(out)


def _dotenv(source: Source) -> str:
    """dotenv: no spaces around the sign, and quotes only where they are needed."""
    out = []
    quoted = source.value if isinstance(source.value, dict) else {}
    several = any(isinstance(value, str) and "\n" in value for value in quoted.values())
    for line in source.text.split("\n"):
        match = _DOTENV.match(line)
        if match is None or several:
            out.append(Line(line, verbatim=several))
            continue
        export, name, written = match[1] or "", match[2], match[3]
        value = quoted.get(name)
        is_whole = len(written) > 1 and written[0] in "\"'" and written[-1] == written[0]
        if isinstance(value, str) and is_whole and dotenv_value(value) == value:
            written = value
        out.append(Line(f"{export.strip()}{' ' if export else ''}{name}={written}"))
    return joined(out)


_WRITERS = {"YAML": laid_out_yaml, "JSON": _json, "TOML": _toml, "dotenv": _dotenv}
