"""A mistake in a plan is told at its line and column, before any data are read, with what to write instead."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from conftest import message_of

Write = Callable[..., Path]
BOOK = """\
weight: wt
questions:
  region: {kind: single, answers: {1: North, 2: East, 3: South}}
  wave: {kind: single, answers: {1: Spring, 2: Autumn}}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}, nets: [{top: 1, label: Top}]}
  tried: {kind: multi, columns: {t_1: Tarn, t_2: Brookfizz}}
  age: {kind: number}
  why: {kind: text}
  day: {kind: date}
  brands: {kind: grid, scale: true, items: {a: g1, b: g2}, answers: {1: Poor, 2: Good}}
"""
HEAD = """\
data: nowhere.csv
codebook: book.yaml
banners:
  main: [region]
  deep: [{nest: [wave, region]}]
"""


def told(write: Write, folder: Path, text: str) -> list[str]:
    """The mistakes told of a plan, without their excerpts."""
    write("book.yaml", BOOK)
    plan = write("plan.yaml", text)
    with pytest.raises(otter.OtterError) as error:
        otter.run(plan)  # its data are nowhere: mistakes come first
    return [
        line for line in message_of(error, folder).splitlines() if line.startswith(("plan.yaml", "book.yaml"))
    ]


@pytest.mark.parametrize(
    ("table", "message"),
    [
        # questions and shapes
        ("regoin", "no question 'regoin' in the codebook. Did you mean 'region'?"),
        ("{question: liking, levels: 95}", "unknown key 'levels'. It goes under tests."),
        ("{question: liking, figures: 'mean, Median'}", "no figure 'mean, Median'. Both are known: name each by itself, in a file as a list: [mean, median]."),
        ("{question: liking, banner: 'main, deep, main'}", "no banner 'main, deep, main'. All are known: name each by itself, in a file as a list: [main, deep, main]."),
        ("{question: liking, banner: 'main, deeep'}", "no banner 'main, deeep'. "),
        ("why", "why"),
        ("{question: brands}", "brands"),
        ("{grid: brand}", "no grid 'brand' in the codebook. Did you mean 'brands'?"),
        ("{items: [\"x*\"]}", "no question fits 'x*'"),
        ("{items: [liking, wave], figure: Top}", "wave has no net or answer 'Top'"),
        ("{items: [tried, liking]}", "tried"),
        ("{items: [liking, age], as: answers by items}", "age"),
        ("{items: [liking], as: before by after}", "Before by after takes two questions"),
        ("{items: [{question: liking, figure: Top}], as: one under another}", "figure goes with as: items by columns, not with one under another"),
        ("{grid: brands, as: answers by items, banner: main}", "the items are the columns, so this would do nothing"),
        ("{items: [liking, liking], as: before by after, untested: [Top]}", "nothing is tested"),
        ("{question: liking, value: region}", "region is of kind single; only numbers and scales can be summed up in cells"),
        ("{question: liking, within: [age]}", "age is of kind number; only answers can be nested"),
        ("{question: liking, repeat: age}", "age is of kind number; only answers can be gone through"),
        ("{each: [\"region\", \"likng\"]}", "no question fits 'likng'. Did you mean 'liking'?"),
        # figures
        ("{question: region, figures: [mean]}", "mean"),
        ("{question: age, figures: [column percent]}", "column percent"),
        ("{question: liking, figures: [mean mentions]}", "mean mentions"),
        ("{question: liking, figures: [percent of answer]}", "needs percent of: the answer or net"),
        ("{question: liking, percent of: Good}", "percent of"),
        ("{question: liking, difference from: North}", "difference from"),
        ("{question: liking, outer level: 1}", "outer level"),
        ("{question: liking, figures: [percentile 101]}", "percentile 101"),
        ("{question: liking, figures: [percent interval, count], value: age}", "percent interval"),
        # rows
        ("{question: liking, hide: [Goood]}", "liking has no answer 'Goood'. Did you mean 'Good'?"),
        ("{question: liking, headings: {7: Best}}", "7"),
        ("{question: liking, sort: {by: figure, column: Nort}}", "Nort"),
        ("{question: liking, no answer: by reason}", "no answer: by reason needs base: all"),
        ("{question: liking, base: complete answers}", "base: complete answers is for tables of several questions (grid or items)"),
        ("{question: liking, base: \"age >\"}", "age >"),
        ("{question: age, sort: down}", "age is a number and has no answers"),
        ("{question: liking, most: 0}", "most"),
        ("{question: liking, digits: {percent: 40}}", "percent: "),
        # tests and bases
        ("{question: liking, tests: none, untested: [Good]}", "nothing is tested here, so untested would do nothing"),
        ("{question: liking, tests: {levels: [], against: rest}}", "without levels nothing is tested, so against would do nothing"),
        ("{question: liking, tests: {levels: [80, 95]}}", "80"),
        ("{question: liking, tests: {against: {column: Nort}}}", "No column 'Nort' in the banner (as a control of tests). Did you mean 'North'?"),
        ("{question: liking, bases: {mark below: -1}}", "A minimum base is a number from 0 up; got -1."),
        ("{question: liking, bases: {mark: 30}}", "unknown key 'mark'"),
        ("{question: liking, banner: [main, deap]}", "no banner 'deap'. Did you mean 'deep'?"),
        ("{question: liking, filter: \"regio == 1\"}", "No question 'regio'. Did you mean 'region'?"),
    ],
)  # fmt: skip
def test_a_mistake_of_a_table_is_told_at_its_line(
    write: Write, tmp_path: Path, table: str, message: str
) -> None:
    found = told(write, tmp_path, f"{HEAD}tables:\n  - liking\n  - {table}\n")
    assert found and found[0].startswith("plan.yaml:8:"), found
    assert any(message in line for line in found), found


@pytest.mark.parametrize(
    ("group", "message"),
    [
        ("regio", "no question 'regio' in the codebook. Did you mean 'region'?"),
        ("age", "age"),
        ("{question: region, keep: [West]}", "region has no answer 'West'"),
        ("{question: region, labels: {9: Far}}", "9"),
        ("{question: region, against: {column: Nort}}", "Nort"),
        ("{question: region, differences: {Gap: [North]}}", "Gap"),
        ("{question: region, differences: {Gap: [North, Nowhere]}}", "Nowhere"),
        ("{question: region, hide: [Nort]}", "Nort"),
        ("{question: region, subtotal: true}", "a subtotal goes with nest"),
        ("{label: Own, columns: {Old: \"age >\"}}", "age >"),
        ("{label: Own, keep: [Old], columns: {Old: \"age > 60\"}}", "columns say already what is shown; take keep out"),
        ("{nest: [region, regio]}", "no question 'regio'"),
        ("{question: region, only: \"wav == 1\"}", "No question 'wav'. Did you mean 'wave'?"),
    ],
)  # fmt: skip
def test_a_mistake_of_a_banner_is_told_at_its_line(
    write: Write, tmp_path: Path, group: str, message: str
) -> None:
    found = told(
        write,
        tmp_path,
        f"data: d.csv\ncodebook: book.yaml\nbanners:\n  main:\n    - {group}\ntables: [liking]\n",
    )
    assert found and found[0].startswith(("plan.yaml:5:", "plan.yaml:6:")), found
    assert any(message in line for line in found), found


@pytest.mark.parametrize(
    ("line", "message"),
    [
        ("filter: liking == ", "plan.yaml:6:"),
        ("weight: wtt", ""),
        ("theme: rivr", "rivr"),
        ("language: fr", "fr"),
        ("findings: many", "findings: expected"),
        ("tests: [95, 90]", "tests: expected a mapping (key: value); found a list. Write it as in tests: {levels: [95, 90]}."),
        ("tests: {levels: {high: 95}}", "levels: expected a number; found a mapping. Write it as in levels: [95, 90]."),
        ("bases: 50", "bases: expected a mapping (key: value); found the number 50. Write it as in bases: {mark below: 75, no test below: 30}."),
        ("levels: [95, 90]", "unknown key 'levels'. It goes under tests."),
        ("no test below: 30", "unknown key 'no test below'. It goes under bases."),
        ("workbook: per table", "Write it as in workbook: {sheets: per section}."),
        ("defaults: {figures: [column percents]}", "no figure 'column percents'. Did you mean 'column percent'"),
        ("defaults: {banner: man}", "no banner 'man'. Did you mean 'main'?"),
        ("defaults: {kinds: {scal: {figures: [mean]}}}", "scal"),
        ("accept: [{slip: none beside others}]", "because"),
        ("outputs: [tables.doc]", "outputs end in .xlsx, .html, .pdf"),
        ("workbook: {sheets: per tabel}", "sheets"),
        ("include: nowhere.yaml", "include: no such file. Check the path and the spelling. Looked for nowhere.yaml."),
    ],
)  # fmt: skip
def test_a_mistake_of_the_head_is_told(write: Write, tmp_path: Path, line: str, message: str) -> None:
    if not message:  # a weight is a column of the data: told as soon as these are there
        write(
            "nowhere.csv",
            "region,wave,liking,t_1,t_2,age,why,day,g1,g2,wt\n1,1,1,1,0,30,x,2026-01-01,1,1,1\n",
        )
    write("book.yaml", BOOK)
    plan = write("plan.yaml", f"{HEAD}{line}\ntables: [liking]\n")
    with pytest.raises(otter.OtterError) as error:
        otter.run(plan)
    assert (message or "wtt") in message_of(error, tmp_path)


@pytest.mark.parametrize(
    ("table", "message"),
    [
        ("{question: liking, tests: {rest of: parent, against: rest}}", "rest of: no nested group is tested against the rest"),
        ("{question: liking, tests: {compare: all parents}}", "compare: no group of the banner is nested"),
        ("{question: liking, banner: deep, tests: {rest of: parent}}", "rest of: no nested group is tested against the rest"),
        ("{question: liking, banner: deep, tests: {rest of: parent, against: rest}}", ""),
        ("{question: liking, banner: deep, tests: {compare: all parents}}", ""),
        ("{question: liking, bases: {mark below: 30, no test below: 75}}", "mark below 30 does nothing, as no test below 75 goes before it"),
        ("{question: liking, bases: {mark below: 75, no test below: 30}}", ""),
        ("{question: liking, bases: {mark below: 75, judged on: effective base}}", ""),
    ],
)  # fmt: skip
def test_what_does_nothing_beside_something_else_is_hinted_at(write: Write, table: str, message: str) -> None:
    write("book.yaml", BOOK)
    plan = otter.read_plan(write("plan.yaml", f"{HEAD}tables:\n  - {table}\n"))
    found = [str(hint) for hint in plan.hints]
    assert (not found) if not message else any(message in hint for hint in found), found


@pytest.mark.parametrize("weight", ["none", "wt", None])
def test_an_effective_base_is_hinted_at_where_nothing_is_weighted(write: Write, weight: str | None) -> None:
    write("book.yaml", BOOK)
    said = "" if weight is None else f"weight: {weight}\n"
    text = f"{HEAD}{said}bases: {{mark below: 75, judged on: effective base}}\ntables: [liking, region]\n"
    hints = [str(hint) for hint in otter.read_plan(write("plan.yaml", text)).hints]
    assert [("judged on: nothing is weighted" in hint) for hint in hints] == (
        [True] if weight == "none" else []
    )


keys = st.sampled_from(["figures", "tests", "bases", "sort", "hide", "most", "above", "base", "digits", "filter", "banner", "untested", "no answer", "value"])  # fmt: skip
values = st.sampled_from(["1", "[1]", "{a: b}", "true", "all", "none", "''", "[Good, Poor]", "0.5", "-3", "Good", "down", "[[1]]", "{levels: 95}", "by reason"])  # fmt: skip


@given(st.lists(st.tuples(keys, values), min_size=1, max_size=3, unique_by=lambda pair: pair[0]))
def test_whatever_a_table_says_it_is_taken_or_told_and_nothing_else(settings: list[tuple[str, str]]) -> None:
    """A plan reads, or its mistakes are told at their lines; no other error comes out of the inside."""
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "book.yaml").write_text(BOOK, encoding="utf-8")
        said = ", ".join(f"{key}: {value}" for key, value in settings)
        text = f"{HEAD}tables:\n  - {{question: liking, {said}}}\n"
        (place / "plan.yaml").write_text(text, encoding="utf-8")
        try:
            plan = otter.read_plan(place / "plan.yaml")
        except otter.DocumentError as error:
            assert "plan.yaml:7:" in str(error)
            return
        assert [request.shows.name for request in plan.requests] == ["liking"]
        again = otter.plan_from_text(otter.plan_text(plan), place)
        assert again.requests == plan.requests  # what is taken can be written out and read again


@pytest.mark.parametrize("place", [0, 3, 200])
def test_of_a_very_long_line_what_is_around_the_mistake_is_shown(demo: Path, place: int) -> None:
    names = ["wave"] * 400
    names[place] = "wvae"
    text = f"data: responses.csv\ncodebook: codebook.yaml\ntables: [liking]\nbanners: {{main: [{', '.join(names)}]}}"
    with pytest.raises(otter.DocumentError) as error:
        otter.plan_from_text(text, folder=demo)
    message, line, caret = str(error.value).splitlines()[:3]
    assert "'wvae'" in message
    assert len(line) < 190 and line[caret.index("^") :].startswith("wvae")
    assert ("…" in line[:8]) == (place == 200) and line.endswith("…")


@pytest.mark.parametrize(
    ("data", "messages"),
    [
        ("{files: [{file: a.csv, labl: A}, {label: B}]}", ["1:30: unknown key 'labl'. Did you mean 'label'?", "1:40: data.files[2] needs the key 'file'."]),
        ("{files: [a.csv, {file: b.csv, changes: {cods: {}}}]}", ["1:47: unknown key 'cods'. Did you mean 'codes'?"]),
        ("[a.csv, b.csv]", ["1:7: data: expected a file; found a list. Several files that are one survey stand under files, as in data: {files: [{file: spring.csv, label: Spring}, {file: autumn.csv, label: Autumn}]}."]),
        ("{files: {a: a.csv}}", ["1:15: files: expected text; found a mapping. Write it as in files: [{file: spring.csv, label: Spring}, {file: autumn.csv, label: Autumn}]."]),
        ("{files: []}", ["1:15: files: expected 1 or more; found 0."]),
    ],
)  # fmt: skip
def test_mistakes_in_a_list_of_files_are_told_once_where_they_stand(
    write: Write, tmp_path: Path, data: str, messages: list[str]
) -> None:
    found = told(write, tmp_path, HEAD.replace("nowhere.csv", data) + "tables: [liking]\n")
    assert found == [f"plan.yaml:{message}" for message in messages]
