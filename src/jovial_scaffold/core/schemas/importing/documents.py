"""Documents of a foreign description: which standard each follows, and where references within and across them lead."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from posixpath import normpath
from typing import Any, NamedTuple
from urllib.parse import unquote, urldefrag, urljoin

from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.keywords import below
from jovial_scaffold.core.text.source import Pointer

#: where named schemas stand in a document
NAMED: tuple[Pointer, ...] = (("components", "schemas"), ("definitions",), ("$defs",))


class Dialect(NamedTuple):
    """What a standard has otherwise than JSON Schema 2020-12."""

    name: str
    #: whether what stands beside `$ref` is ignored (OpenAPI 3.0, "Reference Object"; JSON Schema draft 7, section 8.3)
    lone_references: bool = False
    #: whether `items` may be a list, with `additionalItems` for the rest (before 2020-12)
    tuples: bool = False
    #: whether `dependencies` is a keyword (up to draft 7)
    dependencies: bool = False
    #: whether `nullable` is one (OpenAPI 3.0)
    nullable: bool = False
    #: whether `exclusiveMinimum: true` says that `minimum` is exclusive (OpenAPI 3.0; JSON Schema draft 4)
    boolean_bounds: bool = False


DRAFT_2020 = Dialect("JSON Schema 2020-12")
DRAFT_2019 = Dialect("JSON Schema 2019-09", tuples=True)
DRAFT_7 = Dialect("JSON Schema draft 7", lone_references=True, tuples=True, dependencies=True, boolean_bounds=True)
OPENAPI_3_0 = Dialect("OpenAPI 3.0", lone_references=True, nullable=True, boolean_bounds=True)
OPENAPI_3_1 = Dialect("OpenAPI 3.1")


@dataclass(frozen=True, eq=False)
class Document:
    """A document by its `name`, a path from the folder that is read, and what stands in it."""

    name: str
    value: Any
    dialect: Dialect


def dialect_of(value: Any) -> Dialect | None:
    """The standard that a document says it follows; None where it is another one than those that are understood."""
    if not isinstance(value, dict):
        return None
    version = value.get("openapi")
    if isinstance(version, str):
        return OPENAPI_3_0 if version.startswith("3.0") else OPENAPI_3_1 if version.startswith("3.") else None
    if "swagger" in value or "asyncapi" in value:
        return None
    named = str(value.get("$schema", ""))
    older = ("draft-04", "draft-05", "draft-06", "draft-07")
    return DRAFT_7 if any(each in named for each in older) else DRAFT_2019 if "2019-09" in named else DRAFT_2020


@dataclass(frozen=True)
class Place:
    """A part of a document by its pointer. `base` is what relative references in it are relative to (RFC 3986, section 5), and `root` the
    part that `#` means there."""

    document: Document
    pointer: Pointer
    base: str
    root: Pointer = ()

    def child(self, *steps: str | int) -> "Place":
        """A part of the part."""
        return replace(self, pointer=(*self.pointer, *steps))

    @property
    def key(self) -> tuple[str, Pointer]:
        """What makes two places the same one."""
        return self.document.name, self.pointer

    @property
    def text(self) -> str:
        """The place for people: the document, and the pointer as RFC 6901 has it."""
        steps = (str(step).replace("~", "~0").replace("/", "~1") for step in self.pointer)
        return f"{self.document.name}#{''.join(f'/{step}' for step in steps)}"

    def within(self, value: Any) -> "Place":
        """The place, as its own value sees it: with an `$id`, it is the root of its references."""
        own = value.get("$id", value.get("id")) if isinstance(value, dict) else None
        if not isinstance(own, str) or own.startswith("#") or (self.document.dialect.lone_references and "$ref" in value):
            return self
        return replace(self, base=urldefrag(urljoin(self.base, own)).url, root=self.pointer)


class Documents:
    """All documents of a description. `load` reads one more, named by a path from the folder; None where there is none."""

    def __init__(self, documents: Mapping[str, Any], load: Callable[[str], Any]) -> None:
        self._load = load
        self._by_name: dict[str, Document | None] = {}
        self._known: dict[str, Place] | None = None  # by the URI that an `$id` or an anchor gives
        for name, value in documents.items():
            self._add(name, value, None)

    def __iter__(self) -> Iterator[Document]:
        return iter([each for each in self._by_name.values() if each is not None])

    def _add(self, name: str, value: Any, beside: Document | None) -> Document:
        dialect = dialect_of(value) or DRAFT_2020
        if beside is not None and isinstance(value, dict) and not value.keys() & {"openapi", "$schema"}:
            dialect = beside.dialect  # a part of a description that stands in a file of its own
        made = Document(name, value, dialect)
        self._by_name[name] = made
        return made

    def root(self, document: Document) -> Place:
        """A document as a whole."""
        return Place(document, (), f"file:///{document.name}").within(document.value)

    def at(self, place: Place) -> Any:
        """What stands at a place. Raises KeyError where there is nothing."""
        value = place.document.value
        for step in place.pointer:
            try:
                value = value[int(step) if isinstance(value, list) else step]
            except (LookupError, TypeError, ValueError):
                raise KeyError(place.text) from None
        return value

    def target(self, place: Place, reference: str) -> Place | None:
        """What a reference at a place leads to; None where that is nothing, or lies outside."""
        uri, fragment = urldefrag(urljoin(place.base, reference)) if not reference.startswith("#") else (place.base, reference[1:])
        root = self._resource(place, uri, urldefrag(reference).url)
        if root is None:
            return None
        if fragment and not fragment.startswith("/"):
            return self._index().get(f"{uri}#{fragment}")
        found = root
        value: Any = self.at(root) if fragment else None
        for step in unquote(fragment).split("/")[1:]:
            decoded = step.replace("~1", "/").replace("~0", "~")
            index = int(decoded) if isinstance(value, list) and decoded.isdigit() else decoded
            try:
                value = value[index]
            except (LookupError, TypeError):
                return None
            found = found.child(index).within(value)
        return found

    def _resource(self, place: Place, uri: str, written: str) -> Place | None:
        if uri == place.base:
            return replace(place, pointer=place.root)
        if uri in self._index():
            return self._index()[uri]
        # What nobody names by an `$id` may be a file: by the path that stands there, from the file that it stands in.
        name = unquote(uri.removeprefix("file:///")) if uri.startswith("file:///") else ""
        if not name and written and "://" not in written:
            name = normpath(f"{place.document.name.rpartition('/')[0]}/{unquote(written)}").lstrip("/")
        if not name or name.startswith(".."):
            return None
        if name not in self._by_name:
            value = self._load(name)
            self._by_name[name] = None if value is None else self._add(name, value, place.document)
            self._known = None
        document = self._by_name[name]
        return None if document is None else self.root(document)

    def _index(self) -> dict[str, Place]:
        if self._known is None:
            self._known = {}
            for document in self:
                self._enter(document, self._known)
        return self._known

    def _enter(self, document: Document, known: dict[str, Place]) -> None:
        stack = [(document.value, Place(document, (), f"file:///{document.name}"))]
        while stack:
            value, place = stack.pop()
            if not isinstance(value, dict):
                continue
            inner = place.within(value)
            if inner.root == inner.pointer and inner.base != place.base:
                known.setdefault(inner.base, inner)
            for keyword in ("$anchor", "$dynamicAnchor"):
                if isinstance(value.get(keyword), str):
                    known.setdefault(f"{inner.base}#{value[keyword]}", inner)
            own = value.get("$id", value.get("id"))
            if isinstance(own, str) and own.startswith("#"):
                known.setdefault(f"{inner.base}{own}", inner)
            stack += [(each, inner.child(*pointer)) for pointer, each in below(value)]
            components = value.get("components") if not place.pointer else None
            named = components.get("schemas") if isinstance(components, dict) else None
            for name, each in named.items() if isinstance(named, dict) else ():
                stack.append((each, inner.child("components", "schemas", name)))
