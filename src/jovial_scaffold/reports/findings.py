"""Findings as text: the place, the level and id, one sentence, the line with the part underlined, and what to do."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from jovial_scaffold.core.findings import LEVELS, Finding, Level, Related, Span
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.reports.terminal import Style, cells, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, path_shown, said, visible

if TYPE_CHECKING:
    from jovial_scaffold.core.outcomes import CheckResult
    from jovial_scaffold.core.rules.evaluation import Verdicts
    from jovial_scaffold.core.waivers import Waiver

GUTTER = 6
_FEW, _ANY_WIDTH = 5, 10_000  # columns that stand side by side however wide they are
_NAMED = 6  # environments of several projects that are named
PROOF_OUTCOMES = ("proven", "breakable", "failing", "undecided")
OUTCOMES = ("passed", "failed", "undetermined", "unknown", "broken")
SourceOf = Callable[[str], Source | None]


def findings_text(findings: Sequence[Finding], source_of: SourceOf, style: Style, every_environment: Sequence[str], base: str = "") -> str:
    """All findings, one paragraph each. `base` is put before file names, so that they can be opened from where the user is."""
    related: dict[Related, list[str]] = {}  # one line of a parameter file may stand behind very many findings
    return "\n".join("\n".join(_paragraph(finding, source_of, style, every_environment, base, related)) + "\n" for finding in findings)


def _paragraph(
    finding: Finding, source_of: SourceOf, style: Style, every: Sequence[str], base: str, known: dict[Related, list[str]]
) -> Iterator[str]:
    span = finding.span
    place = f"{style.place(visible(_place(span, base)), path_shown(base, span.file))}  " if span else ""
    yield f"{place}{style.paint(finding.level, finding.level)}  {style.paint('faint', finding.id)}"
    yield from wrapped(visible(said(finding.message)), style.width, "  ")
    if span:
        yield from snippet(span, source_of(span.file), style, finding.level)
    for related in finding.related:
        if related not in known:
            known[related] = _related(related, style, base)
        yield from known[related]
    where = _where(finding, every)
    closing = " ".join(part for part in (where, visible(said(finding.hint))) if part)
    yield from wrapped(closing, style.width, "  ")


def _related(related: Related, style: Style, base: str) -> list[str]:
    """The lines about another place, which begin with it."""
    place = visible(_place(related.span, base))
    lines = wrapped(f"{place} {visible(said(related.message))}", style.width, "  ")
    file = path_shown(base, related.span.file)
    return [line.replace(place, style.link(place, file), 1) if index == 0 else line for index, line in enumerate(lines)]


def _place(span: Span, base: str) -> str:
    return f"{path_shown(base, span.file)}:{span.line}:{span.column}"


def _where(finding: Finding, every: Sequence[str]) -> str:
    parts = []
    if finding.environments and len(every) > 1:
        parts.append(f"In {_environments(finding.environments, every)}")
    if finding.places:
        first, *others = finding.places
        more = f" and {counted(len(others), 'other place', 'other places')}" if others else ""
        parts.append(f"{'at' if parts else 'At'} {visible(first)}{more}")
    return f"{', '.join(parts)}." if parts else ""


def _environments(names: Sequence[str], every: Sequence[str]) -> str:
    """Some environments, of very many of several projects only how many."""
    if set(names) >= set(every):
        return "every environment"
    projects = {name.partition(":")[0] for name in names if ":" in name}
    if len(names) > _NAMED and projects:
        return f"{counted(len(names), 'environment')} of {counted(len(projects), 'project')}"
    return listed(names)


def snippet(span: Span, source: Source | None, style: Style, level: str) -> Iterator[str]:
    """The line, cut to the width around the part that is meant, and a rule below that part."""
    if source is None or not source.text:
        return
    raw, start, end = source.excerpt(span)
    if not raw.strip():
        return
    end = max(start + 1, end)
    room = style.width - GUTTER - 5
    shift = 0
    if end > room:
        shift = max(0, min(start - room // 3, len(raw) - room))
    shown = visible(raw[shift : shift + room].replace("\t", " "))
    before = cells(visible(raw[shift:start].replace("\t", " ")))
    length = max(1, min(cells(visible(raw[start:end].replace("\t", " "))), room - before))
    number = str(span.line).rjust(GUTTER)
    yield f"{style.paint('faint', number + ' │')} {'…' if shift else ''}{shown}"
    yield f"{style.paint('faint', ' ' * GUTTER + ' │')} {' ' * (before + (1 if shift else 0))}{style.paint(level, '─' * length)}"


def waived_text(waived: "Sequence[tuple[Finding, Waiver]]", base: str = "") -> str:
    """What is waived, one line each: where, what, until when and why."""
    lines = []
    for finding, waiver in waived:
        where = f" at {visible(finding.where)}" if finding.where else ""
        inside = f" in {listed(finding.environments)}" if finding.environments else ""
        until = f" until {visible(waiver.until)}" if waiver.until else ""
        place = f"{visible(_place(finding.span, base))}  " if finding.span else ""
        lines.append(f"{place}waived{until}  {visible(waiver.rule or finding.id)}{where}{inside}: {visible(waiver.because)}\n")
    return "".join(lines)


def rules_text(result: "CheckResult", width: int) -> str:
    """Each rule by environment: how often it was judged, and how often it did not pass."""
    columns = [*result.environments, *(["once"] if "" in result.verdicts else [])]
    counts = {each: result.verdicts.get("" if each == "once" else each, Counter()) for each in columns}
    return _turned_out("rule", result.rules, counts, OUTCOMES, width if len(columns) > _FEW else _ANY_WIDTH)


def proofs_text(result: "CheckResult", width: int) -> str:
    """Each rule and schema by environment: for how many resources it holds whatever is accepted, and what could not be decided."""
    counts = {name: Counter((label, outcome) for label, _, outcome in shown) for name, shown in result.proofs.items()}
    labels = dict.fromkeys(label for shown in result.proofs.values() for label, _, _ in shown)
    table = _turned_out("for all accepted values", labels, counts, PROOF_OUTCOMES, width) if labels else ""
    undecided: dict[tuple[str, str], list[str]] = {}
    for name, shown in result.proofs.items():
        for label, about, outcome in shown:
            if outcome == "undecided":
                undecided.setdefault((label, about), []).append(name)
    alike: dict[tuple[str, str], list[str]] = {}
    for (label, about), names in undecided.items():
        alike.setdefault((label, _everywhere(names, [*result.proofs])), []).append(about)
    lines = [f"Undecided {where}: {visible(label)}, for {_few(abouts)}.\n" for (label, where), abouts in alike.items()]
    left = [name for name in result.environments if name not in result.proofs]
    lines += [f"Nothing was shown in {listed(left)}, which has errors.\n" if len(left) == 1 else ""] if left else []
    lines += [f"Nothing was shown in {listed(left)}, which have errors.\n"] if len(left) > 1 else []
    return table + ("\n" if lines and table else "") + "".join(lines)


def _turned_out(title: str, labels: Iterable[str], counts: "Mapping[str, Verdicts]", outcomes: Sequence[str], width: int) -> str:
    """A table of what is judged, by environment: how often it came to what. Where that is too wide, environments of which the same is to be
    said share a line."""
    rows = [[title, *counts], *([visible(label), *(_verdicts(each, label, outcomes) for each in counts.values())] for label in labels)]
    widths = [max(cells(row[column]) for row in rows) for column in range(len(counts) + 1)]
    if sum(widths) + 2 * len(counts) > width:
        return "".join(f"{line}\n" for row in rows[1:] for line in _folded(row, [*counts], width))
    return "".join("  ".join(map(padded, row, widths)).rstrip() + "\n" for row in rows)


def _folded(row: list[str], environments: Sequence[str], width: int) -> Iterator[str]:
    """A row of the table with a line for all environments that have the same."""
    same: dict[str, list[str]] = {}
    for name, told in zip(environments, row[1:], strict=True):
        same.setdefault(told, []).append(name)
    told, names = next(iter(same.items()))
    whole = f"{row[0]}  {told} {_everywhere(names, environments)}"
    if len(same) == 1 and cells(whole) <= width:
        yield whole
        return
    yield row[0]
    for told, names in same.items():
        yield from wrapped(f"{told} {_everywhere(names, environments)}", width, "  ")


def _everywhere(names: Sequence[str], environments: Sequence[str]) -> str:
    return "everywhere" if len(names) == len(environments) else f"in {listed(names)}"


def _few(names: Sequence[str]) -> str:
    """Some names, of many the first of them and how many more there are."""
    return listed(names if len(names) <= _NAMED else [*names[:_NAMED], f"{len(names) - _NAMED:,} more"])


def _verdicts(verdicts: "Verdicts", label: str, outcomes: Sequence[str]) -> str:
    found = {outcome: count for (name, outcome), count in verdicts.items() if name == label}
    parts = [f"{found[outcome]} {outcome}" for outcome in outcomes if outcome in found]
    return ", ".join(parts) if parts else "not judged"


def closing_line(result: "CheckResult", seconds: float | None, style: Style) -> str:
    """What was looked at and what was found, in one line; without the time where that would only be a number."""
    counts = {level: result.count(level) for level in LEVELS}
    environments, resources = counted(len(result.environments), "environment"), counted(result.resources, "resource")
    looked = f"{environments}, {resources}, {counted(result.turned_out(), 'rule')} judged"
    outcomes = [f"{result.turned_out(outcome):,} {outcome}" for outcome in OUTCOMES if result.turned_out(outcome)]
    looked += f" ({', '.join(outcomes)})" if outcomes and outcomes != [f"{result.turned_out():,} passed"] else ""
    told = verdict(counts, result.known, len(result.waived_findings), style)
    return f"{looked}: {told}." + (f" {seconds:.2f} s" if seconds is not None else "")


def verdict(counts: Mapping[Level, int], known: int, waived: int, style: Style) -> str:
    """How much was found, by level, and how much of it is not told of."""
    found = [style.paint(level, counted(counts[level], level)) for level in LEVELS if counts[level]]
    told = listed(found) if found else style.paint("good", "nothing new" if known else "nothing to report")
    told += f", {known:,} known" if known else ""
    return told + (f", {waived:,} waived" if waived else "")
