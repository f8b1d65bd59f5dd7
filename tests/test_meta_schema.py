"""The published schema of catalogs: it takes what the program takes, and refuses what the program refuses."""

import json
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import yaml

from jovial_scaffold.core.schemas.annotations import ANNOTATIONS
from jovial_scaffold.core.schemas.catalog import SHIPPED
from jovial_scaffold.core.schemas.keywords import KEYWORDS
from tests.support import in_memory, load_cases
from tests.test_catalog_mistakes import FILES

META = json.loads((SHIPPED / "resource-type.schema.json").read_text("utf-8"))
#: mistakes that one keyword alone does not show: `jovial catalog lint` finds them
_OF_SEVERAL = {"yaml-syntax", "default-type", "default-range", "default-value", "schema-contradiction", "list-key-clash"}
_BY_OTHERS = ("not there", "nowhere", "of another type", "added up")


def of_one_keyword(case: dict[str, Any]) -> bool:
    """Whether a mistake shows without looking at what else stands there."""
    of_several = case["finding"].split()[0] in _OF_SEVERAL or any(words in case["name"] for words in _BY_OTHERS)
    return not (case.get("file") or case.get("several") or of_several)


def refused(schema: Any) -> bool:
    """Whether the published schema refuses one."""
    return not jsonschema.Draft202012Validator(META, format_checker=jsonschema.FormatChecker()).is_valid(schema)


def test_it_is_a_schema_and_knows_every_word() -> None:
    jsonschema.Draft202012Validator.check_schema(META)
    assert set(META["$defs"]["schema"]["properties"]) == {*KEYWORDS, *ANNOTATIONS} - {"must"}


@pytest.mark.parametrize("path", sorted((SHIPPED / "fulmar").glob("*.v*.yaml")), ids=lambda path: path.name)
def test_it_takes_the_shipped_types(path: Path) -> None:
    assert not refused(yaml.safe_load(path.read_text("utf-8")))


@pytest.mark.parametrize("case", [each for each in load_cases("catalog_mistakes.yaml") if of_one_keyword(each.values[0])])
def test_it_refuses_what_one_keyword_gets_wrong(case: dict[str, Any]) -> None:
    text = FILES["cat/thing.yaml"].replace(case["old"], case["new"], 1)
    assert not refused(yaml.safe_load(FILES["cat/thing.yaml"]))
    assert refused(yaml.safe_load(text))


@pytest.mark.parametrize("word", [*KEYWORDS, *ANNOTATIONS, "x-note", "maxSize", "foo", "minLenght"])
def test_words_are_known_to_both_or_to_neither(word: str) -> None:
    if word in ("$id", "$schema", "$ref", "$anchor", "$dynamicRef", "$dynamicAnchor", "$vocabulary", "must", "type", "definitions"):
        return  # which stand where they stand
    known = META["$defs"]["schema"]["properties"].get(word)
    text = FILES["cat/thing.yaml"].replace("minLength: 2", f"{word}: 2", 1)
    ids = {each.id for each in in_memory({**FILES, "cat/thing.yaml": text}).check().findings}
    assert ("key-unknown" in ids) is (known is None and not word.startswith("x-"))
