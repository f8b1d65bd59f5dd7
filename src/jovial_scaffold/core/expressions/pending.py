"""A value that only the deployment can know, and how its residual reads: for people, in JSON, and for comparing.

`residuals` makes residuals of what an expression does with such a value.
"""

import json
import re
from collections.abc import Callable, Iterable
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.limits import RESIDUAL_TEXT
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.regexes import regex

#: `${…}` in the text form of a residual, quotes and brackets of an expression inside, or the mark that stands for `${` itself
_RECORDED = regex(r"""\$\$\{|\$\{((?:"(?:[^"\\]|\\.)*"|[^{}"]|\{(?:"(?:[^"\\]|\\.)*"|[^{}"])*\})*)\}""")
_NAME = regex(r"[A-Za-z_][A-Za-z0-9_]*\Z")


class MarkCompared(Exception):
    """A mark, record or optional was compared by Python's `==`: whoever did so does not know how they compare."""


class MarkMet(Exception):
    """A function that looks at the outside of its operands only would have to look into a mark."""


@value_record
class Reference:
    """A property that a resource will have. `path` is a JSON Pointer without its first slash."""

    address: str
    path: str


@value_record
class Hidden:
    """A secret that was put into a residual, as what it was made from: for comparing only."""

    segments: "tuple[Segment, ...]"

    @property
    def exact(self) -> str:
        """What it is compared by."""
        return exact(self.segments)


Segment = str | Reference | Hidden


class Pending:
    """What only the deployment can know, with its residual: what is left of its expression once all that is known has been put in.

    `residuals` makes and reads them.
    """

    __slots__ = ("added", "joined", "origins", "primary", "segments", "template")

    def __init__(
        self,
        origins: Iterable[str],
        segments: tuple[Segment, ...] = (),
        joined: "tuple[str | Hidden | Pending, ...] | None" = None,
        primary: bool = False,
        template: str = "",
        added: "tuple[Pending, ...]" = (),
    ) -> None:
        #: `address:property` texts of what it depends on
        self.origins = frozenset(origins)
        if not segments and not template:  # a property as it is
            segments = tuple(Reference(*each.partition(":")[::2]) for each in sorted(self.origins))
            primary = True
        #: the residual as an expression
        self.segments = segments
        #: of a text that is joined, its pieces
        self.joined = joined
        #: of a sum of pending values, those: where a text is added, they turn out to be texts
        self.added = added
        #: whether the expression needs no brackets as a part of another
        self.primary = primary
        #: of one that was recorded in a file, its text form
        self.template = template

    def __repr__(self) -> str:
        return people_text(self)

    def __eq__(self, other: object) -> bool:
        raise MarkCompared

    __hash__ = None  # type: ignore[assignment]  # what cannot be compared cannot be a key


def renamed(pending: Pending, name: Callable[[str], str]) -> Pending:
    """The same with the addresses of resources renamed."""
    origins = tuple(f"{name(address)}{colon}{path}" for address, colon, path in (each.partition(":") for each in pending.origins))
    if pending.template:  # as a snapshot has recorded it
        template = pending.template
        for origin in pending.origins:
            address, _, path = origin.partition(":")
            here, there = reference_text(Reference(address, path)), reference_text(Reference(name(address), path))
            escaped = there.replace("\\", r"\\")
            template = re.sub(rf"(?<![\w.\"\]]){re.escape(here)}(?!\w)", escaped, template)
        return Pending(origins, template=template)
    pieces = pending.joined
    if pieces is not None:
        pieces = tuple(
            renamed(each, name) if isinstance(each, Pending) else each if isinstance(each, str) else Hidden(_renamed(each.segments, name))
            for each in pieces
        )
    return Pending(origins, _renamed(pending.segments, name), pieces, pending.primary)


def _renamed(segments: tuple[Segment, ...], name: Callable[[str], str]) -> tuple[Segment, ...]:
    return tuple(
        each
        if isinstance(each, str)
        else Hidden(_renamed(each.segments, name))
        if isinstance(each, Hidden)
        else Reference(name(each.address), each.path)
        for each in segments
    )


def template_text(pending: Pending) -> str:
    """The residual as a string of a template: `http://${ledger.address}/v1`; secrets that were put in are masked."""
    if pending.template:
        return pending.template
    if pending.joined is None:
        return f"${{{shown(pending.segments)}}}"
    texts = []
    for piece in pending.joined:
        if isinstance(piece, Pending):
            texts.append(f"${{{shown(piece.segments)}}}")
        else:
            texts.append(marks.SECRET if isinstance(piece, Hidden) else piece.replace("${", "$${"))
    return "".join(texts)


def people_text(pending: Pending) -> str:
    """The residual as people read it: `http://‹ledger:address›/v1`."""
    if pending.template:
        bare = {reference_text(Reference(*each.partition(":")[::2])): each for each in pending.origins}
        return _RECORDED.sub(lambda found: marks.mark(bare.get(found[1], found[1])) if found[1] else "${", pending.template)
    if pending.joined is None:
        return marks.mark(_bare(pending) or marks.unmarked(shown(pending.segments)))
    texts = []
    for piece in pending.joined:
        if isinstance(piece, Pending):
            texts.append(marks.mark(_bare(piece) or marks.unmarked(shown(piece.segments))))
        else:
            texts.append(marks.SECRET if isinstance(piece, Hidden) else marks.unmarked(piece))
    return "".join(texts)


def filled_in(pending: Pending, known: Callable[[str, str], Any], unknown: object) -> Any:
    """A pending value with what the cloud has set since: `known` gives a property of an address, or `unknown`. A residual that does more than
    to copy and join stays as it is."""
    bare = pending.segments[0] if _bare(pending) else None
    if isinstance(bare, Reference):
        found = known(bare.address, bare.path)
        return pending if found is unknown else found
    by_text = {reference_text(each): each for each in (Reference(*origin.partition(":")[::2]) for origin in pending.origins)}
    text, at = "", 0
    template = template_text(pending)
    for match in _RECORDED.finditer(template):
        value: Any = "${"
        if match[1]:
            reference = by_text.get(match[1])
            value = known(reference.address, reference.path) if reference is not None else unknown
            if type(value) is not str:  # nothing is known, or it is read by more than a text
                return pending
        text, at = f"{text}{template[at : match.start()]}{value}", match.end()
    return text + template[at:]


def equal_residuals(a: Pending, b: Pending) -> bool:
    """Whether two pending values are certain to become the same."""
    if a.template or b.template:
        return a.origins == b.origins and template_text(a) == template_text(b)
    return comparable(a) == comparable(b)


def comparable(pending: Pending) -> str:
    """What a pending value is compared by, secrets in the clear: for comparing only. Where secret text stands beside other text, only
    what they make together counts."""
    if pending.joined is None:
        return exact(pending.segments)
    text = ""
    for piece in pending.joined:
        if isinstance(piece, Pending):
            text += f"\2{exact(piece.segments)}\2"
        elif isinstance(piece, Hidden):
            text += json.loads(piece.exact) if piece.exact.startswith('"') else f"\2{piece.exact}\2"
        else:
            text += piece
    return text


def holds_secret(pending: Pending) -> bool:
    """Whether a secret was put into its residual."""
    return any(isinstance(each, Hidden) for each in pending.segments) or marks.SECRET in pending.template


def is_bare(pending: Pending) -> bool:
    """Whether it is a property as it is, and nothing was made of it."""
    return bool(_bare(pending))


def could_be(pending: Pending, text: Any) -> bool:
    """Whether a known value could be what comes out: of a joined text, its known parts have to be there, in order."""
    if pending.joined is None or not isinstance(text, str):
        return pending.joined is None
    pattern = "".join(re.escape(piece) if isinstance(piece, str) else ".*" for piece in pending.joined)
    return re.fullmatch(pattern, text, re.DOTALL) is not None if len(text) < RESIDUAL_TEXT.most else True


def exact(segments: Iterable[Segment]) -> str:
    """What a residual is compared by. It may hold secrets: for comparing only."""
    return "".join(
        each if isinstance(each, str) else f"\0{each.exact}\0" if isinstance(each, Hidden) else f"\1{each.address}:{each.path}\1"
        for each in segments
    )


def shown(segments: Iterable[Segment]) -> str:
    """A residual as an expression of the language, secrets masked."""
    return "".join(
        each if isinstance(each, str) else marks.SECRET if isinstance(each, Hidden) else reference_text(each) for each in segments
    )


def reference_text(reference: Reference) -> str:
    """`ledger.address`; of an item or what stands in a module, its address: `platform_net/kes.id`."""
    first, *steps = reference.address.split("/")
    text = first
    for step in steps:
        text += f"/{step}" if _NAME.match(step) else f"[{json.dumps(step, ensure_ascii=False)}]"
    for step in reference.path.split("/"):
        field = step.replace("~1", "/").replace("~0", "~")
        text += f"[{field}]" if field.isdigit() else f".{field}" if _NAME.match(field) else f"[{json.dumps(field, ensure_ascii=False)}]"
    return text


def _bare(pending: Pending) -> str:
    first = pending.segments[0] if len(pending.segments) == 1 else None
    return f"{first.address}:{first.path}" if isinstance(first, Reference) else ""
