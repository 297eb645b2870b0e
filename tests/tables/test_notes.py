"""Notes: a few lines under a table, all of them elsewhere, and what must stay; plural forms; contents that tell apart."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfReader

import eager_otter as otter
from eager_otter.looks.words import ENGLISH, Words, plural_forms
from eager_otter.report.contents import contents_titles
from eager_otter.report.method import method_of, tables_named
from eager_otter.tables.note import OF_METHOD

Run = Callable[..., tuple[int, str, str]]


def test_every_table_of_the_demo_has_at_most_five_short_lines(report: otter.Report) -> None:
    for table in report.tables:
        short = table.notes_shown()
        assert 2 <= len(short) <= 4 and all(len(line) < 330 for line in short), table.id
        assert short[0].startswith("Base: ") and "Filter: Status is complete" in short[0]
        assert sum(line.startswith("Letters: ") for line in short) == 1
        assert not any(sign in line for line in short for sign in ("==", "mentions", ">=", "_"))
        assert all(any(line in text for text in short) for line in table.notes_shown("none"))


def test_short_notes_say_what_is_left_out_marked_and_not_tested(survey: otter.Survey) -> None:
    table = survey.table(
        "spend",
        banner=["region", "age_band"],
        figures=["mean", "median"],
        bases=otter.BaseRules(mark=250, no_test=60),
    )
    base, rows, letters = table.notes_shown()
    assert base == (
        "Base: respondents who gave a number; asked of those whose Days in the last month is 1 or more. Left out: "
        "not asked 563, missing code 999 102. In no column: Age 9. Filter: Status is complete."
    )
    assert rows == "Not tested: Median. * base below 250: read with care."
    assert letters == "Letters: significantly higher than the column of that letter, at 95 %."
    assert table.notes_shown("none") == (rows, letters)
    assert table.notes_shown("full") == tuple(map(str, table.notes)) and len(table.notes) > 8


def test_what_must_stay_stays_without_notes(survey: otter.Survey) -> None:
    request = otter.TableRequest(shows=otter.OneQuestion("heard_of"), banner=otter.Banner(groups=(otter.BannerGroup(question="region"),)), note="By hand.")  # fmt: skip
    marked = replace(request, tests=otter.TestRules(against="rest", adjust="holm"), levels=(95.0, 90.0))
    (table,) = survey.tables([marked])
    assert table.notes_shown("none")[-2:] == (
        "▲ significantly higher, ▼ significantly lower, at the 95 % level, after correction (Holm) (△ ▽ at the 90 % level only). Marks are against the rest.",
        "By hand.",
    )  # fmt: skip
    untested = survey.table("liking", banner="region", levels=())
    assert untested.notes_shown("none") == ("No significance tests.",)


def test_the_plan_and_each_output_say_how_long_notes_are(run: Run, demo: Path, tmp_path: Path) -> None:
    head = f"data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\nbanners: {{b: [region]}}\ntables: [liking]\n"
    outputs = "outputs: [a.md, {file: b.md, notes: full}, {file: c.md, notes: short}]\n"
    (tmp_path / "plan.yaml").write_text(f"{head}notes: none\n{outputs}", encoding="utf-8")
    code, _, _ = run("run", cwd=tmp_path)
    report = otter.run(tmp_path / "plan.yaml")
    (table,) = report.tables
    lengths = {}
    for name, length in {"a.md": "none", "b.md": "full", "c.md": "short"}.items():
        told = (tmp_path / name).read_text(encoding="utf-8").split("## Method")[0]
        lengths[name] = [line[2:] for line in told.splitlines() if line.startswith("- ")]
        assert len(lengths[name]) == len(table.notes_shown(length))  # type: ignore[arg-type]
    assert code == 0 and len(lengths["a.md"]) < len(lengths["c.md"]) < len(lengths["b.md"])
    assert (
        otter.plan_from_text(otter.plan_text(report.plan), tmp_path).output_notes == report.plan.output_notes
    )  # type: ignore
    run("run", "--notes", "full", "-o", "d.md", cwd=tmp_path)
    assert (tmp_path / "d.md").read_text(encoding="utf-8") == (tmp_path / "b.md").read_text(encoding="utf-8")
    assert "Not weighted." in repr(replace(table, viewer=None, words=ENGLISH).notes) or table.weighted
    (tmp_path / "plan.yaml").write_text(f"{head}notes: brief\noutputs: [{{file: a.md, notes: long}}, b.docx]\n", encoding="utf-8")  # fmt: skip
    code, _, err = run("run", cwd=tmp_path)
    assert code == 2 and "found 'brief'" in err and "found 'long'" in err and "found 'b.docx'" in err


def test_a_table_in_the_terminal_has_short_notes_or_all(run: Run, demo: Path) -> None:
    plan = ("--plan", str(demo / "plan.yaml"))
    _, short, _ = run("look", "liking", "--banner", "region", *plan, cwd=demo)
    _, full, _ = run("look", "liking", "--banner", "region", "--notes", "full", *plan, cwd=demo)
    assert "Universe:" not in short and "Universe:" in full and "Letters: significantly" in short


def test_the_method_says_each_thing_once_and_names_its_tables(report: otter.Report) -> None:
    parts = method_of(report.tables, report.words)
    statements = [one for part in parts for one in part.statements]
    assert len({one.text for one in statements}) == len(statements)
    said = {str(note) for table in report.tables for note in table.notes if note.about in OF_METHOD}
    assert said <= {one.text for one in statements}
    for one in statements:
        true_of = [k for k, table in enumerate(report.tables, 1) if one.text in table.notes]
        if one.tables:
            assert one.tables == tables_named(true_of, len(report.tables), ENGLISH)


@given(st.integers(1, 40).flatmap(lambda n: st.tuples(st.just(n), st.sets(st.integers(1, n), min_size=1))))
def test_named_tables_are_those_meant(case: tuple[int, set[int]]) -> None:
    every, numbers = case
    told = tables_named(sorted(numbers), every, ENGLISH)
    named: set[int] = set()
    for part in told.replace("All tables but ", "").replace("Tables ", "").replace("Table ", "").split(", "):
        low, _, high = part.partition("–")
        if low.isdigit():
            named |= set(range(int(low), int(high or low) + 1))
    expected = named if told.startswith("Table") else set(range(1, every + 1)) - named
    assert expected == numbers


def test_tables_of_one_title_are_told_apart_in_the_contents(survey: otter.Survey, tmp_path: Path) -> None:
    tables = [
        replace(survey.table("liking", banner=by, **more), id=f"t{k}")  # type: ignore[arg-type]
        for k, (by, more) in enumerate(
            [
                ("region", {}),
                (["region", "age_band"], {}),
                ("region", {"filter": "age >= 40"}),
                ("region", {"base": "all"}),
                ("region", {"levels": (99,)}),
                ("region", {"levels": ()}),
                ("region", {"figures": ["count"]}),
                ("region", {}),
            ]
        )
    ]
    titles = contents_titles([*tables, survey.table("diet")])
    assert (
        len(set(titles)) == len(titles)
        and titles[-1] == "Which of these do you watch in what you eat and drink?"
    )
    assert "by Region, Age" in titles[1] and "Age in years is 40 or more" in titles[2]
    assert (
        "base: all respondents" in titles[3] and "tested at 99 %" in titles[4] and "not tested" in titles[5]
    )
    report = otter.Report(title="x", tables=tuple(tables), source=survey.source)
    report.save(tmp_path / "t.xlsx", tmp_path / "t.pdf", tmp_path / "t.html")
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx")["Contents"]
    told = contents_titles(tables)
    assert [cell.value for cell in sheet["C"] if cell.value in told] == list(told)
    page = (tmp_path / "t.html").read_text(encoding="utf-8")
    assert all(f">{title}</a>" in page for title in told)
    contents = " ".join(PdfReader(tmp_path / "t.pdf").pages[0].extract_text().split())
    assert all(title in contents for title in told)


def test_titles_of_several_questions_are_made_of_labels(survey: otter.Survey) -> None:
    table = survey.items_table(["liking", "intent_after"], banner="wave")
    assert table.title == "Liking, Intent after – mean"
    assert survey.table("bought_at", value="spend", figures=["mean"]).title == "Where did you buy it in the last month? – mean of Spend in the last month"  # fmt: skip


def test_numbers_and_nouns_agree(small: Callable[..., otter.Survey]) -> None:
    book = "questions:\n  by: {kind: single, answers: {1: P, 2: Q}}\n  q: {kind: single, answers: {1: 'Yes', 2: 'No'}}\n"
    one = small(book, by=[1], q=[1]).table("q", banner="by")
    assert "Base: the 1 respondent who answered." in one.notes
    several = small(book, by=[1, 1, 2, 2], q=[1, 2, 1, 2]).table("q", banner="by", tests=otter.TestRules(whole_table="fitting"))  # fmt: skip
    assert any(note.startswith("2 tests were made") for note in several.notes)
    assert any("on 1 degree of freedom" in note for note in several.notes)
    assert [ENGLISH("{count} {count:row|rows}", count=n) for n in (0, 1, 2)] == ["0 rows", "1 row", "2 rows"]
    polish = Words(language="pl", texts={"{n} {n:row|rows}": "{n} {n:wiersz|wiersze|wierszy}"})
    assert plural_forms("pl") == ("one", "few", "many", "other")
    assert [polish("{n} {n:row|rows}", n=n) for n in (1, 3, 5, 22)] == ["1 wiersz", "3 wiersze", "5 wierszy", "22 wiersze"]  # fmt: skip
    assert plural_forms("xx-unknown") == ("one", "other")
    english = Words(language="en"), Words(language="en-GB")  # the latter by the Unicode CLDR
    for count in (*range(-30, 131), 1.0, 1.5, True):
        assert len({words("{n:row|rows}", n=count) for words in english}) == 1, count


def test_filters_that_keep_nobody_are_all_named(survey: otter.Survey) -> None:
    with pytest.raises(otter.RequestError) as told:
        survey.table("liking", filter="age < 20", base="age > 60")
    assert str(told.value) == (
        "No respondent satisfies the report's filter (status == \"complete\"), the table's filter (age < 20) and its "
        "base (age > 60) together."
    )


def test_parts_of_a_cut_table_repeat_short_notes_only(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    answers = ", ".join(f"{k}: Answer {k}" for k in range(1, 121))
    rng = np.random.default_rng(1)
    survey = small(
        f"questions:\n  q: {{kind: single, answers: {{{answers}}}}}\n  by: {{kind: single, label: By, answers: {{1: P, 2: Q}}}}\n",
        q=rng.integers(1, 121, 2000),
        by=rng.integers(1, 3, 2000),
    )
    report = otter.Report(title="x", tables=(survey.table("q", banner="by"),), source=survey.source)
    report.save(tmp_path / "t.pdf", notes="full")
    pages = [page.extract_text() for page in PdfReader(tmp_path / "t.pdf").pages][1:-1]
    assert len(pages) > 2
    assert ["Columns are compared within their group" in text for text in pages] == [False] * (
        len(pages) - 1
    ) + [True]
    assert all("Letters: " in text for text in pages)


@pytest.mark.slow
def test_a_page_holds_several_short_tables_and_columns_of_a_group_are_even(
    report: otter.Report, tmp_path: Path
) -> None:
    report.save(tmp_path / "t.pdf")
    reader = PdfReader(tmp_path / "t.pdf")
    pages = [page.extract_text() for page in reader.pages]
    with_tables = [text for text in pages if "Base (unweighted)" in text]
    assert sum("Base (unweighted)" in text for text in pages) <= 45 < len(report.tables)
    assert any(text.count("Base (unweighted)") > 1 for text in with_tables)
    info = reader.metadata
    assert info is not None and info.title == report.title and info["/CreationDate"].startswith("D:20261005")
    assert reader.trailer["/Root"]["/Lang"] == "en"  # type: ignore[index]
