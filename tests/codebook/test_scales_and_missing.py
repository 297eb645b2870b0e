"""Answers without a score, scales whose best answer comes first, missing codes as ranges, what otherwise takes in."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.codebook.missing import Span, read_missing
from eager_otter.codebook.reading import codebook_from_text

Small = Callable[..., otter.Survey]
SCALE = """
questions:
  g: {kind: single, answers: {1: P, 2: Q}}
  q:
    kind: single
    scale: true
    answers: {1: Poor, 2: Fair, 3: Good, 8: {label: Don't know, score: none}, 9: {label: Refused, missing: true}}
    nets: [{top: 1}, {bottom: 1}, {label: Balance, difference: {plus: [3], minus: [1]}}]
"""
GIVEN = [1, 1, 2, 3, 3, 3, 8, 8, 9, None]


def test_an_answer_without_a_score_is_in_the_base_and_in_no_summary(small: Small) -> None:
    table = small(SCALE, g=[1] * 10, q=GIVEN).table(
        "q", figures=["column percent", "mean", "median", "standard deviation"]
    )
    scores = [1, 1, 2, 3, 3, 3]
    assert table.value("Base (unweighted)", "Total") == 8
    assert table.value("Don't know", "Total") == 25.0
    assert table.value("Mean", "Total") == pytest.approx(np.mean(scores))
    assert table.value("Median", "Total") == 2.5
    assert table.value("Standard deviation", "Total") == pytest.approx(np.std(scores, ddof=1))
    assert table.value("Top one", "Total") == pytest.approx(
        100 * 3 / 8
    )  # top and bottom keep the question's base
    assert table.value("Balance", "Total") == pytest.approx(
        100 * (3 - 2) / 6
    )  # a difference has that of the scores
    assert "Means and other figures of scores rest on the 6 whose answer has a score." in table.notes
    assert any(note.startswith("Balance rests on the 6 whose answer has a score") for note in table.notes)
    assert "In the base, without a score: Don't know." in table.notes


def test_an_answer_without_a_score_can_be_tested_like_any_other(small: Small) -> None:
    q = [8] * 40 + [1, 2, 3] * 20 + [8] * 5 + [1, 2, 3] * 32
    table = small(SCALE, g=[1] * 100 + [2] * 101, q=q).table("q", banner="g")
    assert table.line("Don't know").letters == ("", "B", "")


@pytest.mark.parametrize(
    ("answer", "message"),
    [
        (
            "{label: Don't know, score: nothing}",
            "score: expected a number, or none for an answer without a score; found 'nothing'.",
        ),
        (
            "{label: Don't know, score: true}",
            "score: expected a number, or none for an answer without a score; found True.",
        ),
    ],
)
def test_any_other_word_for_a_score_is_a_mistake(answer: str, message: str) -> None:
    with pytest.raises(otter.DocumentError) as error:
        codebook_from_text(
            f"questions:\n  q: {{kind: single, scale: true, answers: {{1: A, 2: B, 8: {answer}}}}}\n"
        )
    assert message in str(error.value)


def test_scores_that_nothing_uses_are_mistakes() -> None:
    for score in ("3", "none"):
        with pytest.raises(otter.DocumentError, match="'1' has a score, which only a scale uses"):
            codebook_from_text(
                f"questions:\n  q: {{kind: single, answers: {{1: {{label: A, score: {score}}}, 2: B}}}}\n"
            )
    with pytest.raises(
        otter.DocumentError, match="has no score, so it belongs to neither side of a difference"
    ):
        codebook_from_text(SCALE.replace("minus: [1]", "minus: [8]"))
    with pytest.raises(otter.DocumentError, match="none of its answers has a score"):
        codebook_from_text(
            "questions:\n  q: {kind: single, scale: true, answers: {1: {label: A, score: none}}}\n"
        )


def test_a_scale_whose_best_answer_comes_first_turns_top_and_bottom_and_keeps_its_scores(
    small: Small,
) -> None:
    book = """
    questions:
      q:
        kind: single
        scale: best first
        answers: {1: Very good, 2: Good, 3: Fair, 4: Poor, 5: Very poor}
        nets: [{top: 2}, {bottom: 1}]
      m: {merge: {of: q, answers: {Fine: [1, 2], Not fine: [3, 4, 5]}}, scale: best first, nets: [{top: 1}]}
    """
    survey = small(book, q=[1, 1, 2, 5, 4, 3])
    table = survey.table("q")
    assert table.value("Top two", "Total") == pytest.approx(50.0)
    assert table.value("Bottom one", "Total") == pytest.approx(100 / 6)
    assert table.value("Mean", "Total", "mean") == pytest.approx(np.mean([1, 1, 2, 5, 4, 3]))
    assert survey.table("m").value("Top one", "Total") == pytest.approx(50.0)
    with pytest.raises(otter.DocumentError, match="scale: expected true, false or 'best first'"):
        codebook_from_text("questions:\n  q: {kind: single, scale: worst first, answers: {1: A, 2: B}}\n")


def test_long_codes_given_as_numbers_keep_their_digits() -> None:
    """Ids of a panel: as decimal numbers, two of them would be one code."""
    first, second = 12345678901234567, 12345678901234568
    of_one = {
        "kind": "single",
        "answers": {first: "A", second: "B"},
        "nets": [{"label": "N", "of": [second]}],
    }
    book = otter.codebook_of({"questions": {"q": of_one}})
    assert [answer.code for answer in book.question("q").answers] == [str(first), str(second)]
    table = otter.open_survey(book, pd.DataFrame({"q": [first, second, second]})).table(
        "q", figures=["count"]
    )
    assert [table.value(row, "Total", "count") for row in ("A", "B", "N")] == [1, 2, 2]
    with pytest.raises(otter.RequestError, match="hundreds of digits stands for no text"):
        otter.codebook_of({"questions": {"q": {"kind": "single", "answers": {10**5000: "A"}}}})
    with pytest.raises(otter.DocumentError, match="hundreds of digits stands for no text"):
        otter.codebook_of({"questions": {"q": {**of_one, "nets": [{"label": "N", "of": [10**5000]}]}}})


def test_missing_codes_of_numbers_and_dates_are_codes_ranges_and_comparisons(small: Small) -> None:
    book = """
    questions:
      n: {kind: number, missing: [99, "300..9999", ">= 100000", "< 0"]}
      d: {kind: date, missing: ["1900-01-01..1999-12-31", "> 2030-01-01", "unknown"]}
      s: {kind: single, answers: {1: A, 2: B, 96: Other}, missing: ["97..99"]}
      m: {kind: multi, mentions: [m_1, m_2], answers: {1: A, 2: B}, missing: ["90..99"]}
    """
    survey = small(
        book,
        n=[1, 99, 300, 299.5, 9999, 100000, -1, 10000],
        d=[
            "2026-01-01",
            "1950-06-01",
            "2031-01-01",
            "unknown",
            "2000-01-01",
            None,
            "2030-01-01",
            "2026-01-01",
        ],
        s=[1, 97, 99, 2, 96, None, 1, 1],
        m_1=[1, 90, 99, None, 2, 1, 1, 1],
        m_2=[None, None, 1, None, 91, None, None, None],
    )
    kept = [k for k in range(8) if not np.isnan(survey.responses.answers("n").values[k])]  # type: ignore[union-attr]
    assert kept == [0, 3, 7]
    days = survey.responses.answers("d").values  # type: ignore[union-attr]
    assert (~np.isnan(days)).tolist() == [True, False, False, False, True, False, True, True]
    assert "Left out of the base: 3 (missing code 97..99: 2; blank: 1)." in survey.table("s").notes
    assert "Left out of the base: 2 (missing code 90..99: 1; blank: 1)." in survey.table("m").notes
    assert survey.table("m").value("A", "Total", "column percent") == pytest.approx(100 * 5 / 6)


@pytest.mark.parametrize(
    ("kind", "entry", "message"),
    [
        (
            "number",
            "100+",
            "missing: '100+' can match no number; write a code (99), a range (300..9999), a comparison ('>= 100') or a text as it stands ('= <1').",
        ),
        ("number", "1-5", "missing: '1-5' can match no number;"),
        ("number", "5..x", "missing: 'x' is not a number;"),
        ("number", "9..1", "missing: the range '9..1' runs backwards; write the smaller end first."),
        ("number", ">= soon", "missing: 'soon' is not a number;"),
        ("date", "2026-01-01..soon", "missing: 'soon' is not a day;"),
        (
            "single",
            ">= 97",
            "missing: '>= 97' is a comparison, which only numbers and dates can have; name the codes.",
        ),
    ],
)
def test_what_can_match_nothing_of_its_kind_is_a_mistake(kind: str, entry: str, message: str) -> None:
    answers = ", answers: {1: A, 2: B}" if kind == "single" else ""
    with pytest.raises(otter.DocumentError) as error:
        codebook_from_text(f'questions:\n  q: {{kind: {kind}{answers}, missing: ["{entry}"]}}\n')
    assert message in str(error.value)


def test_the_codebooks_own_list_goes_to_the_kinds_it_fits(small: Small) -> None:
    book = 'missing: [98, ">= 900"]\nquestions:\n  n: {kind: number}\n  s: {kind: single, answers: {1: A}}\n'
    survey = small(book, n=[1, 98, 950], s=[1, 98, 950])
    assert np.isnan(survey.responses.answers("n").values).tolist() == [False, True, True]  # type: ignore[union-attr]
    assert "(missing code 98: 1; code unknown to the codebook: 1)" in " ".join(survey.table("s").notes)
    with pytest.raises(otter.DocumentError, match="'x' is not a number"):
        codebook_from_text('missing: ["5..x"]\nquestions:\n  n: {kind: number}\n')


@given(
    st.floats(-1e6, 1e6),
    st.floats(-1e6, 1e6),
    st.floats(-1e6, 1e6),
    st.sampled_from(["", ">", ">=", "<", "<="]),
)
def test_a_span_holds_what_it_says(one: float, other: float, value: float, sign: str) -> None:
    low, high = sorted((one, other))
    text = f"{sign} {low!r}" if sign else f"{low!r}..{high!r}"
    found, mistakes = read_missing([text], "number")
    assert not mistakes
    (span,) = found.spans
    expected = {
        "": low <= value <= high,
        ">": value > low,
        ">=": value >= low,
        "<": value < low,
        "<=": value <= low,
    }[sign]
    assert span.holds(np.array([value, np.nan])).tolist() == [expected, False]
    assert (found.span_of(value) is not None) == expected
    assert isinstance(span, Span) and found.names == (text,)


def test_otherwise_takes_those_who_answered_a_question_of_its_rules(small: Small) -> None:
    book = """
    questions:
      age: {kind: number}
      brand: {kind: single, answers: {1: Tarn, 2: Skerrow, 9: {label: Refused, missing: true}}}
      kind: {derive: {Young: age < 30, Tarn drinker: brand == 1, Other: otherwise}}
      all: {derive: {Young: age < 30, Tarn drinker: brand == 1, Other: everyone else}}
    """
    survey = small(book, age=[20, 40, 50, None, None, None], brand=[2, 1, 2, 2, 9, None])
    table = survey.table("kind")
    assert table.value("Base (unweighted)", "Total") == 4 and table.value("Other", "Total") == 50.0
    assert "Left out of the base: 2 (Refused: 1; blank: 1)." in table.notes
    everybody = survey.table("all")
    assert everybody.value("Base (unweighted)", "Total") == 6
    assert everybody.value("Other", "Total") == pytest.approx(100 * 4 / 6)
    with pytest.raises(
        otter.DocumentError, match="'otherwise' takes those who are left, so it must come last"
    ):
        codebook_from_text("questions:\n  n: {kind: number}\n  k: {derive: {A: otherwise, B: n > 1}}\n")
    with pytest.raises(otter.DocumentError, match="Write 'everyone else' for everybody"):
        codebook_from_text("questions:\n  k: {derive: {A: otherwise}}\n")


@pytest.mark.parametrize(
    ("question", "message"),
    [
        ("{kind: multi, mentions: [a], answers: {1: A}, ticked: [1]}", "ticked and unticked go with columns"),
        ("{kind: single, answers: {1: A, 2: B}, nets: [{label: X, top: 1, at least: 2}]}", "'how' and 'at least' go with of"),
        ("{kind: single, answers: {1: A, 2: B}, nets: [{label: X, how: all, difference: {plus: [1], minus: [2]}}]}", "'how' and 'at least' go with of"),
        ("{compute: {mentions: m, at least: 1}}", "'at least' says how many of several questions must have a value"),
        ("{compute: {sum: [n], at least: 2}}", "at least: 2 of 1 questions can never have a value"),
        ("{periods: {of: d, ranges: {A: 2026-01-01..2026-01-02}, from: 2026-01-01}}", "ranges say which days there are"),
        ("{bands: {of: n, equal: 3, labels: [Low, High]}}", "2 labels for 3 bands; give one for each"),
        ("{kind: ranking, columns: {r_1: A, r_2: B}}", "top: 3 of 2 answers are all of them"),
    ],
)  # fmt: skip
def test_settings_of_a_codebook_that_would_do_nothing_are_mistakes(question: str, message: str) -> None:
    others = "  n: {kind: number}\n  d: {kind: date}\n  m: {kind: multi, columns: {t: T}}\n"
    with pytest.raises(otter.DocumentError) as error:
        codebook_from_text(f"questions:\n{others}  q: {question}\n")
    assert message in str(error.value)


def test_bands_of_equal_size_take_labels(small: Small) -> None:
    book = "questions:\n  n: {kind: number}\n  b: {bands: {of: n, equal: 2, labels: [Low, High]}}\n"
    table = small(book, n=[1, 2, 3, 4]).table("b")
    assert [line.label for line in table.body] == ["Low", "High"]
