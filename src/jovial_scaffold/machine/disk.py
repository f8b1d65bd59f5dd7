"""Folders on disk: every step is opened from the folder before it, never following a link by the system's own rules."""

import errno
import os
import stat
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from jovial_scaffold.core.folders import Entry, Folder, Refusal
from jovial_scaffold.core.limits import FILE_BYTES

_CLOSED = getattr(os, "O_CLOEXEC", 0)
# A folder that may be passed through but not listed can be opened as a mere path, where the system knows such a thing.
_PASS = getattr(os, "O_PATH", os.O_RDONLY) | getattr(os, "O_DIRECTORY", 0) | getattr(os, "O_NOFOLLOW", 0) | _CLOSED
_LIST = os.O_RDONLY | getattr(os, "O_DIRECTORY", 0) | _CLOSED
_READ = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0) | _CLOSED


class DiskFolder(Folder):
    """A folder on disk. The root itself is given by the user, so links on the way to it are followed, once."""

    def __init__(self, root: Path, most: int = FILE_BYTES.most) -> None:
        self.root = root.resolve()
        self._most = most  # bytes of a file
        self._is: tuple[int, int] | None = None

    @property
    def where(self) -> str:
        """The absolute path."""
        return str(self.root)

    def below(self, name: str) -> "DiskFolder":
        """A folder inside, as a root of its own."""
        return DiskFolder(self.root / name, self._most)

    def open_root(self) -> Any:
        """A descriptor, always of the same folder. Raises OSError."""
        descriptor = os.open(self.root, _PASS)
        about = os.fstat(descriptor)
        same = self._is in (None, (about.st_dev, about.st_ino))
        self._is = (about.st_dev, about.st_ino)
        if not same:
            os.close(descriptor)
            raise OSError(errno.ESTALE, "the folder was replaced while it was read")
        return descriptor

    def child(self, node: Any, step: str) -> Entry | Refusal:
        """A folder is opened at once; a file only when it is read, as (descriptor of its folder, name)."""
        mode = os.stat(step, dir_fd=node, follow_symlinks=False).st_mode
        if stat.S_ISLNK(mode):
            return Entry("link", os.readlink(step, dir_fd=node))
        if stat.S_ISDIR(mode):
            return Entry("folder", os.open(step, _PASS, dir_fd=node))
        return Entry("file" if stat.S_ISREG(mode) else "special", (node, step))

    def content(self, node: Any) -> bytes | Refusal:
        """The bytes of what the name is now; a link or a pipe that has taken its place is refused."""
        folder, step = node
        return _regular(os.open(step, _READ, dir_fd=folder), self._most)

    def listing(self, node: Any) -> Sequence[str]:
        """The names in a folder. Raises OSError."""
        descriptor = os.open(".", _LIST, dir_fd=node)
        try:
            return os.listdir(descriptor)
        finally:
            os.close(descriptor)

    def close(self, nodes: Sequence[Any]) -> None:
        """Close the folders that a walk has opened."""
        for node in nodes:
            os.close(node)

    def inside(self, target: str) -> str | None:
        """An absolute path below the root, by its text: what its links lead to is looked at step by step."""
        normal = os.path.normpath(target)
        if normal == self.where:
            return ""
        root = self.where.rstrip("/") + "/"
        return normal[len(root) :] if normal.startswith(root) else None


def read_named(name: str, most: int = FILE_BYTES.most) -> bytes | Refusal:
    """A file that the command line names, wherever it is; `-` is standard input."""
    if name == "-":
        read = sys.stdin.buffer.read(most + 1)
        return read if len(read) <= most else Refusal("too-large", str(len(read)))
    try:
        return _regular(os.open(name, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | _CLOSED), most)
    except (FileNotFoundError, NotADirectoryError):
        return Refusal("missing")
    except PermissionError:
        return Refusal("forbidden")
    except (OSError, ValueError) as error:
        return Refusal("failed", getattr(error, "strerror", None) or str(error))


def _regular(descriptor: int, most: int = FILE_BYTES.most) -> bytes | Refusal:
    """All of an open regular file; closes it. Raises OSError."""
    try:
        about = os.fstat(descriptor)
        if stat.S_ISDIR(about.st_mode):
            return Refusal("folder")
        if not stat.S_ISREG(about.st_mode):
            return Refusal("special")
        if about.st_size > most:
            return Refusal("too-large", str(about.st_size))
        parts = []
        left = most + 1  # a file may grow while it is read
        while left > 0 and (part := os.read(descriptor, left)):
            parts.append(part)
            left -= len(part)
        return b"".join(parts) if left > 0 else Refusal("too-large", str(most + 1))
    finally:
        os.close(descriptor)
