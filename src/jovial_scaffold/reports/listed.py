"""Rows of lists of texts on the board: those of resources that differ in words of items only have all but the texts in common."""

import json
import re
from collections.abc import Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aligning import PLAIN, are_alike, same

Words = tuple[str, str]
"""What stands before and behind what may differ in a text."""


class _Item(NamedTuple):
    """What the columns have of an item that is computed: between the words around it, where it is `joined`; and what that repeats as an echo."""

    inside: tuple[Any, ...]
    joined: bool
    echo: str


class Listed(NamedTuple):
    """What all lists of some resources have in common: how many items, and what is known of those that are computed, by their number."""

    size: int
    items: dict[int, _Item]

    def is_alike(self, lists: Sequence[list[Any]], words: Sequence[Words]) -> bool:
        """Whether lists as the columns have them are such, with words around each computed item."""
        for (number, item), (before, behind) in zip(self.items.items(), words, strict=True):
            if item.joined:
                if not _is_plain(before) or not _is_plain(behind):
                    return False
                if any(each[number] != f"{before}{inside}{behind}" for each, inside in zip(lists, item.inside, strict=True)):
                    return False
            elif not all(same(each[number], inside) for each, inside in zip(lists, item.inside, strict=True)):
                return False
        return all(len(each) == self.size and all(type(item) in PLAIN for item in each) for each in lists)

    def echo(self, items: list[Any], words: Sequence[Words]) -> str:
        """What such a list repeats, of which one column has these items."""
        told = list(map(_told, items))
        for (number, item), (before, behind) in zip(self.items.items(), words, strict=True):
            if item.echo:
                told[number] = f"{before}{item.echo}{behind}"
        return f"[{', '.join(told)}]"


def listed_of(lists: Sequence[Any], numbers: Sequence[int], joined: Sequence[bool], words: Sequence[Words], echo: str) -> Listed | None:
    """What is known of the items with these numbers, as the columns have the lists, and of what a row of them repeats; None where that cannot
    be told."""
    if not all(type(each) is list and len(each) == len(lists[0]) and all(type(item) in PLAIN for item in each) for each in lists):
        return None
    items: dict[int, _Item] = {}
    for number, is_joined, (before, behind) in zip(numbers, joined, words, strict=True):
        texts = [each[number] for each in lists]
        if is_joined:
            if not _is_plain(before) or not _is_plain(behind):
                return None
            if not all(type(each) is str and len(each) >= len(before) + len(behind) for each in texts):
                return None
            texts = [each[len(before) : len(each) - len(behind)] for each in texts]
        items[number] = _Item(tuple(texts), is_joined, "")
    found = Listed(len(lists[0]), items)
    if not found.is_alike(lists, words):
        return None
    if not echo:
        return found
    echoes = _echoes(lists, dict(zip(numbers, words, strict=True)), echo)
    if echoes is None:
        return None
    return Listed(found.size, {number: item._replace(echo=echoes.get(number, "")) for number, item in items.items()})


def _echoes(lists: Sequence[list[Any]], words: dict[int, Words], echo: str) -> dict[int, str] | None:
    """What each item that differs repeats between its words, of what the whole list does; None where that may be read in several ways."""
    least, most, numbers = [], [], []  # as little as may be that, and as much
    for number, items in enumerate(zip(*lists, strict=True)):
        if are_alike(items):
            least.append(re.escape(_told(items[0])))
            most.append(least[-1])
        elif number not in words:
            return None
        else:
            before, behind = words[number]
            least.append(f"{re.escape(before)}(.+?){re.escape(behind)}")
            most.append(f"{re.escape(before)}(.+){re.escape(behind)}")
            numbers.append(number)
    one, other = [re.fullmatch(rf"\[{', '.join(each)}\]", echo) for each in (least, most)]
    return (
        dict(zip(numbers, one.groups(), strict=True)) if one is not None and other is not None and one.groups() == other.groups() else None
    )


def _told(item: Any) -> str:
    return marks.unmarked(item if type(item) is str else json.dumps(item))


def _is_plain(words: str) -> bool:
    return not words or (words.isascii() and words.isprintable())
