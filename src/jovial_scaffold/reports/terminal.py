"""What all text reports share: colours where they are wanted, the width of the terminal, and text that cannot steer it."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TextIO

_ROLES = {
    "error": "1;31",
    "warning": "1;33",
    "note": "1;36",
    "strong": "1",
    "faint": "2",
    "place": "36",
    "caret": "1;31",
    "good": "1;32",
    "driver": "35",
}
_WORD = re.compile(r"(?:`[^`]*`|\S)+")
DEFAULT_WIDTH = 80
WIDEST = 200


@dataclass(frozen=True, slots=True)
class Style:
    """How to write for one stream: with colours or without, and how wide."""

    colours: bool
    width: int

    def paint(self, role: str, text: str) -> str:
        """Text in the colour of a role."""
        return f"\x1b[{_ROLES[role]}m{text}\x1b[0m" if self.colours and text and role else text


def style_for(stream: TextIO, process: Mapping[str, str]) -> Style:
    """The style that a stream and the process variables NO_COLOR, TERM and COLUMNS ask for."""
    terminal = stream.isatty()
    colours = terminal and not process.get("NO_COLOR") and process.get("TERM") != "dumb"
    columns = process.get("COLUMNS", "")
    if columns.isdigit() and int(columns) >= 40:
        width = int(columns)
    elif terminal:
        import os

        try:
            width = os.get_terminal_size(stream.fileno()).columns
        except OSError:
            width = DEFAULT_WIDTH
    else:
        width = DEFAULT_WIDTH
    return Style(colours, max(40, min(width, WIDEST)))


def cells(text: str) -> int:
    """How many columns a text takes in a terminal."""
    if text.isascii():
        return len(text)
    from rich.cells import cell_len

    return cell_len(text)


def padded(text: str, width: int) -> str:
    """Text filled with spaces to a width."""
    return text + " " * max(0, width - cells(text))


def cut(text: str, width: int) -> str:
    """Text of at most a width; `…` stands for what was left out."""
    if cells(text) <= width:
        return text
    while text and cells(text) > width - 1:
        text = text[:-1]
    return f"{text}…"


def cut_within(text: str, width: int) -> str:
    """Text of at most a width, cut in the middle: names tend to differ at their ends."""
    if cells(text) <= width:
        return text
    head = cut(text, max(2, (width + 1) // 2))
    tail = ""
    for char in reversed(text):
        if cells(head) + cells(tail) + cells(char) > width:
            break
        tail = char + tail
    return head + tail


def wrapped(text: str, width: int, indent: str) -> list[str]:
    """Words on lines of a width, each after an indent; what stands in back-quotes is one word, and may need a line of its own."""
    lines: list[str] = []
    line = ""
    for word in _WORD.findall(text):
        if line and cells(line) + 1 + cells(word) > width - len(indent):
            lines.append(indent + line)
            line = word
        else:
            line = f"{line} {word}" if line else word
    return [*lines, indent + line] if line else lines
