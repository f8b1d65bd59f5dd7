"""The sections of a template as they are written: merged over the files of a folder, each name declared once."""

import re
from collections.abc import Callable, Sequence
from typing import Any

from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.parser import MACROS, NAMESPACES
from jovial_scaffold.core.expressions.tokens import KEYWORDS, RESERVED
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.limits import NAME_LENGTH
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.spelling import is_slip, near
from jovial_scaffold.core.templates.compiling import Compiler, is_name, taken_for
from jovial_scaffold.core.text.formats import garbled_text
from jovial_scaffold.core.text.roles import misplaced
from jovial_scaffold.core.text.source import Origin, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, nearest, say

SECTIONS = (
    "template",
    "description",
    "types",
    "parameters",
    "must",
    "let",
    "functions",
    "lookups",
    "everywhere",
    "renames",
    "resources",
    "documents",
    "outputs",
)
#: the keys of what stands in sections
ENTRY_KEYS = {
    "An entry of `must`": ("require", "message", "examples"),
    "`examples`": ("passes", "fails"),
    "A function": ("takes", "gives", "is", "examples", "description"),
    "An example of a function": ("call", "gives"),
    "A lookup": ("in", "where", "newest", "description"),
    "A document": ("from", "to", "with", "notation", "marks", "description"),
    "An output": ("value", "description"),
}
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
_KINDS = {
    "parameters": "a parameter",
    "let": "a value",
    "functions": "a function",
    "lookups": "a lookup",
    "resources": "a resource",
    "documents": "a document",
    "outputs": "an output",
}


_LATER_SECTIONS = {
    "blocks": say("Give out ranges with carve(range, length, index)."),
}
_WORD = regex(r"[a-z][a-z0-9_]*")


class SectionReader(Compiler):
    """Goes through the sections of all files of one template."""

    def __init__(self, sources: Sequence[Source], findings: list[Finding]) -> None:
        super().__init__(findings)
        self.sources = [source for source in sources if self.is_template(source)]
        self.lost = len(self.sources) < len(sources)
        self.declared: dict[str, Origin] = {}
        self.declared_outputs: dict[str, Origin] = {}
        self.unknown_names: set[str] = set()
        self.malformed = False  # a whole section is lost: what it declared is not judged

    def is_template(self, source: Source) -> bool:
        """Whether a file has the shape of a template; says why not."""
        whole, origin = source.value, Origin(source, ())
        if whole is UNKNOWN:
            return False
        if not isinstance(whole, dict):
            found = "it is empty" if whole is None else say("this is {}", Described(whole))
            hint = say("Begin with `parameters:` and `resources:`.")
            self.report("template-shape", say("A template is a map of sections, and {}.", found), origin.value_span(), hint)
            return False
        wrong = misplaced(source, "a template", say("Its sections are {}.", ", ".join(SECTIONS)))
        if wrong is not None:
            self.findings.append(wrong)
            return False
        if whole and not any(key in SECTIONS or near(key, SECTIONS) for key in whole):
            message = say("{} is used as a template, and has none of a template's sections.", source.name)
            hint = say("Its sections are {}.", ", ".join(SECTIONS))
            self.report("file-role", message, origin.child(next(iter(whole))).key_span(), hint)
            return False
        return True

    @property
    def unread(self) -> bool:
        """Whether a part could not be read, so that unknown and unused names are not judged."""
        broken = any(source.broken or any(source.value.get(section) is UNKNOWN for section in SECTIONS) for source in self.sources)
        return self.lost or self.malformed or broken

    @property
    def garbled(self) -> frozenset[str]:
        """The words of what is wrong as text: uses of names may be lost with it."""
        return frozenset(word for source in self.sources for word in _WORD.findall(garbled_text(source)))

    def check_section_names(self) -> None:
        """Report keys that are no section."""
        for source in self.sources:
            for key in list(source.value):
                if key in SECTIONS or key == "$schema":
                    continue
                if key in _LATER_SECTIONS:
                    self.later(say("The section `{}`", key), Origin(source, (key,)).key_span(), _LATER_SECTIONS[key], source.value[key])
                    continue
                meant, content = near(key, SECTIONS), source.value[key]
                span = Origin(source, (key,)).key_span()
                if meant and meant not in source.value and is_slip(key, meant):  # what stands in it is judged, and not missed
                    source.value[meant] = content
                    source.meant[meant,] = key
                elif meant:
                    self.malformed = True
                elif isinstance(content, dict):
                    self.unknown_names.update(each for each in content if isinstance(each, str))
                if key.startswith("$"):
                    self.report("directive-unknown", say("The directive `{}` has no meaning here.", key), span)
                    continue
                hint = nearest(key, SECTIONS, say("Sections are {}.", ", ".join(SECTIONS)))
                self.report("section-unknown", say("A template has no section `{}`.", key), span, hint)

    def text_section(self, name: str) -> str:
        """`template` or `description`: one text, in one of the files."""
        found: list[tuple[str, Origin]] = []
        for source in self.sources:
            content, origin = source.value.get(name), Origin(source, (name,))
            if content is None or content is UNKNOWN:
                continue
            if not isinstance(content, str):
                self.report("template-shape", say("`{}` is a text, and this is {}.", name, Described(content)), origin.value_span())
                continue
            if found:
                related = (Related(found[0][1].key_span(), say("The first one is here.")),)
                message = say("`{}` stands in two files of this template.", name)
                self.report("name-declared-twice", message, origin.key_span(), say("Keep one of them."), related=related)
            found.append((content, origin))
        return found[0][0] if found else ""

    def section(self, name: str) -> list[tuple[str, Any, Origin]]:
        """The entries of a section in all files, with their origins."""
        found: list[tuple[str, Any, Origin]] = []
        for source in self.sources:
            content, origin = source.value.get(name), Origin(source, (name,))
            if content is None or content is UNKNOWN:
                continue
            if name == "everywhere" and content == "none":
                hint = say("Leave it out: what stands in `everywhere` does not reach into modules yet.")
                self.later(say("`everywhere: none`"), origin.value_span(), hint)
                continue
            if not isinstance(content, dict):
                self.malformed = True
                message = say("The section `{}` is a map, and this is {}.", name, Described(content))
                self.report("template-shape", message, origin.value_span(), say("Write one entry a line, as `name: …`."))
                continue
            found += [(key, each, origin.child(key)) for key, each in content.items() if key != "$schema"]
        return found

    def each(self, section: str, read: Callable[[str, Any, Origin], Any]) -> dict[str, Any]:
        """The declarations of a section by name, in code-point order: the order of files and keys never matters."""
        read_ones = [read(key, content, origin) for key, content, origin in self.section(section)]
        return {each.name: each for each in sorted((each for each in read_ones if each is not None), key=lambda each: each.name)}

    def name(self, name: str, origin: Origin) -> bool:
        """Whether a name may be declared; says why not."""
        if not is_name(name):
            suggestion = re.sub(r"[^a-z0-9_]+", "_", name.lower()).strip("_")
            hint = (
                say("Write `{}`.", suggestion)
                if is_name(suggestion)
                else say("A name begins with a letter and has at most {} of a-z, 0-9 and _.", NAME_LENGTH.most)
            )
            self.report("name-invalid", say("`{}` cannot be a name.", str(name)), origin.key_span(), hint)
            self.unknown_names.update((name, suggestion))
            return False
        forbidden = _FORBIDDEN.get(name)
        if origin.pointer[0] == "functions" and ((name, False) in FUNCTIONS or name in MACROS or name == "has"):
            forbidden = "a function that is there already"
        if forbidden:
            self.report(
                "name-invalid", say("`{}` cannot be a name: it is {}.", name, forbidden), origin.key_span(), say("Choose another name.")
            )
            self.unknown_names.add(name)
            return False
        declared = self.declared_outputs if origin.pointer[0] == "outputs" else self.declared
        first = declared.get(name)
        if first is not None:
            what = _KINDS.get(str(first.pointer[0]), "declared")
            related = (Related(first.key_span(), say("`{}` is {} here.", name, what)),)
            hint = say("Names of parameters, values, functions, lookups, resources and documents share one namespace.")
            self.report("name-declared-twice", say("The name `{}` is taken.", name), origin.key_span(), hint, related=related)
            self.unknown_names.add(name)
            return False
        declared[name] = origin
        return True

    def lost_expression(self, text: str) -> None:
        """What an expression names that could not be read is not said to be unused."""
        self.unknown_names.update(_WORD.findall(text))

    def lost_name(self, name: str) -> None:
        """A declaration that cannot be used: what depends on it is not judged."""
        self.unknown_names.add(name)

    def meant(self, content: Any, origin: Origin, what: str) -> Any:
        """A map in which misspelt keys are what was meant: that those are missing is no second mistake. `what` is one of ENTRY_KEYS."""
        return taken_for(content, origin, ENTRY_KEYS[what]) if isinstance(content, dict) else content

    def allowed(self, content: dict[str, Any], origin: Origin, what: str) -> None:
        """Report keys that have no meaning; `what` is one of ENTRY_KEYS."""
        keys = ENTRY_KEYS[what]
        for key in content:
            if key not in keys and key != "$schema":
                hint = nearest(key, keys, say("Its keys are {}.", ", ".join(keys)))
                self.report("key-unknown", say("{} has no key `{}`.", what, key), origin.child(key).key_span(), hint)
