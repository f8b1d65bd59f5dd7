"""YAML 1.2 (core schema) text to plain values: line by line where that is enough, and carefully where it is not."""

from typing import Any

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.scalars import quote_hint, quoted
from jovial_scaffold.core.text.source import Place, Pointer, Problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.yaml_quick import NotQuick, QuickReader
from jovial_scaffold.core.words import say


def read_yaml(text: str, outline: Outline | None = None) -> tuple[Any, list[Problem]]:
    """Value and problems of a YAML document; an empty one is None. Nothing is raised for what the text holds.

    `outline` is filled as far as it is known.
    """
    try:
        reader = QuickReader(text)
        value = reader.read()
        problems: list[Problem] = []
        if outline is not None:
            outline.starts, outline.casts = reader.outline.starts, reader.outline.casts
    except NotQuick:
        from jovial_scaffold.core.text.yaml_careful import read_carefully

        value, problems = read_carefully(text, None)
    return (value, problems) if value is UNKNOWN else (value, [*problems, *_comment_cuts(text)])


_COMMENT_CUT = regex(r"[ \t]#\$\{[^\n\r]*")


def _comment_cuts(text: str) -> list[Problem]:
    """Plain values that end where YAML sees a comment, as in `message: Disk #${n}`: what follows is lost without a word."""
    if "#${" not in text:
        return []
    ends = {place.end: place for place in locate_yaml(text).values() if place.style == "plain"}
    problems = []
    for match in _COMMENT_CUT.finditer(text):
        place = ends.get(match.start())
        if place is not None:
            whole = text[place.start : match.end()].rstrip()
            message = say("YAML takes `{}` for a comment, and it is lost.", match.group().strip())
            problems.append(Problem("yaml-cut", message, match.start() + 1, match.end(), quote_hint(quoted(whole))))
    return problems


def locate_yaml(text: str) -> dict[Pointer, Place]:
    """The place of every value of a document, as far as it can be read."""
    from jovial_scaffold.core.text.yaml_places import Locator

    try:
        return Locator(text).locate()
    except NotQuick:
        pass
    from jovial_scaffold.core.text.yaml_careful import read_carefully

    places: dict[Pointer, Place] = {}
    read_carefully(text, places)  # the places up to a syntax error are what there is
    return places
