"""The texts of entries that move from one place to another: as they are written, with some words of them changed."""

from collections.abc import Iterable
from textwrap import dedent

from jovial_scaffold.core.authoring.promises import broken
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.edits import Edit, edited
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.tree import Tree
from jovial_scaffold.core.text.written_values import yaml_flow, yaml_lines
from jovial_scaffold.core.words import say


def check_whole(sources: Iterable[Source]) -> None:
    """Raises ProjectError where a text has a mistake in it: what would move could be cut at the wrong place."""
    for source in sources:
        for problem in source.problems:
            message = say("Nothing moves out of {} or into it while it has a mistake: {}", source.name, problem.message)
            raise ProjectError(
                [Finding("promise-broken", "error", message, source.span(problem.start, problem.end), say("Mend that first."))]
            )


def part_with(source: Source, start: int, end: int, edits: Iterable[Edit]) -> str:
    """A part of a text with the edits that begin in it."""
    inner = [each for each in dict.fromkeys(edits) if each.file == source.name and start <= each.start < end]
    return edited(source.text[start:end], [each._replace(start=each.start - start, end=each.end - start) for each in inner])


def value_text(origin: Origin, edits: Iterable[Edit] = ()) -> str:
    """A value as it is written in its file, on one line where it stands in lines of its own. Raises ProjectError where comments would be lost
    by that."""
    source, place = origin.source, origin.source.place(origin.pointer)
    text = source.text[place.start : place.end]
    if "\n" not in text or place.style not in ("", "literal", "folded") or text[:1] in "{[":
        return part_with(source, place.start, place.end, edits)
    read = entry_by_itself(origin, edits)
    if has_comments(read):
        raise broken(say("A value in {} stands in several lines, with comments.", source.name))
    return yaml_flow(next(iter(read.value.values())))


def entry_by_itself(origin: Origin, edits: Iterable[Edit] = ()) -> Source:
    """An entry of a map as a text of its own. Raises ProjectError."""
    source, place = origin.source, origin.source.place(origin.pointer)
    end = max(Script(source).content_end(origin.pointer), place.key_end)
    column = place.key_start - source.text.rfind("\n", 0, place.key_start) - 1
    read, _ = read_source(dedent(f"{' ' * column}{part_with(source, place.key_start, end, edits)}\n").encode("utf-8"), "x.yaml")
    if place.key_end <= place.key_start or read is None or not isinstance(read.value, dict) or len(read.value) != 1:
        raise broken(say("A value in {} stands in several lines.", source.name))
    return read


def has_comments(source: Source) -> bool:
    """Whether a text has comments."""
    return any(piece.kind == "comment" for piece in Tree(source).pieces)


def lines_from_brackets(origin: Origin, text: str, far: int) -> str:
    """An entry that stands in brackets as lines of its own, so far in, with the comments right above and behind it; `text` is what it says."""
    place = origin.source.place(origin.pointer)
    around = Script(origin.source).lines_in_brackets(origin.pointer) or (place.key_start, place.end)
    above = origin.source.text[around[0] : place.key_start].splitlines()[:-1]
    behind = origin.source.text[place.end : around[1]].strip(", \t\r\n")
    lines = [f"{' ' * far}{each.strip()}" for each in above]
    read, _ = read_source(f"{{{text}}}".encode("utf-8", "surrogateescape"), "x.yaml")
    if "\n" in text and read is not None and isinstance(read.value, dict) and len(read.value) == 1 and not has_comments(read):
        own = [line for key, value in read.value.items() for line in yaml_lines(key, value, " " * far)]
        return "".join(f"{line}\n" for line in (*lines, *([f"{' ' * far}{behind}"] if behind else ()), *own))
    first, *others = text.split("\n")
    lines += [f"{' ' * far}{first.strip()}", *(f"{' ' * far}    {each.strip()}" for each in others)]
    return "\n".join(lines) + (f"  {behind}" if behind else "") + "\n"
