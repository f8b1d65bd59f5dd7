"""Messages as data: a sentence of ours with gaps, and operands with a kind, which only the report layer makes text of.

Nothing is put into a sentence here: whether an operand is shown at all, how long, and with which characters, is decided in one place
(`reports.words`), for all messages alike. So a message may hold whatever it is about, secrets included.
"""

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any, Union

from jovial_scaffold.core.records import record, replace

if TYPE_CHECKING:
    from jovial_scaffold.core.spelling import Speller

#: what stands for the name of the part that a sentence is about, until somebody knows it (`Sentence.about`)
PART = "{name}"
GAP = "{}"
_COMPARED = 20  # items of a list up to which two values are told apart by all of them


class _Unsaid:
    """What is not text yet: putting it into text elsewhere than in `reports.words` is a mistake of ours, and must not go unseen."""

    __slots__: tuple[str, ...] = ()

    def __repr__(self) -> str:
        return f"{type(self).__name__}{tuple(getattr(self, name) for name in self.__slots__)}"

    def __str__(self, _: str = "") -> str:
        raise TypeError("only reports.words makes text of a message")

    __format__ = __str__


@record
class Sentence(_Unsaid):
    """Words of ours with `{}` for each operand. An empty one is false."""

    template: str
    operands: "tuple[Operand, ...]" = ()

    def __bool__(self) -> bool:
        return bool(self.template)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sentence) and self.key == other.key

    def __lt__(self, other: "Sentence") -> bool:
        return self.key < other.key

    def __hash__(self) -> int:
        return hash(self.key)

    def about(self, name: "Operand") -> "Sentence":
        """The sentence with a name in the place of `{name}`."""
        before, found, _ = self.template.partition(PART)
        if not found:
            return self
        count = before.count(GAP)
        template = self.template.replace(PART, GAP, 1)
        return Sentence(template, (*self.operands[:count], name, *self.operands[count:])).about(name)

    def reworded(self, old: str, new: str) -> "Sentence":
        """The sentence with other words of ours, once."""
        return replace(self, template=self.template.replace(old, new, 1))

    def masked(self) -> "Sentence":
        """The sentence without what came from a value: one of the values is secret, and each may tell of it. What is left are names that
        an author wrote: plain texts."""
        return replace(self, operands=tuple(each if isinstance(each, str) else HIDDEN for each in self.operands))

    def masked_whole(self) -> "Sentence":
        """The sentence without any of its operands, the names that somebody wrote included; sentences in it are words of ours, without theirs."""
        return replace(self, operands=tuple([each.masked_whole() if isinstance(each, Sentence) else HIDDEN for each in self.operands]))

    @property
    def key(self) -> str:
        """A text that is equal where sentences are, for joining and sorting; it is never shown."""
        return "\0".join((self.template, *(key_of(operand) for operand in self.operands)))


# These are made by hand: as records they would be the longest part of starting the program.


class Value(_Unsaid):
    """A value, shown short and on one line; its marks show themselves and never what they hide."""

    __slots__ = ("value",)

    def __init__(self, value: Any) -> None:
        self.value = value


class Described(_Unsaid):
    """A value named as what it is: `the text "three"`, `a map with 2 entries`."""

    __slots__ = ("value",)

    def __init__(self, value: Any) -> None:
        self.value = value


class Listed(_Unsaid):
    """`a, b and c`; beyond `most` items only that there are more (0 for all of them)."""

    __slots__ = ("items", "last", "most")

    def __init__(self, items: "tuple[Operand, ...]", last: str = "and", most: int = 0) -> None:
        self.items, self.last, self.most = items, last, most

    def __bool__(self) -> bool:
        return bool(self.items)


class Counted(_Unsaid):
    """`1 error`, `2 errors`."""

    __slots__ = ("many", "number", "one")

    def __init__(self, number: int, one: str, many: str = "") -> None:
        self.number, self.one, self.many = number, one, many


class Amount(_Unsaid):
    """A number with its thousands apart."""

    __slots__ = ("number",)

    def __init__(self, number: int) -> None:
        self.number = number


class Nearest(_Unsaid):
    """`Did you mean "copies"?` where something close is known, else `otherwise`. Looked for only when it is shown, and `found` then: many
    findings may have the same one."""

    __slots__ = ("found", "known", "name", "otherwise")

    def __init__(self, name: str, known: "Iterable[str] | Speller", otherwise: "Sentence", found: str | None = None) -> None:
        self.name, self.known, self.otherwise, self.found = name, known, otherwise, found


class Derived(_Unsaid):
    """Text that was found by looking at a value, such as the name of its type: as secret as the value."""

    __slots__ = ("text",)

    def __init__(self, text: str) -> None:
        self.text = text


class Foreign(_Unsaid):
    """What a library says: the first line of it, cut."""

    __slots__ = ("text",)

    def __init__(self, text: str) -> None:
        self.text = text


class Hidden(_Unsaid):
    """Stands for an operand that is not to be shown."""

    __slots__ = ()


HIDDEN = Hidden()
Operand = Union[str, int, float, Sentence, Value, Described, Listed, Counted, Amount, Nearest, Derived, Foreign, Hidden]  # noqa: UP007 - `str | "Sentence"` cannot be written before the class is there
NOTHING = Sentence("")


def say(template: str, *operands: Operand) -> Sentence:
    """A sentence of ours. `template` is a literal: a test of the source holds that. A plain text among the operands is a name or a piece
    of what somebody wrote."""
    return Sentence(template, operands)


def told(text: str) -> Sentence:
    """What an author wrote to be shown, as a sentence: it is text of theirs, not of ours."""
    return Sentence(GAP, (text,)) if text else NOTHING


def together(*sentences: Sentence) -> Sentence:
    """Sentences one after the other; empty ones are left out."""
    parts = [each for each in sentences if each]
    if len(parts) < 2:
        return parts[0] if parts else NOTHING
    return Sentence(" ".join((GAP,) * len(parts)), tuple(parts))


def listed(items: Iterable[Operand], last: str = "and", most: int = 0) -> Listed:
    """`a, b and c`."""
    return Listed(tuple(items), last, most)


def nearest(name: str, known: "Iterable[str] | Speller", otherwise: Sentence = NOTHING) -> Sentence:
    """`Did you mean "copies"?` where something close exists, else the given advice."""
    return Sentence(GAP, (Nearest(name, known, otherwise),))


def key_of(operand: Any) -> str:
    if isinstance(operand, Sentence):
        return operand.key
    if isinstance(operand, Value | Described):
        return _value_key(operand.value)
    if isinstance(operand, Listed):
        return "\1".join(key_of(item) for item in operand.items[:_COMPARED])
    if isinstance(operand, Nearest):
        return operand.name
    return repr(operand)


def _value_key(value: Any) -> str:
    """Of a value: its beginning, or of a long one its kind and size. Marks have texts of their own that hold nothing."""
    if isinstance(value, str):
        return value[:200]
    if isinstance(value, list | dict) and len(value) > _COMPARED:
        return f"{type(value).__name__} {len(value)}"
    return repr(value)[:200]
