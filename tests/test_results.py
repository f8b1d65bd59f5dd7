"""What is given out is plain: it can be sent to other processes, holds nothing of what computed it, and only what is asked for is computed."""

import io
import pickle
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.expressions.scopes import LookupScope
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.rendering import rendering
from jovial_scaffold.core.rendering.instances import Instance
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.yaml_reader import locate_yaml, read_yaml
from jovial_scaffold.reports.effects_document import effects_document
from jovial_scaffold.reports.explaining import explanation_document
from jovial_scaffold.reports.machine import check_document, compare_document, json_text, render_document
from tests.support import Write

EVALUATOR = (LookupScope, Instance)
ASKED: dict[str, tuple[Callable[[Project], Any], Callable[[Any], Any]]] = {
    "check": (Project.check, lambda found: check_document(found, ["0" * 32] * len(found.findings))),
    "render": (lambda project: project.render("live"), lambda found: render_document("x", found)),
    "compare": (Project.compare, compare_document),
    "effects": (lambda project: project.effects("live"), lambda found: effects_document("x", found)),
    "why": (lambda project: project.why("gates/kes:copies", "live"), lambda found: explanation_document("x", [("live", found)])),
    "find": (lambda project: project.find("live"), lambda found: [(each.name, each.value) for each in found.hits]),
}


class _Plain(pickle.Pickler):
    """Refuses what belongs to an evaluation."""

    def persistent_id(self, value: Any) -> Any:
        assert not isinstance(value, EVALUATOR), value
        return None


@pytest.mark.parametrize("asked", ASKED)
def test_results_are_plain(demo_folder: Path, asked: str) -> None:
    ask, document = ASKED[asked]
    found = ask(Project.load(demo_folder))
    target = io.BytesIO()
    _Plain(target).dump(found)
    again = pickle.loads(target.getvalue())
    assert json_text(document(again)) == json_text(document(found))


def test_there_is_one_unknown_in_every_process() -> None:
    assert pickle.loads(pickle.dumps(UNKNOWN)) is UNKNOWN


def test_errors_say_what_they_are_in_a_notebook(demo_folder: Path) -> None:
    with pytest.raises(ProjectError) as caught:
        Project.load(demo_folder).render("nowhere")
    assert "environment-unknown" in str(caught.value)


LARGE = """parameters: {copies: {type: integer, description: How many}}
let: {doubled: "${copies * 2}", broken: "${copies / 0}"}
resources:
  one (fulmar.queue): {name: one, wait_hours: "${doubled}"}
  two (fulmar.queue): {name: two, wait_hours: "${broken}"}
  three (fulmar.queue): {name: three, wait_hours: "${copies}"}
"""


def test_what_is_not_asked_for_is_not_computed(write: Write, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n",
            "t.yaml": LARGE,
            "a.yaml": "copies: 2\n",
            "b.yaml": "copies: 3\n",
        }
    )
    made: list[str] = []
    render = rendering.rendered

    def noted(scope: Any, instance: Instance) -> Any:
        made.append(instance.address)
        return render(scope, instance)

    monkeypatch.setattr(rendering, "rendered", noted)
    project = Project.load(folder, Overrides())
    reason = project.why("one:wait_hours", "a")
    assert reason.value == 4 and dict(reason.elsewhere) == {"b": 6} and set(made) == {"one"}
    assert project.scope("a").value("doubled") == 4 and set(made) == {"one"}
    assert project.parameter_errors("a") == []
    project.render("a")
    assert {"two", "three"} <= set(made)


def test_a_scope_has_room_for_long_chains(write: Write) -> None:
    values = "".join(f"  v{number}: ${{v{number - 1} + 1}}\n" for number in range(1, 12_000))
    template = f'parameters: {{copies: {{type: integer, description: How many}}}}\nlet:\n  v0: ${{copies}}\n{values}outputs: {{end: "${{v11999}}"}}\n'
    project = Project.load(
        write(
            {
                "jovial.yaml": "project: p\ntemplate: t.yaml\nenvironments: {a: {parameters: [a.yaml]}}\n",
                "t.yaml": template,
                "a.yaml": "copies: 1\n",
            }
        )
    )
    scope = project.scope("a")
    assert scope.value("v11999") == 12_000 and scope.value("v11998") == 11_999


def test_a_place_is_found_in_its_entry_alone() -> None:
    text = "".join(
        f"part{number}:\n  first: {{a: 1, b: [x, 'y']}}\n  # told\n  second:\n    - c: |\n        long\n      d: 2\n"
        for number in range(40)
    )
    outline = Outline()
    value, problems = read_yaml(text, outline)
    looked: list[int] = []

    def locate(part: str) -> dict[Any, Any]:
        looked.append(len(part))
        return locate_yaml(part)

    source = Source("x.yaml", text, value, locate)
    source.outline = outline
    assert not problems and len(outline.starts) == 120
    span = source.value_span(("part20", "second", 0, "d"))
    assert (span.line, span.column) == (147, 10) and source.line(span.line) == "      d: 2"
    assert looked == [len("  second:\n    - c: |\n        long\n      d: 2\n")]
    assert source.place(("part20", "first", "b", 1)) == Source("x.yaml", text, value, locate_yaml).place(("part20", "first", "b", 1))


def test_why_says_what_a_loop_over_resources_goes_over(write: Write) -> None:
    template = (
        "resources:\n  net (fulmar.network): {$per: {k: \"['a', 'b']\"}, name: 'net-${k}', range: 10.0.0.0/16}\n"
        "  sub (fulmar.subnet): {$per: {'k, each': net}, name: 'sub-${k}', network: '${each.id}', range: 10.0.1.0/24}\n"
        "  twin (fulmar.subnet): {$per: {'k, each': sub}, name: '${each.name}-twin', network: '${each.network}', range: 10.0.2.0/24}\n"
    )
    project = Project.load(
        write({"jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {}}\n", "t.yaml": template})
    )
    for what in ("twin/a:name", "twin/a:network", "twin/a", "sub/b"):
        told = json_text(explanation_document(project.name, [("a", project.why(what, "a"))]))
        assert "net" in told
    loop = next(each for each in project.why("twin/a", "a").reasons if each.name == "$per")
    assert loop.value == {key: {**loop.value[key], "name": f"sub-{key}"} for key in ("a", "b")}
