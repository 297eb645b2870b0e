"""Edges that a small slip in the code would move: which column a mark stands on, thresholds met exactly, both sides of a gap."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

import eager_otter as otter
from eager_otter.tables.table import Table

Small = Callable[..., otter.Survey]
WAVES = "questions:\n  wave: {kind: single, label: Wave, answers: {1: One, 2: Two, 3: Three, 4: Four}}\n  q: {kind: single, answers: {1: Yes, 2: No}}\n"


def letters(table: Table, row: str, figure: str = "column percent") -> list[str]:
    return list(table.line(row, figure).letters)


def waves(*shares: tuple[int, int | None]) -> dict[str, list[float | None]]:
    """Answers by wave: (people, how many said yes; None where nobody was asked)."""
    wave: list[float | None] = []
    q: list[float | None] = []
    for number, (people, yes) in enumerate(shares, 1):
        wave += [number] * people
        q += [None] * people if yes is None else [1] * yes + [2] * (people - yes)
    return {"wave": wave, "q": q}


PREVIOUS = otter.TestRules(against="previous")


def test_the_mark_against_the_previous_wave_stands_on_the_later_one(small: Small) -> None:
    table = small(WAVES, **waves((100, 20), (100, 60), (100, 58), (100, 10))).table(
        "q", banner="wave", tests=PREVIOUS
    )
    assert letters(table, "Yes") == ["", "", "▲", "", "▼"]
    assert letters(table, "No") == ["", "", "▼", "", "▲"]


def test_a_wave_that_nobody_was_asked_in_is_passed_over(small: Small) -> None:
    survey = small(WAVES, **waves((100, 20), (100, None), (100, 60), (100, 62)))
    table = survey.table("q", banner="wave", tests=PREVIOUS)
    assert letters(table, "Yes") == ["", "", "", "▲", ""]
    (test,) = table.explain("Yes", "Three").tests
    assert test.other == "Wave: One (A)" and test.figure == 60.0
    assert "each column against the nearest column before it in which somebody answered" in " ".join(
        table.notes
    )
    assert table.explain("Yes", "Two").tests == ()


def test_a_thin_wave_before_leaves_the_next_one_untested_and_a_note_names_it(small: Small) -> None:
    survey = small(WAVES, **waves((100, 20), (30, 10), (100, 60), (100, 10)))
    for bases in (otter.BaseRules(no_test=50), otter.BaseRules(withhold=50)):
        table = survey.table("q", banner="wave", tests=PREVIOUS, bases=bases)
        assert letters(table, "Yes") == ["", "", "", "", "▼"]  # Three is not set against One instead
        told = "Not tested, as the base that they are compared with is too thin: Wave: Three."
        assert told in table.notes
        (test,) = table.explain("Yes", "Three").tests
        assert "not tested, as the base of Wave: Two is" in test.sentence


def test_a_hidden_control_that_is_too_thin_is_told(small: Small) -> None:
    group = otter.BannerGroup(question="wave", against="column", control="Two", hide=("Two",))
    survey = small(WAVES, **waves((100, 20), (30, 10), (100, 60)))
    table = survey.table("q", banner=otter.Banner(groups=(group,)), bases=otter.BaseRules(no_test=50))
    assert "too thin: Wave: One, Wave: Three." in " ".join(table.notes)


def test_a_column_of_a_difference_takes_the_severer_mark_of_its_two(small: Small) -> None:
    group = otter.BannerGroup(
        question="wave", differences=(("Change", "Two", "One"), ("Other way", "One", "Two"))
    )
    survey = small(WAVES, **waves((100, 20), (30, 20), (10, 5)))
    wanted = otter.Banner(groups=(group,))
    for bases, mark in (
        (otter.BaseRules(mark=50), "low base"),
        (otter.BaseRules(no_test=50), "not tested"),
        (otter.BaseRules(withhold=50), "withheld"),
    ):
        table = survey.table("q", banner=wanted, bases=bases)
        line = table.line("Yes", "column percent")
        for name in ("Change", "Other way"):
            assert line.marks[table.column_position(name)] == mark
            assert np.isnan(table.value("Yes", name)) == (mark == "withheld")
    plain = survey.table("q", banner=wanted)
    assert letters(plain, "Yes")[-2:] == ["▲", "▼"]  # by the sign of the difference
    assert letters(survey.table("q", banner=wanted, figures=["count"]), "Yes", "count")[-2:] == ["", ""]


def test_the_people_behind_a_difference_are_those_of_both_columns(small: Small) -> None:
    group = otter.BannerGroup(question="wave", differences=(("Change", "Two", "One"),))
    survey = small(WAVES, **waves((10, 4), (8, 5), (6, 1)))
    request = otter.TableRequest(shows=otter.OneQuestion("q"), banner=otter.Banner(groups=(group,)))
    rows = survey.people(request, "Yes", "Change")
    assert rows.tolist() == [0, 1, 2, 3, 10, 11, 12, 13, 14]
    assert survey.people(request, "Base (unweighted)", "Change").tolist() == list(range(18))


def test_the_smallest_base_of_items_carries_the_mark_of_that_item(small: Small) -> None:
    book = "questions:\n  g: {kind: single, answers: {1: P, 2: Q}}\n  a: {kind: single, scale: true, answers: {1: Low, 2: High}}\n  b: {kind: single, scale: true, answers: {1: Low, 2: High}}\n"
    a = [1, 2] * 30
    b = [1, 2] * 10 + [None] * 20 + [1, 2] * 10
    survey = small(book, g=[1] * 30 + [2] * 30, a=a, b=b)
    table = survey.items_table(["a", "b"], banner="g", bases=otter.BaseRules(mark=25, no_test=21))
    smallest = table.line("Smallest base of an item")
    assert smallest.values.tolist() == [40, 20, 20]
    assert smallest.marks == ("", "not tested", "not tested")  # those of b; a has 30 in each column


@pytest.mark.parametrize(("least", "mark"), [(20.0, ""), (20.0001, "not tested")])
def test_an_effective_base_exactly_at_the_threshold_is_tested(small: Small, least: float, mark: str) -> None:
    book = "weight: w\nquestions:\n  g: {kind: single, answers: {1: P, 2: Q}}\n  q: {kind: single, answers: {1: Yes, 2: No}}\n"
    weights = [0.1] * 20 + [0.1] * 20  # Kish's formula gives 20 but for rounding
    survey = small(book, w=weights, g=[1] * 20 + [2] * 20, q=[1] * 15 + [2] * 5 + [1] * 5 + [2] * 15)
    table = survey.table("q", banner="g", bases=otter.BaseRules(no_test=least, judged_on="effective base"))
    assert table.line("Base (unweighted)").marks[1:] == (mark, mark)
    assert letters(table, "Yes")[1] == ("" if mark else "B")


@pytest.mark.parametrize(("above", "rows"), [(25.0, ["B"]), (24.999, ["A", "B"])])
def test_above_leaves_out_an_answer_exactly_at_its_threshold(
    small: Small, above: float, rows: list[str]
) -> None:
    book = "questions:\n  q: {kind: single, answers: {1: A, 2: B}}\n"
    table = small(book, q=[1, 2, 2, 2]).table("q", rows=otter.RowRules(above=above))
    assert [line.label for line in table.body] == rows


def test_letters_stand_only_beside_figures_that_they_test(small: Small) -> None:
    survey = small(WAVES, **waves((100, 20), (100, 60)))
    wanted = ["row percent", "table percent", "count", "column percent", "index", "cumulative percent"]
    table = survey.table("q", banner="wave", figures=wanted)
    assert {line.figure for line in table.lines if any(line.letters)} == {"column percent"}
    assert "Not tested: row percent, table percent, index, cumulative percent." in " ".join(table.notes)
    counts = survey.table("q", banner="wave", figures=["row percent", "count"])
    assert {line.figure for line in counts.lines if any(line.letters)} == {"count"}
    assert "Letters and marks beside counts rest on column percents" in " ".join(counts.notes)
    none = survey.table("q", banner="wave", figures=["row percent", "table percent"])
    assert (
        not any(any(line.letters) for line in none.lines) and "Nothing in this table is tested." in none.notes
    )


def test_percents_of_mentions_and_of_an_answer_carry_no_letters(survey: otter.Survey) -> None:
    mentions = survey.table("bought_at", banner="region", figures=["mention percent"])
    assert not any(any(line.letters) for line in mentions.lines)
    request = otter.TableRequest(
        shows=otter.OneQuestion("usual"),
        banner=otter.Banner(groups=(otter.BannerGroup(question="region"),)),
        figures=("percent of answer",),
        percent_of="Tarn",
    )
    (table,) = survey.tables([request])
    assert not any(any(line.letters) for line in table.lines)


def test_banner_codes_that_nobody_knows_are_told_group_by_group(small: Small) -> None:
    book = "questions:\n  area: {kind: single, label: Area, answers: {1: North, 2: East}}\n  q: {kind: single, answers: {1: Yes, 2: No}}\n"
    area = [1] * 400 + [2] * 600 + [3] * 496 + [None] * 40
    table = small(book, area=area, q=[1, 2] * 768).table("q", banner="area")
    assert "In no column of Area: 536 (code unknown to the codebook: 496; blank: 40)." in table.notes
    kept = otter.Banner(groups=(otter.BannerGroup(question="area", keep=("North",)),))
    shown = small(book, area=area, q=[1, 2] * 768).table("q", banner=kept)
    assert (
        "In no column of Area: 1,136 (code unknown to the codebook: 496; blank: 40; an answer without a column: 600)."
        in shown.notes
    )
