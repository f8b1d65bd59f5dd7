"""`find` judges only what may hold what is looked for: it finds what one would by rendering everything."""

from jovial_scaffold import Project
from tests.support import Write

PROJECT = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n"
TEMPLATE = """parameters: {word: {type: string, description: d}, hours: {type: integer, description: d}}
resources:
  one (fulmar.queue): {name: "q-${word}", wait_hours: "${hours}"}
  two (fulmar.queue): {name: other, wait_hours: "${hours * 10}"}
outputs: {o: "${one.name}"}
"""


def _project(write: Write, **files: str) -> Project:
    return Project.load(
        write({"jovial.yaml": PROJECT, "t.yaml": TEMPLATE, "a.yaml": "word: x\nhours: 3\n", "b.yaml": "word: y\nhours: 40\n", **files})
    )


def test_what_is_wrong_elsewhere_does_not_stop_it(write: Write) -> None:
    found = _project(write).find("q-x")
    assert [each.name for each in found.hits] == ["one:name", "o"] and not any(found.errors.values())


def test_what_hides_a_value_is_said(write: Write) -> None:
    found = _project(write).find("400")  # which no queue takes
    assert [each.id for each in found.errors["b"]] == ["property-range"] and not found.errors["a"] and not found.hits
    missing = _project(write, **{"a.yaml": "hours: 3\n"}).find("q-x")
    assert [each.id for each in missing.errors["a"]] == ["parameter-missing"] and not missing.hits
