"""Rows that the board's page makes by itself, of resources that are written alike: they are those that each resource has by itself."""

import json
import random
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest

from jovial_scaffold import Project
from jovial_scaffold.cli.board import board
from jovial_scaffold.core import project_reading
from jovial_scaffold.core.limits import Limit
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text import moulds
from jovial_scaffold.reports import board as reports
from jovial_scaffold.reports import wording
from jovial_scaffold.reports.board import Board, board_of, board_page
from jovial_scaffold.reports.board_rows import board_rows
from tests.fuzz.code import cast_from
from tests.test_board import browser, opened_page, pytestmark  # noqa: F401  # the fixture and the group of its tests

_WORLDS = {
    "cove": {"setting": "cove", "copies": 1, "note": "5", "labels": {"a": "x", "b/c": "y"}, "ranges": ["10.1.0.0/16"], "far": False},
    "reef": {"setting": "reef", "copies": 2, "note": "‹pier›", "labels": {"a": "z", "b/c": "y"}, "ranges": [], "far": True},
    "quay": {"setting": "quay", "copies": 2, "note": "", "labels": {"a": "x", "~": "", "b/c": "y"}, "ranges": ["10.1.0.0/16"], "far": True},
}
_HEAD = (
    "parameters:\n  setting: {type: string, description: Which}\n  copies: {type: integer, description: How many}\n"
    "  note: {type: string, description: Free text}\n  labels: {type: object, additionalProperties: {type: string}, description: Labels}\n"
    "  ranges: {type: array, items: {type: string}, description: Ranges}\n  far: {type: boolean, description: Whether it is far}\n"
    "  word: {type: string, writeOnly: true, description: A secret}\n"
    "let: {more: {reef: {name: far, gigabytes: 9}}}\nresources:\n"
    "  gates (fulmar.queue): {name: gates}\n  piers (fulmar.queue): {name: piers}\n"
    '  base_0 (fulmar.queue): {name: base_0, wait_hours: "${copies}"}\n  base_1 (fulmar.queue): {name: base_1, wait_hours: "${size(note)}"}\n'
)
_TAIL = (
    'outputs: {zone: {value: "${setting}", description: Where}, about: {value: "${gates.url}", description: Whom}}\n'
    "documents: {a_sign: {from: sign.txt}, sign: {from: sign.txt}}\n"
)
_SIGN = "${setting}\nhas ${string(copies)}\n"
_PIECES: dict[str, tuple[str, ...]] = {
    "fulmar.queue": (
        "    wait_hours: #\n",
        "    wait_hours: ${copies + #}\n",
        "    wait_hours: \"${setting == 'cove' ? # : copies}\"\n",
        '    wait_hours: "${copies * (# % 3) + (far ? # % 2 : 0)}"\n',
        '    wait_hours: "${size(note) > # % 4 ? # : copies % 2}"\n',
        '    description: "${# % 2 == 0 ? string(copies) : setting}"\n',
        '    description: ${slug("r#-" + setting + string(# % 3), 40)}\n',
        "    description: \"${# % 2 == 0 ? 'even-#-' + setting : 'odd # ' + note}\"\n",
        "    ordered: true\n",
        '    claim_seconds: "#"\n',
        "    claim_seconds: 2.0\n",
        "    claim_seconds: 99999999999999999999\n",
        "    description: ${note}\n",
        "    description: '  $${note} of # → ünï '\n",
        '    description: "5"\n',
        "    description: |\n      told # times\n\n      and more\n",
        "    description: ''\n",
        f"    description: {'so long a text ' * 40}\n",
        "    encrypted: ~\n",
        "    $when: far\n",
        "    $when: copies > # - 9\n",
    ),
    "fulmar.machine_group": (
        '    disks:\n      - {name: data, gigabytes: "${copies + #}", encrypted: true}\n      - {name: logs, gigabytes: #, encrypted: true}\n',
        "    disks:\n      - $when: far\n        name: far\n        gigabytes: 1\n      - {name: near, gigabytes: #}\n",
        "    disks:\n      - {name: same, gigabytes: #}\n      - {name: same, gigabytes: 2}\n",
        "    disks:\n      - {name: 1, gigabytes: #}\n      - {name: true, gigabytes: 2.5}\n",
        "    disks: []\n",
        '    disks:\n      - ${?more[?setting]}\n      - {name: near, gigabytes: "${copies + #}"}\n',
        '    disks:\n      - {name: old, gigabytes: 1}\n      - {name: new, gigabytes: "${copies * # + 1}", kind: "${slug(setting + \'-#\', 9)}"}\n',
        '    subnets: ["${gates.id}", "${setting}-#", plain]\n',
        "    subnets: [\"a#\", '#', b]\n",
        "    subnets: ['#', é, 2.5]\n",
        "    subnets: ${ranges}\n",
        "    operator_password: ${word}\n",
        "    operator_password: clear text #\n",
        '    settings:\n      STATION: "#"\n      QUEUE: ${gates.url}\n      a/b~c: "${setting}"\n      NUMBER: ${string(copies)}\n',
        "    settings: {}\n",
        "    settings: ${labels}\n",
        "    copies: ${copies}\n",
        "    image: base-#\n",
    ),
    "fulmar.firewall": (
        "    network: ${gates.id}\n",
        "    network: ${piers.id}-#\n",
        "    entries:\n      - {name: desk, speaks: tcp, port: #, from: any}\n      - $when: setting != 'cove'\n        name: readings\n"
        "        speaks: udp\n        port: ${copies}\n",
        '    entries:\n      - {name: "${setting}", speaks: tcp, port: #}\n      - {name: b, speaks: tcp, port: "${copies}"}\n',
        "    entries: [[1, #], [{a: #}], {}]\n",
        '    odd: {deep: {deeper: [#, {x: "${note}"}, null]}, empty: {}}\n',
    ),
}
_ODD = ("2.0", "2.5", "999999", "→", "é", "a/b~c", "clear text", "${piers.id}", "description: |")  # of which few resources are like others
_NUMBERED = {  # the number in them decides what drives a value, and whether it differs at all
    "fulmar.queue": (
        "    wait_hours: ${base_@.wait_hours * 2 + #}\n",
        '    wait_hours: "${# > 17 ? string(copies) : copies}"\n    description: "${# > 9 ? copies : string(copies)}"\n',
        '    wait_hours: "${copies * (# % 3) + (far ? # % 2 : 0)}"\n',
        '    wait_hours: "${size(note) > # % 4 ? # : copies}"\n',
        "    $when: copies > # % 2\n    wait_hours: ${copies + #}\n",
        "    $when: far\n    wait_hours: ${size(note) + #}\n    claim_seconds: ${size(note) * # + 1}\n",
        "    wait_hours: \"${labels.a == 'x' ? # : size(labels) * (# % 2)}\"\n    description: ${string(copies + #)}\n",
        '    wait_hours: "${far ? # : 2}"\n    description: "${# % 2 == 0 ? string(copies) : setting + \'-#\'}"\n',
    ),
    "fulmar.machine_group": (
        '    disks:\n      - {$when: far, name: far, gigabytes: 7}\n      - {name: near, gigabytes: "${copies * (# % 2) + #}"}\n',
        '    disks:\n      - {name: a, gigabytes: "${copies + # % 4}", encrypted: "${far}"}\n      - {name: b, gigabytes: "${# + # % 4}"}\n',
        "    subnets: [\"${# % 2 == 0 ? setting : 'a'}\", b]\n    copies: ${copies * (# % 2)}\n",
        '    settings: {A: "${setting}-#", B: "${string(copies % (# % 2 + 1))}", C: "${note}"}\n',
    ),
    "fulmar.firewall": (
        "    entries:\n      - {name: desk, speaks: tcp, port: #, from: any}\n      - $when: copies > # % 3\n        name: readings\n"
        "        speaks: udp\n        port: ${copies + # % 2}\n",
        '    entries:\n      - {name: "desk-#", port: "${copies + #}"}\n      - {$when: far, name: "b", port: #, from: "${setting}"}\n',
        '    entries:\n      - {name: a, port: "${copies + 5}"}\n      - {name: b, $when: "setting != \'cove\'", port: 9, from: "${setting}"}\n',
    ),
}
_LOOPED = (
    '    $per: {gate: [a, b, c, d, e, f, g, h, i, j]}\n    name: ${gate}-${setting}\n    wait_hours: ${copies}\n    tags: {setting: "${setting}", gate: "${gate}"}\n',
    "    $per: {gate: [a, b, c, d, e, f, g, h, i]}\n    $when: gate != 'b' || far\n    name: ${gate}\n    wait_hours: ${copies + 1}\n    description: ${setting}-x\n",
    "    $per: {gate: ranges}\n    name: ${gate}-0\n    wait_hours: ${copies}\n",
    "    $per: {gate: labels}\n    name: ${gate}\n    wait_hours: \"${gate == 'z' ? copies : size(setting)}\"\n    tags: ${labels}\n",
    "    $per: {i: [1, 2, 3, 4, 5, 6, 7, 8, 9]}\n    name: n-${i}\n    wait_hours: ${copies * (i % 2)}\n    description: '${far && i > 1 ? note : setting}'\n",
)
_WITH_VALUES = 3  # entries of a use of shared rows without values of its own
_TAGS = ("    tags: ${labels}\n", '    tags: {line: alp, number: "#"}\n', '    tags: {setting: "${setting}", é: "${note}"}\n', "")
_PLAIN_TAGS = (_TAGS[0], _TAGS[1], _TAGS[3])


def _files(chance: random.Random) -> dict[str, str]:
    """A project with many resources that are alike but for their digits."""
    bodies: list[tuple[str, str]] = []
    odd = chance.random() < 0.3
    for _ in range(chance.randint(3, 6)):
        kind = chance.choice(list(_PIECES))
        pieces = [piece for piece in _PIECES[kind] if odd or not any(each in piece for each in _ODD)]
        chosen = {piece.split(":")[0]: piece for piece in chance.sample(pieces, chance.randint(1, 5))}
        order = [*chosen.values(), chance.choice(_TAGS if odd else _PLAIN_TAGS)]
        chance.shuffle(order)
        bodies.append((kind, "".join(order)))
    resources = []
    every = [chance.choice(bodies) for _ in range(chance.randint(60, 130))]
    if chance.random() < 0.4:
        every.sort(key=lambda each: each[0])  # those of one type after those of another
    for number, (kind, body) in enumerate(every):
        own = str(chance.choice((number, number % 3 + 1, 7)))
        spread = "\n" if chance.random() < 0.05 else ""
        resources.append(f"  r{number:03} ({kind}):\n{spread}    name: ${{setting}}-{number}\n{body.replace('#', own)}")
    everywhere = 'everywhere: {"fulmar.queue": {tags: {everywhere: "${setting}"}}}\n' if chance.random() < 0.2 else ""
    return _project("".join(resources) + everywhere)


def _files_of(bodies: Sequence[tuple[str, str]]) -> dict[str, str]:
    return _project("".join(f"  r{number:03} ({kind}):\n{body}" for number, (kind, body) in enumerate(bodies)))


def _project(resources: str) -> dict[str, str]:
    environments = "".join(f"  {name}: {{parameters: [{name}.yaml]}}\n" for name in _WORLDS)
    return {
        "jovial.yaml": f"project: harbour\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments:\n{environments}",
        "line.yaml": f"{_HEAD}{resources}{_TAIL}",
        "sign.txt": _SIGN,
        **{f"{name}.yaml": json.dumps({**values, "word": {"$secret": {"env": "WORD"}}}) for name, values in _WORLDS.items()},
    }


@pytest.fixture
def projects(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Path, int]]:
    base = tmp_path_factory.mktemp("alike")

    def written() -> Iterator[tuple[Path, int]]:
        for seed in range(16):
            folder = base / str(seed)
            folder.mkdir()
            for name, text in _files(random.Random(seed)).items():
                (folder / name).write_text(text)
            yield folder, seed

    return written()


def test_rows_that_the_page_makes_are_those_of_each_resource(browser: Any, projects: Iterator[tuple[Path, int]], tmp_path: Path) -> None:  # noqa: F811
    alike = shared = 0
    for folder, seed in projects:
        resources = told_resources(browser, folder, tmp_path / "board.html", (at_once, in_shares)[seed % 2])
        alike += sum("alike" in each for each in resources)
        shared += sum(len(each.get("shared", ())) for each in resources)
    assert alike > 400, "most of them are told once"
    assert shared > 400, "and so are rows that differ"


def test_rows_of_what_differs_in_words_are_those_of_each_resource(
    browser: Any,  # noqa: F811
    projects: Iterator[tuple[Path, int]],
    tmp_path: Path,
) -> None:
    alike = shared = 0
    for folder, seed in projects:
        resources = told_resources(browser, folder, tmp_path / "board.html", (in_shares, in_shares)[seed % 2], True)
        alike += sum("alike" in each for each in resources)
        shared += sum(len(each.get("shared", ())) for each in resources)
    assert alike > 400
    assert shared > 400


_ODD_WORDS = ("", "5", "2.50", "true", "null", " spaced ", "it's", 'a "b" c', "a\\b", "ünï", "$${x}", "a: b #c", "x" * 150, "[a]", "-1")
_WORDED = {
    "fulmar.queue": (
        "    name: WORD\n    description: WORD\n    wait_hours: ${copies + #}\n",
        "    name: WORD  # WORD\n    description: \"${setting + ' NAME'}\"\n    ordered: true\n    wait_hours: #\n",
        '    $when: far\n    name: "${setting}-NAME"\n    description: "${note == \'NAME\' ? \'a\' : note}"\n    tags: {a: WORD, b: "${setting}"}\n',
        '    # told of\n    name: NAME-${setting}\n\n    tags:\n      made_by: WORD\n      setting: ${setting}\n    description: "${gates.url}/NAME"\n',
    ),
    "fulmar.machine_group": (
        '    name: WORD\n    disks:\n      - {name: data, gigabytes: #, kind: WORD}\n      - {$when: far, name: logs, gigabytes: "${copies + #}"}\n',
        '    name: "${setting}NAME"\n    disks:\n      - name: WORD\n        gigabytes: #\n      - name: far\n        gigabytes: ${copies}\n    image: WORD\n',
        '    name: NAME\n    subnets: [WORD, NAME]\n    settings: {A: WORD, B: "${setting}-NAME"}\n    operator_password: WORD\n',
        "    name: NAME\n    subnets: [\"${gates.id}\", WORD, NAME]\n    settings:\n      A: \"${labels.a == 'NAME' ? 'x' : note}\"\n    operator_password: ${word}\n",
    ),
}


def _worded(chance: random.Random) -> dict[str, str]:
    """A project with resources that are laid out alike, and differ in words of every kind."""
    bodies: list[tuple[str, str]] = []
    odd = chance.choice((0.0, 0.02, 0.2))
    for number in range(chance.randint(50, 90)):
        kind = chance.choice(list(_WORDED))
        body = chance.choice(_WORDED[kind][: chance.randint(1, 4)])
        while "WORD" in body:
            word = (
                chance.choice(_ODD_WORDS)
                if chance.random() < odd
                else chance.choice(("kar", "rinne", f"slope-{chance.choice('abcdefg') * 3}"))
            )
            body = body.replace("WORD", json.dumps(word, ensure_ascii=False) if odd or chance.random() < 0.3 else word, 1)
        name = "".join(chance.choice("abcdefgh") for _ in range(chance.randint(1, 9)))
        bodies.append(
            (kind, body.replace("NAME", name).replace(": #", f": {chance.choice((number, 7, -3))}").replace("+ #", f"+ {number % 3}"))
        )
    return _files_of(bodies)


def test_words_of_every_kind_are_shown_as_they_stand(browser: Any, tmp_path: Path) -> None:  # noqa: F811
    alike = shared = 0
    for seed in range(10):
        for name, text in _worded(random.Random(seed)).items():
            (tmp_path / name).write_text(text)
        resources = told_resources(browser, tmp_path, tmp_path / "board.html", (at_once, in_shares)[seed % 2], True)
        alike += sum("alike" in each for each in resources)
        shared += sum(len(each.get("shared", ())) for each in resources)
    assert alike > 200
    assert shared > 200


def test_words_inside_of_what_is_computed_are_shown_as_json_writes_them(browser: Any, tmp_path: Path) -> None:  # noqa: F811
    words = [*"abcdefgh", *_ODD_WORDS, *_ODD_WORDS]
    forms = ('    name: n\n    subnets: ["${gates.id}", WORD]\n', '    name: n\n    settings: {A: WORD, B: "${setting}"}\n')
    bodies = [("fulmar.machine_group", form.replace("WORD", json.dumps(word, ensure_ascii=False))) for form in forms for word in words]
    for name, text in _files_of(bodies).items():
        (tmp_path / name).write_text(text)
    resources = told_resources(browser, tmp_path, tmp_path / "board.html", at_once, True)
    assert sum("alike" in each for each in resources) > len(words) / 2


@pytest.mark.parametrize("kind", list(_NUMBERED))
def test_constants_decide_what_a_row_is_driven_by(browser: Any, kind: str, tmp_path: Path) -> None:  # noqa: F811
    bodies = [(body, number) for number in range(36) for body in _NUMBERED[kind]]
    files = _files_of(
        [
            (kind, f"{body}    name: ${{setting}}-{number}\n".replace("#", str(number)).replace("@", str(number % 2)))
            for body, number in bodies
        ]
    )
    for name, text in files.items():
        (tmp_path / name).write_text(text)
    resources = told_resources(browser, tmp_path, tmp_path / "board.html", in_shares)
    assert sum("alike" in each for each in resources) > len(bodies) / 2
    if kind == "fulmar.queue":
        assert sum(len(use) > _WITH_VALUES for each in resources for use in each.get("shared", ())) > len(bodies) / 4


def test_rows_of_items_of_loops(browser: Any, tmp_path: Path) -> None:  # noqa: F811
    for name, text in _files_of([("fulmar.queue", body) for body in _LOOPED]).items():
        (tmp_path / name).write_text(text)
    resources = told_resources(browser, tmp_path, tmp_path / "board.html", in_shares)
    assert sum("alike" in each for each in resources) > 12
    assert sum(len(each.get("shared", ())) for each in resources) > 12


_SECRETS = (
    "    operator_password: pwSECRET\n    image: base-#\n",
    "    operator_password: \"${'pwSECRET' + word}\"\n    image: base-#\n",
    "    operator_password: \"${far ? 'aSECRET' : 'bSECRET' + setting}\"  @ was SECRET\n    copies: ${copies + #}\n",
    "    operator_password: \"${far ? word : setting + '-SECRET'}\"\n    copies: ${copies + #}\n",
)


@pytest.mark.parametrize("by_words", [False, True])
def test_digits_of_secrets_are_in_no_page(browser: Any, by_words: bool, tmp_path: Path) -> None:  # noqa: F811
    """Nor those of comments: the page has the digits only that it weaves."""
    bodies = [("fulmar.machine_group", body.replace("SECRET", str(70_000_000 + 7_919 * index))) for index, body in enumerate(_SECRETS * 16)]
    numbered = [
        (kind, f"{body}    name: ${{setting}}-#\n".replace("#", str(index % 9)).replace("@", "#"))
        for index, (kind, body) in enumerate(bodies)
    ]
    for name, text in _files_of(numbered).items():
        (tmp_path / name).write_text(text)
    resources = told_resources(browser, tmp_path, tmp_path / "board.html", in_shares, by_words)
    assert sum("alike" in each for each in resources) >= 12
    page = (tmp_path / "board.html").read_text()
    assert [index for index in range(len(bodies)) if str(70_000_000 + 7_919 * index) in page] == []


def at_once(project: Project) -> Board:
    return board_of("p", project.views(_WORLDS), lambda: ([], []), {}, "")


def in_shares(project: Project) -> Board:
    """As that of a large project is made where nothing may run beside it."""
    with (
        patch.object(project_reading, "PARALLEL_RESOURCES", Limit(1, "", "")),
        patch.object(reports, "PARALLEL_RESOURCES", Limit(1, "", "")),
    ):
        return board(project, list(_WORLDS), workers=3)


@contextmanager
def _by_words() -> Iterator[None]:
    """Within, no resources are known to differ in digits only: all are looked at word by word."""
    with cast_from(1), patch.object(moulds, "ALIKE", 10**9), patch.object(wording, "ALIKE", 2):
        yield


def told_resources(
    browser: Any,  # noqa: F811
    folder: Path,
    page: Path,
    make: Callable[[Project], Board],
    by_words: bool = False,
) -> list[dict[str, Any]]:
    """The resources as the page gets them; what it makes of them is what each has by itself."""
    overrides = Overrides({"WORD": "wordless and secret"})
    with _by_words() if by_words else cast_from(1):
        whole, counts = board_rows(Project.load(folder, overrides).views(_WORLDS), unfolded=True)
        folded = make(Project.load(folder, overrides))
    assert {each["aspect"]: (each["rows"], each["echoes"]) for each in folded.data["aspects"]} == counts
    page.write_text(board_page("p", [folded]))
    assert "wordless" not in page.read_text()
    opened = opened_page(browser, page.as_uri())
    differing = json.loads(opened.evaluate("JSON.stringify(board.boards[0].resources.map((each) => each.differing.map((row) => row[0])))"))
    shown = json.loads(opened.evaluate("JSON.stringify(board.boards[0])"))
    assert opened.said == []
    opened.close()
    assert list(map(_told, _rows(shown))) == list(map(_told, _rows(json.loads(json.dumps(whole))))), folder.name
    assert shown["nodes"] == whole["nodes"]
    for resource, labels in zip(shown["resources"], differing, strict=True):
        told = [row[0] for row in resource["rows"]]
        assert [label for label in told if label in labels] == labels, "in their order"
        assert {row[0] for row in resource["rows"] if row[2]} <= {*labels}
    return [each for share in folded.shares for each in json.loads(share)["resources"]]


def _rows(data: dict[str, Any]) -> Iterator[tuple[str, list[Any]]]:
    for resource in data["resources"]:
        for row in resource["rows"]:
            yield resource["address"], [row[0], [data["texts"][number] if number >= 0 else None for number in row[1]], *row[2:]]


def _told(row: tuple[str, list[Any]]) -> str:
    return json.dumps(row)
