"""Parity: which differences are intended, kept in a file beside the project, and what is not in it (docs/comparing.md)."""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.aspects import Aspects
from jovial_scaffold.core.changes.matrix import Comparison, Row, row_label
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import NOWHERE, Origin, Source, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Described, Operand, Sentence, Value, listed, nearest, say

ANY = "any"
KEYS = ("expected", "environments", "echoes", "aspects", "differences", "$schema")
_LISTS = {
    "environments": ("what is compared", "[rehearsal, live]"),
    "echoes": ("parameters that texts may repeat", "[setting]"),
    "aspects": ("what any difference may be about", "[naming]"),
}
_PRESENT = "$present"
_ADDRESS = "$address"
_WILD = frozenset("*?")


@value_record
class Entry:
    """A difference that is intended: patterns of address and property, and the values by column, or any."""

    address: str
    part: str
    values: Any
    origin: Origin

    @property
    def open(self) -> bool:
        """Whether it is about more than one property with one set of values: then a person wrote it."""
        return _is_any(self.values) or bool(_WILD & set(self.address + self.part))

    def covers(self, row: Row) -> bool:
        """Whether it is about the row, whatever its values are."""
        return _fits(self.address, row.address) and _fits(self.part, _property(row))


def _is_any(values: Any) -> bool:
    return isinstance(values, str) and values == ANY


def _fits(written: str, text: str) -> bool:
    return bool(pattern(written).match(text)) if _WILD & set(written) else written == text


@value_record
class Expectations:
    """A file of intended differences: entries, parameters that texts may repeat (`echoes`), and what any difference may be about (`aspects`)."""

    environments: tuple[str, ...]
    entries: tuple[Entry, ...]
    origin: Origin
    echoes: tuple[str, ...] = ()
    aspects: tuple[str, ...] = ()

    def names(self, row: Row, aspects: Aspects) -> tuple[tuple[str, str], ...]:
        """The echoes and aspects of the file, each as its key and a name, that say that a row is meant, whatever it is in."""
        repeated = [each.parameter for each in row.drivers] if row.echo else []
        found = tuple(("echoes", each) for each in repeated) if repeated and set(repeated) <= set(self.echoes) else ()
        about = aspects.of(row) if self.aspects else ""
        return (*found, ("aspects", about)) if about in self.aspects else found

    def covering(self) -> Callable[[Row], list[int]]:
        """A function that gives the numbers of the entries about a row; most name one address, and are found by it."""
        exact: dict[str, list[int]] = {}
        wild: list[int] = []
        for number, each in enumerate(self.entries):
            (wild if _WILD & set(each.address) else exact.setdefault(each.address, [])).append(number)

        def found(row: Row) -> list[int]:
            return [number for number in (*exact.get(row.address, ()), *wild) if self.entries[number].covers(row)]

        return found


def _property(row: Row) -> str:
    """A row's property as the file writes it."""
    return {"presence": _PRESENT, "address": _ADDRESS}.get(row.kind) or pointer_text(row.pointer) or "$value"


def _values(row: Row, environments: Sequence[str]) -> Any:
    """A row's values as the file writes them: any, where a secret must not be written or a line of a document is meant."""
    if row.kind == "presence":
        return [name for name in environments if name in row.values]
    values = {name: to_json(row.values[name]) for name in environments if name in row.values}
    hidden = row.type == "document" or any(any(deep_marks(value)[1:]) for value in row.values.values())
    return ANY if hidden else values


def read_expectations(source: Source) -> tuple[Expectations, list[Finding]]:
    """A file of intended differences, and what is wrong with it."""
    findings: list[Finding] = []
    whole, origin = source.value, Origin(source, ())

    def report(message: Sentence, span: Span, hint: Sentence = NOTHING) -> None:
        findings.append(Finding("expectation-shape", "error", message, span, hint))

    if not isinstance(whole, dict):
        if whole is not UNKNOWN:
            hint = say("`jovial compare --expect FILE --accept` writes one.")
            report(say("A file of expected differences is a map, and this is {}.", Described(whole)), origin.value_span(), hint)
        return Expectations((), (), origin), findings
    for key in whole:
        if key not in KEYS:
            hint = nearest(key, KEYS, say("Its keys are {}.", listed(KEYS[:-1])))
            report(say("A file of expected differences has no key `{}`.", key), origin.child(key).key_span(), hint)
    listings = {key: whole.get(key) or [] for key in _LISTS}
    for key, names in listings.items():
        if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
            about, example = _LISTS[key]
            report(say("`{}` lists {}.", key, about), origin.child(key).value_span(), say("For example: {}", example))
            listings[key] = []
    entries: list[Entry] = []
    differences = whole.get("differences") or {}
    if not isinstance(differences, dict):
        report(say("`differences` is a map by address, and this is {}.", Described(differences)), origin.child("differences").value_span())
        differences = {}
    for address, content in differences.items():
        place = origin.child("differences", address)
        if _is_any(content):
            entries.append(Entry(address, "*", ANY, place))
        elif isinstance(content, dict):
            entries += [Entry(address, name, values, place.child(name)) for name, values in content.items()]
        elif content is not UNKNOWN:
            hint = say("For example: {copies: {rehearsal: 1, live: 3}}, or any.")
            report(
                say("What is expected of an address is a map by property, and this is {}.", Described(content)), place.value_span(), hint
            )
    return Expectations(
        tuple(listings["environments"]), tuple(entries), origin, tuple(listings["echoes"]), tuple(listings["aspects"])
    ), findings


def renamed(expectations: Expectations, renderings: Sequence[Evaluated]) -> Expectations:
    """The same, with what was renamed under the address that it has now."""
    renames = [each.renames for each in renderings]
    there = {address for each in renderings for address in each.resources}

    def newest(entry: Entry) -> Entry:
        found = (each.followed(entry.address, there) for each in renames)
        address = next((each for each in found if each is not None), entry.address)
        return entry if address == entry.address else replace(entry, address=address)

    return replace(expectations, entries=tuple(map(newest, expectations.entries))) if any(renames) else expectations


def unexpected(comparison: Comparison, expectations: Expectations, renderings: Sequence[Evaluated]) -> list[Finding]:
    """What differs and was not expected to, or not in this way; and what was expected and does not differ."""
    findings = []
    strange = [name for name in comparison.environments if expectations.environments and name not in expectations.environments]
    if strange:
        message = say("These expectations are about {}, and {} is compared.", listed(expectations.environments), listed(strange))
        span = expectations.origin.child("environments").value_span()
        return [Finding("expectation-environments", "error", message, span, say("Compare the same, or keep another file for these."))]
    used: set[int] = set()
    named: set[tuple[str, str]] = set()
    covering_of, aspects = expectations.covering(), Aspects(comparison)
    for row in comparison.differences:
        covering, names = covering_of(row), expectations.names(row, aspects)
        used.update(covering)
        named.update(names)
        if names:
            continue
        values = _values(row, comparison.environments)
        meant = [expectations.entries[number] for number in covering]
        if any(_is_any(each.values) or same(each.values, values) for each in meant):
            continue
        told = _told(row, comparison)
        related = tuple(Related(each.origin.key_span(), say("Another difference is expected here.")) for each in meant)
        expected = say(", and expected is {}", _meant(meant[0].values)) if meant else ", and no difference is expected there"
        hint = say("Make them equal, or accept it: jovial compare --expect FILE --accept")
        at = _span(row, renderings)
        pointer = pointer_text(row.pointer)
        findings.append(
            Finding(
                "difference-unexpected",
                "error",
                say("{}{}.", told, expected),
                at,
                hint,
                row.address,
                pointer,
                comparison.environments,
                related,
            )
        )
    for number, each in enumerate(expectations.entries):
        if number not in used and (_WILD & set(each.address) or comparison.fits(each.address)):
            message = say("{} does not differ in `{}` any more.", each.address, each.part)
            findings.append(Finding("expectation-stale", "warning", message, each.origin.key_span(), say("Remove it: --accept does that.")))
    return findings + (list(_stale_names(expectations, named)) if comparison.is_whole else [])


def _stale_names(expectations: Expectations, named: set[tuple[str, str]]) -> Iterator[Finding]:
    """The echoes and aspects that nothing is about any more."""
    for key, names in (("echoes", expectations.echoes), ("aspects", expectations.aspects)):
        for index, name in enumerate(names):
            if (key, name) not in named:
                about = (
                    say("No text repeats `{}` any more", name)
                    if key == "echoes"
                    else say("Nothing differs that is about {} any more", name)
                )
                span = expectations.origin.child(key, index).value_span()
                yield Finding("expectation-stale", "warning", say("{}.", about), span, say("Remove it: --accept does that."))


def _meant(values: Any) -> Operand:
    if isinstance(values, dict):
        return listed(say("{} in {}", Value(value), name) for name, value in values.items())
    return say("to be in {}", listed(map(str, values))) if isinstance(values, list) else Value(values)


def _told(row: Row, comparison: Comparison) -> Sentence:
    if row.kind == "presence":
        return say("{} is in {} and not in {}", row.address, listed(row.values), listed(row.absent))
    parts: list[Sentence] = []
    for name in comparison.environments:
        if name in row.values:
            parts.append(say("{} in {}", Value(row.values[name]), name))
        elif name in row.absent:
            parts.append(say("not set in {}", name))
    return say("{} is {}", row_label(row), listed(parts))


def _span(row: Row, renderings: Sequence[Evaluated]) -> Span | None:
    """Where the property is written, in the last column that has it."""
    for rendering in reversed(renderings):
        resource = rendering.resources.get(row.address)
        if resource is not None:
            at = row.at.get(rendering.label, ())
            return tracer_of(resource.instance.scope).place(resource.instance, at)
        if row.address in rendering.documents:
            return rendering.documents[row.address].document.origin.key_span()
        output = rendering.scope.template.output_at(row.address)
        if output is not None:
            return output.value.origin.value_span()
    return None


def accepted(comparison: Comparison, before: Expectations | None) -> dict[str, Any]:
    """The differences as the content of a file: by address and property, sorted. What people wrote with patterns or `any` stays while
    it covers something, and what it covers is not written again; so does what this comparison did not look at. In a new file, texts that only
    repeat parameters are one list of these; in one that is there, only if they were so before."""
    aspects = Aspects(comparison)
    if before is None:
        repeated = {each.parameter for row in comparison.differences if row.echo for each in row.drivers}
        before = Expectations((), (), NOWHERE, tuple(sorted(repeated)))
    elif before.echoes:
        repeated = {each.parameter for row in comparison.differences if row.echo for each in row.drivers}
        before = replace(before, echoes=tuple(sorted(repeated if comparison.is_whole else {*repeated, *before.echoes})))
    covering = before.covering()
    covered = [(row, [number for number in covering(row) if before.entries[number].open]) for row in comparison.differences]
    used = {number for _, numbers in covered for number in numbers}
    kept = [before.entries[number] for number in sorted(used)]
    kept += [each for each in before.entries if not each.open and not comparison.fits(each.address)]
    named = [(row, before.names(row, aspects)) for row in comparison.differences]
    about = {name for _, names in named for key, name in names if key == "aspects"}
    differences: dict[str, Any] = {}
    for address, property, values in _written(
        comparison, kept, [row for (row, numbers), (_, names) in zip(covered, named, strict=True) if not numbers and not names]
    ):
        if property == "*" and _is_any(values):
            differences[address] = ANY
        elif not _is_any(differences.get(address)):
            differences.setdefault(address, {})[property] = values
    ordered = {
        address: content if _is_any(content) else {name: content[name] for name in sorted(content)}
        for address, content in sorted(differences.items())
    }
    listings = {"echoes": list(before.echoes), "aspects": [each for each in before.aspects if each in about or not comparison.is_whole]}
    return {
        "environments": list(comparison.environments),
        **{key: names for key, names in listings.items() if names},
        "differences": ordered,
    }


def _written(comparison: Comparison, kept: list[Entry], rows: list[Row]) -> Iterator[tuple[str, str, Any]]:
    for each in kept:
        yield each.address, each.part, each.values
    for row in rows:
        whole = row.kind == "document"
        yield row.address, "*" if whole else _property(row), _values(row, comparison.environments)
