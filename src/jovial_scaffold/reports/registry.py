"""The registry of findings as text, as docs/findings/ pages, and as versioned JSON."""

from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import Any

from jovial_scaffold.core.registry import Example, Page
from jovial_scaffold.core.text.files import whole_text
from jovial_scaffold.reports.findings import GUTTER, snippet
from jovial_scaffold.reports.terminal import Style, cut, padded, wrapped
from jovial_scaffold.reports.words import listed

_ID_WIDTH = 26


def registry_list(pages: Sequence[Page], style: Style) -> str:
    """All ids by topic, each with what it means."""
    lines: list[str] = []
    for topic, group in groupby(pages, key=lambda page: page.topic):
        lines += [*([""] if lines else []), style.paint("strong", topic)]
        for page in group:
            first, *others = wrapped(page.means, style.width, " " * (_ID_WIDTH + 2))
            lines += [f"  {style.paint('place', padded(page.id, _ID_WIDTH))}{first.lstrip()}", *others]
    return "\n".join((*lines, "", "jovial findings ID shows one of them, with an example.")) + "\n"


def registry_page(page: Page, style: Style) -> str:
    """What a finding means, how it is mended, and an example."""
    lines = [f"{style.paint('strong', page.id)}  {style.paint(page.level, page.level)}"]
    lines += wrapped(page.means, style.width, "  ")
    lines += wrapped(page.mend, style.width, "  ")
    if page.bounds:
        lines += wrapped(f"At most {_bounds(page)}.", style.width, "  ")
    if page.example is not None:
        lines += ["", *_shown(page.example, style)]
    return "\n".join(lines) + "\n"


def _bounds(page: Page) -> str:
    return listed([f"{bound.most:,} {bound.unit}" for bound in page.bounds])


def _shown(example: Example, style: Style) -> Iterator[str]:
    source = whole_text(example.files[example.file], example.file)
    start = source.text.index(example.wrong)
    span = source.span(start, start + len(example.wrong.partition("\n")[0]))
    asked = "" if example.command == "check" else f", where `jovial {example.command}` is called"
    yield from wrapped(f"For example in {example.file}{asked}:", style.width, "  ")
    for number, line in enumerate(source.text.rstrip("\n").split("\n"), 1):
        if number == span.line:
            yield from snippet(span, source, style, "error")
        else:
            yield f"{style.paint('faint', str(number).rjust(GUTTER) + ' │')} {cut(line, style.width - GUTTER - 3)}"
    yield from wrapped(_instead(example), style.width, "  ")


def _instead(example: Example) -> str:
    """How the example is mended, in words."""
    if example.right is None:
        return "Without the file it is gone."
    told = []
    for wrong, right in dict.fromkeys(example.changes):
        if wrong == right:
            continue
        if not right.strip():
            told.append(f"without `{wrong.strip()}`")
        elif "\n" in right.strip():
            added = right.replace(wrong, "").strip() if wrong in right else right.strip()
            told.append(f"with `{' ⏎ '.join(added.splitlines())}`")
        else:
            told.append(f"with `{right.strip()}` instead of `{wrong.strip()}`")
    return f"It is gone {' and '.join(told)}." if told else ""


def registry_manual(pages: Sequence[Page]) -> Iterator[str]:
    """The part of docs/findings.md that tells of each finding, as Markdown, line by line."""
    for topic, group in groupby(pages, key=lambda page: page.topic):
        yield from (f"## {topic}", "")
        for page in group:
            yield from (f"### {page.id}", "", f"*{page.level}* {page.means} {page.mend}", "")
            if page.bounds:
                yield from (f"At most {_bounds(page)}.", "")
            if page.example is not None:
                asked = "" if page.example.command == "check" else f" # jovial {page.example.command}"
                language = page.example.file.rpartition(".")[2]
                yield from (f"```{language} {page.example.file}{asked}", page.example.files[page.example.file].rstrip("\n"), "```", "")
                if instead := _instead(page.example):
                    yield from (instead, "")
            elif page.without:
                yield from (page.without, "")


def registry_document(pages: Sequence[Page]) -> dict[str, Any]:
    """`jovial-findings/1`."""
    return {
        "format": "jovial-findings/1",
        "findings": [
            {
                "id": page.id,
                "topic": page.topic,
                "level": page.level,
                "means": page.means,
                "mend": page.mend,
                "bounds": [{"most": bound.most, "unit": bound.unit} for bound in page.bounds],
                **({"example": _example_entry(page.example)} if page.example else {}),
            }
            for page in pages
        ],
    }


def _example_entry(example: Example) -> dict[str, Any]:
    return {
        "files": example.files,
        "mended": example.mended,
        "command": example.command,
        **({"file": example.place[0], "line": example.place[1]} if example.place else {}),
    }
