"""One thing may stand where several may: a code, a name, an output."""

from __future__ import annotations

from pathlib import Path

import pytest

import eager_otter as otter
from eager_otter.codebook.model import TickColumns

MANY = """
missing: [77]
nets: [{questions: [liking], label: Worst, of: [1]}]
questions:
  region: {kind: single, missing: [9], answers: {1: North, 2: South, 9: Refused}}
  age: {kind: number, missing: [99], unit: [years]}
  liking:
    kind: single
    scale: true
    answers: {1: Poor, 2: Fair, 3: Good}
    nets: [{label: Good, of: [3]}, {label: Score, difference: {plus: [3], minus: [1]}}]
  heard: {kind: multi, columns: {h_1: Tarn, h_2: Birk}, ticked: [x], unticked: [o]}
  far: {merge: {of: region, answers: {Up: [1]}, rest: Down}}
"""
FIELDS = ["missing: [77]", "questions: [liking]", "of: [1]", "missing: [9]", "missing: [99]", "unit: [years]", "of: [3]", "plus: [3]", "minus: [1]", "ticked: [x]", "unticked: [o]", "Up: [1]"]  # fmt: skip


@pytest.mark.parametrize("field", FIELDS)
def test_one_code_or_name_reads_as_a_list_of_it(field: str) -> None:
    assert field in MANY
    one = otter.codebook_from_text(MANY.replace(field, field.replace("[", "").replace("]", "")))
    many = otter.codebook_from_text(MANY)
    for read, wanted in zip(one, many, strict=True):
        assert (read.name, read.source, read.answers, read.nets, read.missing) == (
            wanted.name,
            wanted.source,
            wanted.answers,
            wanted.nets,
            wanted.missing,
        )
    heard = one.questions["heard"].source
    assert isinstance(heard, TickColumns)


def test_one_output_one_column_kept_and_one_question_not_asked(tmp_path: Path) -> None:
    (tmp_path / "book.yaml").write_text(
        "questions:\n  region: {kind: single, answers: {1: North, 2: South}}\n"
    )
    (tmp_path / "a.csv").write_text("region\n1\n2\n1\n")
    (tmp_path / "b.csv").write_text("other\n1\n")
    (tmp_path / "plan.yaml").write_text(
        "data: {files: [{file: a.csv, label: A}, {file: b.csv, label: B, changes: {not asked: region}}]}\n"
        "codebook: book.yaml\nbanners: {main: [{question: region, keep: North}]}\n"
        "tables: [{question: region, banner: main}]\noutputs: tables.csv\n"
    )
    report = otter.run(tmp_path / "plan.yaml")
    assert [column.label for column in report.tables[0].columns] == ["Total", "North"]
    assert [path.name for path in report.plan.outputs] == ["tables.csv"]
