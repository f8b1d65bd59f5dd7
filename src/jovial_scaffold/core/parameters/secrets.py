"""Where secret values come from: `{$secret: {env: NAME}}` or `{$secret: {file: PATH}}`, and whether git keeps a file."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from jovial_scaffold.core.limits import FILE_BYTES


class SecretSourceError(Exception):
    """A source that names nothing: what is missing, and what to do. `malformed` where it is not written as a source."""

    def __init__(self, message: str, hint: str, malformed: bool = False) -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.malformed = malformed


def is_source(value: Any) -> bool:
    """Whether a value says where a secret comes from."""
    return isinstance(value, dict) and "$secret" in value


def fetch(value: dict[str, Any], folders: Sequence[Path], process: Mapping[str, str]) -> str:
    """The text that a source names; paths are relative to the first of `folders` that has them. Raises SecretSourceError."""
    source = value["$secret"]
    if len(value) != 1 or not isinstance(source, dict) or len(source) != 1 or not isinstance(next(iter(source.values())), str):
        raise SecretSourceError("A secret's source is written {$secret: {env: NAME}} or {$secret: {file: PATH}}.", "", malformed=True)
    kind, name = next((str(kind), str(name)) for kind, name in source.items())
    if kind == "env":
        if name not in process:
            raise SecretSourceError(f"The process variable {name} is not set.", f"Set it: export {name}=…")
        return str(process[name])
    if kind == "file":
        path = next((folder / name for folder in folders if (folder / name).exists()), folders[0] / name)
        try:
            if not path.is_file() or path.stat().st_size > FILE_BYTES.most:
                raise SecretSourceError(f"The file {name} is not there.", "Write the secret into it, and keep it out of git.")
            return path.read_text("utf-8").rstrip("\r\n")
        except (OSError, UnicodeDecodeError):
            raise SecretSourceError(f"The file {name} cannot be read as text.", "") from None
    raise SecretSourceError(f"`{kind}` is no kind of source for a secret.", "Sources are env and file.", malformed=True)


def tracked_by_git(path: Path) -> bool:
    """Whether git keeps the file; False where there is no git or no repository."""
    import subprocess

    try:
        command = ["git", "-C", str(path.parent), "ls-files", "--error-unmatch", "--", path.name]
        return subprocess.run(command, capture_output=True, timeout=10, check=False).returncode == 0
    except (OSError, subprocess.SubprocessError):
        return False
