"""Files are written whole or not at all: to a temporary neighbour first, then renamed over the target."""

import os
import tempfile
from pathlib import Path


def write_whole(path: Path, content: str, mode: int = 0o644) -> None:
    """Write UTF-8 text. Raises OSError; the target is then as it was."""
    handle, temporary = tempfile.mkstemp(dir=path.parent or Path(), prefix=f".{path.name}.")
    try:
        with os.fdopen(handle, "w", encoding="utf-8", newline="") as stream:
            stream.write(content)
        os.chmod(temporary, mode)
        os.replace(temporary, path)
    except BaseException:
        os.unlink(temporary)
        raise
