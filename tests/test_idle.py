"""Settings that change nothing (`jovial why --idle`): against leaving each out and rendering everything."""

import json
import random
from typing import Any

import pytest

from jovial_scaffold.core.changes.idle import SAME
from jovial_scaffold.reports.machine import render_document
from tests.fuzz.drivers import ENVIRONMENTS, loaded, project
from tests.support import Write, jovial, valid_json


def rendered(files: dict[str, bytes], environment: str) -> Any:
    """An environment as a document; nothing where something is wrong."""
    rendering = loaded(files).render(environment)
    return None if any(each.level == "error" for each in rendering.findings) else render_document("yard", rendering)


@pytest.mark.parametrize("seed", range(12))
def test_a_setting_is_idle_where_all_is_the_same_without_it(seed: int) -> None:
    files = project(random.Random(seed))
    if any(rendered(files, name) is None for name in ENVIRONMENTS):
        pytest.skip("something is wrong with it")
    told = {(each.parameter, each.environments) for each in loaded(files).idle()}
    true = set()
    for name in ENVIRONMENTS:
        values = json.loads(files[f"{name}.json"])
        for parameter in values:
            without = {**files, f"{name}.json": json.dumps({key: values[key] for key in values if key != parameter}).encode()}
            if rendered(without, name) == rendered(files, name):
                true.add((parameter, (name,)))
    assert told == true


def test_files_that_several_environments_read(write: Write) -> None:
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [all.yaml, a.yaml]}, b: {parameters: [all.yaml]}}\n",
            "t.yaml": "parameters:\n  hours: {type: integer, default: 5, description: d}\n  spare: {type: integer, default: 7, description: d}\n"
            "  on: {type: boolean, description: d}\n"
            'resources:\n  q (fulmar.queue): {name: queue, wait_hours: "${on ? hours : spare}"}\n',
            "all.yaml": "hours: 9\nspare: 7\non: true\n",
            "a.yaml": "hours: 9\non: false\n",
        }
    )
    document = valid_json("idle", jovial("why", "--idle", "--format", "json", cwd=folder).stdout)
    told = [(each["parameter"], each["file"], each["line"], each["environments"], each["reason"]) for each in document["settings"]]
    assert told == [("hours", "a.yaml", 1, ["a"], SAME), ("spare", "all.yaml", 2, ["a", "b"], SAME)]
    text = jovial("why", "--idle", "a", cwd=folder).stdout
    assert "all.yaml:1  hours  a: " in text and "all.yaml:3  on     a: has that value without it" in text
    assert jovial("why", cwd=folder).returncode == 2
    assert jovial("why", "--idle", "nowhere", cwd=folder).returncode == 2


def test_several_parts_at_once(demo_folder: Any) -> None:
    told = jovial("why", "gates/kes:copies,size", "live", cwd=demo_folder).stdout
    assert "gates/kes:copies in live is 6" in told and "gates/kes:size in live is m" in told
    names = jovial("why", "owner,range", "live", cwd=demo_folder).stdout
    assert "owner in live is upper-valley-operations" in names and "range in live is 10.20.0.0/16" in names
    mixed = valid_json("why", jovial("why", "archive:retention_days,owner", "live", "--format", "json", cwd=demo_folder).stdout)
    assert [each["reason"]["name"] for each in mixed["explanations"]] == ["archive:retention_days", "owner"]
    assert jovial("why", "owner,nobody", "live", cwd=demo_folder).returncode == 1
