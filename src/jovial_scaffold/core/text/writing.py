"""Files are written whole or not at all: to a temporary neighbour first, then renamed over the target."""

import errno
import os
import tempfile
from pathlib import Path


def write_private(path: Path, content: str) -> None:
    """Write UTF-8 text that only the owner may read; it has no name until it is whole, where the system can do that. Raises OSError."""
    try:
        folder = os.open(path.parent, os.O_RDONLY)
    except OSError:
        write_whole(path, content, 0o600)
        return
    try:
        with os.fdopen(os.open(path.parent, os.O_TMPFILE | os.O_WRONLY, 0o600), "w", encoding="utf-8", newline="") as stream:
            stream.write(content)
            stream.flush()
            path.unlink(missing_ok=True)
            os.link(f"/proc/self/fd/{stream.fileno()}", path.name, dst_dir_fd=folder, follow_symlinks=True)
    except (OSError, AttributeError):  # the system cannot: then under a name of its own, for a moment
        write_whole(path, content, 0o600)
    finally:
        os.close(folder)


def write_whole(path: Path, content: str | bytes, mode: int = 0o644) -> None:
    """Write bytes, or UTF-8 text. Raises OSError; the target is then as it was."""
    if not path.parent.is_dir():
        raise FileNotFoundError(errno.ENOENT, "there is no such folder", str(path.parent))
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent or Path(), prefix=f".{path.name}.")
    except OSError as error:
        raise OSError(error.errno, error.strerror, str(path)) from None
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(content.encode("utf-8") if isinstance(content, str) else content)
        os.chmod(temporary, mode)
        os.replace(temporary, path)
    except BaseException:
        os.unlink(temporary)
        raise
