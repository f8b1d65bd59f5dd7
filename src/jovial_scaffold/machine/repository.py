"""Commits of a git repository, read from its object store into memory. No program is run, and of its configuration only the format of
its objects is read: hooks, filters, monitors, pagers and signatures do not exist here.

Follows git's documented formats (gitrepository-layout, gitrevisions, index-format); objects and references are read with dulwich.
"""

import errno
import hashlib
import io
import os
import stat
import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from jovial_scaffold.core.folders import Entry, Folder, Refusal, RevisionError
from jovial_scaffold.core.limits import COMMITS, DELTAS, FILE_BYTES
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import Amount, say
from jovial_scaffold.machine.disk import read_named

_REVISION = regex(r"(?P<base>(?:@|[^~^:@{}\s\x00-\x1f\\*?\[]+))(?P<steps>(?:[~^][0-9]*)*)\Z")
_STEP = regex(r"([~^])([0-9]*)")
_OBJECT = regex(rb"[0-9a-f]{4,64}\Z")


def _strange(name: bytes) -> bool:
    """Whether an entry of a tree has a name that no checkout could hold: it would lead elsewhere."""
    return name in (b"", b".", b"..") or b"/" in name or b"\0" in name or name.lower() == b".git"


class Repository:
    """The repository that a folder belongs to. Raises RevisionError where there is none."""

    def __init__(self, folder: Path) -> None:
        self.root, own = _found(folder.resolve())
        common = _common(own)
        # Imported here, for commands that read no revisions do not need it.
        from dulwich.object_format import SHA1, SHA256
        from dulwich.object_store import DiskObjectStore
        from dulwich.refs import DiskRefsContainer

        self.own = own
        form = SHA256 if _setting(common / "config", b"extensions", b"objectformat").lower() == "sha256" else SHA1
        self.hash = hashlib.sha256 if form is SHA256 else hashlib.sha1
        self._name_length: int = form.hex_length
        # dulwich has types of its own for names; ours are bytes.
        self._store: Any = DiskObjectStore(common / "objects", object_format=form, loose_object_size_limit=FILE_BYTES.most * 2)
        self._refs: Any = DiskRefsContainer(common, own)
        self._index: frozenset[bytes] | None = None
        self._packs: list[Any] | None = None
        self._bounded: set[tuple[int, int]] = set()  # objects of packs, by number and offset
        self._trees: dict[bytes, dict[bytes, tuple[int, bytes]]] = {}

    # -- objects

    def raw(self, name: bytes, kind: bytes) -> bytes:
        """The bytes of a commit, tag, tree or blob. Raises RevisionError where it is not there, is broken, too large or something else."""
        from dulwich.objects import object_class

        shown = name[:12].decode("ascii", "replace")
        try:
            if not self._is_bounded(name):
                raise RevisionError(say("The object {} of the repository is larger than {} bytes.", shown, Amount(FILE_BYTES.most)))
            number, content = self._store.get_raw(name)
            made = object_class(number)
        except RevisionError:
            raise
        except Exception as error:  # whatever a broken store raises, it is a broken store
            raise RevisionError(
                say("The repository lacks the object {}, or it is broken ({}).", shown, type(error).__name__),
                say("A clone of a part of the history does not hold all of it: fetch the rest."),
            ) from None
        if made is None or made.type_name != kind:
            raise RevisionError(say("The object {} of the repository is no {}.", shown, kind.decode()))
        return bytes(content)

    def read(self, name: bytes, kind: bytes) -> Any:
        """A commit or tag, parsed. Raises RevisionError."""
        from dulwich.objects import ShaFile, object_class

        raw = self.raw(name, kind)
        made = object_class(kind)
        try:
            parsed = ShaFile.from_raw_string(made.type_num, raw) if made else None
            assert parsed is not None
        except Exception as error:
            raise RevisionError(say("The {} {} is broken ({}).", kind.decode(), name[:12].decode(), type(error).__name__)) from None
        return parsed

    def _entries(self, name: bytes) -> list[tuple[bytes, int, bytes]]:
        """Name, mode and object of the entries of a tree."""
        from dulwich.objects import parse_tree

        raw = self.raw(name, b"tree")
        try:
            return list(parse_tree(raw, self._name_length // 2))
        except Exception as error:
            raise RevisionError(say("The tree {} is broken ({}).", name[:12].decode(), type(error).__name__)) from None

    def _is_bounded(self, name: bytes) -> bool:
        """Whether an object of a pack, and all that it is written as a difference to, stays in bounds: a few bytes may stand for many
        gigabytes. (Pro Git, "Packfiles"; gitformat-pack: "delta instructions" begin with the sizes of base and result.)"""
        from dulwich.objects import hex_to_sha

        sha = hex_to_sha(name.decode())
        self._packs = self._packs if self._packs is not None else list(self._store.packs)
        for number, pack in enumerate(self._packs):
            try:
                offset = pack.index.object_offset(sha)
            except KeyError:
                continue
            chain: list[tuple[int, int]] = []
            for _ in range(DELTAS.most):
                if (number, offset) in self._bounded:
                    break
                chain.append((number, offset))
                buffer = pack.data._buffer()
                kind, size = _header(buffer, offset)
                if size > FILE_BYTES.most:
                    return False
                if kind not in (_OFFSET_DELTA, _NAMED_DELTA):
                    break
                delta = pack.data.get_unpacked_object_at(offset)
                if _number(b"".join(delta.decomp_chunks), 1) > FILE_BYTES.most:
                    return False
                base = delta.delta_base
                offset = offset - base if kind == _OFFSET_DELTA else pack.index.object_offset(base)
            else:
                return False
            self._bounded.update(chain)
            return True
        return True  # what lies loose is bounded by the store

    def tree(self, name: bytes) -> dict[bytes, tuple[int, bytes]]:
        """The entries of a tree: mode and object by name. Names that would lead elsewhere are as if they were not there."""
        if name not in self._trees:
            self._trees[name] = {path: (mode, made) for path, mode, made in self._entries(name) if not _strange(path)}
        return self._trees[name]

    def blob(self, name: bytes) -> bytes:
        """The bytes of a file."""
        return self.raw(name, b"blob")

    # -- revisions

    def commit(self, revision: str) -> str:
        """The full name of the commit that a revision means (gitrevisions: a name of a reference or commit, then `~N` and `^N`)."""
        unknown = RevisionError(
            say("The repository has no revision `{}`.", revision), say("`git log --oneline` lists them; HEAD~1 is the one before.")
        )
        match = _REVISION.match(revision)
        if match is None:
            raise unknown
        name = self._named("HEAD" if match["base"] == "@" else match["base"])
        if name is None:
            raise unknown
        made = self._peeled(name)
        for sign, digits in _STEP.findall(match["steps"]):
            number = int(digits[:9] or "1")
            for _ in range(number if sign == "~" else min(number, 1)):
                parents = made.parents
                place = 0 if sign == "~" else number - 1
                if place >= len(parents):
                    raise unknown
                made = self.read(parents[place], b"commit")
        return str(made.id.decode())

    def _named(self, base: str) -> bytes | None:
        """The object that a name means, in the order of gitrevisions."""
        text = os.fsencode(base)
        whole = _OBJECT.match(text) is not None
        if whole and len(text) == self._name_length:
            return text
        places = [text] if base.isupper() or base.startswith("refs/") else []
        places += [
            b"refs/" + text,
            b"refs/tags/" + text,
            b"refs/heads/" + text,
            b"refs/remotes/" + text,
            b"refs/remotes/" + text + b"/HEAD",
        ]
        for place in places:
            try:
                return bytes(self._refs[place])
            except (KeyError, ValueError, OSError, RecursionError):
                continue
        if not whole:
            return None
        found = {bytes(each) for each in self._store.iter_prefix(text)}
        return found.pop() if len(found) == 1 else None

    def _peeled(self, name: bytes) -> Any:
        """The commit behind a reference: tags may point at tags."""
        for _ in range(DELTAS.most):
            try:
                return self.read(name, b"commit")
            except RevisionError as error:
                try:
                    name = self.read(name, b"tag").object[1]
                except RevisionError:
                    raise error from None
        raise RevisionError(say("The tags of the repository go in circles."))

    def described(self, commit: str) -> tuple[str, str, str]:
        """Of a commit: date (as 2026-11-23, where the author was), author's name, and its subject."""
        made = self.read(commit.encode(), b"commit")
        try:
            date = time.strftime("%Y-%m-%d", time.gmtime((made.author_time or 0) + (made.author_timezone or 0)))
        except (ValueError, OverflowError, OSError):
            date = ""
        author = (made.author or b"").decode("utf-8", "replace").partition(" <")[0]
        subject = (made.message or b"").decode("utf-8", "replace").strip().partition("\n\n")[0]
        return date, author, " ".join(subject.split())

    def history(self, folder: str, most: int) -> list[str]:
        """The commits that changed what is below a folder, newest first, along the first parents."""
        found: list[str] = []
        made = self.read(self.commit("HEAD").encode(), b"commit")
        now = self.entry(made.tree, folder)
        for _ in range(COMMITS.most):
            parent = self.read(made.parents[0], b"commit") if made.parents else None
            before = self.entry(parent.tree, folder) if parent else None
            if now != before:
                found.append(made.id.decode())
            if parent is None or len(found) >= most:
                break
            made, now = parent, before
        return found

    def entry(self, tree: bytes, name: str) -> tuple[int, bytes] | None:
        """The entry of a path of folders, links not followed."""
        entry = (stat.S_IFDIR, tree)
        for step in os.fsencode(name).split(b"/") if name else ():
            if not stat.S_ISDIR(entry[0]):
                return None
            found = [(mode, made) for path, mode, made in self._entries(entry[1]) if path == step]
            if not found or _strange(step):
                return None
            entry = found[0]
        return entry

    def folder(self, commit: str, name: str) -> "CommitFolder":
        """A folder as of a commit, by its path from the repository's root."""
        entry = self.entry(self.read(commit.encode(), b"commit").tree, name)
        if entry is None or not stat.S_ISDIR(entry[0]):
            raise RevisionError(say("There was no folder {} in {}.", name, commit[:12]), say("Name a later revision."))
        return CommitFolder(self, entry[1], f"{commit[:12]}:{name}")

    def inside(self, folder: Path) -> str:
        """A folder of the working tree as a path from the root."""
        resolved = folder.resolve()
        if not resolved.is_relative_to(self.root):
            raise RevisionError(
                say("{} lies outside of the repository {}.", str(folder), str(self.root)), say("Look at one repository at a time.")
            )
        inside = resolved.relative_to(self.root).as_posix()
        return "" if inside == "." else inside

    # -- what is kept now

    def tracks(self, name: str) -> bool:
        """Whether a file is in the newest commit, or is to be in the next."""
        try:
            if self.entry(self.read(self.commit("HEAD").encode(), b"commit").tree, name) is not None:
                return True
        except RevisionError:
            pass  # a repository without a commit
        return os.fsencode(name) in self._staged()

    def _staged(self) -> frozenset[bytes]:
        if self._index is None:
            from dulwich.index import Index

            try:
                self._index = frozenset(Index(self.own / "index", read=True))
            except Exception:  # there is none, or none that can be read: the newest commit has told
                self._index = frozenset()
        return self._index


class CommitFolder(Folder):
    """A folder as of a commit; nothing of it is written to disk."""

    def __init__(self, repository: Repository, tree: bytes, where: str) -> None:
        self._repository = repository
        self._tree = tree
        self._where = where

    @property
    def where(self) -> str:
        """Commit and path."""
        return self._where

    def below(self, name: str) -> Folder:
        """A folder inside, as a root of its own."""
        entry = self._repository.entry(self._tree, name)
        if entry is None or not stat.S_ISDIR(entry[0]):
            raise FileNotFoundError(name)
        return CommitFolder(self._repository, entry[1], f"{self._where}/{name}")

    def open_root(self) -> Any:
        """The name of the tree."""
        return self._tree

    def child(self, node: Any, step: str) -> Entry | Refusal:
        """What a tree says of a name. A submodule is no part of the commit."""
        try:
            entry = self._repository.tree(node).get(os.fsencode(step))
            if entry is None:
                return Refusal("missing")
            mode, made = entry
            if stat.S_ISDIR(mode):
                return Entry("folder", made)
            if stat.S_ISLNK(mode):
                return Entry("link", os.fsdecode(self._repository.blob(made)))
            return Entry("file" if stat.S_ISREG(mode) else "special", made)
        except RevisionError as error:
            return Refusal("failed", error.message.template)

    def content(self, node: Any) -> bytes | Refusal:
        """A blob."""
        try:
            content = self._repository.blob(node)
        except RevisionError as error:
            return Refusal("failed", error.message.template)
        return content if len(content) <= FILE_BYTES.most else Refusal("too-large", str(len(content)))

    def listing(self, node: Any) -> Sequence[str]:
        """The names in a tree. Raises OSError."""
        try:
            return [os.fsdecode(name) for name in self._repository.tree(node)]
        except RevisionError as error:
            raise OSError(errno.EIO, error.message.template) from None


class DiskHistory:
    """The earlier states of one folder of a working tree (`core.folders.History`)."""

    def __init__(self, folder: Path, repository: Repository | None = None) -> None:
        self._repository = repository or Repository(folder)
        self._name = self._repository.inside(folder)

    def commit(self, revision: str) -> str:
        """The full name of a commit."""
        return self._repository.commit(revision)

    def described(self, commit: str) -> tuple[str, str, str]:
        """Date, author and subject."""
        return self._repository.described(commit)

    def touching(self, most: int) -> list[str]:
        """Commits that changed the folder."""
        return self._repository.history(self._name, most)

    def at(self, commit: str) -> Folder:
        """The folder as of a commit."""
        return self._repository.folder(commit, self._name)

    def tracks(self, name: str) -> bool:
        """Whether git keeps a file of the folder."""
        return self._repository.tracks(f"{self._name}/{name}" if self._name else name)


def _found(folder: Path) -> tuple[Path, Path]:
    """The working tree that a folder lies in, and its repository: a folder `.git`, or a file that names one. A bare repository is none:
    what stands in the files of a project must not speak for the project."""
    for root in (folder, *folder.parents):
        own = root / ".git"
        if own.is_file():
            content = read_named(str(own))
            if isinstance(content, bytes) and content.startswith(b"gitdir: "):
                own = root / os.fsdecode(content[8:].rstrip(b"\r\n"))
        if (own / "HEAD").is_file() and (_common(own) / "objects").is_dir():
            return root, own
    raise RevisionError(say("{} belongs to no git repository.", str(folder)), say("Revisions are read from git: begin with `git init`."))


def _common(own: Path) -> Path:
    """Where further working trees of a repository keep what they share."""
    content = read_named(str(own / "commondir"))
    return own / os.fsdecode(content.strip()) if isinstance(content, bytes) and content.strip() else own


def _setting(path: Path, section: bytes, name: bytes) -> str:
    """One value of a git configuration file, whose includes are not followed; nothing where it is not there or cannot be read."""
    from dulwich.config import ConfigFile

    content = read_named(str(path))
    if isinstance(content, Refusal):
        return ""
    try:
        return ConfigFile.from_file(io.BytesIO(content), expand_includes=False).get((section,), name).decode("utf-8", "replace")
    except (KeyError, ValueError):
        return ""


def author(folder: Path, process: Mapping[str, str]) -> str:
    """Who works here, as git knows it: what the process's variables say, or `user.name` of the repository or of the user."""
    if process.get("GIT_AUTHOR_NAME"):
        return process["GIT_AUTHOR_NAME"]
    count = process.get("GIT_CONFIG_COUNT", "0")
    for number in range(int(count) if count.isdigit() and len(count) < 3 else 0):
        if process.get(f"GIT_CONFIG_KEY_{number}", "").lower() == "user.name":
            return process.get(f"GIT_CONFIG_VALUE_{number}", "")
    try:
        places = [_common(_found(folder.resolve())[1]) / "config"]
    except RevisionError:
        places = []
    home = process.get("HOME", "")
    if home:
        places += [Path(home) / ".gitconfig", Path(process.get("XDG_CONFIG_HOME") or f"{home}/.config") / "git" / "config"]
    return next((name for place in places if (name := _setting(place, b"user", b"name"))), "")


_OFFSET_DELTA, _NAMED_DELTA = 6, 7


def _header(buffer: Any, offset: int) -> tuple[int, int]:
    """Kind and size of the object at an offset of a pack (gitformat-pack, "pack entry")."""
    byte = buffer[offset]
    kind, size, shift = (byte >> 4) & 7, byte & 15, 4
    while byte & 0x80:
        offset += 1
        byte = buffer[offset]
        size |= (byte & 0x7F) << shift
        shift += 7
    return kind, size


def _number(content: bytes, place: int) -> int:
    """One of the little-endian numbers of seven bits a byte that a delta begins with."""
    position = 0
    for _ in range(place + 1):
        size, shift = 0, 0
        while True:
            byte = content[position]
            size |= (byte & 0x7F) << shift
            shift += 7
            position += 1
            if not byte & 0x80:
                break
    return size
