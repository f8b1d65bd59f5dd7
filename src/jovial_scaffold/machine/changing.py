"""Files that change together: all of them, or none, whenever the program is ended.

Each new content is made beside its target (`writing.Staged`), and then all take their places in a row. What is about to happen is noted
before, in a journal in the user's state folder: a program that is killed in between leaves it there, and the next one goes on with what it
says. The journal lies outside of every project, so that no repository can bring one along.
"""

import base64
import errno
import json
import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.text.edits import FileChange
from jovial_scaffold.machine import writing
from jovial_scaffold.machine.disk import DiskFolder
from jovial_scaffold.machine.journals import journal_path

_FORMAT = "jovial-journal/1"


class ChangedMeanwhile(Exception):
    """A file is no longer as it was when the change was thought out; the text is its name."""


def carry_out(root: Path, files: Sequence[FileChange]) -> None:
    """Write files below a root, all or none. Raises ChangedMeanwhile where one is not as it was read, and OSError; nothing has changed then."""
    with _journal(root) as journal:
        if journal is not None:
            _finish(root, journal)
        for each in files:
            if content_below(root, each.name) != each.before:
                raise ChangedMeanwhile(each.name)
        with writing.Staged() as staged:
            for each in files:
                if each.after is not None:
                    staged.add_below(root, each.name, each.after, each.private)
            if journal is not None:
                noted = {"format": _FORMAT, "root": os.path.realpath(root), "files": [*map(_noted, files)]}
                writing.write(journal, json.dumps(noted), private=True)
            staged.commit()
            for each in files:
                if each.after is None:
                    (root / each.name).unlink(missing_ok=True)
        if journal is not None:
            journal.unlink()


def finish(root: Path) -> None:
    """Go on with a change of files below a root that was broken off. Raises OSError."""
    if os.path.exists(journal_path(root)):
        with _journal(root) as journal:
            if journal is not None:
                _finish(root, journal)


def _finish(root: Path, journal: Path) -> None:
    try:
        noted: Any = json.loads(journal.read_bytes())
    except FileNotFoundError:
        return
    except ValueError:  # nothing had begun
        journal.unlink(missing_ok=True)
        return
    if noted["root"] != os.path.realpath(root):  # of another root, by a great chance
        return
    for each in noted["files"]:
        now = _digest(content_below(root, each["name"]))
        if now != each["before"]:
            continue  # it has taken its place, or somebody has written it since
        if each["after"] is None:
            (root / each["name"]).unlink(missing_ok=True)
        else:
            with writing.Staged() as staged:
                staged.add_below(root, each["name"], base64.b64decode(each["after"]), each["private"])
                staged.commit()
        writing.clear((root / each["name"]).parent)
    journal.unlink(missing_ok=True)


def _noted(change: FileChange) -> dict[str, Any]:
    after = base64.b64encode(change.after).decode() if change.after is not None else None
    return {"name": change.name, "before": _digest(change.before), "after": after, "private": change.private}


def _digest(content: bytes | None) -> str:
    import hashlib  # only where there is something to write

    return hashlib.sha256(content).hexdigest() if content is not None else ""


def content_below(root: Path, name: str) -> bytes | None:
    """The bytes of a file below a root; None where there is none. Raises OSError."""
    content = DiskFolder(root).read(name)
    if not isinstance(content, Refusal):
        return content
    if content.kind == "missing":
        return None
    raise OSError(errno.EACCES, content.detail or "it cannot be read", str(root / name))


@contextmanager
def _journal(root: Path) -> Iterator[Path | None]:
    """The journal of a root, which nobody else has; None where this user has no place for one: then nobody can go on with what is broken off."""
    path = journal_path(root)
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        descriptor = os.open(path.with_suffix(".lock"), os.O_RDWR | os.O_CREAT, 0o600)
    except OSError:
        yield None
        return
    try:
        with suppress(ImportError):
            import fcntl

            fcntl.flock(descriptor, fcntl.LOCK_EX)
        yield path
    finally:
        os.close(descriptor)
