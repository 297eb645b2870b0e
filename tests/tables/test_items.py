"""Items of the same people: each letter belongs to the two figures printed, whatever bases they stand on."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from independent import item_mean_test, item_share_test

Small = Callable[..., otter.Survey]
BOOK = """
questions:
  a: {kind: single, scale: true, label: First, answers: {1: No, 2: Yes}}
  b: {kind: single, scale: true, label: Second, answers: {1: No, 2: Yes}}
"""


def test_a_letter_never_stands_on_28_percent_beside_52(small: Small) -> None:
    # 300 answered only the first (mostly yes), 100 both: of these more said yes to the second
    a = [2] * 180 + [1] * 120 + [2] * 28 + [1] * 72
    b = [None] * 300 + [2] * 45 + [1] * 55
    table = small(BOOK, a=a, b=b).items_table(["a", "b"], shape="answers by items")
    first, second = table.value("Yes", "First"), table.value("Yes", "Second")
    assert (round(first), round(second)) == (52, 45)
    line = table.line("Yes", "column percent")
    assert [
        text for text, value in zip(line.letters, line.values, strict=True) if value < max(line.values)
    ] == [""]
    (test,) = table.explain("Yes", "First").tests
    people = [
        (1.0, None if x is None else float(x == 2), None if y is None else float(y == 2))
        for x, y in zip(a, b, strict=True)
    ]
    gap, z, p = item_share_test(people)
    assert test.difference == pytest.approx(100 * gap) and test.statistic == pytest.approx(z)
    assert test.p_value == pytest.approx(p) and test.shared == 100
    assert test.error == pytest.approx(100 * gap / z) and test.error > 0
    complete = small(BOOK, a=a, b=b).items_table(
        ["a", "b"], shape="answers by items", base="complete answers"
    )
    assert complete.value("Yes", "First") == 28.0 and complete.value("Base (unweighted)", "First") == 100
    assert complete.line("Yes", "column percent").letters == ("", "A")


@given(st.integers(0, 10_000), st.floats(0.05, 0.95), st.integers(12, 60))
def test_items_agree_with_a_loop_over_people_whatever_they_left_out(
    seed: int, share: float, people: int
) -> None:
    rng = np.random.default_rng(seed)
    import pandas as pd

    from eager_otter.codebook.reading import codebook_from_text

    columns = {
        name: rng.choice([1, 2, np.nan], people, p=[0.9 * share, 0.9 * (1 - share), 0.1]) for name in "ab"
    }
    for name in "ab":
        columns[name][:2] = [1, 2]  # both items have both answers
    columns["w"] = rng.uniform(0.2, 3, people)
    survey = otter.open_survey(codebook_from_text("weight: w" + BOOK), pd.DataFrame(columns))
    table = survey.items_table(["a", "b"], shape="answers by items", levels=[50])
    given_ = [[None if np.isnan(v) else float(v) for v in columns[name]] for name in "ab"]
    pairs = list(zip(columns["w"].tolist(), *given_, strict=True))
    evidence = table.line("Yes", "column percent").evidence
    assert evidence is not None and evidence.tested is not None
    _, z, p = item_share_test(
        [(w, *(None if v is None else float(v == 2) for v in pair)) for w, *pair in pairs]
    )
    assert evidence.tested.tests.statistic[evidence.row, 0] == pytest.approx(z, abs=1e-8, nan_ok=True)
    assert evidence.tested.p_value[evidence.row, 0] == pytest.approx(p, abs=1e-8, nan_ok=True)
    mean = table.line("Mean").evidence
    assert mean is not None and mean.tested is not None
    assert mean.tested.p_value[0, 0] == pytest.approx(item_mean_test(pairs)[2], abs=1e-8)


def test_numbers_side_by_side_are_tested_on_their_own_bases(small: Small) -> None:
    book = "questions:\n  a: {kind: number, label: Then}\n  b: {kind: number, label: Now}\n"
    rng = np.random.default_rng(3)
    a = np.where(rng.random(80) < 0.2, np.nan, 1e7 + rng.normal(0, 2, 80))
    b = np.where(rng.random(80) < 0.3, np.nan, 1e7 + 1 + rng.normal(0, 2, 80))
    table = small(book, a=a, b=b).items_table(
        ["a", "b"], shape="answers by items", figures=["mean", "confidence interval"]
    )
    people = [
        (1.0, None if np.isnan(x) else float(x), None if np.isnan(y) else float(y))
        for x, y in zip(a, b, strict=True)
    ]
    (test,) = table.explain("Mean", "Then").tests
    gap, t, p = item_mean_test(people)
    assert (test.difference, test.statistic, test.p_value) == pytest.approx((gap, t, p), rel=1e-6)
    assert test.low is not None and test.high is not None and test.low < test.difference < test.high


def test_nets_that_not_all_items_have_are_named_not_shown(small: Small) -> None:
    book = """
    questions:
      a: {kind: single, scale: true, answers: {1: Low, 2: Middle, 3: High}, nets: [{top: 2}, {label: Ends, of: [1, 3]}]}
      b: {kind: single, scale: true, answers: {1: Low, 2: Middle, 3: High}, nets: [{label: Gap, difference: {plus: [3], minus: [1]}}, {top: 2}]}
      c: {kind: single, scale: true, answers: {1: {label: Low, score: 5}, 2: Middle, 3: High}}
    """
    survey = small(book, a=[1, 2, 3, 3, 2], b=[2, 2, 3, 1, None], c=[1, 2, 3, 1, 2])
    table = survey.items_table(["a", "b"], shape="answers by items")
    labels = [line.label for line in table.body if line.figure == "column percent"]
    assert labels == ["Low", "Middle", "High", "Top two"]
    assert "Not shown, as not all items have them alike: Ends, Gap." in table.notes
    with pytest.raises(otter.RequestError, match="c has other scores than a"):
        survey.items_table(["a", "c"], shape="answers by items")


def test_complete_answers_are_for_tables_of_several_questions(survey: otter.Survey) -> None:
    with pytest.raises(otter.RequestError, match="base: complete answers is for tables of several questions"):
        survey.table("liking", base="complete answers")


def test_rows_of_stacked_questions_are_found_by_question_and_label(survey: otter.Survey) -> None:
    table = survey.items_table(
        ["liking", "preference.top2", "recommend"], by="wave", shape="one under another"
    )
    with pytest.raises(otter.RequestError) as error:
        table.value("Base (unweighted)", "Total")
    assert "say which: 'liking: Base (unweighted)', " in str(error.value)
    means = [table.value(f"{name}: Mean", "Total", "mean") for name in ("liking", "recommend")]
    assert means == pytest.approx(
        [survey.table(name).value("Mean", "Total", "mean") for name in ("liking", "recommend")]
    )
    assert table.explain("recommend: Mean", "Spring").value == pytest.approx(
        table.value("recommend: Mean", "Spring")
    )
    records = table.frame(None)
    keys = records[records.figure == "mean"][["question", "row", "group", "column"]]
    assert not keys.duplicated().any() and set(keys.question) == {"liking", "recommend"}
    request = otter.TableRequest(
        question="x", items=otter.Items(questions=("liking", "recommend"), shape="one under another")
    )
    found = [survey.people(request, f"{name}: Mean", "Total").size for name in ("liking", "recommend")]
    assert found == [
        int(survey.table(name).line("Mean").evidence.base.n[0, 0]) for name in ("liking", "recommend")
    ]  # type: ignore[union-attr]
