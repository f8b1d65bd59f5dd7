"""The sections that declare names for expressions: types, parameters, conditions, functions, lookups, documents and outputs."""

from collections.abc import Callable
from typing import Any, Protocol

from jovial_scaffold.core.expressions.errors import SyntaxProblem
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.schemas.keywords import misspelt, parts
from jovial_scaffold.core.schemas.navigation import referred, steps_of
from jovial_scaffold.core.schemas.shapes import secret_pointers, secret_shape, with_secrets
from jovial_scaffold.core.schemas.validation import SchemaError, Validator, is_schema
from jovial_scaffold.core.spelling import near
from jovial_scaffold.core.templates.compiling import default_part
from jovial_scaffold.core.templates.documents import Brackets, document_content
from jovial_scaffold.core.templates.model import (
    Condition,
    Constant,
    Declaration,
    Document,
    Function,
    Lookup,
    Module,
    Named,
    Output,
    Requirement,
    Table,
)
from jovial_scaffold.core.templates.notations import NOTATIONS, notation_of, placed
from jovial_scaffold.core.templates.sections import ENTRY_KEYS, SectionReader
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, Operand, listed, nearest, say


class Library(Protocol):
    """What a template may name that stands in other files: modules, tables, and the sources of documents."""

    tables: dict[str, Table]

    def is_module(self, text: str) -> bool:
        """Whether a type's text names a module rather than a type of a catalog."""

    def module(self, text: str, at: Callable[[], Span], origin: Origin) -> Module | None:
        """A module, `at` a place that its findings name; None where it has such."""

    def document(self, text: str, origin: Origin) -> Source | None:
        """A text file; None where it cannot be read, which is reported."""


class DeclarationReader(SectionReader):
    """Reads declarations; the schemas of parameters may refer to the template's types."""

    library: Library

    def read_types(self) -> tuple[dict[str, Any], dict[str, Origin]]:
        """The schemas under `types`, and where each stands."""
        written: dict[str, Any] = {}
        origins: dict[str, Origin] = {}
        for name, schema, origin in self.section("types"):
            if name in origins:
                related = (Related(origins[name].key_span(), say("The first one is here.")),)
                message = say("The type `{}` is declared twice.", name)
                self.report("name-declared-twice", message, origin.key_span(), say("Give one of them another name."), related=related)
                continue
            self.findings += self.words_of(schema, origin)
            written[name], origins[name] = schema, origin
        sound: dict[str, Any] = {}
        for name, schema in written.items():
            whole = {**schema, "types": written} if isinstance(schema, dict) else schema
            if isinstance(schema, dict | bool) and self.sound_schema(whole, origins[name]):
                sound[name] = schema
                continue
            if not isinstance(schema, dict | bool) and schema is not UNKNOWN:
                message = say("The type `{}` is a JSON Schema, and this is {}.", name, Described(schema))
                self.report("schema-invalid", message, origins[name].value_span())
            sound[name] = True  # whatever refers to it is not judged
            self.note_types(schema, written)
        return sound, origins

    def words_of(self, schema: Any, origin: Origin) -> list[Finding]:
        """What is wrong with the keywords of a declaration."""
        for part, place in parts(schema, origin):
            if "listKey" in part:
                hint = say("A list replaces the one of an earlier file: write all of its items in each.")
                self.later(say("`listKey` of a parameter"), place.child("listKey").key_span(), hint)
        return list(misspelt(schema, origin, is_schema, ("listKey",)))

    def sound_schema(self, schema: Any, origin: Origin) -> bool:
        """Whether a schema is one; says why not."""
        if isinstance(schema, dict) and not self.types_known(schema, origin):
            return False
        try:
            Validator(schema)
        except SchemaError as error:
            if error.pointer[:1] != ("types",):  # of a type, it is said there
                hint = error.hint or say("A declaration is a JSON Schema.")
                self.report("schema-invalid", error.message, origin.child(*error.pointer).value_span(), hint)
            return False
        return True

    def types_known(self, schema: dict[str, Any], origin: Origin) -> bool:
        """Whether the types that a schema refers to are there; says which are not, and takes what was meant for used."""
        known = schema.get("types", {})
        fine = True
        for part, place in parts(schema, origin):
            reference = part.get("$ref")
            if not isinstance(reference, str) or not isinstance(known, dict) or not reference.startswith("#/"):
                continue
            section, name = (*steps_of(reference), "")[:2]
            if section == "types":
                lost, message = name not in known, say("There is no type `{}`.", name)
                hint = nearest(name, known, say("Declare it under `types`."))
            else:
                lost, message = referred(reference, schema) is None, say("The reference `{}` leads nowhere.", reference)
                hint = nearest(reference, [f"#/types/{each}" for each in known], say("Types of the template are `#/types/NAME`."))
            if lost:
                fine = False
                meant = reference.rpartition("/")[2] if section != "types" else name
                self.used_types.add(meant if meant in known else near(meant, known))
                self.report("schema-invalid", message, place.child("$ref").value_span(), hint)
        return fine

    def with_types(self, schema: dict[str, Any]) -> dict[str, Any]:
        """A schema in which `#/types/…` leads to the template's types; which of them it uses is noted."""
        if not self.types:
            return schema
        self.note_types(schema, self.types)
        return {**schema, "types": self.types}

    def note_types(self, schema: Any, types: dict[str, Any]) -> None:
        """Note which types a schema uses, and these in turn."""
        stack: list[Any] = [schema]
        while stack:
            part = stack.pop()
            if isinstance(part, dict):
                reference = part.get("$ref")
                if isinstance(reference, str) and reference.startswith("#/"):
                    section, name = (*steps_of(reference), "")[:2]
                    if section == "types" and name in types and name not in self.used_types:
                        self.used_types.add(name)
                        stack.append(types[name])
                stack.extend(part.values())
            elif isinstance(part, list):
                stack.extend(part)

    def declared_schema(self, content: Any, origin: Origin, what: Operand) -> dict[str, Any] | None:
        """A schema that a declaration holds; None where it is none, which is reported."""
        if not isinstance(content, dict):
            if content is not UNKNOWN:
                given = "nothing stands there" if content is None else say("this is {}", Described(content))
                self.report(
                    "schema-invalid",
                    say("{} is declared by a JSON Schema, and {}.", what, given),
                    origin.key_span(),
                    say("For example: {type: string}"),
                )
            return None
        described = content.get("description")
        if isinstance(described, dict) and described.keys() == {"$open"}:
            self.value(described, origin.child("description"))  # which says that it is open
            content = {**content, "description": str(described["$open"])}
        wrong = self.words_of(content, origin)
        self.findings += wrong
        if any(each.id == "schema-contradiction" for each in wrong):
            return None  # that no value fits need not be said of each
        schema = self.with_types({key: value for key, value in content.items() if key not in ("default", "must", "$schema", "types")})
        return schema if self.sound_schema(schema, origin) else None

    # -- parameters and conditions over them

    def parameter(self, name: str, content: Any, origin: Origin) -> Declaration | None:
        """One entry of `parameters`."""
        if content is UNKNOWN:
            self.lost_name(name)
            return None
        if not self.name(name, origin):
            return None
        schema = self.declared_schema(content, origin, say("The parameter `{}`", name))
        if schema is None:
            self.lost_name(name)
            return None
        description = content.get("description")
        if not description:
            message = say("The parameter `{}` has no description.", name)
            self.report("description-missing", message, origin.key_span(), say("Say in a few words what it is for."), "warning")
        if "default" in content:
            for pointer in secret_pointers(secret_shape(schema), content["default"]):
                origin.source.hide((*origin.pointer, "default", *pointer))
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

    def sound_default(self, declaration: Declaration, is_secret: bool) -> None:
        """Report a default that its own declaration does not allow."""
        default = declaration.default
        if not isinstance(default, Constant) or default.value is UNKNOWN:
            return
        value = Secret(default.value) if is_secret else with_secrets(secret_shape(declaration.schema), default.value)
        for violation in Validator(declaration.schema).violations(value):
            message = violation.message.about(default_part(declaration.name, violation.pointer))
            self.report(f"default-{violation.id}", message, default.origin.child(*violation.pointer).value_span(), violation.hint)

    def all_requirements(self) -> tuple[Requirement, ...]:
        """`must` of the template, from all its files."""
        return tuple(each for source in self.sources for each in self.requirements(source.value.get("must"), Origin(source, ("must",))))

    def requirements(self, content: Any, origin: Origin) -> tuple[Requirement, ...]:
        """A list of conditions over parameters."""
        if content is None or content is UNKNOWN:
            return ()
        if not isinstance(content, list):
            message = say("`must` is a list of conditions, and this is {}.", Described(content))
            self.report("template-shape", message, origin.value_span(), say("Write `- require: …` and `message: …`."))
            return ()
        found = []
        for index, entry in enumerate(content):
            place = origin.child(index)
            written, entry = entry, self.meant(entry, place, "An entry of `must`")
            if not isinstance(entry, dict) or "require" not in entry:
                if entry is not UNKNOWN:
                    self.report("template-shape", say("An entry of `must` has `require` and `message`."), place.value_span())
                continue
            self.allowed(written, place, "An entry of `must`")
            told = self.value(entry.get("message") or say("This does not hold: {}", entry["require"]), place.child("message"))
            passes, fails = (self.examples(entry.get("examples"), which, place.child("examples")) for which in ("passes", "fails"))
            found.append(Requirement(self.condition(entry["require"], place.child("require")), told, passes, fails, place))
        return tuple(found)

    def examples(self, content: Any, which: str, origin: Origin) -> tuple[tuple[dict[str, Any], Origin], ...]:
        """Maps of parameters for which a condition holds, or does not."""
        if content is None or content is UNKNOWN:
            return ()
        if not isinstance(content, dict):
            if which == "passes":
                self.report(
                    "template-shape", say("`examples` has `passes` and `fails`, and this is {}.", Described(content)), origin.value_span()
                )
            return ()
        if which == "passes":
            self.allowed(content, origin, "`examples`")
        entries = content.get(which)
        if entries is None or entries is UNKNOWN:
            return ()
        place = origin.child(which)
        if not isinstance(entries, list) or not all(isinstance(entry, dict) for entry in entries):
            self.report(
                "template-shape", say("`{}` is a list of maps of parameters.", which), place.value_span(), say("For example: [{copies: 2}]")
            )
            return ()
        return tuple((entry, place.child(index)) for index, entry in enumerate(entries))

    # -- values

    def let(self, name: str, content: Any, origin: Origin) -> Named | None:
        """One entry of `let`."""
        return Named(name, self.value(content, origin), origin) if self.name(name, origin) else None

    def function(self, name: str, content: Any, origin: Origin) -> Function | None:
        """One entry of `functions`."""
        if content is UNKNOWN or not self.name(name, origin):
            self.lost_name(name)
            return None
        as_written, content = content, self.meant(content, origin, "A function")
        if not isinstance(content, dict) or "is" not in content:
            hint = say("For example: {}: {takes: {text: {type: string}}, is: slug(text, 40)}", name)
            self.report("template-shape", say("A function has `takes` and `is`."), origin.key_span(), hint)
            self.lost_name(name)
            return None
        self.allowed(as_written, origin, "A function")
        takes: dict[str, dict[str, Any]] = {}
        written = content.get("takes") or {}
        if not isinstance(written, dict):
            self.report(
                "template-shape",
                say("`takes` maps arguments to schemas, and this is {}.", Described(written)),
                origin.child("takes").value_span(),
            )
            written = {}
        for argument, schema in written.items():
            place = origin.child("takes", argument)
            found = self.declared_schema(schema, place, say("The argument `{}`", argument))
            takes[argument] = found if found is not None else {}
        gives = self.declared_schema(content["gives"], origin.child("gives"), say("What `{}` gives", name)) if "gives" in content else {}
        return Function(
            name,
            takes,
            gives or {},
            self.condition(content["is"], origin.child("is")),
            self.calls(content.get("examples"), origin.child("examples")),
            origin,
        )

    def calls(self, content: Any, origin: Origin) -> tuple[tuple[Condition, Any, Origin], ...]:
        """Examples of a function: calls and what they give."""
        if content is None or content is UNKNOWN:
            return ()
        if not isinstance(content, list):
            self.report("template-shape", say("`examples` is a list, and this is {}.", Described(content)), origin.value_span())
            return ()
        found = []
        for index, entry in enumerate(content):
            place = origin.child(index)
            if not isinstance(entry, dict) or not isinstance(entry.get("call"), str) or "gives" not in entry:
                self.report("template-shape", say("An example of a function has `call` and `gives`."), place.value_span())
                continue
            self.allowed(entry, place, "An example of a function")
            found.append((self.condition(entry["call"], place.child("call")), entry["gives"], place))
        return tuple(found)

    def lookup(self, name: str, content: Any, origin: Origin) -> Lookup | None:
        """One entry of `lookups`."""
        if content is UNKNOWN or not self.name(name, origin):
            self.lost_name(name)
            return None
        as_written, content = content, self.meant(content, origin, "A lookup")
        if not isinstance(content, dict) or not isinstance(content.get("in"), str) or "where" not in content:
            hint = say("For example: {}: {in: images, where: row.use == 'gate'}", name)
            self.report("template-shape", say("A lookup has `in`, the name of a table, and `where`."), origin.key_span(), hint)
            self.lost_name(name)
            return None
        self.allowed(as_written, origin, "A lookup")
        table = self.library.tables.get(content["in"])
        if table is None:
            there = (
                say("Its tables are {}.", listed(self.library.tables))
                if self.library.tables
                else say("Name it under `lookups` of the project file.")
            )
            hint = nearest(content["in"], self.library.tables, there)
            self.report("table-unknown", say("The project has no table `{}`.", content["in"]), origin.child("in").value_span(), hint)
        where = self.condition(content["where"], origin.child("where"))
        newest = self.condition(content["newest"], origin.child("newest")) if "newest" in content else None
        return Lookup(name, table, where, newest, origin)

    # -- what comes out

    def document(self, name: str, content: Any, origin: Origin) -> Document | None:
        """One entry of `documents`."""
        if content is UNKNOWN or not self.name(name, origin):
            self.lost_name(name)
            return None
        as_written, content = content, self.meant(content, origin, "A document")
        if not isinstance(content, dict) or not isinstance(content.get("from"), str):
            hint = say("For example: {}: {from: files/{}.json, to: {}.json}", name, name, name)
            self.report("template-shape", say("A document has `from`, the path of a text file."), origin.key_span(), hint)
            self.lost_name(name)
            return None
        self.allowed(as_written, origin, "A document")
        if "${" in content["from"]:
            self.report(
                "path-invalid",
                say("`from` holds no expressions."),
                origin.child("from").value_span(),
                say("Choose between documents with their names."),
            )
            self.lost_name(name)
            return None
        source = self.library.document(content["from"], origin.child("from"))
        if source is None:
            self.lost_name(name)
            return None
        narrowed = None
        if "with" in content and content["with"] is not UNKNOWN:
            given = content["with"] or {}
            if isinstance(given, dict):
                narrowed = {each: self.value(value, origin.child("with", each)) for each, value in given.items()}
            else:
                self.report(
                    "template-shape",
                    say("`with` is a map from name to value, and this is {}.", Described(given)),
                    origin.child("with").value_span(),
                )
        notation = self.document_notation(content, source.name, origin)
        brackets = self.document_marks(content, origin)
        file = Origin(source, ())
        try:
            parts = placed(document_content(source.text, self.programs, brackets), notation)
        except SyntaxProblem as problem:
            hint = brackets.literal_hint() if "closed" in problem.message.template else problem.hint
            self.report(problem.id, problem.message, file.inner_span(problem.start, problem.end), hint)
            self.lost_name(name)
            return None
        to = self.value(content["to"], origin.child("to")) if "to" in content else None
        if isinstance(to, Constant) and not isinstance(to.value, str) and to.value is not UNKNOWN:
            self.report("path-invalid", say("`to` is a path, and this is {}.", Described(to.value)), origin.child("to").value_span())
            to = None
        return Document(name, parts, to, narrowed, notation, file, origin)

    def document_notation(self, content: dict[str, Any], file: str, origin: Origin) -> str | None:
        """What a document is written in, as it says or by the ending of its source."""
        found = notation_of(file)
        said = content.get("notation")
        if said is None or said is UNKNOWN:
            return found
        names = {each.lower(): each for each in NOTATIONS} | {"text": None}
        if isinstance(said, str) and said in names:
            return names[said]
        hint = nearest(str(said), names, say("Write one of {}.", listed(names)))
        self.report("template-shape", say("`notation` is what a document is written in, and this is {}.", Described(said)),
                    origin.child("notation").value_span(), hint)  # fmt: skip
        return found

    def document_marks(self, content: dict[str, Any], origin: Origin) -> Brackets:
        """What a document writes around its placeholders."""
        said = content.get("marks")
        if said is None or said is UNKNOWN:
            return Brackets()
        pair = said.split() if isinstance(said, str) else []
        if len(pair) == 2 and len(pair[0]) > 1 and not any(char.isalnum() or char in "\"'_" for char in said):
            return Brackets(*pair)
        self.report(
            "template-shape",
            say("`marks` are what stands before and after a placeholder, and this is {}.", Described(said)),
            origin.child("marks").value_span(),
            say('Write two marks with a space between them, the first of two characters or more: "@{ }".'),
        )
        return Brackets()

    def output(self, name: str, content: Any, origin: Origin) -> Output | None:
        """One entry of `outputs`."""
        if not self.name(name, origin):
            return None
        written = content
        if isinstance(content, dict) and "description" in content and len(content) == len(ENTRY_KEYS["An output"]):
            content = self.meant(content, origin, "An output")  # else it is a map, whatever its keys are
        if isinstance(content, dict) and "value" in content:
            self.allowed(written, origin, "An output")
            description = content.get("description")
            value = self.value(content["value"], origin.child("value"))
            return Output(name, value, description if isinstance(description, str) else "", origin)
        return Output(name, self.value(content, origin), "", origin)

    types: dict[str, Any]
    used_types: set[str]
