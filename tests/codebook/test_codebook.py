"""The codebook file: what it may say, and how mistakes in it are told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import eager_otter as otter
from conftest import message_of
from eager_otter.codebook.model import Derived, TickColumns

Write = Callable[..., Path]


def test_every_mistake_is_told_at_once_with_its_place_and_the_nearest_word(
    write: Write, tmp_path: Path
) -> None:
    path = write(
        "book.yaml",
        """\
        title: Water
        wieght: wt
        questions:
          region: {kind: singel, answers: {1: North}}
          liking:
            kind: single
            scale: true
            answers: {1: Bad, 2: Good, B: Best}
            nets: [{label: Top, of: [2, 7]}]
          twice: {kind: single, answers: {1: One, 1.0: Also one}}
          age: {kind: number, missing: {a: 99}}
          age_band: {bands: {of: agee, ranges: [18-24, 24-30]}}
          user: {derive: {Heavy: "liking >= 2 and ages > 3", Rest: otherwise}}
        """,
    )
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(path)
    assert message_of(error, tmp_path) == (
        "9 mistakes.\n"
        "book.yaml:2:1: unknown key 'wieght'. Did you mean 'weight'?\n"
        "  2 | wieght: wt\n"
        "      ^\n"
        "book.yaml:4:18: kind: expected one of single, multi, number, text, grid, date, ranking; found 'singel'. Did you mean 'single'?\n"
        "  4 |   region: {kind: singel, answers: {1: North}}\n"
        "                       ^\n"
        "book.yaml:8:32: a scale needs numbers: 'B' is not one, so give this answer a score, or 'score: none'.\n"
        "  8 |     answers: {1: Bad, 2: Good, B: Best}\n"
        "                                     ^\n"
        "book.yaml:9:33: net 'Top': no answer '7'. Known: 1, 2, B, Bad, Good, Best.\n"
        "  9 |     nets: [{label: Top, of: [2, 7]}]\n"
        "                                      ^\n"
        "book.yaml:10:43: the code '1.0' is the same as '1' above.\n"
        "  10 |   twice: {kind: single, answers: {1: One, 1.0: Also one}}\n"
        "                                                 ^\n"
        "book.yaml:11:32: missing: expected text; found a mapping. Write it as in missing: [98, 99].\n"
        "  11 |   age: {kind: number, missing: {a: 99}}\n"
        "                                      ^\n"
        "book.yaml:12:26: No question 'agee'. Did you mean 'age'?\n"
        "  12 |   age_band: {bands: {of: agee, ranges: [18-24, 24-30]}}\n"
        "                                ^\n"
        "book.yaml:12:40: The bands 18–24 and 24–30 both hold 24; ranges include both their ends, so each value "
        "may be in one band only.\n"
        "  12 |   age_band: {bands: {of: agee, ranges: [18-24, 24-30]}}\n"
        "                                              ^\n"
        "book.yaml:13:26: No question 'ages'. Did you mean 'age'? At character 17 of: liking >= 2 and ages > 3\n"
        '  13 |   user: {derive: {Heavy: "liking >= 2 and ages > 3", Rest: otherwise}}\n'
        "                                ^"
    )


def test_a_mistake_made_thousands_of_times_is_told_a_hundred_times_and_counted() -> None:
    """A key that is misspelled in every question of a file that a program wrote."""
    question = "  q{}: {{kind: single, answers: {{1: A}}, asekd: q1 == 1}}\n"
    with pytest.raises(otter.DocumentError) as error:
        otter.codebook_from_text("questions:\n" + "".join(question.format(k) for k in range(1, 2101)))
    told = str(error.value)
    assert told.startswith("2,100 mistakes.\ncodebook:2:") and told.count("unknown key 'asekd'") == 100
    assert told.endswith("\nThere are 2,000 more, which are told when these are mended.")
    assert len(error.value.problems) == 2100
    with pytest.raises(otter.DocumentError) as error:
        otter.codebook_from_text("questions:\n" + "".join(question.format(k) for k in range(1, 101)))
    assert str(error.value).count("unknown key") == 100 and "more" not in str(error.value)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("a: 1\na: 2\n", "book.yaml:2:1: the key 'a' appears twice; first in line 1.\n  2 | a: 2\n      ^"),
        (
            "a: [1\n",
            "book.yaml:1:4: not valid YAML: did not find expected ',' or ']'. The bracket opened here is not closed, or a text holds a bracket or quote: put the text in quotes.\n  1 | a: [1\n         ^",
        ),
        (
            "- 1\n",
            "book.yaml:1:1: the file: expected a mapping (key: value); found a list.\n  1 | - 1\n      ^",
        ),
        (
            "questions: {a: {kind: multi, mentions: [x], columns: {y: Yes}}}\n",
            "book.yaml:1:16: a multi question needs exactly one of columns (one per answer), mentions (one column "
            "per mention) or joined (codes in one cell).\n"
            "  1 | questions: {a: {kind: multi, mentions: [x], columns: {y: Yes}}}\n"
            "                     ^",
        ),
        (
            "questions: {a: {derive: {1: 'a == X'}}}\n",
            "book.yaml:1:29: Expected a number or a text in quotes; found 'X'. At character 6 of: a == X\n"
            "  1 | questions: {a: {derive: {1: 'a == X'}}}\n"
            "                                  ^",
        ),
    ],
)
def test_single_mistakes(write: Write, tmp_path: Path, text: str, message: str) -> None:
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(write("book.yaml", text))
    assert message_of(error, tmp_path) == message


def test_questions_defined_in_a_circle_are_refused(write: Write, tmp_path: Path) -> None:
    text = "questions:\n  a: {derive: {X: 'b == \"Y\"'}}\n  b: {derive: {Y: 'a == \"X\"'}}\n"
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(write("book.yaml", text))
    assert "book.yaml:2:3: defined in a circle: a ← b ← a." in message_of(error, tmp_path)


def test_yaml_scalars_are_text_where_codes_and_labels_are_wanted(write: Write) -> None:
    book = otter.read_codebook(
        write("book.yaml", "questions: {a: {kind: single, answers: {01: no, 1: yes, 1.50: 12:30:45}}}\n")
    )
    assert [(answer.code, answer.label) for answer in book.question("a").answers] == [
        ("01", "no"),
        ("1", "yes"),
        ("1.5", "12:30:45"),
    ]


def test_a_file_that_repeats_itself_beyond_reason_is_refused(write: Write) -> None:
    bomb = "a: &a [x, x, x, x, x, x, x, x, x, x]\n" + "".join(
        f"{name}: &{name} [{', '.join(['*' + before] * 10)}]\n"
        for before, name in zip("abcde", "bcdef", strict=True)
    )
    with pytest.raises(otter.DocumentError, match="nests or repeats itself beyond reason"):
        otter.read_codebook(write("book.yaml", bomb))


def test_missing_codes_hold_everywhere_unless_a_question_says_otherwise(write: Write) -> None:
    book = otter.read_codebook(
        write(
            "book.yaml",
            "missing: [98]\nquestions:\n"
            "  a: {kind: single, answers: {1: One, 98: Ninety-eight}}\n"
            "  b: {kind: single, missing: [], answers: {1: One, 98: Ninety-eight}}\n",
        )
    )
    assert [answer.missing for answer in book.question("a").answers] == [False, True]
    assert [answer.missing for answer in book.question("b").answers] == [False, False]


def test_tick_columns_give_their_numbers_as_codes_and_patterns_make_columns(write: Write) -> None:
    book = otter.read_codebook(
        write(
            "book.yaml",
            "questions:\n  a: {kind: multi, columns: {h_1: Tarn, h_10: Brookfizz}}\n"
            "  b: {kind: multi, columns: 'x{code}_y', answers: {3: Tarn, 4: Brookfizz}}\n",
        )
    )
    assert [answer.code for answer in book.question("a").answers] == ["1", "10"]
    source = book.question("b").source
    assert isinstance(source, TickColumns) and source.columns == (("3", "x3_y"), ("4", "x4_y"))


def test_grid_items_are_questions_and_derived_answers_stand_beside_their_source(demo: Path) -> None:
    book = otter.read_codebook(demo / "codebook.yaml")
    assert book.grids["statements"].items[0] == "statements.taste"
    assert book.question("statements.taste").text == "How far do you agree? – Sparkling water tastes clean"
    assert isinstance(book.question("user_type").source, Derived) and "times" in book.questions
    with pytest.raises(
        otter.UnknownName, match=r"No question 'regoin' in the codebook. Did you mean 'region' or 'reasons'\?"
    ):
        book.question("regoin")
