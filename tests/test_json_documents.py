"""Whatever a command says as JSON, about whatever project, is valid by the published schema that it names: of errors, too."""

import json
import random
from functools import cache
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from jovial_scaffold.cli.main import run
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine.opening import Project
from tests.fuzz import drivers, proofs
from tests.fuzz.mini import FILES
from tests.fuzz.projects import base_files, spoilt
from tests.support import SCHEMAS

#: command lines; a word in capitals stands for something of the project, or for what is not there
CALLS = (
    *("check", "check ENV --proofs", "check --template-only", "check --rules", "check nowhere", "check --known gone.json"),
    *("render ENV", "render nowhere", "compare", "compare --echoes --totals", "compare --families", "compare ENV OTHER --by aspect"),
    *(
        "compare ENV",
        "effects ENV --against now.json",
        "effects ENV --against gone.json",
        "effects ENV --against now.json --each PARAMETER",
    ),
    *(
        "effects ENV --against now.json --from OTHER",
        "why ADDRESS ENV",
        "why ADDRESS:name",
        "why PARAMETER --impact",
        "why --idle",
        "why nothing",
    ),
    *(
        "find a",
        "find 10.0.0.1",
        "survey",
        "survey jovial.yaml --all",
        "parameters",
        "parameters --unset",
        "findings",
        "findings rule-failed",
    ),
    *("functions", "functions size", "functions none", "catalog list", "catalog show TYPE", "catalog show nothing", "catalog search name"),
    *("rules", "rules test", "rules test --coverage", "rules show RULE", "rules show nothing", "evaluate PARAMETER --environment ENV"),
    *("mend --dry-run", "waive * --because b --dry-run", "rename PARAMETER quite_new --dry-run", "parameters drop PARAMETER --dry-run"),
    *("parameters set PARAMETER=3 --in ENV --dry-run", "parameters prune --dry-run", "extract RESOURCE --module m.yaml --dry-run"),
    *("lift --suggest", "tidy --dry-run", "new resource TYPE fresh --dry-run", "new environment fresh --dry-run", "ripple --since HEAD"),
)
NO_JSON = ("evaluate",)  # whose result is the value itself


def _generated(number: int) -> dict[str, bytes]:
    chance = random.Random(number)
    kind = number % 4
    if kind == 0:
        return {name: text.encode() for name, text in proofs.files(chance)[0].items()}
    if kind == 1:
        return drivers.project(chance)
    return spoilt(chance, base_files() if kind == 2 else dict(FILES))


@cache
def _schema(name: str) -> Any:
    return json.loads((SCHEMAS / f"{name.replace('/', '-')}.schema.json").read_text("utf-8"))


def _names(folder: Path) -> dict[str, str]:
    """What the words in capitals stand for."""
    try:
        project = Project.load(folder)
        environments = project.environments
        addresses = list(project.render(environments[0]).resources)
        rules = [rule.label for ruleset in project.rulesets for rule in ruleset.rules]
        parameters, types, resources = (
            sorted(project.template.parameters),
            [each.id for each in project.catalogs],
            sorted(project.template.resources),
        )
    except ProjectError:
        environments, addresses, rules, parameters, types, resources = (), [], [], [], [], []
    first = {"ENV": environments, "OTHER": environments[1:] or environments, "ADDRESS": addresses, "RULE": rules}
    first |= {"PARAMETER": parameters, "TYPE": types, "RESOURCE": resources}
    return {word: next(iter(found), "nothing") for word, found in first.items()}


@pytest.mark.parametrize("number", range(16))
def test_what_is_said_as_json_is_valid(number: int, tmp_path: Path, capsys: Any, monkeypatch: Any) -> None:
    for name, content in _generated(number).items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(content)
    monkeypatch.chdir(tmp_path)
    names = _names(tmp_path)
    run(["record", names["ENV"], "--out", "now.json"])
    capsys.readouterr()
    formats = set()
    for call in CALLS:
        words = [names.get(word, word) for word in call.replace(":", " : ").replace("=", " = ").split()]
        arguments = " ".join(words).replace(" : ", ":").replace(" = ", "=").split()
        code = run([*arguments, "--format", "json"])
        said = capsys.readouterr().out
        assert code in (0, 1, 2), (call, code)
        if call.startswith(NO_JSON) and code == 0:
            continue
        document = json.loads(said)
        formats.add(document["format"])
        jsonschema.validate(document, _schema(document["format"]))
    assert len(formats) >= 8
