"""The one door for reading: files by relative name below a root that nothing leads out of.

What stands behind a `Folder` is the disk, a commit of a repository (both in `machine`), or memory; whoever reads cannot tell. Names are
POSIX paths relative to the root. Links are followed within the root and never out of it.
"""

from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Mapping, Sequence
from posixpath import normpath, relpath
from typing import Any, Literal, NamedTuple, Protocol

from jovial_scaffold.core.limits import FILE_BYTES, FILE_NAME, LINKS
from jovial_scaffold.core.words import NOTHING, Sentence, say

RefusalKind = Literal["missing", "outside", "folder", "special", "too-large", "forbidden", "invalid", "failed"]


class Refusal(NamedTuple):
    """Why something cannot be read."""

    kind: RefusalKind
    detail: str = ""  #: the system's own word for it, or the size in bytes


class Found(NamedTuple):
    """What a name leads to once links are resolved."""

    name: str  #: relative to the root, without links and dots; empty for the root itself
    kind: Literal["file", "folder", "special"]  #: special is a device, pipe, socket or submodule


class Entry(NamedTuple):
    """One step below an open folder, as each kind of `Folder` knows it."""

    kind: Literal["file", "folder", "special", "link"]
    node: Any  #: for a folder, what `child` takes; for a file, what `content` takes; for a link, its target as text


class Folder(ABC):
    """Files below a root. A subclass says what one step leads to; walking, links and bounds are the same for all."""

    @property
    @abstractmethod
    def where(self) -> str:
        """The root as people know it, for messages."""

    @abstractmethod
    def below(self, name: str) -> "Folder":
        """A folder inside as a root of its own: nothing above it can be reached through it. Raises FileNotFoundError."""

    @abstractmethod
    def open_root(self) -> Any:
        """The root as a node; closed by `close`. Raises OSError."""

    @abstractmethod
    def child(self, node: Any, step: str) -> Entry | Refusal:
        """What one name in an open folder is, links not followed."""

    @abstractmethod
    def content(self, node: Any) -> bytes | Refusal:
        """The bytes of a regular file, of at most FILE_BYTES."""

    @abstractmethod
    def listing(self, node: Any) -> Sequence[str]:
        """The names in an open folder. Raises OSError."""

    def close(self, nodes: Sequence[Any]) -> None:  # noqa: B027 - most kinds have nothing to close
        """Let go of opened nodes."""

    def inside(self, target: str) -> str | None:
        """An absolute target of a link as a name below the root; None where it leads elsewhere."""
        return None

    @property
    def boundary(self) -> str:
        """What nothing is read outside of, as messages call it."""
        return "the project's folder"

    # -- what everybody uses

    def find(self, name: str) -> Found | Refusal:
        """What a name leads to."""
        found = self._walk(name, lambda entry, _: entry.kind)
        return found if isinstance(found, Refusal) else Found(*found)

    def read(self, name: str) -> bytes | Refusal:
        """The bytes of a file."""

        def content(entry: Entry, _: str) -> bytes | Refusal:
            if entry.kind == "file":
                return self.content(entry.node)
            return Refusal("folder" if entry.kind == "folder" else "special")

        found = self._walk(name, content)
        return found if isinstance(found, Refusal) else found[1]

    def names(self, name: str) -> list[str] | Refusal:
        """The names of what lies in a folder, sorted by code point."""

        def listing(entry: Entry, _: str) -> list[str] | Refusal:
            return sorted(self.listing(entry.node)) if entry.kind == "folder" else Refusal("missing")

        found = self._walk(name, listing)
        return found if isinstance(found, Refusal) else found[1]

    def _walk(self, name: str, give: Any) -> Any:
        """The real name and what `give` makes of it, or a refusal. Every step is opened from the one before it, so that nothing that is
        swapped in between leads elsewhere."""
        if "\0" in name or len(name) > FILE_NAME.most:
            return Refusal("invalid")
        opened: list[Any] = []
        try:
            root = self.open_root()
            opened.append(root)
            stack: list[tuple[str, Entry]] = [("", Entry("folder", root))]
            steps = deque(name.split("/"))
            links = 0
            if name.startswith("/"):
                inside = self.inside(name)
                if inside is None:
                    return Refusal("outside")
                steps = deque(inside.split("/"))
            while steps:
                step = steps.popleft()
                if step in ("", "."):
                    continue
                if step == "..":
                    if len(stack) == 1:
                        return Refusal("outside")
                    stack.pop()
                    continue
                if stack[-1][1].kind != "folder":
                    return Refusal("missing")
                entry = self.child(stack[-1][1].node, step)
                if isinstance(entry, Refusal):
                    return entry
                if entry.kind == "link":
                    links += 1
                    if links > LINKS.most:
                        return Refusal("failed", "its links go in circles")
                    target = str(entry.node)
                    if target.startswith("/"):
                        inside = self.inside(target)
                        if inside is None:
                            return Refusal("outside")
                        target, stack = inside, stack[:1]
                    steps.extendleft(reversed(target.split("/")))
                    continue
                if entry.kind == "folder":
                    opened.append(entry.node)
                stack.append((step, entry))
            found = give(stack[-1][1], stack[-1][0])
            return found if isinstance(found, Refusal) else ("/".join(step for step, _ in stack[1:]), found)
        except FileNotFoundError:
            return Refusal("missing")
        except PermissionError:
            return Refusal("forbidden")
        except (OSError, ValueError) as error:
            return Refusal("failed", getattr(error, "strerror", None) or str(error))
        finally:
            self.close(opened)


class Within(Folder):
    """A folder inside of a whole, whose names start there: `..` leads up as far as the whole goes, and no further."""

    def __init__(self, whole: Folder, base: str) -> None:
        self.whole = whole
        self.base = base

    @property
    def where(self) -> str:
        """The folder as people know it."""
        return f"{self.whole.where.rstrip('/')}/{self.base}" if self.base else self.whole.where

    @property
    def boundary(self) -> str:
        """What nothing is read outside of."""
        return "the workspace"

    def below(self, name: str) -> Folder:
        """A folder inside, as a root of its own."""
        return self.whole.below(normpath(f"{self.base or '.'}/{name}"))

    def open_root(self) -> Any:
        """That of the whole. Raises OSError."""
        return self.whole.open_root()

    def child(self, node: Any, step: str) -> Entry | Refusal:
        """What the whole says."""
        return self.whole.child(node, step)

    def content(self, node: Any) -> bytes | Refusal:
        """What the whole says."""
        return self.whole.content(node)

    def listing(self, node: Any) -> Sequence[str]:
        """What the whole says. Raises OSError."""
        return self.whole.listing(node)

    def _walk(self, name: str, give: Any) -> Any:
        found = self.whole._walk(name if name.startswith("/") or not self.base else f"{self.base}/{name}", give)
        if isinstance(found, Refusal):
            return found
        if not self.base or found[0].startswith(f"{self.base}/"):  # as most are
            return found[0][len(self.base) + 1 if self.base else 0 :], found[1]
        name = relpath(found[0] or ".", self.base)
        return "" if name == "." else name, found[1]


class MemoryFolder(Folder):
    """Files that are at hand: buffers of an editor, tests. A value that is text and stands under `links` is a link's target."""

    def __init__(self, files: Mapping[str, bytes], links: Mapping[str, str] | None = None, where: str = "memory") -> None:
        self._where = where
        self._tree: dict[str, Any] = {}
        for name, content in [*files.items(), *(links or {}).items()]:
            *folders, last = name.split("/")
            here = self._tree
            for step in folders:
                here = here.setdefault(step, {})
            here[last] = content

    @property
    def where(self) -> str:
        """The name that it was given."""
        return self._where

    def below(self, name: str) -> Folder:
        """A folder inside, as a root of its own."""
        inside = MemoryFolder({}, where=f"{self._where}/{name}")
        tree: Any = self._tree
        for step in name.split("/") if name else ():
            tree = tree.get(step) if isinstance(tree, dict) else None
        if not isinstance(tree, dict):
            raise FileNotFoundError(name)
        inside._tree = tree
        return inside

    def open_root(self) -> Any:
        """The tree of dicts."""
        return self._tree

    def child(self, node: Any, step: str) -> Entry | Refusal:
        """What a dict holds."""
        found = node.get(step)
        if found is None:
            return Refusal("missing")
        kind: Any = "folder" if isinstance(found, dict) else "link" if isinstance(found, str) else "file"
        return Entry(kind, found)

    def content(self, node: Any) -> bytes | Refusal:
        """The bytes."""
        return node if len(node) <= FILE_BYTES.most else Refusal("too-large", str(len(node)))

    def listing(self, node: Any) -> Sequence[str]:
        """The keys of a dict."""
        return list(node)


class WithinHistory:
    """The earlier states of a folder inside of a whole: what the whole shares belongs to them."""

    def __init__(self, whole: "History", base: str) -> None:
        self._whole = whole
        self._base = base
        self.commit = whole.commit
        self.described = whole.described
        self.touching = whole.touching

    def at(self, commit: str) -> Folder:
        """The folder as of a commit."""
        return Within(self._whole.at(commit), self._base)

    def tracks(self, name: str) -> bool:
        """Whether a file is kept in the newest commit, or is to be in the next."""
        return self._whole.tracks(normpath(f"{self._base or '.'}/{name}"))


class RevisionError(Exception):
    """What the history of a folder cannot give: what is wrong, and what to do."""

    def __init__(self, message: Sentence, hint: Sentence = NOTHING) -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint


class History(Protocol):
    """The earlier states of one folder. What cannot be given raises RevisionError."""

    def commit(self, revision: str) -> str:
        """The full name of the commit that a revision means."""

    def described(self, commit: str) -> tuple[str, str, str]:
        """Of a commit: date (as 2026-11-23), author's name, and the first line of its message."""

    def touching(self, most: int) -> list[str]:
        """The commits that touched the folder, newest first, along the first parents."""

    def at(self, commit: str) -> Folder:
        """The folder as of a commit."""

    def tracks(self, name: str) -> bool:
        """Whether a file below the folder is kept in the newest commit, or is to be in the next."""


def no_history() -> History:
    """Stands in where nobody handed in a history. Raises RevisionError."""
    raise RevisionError(say("There are no revisions here."))


def nothing_named(name: str) -> bytes | Refusal:
    """Stands in where nobody can read what lies outside of the root."""
    return Refusal("outside")


def straight(name: str) -> str:
    """A name without its dots, as far as it does not lead up."""
    steps: list[str] = []
    for step in name.split("/"):
        if step == ".." and steps and steps[-1] != "..":
            steps.pop()
        elif step not in ("", "."):
            steps.append(step)
    return "/".join(steps)
