"""From a character of a scalar's value back to the character of the file: quotes, escapes, folds and block indents.

The rules are those of YAML 1.2.2, chapter 7 (flow scalars) and 8 (block scalars); JSON and TOML strings are a subset.
"""

import re

from jovial_scaffold.core.regexes import regex

_ESCAPE = regex(r"\\(?:x[0-9a-fA-F]{2}|u[0-9a-fA-F]{4}|U[0-9a-fA-F]{8}|\r\n|.)", re.DOTALL)
_SURROGATES = regex(r"\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}")
_BREAKS = regex(r"[ \t]*(?:\r\n|\n|\r)(?:[ \t]*(?:\r\n|\n|\r))*[ \t]*")


def source_offsets(raw: str, style: str, parent: int | None = None) -> list[int]:
    """For each character of the scalar's value, its offset in `raw`; one more entry for the end.

    `parent` is the column of the key or dash before a block scalar, from which a declared indent counts.
    """
    if style == "plain":
        return _flow(raw, 0, len(raw), escape="")
    if style == "single":
        return _flow(raw, 1, len(raw) - 1, escape="'")
    if style == "double":
        return _flow(raw, 1, len(raw) - 1, escape="\\")
    if style == "verbatim":
        return list(range(len(raw) + 1))
    if style == "multiline":  # TOML's three quotes: nothing is folded
        return _multiline(raw)
    return _block(raw, folded=style == "folded", parent=parent)


def _flow(raw: str, start: int, end: int, escape: str) -> list[int]:
    if "\n" not in raw and "\r" not in raw and (not escape or escape not in raw[start:end]):
        return [*range(start, end + 1)]  # as in most texts
    offsets: list[int] = []
    index = start
    while index < end:
        char = raw[index]
        if escape == "\\" and char == "\\":
            pair = _SURROGATES.match(raw, index)
            match = pair or _ESCAPE.match(raw, index)
            length = len(match.group()) if match else 1
            if raw[index + 1 : index + 2] in ("\n", "\r"):  # an escaped line break joins the lines
                length += len(raw[index + length : end]) - len(raw[index + length : end].lstrip(" \t"))
            else:
                offsets.append(index)
            index += length
        elif escape == "'" and char == "'":
            offsets.append(index)
            index += 2
        elif char in " \t\r\n" and (fold := _BREAKS.match(raw, index, end)):
            breaks = len(re.findall(r"\r\n|\n|\r", fold.group()))
            offsets.extend([index] * max(1, breaks - 1))  # one break folds to a space, n breaks to n - 1 newlines
            index = fold.end()
        else:
            offsets.append(index)
            index += 1
    offsets.append(end)
    return offsets


def _multiline(raw: str) -> list[int]:
    start = 3
    if raw[3:4] == "\n":
        start = 4
    elif raw[3:5] == "\r\n":
        start = 5
    return [*range(start, max(start, len(raw) - 3)), max(start, len(raw) - 3)]


def _block(raw: str, folded: bool, parent: int | None) -> list[int]:
    header, newline, _ = raw.partition("\n")
    position = len(header) + len(newline)
    lines: list[tuple[int, str]] = []
    for line in raw[position:].splitlines(keepends=True):
        lines.append((position, line))
        position += len(line)
    declared = re.match(r"[|>][+-]?([1-9])", header)
    indents = [len(line) - len(line.lstrip(" ")) for _, line in lines if line.strip()]
    indent = min(indents, default=0)
    if declared and indents:
        indent = indents[0] if parent is None else parent + int(declared[1])
    offsets: list[int] = []
    for number, (start, line) in enumerate(lines):
        content = line.rstrip("\r\n")
        offsets.extend(range(start + min(indent, len(content)), start + len(content)))
        follows_text = number + 1 < len(lines) and bool(content.strip()) and bool(lines[number + 1][1].strip())
        blank_after_text = folded and bool(content.strip()) and number + 1 < len(lines) and not lines[number + 1][1].strip()
        if len(line) > len(content) and not (blank_after_text and not follows_text):
            offsets.append(start + len(content))
    offsets.append(len(raw))
    return offsets
