"""Paths and names of files as other files write them."""

from collections.abc import Mapping
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, Sentence, say


@value_record
class FileReference:
    """A path as a file writes it."""

    text: str
    origin: Origin | None
    envelope: "FileReference | None" = None  #: of a parameter file, what says where the values stand in it
    given: Origin | None = None  #: of a ruleset, the map that says how it is used


def taken(reference: FileReference, offered: Mapping[str, FileReference]) -> FileReference:
    """What a word without a slash names: something that the workspace offers before it is a path."""
    found = offered.get(reference.text)
    return reference if found is None else replace(found, given=reference.given)


def references(content: Any, origin: Origin, what: str, findings: list[Finding]) -> tuple[FileReference, ...]:
    """Rulesets by name or path, each by itself or as `use` of a map that says how (docs/rules.md, "Using a ruleset")."""

    shape = "project-shape" if what == "rulesets" else "ruleset-shape"

    def wrong(id: str, message: Sentence, place: Origin) -> None:
        hint = say("For example: {use: house, with: {largest: m}}")
        findings.append(Finding(id, "error", message, place.value_span(), hint))

    if content is None or content is UNKNOWN:
        return ()
    found = []
    for number, item in enumerate(content if isinstance(content, list) else [content]):
        place = origin.child(number) if isinstance(content, list) else origin
        if isinstance(item, str):
            found.append(FileReference(item, place))
        elif isinstance(item, dict) and isinstance(item.get("use"), str):
            strange = next((key for key in item if key not in USE_KEYS), None)
            if strange is not None:
                wrong("ruleset-use", say("A use of a ruleset has no key `{}`.", strange), place.child(strange))
            found.append(FileReference(item["use"], place.child("use"), given=place))
        elif item is not UNKNOWN:
            wrong(shape, say("`{}` is a list of paths, or of maps with `use`, and this is {}.", what, Described(item)), place)
    return tuple(found)


USE_KEYS = ("use", "with", "levels")
