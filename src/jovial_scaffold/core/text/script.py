"""One text that is changed: values set, entries put in, taken out and renamed, each as edits of the text as it was read.

Places come from the reader of the notation (`Source.place`), and what lies between them is never written anew: comments, order, quotes,
indentation, ends of lines and the end of the file stay as they are.
"""

import json
from collections.abc import Sequence
from copy import copy
from functools import cached_property
from typing import Any

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.edits import Edit
from jovial_scaffold.core.text.script_places import NOTHING, Layout, Unplaced
from jovial_scaffold.core.text.source import Pointer, Source, value_at
from jovial_scaffold.core.text.written_values import FLOW, Unwritable, dotenv_value, toml_key, yaml_block, yaml_flow, yaml_lines

_STEP = "  "
_COMMA = regex(r"\s*,[ \t]*")
_HEAD = regex(r"""\[\[?[ \t]*("(?:[^"\\\n]|\\.)*"|'[^'\n]*'|[A-Za-z0-9_-]+)""")


class Script(Layout):
    """A text and the edits of it."""

    def __init__(self, source: Source, notation: str = "") -> None:
        super().__init__(source, notation)
        self.edits: list[Edit] = []
        self._ends_lines = not self.text or self.text.endswith("\n")

    @cached_property
    def _line_end(self) -> str:
        return "\r\n" if "\r\n" in self.text else "\n"

    def afresh(self) -> "Script":
        """Another one of the same text without edits, which knows where everything stands."""
        again = copy(self)
        again.edits = []
        return again

    # -- what is asked of it

    def set(self, pointer: Pointer, value: Any) -> None:
        """Give a place another value, or put the entry in where it is not there. Raises Unplaced, Unwritable."""
        if value_at(self.source.value, pointer, NOTHING) is NOTHING:
            around = value_at(self.source.value, pointer[:-1], None)
            if isinstance(around, list) and pointer[-1] == len(around):
                self.append(pointer[:-1], value)
            else:
                self._insert_along(pointer, value)
            return
        if pointer not in self._places:
            raise Unplaced(pointer)
        place = self._places[pointer]
        if self.notation == "TOML" and (self._heads_table(pointer) or place.start == place.key_start):
            self._set_apart(pointer, value)
            return
        start, end = place.start, self._content_end(place)
        if self.notation == "YAML" and self._is_block(place) and not self._in_flow(pointer):
            start = self._behind_colon(place)
            written = self._yaml_behind_key(pointer, value)
        elif self.notation == "YAML" and place.start == place.end and place.key_end < place.start + 1:
            start = end = place.key_end + 1  # `key:` and nothing behind it
            written = self._yaml_behind_key(pointer, value)
        else:
            if place.style in ("literal", "folded"):
                start = place.start
            written = self._flow(value, place.style, self._in_flow(pointer))
        self._edit(start, end, written)

    def _set_apart(self, pointer: Pointer, value: Any) -> None:
        """Give a map of TOML other entries, whose own stand in lines: those of its table, or each behind the keys that lead to it."""
        below = [each for each in self._places if each[: len(pointer)] == pointer and each != pointer]
        head = self._places[pointer] if self._heads_table(pointer) else None
        if not below or self.text.startswith("[[", head.start if head is not None else 0) or not isinstance(value, dict) or not value:
            raise Unplaced(pointer)
        start = self._line_start(min(self._places[each].key_start for each in below)) if head is None else self._line_after(head.end)
        end = self._line_after(max(self._places[each].end for each in below))
        others = (place for each, place in ((each, self._places[each]) for each in self._places) if each[: len(pointer)] != pointer)
        if any(start <= place.start < end for place in others):
            raise Unplaced(pointer)
        told = [line for line in self.text[start:end].splitlines() if line.lstrip().startswith("#")]
        entries = value if head is not None else {pointer[-1]: value}
        lines = [*told, *(f"{toml_key(str(key))} = {FLOW['TOML'](item)}" for key, item in entries.items())]
        self._edit(start, end, self._line_end.join([*lines, ""] if self.text.endswith("\n", 0, end) else lines))

    def insert(self, parent: Pointer, key: str, value: Any, comments: Sequence[str] = (), after: str | None = None) -> None:
        """Put an entry into a map, behind another one or last. Raises Unplaced, Unwritable."""
        if self.source.wrapped is not None and not parent:
            self._wrap(key, value, comments)
            return
        holder = value_at(self.source.value, parent, NOTHING) if parent else self.source.value
        if holder is not None and not isinstance(holder, dict):
            raise Unplaced(parent)
        children = [each for each in self._children[parent] if each[-1] in (holder or {})]
        if self.notation == "dotenv":
            self._lines_at(len(self.text), [*comments, f"{key}={dotenv_value(value)}"])
        elif self.notation == "TOML" and not self._in_flow((*parent, key)):
            self._insert_toml(parent, key, value, comments)
        elif children and not self._in_flow(children[0]) and self.notation == "YAML":
            before = next((each for each in children if each[-1] == after), children[-1])
            indent = self._indent(children[0])
            lines = [*(f"{indent}{line}".rstrip() for line in comments), *yaml_lines(key, value, indent, self._ends_lines)]
            self._lines_at(self._line_behind(before), lines)
        elif children:
            self._insert_flow(children, parent, key, value, after)
        else:
            self._insert_first(parent, holder, key, value, comments)

    def add_lines(self, lines: Sequence[str]) -> None:
        """Put lines in behind the outermost entries: at the end, or in TOML before the first table."""
        offset = len(self.text)
        if self.notation == "TOML":
            tables = [self._places[each].start for each in self._places if each and self._heads_table(each)]
            offset = self._comments_above(self._line_start(min(tables)), 0) if tables else offset
            lines = [*lines, ""] if tables else lines
        self._lines_at(offset, lines)

    def insert_block(self, parent: Pointer, head: str, lines: Sequence[str]) -> None:
        """Put an entry into a map of the block style of YAML as lines of its own: its `head`, and what stands below it, as far in as it takes.
        Where there is no such map, it is made at the end. Raises Unplaced."""
        children = self._children[parent]
        holder = value_at(self.source.value, parent, NOTHING)
        if self.notation != "YAML" or (children and self._in_flow(children[0])) or isinstance(holder, list | str | int | float):
            raise Unplaced(parent)
        if children:
            indent = self._indent(children[0])
            below = self._children[children[-1]]
            step = self._indent(below[0])[len(indent) :] if below and not self._in_flow(below[0]) else ""
            own = [f"{indent}{head}", *(f"{indent}{step or _STEP}{line}" for line in lines)]
            offset = self._line_behind(children[-1])
            apart = self.text.endswith(self._line_end * 2, 0, self._line_start(self._places[children[-1]].key_start))
            self._lines_at(offset, ["", *own] if apart else own)
        elif holder is NOTHING and len(parent) == 1:
            own = [f"{parent[0]}:", f"{_STEP}{head}", *(f"{_STEP * 2}{line}" for line in lines)]
            self._lines_at(len(self.text), ["", *own] if self.text else own)
        elif parent in self._places:
            place = self._places[parent]
            own = ["", f"{_STEP}{head}", *(f"{_STEP * 2}{line}" for line in lines)]
            self._edit(self._behind_colon(place), max(place.end, self._behind_colon(place)), self._line_end.join(own))
        else:
            raise Unplaced(parent)

    def insert_first(self, parent: Pointer, key: str, value: Any) -> None:
        """Put an entry into a map that has some, before all others. Raises Unplaced, Unwritable."""
        children = self._children[parent]
        if not children or self.notation in ("TOML", "dotenv"):
            raise Unplaced(parent)
        first = self._places[children[0]]
        start = self._line_start(first.key_start)
        in_flow, own_line = self._in_flow(children[0]), not self.text[start : first.key_start].strip()
        if in_flow or not own_line:
            gap = " " if in_flow and not own_line else f"{self._line_end}{self._indent(children[0])}"
            comma = "," if in_flow else ""
            quoted = json.dumps(key, ensure_ascii=False) if self.notation == "JSON" else yaml_flow(key)
            self._edit(first.key_start, first.key_start, f"{quoted}: {FLOW[self.notation](value)}{comma}{gap}")
        else:
            indent = self._indent(children[0])
            self._lines_at(self._comments_above(start, len(indent)), yaml_lines(key, value, indent))

    def add_section(self, key: str, value: Any, order: Sequence[str]) -> None:
        """Put an outermost entry in that is not there, where it stands in an order, apart from others as they are. Raises Unplaced, Unwritable."""
        rank = {name: number for number, name in enumerate(order)}
        children = self._children[()]
        before = [each for each in children if rank.get(str(each[0]), len(rank)) < rank.get(key, len(rank))]
        if self.notation != "YAML" or not children or self._in_flow(children[0]) or before == children:
            self.set((key,), value)
        elif not before:
            self.insert_first((), key, value)
        else:
            offset = self._line_behind(before[-1])
            spaced = not self.text[offset : self._line_after(offset)].strip()
            self._lines_at(offset, [*([""] if spaced else []), *yaml_lines(key, value, self._indent(children[0]), self._ends_lines)])

    def append(self, pointer: Pointer, value: Any, comments: Sequence[str] = ()) -> None:
        """Put an item behind the last one of a list. Raises Unplaced, Unwritable."""
        held = value_at(self.source.value, pointer, NOTHING)
        if not isinstance(held, list) or pointer not in self._places:
            raise Unplaced(pointer)
        items = self._children[pointer]
        if not held or not items:
            self.set(pointer, [value])
        elif self.notation == "YAML" and not self._in_flow(items[0]):
            place = self._places[items[-1]]
            begins = self._dash_before(place.start)
            before = self.text[self._line_start(begins) : begins]
            indent = "".join(char if char.isspace() else " " for char in before)
            told = [f"{indent}{line}".rstrip() for line in comments]
            self._lines_at(self._line_behind(items[-1]), [*told, *yaml_lines(None, value, indent, self._ends_lines)])
        else:
            self._behind(items[-1], FLOW[self.notation](value), is_last=True)

    def remove(self, pointer: Pointer) -> None:
        """Take an entry of a map, or an item of a list, away with the comments that stand right above and behind it. Raises Unplaced."""
        if pointer not in self._places or not pointer:
            raise Unplaced(pointer)
        if self.source.wrapped is not None and len(pointer) == 1:
            script = Script(self.source.wrapped.whole, self.notation)
            script.remove(self.source.wrapped.place(str(pointer[0])))
            self.edits += script.edits
            return
        if self.notation in ("YAML", "JSON", "TOML") and self._in_flow(pointer):
            self.remove_in_brackets([pointer])
            return
        place = self._places[pointer]
        siblings = self._children[pointer[:-1]]
        begins = self._dash_before(place.start) if isinstance(pointer[-1], int) else place.key_start
        start = self._line_start(begins)
        end = self._line_behind(pointer)
        if self.text[start:begins].strip():  # the first entry of an item, behind its dash
            if pointer == siblings[-1]:
                raise Unplaced(pointer)
            following = self._places[siblings[siblings.index(pointer) + 1]]
            follows = self._dash_before(following.start) if isinstance(pointer[-1], int) else following.key_start
            self._edit(begins, follows, "")
            return
        if len(siblings) == 1 and len(pointer) > 1 and self.notation == "YAML":
            around = self._places[pointer[:-1]]
            empty = " {}" if isinstance(pointer[-1], str) else " []"
            self._edit(self._behind_colon(around), self._content_end(place), empty)
            return
        written = self.text[start:begins].lstrip("[")
        start = self._comments_above(start, len(written))
        self._edit(start, end, "")

    def rename(self, pointer: Pointer, key: str) -> None:
        """Give an entry of a map another key, in the quotes that it had. Raises Unplaced."""
        place = self._places.get(pointer)
        if self.notation == "TOML" and len(pointer) == 1:
            tables = [self._places[each] for each in self._places if each[:1] == pointer and self._heads_table(each)]
            for table in tables:
                match = _HEAD.match(self.text, table.start)
                if match is not None:
                    self._edit(*match.span(1), toml_key(key))
            if tables:
                return
        if place is None or place.key_end <= place.key_start:
            raise Unplaced(pointer)
        old = self.text[place.key_start : place.key_end]
        if self.notation == "JSON" or old[:1] == '"':
            written = json.dumps(key, ensure_ascii=False)
        elif self.notation == "TOML":
            written = toml_key(key)
        else:
            written = key if self.notation != "YAML" else f"'{key}'" if old[:1] == "'" and "'" not in key else self._key(pointer, key)
        self._edit(place.key_start, place.key_end, written)

    def cut(self, pointer: Pointer) -> None:
        """Take the lines of an entry away, and with them one of two gaps that they stood between. Raises Unplaced."""
        start, end = self.block(pointer)
        if self.text.endswith("\n\n", 0, start) and self.text.startswith("\n", end):
            end = self.behind_blank(end)
        self._edit(start, end, "")

    # -- how values are written

    def _key(self, pointer: Pointer, key: str) -> str:
        """A key as it stands beside others."""
        return yaml_flow(key) if self._in_flow(pointer) else yaml_block(key)

    def _flow(self, value: Any, style: str, in_flow: bool) -> str:
        """A value on one line, in the quotes that stood there where it is text."""
        if self.notation == "YAML" and isinstance(value, str):
            if style == "double":
                return json.dumps(value, ensure_ascii=False)
            if style == "single" and value.isprintable():
                quoted = value.replace("'", "''")
                return f"'{quoted}'"
            if not in_flow:
                return yaml_block(value)
        return FLOW[self.notation](value)

    def _yaml_behind_key(self, pointer: Pointer, value: Any) -> str:
        """What stands behind a key and its colon, or behind a dash, in the block style."""
        lines = yaml_lines("k", value, self._indent(pointer), self._ends_lines)
        return self._line_end.join(lines).removeprefix(f"{self._indent(pointer)}k:")

    # -- edits

    def _edit(self, start: int, end: int, text: str) -> None:
        self.edits.append(Edit(self.source.name, start, end, text))

    def _lines_at(self, offset: int, lines: Sequence[str]) -> None:
        """Put lines in where one begins; a last line without its end gets none, and the new last one neither."""
        text = self._line_end.join(lines)
        if offset and not self.text.endswith("\n", 0, offset):
            self._edit(offset, offset, f"{self._line_end}{text}")
        else:
            self._edit(offset, offset, f"{text}{self._line_end}")

    def _wrap(self, key: str, value: Any, comments: Sequence[str]) -> None:
        """Put an entry in as the envelope around the values has it."""
        assert self.source.wrapped is not None
        script = Script(self.source.wrapped.whole, self.notation)
        pointer, name, item = self.source.wrapped.entry(key, value)
        script.append(pointer, item, comments) if name is None else script.insert(pointer, name, item, comments)
        self.edits += script.edits

    def _insert_along(self, pointer: Pointer, value: Any) -> None:
        """Put a value in with the maps that lead to it."""
        depth = len(pointer) - 1
        while depth and not isinstance(value_at(self.source.value, pointer[:depth], NOTHING), dict):
            if value_at(self.source.value, pointer[:depth], NOTHING) not in (NOTHING, None):
                raise Unplaced(pointer)
            depth -= 1
        for step in reversed(pointer[depth + 1 :]):
            value = {step: value}
        below = pointer[: depth + 1]
        if value_at(self.source.value, below, NOTHING) is None:
            self.set(below, value)  # it is there, and empty
        else:
            self.insert(pointer[:depth], str(pointer[depth]), value)

    def _insert_first(self, parent: Pointer, holder: Any, key: str, value: Any, comments: Sequence[str]) -> None:
        """Put an entry into a map that has none."""
        if not parent and holder is None:
            lines = (
                [*comments, *yaml_lines(key, value, "", self._ends_lines)]
                if self.notation == "YAML"
                else [FLOW[self.notation]({key: value})]
            )
            self._lines_at(len(self.text), lines)
        elif holder is None:
            self.set(parent, {key: value})
        else:
            place = self._places[parent]
            if self.notation == "YAML" and not self._in_flow((*parent, key)[:-1]) and parent:
                self._edit(self._behind_colon(place), place.end, self._yaml_behind_key(parent, {key: value}))
            else:
                self._edit(place.start, place.end, FLOW[self.notation]({key: value}))

    def _insert_flow(self, children: list[Pointer], parent: Pointer, key: str, value: Any, after: str | None) -> None:
        before = next((each for each in children if each[-1] == after), children[-1])
        quoted = (
            json.dumps(key, ensure_ascii=False) if self.notation == "JSON" else toml_key(key) if self.notation == "TOML" else yaml_flow(key)
        )
        entry = f"{quoted}{' = ' if self.notation == 'TOML' else ': '}{FLOW[self.notation](value)}"
        self._behind(before, entry, before == children[-1])

    def _behind(self, before: Pointer, entry: str, is_last: bool) -> None:
        """Put something in brackets behind an entry or item, on a line of its own where that stands so."""
        place = self._places[before]
        end, start = place.end, min(place.key_start, place.start)
        own_line = not self.text[self._line_start(start) : start].strip()
        gap = f"{self._line_end}{self._indent(before)}" if own_line else " "
        comma = self._gap_after(end)
        if self.text.startswith(",", comma):
            self._edit(comma + 1, comma + 1, f"{gap}{entry}" if is_last else f"{gap}{entry},")
        else:
            self._edit(end, end, f",{gap}{entry}")

    def remove_in_brackets(self, pointers: Sequence[Pointer]) -> None:
        """Take entries or items of one map or list in brackets away, each with its lines and comments where it has some of its own."""
        siblings = self._children[pointers[0][:-1]]
        kept = [each for each in siblings if each not in pointers]
        last = self._extent(kept[-1])[1] if kept else 0
        spare = _COMMA.match(self.text, last) if kept and siblings[-1] in pointers else None
        for pointer in pointers:
            begins, end = self._extent(pointer)
            lines = self.lines_in_brackets(pointer)
            comma = _COMMA.match(self.text, end)
            follows_kept = bool(kept) and pointer == siblings[-1] and kept[-1] == siblings[-2]
            if follows_kept and (lines is None or "#" not in self.text[last : lines[1]]):
                self._edit(last, end, "")
            elif kept and lines is not None:
                too = spare if spare is not None and spare.end() <= lines[0] else None  # the comma before it is not needed any more
                self._edit(lines[0] if too is None else too.start(), lines[1], "" if too is None else self.text[too.end() : lines[0]])
                spare = spare if too is None else None
            else:
                self._edit(begins, comma.end() if comma is not None else end, "")
        if spare is not None and not any(each.start <= last < each.end for each in self.edits):
            self._edit(*spare.span(), "")

    def _insert_toml(self, parent: Pointer, key: str, value: Any, comments: Sequence[str]) -> None:
        head = self._places.get(parent) if parent else None
        if parent and (head is None or not self.text.startswith("[", head.start) or not self._is_header(head)):
            if head is not None:
                raise Unplaced(parent)
            self._lines_at(
                len(self.text), ["", f"[{'.'.join(map(toml_key, map(str, parent)))}]", f"{toml_key(key)} = {FLOW['TOML'](value)}"]
            )
            return
        own = [each for each in self._children[parent] if not self._heads_table(each)]
        lines = [*comments, f"{toml_key(key)} = {FLOW['TOML'](value)}"]
        if own:
            offset = self._line_after(self._places[own[-1]].end)
        elif head is not None:
            offset = self._line_after(head.end)
        else:
            offset = 0
        self._lines_at(offset, lines)


__all__ = ["Script", "Unplaced", "Unwritable"]
