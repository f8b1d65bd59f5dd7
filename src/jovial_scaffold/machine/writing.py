"""The one door for writing: whole or not at all, or streamed into what is no regular file; nothing is left that the next call would not clear.

A file is written without a name where the system can do that, then gets a marked name beside its target, then the target's name. Until
that last step, which the system does at once, the target is as it was.
"""

import errno
import os
import signal
import stat
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from types import TracebackType

from jovial_scaffold.core.folders import Found
from jovial_scaffold.machine.disk import DiskFolder

MARK = ".jovial-writing-"  # what a name begins with that belongs to a file on its way; see `clear`


def write(path: Path, content: str | bytes, private: bool = False) -> None:
    """Write bytes, or UTF-8 text. `private` files may be read by their owner only. Raises OSError, which names the file."""
    with Staged() as staged:
        staged.add(path, content, private)
        staged.commit()


class Staged:
    """Files that belong together: all are made beside their targets first, and then take their places in a row."""

    def __init__(self) -> None:
        self._ready: list[_Ready] = []
        self._streams: list[tuple[Path, bytes]] = []
        self._made: list[Path] = []  # folders, the outer ones first

    def __enter__(self) -> "Staged":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        for each in self._ready:
            each.drop()
        for folder in reversed(self._made if error is not None else []):
            with suppress(OSError):  # what has something in it stays
                folder.rmdir()

    def add(self, path: Path, content: str | bytes, private: bool = False) -> None:
        """Make a file ready. Raises OSError; nothing has changed then."""
        raw = content.encode("utf-8", "surrogateescape") if isinstance(content, str) else content
        with _named(path):
            target = _target(path)
            about = _status(target)
            if about is None or stat.S_ISREG(about.st_mode):
                self._ready.append(_Ready(target, raw, private, about))
            elif private or not (stat.S_ISFIFO(about.st_mode) or stat.S_ISCHR(about.st_mode)):
                raise OSError(errno.EINVAL, "it is no regular file, and nothing is written into it")
            else:
                self._streams.append((target, raw))

    def add_below(self, root: Path, name: str, content: str | bytes, private: bool = False) -> None:
        """Make a file ready by its name below a folder, which links do not lead out of; folders on the way are made. Raises OSError."""
        parent, _, last = name.rpartition("/")
        with _named(root / name):
            missing = [folder for folder in (root, *root.parents) if not folder.exists()]
            for made in reversed(missing):
                made.mkdir()
                self._made.append(made)
            folder = DiskFolder(root)
            for step in _prefixes(parent):
                found = folder.find(step)
                if not isinstance(found, Found):
                    if found.kind != "missing":
                        raise OSError(errno.EXDEV, f"it leads out of {root} through a link, and is not written")
                    (folder.root / step).mkdir()
                    self._made.append(folder.root / step)
            found = folder.find(parent)
            if not isinstance(found, Found) or found.kind != "folder":
                raise OSError(errno.ENOTDIR, "what should be its folder is none")
            target = folder.find(name)
            if not isinstance(target, Found) and target.kind != "missing":
                raise OSError(errno.EXDEV, f"it leads out of {root} through a link, and is not written")
        self.add(folder.root / found.name / last, content, private)

    def commit(self) -> None:
        """Give every file its name. No signal comes between them. Raises OSError."""
        with _undisturbed():
            for each in self._ready:
                each.take_place()
        for folder in {each.folder for each in self._ready}:
            _settle(folder)
        for path, content in self._streams:
            with _named(path), open(path, "wb", buffering=0) as stream:
                _write_all(stream.fileno(), content)


class _Ready:
    """One file that is whole, beside its target. Whoever makes it drops it in the end."""

    def __init__(self, target: Path, content: bytes, private: bool, before: os.stat_result | None) -> None:
        self.folder = target.parent
        self._target = target
        self._marked = self.folder / f"{MARK}{os.urandom(8).hex()}"
        self._descriptor = -1
        if before is not None and not _is_writable(target, before):
            raise PermissionError(errno.EACCES, "it is read-only, and is left as it is")
        clear(self.folder)
        mode = 0o600 if private else 0o666 if before is None else stat.S_IMODE(before.st_mode)
        try:
            self._make(content, mode, exact=private or before is not None)
        except BaseException:
            self.drop()
            raise

    def _make(self, content: bytes, mode: int, exact: bool) -> None:
        nameless = getattr(os, "O_TMPFILE", 0)
        try:
            if not nameless:
                raise OSError(errno.EOPNOTSUPP, "")
            self._descriptor = os.open(self.folder, nameless | os.O_WRONLY, mode)
            self._fill(content, mode, exact)
            folder = os.open(self.folder, os.O_RDONLY)
            try:  # only with a descriptor of the folder does Python ask the system to follow the first name
                os.link(f"/proc/self/fd/{self._descriptor}", self._marked.name, dst_dir_fd=folder, follow_symlinks=True)
            finally:
                os.close(folder)
        except OSError as error:
            if (
                error.errno not in (errno.EOPNOTSUPP, errno.EISDIR, errno.ENOENT, errno.EINVAL, errno.EXDEV, errno.EPERM)
                or not self.folder.is_dir()
            ):
                raise
            # The system cannot: then it has its marked name from the beginning.
            self._close()
            self._descriptor = os.open(self._marked, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode)
            self._fill(content, mode, exact)

    def _fill(self, content: bytes, mode: int, exact: bool) -> None:
        _lock(self._descriptor)
        if exact:  # else the process's umask has had its say
            os.fchmod(self._descriptor, mode)
        _write_all(self._descriptor, content)
        os.fsync(self._descriptor)

    def take_place(self) -> None:
        """Become the target, at once. Raises OSError."""
        with _named(self._target):
            os.replace(self._marked, self._target)

    def drop(self) -> None:
        """Leave nothing behind; a file that has taken its place stays."""
        with suppress(OSError):
            os.unlink(self._marked)
        self._close()

    def _close(self) -> None:
        if self._descriptor >= 0:
            os.close(self._descriptor)
            self._descriptor = -1


@contextmanager
def new_folder(path: Path) -> Iterator[Path]:
    """A folder to be filled that gets its name only when it is whole. Raises FileExistsError where the name is taken."""
    if os.path.lexists(path):
        raise FileExistsError(errno.EEXIST, "it is there already, and nothing is overwritten", str(path))
    clear(path.parent)
    marked = path.parent / f"{MARK}{os.urandom(8).hex()}"
    with _named(path):
        marked.mkdir()
    descriptor = os.open(marked, os.O_RDONLY)
    try:
        _lock(descriptor)
        with _named(path):
            yield marked
        with _undisturbed(), _named(path):
            if os.path.lexists(path):
                raise FileExistsError(errno.EEXIST, "it is there already, and nothing is overwritten")
            try:
                os.rename(marked, path)
            except OSError as error:
                if error.errno in (errno.ENOTEMPTY, errno.EEXIST, errno.ENOTDIR):  # somebody was faster
                    raise FileExistsError(errno.EEXIST, "it is there already, and nothing is overwritten") from None
                raise
        _settle(path.parent)
    finally:
        _remove(marked)
        os.close(descriptor)


def clear(folder: Path) -> None:
    """Remove what writers that were killed have left in a folder: marked names that nobody holds."""
    try:
        names = [name for name in os.listdir(folder or ".") if name.startswith(MARK)]
    except OSError:
        return
    for name in names:
        path = folder / name
        try:
            descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0))
        except OSError:
            continue
        try:
            if _lock(descriptor):
                _remove(path)
        finally:
            os.close(descriptor)


def _remove(path: Path) -> None:
    import shutil

    if path.is_dir() and not path.is_symlink():
        shutil.rmtree(path, ignore_errors=True)
    else:
        with suppress(OSError):
            path.unlink()


def _lock(descriptor: int) -> bool:
    """Mark an open file as in use for as long as this process has it open; False where another has it."""
    try:
        import fcntl

        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except (ImportError, OSError):
        return False
    return True


def _target(path: Path) -> Path:
    """Where a path leads through links, so that the links stay; a link that leads nowhere is refused. Raises OSError."""
    if not path.is_symlink():
        parent = path.parent
        if not parent.is_dir():
            raise FileNotFoundError(errno.ENOENT, f"there is no folder {parent}")
        return path
    try:
        return path.resolve(strict=True)
    except (FileNotFoundError, RuntimeError):
        raise OSError(errno.ELOOP, "it is a link that leads nowhere") from None


def _status(path: Path) -> os.stat_result | None:
    try:
        return os.stat(path)
    except FileNotFoundError:
        return None


def _is_writable(path: Path, about: os.stat_result) -> bool:
    """Whether the file's own mode allows writing: whoever took that away meant it, though a rename would get past it."""
    return bool(about.st_mode & 0o222) and os.access(path, os.W_OK)


def _write_all(descriptor: int, content: bytes) -> None:
    rest = memoryview(content)
    while rest:
        rest = rest[os.write(descriptor, rest) :]


def _settle(folder: Path) -> None:
    """Ask the system to keep the names in a folder, where it can be asked."""
    with suppress(OSError):
        descriptor = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)


def _prefixes(name: str) -> Sequence[str]:
    steps = name.split("/") if name else []
    return ["/".join(steps[: count + 1]) for count in range(len(steps))]


@contextmanager
def _named(path: Path) -> Iterator[None]:
    """Errors of the system name the file that is written, not one beside it."""
    try:
        yield
    except OSError as error:
        raise type(error)(error.errno, error.strerror or str(error), str(path)) from None


@contextmanager
def _undisturbed() -> Iterator[None]:
    """Signals that end the program wait until a row of renames is done."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT, signal.SIGTERM, signal.SIGHUP})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
