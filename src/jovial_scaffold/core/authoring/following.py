"""A name that is followed by what would be wrong without it: where the changed project says that something is not there, it is called by its new
name. Nothing is guessed: what is not found so, the promise of the command finds.
"""

import re
from collections import Counter
from collections.abc import Iterator

from jovial_scaffold.core.authoring.promises import after, wrong_then
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.text.edits import Change, Edit

_ROUNDS = 12  # what follows from a mistake is not said before that is mended


def follow(project: Project, change: Change, old: str, new: str, done: list[Done]) -> Project:
    """The project as a change makes it, once no more is wrong with it than before: the change is added to. Raises ProjectError."""
    known: Counter[str] | None = None  # asked for only where something is wrong
    word = re.compile(rf"(?<![\w-]){re.escape(old)}(?![\w-])")
    for _ in range(_ROUNDS):
        then = after(project, change)
        errors = [each for each in then.check().findings if each.level == "error"]
        if errors and known is None:
            known = Counter(each.id for each in project.check().findings if each.level == "error")
        added = Counter(each.id for each in errors) - (known or Counter())
        if not added:
            return then
        wrong = [each for each in errors if each.id in added]
        edits = [edit for edit in _edits(then, change, wrong, word, new) if edit not in change.edits]
        if not edits:
            raise wrong_then(then, wrong)
        change.add(edits)
        for file, count in Counter(each.file for each in dict.fromkeys(edits)).items():
            done.append(Done(f"{old} → {new}", file, f"{count} {'use' if count == 1 else 'uses'}"))
    raise wrong_then(then, wrong)


def _edits(then: Project, change: Change, wrong: list[Finding], word: re.Pattern[str], new: str) -> Iterator[Edit]:
    """The name where findings are, as edits of the texts as they are on disk."""
    for finding in wrong:
        for span in (finding.span, *(each.span for each in finding.related)):
            source = then.source(span.file) if span is not None else None
            if span is None or source is None or max(span.line, span.end_line) > len(source.line_starts):
                continue
            start = source.line_starts[span.line - 1] + span.column - 1
            end = source.line_starts[span.end_line - 1] + span.end_column - 1
            found = [*word.finditer(source.text, start, end)]
            before = _as_on_disk(change, span.file, found[0].start()) if len(found) == 1 else None
            if before is not None:
                yield Edit(span.file, before, before + len(found[0].group()), new)
                break


def _as_on_disk(change: Change, file: str, offset: int) -> int | None:
    """An offset of a changed text in the text on disk; None inside of what is changed."""
    moved = 0
    for edit in change.edits:
        if edit.file != file:
            continue
        start = edit.start + moved
        if offset < start:
            break
        if offset < start + len(edit.text):
            return None
        moved += len(edit.text) - (edit.end - edit.start)
    return offset - moved
