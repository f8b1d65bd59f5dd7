"""Findings in the format that tools of all kinds exchange them in: SARIF 2.1.0 (OASIS, 27 March 2020). Sections in brackets are its own."""

from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from jovial_scaffold import __version__
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.registry import SHIPPED, Page, read_registry
from jovial_scaffold.core.text.edits import Edit
from jovial_scaffold.reports.checked import Run
from jovial_scaffold.reports.words import said, visible

SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
_FINGERPRINT = "cause/v1"
# what findings say of the places that a value comes by
_IS_SET, _IS_USED = "`{}` is set here.", "The value is used here."


def sarif_document(runs: Sequence[Run]) -> dict[str, Any]:
    """The log (3.13): a run for each project or workspace."""
    pages = {each.id: each for each in read_registry(SHIPPED.read_text("utf-8"))}
    return {"$schema": SCHEMA, "version": "2.1.0", "runs": [_run(run, pages) for run in runs]}


def _run(run: Run, pages: dict[str, Page]) -> dict[str, Any]:
    every = [*run.findings, *(each.finding for each in run.waived)]
    rules = sorted({each.said_by for each in every})
    number = {name: index for index, name in enumerate(rules)}
    about = {each.said_by: each for each in every}
    results = [_result(run, finding, key, number) for finding, key in zip(run.findings, run.fingerprints, strict=True)]
    for each in run.waived:
        suppression = {"kind": "external", "status": "accepted", "justification": visible(each.waiver.because)}
        results.append({**_result(run, each.finding, each.fingerprint, number), "suppressions": [suppression]})
    return {
        "tool": {
            "driver": {
                "name": "Jovial Scaffold",
                "semanticVersion": __version__,
                "rules": [_rule(name, about[name], pages) for name in rules],
            }
        },
        "automationDetails": {"id": f"jovial/{quote(run.name)}"},
        "columnKind": "unicodeCodePoints",
        "results": results,
        "properties": {"environments": list(map(visible, run.environments)), "known": run.known},
    }


def _rule(name: str, finding: Finding, pages: dict[str, Page]) -> dict[str, Any]:
    """A reportingDescriptor (3.49): a finding of the registry, or a rule of a house."""
    page = pages.get(name)
    means = page.means if page is not None else said(finding.because) or "A rule of the house."
    mend = page.mend if page is not None else said(finding.fix)
    level = page.level if page is not None else finding.level
    told: dict[str, Any] = {
        "id": visible(name),
        "shortDescription": {"text": visible(means)},
        "help": {"text": visible(f"{means} {mend}".strip())},
        "defaultConfiguration": {"level": level},
    }
    if page is not None:
        told["properties"] = {"tags": [page.topic]}
    return told


def _result(run: Run, finding: Finding, fingerprint: str, number: dict[str, int]) -> dict[str, Any]:
    """A result (3.27)."""
    name = finding.said_by
    text = " ".join(part for part in (said(finding.message), said(finding.hint)) if part)
    told: dict[str, Any] = {
        "ruleId": visible(name),
        "ruleIndex": number[name],
        "level": finding.level,
        "message": {"text": visible(text)},
        "locations": [_location(run, finding.span, finding)] if finding.span is not None else [],
        "partialFingerprints": {_FINGERPRINT: fingerprint},
        "properties": {"environments": list(map(visible, finding.environments))},
    }
    if finding.related:
        told["relatedLocations"] = [
            {"id": index, **_location(run, each.span), "message": {"text": visible(said(each.message))}}
            for index, each in enumerate(finding.related)
        ]
    flow = _flow(run, finding)
    if flow:
        told["codeFlows"] = [{"threadFlows": [{"locations": flow}]}]
    fix = _fix(run, finding)
    if fix is not None:
        told["fixes"] = [fix]
    return told


def _location(run: Run, span: Span, finding: Finding | None = None) -> dict[str, Any]:
    """A location (3.28), with the resource and property that a finding is about as logical ones."""
    region = {"startLine": span.line, "startColumn": span.column, "endLine": span.end_line, "endColumn": span.end_column}
    told: dict[str, Any] = {"physicalLocation": {"artifactLocation": {"uri": _uri(run, span.file)}, "region": region}}
    if finding is not None and finding.where:
        told["logicalLocations"] = [{"fullyQualifiedName": visible(each), "kind": "resource"} for each in finding.places]
    return told


def _uri(run: Run, file: str) -> str:
    """A relative reference (RFC 3986, 4.2) from where the tool was run."""
    path = quote(run.path(file).replace("\\", "/"), safe="/@!$&'()*+,;=-._~")
    return f"./{path}" if ":" in path.partition("/")[0] else path


def _flow(run: Run, finding: Finding) -> list[dict[str, Any]]:
    """The way of a value (3.36) from the parameter file to the property, where it is known where that is."""
    span = finding.span
    if span is None:
        return []
    told = {each: each.message.template for each in finding.related}
    before = [each for each in finding.related if told[each] == _IS_SET]
    behind = [each for each in finding.related if told[each] == _IS_USED]
    if not before and not behind:
        return []
    places = [(each.span, each.message) for each in before] + [(span, finding.message)] + [(each.span, each.message) for each in behind]
    return [{"location": {**_location(run, place), "message": {"text": visible(said(message))}}} for place, message in places]


def _fix(run: Run, finding: Finding) -> dict[str, Any] | None:
    """What `jovial mend` would try (3.55)."""
    repair = run.repairs.get(finding)
    if repair is None or not repair.edits:
        return None
    by_file: dict[str, list[Edit]] = {}
    for edit in repair.edits:
        by_file.setdefault(edit.file, []).append(edit)
    changes = [
        {"artifactLocation": {"uri": _uri(run, file)}, "replacements": list(map(_replacement, edits))} for file, edits in by_file.items()
    ]
    return {"description": {"text": visible(repair.how)}, "artifactChanges": changes}


def _replacement(edit: Edit) -> dict[str, Any]:
    told: dict[str, Any] = {"deletedRegion": {"charOffset": edit.start, "charLength": edit.end - edit.start}}
    if edit.text:
        told["insertedContent"] = {"text": edit.text}
    return told
