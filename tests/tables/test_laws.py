"""Laws over random surveys and random tables: no wrong mark, nothing left untested in silence, everybody accounted for."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.codebook.reading import codebook_from_text
from eager_otter.core.letters import alpha_of
from eager_otter.tables.comparing import NOWHERE
from eager_otter.tables.table import Line, Table
from eager_otter.tables.testing import HIGHER, HIGHER_LAX, LOWER, LOWER_LAX
from laws import LAW_BOOK, law_columns, request_strategy

BOOK = codebook_from_text(LAW_BOOK)
many = settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
seeds = st.integers(0, 400)


def survey_of(seed: int, people: int = 260) -> otter.Survey:
    return otter.open_survey(BOOK, pd.DataFrame(law_columns(seed, people)))


def table_of(seed: int, request: otter.TableRequest) -> Table:
    (table,) = survey_of(seed).tables([request])
    return table


def marked(table: Table) -> Iterator[tuple[Line, int, str]]:
    """Every cell that carries letters or a mark: line, place among the columns shown, text."""
    for line in table.lines:
        for place, text in enumerate(line.letters):
            if text:
                yield line, place, text


def columns_named(table: Table, text: str) -> list[int]:
    """The places among the columns counted that some letters name."""
    by_letter = {column.letter: k for k, column in enumerate(table.counted) if column.letter}
    two = any(len(letter) > 1 for letter in by_letter)
    return [by_letter[part.upper()] for part in (text.split() if two else text)]


@many
@given(seeds, request_strategy())
@pytest.mark.slow
def test_no_letter_stands_on_the_lower_and_no_mark_on_the_wrong_side(
    seed: int, request: otter.TableRequest
) -> None:
    table = table_of(seed, request)
    for line, place, text in marked(table):
        assert line.evidence is not None and line.evidence.tested is not None
        assert line.figure in {
            "column percent",
            "count",
            "unweighted count",
            "mean",
            "mean mentions",
            "difference",
        }
        value = line.values[place]
        column = table.columns[place]
        if set(text) <= {HIGHER, LOWER, HIGHER_LAX, LOWER_LAX}:
            assert column.difference is None or (value > 0) == (text in (HIGHER, HIGHER_LAX))
            name = column.letter or column.path
            for test in table.explain(line.path, name, line.figure).tests:
                assert test.mark.startswith("higher") == (text in (HIGHER, HIGHER_LAX))
                assert test.figure is not None and test.other_figure is not None
                assert (test.figure > test.other_figure) == (text in (HIGHER, HIGHER_LAX))
            continue
        printed = line.evidence.figures()
        own = table.columns[place].number
        for other in columns_named(table, text):
            assert printed[own] > printed[other]
            if line.figure == "column percent" and other in (
                shown := [column.number for column in table.columns]
            ):
                assert value > line.values[shown.index(other)]  # and of what is printed in the two cells


@many
@given(seeds, request_strategy())
@pytest.mark.slow
def test_every_comparison_was_made_or_is_excused_by_a_note(seed: int, request: otter.TableRequest) -> None:
    table = table_of(seed, request)
    notes = " ".join(table.notes)
    carrying = [
        line for line in table.lines if line.evidence is not None and line.evidence.tested is not None
    ]
    for line in carrying:
        evidence, tested = line.evidence, line.evidence.tested  # type: ignore[union-attr]
        assert evidence is not None and tested is not None
        undecided = tested.undecided(evidence.row)
        for k, (a, b) in enumerate(tested.comparisons.pairs.tolist()):
            if tested.idle[k] or not np.isnan(tested.p_value[evidence.row, k]):
                continue
            if undecided[k]:
                assert "could not be tested" in notes
                continue
            at = int(tested.comparisons.at[k])
            signs = {
                table.columns[p].path: line.marks[p]
                for p in range(len(table.columns))
                if table.columns[p].number in (a, b)
            }
            thin = {path for path, mark in signs.items() if mark in ("not tested", "withheld")}
            named = at != NOWHERE and table.counted[at].path in notes
            assert (thin and ("not tested" in notes)) or named, (
                line.label,
                table.counted[a].path,
                table.counted[b].path,
            )
    if table.groups and request.levels and not carrying:
        assert "Nothing in this table is tested." in notes or "No tests" in notes


@many
@given(seeds, request_strategy())
@pytest.mark.slow
def test_a_mark_says_what_its_p_value_says(seed: int, request: otter.TableRequest) -> None:
    table = table_of(seed, request)
    for line in table.lines:
        evidence = line.evidence
        if evidence is None or evidence.tested is None or not any(line.letters):
            continue
        tested = evidence.tested
        p, statistic = tested.adjusted[evidence.row], tested.tests.statistic[evidence.row]
        expected: dict[int, set[int]] = {}
        for k, (a, b) in enumerate(tested.comparisons.pairs.tolist()):
            if int(tested.comparisons.at[k]) == NOWHERE and p[k] <= alpha_of(table.levels[-1]):
                high, low = (a, b) if statistic[k] > 0 else (b, a)
                expected.setdefault(high, set()).add(low)
        for place, text in enumerate(line.letters):
            if not set(text) & {HIGHER, LOWER, HIGHER_LAX, LOWER_LAX}:
                assert set(columns_named(table, text)) == expected.get(table.columns[place].number, set())


@many
@given(
    seeds,
    st.sampled_from(
        ["wave", "area", "tried", "glasses", "band", "liking", "again", "both", "kind_of", "any_kind"]
    ),
    st.booleans(),
)
@pytest.mark.slow
def test_the_reasons_add_up_to_everybody_left_out(seed: int, question: str, everyone: bool) -> None:
    survey = survey_of(seed)
    base = "all" if everyone and question != "glasses" else "answered"
    banner = otter.Banner(groups=(otter.BannerGroup(question="area"), otter.BannerGroup(question="tried")))
    wanted = otter.TableRequest(
        shows=otter.OneQuestion(question), banner=banner, base=base, reason_rows=base == "all", levels=()
    )
    (table,) = survey.tables([wanted])
    people = int(table.value("Base (unweighted)", "Total"))
    told = [note for note in table.notes if note.startswith(("Left out of the base", "No answer ("))]
    counts = [
        int(part.rsplit(": ", 1)[1])
        for note in told
        for part in note.split("(", 1)[1].rstrip(").").split("; ")
    ]
    if base == "answered":
        assert people + sum(counts) == 260
        return
    assert people == 260
    answers = survey.responses.reasons(question)
    assert sum(counts) == int((answers.codes != 0).sum())
    rows = [
        line for line in table.lines if line.label.startswith("No answer") and line.figure == "column percent"
    ]
    assert len(rows) == len(counts)
    shown = [100 * float(line.evidence.sums.n[line.evidence.row, 0]) / people for line in rows]  # type: ignore[union-attr]
    assert sum(shown) == pytest.approx(100 * sum(counts) / people)


@many
@given(
    seeds,
    st.sampled_from(["wave", "liking", "band", "tried"]),
    st.sampled_from(["area", "tried", "band", "both", "kind_of"]),
)
@pytest.mark.slow
def test_whoever_is_in_no_column_of_a_group_is_told_with_the_reason(
    seed: int, question: str, group: str
) -> None:
    survey = survey_of(seed)
    table = survey.table(question, banner=group, levels=())
    data = pd.DataFrame(law_columns(seed, 260))
    told = [note for note in table.notes if note.startswith("In no column of")]
    inside = survey.responses.reasons(group).codes == 0
    if group == "tried":  # answered, but ticked nothing: an answer without a column
        inside = np.logical_or.reduce([data[f"t_{k}"] == 1 for k in (1, 2, 3)]) & inside
    base = survey.responses.reasons(question).codes == 0
    outside = int((base & ~inside).sum())
    assert len(told) == (outside > 0)
    if outside:
        head, _, reasons = told[0].partition(" (")
        assert head.endswith(f": {outside}")
        assert sum(int(part.rsplit(": ", 1)[1]) for part in reasons.rstrip(").").split("; ")) == outside


@given(seeds, request_strategy())
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@pytest.mark.slow
def test_tables_made_together_are_those_made_alone(seed: int, request: otter.TableRequest) -> None:
    """What decides that tables may be counted together follows from what the count reads."""
    survey = survey_of(seed)
    variants = [request]
    variants.append(
        otter.TableRequest(shows=otter.OneQuestion("liking"), banner=request.banner, filter="glasses >= 2")
    )
    variants.append(
        otter.TableRequest(
            shows=otter.OneQuestion("liking"), banner=request.banner, tests=otter.TestRules(against="rest")
        )
    )
    variants.append(
        otter.TableRequest(shows=otter.OneQuestion("liking"), banner=request.banner, base="wave in (1, 3, 4)")
    )
    for together, wanted in zip(survey.tables(variants), variants, strict=True):
        (alone,) = survey.tables([wanted])
        assert [(line.path, line.figure, line.letters) for line in together.lines] == [
            (line.path, line.figure, line.letters) for line in alone.lines
        ]
        for one, other in zip(together.lines, alone.lines, strict=True):
            np.testing.assert_array_equal(one.values, other.values)  # to the last bit
        assert together.notes == alone.notes


Small = Callable[..., otter.Survey]


def test_reasons_have_one_order_and_each_its_own_words(small: Small) -> None:
    book = """
    missing: [98]
    questions:
      went: {kind: single, answers: {1: "Yes", 2: "No"}}
      why:
        kind: multi
        asked: went == 1
        mentions: [w_1, w_2]
        answers: {1: Taste, 2: Price, 99: {label: Refused, missing: true}}
    """
    # not asked goes before all; a missing code before an unknown one before a blank, whichever column holds which
    survey = small(
        book,
        went=[2, 2, 1, 1, 1, 1, 1],
        w_1=[None, 99, 7, 99, None, 98, 1],
        w_2=[98, None, 99, None, None, 7, 7],
    )
    table = survey.table("why", base="all")
    assert "No answer (not asked: 2; Refused: 2; missing code 98: 1; blank: 1)." in table.notes


def test_every_reason_for_no_answer_is_told_in_its_own_words(small: Small) -> None:
    book = """
    questions:
      age: {kind: number, missing: [99, ">= 200"]}
      band: {bands: {of: age, ranges: [18-24, 25-34]}}
      day: {kind: date, missing: ["< 2000-01-01"]}
      month: {periods: {of: day, by: month, from: 2026-03-01, to: 2026-03-31}}
      brand: {kind: single, answers: {1: Tarn, 2: Skerrow, 3: Mirrowell}}
      two: {merge: {of: brand, answers: {Tarn: [1], Skerrow: [2]}}}
      rule: {derive: {Young: age < 25, Tarn drinker: brand == 1}}
    """
    survey = small(
        book,
        age=[20, 30, 50, 99, 300, None],
        day=["2026-03-02", "2026-05-01", "1999-12-31", None, "2026-03-09", "2026-03-10"],
        brand=[1, 3, 3, 3, None, None],
    )
    told = {
        name: " ".join(n for n in survey.table(name).notes if "Left out" in n)
        for name in ("age", "band", "month", "two", "rule")
    }
    assert told == {
        "age": "Left out of the base: 3 (missing code 99: 1; missing code >= 200: 1; blank: 1).",
        "band": "Left out of the base: 4 (missing code 99: 1; missing code >= 200: 1; in no band or period: 1; blank: 1).",
        "month": "Left out of the base: 3 (missing code < 2000-01-01: 1; in no band or period: 1; blank: 1).",
        "two": "Left out of the base: 5 (in no answer of the merge or rule: 3; blank: 2).",
        "rule": "Left out of the base: 5 (missing code >= 200: 1; in no answer of the merge or rule: 3; blank: 1).",
    }


def test_a_row_for_each_reason_can_be_asked_for_and_hidden(small: Small) -> None:
    book = "questions:\n  q: {kind: single, answers: {1: A, 2: B, 9: {label: Refused, missing: true}}}\n  g: {kind: single, answers: {1: P, 2: Q}}\n"
    survey = small(book, q=[1, 2, 9, 9, None, 1, 1, 2], g=[1, 1, 1, 2, 2, 2, 2, 2])
    wanted = otter.TableRequest(
        shows=otter.OneQuestion("q"),
        banner=otter.Banner(groups=(otter.BannerGroup(question="g"),)),
        base="all",
        reason_rows=True,
    )
    (table,) = survey.tables([wanted])
    assert [line.label for line in table.body] == ["A", "B", "No answer: Refused", "No answer: blank"]
    assert table.value("No answer: Refused", "P") == pytest.approx(100 / 3)
    assert table.value("No answer: Refused", "Total") == 25.0
    assert sum(table.frame("column percent")["", "Total"]) == pytest.approx(100)
    for hide, left in (
        (("No answer",), ["A", "B"]),
        (("No answer: blank",), ["A", "B", "No answer: Refused"]),
    ):
        (hidden,) = survey.tables(
            [
                otter.TableRequest(
                    shows=otter.OneQuestion("q"), base="all", reason_rows=True, rows=otter.RowRules(hide=hide)
                )
            ]
        )
        assert [line.label for line in hidden.body] == left
        assert any(note.startswith("Not shown, but in the base: No answer") for note in hidden.notes)
    with pytest.raises(otter.RequestError, match="need base: all"):
        otter.TableRequest(shows=otter.OneQuestion("q"), reason_rows=True)
