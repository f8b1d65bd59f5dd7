"""A template file to a `Template`: its sections, each by its own reader, and the one namespace they share."""

import re
from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.expressions.parser import NAMESPACES
from jovial_scaffold.core.expressions.tokens import KEYWORDS, RESERVED
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.limits import NAME_LENGTH
from jovial_scaffold.core.schemas.catalog import Catalogs
from jovial_scaffold.core.schemas.validation import SchemaError, Validator
from jovial_scaffold.core.templates.compiling import Compiler, is_name
from jovial_scaffold.core.templates.model import (
    Constant,
    Declaration,
    MapValue,
    Named,
    Output,
    Requirement,
    Resource,
    Template,
)
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.wording import described, did_you_mean, near, shown

_RESOURCE = re.compile(r"\s*(?P<name>[^\s()]+)\s*\(\s*(?P<type>[^()]*?)\s*\)\s*\Z")
_FORBIDDEN = {
    **dict.fromkeys(RESERVED | KEYWORDS | {"true", "false", "null"}, "a reserved word of the expression language"),
    **dict.fromkeys(
        ("int", "uint", "double", "string", "bytes", "bool", "list", "map", "type", "dyn", "null_type", "optional_type"),
        "the name of a type",
    ),
    **dict.fromkeys(NAMESPACES, "the prefix of functions"),
    "context": "what the tool itself provides",
    "row": "what lookups provide",
}
_NOT_YET = ("functions", "lookups", "everywhere", "documents")


def read_template(source: Source, catalogs: Catalogs) -> tuple[Template, list[Finding]]:
    """The model of a template, and what is wrong with it as far as its own text and the catalogs tell."""
    findings: list[Finding] = []
    return _Reader(source, catalogs, findings).template(), findings


class _Reader(Compiler):
    def __init__(self, source: Source, catalogs: Catalogs, findings: list[Finding]) -> None:
        super().__init__(findings)
        self.source = source
        self.catalogs = catalogs
        self.declared: dict[str, Origin] = {}
        self.unknown_names: set[str] = set()
        self.malformed = False  # a whole section is lost: what it declared is not judged
        self.types: dict[str, Any] = {}

    def template(self) -> Template:
        origin = Origin(self.source, ())
        whole = self.source.value
        if whole is UNKNOWN or not isinstance(whole, dict):
            if whole is not UNKNOWN:
                found = "it is empty" if whole is None else f"this is {described(whole)}"
                self.report(
                    "template-shape",
                    f"A template is a map of sections, and {found}.",
                    origin.value_span(),
                    "Begin with `parameters:` and `resources:`.",
                )
            return Template("", {}, (), {}, {}, {}, origin, unread=True)
        if whole and not any(near(key, _SECTIONS) or key in _SECTIONS for key in whole):
            message = f"{self.source.name} is used as a template, and has none of a template's sections."
            hint = f"Its sections are {', '.join(_SECTIONS)}."
            self.report("file-role", message, origin.child(next(iter(whole))).key_span(), hint)
            return Template("", {}, (), {}, {}, {}, origin, unread=True)
        for key in whole:
            if key not in _SECTIONS and key != "$schema":
                self.unknown_section(key, origin)
                self.malformed = self.malformed or bool(near(key, _SECTIONS))
        for name in _NOT_YET:
            if content := self.section(whole, name):
                self.report(
                    "not-supported-yet",
                    f"The section `{name}` is not supported yet.",
                    origin.child(name).key_span(),
                    "Nothing in it has an effect; remove it, or write its values out.",
                )
                self.unknown_names.update(content)
        self.types = self.read_types(self.section(whole, "types"), origin.child("types"))
        parameters = {d.name: d for d in self.each(whole, "parameters", self.parameter)}
        values = {d.name: d for d in self.each(whole, "let", self.let)}
        resources = {d.name: d for d in self.each(whole, "resources", self.resource)}
        outputs = {d.name: d for d in self.each(whole, "outputs", self.output)}
        must = self.requirements(whole.get("must"), origin.child("must"))
        title = whole.get("template")
        return Template(
            title if isinstance(title, str) else "",
            parameters,
            must,
            values,
            resources,
            outputs,
            origin,
            unread=self.source.broken or self.malformed or any(whole.get(section) is UNKNOWN for section in _SECTIONS),
            unknown_names=frozenset(self.unknown_names),
        )

    # -- sections

    def unknown_section(self, key: str, origin: Origin) -> None:
        if key.startswith("$"):
            self.report("directive-unknown", f"The directive `{key}` has no meaning here.", origin.child(key).key_span())
            return
        hint = did_you_mean(key, _SECTIONS, f"Sections are {', '.join(_SECTIONS)}.")
        if key in ("project", "environments", "catalogs", "ruleset", "rules"):
            hint = "This looks like a project file or ruleset in the place of a template."
        self.report("section-unknown", f"A template has no section `{key}`.", origin.child(key).key_span(), hint)

    def section(self, whole: dict[str, Any], name: str) -> dict[str, Any]:
        content = whole.get(name)
        if content is None or content is UNKNOWN:
            return {}
        if not isinstance(content, dict):
            self.malformed = True
            hint = "Write one entry a line, as `name: …`."
            self.report(
                "template-shape",
                f"The section `{name}` is a map, and this is {described(content)}.",
                Origin(self.source, (name,)).value_span(),
                hint,
            )
            return {}
        return content

    def each(self, whole: dict[str, Any], section: str, read: Callable[[str, Any, Origin], Any]) -> list[Any]:
        found = []
        for key, content in self.section(whole, section).items():
            if key == "$schema":
                continue
            read_one = read(key, content, Origin(self.source, (section, key)))
            if read_one is not None:
                found.append(read_one)
        return found

    def name(self, name: str, origin: Origin) -> bool:
        """Whether a name may be declared; says why not."""
        if not is_name(name):
            suggestion = re.sub(r"[^a-z0-9_]+", "_", name.lower()).strip("_")
            hint = (
                f"Write `{suggestion}`."
                if is_name(suggestion)
                else f"A name begins with a letter and has at most {NAME_LENGTH.most} of a-z, 0-9 and _."
            )
            self.report("name-invalid", f"`{shown(name)[1:-1]}` cannot be a name.", origin.key_span(), hint)
            self.unknown_names.add(name)
            return False
        if name in _FORBIDDEN:
            self.report("name-invalid", f"`{name}` cannot be a name: it is {_FORBIDDEN[name]}.", origin.key_span(), "Choose another name.")
            self.unknown_names.add(name)
            return False
        first = self.declared.get(name)
        if first is not None:
            kinds = {"parameters": "a parameter", "let": "a value", "resources": "a resource", "outputs": "an output"}
            what = kinds.get(str(first.pointer[0]), "declared")
            related = (Related(first.key_span(), f"`{name}` is {what} here."),)
            self.report(
                "name-declared-twice",
                f"The name `{name}` is taken.",
                origin.key_span(),
                "Names of parameters, values, resources and outputs share one namespace.",
                related=related,
            )
            self.unknown_names.add(name)
            return False
        self.declared[name] = origin
        return True

    def allowed(self, content: dict[str, Any], keys: tuple[str, ...], origin: Origin, what: str) -> None:
        for key in content:
            if key not in keys and key != "$schema":
                self.report(
                    "key-unknown",
                    f"{what} has no key `{key}`.",
                    origin.child(key).key_span(),
                    did_you_mean(key, keys, f"Its keys are {', '.join(keys)}."),
                )

    def read_types(self, content: dict[str, Any], origin: Origin) -> dict[str, Any]:
        sound = {}
        for name, schema in content.items():
            if isinstance(schema, dict | bool) and self.sound_schema(
                {**schema, "types": content} if isinstance(schema, dict) else schema, origin.child(name)
            ):
                sound[name] = schema
            else:
                if not isinstance(schema, dict | bool) and schema is not UNKNOWN:
                    self.report(
                        "schema-invalid",
                        f"The type `{name}` is a JSON Schema, and this is {described(schema)}.",
                        origin.child(name).value_span(),
                    )
                sound[name] = True  # whatever refers to it is not judged
        return sound

    def sound_schema(self, schema: Any, origin: Origin) -> bool:
        try:
            Validator(schema)
        except SchemaError as error:
            pointer = error.pointer if error.pointer[:1] != ("types",) else ()
            self.report("schema-invalid", error.message, origin.child(*pointer).value_span(), "A declaration is a JSON Schema.")
            return False
        return True

    # -- parameters

    def parameter(self, name: str, content: Any, origin: Origin) -> Declaration | None:
        if content is UNKNOWN:
            self.unknown_names.add(name)
            return None
        if not self.name(name, origin):
            return None
        if content is None or not isinstance(content, dict):
            given = "nothing stands there" if content is None else f"this is {described(content)}"
            self.report(
                "schema-invalid",
                f"The parameter `{name}` is declared by a JSON Schema, and {given}.",
                origin.key_span(),
                f"For example: {name}: {{type: string}}",
            )
            self.unknown_names.add(name)
            return None
        schema = {key: value for key, value in content.items() if key not in ("default", "must", "$schema")}
        for key in schema:
            if key not in _SCHEMA_KEYWORDS and near(key, _SCHEMA_KEYWORDS):
                self.report(
                    "key-unknown", f"JSON Schema has no keyword `{key}`.", origin.child(key).key_span(), did_you_mean(key, _SCHEMA_KEYWORDS)
                )
        if self.types:
            schema["types"] = self.types
        if not self.sound_schema(schema, origin):
            self.unknown_names.add(name)
            return None
        description = content.get("description")
        if not description:
            self.report(
                "description-missing",
                f"The parameter `{name}` has no description.",
                origin.key_span(),
                "Say in a few words what it is for.",
                "warning",
            )
        default = self.value(content["default"], origin.child("default")) if "default" in content else None
        return Declaration(
            name,
            schema,
            description if isinstance(description, str) else "",
            default,
            content.get("writeOnly") is True,
            content.get("deprecated") is True,
            self.requirements(content.get("must"), origin.child("must")),
            origin,
        )

    def requirements(self, content: Any, origin: Origin) -> tuple[Requirement, ...]:
        if content is None or content is UNKNOWN:
            return ()
        if not isinstance(content, list):
            self.report(
                "template-shape",
                f"`must` is a list of conditions, and this is {described(content)}.",
                origin.value_span(),
                "Write `- require: …` and `message: …`.",
            )
            return ()
        found = []
        for index, entry in enumerate(content):
            place = origin.child(index)
            if not isinstance(entry, dict) or "require" not in entry:
                if entry is not UNKNOWN:
                    self.report("template-shape", "An entry of `must` has `require` and `message`.", place.value_span())
                continue
            self.allowed(entry, ("require", "message", "examples"), place, "An entry of `must`")
            if "examples" in entry:
                self.report(
                    "not-supported-yet",
                    "`examples` of `must` are not supported yet.",
                    place.child("examples").key_span(),
                    "They are not run.",
                    "warning",
                )
            message = self.value(entry.get("message") or f"This does not hold: {entry['require']}", place.child("message"))
            found.append(Requirement(self.condition(entry["require"], place.child("require")), message, place))
        return tuple(found)

    # -- values, resources, outputs

    def let(self, name: str, content: Any, origin: Origin) -> Named | None:
        if not self.name(name, origin):
            return None
        return Named(name, self.value(content, origin), origin)

    def resource(self, key: str, content: Any, origin: Origin) -> Resource | None:
        match = _RESOURCE.match(key)
        if match is None:
            bare_name = key.strip() if is_name(key.strip()) else "gates"
            self.report(
                "resource-shape",
                f"`{key}` does not name a resource and its type.",
                origin.key_span(),
                f"For example: {bare_name} (fulmar.machine):",
            )
            self.unknown_names.update(re.findall(r"[a-z][a-z0-9_]*", key)[:1])
            return None
        name, type_text = match["name"], match["type"]
        if not self.name(name, origin):
            return None
        if content is None:
            content = {}
        if content is not UNKNOWN and not isinstance(content, dict):
            self.report("resource-shape", f"A resource is a map of properties, and this is {described(content)}.", origin.value_span())
            content = UNKNOWN
        kind = self.resource_type(name, type_text, origin) if content is not UNKNOWN else None
        directives = {key: value for key, value in content.items() if key in _DIRECTIVES} if isinstance(content, dict) else {}
        plain = {key: value for key, value in content.items() if key not in _DIRECTIVES} if isinstance(content, dict) else {}
        for key_ in [key_ for key_ in plain if key_.startswith("$") and not key_.startswith("$$") and key_ != "$schema"]:
            hint = did_you_mean(key_, _DIRECTIVES, f"A property that begins with a dollar sign is written ${key_}.")
            self.report("directive-unknown", f"The directive `{key_}` has no meaning on a resource.", origin.child(key_).key_span(), hint)
            del plain[key_]
        for early in ("$keep", "$formerly"):
            if early in directives:
                told = f"`{early}` of `{name}` is not supported yet."
                self.report("not-supported-yet", told, origin.child(early).key_span(), "It is read, and has no effect.", "note")
        value = self.map(plain, origin, in_list=False)
        if isinstance(value, Constant):
            value = MapValue(tuple((k, Constant(v, origin.child(k if k in plain else f"${k}"))) for k, v in value.value.items()), origin)
        assert isinstance(value, MapValue)
        return Resource(
            name,
            type_text,
            kind,
            value,
            self.loop(directives["$per"], origin.child("$per")) if "$per" in directives else None,
            self.condition(directives["$when"], origin.child("$when")) if "$when" in directives else None,
            self.key(directives, origin),
            self.after(directives.get("$after"), origin.child("$after")),
            self.keep(directives.get("$keep", False), origin.child("$keep")),
            str(directives.get("$formerly", "")),
            origin,
        )

    def resource_type(self, name: str, text: str, origin: Origin) -> Any:
        found = self.catalogs.find(text)
        if found is not None or self.catalogs.types_unknown:
            return found
        span = origin.source.span(*_type_offsets(origin, text))
        if (
            "/" in text
            or text.endswith((".yaml", ".yml", ".json"))
            or ("." not in text and not self.catalogs.advice(text).startswith("Did"))
        ):
            self.report(
                "not-supported-yet",
                f"`{name}` uses a module as its type, and modules are not supported yet.",
                span,
                "Write its resources out.",
            )
        else:
            self.report("type-unknown", f"No catalog knows the type `{text}`.", span, self.catalogs.advice(text))
        return None

    def key(self, directives: dict[str, Any], origin: Origin) -> Any:
        if "$key" not in directives:
            return None
        if "$per" not in directives:
            self.report("directive-unknown", "`$key` has no meaning without `$per`.", origin.child("$key").key_span())
        return self.condition(directives["$key"], origin.child("$key"))

    def keep(self, content: Any, origin: Origin) -> bool:
        if not isinstance(content, bool) and content is not UNKNOWN:
            self.report("resource-shape", f"`$keep` is true or false, and this is {described(content)}.", origin.value_span())
        return content is True

    def after(self, content: Any, origin: Origin) -> tuple[tuple[str, Origin], ...]:
        if content is None or content is UNKNOWN:
            return ()
        if isinstance(content, str):
            content, places = [content], [origin]
        elif isinstance(content, list) and all(isinstance(item, str) for item in content):
            places = [origin.child(index) for index in range(len(content))]
        else:
            self.report(
                "resource-shape", f"`$after` is a list of names of resources, and this is {described(content)}.", origin.value_span()
            )
            return ()
        return tuple(zip(content, places, strict=True))

    def output(self, name: str, content: Any, origin: Origin) -> Output | None:
        if not self.name(name, origin):
            return None
        if isinstance(content, dict) and "value" in content:
            self.allowed(content, ("value", "description"), origin, "An output")
            description = content.get("description")
            return Output(
                name, self.value(content["value"], origin.child("value")), description if isinstance(description, str) else "", origin
            )
        return Output(name, self.value(content, origin), "", origin)


def _type_offsets(origin: Origin, type_text: str) -> tuple[int, int]:
    place = origin.source.place(origin.pointer)
    written = origin.source.text[place.key_start : place.key_end]
    opening = written.find("(")
    start = place.key_start + max(written.find(type_text, opening + 1), 0)
    return start, start + max(len(type_text), 1)


_SECTIONS = (
    "template",
    "description",
    "types",
    "parameters",
    "must",
    "let",
    "functions",
    "lookups",
    "everywhere",
    "resources",
    "documents",
    "outputs",
)
_DIRECTIVES = ("$per", "$when", "$key", "$after", "$keep", "$formerly")
_SCHEMA_KEYWORDS = (
    "type", "enum", "const", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "minLength", "maxLength", "pattern", "format",
    "items", "prefixItems", "contains", "minContains", "maxContains", "minItems", "maxItems", "uniqueItems", "properties", "patternProperties",
    "additionalProperties", "propertyNames", "required", "minProperties", "maxProperties", "dependentRequired", "dependentSchemas", "unevaluatedProperties",
    "unevaluatedItems", "allOf", "anyOf", "oneOf", "not", "if", "then", "else", "$ref", "$defs", "$comment", "title", "description", "default", "examples",
    "deprecated", "readOnly", "writeOnly", "must", "contentEncoding", "contentMediaType", "contentSchema",
)  # fmt: skip
