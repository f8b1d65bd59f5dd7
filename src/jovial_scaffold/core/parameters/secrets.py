"""Where secret values come from: `{$secret: {env: NAME}}` or `{$secret: {file: PATH}}`."""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.folders import Refusal


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


def fetch(value: dict[str, Any], read: Callable[[str], bytes | Refusal], process: Mapping[str, str]) -> str:
    """The text that a source names; `read` gives the bytes of a file. Raises SecretSourceError."""
    source = value["$secret"]
    if len(value) != 1 or not isinstance(source, dict) or len(source) != 1 or not isinstance(next(iter(source.values())), str):
        raise SecretSourceError("A secret's source is written {$secret: {env: NAME}} or {$secret: {file: PATH}}.", "", malformed=True)
    kind, name = next((str(kind), str(name)) for kind, name in source.items())
    if kind == "env":
        if name not in process:
            raise SecretSourceError(f"The process variable {name} is not set.", f"Set it: export {name}=…")
        return str(process[name])
    if kind == "file":
        content = read(name)
        if isinstance(content, Refusal):
            raise SecretSourceError(f"The file {name} is not there.", "Write the secret into it, and keep it out of git.")
        try:
            return content.decode("utf-8").rstrip("\r\n")
        except UnicodeDecodeError:
            raise SecretSourceError(f"The file {name} cannot be read as text.", "") from None
    raise SecretSourceError(f"`{kind}` is no kind of source for a secret.", "Sources are env and file.", malformed=True)
