"""Planted faults: a project that is as it should be gets one mistake, and what is said of it is one finding, at its line and column."""

import random
import re
from collections.abc import Callable
from typing import NamedTuple

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.reports.words import said

_MARK = re.compile(r"«(\w+)\|([^«»]*)»")
_WORDS = ("pier", "dock", "lamp", "gate", "yard", "mill", "kiln", "barn", "loft", "weir", "quay", "shed", "vault", "tower", "crane", "lock")


class Site(NamedTuple):
    """A place where a mistake can be made: what stands in a file from an offset on."""

    file: str
    start: int
    text: str


class Fault(NamedTuple):
    """A kind of mistake: the site that it is made at, what is written there, and the ids that it may have.

    `at` is the site where the finding stands, with what is added to its offset, if it is not where the mistake is made. `early` is False
    where only an environment shows it.
    """

    site: str
    write: Callable[[str, random.Random], str]
    ids: tuple[str, ...]
    at: tuple[str, int] | None = None
    early: bool = True


def misspelt(text: str, chance: random.Random) -> str:
    """Two letters in the other order, or one too many: near enough to be recognised."""
    at = chance.randrange(1, len(text) - 1)
    swapped = text[:at] + text[at + 1] + text[at] + text[at + 2 :]
    return swapped if swapped != text else f"{text[:at]}{text[at]}{text[at:]}"


def written(*texts: str) -> Callable[[str, random.Random], str]:
    """One of some texts."""
    return lambda _, chance: chance.choice(texts)


FAULTS: dict[str, Fault] = {
    "a misspelt parameter in an expression": Fault("ref", misspelt, ("name-unknown",)),
    "a misspelt named value": Fault("value", misspelt, ("name-unknown",)),
    "a misspelt loop variable": Fault("variable", written("statoin", "stat"), ("name-unknown",)),
    "a misspelt function": Fault("function", misspelt, ("function-unknown",)),
    "a misspelt function of the template": Fault("own", misspelt, ("function-unknown",)),
    "a misspelt property": Fault("property", misspelt, ("property-unknown",)),
    "a misspelt nested property": Fault("nested", misspelt, ("property-unknown",)),
    "a value that is not to choose": Fault("enum", written("huge", "xxxl", "S"), ("property-value",)),
    "a text for an integer": Fault("integer", written("three", '"3"', "3.5"), ("property-type",)),
    "an integer beyond its bounds": Fault("integer", written("-1", "99999"), ("property-range",)),
    "a name with capitals": Fault("name", written("Alp", "_alp"), ("property-pattern",)),
    "an address range that is none": Fault("range", written("10.20.0.0", "10.20.0/16", "ten"), ("property-format",)),
    "a misspelt type": Fault("type", misspelt, ("type-unknown",)),
    "a misspelt directive": Fault("when", written("$wehn", "$if"), ("directive-unknown",)),
    "a misspelt field of what is declared": Fault("field", misspelt, ("field-unknown",)),
    "a misspelt field that is read with care": Fault("careful", misspelt, ("field-unknown",)),
    "a misspelt property of another resource": Fault("read", misspelt, ("property-unknown",)),
    "a misspelt output of a module": Fault("output", misspelt, ("output-unknown",)),
    "a misspelt parameter of a module": Fault("argument", misspelt, ("property-unknown",)),
    "an ill-typed parameter of a module": Fault("given", written("many", "1.5", "[1]"), ("property-type",)),
    "a table without an entry": Fault("entry", written(""), ("key-missing",), at=("index", 6)),
    "a wrong value in a table": Fault("cell", written("3", "[s]"), ("property-type", "property-value")),
    "a position behind the end": Fault("position", written("7", "2"), ("index-range",)),
    "a comparison with what never occurs": Fault("compared", written("'lvie'", "'prod'"), ("comparison-constant",), at=("comparison", 0)),
    "a loop over what is no list": Fault("over", written("line", "copies", "true"), ("loop-invalid",)),
    "a key that is no text": Fault("key", written("station", "[station.code]", "true"), ("key-invalid",)),
    "a misspelt name in `$after`": Fault("after", misspelt, ("name-unknown",)),
    "a condition that is no boolean": Fault("condition", written("copies", "line", "size(stations)"), ("type-mismatch",)),
    "types that do not mix": Fault("added", written("'1'", "1.5", "true"), ("type-mismatch",), at=("sum", 0)),
    "a division by zero": Fault("divisor", written("0"), ("division-by-zero",), at=("quotient", 0)),
    "a text that is no number": Fault("converted", written("'two'", "''"), ("conversion-fails",), at=("conversion", 0)),
    "an ill-typed argument": Fault("passed", written("copies", "1", "[line]"), ("function-argument",), at=("own", 0)),
    "an optional that is none": Fault("optional", written("${?line}"), ("type-mismatch",), at=("optional", 3)),
    "a syntax error": Fault("syntax", written("line +", "(line", "line line"), ("expression-syntax",), at=None),
    "a misspelt keyword of a declaration": Fault("keyword", misspelt, ("key-unknown",)),
    "an ill-typed default": Fault("default", written("many", "'3'", "2.5"), ("default-type",)),
    "a default beyond its bounds": Fault("default", written("0", "77"), ("default-range",)),
    "a reference to no type": Fault("reference", written("#/types/statoin", "#/type/station"), ("schema-invalid",)),
    "a type of JSON Schema that is none": Fault("schema", written("text", "int", "map"), ("schema-invalid",)),
    "a condition over parameters that fails": Fault("must", written("stations > 0", "size(line) > 'a'"), ("type-mismatch",)),
    "a condition over parameters that nothing meets": Fault(
        "must", written("copies > 70", "world == 'lvie'"), ("must-never", "comparison-constant")
    ),
    "a property that only the cloud sets": Fault("free", written("id: abc\n    "), ("property-read-only",)),
    "a required property that is not set": Fault("required", written(""), ("property-missing",), at=("heading", 0)),
    "a misspelt section": Fault("section", misspelt, ("section-unknown",)),
    "a misspelt key of the project file": Fault("setting", misspelt, ("key-unknown",)),
    "a misspelt catalog": Fault("catalog", written("fulmr", "cats/"), ("file-missing",)),
    "a misspelt pattern of a rule": Fault("pattern", misspelt, ("rule-type-unknown",)),
    "a misspelt property in a rule": Fault("ruled", misspelt, ("rule-invalid",)),
    "a misspelt key of a rule": Fault("rulekey", misspelt, ("key-unknown",)),
    "an environment that there is none of, in a rule": Fault(
        "world", written("'lvie'", "'prod'"), ("rule-invalid", "comparison-constant"), at=("where", 0)
    ),
    "a misspelt name of a document": Fault("filled", misspelt, ("name-unknown",)),
    "a misspelt column of a table": Fault("column", misspelt, ("field-unknown",)),
    "the id of another type": Fault("referred", written("${«other».id}"), ("property-reference",), at=("referred", 2)),
    "joined text that cannot fit": Fault("enum", written("x-${world}", '"${line}-${world}"'), ("property-value",)),
    "a name twice": Fault("extra", written("copies: 1\n  ", "line: alp\n  "), ("name-declared-twice",)),
    "a misspelt parameter in a file": Fault("set", misspelt, ("parameter-undeclared",), early=False),
    "an ill-typed value in a file": Fault("number", written("many", "'x'", "[2]"), ("parameter-type",), early=False),
    "a value of a file beyond its bounds": Fault("number", written("0", "88"), ("parameter-range",), early=False),
    "a value of a file that is not to choose": Fault("chosen", written("lvie", "prod"), ("parameter-value",), early=False),
    "a map of a file without what is required": Fault("part", written(""), ("parameter-field-missing",), at=("item", 0), early=False),
    "a misspelt field in a file": Fault("partkey", misspelt, ("parameter-field-unknown",), early=False),
}


class Planned(NamedTuple):
    """A project as it should be, and where mistakes can be made."""

    files: dict[str, str]
    sites: dict[str, list[Site]]


def plan(chance: random.Random) -> Planned:
    """A project of a random world that uses what faults are made of."""
    a, b, c, d, e, f = chance.sample(_WORDS, 6)
    texts = {
        "jovial.yaml": _project(chance),
        "line.yaml": _template(chance, a, b, c, d, e, f),
        "service.yaml": _MODULE,
        "rules.yaml": _RULES,
        "images.csv": "use,image\ngate,gate-7\ndesk,desk-2\n",
        "notice.txt": "Trains of ${«filled|line»} leave at six.\n",
        **{f"parameters/{name}.yaml": _parameters(chance, name) for name in ("sandbox", "live")},
    }
    files, sites = {}, {}
    for name, text in texts.items():
        plain, at = [], 0
        grown = 0
        for mark in _MARK.finditer(text):
            plain.append(text[at : mark.start()])
            grown += mark.start() - at
            sites.setdefault(mark[1], []).append(Site(name, grown, mark[2]))
            plain.append(mark[2])
            grown += len(mark[2])
            at = mark.end()
        files[name] = "".join((*plain, text[at:]))
    return Planned(files, sites)


def _project(chance: random.Random) -> str:
    lines = [
        "project: «plain|railway»",
        "template: line.yaml",
        "catalogs: [«catalog|fulmar»]",
        "«setting|rulesets»: [rules.yaml]",
        "lookups: {images: images.csv}",
        "environments: {sandbox: {labels: {tier: low}}, live: {labels: {tier: high}}}",
    ]
    return "\n".join((lines[0], *chance.sample(lines[1:], len(lines) - 1))) + "\n"


_MODULE = """parameters:
  copies: {type: integer, minimum: 1, maximum: 60, description: How many}
  title: {type: string, minLength: 3, description: What it is called}
resources:
  pool (fulmar.machine_group): {name: "${title}-pool", image: gate-7, size: s, copies: "${copies}"}
outputs:
  pool_name: ${pool.name}
  size: {value: "${pool.size}", description: How large}
"""

_RULES = """ruleset: House rules
rules:
  named:
    because: Names say where it is.
    applies: [«pattern|fulmar.machine_group»]
    where: «where|environment == »«world|'live'»
    «rulekey|require»: self.«ruled|copies» > 0
    message: Too few.
"""


def _parameters(chance: random.Random, world: str) -> str:
    lines = [
        "«set|line»: alp",
        f"world: «chosen|{world}»",
        "copies: «number|3»",
        "stations:\n  - «item|»{«part|code: kes, »«partkey|doors»: 2}\n  - {code: bri, doors: 4}",
        "owner: {name: ada}",
    ]
    return "\n".join(chance.sample(lines, len(lines))) + "\n"


def _template(chance: random.Random, a: str, b: str, c: str, d: str, e: str, f: str) -> str:
    sections = [
        """types:
  station:
    type: object
    properties: {code: {type: string, «keyword|pattern»: "^[a-z]{3}$"}, doors: {type: integer}}
    required: [code, doors]
    additionalProperties: false
""",
        """«section|parameters»:
  line: {type: «schema|string», minLength: 3, maxLength: 9, pattern: "^[a-z]+$", description: Short name}
  world: {enum: [sandbox, live], description: Which}
  copies: {type: integer, minimum: 1, maximum: 60, description: How many}
  spare: {type: integer, minimum: 1, maximum: 60, default: «default|2», description: How many more}
  stations: {type: array, items: {$ref: "«reference|#/types/station»"}, minItems: 2, description: Stations}
  owner: {type: object, properties: {name: {type: string}, phone: {type: string}}, additionalProperties: false, required: [name], description: Who}
""",
        """must:
  - require: «must|size(stations) > 0»
    message: No stations.
""",
        """let:
  prefix: ${«ref|line»}-${world}
  sizes: {«entry|sandbox: xs, »live: «cell|m»}
  codes: [kes, bri]
  «extra|»both: ${copies + spare}
""",
        """functions:
  label_of:
    takes: {word: {type: string}}
    gives: {type: string}
    is: «function|slug»(word, 20)
""",
        """lookups:
  gate_image: {in: images, where: row.use == "gate"}
""",
        """documents:
  notice: {from: notice.txt, to: notice.txt}
""",
        f"""outputs:
  code: ${{stations.map(s, s.«field|code»)[0]}}
  phone: ${{owner.?«careful|phone».orValue('none')}}
  size: ${{{e}.«output|size»}}
  range: ${{{a}.«read|range»}}
  both: ${{both}}
""",
        _resources(chance, a, b, c, d, e, f),
    ]
    return "".join(chance.sample(sections, len(sections)))


def _resources(chance: random.Random, a: str, b: str, c: str, d: str, e: str, f: str) -> str:
    resources = [
        f"""  «heading|»{a} («type|fulmar.network»):
    name: "«name|alp»-{a}"
«required|    range: 10.20.0.0/16
»""",
        f"""  {b} (fulmar.subnet):
    $per: {{station: «over|stations»}}
    $key: «key|station.code»
    «free|»name: "{b}-${{«variable|station».code}}"
    network: «referred|${{{a}.id}}»
    range: "«range|10.20.${{station.code == 'kes' ? 1 : 2}}.0/24»"
    zone: valley
""",
        f"""  {c} (fulmar.machine_group):
    «when|$when»: «condition|world == 'live' || copies > 2»
    $after: [«after|{a}»]
    name: "${{«own|label_of»(«passed|line»)}}-{c}"
    image: ${{gate_image.«column|image»}}
    size: ${{«index|sizes[world]»}}
    copies: ${{«sum|copies + »«added|1»}}
    «property|settings»: {{line: "${{«value|prefix»}}"}}
""",
        f"""  {d} (fulmar.machine_group):
    name: {d}-group
    image: gate-7
    size: «enum|s»
    copies: «integer|3»
    health: {{path: /, «nested|every_seconds»: 12}}
    settings:
      mode: "${{«comparison|world == »«compared|'live'» ? 'open' : 'closed'}}"
      code: ${{codes[«position|1»]}}
      half: ${{string(«quotient|copies / »«divisor|2»)}}
      seven: ${{string(«conversion|int»(«converted|'7'»))}}
      also: "${{«syntax|line»}}"
      phone: «optional|${{?owner.?phone}}»
""",
        f"""  {e} (./service.yaml): {{«argument|title»: {e}-service, copies: «given|2»}}
""",
        f"""  {f} (fulmar.network): {{name: {f}-net, range: 10.30.0.0/16}}
""",
    ]
    return "resources:\n" + "".join(chance.sample(resources, len(resources)))


class Result(NamedTuple):
    """What was said of a planted fault."""

    fault: str
    early: bool  #: before any environment
    missed: bool  #: nothing of its id was said
    misplaced: bool
    more: int  #: findings beside it
    told: tuple[str, ...]

    @property
    def is_good(self) -> bool:
        """Whether it is one finding at its place."""
        return not (self.missed or self.misplaced or self.more)


def plant(chance: random.Random, name: str) -> list[Result]:
    """A fault in a project, and what is said of it before any environment and with all. Raises where the project itself is at fault."""
    planned = plan(chance)
    fine = findings_of(planned.files, False)
    assert not fine, [say_of(each) for each in fine]
    fault = FAULTS[name]
    site = chance.choice(planned.sites[fault.site])
    new = fault.write(site.text, chance).replace("«other»", _other(planned, site))
    text = planned.files[site.file]
    files = {**planned.files, site.file: text[: site.start] + new + text[site.start + len(site.text) :]}
    place = _place(planned, fault, site, files, len(new) - len(site.text))
    results = []
    for early in (True, False) if fault.early else (False,):
        found = findings_of(files, early)
        mine = [each for each in found if each.id in fault.ids]
        placed = [each for each in mine if each.span and (each.span.file, each.span.line, each.span.column) in place]
        results.append(Result(name, early, not mine, bool(mine) and not placed, len(found) - 1, tuple(map(say_of, found))))
    return results


def _other(planned: Planned, site: Site) -> str:
    """A resource of another type than the one that is referred to: the last one of the machines."""
    match = re.search(r"^  (\w+) \(fulmar\.machine_group\):\n    name: \w+-group", planned.files["line.yaml"], re.MULTILINE)
    assert match is not None
    return match[1]


def _place(planned: Planned, fault: Fault, site: Site, files: dict[str, str], grown: int) -> set[tuple[str, int, int]]:
    """Where the finding may stand: where the mistake was made, or at the start of the value or expression that holds it."""
    name, more = fault.at or (fault.site, 0)
    near = [each for each in planned.sites[name] if each.file == site.file] or planned.sites[name]
    target = site if name == fault.site else min(near, key=lambda each: abs(each.start - site.start))
    start = target.start + more + (grown if target.file == site.file and target.start > site.start else 0)
    text = files[target.file]
    places = {start}
    line_start = text.rfind("\n", 0, start) + 1
    before = text[line_start:start]
    for opening in ('"', "${", '"${', "'"):  # a value in quotes begins before the word
        if before.endswith(opening):
            places |= {start - len(opening), start - len(opening) + opening.find("$") if "$" in opening else start}
    if fault.site in ("syntax",):
        places |= set(range(start, start + 12))
    return {(target.file, text.count("\n", 0, each) + 1, each - (text.rfind("\n", 0, each) + 1) + 1) for each in places}


def say_of(finding: Finding) -> str:
    """A finding in a line."""
    span = finding.span
    return f"{finding.id} {f'{span.file}:{span.line}:{span.column}' if span else '-'} {said(finding.message)}"


def findings_of(files: dict[str, str], early: bool) -> list[Finding]:
    """What check says, before any environment or of all."""
    try:
        project = Project(MemoryFolder({name: text.encode() for name, text in files.items()}))
    except ProjectError as error:
        return list(error.findings)
    return list(project.check(template_only=early).findings)


def attempt(chance: random.Random) -> str:
    """One planted fault, which must be one finding at its place."""
    name = chance.choice(sorted(FAULTS))
    for result in plant(chance, name):
        assert result.is_good, result
    return "errors"


if __name__ == "__main__":
    import collections
    import sys

    bad: dict[str, Result] = {}
    counts: collections.Counter[str] = collections.Counter()
    for number in range(int(sys.argv[1])):
        for fault in FAULTS:
            for result in plant(random.Random(f"{fault} {number}"), fault):
                when = "before" if result.early else "with"
                counts[f"{when}: all"] += 1
                counts[f"{when}: missed"] += result.missed
                counts[f"{when}: misplaced"] += result.misplaced
                counts[f"{when}: with more"] += result.more > 0
                counts[f"{when}: good"] += result.is_good
                if not result.is_good:
                    bad.setdefault(f"{fault} ({when})", result)
    for key, result in bad.items():
        print(key, "MISSED" if result.missed else "MISPLACED" if result.misplaced else "MORE", *result.told, sep="\n    ")
    print(dict(counts))
