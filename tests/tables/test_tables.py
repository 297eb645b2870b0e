"""Tables: figures against hand counts and loops over respondents, letters, base rules, notes, laws."""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from conftest import RANDOM_BOOK, random_columns
from eager_otter.tables.texts import cell_text
from independent import effective, mean_test, moments, percent, proportion_test

Small = Callable[..., otter.Survey]
HAND = """
questions:
  area: {kind: single, label: Area, answers: {1: North, 2: South}}
  liking:
    kind: single
    scale: true
    text: How do you like it?
    answers: {1: Poor, 2: Fair, 3: Good, 8: {label: No view, missing: true}}
    nets: [{label: Fair or good, of: [2, 3], place: above}, {label: Not good, of: [1, 2]}]
"""


def test_a_tiny_table_counted_by_hand(small: Small) -> None:
    survey = small(HAND, area=[1, 1, 1, 1, 2, 2, 2, np.nan], liking=[3, 3, 2, 8, 1, 1, 2, 3])
    table = survey.table("liking", banner="area", figures=["count", "column percent", "mean"])
    assert [column.letter for column in table.columns] == ["", "A", "B"]
    assert table.frame("unweighted base").to_numpy().tolist() == [[7, 3, 3]]
    counts = table.frame("count")
    assert counts.index.tolist() == ["Poor", "Fair or good", "Fair", "Good", "Not good"]
    assert counts.to_numpy().tolist() == [[2, 0, 2], [5, 3, 1], [2, 1, 1], [3, 2, 0], [4, 1, 3]]
    assert table.value("Good", "North", "column percent") == pytest.approx(200 / 3)
    assert table.value("Mean", "North") == pytest.approx(8 / 3)
    assert table.value("Mean", "Area: South") == pytest.approx(4 / 3)
    assert table.notes[:2] == (
        "Base: the 7 respondents who answered.",
        "Left out of the base: 1 (No view: 1).",
    )


def test_all_figures_and_letters_agree_with_loops_over_respondents(
    random_survey: Callable[..., otter.Survey],
) -> None:
    survey, columns = random_survey(4, 260), random_columns(4, 260)
    table = survey.table("ticks", banner=["area", "tried"], levels=(95, 80))
    means = survey.table("liking", banner=["area", "tried"], levels=(95, 80), figures=["mean"])

    def places(k: int) -> set[int]:
        area = {int(columns["area"][k])} if columns["area"][k] > 0 else set()
        return {0} | area | {3 + j for j in (1, 2, 3) if columns[f"t_{j}"][k] == 1}

    weights = columns["wt"]
    everyone = range(260)
    answered = [k for k in everyone if not np.isnan(columns["m_1"][k])]
    nets = {"A or I": (1, 9), "A or B": (1, 2)}
    for row, line in enumerate(line for line in table.body if line.figure == "column percent"):
        members = nets.get(line.label, (row + 1,))
        people = [
            (float(weights[k]), places(k), any(columns[f"m_{m}"][k] == 1 for m in members)) for k in answered
        ]
        expected = [percent(people, c) for c in range(7)]
        np.testing.assert_allclose(line.values, expected, rtol=1e-12)
        assert list(line.letters) == _letters(lambda a, b, people=people: proportion_test(people, a, b))
    valued = [
        (float(weights[k]), places(k), float(columns["liking"][k]))
        for k in everyone
        if columns["liking"][k] in (1, 2, 3)
    ]
    mean = means.body[-1]
    np.testing.assert_allclose(mean.values, [moments(valued, c)[0] for c in range(7)])
    assert list(mean.letters) == _letters(lambda a, b: mean_test(valued, a, b))
    assert any(mean.letters) or any(any(line.letters) for line in table.body)
    people = [(float(weights[k]), places(k), True) for k in answered]
    np.testing.assert_allclose(table.bases[2].values, [effective(people, c) for c in range(7)])


def _letters(test: Callable[[int, int], tuple[float, float]]) -> list[str]:
    """Letter seven columns: A B C are one group, D E F the other; 95 in capitals, 80 small."""
    cells: list[dict[int, str]] = [{} for _ in range(7)]
    for group in ((1, 2, 3), (4, 5, 6)):
        for a, b in combinations(group, 2):
            z, p = test(a, b)
            if p <= 0.2:
                high, low = (a, b) if z > 0 else (b, a)
                cells[high][low] = "_ABCDEF"[low] if p <= 0.05 else "_abcdef"[low]
    return ["".join(cell[low] for low in sorted(cell)) for cell in cells]


@given(st.integers(0, 10_000), st.randoms(use_true_random=False))
@pytest.mark.slow
def test_the_order_of_rows_is_irrelevant(
    tmp_path_factory: pytest.TempPathFactory, seed: int, random: object
) -> None:
    import pandas as pd

    book = tmp_path_factory.mktemp("book") / "book.yaml"
    book.write_text(RANDOM_BOOK, encoding="utf-8")
    frame = pd.DataFrame(random_columns(seed, 60))
    order = list(range(60))
    random.shuffle(order)  # type: ignore[attr-defined]
    one, other = (otter.open_survey(book, some) for some in (frame, frame.iloc[order]))
    for name in ("ticks", "liking", "glasses"):
        tables = [survey.table(name, banner=["area", "tried"], levels=(90, 70)) for survey in (one, other)]
        for first, second in zip(*(table.lines for table in tables), strict=True):
            np.testing.assert_allclose(first.values, second.values, rtol=1e-9)
            assert first.letters == second.letters


@given(st.integers(0, 10_000))
def test_a_net_is_at_least_its_largest_part_and_at_most_their_sum(
    tmp_path_factory: pytest.TempPathFactory, seed: int
) -> None:
    import pandas as pd

    book = tmp_path_factory.mktemp("book") / "book.yaml"
    book.write_text(RANDOM_BOOK, encoding="utf-8")
    table = otter.open_survey(book, pd.DataFrame(random_columns(seed, 50))).table(
        "ticks", banner=["area", "tried"]
    )
    shares = table.frame("column percent")
    for net, parts in (("A or I", ["A", "I"]), ("A or B", ["A", "B"])):
        inside = shares.loc[net].to_numpy()
        assert (inside >= shares.loc[parts].max().to_numpy() - 1e-9)[~np.isnan(inside)].all()
        assert (inside <= shares.loc[parts].sum().to_numpy() + 1e-9)[~np.isnan(inside)].all()


def test_columns_of_a_group_add_up_to_the_total_where_everyone_is_in_one(survey: otter.Survey) -> None:
    counts = survey.table("heard_of", banner="region", figures=["count"]).frame("count")
    np.testing.assert_allclose(counts["Region"].sum(axis=1), counts[("", "Total")])


def rules_survey(small: Small) -> otter.Survey:
    """Columns of 40, 25, 12 and 5 people; nearly all of the first say yes, nearly none of the others."""
    area = np.repeat([1, 2, 3, 4], [40, 25, 12, 5])
    said = np.concatenate(
        [
            np.repeat([1, 2], [36, 4]),
            np.repeat([1, 2], [5, 20]),
            np.repeat([1, 2], [2, 10]),
            np.repeat([1, 2], [1, 4]),
        ]
    )
    book = "questions:\n  area: {kind: single, answers: {1: P, 2: Q, 3: R, 4: S}}\n  said: {kind: single, answers: {1: Yes, 2: No}}\n"
    return small(book, area=area, said=said)


def test_base_rules_mark_leave_untested_and_withhold(small: Small) -> None:
    survey = rules_survey(small)
    rules = otter.BaseRules(mark=30, no_test=20, withhold=10)
    table = survey.table("said", banner="area", bases=rules)
    assert table.column_marks == ("", "", "low base", "not tested", "withheld")
    yes = table.body[0]
    assert yes.letters == ("", "B", "", "", "")  # B is marked yet tested; C and D are in no test
    assert [cell_text(table, yes, k) for k in range(5)] == ["54%", "90%", "20%", "17%", "··"]
    assert [cell_text(table, table.lines[0], k) for k in range(5)] == ["82", "40", "25*", "12**", "5··"]
    assert table.notes[-3:] == (
        "* base below 30: read with care.",
        "** base below 20: not tested.",
        "·· base below 10: figures withheld and not tested. This keeps thin figures from being read; it does not "
        "protect anybody's privacy.",
    )
    assert survey.table("said", banner="area").body[0].letters == ("", "BCD", "", "", "")


def test_a_withheld_column_is_never_tested_whatever_the_other_thresholds(small: Small) -> None:
    table = rules_survey(small).table("said", banner="area", bases=otter.BaseRules(withhold=20))
    assert table.body[0].letters == ("", "B", "", "", "")
    assert np.isnan(table.body[0].values[[3, 4]]).all()


def test_rules_can_be_judged_on_the_effective_base(small: Small) -> None:
    columns = random_columns(2, 90)
    survey = small(RANDOM_BOOK, **columns)
    bases = survey.table("liking", banner="area").bases
    between = (
        float(bases[0].values[1] + bases[2].values[1]) / 2
    )  # above the effective base, below the unweighted
    for judged_on, mark in (("unweighted base", ""), ("effective base", "low base")):
        rules = otter.BaseRules(mark=between, judged_on=judged_on)  # type: ignore[arg-type]
        assert survey.table("liking", banner="area", bases=rules).column_marks[1] == mark


def test_a_mean_among_few_obeys_the_rules_on_its_own_base(small: Small) -> None:
    book = (
        "questions:\n  by: {kind: single, answers: {1: P, 2: Q}}\n"
        "  q: {kind: number}\n  p: {kind: single, scale: true, answers: {1: Low, 5: High}}\n"
    )
    survey = small(book, by=[1] * 20 + [2] * 20, q=[1.0] * 4 + [np.nan] * 16 + [1.0, 2.0] * 10, p=[1, 5] * 20)
    table = survey.table("q", banner="by", bases=otter.BaseRules(mark=10, withhold=5))
    assert table.lines[0].marks == table.body[0].marks == ("", "withheld", "")
    assert np.isnan(table.body[0].values[1]) and table.body[0].values[2] == 1.5


def test_letters_run_on_past_z_and_are_then_spaced(small: Small) -> None:
    answers = ", ".join(f"{k}: C{k}" for k in range(1, 31))
    book = f"questions:\n  by: {{kind: single, answers: {{{answers}}}}}\n  q: {{kind: single, answers: {{1: Yes, 2: No}}}}\n"
    by = np.repeat(np.arange(1, 31), 40)
    said = np.where((by == 1) | (np.arange(by.size) % 40 < 4), 1, 2)
    table = small(book, by=by, q=said).table("q", banner="by")
    assert [column.letter for column in table.columns][26:29] == ["Z", "AA", "AB"]
    assert table.body[0].letters[1] == " ".join(column.letter for column in table.columns[2:])


def test_rows_of_weight_zero_are_out_of_every_base_with_a_note(small: Small) -> None:
    book = "weight: wt\nquestions: {q: {kind: single, answers: {1: Yes, 2: No}}}"
    table = small(book, wt=[1, 2, 0, 1], q=[1, 2, 1, 1]).table("q")
    assert table.lines[0].values[0] == 3 and table.value("Yes", "Total") == 50
    assert "Out of every base for a weight of 0: 1." in table.notes


def test_zero_near_zero_and_absent_figures_have_their_own_texts(small: Small) -> None:
    book = "questions:\n  by: {kind: single, answers: {1: P, 2: Nobody}}\n  q: {kind: single, answers: {1: Rare, 2: Never, 3: Usual}}\n"
    table = small(book, by=[1] * 300, q=[1] + [3] * 299).table("q", banner="by")
    rare, never = table.body[0], table.body[1]
    assert [cell_text(table, rare, k) for k in (0, 2)] == ["<1%", "n/a"]
    assert cell_text(table, never, 0) == "–"
    assert table.notes[-3:] == (
        "– nobody.",
        "<1% more than none, but rounds to zero.",
        "n/a no such figure, as nobody is in the column or too few to work it out.",
    )


def test_who_was_not_asked_is_told_from_who_did_not_answer(survey: otter.Survey) -> None:
    table = survey.table("spend")
    asked = survey.responses.chosen_by('status == "complete" and times >= 1').sum()
    missing = next(note for note in table.notes if note.startswith("Left out"))
    assert f"not asked: {2400 - 72 - int(asked):,}" in missing and "missing code" in missing


@pytest.mark.parametrize(
    ("call", "message"),
    [
        (lambda s: s.table("likng"), "No question 'likng' in the codebook. Did you mean 'liking'?"),
        (lambda s: s.table("liking", banner="regoin"), "No question 'regoin' in the codebook. Did you mean 'region' or 'reasons'?"),
        (lambda s: s.table("liking", banner="age"), "banner: age is of kind number and cannot be a banner; cut it into bands in the codebook."),
        (lambda s: s.table("likes_open"), "question: likes_open is open text and cannot be tabulated; code it into answers first."),
        (lambda s: s.table("liking", levels=[0.95]), "levels: A confidence level is a percent from 50 up to, not including, 100; got 0.95. Write 95?"),
        (lambda s: s.table("liking", levels=[90, 95]), "levels: The stricter level comes first: write 95, 90."),
        (lambda s: s.table("liking", figures=["percent"]), "figures[0]: no figure 'percent'. Did you mean 'column percent'?"),
        (lambda s: s.filtered("age > 200"), "The filter keeps none of the 2,400 respondents: age > 200\nLook at the codes and labels of its questions with: eager-otter questions NAME"),
        (lambda s: s.weighted_by("wts"), "No weight column 'wts' in responses.csv. Did you mean 'wt'?"),
        (lambda s: s.table("liking").frame("quartile"), "No figure 'quartile' in table 'liking'. Known: unweighted base, weighted base, effective base, column percent, mean, letters."),
        (lambda s: s.table("liking", banner=["region"]).value("Fair", "Nort"), "No column 'Nort' in table 'liking'. Did you mean 'North'?"),
    ],
)  # fmt: skip
def test_requests_that_cannot_be_met_are_refused(
    survey: otter.Survey, call: Callable[[otter.Survey], object], message: str
) -> None:
    with pytest.raises(otter.OtterError) as error:
        call(survey)
    assert str(error.value) == message


def test_a_label_that_stands_in_two_groups_must_be_told_apart(small: Small) -> None:
    book = "questions:\n  a: {kind: single, label: One, answers: {1: X, 2: Y}}\n  b: {kind: single, label: Two, answers: {1: X, 2: Z}}\n"
    table = small(book, a=[1, 2, 1], b=[1, 1, 2]).table("a", banner=["a", "b"])
    with pytest.raises(
        otter.RequestError, match=r"Several columns are called 'X'; say which: One: X, Two: X."
    ):
        table.value("X", "X")
    assert table.value("X", "Two: X") == 50


def test_a_table_shows_itself_in_a_terminal_and_in_a_notebook(small: Small) -> None:
    survey = small(
        HAND.replace("How do you like it?", "Like <it> & *that*?"), area=[1, 2, 2], liking=[3, 1, 2]
    )
    table = survey.table("liking", banner="area")
    assert repr(table).splitlines()[0] == "Like <it> & *that*?"
    html = table._repr_html_()
    assert html is not None and "Like &lt;it&gt; &amp; *that*?" in html and "<it>" not in html
