"""The board in a real browser: clicks, filters, keys, nothing in the console, names for everything, text that stays text."""

import json
import os
import re
import shutil
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.reports.echoing import folded
from tests.support import Write, jovial
from tests.test_comparing import edit

sync = pytest.importorskip("playwright.sync_api")
CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
if CHROMIUM is None and os.environ.get("CI"):
    pytest.fail("Chromium is needed here: apt-get install chromium", pytrace=False)
pytestmark = pytest.mark.xdist_group("browser")


@pytest.fixture(scope="module")
def browser() -> Iterator[Any]:
    if CHROMIUM is None:
        pytest.skip("there is no Chromium here")
    with sync.sync_playwright() as playwright:
        started = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        yield started
        started.close()


@pytest.fixture(scope="module")
def written(demo_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    target = tmp_path_factory.mktemp("board") / "board.html"
    result = jovial("board", "--out", str(target), cwd=demo_folder)
    assert result.returncode == 0, result.stderr
    assert "edelweiss" not in target.read_text()
    return target


@pytest.fixture
def page(browser: Any, written: Path) -> Iterator[Any]:
    opened = opened_page(browser, written.as_uri())
    yield opened
    assert opened.said == [], "nothing is said in the console, and nothing is fetched"
    opened.close()


def opened_page(browser: Any, address: str) -> Any:
    opened = browser.new_page(viewport={"width": 1280, "height": 800})
    opened.said = []
    opened.on("console", lambda message: opened.said.append(message.text))
    opened.on("pageerror", lambda error: opened.said.append(str(error)))
    opened.on(
        "request",
        lambda request: opened.said.append(request.url) if not request.url.startswith(("file:", "data:", "http://127.0.0.1")) else None,
    )
    opened.goto(address)
    return opened


def until(page: Any, script: str) -> None:
    """Wait until a script gives true; the page's own rules forbid the browser's way to do so."""
    deadline = time.monotonic() + 10
    while not page.evaluate(script):
        assert time.monotonic() < deadline, script
        page.wait_for_timeout(30)


def content(page: Any) -> str:
    """The page's text, or nothing while it is loaded anew."""
    try:
        return str(page.content())
    except sync.Error:
        return ""


def heads(page: Any) -> list[str]:
    return [row.split("\n")[0] for row in page.evaluate("[...document.querySelectorAll('tr.head')].map((row) => row.dataset.key)")]


def test_resources_open_and_explain_themselves(page: Any) -> None:
    assert "gates/kes" in heads(page) and page.locator("tr.row").count() == 0
    page.click("tr.head:has-text('gates/kes')")
    assert page.locator("tr.row").count() == 3
    page.click("tr.row:has-text('copies')")
    details = page.inner_text("#details")
    for part in (
        "gates/kes",
        "fulmar.machine_group.v2",
        "line.yaml:",
        "${station.?gates.orValue(gates_for_each_station)}",
        "parameters/live.yaml:4",
        "needs",
    ):
        assert part in details
    assert "item station = stations" in details and "gates_for_each_station" in details
    page.click("#details button:has-text('gate_firewall')")
    assert page.inner_text("#details h2") == "gate_firewall"
    page.keyboard.press("Escape")
    assert page.locator("#details").count() == 0


def test_filters_and_search(page: Any) -> None:
    every = len(heads(page))
    page.fill("#search", "ticket_safe")
    until(page, "document.querySelectorAll('tr.head').length === 1")
    assert heads(page) == ["ticket_safe"]
    page.fill("#search", "archive_days")
    until(page, "document.querySelector('#count').textContent.includes('row')")
    until(page, "document.querySelectorAll('tr.head').length === 2")
    assert heads(page) == ["archive", "upload_policy"] or "archive" in heads(page)
    page.fill("#search", "no such thing")
    until(page, "document.querySelector('#count').textContent === 'Nothing fits.'")
    page.fill("#search", "")
    until(page, f"document.querySelectorAll('tr.head').length === {every}")
    page.uncheck("#only")
    page.click("tr.head:has-text('track_net')")
    rows = page.locator("tr.row").count()
    page.check("#only")
    assert page.locator("tr.row").count() < rows
    page.uncheck("label:has-text('sandbox') input")
    assert page.locator(".grid thead th").all_inner_texts() == ["resource", "rehearsal", "live"]
    page.uncheck("label:has-text('rehearsal') input")
    assert page.locator("tr.row").count() == rows, "one by itself differs from nothing, and all of it is shown"
    assert "values" in page.inner_text("tr.head:has-text('track_net')")


def test_echoes_are_folded_and_rows_go_by_what_they_are_about(page: Any) -> None:
    page.click("button:has-text('open all')")
    rows = page.locator("tr.row").count()
    assert "alp-‹setting›" in page.inner_text(".echoes") and page.locator("tr.row:has-text('tags/setting')").count() == 0
    page.check("label:has-text('echoes') input")
    page.click("button:has-text('open all')")
    assert page.locator("tr.row").count() > rows and page.locator(".echoes").count() == 0
    page.click("tr.row:has-text('tags/setting') >> nth=0")
    assert "only repeats" in page.inner_text("#details")
    page.keyboard.press("Escape")
    page.select_option("label:has-text('about') select", "durability")
    assert {text.split("\t")[0] for text in page.locator("tr.row td:first-child").all_inner_texts()} >= {"retention_days"}
    assert page.locator("tr.row:has-text('copies')").count() == 0
    page.select_option("label:has-text('about') select", "")
    page.uncheck("label:has-text('echoes') input")
    page.fill("#search", "alp-live")
    until(page, "document.querySelectorAll('tr.head').length > 0")


def test_echoes_are_those_of_the_comparison(page: Any, demo: Path) -> None:
    folds = folded(Project.load(demo).compare(echoes=True).rows)
    assert sum(len(each.rows) for each in folds) > len(folds) + 10
    told = [row.split("\t")[:3] for row in page.locator(".echoes tbody tr").all_inner_texts()]
    assert told == [[str(len(each.rows)), each.label, each.pattern] for each in folds]


def test_effects_go_by_cause(page: Any) -> None:
    page.click("#tab-effects")
    causes = page.inner_text(".causes")
    assert "archive_days parameters/live.yaml:11" in causes and "180 becomes 365" in causes
    assert page.locator(".meanwhile li").count() > 0 and "is gone from round" in page.inner_text(".meanwhile")


def test_what_if(browser: Any, demo: Path) -> None:
    program = Path(sys.executable).with_name("jovial")
    server = subprocess.Popen([str(program), "board", "--serve"], cwd=demo, stderr=subprocess.PIPE, text=True)
    before = {path: path.read_bytes() for path in demo.rglob("*") if path.is_file()}
    try:
        assert server.stderr is not None
        address = re.search(r"http://127\.0\.0\.1:\d+/", server.stderr.readline()).group()  # type: ignore[union-attr]
        page = opened_page(browser, f"{address}#try")
        assert page.locator("#try-archive_days").input_value() == "365" and page.locator("#try-desk_password").count() == 0
        page.fill("#try-archive_days", "30")
        page.fill("#try-range", "10.99.0.0/16")
        until(
            page,
            "document.querySelector('#answer').textContent.includes('range: 10.99.0.0/16') && document.querySelector('#answer').textContent.includes('is to be kept')",
        )
        answer = page.inner_text("#answer")
        assert "is to be kept" in answer and "retention_days" in answer and "anew, since track_net is rebuilt" in answer
        assert "archive_days: 30 parameters/live.yaml:11" in answer
        page.fill("#try-range", "10.20.0.0/16")
        page.fill("#try-archive_days", "many")
        until(
            page,
            "document.querySelector('#answer').textContent.includes('takes a whole number') || document.querySelector('#answer').textContent.includes('archive_days')",
        )
        until(page, "document.querySelector('#answer .error') !== null")
        page.fill("#try-archive_days", "365")
        until(page, "document.querySelector('#answer').textContent.includes('Change a value')")
        assert page.said == []
        page.close()
        for query in (
            "",
            "project=ridgeline",
            "project=ridgeline&environment=nowhere&x=1",
            "project=x&environment=live&x=1",
            "%",
            "a=1&b=2&c=3&d",
        ):
            asked = urllib.request.urlopen(f"{address}try?{query}", timeout=20)
            assert json.loads(asked.read()) in (None, {"effects": [], "beside": [], "findings": []}), query
        with urllib.request.urlopen(f"{address}try?project=ridgeline&environment=live&nobody=1", timeout=20) as asked:
            assert "nobody" in json.loads(asked.read())["findings"][0]["message"]
        with urllib.request.urlopen(f"{address}try?project=ridgeline&environment=live&desk_password=guess", timeout=20) as asked:
            said = asked.read()
        assert b"edelweiss" not in said and b"guess" not in said
        request = urllib.request.Request(
            f"{address}try?project=ridgeline&environment=live&x=1", headers={"Origin": "http://elsewhere.example"}
        )
        with pytest.raises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(request, timeout=10)
        assert refused.value.code == 403
        assert {path: path.read_bytes() for path in demo.rglob("*") if path.is_file()} == before
    finally:
        server.send_signal(signal.SIGTERM)
        assert server.wait(10) == 143


def test_a_workspace_in_one_page(browser: Any, tmp_path: Path) -> None:
    assert jovial("demo", "--workspace", cwd=tmp_path).returncode == 0
    result = jovial("board", cwd=tmp_path / "railways")
    assert result.returncode == 0 and "board.html" in result.stderr
    page = opened_page(browser, (tmp_path / "railways" / "board.html").as_uri())
    page.click("#tab-overview")
    assert "lines/funicular" in page.inner_text(".projects") and "rebuild" in page.inner_text(".projects")
    page.select_option("h1 select", label="ridgeline")
    assert "27" in page.inner_text("#panel")
    page.click("#tab-map")
    assert page.locator(".mapview .node").count() > 10
    page.select_option("h1 select", label="funicular")
    assert page.locator(".mapview .node").count() < 10 and page.said == []
    page.close()
    one = jovial("board", "ridgeline:live", "--out", "one.html", cwd=tmp_path / "railways")
    assert one.returncode == 0 and "funicular" not in (tmp_path / "railways" / "one.html").read_text().split("<script")[0]
    wrong = jovial("board", "sandboxx", cwd=tmp_path / "railways")
    assert wrong.returncode == 2 and "Traceback" not in wrong.stderr


def test_keys(page: Any) -> None:
    page.keyboard.press("/")
    assert page.evaluate("document.activeElement.id") == "search"
    page.keyboard.type("gates")
    until(page, "[...document.querySelectorAll('tr.head')].length < 12")
    page.keyboard.press("Escape")
    page.focus("tr[data-key][tabindex='0']")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    chosen = page.evaluate("document.activeElement.dataset.key")
    page.keyboard.press("Enter")
    assert page.inner_text("#details h2") == chosen and page.evaluate("document.activeElement.dataset.key") == chosen
    page.keyboard.press("ArrowLeft")
    assert page.locator("tr.row").count() == 0
    page.keyboard.press("End")
    assert page.evaluate("document.activeElement.dataset.key") == page.locator("tr[data-key]").last.get_attribute("data-key")
    page.focus("#tab-environments")
    page.keyboard.press("ArrowRight")
    assert page.get_attribute("#tab-map", "aria-selected") == "true" and page.evaluate("document.activeElement.id") == "tab-map"


def test_the_map(page: Any) -> None:
    page.click("#tab-map")
    nodes = page.locator(".mapview .node")
    assert nodes.count() > 10
    before = page.get_attribute(".mapview svg", "viewBox")
    page.focus(".mapview")
    page.keyboard.press("+")
    page.keyboard.press("ArrowRight")
    assert page.get_attribute(".mapview svg", "viewBox") != before
    page.keyboard.press("0")
    assert page.get_attribute(".mapview svg", "viewBox") == before
    box = page.locator(".mapview").bounding_box()
    page.mouse.move(box["x"] + 40, box["y"] + 40)
    page.mouse.wheel(0, -200)
    page.mouse.down()
    page.mouse.move(box["x"] + 140, box["y"] + 90)
    page.mouse.up()
    assert page.get_attribute(".mapview svg", "viewBox") != before
    page.keyboard.press("0")
    page.click(".mapview .node:has-text('timetable_store')")
    assert page.locator(".mapview .node:not(.far)").count() == 3
    page.select_option(".filters select", "sandbox")
    assert page.locator(".mapview .node:has-text('readings')").count() == 0
    page.dblclick(".mapview .node:has-text('ticket_safe')")
    assert page.inner_text("#details h2") == "ticket_safe"


def test_effects_findings_and_overview(page: Any) -> None:
    page.click("#tab-effects")
    text = page.inner_text("#panel")
    assert "gate-2026-08" in text and "rebuild" in text and "2 things there are not ours" in text
    page.click("#tab-findings")
    assert "Nothing is wrong." in page.inner_text("#panel")
    page.click("#tab-overview")
    text = page.inner_text("#panel")
    assert "27" in text and "upper-valley" in text and "fulmar.machine_group.v2" in text
    page.click("button:has-text('4 rebuild')")
    assert page.get_attribute("#tab-effects", "aria-selected") == "true"


def test_everything_has_a_name(page: Any) -> None:
    nameless = """() => [...document.querySelectorAll('button, input, select, [role=tab], [tabindex="0"], main, aside')].filter((element) => {
        const labels = element.labels ? [...element.labels].map((label) => label.textContent).join('') : '';
        return !(element.getAttribute('aria-label') || element.getAttribute('aria-labelledby') || labels || element.textContent || '').trim();
    }).map((element) => element.outerHTML.slice(0, 120))"""
    for tab in ("overview", "environments", "map", "effects", "findings"):
        page.click(f"#tab-{tab}")
        assert page.evaluate(nameless) == []
        ids = page.evaluate("[...document.querySelectorAll('[id]')].map((element) => element.id)")
        assert len(ids) == len(set(ids)), tab
    assert page.get_attribute("html", "lang") == "en" and page.title() == "ridgeline · board"


def test_dark_light_and_print(page: Any) -> None:
    colour = "getComputedStyle(document.body).backgroundColor"
    light = page.evaluate(colour)
    page.click("#theme")
    dark = page.evaluate(colour)
    assert light != dark
    page.click("#theme")
    assert page.evaluate(colour) == light
    page.emulate_media(media="print")
    assert not page.is_visible("#search") and page.is_visible("tr.head >> nth=0")


HOSTILE = '<img src=x onerror="document.title=1">"\'&</script><script>document.title=2</script>'


_WORDS = {"a": "first-word", "b": "second-word", "c": "third-word", "d": "first-word"}
_LONG = {"a": "x" * 5_000, "b": "x" * 4_000 + "y" * 1_000, "c": "x" * 4_999 + "z", "d": "x" * 5_000}


def test_values_that_differ_never_read_the_same_whichever_columns_are_shown(browser: Any, write: Write) -> None:
    pools = "".join(
        f'  pool_{number} (fulmar.machine_group): {{name: pool-{number}, image: i, size: s, copies: 1, settings: {{X: "url-${{word}}-{number}", L: "{number}-${{long}}"}}}}\n'
        for number in range(3)
    )
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {}, b: {}, c: {}, d: {}}\n",
            "t.yaml": "parameters: {word: {type: string, writeOnly: true, description: d}, long: {type: string, description: d}}\n"
            f'documents: {{note: {{from: note.txt}}}}\noutputs: {{told: "${{word}}", all: {{of: ["${{word}}", x]}}}}\nresources:\n{pools}',
            "note.txt": "the word is ${word}\nand ${long}\n",
            **{f"parameters/{name}.yaml": f"word: {{$secret: {{env: WORD_{name}}}}}\nlong: {_LONG[name]}\n" for name in _WORDS},
        }
    )
    given = {f"WORD_{name}": word for name, word in _WORDS.items()}
    rows = json.loads(jovial("compare", "--echoes", "--format", "json", cwd=folder, env=given).stdout)["rows"]
    assert {json.dumps(row["alike"]) for row in rows if "alike" in row} == {'[["a", "d"], ["b"], ["c"]]'}
    told = jovial("compare", "--echoes", "--format", "csv", cwd=folder, env=given).stdout
    assert told.count("‹another secret 2›") == told.count("‹another secret›") == 6 and not any(word in told for word in _WORDS.values())
    assert jovial("board", cwd=folder, env=given).returncode == 0
    page = opened_page(browser, (folder / "board.html").as_uri())
    page.check("label:has-text('echoes') input")
    for hidden, differ in (("ad", True), ("bc", False), ("ab", True), ("acd", False)):
        for name in hidden:
            page.uncheck(f".filters input >> nth={'abcd'.index(name)}")
        if page.locator("button:has-text('open all')").count():
            page.click("button:has-text('open all')")
        shown = [row.split("\t")[-(4 - len(hidden)) :] for row in page.locator("tr.row").all_inner_texts()]
        if len(hidden) < 3:
            assert len(shown) == (3 * 2 + 2 + 2 if differ else 0), (hidden, shown)
            assert all(len(set(each)) == len(each) for each in shown), (hidden, shown)
        for name in hidden:
            page.check(f".filters input >> nth={'abcd'.index(name)}")
    page.close()


def test_text_from_files_stays_text(browser: Any, write: Write) -> None:
    folder = write(
        {
            "jovial.yaml": "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml], labels: {x: "
            + json.dumps(HOSTILE)
            + "}}, b: {parameters: [b.yaml]}}\n",
            "line.yaml": 'parameters: {t: {type: string, description: d}}\nresources: {q (fulmar.queue): {name: the-queue, tags: {t: "${t}", '
            + json.dumps(HOSTILE)
            + ': x}}}\noutputs: {o: "${t}"}\n',
            "a.yaml": f"t: {json.dumps(HOSTILE)}\n",
            "b.yaml": "t: other\n",
        }
    )
    assert jovial("board", cwd=folder).returncode == 0
    page = opened_page(browser, (folder / "board.html").as_uri())
    assert HOSTILE not in page.inner_text("#panel") and "‹t›" in page.inner_text(".echoes")
    page.check("label:has-text('echoes') input")
    page.click("button:has-text('open all')")
    page.click("tr.row >> nth=0")
    assert HOSTILE in page.inner_text("#panel") and page.title() == "trial · board"
    for tab in ("overview", "map", "effects", "findings"):
        page.click(f"#tab-{tab}")
    assert page.title() == "trial · board" and page.locator("#panel img").count() == 0 and page.said == []
    page.close()


def test_a_thousand_resources_in_ten_environments_open(browser: Any, write: Write) -> None:
    parts = ["parameters: {n: {type: integer, description: d}}\nresources:\n"]
    parts += [
        f'  r{number} (fulmar.queue): {{name: "queue-${{n}}-{number}", claim_seconds: "${{n}}", tags: {{a: "{number}", b: "x-${{n}}"}}}}\n'
        for number in range(1000)
    ]
    names = [f"e{number}" for number in range(10)]
    project = "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments:\n" + "".join(
        f"  {name}: {{parameters: [{name}.yaml]}}\n" for name in names
    )
    folder = write(
        {"jovial.yaml": project, "line.yaml": "".join(parts), **{f"{name}.yaml": f"n: {number}\n" for number, name in enumerate(names, 1)}}
    )
    result = jovial("board", cwd=folder)
    assert result.returncode == 0, result.stderr
    page = opened_page(browser, (folder / "board.html").as_uri())
    until(page, "document.querySelectorAll('tr.head').length === 1000")
    assert page.said == []
    page.click("tr.head:has-text('r999')")
    assert page.inner_text("#details h2") == "r999"
    page.close()


def test_serving(browser: Any, demo: Path) -> None:
    program = Path(sys.executable).with_name("jovial")
    server = subprocess.Popen([str(program), "board", "--serve"], cwd=demo, stderr=subprocess.PIPE, text=True)
    try:
        assert server.stderr is not None
        address = re.search(r"http://127\.0\.0\.1:\d+/", server.stderr.readline()).group()  # type: ignore[union-attr]
        page = opened_page(browser, address)
        assert "365" in content(page)
        edit(demo / "parameters" / "live.yaml", "archive_days: 365", "archive_days: 401")
        deadline = time.monotonic() + 30
        while "401" not in content(page) and time.monotonic() < deadline:
            page.wait_for_timeout(200)
        assert "401" in content(page) and page.said == []
        (demo / "jovial.yaml").write_text("project: [")
        page.wait_for_timeout(1500)
        assert "401" in content(page), "the last page stays while the project cannot be read"
        page.close()
        request = urllib.request.Request(address, headers={"Host": "elsewhere.example"})
        with pytest.raises(urllib.error.HTTPError) as refused:
            urllib.request.urlopen(request, timeout=10)
        assert refused.value.code == 403
    finally:
        server.send_signal(signal.SIGTERM)
        assert server.wait(10) == 143
        _, said = server.communicate()
        assert "Traceback" not in said
