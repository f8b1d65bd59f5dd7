"""Messages to text: the one place where what users wrote, and what is secret, meets our words.

What is secret shows as a mark, by the mark that it carries; text of users is cut, and made harmless for where it goes: a terminal by
`visible`, HTML, SVG, Markdown and CSV by their own writers, JSON by `harmless_json`.
"""

import json
from collections.abc import Iterable
from posixpath import normpath
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.limits import SAID_TEXT, SHOWN_VALUE
from jovial_scaffold.core.marks import unmarked
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.spelling import Speller
from jovial_scaffold.core.text.wording import kind
from jovial_scaffold.core.words import GAP, Amount, Counted, Derived, Described, Foreign, Hidden, Listed, Nearest, Sentence, Value

# Control characters (C0, C1), line and paragraph separators, what turns or hides text (bidi, zero width, tags), and lone surrogates: first
# and last of each run. (A set of them is looked through as quickly as by a pattern, and made much sooner.)
_RUNS = (
    *((0x00, 0x1F), (0x7F, 0x9F), (0xAD, 0xAD), (0x61C, 0x61C), (0x200B, 0x200F), (0x2028, 0x202E), (0x2060, 0x2069)),
    *((0xFEFF, 0xFEFF), (0xD800, 0xDFFF), (0xFFF9, 0xFFFB), (0xE0000, 0xE007F)),
)
_STEERING = frozenset(chr(code) for first, last in _RUNS for code in range(first, last + 1))
_PRINTED = bytes([*b"\n\t\r", *range(ord(" "), 0x7F)])
_OURS = regex("(\x1b\\[[0-9;]{0,8}m|\x1b\\]8;;(?:file:///[A-Za-z0-9/._~%-]*)?\x1b\\\\|\r?\n)")


def visible(text: str) -> str:
    """Text of users with what could steer a terminal made visible."""
    if _STEERING.isdisjoint(text):
        return text
    return "".join([_shown_code(char) if char in _STEERING else char for char in text])


def _shown_code(char: str) -> str:
    return "→" if char == "\t" else f"\\u{ord(char):04x}" if ord(char) < 0x10000 else f"\\U{ord(char):08x}"


def harmless(text: str) -> str:
    """A whole report on its way to a terminal or pipe: line breaks, our own colours and links to files stay, all else is made visible."""
    if _STEERING.intersection(text) <= {"\n"}:
        return text
    return "".join([part if number % 2 else visible(part) for number, part in enumerate(_OURS.split(text))])


def harmless_json(text: str) -> str:
    """JSON as it may be printed on a terminal: outside of ASCII, what could steer it is written as an escape (RFC 8259, section 7)."""
    if text.isascii() and not text.encode().translate(None, _PRINTED):  # as most are
        return text
    for char in sorted(_STEERING.intersection(text) - {"\n", "\t", "\r"}):
        text = text.replace(char, json.dumps(char)[1:-1])
    return text


def said(sentence: Sentence) -> str:
    """A message as text."""
    template, operands = sentence.template, sentence.operands
    if not operands:
        return template
    parts: list[str] = []
    for operand in operands:
        before, _, template = template.partition(GAP)
        parts += (before, text_of(operand))
    return "".join((*parts, template))


def text_of(operand: Any) -> str:
    """An operand of a message as text; text of users is cut."""
    if isinstance(operand, str):
        return operand if len(operand) <= SAID_TEXT.most else f"{operand[: SAID_TEXT.most]}…"
    if isinstance(operand, Sentence):
        return said(operand)
    write = _OPERANDS.get(type(operand))
    return write(operand) if write else str(operand)


def _foreign(operand: Foreign) -> str:
    line = operand.text.splitlines()[0] if operand.text else ""
    return line if len(line) <= SAID_TEXT.most else f"{line[: SAID_TEXT.most]}…"


def _nearest(operand: Nearest) -> str:
    if operand.found is None:
        known = operand.known if isinstance(operand.known, Speller) else Speller(operand.known)
        operand.found = known.near(operand.name)
    return f"Did you mean `{operand.found}`?" if operand.found else said(operand.otherwise)


def _listed(operand: Listed) -> str:
    items = operand.items[: operand.most] if operand.most else operand.items
    texts = [text_of(item) for item in items]
    if len(items) < len(operand.items):
        return f"{', '.join(texts)} {operand.last} {'others' if operand.last == 'or' else 'more'}"
    return listed(texts, operand.last)


_OPERANDS: dict[type, Any] = {
    Value: lambda operand: shown(operand.value),
    Described: lambda operand: described(operand.value),
    Listed: _listed,
    Counted: lambda operand: counted(operand.number, operand.one, operand.many),
    Amount: lambda operand: f"{operand.number:,}",
    Nearest: _nearest,
    Derived: lambda operand: text_of(operand.text),
    Foreign: _foreign,
    Hidden: lambda operand: marks.SECRET,
}


def shown(value: Any) -> str:
    """A value for a sentence: short, on one line, with its quotes. Marks show themselves and never what they hide."""
    most = SHOWN_VALUE.most
    if isinstance(value, str) and len(value) > most:
        text = json.dumps(unmarked(value[:most]), ensure_ascii=False)
    elif isinstance(value, str):
        text = json.dumps(unmarked(value), ensure_ascii=False)
    elif value is None or isinstance(value, bool | int | float):
        text = json.dumps(value, ensure_ascii=False)
    elif isinstance(value, list | dict):
        text = json.dumps(_beginning(value, [most]), ensure_ascii=False, default=repr)
    else:
        text = repr(value)
    return text if len(text) <= most else f"{text[: most - 1]}…"


def _beginning(value: Any, room: list[int], depth: int = 0) -> Any:
    """As much of a map or list as can be shown, with texts as keys."""
    room[0] -= 1
    if isinstance(value, str):
        room[0] -= len(value)
        return unmarked(value[: SHOWN_VALUE.most])
    if not isinstance(value, list | dict):
        return value
    if depth > SHOWN_VALUE.most:
        return "…"
    if isinstance(value, dict):
        made = {}
        for key, item in value.items():
            if room[0] < 0:
                break
            text = key if isinstance(key, str) else repr(key)
            room[0] -= len(text)
            made[unmarked(text[: SHOWN_VALUE.most])] = _beginning(item, room, depth + 1)
        return made
    items = []
    for item in value:
        if room[0] < 0:
            break
        items.append(_beginning(item, room, depth + 1))
    return items


def described(value: Any) -> str:
    """`the text "three"`, `the number 2.5`, `a map`: a value named as what it is, for "this gives …"."""
    if isinstance(value, Secret):
        return "a secret"
    if isinstance(value, Pending):
        return "what only the deployment will know"
    if isinstance(value, list | dict):
        return f"{kind(value)} with {counted(len(value), 'entry', 'entries')}"
    if value is None:
        return "null"
    noun = kind(value).removeprefix("an ").removeprefix("a ")
    return f"the {noun} {shown(value)}"


def counted(number: int, one: str, many: str = "") -> str:
    """`1 error`, `2 errors`."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def listed(names: Iterable[str], last: str = "and") -> str:
    """`a, b and c`."""
    items = list(names)
    if len(items) < 2:
        return "".join(items)
    return f"{', '.join(items[:-1])} {last} {items[-1]}"


def path_shown(base: str, file: str) -> str:
    """A file's name as it can be opened from where the user is: `base` leads to the folder that it is named from."""
    return normpath(f"{base}{file}") if base and file.startswith("../") else f"{base}{file}"
