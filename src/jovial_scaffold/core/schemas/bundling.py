"""References between the documents of a catalog: each type becomes a schema of its own, with what it refers to under `$defs`.

A reference is a file of the same folder, with a JSON Pointer as its fragment: `definitions.yaml#/$defs/port`, `disk.v1.yaml` (JSON Schema
2020-12, section 8.2.3.1; RFC 6901).
"""

from collections.abc import Mapping
from pathlib import PurePosixPath
from typing import Any

from jovial_scaffold.core.schemas.keywords import LISTS, MAPS, SINGLE, parts
from jovial_scaffold.core.schemas.navigation import steps_of
from jovial_scaffold.core.text.source import Origin, Pointer

_Target = tuple[str, Pointer]  # a document, and what is meant in it


class Documents:
    """The documents of a catalog by their file names. What a type needs of others is put together once, and shared by all that need it."""

    def __init__(self, documents: Mapping[str, Any]) -> None:
        self._documents = documents
        self._names: dict[_Target, str] = {}
        self._taken: set[str] = set()
        self._rewritten: dict[_Target, tuple[Any, tuple[_Target, ...]]] = {}

    def leads_somewhere(self, file: str, reference: str) -> bool:
        """Whether a reference in a document leads to a schema."""
        return isinstance(self._found(_target(file, reference)), dict | bool)

    def bundled(self, file: str, schema: dict[str, Any]) -> dict[str, Any]:
        """A schema without references to other documents."""
        body, waiting = self._written(file, schema, own=True)
        gathered: dict[str, Any] = {}
        pending = list(waiting)
        while pending:
            target = pending.pop()
            name = self._name(target)
            if name not in gathered:
                gathered[name], more = self._shared(target)
                pending += more
        if not gathered:
            return schema
        return {**body, "$defs": {**gathered, **(body["$defs"] if isinstance(body.get("$defs"), dict) else {})}}

    def _shared(self, target: _Target) -> tuple[Any, tuple[_Target, ...]]:
        if target not in self._rewritten:
            found = self._found(target)
            self._rewritten[target] = self._written(target[0], found, own=False) if isinstance(found, dict | bool) else (True, ())
        return self._rewritten[target]

    def _written(self, file: str, schema: Any, own: bool) -> tuple[Any, tuple[_Target, ...]]:
        """A schema of a document with its references led to `$defs`, those into the document itself too where it is not its `own`; and what
        they mean."""
        targets: dict[_Target, None] = {}

        def anew(part: Any, keyword: str) -> Any:
            if not isinstance(part, dict):
                return [anew(each, keyword) for each in part] if isinstance(part, list) and keyword in LISTS else part
            made: dict[str, Any] = {}
            for key, item in part.items():
                if key == "$ref" and isinstance(item, str) and not (own and item.startswith("#")):
                    target = _target(file, item)
                    targets[target] = None
                    made[key] = f"#/$defs/{self._name(target)}"
                elif key in MAPS and isinstance(item, dict):
                    made[key] = {name: anew(each, "") for name, each in item.items()}
                else:
                    made[key] = anew(item, key) if key in SINGLE or key in LISTS else item
            return made

        written = anew(schema, "")
        if isinstance(written, dict) and not own:
            written = {key: item for key, item in written.items() if key not in ("$id", "$schema", "$defs", "definitions")}
        return written, tuple(targets)

    def _found(self, target: _Target) -> Any:
        value = self._documents.get(target[0])
        for step in target[1]:
            if isinstance(value, list):
                value = value[int(step)] if str(step).isdigit() and int(step) < len(value) else None
            else:
                value = value.get(step) if isinstance(value, dict) else None
        return value

    def _name(self, target: _Target) -> str:
        """What stands for a target under `$defs`: no name that an author would write, and none with a `/` or `~`."""
        if target not in self._names:
            last = str(target[1][-1]) if target[1] else PurePosixPath(target[0]).stem
            base = "::" + "".join(char if char.isalnum() or char in "_.-" else "_" for char in last)
            name, count = base, 1
            while name in self._taken:
                count += 1
                name = f"{base}:{count}"
            self._taken.add(name)
            self._names[target] = name
        return self._names[target]


def outward(schema: Any, origin: Origin) -> list[tuple[str, Origin]]:
    """The references of a schema that lead out of its own document, and where they stand."""
    return [
        (part["$ref"], place.child("$ref"))
        for part, place in parts(schema, origin)
        if isinstance(part.get("$ref"), str) and not part["$ref"].startswith("#")
    ]


def _target(file: str, reference: str) -> _Target:
    from urllib.parse import unquote  # only catalogs of several documents need it

    named, _, fragment = reference.partition("#")
    return unquote(named).removeprefix("./") or file, steps_of(fragment)
