"""Where the journal of a change is kept (`changing`): apart, since every command looks whether there is one."""

import os
import zlib
from pathlib import Path


def journal_path(root: Path) -> Path:
    """The journal of a root: in the user's state folder (XDG Base Directory Specification), by the root's own name."""
    name = os.fsencode(os.path.realpath(root))
    local = os.environ.get("LOCALAPPDATA" if os.name == "nt" else "XDG_STATE_HOME", "")
    base = Path(local) if os.path.isabs(local) else Path(os.path.expanduser("~"), ".local", "state")
    return base / "jovial-scaffold" / f"{zlib.crc32(name):08x}{zlib.adler32(name):08x}-{len(name)}.json"
