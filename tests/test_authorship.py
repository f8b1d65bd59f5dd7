"""The commits behind the causes of a deployment's effects, in real git repositories; lines followed against brute force."""

from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.changes.authorship import authors
from jovial_scaffold.core.folders import Folder, MemoryFolder
from tests.support import Write, edit, jovial, valid_json
from tests.support_git import commit, git, repository

FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [live.yaml], deployed: now.json}}\n",
    "t.yaml": "parameters:\n  hours: {type: integer, description: d}\n  codes: {type: array, items: {type: string}, description: d}\nresources:\n"
    '  belt (fulmar.queue): {name: belt, wait_hours: "${hours}", claim_seconds: 30}\n'
    '  gate (fulmar.queue): {$per: {c: codes}, name: "gate-${c}"}\n',
    "live.yaml": "hours: 10\ncodes:\n  - a\n  - b\n",
    "now.json": "{}",
}


def deployed(write: Write) -> Path:
    """A project of which what is committed was deployed."""
    folder = repository(write(FILES))
    (folder / "now.json").unlink()
    assert jovial("record", "live", "--out", "now.json", cwd=folder).returncode == 0
    return folder


def test_the_commit_that_wrote_the_line_is_told(write: Write) -> None:
    folder = deployed(write)
    edit(folder / "live.yaml", "hours: 10", "hours: 20")
    commit(folder, "Longer waits")
    edit(folder / "live.yaml", "  - a", "  - z")
    edit(folder / "t.yaml", "claim_seconds: 30", "claim_seconds: 60")
    commit(folder, "Another gate")
    edit(folder / "live.yaml", "hours: 20", "# for the season\nhours: 20")
    commit(folder, "A remark")
    names = git(folder, "log", "--format=%H").split()
    document = valid_json("effects", jovial("effects", "live", "--format", "json", cwd=folder).stdout)
    told = {each["parameter"]: each["commit"] for each in document["causes"]}
    assert told["hours"]["commit"] == names[2] and told["hours"]["subject"] == "Longer waits" and told["hours"]["author"]
    assert told[None]["commit"] == names[1]
    assert told["codes"] is None, "its first line is as it was, and several commits changed the file"
    text = jovial("effects", "live", cwd=folder).stdout
    assert f"hours (live.yaml:2, commit {names[2][:8]})" in text
    edit(folder / "live.yaml", "hours: 20", "hours: 30")
    assert "hours (live.yaml:2, not committed yet)" in jovial("effects", "live", cwd=folder).stdout


def test_the_only_change_of_a_file_is_what_changed_a_value_of_several_lines(write: Write) -> None:
    folder = deployed(write)
    edit(folder / "live.yaml", "  - a", "  - z")
    commit(folder, "Another gate")
    document = valid_json("effects", jovial("effects", "live", "--format", "json", cwd=folder).stdout)
    assert {each["parameter"]: each["commit"]["subject"] for each in document["causes"]} == {"codes": "Another gate"}


class _Past:
    """Commits as versions of one file, the newest last."""

    def __init__(self, versions: list[list[str]]) -> None:
        self.versions = versions

    def commit(self, revision: str) -> str:
        return revision

    def described(self, commit: str) -> tuple[str, str, str]:
        return "2026-11-28", "Ada", f"version {commit}"

    def touching(self, most: int) -> list[str]:
        return [str(number) for number in reversed(range(len(self.versions)))][:most]

    def at(self, commit: str) -> Folder:
        return MemoryFolder({"f": "\n".join(self.versions[int(commit)]).encode()})

    def tracks(self, name: str) -> bool:
        return True


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_a_line_is_of_the_version_that_first_had_it(data: st.DataObject) -> None:
    versions = [[f"old {number}" for number in range(data.draw(st.integers(1, 6)))]]
    for number in range(1, data.draw(st.integers(2, 6))):
        lines = [line for line in versions[-1] if data.draw(st.booleans()) or data.draw(st.booleans())]
        for fresh in range(data.draw(st.integers(0, 2))):
            lines.insert(data.draw(st.integers(0, len(lines))), f"new in {number} {fresh}")
        versions.append(lines)
    now = versions[-1]
    found = authors(MemoryFolder({"f": "\n".join(now).encode()}), _Past(versions), "0", [f"f:{at}" for at in range(1, len(now) + 1)])
    for at, line in enumerate(now, 1):  # every line has a text of its own
        if line.startswith("new"):
            assert found[f"f:{at}"].commit == line.split()[2]
        else:
            back = max(number for number, each in enumerate(versions) if each == versions[0])  # what was deployed came again
            changed = [number for number in range(back + 1, len(versions)) if versions[number] != versions[number - 1]]
            assert f"f:{at}" not in found or [found[f"f:{at}"].commit] == [str(number) for number in changed]
