"""What any tool must do at least: read the YAML to plain values with a library of C++, validate the rendered resources, write them.

`python reference.py FOLDER`, where FOLDER holds the project, and below `bench` what was rendered and the schemas.
"""

import sys
from pathlib import Path

import jsonschema_rs
import orjson
import ryml


def main(folder: Path) -> None:
    """Read, validate and write; the schemas are those of the catalog, compiled once each."""
    for path in sorted(folder.glob("*.yaml")):
        tree = ryml.parse_in_arena(path.read_bytes())
        orjson.loads(ryml.emit_json_malloc(tree, tree.root_id()))
    schemas = orjson.loads((folder / "bench" / "schemas.json").read_bytes())
    rendered = orjson.loads((folder / "bench" / "rendered.json").read_bytes())
    validators = {name: jsonschema_rs.Draft202012Validator(schema, validate_formats=True) for name, schema in schemas.items()}
    for kind, properties in rendered:
        validators[kind].is_valid(properties)
    (folder / "bench" / "written.json").write_bytes(orjson.dumps(rendered))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
