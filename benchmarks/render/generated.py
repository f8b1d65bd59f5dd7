"""A project of any size: a mountain railway with very many stations, written out resource by resource."""

import re
from pathlib import Path

ENVIRONMENTS = ("sandbox", "rehearsal", "live")
_SIZES = ("xs", "s", "m", "l", "xl")
_HEAD = """template: A generated line
parameters:
  line: {type: string, minLength: 3, description: Short name of the line}
  setting: {enum: [sandbox, rehearsal, live], description: Which world this is}
  range: {type: string, format: cidr, description: All addresses}
  copies: {type: integer, minimum: 1, maximum: 9, description: Machines of a pool}
  hours: {type: integer, minimum: 1, maximum: 48, description: How long messages wait}
  password: {type: string, minLength: 12, writeOnly: true, description: For the desk}
let:
  prefix: ${line}-${setting}
  sizes:
    sandbox: {pool: xs, gigabytes: 10, most: 2}
    rehearsal: {pool: s, gigabytes: 20, most: 4}
    live: {pool: l, gigabytes: 40, most: 20}
  scale: ${sizes[setting]}
  tags: {line: "${line}", setting: "${setting}", made_by: jovial-scaffold}
resources:
"""


_RULES = (
    ("fulmar.queue", "self.wait_hours < {}", 200),
    ("fulmar.bucket", "self.encrypted && self.retention_days < {}", 9_000),
    ("fulmar.machine_group", "self.copies < {}", 300),
)


def write_project(
    folder: Path,
    resources: int,
    environments: tuple[str, ...] = ENVIRONMENTS,
    own_conditions: bool = False,
    rules: int = 0,
    wrong: int = 0,
    computed: bool = False,
) -> int:
    """Write a project with about two resources for each distinct expression; gives the bytes of YAML.

    With `own_conditions`, each eight resources, which read one another, have a `$when` that no others have. So many `rules` judge three of
    the types, and so many resources are `wrong` in one line, each by what is written there or by what is `computed`.
    """
    parts = [_HEAD]
    for number in range(resources):
        written = _resource(number)
        if number < wrong:
            written = _spoilt(written, number, computed)
        head, body = written.split("\n", 1)
        parts.append(f"{head}\n{_condition(number // 8) if own_conditions else ''}{body}")
    text = "".join(parts)
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "line.yaml").write_text(text)
    entries = "".join(f"  {name}: {{parameters: [{name}.yaml]}}\n" for name in environments)
    rulesets = "rulesets: [house.yaml]\n" if rules else ""
    (folder / "jovial.yaml").write_text(f"project: generated\ntemplate: line.yaml\ncatalogs: [fulmar]\n{rulesets}environments:\n{entries}")
    if rules:
        (folder / "house.yaml").write_text("ruleset: house\nrules:\n" + "".join(map(_rule, range(rules))))
    for number, name in enumerate(environments):
        (folder / f"{name}.yaml").write_text(
            f"line: alp\nsetting: {ENVIRONMENTS[number % 3]}\nrange: 10.{number}.0.0/16\ncopies: {number % 3 + 1}\nhours: {number % 9 + 4}\n"
            "password: {$secret: {env: DESK_PASSWORD}}\n"
        )
    return len(text)


def _spoilt(written: str, number: int, computed: bool) -> str:
    """A resource with a mistake: in its keys and what is written out, six in turn; or in what is `computed`, four."""
    tags, name = r"tags: \$\{tags\}", "    name: "
    if computed:
        kinds = (
            (tags, "tags: ${line}"),  # the same wrong value as others have
            (tags, f"tags: ${{line + 'x{number}'}}"),
            (name, f"{name}X"),
            (tags, f'tags: {{a: "${{string({number} / (copies - copies))}}"}}'),
        )
    else:
        kinds = (
            (tags, "tags: nothing"),
            (tags, f"tags: text-{number}"),
            (tags, f"tags: {{a: {number}}}"),
            (tags, f"tags: ${{tags}}\n    nonsense: {number}"),
            (name, "    nmae: "),
            (r"    name: .*\n", ""),
        )
    old, new = kinds[number % len(kinds)]
    return re.sub(old, lambda _: new, written, count=1)


def _condition(group: int) -> str:
    """One that holds in every environment, or, of every fourth group, in some."""
    return f"    $when: hours * {group + 2} > {(group + 2) * (5 if group % 4 == 1 else 3)}\n"


def _rule(number: int) -> str:
    kind, condition, least = _RULES[number % 3]
    return f'  rule_{number}: {{because: The line has bounds., applies: [{kind}], require: "{condition.format(least + number)}"}}\n'


def _resource(number: int) -> str:
    """One of eight kinds in turn; every second one holds an expression that no other has."""
    kind = number % 8
    name = f"r{number:05d}"
    first = f"r{number - kind:05d}"  # the network of its group of eight
    if kind == 0:
        return f"""  {name} (fulmar.network):
    name: ${{prefix}}-net-{number}
    range: ${{range}}
    description: Track section {number} between two stations of the upper line
    flow_log: ${{setting == 'live'}}
    tags: ${{tags}}
"""
    if kind == 1:
        return f"""  {name} (fulmar.subnet):
    name: ${{prefix}}-sub-{number}
    network: ${{{first}.id}}
    range: ${{carve(range, 24, {number // 8 % 256})}}
    zone: "${{setting == 'live' ? 'summit' : 'valley'}}"
    tags: ${{tags}}
"""
    if kind in (2, 5):
        return f"""  {name} (fulmar.machine_group):
    name: ${{prefix}}-pool-{number}
    image: base-2026-10
    size: ${{scale.pool}}
    copies: ${{copies + {number % 97}}}
    most_copies: ${{scale.most + copies * {number}  % 100}}
    subnets: ["${{r{number - kind + 1:05d}.id}}"]
    operator_password: ${{password}}
    disks:
      - {{name: data, gigabytes: "${{scale.gigabytes + {number % 89}}}", encrypted: true}}
      - {{name: logs, gigabytes: 20, kind: standard, encrypted: true}}
    settings:
      STATION: Station number {number} of the line
      QUEUE: ${{r{number - kind + 3:05d}.url}}
      HOURS: ${{string(hours + {number})}}
    tags: ${{tags}}
"""
    if kind == 3:
        return f"""  {name} (fulmar.queue):
    name: ${{prefix}}-queue-{number}
    ordered: true
    encrypted: true
    wait_hours: "${{setting == 'live' ? hours * 2 : hours}}"
    claim_seconds: 30
    tags: ${{tags}}
"""
    if kind == 4:
        return f"""  {name} (fulmar.firewall):
    name: ${{prefix}}-fire-{number}
    network: ${{{first}.id}}
    entries:
      - {{name: desk, speaks: tcp, port: 22, from: "${{range}}"}}
      - {{name: tickets, speaks: tcp, port: "${{8000 + {number} % 1000}}", from: "${{range}}"}}
      - $when: setting != 'sandbox'
        name: readings
        speaks: udp
        port: 5683
        from: ${{range}}
    tags: ${{tags}}
"""
    if kind == 6:
        return f"""  {name} (fulmar.bucket):
    name: ${{slug("{name}-" + prefix, 40)}}
    encrypted: true
    versioned: ${{setting != 'sandbox'}}
    retention_days: ${{hours * {number % 50 + 1}}}
    tags: ${{tags}}
"""
    return f"""  {name} (fulmar.machine):
    name: ${{prefix}}-machine-{number}
    image: base-2026-10
    size: {_SIZES[number // 8 % 5]}
    zone: middle
    subnet: ${{r{number - kind + 1:05d}.id}}
    firewalls: ["${{r{number - kind + 4:05d}.id}}"]
    disks:
      - {{name: readings, gigabytes: "${{16 + {number} % 100}}", encrypted: true}}
    tags: ${{tags}}
"""
