"""The one door for reading: nothing outside of a project is read, and nothing of a repository is run or written."""

import os
import subprocess
import threading
import time
from pathlib import Path

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.folders import Folder, Found, MemoryFolder, Refusal, RevisionError
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine.disk import DiskFolder, read_named
from jovial_scaffold.machine.repository import DiskHistory, Repository
from jovial_scaffold.machine.worktree import Ignored, changed
from tests.support import Write, jovial
from tests.support_git import commit, git, repository
from tests.support_hostile import booby_trap, commit_tree, store, tree

OUTSIDE = "canary-from-outside"
FILES = {"a.yaml": b"a", "deep/b.yaml": b"b", "deep/er/c.yaml": b"c", "empty.txt": b""}
LINKS = {
    "to_file": "deep/b.yaml",
    "to_folder": "deep",
    "deep/up": "../a.yaml",
    "out": "../x",
    "far": "/etc",
    "loop": "loop",
    "twice": "to_folder/b.yaml",
}


def on_disk(folder: Path) -> Folder:
    for name, content in FILES.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(content)
    for name, target in LINKS.items():
        (folder / name).symlink_to(target)
    return DiskFolder(folder)


def in_a_commit(folder: Path) -> Folder:
    on_disk(folder)
    repository(folder)
    return DiskHistory(folder).at(git(folder, "rev-parse", "HEAD"))


KINDS = {"disk": on_disk, "commit": in_a_commit, "memory": lambda _: MemoryFolder(FILES, LINKS)}
NAMES = [
    ("a.yaml", "a.yaml", b"a"),
    ("./deep//b.yaml", "deep/b.yaml", b"b"),
    ("deep/../a.yaml", "a.yaml", b"a"),
    ("deep/er/../../a.yaml", "a.yaml", b"a"),
    ("to_file", "deep/b.yaml", b"b"),
    ("to_folder/er/c.yaml", "deep/er/c.yaml", b"c"),
    ("to_folder/../a.yaml", "a.yaml", b"a"),
    ("deep/up", "a.yaml", b"a"),
    ("twice", "deep/b.yaml", b"b"),
    ("empty.txt", "empty.txt", b""),
    ("missing", None, "missing"),
    ("a.yaml/b", None, "missing"),
    ("deep", None, "folder"),
    ("", None, "folder"),
    ("..", None, "outside"),
    ("deep/../../x", None, "outside"),
    ("out", None, "outside"),
    ("far/passwd", None, "outside"),
    ("/etc/passwd", None, "outside"),
    ("loop", None, "failed"),
    ("nul\0", None, "invalid"),
    ("x" * 5000, None, "invalid"),
]


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_of_folder_reads_alike(tmp_path: Path, kind: str) -> None:
    folder = KINDS[kind](tmp_path)
    for name, real, content in NAMES:
        read = folder.read(name)
        assert (read.kind if isinstance(read, Refusal) else read) == content, name
        if real is not None:
            assert folder.find(name) == Found(real, "file"), name
    assert folder.names("deep") == ["b.yaml", "er", "up"] and isinstance(folder.names("a.yaml"), Refusal)
    below = folder.below("deep")
    assert below.read("b.yaml") == b"b" and isinstance(below.read("../a.yaml"), Refusal) and isinstance(below.read("up"), Refusal)


def test_what_is_no_file_is_not_read(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "large").write_bytes(b"x" * (17 << 20))
    folder = DiskFolder(tmp_path)
    found = [
        folder.read("pipe"),
        folder.read("large"),
        read_named(str(tmp_path / "pipe")),
        read_named("/dev/null"),
        read_named(str(tmp_path)),
    ]
    assert [each.kind for each in found if isinstance(each, Refusal)] == ["special", "too-large", "special", "special", "folder"]


PLACES = [
    ("a catalog", "catalogs: [fulmar, cat/]", "cat/x.yaml"),
    ("a ruleset", "rulesets: [rules/]", "rules/x.yaml"),
    ("a module", "modules: {m: m.yaml}", "m.yaml"),
    ("a table", "lookups: {t: t.csv}", "t.csv"),
    ("a parameter file", "environments: {live: {parameters: [p.yaml]}}", "p.yaml"),
    ("the template", "template: other.yaml", "other.yaml"),
    ("a snapshot", "environments: {live: {deployed: d.json}}", "d.json"),
]


@pytest.mark.parametrize(("line", "name"), [each[1:] for each in PLACES], ids=[each[0] for each in PLACES])
@pytest.mark.parametrize("through", ["file", "folder"])
def test_no_link_leads_out(tmp_path: Path, line: str, name: str, through: str) -> None:
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    (elsewhere / Path(name).name).write_text(f"{OUTSIDE}: {{{OUTSIDE}: 1}}\n")
    inside = tmp_path / "project"
    inside.mkdir()
    shape = {"template": "template: t.yaml", "catalogs": "catalogs: [fulmar]", "environments": "environments: {live: {}}"}
    shape[line.partition(":")[0]] = line
    (inside / "jovial.yaml").write_text("\n".join(["project: p", *shape.values()]))
    (inside / "t.yaml").write_text("resources: {u (m): {}}\n" if "modules" in line else "resources: {}\n")
    if "/" in name and through == "folder":
        (inside / Path(name).parent).symlink_to(elsewhere)
    else:
        (inside / name).parent.mkdir(exist_ok=True)
        (inside / name).symlink_to(elsewhere / Path(name).name)
    for command in (("check",), ("render", "live"), ("effects", "live"), ("survey",)):
        result = jovial(*command, cwd=inside)
        assert OUTSIDE not in result.stdout + result.stderr and result.returncode in (0, 1, 2)
    assert "path-outside" in jovial("check", cwd=inside).stdout + jovial("effects", "live", cwd=inside).stderr


def test_the_project_file_itself_may_not_be_a_link_out(tmp_path: Path) -> None:
    (tmp_path / "far.yaml").write_text(f"project: p\ntemplate: t.yaml\nenvironments: {{{OUTSIDE}: {{}}}}\n")
    (tmp_path / "project").mkdir()
    (tmp_path / "project" / "jovial.yaml").symlink_to("../far.yaml")
    result = jovial("check", cwd=tmp_path / "project")
    assert result.returncode == 2 and "path-outside" in result.stderr and OUTSIDE not in result.stderr


def test_links_that_are_swapped_while_they_are_read_lead_nowhere(tmp_path: Path) -> None:
    inside = tmp_path / "inside"
    (inside / "a").mkdir(parents=True)
    (inside / "a" / "f").write_text("inside")
    (tmp_path / "secret").mkdir()
    (tmp_path / "secret" / "f").write_text(OUTSIDE)
    (inside / "link").symlink_to("../secret")
    done = threading.Event()

    def swap() -> None:
        while not done.is_set():
            os.rename(inside / "a", inside / "b")
            os.rename(inside / "link", inside / "a")
            os.rename(inside / "a", inside / "link")
            os.rename(inside / "b", inside / "a")

    thread = threading.Thread(target=swap)
    thread.start()
    folder = DiskFolder(inside)
    until = time.monotonic() + 1.5
    found = {
        content for content in iter(lambda: folder.read("a/f") if time.monotonic() < until else None, None) if isinstance(content, bytes)
    }
    done.set()
    thread.join()
    assert found == {b"inside"}


def test_hostile_trees_write_and_read_nothing_elsewhere(tmp_path: Path) -> None:
    folder = tmp_path / "r"
    folder.mkdir()
    git(folder, "init", "-q")
    project = store(folder, "blob", b"project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n")
    template, evil = store(folder, "blob", b"resources: {}\n"), store(folder, "blob", OUTSIDE.encode())
    link = store(folder, "blob", b"../../../../etc/passwd")
    below = tree(folder, [("100644", b"planted", evil)])
    entries = [
        ("40000", b"..", below),
        ("100644", b"/tmp/jovial-planted", evil),
        ("100644", b"../planted", evil),
        ("40000", b".git", below),
        ("100644", b"-rf", evil),
        ("100644", b"a\nb", evil),
        ("100644", b"c\x1b]0;x\x07", evil),
        ("160000", b"module", "1" * 40),
        ("120000", b"out", link),
        ("100644", b"jovial.yaml", project),
        ("100644", b"t.yaml", template),
    ]
    hostile = commit_tree(folder, tree(folder, entries))
    commit_tree(folder, tree(folder, sorted(entries[-2:], key=lambda each: each[1])))
    git(folder, "reset", "-q", "--hard")
    before = sorted(path.relative_to(tmp_path) for path in tmp_path.rglob("*") if ".git" not in path.parts)
    past = DiskHistory(folder).at(hostile)
    assert (
        isinstance(past.read("out"), Refusal)
        and isinstance(past.read("../planted"), Refusal)
        and isinstance(past.read("module/x"), Refusal)
    )
    result = jovial("compare", "live", f"live@{git(folder, 'rev-parse', 'HEAD')[:10]}", cwd=folder)
    assert result.returncode == 0, result.stderr
    assert sorted(path.relative_to(tmp_path) for path in tmp_path.rglob("*") if ".git" not in path.parts) == before
    assert not Path("/tmp/jovial-planted").exists()


def test_nothing_that_a_repository_configures_is_run(demo: Path, tmp_path: Path) -> None:
    repository(demo)
    (demo / ".gitattributes").write_text("* filter=x\n")
    (demo / "line.yaml").write_text((demo / "line.yaml").read_text() + "\n# changed\n")
    trap = tmp_path / "sprung"
    booby_trap(demo, trap)
    for command in (
        ("check",),
        ("compare", "live", "live@HEAD"),
        ("ripple",),
        ("why", "gates/kes:image", "live", "--history"),
        ("record", "live", "--out", "r.json"),
    ):
        result = jovial(*command, cwd=demo)
        assert result.returncode in (0, 1), result.stderr
    assert not trap.exists()


def test_a_folder_that_looks_like_a_bare_repository_is_none(demo: Path) -> None:
    git(demo, "init", "-q", "--bare", ".")
    (demo / "config").write_text("[core]\n\tbare = false\n\tworktree = .\n\tfsmonitor = touch sprung\n")
    assert jovial("check", cwd=demo).returncode == 0 and not (demo / "sprung").exists()
    with pytest.raises(RevisionError):
        Repository(demo)


REVISIONS = [
    ("HEAD", 0),
    ("@", 0),
    ("HEAD~1", 1),
    ("HEAD^", 1),
    ("HEAD~2", 2),
    ("HEAD^^", 2),
    ("HEAD~1^1", 2),
    ("main", 0),
    ("heads/main", 0),
    ("v1", 2),
    ("refs/tags/v1", 2),
]


def test_revisions_mean_what_git_says(tmp_path: Path) -> None:
    git(tmp_path, "init", "-q", "-b", "main")
    made = []
    for number in range(3):
        (tmp_path / "f").write_text(str(number))
        made.insert(0, commit(tmp_path, f"Number {number}\n\nMore."))
    git(tmp_path, "tag", "-a", "v1", "-m", "One", made[2])
    for packed in (False, True):
        if packed:
            git(tmp_path, "gc", "-q")
        found = Repository(tmp_path)
        for text, index in [*REVISIONS, (made[1], 1), (made[1][:9], 1)]:
            assert found.commit(text) == made[index] == git(tmp_path, "rev-parse", f"{text}^{{commit}}"), text
        assert found.described(made[0])[1:] == ("Ada", "Number 2") and found.history("", 9) == made
        for text in ("nothing", "HEAD~9", "", "-n", "--all", "HEAD@{1}", "a b", "main:f", "^HEAD", "..", "config"):
            with pytest.raises(RevisionError):
                found.commit(text)


IGNORED = ["*.log", "!keep.log", "/top", "build/", "a/**/z", "doc/*.txt", "[ab].c", "\\#x", "deep/**", "# remark", "trail "]


def test_what_is_ignored_is_what_git_ignores(tmp_path: Path) -> None:
    git(tmp_path, "init", "-q")
    (tmp_path / ".gitignore").write_text("\n".join(IGNORED))
    (tmp_path / "sub").mkdir()
    (tmp_path / "sub" / ".gitignore").write_text("!x.log\nown\n")
    names = [
        "x.log",
        "keep.log",
        "sub/x.log",
        "sub/y.log",
        "top",
        "sub/top",
        "build",
        "sub/own",
        "own",
        "a/z",
        "a/b/c/z",
        "doc/r.txt",
        "doc/s/r.txt",
    ]
    names += ["a.c", "c.c", "#x", "deep/f", "deep", "trail", "plain", "sub/b.c"]
    ours = Ignored(DiskFolder(tmp_path), tmp_path / ".git" / "info" / "exclude")
    for name in names:
        assert ours(name, False) == (name in git_ignored(tmp_path, name)), name


def git_ignored(folder: Path, name: str) -> str:
    return subprocess.run(
        ["git", "-C", str(folder), "check-ignore", "--no-index", name], capture_output=True, text=True, check=False
    ).stdout


def test_what_changed_is_what_has_another_digest(tmp_path: Path) -> None:
    for name in ("same", "edited", "gone", "touched", "crlf"):
        (tmp_path / name).write_text(f"{name}\n")
    repository(tmp_path)
    (tmp_path / "edited").write_text("another")
    (tmp_path / "gone").unlink()
    os.utime(tmp_path / "touched")
    (tmp_path / "crlf").write_bytes(b"crlf\r\n")
    (tmp_path / "new").write_text("new")
    (tmp_path / ".gitignore").write_text("ignored\n")
    (tmp_path / "ignored").write_text("x")
    found = Repository(tmp_path)
    assert changed(found, found.commit("HEAD"), [""]) == ([".gitignore", "edited", "gone", "new"], ["gone"])


def test_a_project_needs_no_disk(write: Write) -> None:
    from jovial_scaffold.core.project import Project as Bare

    files = {
        "jovial.yaml": b"project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
        "t.yaml": b"resources:\n  q (fulmar.queue): {name: main-queue}\n",
    }
    bare = Bare(MemoryFolder(files))
    assert bare.check().findings == () and list(bare.render("live").resources) == ["q"]
    with pytest.raises(ProjectError):
        bare.compare(["live", "live@HEAD"])
    folder = write({name: content.decode() for name, content in files.items()})
    assert Project.load(folder).inputs("live") == bare.inputs("live")
