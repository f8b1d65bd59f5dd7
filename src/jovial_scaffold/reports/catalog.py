"""Catalogs as text and as JSON: a list of types, a type as a tree of its properties, and what differs between two."""

from typing import Any

from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.describing import Property, differences, example, properties, shown_properties
from jovial_scaffold.core.schemas.importing.catalog import Imported
from jovial_scaffold.reports.terminal import Style, cut, padded, wrapped
from jovial_scaffold.reports.words import counted, visible


def type_list(types: list[ResourceType], style: Style) -> str:
    """Every type with what it is for."""
    width = max((len(each.id) for each in types), default=0) + 2
    lines = []
    for each in types:
        about = _about(each.schema) or str(each.schema.get("title") or "")
        gone = " (deprecated)" if each.schema.get("deprecated") is True else ""
        lines.append(f"{style.paint('place', padded(visible(each.id), width))}{cut(visible(about + gone), style.width - width)}")
    return "\n".join((*lines, "", f"{counted(len(types), 'type')}; jovial catalog show TYPE shows one.")) + "\n"


def type_page(kind: ResourceType, property: str, style: Style) -> str:
    """A type as a tree of its properties, or the part of it below one, and an example to copy."""
    schema = kind.schema
    lines = [style.paint("strong", f"{visible(kind.id)}  {visible(str(schema.get('title', '')))}")]
    lines += wrapped(visible(_about(schema)), style.width, "")
    facts = [f"known by {', '.join(map(str, schema['identity']))}"] if isinstance(schema.get("identity"), list) else []
    facts += ["holds data"] if schema.get("holdsData") is True else []
    facts += [f"unique in the {schema['identityReach']}"] if isinstance(schema.get("identityReach"), str) else []
    facts += ["deprecated"] if schema.get("deprecated") is True else []
    if facts:
        lines.append(style.paint("faint", visible("; ".join(facts))))
    lines.append("")
    found, cut_off = shown_properties(kind.schema, property.replace("/", "."))
    for each in found:
        lines += _property_lines(each, style)
    if cut_off:
        lines += ["", style.paint("faint", "What stands deeper is left out: name a property to see what is in it.")]
    if not property:
        lines += ["", style.paint("strong", "For example"), *_example(kind)]
    return "\n".join(lines) + "\n"


def _chosen(kind: ResourceType, property: str) -> list[Property]:
    return properties(kind.schema, property.replace("/", "."))


def all_properties(kind: ResourceType) -> list[Property]:
    """All properties of a type."""
    return properties(kind.schema)


def has_property(kind: ResourceType, property: str) -> bool:
    """Whether a type has a property."""
    return bool(_chosen(kind, property))


def _about(schema: dict[str, Any]) -> str:
    """What a schema says of itself, as one paragraph."""
    return " ".join(str(schema.get("description", "")).split())


def _property_lines(each: Property, style: Style) -> list[str]:
    indent = "  " * each.depth
    name = each.path.rpartition(".")[2]
    facts = "; ".join(part for part in (each.bounds, *each.notes) if part)
    lines = [f"{indent}{style.paint('place', visible(name))}  {visible(each.kind)}"]
    about = _about(each.schema)
    lines += wrapped(visible(about), style.width, f"{indent}    ") if about else []
    lines += [style.paint("faint", line) for line in wrapped(visible(facts), style.width, f"{indent}    ")] if facts else []
    return lines


def _example(kind: ResourceType) -> list[str]:
    from jovial_scaffold.reports.machine import yaml_text

    name = kind.name.rpartition(".")[2]
    return [f"  {line}" for line in yaml_text([{f"{name} ({kind.name})": example(kind.schema)}], False).splitlines()]


def difference_text(old: ResourceType, new: ResourceType, style: Style) -> str:
    """What breaks, then what is new."""
    found = differences(old, new)
    lines = [style.paint("strong", f"From {visible(old.id)} to {visible(new.id)}")]
    for title, role, breaks in (("What breaks", "error", True), ("What else differs", "faint", False)):
        rows = [each for each in found if each.breaks is breaks]
        if rows:
            lines += ["", style.paint(role, title)]
            lines += [f"  {style.paint('place', visible(each.path or new.id))} {visible(each.text)}" for each in rows]
    return "\n".join(lines if found else [*lines, "", "Nothing differs."]) + "\n"


def property_entry(each: Property) -> dict[str, Any]:
    """A property for programs: its path, whether it must be set, and its schema."""
    own = {key: value for key, value in each.schema.items() if key not in ("properties", "items", "oneOf", "additionalProperties")}
    return {"path": each.path, "required": each.required, "schema": own}


def catalog_document(types: list[ResourceType], property: str = "") -> dict[str, Any]:
    """`jovial-catalog/1`: types with their properties, or those at and below one."""
    return {
        "format": "jovial-catalog/1",
        "types": [
            {
                "id": each.id,
                "title": str(each.schema.get("title", "")),
                "description": str(each.schema.get("description", "")),
                "deprecated": each.schema.get("deprecated") is True,
                "properties": [property_entry(one) for one in _chosen(each, property)],
            }
            for each in types
        ],
    }


def search_text(found: list[tuple[ResourceType, list[Property]]], style: Style) -> str:
    """The types that a word is about, each with the properties that it is about."""
    lines = []
    for kind, hits in found:
        lines.append(f"{style.paint('place', visible(kind.id))}  {cut(visible(str(kind.schema.get('description', ''))), style.width - 30)}")
        for each in hits:
            about = cut(visible(_about(each.schema)), max(20, style.width - len(each.path) - 4))
            lines.append(f"  {visible(each.path)}  {style.paint('faint', about)}")
    return "\n".join(lines) + "\n"


def search_document(found: list[tuple[ResourceType, list[Property]]]) -> dict[str, Any]:
    """`jovial-catalog-search/1`."""
    return {
        "format": "jovial-catalog-search/1",
        "found": [{"id": kind.id, "properties": [each.path for each in hits]} for kind, hits in found],
    }


def differences_document(old: ResourceType, new: ResourceType) -> dict[str, Any]:
    """`jovial-catalog-differences/1`."""
    rows = [{"property": each.path, "breaks": each.breaks, "text": each.text} for each in differences(old, new)]
    return {"format": "jovial-catalog-differences/1", "from": old.id, "to": new.id, "differences": rows}


def import_text(result: Imported, folder: str, style: Style) -> str:
    """What was written, and what has no counterpart."""
    beside = f", and {counted(result.shared, 'schema')} that they share" if result.shared else ""
    lines = wrapped(
        f"Written: {visible(folder)}, the catalog {result.name} with {counted(len(result.types), 'type')}{beside}.", style.width, ""
    )
    if result.left:
        lines += ["", style.paint("strong", "What is not as it was")]
        most = max(len(f"{each.times:,}") for each in result.left)
        for each in result.left:
            head = f"  {f'{each.times:,}'.rjust(most)}  "
            told = wrapped(f"{visible(each.what)}: {each.why}", style.width - len(head), "")
            lines += [f"{' ' * len(head) if number else head}{line}" for number, line in enumerate(told)]
            lines.append(style.paint("faint", cut(f"{' ' * len(head)}{visible(each.places[0])}", style.width)))
    example = next(iter(result.types))
    lines += [
        "",
        *wrapped(
            f"jovial catalog lint {visible(folder)} looks it through. Under `catalogs` of jovial.yaml, {visible(folder)}/ makes its types known: {example}.",
            style.width,
            "",
        ),
    ]
    return "\n".join(lines) + "\n"


def import_document(result: Imported, document: str, folder: str) -> dict[str, Any]:
    """`jovial-catalog-import/1`."""
    return {
        "format": "jovial-catalog-import/1",
        "document": document,
        "folder": folder,
        "catalog": result.name,
        "types": [{"id": each, "from": place} for each, place in sorted(result.types.items())],
        "shared": result.shared,
        "left": [{"what": each.what, "why": each.why, "times": each.times, "places": list(each.places)} for each in result.left],
    }
