"""Banners: nested, of one's own columns, of nets and merged answers, with the Total where it is wanted."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import openpyxl
import pytest

import eager_otter as otter
from conftest import RANDOM_BOOK, random_columns
from eager_otter.report.report import Report
from eager_otter.tables.table import Table

Small = Callable[..., otter.Survey]
Group, Banner = otter.BannerGroup, otter.Banner


@pytest.fixture
def random(small: Small) -> tuple[otter.Survey, dict[str, np.ndarray]]:
    columns = random_columns(5, 400)
    return small(RANDOM_BOOK, **columns), columns


def bases(table: Table) -> dict[str, float]:
    return {f"{c.group}|{c.label}": v for c, v in zip(table.columns, table.lines[0].values, strict=True)}


def test_nested_columns_hold_every_combination_and_compare_within_their_parent(
    random: tuple[otter.Survey, dict[str, np.ndarray]],
) -> None:
    survey, columns = random
    nest = Group(
        nest=(Group(question="area", keep=("1", "2")), Group(question="liking"), Group(question="tried")),
        subtotal=True,
    )
    table = survey.table("ticks", banner=Banner(groups=(nest,)), levels=(95, 60))
    answered = ~np.isnan(columns["m_1"])
    found = bases(table)
    assert len(table.columns) == 1 + 2 * 3 * 4
    assert (
        found["North: Good|Tarn"]
        == (answered & (columns["area"] == 1) & (columns["liking"] == 3) & (columns["t_1"] == 1)).sum()
    )
    assert found["East: Poor|All"] == (answered & (columns["area"] == 2) & (columns["liking"] == 1)).sum()
    letters = {c.letter: c.group for c in table.columns if c.letter}
    assert [c.letter for c in table.columns if c.label == "All"] == [""] * 6
    for line in table.body:
        for column, text in zip(table.columns, line.letters, strict=True):
            assert all(letters[letter.upper()] == column.group for letter in text)
    heads = [[(g.label, g.start, g.stop) for g in level] for level in table.outer_heads()]
    assert heads == [[("area × liking × tried", 1, 25)], [("North", 1, 13), ("East", 13, 25)]]


def test_columns_of_ones_own_nets_merged_answers_and_only(
    random: tuple[otter.Survey, dict[str, np.ndarray]],
) -> None:
    survey, c = random
    banner = Banner(
        groups=(
            Group(label="Own", columns=(("Often", "glasses >= 20"), ("Fond", "liking == 3 and area == 1"))),
            Group(question="area", columns=(("North or East", ("North", "2")), ("South", "3"))),
            Group(question="liking", keep=("Fair or good", "Poor"), only="glasses < 10"),
            Group(question="ticks", keep=("A or I",)),
        )
    )
    found = bases(survey.table("tried", banner=banner))
    there = ~np.isnan(c["t_1"])
    expected = [
        there, there & (c["glasses"] >= 20), there & (c["liking"] == 3) & (c["area"] == 1),
        there & np.isin(c["area"], (1, 2)), there & (c["area"] == 3),
        there & np.isin(c["liking"], (2, 3)) & (c["glasses"] < 10), there & (c["liking"] == 1) & (c["glasses"] < 10),
        there & ((c["m_1"] == 1) | (c["m_9"] == 1)),
    ]  # fmt: skip
    assert list(found.values()) == [people.sum() for people in expected]
    assert list(found)[3:5] == ["area|North or East", "area|South"]


@pytest.mark.parametrize("total", ["first", "last", "none"])
def test_the_total_stands_where_it_is_wanted_in_every_output(
    random: tuple[otter.Survey, dict[str, np.ndarray]], tmp_path: object, total: str
) -> None:
    survey, _ = random
    nest = Group(nest=(Group(question="area"), Group(question="liking")))
    banner = Banner(groups=(nest, Group(question="tried")), total=total)  # type: ignore[arg-type]
    table, plain = (
        survey.table("ticks", banner=banner),
        survey.table("ticks", banner=Banner(groups=banner.groups)),
    )
    places = {"first": [0, *range(1, 13)], "last": [*range(1, 13), 0], "none": list(range(1, 13))}[total]
    for one, other in zip(table.lines, plain.lines, strict=True):
        np.testing.assert_array_equal(one.values, other.values[places])
        assert one.letters == tuple(other.letters[k] for k in places)
    (path,) = Report(title="t", tables=(table,), source=survey.source).save(f"{tmp_path}/t.xlsx")
    sheet = openpyxl.load_workbook(path)["ticks"]
    heads = [cell.value for row in sheet.iter_rows(min_row=4, max_row=7) for cell in row if cell.value]
    assert heads.count("Total") == (0 if total == "none" else 1) and heads[0] == "area × liking"
    numbers = [cell.value for cell in sheet[8] if isinstance(cell.value, int | float)]
    np.testing.assert_allclose(numbers, table.lines[0].values)
    assert ("Total" in repr(table)) == (total != "none") and "North" in repr(table)
    html = table._repr_html_() or ""
    assert html.count("<tr") == len(table.lines) + 4 - (0 if table.outer_heads() else 1) - 1
    assert table.people == plain.people


def test_a_preview_shows_columns_letters_bases_and_what_is_thin(survey: otter.Survey) -> None:
    nest = Group(nest=(Group(question="wave"), Group(question="settlement"), Group(question="age_band")))
    shape = survey.preview(Banner(groups=(nest,), name="deep"), otter.BaseRules(mark=100, no_test=50))
    assert len(shape.columns) == 25 and {line.kind for line in shape.lines} == {"base"}
    counts = [shape.column_marks.count(mark) for mark in ("low base", "not tested")]
    values = shape.lines[0].values[1:]
    assert counts == [int(((values >= 50) & (values < 100)).sum()), int((values < 50).sum())]
    assert shape.notes[0].startswith("24 columns beside the Total; 36 comparisons in each row.")


@pytest.mark.parametrize(
    ("group", "message"),
    [
        (
            Group(nest=(Group(question="area"), Group(nest=(Group(question="area"),)))),
            "nest: expected 2 or more; found 1.",
        ),
        (Group(), "a banner group needs a question, columns (label: expression) or nest (a list of groups)."),
        (Group(question="glasses"), "glasses is of kind number and cannot be a banner"),
        (Group(columns=(("X", "area = 7"),)), "area has no answer '7'."),
        (Group(question="area", keep=("Nort",)), "No answer 'Nort' in area. Did you mean 'North'?"),
        (Group(question="area", only="aera == 1"), "No question 'aera'. Did you mean 'area'?"),
    ],
)
def test_groups_that_cannot_be_are_refused(
    random: tuple[otter.Survey, dict[str, np.ndarray]], group: otter.BannerGroup, message: str
) -> None:
    with pytest.raises(otter.OtterError) as error:
        random[0].table("ticks", banner=Banner(groups=(group,)))
    assert message in str(error.value)
