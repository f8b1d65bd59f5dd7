"""What all text reports share: colours where they are wanted, the width of the terminal, and text that cannot steer it."""

from collections.abc import Callable, Mapping, Sequence
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
_SMALL = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")
_WORD = regex(r"(?:`[^`]*`|\S)+")
_WINDOW = 12  # columns of a part of a long text
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


def cut_apart(texts: Sequence[str], widths: Sequence[int], cutting: Callable[[str, int], str] = cut_within) -> list[str]:
    """Texts of at most some widths, of which two that differ never read the same: where `cutting` them makes them so, they are cut around where
    they differ, or else numbered."""
    shown = list(map(cutting, texts, widths))
    if _are_apart(texts, shown):
        return shown
    around = _around(list(dict.fromkeys(texts)), min(widths))
    return [around[each] for each in texts]


def _around(texts: Sequence[str], width: int) -> dict[str, str]:
    """Different texts of at most a width, from shortly before they begin to differ; of those that read the same then, where these do, too."""
    rest = dict(zip(texts, from_difference(texts, width), strict=True))
    shown = {each: cut(left, width) for each, left in rest.items()}
    if _are_apart(texts, [*shown.values()]):
        return shown
    alike: dict[str, list[str]] = {}
    for each, left in rest.items():
        alike.setdefault(cut(left, width // 2), []).append(each)
    for head, members in alike.items():
        if len(members) > 1 and width < 2 * _WINDOW:
            marks = number_marks(members)
            shown.update((each, f"{cut(rest[each], width - len(mark))}{mark}") for each, mark in zip(members, marks, strict=True))
        elif len(members) > 1:
            tails = _around([rest[each] for each in members], width - cells(head))
            shown.update((each, f"{head}{tails[rest[each]].lstrip('…')}") for each in members)
    return shown


def from_difference(texts: Sequence[str], width: int) -> list[str]:
    """Long texts from shortly before they begin to differ: cut there, they would read the same."""
    skipped = len(common_start(texts)) - width // 3
    return [f"…{each[skipped:].lstrip('…')}" for each in texts] if skipped > 1 else [*texts]


def common_start(texts: Sequence[str]) -> str:
    """What all of some texts begin with: the first and the last in order do."""
    first, last = min(texts), max(texts)
    return first[: next((at for at, pair in enumerate(zip(first, last, strict=False)) if pair[0] != pair[1]), min(len(first), len(last)))]


def _are_apart(texts: Sequence[str], shown: Sequence[str]) -> bool:
    """Whether all that reads the same is the same."""
    return len(set(zip(texts, shown, strict=True))) == len(set(shown))


def number_marks(texts: Sequence[str]) -> list[str]:
    """A small number for each text, the same for equal ones: `₁`, `₂`, `₁`."""
    numbers = {each: number for number, each in enumerate(dict.fromkeys(texts), 1)}
    return [str(numbers[each]).translate(_SMALL) for each in texts]


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
