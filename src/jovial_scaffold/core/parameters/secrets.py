"""Where secret values come from: `{$secret: {env: NAME}}` or `{$secret: {file: PATH}}`."""

import re
from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.schemas.shapes import secret_pointers, secret_shape
from jovial_scaffold.core.spelling import slip_of
from jovial_scaffold.core.text.source import Pointer, value_at
from jovial_scaffold.core.words import NOTHING, Sentence, nearest, say


class SecretSourceError(Exception):
    """A source that names nothing: what is missing, and what to do. `malformed` where it is not written as a source."""

    def __init__(self, message: Sentence, hint: Sentence, malformed: bool = False) -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.malformed = malformed


def is_source(value: Any) -> bool:
    """Whether a value says where a secret comes from, or was to."""
    return isinstance(value, dict) and ("$secret" in value or bool(_misspelt(value)))


def _misspelt(value: dict[str, Any]) -> str:
    """The only key of a map, where `$secret` was meant by it."""
    key = next(iter(value)) if len(value) == 1 else ""
    return key if isinstance(key, str) and key[:1] == "$" and slip_of(key, ("$secret",)) else ""


def fetch(value: dict[str, Any], read: Callable[[str], bytes | Refusal], process: Mapping[str, str]) -> str:
    """The text that a source names; `read` gives the bytes of a file. Raises SecretSourceError."""
    misspelt = _misspelt(value)
    if misspelt:
        raise SecretSourceError(say("`{}` has no meaning here.", misspelt), say("Did you mean `$secret`?"), malformed=True)
    source = value["$secret"]
    if len(value) != 1 or not isinstance(source, dict) or len(source) != 1 or not isinstance(next(iter(source.values())), str):
        raise SecretSourceError(
            say("A secret's source is written {$secret: {env: NAME}} or {$secret: {file: PATH}}."), NOTHING, malformed=True
        )
    kind, name = next((str(kind), str(name)) for kind, name in source.items())
    if kind == "env":
        if name not in process:
            raise SecretSourceError(say("The process variable {} is not set.", name), say("Set it: export {}=…", name))
        return str(process[name])
    if kind == "file":
        content = read(name)
        if isinstance(content, Refusal):
            raise SecretSourceError(say("The file {} is not there.", name), say("Write the secret into it, and keep it out of git."))
        try:
            return content.decode("utf-8").rstrip("\r\n")
        except UnicodeDecodeError:
            raise SecretSourceError(say("The file {} cannot be read as text.", name), NOTHING) from None
    raise SecretSourceError(
        say("`{}` is no kind of source for a secret.", kind),
        nearest(kind, ("env", "file"), say("Sources are env and file.")),
        malformed=True,
    )


def with_sources(name: str, value: Any, schema: Any) -> tuple[Any, list[Pointer]]:
    """The value of a parameter with a source in the place of each secret that stands there in clear text, and where these are."""
    pointers = [each for each in secret_pointers(secret_shape(schema), value) if not _is_known(value_at(value, each, None))]
    for pointer in pointers:
        words = "_".join(re.sub(r"[^A-Za-z0-9]+", "_", str(step)) for step in (name, *pointer))
        value = _replaced(value, pointer, {"$secret": {"env": words.upper()}})
    return value, pointers


def _is_known(value: Any) -> bool:
    """Whether nothing is told by a value: it is a source, nothing, or still open."""
    return value is None or is_source(value) or (isinstance(value, dict) and "$open" in value)


def _replaced(value: Any, pointer: Pointer, by: Any) -> Any:
    if not pointer:
        return by
    first, rest = pointer[0], pointer[1:]
    if isinstance(value, list):
        return [_replaced(item, rest, by) if index == first else item for index, item in enumerate(value)]
    return {key: _replaced(item, rest, by) if key == first else item for key, item in value.items()}
