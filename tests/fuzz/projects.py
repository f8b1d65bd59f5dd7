"""A project with a few things spoilt: whatever comes of it, there is an answer or a finding, and no secret in it."""

import functools
import json
import random
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any, NamedTuple

import yaml

from jovial_scaffold.cli.focusing import CHECK_REPORTS, ProjectFocus, report_text
from jovial_scaffold.core.changes.expecting import read_expectations, unexpected
from jovial_scaffold.core.changes.families import families
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.focus import Focus
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.outcomes import CheckResult
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.rendering.explaining import Unexplained
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.reports.board import board_of, board_page
from jovial_scaffold.reports.board_rows import board_rows
from jovial_scaffold.reports.effects import Shown, effects_text
from jovial_scaffold.reports.effects_document import effects_document
from jovial_scaffold.reports.explaining import explanation_document
from jovial_scaffold.reports.families import families_text
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.idle import idle_document
from jovial_scaffold.reports.machine import check_document, compare_document, json_text, render_document
from jovial_scaffold.reports.matrix import matrix_text
from jovial_scaffold.reports.terminal import Style
from jovial_scaffold.reports.words import harmless
from tests.fuzz.mini import FILES, SECRET, places_in

_Loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
_Dumper = getattr(yaml, "CSafeDumper", yaml.SafeDumper)
DEMO = Path(__file__).parents[2] / "src" / "jovial_scaffold" / "demo" / "ridgeline"
EXPECTED = b"""environments: [sandbox, live]
differences:
  net: {name: {sandbox: alp-sandbox-net, live: alp-live-net}}
  "pool*": any
  vault: {key: {sandbox: none, live: {$secret: true}}}
"""
#: what is asked of every project: where a secret, and what is made of secrets and of plain values, comes from
ASKED = ("vault:key", "pool:operator_password", "pool:name", "pool_name", "access", "desk_password", "start")
_STEERING = "\x1b]0;owned\x07 \x9b31m \u202e \u200b \U000e0041"
_VALUES: tuple[Any, ...] = (
    *(None, True, 0, -1, 2**63, 1.5, "", "x", "${", "${a}", "${context}", "$${", "${?x}", "live", _STEERING, "=1+1", "<script>", "‹x›"),
    *(
        [],
        {},
        [None],
        {"$secret": {"env": "HOME"}},
        {"$secret": {"file": "../x"}},
        {"$per": {"x": "[1, 2]"}},
        {"$when": "true"},
        "a" * 5000,
    ),
    *(
        "${1 / 0}",
        "${[1, 2, 3].map(x, x)}",
        "${desk_password}",
        "${size(desk_password)}",
        "${desk_password.split('-')}",
        "../../etc/passwd",
    ),
)
_BYTES = (
    b"\0",
    b"\xff",
    b"{",
    b"}",
    b"[",
    b'"',
    b"'",
    b": ",
    b"- ",
    b"\n",
    b"\t",
    b"&a ",
    b"*a",
    b"!!x ",
    b"|",
    b"#",
    b"%",
    b"\r",
    b"${",
    b"\xe2\x80\xae",
)


class Outcome(NamedTuple):
    """How far a case came: `unusable`, `errors` or `clean`; and all that was printed of it."""

    kind: str
    text: str


@functools.cache
def base_files(demo: bool = False) -> dict[str, bytes]:
    """The files of a project that is as it should be: the demo, or a small one that uses as much."""
    if not demo:
        return FILES
    return {path.relative_to(DEMO).as_posix(): path.read_bytes() for path in sorted(DEMO.rglob("*")) if path.is_file()}


def spoilt(chance: random.Random, files: dict[str, bytes]) -> dict[str, bytes]:
    """Some files with a few things changed: bytes, or values, keys and items of what they hold."""
    result = dict(files)
    for _ in range(chance.randint(1, 3)):
        name = chance.choice(sorted(files))
        spoil: Callable[[random.Random, str, bytes], bytes] = chance.choice((_bytes, _values, _values, _values))
        result[name] = spoil(chance, name, result[name])
    if chance.random() < 0.05:
        del result[chance.choice(sorted(result))]
    return result


def _bytes(chance: random.Random, name: str, content: bytes) -> bytes:
    at = chance.randint(0, len(content))
    kind = chance.randint(0, 2)
    return content[:at] + (chance.choice(_BYTES) if kind else b"") + content[at + (0 if kind == 1 else chance.randint(1, 30)) :]


def _values(chance: random.Random, name: str, content: bytes) -> bytes:
    suffix = Path(name).suffix
    if suffix not in (".yaml", ".json"):
        return _bytes(chance, name, content)
    try:
        value = yaml.load(content, Loader=_Loader)
    except (yaml.YAMLError, UnicodeDecodeError):
        return _bytes(chance, name, content)
    places = places_in(value)
    if not places:
        return content
    part, key = chance.choice(places)
    kind = chance.randint(0, 4)
    if kind == 0:
        del part[key]
    elif kind == 1 and isinstance(part, dict):
        part[f"{key}{chance.choice('sx_ ')}"] = part.pop(key)
    elif kind == 2:
        other, place = chance.choice(places)
        copied = json.dumps(other[place], default=str)
        if SECRET not in copied:  # moved to where everybody reads it, it is none any more
            part[key] = json.loads(copied)
    else:
        part[key] = chance.choice(_VALUES)
    try:
        return (json.dumps(value, default=str) if suffix == ".json" else yaml.dump(value, Dumper=_Dumper, allow_unicode=True)).encode(
            "utf-8", "replace"
        )
    except (yaml.YAMLError, ValueError):
        return content


def run(files: dict[str, bytes], secret: str = SECRET) -> Outcome:
    """Everything that the commands would print of a project, in which `secret` stands for the known one. Whatever is raised but ProjectError
    is a defect."""
    style, printed = Style(colours=False, width=100), []

    def show(findings: list[Finding], project: Project | None) -> None:
        printed.append(harmless(findings_text(findings, project.source if project else lambda _: None, style, ())))

    try:
        project = Project(MemoryFolder(files), overrides=Overrides({"DESK_PASSWORD": secret}))
    except ProjectError as error:
        show(error.findings, None)
        return Outcome("unusable", "".join(printed))
    result = project.check()
    show(list(result.findings), project)
    (whole,) = ProjectFocus([(project, result)], Focus(), numbered=True).runs()
    document = check_document(result, whole.fingerprints)
    printed += [report_text(each, [whole], lambda: document) for each in CHECK_REPORTS if each != "sarif"]  # which reads the registry
    printed += [json_text(render_document(project.name, project.render(name))) for name in project.environments]
    comparison = project.compare()
    printed.append(harmless(matrix_text(comparison, style, everything=True)))
    printed += _more(project, result, style)
    for name in project.environments:
        try:
            effects = project.effects(name)
            show(effects.findings, project)
            printed += [json_text(effects_document(project.name, effects)), harmless(effects_text(project.name, effects, style, Shown()))]
        except ProjectError as error:
            show(error.findings, project)
        for what in ASKED:
            try:
                printed.append(json_text(explanation_document(project.name, [(name, project.why(what, name))])))
            except (Unexplained, ProjectError):
                continue
    if "e.yaml" in files:
        source, findings = read_source(files["e.yaml"], "e.yaml")
        if source is not None:
            expectations, wrong = read_expectations(source)
            findings += wrong + unexpected(comparison, expectations, project.views(project.in_order()))
        show(findings, None)
    return Outcome("errors" if result.count("error") else "clean", "".join(printed))


def _more(project: Project, result: CheckResult, style: Style) -> Iterator[str]:
    """What is told of all environments together."""
    with_echoes = project.compare(echoes=True)
    yield json_text(compare_document(with_echoes, with_families=True))
    yield harmless(families_text(families(with_echoes), with_echoes, style))
    renderings = project.views(project.in_order())
    page = board_of(project.name, renderings, lambda: (result.findings, result.waived_findings), {}, "2026-11-28")
    yield board_page("all", [page])
    yield json_text(board_rows(renderings, unfolded=True).data)
    with suppress(ProjectError):
        yield json_text(idle_document(project.name, project.idle()))


def declares_secrets(files: dict[str, bytes], base: dict[str, bytes]) -> bool:
    """Whether the spoilt files still say of everything secret that it is, or cannot be read at all."""
    for name, content in base.items():
        spoiled = files.get(name, b"")
        if name.endswith(".toml") and not {line for line in spoiled.split(b"\n") if SECRET.encode() in line} <= {*content.split(b"\n")}:
            return False  # it stands at another name now, which may be one that everybody sees
        if spoiled == content or b"writeOnly" not in content:
            continue
        try:
            before, after = (yaml.load(each, Loader=_Loader) for each in (content, spoiled))
        except (yaml.YAMLError, UnicodeDecodeError):
            continue
        if not _secret_places(before) <= _secret_places(after):
            return False
    return True


def _secret_places(value: Any, place: str = "") -> set[str]:
    """Where in a file `writeOnly` stands, as it is or under a key that is much like it."""
    found: set[str] = set()
    for key, item in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        is_said = str(key).strip("sx_ ") == "writeOnly" and item is not False
        found |= {place} if is_said else _secret_places(item, f"{place}/{key}")
    return found


def attempt(chance: random.Random) -> str:
    """One case."""
    base = base_files(chance.random() < 0.05)
    files = spoilt(chance, {**base, "e.yaml": EXPECTED})
    outcome = run(files)
    if declares_secrets(files, base):
        assert SECRET not in outcome.text, outcome.text[max(0, outcome.text.index(SECRET) - 300) :][:600]
    return outcome.kind
