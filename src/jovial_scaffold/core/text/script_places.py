"""Where the values of a text stand, and what lies around them, as who changes it asks for them."""

from collections.abc import Iterable, Iterator

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.formats import format_of
from jovial_scaffold.core.text.source import Place, Pointer, Source, value_at

NOTHING = object()  # where there is no value
_GAP = regex(r"(?:\s|#[^\n]*)*")
_JSON_GAP = regex(r"\s*")
_COMMENT_LINE = regex(r"[ \t]*#")
_END_IN_BRACKETS = regex(r"[ \t]*,?[ \t]*(?:(?<=\s)#[^\n]*)?(?:\r?\n|\Z)")
_COMMENT_BEHIND = regex(r"(?:^|\s)#.*")


class Unplaced(Exception):
    """There is no place for an edit: the text has nothing there, or is not laid out as a map."""


class Places:
    """Where values stand. Of a large text they are looked for one by one, where its reader can do that: an edit asks for few."""

    def __init__(self, source: Source, one_by_one: bool) -> None:
        self._source = source
        self._one_by_one = one_by_one

    def __contains__(self, pointer: Pointer) -> bool:
        return self.get(pointer) is not None

    def __getitem__(self, pointer: Pointer) -> Place:
        found = self.get(pointer)
        if found is None:
            raise Unplaced(pointer)
        return found

    def __iter__(self) -> Iterator[Pointer]:
        return iter(self._source.places())

    def get(self, pointer: Pointer) -> Place | None:
        """The place of a value; None where there is none."""
        if not self._one_by_one or not pointer:
            return self._source.places().get(pointer)
        there = value_at(self._source.value, pointer, NOTHING) is not NOTHING
        return self._source.place(pointer) if there else None


class Children:
    """What stands in each map and list, in the order of the text."""

    def __init__(self, source: Source, places: Places) -> None:
        self._source = source
        self._places = places
        self._known: dict[Pointer, list[Pointer]] = {}

    def __getitem__(self, pointer: Pointer) -> list[Pointer]:
        if pointer not in self._known:
            held = value_at(self._source.value, pointer, None) if pointer else self._source.value
            keys: Iterable[str | int] = held if isinstance(held, dict) else range(len(held)) if isinstance(held, list) else ()
            found = {(*pointer, key): place for key in keys if (place := self._places.get((*pointer, key))) is not None}
            self._known[pointer] = sorted(found, key=lambda each: (found[each].key_start, found[each].start))
        return self._known[pointer]


class Layout:
    """How a text is laid out around its values: lines, brackets, dashes, comments. What begins with an underscore is for who edits it."""

    def __init__(self, source: Source, notation: str = "") -> None:
        self.source = source
        self.text = source.text
        form = format_of(source.name)
        self.notation = notation or (form.name if form is not None else "YAML")
        self._places = Places(source, self.notation in ("YAML", "JSON"))
        self._children = Children(source, self._places)

    def block(self, pointer: Pointer) -> tuple[int, int]:
        """The lines of an entry, from the comments right above it to those below that are still about it. Raises Unplaced where it has none of
        its own."""
        if not self.is_in_lines(pointer):
            raise Unplaced(pointer)
        place = self._places[pointer]
        start = self._line_start(place.key_start)
        return self._comments_above(start, place.key_start - start), self._line_behind(pointer)

    def is_in_lines(self, pointer: Pointer) -> bool:
        """Whether an entry stands in lines of its own, and not in brackets. Raises Unplaced."""
        begins = self._places[pointer].key_start
        return self.notation == "YAML" and not self._in_flow(pointer) and not self.text[self._line_start(begins) : begins].strip()

    def column(self, pointer: Pointer) -> int:
        """How far in an entry stands. Raises Unplaced."""
        return len(self._indent(pointer))

    def is_apart(self, pointer: Pointer) -> bool:
        """Whether blank lines stand around the entries of a map. Raises Unplaced."""
        start, end = self.block(pointer)
        return self.text.endswith("\n\n", 0, start) or self.text.startswith("\n", end)

    def lines_in_brackets(self, pointer: Pointer) -> tuple[int, int] | None:
        """The lines of an entry or item in brackets, with the comments right above and behind it; None where it shares one with something else."""
        begins, end = self._extent(pointer)
        start = self._line_start(begins)
        match = _END_IN_BRACKETS.match(self.text, end)
        if self.text[start:begins].strip() or match is None:
            return None
        return self._comments_above(start, begins - start), match.end()

    def _extent(self, pointer: Pointer) -> tuple[int, int]:
        """Where an entry or item begins and ends."""
        place = self._places[pointer]
        return (min(place.key_start, place.start) if place.key_end > place.key_start else place.start), place.end

    def behind_blank(self, offset: int) -> int:
        """Where the blank lines end that begin there."""
        while self.text.startswith("\n", offset):
            offset += 1
        return offset

    def content_end(self, pointer: Pointer) -> int:
        """Where a value ends, without the blank lines and comments behind it. Raises Unplaced."""
        return self._content_end(self._places[pointer])

    def _in_flow(self, pointer: Pointer) -> bool:
        """Whether what holds an entry is written in brackets."""
        if self.notation == "JSON":
            return True
        if self.notation == "YAML" and self.text.lstrip()[:1] in ("{", "["):
            return True
        starts = self.source.outline.starts  # what has entries there stands in lines; where it ends nobody needs to know
        around = [self._places.get(pointer[:depth]) for depth in range(1, len(pointer)) if pointer[: depth + 1] not in starts]
        return any(each is not None and self._is_bracketed(each) for each in around)

    def _is_bracketed(self, place: Place) -> bool:
        """Whether a map or list stands in brackets, and is no head of a table."""
        if place.style or self.text[place.start : place.start + 1] not in ("{", "["):
            return False
        return self.notation != "TOML" or not self._is_header(place)

    def _is_header(self, place: Place) -> bool:
        """Whether a place of TOML is the head of a table, on a line of its own, and no list."""
        return not self.text[self._line_start(place.start) : place.start].strip()

    def _is_block(self, place: Place) -> bool:
        """Whether a map or list stands without brackets."""
        return place.style == "" and self.text[place.start : place.start + 1] not in ("{", "[")

    def _dash_before(self, offset: int) -> int:
        """Where the dash of an item stands, which may be on a line before what follows it."""
        line = self._line_start(offset)
        before = self.text[line:offset].rstrip(" \t")
        while not before.endswith("-"):
            if not line:
                raise Unplaced(offset)
            offset = line - 1
            line = self._line_start(offset)
            before = _COMMENT_BEHIND.sub("", self.text[line:offset]).rstrip()
        return line + len(before) - 1

    def _line_start(self, offset: int) -> int:
        return self.text.rfind("\n", 0, offset) + 1

    def _line_after(self, offset: int) -> int:
        """Where the line after that of an offset begins."""
        end = self.text.find("\n", offset)
        return end + 1 if end >= 0 else len(self.text)

    def _content_end(self, place: Place) -> int:
        """Where a value ends, without the blank lines and comments that a reader counts to it."""
        if not self._is_block(place) and place.style not in ("literal", "folded"):
            return place.end
        end = place.end
        while True:
            stripped = len(self.text[:end].rstrip("\r\n \t"))
            if stripped <= place.start or place.style in ("literal", "folded"):
                return max(stripped, place.start)
            line = self._line_start(stripped)
            if not _COMMENT_LINE.match(self.text, line) or line <= place.start:
                return stripped
            end = line

    def _line_behind(self, pointer: Pointer) -> int:
        """Where the line begins behind an entry in lines of its own: comments that stand further in than it are still about it."""
        place = self._places[pointer]
        begins = self._dash_before(place.start) if isinstance(pointer[-1], int) else place.key_start
        column = begins - self._line_start(begins)
        end = at = self._line_after(max(self._content_end(place), place.key_end))
        while self.notation == "YAML" and at < len(self.text):
            behind = self._line_after(at)
            line = self.text[at:behind].rstrip()
            if line and not (line.lstrip(" ").startswith("#") and len(line) - len(line.lstrip(" ")) > column):
                break
            at = behind
            if line:
                end = at
        return end

    def _behind_colon(self, place: Place) -> int:
        """Where what belongs to a key begins: behind its colon, or behind a dash."""
        if place.key_end <= place.key_start:
            return place.start
        return self.text.index(":", place.key_end) + 1

    def _indent(self, pointer: Pointer) -> str:
        """What stands before an entry on its line; a dash counts as a space."""
        place = self._places[pointer]
        before = self.text[self._line_start(place.key_start) : place.key_start]
        return "".join(char if char.isspace() else " " for char in before)

    def _comments_above(self, start: int, column: int) -> int:
        """Where the comments begin that stand right above a line, as far in as it."""
        while start:
            line = self._line_start(start - 1)
            text = self.text[line:start]
            if not text.lstrip(" \t").startswith("#") or len(text) - len(text.lstrip(" \t")) != column:
                break
            start = line
        return start

    def _gap_after(self, offset: int) -> int:
        match = (_JSON_GAP if self.notation == "JSON" else _GAP).match(self.text, offset)
        return match.end() if match is not None else offset

    def _heads_table(self, pointer: Pointer) -> bool:
        place = self._places[pointer]
        return place.style == "" and self.text.startswith("[", place.start) and self._is_header(place)
