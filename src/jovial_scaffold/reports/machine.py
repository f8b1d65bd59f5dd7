"""Findings, renderings and comparisons as versioned JSON (docs/schemas/), and renderings as YAML."""

import base64
import json
import math
from collections.abc import Callable, Sequence
from posixpath import normpath
from typing import TYPE_CHECKING, Any

from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.marked import json_lines, to_json
from jovial_scaffold.core.expressions.times import Duration, Timestamp
from jovial_scaffold.core.expressions.values import NONE, Optional, Record, TypeValue, UInt, key_value, sorted_keys
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.text.scalars import NumberRangeError, core_schema_value
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.text.written_values import yaml_flow
from jovial_scaffold.reports.terminal import DEFAULT_WIDTH
from jovial_scaffold.reports.words import harmless_json, said

if TYPE_CHECKING:
    from jovial_scaffold.core.authoring.mending import Repair
    from jovial_scaffold.core.changes.driving import Driver
    from jovial_scaffold.core.changes.matrix import Comparison
    from jovial_scaffold.core.changes.snapshots import Snapshot
    from jovial_scaffold.core.changes.totals import Total
    from jovial_scaffold.core.expressions.library.entries import Function
    from jovial_scaffold.core.outcomes import CheckResult
    from jovial_scaffold.core.rendering.results import Rendering
    from jovial_scaffold.core.text.source import Source


def short_json_text(document: Any) -> str:
    """A document on one line where it is short, else indented."""
    line = json.dumps(document, ensure_ascii=False)
    return f"{harmless_json(line)}\n" if len(line) <= DEFAULT_WIDTH else json_text(document)


def json_text(document: Any) -> str:
    """A document as indented JSON with a line break at the end."""
    import orjson

    try:
        text = orjson.dumps(document, option=orjson.OPT_INDENT_2).decode()
    except TypeError:  # an integer of more than 64 bits, half a character
        text = json.dumps(document, ensure_ascii=False, indent=2)
    return harmless_json(text) + "\n"


def compact_json(document: Any) -> str:
    """The same for a machine alone: without spaces and line ends."""
    import orjson

    try:
        return orjson.dumps(document).decode()
    except TypeError:  # half a surrogate pair, or an integer that no double holds
        return json.dumps(document, ensure_ascii=False, separators=(",", ":"))


def check_document(result: "CheckResult", fingerprints: Sequence[str], repairs: "Sequence[Repair]" = ()) -> dict[str, Any]:
    """`jovial-check/2`; each finding has a fingerprint, and one that `jovial mend` may mend its repair."""
    told = {each.finding: each for each in repairs}
    entries = [
        {**finding_entry(finding), "fingerprint": known_by, **repair_entry(told.get(finding))}
        for finding, known_by in zip(result.findings, fingerprints, strict=True)
    ]
    return {
        "format": "jovial-check/2",
        "project": result.project,
        "environments": list(result.environments),
        "findings": entries,
        "waived": [
            {**finding_entry(finding), "waiver": {"because": waiver.because, "until": waiver.until or None}}
            for finding, waiver in result.waived_findings
        ],
        **proofs_entry(result),
        "summary": {
            "errors": result.count("error"),
            "warnings": result.count("warning"),
            "notes": result.count("note"),
            "resources": result.resources,
            "rules": result.turned_out(),
            **{outcome: result.turned_out(outcome) for outcome in ("passed", "failed", "undetermined")},
            "waived": len(result.waived_findings),
            "known": result.known,
        },
    }


def proofs_entry(result: "CheckResult | None") -> dict[str, Any]:
    """What was shown for all accepted values, by environment; nothing where nothing was."""
    if result is None or not result.proofs:
        return {}
    found = {
        name: [{"what": label, "about": about, "outcome": outcome} for label, about, outcome in shown]
        for name, shown in result.proofs.items()
    }
    return {"proofs": found}


def repair_entry(repair: "Repair | None", folder: str = "") -> dict[str, Any]:
    """The repair of a finding, with files named from what the folder of its project lies in; nothing where there is none."""
    if repair is None:
        return {}
    edits = [
        {"file": normpath(f"{folder}/{each.file}") if folder else each.file, "start": each.start, "end": each.end, "text": each.text}
        for each in repair.edits
    ]
    return {"repair": {"how": repair.how, "edits": edits}}


def error_document(code: int, message: str, findings: Sequence[Finding]) -> dict[str, Any]:
    """`jovial-error/1`: why there is no other document; `exit` is the exit code."""
    return {"format": "jovial-error/1", "exit": code, "message": message, "findings": list(map(finding_entry, findings))}


def finding_entry(finding: Finding) -> dict[str, Any]:
    """One finding; a place that there is none of is null."""
    span = finding.span
    entry: dict[str, Any] = {
        "id": finding.id,
        "level": finding.level,
        "message": said(finding.message),
        "hint": said(finding.hint),
        "file": span.file if span else None,
        "line": span.line if span else None,
        "column": span.column if span else None,
        "endLine": span.end_line if span else None,
        "endColumn": span.end_column if span else None,
        "address": finding.address,
        "pointer": finding.pointer,
        "environments": list(finding.environments),
        "related": [
            {"file": r.span.file, "line": r.span.line, "column": r.span.column, "message": said(r.message)} for r in finding.related
        ],
    }
    if finding.rule:
        entry |= {"rule": finding.rule, "because": said(finding.because), "fix": said(finding.fix)}
    if finding.also_at and finding.places != (finding.where,):
        entry["also_at"] = {environment: list(addresses) for environment, addresses in finding.also_at}
    return entry


def result_document(value: Any) -> Any:
    """The result of an expression: JSON as far as JSON goes; moments, lengths of time and types as their text, bytes as Base64, an
    optional as what it holds, or null."""
    if isinstance(value, Record):
        value = value.whole()
    if isinstance(value, dict):
        return {
            str(key_value(key)).lower() if isinstance(key_value(key), bool) else str(key_value(key)): result_document(value[key])
            for key in sorted_keys(value)
        }
    if isinstance(value, list):
        return [result_document(item) for item in value]
    if isinstance(value, Optional):
        return None if value is NONE else result_document(value.value)
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    if isinstance(value, Timestamp | Duration | TypeValue):
        return repr(value)
    if isinstance(value, float) and not math.isfinite(value):
        return scalar_text(value)
    return int(value) if isinstance(value, UInt) else to_json(value)


def functions_document(functions: "Sequence[Function]", signatures: "Callable[[Function], list[str]]") -> dict[str, Any]:
    """`jovial-functions/1`."""
    entries = [
        {
            "name": f.name,
            "method": f.method,
            "library": f.library,
            "signatures": signatures(f),
            "gives": sorted({o.gives for o in f.overloads}),
            "about": f.about,
            "example": f.example,
        }
        for f in functions
    ]
    return {"format": "jovial-functions/1", "functions": entries}


def render_text(project: str, rendering: "Rendering") -> str:
    """`jovial-render/2` as text."""
    import orjson

    try:
        written = iter(json_lines([each.properties for each in rendering.resources.values()], _PROPERTIES_DEPTH))
    except TypeError:
        return json_text(render_document(project, rendering))
    return json_text(render_document(project, rendering, lambda _: orjson.Fragment(next(written))))


_PROPERTIES_DEPTH = 3  # levels above what a resource sets


def render_document(project: str, rendering: "Rendering", written: Callable[[Any], Any] = to_json) -> dict[str, Any]:
    """`jovial-render/2`; the resources are in deployment order, and `written` says what stands for the properties of one."""
    return {
        "format": "jovial-render/2",
        "project": project,
        "environment": rendering.environment,
        "resources": {
            address: {
                "type": resource.type_text,
                "properties": written(resource.properties),
                "after": list(resource.after),
                **({"keep": True} if resource.keep else {}),
                **({"formerly": resource.formerly} if resource.formerly else {}),
            }
            for address, resource in rendering.resources.items()
        },
        "outputs": to_json(rendering.outputs),
        "documents": {name: {"to": each.to, "text": each.text} for name, each in sorted(rendering.documents.items())},
    }


def target_document(rendering: "Rendering", fits: Callable[[str], bool] = lambda address: True) -> dict[str, Any]:
    """What a JSON Patch between environments is about: types and properties by address, outputs, documents; of all that `fits`."""
    return {
        "resources": {
            address: {"type": each.type_text, "properties": to_json(each.properties)}
            for address, each in sorted(rendering.resources.items())
            if fits(address)
        },
        "outputs": {name: to_json(value) for name, value in sorted(rendering.outputs.items()) if fits(name)},
        "documents": {name: {"to": each.to, "text": each.text} for name, each in sorted(rendering.documents.items()) if fits(name)},
    }


def deployed_document(snapshot: "Snapshot") -> dict[str, Any]:
    """What runs, in the shape of `target_document`."""
    resources = {
        address: {"type": each.type_text, "properties": to_json(each.properties)} for address, each in sorted(snapshot.resources.items())
    }
    return {"resources": resources}


def compare_document(
    comparison: "Comparison", totals: "Sequence[Total]" = (), findings: Sequence[Finding] = (), with_families: bool = False
) -> dict[str, Any]:
    """`jovial-compare/5`; a resource that is absent somewhere is one row with the pointer "".

    `pointer` is the real one in the first column that has the part; `label` names items of lists by their key. `deploying` says what it would do
    to deploy each other column over the first.
    """
    from jovial_scaffold.core.changes.aspects import Aspects
    from jovial_scaffold.core.changes.edges import between
    from jovial_scaffold.core.changes.matrix import masked_alike
    from jovial_scaffold.reports.edges import edges_entries

    aspects = Aspects(comparison)
    rows = [
        {
            "kind": row.kind,
            "address": row.address,
            "type": row.type,
            "aspect": aspects.of(row),
            "pointer": pointer_text(next(iter(row.at.values()), row.pointer)),
            "label": pointer_text(row.pointer),
            "at": {name: pointer_text(at) for name, at in row.at.items()},
            "values": {name: to_json(row.values[name]) for name in comparison.environments if name in row.values},
            "absent": [name for name in comparison.environments if name in row.absent],
            "differs": row.differs,
            "counted": row.counted,
            "module": row.module,
            "drivers": [_driver(driver) for driver in row.drivers],
            **({"echo": row.echo} if row.echo else {}),
            **({"alike": alike} if (alike := masked_alike(row)) else {}),
        }
        for row in comparison.rows
    ]
    summary = {"resources": comparison.resources, "differing": comparison.differing, "same": comparison.same}
    document = {"format": "jovial-compare/5", "environments": list(comparison.environments), "rows": rows, "summary": summary}
    document["aspects"] = [
        {
            "aspect": each.name,
            "rows": each.rows,
            "echoes": each.echoes,
            "sums": [{"unit": total.property, "values": total.values} for total in each.sums],
        }
        for each in aspects.told()
    ]
    first = comparison.environments[0]
    document["deploying"] = [
        {"environment": name, "over": first, **edges_entries(between(comparison, first, name))} for name in comparison.environments[1:]
    ]
    if with_families:
        from jovial_scaffold.core.changes.families import families
        from jovial_scaffold.reports.families import families_document

        document |= families_document(families(comparison))
    if totals:
        document["totals"] = [{"type": each.type, "property": each.property, "values": each.values} for each in totals]
    if findings:
        document["findings"] = [finding_entry(finding) for finding in findings]
    return document


def _driver(driver: "Driver") -> dict[str, Any]:
    together = {"together": list(driver.together)} if driver.together else {}
    return {"parameter": driver.parameter, "sources": driver.sources, **together}


_HEADED = ("# Differences that are intended. ", "# with --accept it is written anew. ")  # how the first lines of such a file begin
_OURS = (
    "# with --accept it is written anew. `any`, patterns of * and ?, and comments are yours, and are kept.",
    "# parameters that texts only repeat: in names, tags, ranges",
)


def expectations_again(project: str, content: dict[str, Any], name: str, before: "Source") -> str:
    """The same of a file that is there, with its comments where what they are about is still there."""
    from jovial_scaffold.core.changes.remarks import remarks_in, with_remarks
    from jovial_scaffold.core.text.formats import read_source

    text = expectations_text(project, content, name)
    source, _ = read_source(text.encode(), name)
    ours = {*_OURS, *(each.strip() for each in before.text.splitlines() if each.startswith(_HEADED))}
    return with_remarks(source, remarks_in(before, ours)) if source is not None else text


def expectations_text(project: str, content: dict[str, Any], name: str) -> str:
    """A file of expected differences: one line for each property, so that a review shows what was accepted."""
    lines = [
        f"# Differences that are intended. `jovial compare {' '.join(content['environments'])} --expect {name}` reports any other;",
        _OURS[0],
        f"expected: {project}",
        f"environments: {yaml_flow(content['environments'])}",
    ]
    if "echoes" in content:
        lines.append(f"echoes: {yaml_flow(content['echoes'])}  {_OURS[1]}")
    if "aspects" in content:
        lines.append(f"aspects: {yaml_flow(content['aspects'])}")
    lines.append("differences:" if content["differences"] else "differences: {}")
    for address, found in content["differences"].items():
        lines.append(f"  {yaml_flow(address)}:" if isinstance(found, dict) else f"  {yaml_flow(address)}: {yaml_flow(found)}")
        lines += (
            [f"    {yaml_flow(property)}: {yaml_flow(values)}" for property, values in found.items()] if isinstance(found, dict) else []
        )
    return "\n".join(lines) + "\n"


def yaml_text(documents: Sequence[Any], explicit: bool, blocks: bool = False) -> str:
    """YAML that reads back the same under 1.2's core schema; several documents where `explicit`; with texts of several lines as `blocks`."""
    import yaml

    dumper: Any = getattr(yaml, "CSafeDumper", yaml.SafeDumper)

    class Dumper(dumper):  # type: ignore[misc]  # the base depends on whether libyaml is there
        def ignore_aliases(self, data: Any) -> bool:
            return True

    def text(writer: Any, value: str) -> Any:
        return writer.represent_scalar("tag:yaml.org,2002:str", value, style="|" if blocks and "\n" in value else _quotes(value))

    Dumper.add_representer(str, text)
    return str(yaml.dump_all(documents, Dumper=Dumper, sort_keys=False, allow_unicode=True, width=1_000_000, explicit_start=explicit))


def _quotes(value: str) -> str | None:
    try:
        return None if isinstance(core_schema_value(value), str) else "'"
    except NumberRangeError:
        return "'"
