"""A mistake in a codebook is told at its line, with what was expected and what to write instead."""

from __future__ import annotations

import re
import textwrap
from collections.abc import Callable
from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from conftest import message_of
from eager_otter.codebook.reading import codebook_from_text

Write = Callable[..., Path]
HEAD = """\
questions:
  region: {kind: single, answers: {1: North, 2: East}}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}
  tried: {kind: multi, columns: {t_1: Tarn, t_2: Brookfizz}}
  age: {kind: number}
  day: {kind: date}
  statements: {kind: grid, scale: true, items: {a: g1, b: g2}, answers: {1: No, 2: Yes}}
"""


def told(write: Write, folder: Path, text: str) -> str:
    """What is told of a codebook, its excerpts left out."""
    path = write("book.yaml", text)
    with pytest.raises(otter.OtterError) as error:
        otter.read_codebook(path)
    lines = message_of(error, folder).splitlines()
    return " | ".join(line for line in lines if line.startswith("book.yaml"))


@pytest.mark.parametrize(
    ("question", "message"),
    [
        # kinds
        ("x: 3", "x: expected a mapping that says the kind of question; found the number 3."),
        ("x: {answers: {1: A}}", "x needs the key 'kind' (one of"),
        ("x: {kind: sngle, answers: {1: A}}", "found 'sngle'. Did you mean 'single'?"),
        ("x: {kind: multi, columns: {a_1: A}, answers: {1: A}}", "columns already name the answers; take answers out"),
        ("x: {kind: multi, columns: \"a_{code}\"}", "answers are needed: a code and a label for each"),
        ("x: {kind: multi, columns: a_code, answers: {1: A}}", "a column pattern must hold {code}, as in heard_{code}"),
        ("x: {kind: multi, mentions: [m1], ticked: [1], answers: {1: A}}", "ticked and unticked go with columns (one per answer); take them out"),
        ("x: {kind: ranking, answers: {1: A}}", "a ranking needs either columns (one per answer) or ranks (one per rank)"),
        ("x: {kind: ranking, ranks: [r1, r2]}", "answers go with ranks; columns already name them"),
        # nets
        ("x: {kind: single, answers: {1: A, 2: B}, nets: [{of: [1, 2]}]}", "a net of answers needs a label"),
        ("x: {kind: single, answers: {1: A, 2: B}, nets: [{label: N, of: [1, 2], at least: 2, how: all}]}", "'at least' and 'how' exclude each other"),
        ("x: {kind: single, scale: true, answers: {1: A, 2: B}, nets: [{top: 1, how: all}]}", "'how' and 'at least' go with of (a list of answers); take them out"),
        ("x: {kind: single, answers: {1: A, 2: B}, nets: [{top: 1}]}", "top"),
        ("x: {kind: single, answers: {1: A, 2: B}, nets: [{label: N, of: [1, 7]}]}", "7"),
        # scores, directions and missing codes
        ("x: {kind: single, scale: true, answers: {1: {label: A, score: non}, 2: B}}", "score"),
        ("x: {kind: single, answers: {1: {label: A, score: none}, 2: B}}", "score"),
        ("x: {kind: single, scale: best last, answers: {1: A, 2: B}}", "scale"),
        ("x: {kind: single, scale: true, answers: {1: {label: A, score: none}, 2: {label: B, score: none}}}", "score"),
        ("x: {kind: number, missing: [100+]}", "100+"),
        ("x: {kind: number, missing: [\"9..1\"]}", "9..1"),
        ("x: {kind: number, missing: [\">= many\"]}", "'many' is not a number; write a code (99), a range (300..9999), a comparison ('>= 100') or a text as it stands ('= <1')"),
        # made of others
        ("x: {bands: {of: region, ranges: [1-2]}}", "only a number can be cut into bands"),
        ("x: {bands: {of: age}}", "bands need exactly one of ranges"),
        ("x: {bands: {of: age, ranges: [18-30, 25-40]}}", "The bands 18–30 and 25–40 both hold 25"),
        ("x: {bands: {of: age, ranges: [18-30, 31+], labels: [Young]}}", "1 labels for 2 bands; give one for each, in their order"),
        ("x: {periods: {of: day}}", "periods need either by (week, month, quarter, year) or ranges (label: day..day)"),
        ("x: {periods: {of: day, by: month}}", "need from and to: the first and last day"),
        ("x: {periods: {of: day, by: month, from: 2026-05-01, to: 2026-01-01}}", "The periods end (2026-01-01) before they begin (2026-05-01)"),
        ("x: {periods: {of: day, ranges: {A: 2026-01-01}}}", "A: '2026-01-01' is not a range of days; write it as 2026-03-01..2026-03-31"),
        ("x: {periods: {of: day, ranges: {A: 2026-02-01..2026-01-01}}}", "A: the range runs backwards; write the earlier day first"),
        ("x: {periods: {of: day, ranges: {A: 2026-01-01..2026-01-31, B: 2026-01-31..2026-02-02}}}", "A and B share days; each day may be in one range only"),
        ("x: {periods: {of: day, by: week, from: 1900-01-01, to: 2099-12-31}}", "periods; take longer ones"),
        ("x: {merge: {of: age, answers: {Old: [60]}}}", "only answers can be merged"),
        ("x: {merge: {of: regoin, answers: {N: [1]}}}", "No question 'regoin'. Did you mean 'region'?"),
        ("x: {combine: [statements, region]}", "statements stands for several questions; name one of them: statements.a, statements.b."),
        ("x: {merge: {of: statements, answers: {N: [1]}}}", "statements stands for several questions; name one of them: statements.a, statements.b."),
        ("x: {derive: {Big: statements == 1}}", "statements"),
        ("x: {compute: {mean: [statements, age]}}", "statements stands for several questions"),
        ("x: {combine: [age, region]}", "only answers can be combined"),
        ("x: {compute: {count: [region, liking]}}", "count goes with answers: which answers to count over the questions"),
        ("x: {compute: {mentions: tried, at least: 2}}", "'at least' says how many of several questions must have a value; take it out"),
        ("x: {derive: {Big: \"age > \"}}", "age >"),
        ("x: {derive: {Big: otherwise, Small: age > 3}}", "otherwise"),
        ("x: {derive: {Big: age > 3, Rest: otherwise, All: everyone else}}", "takes those who are left, so it must come last"),
        ("statements.a: {kind: number}", "there is another question named 'statements.a' (an item of a grid?)"),
        ("x: {kind: single, answers: {1: A}, asked: regoin == 1}", "No question 'regoin'. Did you mean 'region'?"),
    ],
)  # fmt: skip
def test_a_mistake_is_told_at_its_line(write: Write, tmp_path: Path, question: str, message: str) -> None:
    found = told(write, tmp_path, f"{HEAD}  {question}\n")
    assert found.startswith("book.yaml:8:"), found
    assert message in found


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("questions: {}\n", "the codebook has no questions"),
        ("questions: [a, b]\n", "questions: expected a mapping (key: value)"),
        ("questions:\n  a: {kind: multi, columns: [m_1, m_2], answers: {1: A}}\n", "columns: expected text; found a list. Write it as in columns: {heard_1: Tarn, heard_2: Brookfizz} (an answer each); columns that hold codes go under mentions."),
        ("questions:\n  a: {kind: grid, items: [a_1, a_2], answers: {1: A}}\n", "items: expected a mapping (key: value); found a list. Write it as in items: {taste: rate_1, price: rate_2}."),
        ("questions:\n  a: {kind: single, answers: [A, B], nets: 1}\n", "answers: expected a mapping (key: value); found a list. Write it as in answers: {1: Yes, 2: No}."),
        ("questions:\n  a: {kind: multi, by: ';', joined: {column: x}, answers: {1: A}}\n", "unknown key 'by'. It goes under joined."),
        ("title: [x]\nquestions:\n  a: {kind: number}\n", "title: expected text"),
        ("questions:\n  a: {kind: number}\n  a: {kind: text}\n", "'a'"),
        ("questions:\n  ? [a, b]\n  : {kind: number}\n", "a key must be plain text or a number"),
        ("questions:\n  a: {kind: number\n", "not valid YAML"),
        ("questions:\n  a: &x {kind: number}\n  b: *x\n", ""),
        ("nets: [{questions: [lking], label: N, of: [1]}]\nquestions:\n  liking: {kind: single, answers: {1: A}}\n", "no question fits 'lking'. Did you mean 'liking'?"),
        ("include: [part.yaml]\nquestions:\n  a: {kind: number}\n", "include: "),
        ("finished: statu == 1\nquestions:\n  status: {kind: single, answers: {1: A}}\n", "No question 'statu'. Did you mean 'status'?"),
    ],
)  # fmt: skip
def test_a_mistake_in_the_head_is_told(write: Write, tmp_path: Path, text: str, message: str) -> None:
    if not message:  # anchors are plain YAML
        assert [question.name for question in otter.read_codebook(write("book.yaml", text))] == ["a", "b"]
        return
    assert message in told(write, tmp_path, text)


def test_a_codebook_that_is_no_text_or_not_there(write: Write, tmp_path: Path) -> None:
    for name, make, message in (
        ("none.yaml", lambda path: None, "none.yaml: no such file. Check the path and the spelling."),
        ("folder.yaml", lambda path: path.mkdir(), "folder.yaml: is a folder; a YAML file was expected."),
        ("odd.yaml", lambda path: path.write_bytes(b"title: caf\xe9\n"), "odd.yaml: not UTF-8 text (line 1, byte 11). Save the file as UTF-8."),
        ("deep.yaml", lambda path: path.write_text("[" * 3000), "not valid YAML"),
    ):  # fmt: skip
        path = tmp_path / name
        make(path)
        with pytest.raises(otter.OtterError) as error:
            otter.read_codebook(path)
        assert message in message_of(error, tmp_path)


def test_included_files_tell_their_own_mistakes(write: Write, tmp_path: Path) -> None:
    write("part.yaml", "questions:\n  more: {kind: sngle, answers: {1: A}}\n")
    path = write("book.yaml", "include: [part.yaml]\nquestions:\n  a: {kind: number}\n")
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(path)
    assert message_of(error, tmp_path).startswith("part.yaml:2:")
    write("part.yaml", "questions:\n  a: {kind: text}\n")
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(path)
    assert "'a'" in message_of(error, tmp_path)


def test_all_mistakes_are_told_at_once_and_in_the_order_of_the_file(write: Write, tmp_path: Path) -> None:
    text = textwrap.dedent(
        """\
        title: Tracker
        misssing: [9]
        questions:
          a: {kind: sngle, answers: {1: A}}
          b: {kind: single, answers: {1: A}, nets: [{label: N, of: [2]}]}
          c: {bands: {of: d, ranges: [1-2]}}
        """
    )
    path = write("book.yaml", text)
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(path)
    lines = [
        int(line.split(":")[1])
        for line in message_of(error, tmp_path).splitlines()
        if line.startswith("book.yaml:")
    ]
    assert lines == sorted(lines) and set(lines) >= {2, 4}


SOURCES = [
    "region",
    "liking",
    "tried",
    "age",
    "day",
    "statements",
    "statements.a",
    "preference",
    "preference.first",
    "x",
    "y",
]
MADE = [
    "{{bands: {{of: {0}, ranges: [1-5, 6+]}}}}",
    "{{merge: {{of: {0}, answers: {{First: [1]}}, rest: Others}}}}",
    "{{merge: {{of: {0}, answers: {{First: [1]}}}}}}",
    "{{combine: [{0}, {1}]}}",
    "{{compute: {{mean: [{0}, {1}]}}}}",
    "{{compute: {{mentions: {0}}}}}",
    "{{compute: {{count: [{0}, {1}], answers: [1]}}}}",
    '{{derive: {{Some: "{0} == 1", Rest: otherwise}}}}',
    '{{derive: {{Some: "{0} answered", All: everyone else}}}}',
    "{{periods: {{of: {0}, by: month, from: 2026-01-01, to: 2026-02-28}}}}",
]  # fmt: skip


@given(
    st.sampled_from(MADE),
    st.sampled_from(MADE),
    st.lists(st.sampled_from(SOURCES), min_size=4, max_size=4),
)
def test_a_question_is_there_or_a_mistake_is_told(one: str, other: str, sources: list[str]) -> None:
    """Nothing that is written in a codebook vanishes without a word."""
    ranking = "  preference: {kind: ranking, ranks: [p1, p2], top: 1, answers: {1: Tarn, 2: Brookfizz}}\n"
    text = f"{HEAD}{ranking}  x: {one.format(*sources[:2])}\n  y: {other.format(*sources[2:])}\n"
    try:
        codebook = codebook_from_text(text)
    except otter.DocumentError as error:
        assert any(name in str(error) for name in (*sources, "x", "y"))
        return
    assert {"x", "y"} <= {question.name for question in codebook}


COMMA = "A text with a comma stands in quotes inside { }."


@pytest.mark.parametrize(
    ("question", "message"),
    [
        ("q: {kind: single, answers: {1: Tea, 2: {label: Other, please specify, missing: true}}}", f"unknown key 'please specify'. Known: exclusive, label, last, missing, score, write in. {COMMA}"),
        ("q: {kind: single, text: Which, if any, answers: {1: Tea}}", f"answers, asked, column, kind, label, missing, nets, scale, section, text. {COMMA}"),
        ("q: {kind: single, answers: {1: Tea, coffee, 2: Water}}", f"coffee: expected text; found nothing. {COMMA}"),
        ("q: {kind: single, answers: {1: Tea, coffee}}", f"coffee: expected text; found nothing. {COMMA}"),
        ("q: {kind: single, answers: {1: Tea, 2: }}", "2: expected text; found nothing."),
        ("q:\n    kind: single\n    answers:\n      1: Tea\n      2:\n", "2: expected text; found nothing."),
        ("q:\n    kind: single\n    extra:\n    answers: {1: Tea}", "unknown key 'extra'."),
    ],
)  # fmt: skip
def test_a_comma_inside_braces_is_told_where_it_parts_a_text(
    write: Write, question: str, message: str
) -> None:
    with pytest.raises(otter.DocumentError) as error:
        otter.read_codebook(write("book.yaml", f"questions:\n  {question}\n"))
    told = next(line for line in str(error.value).splitlines() if message in line)
    assert (COMMA in told) == (COMMA in message)


@pytest.mark.parametrize("parser", ["CSafeLoader", "SafeLoader"])
@pytest.mark.parametrize(
    ("line", "hint"),
    [
        ("text: Q1: which one?", "4:13: A colon with a blank behind it parts a text: put the text in quotes"),
        ("  text: too far", "4:11: A colon with a blank behind it parts a text"),
        ("text: 'Don't know'", "4:16: Inside single quotes an apostrophe is written twice ('Don''t know')"),
        ('text: "x" y', "4:15: Text stands behind a quote that is closed: put the whole of it in quotes."),
        ("- text", "4:5: The line is not indented as those it belongs to"),
        ("text: @home", "4:11: A text cannot begin with this character: put the text in quotes."),
        ("text: %", "4:11: A text cannot begin with this character"),
        ("text: *best", "4:11: A text cannot begin with *: put the text in quotes."),
        ("text: & Sons", ": A text cannot begin with * or &"),
        ("text: &Sons", "4:11: a text cannot begin with &: put the text in quotes."),
        ("text: !important", ": a text cannot begin with !: put the text in quotes."),
        ("text: - dash", "4:11: A text cannot begin with a dash and a blank"),
        ("text: ? a", "4:11: A text cannot begin with a question mark and a blank"),
        ('text: "open', "4:11: The quote opened here is not closed."),
        ("text: 'open", "4:11: The quote opened here is not closed."),
        ("text: [a, b", "4:11: The bracket opened here is not closed"),
        ("text: {a: b", "4:11: The bracket opened here is not closed"),
        ("text:missing", "A key needs a colon with a blank behind it; look at the line before as well."),
        ('text: "a \\d"', "A backslash means something else inside double quotes: use single quotes."),
    ],
)  # fmt: skip
def test_what_is_not_yaml_is_told_with_what_to_do(
    write: Write, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, parser: str, line: str, hint: str
) -> None:
    monkeypatch.setattr(yaml, "CSafeLoader", getattr(yaml, parser))
    said = told(
        write, tmp_path, f"questions:\n  q:\n    kind: single\n    {line}\n    answers: {{1: A, 2: B}}\n"
    )
    assert hint in re.sub(r"(?<=: )not valid YAML: .*?\. (?=[A-Z])", "", said), said
