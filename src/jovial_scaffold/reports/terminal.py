"""What all text reports share: colours where they are wanted, the width of the terminal, and text that cannot steer it."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TextIO

from jovial_scaffold.core.regexes import regex

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
_WORD = regex(r"(?:`[^`]*`|\S)+")
DEFAULT_WIDTH = 80
WIDEST = 200


@dataclass(frozen=True, slots=True)
class Style:
    """How to write for one stream: with colours or without, how wide, and from which folder files are linked; nothing where they are not."""

    colours: bool
    width: int
    linked_from: str = ""

    def paint(self, role: str, text: str) -> str:
        """Text in the colour of a role."""
        return f"\x1b[{_ROLES[role]}m{text}\x1b[0m" if self.colours and text and role else text

    def place(self, text: str, file: str) -> str:
        """Text that names a place in a file, painted, and a link to it where the terminal can show one (the escape sequence OSC 8)."""
        return self.link(self.paint("place", text), file)

    def link(self, text: str, file: str) -> str:
        """Text that leads to a file, whose name is as it is shown: from the working folder."""
        if not self.linked_from:
            return text
        from posixpath import join, normpath
        from urllib.parse import quote

        return f"\x1b]8;;file://{quote(normpath(join(self.linked_from, file)))}\x1b\\{text}\x1b]8;;\x1b\\"


def style_for(stream: TextIO, process: Mapping[str, str]) -> Style:
    """The style that a stream and the process variables NO_COLOR, FORCE_COLOR, TERM and COLUMNS ask for."""
    terminal = stream.isatty()
    wanted = bool(process.get("FORCE_COLOR")) or (terminal and process.get("TERM") != "dumb")
    colours = wanted and not process.get("NO_COLOR")
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
    return Style(colours, max(40, min(width, WIDEST)), _linked_from(terminal and colours, process))


_LINKING = ("VTE_VERSION", "TERM_PROGRAM", "COLORTERM", "WT_SESSION")  # of which terminals that show links set one
_FORCED = "FORCE_HYPERLINK"


def _linked_from(terminal: bool, process: Mapping[str, str]) -> str:
    """The working folder, where the stream is a terminal that can show links, or FORCE_HYPERLINK says so."""
    forced = process.get(_FORCED)
    if forced == "0" or not (forced or (terminal and not process.get("CI") and any(process.get(name) for name in _LINKING))):
        return ""
    import os

    try:
        return os.getcwd()
    except OSError:
        return ""


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
    """Text of at most a width; `…` stands for what was left out. What lies beyond the width is not looked at."""
    begun = text[: width + 1] if text.isascii() else text[: 16 * width]
    if len(begun) == len(text) and cells(text) <= width:
        return text
    room, end = width - 1, 0
    for char in begun:
        room -= cells(char)
        if room < 0:
            break
        end += 1
    return f"{begun[:end]}…"


def cut_within(text: str, width: int) -> str:
    """Text of at most a width, cut in the middle: names tend to differ at their ends."""
    if len(text) <= 16 * width and cells(text) <= width:
        return text
    head = cut(text, max(2, (width + 1) // 2))
    head = head if head.endswith("…") else f"{head}…"
    tail, room = [], width - cells(head)
    for char in reversed(text[-width:]):
        room -= cells(char)
        if room < 0:
            break
        tail.append(char)
    return head + "".join(reversed(tail))


def wrapped(text: str, width: int, indent: str) -> list[str]:
    """Words on lines of a width, each after an indent; what stands in back-quotes is one word, and may need a line of its own."""
    if len(text) <= width - len(indent) and text.isascii() and " ".join(text.split()) == text:
        return [indent + text] if text else []
    lines: list[str] = []
    line = ""
    for word in _WORD.findall(text):
        if line and cells(line) + 1 + cells(word) > width - len(indent):
            lines.append(indent + line)
            line = word
        else:
            line = f"{line} {word}" if line else word
    return [*lines, indent + line] if line else lines
