"""A change of files: what was done, as text and as data (`jovial-edits/1`)."""

from collections.abc import Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.text.edits import Discretion, Edit, FileChange
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.reports.terminal import Style, cells, padded
from jovial_scaffold.reports.words import path_shown, visible


def done_text(done: Sequence[Done], style: Style, base: str = "") -> str:
    """One line for each thing that was done."""
    names = max((cells(visible(each.what)) for each in done), default=0)
    files = max((cells(visible(path_shown(base, each.file))) for each in done), default=0)
    lines = [
        f"{style.paint('place', padded(visible(path_shown(base, each.file)), files))}  {padded(visible(each.what), names)}  {each.how}"
        for each in done
    ]
    return "".join(f"{line}\n" for line in lines)


def edits_document(
    project: str, edits: Sequence[Edit], files: Sequence[FileChange], written: bool, sources: Any, discretion: Discretion
) -> dict[str, Any]:
    """`jovial-edits/1`: of each file its edits, with offsets and lines in the text as it was; of a new file, all of its text."""
    return {
        "format": "jovial-edits/1",
        "project": project,
        "written": written,
        "files": [
            {
                "file": each.name,
                "new": each.before is None,
                "removed": each.after is None,
                **(
                    {"text": _text(each, discretion)}
                    if each.before is None
                    else {"edits": _edits(edits, each, sources(each.name), discretion)}
                ),
            }
            for each in files
        ],
    }


def _text(change: FileChange, discretion: Discretion) -> str:
    if change.private:
        return marks.SECRET
    lines = (change.after or b"").decode("utf-8", "surrogateescape").split("\n")
    copied = [bool(change.was) and discretion.hides(change.was, number + 1) for number in range(len(lines))]
    return "\n".join(marks.SECRET if hidden or discretion.tells(line) else line for line, hidden in zip(lines, copied, strict=True))


def _edits(edits: Sequence[Edit], file: FileChange, source: Source | None, discretion: Discretion) -> list[dict[str, Any]]:
    found = []
    for edit in edits:
        if edit.file != file.name or source is None:
            continue
        span = source.span(edit.start, edit.end)
        lines = range(span.line, span.end_line + 1) if edit.end > edit.start else ()
        secret = file.private or discretion.tells(edit.text) or any(discretion.hides(file.name, line) for line in lines)
        found.append(
            {
                "start": edit.start,
                "end": edit.end,
                "line": span.line,
                "column": span.column,
                "end_line": span.end_line,
                "end_column": span.end_column,
                "utf16": {
                    "column": _units(source.text, edit.start, span.column),
                    "end_column": _units(source.text, edit.end, span.end_column),
                },
                "text": marks.SECRET if secret else edit.text,
            }
        )
    return found


def _units(text: str, offset: int, column: int) -> int:
    """How many UTF-16 code units stand before an offset in its line."""
    return len(text[offset - column + 1 : offset].encode("utf-16-le", "surrogatepass")) // 2
