"""A row that stands for several people says what as many rows would, wherever people are counted."""

from __future__ import annotations

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.audit.auditing import audit_plan
from eager_otter.codebook.reading import codebook_from_text
from eager_otter.data.overview import overview
from eager_otter.plan.plan import Plan
from laws import LAW_BOOK, QUESTIONS, law_columns, request_strategy

SHORT, LONG = (
    codebook_from_text(LAW_BOOK.replace("weight: wt\n", head)) for head in ("frequency: times\n", "")
)
some = settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
seeds = st.integers(0, 400)


def surveys(seed: int) -> tuple[otter.Survey, otter.Survey]:
    """The same people as rows that stand for several, and one by one."""
    columns = law_columns(seed, 90)
    times = np.random.default_rng(seed).integers(0, 4, 90)
    short = otter.open_survey(SHORT, pd.DataFrame(columns | {"times": times}))
    long = otter.open_survey(
        LONG, pd.DataFrame({name: np.repeat(values, times) for name, values in columns.items()})
    )
    return short, long


@some
@given(seeds, request_strategy())
def test_tables_and_their_notes_are_the_same(seed: int, request: otter.TableRequest) -> None:
    (one,), (other,) = (survey.tables([request]) for survey in surveys(seed))
    for line, same in zip(one.lines, other.lines, strict=True):
        assert (line.path, line.figure, line.letters, line.marks) == (
            same.path,
            same.figure,
            same.letters,
            same.marks,
        )
        np.testing.assert_allclose(line.values, same.values, rtol=1e-9, atol=1e-9, equal_nan=True)
    in_all_rows = "Not counted, as the codebook does not know them"  # these count rows, and say so
    notes = [[note for note in table.notes if not note.startswith(in_all_rows)] for table in (one, other)]
    assert notes[0] == notes[1]


@some
@given(seeds, st.sampled_from(QUESTIONS))
def test_the_look_at_a_question_counts_people(seed: int, question: str) -> None:
    short, long = surveys(seed)
    one, other = (overview(survey.responses, question) for survey in (short, long))
    assert (one.people, one.answered) == (other.people, other.answered)
    known = [
        [
            (answer.label, answer.people)
            for answer in found.answers
            if answer.note != "not in the codebook" and answer.people
        ]
        for found in (one, other)
    ]
    assert known[0] == known[1]
    assert [name for name, _ in one.summary] == [name for name, _ in other.summary]
    assert [value for _, value in one.summary] == pytest.approx([value for _, value in other.summary])


@some
@given(seeds)
def test_the_audit_counts_people(seed: int) -> None:
    found = []
    for survey, book in zip(surveys(seed), (SHORT, LONG), strict=True):
        plan = Plan(data="d.csv", codebook=book, requests=(), weight=None)  # type: ignore[arg-type]
        audit = audit_plan(plan, survey)
        counts = {(one.name, one.where): one.count for one in audit.slips if one.name != "columns left aside"}
        recodes = {
            (one.question, line.answer): (line.count, line.source)
            for one in audit.recodes
            for line in one.lines
        }
        found.append((audit.people, counts, recodes))
    assert found[0][0] == found[1][0]
    assert found[0][2] == found[1][2]
    shared = found[0][1].keys() & found[1][1].keys()
    assert {key: found[0][1][key] for key in shared if key[1] != "tried"} == {
        key: found[1][1][key] for key in shared if key[1] != "tried"
    }


def test_a_row_that_stands_for_nobody_is_nobody(seed: int = 3) -> None:
    book = codebook_from_text("frequency: n\nquestions:\n  q: {kind: single, answers: {1: Yes, 2: No}}\n")
    survey = otter.open_survey(book, pd.DataFrame({"q": [1, 2, 2], "n": [3, 0, 1]}))
    table = survey.table("q")
    assert table.people == 4 and table.value("Yes", "Total") == 75
    assert overview(survey.responses, "q").people == 4
    for wrong in ([1.5, 1, 1], [-1, 1, 1], [None, 1, 1]):
        with pytest.raises(otter.DataError, match="must be a whole number from 0 up"):
            otter.open_survey(book, pd.DataFrame({"q": [1, 2, 2], "n": wrong})).table("q")
