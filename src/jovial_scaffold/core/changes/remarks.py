"""Comments of a file that is written anew: what stands above an entry, or behind it on its line, goes with the entry."""

from collections.abc import Collection, Mapping, Sequence

from jovial_scaffold.core.text.source import Pointer, Source

_DEPTH = 3  # of entries that comments are kept of: a section, an address, a property
Remarks = Mapping[Pointer, tuple[Sequence[str], str]]
"""Of an entry, the comment lines above it, and what stands behind it."""


def remarks_in(source: Source, ours: Collection[str]) -> Remarks:
    """The comments in a file of YAML, but for lines and ends of lines that are `ours`."""
    lines = source.text.splitlines()
    found: dict[Pointer, tuple[list[str], str]] = {}
    for pointer, place in source.places().items():
        if not pointer or len(pointer) > _DEPTH or not all(type(step) is str for step in pointer):
            continue
        key, whole = source.span(place.key_start, place.key_end), source.span(place.start, place.end)
        above: list[str] = []
        while key.line - len(above) > 1 and lines[key.line - len(above) - 2].lstrip().startswith("#"):
            above.insert(0, lines[key.line - len(above) - 2].strip())
        is_below = whole.line > key.line  # the value begins on a line after its key
        line, column = (key.line, key.end_column) if is_below else (whole.end_line, whole.end_column)
        _, mark, behind = lines[line - 1][column - 1 :].partition("#") if is_below or whole.line == whole.end_line else ("", "", "")
        comment = f"#{behind.rstrip()}" if mark else ""
        kept = [each for each in above if each not in ours], "" if comment in ours else comment
        if any(kept):
            found[pointer] = kept
    return found


def with_remarks(source: Source, remarks: Remarks) -> str:
    """The text of a file with comments put back to the entries that they belong to; with what is gone, they go."""
    lines = source.text.splitlines()
    places = source.places()
    there = [pointer for pointer in remarks if pointer in places]
    for pointer in sorted(there, key=lambda each: places[each].key_start, reverse=True):
        above, behind = remarks[pointer]
        number = source.span(places[pointer].key_start, places[pointer].key_end).line - 1
        if behind and "#" not in lines[number]:
            lines[number] = f"{lines[number]}  {behind}"
        indent = lines[number][: len(lines[number]) - len(lines[number].lstrip())]
        lines[number:number] = [f"{indent}{each}" for each in above]
    return "\n".join(lines) + "\n"
