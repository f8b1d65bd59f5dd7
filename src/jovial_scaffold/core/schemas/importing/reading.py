"""The documents of a foreign description as plain data: JSON at native speed, YAML and what is wrong with either by the careful readers."""

import json
from collections.abc import Iterable, Iterator
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Folder, Found, Refusal
from jovial_scaffold.core.limits import LISTED_FILES, NESTING
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.unknown import UNKNOWN

_SUFFIXES = (".json", ".yaml", ".yml")


class Reader:
    """Reads documents of a folder; `findings` are what is wrong with them."""

    def __init__(self, folder: Folder) -> None:
        self._folder = folder
        self.findings: list[Finding] = []

    def all(self) -> dict[str, Any]:
        """All documents of the folder and the folders in it that can be read, by their names."""
        return {name: value for name in sorted(self._names()) for value in (self.read(name),) if value is not None}

    def read(self, name: str) -> Any:
        """One document; None where it cannot be read."""
        return self.value(self._folder.read(name), name)

    def value(self, content: bytes | Refusal, name: str) -> Any:
        """What stands in a document that was read already; None where that cannot be said. A name without an ending may be either."""
        if isinstance(content, bytes) and not name.endswith((".yaml", ".yml")):
            try:
                return _shallow(json.loads(content.decode("utf-8-sig"), parse_constant=_no_number))
            except (ValueError, RecursionError):
                pass  # whatever it is, the careful reader says it better
        source, findings = read_source(content, name, ".yaml")
        self.findings += findings
        return None if source is None or source.broken else _known(source.value)

    def _names(self) -> Iterator[str]:
        folders, count = [""], 0
        while folders:
            folder = folders.pop()
            names = self._folder.names(folder)
            for each in () if isinstance(names, Refusal) else names:
                name = f"{folder}/{each}" if folder else each
                found = self._folder.find(name)
                count += 1
                if count > LISTED_FILES.most:
                    return
                if isinstance(found, Found) and found.kind == "folder" and not each.startswith("."):
                    folders.append(name)
                elif isinstance(found, Found) and each.endswith(_SUFFIXES):
                    yield name


def _known(value: Any) -> Any:
    """The value without what the careful reader could not read."""
    if isinstance(value, dict):
        return {key: _known(item) for key, item in value.items() if item is not UNKNOWN}
    return [_known(item) for item in value if item is not UNKNOWN] if isinstance(value, list) else value


def _no_number(text: str) -> Any:
    raise ValueError(text)


def _shallow(value: Any) -> Any:
    """The value, if it is not nested deeper than any file of ours may be. Raises ValueError."""
    level: Iterable[Any] = (value,)
    for _ in range(NESTING.most):
        level = [item for part in level for item in (part.values() if isinstance(part, dict) else part if isinstance(part, list) else ())]
        if not level:
            return value
    raise ValueError
