"""Spoilt and made up YAML: whatever the quick readers make of a text is what the grammar of YAML 1.2 makes of it, refusals included."""

import functools
import random
from pathlib import Path
from typing import Any

from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.source import Place, Pointer, Source
from jovial_scaffold.core.text.yaml_careful import read_carefully, values_of
from jovial_scaffold.core.text.yaml_flow import GrammarError
from jovial_scaffold.core.text.yaml_grammar import events_of
from jovial_scaffold.core.text.yaml_reader import locate_yaml, read_yaml
from tests.fuzz.expressions import alike

_ROOT = Path(__file__).parents[2]
_PUT = (
    *" \n\t:-?#[]{},&*!|>'\"%@`ab0.",
    "\n  ",
    "\n- ",
    ": ",
    " #",
    "\n\n",
    "? ",
    "- - ",
    "|\n ",
    ">-\n  ",
    "\\",
    "\r\n",
    "---\n",
    "...\n",
    "&a ",
    "*a",
)


_VALUES = (
    *("a", "b c", "x.y", "$k", "_z", "- ", "-", "#c", " #c", "true", "~", "null", "Null", "1", "-1", "+1", "0x1F", "0o7", "1.5", ".5"),
    *("{$secret: {env: X}}", "[$a, $b c]", "{a: $x, $b: ${y}}", "{a: $, b: c}", "{$: 1}", "{a$b: c$d}", "{$a }", "{$a:b}"),
    *("1.", "1e3", "007", "1_0", "12:30", "2026-10-01", "10.0.0.0/16", "a:b", "a: b", "http://x/y", "${a.b}", "${a ? b : c}", "'it''s'"),
    *('"q\\n\\""', '"a: b"', '"#"', "[a, b]", "[]", "{}", "{a: b}", '{a: [1, {b: c}], d: "x"}', "[a: b]", "{a}", "{a: }", "[a, ]"),
    *("|", "|-", ">", "a  ", "é", "-a", "--- ", "---", "...", "a#b", "a #b", "(x)", "a,b", "a]", "!x", "&a", "*a", "@x", "%x", "`x"),
    *("?", "? a", "a?", "<<", "=", "<a>", '"a" b', '"a":', "-  a: b", "0", "-0", ".", "+", "-.5", "1e999", "9" * 20, ".inf", ".nan"),
    *("{a: b; c}", "[it's, (x), a*b, a&b, a!b, 50%, a@b]", "[a 'b, c]", "{a: *b}", "[&a b]", "[a %b]", "[a &b, a *c, a !d, a @e]", "[%a]"),
    *("[a ;]", "[;a]", "[a (b), c'd]", "{a: 'b'c}", "{a's: b}", "{a*: b}", "{a: b 'c'}", "[a!]", "{a: x; y, b: z}"),
    *("a:", "a :", '["a",b]', '{"a": 1}', '{"a":1}', "{1: 2}", "[- a]", "[-a]"),
)
_KEYS = ("a", "b", "c (x.y)", "k k", '"q"', "'s'", "x-y", "$ref", "1", "true", "é", "<<", "a:b", "a ", "-k", "d", "e", "f")


@functools.cache
def texts() -> tuple[str, ...]:
    """The YAML of the package and of the tables of cases."""
    folders = (_ROOT / "src" / "jovial_scaffold", _ROOT / "tests" / "cases")
    return tuple(path.read_text("utf-8") for folder in folders for path in sorted(folder.rglob("*.yaml")))


def spoilt(chance: random.Random) -> str:
    """A stretch of one of them, with a few characters taken out and put in."""
    text = chance.choice(texts())
    start = chance.randrange(len(text))
    text = text[start : start + chance.randint(5, 200)]
    for _ in range(chance.randint(0, 4)):
        at = chance.randrange(len(text) + 1)
        text = f"{text[:at]}{chance.choice(_PUT)}{text[at + chance.randint(0, 2) :]}"
    return text


def _block(chance: random.Random, column: int) -> list[str]:
    """A key with a text of several lines, some of which may stand where they should not."""
    inside = " " * (column + chance.choice((1, 2, 2, 2, 4)))
    some = [
        chance.choice((inside, inside, inside, inside + " ", "")) + chance.choice(("b c", "- d", "e: f", "", "# g", "h #i", "${j}"))
        for _ in range(chance.randint(0, 4))
    ]
    return [" " * column + f"{chance.choice(_KEYS)}: {chance.choice(('>-', '>', '|', '|-', '>+', '>2', '>- # c'))}", *some]


def made_up(chance: random.Random) -> str:
    """A text of lines as people write them, right or slightly wrong."""
    lines, column = [], 0
    for _ in range(chance.randint(1, 9)):
        column = max(0, column + chance.choice((0, 0, 0, 2, -2, 1, -1, 2)))
        line = " " * column + "".join("-" + " " * chance.choice((1, 1, 1, 3)) for _ in range(chance.choice((0, 0, 0, 1, 1, 2))))
        form = chance.random()
        if form < 0.7:
            behind = chance.choice((" ", " ", "  ", "")) + chance.choice(_VALUES)
            line += f"{chance.choice(_KEYS)}:{behind if chance.random() < 0.65 else chance.choice(('', ' ', ' #c'))}"
        elif form < 0.9:
            line += chance.choice(_VALUES)
        elif form < 0.95:
            line = chance.choice(("", " " * column, "# c", f"{' ' * column}#c"))
        lines.append(line)
        if form < 0.1:
            lines += _block(chance, column)
    return "\n".join(lines) + chance.choice(("", "\n", "\n\n", "\n "))


_WORDS = (
    "a",
    "b c",
    "it's",
    "f(a",
    "b)",
    "f(a)",
    "x;",
    "a*b",
    "*a",
    "50%",
    "%a",
    "a!b",
    "!a",
    "a@b",
    "a & b",
    "&a",
    "'q'",
    "d: e",
    "1",
    "'(', b'",
)


def flowing(chance: random.Random) -> str:
    """One entry that stands in brackets, or is a text of several lines."""
    if chance.random() < 0.5:
        return "\n".join(_block(chance, 0)) + chance.choice(("\n", "\nd: e\n"))
    items = ", ".join(chance.choice(_WORDS) for _ in range(chance.randint(1, 4)))
    return chance.choice(("a: [{}]\n", "a: {{b: {}}}\n", "- [{}]\n- b\n")).format(items)


def compare_places(text: str, value: Any, outline: Outline) -> None:
    """Line by line, values stand where the careful reader finds them; each entry by itself, or as others that are alike, has them where the
    whole has."""
    careful: dict[Pointer, Place] = {}
    read_carefully(text, careful)
    found = locate_yaml(text)
    assert found.keys() == careful.keys(), text
    for pointer, place in found.items():
        first, last = sorted((place.end, careful[pointer].end))
        between = [line.strip() for line in text[first:last].split("\n")] if place.style == "" else [text[first:last]]
        assert place._replace(end=0) == careful[pointer]._replace(end=0), (text, pointer)
        assert all(not line or line[0] == "#" for line in between), (text, pointer)  # maps end where what follows begins, or its line
    if not outline.starts:
        return
    part, whole = Source("", text, value, locate_yaml), Source("", text, value, locate_yaml)
    part.outline = outline
    for pointer, place in found.items():
        lines = [(each.value_line(pointer), each.key_line(pointer)) for each in (part, whole)]
        assert lines[0] == lines[1], (text, pointer, lines)
        spans = [each.value_span(pointer) for each in (part, whole)]
        assert spans[0][:3] == spans[1][:3], (text, pointer, spans)
        alone = part.place(pointer)
        assert alone == place or (not place.style and alone[:3] == place[:3]), (text, pointer)  # maps end where what follows begins


def attempt(chance: random.Random) -> str:
    """One text."""
    text = chance.choice((spoilt, spoilt, made_up, made_up, flowing))(chance)
    outline = Outline()
    value, problems = read_yaml(text, outline)
    compare_places(text, value, outline)
    try:
        wanted, wrong = values_of(text, events_of(text))
    except GrammarError:
        assert any(each.id in ("yaml-syntax", "yaml-second-document") for each in problems), (text, value)
        return "errors"
    careful = {(each.id, each.start) for each in read_carefully(text, None)[1]}
    assert careful <= {(each.id, each.start) for each in problems}, (text, problems, careful)  # what YAML cuts is said by any reader
    cut = [each for each in problems if each.id != "yaml-cut"]
    assert {each.id for each in cut} == {each.id for each in wrong if each.id != "yaml-cut"}, (text, problems, wrong)
    assert alike(value, wanted), (text, value, wanted)
    return "errors" if problems else "clean"
