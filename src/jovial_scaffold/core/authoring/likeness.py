"""Whether a project is another one but for a name: shown by what its files say, so that nobody has to render both."""

import re
from collections import Counter
from collections.abc import Mapping
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.templates.names import readings, speaks_of
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN

Place = tuple[str, Pointer]
"""A file, and a text or key in it."""


def is_new_to(project: Project, name: str) -> bool:
    """Whether nothing in the project's own template can mean a name, so that something may be called so."""
    return not speaks_of(project.template, name)


def is_same_but_for(project: Project, then: Project, change: Change, old: str, new: str, meant: Mapping[Place, int]) -> bool:
    """Whether what a project's own template calls `old` is `new` in another one, and that is all: the files that are changed say the same with
    the one word for the other, as often as is `meant` at each place; what they give to parameters is the same; and nothing reads the old name
    any more. The new one has to be new to the project: then what is rendered is the same, too. False where that cannot be said."""
    declared = then.template.names | then.template.functions.keys()
    if new not in declared or old in declared or next(readings(then.template, old), None) is not None:
        return False
    texts = {each.name for each in project.own_sources} | {each.file.source.name for each in project.template.documents.values()}
    judging = {rule.origin.source.name for ruleset in project.rulesets for rule in ruleset.rules} | {
        each.origin.source.name for each in project.waivers
    }
    layers: set[str] = set()
    for environment in project.environments:
        was, becomes = project.parameters_of(environment), then.parameters_of(environment)
        layers |= {layer.source.name for layer in was.layers if layer.source is not None}
        given = {new if name == old else name: value for name, value in was.values.items() if name not in was.defaulted}
        held = {name: value for name, value in becomes.values.items() if name not in becomes.defaulted}
        if given.keys() != held.keys() or not all(_is_given(given[name], value) for name, value in held.items()):
            return False
    walk = _Walk(old, new)
    for file in change.files():
        one, other = project.source(file.name), then.source(file.name)
        if file.name in texts and (one is None or other is None or not walk.is_alike(one.value, other.value, file.name, ())):
            return False
        if one is not None and file.name not in texts | layers | judging:  # what renderings do not read may change
            return False
    return walk.found == {place: count for place, count in meant.items() if place[0] in texts}


def _is_given(was: Any, becomes: Any) -> bool:
    return was is becomes if was is UNKNOWN or becomes is UNKNOWN else same(was, becomes)


class _Walk:
    """Through two values at once, of which one has a new word for another, wherever that is `found`."""

    def __init__(self, old: str, new: str) -> None:
        self.found: Counter[Place] = Counter()
        self._old = old
        self._new = new
        self._word = re.compile(rf"(?<!\w){re.escape(old)}(?!\w)")

    def is_alike(self, was: Any, becomes: Any, file: str, pointer: Pointer) -> bool:
        """Whether a value is the other one but for the word; a resource may remember what it was called."""
        if type(was) is not type(becomes) or was is UNKNOWN:  # of what could not be read nothing can be said
            return False
        if isinstance(was, str):
            return was == becomes or self._is_reworded(was, becomes, file, pointer)
        if isinstance(was, dict):
            entries = [*becomes.items()]
            if len(entries) == len(was) + 1 and becomes.get("$formerly") == self._old and "$formerly" not in was:
                entries = [each for each in entries if each[0] != "$formerly"]
            if len(entries) != len(was):
                return False
            for (key, value), (name, other) in zip(was.items(), entries, strict=True):
                if key != name and not self._is_reworded(key, name, file, (*pointer, key)):
                    return False
                if not (type(value) is str and value == other) and not self.is_alike(value, other, file, (*pointer, key)):
                    return False  # most are texts that are the same
            return True
        if isinstance(was, list):
            pairs = enumerate(zip(was, becomes, strict=False))
            return len(was) == len(becomes) and all(self.is_alike(one, other, file, (*pointer, at)) for at, (one, other) in pairs)
        return bool(was == becomes)

    def _is_reworded(self, was: str, becomes: str, file: str, pointer: Pointer) -> bool:
        """Whether a text has the new word in some places of the old one, and is the same else; they are counted."""
        first, *others = self._word.split(was)
        at, count = len(first), 0
        if not becomes.startswith(first):
            return False
        for part in others:
            is_new = becomes.startswith(self._new, at) and not becomes[at + len(self._new) : at + len(self._new) + 1].isidentifier()
            if not is_new and not becomes.startswith(self._old, at):
                return False
            at += len(self._new if is_new else self._old)
            count += is_new
            if not becomes.startswith(part, at):
                return False
            at += len(part)
        self.found[file, pointer] += count
        return at == len(becomes)
