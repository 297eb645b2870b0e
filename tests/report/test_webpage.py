"""The web page: every text, safe, and in a real browser: letters that follow, working, search, sorting, copying."""

from __future__ import annotations

import json
import re
import shutil
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from html import unescape
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import eager_otter as otter
from eager_otter.plan.reading import in_language, only_tables
from eager_otter.report.webpage import page
from eager_otter.significance.method import Correction
from eager_otter.significance.registry import corrections
from eager_otter.tables.texts import cell_text, mark_sign

CHROMIUM = shutil.which("chromium")
LETTERS = """[...document.querySelectorAll('section[data-table]')].map(s => [...s.querySelectorAll('tbody tr:not(.heading)')].map(
    r => [...r.cells].slice(2).map(c => (c.querySelector('b') || {textContent: ''}).textContent)))"""


class Texts(HTMLParser):
    """Gathers cells and tags of a page."""

    def __init__(self, text: str) -> None:
        super().__init__(convert_charrefs=True)
        self.cells: list[list[str]] = []
        self.tags: list[str] = []
        self.inside = False
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        if tag == "tr":
            self.cells.append([])
        self.inside = tag in ("td", "th") or (self.inside and tag in ("b", "i", "span"))
        if tag in ("td", "th"):
            self.cells[-1].append("")

    def handle_endtag(self, tag: str) -> None:
        self.inside = self.inside and tag not in ("td", "th")

    def handle_data(self, data: str) -> None:
        if self.inside and self.cells:
            self.cells[-1][-1] += data


@pytest.fixture(scope="module")
def part(demo: Path) -> otter.Report:
    names = ["heard_of", "liking", "ratings-side-by-side", "spend-by-place", "intent_after", "usual"]
    return otter.run(only_tables(otter.read_plan(demo / "plan.yaml"), names))


def test_the_page_shows_the_texts_of_every_other_output(part: otter.Report) -> None:
    rows = iter(Texts(page(part)).cells)
    for table in part.tables:
        for line in table.lines:
            expected = [cell_text(table, line, k) + line.letters[k] for k in range(len(table.columns))]
            assert any(row[2:] == expected for row in rows), (table.id, line.label)
    text = page(part)
    assert all(note in unescape(text) for table in part.tables for note in table.notes[:3])
    assert page(part) == text  # the same to the byte


def test_survey_text_never_becomes_markup_and_nothing_is_fetched(small: Callable[..., otter.Survey]) -> None:
    evil = "</script><script>alert(1)</script><img src=x onerror=alert(1)>"
    survey = small(
        f"title: {json.dumps(evil)}\nquestions:\n  q: {{kind: single, text: {json.dumps(evil)}, answers: {{1: {json.dumps(evil)}, 2: '&amp;'}}}}\n"
        "  by: {kind: single, label: '\"><b>', answers: {1: '<i>x', 2: y}}\n",
        q=[1, 2] * 20,
        by=[1, 1, 2, 2] * 10,
    )
    report = otter.Report(title=evil, tables=(survey.table("q", banner="by"),), source=survey.source)
    text = page(report)
    assert evil not in text and "<img" not in text
    assert text.count("<script") == 2 and "img" not in Texts(text).tags
    data = json.loads(re.findall(r'<script type="application/json" id="data">(.*?)</script>', text)[0])
    assert evil.lower() in data["tables"][0]["text"]
    assert not re.search(r"(?:src|href)=[\"'](?!#)", text) and "url(" not in text and "://" not in text
    assert "default-src 'none'" in text


@pytest.fixture(scope="module")
def browser() -> Iterator[Any]:
    if CHROMIUM is None:
        pytest.skip("Chromium is not installed")
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        yield opened
        opened.close()


@pytest.fixture
def opened(browser: Any, part: otter.Report, tmp_path: Path) -> Iterator[Any]:
    (path,) = part.save(tmp_path / "t.html")
    tab = browser.new_page(viewport={"width": 1280, "height": 800})
    said: list[str] = []
    tab.on("console", lambda message: said.append(message.text))
    tab.on("pageerror", lambda error: said.append(str(error)))
    asked: list[str] = []
    tab.on("request", lambda request: asked.append(request.url))
    tab.goto(f"file://{path}")
    yield tab
    assert said == [] and asked == [f"file://{path}"]
    tab.close()


def letters_of(report: otter.Report) -> list[list[list[str]]]:
    return [[list(line.letters) for line in t.lines if line.kind != "heading"] for t in report.tables]


SIGNS = """[...document.querySelectorAll('section[data-table]')].map(s => [...s.querySelectorAll('tbody tr:not(.heading)')].map(
    r => [...r.cells].slice(2).map(c => (c.querySelector('i') || {textContent: ''}).textContent)))"""
SHORT = """[...document.querySelectorAll('section[data-table]')].map(s => [...s.querySelectorAll('.shown li')].map(l => l.textContent.trim()))"""


def signs_of(report: otter.Report) -> list[list[list[str]]]:
    return [
        [[mark_sign(line, k, t.column_marks) for k in range(len(t.columns))] for line in t.lines if line.kind != "heading"]
        for t in report.tables
    ]  # fmt: skip


def change(
    tab: Any, levels: Sequence[float] = (), adjust: str = "", least: float | None = None, judged: str = ""
) -> None:
    """Set what is changed on the page; what is left out is as reported."""
    tab.fill("#level", f"{levels[0]:g}" if levels else "")
    tab.set_checked("#single", len(levels) == 1)
    tab.fill("#second", f"{levels[1]:g}" if len(levels) > 1 else "")
    tab.select_option("#adjust", adjust)
    tab.select_option("#judged", judged)
    tab.fill("#least", "" if least is None else f"{least:g}")


def ruled(
    report: otter.Report, levels: Sequence[float], adjust: str, least: float, judged: str
) -> otter.Report:
    """The report made again, by Python, with other rules."""
    assert report.plan is not None
    on = "effective base" if judged == "e" else "unweighted base"
    requests = tuple(
        replace(
            request,
            levels=tuple(levels),
            tests=replace(request.tests, adjust=adjust),  # type: ignore[arg-type]
            bases=replace(request.bases, no_test=least, judged_on=on),  # type: ignore[arg-type]
        )
        for request in report.plan.requests
    )
    return otter.run(replace(report.plan, requests=requests))


def words_of(lines: Sequence[str]) -> list[str]:
    """The sentences of short notes, as the page may put a new one on a line of its own; intervals keep their level."""
    told = re.sub(r"[\d.]+ % interval", "interval", " ".join(" ".join(lines).split()))
    return sorted(re.split(r"(?<=[.]) (?=[A-Z*–▲·<\d])", told))


PAGE_PLAN = """data: {demo}/responses.csv
codebook: {demo}/codebook.yaml
filter: status == "complete"
banners:
  sides: [region, age_band, {{question: user_type, keep: [Heavy, Medium, Light]}}]
  marks: [{{question: wave, against: previous}}, {{question: region, against: rest}}, {{question: age_band, against: {{column: 16-24}}}}]
  gap: [{{question: wave, differences: {{Change: [Autumn, Spring]}}}}, {{question: user_type, keep: [Heavy, Light], differences: {{Gap: [Light, Heavy]}}}}, {{question: drunk_month, keep: [Tarn, Skerrow]}}]
tests: {{levels: [95, 80]}}
bases: {{mark below: 120, no test below: 60}}
tables:
  - {{question: heard_of, id: sides}}
  - {{question: heard_of, id: marks, banner: marks, figures: [column percent, count]}}
  - {{question: liking, id: means, banner: marks, figures: [column percent, mean, median]}}
  - {{question: spend, id: spends, banner: sides, figures: [mean, median, confidence interval]}}
  - {{question: bought_at, id: spend-by-place, value: spend, figures: [mean]}}
  - {{question: recommend, id: gap, banner: gap}}
  - {{question: spend, id: gap-of-means, banner: gap, figures: [mean]}}
  - {{question: drunk_ever, id: not-all-tested, banner: sides, untested: [Tarn, Skerrow]}}
  - {{question: spend, id: medians, banner: sides, figures: [median, mean], tests: {{medians: mood}}}}
  - {{question: liking, id: medians-of-scores, banner: marks, figures: [median], tests: {{medians: mood}}}}
  - {{grid: rating, id: items, figure: Good or very good}}
  - {{grid: rating, id: beside, as: answers by items}}
"""


@pytest.fixture(scope="module")
def judged(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> otter.Report:
    """Tables of all kinds of tests and marks, none of them withheld."""
    folder = tmp_path_factory.mktemp("judged")
    (folder / "plan.yaml").write_text(PAGE_PLAN.format(demo=demo), encoding="utf-8")
    return otter.run(folder / "plan.yaml")


def random_rules(seed: int) -> tuple[list[float], str, float, str]:
    """One or two levels, a correction, a minimum base, and what it is judged on."""
    rng = np.random.default_rng(seed)
    levels = sorted(
        {round(float(level), 1) for level in rng.uniform(50, 99.9, rng.integers(1, 3))}, reverse=True
    )
    adjust = str(rng.choice([one.name for one in corrections()]))
    return levels, adjust, int(rng.choice([0, 45, 130, 260, 700])), str(rng.choice(["n", "e"]))


@pytest.mark.slow
def test_letters_marks_and_notes_made_on_the_page_are_those_that_python_makes(
    browser: Any, judged: otter.Report, tmp_path: Path
) -> None:
    (path,) = judged.save(tmp_path / "t.html")
    tab = browser.new_page(viewport={"width": 1280, "height": 800})
    tab.goto(f"file://{path}")
    for seed in range(12):
        levels, adjust, least, on = random_rules(seed)
        change(tab, levels, adjust, least, on)
        made = ruled(judged, levels, adjust, least, on)
        assert tab.evaluate(LETTERS) == letters_of(made), (levels, adjust, least, on)
        assert tab.evaluate(SIGNS) == signs_of(made), (levels, adjust, least, on)
        for table, shown in zip(made.tables, tab.evaluate(SHORT), strict=True):
            assert words_of(shown) == words_of(table.notes_shown()), (table.id, levels, adjust, least, on)
    tab.close()


TREND_PLAN = """data: {demo}/responses.csv
codebook: {demo}/codebook.yaml
filter: status == "complete"
banners: {{main: [age_band, {{question: household, trend: true, against: nothing}}, region]}}
tests: {{levels: [95, 80], trend: true}}
bases: {{no test below: 60}}
tables: [heard_of, liking, {{question: spend, figures: [mean, median]}}]
"""


@pytest.mark.slow
def test_trends_follow_the_level_and_stay_out_where_their_columns_change(
    browser: Any, demo: Path, tmp_path: Path
) -> None:
    (tmp_path / "plan.yaml").write_text(TREND_PLAN.format(demo=demo), encoding="utf-8")
    report = otter.run(tmp_path / "plan.yaml")
    (path,) = report.save(tmp_path / "t.html")
    tab = browser.new_page(viewport={"width": 1280, "height": 800})
    tab.goto(f"file://{path}")
    trends = [
        (table.id, line.label, table.columns[k].path)
        for table in report.tables
        for line in table.lines
        for k in range(len(table.columns))
        if table.columns[k].role == "trend" and line.letters[k]
    ]
    assert len({table for table, _, _ in trends}) >= 2 and len({path for _, _, path in trends}) == 2
    for seed in range(6):
        levels, adjust, _, _ = random_rules(seed)
        change(tab, levels, adjust, 60, "n")
        made = ruled(report, levels, adjust, 60, "n")
        assert tab.evaluate(LETTERS) == letters_of(made), (levels, adjust)
        for table, shown in zip(made.tables, tab.evaluate(SHORT), strict=True):
            assert words_of(shown) == words_of(table.notes_shown()), (table.id, levels, adjust)
    change(tab, (95, 80), "none", 400, "n")  # two bands are too thin now: their trend cannot be made here
    told = [" ".join(lines) for lines in tab.evaluate(SHORT)]
    assert all("Trends over other columns than reported are left out." in notes for notes in told)
    first = report.tables[0]
    places = [k for k, column in enumerate(first.columns) if column.role == "trend"]
    rows = tab.evaluate(LETTERS)[0]
    assert all(row[k] == "" for row in rows for k in places)
    change(tab, (95, 80), "none", 60, "n")
    cell = tab.locator("#table-2 tbody tr", has_text="Very good").first.locator("td").nth(places[0] + 1)
    cell.hover()
    assert "Falling significantly at the 95 % level: P below 0.0001." in tab.locator("#working").inner_text()
    tab.close()


@pytest.mark.slow
def test_the_page_counts_trends_among_its_tests(browser: Any, demo: Path, tmp_path: Path) -> None:
    (tmp_path / "plan.yaml").write_text(TREND_PLAN.format(demo=demo), encoding="utf-8")
    report = otter.run(tmp_path / "plan.yaml")
    (path,) = report.save(tmp_path / "t.html", notes="full")
    tab = browser.new_page(viewport={"width": 1280, "height": 800})
    tab.goto(f"file://{path}")
    made_tests = re.compile(r"([\d,]+) tests were made")
    for adjust, least in (("holm", 60), ("bonferroni", 120)):
        change(tab, (95, 80), adjust, least, "n")
        told = [made_tests.findall(" ".join(lines)) for lines in tab.evaluate(SHORT)]
        made = ruled(report, (95, 80), adjust, least, "n")
        assert told == [made_tests.findall(" ".join(table.notes)) for table in made.tables]
        assert all(len(one) == 1 for one in told)
    tab.close()


@pytest.mark.parametrize("correction", corrections(), ids=lambda one: one.name)
@pytest.mark.slow
def test_corrections_on_the_page_are_those_of_python(browser: Any, correction: Correction) -> None:
    rng = np.random.default_rng(6)
    tab = browser.new_page()
    for tests in (0, 1, 2, 7, 40):
        p = np.sort(rng.uniform(0, 1, tests) ** 3)
        found = tab.evaluate(f"({correction.in_page})({json.dumps(p.tolist())})")
        np.testing.assert_allclose(found, correction.adjust(p[None, :])[0], rtol=1e-12)
    tab.close()


@pytest.mark.slow
def test_what_is_changed_on_the_page_is_said_on_screen_and_in_print_and_taken_back(
    opened: Any, part: otter.Report
) -> None:
    assert opened.evaluate(LETTERS) == letters_of(part)
    reported = opened.evaluate(SHORT)
    change(opened, (99.5,), "bonferroni", 120, "n")
    told = "Changed on this page: 99.5 % level, correction Bonferroni, no test below 120 (unweighted base)."
    changed = opened.locator(".changed").first
    assert changed.inner_text() == told and opened.locator("#method .reported").is_visible()
    letters = opened.locator("#table-1 .shown [data-about=letters]")
    assert letters.inner_text() == "Letters: significantly higher than the column of that letter, at 99.5 %, after correction (Bonferroni)."  # fmt: skip
    opened.emulate_media(media="print")
    assert changed.is_visible() and letters.is_visible()
    opened.emulate_media(media="screen")
    opened.fill("#level", "30")
    assert opened.locator("#refused").inner_text().startswith("A level is a percent from 50 to 99.9")
    opened.fill("#level", "80")
    opened.uncheck("#single")
    opened.fill("#second", "90")
    assert opened.locator("#refused").inner_text() == "The second level is not below the first, so only the first is used."  # fmt: skip
    withheld = opened.locator("section", has=opened.locator("[data-withheld]")).first
    assert (withheld.locator(".changed").text_content() or "").endswith("Withheld figures stay withheld.")
    opened.click("#reset")
    opened.wait_for_function("document.querySelector('.changed').hidden")
    assert opened.evaluate(LETTERS) == letters_of(part) and opened.evaluate(SHORT) == reported
    assert opened.locator("#refused").inner_text() == "" and opened.locator(".reported:visible").count() == 0


def test_a_cell_tells_its_working_by_mouse_and_by_keyboard(opened: Any, part: otter.Report) -> None:
    row = opened.locator("#table-1 tbody tr", has_text="Skerrow")
    row.locator("td", has_text="51%").hover()
    working = opened.locator("#working")
    assert working.locator(".head").inner_text() == "Skerrow × Region: West"
    expected = part.tables[0].explain("Skerrow", "West").tests
    told = working.inner_text()
    assert all(f"against {round(test.other_figure, 2):g} %" in told for test in expected)  # type: ignore[arg-type]
    assert told.count("Significantly higher at the 95 % level than Region:") == 3
    opened.keyboard.press("Escape")
    assert working.is_hidden()
    opened.locator("#table-1 tbody th").first.focus()
    for _ in range(8):
        opened.keyboard.press("ArrowDown")
    opened.keyboard.press("ArrowRight")
    opened.keyboard.press("ArrowRight")
    opened.keyboard.press("ArrowRight")
    assert working.is_visible() and working.locator(".head").inner_text().endswith("× Wave: Spring")


@pytest.mark.slow
def test_searching_sorting_counting_and_hiding(opened: Any, part: otter.Report) -> None:
    opened.fill("#find", "pebblecourt")
    assert opened.locator("section[data-table]:visible").count() < len(part.tables)
    assert opened.locator("#found").inner_text().endswith(f"of {len(part.tables)} tables")
    opened.fill("#find", "")
    opened.locator("#table-1 .columns button", has_text="South").click()
    first = opened.locator("#table-1 tbody tr.answer th").all_inner_texts()
    table = part.tables[0]
    place = table.column_position("South")
    answers = [line for line in table.lines if line.kind == "answer"]
    moving = [line for line in answers if line.label != "None of these"]
    assert first == [
        *(one.label for one in sorted(moving, key=lambda one: -one.values[place])),
        "None of these",
    ]
    opened.fill("#find", "autumn ÜSER")  # of the banner, in any case and with any accents
    found = [t for t in part.tables if {"Wave", "User type"} <= {group.label for group in t.groups}]
    assert opened.locator("section[data-table]:visible").count() == len(found) > 0
    opened.fill("#find", "")
    opened.locator(".figures summary").click()
    opened.check("#counts")
    cell = opened.locator("#table-1 tbody tr", has_text="Skerrow").locator("td").nth(1)
    counted = part.tables[0].line("Skerrow").evidence
    assert counted is not None and cell.inner_text() == f"{counted.sums.w[counted.row, 0]:,.0f}"
    opened.uncheck("input[name=figure][value='column percent']")
    assert opened.locator("#table-1 tbody tr.answer:visible").count() == 0
    assert opened.locator("#table-1 tbody tr.base:visible").count() == 3


def test_a_table_is_copied_as_cells_and_the_theme_turns_dark(opened: Any) -> None:
    opened.context.grant_permissions(["clipboard-read", "clipboard-write"])
    opened.locator("#table-1 .copy").click()
    opened.wait_for_function(
        "document.querySelector('#table-1 [role=status]').textContent.startsWith('Copied')"
    )
    rows = opened.evaluate("navigator.clipboard.readText()").split("\n")
    assert any(row.startswith("Tarn\t%\t80%\t75%\t\t85%\tA\t") for row in rows)
    assert len({row.count("\t") for row in rows[1:]}) == 1  # every figure stands under its head
    before = opened.evaluate("getComputedStyle(document.body).backgroundColor")
    opened.click("#theme")
    assert opened.evaluate("getComputedStyle(document.body).backgroundColor") != before
    opened.check("#highlight")
    assert opened.locator("td.over").count() > 0 and opened.locator("td.under").count() > 0


@pytest.mark.parametrize("judged_on", ["unweighted base", "effective base"])
def test_a_withheld_figure_does_not_travel_in_the_page(survey: otter.Survey, judged_on: str) -> None:
    plain = survey.table("heard_of", banner="region")
    people = next(line for line in plain.lines if line.figure == "unweighted base").values
    west_people = int(people[plain.column_position("West")] or 0)
    withhold = 500 if judged_on == "unweighted base" else west_people  # weighted, West counts for fewer
    rules = otter.BaseRules(withhold=withhold, judged_on=judged_on)  # type: ignore[arg-type]
    table = survey.table("heard_of", banner="region", bases=rules)
    report = otter.Report(title="x", tables=(table,), source=survey.source)
    travelling = json.loads(re.findall(r'id="data">(.*?)</script>', page(report))[0])
    data = {**travelling["banners"][0], **travelling["tables"][0]}
    west = table.columns[table.column_position("West")].number
    for line in data["lines"].values():
        assert line["v"][west] is None
        assert all(p is None for p, pair in zip(line["p"], data["pairs"], strict=True) if west in pair)
    assert all(values[table.column_position("West")] is None for k, values in data["values"].items() if table.lines[int(k)].kind != "base")  # fmt: skip


@pytest.mark.slow
def test_the_contents_land_on_their_table_at_the_first_click(
    browser: Any, report: otter.Report, tmp_path: Path
) -> None:
    (path,) = report.save(tmp_path / "t.html")
    tab = browser.new_page(viewport={"width": 1280, "height": 800})
    tab.goto(f"file://{path}")
    for number in (40, 7, 70, 23, 3):
        tab.locator(f"nav a[href='#table-{number}']").click()
        tab.wait_for_timeout(500)
        place = tab.evaluate(f"document.getElementById('table-{number}').getBoundingClientRect().top")
        assert abs(place) <= 1, (number, place)
        assert tab.evaluate("document.activeElement.closest('section').id") == f"table-{number}"
    tab.goto(f"file://{path}#table-55")  # and from an address
    tab.wait_for_timeout(500)
    assert abs(tab.evaluate("document.getElementById('table-55').getBoundingClientRect().top")) <= 1
    tab.close()


@pytest.mark.slow
def test_a_table_has_one_tab_stop_and_arrow_keys_reach_every_cell(opened: Any, part: otter.Report) -> None:
    stops = "[...document.querySelectorAll('#table-1 table :is(th, td, button)')].filter(e => e.tabIndex === 0).length"
    assert opened.evaluate(stops) == 1
    opened.locator("#table-1 tbody th").first.focus()
    opened.keyboard.press("ArrowUp")  # the heads
    opened.keyboard.press("Home")
    reached = []
    for _ in range(1 + len(part.tables[0].lines)):
        row = []
        for _ in range(2 + len(part.tables[0].columns)):
            row.append(opened.evaluate("document.activeElement.closest('th, td').textContent"))
            opened.keyboard.press("ArrowRight")
        reached.append(row)
        assert opened.evaluate(stops) == 1
        opened.keyboard.press("Home")
        opened.keyboard.press("ArrowDown")
    shown = opened.evaluate("[...document.querySelectorAll('#table-1 .columns, #table-1 tbody tr')].map(r => [...r.cells].map(c => c.textContent))")  # fmt: skip
    assert reached == shown
    opened.locator("#table-1 tbody th").first.focus()
    opened.keyboard.press("ArrowUp")
    opened.keyboard.press("End")
    opened.keyboard.press("Enter")  # sorts by the column whose head is reached
    assert opened.locator("#table-1 th[aria-sort]").get_attribute("aria-sort") == "descending"
    assert opened.evaluate("[...document.querySelectorAll('main *')].filter(e => /auto|scroll/.test(getComputedStyle(e).overflowY) && e.scrollHeight > e.clientHeight + 1).length") == 0  # fmt: skip


@pytest.mark.parametrize("theme", ["light", "dark"])
@pytest.mark.slow
def test_an_accessibility_checker_finds_no_fault(
    browser: Any, judged: otter.Report, part: otter.Report, tmp_path: Path, theme: str
) -> None:
    from axe_playwright_python.sync_playwright import Axe

    for report in (judged, part):
        (path,) = report.save(tmp_path / "t.html")
        tab = browser.new_context(bypass_csp=True, viewport={"width": 1280, "height": 800}).new_page()
        tab.goto(f"file://{path}")
        tab.evaluate("name => { document.documentElement.dataset.theme = name; }", theme)
        tab.evaluate(
            "document.querySelectorAll('section').forEach(s => { s.style.contentVisibility = 'visible'; })"
        )
        for _ in range(2):
            found = Axe().run(tab)
            assert found.violations_count == 0, found.generate_report()
            change(tab, (97.5,), "holm", 300, "n")
            tab.locator("details").first.evaluate("one => { one.open = true; }")
            tab.check("#highlight")
        tab.close()


@pytest.mark.slow
def test_the_page_speaks_the_language_of_the_report(browser: Any, part: otter.Report, tmp_path: Path) -> None:
    assert part.plan is not None
    german = otter.run(replace(in_language(part.plan, "de"), theme=replace(part.theme, letters="below")))
    (path,) = german.save(tmp_path / "de.html")
    tab = browser.new_page(viewport={"width": 1280, "height": 800})
    said: list[str] = []
    tab.on("pageerror", lambda error: said.append(str(error)))
    tab.goto(f"file://{path}")
    assert tab.evaluate("document.documentElement.lang") == "de"
    row = tab.locator("#table-1 tbody tr", has_text="Skerrow")
    row.locator("td", has_text="51%").hover()
    told = tab.locator("#working").inner_text()
    assert told.count("Signifikant höher auf dem 95-%-Niveau als Region:") == 3 and "P unter 0,0001" in told
    assert re.search(r"51,28 % gegenüber \d\d,\d+ %", told)
    tab.fill("#level", "99.9")
    tab.select_option("#adjust", "holm")
    note = tab.locator(".changed").first.inner_text()
    assert note.startswith("Auf dieser Seite geändert: Niveau 99,9, 90 %, Korrektur Holm")
    tab.fill("#find", "pebblecourt")
    assert re.fullmatch(r"\d von \d Tabellen", tab.locator("#found").inner_text())
    letters = row.locator("td", has_text="51%").locator("b")
    figure = tab.evaluate("cell => { const r = document.createRange(); r.selectNodeContents(cell.firstChild); return r.getBoundingClientRect().bottom; }", row.locator("td", has_text="51%").element_handle())  # fmt: skip
    assert letters.bounding_box()["y"] >= figure - 2  # below the figure, not beside it
    tab.close()
    assert said == []


def test_every_text_of_the_script_travels_in_the_page(part: otter.Report) -> None:
    script = (Path(otter.__file__).parent / "report" / "page" / "page.js").read_text(encoding="utf-8")
    words = json.loads(re.findall(r'id="data">(.*?)</script>', page(part))[0])["words"]
    names = {one.short for one in corrections()}  # put into the script where the page is made
    assert set(words) == set(re.findall(r'\bsay\("([^"]*)"', script)) | names
