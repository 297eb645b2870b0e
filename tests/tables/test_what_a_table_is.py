"""A table says what it is: its shape, the role of each column, what a group is of; its readers need not guess."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

import eager_otter as otter

Small = Callable[..., otter.Survey]
BOOK = """
questions:
  wave: {kind: single, label: Wave, answers: {1: Spring, 2: Autumn}}
  area: {kind: single, label: Area, answers: {1: North, 2: South}}
  before: {kind: single, scale: true, label: Before, answers: {1: Poor, 2: Fair, 3: Good}}
  after: {kind: single, scale: true, label: After, answers: {1: Poor, 2: Fair, 3: Good}}
"""


@pytest.fixture
def survey(small: Small) -> otter.Survey:
    rng = np.random.default_rng(2)
    return small(
        BOOK,
        **{
            name: rng.integers(1, top + 1, 90)
            for name, top in (("wave", 2), ("area", 2), ("before", 3), ("after", 3))
        },
    )


def group(**entries: object) -> otter.BannerGroup:
    return otter.BannerGroup(**entries)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    "shape", ["items by columns", "answers by items", "one under another", "before by after"]
)
def test_tables_of_several_questions_say_their_shape(survey: otter.Survey, shape: str) -> None:
    assert survey.items_table(["before", "after"], shape=shape).shape == shape  # type: ignore[arg-type]


def test_tables_of_one_question_say_their_shape(survey: otter.Survey) -> None:
    assert survey.table("before", "area").shape == "one question"
    assert survey.preview(otter.Banner(groups=(group(question="area"),))).shape == "banner"
    one_way = survey.table("before", figures=["column percent", "count"])
    assert one_way.shape == "one question" and one_way.displayed.shape == "one way"
    assert [column.role for column in one_way.displayed.columns] == ["figure", "figure"]


def test_columns_say_their_role_and_only_those_compared_have_letters(survey: otter.Survey) -> None:
    nest = group(nest=(group(question="area"), group(question="wave")), subtotal=True)
    gap = group(question="area", differences=(("Gap", "North", "South"),))
    table = survey.table("before", otter.Banner(groups=(nest, gap)), tests=otter.TestRules(against="rest"))
    shown = [(column.label, column.role) for column in table.columns]
    nested = [("All", "subtotal"), ("Spring", "point"), ("Autumn", "point")]
    assert shown == [
        ("Total", "total"),
        *nested,
        *nested,
        ("North", "point"),
        ("South", "point"),
        ("Gap", "difference"),
    ]
    hidden = [column.role for column in table.counted if column.hidden]
    assert hidden.count("parent") == 2 and hidden.count("rest") == 6 and set(hidden) == {"parent", "rest"}
    for column in table.counted:
        assert bool(column.letter) == column.compared == (column.role == "point")


def test_a_control_that_stands_elsewhere_is_one_and_items_are_items(survey: otter.Survey) -> None:
    banner = otter.Banner(groups=(group(question="area"), group(question="wave")))
    table = survey.table("before", banner, tests=otter.TestRules(against="column", control="Spring"))
    assert [column.label for column in table.counted if column.role == "control"] == ["Spring"]
    items = survey.items_table(["before", "after"], shape="answers by items")
    assert [(column.role, column.letter, column.compared) for column in items.counted] == [
        ("item", "A", True),
        ("item", "B", True),
    ]


def test_groups_say_whether_they_are_over_time(small: Small, survey: otter.Survey) -> None:
    table = survey.table("before", ["wave", "area"])
    assert [group.over_time for group in table.groups] == [True, False]
    book = "questions:\n  day: {kind: date}\n  when: {label: Asked in, periods: {of: day, by: month, from: 2026-01-01, to: 2026-02-28}}\n  q: {kind: single, answers: {1: Yes, 2: No}}\n"
    months = small(book, day=["2026-01-05", "2026-02-07"] * 20, q=[1, 2] * 20).table("q", "when")
    assert months.groups[0].over_time  # periods, whatever their label says
