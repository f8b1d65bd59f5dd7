"""A small project that uses everything once, so that many cases can be tried; and where in a document something can be spoilt."""

from typing import Any


def places_in(document: Any) -> list[tuple[Any, Any]]:
    """Every entry of every map and list of a document: what it stands in, and its key or index."""
    places: list[tuple[Any, Any]] = []
    stack = [document]
    while stack:
        part = stack.pop()
        for key in part if isinstance(part, dict) else range(len(part)) if isinstance(part, list) else ():
            places.append((part, key))
            stack.append(part[key])
    return places


SECRET = "edelweiss-over-the-tunnel"

FILES: dict[str, bytes] = {
    name: text.encode()
    for name, text in {
        "jovial.yaml": """project: halt
template: t.yaml
catalogs: [fulmar, own/]
modules: {pair: pair.yaml}
rulesets: [r.yaml]
lookups: {images: images.csv}
environments:
  sandbox: {parameters: [c.yaml, s.env]}
  live: {parameters: [c.yaml, l.toml], deployed: now.json, labels: {tier: production}}
""",
        "t.yaml": """template: A halt
types: {stop: {type: object, properties: {code: {type: string}, range: {type: string, format: cidr}}, required: [code]}}
parameters:
  line: {type: string, minLength: 2, description: d}
  copies: {type: integer, minimum: 0, default: 2, description: d}
  stops: {type: array, items: {$ref: "#/types/stop"}, description: d}
  desk_password: {type: string, minLength: 8, writeOnly: true, description: d}
  locker: {type: object, writeOnly: true, additionalProperties: true, default: {}, description: d}
  access: {type: object, properties: {user: {type: string}, token: {type: string, writeOnly: true}}, default: {user: u}, description: d}
must: [{require: "copies < 9", message: "Not ${copies}."}]
let:
  prefix: ${line}-${context.environment}
  sizes: {sandbox: xs, live: m}
  codes: ${stops.map(s, s.code)}
  spare: ${?stops[?1]}
  late: {$when: "copies > 2", code: "${?access.?user}", last: "${?stops[?9].optMap(s, s.code)}"}
functions: {named: {takes: {x: {type: string}}, gives: {type: string}, is: 'slug(x, 20)', examples: [{call: 'named("A b")', gives: a-b}]}}
lookups: {image: {in: images, where: 'row.use == "gate"', newest: row.published}}
everywhere: {"fulmar.*": {tags: {line: "${line}"}}}
resources:
  net (fulmar.network): {name: "${prefix}-net", range: 10.0.0.0/16}
  sub (fulmar.subnet):
    $per: {s: stops}
    $key: s.code
    name: ${prefix}-${s.code}
    network: ${net.id}
    range: ${s.?range.orValue("10.0.1.0/24")}
  pool (fulmar.machine_group.v2):
    $when: copies > 0
    name: ${prefix}-pool
    image: ${image.image}
    size: ${sizes[context.environment]}
    copies: ${copies * size(stops)}
    operator_password: ${desk_password}
  queues (pair): {purpose: "${named(line)}"}
  vault (own.safe): {name: "${prefix}", note: "literal-${line}", key: "${access.?token.orValue(locker.?code.orValue('none'))}"}
documents: {start: {from: start.sh, to: "out/${line}.sh"}}
outputs: {spare_code: "${?spare.optMap(s, s.code)}", late_last: "${?late.?last}", ids: "${[net.id]}", pool_name: {value: "${pool.?name.orValue('')}", description: d}}
""",
        "pair.yaml": """parameters: {purpose: {type: string, description: d}}
resources:
  main (fulmar.queue): {name: "${purpose}-main"}
  failed (fulmar.queue): {name: "${purpose}-failed", $after: [main]}
outputs: {url: "${main.url}"}
""",
        "own/safe.yaml": """$id: own.safe.v1
type: object
properties:
  name: {type: string}
  note: {type: string, writeOnly: true}
  key: {type: string, writeOnly: true}
  id: {type: string, readOnly: true}
required: [name]
additionalProperties: false
identity: [name]
""",
        "r.yaml": """ruleset: House
rules:
  sized: {because: b, applies: [fulmar.machine_group], require: 'self.size != "xl"', message: "No ${self.size}."}
  alike: {because: b, over: pair, require: 'left.resources.size() >= 0'}
  few: {because: b, over: environment, require: 'resources.size() < 50'}
""",
        "images.csv": "use,image,published\ngate,gate-1,2026-01-01\ngate,gate-2,2026-02-01\n",
        "start.sh": "echo ${prefix} ${codes.join(',')} ${desk_password} ${missing:-none}\n",
        "c.yaml": "line: alp\nstops: [{code: kes, range: 10.0.2.0/24}, {code: bri}]\ndesk_password: {$secret: {env: DESK_PASSWORD}}\n",
        "s.env": "COPIES=1\n",
        "l.toml": f'copies = 3\n[locker]\ncode = "{SECRET}"\n[access]\nuser = "ada"\ntoken = "{SECRET}"\n',
        "now.json": '{"environment": "live", "resources": {"net": {"type": "fulmar.network.v1", "properties": {"name": "alp-live-net", "id": "n1"}},'
        f' "vault": {{"type": "own.safe.v1", "properties": {{"name": "x", "note": "{SECRET}"}}}},\n "old": {{"type": "gone.v1", "properties": {{"token": "{SECRET}"}}}}}},\n'
        ' "others": [{"type": "x"}]}',
    }.items()
}
