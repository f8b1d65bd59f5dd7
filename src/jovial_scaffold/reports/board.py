"""The board: everything about a project in one HTML page that needs no network. Here its data is put together; pages/board.html shows it."""

import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from html import escape
from typing import TYPE_CHECKING, Any, NamedTuple

from jovial_scaffold._version import __version__
from jovial_scaffold.core.changes.aspects import Aspects, Counts
from jovial_scaffold.core.changes.totals import Total
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.graph.layout import layout
from jovial_scaffold.core.graph.picture import picture
from jovial_scaffold.core.limits import PARALLEL_RESOURCES
from jovial_scaffold.core.parallel import shared_out
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.templates.model import Declaration
from jovial_scaffold.core.waivers import Waiver
from jovial_scaffold.reports.board_rows import Share, board_rows, columns_only
from jovial_scaffold.reports.chains import LONGEST
from jovial_scaffold.reports.drawing.svg import svg_text
from jovial_scaffold.reports.machine import compact_json, finding_entry
from jovial_scaffold.reports.pages import Html, fill
from jovial_scaffold.reports.terminal import cut
from jovial_scaffold.reports.words import visible

# What only some boards need is loaded where it is asked.
if TYPE_CHECKING:
    from jovial_scaffold.core.changes.effect_records import Effects
    from jovial_scaffold.core.changes.matrix import Comparison

SHARES = 24
"""Of the rows of a large project: so many that no process waits long for the one that is at the last of them."""

Findings = tuple[Sequence[Finding], Sequence[tuple[Finding, Waiver]]]
"""What is wrong, and what is waived."""

Rows = tuple[str, Counts]
"""Rows as JSON, and what those that differ are about."""


class Board(NamedTuple):
    """What the page shows of one project: data, its rows in shares of JSON, and the map of each environment."""

    data: dict[str, Any]
    shares: list[str]
    maps: dict[str, str]


def board_of(
    project: str,
    renderings: Sequence[Evaluated],
    check: Callable[[], Findings],
    effects: "Mapping[str, Effects]",
    when: str,
    folder: str = "",
    workers: int = 1,
) -> Board:
    """That of one project, which lies in a folder of its workspace. With `workers`, the parts of a large one are made beside each other; what
    `check` gives has to pickle."""
    largest = max((len(each.resources) for each in renderings), default=0)
    sums = Aspects(columns_only(renderings))
    shares = 1 if largest < PARALLEL_RESOURCES.most else SHARES
    tasks: list[Callable[[], Any]] = [partial(_maps, project, renderings), check, partial(_parameters, renderings)]

    def made(numbers: Iterator[int]) -> tuple[dict[int, Any], Rows]:
        """What comes of some of the tasks, and the rows of some shares: a process does of both what it takes."""
        told: dict[int, Any] = {}

        def taken() -> Iterator[Share]:
            for number in numbers:
                if number < len(tasks):
                    told[number] = tasks[number]()
                else:
                    yield Share(number - len(tasks), shares)

        rows = rows_of(renderings, taken(), sums)
        return told, rows

    with shared_out(len(tasks) + shares, made, workers if shares > 1 else 1) as results:
        sums.totals  # noqa: B018  # which are found here while others have begun
        parts = results()
    others = {number: each for told, _ in parts for number, each in told.items()}
    maps, findings, parameters = (others[number] for number in range(len(tasks)))
    every = [*(rows for _, rows in parts), rows_of(renderings, (), sums, beside=True)]
    counts: Counts = {}
    for _, found in every:
        for aspect, (rows, echoes) in found.items():
            before = counts.get(aspect, (0, 0))
            counts[aspect] = before[0] + rows, before[1] + echoes
    data = board_data(project, renderings, parameters, findings, effects, when, sums, counts)
    return Board({**data, "folder": folder}, [text for text, _ in every], maps)


def rows_of(renderings: Sequence[Evaluated], shares: Iterable[Share], aspects: Aspects | None = None, beside: bool = False) -> Rows:
    """The rows of some resources, or those of outputs and documents."""
    found = board_rows(renderings, shares, beside, aspects=aspects)
    return _embedded(found.data), found.counts


def _maps(project: str, renderings: Sequence[Evaluated]) -> dict[str, str]:
    return {each.label: svg_text(layout(picture([each])), f"{project} in {each.label}", standalone=False) for each in renderings}


def board_page(title: str, boards: Sequence[Board], live: bool = False) -> str:
    """The page of one project, or of those of a workspace. With `live` it asks the server that gave it whether there is a newer one, and what
    other values would do."""
    data = {"title": title, "live": live, "boards": [each.data for each in boards]}
    maps = [
        f'<template data-board="{number}" data-environment="{escape(name)}">{text}</template>'
        for number, each in enumerate(boards)
        for name, text in each.maps.items()
    ]
    rows = [
        f'<script type="application/json" data-rows="{number}">{text}</script>'
        for number, each in enumerate(boards)
        for text in each.shares
    ]
    return fill(
        "board.html",
        title=f"{title} · board",
        maps=Html("".join(maps)),
        data=Html(_embedded(data)),
        rows=Html("\n".join(rows)),
        follow=Html("board.follow();" if live else ""),
    )


def trial_data(comparison: "Comparison", effects: "Effects | None", findings: Sequence[Finding]) -> dict[str, Any]:
    """What other values would do to an environment: what deploying it as it would be does to it as it is, and to what runs, where `effects` say
    so; and what is wrong then."""
    from jovial_scaffold.core.changes.edges import Edges, between, origins_of
    from jovial_scaffold.reports.edges import edges_entries

    told = between(comparison, *comparison.environments)
    over = Edges(effects.effects, effects.beside, origins_of(effects)) if effects is not None else None
    return {
        **edges_entries(told),
        **({"deployment": {"against": effects.snapshot.name, **edges_entries(over)}} if effects is not None and over is not None else {}),
        "findings": [finding_entry(each) for each in findings],
    }


def _embedded(data: Any) -> str:
    """JSON that no HTML parser takes for anything else."""
    text = compact_json(data)
    return text.replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029")


def board_data(
    project: str,
    renderings: Sequence[Evaluated],
    parameters: list[dict[str, Any]],
    findings: Findings,
    effects: "Mapping[str, Effects]",
    when: str,
    aspects: Aspects,
    counts: Counts,
) -> dict[str, Any]:
    """All that the page shows but for rows and maps, as plain data; secrets masked."""
    if effects:
        from jovial_scaffold.reports.effects_document import effects_document
    environments = [each.label for each in renderings]
    return {
        "project": project,
        "version": __version__,
        "when": when,
        "environments": environments,
        "labels": {each.label: {name: str(value) for name, value in each.context.get("labels", {}).items()} for each in renderings},
        "aspects": [
            {"aspect": each.name, "rows": each.rows, "echoes": each.echoes, "sums": [_sum(one, environments) for one in each.sums]}
            for each in aspects.told(counts)
        ],
        "parameters": parameters,
        "findings": [finding_entry(finding) for finding in findings[0]],
        "waived": [{**finding_entry(finding), "because": waiver.because, "until": waiver.until or ""} for finding, waiver in findings[1]],
        "effects": {name: effects_document(project, each) for name, each in effects.items()},
        "totals": [
            {"type": each.type, **_sum(each, environments)}
            for each in aspects.totals
            if not each.property or len(set(each.values.values())) > 1
        ],
    }


def _sum(total: Total, environments: Sequence[str]) -> dict[str, Any]:
    return {"property": total.property, "values": [total.values[name] for name in environments]}


def _parameters(renderings: Sequence[Evaluated]) -> list[dict[str, Any]]:
    return [_parameter(each, renderings) for each in renderings[0].scope.template.parameters.values()] if renderings else []


def _parameter(declaration: Declaration, renderings: Sequence[Evaluated]) -> dict[str, Any]:
    """A parameter, with its value and what sets it in each environment; a secret, or what reaches one, has neither."""
    entry: dict[str, Any] = {
        "name": declaration.name,
        "description": cut(visible(declaration.description), LONGEST),
        "values": {},
        "set": {},
    }
    is_secret = declaration.secret or any(declaration.name in each.scope.template.secret_names for each in renderings)
    for each in renderings if not is_secret else ():
        value = each.parameters.values.get(declaration.name)
        if any(deep_marks(value)):
            continue
        entry["values"][each.label] = visible(json.dumps(to_json(value), ensure_ascii=False) if not isinstance(value, str) else value)
        setting = each.parameters.setting((declaration.name,))
        entry["set"][each.label] = visible(setting.text()) if setting is not None else ""
    return entry
