"""Secrets: two runs that differ only in them print the same, whatever the template does with them."""

import json
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core import marks
from jovial_scaffold.core.authoring.inventory import inventory
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.program import compile_expression
from jovial_scaffold.core.expressions.values import Secret, deep_marks
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.templates.surveying import survey
from jovial_scaffold.core.text.source import Place, Source
from jovial_scaffold.reports.board import board_of, board_page
from jovial_scaffold.reports.board_rows import board_rows
from jovial_scaffold.reports.explaining import explanation_document, explanation_text
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.machine import compare_document, json_text
from jovial_scaffold.reports.parameters import parameters_text
from jovial_scaffold.reports.surveying import survey_document
from jovial_scaffold.reports.terminal import Style
from jovial_scaffold.reports.words import said
from tests.fuzz.code import cast_from
from tests.fuzz.mini import SECRET
from tests.support import Write, in_memory, jovial, load_cases

OTHER = "gentian-below-the-viaduct"
NAMES = ("s", "l", "p", "n")


def bindings(text: str) -> dict[str, object]:
    """A secret map, list, text and number that all differ with the text; and plain values beside them."""
    return {
        "s": Secret({"a": text, text: 1, "b": [len(text), 2]}),
        "l": Secret([text, "x"] * len(text)),
        "p": Secret(text),
        "n": Secret(len(text)),
        "x": [1, 2, 3],
        "m": {SECRET: 1, "k": 2},
    }


EXPRESSIONS = """
s.?a | s.?a.orValue('q') | s[?'a'] | s.?zz.hasValue() | m[?p] | m[p] | {p: 1} | {p: 1}.map(k, k) | [?s.?zz, 2] | size(l) | l.map(v, v + 1)
l.exists(v, v == 'x') | p in l | p in m | [p, 'a'].distinct() | p == 'a' ? 1 : 2 | p == 'a' ? p : 'x' | p < 'a' | has(s.a) | s.map(k, k)
s.b[5] | p.matches('(') | 'x'.matches(p + '(') | s.nope | l[9] | p + 1 | x.transformMapEntry(i, v, {p: v}) | x.filter(v, p == 'a')
x.sortBy(v, p) | p.split('-') | s.?a.optMap(q, q + '1') | as_json(s) | type(p) | cel.bind(q, p, q + 'x') | l.first() | lists.range(n) | x[n]
x.slice(0, n) | p ? 1 : 2 | !p | -p | n / 0 | 1 / (n - n) | from_json(p) | int(p) | slug(p, 0) | digest(p, n) | carve(p, 24, 1) | within(p, '10.0.0.0/8')
'%s'.format([p]) | p.substring(50) | l.join(',') | sets.contains(l, ['x']) | math.greatest([n, 1]) | base64.encode(bytes(p)) | [p].map(q, q + q)
x.all(v, v < n) | x.exists_one(v, v == n) | l.flatten() | patched(s, {'z': 1}) | timestamp(p) | duration(p) | x.map(v, l[v]) | [l, x].flatten()
""".replace("\n", " | ").split(" | ")


@pytest.mark.parametrize("text", [each.strip() for each in EXPRESSIONS if each.strip()])
def test_what_is_computed_from_a_secret_is_secret(text: str) -> None:
    told = []
    for secret in (SECRET, OTHER, "a"):
        try:
            value = compile_expression(text).evaluate(bindings(secret))
            assert deep_marks(value)[1], (text, value)
            told.append("secret")
        except EvaluationError as error:
            shown = f"{said(error.message)} {said(error.hint)}"
            assert secret not in shown.replace("has no", "") or secret == "a", shown
            told.append(shown)
    assert len({each for each in told if each != "secret"}) <= 1, told


BROKEN = {
    "a block": "desk_password: |\n  SECRET\n  more: [\n",
    "an alias": "desk_password: &a SECRET\nb: *c\n",
    "a flow map": "{desk_password: SECRET, b: [}\n",
    "a quote": 'desk_password: "SECRET\n',
    "a comment": "desk_password: SECRET #1: {\n",
    "a tag": "desk_password: !!python/object SECRET\n",
    "twice": "desk_password: SECRET\ndesk_password: SECRET\n",
    "undeclared": "desk_pasword: SECRET\nother: SECRET\n",
    "a wrong type": "desk_password: [SECRET]\n",
    "too short": "desk_password: SECRET\nline: x\n",
}


@pytest.mark.parametrize("text", BROKEN.values(), ids=list(BROKEN))
@pytest.mark.parametrize("secret", ["hunter2", "edelweiss-over-the-tunnel"])
def test_no_line_of_a_parameter_file_shows_one(demo: Path, text: str, secret: str) -> None:
    (demo / "parameters" / "live.yaml").write_text(text.replace("SECRET", secret))
    (demo / "parameters" / "live.json").write_text(json.dumps({"desk_password": secret})[:-1])
    for command in (
        ("check",),
        ("render", "live"),
        ("evaluate", "it", "--in", "parameters/live.yaml"),
        ("evaluate", "it", "--in", "parameters/live.json"),
        ("survey", "parameters/live.yaml"),
        ("compare", "live", f"live?desk_password={secret}"),
        ("compare", "live", f"live?desk_pasword={secret}"),
        ("check", "--with-file", "parameters/live.json"),
    ):
        result = jovial(*command, cwd=demo)
        if "undeclared" in text or ("evaluate" in command and "desk_password" not in text):
            continue
        assert secret not in (result.stdout + result.stderr).replace(" ".join(command), ""), command


@pytest.mark.parametrize("case", load_cases("clear_text.yaml"))
def test_a_secret_that_stands_in_a_template_in_clear_text_is_found(case: dict[str, Any]) -> None:
    declared = "  pass: {type: string, writeOnly: true, description: d}\n  word: {type: string, description: d}\n"
    head = f"parameters:\n{declared}" if "parameters:" not in case["template"] else ""
    files = {
        "jovial.yaml": "project: canal\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
        "line.yaml": f"{case['template']}{head}",
        "inner.yaml": case.get("inner", ""),
    }
    project = in_memory(files, Overrides({"JOVIAL_PARAMETER_PASS": "rowan-in-the-lock", "JOVIAL_PARAMETER_WORD": "heron"}))
    found = [each for each in project.template_findings() if each.id == "secret-in-clear"]
    assert sorted([each.span.line, each.level, said(each.message)] for each in found if each.span) == case["found"]
    shown = findings_text(project.check().findings, project.source, Style(False, 200), ["live"])
    assert not re.search("barge|keeper|weir|hull|fallback|given-|also-in|rowan", shown)


_LEAVES = ("pass", "word", "token", "inner", "both.b", "both.a", "net.id", "context.environment", "'lock'", "'weir-7'")
_TEXTS = st.recursive(
    st.sampled_from(_LEAVES),
    lambda inner: st.one_of(
        st.tuples(inner, inner).map(lambda two: f"({two[0]} + {two[1]})"),
        st.tuples(inner, inner).map(lambda two: f"(flag ? {two[0]} : {two[1]})"),
        st.tuples(inner, inner).map(lambda two: f"mixed({two[0]}, {two[1]})"),
        st.tuples(inner, inner).map(lambda two: f"[{two[0]}, {two[1]}].join('-')"),
        st.tuples(inner, inner).map(lambda two: f"(word == 'heron' ? {two[0]} : {two[1]})"),
        inner.map(lambda one: f"digest({one}, 8)"),
        inner.map(lambda one: f"{one}.lowerAscii()"),
    ),
    max_leaves=5,
)


@given(_TEXTS, st.booleans())
@settings(max_examples=150)
def test_what_is_said_to_be_in_clear_is_public_in_every_environment_and_what_is_public_is_said(code: str, in_let: bool) -> None:
    """The same expression stands at a secret property and at a public one, where the rendering says what it is."""
    let = f'  wanted: "${{{code}}}"\n' if in_let else ""
    written = "wanted" if in_let else code
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {on: {parameters: [on.yaml]}, off: {parameters: [off.yaml]}}\n",
        "t.yaml": f"""parameters:
  pass: {{type: string, writeOnly: true, description: d}}
  word: {{type: string, description: d}}
  flag: {{type: boolean, description: d}}
let:
  token: lock-and-weir
  inner: "${{pass + '-x'}}"
  both: {{a: "${{pass}}", b: plain}}
{let}functions:
  mixed: {{takes: {{a: {{type: string}}, b: {{type: string}}}}, gives: {{type: string}}, is: a + '-' + b}}
resources:
  net (fulmar.network): {{name: net, range: 10.0.0.0/16}}
  vault (fulmar.secret_store): {{name: vault, entries: {{e: "${{{written}}}"}}}}
  open (fulmar.queue): {{name: open, tags: {{t: "${{{written}}}"}}}}
""",
        "on.yaml": "word: heron\nflag: true\n",
        "off.yaml": "word: otter\nflag: false\n",
    }
    project = in_memory(files, Overrides({"JOVIAL_PARAMETER_pass": "rowan-in-the-lock"}))
    found = {each.span.line for each in project.template_findings() if each.id == "secret-in-clear" and each.span is not None}
    told = [project.render(name).resources["open"].properties["tags"]["t"] for name in ("on", "off")]
    assert found in (set(), {13 + in_let})
    if found:
        assert all(type(each) is str for each in told), (code, told)
    elif "?" not in code and "both" not in code:
        assert not any(type(each) is str for each in told), (code, told)


_OFFSETS = st.integers(0, 24)


@given(st.integers(0, 24), st.lists(st.tuples(_OFFSETS, _OFFSETS), max_size=4), _OFFSETS, _OFFSETS)
def test_what_is_underlined_beside_what_is_hidden_is_what_is_meant(
    length: int, hidden: list[tuple[int, int]], one: int, other: int
) -> None:
    start, end = sorted((min(one, length), min(other, length)))
    letters = ["inside" if start <= at < end else "outside" for at in range(length)]
    places = [(min(low, length), min(high, length)) for low, high in map(sorted, hidden)]
    for low, high in places:
        letters[low:high] = ["hidden"] * (high - low)
    text = "".join({"inside": "i", "outside": "o", "hidden": "h"}[each] for each in letters)
    source = Source("a.yaml", text, None, lambda _: {(n,): Place(*each, *each, "plain") for n, each in enumerate(places)})
    for number in range(len(places)):
        source.hide((number,))
    shown, first, last = source.excerpt(Span("a.yaml", 1, start + 1, 1, end + 1))
    assert shown == source.line(1) and "h" not in shown
    assert set(shown[first:last].replace(marks.SECRET, "")) <= {"i"}
    assert "i" not in f"{shown[:first]}{shown[last:]}"


def test_a_literal_at_a_secret_property_is_in_no_line(write: Write) -> None:
    template = """resources:
  pool (fulmar.machine_group.v2): {name: pool, image: x, size: wrong, copies: 1, operator_password: hunter2-the-second, nome: "${pool.operator_password + 1}"}
outputs: {o: "${pool.operator_password}"}
"""
    folder = write({"jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n", "t.yaml": template})
    for command in (
        ("check",),
        ("render", "live"),
        ("why", "pool:operator_password", "live"),
        ("find", "hunter2"),
        ("survey", "t.yaml"),
        ("compare",),
    ):
        result = jovial(*command, cwd=folder, env={"COLUMNS": "200"})
        assert "hunter2-the" not in result.stdout + result.stderr, command


def test_a_part_of_a_parameter_is_fetched_and_hidden_wherever_somebody_asks(write: Write) -> None:
    template = """parameters:
  access: {type: object, description: d, properties: {user: {type: string}, token: {type: string, writeOnly: true}, pin: {type: integer, writeOnly: true}}}
resources:
  q (fulmar.queue): {name: "q-${access.user}"}
outputs: {token: "${access.token}", pin: "${access.pin + 1}"}
"""
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [a.yaml, b.yaml]}}\n",
            "t.yaml": template,
            # The second layer's source takes the place of the first one's: two kinds in one would be none.
            "a.yaml": "# once: hunter2-commented\naccess: {user: ada, token: hunter2-in-clear, pin: {$secret: {file: pin.txt}}}  # hunter2-beside\n",
            "b.yaml": "access: {token: {$secret: {env: TOKEN}}, pin: {$secret: {env: PIN}}}\nacess: 1 # hunter2-there\n",
        }
    )
    given = {"TOKEN": "hunter2-from-outside", "PIN": "12", "COLUMNS": "200"}
    for command in (
        ("check",),
        ("render", "live", "--format", "json"),
        ("why", "token", "live"),
        ("why", "token", "live", "--format", "json"),
        ("board", "--out", "-"),
        ("record", "live", "--out", "-"),
    ):
        result = jovial(*command, cwd=folder, env=given)
        assert "hunter2" not in result.stdout + result.stderr, command
    (folder / "b.yaml").write_text((folder / "b.yaml").read_text().partition("acess")[0])
    assert jovial("render", "live", "--format", "json", "--reveal-secrets", "--out", "o.json", cwd=folder, env=given).returncode == 0
    outputs = json.loads((folder / "o.json").read_text())["outputs"]
    assert (outputs["token"], outputs["pin"]) == ("hunter2-from-outside", 13)


_POLICY = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nrulesets: [r.yaml]\nenvironments: {a: {parameters: [a.yaml]}}\n",
    "t.yaml": """parameters:
  code: {type: string, minLength: 4, writeOnly: true, description: c}
must:
  - {require: size(code) > 8, message: "${code} is short"}
resources:
  q (fulmar.queue): {name: queue, tags: {a: "${code}"}}
""",
    "r.yaml": """ruleset: House
let: {whole: "x-${parameters.code}"}
rules:
  another: {over: parameters, require: whole != "x-sesame-open", message: "${whole} is known to everybody"}
""",
    "a.yaml": "code: {$secret: {env: CODE}}\n",
}


@pytest.mark.parametrize(("code", "told"), [("sesame", ["must-failed"]), ("sesame-open", ["rule-failed"]), ("sesame-shut", [])])
def test_what_must_and_rules_say_of_a_secret_is_public_and_the_secret_is_not(write: Write, code: str, told: list[str]) -> None:
    folder = write(_POLICY)
    result = jovial("check", "--format", "json", cwd=folder, env={"CODE": code})
    assert [each["id"] for each in json.loads(result.stdout)["findings"]] == told
    assert "sesame" not in result.stdout + result.stderr


def test_no_row_is_chosen_by_a_secret_or_by_what_only_the_deployment_knows(write: Write) -> None:
    lookup = 'lookups:\n  row_of: {in: lamps, where: "row.use == \'a\'", newest: "%s + row.n"}\noutputs: {o: "${row_of.n}"}\n'
    for newest in ("code", "q.url"):
        files = {**_POLICY, "t.yaml": _POLICY["t.yaml"] + lookup % newest, "lamps.csv": "use,n\na,1\na,2\n"}
        files["jovial.yaml"] += "lookups: {lamps: lamps.csv}\n"
        result = jovial("check", "--format", "json", cwd=write(files), env={"CODE": "sesame-shut"})
        assert [each["id"] for each in json.loads(result.stdout)["findings"]] == ["condition-undecidable"], result.stderr


@pytest.mark.parametrize(
    ("values", "written"),
    [
        ("", "edelweiss-alone"),
        ("", "${'edelweiss' + '-twice'}"),
        ("", "edelweiss-${word}"),
        ("", "${digest('edelweiss' + word, 20)}"),
        ("let: {plain: edelweiss-plain}\n", "${plain}"),
        ("let: {joined: 'edelweiss-${line}'}\n", "${joined}"),
        ("let: {made: \"${'edelweiss' + line}\", next: '${made}'}\n", "${next}"),
        ("let: {table: {x: {y: edelweiss-deep}, z: 1}}\n", "${table.x.y}"),
        ("let: {several: [edelweiss-one, other]}\n", "${several[0]}"),
        ("let: {chosen: \"${line == 'alp' ? 'edelweiss' : 'other'}\"}\n", "${chosen}"),
        ("functions: {salted: {takes: {t: {type: string}}, gives: {type: string}, is: \"'edelweiss' + t\"}}\n", "${salted(line)}"),
    ],
)
def test_what_is_written_for_a_secret_is_never_shown(values: str, written: str) -> None:
    """Nor where it is explained: in expressions, and in what leads to them."""
    resources = "".join(
        f"  pool{number} (fulmar.machine_group): {{name: pool-{number}, image: i, size: s, copies: {number}, subnets: [x], "
        f"operator_password: {json.dumps(written)}}}\n"
        for number in range(8)
    )
    template = (
        "parameters: {word: {type: string, writeOnly: true, default: edelweiss-word, description: x}, "
        f"line: {{type: string, default: alp, description: x}}}}\n{values}resources:\n{resources}"
    )
    with cast_from(1):
        project = in_memory({"jovial.yaml": _WRITTEN_THERE, "t.yaml": template})
        views = project.views(("live", "sandbox"))
    names = [*views[0].scope.template.values, "word", *(f"pool{number}:operator_password" for number in (0, 7))]
    reasons = [("live", project.why(name, "live")) for name in names]
    told = [explanation_text(reason, name, Style(False, 200)) for name, reason in reasons]
    told.append(json_text(explanation_document("p", reasons, [])))
    told += [json_text(board_rows(views, unfolded=unfolded).data) for unfolded in (False, True)]
    told.append(json_text(compare_document(project.compare(everything=True))))
    assert not [text for text in told if "edelweiss" in text]
    assert "‹secret›" in told[len(names) - 1] and "‹secret›" in told[-2]


_WRITTEN_THERE = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}, sandbox: {}}\n"


def test_what_reaches_a_secret_property_through_modules_is_never_shown() -> None:
    """Parameters that are not declared secret, and literals that are handed on; what only chooses between them is shown."""
    files = {
        "jovial.yaml": _WRITTEN_THERE.replace("{live: {}, ", "{live: {parameters: [live.yaml]}, ") + "modules: {desk: desk.yaml}\n",
        "live.yaml": "word: edelweiss-live\n",
        "desk.yaml": "parameters: {pw: {type: string, description: x}, tag: {type: string, description: x}}\nlet: {inner: '${pw}'}\nresources:\n"
        '  pool (fulmar.machine_group): {name: "${tag}", image: i, size: s, copies: 1, subnets: [x], operator_password: "${inner}"}\n',
        "t.yaml": "parameters:\n  word: {type: string, default: edelweiss-default, description: x}\n  line: {type: string, default: alp, description: x}\n"
        "let: {chosen: \"${line == 'alp' ? word : 'edelweiss-let'}\"}\nresources:\n"
        '  a (desk): {tag: aaa, pw: "${chosen}"}\n  b (desk): {tag: bbb, pw: edelweiss-handed}\n',
    }
    project = in_memory(files)
    assert [each.id for each in project.check().findings if each.level == "error"] == []
    names = ["a/pool:operator_password", "b/pool:operator_password", "chosen", "word"]
    told = [explanation_text(project.why(name, "live"), name, Style(False, 200)) for name in names]
    assert "default of parameter line = alp" in told[0], "what only chooses is public"
    views = project.views(("live", "sandbox"))
    told += [json_text(board_rows(views).data), board_page("p", [board_of("p", views, lambda: ([], []), {}, "")])]
    told.append(
        "".join(parameters_text("p", inventory(list(project.template.parameters.values()), views), ["live", "sandbox"], Style(False, 200)))
    )
    assert not [text for text in told if "edelweiss" in text]


_LOGIN = {"type": "object", "properties": {"user": {"type": "string"}, "token": {"type": "string", "writeOnly": True}}}
_DESK_TYPE = {
    "$id": "yard.desk.v1",
    "description": "A desk",
    "type": "object",
    "properties": {"name": {"type": "string"}, "login": _LOGIN, "logins": {"type": "array", "items": _LOGIN}},
    "additionalProperties": False,
}


@pytest.mark.parametrize(
    ("values", "written"),
    [
        ("let: {made: {user: '${line}', token: edelweiss-let}}\n", "login: '${made}'"),
        ("let: {made: {user: '${line}', token: 'edelweiss-${string(1)}'}}\n", "login: '${made}'"),
        ("", "login: \"${{'user': line, 'token': 'edelweiss-there'}}\""),
        ("let: {one: {token: edelweiss-one}, two: {token: edelweiss-two}}\n", "login: \"${line == 'alp' ? one : two}\""),
        ("let: {every: {x: {user: u, token: edelweiss-deep}}}\n", "login: \"${every['x']}\""),
        ("let: {every: {x: {user: u, token: edelweiss-deep}}}\n", "login: {user: u, token: '${every.x.token}'}"),
        ("let: {several: [{user: u, token: edelweiss-list}]}\n", "logins: '${several}'"),
        ("let: {several: [{user: u, word: edelweiss-list}]}\n", "logins: \"${several.map(s, {'user': s.user, 'token': s.word})}\""),
        ("", "logins: \"${[line].map(l, {'user': l, 'token': 'edelweiss-body'})}\""),
        ("let: {base: {user: u, token: edelweiss-base}}\n", "login: \"${patched(base, {'user': line})}\""),
        ("let: {base: {user: u, token: edelweiss-base}}\n", "login: '${cel.bind(b, base, b)}'"),
        ("functions: {made: {takes: {u: {type: string}}, gives: {type: object}, is: \"{'user': u, 'token': 'edelweiss-fn'}\"}}\n", "login: '${made(line)}'"),
        ("functions: {made: {takes: {t: {type: string}}, gives: {type: object}, is: \"{'user': 'u', 'token': t}\"}}\n", "login: \"${made('edelweiss-arg')}\""),
        ("let: {spots: [{at: x, login: {user: u, token: edelweiss-spot}}]}\n", "$per: {s: spots}, $key: s.at, login: '${s.login}'"),
        ("let: {spots: [{at: x, word: edelweiss-spot}]}\n", "$per: {s: spots}, $key: s.at, login: {user: '${line}', token: '${s.word}'}"),
        ("let: {spots: {x: {user: u, token: edelweiss-map}}}\n", "$per: {\"k, s\": spots}, login: '${s}'"),
        ("everywhere: {yard.desk: {login: \"${{'token': 'edelweiss-all', 'user': line}}\"}}\n", ""),
    ],
)  # fmt: skip
def test_what_is_written_for_a_part_that_is_secret_is_never_shown(values: str, written: str) -> None:
    """Wherever that part is handed on with the whole, of which the rest stays public."""
    files = {
        "jovial.yaml": _WRITTEN_THERE.replace("[fulmar]", "[catalog/]"),
        "catalog/catalog.yaml": "name: yard\ndescription: d\n",
        "catalog/desk.json": json.dumps(_DESK_TYPE),
        "t.yaml": "parameters:\n  line: {type: string, default: alp, description: x}\n"
        f"  access: {{type: object, required: [user, token], properties: {json.dumps(_LOGIN['properties'])}, default: {{user: porter, token: edelweiss-default}}, description: x}}\n"
        f"  whole: {{type: object, required: [user, token], properties: {json.dumps(_LOGIN['properties'])}, default: \"${{{{'user': 'keeper', 'token': 'edelweiss-made'}}}}\", description: x}}\n"
        f"{values}resources:\n  desk (yard.desk): {{name: desk-alp, {written}}}\n"
        "  own (yard.desk): {name: '${line}-own', login: {user: '${access.user}', token: '${access.token}'}}\n",
    }
    project = in_memory(files)
    views = project.views(("live", "sandbox"))
    assert not [each for each in project.check().findings if each.level == "error"]
    address = next(each for each in views[0].resources if each.startswith("desk"))
    names = [address, *(f"{address}:{each}" for each in ("login", "logins") if each in views[0].resources[address].properties)]
    names += [*views[0].scope.template.values, "access", "whole", "line", "own:login", "own:login/user"]
    told = [explanation_text(project.why(name, "live"), name, Style(False, 200)) for name in names]
    assert "edelweiss" not in "".join(told)
    assert "is porter" in told[-1] and "is alp" in told[-3] and "user: porter" in told[-2]
    listed = parameters_text("p", inventory(list(project.template.parameters.values()), views), ["live", "sandbox"], Style(False, 200))
    assert "porter" in (listing := "".join(listed)) and "alp" in listing
    surveyed = json_text(survey_document(survey([project.template.origin.source], [project.template])))
    findings = findings_text(project.check().findings, project.source, Style(False, 200), ["live", "sandbox"])
    page = board_page("p", [board_of("p", views, lambda: ([], []), {}, "")])
    compared = json_text(compare_document(project.compare(everything=True)))
    assert not [text for text in (listing, surveyed, findings, page, compared) if "edelweiss" in text]


def test_what_calls_and_refers_to_itself_in_many_ways_is_followed_once() -> None:
    """Functions that call others twice, macros in macros, schemas and named values that hold themselves."""
    branch = {
        "type": "object",
        "properties": {**{each: {"$ref": "#/$defs/branch"} for each in "abcdef"}, "token": _LOGIN["properties"]["token"]},
    }
    tree = {
        "$id": "yard.tree.v1",
        "description": "d",
        "type": "object",
        "properties": {"tree": {"$ref": "#/$defs/branch"}},
        "$defs": {"branch": branch},
    }
    calls = "".join(
        f'  f{number}: {{takes: {{a: {{type: string}}}}, gives: {{type: object}}, is: "patched(f{number - 1}(a), f{number - 1}(a))"}}\n'
        for number in range(1, 30)
    )
    macros = "['x'].map(a, ['y'].map(b, ['z'].map(c, ['w'].map(d, {'user': d, 'token': a + 'edelweiss'}))))"
    files = {
        "jovial.yaml": _WRITTEN_THERE.replace("[fulmar]", "[catalog/]"),
        "catalog/catalog.yaml": "name: yard\ndescription: d\n",
        "catalog/desk.json": json.dumps(_DESK_TYPE),
        "catalog/tree.json": json.dumps(tree),
        "t.yaml": "types: {t: {type: object, properties: {a: {$ref: '#/types/t'}, b: {$ref: '#/types/t'}, token: {type: string, writeOnly: true}}}}\n"
        "parameters:\n  line: {type: string, default: alp, description: x}\n  tree: {$ref: '#/types/t', default: {}, description: x}\n"
        "let: {one: '${two.x}', two: '${one.y}'}\n"
        f"functions:\n  f0: {{takes: {{a: {{type: string}}}}, gives: {{type: object}}, is: \"{{'user': a, 'token': a}}\"}}\n{calls}"
        "resources:\n  called (yard.desk): {name: called, login: '${f29(line)}'}\n  grown (yard.tree): {tree: '${tree}'}\n"
        f'  looped (yard.desk): {{$per: {{s: s}}, name: looped, login: "${{s}}", logins: "${{{macros}}}"}}\n  round (yard.desk): {{login: "${{one}}"}}\n',
    }
    project = in_memory(files)
    assert {"value-cycle", "name-unknown", "expression-budget"} <= {each.id for each in project.check().findings}
    assert {"one", "two", "line", "tree"} <= project.template.secret_names
    assert "edelweiss" not in findings_text(project.check().findings, project.source, Style(False, 200), ["live", "sandbox"])
