"""What any tool must do at least: read the YAML's events, validate the rendered resources, write them.

`python reference.py FOLDER`, where FOLDER holds the project and `rendered.json`: a list of [type, properties].
"""

import sys
from pathlib import Path

import jsonschema_rs
import orjson
import yaml


def main(folder: Path) -> None:
    """Read, validate and write; the schemas are those of the catalog, compiled once each."""
    for path in sorted(folder.glob("*.yaml")):
        for _ in yaml.parse(path.read_bytes(), Loader=yaml.CSafeLoader):
            pass
    schemas = orjson.loads((folder / "schemas.json").read_bytes())
    rendered = orjson.loads((folder / "rendered.json").read_bytes())
    validators = {name: jsonschema_rs.Draft202012Validator(schema, validate_formats=True) for name, schema in schemas.items()}
    for kind, properties in rendered:
        validators[kind].is_valid(properties)
    (folder / "written.json").write_bytes(orjson.dumps(rendered))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
