"""YAML 1.2 (core schema) text to plain values, through libyaml's event stream, or that of the grammar where libyaml reads another YAML.

One pass builds the values; the same pass, run again when a finding needs it, records where each value stands.
Everything that YAML allows and our formats do not is a problem with its place, and reading goes on.

It is long because all that YAML allows and our formats do not has its problem here. It is loaded for a text that `yaml_quick` does not
read, or of which somebody asks for places: libyaml and its Python part take long to load.
"""

import re
from collections.abc import Callable, Iterable
from contextlib import suppress
from typing import Any

from yaml import Mark, MarkedYAMLError, YAMLError
from yaml._yaml import CParser
from yaml.events import (
    AliasEvent,
    DocumentStartEvent,
    Event,
    MappingEndEvent,
    MappingStartEvent,
    ScalarEvent,
    SequenceEndEvent,
    SequenceStartEvent,
    StreamEndEvent,
)

from jovial_scaffold.core.limits import CAREFUL_CHARACTERS, NESTING, NODES
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.scalars import WORDS, NumberRangeError, bounded_float, bounded_integer, core_schema_value, quote_hint, quoted
from jovial_scaffold.core.text.source import Place, Pointer, Problem, duplicate_problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import GAP, NOTHING, Amount, Sentence, say

_TAG = "tag:yaml.org,2002:"
_STYLES = {"'": "single", '"': "double", "|": "literal", ">": "folded"}
_SCALAR_TAGS = {f"{_TAG}{name}" for name in ("str", "int", "float", "bool", "null")}
_SPANNING = frozenset((ScalarEvent, MappingEndEvent, SequenceEndEvent))
_SURELY_TEXT = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ$")  # a value that begins so is a text, unless it is a word


_NO_KEY = "\0"  # no text of YAML holds this character: what stands under it is not taken in


class _Container:
    """A map or list that is still being read."""

    __slots__ = (
        "anchor",
        "cut",
        "flow",
        "is_key",
        "is_lost",
        "is_map",
        "key",
        "key_place",
        "key_places",
        "pointer",
        "size",
        "start",
        "value",
    )

    def __init__(self, value: Any, pointer: Pointer, start: Any, flow: bool, anchor: str | None) -> None:
        self.value = value
        self.pointer = pointer
        self.start = start
        self.flow = flow
        self.anchor = anchor
        self.key: str | None = None
        self.is_map = type(value) is dict
        self.cut: tuple[int, int] | None = None  # where a value stands that YAML ends too early
        self.is_key = False  # a map or list in the place of a key
        self.is_lost = False  # what was meant by it is not known
        self.key_place: Any = None  # the event of the key, whose place is asked for rarely
        self.key_places: dict[str, Any] = {}
        self.size = 1


_DOUBLE_BRACES = regex(r"\{\{\s*([a-z][a-z0-9_.]*)\s*\}\}")


class _TooMuch(Exception):
    """Reading cannot go on; the problem was noted."""


class _Doubtful(Exception):
    """libyaml reads what YAML 1.2 may not."""


#: what libyaml takes, or reads as something else than YAML 1.2 says: comments right behind a value, `-` and `?` in flow style, anchors
#: with a colon, tabs at the start of lines, block scalars that begin or end with white space, directives
_DOUBTFUL = regex(
    r"""[^\s\[{(,:]["']\#|[\]},|>]\#|[|>][0-9+-]+\#"""  # a `#` right behind a value; `"#/types/x"` begins one
    r"""|(?:,|(?<![\w)\]"'])\[|(?<![$\w])\{)\s*\?[^\s,\[\]{}]|[\[,{]\s*-\s*[,\]}]"""  # not `xs[?0]` and `${?x}`
    r"""|(?:^|[\s\[{,])[&*](?![&*=])[A-Za-z0-9_-]*[^\sA-Za-z0-9_,\[\]{}"'-]|^[ ]*\t|[|>][0-9+-]*[ \t]*(?:\#[^\n]*)?\n[ ]+\n|\n[ ]+\Z|^[%|>]""",
    re.MULTILINE,
)


class _Builder:
    """Events to values: `places` is filled only when given."""

    def __init__(self, text: str, places: dict[Pointer, Place] | None) -> None:
        self.text = text
        self.places = places
        self.problems: list[Problem] = []
        self.stack: list[_Container] = []
        self.anchors: dict[str, tuple[Any, int]] = {}
        self.texts: dict[str, str] = {}  # of anchors of scalars, what stands there: as a key, an alias is that
        self.open_anchors: set[str] = set()
        self.nodes = 0
        self.root: Any = None
        self.documents = 0

    def build(self) -> Any:
        """The value, as libyaml reads the text. Raises YAMLError, and _Doubtful where the grammar has to be asked."""
        if _DOUBTFUL.search(self.text) and len(self.text) <= CAREFUL_CHARACTERS.most:
            raise _Doubtful
        parser = CParser(self.text)
        try:
            return self.from_events(parser.get_event, doubting=len(self.text) <= CAREFUL_CHARACTERS.most)
        finally:
            parser.dispose()

    def from_events(self, following: Callable[[], Any], doubting: bool) -> Any:
        """The value of a stream of events. Raises _Doubtful where `doubting`, and lines stand less far in than they have to."""
        quick = self.places is None
        try:
            while True:
                event: Any = following()
                kind = type(event)
                if doubting and kind in _SPANNING:
                    self.doubt(event)
                if kind is ScalarEvent:
                    if quick and self.stack and event.anchor is None and event.tag is None and self.quick(event):
                        continue
                    self.scalar(event)
                elif kind is MappingStartEvent:
                    self.open(event, {})
                elif kind is SequenceStartEvent:
                    self.open(event, [])
                elif kind is MappingEndEvent or kind is SequenceEndEvent:
                    self.close(event)
                elif kind is AliasEvent:
                    self.alias(event)
                elif kind is DocumentStartEvent:
                    self.document(event)
                elif kind is StreamEndEvent:
                    return self.root
        except _TooMuch:
            return UNKNOWN

    def doubt(self, event: Any) -> None:
        """Lines inside of quotes or brackets stand further in than what is around them (YAML 1.2.2, 6.3)."""
        if type(event) is ScalarEvent:
            start: Any = event.start_mark
            around_it = self.stack
            if not event.style:
                return
            if event.style in "|>":  # its header, too
                top = self.stack[-1] if self.stack else None
                if top is not None and not top.flow and (event.anchor or event.tag or start.column <= top.start.column):
                    raise _Doubtful
                return
        else:
            start, around_it = self.stack[-1].start, self.stack[:-1]
            if not self.stack[-1].flow:
                return
        end: Any = event.end_mark
        if start.line == end.line:
            return
        around = next((each.start.column for each in reversed(around_it) if not each.flow), -1)
        lines = self.text[start.index : end.index].split("\n")[1:]
        if any(line.strip() and len(line) - len(line.lstrip(" ")) <= around for line in lines):
            raise _Doubtful

    def problem(self, id: str, message: Sentence, event: Any, hint: Sentence = NOTHING) -> None:
        self.problems.append(Problem(id, message, event.start_mark.index, event.end_mark.index, hint))

    def document(self, event: Event) -> None:
        self.documents += 1
        if self.documents > 1:
            self.problem(
                "yaml-second-document",
                say("A second document begins here, and only the first would be read."),
                event,
                say("Remove the line `---`, or move this part to a file of its own."),
            )
            raise _TooMuch

    def open(self, event: Any, value: Any) -> None:
        if len(self.stack) >= NESTING.most:
            self.problem(NESTING.finding, say("Values are nested deeper than {} levels.", NESTING.most), event)
            raise _TooMuch
        if event.tag and event.tag not in (f"{_TAG}map", f"{_TAG}seq", "!"):
            self.foreign_tag(event)
        is_key = bool(self.stack) and self.awaits_key(event)
        if is_key:
            self.stack[-1].key = _NO_KEY
            if not _is_behind(self.stack[-1].cut, event.start_mark.index):
                self.problem("yaml-key", say("A map or list stands where a key is expected."), event, self.key_hint(event))
                self.stack[-1].is_lost = self.stack[-1].flow
        if event.anchor:
            self.open_anchors.add(event.anchor)
        self.stack.append(_Container(value, self.pointer(), event.start_mark, event.flow_style, event.anchor))
        self.stack[-1].is_key = is_key

    def key_hint(self, event: Any) -> Sentence:
        """What to write instead of a map or list as a key; `{{name}}` is a placeholder of other notations."""
        start = event.start_mark.index
        match = _DOUBLE_BRACES.match(self.text, start - 1) if start else None
        return say('A placeholder is written "{}".', f"${{{match[1]}}}") if match else say("Keys are text; quote it if needed.")

    def awaits_key(self, event: Event) -> bool:
        top = self.stack[-1]
        return type(top.value) is dict and top.key is None

    def pointer(self) -> Pointer:
        if self.places is None or not self.stack:
            return ()
        top = self.stack[-1]
        return (*top.pointer, top.key if type(top.value) is dict else len(top.value))  # type: ignore[arg-type]  # a key is set here

    def close(self, event: Any) -> None:
        done = self.stack.pop()
        if done.anchor:
            self.open_anchors.discard(done.anchor)
            self.anchors[done.anchor] = (done.value, done.size)
        if done.is_key:
            return
        self.add(UNKNOWN if done.is_lost else done.value, done.size, done.start.index, event.end_mark.index, "")

    def quick(self, event: Any) -> bool:
        """A key or value of a map without anything particular about it, which most are; False for what needs a closer look."""
        top = self.stack[-1]
        if not top.is_map:
            return False
        text = event.value
        if top.key is None:
            if text == "<<" or top.cut is not None:
                return False
            top.key = text
            top.key_place = event
            return True
        key = top.key
        if key == _NO_KEY or key in top.value or top.size >= NODES.most or self.nodes >= NODES.most:
            return False
        if not event.style and (not text or text[0] not in _SURELY_TEXT or text in WORDS or (top.flow and not text.isalnum())):
            return False
        self.nodes += 1
        top.size += 1
        top.key_places[key] = top.key_place
        top.value[key] = text
        top.key = None
        return True

    def scalar(self, event: Any) -> None:
        text = event.value
        style = _STYLES.get(event.style, "plain")
        if self.stack:
            top = self.stack[-1]
            if type(top.value) is dict and top.key is None:
                top.key = text
                top.key_place = event
                if _is_behind(top.cut, event.start_mark.index):
                    top.key = _NO_KEY
                if event.anchor:
                    self.texts[event.anchor] = text
                    self.anchors[event.anchor] = (text if style != "plain" else self.plain(event, text), 1)
                if text == "<<" and style == "plain":
                    self.problem(
                        "yaml-merge-key",
                        say("`<<` is not part of YAML 1.2 and would be a key like any other."),
                        event,
                        say("Name the shared map under `let` and use it, or write its keys here."),
                    )
                return
            if top.flow and style == "plain":
                self.check_flow_cut(top, text, event)
        value: Any = text
        tag = event.tag
        if tag and tag != "!":
            value = self.tagged(event, text)
        elif style == "plain" and tag is None:
            value = self.plain(event, text)
        if event.anchor:
            self.anchors[event.anchor] = (value, 1)
            self.texts[event.anchor] = text
        self.add(value, 1, event.start_mark.index, event.end_mark.index, style)

    def plain(self, event: Event, text: str) -> Any:
        try:
            return core_schema_value(text)
        except NumberRangeError:
            shown = text if len(text) <= 24 else f"{text[:20]}…"
            self.problem(
                "number-range",
                say("{} is outside the 64 bits of a number.", shown),
                event,
                say("Write it in quotes if it is an identifier and not a quantity."),
            )
            return UNKNOWN

    def tagged(self, event: Any, text: str) -> Any:
        if event.tag not in _SCALAR_TAGS:
            self.foreign_tag(event)
            return UNKNOWN
        name = event.tag.removeprefix(_TAG)
        if name == "str":
            return text
        try:
            value = {"int": bounded_integer, "float": bounded_float}.get(name, core_schema_value)(text)
        except ValueError:
            value = UNKNOWN
        fits = {"int": int, "float": float, "bool": bool, "null": type(None)}[name]
        if type(value) is not fits:
            self.problem("yaml-tag", say('The tag !!{} stands before the text "{}", which is none.', name, text), event)
            return UNKNOWN
        return value

    def foreign_tag(self, event: Any) -> None:
        shown = event.tag.replace(_TAG, "!!")
        written = self.text[event.start_mark.index : event.end_mark.index]
        if type(event) is ScalarEvent and written[1:2] != "!" and not event.style and '"' not in written and "\\" not in written:
            hint = say('Leave the tag out; a condition that begins with `!` stands in quotes: `"{}"`', written.strip())
        else:
            hint = say("Leave the tag out; a value that is computed is written as ${…}.")
        self.problem("yaml-tag", say("The tag {} is not one of YAML's core schema.", shown), event, hint)

    def check_flow_cut(self, top: _Container, text: str, event: Any) -> None:
        """`{s: xs.filter(s, s.up)}` is cut by YAML at the comma: a value with an open bracket, and a key with no value."""
        if self.is_rest_of_text(top, text, event):
            return
        if not _is_cut(text if type(top.value) is list or text else top.key or "") or top.cut is not None:
            return
        from jovial_scaffold.core.text.yaml_mending import value_end

        start = event.start_mark.index if text else _place_of(top.key_place)[0]
        end = self.text.find("\n", start)
        line = self.text[: end if end >= 0 else len(self.text)]
        whole = line[start : value_end(line, start)].rstrip()
        top.cut = (start, start + len(whole))
        hint = NOTHING
        if text and not _is_cut(whole):
            entry = f"{top.key}: {quoted(whole)}" if type(top.value) is dict else quoted(whole)
            hint = quote_hint(entry)
        message = say("YAML cuts `{}` at a comma, brace or bracket, so the rest is lost.", whole)
        self.problems.append(Problem("yaml-cut", message, start, start + len(whole), hint))

    def is_rest_of_text(self, top: _Container, text: str, event: Any) -> bool:
        """Whether `{about: The range, which it has}` is cut at the comma: several words are a key without a colon, behind a value."""
        key = top.key or ""
        if type(top.value) is not dict or text or " " not in key or top.key_place is None:
            return False
        start, end = _place_of(top.key_place)
        value = self.text.rfind(": ", top.start.index, start) + 2
        before = self.text[value:start]
        if value < 2 or ":" in self.text[end : event.start_mark.index] or self.text[start : start + 1] in "'\"" or before[:1] in "'\"[{":
            return False
        whole = self.text[value:end]
        message = say("YAML ends the text before at the comma, and `{}` would be a key.", key)
        hint = quote_hint(quoted(whole)) if "\n" not in whole else NOTHING
        if not any(problem.id == "yaml-cut" and problem.start == value for problem in self.problems):
            self.problems.append(Problem("yaml-cut", message, value, end, hint))
        top.key = _NO_KEY
        return True

    def alias(self, event: Any) -> None:
        if self.stack and self.awaits_key(event) and event.anchor in self.texts:
            self.stack[-1].key, self.stack[-1].key_place = self.texts[event.anchor], event
            return
        if self.stack and self.awaits_key(event):
            self.problem("yaml-key", say("An alias of a map or list stands where a key is expected."), event, say("Write the key out."))
            self.stack[-1].key = _NO_KEY
            return
        if event.anchor in self.open_anchors:
            self.problem("yaml-alias", say("*{} stands inside the value that it names.", event.anchor), event)
            value, size = UNKNOWN, 1
        elif event.anchor in self.anchors:
            value, size = self.anchors[event.anchor]
        else:
            self.problem("yaml-alias", say("No anchor &{} stands before this alias.", event.anchor), event)
            value, size = UNKNOWN, 1
        self.add(value, size, event.start_mark.index, event.end_mark.index, "")

    def add(self, value: Any, size: int, start: int, end: int, style: str) -> None:
        self.nodes += 1
        if not self.stack:
            self.root = value
            if self.places is not None:
                self.places[()] = Place(start, start, start, end, style)
            return
        top = self.stack[-1]
        top.size += size
        if top.size > NODES.most or self.nodes > NODES.most:
            message = say("The aliases of this file stand for more than {} values.", Amount(NODES.most))
            self.problems.append(Problem(NODES.finding, message, start, end, say("Write smaller lists.")))
            raise _TooMuch
        if type(top.value) is list:
            if _is_behind(top.cut, start):
                return
            if self.places is not None:
                self.places[(*top.pointer, len(top.value))] = Place(start, start, start, end, style)
            top.value.append(value)
            return
        key = top.key
        top.key = None
        assert key is not None
        if key == _NO_KEY:
            return
        if key in top.value:
            self.duplicate(top, key, value)
            return
        top.key_places[key] = top.key_place
        top.value[key] = value
        if self.places is not None:
            self.places[(*top.pointer, key)] = Place(*_place_of(top.key_place), start, end, style)

    def duplicate(self, top: _Container, key: str, value: Any) -> None:
        self.problems.append(duplicate_problem(key, _place_of(top.key_places[key]), _place_of(top.key_place)))
        first = top.value[key]
        if isinstance(first, dict) and isinstance(value, dict):  # so that the names of both are known further on
            top.value[key] = {**value, **first}


def _place_of(event: Any) -> tuple[int, int]:
    return (0, 0) if event is None else (event.start_mark.index, event.end_mark.index)


def _is_behind(cut: tuple[int, int] | None, at: int) -> bool:
    """Whether what YAML takes for an entry is the rest of a value that it has cut."""
    return cut is not None and cut[0] < at < cut[1]


def _is_cut(text: str) -> bool:
    return any(text.count(a) != text.count(b) for a, b in ("()", "[]", "{}")) or text.endswith("${")


def read_carefully(text: str, places: dict[Pointer, Place] | None) -> tuple[Any, list[Problem]]:
    """Value and problems; where libyaml cannot read the text, or is in doubt, as the grammar reads it."""
    builder = _Builder(text, places)
    wrong: YAMLError | None = None
    try:
        return builder.build(), builder.problems
    except _Doubtful:
        pass
    except YAMLError as error:
        wrong = error
    if wrong is None or len(text) <= CAREFUL_CHARACTERS.most:
        from jovial_scaffold.core.text.yaml_flow import GrammarError
        from jovial_scaffold.core.text.yaml_grammar import events_of

        try:
            events = events_of(text)
        except GrammarError as error:
            wrong = wrong or MarkedYAMLError(problem_mark=Mark("", error.at, 0, 0, None, 0))
            if places is not None and not places:  # as far as libyaml finds them
                with suppress(YAMLError):
                    _Builder(text, places).from_events(CParser(text).get_event, doubting=False)
        else:
            if places is not None:
                places.clear()
            return values_of(text, events, places)
    assert wrong is not None
    return UNKNOWN, [*builder.problems, _syntax_problem(text, wrong)]


def values_of(text: str, events: Iterable[Event], places: dict[Pointer, Place] | None = None) -> tuple[Any, list[Problem]]:
    """Value and problems of a text by the events that a parser found in it."""
    builder = _Builder(text, places)
    following = iter(events)
    return builder.from_events(lambda: next(following), doubting=False), builder.problems


_ADVICE = (
    (
        "mapping values are not allowed",
        "YAML reads `: ` inside this plain text as a second key.",
        "value",
    ),
    ("found character that cannot start any token", "A plain value cannot start with {}.", "value"),
    ("could not find expected ':'", "A key has no `:` after it; the lines above it may be short of a quote.", ""),
    ("found undefined tag handle", "`!` at the start of a plain value begins a YAML tag.", "value"),
    ("while scanning an alias", "`*` at the start of a plain value refers to a YAML anchor.", "value"),
    ("while scanning an anchor", "`&` at the start of a plain value names a YAML anchor.", "value"),
    ("while parsing a flow", "A `[` or `{` is not closed, or is cut at a comma, brace or bracket.", "value"),
    ("found unexpected end of stream", "A quote is not closed.", ""),
    ("while parsing a block mapping", "This line is not indented like the keys around it, or text follows a value.", "value"),
    ("while parsing a block collection", "This line is not indented like the items around it.", ""),
    ("control characters are not allowed", "A control character stands here.", ""),
    ("found a tab character", "A tab stands where YAML allows only spaces.", "spaces"),
    ("did not find expected <document start>", "Text follows the end of the document.", "value"),
)


def _syntax_problem(text: str, error: YAMLError) -> Problem:
    mark = getattr(error, "problem_mark", None) or getattr(error, "context_mark", None)
    position = getattr(error, "position", None)
    if getattr(error, "context", "") == "while scanning a quoted scalar" and "end of stream" in (getattr(error, "problem", "") or ""):
        mark = getattr(error, "context_mark", mark)  # the quote that is not closed
    index = mark.index if mark is not None else (position if isinstance(position, int) else 0)
    index = min(index, len(text))
    said = f"{getattr(error, 'context', '') or ''} {getattr(error, 'problem', '') or getattr(error, 'reason', '') or ''}"
    message, advice = say("This is not YAML that can be read."), ""
    for pattern, explanation, kind in _ADVICE:
        if pattern in said:
            char = text[index : index + 1]
            shown = say("`{}`", char) if char.strip() else say("this character")
            message, advice = Sentence(explanation, (shown,) if GAP in explanation else ()), kind
            break
    start = text.rfind("\n", 0, index) + 1
    end = text.find("\n", index)
    line = text[start : end if end >= 0 else len(text)].rstrip("\r")
    hint = NOTHING
    if advice == "spaces" or line.lstrip(" ").startswith("\t"):
        message, hint = say("A tab stands where YAML allows only spaces."), say("Indent with spaces.")
    elif advice == "value":
        from jovial_scaffold.core.text.yaml_mending import mended

        hint = mended(text, index)
    return Problem("yaml-syntax", message, index, min(index + 1, len(text)), hint)
