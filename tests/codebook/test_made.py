"""Questions made from others, nets of every sort, rankings, dates, included files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

import eager_otter as otter
from conftest import message_of
from eager_otter.tables.texts import cell_text

Small = Callable[..., otter.Survey]
Write = Callable[..., Path]
NAN = np.nan


def counts(survey: otter.Survey, name: str) -> dict[str, float]:
    table = survey.table(name, figures=["count"])
    return {line.label: line.values[0] for line in table.body if line.figure == "count"}


MADE = """
questions:
  region: {kind: single, answers: {1: North, 2: East, 3: South, 9: {label: None, missing: true}}}
  age: {kind: number}
  tried: {kind: multi, columns: {t_1: Tarn, t_2: Brookfizz, t_9: {label: None, exclusive: true}}}
  seen: {kind: multi, columns: {s_1: Brookfizz, s_2: Skerrow, s_9: {label: None, exclusive: true}}}
  a: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: {label: Good, score: 5}}}
  b: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good, 8: {label: Unsure, missing: true}}}
  half: {merge: {of: region, answers: {Upper: [North], Lower: [2, 3]}}}
  north: {merge: {of: region, answers: {North: [1]}, rest: All others}}
  any_tried: {merge: {of: tried, answers: {Any: [Tarn, Brookfizz], None: [None]}}}
  known: {combine: [tried, seen]}
  thirds: {bands: {of: age, equal: 3}}
  total: {compute: {sum: [a, b]}}
  both: {compute: {mean: [a, b], at least: 2}}
  best: {compute: {largest: [a, age]}}
  goods: {compute: {count: [a, b], answers: [Good]}}
  tried_n: {compute: {mentions: tried}}
  older: {merge: {of: thirds, answers: {Oldest: [3]}, rest: Younger}}
"""
ROWS = {
    "region": [1, 2, 3, 9, NAN, 1],
    "age": [10, 20, 30, 40, 50, NAN],
    "t_1": [1, 1, 0, 0, NAN, 0], "t_2": [1, 0, 0, 0, NAN, 1], "t_9": [0, 0, 1, 0, NAN, 0],
    "s_1": [0, 1, 0, 0, 1, NAN], "s_2": [0, 0, 0, 1, 0, NAN], "s_9": [1, 0, 1, 0, 0, NAN],
    "a": [1, 2, 3, 3, NAN, 1], "b": [3, 3, 8, 3, 1, NAN],
}  # fmt: skip


def test_made_questions_counted_by_hand(small: Small) -> None:
    survey = small(MADE, **ROWS)
    assert counts(survey, "half") == {"Upper": 2, "Lower": 2}
    assert counts(survey, "north") == {"North": 2, "All others": 2}
    assert counts(survey, "any_tried") == {"Any": 3, "None": 1}
    assert survey.table("any_tried").lines[0].values[0] == 5
    # None of one battery does not stand beside a mention of the other
    assert counts(survey, "known") == {"Tarn": 2, "Brookfizz": 4, "None": 1, "Skerrow": 1}
    assert counts(survey, "thirds") == {"1 of 3 (lowest)": 2, "2 of 3": 2, "3 of 3 (highest)": 1}
    assert counts(survey, "older") == {"Oldest": 1, "Younger": 4}
    values = {
        name: survey.responses.answers(name).values.tolist()
        for name in ("total", "both", "best", "goods", "tried_n")
    }  # type: ignore[union-attr]
    assert values["total"] == [4, 5, 5, 8, 1, 1]
    np.testing.assert_array_equal(values["both"], [2, 2.5, NAN, 4, NAN, NAN])
    assert values["best"] == [10, 20, 30, 40, 50, 1]
    np.testing.assert_array_equal(values["goods"], [1, 1, 1, 2, 0, 0])
    np.testing.assert_array_equal(values["tried_n"], [2, 1, 0, 0, NAN, 1])


def test_mistakes_in_made_questions_are_told_at_their_places(write: Write, tmp_path: Path) -> None:
    path = write(
        "book.yaml",
        """\
        questions:
          q: {kind: single, answers: {1: One, 2: Two}}
          n: {kind: number}
          a: {merge: {of: q, answers: {X: [1, 7], Y: [1]}}}
          b: {merge: {of: qq, answers: {X: [1]}}}
          c: {compute: {sum: [n, q]}}
          d: {compute: {sum: [n], mean: [n]}}
          e: {periods: {of: n, by: month, from: 2026-01-01, to: 2026-02-01}}
          f: {merge: {of: g, answers: {X: [1]}}}
          g: {merge: {of: f, answers: {X: [1]}}}
        """,
    )
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(path)
    lines = [line for line in message_of(error, tmp_path).splitlines() if line.startswith("book")]
    assert lines == [
        "book.yaml:4:39: q has no answer '7'. Known: One, Two.",
        "book.yaml:4:47: '1' is already in 'X'.",
        "book.yaml:5:19: No question 'qq'. Did you mean 'q'?",
        "book.yaml:6:26: the sum is of numbers and scales; q is of kind single.",
        lines[4],
        "book.yaml:8:21: only a date can be put into periods; n is of kind number.",
        "book.yaml:9:3: defined in a circle: f ← g.",
        "book.yaml:10:3: defined in a circle: g ← f.",
    ]
    assert "No question 'qq'." in lines[2] and "exactly one of sum, mean" in lines[4]


NETS = """
questions:
  q:
    kind: single
    scale: true
    answers: {5: Great, 4: Good, 3: Fair, 2: Poor, 1: Bad, 7: {label: Do not know, missing: true}}
    nets:
      - {top: 2}
      - {bottom: 2, label: Worst}
      - {label: Score, difference: {plus: [5, 4], minus: [1]}}
      - {label: Not extreme, of: [1, 5], how: none}
  m:
    kind: multi
    columns: {m_1: A, m_2: B, m_3: C, m_4: D, m_5: E, m_6: F, m_7: G, m_8: H, m_9: I}
    nets:
      - {label: Ends, of: [1, 9], place: above}
      - {label: All of A to C, of: [1, 2, 3], how: all}
      - {label: Two or more, of: [1, 2, 3, 9], at least: 2}
      - {label: None of A to C, of: [1, 2, 3], how: none}
      - {label: A or B, of: [1, 2], place: above}
      - {label: Score, difference: {plus: [1], minus: [2]}}
  deep:
    kind: single
    column: q
    answers: {1: A, 2: B, 3: C, 4: D, 5: E, 7: F}
    nets:
      - {label: Inner, of: [1, 2], place: above}
      - {label: Outer, of: [Inner, 3], place: above}
      - {label: Gone, of: [4, 5], place: instead}
"""


def nets_survey(small: Small) -> otter.Survey:
    rng = np.random.default_rng(3)
    columns = {f"m_{k}": np.where(np.arange(80) % 9 == 0, NAN, rng.integers(0, 2, 80)) for k in range(1, 10)}
    return small(NETS, q=rng.choice([1, 2, 3, 4, 5, 7, NAN], 80), **columns)


def test_nets_by_any_all_none_and_at_least_agree_with_loops(small: Small) -> None:
    survey = nets_survey(small)
    source = survey.responses.table.to_pydict()
    people = [
        [source[f"m_{k}"][i] == 1 for k in range(1, 10)] for i in range(80) if source["m_1"][i] is not None
    ]
    found = counts(survey, "m")
    assert found["Ends"] == sum(p[0] or p[8] for p in people)
    assert found["All of A to C"] == sum(p[0] and p[1] and p[2] for p in people)
    assert found["Two or more"] == sum(p[0] + p[1] + p[2] + p[8] >= 2 for p in people)
    assert found["None of A to C"] == sum(not (p[0] or p[1] or p[2]) for p in people)
    table = survey.table("m")
    expected = 100 * np.mean([p[0] - p[1] if p[0] != p[1] else 0 for p in people])
    assert table.value("Score", "Total", "difference") == pytest.approx(expected)
    assert "All of A to C: those who gave all of its 3 answers." in table.notes
    assert "Score: percent of A, minus percent of B." in table.notes


def test_ends_of_a_scale_are_worked_out_from_its_scores(small: Small) -> None:
    survey = nets_survey(small)
    question = survey.questions["q"]
    assert {net.label: net.of for net in question.nets} == {
        "Top two": ("5", "4"), "Worst": ("2", "1"), "Not extreme": ("1", "5"),
    }  # fmt: skip
    values = [v for v in survey.responses.table.to_pydict()["q"] if v is not None and v != 7]
    table = survey.table("q")
    score = 100 * (sum(v in (4, 5) for v in values) - sum(v == 1 for v in values)) / len(values)
    assert table.value("Score", "Total") == pytest.approx(score)
    assert counts(survey, "q")["Not extreme"] == sum(v in (2, 3, 4) for v in values)
    line = next(line for line in table.body if line.label == "Score")
    assert cell_text(table, line, 0) == f"{round(score):d}"


def test_nets_inside_nets_are_indented_under_them(small: Small) -> None:
    table = nets_survey(small).table("deep")
    assert [(line.label, line.indent) for line in table.body] == [
        ("Outer", 0), ("Inner", 1), ("A", 2), ("B", 2), ("C", 1), ("Gone", 0), ("F", 0),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("net", "message"),
    [
        ("{top: 5}", "net 'Top five': the scale has 5 scored answers; top and bottom take fewer than that."),
        ("{label: X, of: [7]}", "net 'X': 'Do not know' is missing, so it belongs to no net."),
        (
            "{label: X, difference: {plus: [5], minus: [5, 1]}}",
            "difference 'X': 'Great' is in both groups.",
        ),
        ("{of: [1]}", "a net of answers needs a label."),
        ("{label: X}", "a net needs exactly one of: of (a list of answers), top, bottom, difference."),
        ("{label: X, of: [1, 2], at least: 3}", "net 'X': at least 3 of 2 answers."),
    ],
)
def test_nets_that_cannot_be_are_refused(net: str, message: str) -> None:
    with pytest.raises(otter.DocumentError) as error:
        otter.codebook_from_text(NETS.replace("{top: 2}", net))
    assert message in str(error.value)


def test_a_net_is_given_to_many_questions_and_misfits_are_reported() -> None:
    text = "nets:\n  - {questions: ['st.*', q], top: 1, label: Best}\nquestions:\n"
    text += "  st: {kind: grid, scale: true, items: {a: x, b: y}, answers: {1: No, 2: Some, 3: Yes}}\n"
    book = otter.codebook_from_text(text + "  q: {kind: single, scale: true, answers: {1: No, 2: Yes}}\n")
    assert {name: book.question(name).nets[0].of for name in ("st.a", "st.b", "q")} == {
        "st.a": ("3",),
        "st.b": ("3",),
        "q": ("2",),
    }
    with pytest.raises(otter.DocumentError, match="q: net 'Best': top and bottom need a scale"):
        otter.codebook_from_text(text + "  q: {kind: single, answers: {1: No, 2: Yes}}\n")


@pytest.mark.parametrize("layout", ["columns", "ranks"])
def test_rankings_give_first_top_and_mean_rank(small: Small, layout: str) -> None:
    if layout == "columns":
        book = "columns: {r_1: Tarn, r_2: Brookfizz, r_3: Skerrow}"
        rows: dict[str, object] = {"r_1": [1, 2, 1, NAN], "r_2": [2, 1, NAN, NAN], "r_3": [3, NAN, 2, NAN]}
    else:
        book = "ranks: [p1, p2, p3], answers: {1: Tarn, 2: Brookfizz, 3: Skerrow}"
        rows = {"p1": [1, 2, 1, NAN], "p2": [2, 1, 3, NAN], "p3": [3, NAN, NAN, NAN]}
    survey = small(f"questions:\n  r: {{kind: ranking, top: 2, {book}}}\n", **rows)
    assert counts(survey, "r.first") == {"Tarn": 2, "Brookfizz": 1, "Skerrow": 0}
    assert counts(survey, "r.top2") == {"Tarn": 3, "Brookfizz": 2, "Skerrow": 1}
    assert survey.table("r.rank_1").value("Mean", "Total") == pytest.approx(4 / 3)
    assert survey.table("r.first").lines[0].values[0] == 3


def test_dates_in_formats_and_periods(small: Small) -> None:
    book = """
questions:
  day: {kind: date, format: "%d.%m.%Y"}
  month: {periods: {of: day, by: month, from: 2026-01-15, to: 2026-03-01}}
  quarter: {periods: {of: day, by: quarter, from: 2025-12-01, to: 2026-03-01}}
  wave: {periods: {of: day, ranges: {First: 2026-01-01..2026-01-31, Second: 2026-03-01..2026-03-31}}}
"""
    survey = small(book, day=["31.01.2026", "01.03.2026", "15.02.2026", None, "31.12.2025"])
    assert counts(survey, "month") == {"January 2026": 1, "February 2026": 1, "March 2026": 1}
    assert counts(survey, "quarter") == {"Q4 2025": 1, "Q1 2026": 3}
    assert counts(survey, "wave") == {"First": 1, "Second": 1}
    assert survey.responses.chosen_by("day < '2026-02-15'").tolist() == [True, False, False, False, True]
    with pytest.raises(
        otter.RequestError, match="day is a date and cannot be tabulated; put it into periods"
    ):
        survey.table("day")
    with pytest.raises(
        otter.DataError, match=r"'2026-01-01' in row 1. Say how they are written with 'format'"
    ):
        small(book, day=["2026-01-01"]).table("wave")


def test_a_codebook_may_be_split_over_files(write: Write, tmp_path: Path) -> None:
    write("part.yaml", "questions:\n  a: {kind: single, answers: {1: One}}\n  b: {kind: singel}\n")
    with pytest.raises(otter.DocumentError, match=r"part.yaml:3:13: kind: expected one of"):
        otter.read_codebook(write("book.yaml", "include: [part.yaml]\nquestions:\n  c: {kind: number}\n"))
    write("part.yaml", "questions:\n  a: {kind: single, answers: {1: One}}\n")
    book = otter.read_codebook(
        write("book.yaml", "include: [part.yaml]\nquestions:\n  c: {derive: {X: 'a == 1'}}\n")
    )
    assert list(book.questions) == ["a", "c"]
    with pytest.raises(otter.DocumentError, match="there is a question 'a' already, in another file"):
        otter.read_codebook(write("book.yaml", "include: [part.yaml]\nquestions:\n  a: {kind: number}\n"))
    with pytest.raises(otter.DocumentError, match=r"include: .*gone.yaml: no such file"):
        otter.read_codebook(write("book.yaml", "include: [gone.yaml]\nquestions:\n  a: {kind: number}\n"))
