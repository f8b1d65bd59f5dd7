"""Rows of lists of texts on the board: those of resources that differ in words of items only have all but the texts in common."""

import json
from collections.abc import Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aligning import PLAIN, are_alike, same
from jovial_scaffold.reports.cores import Words, are_plain


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
        if not all(len(each) == self.size and all(type(item) in PLAIN for item in each) for each in lists):
            return False
        for (number, item), (before, behind) in zip(self.items.items(), words, strict=True):
            if item.joined:
                if not are_plain((before, behind)):
                    return False
                if any(each[number] != f"{before}{inside}{behind}" for each, inside in zip(lists, item.inside, strict=True)):
                    return False
            elif not all(same(each[number], inside) for each, inside in zip(lists, item.inside, strict=True)):
                return False
        return True

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
            if not are_plain((before, behind)):
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
    around, numbers = ["["], []  # what stands before, between and behind those items
    for number, items in enumerate(zip(*lists, strict=True)):
        around[-1] += ", " if number else ""
        if are_alike(items):
            around[-1] += _told(items[0])
        elif number not in words:
            return None
        else:
            before, behind = words[number]
            around[-1] += before
            around.append(behind)
            numbers.append(number)
    around[-1] += "]"
    first, last = _between(echo, around), _between(echo[::-1], [each[::-1] for each in reversed(around)])
    if first is None or last is None or first != [each[::-1] for each in reversed(last)]:
        return None
    return dict(zip(numbers, first, strict=True))


def _between(text: str, around: Sequence[str]) -> list[str] | None:
    """What stands between some texts, each where it comes first; None where they are not there. No pattern does that, since those of several such
    parts may try without end."""
    found: list[str] = []
    at = len(around[0])
    for each in around[1:-1]:
        next_at = text.find(each, at + 1)
        if next_at < 0:
            return None
        found.append(text[at:next_at])
        at = next_at + len(each)
    end = len(text) - len(around[-1])
    if not text.startswith(around[0]) or not text.endswith(around[-1]) or at >= end:
        return None
    return [*found, text[at:end]]


def _told(item: Any) -> str:
    return marks.unmarked(item if type(item) is str else json.dumps(item))
