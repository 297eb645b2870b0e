"""The web page: every text, safe, and in a real browser: letters that follow, working, search, sorting, copying."""

from __future__ import annotations

import json
import re
import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from html import unescape
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import pytest

import eager_otter as otter
from eager_otter.plan.reading import in_language, only_tables
from eager_otter.report.webpage import page
from eager_otter.tables.texts import cell_text

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
        self.inside = tag in ("td", "th") or (self.inside and tag in ("b", "span"))
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
    report = otter.Report(title=evil, tables=(survey.table("q", by="by"),), source=survey.source)
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


def test_letters_made_on_the_page_are_those_that_a_report_with_these_rules_has(
    opened: Any, part: otter.Report
) -> None:
    assert part.plan is not None
    assert opened.evaluate(LETTERS) == letters_of(part)
    for levels, adjust, least, judged in (((99.0, 80.0), "holm", 120, "e"), ((90.0,), "benjamini-hochberg", 300, "e"), ((95.0, 70.0), "bonferroni", 0, "n")):  # fmt: skip
        requests = tuple(
            replace(
                request,
                levels=levels,
                tests=replace(request.tests, adjust=adjust),  # type: ignore[arg-type]
                rules=replace(
                    request.rules,
                    no_test=least,
                    judged_on="effective base" if judged == "e" else "unweighted base",
                ),
            )
            for request in part.plan.requests
        )
        opened.select_option("#level", f"{levels[0]:g}")
        opened.select_option("#second", f"{levels[1]:g}" if len(levels) > 1 else "0")
        opened.select_option("#adjust", adjust)
        opened.select_option("#judged", judged)
        opened.fill("#least", str(least))
        made = otter.run(replace(part.plan, requests=requests))
        assert opened.evaluate(LETTERS) == letters_of(made), (levels, adjust, least)
    assert "correction Bonferroni" in opened.locator(".changed").first.inner_text()
    opened.click("#reset")
    opened.wait_for_function("document.querySelector('.changed').hidden")
    assert opened.evaluate(LETTERS) == letters_of(part)


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
    row.locator("td[tabindex]").first.focus()
    assert working.is_visible()


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
    assert first == [line.label for line in sorted(answers, key=lambda line: -line.values[place])]
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
    assert any(re.match(r"Tarn\t%\t80%\t75%\t85% A\t", row) for row in rows)
    before = opened.evaluate("getComputedStyle(document.body).backgroundColor")
    opened.click("#theme")
    assert opened.evaluate("getComputedStyle(document.body).backgroundColor") != before
    opened.check("#highlight")
    assert opened.locator("td.over").count() > 0 and opened.locator("td.under").count() > 0


@pytest.mark.parametrize("judged_on", ["unweighted base", "effective base"])
def test_a_withheld_figure_does_not_travel_in_the_page(survey: otter.Survey, judged_on: str) -> None:
    plain = survey.table("heard_of", by="region")
    people = next(line for line in plain.lines if line.figure == "unweighted base").values
    west_people = int(people[plain.column_position("West")] or 0)
    withhold = 500 if judged_on == "unweighted base" else west_people  # weighted, West counts for fewer
    rules = otter.BaseRules(withhold=withhold, judged_on=judged_on)  # type: ignore[arg-type]
    table = survey.table("heard_of", by="region", bases=rules)
    report = otter.Report(title="x", tables=(table,), source=survey.source)
    data = json.loads(re.findall(r'id="data">(.*?)</script>', page(report))[0])["tables"][0]
    west = table.shown[table.column_position("West")]
    for line in data["lines"].values():
        assert line["v"][west] is None
        assert all(p is None for p, pair in zip(line["p"], data["pairs"], strict=True) if west in pair)
    assert all(values[table.column_position("West")] is None for k, values in data["values"].items() if table.lines[int(k)].kind != "base")  # fmt: skip


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
    tab.select_option("#level", "99.9")
    tab.select_option("#adjust", "holm")
    note = tab.locator(".changed").first.inner_text()
    assert note.startswith("Buchstaben wie auf dieser Seite geändert: Niveau 99,9, 90 %, Korrektur Holm")
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
    assert set(words) == set(re.findall(r'\bsay\("([^"]*)"', script))
