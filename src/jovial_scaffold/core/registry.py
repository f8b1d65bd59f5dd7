"""The registry of findings: what each id means, an example that gives it, and how it is mended, as `manual/findings.yaml` says."""

import re
from pathlib import Path
from typing import Any

from jovial_scaffold.core import limits
from jovial_scaffold.core.findings import Level
from jovial_scaffold.core.limits import Limit
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.formats import format_of, parsed

SHIPPED = Path(__file__).parents[1] / "manual" / "findings.yaml"
PLAIN = "plain"
_ID = regex(r"^- id: (\S+)$", re.MULTILINE)


@value_record
class Example:
    """Files that give a finding, and what is written instead so that it is gone."""

    files: dict[str, str]  #: all files of the project, the one that is mended included
    file: str  #: the one that is mended
    wrong: str  #: what stands in it
    right: str | None  #: what stands there instead; None where the whole file goes
    changes: tuple[tuple[str, str], ...]  #: all that is written instead, `wrong` first
    command: str  #: what gives the finding, without the program's name
    place: tuple[str, int] | None  #: the file and line of the finding; None where it stands nowhere, or at more than one place
    variables: dict[str, str]  #: process variables that are set
    alone: bool  #: whether the finding is the only one

    @property
    def mended(self) -> dict[str, str]:
        """The files once the mistake is mended."""
        if self.right is None:
            return {name: text for name, text in self.files.items() if name != self.file}
        text = self.files[self.file]
        for wrong, right in self.changes:
            text = text.replace(wrong, right, 1)
        return {**self.files, self.file: text}


@value_record
class Page:
    """What the manual says of a finding."""

    id: str  #: of the finding
    topic: str  #: what it is about, in a word or two
    level: Level  #: which it usually has
    means: str  #: what is wrong
    mend: str  #: what to do
    bounds: tuple[Limit, ...]  #: limits that it is about
    example: Example | None  #: None where none can be shown
    without: str  #: why there is none, where no limit is the reason


def known_ids() -> list[str]:
    """The ids of all findings, without reading their pages."""
    return _ID.findall(SHIPPED.read_text("utf-8"))


def read_registry(text: str) -> tuple[Page, ...]:
    """The pages of `manual/findings.yaml`, in its order. Raises KeyError where an entry lacks something."""
    form = format_of("findings.yaml")
    assert form is not None
    source, findings = parsed(text, "findings.yaml", form)
    assert not findings, findings
    return tuple(_page(entry, source.value["frames"]) for entry in source.value["findings"])


def _page(entry: dict[str, Any], frames: dict[str, dict[str, str]]) -> Page:
    return Page(
        entry["id"],
        entry["topic"],
        entry.get("level", "error"),
        entry["means"],
        entry["mend"],
        tuple(getattr(limits, name) for name in entry.get("bounds", ())),
        _example(entry, frames) if "text" in entry else None,
        entry.get("without", ""),
    )


def _example(entry: dict[str, Any], frames: dict[str, dict[str, str]]) -> Example:
    file, text, wrong = entry.get("file", "line.yaml"), entry["text"], entry["wrong"]
    files = {**frames[entry.get("frame", PLAIN)], **entry.get("beside", {}), file: text}
    is_plain = entry.get("frame", PLAIN) == PLAIN and file != "line.yaml" and "line.yaml" not in entry.get("beside", {})
    if is_plain and not any(name.startswith("parameters/") for name in files):
        files["parameters/common.yaml"] = "copies: 2\n"  # which the template of that frame reads
    line = entry.get("line") or text[: text.index(wrong)].count("\n") + 1
    somewhere = entry.get("place") == "none" or entry.get("anywhere", False)
    return Example(
        files,
        file,
        wrong,
        None if entry.get("remove") else entry.get("right", wrong),
        tuple((old, new) for old, new in ((wrong, entry.get("right", wrong)), tuple(entry.get("also", (wrong, wrong))))),
        entry.get("command", "check"),
        None if somewhere else (entry.get("at", file), line),
        entry.get("variables", {}),
        not entry.get("others", False),
    )
