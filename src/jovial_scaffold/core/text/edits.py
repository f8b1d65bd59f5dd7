"""Changes of files as data: edits of texts by span, and files that are new. Nothing here touches a disk."""

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.folders import Folder, Found, Refusal, Within, straight
from jovial_scaffold.core.text.differences import differences

BOM = "\ufeff"
_CONTEXT = 3  # lines around a change in a unified diff


class Edit(NamedTuple):
    """Characters `start` to `end` of a file's text, and what stands there instead. A byte order mark does not count."""

    file: str
    start: int
    end: int
    text: str


class Overlapping(Exception):
    """Two edits change the same characters: a mistake of ours."""


def edited(text: str, edits: Iterable[Edit]) -> str:
    """A text with its edits; those at one place keep their order. Raises Overlapping."""
    pieces: list[str] = []
    last = 0
    for edit in sorted(edits, key=lambda each: (each.start, each.end)):
        if edit.start < last:
            raise Overlapping(edit)
        pieces += (text[last : edit.start], edit.text)
        last = edit.end
    return "".join((*pieces, text[last:]))


class FileChange(NamedTuple):
    """A file before and after, as bytes; `before` is None for a new one, `after` for one that goes. `private` files are their owner's alone. A
    file that has got another name `was` another one."""

    name: str
    before: bytes | None
    after: bytes | None
    private: bool = False
    was: str = ""


class Change:
    """Files that change together. Texts keep their byte order mark."""

    def __init__(self, folder: Folder) -> None:
        self._folder = folder
        self._edits: dict[str, dict[Edit, None]] = {}
        self._new: dict[str, tuple[str, bool]] = {}
        self._moved: dict[str, str] = {}  # the old name by the new one
        self._ends: dict[str, bool] = {}

    def add(self, edits: Iterable[Edit]) -> None:
        """Take in some edits; the same one twice is one, and lines end as those of the file do."""
        for edit in edits:
            if "\n" in edit.text and self._has_other_ends(edit.file):
                edit = edit._replace(text=edit.text.replace("\r\n", "\n").replace("\n", "\r\n"))
            self._edits.setdefault(edit.file, {})[edit] = None

    def _has_other_ends(self, name: str) -> bool:
        """Whether all lines of a file end in two characters."""
        if name not in self._ends:
            content = self._folder.read(name)
            lines = 0 if isinstance(content, Refusal) else content.count(b"\n")
            self._ends[name] = bool(lines) and not isinstance(content, Refusal) and content.count(b"\r\n") == lines
        return self._ends[name]

    def write(self, name: str, text: str, private: bool = False) -> None:
        """Take in a file as a whole."""
        self._new[name] = (text, private)

    def move(self, name: str, target: str) -> None:
        """Give a file another name; edits of it are by the old one."""
        self._moved[target] = name

    @property
    def edits(self) -> list[Edit]:
        """All edits, by file and place."""
        return sorted((each for edits in self._edits.values() for each in edits), key=lambda each: each[:3])

    def __bool__(self) -> bool:
        return bool(self._edits or self._new or self._moved)

    def files(self) -> list[FileChange]:
        """What becomes of each file, by name; those that stay as they are, are left out."""
        found = []
        for name in sorted({*self._edits, *self._new}):
            before = self._folder.read(name)
            known = None if isinstance(before, Refusal) else before
            if name in self._new:
                text, private = self._new[name]
                after = text.encode("utf-8", "surrogateescape")
            else:
                private = False
                raw = (known or b"").decode("utf-8")
                mark = BOM if raw.startswith(BOM) else ""
                after = (mark + edited(raw.removeprefix(BOM), self._edits[name])).encode("utf-8")
            if after != known:
                found.append(FileChange(name, known, after, private))
        for target, name in self._moved.items():
            held = self._folder.read(name)
            content = next((each.after for each in found if each.name == name), None if isinstance(held, Refusal) else held)
            found = [each for each in found if each.name != name]
            found += [FileChange(name, None if isinstance(held, Refusal) else held, None), FileChange(target, None, content, was=name)]
        return sorted(found)


class EditedFolder(Folder):
    """A folder as it would be after a change: all that does not change is that of the folder below."""

    def __init__(self, base: Folder, files: Iterable[FileChange]) -> None:
        self._base = base
        self._files: Mapping[str, bytes | None] = {each.name: each.after for each in files}

    @property
    def where(self) -> str:
        """That of the folder below."""
        return self._base.where

    @property
    def boundary(self) -> str:
        """That of the folder below."""
        return self._base.boundary

    def below(self, name: str) -> Folder:
        """A folder inside, as a root of its own."""
        inside = [
            FileChange(each.removeprefix(f"{name}/"), None, content)
            for each, content in self._files.items()
            if not name or each.startswith(f"{name}/")
        ]
        return EditedFolder(self._base.below(name), inside)

    def find(self, name: str) -> Found | Refusal:
        """What a name leads to."""
        found = self._base.find(name)
        without_dots = straight(name)
        if isinstance(found, Refusal) and found.kind == "missing" and without_dots != name:  # it may lead through a folder that is new
            found = self._base.find(without_dots)
        real = found.name if isinstance(found, Found) else without_dots
        if real in self._files:
            return Found(real, "file") if self._files[real] is not None else Refusal("missing")
        if isinstance(found, Refusal) and found.kind == "missing" and any(each.startswith(f"{real}/") for each in self._files):
            return Found(real, "folder")
        return found

    def read(self, name: str) -> bytes | Refusal:
        """The bytes of a file."""
        found = self.find(name)
        content = self._files.get(found.name) if isinstance(found, Found) else None
        if content is not None:
            return content
        return self._base.read(name) if isinstance(found, Found) else found

    def names(self, name: str) -> list[str] | Refusal:
        """The names of what lies in a folder."""
        found = self.find(name)
        if isinstance(found, Refusal):
            return found
        below = self._base.names(name)
        head = f"{found.name}/" if found.name else ""
        added = {
            each.removeprefix(head).split("/")[0] for each, content in self._files.items() if each.startswith(head) and content is not None
        }
        gone = {each.removeprefix(head) for each, content in self._files.items() if each.startswith(head) and content is None}
        return sorted(({*below} if not isinstance(below, Refusal) else set()) - gone | added)

    def open_root(self) -> object:
        """That of the folder below. Raises OSError."""
        return self._base.open_root()

    def child(self, node: object, step: str) -> object:  # type: ignore[override]  # what the folder below gives
        """That of the folder below."""
        return self._base.child(node, step)

    def content(self, node: object) -> bytes | Refusal:
        """That of the folder below."""
        return self._base.content(node)

    def listing(self, node: object) -> list[str]:
        """That of the folder below. Raises OSError."""
        return list(self._base.listing(node))


class EditedWithin(Within):
    """A folder inside of a whole as it would be after a change; what the whole shares is there as before."""

    def __init__(self, base: Within, files: Iterable[FileChange]) -> None:
        super().__init__(base.whole, base.base)
        self._edited = EditedFolder(base, files)

    def below(self, name: str) -> Folder:
        """A folder inside, as a root of its own."""
        return self._edited.below(name)

    def find(self, name: str) -> Found | Refusal:
        """What a name leads to."""
        return self._edited.find(name)

    def read(self, name: str) -> bytes | Refusal:
        """The bytes of a file."""
        return self._edited.read(name)

    def names(self, name: str) -> list[str] | Refusal:
        """The names of what lies in a folder."""
        return self._edited.names(name)


class Discretion:
    """What may be shown of changed files: all of it, where nobody says more."""

    def hides(self, name: str, line: int) -> bool:
        """Whether a line of a file as it is may not be shown, by its number from 1."""
        return False

    def unquoted(self, name: str, line: int) -> bool:
        """Whether one is not to be shown where it does not change."""
        return False

    def tells(self, text: str) -> bool:
        """Whether a text holds something that may not be shown, wherever it stands."""
        return False


def unified_diff(files: Iterable[FileChange], discretion: Discretion | None = None) -> str:
    """What changes, as `patch` and `git apply` take it (POSIX `diff -u`). A line that may not be shown is no context, nor one that is not quoted;
    one that itself changes and may not be shown is masked, and so is all of a private file."""
    return "".join(_file_diff(each, discretion or Discretion()) for each in files)


def _file_diff(change: FileChange, discretion: Discretion) -> str:
    old, new = _lines(change.before), _lines(change.after)
    secret = {number for number, line in enumerate(old) if discretion.hides(change.name, number + 1) or discretion.tells(line)}
    apart = secret | {number for number in range(len(old)) if discretion.unquoted(change.name, number + 1)}
    copied = {number for number in range(len(new)) if change.was and discretion.hides(change.was, number + 1)}
    hunks: list[list[str]] = []
    ends: list[tuple[int, int, int, int]] = []
    done = 0
    for first, last, start, end in differences(old, new):
        before, behind = _context(first, last, len(old), apart)
        masked = change.private or not secret.isdisjoint(range(first, last))
        body = _marked("-", old[first:last], [masked] * (last - first))
        told = [masked or number in copied or discretion.tells(new[number]) for number in range(start, end)]
        body += _marked("+", new[start:end], told)
        if hunks and ends[-1][1] >= first - before:  # their contexts touch: one hunk
            began, until, start_new, _ = ends[-1]
            kept = hunks[-1][: len(hunks[-1]) - (until - done)]
            hunks[-1] = [*kept, *_marked(" ", old[done:first]), *body, *_marked(" ", old[last : last + behind])]
            ends[-1] = (began, last + behind, start_new, end + behind)
        else:
            hunks.append([*_marked(" ", old[first - before : first]), *body, *_marked(" ", old[last : last + behind])])
            ends.append((first - before, last + behind, start - before, end + behind))
        done = last  # what stands behind it so far is context
    if not hunks:
        return ""
    head = [f"--- {'/dev/null' if change.before is None else f'a/{change.name}'}\n"]
    head.append(f"+++ {'/dev/null' if change.after is None else f'b/{change.name}'}\n")
    for hunk, (first, last, start, end) in zip(hunks, ends, strict=True):
        head.append(f"@@ -{_span(first, last)} +{_span(start, end)} @@\n")
        head += hunk
    return "".join(head)


def _context(first: int, last: int, lines: int, secret: set[int]) -> tuple[int, int]:
    """How many lines before and behind a change are shown with it."""
    before = next((count for count in range(_CONTEXT) if first - count == 0 or first - count - 1 in secret), _CONTEXT)
    behind = next((count for count in range(_CONTEXT) if last + count == lines or last + count in secret), _CONTEXT)
    return before, behind


def _span(first: int, last: int) -> str:
    """Lines as a hunk's head counts them; of none, the line before."""
    return f"{first + 1 if last > first else first},{last - first}"


def _marked(sign: str, lines: Sequence[str], masked: Sequence[bool] = ()) -> list[str]:
    shown = (f"{marks.SECRET}\n" if number < len(masked) and masked[number] else line for number, line in enumerate(lines))
    return [f"{sign}{line}" if line.endswith("\n") else f"{sign}{line}\n\\ No newline at end of file\n" for line in shown]


def _lines(content: bytes | None) -> list[str]:
    """The lines of a file with their ends: only a line feed ends one, as for `diff`."""
    text = (content or b"").decode("utf-8", "surrogateescape")
    lines = [f"{line}\n" for line in text.split("\n")]
    lines[-1] = lines[-1][:-1]
    return lines if lines[-1] else lines[:-1]
