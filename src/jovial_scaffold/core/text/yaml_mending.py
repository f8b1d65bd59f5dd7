"""How a line that YAML cannot read could be written: only what was tried, and makes the file readable, is proposed."""

from collections.abc import Iterator

from yaml import YAMLError
from yaml._yaml import CParser
from yaml.events import StreamEndEvent

from jovial_scaffold.core.limits import MENDED_CHARACTERS
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.scalars import quoted
from jovial_scaffold.core.words import NOTHING, Sentence, say

_ENTRY = regex(r"(?P<before>\s*(?:- )*)(?P<key>[^\s:#'\"\[\]{}][^:#'\"\[\]{}]*):(?P<space> +)(?P<value>[^\s].*\S|\S)\s*\Z")
_NO_SPACE = regex(r"(?P<before>\s*(?:- )*)(?P<key>[A-Za-z_$][\w$-]*):(?P<value>[^\s:].*)\Z")


def mended(text: str, index: int) -> Sentence:
    """What to write instead of the line at an offset, or of the one before; nothing where nothing was found that can be read."""
    if len(text) > MENDED_CHARACTERS.most:
        return NOTHING
    start = text.rfind("\n", 0, index) + 1
    lines = [(start, _end(text, start))]
    if start:
        before = text.rfind("\n", 0, start - 1) + 1
        lines.append((before, start - 1))
    wrong = _first_error(text)
    found = [
        (rank, first, last, candidate, hint)
        for first, last in lines
        for rank, candidate, hint in _candidates(text, first, text[first:last].rstrip("\r"))
    ]
    for _, first, last, candidate, hint in sorted(found, key=lambda each: each[0]):
        error = _first_error(text[:first] + candidate + text[last:])
        grown = len(candidate) - (last - first)
        if error is None or (wrong is not None and error > wrong + grown and error > first + len(candidate)):
            return hint
    return NOTHING


def _end(text: str, start: int) -> int:
    end = text.find("\n", start)
    return end if end >= 0 else len(text)


def _first_error(text: str) -> int | None:
    """The offset of the first thing that cannot be read."""
    parser = CParser(text)
    try:
        while not isinstance(parser.get_event(), StreamEndEvent):
            pass
    except YAMLError as error:
        mark = getattr(error, "problem_mark", None) or getattr(error, "context_mark", None)
        return mark.index if mark is not None else 0
    return None


def _candidates(text: str, first: int, line: str) -> Iterator[tuple[int, str, Sentence]]:
    """Other lines, the likeliest with the lowest rank."""
    spaced = _NO_SPACE.match(line)
    if spaced:
        entry = f"{spaced['key']}: {spaced['value']}"
        yield 0, f"{spaced['before']}{entry}", say("Write a space after the colon: `{}`", entry)
    inner = _placeholders_quoted(line)
    if inner != line:
        yield 1, inner, say("Put the expression in quotes: `{}`", inner.strip())
    closing = _missing_brackets(line)
    if closing:
        yield 2, line.rstrip() + closing, say("Close it at the end of the line with `{}`.", closing)
    entry_match = _ENTRY.match(line)
    if entry_match and entry_match["value"][0] not in "'\"|>&*":
        value = entry_match["value"]
        entry = f"{entry_match['key']}: {quoted(value)}"
        yield 4, f"{entry_match['before']}{entry}", say("Put the value in quotes: `{}`", entry)
    for indent in _indents(text[:first]):
        if indent != len(line) - len(line.lstrip(" ")):
            yield 3, " " * indent + line.lstrip(" "), say("Indent it by {} spaces, as the lines before it.", indent)


def _missing_brackets(line: str) -> str:
    """The brackets that a line opens outside of quotes and does not close, as they would be closed."""
    opened = []
    quote = ""
    for char in line:
        if quote:
            quote = "" if char == quote else quote
        elif char in "'\"":
            quote = char
        elif char in "[{":
            opened.append("]" if char == "[" else "}")
        elif char in "]}" and opened:
            opened.pop()
    return "" if quote else "".join(reversed(opened))


def _placeholders_quoted(line: str) -> str:
    """The line with each value of a flow map or list that begins with `${` in quotes."""
    opening = min((at for at in (line.find("{"), line.find("[")) if at >= 0), default=-1)
    if opening < 0:
        return line
    found, at = [line[: opening + 1]], opening + 1
    while at < len(line):
        start = line.find("${", at)
        if start < 0 or line[:start].rstrip()[-1:] not in (":", ",", "[", "{"):
            found.append(line[at : start + 2] if start >= 0 else line[at:])
            at = start + 2 if start >= 0 else len(line)
            continue
        end = value_end(line, start)
        value = line[start:end].rstrip()
        found += [line[at:start], quoted(value), line[start + len(value) : end]]
        at = end
    return "".join(found)


def value_end(line: str, start: int) -> int:
    """Where a value of a flow collection ends that begins with a placeholder: before a comma or bracket that is not the placeholder's."""
    depth = 0
    quote = ""
    for at in range(start, len(line)):
        char = line[at]
        if quote:
            quote = "" if char == quote else quote
        elif char in "'\"" and depth:
            quote = char
        elif char in "([{":
            depth += 1
        elif char in ")]}":
            if depth == 0:
                return at
            depth -= 1
        elif char == "," and depth == 0:
            return at
    return len(line)


def _indents(before: str) -> list[int]:
    """The indentations of the lines before, the nearest first."""
    lines = [line for line in before.split("\n")[-12:] if line.strip() and not line.lstrip().startswith("#")]
    return list(dict.fromkeys(len(line) - len(line.lstrip(" ")) for line in reversed(lines)))
