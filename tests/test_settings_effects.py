"""What an environment would get with the parameters of another, and what single settings would do."""

import json
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.changes.effect_records import Effects
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.reports.settings import settings_text
from jovial_scaffold.reports.terminal import Style
from tests.support import edit, in_memory, jovial, valid_json
from tests.support_git import repository

_TEMPLATE = """parameters:
  size: {enum: [s, m, l], description: d}
  on: {type: boolean, default: false, description: d}
  copies: {type: integer, minimum: 1, maximum: 9, description: d}
  zone: {type: string, default: "${size == 'l' ? 'summit' : 'valley'}", description: d}
  tags: {type: object, additionalProperties: {type: string}, default: {}, description: d}
  word: {type: string, minLength: 4, writeOnly: true, description: d}
must: [{require: "size != 'm' || copies > 1", message: Too few of that size.}]
resources:
  pool (fulmar.machine_group): {name: pool, image: i-1, size: "${size}", copies: "${copies}", tags: "${tags}", operator_password: "${word}-for-pool"}
  net (fulmar.network): {$when: on, name: net, range: 10.0.0.0/8}
  store (fulmar.queue): {$keep: true, name: "store-${zone}"}
"""


def files_of(live: dict[str, Any], other: dict[str, Any]) -> dict[str, str]:
    environments = {name: {"parameters": ["common.json", f"{name}.json"], "deployed": "now.json"} for name in ("live", "other")}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments}
    now = {
        "pool": ["fulmar.machine_group", {"name": "pool", "image": "i-1", "size": "s", "copies": 3}],
        "store": ["fulmar.queue", {"name": "store-valley"}],
    }
    return {
        "jovial.yaml": json.dumps(project),
        "t.yaml": _TEMPLATE,
        "common.json": json.dumps({"word": "edelweiss", "tags": {"a": "1"}}),
        "live.json": json.dumps(live),
        "other.json": json.dumps(other),
        "now.json": json.dumps(
            {"environment": "live", "resources": {address: {"type": kind, "properties": held} for address, (kind, held) in now.items()}}
        ),
    }


_LIVE = {"size": "s", "copies": 3, "tags": {"b": "2"}}
_OTHER = {"size": "l", "copies": 5, "on": True, "tags": {"c": "3"}}


def shown(result: Effects) -> dict[str, Any]:
    return {each.address: (each.effect, [(change.pointer, change.effect) for change in each.changes]) for each in result.effects}


@pytest.mark.parametrize(
    ("only", "live"),
    [
        ((), _OTHER),
        (("copies",), {**_LIVE, "copies": 5}),
        (("size", "on"), {**_LIVE, "size": "l", "on": True}),
        (("tags",), {**_LIVE, "tags": {"c": "3", "b": None}}),
        (("zone",), _LIVE),
    ],
)
def test_with_the_parameters_of_another_is_as_if_they_were_written_there(only: tuple[str, ...], live: dict[str, Any]) -> None:
    found = in_memory(files_of(_LIVE, _OTHER)).effects("live", source="other", only=only)
    assert shown(found) == shown(in_memory(files_of(live, _OTHER)).effects("live")) and found.source == "other"
    assert found.environment == "live"


def test_what_another_does_not_set_has_its_default() -> None:
    found = in_memory(files_of({**_LIVE, "zone": "middle"}, _OTHER)).effects("live", source="other")
    assert ("store", "rebuild") in {(each.address, each.effect) for each in found.effects}
    assert "store-summit" in [change.becomes for each in found.effects for change in each.changes]


def test_what_settings_would_do_the_severest_first() -> None:
    project = in_memory(files_of(_LIVE, _OTHER))
    found = project.settings("live", ["copies=4", "size", "on", "word=gentian", "copies=10", "size=s"])
    assert [
        (each.setting, each.effects and {one.address: one.effect for one in each.effects.effects if one.effect != "unchanged"})
        for each in found
    ] == [
        ("size=l", {"pool": "restart", "store": "rebuild"}),
        ("size=m", {"pool": "restart"}),
        ("copies=4", {"pool": "in_place"}),
        ("word=‹secret›", {"pool": "in_place"}),
        ("on=true", {"net": "add"}),
        ("size=s", {}),
        ("copies=10", None),
    ]
    assert [each.id for each in found[0].effects.findings] == ["keep-violated"] if found[0].effects else False
    text = settings_text("live", found, Style(False, 100))
    assert "gentian" not in text and "changes nothing" in text and "1 error would block it" in text
    assert project.settings("live", ["copies"])[0].setting == "copies=5"
    refused = in_memory(files_of({**_LIVE, "copies": 1}, _OTHER)).settings("live", ["size=m"])
    assert refused[0].effects is None and refused[0].errors[0].id == "must-failed"


@pytest.mark.parametrize("setting", ["nothing=1", "nothing", "word"])
def test_what_cannot_be_tried_is_said(setting: str) -> None:
    with pytest.raises(ProjectError):
        in_memory(files_of(_LIVE, {**_OTHER, "word": None})).settings("live", [setting])


def test_a_list_of_another_environment_is_called_by_who_has_it() -> None:
    files = files_of(_LIVE, {**_OTHER, "tags": {"c": "a rather long text"}})
    found = in_memory(files).settings("live", ["tags", 'tags={"d": "a rather long text"}', "copies"])
    assert {each.setting.partition("=")[0]: each.of for each in found if each.of} == {"tags": ("other",), "copies": ("other",)}
    told = settings_text("live", found, Style(False, 80))
    assert "  tags as in other" in told and "  copies=5 " in told and "  tags={" in told and told.count("a rather") <= 1


def test_by_the_program(demo: Path) -> None:
    document = valid_json(
        "settings", jovial("effects", "live", "--each", "zone", "--each", "archive_days=9", "--format", "json", cwd=demo).stdout
    )
    assert [each["setting"] for each in document["settings"]] == ["zone=middle", "zone=valley", "archive_days=9"]
    given = valid_json(
        "effects", jovial("effects", "live", "--from", "rehearsal", "--only", "archive_days", "--format", "json", cwd=demo).stdout
    )
    assert given["from"] == "rehearsal" and "archive_days" in {each["parameter"] for each in given["causes"]}
    repository(demo)
    edit(demo / "parameters" / "live.yaml", "telemetry_gigabytes: 800", "telemetry_gigabytes: 900")
    then = jovial("effects", "live", "--from", "live@HEAD", cwd=demo).stdout
    assert "500 becomes 800" in then and "with parameters of live@HEAD" in then
    assert jovial("effects", "live", "--only", "zone", cwd=demo).returncode == 2
    assert Project.load(demo).effects("live", source="live").source == "live"
