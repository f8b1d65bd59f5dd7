"""What can be read of a YAML text that cannot be read as a whole: all but the entries in which its mistakes are.

Entries are told apart by how far in they stand. One that cannot be read by itself is looked into, down to the smallest; what that is, is
blank then, and its value is unknown. So a quote that nobody closed costs its own entry, and its mistake is found there.
"""

from typing import Any, NamedTuple

from jovial_scaffold.core.limits import NESTING, RECOVERED_CHARACTERS, RECOVERED_ENTRIES
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.source import Problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.yaml_reader import read_yaml

#: an entry of a map, or an item of a list, at the beginning of a line; what it is called, and what follows
_ENTRY = regex(
    r"""([ ]*)(?:(- )|((?:"(?:[^"\\\n]|\\.)*"[ \t]*|'(?:[^'\n]|'')*'[ \t]*|[^\s#'"\[\]{},&*!|>%@`-][^\n#]*?|-[^\s#][^\n#]*?):)(?=[ \t]|$))"""
)
_LARGE = 20_000  # characters of an entry that is looked into before it is read as a whole
_MARK = " \ue000"  # stands in the place of what is lost
_BLANK = regex(r"[ \t]*(?:#.*)?$")


class Recovered(NamedTuple):
    """The value with what is unknown in it, what is wrong, and the text with blanks where that was, for places."""

    value: Any
    problems: list[Problem]
    text: str


class _Entry(NamedTuple):
    """Lines that belong together, as offsets; where its key ends, and how far in it stands."""

    start: int
    end: int
    key_end: int
    indent: int


def recover(text: str) -> Recovered | None:
    """None where the mistakes cannot be told from the rest."""
    if len(text) > RECOVERED_CHARACTERS.most or _MARK.strip() in text or "\t" in text[:1] or text.lstrip()[:1] in ("{", "["):
        return None
    finding = _Finding(text)
    if not finding.look(0, len(text)) or not finding.problems:
        return None
    pieces: list[str] = []
    last = 0
    for entry in finding.lost:
        blank = "".join(char if char in "\r\n" else " " for char in text[entry.key_end : entry.end])
        if len(blank) < len(_MARK) or "\n" in blank[: len(_MARK)]:
            return None
        pieces += (text[last : entry.key_end], _MARK, blank[len(_MARK) :])
        last = entry.end
    blanked = "".join((*pieces, text[last:]))
    value, problems = read_yaml(blanked)
    if not isinstance(value, dict | list):
        return None
    _set_unknown(value)
    return Recovered(value, [*problems, *finding.problems], blanked)


def _set_unknown(value: Any) -> None:
    """Make what stands where something was lost unknown."""
    waiting = [value]
    while waiting:
        held = waiting.pop()
        for key, item in held.items() if isinstance(held, dict) else enumerate(held):
            if isinstance(item, dict | list):
                waiting.append(item)
            elif item is not UNKNOWN and item == _MARK.strip():
                held[key] = UNKNOWN


class _Finding:
    """Looks for the smallest entries that cannot be read."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.lost: list[_Entry] = []
        self.problems: list[Problem] = []
        self._left = RECOVERED_ENTRIES.most
        self._characters = 4 * RECOVERED_CHARACTERS.most
        self._depth = 0

    def look(self, start: int, end: int) -> bool:
        """Look into the entries between two offsets; False where they cannot be told apart, or there are too many."""
        entries = self._entries(start, end)
        if entries is None:
            return False
        for entry in entries:
            self._left -= 1
            if self._left < 0:
                return False
            below = self._below(entry)
            if below and entry.end - entry.start > _LARGE and self._lose_inside(entry, below):
                continue  # what is large is not read to learn that it cannot be
            value, problems = self._read(entry)
            if value is UNKNOWN and not (below and self._lose_inside(entry, below)):
                self.lost.append(entry)
                self.problems += [self._placed(each, entry) for each in problems]
        return True

    def _read(self, entry: _Entry) -> tuple[Any, list[Problem]]:
        """An entry by itself. Nothing of it where so much was read that a text of many mistakes would take long."""
        self._characters -= entry.end - entry.start
        return read_yaml(self.text[entry.start : entry.end]) if self._characters > 0 else (UNKNOWN, [])

    def _lose_inside(self, entry: _Entry, below: int) -> bool:
        """Look into an entry; False, and nothing is lost, where that finds no mistake."""
        lost, wrong = len(self.lost), len(self.problems)
        self._depth += 1
        found = self._depth <= NESTING.most and self.look(below, entry.end) and len(self.lost) > lost
        self._depth -= 1
        if not found:
            del self.lost[lost:], self.problems[wrong:]
        return found

    def _below(self, entry: _Entry) -> int:
        """Where the lines below an entry begin, if it is a block; else 0."""
        below = self.text.find("\n", entry.key_end, entry.end) + 1
        inside = bool(below) and _BLANK.match(self.text[entry.key_end : below - 1]) is not None
        return below if inside and self._is_block(below, entry.end, entry.indent) else 0

    def _placed(self, problem: Problem, entry: _Entry) -> Problem:
        """A problem of an entry in the whole text; one that only its end shows is where the value begins."""
        start, end = problem.start + entry.start, min(problem.end + entry.start, entry.end)
        if start >= len(self.text[: entry.end].rstrip()):
            value = self.text[entry.key_end : entry.end]
            start = entry.key_end + len(value) - len(value.lstrip())
            end = start + 1
        return problem._replace(start=start, end=end)

    def _is_block(self, start: int, end: int, indent: int) -> bool:
        """Whether the first line with something on it begins an entry further in."""
        for line in self.text[start:end].split("\n"):
            if not _BLANK.match(line):
                match = _ENTRY.match(line)
                return match is not None and (len(match[1]) > indent or match[2] is not None)
        return False

    def _entries(self, start: int, end: int) -> list[_Entry] | None:
        """The entries that stand as far in as the first one."""
        found: list[_Entry] = []
        at, first = start, None
        while at < end:
            stop = self.text.find("\n", at, end)
            stop = end if stop < 0 else stop + 1
            line = self.text[at:stop].rstrip("\r\n")
            match = _ENTRY.match(line)
            if match is not None and (first is None or len(match[1]) == first):
                first = len(match[1])
                if found:
                    found[-1] = found[-1]._replace(end=at)
                found.append(_Entry(at, end, at + match.end(), first))
            elif (first is None and not _BLANK.match(line)) or (match is not None and first is not None and len(match[1]) < first):
                return None
            at = stop
        return found or None
