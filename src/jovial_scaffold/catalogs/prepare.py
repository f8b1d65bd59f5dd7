"""Writes the pre-parsed form of each shipped catalog beside its folder: `python -m jovial_scaffold.catalogs.prepare`."""

import json

from jovial_scaffold.core.schemas.catalog import SHIPPED, prepare
from jovial_scaffold.machine.disk import DiskFolder


def prepared_text(name: str) -> str:
    """What the pre-parsed file of a shipped catalog should hold."""
    return json.dumps(prepare(DiskFolder(SHIPPED / name)), separators=(",", ":"), sort_keys=True) + "\n"


if __name__ == "__main__":
    for folder in sorted(path for path in SHIPPED.iterdir() if (path / "catalog.yaml").is_file()):
        (SHIPPED / f"{folder.name}.json").write_text(prepared_text(folder.name), "utf-8")
        print(f"Written: {SHIPPED / folder.name}.json")
