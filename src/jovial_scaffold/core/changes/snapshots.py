"""What runs in an environment now, as JSON (docs/effects.md): read from a file, or recorded from a rendering."""

import hashlib
import hmac
import json
import os
from collections.abc import Callable, Iterator, Mapping
from dataclasses import field
from typing import Any, Final

from jovial_scaffold.core.expressions.marked import entries_from_json, to_json
from jovial_scaffold.core.expressions.pending import Pending, comparable, filled_in, is_bare
from jovial_scaffold.core.expressions.values import UNSEEN, Secret, deep_marks, revealed
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.rendering.results import RenderedDocument, Rendering
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.schemas.shapes import Shape
from jovial_scaffold.core.text.discretion import SECRETIVE
from jovial_scaffold.core.text.roles import misplaced
from jovial_scaffold.core.text.source import Origin, Source, split_pointer, steps_in, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.wording import kind as kind_of
from jovial_scaffold.core.words import NOTHING, Derived, Sentence, listed, nearest, say

FORMAT = "jovial-snapshot/2"
EARLIER = "jovial-snapshot/1"  #: which has what was recorded beside the resources
KEYS = ("environment", "resources", "others", "recorded", "format", "project", "hashed", "key", "run", "parameters", "$schema")
RECORDED_KEYS = ("parameters", "revision", "run", "keep", "after", "outputs", "documents")
RESOURCE_KEYS = ("type", "properties", "after", "keep")
_RUN_KEY: Final = os.urandom(32)  # for comparing within this run only; nothing that is hashed with it is written
_REVISION = regex("[0-9a-f]{7,64}")
_TOKEN = regex(r"[A-Za-z0-9_.:-]+")


@value_record
class Hash:
    """What a snapshot has in the place of a secret: a keyed hash."""

    text: str


@value_record
class Deployed:
    """A resource that runs. `set_by_cloud` are its `readOnly` properties; `properties` the others, with marks."""

    address: str
    type_text: str
    type: ResourceType | None
    properties: dict[str, Any]
    set_by_cloud: dict[str, Any]
    after: tuple[str, ...]
    keep: bool
    origin: Origin


@value_record
class Snapshot:
    """All that runs in an environment. `key` is what its secrets are hashed with, where somebody handed in the one that it was recorded
    with; then whether a secret changed is known."""

    name: str
    environment: str
    resources: dict[str, Deployed]
    others: tuple[Any, ...]
    parameters: dict[str, Any]
    run: dict[str, str]
    key: str
    recorded: bool  #: whether `jovial record` wrote all of it
    revision: str  #: of the project, when it was recorded; nothing where that is not known
    outputs: dict[str, Any] | None  #: as they were recorded; None where they were not
    documents: dict[str, Any] | None  #: the same, each with `to`, `text` and, where it holds secrets, a hash as `secret`
    hashes: dict[str, str] = field(default_factory=dict)

    def hidden(self, value: Any) -> Any:
        """The value with what its secrets hold replaced by hashes, so that two that are hidden can be compared and shown."""
        if isinstance(value, Secret):
            if value.value is UNSEEN or isinstance(value.value, Hash):
                return Secret(value.value.text) if isinstance(value.value, Hash) and self.key else Secret(UNSEEN)
            return Secret(secret_hash(value, self.key, self.hashes))
        if isinstance(value, dict):
            return {key: self.hidden(item) for key, item in value.items()}
        return [self.hidden(item) for item in value] if isinstance(value, list) else value


def secret_hash(secret: Secret, key: str, known: dict[str, str]) -> str:
    """A keyed hash of a secret value. With a key from outside it is slow on purpose (scrypt, RFC 7914), as it may be written into a file;
    without one it never leaves the run (`run_hash`). `known` keeps what was hashed already."""
    text = json.dumps(revealed(secret), sort_keys=True, default=_hashed)
    if text not in known:
        known[text] = hashlib.scrypt(text.encode(), salt=key.encode(), n=2**14, r=8, p=1, dklen=20).hex() if key else run_hash(text)
    return known[text]


def _hashed(value: Any) -> Any:
    return comparable(value) if isinstance(value, Pending) else repr(value)


def run_hash(text: str) -> str:
    """A hash that means something within this run only."""
    return hmac.new(_RUN_KEY, text.encode(), "sha256").hexdigest()


def key_mark(key: str) -> str:
    """By which a key is known again: a part of a hash of it, far too short to find the key by."""
    return hashlib.scrypt(b"jovial", salt=key.encode(), n=2**14, r=8, p=1, dklen=2).hex()


def read_snapshot(source: Source, catalogs: Catalogs, hash_key: str = "") -> tuple[Snapshot | None, list[Finding]]:
    """A snapshot from a file; what is wrong with it, all of it. `hash_key` is what its secrets may be hashed with."""
    findings: list[Finding] = []
    whole, origin = source.value, Origin(source, ())

    def report(message: Sentence, span: Span, hint: Sentence = NOTHING, warning: bool = False) -> None:
        findings.append(Finding("snapshot-shape", "warning" if warning else "error", message, span, hint))

    wrong = (
        misplaced(source, "a snapshot", say("`jovial record` writes one."))
        if not isinstance(whole, dict) or "environment" not in whole
        else None
    )
    if wrong is not None:
        return None, [wrong]
    if not isinstance(whole, dict) or not isinstance(whole.get("resources"), dict):
        if whole is not UNKNOWN:
            found = Derived(kind_of(whole)) if not isinstance(whole, dict) else "one without `resources`"
            hint = say('For example: {"environment": "live", "resources": {"track_net": {"type": "fulmar.network", "properties": {}}}}')
            report(say("A snapshot is a map with `environment` and `resources`, and this is {}.", found), origin.value_span(), hint)
        return None, findings
    for key in whole:
        if key not in KEYS:
            hint = nearest(key, KEYS, say("Its keys are {}.", listed(KEYS[:4])))
            report(say("A snapshot has no key `{}`.", key), origin.child(key).key_span(), hint, warning=True)
    recorded = _recorded(whole, origin, report)
    resources = _resources(whole["resources"], recorded, origin, catalogs, report)
    others = whole.get("others", [])
    if not isinstance(others, list):
        report(
            say("`others` is a list of what is not ours, and this is {}.", Derived(kind_of(others))), origin.child("others").value_span()
        )
        others = []
    is_same_key = _is_same_key(whole, origin, hash_key, findings)
    texts = {name: value for name, value in _map(recorded.get("run")).items() if isinstance(value, str)}
    revision, documents = recorded.get("revision"), recorded.get("documents")
    snapshot = Snapshot(
        source.name,
        str(whole.get("environment", "")),
        resources,
        tuple(others),
        entries_from_json(_map(recorded.get("parameters")), _secret),
        texts,
        hash_key if is_same_key else "",
        whole.get("format") in (FORMAT, EARLIER),
        revision if isinstance(revision, str) else "",
        _filled_in(entries_from_json(recorded["outputs"], _secret), resources) if isinstance(recorded.get("outputs"), dict) else None,
        entries_from_json(documents, _secret) if isinstance(documents, dict) else None,
    )
    return snapshot, findings


def _is_same_key(whole: dict[str, Any], origin: Origin, hash_key: str, findings: list[Finding]) -> bool:
    """Whether the key that was handed in is the one that secrets were hashed with; says where it is another, or stands beside them."""
    if "key" in whole:
        message = say("The key of the hashes stands beside them, so whoever has the file can guess the secrets.")
        hint = say("Record it anew, with the key in JOVIAL_SNAPSHOT_KEY or --key-file.")
        findings.append(Finding("snapshot-key", "warning", message, origin.child("key").key_span(), hint))
    hashed = whole.get("hashed")
    is_same = bool(hash_key) and hashed is not None and hashed == key_mark(hash_key)
    if hash_key and hashed is not None and not is_same:
        message = say("The snapshot was recorded with another key, so whether a secret changed is not known.")
        findings.append(Finding("snapshot-key", "warning", message, origin.child("hashed").value_span(), say("Hand in the key of then.")))
    return is_same


def _resources(
    written: dict[str, Any], recorded: dict[str, Any], origin: Origin, catalogs: Catalogs, report: Callable[..., None]
) -> dict[str, Deployed]:
    """What runs, by address, with what was recorded of each."""
    kept, waited = recorded.get("keep"), _map(recorded.get("after"))
    found: dict[str, Deployed] = {}
    for address, content in written.items():
        if isinstance(content, dict) and isinstance(kept, list) and address in kept:
            content = {**content, "keep": True}
        if isinstance(content, dict) and _are_texts(waited.get(address)):
            content = {**content, "after": waited[address]}
        deployed = _deployed(address, content, origin.child("resources", address), catalogs, report) if content is not UNKNOWN else None
        if deployed is not None:
            found[address] = deployed

    return {address: replace(each, properties=_filled_in(each.properties, found)) for address, each in found.items()}


def _filled_in(value: Any, deployed: Mapping[str, Deployed]) -> Any:
    """What was recorded before the cloud said it, with what it has said since; the value itself where nothing in it is pending."""

    def known(address: str, path: str) -> Any:
        cloud = deployed[address].set_by_cloud if address in deployed else {}
        return value_at(cloud, steps_in(cloud, split_pointer(path)), UNSEEN)

    def filled(value: Any) -> Any:
        kind = type(value)
        if kind is Pending:
            return filled_in(value, known, UNSEEN)
        if kind is dict and any(deep_marks(value)[0]):
            return {key: filled(item) for key, item in value.items()}
        if kind is list and any(deep_marks(value)[0]):
            return [filled(item) for item in value]
        return value

    return filled(value)


def _recorded(whole: dict[str, Any], origin: Origin, report: Callable[..., None]) -> dict[str, Any]:
    """What was recorded beside what runs."""
    recorded = whole.get("recorded", {key: whole[key] for key in ("parameters", "run") if key in whole})
    if not isinstance(recorded, dict):
        place = origin.child("recorded")
        report(
            say("`recorded` is a map, and this is {}.", Derived(kind_of(recorded))), place.value_span(), say("`jovial record` writes it.")
        )
        return {}
    for key in recorded if "recorded" in whole else ():
        if key not in RECORDED_KEYS:
            hint = nearest(key, RECORDED_KEYS, say("Its keys are {}.", listed(RECORDED_KEYS)))
            report(say("`recorded` has no key `{}`.", key), origin.child("recorded", key).key_span(), hint, warning=True)
    above = ("recorded",) if "recorded" in whole else ()
    for key, (is_one, meant) in _RECORDED.items():
        if key in recorded and recorded[key] is not UNKNOWN and not is_one(recorded[key]):
            report(say("`{}` is {}.", key, Derived(meant)), origin.child(*above, key).value_span(), say("`jovial record` writes it."))
    kept = recorded.get("keep")
    for at, address in enumerate(kept) if isinstance(kept, list) else ():
        if isinstance(address, str) and address not in whole["resources"]:
            hint = nearest(address, whole["resources"])
            report(say("`{}` is none of what runs.", address), origin.child(*above, "keep", at).value_span(), hint, warning=True)
    return recorded


def _are_texts(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(each, str) for each in value)


def _is_map_of(kind: Callable[[Any], bool]) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, dict) and all(kind(each) or each is UNKNOWN for each in value.values())


_RECORDED: Final[dict[str, tuple[Callable[[Any], bool], str]]] = {  # what each is, and in words
    "parameters": (_is_map_of(lambda _: True), "a map of values by parameter"),
    "revision": (lambda value: isinstance(value, str) and _REVISION.fullmatch(value) is not None, "the hash of a revision"),
    "run": (_is_map_of(lambda each: isinstance(each, str)), "a map of texts"),
    "keep": (_are_texts, "a list of addresses"),
    "after": (_is_map_of(_are_texts), "a map of lists of addresses by address"),
    "outputs": (_is_map_of(lambda _: True), "a map of values by output"),
    "documents": (_is_map_of(lambda each: isinstance(each, dict)), "a map of maps, with `text`, by document"),
}


def _deployed(address: str, content: Any, place: Origin, catalogs: Catalogs, report: Callable[..., None]) -> Deployed | None:
    """One resource of the file; None where it is none, which is reported as `read_snapshot` does."""
    if not isinstance(content, dict) or not isinstance(content.get("type"), str):
        report(
            say("`{}` is a map with `type` and `properties`.", address),
            place.key_span(),
            say('For example: {"type": "fulmar.network", "properties": {}}'),
        )
        return None
    properties = content.get("properties", {})
    if not isinstance(properties, dict):
        report(
            say("`properties` of {} is a map, and this is {}.", address, Derived(kind_of(properties))),
            place.child("properties").value_span(),
        )
        return None
    for key in content:
        if key not in RESOURCE_KEYS:
            hint = nearest(key, RESOURCE_KEYS, say("Its keys are {}.", listed(RESOURCE_KEYS)))
            report(say("A resource of a snapshot has no key `{}`.", key), place.child(key).key_span(), hint, warning=True)
    for key, is_one, meant in (
        ("keep", isinstance(content.get("keep", False), bool), "true or false"),
        ("after", _are_texts(content.get("after", [])), "a list of addresses"),
    ):
        if not is_one and content[key] is not UNKNOWN:
            report(say("`{}` of {} is {}.", key, address, Derived(meant)), place.child(key).value_span())
    kind = catalogs.find(content["type"])
    if kind is None and not catalogs.types_unknown:
        report(
            say("`{}` is of a type that no catalog knows: {}.", address, content["type"]),
            place.child("type").value_span(),
            catalogs.advice(content["type"]),
            warning=True,
        )
    marked = entries_from_json(properties, _secret)
    if kind:
        own, cloud = _split(kind.shape, _with_unknown_hidden(kind.schema, marked))
    else:
        own, cloud = _guessed(marked, every=catalogs.types_unknown), None
    after = content.get("after", [])
    names = tuple(each for each in after if isinstance(each, str)) if isinstance(after, list) else ()
    type_text = kind.id if kind else content["type"]
    return Deployed(address, type_text, kind, own or {}, cloud or {}, names, content.get("keep") is True, place)


def _map(value: Any) -> dict[str, Any]:
    return value if isinstance(value, dict) else {}


def _secret(held: Any) -> Secret:
    """What stands under `$secret`: a hash, or that there is one."""
    return Secret(Hash(held) if isinstance(held, str) else UNSEEN)


def _split(shape: Shape | None, value: Any) -> tuple[Any, Any]:
    """A value without what the cloud sets, and only that; texts at `writeOnly` properties become secret."""
    if shape is None:
        return value, None
    if shape.write_only and not isinstance(value, Secret) and not (isinstance(value, Pending) and is_bare(value)):
        return Secret(value), None
    if isinstance(value, dict):
        own: dict[str, Any] = {}
        cloud: dict[str, Any] = {}
        for name, item in value.items():
            below = shape.of(name)
            if below is not None and below.read_only:
                cloud[name] = item
            else:
                own[name] = _split(below, item)[0]
        return own, cloud
    if isinstance(value, list):
        return [_split(shape.item(index), item)[0] for index, item in enumerate(value)], None
    return value, None


def _with_unknown_hidden(schema: Mapping[str, Any], properties: dict[str, Any]) -> dict[str, Any]:
    """Properties, with those marked secret that the type does not have (any more): what they held, nobody says."""
    if schema.get("additionalProperties") is not False or schema.keys() & {"patternProperties", "allOf", "anyOf", "oneOf", "$ref"}:
        return properties
    known = schema.get("properties", {})
    return {name: item if name in known or isinstance(item, Secret | Pending) else Secret(item) for name, item in properties.items()}


def _guessed(value: Any, every: bool) -> Any:
    """The properties of a type that nobody describes, with texts marked secret: those whose keys sound so, or `every` one where the type's
    catalog is there and could not be read."""
    if isinstance(value, dict):
        return {
            key: Secret(item) if isinstance(item, str) and (every or SECRETIVE.search(key)) else _guessed(item, every)
            for key, item in value.items()
        }
    if isinstance(value, list):
        return [_guessed(item, every) for item in value]
    return Secret(value) if every and isinstance(value, str) else value


def snapshot_document(
    project: str, rendering: Rendering, run: Mapping[str, str], key: str, others: tuple[Any, ...] = (), revision: str = ""
) -> dict[str, Any]:
    """`jovial-snapshot/2`: a rendering as what runs, and what it was made from and with. In the place of secrets stand marks, with a key
    from outside keyed hashes; the key is never written. `revision` is that of the files it was made from."""
    known: dict[str, str] = {}

    def secret(value: Secret) -> Any:
        return {"$secret": secret_hash(value, key, known) if key and value.value is not UNSEEN else True}

    resources = {
        address: {
            "type": each.type_text,
            "properties": to_json(without_unknown(each.properties), secret),
        }
        for address, each in sorted(rendering.resources.items())
    }
    parameters = {name: to_json(value, secret) for name, value in sorted(rendering.parameters.values.items()) if value is not UNKNOWN}
    return {
        "format": FORMAT,
        "project": project,
        "environment": rendering.environment,
        **({"hashed": key_mark(key)} if key else {}),
        "recorded": {
            "parameters": parameters,
            **({"revision": revision} if revision else {}),
            "run": dict(run),
            "keep": [address for address, each in sorted(rendering.resources.items()) if each.keep],
            "after": {address: list(each.after) for address, each in sorted(rendering.resources.items()) if each.after},
            "outputs": to_json({name: value for name, value in sorted(rendering.outputs.items()) if value is not UNKNOWN}, secret),
            "documents": {name: _document(each, secret) for name, each in sorted(rendering.documents.items())},
        },
        "resources": resources,
        "others": list(others),
    }


def without_unknown(value: Any) -> Any:
    """The value with what is unknown as a secret: where nothing is wrong, only the source of one that is not set leaves anything unknown."""
    if value is UNKNOWN:
        return Secret(UNSEEN)
    if isinstance(value, dict):
        return {key: without_unknown(item) for key, item in value.items()}
    return [without_unknown(item) for item in value] if isinstance(value, list) else value


def _document(document: RenderedDocument, secret: Callable[[Secret], Any]) -> dict[str, Any]:
    """A document as it is recorded: what of it is secret is masked, and with a key hashed beside."""
    hashed = {"secret": to_json(document.value, secret)} if isinstance(document.value, Secret) else {}
    return {**({"to": document.to} if document.to is not None else {}), "text": document.text, **hashed}


def dependencies(snapshot: Snapshot) -> dict[str, set[str]]:
    """What each resource that runs needs: as recorded, and by the values of the cloud (an id, an address) that it holds of another."""
    owners: dict[str, set[str]] = {}
    for address, each in snapshot.resources.items():
        for value in scalars(each.set_by_cloud):
            if isinstance(value, str) and len(value) >= 4:
                owners.setdefault(value, set()).add(address)
    found: dict[str, set[str]] = {}
    for address, each in snapshot.resources.items():
        needs = {name for name in each.after if name in snapshot.resources}
        for value in scalars(each.properties):
            if isinstance(value, Pending):
                needs |= {origin.partition(":")[0] for origin in value.origins} & snapshot.resources.keys()
            elif isinstance(value, str) and owners:
                for text in (value, *_TOKEN.findall(value)):
                    # What several resources have in common, such as a zone's name, says nothing about who needs whom.
                    if len(owners.get(text, ())) == 1:
                        needs |= owners[text]
        found[address] = needs - {address}
    return found


def scalars(value: Any) -> Iterator[Any]:
    """What stands in a value and holds nothing else."""
    if isinstance(value, dict):
        for item in value.values():
            yield from scalars(item)
    elif isinstance(value, list):
        for item in value:
            yield from scalars(item)
    else:
        yield value
