"""Which files of a working tree are not as they were in a commit: found by digests, with no clock, index, filter or hook having a say."""

import hashlib
import os
import re
import stat
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from jovial_scaffold.core.folders import Refusal, RevisionError
from jovial_scaffold.core.limits import LISTED_FILES, PATTERN_LENGTH, PROJECTS
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.patterns import linear_pattern
from jovial_scaffold.core.words import Amount, say
from jovial_scaffold.machine.disk import DiskFolder, read_named
from jovial_scaffold.machine.repository import Repository

SKIPPED = frozenset((".git", ".venv", "node_modules", "__pycache__"))
_POINTER = regex(rb"oid sha256:([0-9a-f]{64})\n")


def changed(repository: Repository, commit: str, folders: Sequence[str]) -> tuple[list[str], list[str]]:
    """Files below some folders that are not now as they were in a commit, new ones that are not ignored among them; and those that
    are gone. By digest: no clock, no index and no filter has a say."""
    then: dict[str, tuple[int, bytes]] = {}
    tree = repository.read(commit.encode(), b"commit").tree
    for name in folders:
        entry = repository.entry(tree, name)
        if entry is not None:
            then |= _files(repository, name, entry)
    disk = DiskFolder(repository.root)
    ignored = Ignored(disk, repository.own / "info" / "exclude")
    now = {name: mode for folder in folders for name, mode in _walked(repository.root, folder, then, ignored)}
    gone = sorted(then.keys() - now.keys())
    differing = {name for name, mode in now.items() if name not in then or not _same(repository, disk, name, mode, *then[name])}
    return sorted({*differing, *gone}), gone


def _files(repository: Repository, name: str, entry: tuple[int, bytes]) -> dict[str, tuple[int, bytes]]:
    """All files and links below an entry of a tree."""
    found = {}
    stack = [(name, entry)]
    while stack:
        name, (mode, made) = stack.pop()
        if stat.S_ISDIR(mode):
            stack += [
                (f"{name}/{os.fsdecode(step)}" if name else os.fsdecode(step), below) for step, below in repository.tree(made).items()
            ]
        elif stat.S_ISREG(mode) or stat.S_ISLNK(mode):
            found[name] = (mode, made)
    return found


def _same(repository: Repository, disk: DiskFolder, name: str, now: int, then: int, made: bytes) -> bool:
    if stat.S_ISLNK(now) or stat.S_ISLNK(then):
        return stat.S_ISLNK(now) and stat.S_ISLNK(then) and _digest(repository, os.fsencode(os.readlink(repository.root / name))) == made
    content = disk.read(name)
    if isinstance(content, Refusal):
        return False
    if _digest(repository, content) == made:
        return True
    if b"\r\n" in content and _digest(repository, content.replace(b"\r\n", b"\n")) == made:
        return True  # the same text as a checkout on another system writes it
    return _is_pointer_to(repository, made, content)


def _is_pointer_to(repository: Repository, made: bytes, content: bytes) -> bool:
    """Whether a commit holds, in place of a large file, a short text with the file's digest."""
    try:
        pointer = _POINTER.search(repository.blob(made)[:1024])
    except RevisionError:
        return False
    return pointer is not None and pointer[1].decode() == hashlib.sha256(content).hexdigest()


def _digest(repository: Repository, content: bytes) -> bytes:
    """The name of a blob (gitformat: the digest of a header and the bytes)."""
    return repository.hash(b"blob %d\0" % len(content) + content).hexdigest().encode()


class Ignored:
    """What a repository does not want to keep: `.gitignore` of every folder, and `info/exclude` (gitignore)."""

    def __init__(self, disk: DiskFolder, exclude: Path) -> None:
        self._disk = disk
        own = read_named(str(exclude))
        self._patterns: dict[str, list[tuple[Any, bool, bool]]] = {}
        self._first = _patterns(b"" if isinstance(own, Refusal) else own)

    def __call__(self, name: str, is_folder: bool) -> bool:
        """Whether a file or folder is ignored; the innermost pattern that matches decides, the last of its file."""
        steps = name.split("/")
        for depth in range(len(steps) - 1, -1, -1):
            for pattern, wanted, only_folders in reversed(self._of("/".join(steps[:depth]))):
                if (is_folder or not only_folders) and pattern.fullmatch("/".join(steps[depth:])):
                    return wanted is True
        return next(
            (wanted for pattern, wanted, only in reversed(self._first) if (is_folder or not only) and pattern.fullmatch(name)), False
        )

    def _of(self, folder: str) -> list[tuple[Any, bool, bool]]:
        if folder not in self._patterns:
            content = self._disk.read(f"{folder}/.gitignore" if folder else ".gitignore")
            self._patterns[folder] = _patterns(b"" if isinstance(content, Refusal) else content)
        return self._patterns[folder]


def _patterns(content: bytes) -> list[tuple[Any, bool, bool]]:
    """Lines of a `.gitignore` as linear-time patterns over paths from its folder; whether a match is ignored; whether for folders only."""
    found = []
    for line in content.decode("utf-8", "surrogateescape").splitlines()[: LISTED_FILES.most]:
        text = line.rstrip(" ") if not line.endswith("\\ ") else line
        if not text or text.startswith("#") or len(text) > PATTERN_LENGTH.most:
            continue
        wanted = not text.startswith("!")
        text = text.removeprefix("!")
        only_folders = text.endswith("/")
        text = text.rstrip("/")
        anchored = "/" in text
        body = "".join(_translated(text.removeprefix("/")))
        try:
            found.append((linear_pattern(f"(?s){'' if anchored else '(?:.*/)?'}{body}"), wanted, only_folders))
        except ValueError:
            continue
    return found


_GLOB = regex(
    r"(?P<deep>(?:^|(?<=/))\*\*/)|(?P<rest>/\*\*$)|(?P<any>\*+)|(?P<one>\?)|(?P<set>\[!?[^\]/]+\])|\\(?P<escaped>.)|(?P<plain>.)", re.DOTALL
)


def _translated(text: str) -> Iterator[str]:
    for match in _GLOB.finditer(text):
        kind, part = match.lastgroup, match.group()
        if kind == "deep":
            yield "(?:.*/)?"
        elif kind == "rest":
            yield "/.+"
        elif kind == "any":
            yield "[^/]*"
        elif kind == "one":
            yield "[^/]"
        elif kind == "set":
            yield f"[{'^/' if part[1] == '!' else ''}{part[2 if part[1] == '!' else 1 : -1].replace(chr(92), chr(92) * 2)}]"
        else:
            yield re.escape(match["escaped"] or part)


def _walked(root: Path, folder: str, then: dict[str, Any], ignored: Ignored) -> Iterator[tuple[str, int]]:
    """Files and links below a folder on disk, with their modes: those of a commit, and new ones that are not ignored."""
    kept = {name[:cut] for name in then for cut in range(len(name)) if name[cut] == "/"}
    stack = [folder]
    while stack:
        here = stack.pop()
        try:
            entries = sorted(os.scandir(root / here), key=lambda each: each.name)
        except OSError:
            continue
        for entry in entries:
            name = f"{here}/{entry.name}" if here else entry.name
            try:
                mode = entry.stat(follow_symlinks=False).st_mode
            except OSError:
                continue
            if stat.S_ISDIR(mode):
                # What is a repository of its own belongs to another history.
                if name in kept or not (entry.name in SKIPPED or os.path.lexists(root / name / ".git") or ignored(name, True)):
                    stack.append(name)
            elif (stat.S_ISREG(mode) or stat.S_ISLNK(mode)) and (name in then or not ignored(name, False)):
                yield name, mode


def find_files(folders: Sequence[Path], name: str) -> list[Path]:
    """Every file of a name below some folders, sorted; links to folders are not followed. Raises RevisionError where there are too many."""
    found: set[Path] = set()
    for folder in folders:
        if folder.is_file():
            found.add(folder.parent.resolve() / folder.name)
            continue
        for here, below, files in os.walk(folder.resolve()):
            below[:] = sorted(each for each in below if each not in SKIPPED)
            if name in files:
                found.add(Path(here) / name)
            if len(found) > PROJECTS.most:
                raise RevisionError(
                    say("There are more than {} files of that name below {}.", Amount(PROJECTS.most), str(folder)),
                    say("Name folders further down."),
                )
    return sorted(found)
