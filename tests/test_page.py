"""Reports: the page in a real browser, the same as Markdown, and results that show themselves in a notebook."""

import html
import json
import os
import re
import shlex
import shutil
import subprocess
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import typer
from hypothesis import given
from hypothesis import strategies as st
from markdown_it import MarkdownIt
from matplotlib.text import Text

pytest.importorskip("selenium", reason="no browser is driven here")
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

import keenlattice
from browser import CONTRASTS, MISSING, Browser, browser
from conftest import KEEN, Keen, as_json, environment, typed
from keenlattice.blocks import KeyFigure, Picture, Report
from keenlattice.cli.app import app
from keenlattice.errors import UsageError
from keenlattice.logbook.book import Logbook
from keenlattice.logbook.kept import studies
from keenlattice.measure.capture import Capture
from keenlattice.profile.checks import Finding, Findings
from keenlattice.profile.compare import changes
from keenlattice.report.card import card
from keenlattice.report.context import Changed, Context
from keenlattice.report.graph import Node, lanes, version_graph
from keenlattice.report.html import in_script, to_html
from keenlattice.report.markdown import in_a_cell, plain_text, to_markdown
from keenlattice.study.trial.plan import TrialPlan
from keenlattice.study.trial.result import MetricResult, Trial
from keenlattice.study.trial.tell import trial_report
from keenlattice.workspace.page import Drawing
from test_report import assert_clear

SECTIONS = ["What changed", "What it did", "Each change, and its verdict", "How sure this is", "The rig",
            "How to repeat it", "How to go back"]
HOSTILE = '</title></style><script>document.title="taken"</script><img src=http://example.invalid/x.png onerror=x>'
LONG = "a" * 79
OVERLAPPING = """
const bad = [];
for (const svg of document.querySelectorAll("figure svg")) {
  const frame = svg.getBoundingClientRect();
  const texts = [...svg.querySelectorAll("text")].map(one => [one.getBoundingClientRect(), one.textContent.trim()])
    .filter(one => one[1]);
  texts.forEach(([a, said], place) => {
    if (a.left < frame.left - 1 || a.right > frame.right + 1) bad.push(["cut", said]);
    for (const [b, other] of texts.slice(place + 1))
      if (Math.min(a.right, b.right) - Math.max(a.left, b.left) > 1
          && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 3) bad.push([said, other]);
  });
}
return bad;
"""


@pytest.fixture(scope="module")
def written(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a logbook, and the reports of one of everything."""
    home = tmp_path_factory.mktemp("reports")
    env = environment(home, KEEN_BOOK=str(home / "book"))
    for words in (
            "edit rig display.refresh=165 -m first", "apply rig --yes", "rig restart machine",
            "edit brass-orbit frame.queue-depth=1 texture.anisotropy=16x frame.cap=160 -m list",
            "apply brass-orbit --yes",
            "rig chore update-driver --yes", "trial brass-orbit@stock brass-orbit --blocks 3 --seconds 4 --seed 1",
            "screen brass-orbit@stock brass-orbit --rounds 1 --seconds 4 --seed 1",
            "hunt brass-orbit --matters 3 --seconds 10 --blocks 4 --decides latency_ms_median --seed 1",
            "tune brass-orbit@stock --try frame.queue-depth=1,3 --goal latency_ms_p95 --rounds 4 --proof 2 --seconds 5 "
            "--seed 1", "report --study 1", "report --study 2", "report --study 3", "report --study 4",
            "report brass-orbit", "report --study 1 --out trial.md", "report tidewater-rally"):
        done = typed(words.split(), home, env)
        assert done.returncode == 0, done.stderr
    return home


@pytest.fixture(scope="module")
def chromium() -> Iterator[Browser]:
    if MISSING:
        pytest.skip("chromium and chromedriver are not here: make test installs them where it may")
    with browser() as shown:
        yield shown


def assert_at_home(shown: Browser, page: Path, least_pictures: int) -> None:
    """The page in both themes, at a desk and on a phone: fetches nothing, fits, and can be read by everybody."""
    for width, theme in ((1280, "light"), (1280, "dark"), (390, "light"), (390, "dark")):
        shown.show(page, width, 800, theme)
        shown.run("document.querySelectorAll('details').forEach(one => one.open = true)")
        assert shown.requests() == [page.as_uri()]
        assert shown.complaints() == []
        assert shown.run("return document.documentElement.scrollWidth") <= width
        ratio, text = shown.run(CONTRASTS)[0]
        assert ratio >= 4.5, (text, theme)
        assert shown.run(OVERLAPPING) == []
    pictures = shown.run("return [...document.querySelectorAll('svg')].map(one => [one.getAttribute('role'), "
                         "...one.getAttribute('aria-labelledby').split(' ').map("
                         "id => document.getElementById(id).textContent)])")
    assert len(pictures) >= least_pictures
    assert all(role == "img" and title and len(alt) > 20 for role, title, alt in pictures)
    assert shown.run("return document.querySelectorAll('script').length") == min(1, len(pictures))
    assert shown.run("return [...document.querySelectorAll('[id]')].map(one => one.id).length"
                     " == new Set([...document.querySelectorAll('[id]')].map(one => one.id)).size")
    assert shown.run("return [...document.querySelectorAll('h2')].map(one => one.textContent)") == SECTIONS


@pytest.mark.parametrize(("name", "least"), [
    ("trial-1", 4), ("screen-2", 1), ("hunt-3", 4), ("tune-4", 5), ("brass-orbit-history", 5),
    ("tidewater-rally-history", 0)])
def test_a_report_is_at_home_in_a_real_browser(written: Path, chromium: Browser, name: str, least: int) -> None:
    assert_at_home(chromium, written / f"{name}.html", least)


def test_a_figure_answers_to_a_pointer_with_the_runs_of_a_block(written: Path, chromium: Browser) -> None:
    with keenlattice.open(written / "book", "standin") as ws:
        runs = ws.studies.runs(1).table()
        name = ws.studies.get(1).result.decisive[0].name
    chromium.show(written / "trial-1.html")
    svg = chromium.driver.find_elements(By.CSS_SELECTOR, "figure[data-answers] svg")[1]
    reading = chromium.driver.find_elements(By.CSS_SELECTOR, ".reading")[1]
    assert reading.text.startswith("Point at")
    right, down, text = json.loads(chromium.run(
        "return document.querySelectorAll('figure[data-answers]')[1].dataset.answers"))[0]["points"][1]
    width, height, drawn = chromium.run("const svg = document.querySelectorAll('figure[data-answers] svg')[1],"
                                        "frame = svg.getBoundingClientRect();"
                                        "return [frame.width, frame.height, svg.viewBox.baseVal.width]")
    scale = width / drawn
    chromium.run("document.querySelectorAll('figure[data-answers]')[1].scrollIntoView()")
    ActionChains(chromium.driver).move_to_element_with_offset(
        svg, round(right * scale - width / 2), round(down * scale - height / 2)).perform()
    assert reading.text == text
    before, after = (runs[(runs["block"] == 2) & (runs["arm"] == arm)][name].item() for arm in ("before", "after"))
    assert f"block 2: before {before:.3g}, after {after:.3g} " in text
    chromium.requests()  # of this page: the next test counts its own


def test_findings_and_drift_stand_where_they_matter(written: Path) -> None:
    page = (written / "trial-1.html").read_text()
    changed, rig = (page.split(f"<h2>{title}</h2>")[1].split("<h2>")[0] for title in ("What changed", "The rig"))
    assert "no longer holds frame.cap" in changed and "drift --put-back" in changed
    assert "anisotropic filtering at 16x may do nothing" in changed
    assert "memory.rated-speed" in rig and "memory.rated-speed" not in changed
    assert "trial brass-orbit@stock brass-orbit@" in page and "--seed 1" in page and "studies again 1" in page
    assert "keen undo" in page.split("<h2>How to go back</h2>")[1]


def test_the_same_as_markdown_with_its_figure(written: Path) -> None:
    text = (written / "trial.md").read_text()
    assert [line[3:] for line in text.splitlines() if line.startswith("## ")] == SECTIONS
    assert "](trial.png)" in text and (written / "trial.png").read_bytes().startswith(b"\x89PNG")
    page = (written / "trial-1.html").read_text()
    for number in re.findall(r"[-+]\d+\.\d to [-+]\d+\.\d %", text):
        assert number in page


@pytest.mark.parametrize("number", [1, 2, 3, 4])
def test_a_card_is_of_the_size_that_places_ask_for_and_its_words_are_clear(written: Path, number: int) -> None:
    with keenlattice.open(written / "book", "standin") as ws:
        page = ws.report(study=number)
        figure = page.card().draw()
        assert_clear(figure, 8, (1200, 630))
        shown = " ".join(text.get_text() for text in figure.findobj(Text))
        assert all((key.figure or key.sentence).replace("->", "\N{RIGHTWARDS ARROW}")[:20] in shown.replace("\n", " ")
                   for key in page.content.keys)


def test_a_strangers_words_in_a_figure_are_no_formula(tmp_path: Path) -> None:
    bad = "$\\frac{$ and $x_"
    key = KeyFigure(bad, "better", bad, bad, bad)
    Drawing(lambda: card(bad, [key], bad, None)).save(tmp_path / "card.png")
    graph = Picture(bad, bad, lambda: version_graph([Node("a", ["b"], bad, bad), Node("b", [], bad)]))
    assert bad in html.unescape(to_html(Report(bad, [key], own=[("Versions", [graph])])))


def test_what_is_gone_is_said_and_the_rest_is_reported(written: Path, tmp_path: Path) -> None:
    shutil.copytree(written / "book", tmp_path / "book")
    shutil.rmtree(tmp_path / "book" / "captures")
    done = subprocess.run([*KEEN, "report", "--study", "1", "--json"], cwd=tmp_path, capture_output=True, text=True,
                          env=environment(tmp_path, KEEN_BOOK=str(tmp_path / "book")), check=True)
    assert done.stderr.startswith("! ") and "without the pictures" in done.stderr
    assert (tmp_path / as_json(done)["file"]).read_text().count("<svg") == 1


def test_a_report_of_nothing_or_to_nowhere_is_one_clear_line(keen: Keen, tmp_path: Path) -> None:
    for words, says in ((("report",), "nothing has been measured"), (("report", "brass-obit"), "nearest: brass-orbit"),
                        (("report", "--study", "7"), "no study 7"), (("report", "--out", "a.pdf"), ".html"),
                        (("report", "brass-orbit", "--study", "1"), "give one of them")):
        assert says in keen(*words, code=2).stderr
    assert "there is no folder" in keen("report", "brass-orbit", "--out", "no/such/a.html", code=2).stderr
    assert "cannot write the report" in keen("report", "brass-orbit", "--out", "/proc/a.html", code=1).stderr
    assert not list(tmp_path.glob("*.html"))


def hostile_result(text: str) -> tuple[Trial, Context]:
    metrics = tuple(MetricResult(name, "ms", 10.0, 9.0, -10.0, -12.0, -8.0, "better", 0.95, 8)
                    for name in ("frame_ms_mean", "latency_ms_median"))
    scene = Context(game=text, changes=tuple(
        Changed(f"domain{number}.{text[:60]}", text, text, text, "game", text, text, text) for number in range(30)),
        findings=(Finding(check="x", kind="inert", settings=(text,), why=text, what_to_do=text),),
        slipped={text: (f"{text}: a",)}, facts={text: text, "os": text}, kind=text, applied=text)
    return Trial(text, text, text, TrialPlan(), metrics, text, 8, "", None, (text,)), scene


@pytest.mark.parametrize("text", [HOSTILE, LONG], ids=["hostile", "long"])
def test_hostile_text_and_long_names_stay_text(chromium: Browser, tmp_path: Path, text: str) -> None:
    result, scene = hostile_result(text)
    report = trial_report(result, (), (), scene)
    page = tmp_path / "page.html"
    page.write_text(to_html(report))
    assert_at_home(chromium, page, 1)
    assert chromium.run("return document.title") == report.title
    assert chromium.run("return document.querySelectorAll('img, iframe, object, link').length") == 0
    assert text in chromium.run("return document.body.textContent")
    shown = MarkdownIt("commonmark").enable("table").render(to_markdown(report))
    assert "<script" not in shown and "<img" not in shown and "<a " not in shown


@given(st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=40))
def test_no_text_means_anything_to_markdown(text: str) -> None:
    for rendered in (MarkdownIt("commonmark").render(plain_text(text)),
                     MarkdownIt("commonmark").enable("table").render(
                         f"| a | b |\n|---|---|\n| {in_a_cell(text, True)} | {in_a_cell(text, False)} |")):
        assert set(re.findall(r"</?([a-z]+)", rendered)) <= {"p", "table", "thead", "tbody", "tr", "th", "td", "code"}
    import html as entities

    paragraph = MarkdownIt("commonmark").render(plain_text(text)).strip()
    assert entities.unescape(paragraph.removeprefix("<p>").removesuffix("</p>")) == " ".join(text.split())


def test_results_show_themselves_in_a_notebook() -> None:
    result, _ = hostile_result(HOSTILE)
    capture = Capture(np.arange(50.0), np.array([3.0, 9.0]), np.array([20.0, np.nan]), about={"game": HOSTILE})
    found = Findings([Finding(check="x", kind="inert", settings=("a.b",), why=HOSTILE, what_to_do="y")])
    differ = changes({"frame.cap": 160}, {"frame.cap": "off", "note": HOSTILE})
    for one, rows in ((result, 2), (capture, 52), (found, 1), (differ, 2)):
        shown = one._repr_html_()
        assert len(one.table()) == rows and "<table" in shown and "<script" not in shown and "<img" not in shown
    assert "better (-12.0 to -8.0 %)" in result._repr_html_()
    assert capture.table()["latency_ms"].dropna().tolist() == [17.0]
    unset = changes({"frame.cap": 160}, {"frame.queue-depth": 1}).table()  # whole numbers beside nothing stay whole
    assert [*map(type, unset["before"])] == [int, type(None)] and unset["after"].tolist() == [None, 1]
    assert replace(capture, click_ms=np.empty(0), answer_ms=np.empty(0))._repr_html_().count("<tr") == 2


def test_results_show_themselves_at_a_prompt_and_act_on_no_terminal() -> None:
    result, _ = hostile_result("plain")
    head, *rows = str(result).splitlines()[1:]
    assert head.split()[:3] == ["metric", "before", "after"] and len(rows) == 2
    assert "<td>better</td>" in result._repr_html_()
    odd = Capture(np.arange(50.0), about={"game": "a\x1b[2J\nb"})
    assert str(odd).splitlines()[0].startswith("Capture of a\ufffd[2J\ufffdb:")


def test_pictures_are_drawn_once_each_and_say_what_they_show(tmp_path: Path) -> None:
    result, scene = hostile_result("plain")
    (picture,) = [one for one in trial_report(result, (), (), scene).did if isinstance(one, Picture)]
    assert "mean frame time: -12.0 to -8.0 %, better" in picture.alt
    page = to_html(trial_report(result, (), (), scene))
    assert "#1d2530" not in page.split("</style>")[1]  # every colour of a figure is the theme's
    assert os.fspath(tmp_path) not in page and "http://www.w3.org" in page


def commands_in(page: Path) -> list[str]:
    import html as entities

    found = re.findall(r"<pre[^>]*>(.*?)</pre>", page.read_text(), re.DOTALL)
    return [line.partition("    #")[0] for block in found for line in entities.unescape(block).splitlines() if line]


@pytest.mark.parametrize("name", ["trial-1", "screen-2", "hunt-3", "tune-4", "brass-orbit-history"])
def test_every_command_of_a_report_is_one(written: Path, name: str) -> None:
    lines, top = commands_in(written / f"{name}.html"), typer.main.get_command(app)
    assert len(lines) >= 4
    for line in lines:
        words = shlex.split(line)
        known = top.commands[words[1]]
        assert words[0] == "keen"
        options = {option for one in known.params for option in one.opts}
        assert {word for word in words if word.startswith("--")} <= options


def test_a_pack_and_the_rig_wide_profile_are_repeated_as_such(keen: Keen, tmp_path: Path) -> None:
    shutil.copy(Path(__file__).parent.parent / "examples" / "packs" / "pinball-league.toml", tmp_path / "league.toml")
    short = ("--seconds", "2", "--seed", "1")
    keen("screen", "brass-orbit@stock", "league.toml", "--rounds", "1", *short)
    keen("edit", "rig", "timer.resolution=0.5")
    keen("trial", "rig@stock", "rig", "--game", "brass-orbit", "--blocks", "2", *short)
    keen("report", "--study", "1", "--out", "pack.html")
    keen("report", "--out", "rig.html")
    of_pack, of_rig = (commands_in(tmp_path / f"{name}.html") for name in ("pack", "rig"))
    assert of_pack[0].startswith("keen screen brass-orbit@stock FILE ") and "keen pack adopt FILE" in of_pack[2]
    play = next(line for line in of_rig if "--seed" in line)
    assert play.rstrip().endswith("--game brass-orbit")
    assert as_json(keen(*shlex.split(play)[1:], "--json"))["metrics"]


@pytest.mark.parametrize(("name", "kind"), [("trial-1", "trial"), ("screen-2", "screen"), ("hunt-3", "hunt")])
def test_what_a_report_says_to_repeat_comes_out_the_same(written: Path, tmp_path: Path, name: str, kind: str) -> None:
    shutil.copytree(written / "book", tmp_path / "book")
    env = environment(written, KEEN_BOOK=str(tmp_path / "book"))  # the same player's: a copy goes on alone
    (again, plays) = (next(line for line in commands_in(written / f"{name}.html") if word in line)
                      for word in ("studies again", "--seed"))
    assert "to the last bit" in typed(shlex.split(again)[1:], tmp_path, env).stdout
    fresh = as_json(typed([*shlex.split(plays)[1:], "--json"], tmp_path, env))
    with Logbook(tmp_path / "book") as book:
        first = next(one.result for one in reversed(studies(book, "juniper")) if one.kind == kind)
    told = {"trial": "metrics", "screen": "factors", "hunt": "settings"}[kind]
    assert first and fresh[told] == first[told]


@pytest.mark.long
def test_all_pages_of_a_logbook_are_searched_and_clicked_through_in_a_browser(
        written: Path, chromium: Browser, tmp_path: Path) -> None:
    with keenlattice.open(written / "book", "standin") as ws:
        site = ws.report_all(tmp_path / "site")
        assert ws.report_all(tmp_path / "site").pages == site.pages  # a site is rewritten, and nothing else is
        with pytest.raises(UsageError, match="something else"):
            ws.report_all(written)
    files = {file.name for file in (tmp_path / "site").iterdir()}
    assert len(files) == site.pages and {"index.html", "rig.html", "profile-brass-orbit.html"} < files
    for width, theme in ((1280, "light"), (390, "dark")):
        for file in ("index.html", "profile-brass-orbit.html", "rig.html"):
            page = tmp_path / "site" / file
            chromium.show(page, width, 800, theme)
            assert chromium.requests() == [page.as_uri()] and chromium.complaints() == []
            assert chromium.run("return document.documentElement.scrollWidth") <= width
            assert chromium.run(CONTRASTS)[0][0] >= 4.5
    chromium.show(site.file)
    links = chromium.run("return [...document.querySelectorAll('.links a')].map(link => link.getAttribute('href'))")
    assert {*links, "index.html"} == files
    chromium.run("const box = document.querySelector('.find'); box.value = 'HUNT'; "
                 "box.dispatchEvent(new Event('input'))")
    left = chromium.run("return [...document.querySelectorAll('.links li:not([hidden])')].map(one => one.innerText)")
    assert left and all("hunt" in text.lower() for text in left) and len(left) < len(links)
    chromium.run("document.querySelector('.links li:not([hidden]) a').click()")
    chromium.run("document.querySelector('.home a').click()")
    chromium.run("document.querySelector('.links a[href=\"profile-brass-orbit.html\"]').click()")
    compared = "return [...document.querySelectorAll('.pairs tbody tr')].map(row => row.innerText)"
    assert any("frame.queue-depth" in row for row in chromium.run(compared))
    chromium.run("const [from, to] = document.querySelectorAll('select'); from.selectedIndex = to.selectedIndex; "
                 "from.dispatchEvent(new Event('change'))")
    assert chromium.run(compared) == ["The two set the same."]


@given(st.integers(1, 12), st.data())
def test_every_version_of_a_graph_has_its_place_and_lines_do_not_share_one(count: int, data: st.DataObject) -> None:
    nodes = [Node(str(number), [str(number + step) for step in sorted(data.draw(st.sets(
        st.integers(1, max(1, count - 1 - number)), max_size=2))) if number + step < count], str(number))
             for number in range(count)]
    columns = lanes(nodes)
    assert len(columns) == count and min(columns) >= 0 and max(columns) < count
    for row, node in enumerate(nodes):  # a line straight down to the first parent passes through no other version
        for parent in node.parents[:1]:
            if columns[int(parent)] == columns[row]:
                assert columns[row] not in columns[row + 1:int(parent)]


@given(st.dictionaries(st.text(), st.text()))
def test_data_in_a_script_is_read_back_and_ends_no_element(values: dict[str, str]) -> None:
    text = str(in_script(values))
    assert json.loads(text) == values and not set(text) & set("<>&")
