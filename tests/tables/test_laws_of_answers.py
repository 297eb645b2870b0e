"""Laws over random tables of what is given when somebody asks: the working of a cell, its people, its records."""

from __future__ import annotations

import json
import math
import tempfile
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from pyarrow import parquet

import eager_otter as otter
from eager_otter.codebook.reading import codebook_from_text
from eager_otter.comparing.comparing import compare_results
from eager_otter.comparing.saved import read_results
from eager_otter.core.letters import alpha_of
from eager_otter.tables.table import Table
from laws import LAW_BOOK, law_columns, request_strategy

BOOK = codebook_from_text(LAW_BOOK)
some = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
seeds = st.integers(0, 400)


def survey_of(seed: int, people: int = 220) -> otter.Survey:
    return otter.open_survey(BOOK, pd.DataFrame(law_columns(seed, people)))


def cells(table: Table) -> list[tuple[str, str, str]]:
    """Every cell whose working can be asked for, as one asks: row, column, figure."""
    names = [column.letter or column.path for column in table.columns]
    return [
        (line.path, name, line.figure)
        for line in table.lines
        if line.kind in ("answer", "net", "summary")
        and line.evidence is not None
        and line.figure != "heading"
        for name in names
    ]


@some
@given(seeds, request_strategy(), st.randoms(use_true_random=False))
@pytest.mark.slow
def test_the_working_of_a_cell_gives_its_figure_its_letters_and_its_errors(
    seed: int, request: otter.TableRequest, pick: object
) -> None:
    (table,) = survey_of(seed).tables([request])
    asked = cells(table)
    assume(asked)
    for row, column, figure in [pick.choice(asked) for _ in range(6)]:  # type: ignore[attr-defined]
        found = table.explain(row, column, figure)
        value = table.value(row, column, figure)
        assert (found.value is None and math.isnan(value)) or found.value == value
        for one, following in zip(found.steps, found.steps[1:], strict=False):
            assert one.after == following.before and following.after <= following.before
        for test in found.tests:
            if test.p_value is None:
                assert test.sentence
                continue
            assert test.error is not None and test.error > 0
            assert test.figure is not None and test.other_figure is not None
            assert test.difference == pytest.approx(test.figure - test.other_figure, abs=1e-9)
            assert test.statistic == pytest.approx(test.difference / test.error, rel=1e-9, abs=1e-12)
            assert 0 <= test.p_value <= 1
            assert test.adjusted is None or test.adjusted >= test.p_value - 1e-12
            assert test.shared >= 0
            decided = test.p_value if test.adjusted is None else test.adjusted
            significant = decided <= alpha_of(table.levels[-1])
            assert significant or not test.mark
            assert (
                test.mark or not significant or test.difference < 0
            )  # then the other cell carries the letter


@some
@given(seeds, request_strategy())
@pytest.mark.slow
def test_the_people_behind_a_cell_are_those_of_its_unweighted_count(
    seed: int, request: otter.TableRequest
) -> None:
    """Whoever asks for the records behind a percent gets as many as the table counts."""
    assume(isinstance(request.shows, otter.OneQuestion) and request.shows.question != "glasses")
    survey = survey_of(seed)
    wanted = {"figures": ("unweighted count", "column percent"), "inherited": False, "levels": ()}
    request = otter.TableRequest(
        shows=request.shows,
        banner=request.banner,
        base=request.base,
        bases=otter.BaseRules(),
        **wanted,
    )
    (table,) = survey.tables([request])
    for line in table.lines:
        if line.figure != "unweighted count" or line.kind not in ("answer", "net"):
            continue
        for place, column in enumerate(table.columns):
            if column.difference is not None:
                continue
            rows = survey.people(request, line.path, column.letter or column.path, "unweighted count")
            count = float(line.values[place])
            assert len(rows) == len(set(rows.tolist())) == (0 if math.isnan(count) else round(count))


@some
@given(seeds, st.lists(request_strategy(), min_size=1, max_size=2))
@pytest.mark.slow
def test_tidy_files_hold_numbers_in_value_and_words_in_text(
    seed: int, requests: list[otter.TableRequest]
) -> None:
    survey = survey_of(seed)
    named = [
        otter.TableRequest(**{f: getattr(one, f) for f in one.__dataclass_fields__} | {"id": f"t{k}"})
        for k, one in enumerate(requests)
    ]
    tables = list(survey.tables(named))
    frames = [table.frame(None) for table in tables]
    for table, frame in zip(tables, frames, strict=True):
        assert list(frame.columns) == [
            "table", "title", "part", "question", "row", "row_kind", "row_code", "group", "column", "letter", "figure", "value", "text", "mark",
        ]  # fmt: skip
        assert pd.api.types.is_float_dtype(frame["value"])
        letters = frame[frame.figure == "letters"]
        assert letters["value"].isna().all() and (letters["text"] != "").all()
        assert (frame[frame.figure != "letters"]["text"] == "").all()
        keys = frame[["part", "question", "row", "row_kind", "row_code", "group", "column", "figure"]]
        assert not keys[frame.figure != "letters"].duplicated().any()  # a record can be told from every other
        written = sum(bool(text) for line in table.lines for text in line.letters)
        assert len(letters) == written


def test_csv_json_and_parquet_say_the_same(demo: Path, tmp_path: Path) -> None:
    report = otter.run(demo / "shapes.yaml")
    for name in ("t.csv", "t.json", "t.parquet"):
        report.save(tmp_path / name)
    csv = pd.read_csv(
        tmp_path / "t.csv",
        keep_default_na=False,
        converters={"value": lambda text: float(text) if text else np.nan},
        dtype={"row_code": str, "part": str},
    )
    records = pd.DataFrame(json.loads((tmp_path / "t.json").read_text(encoding="utf-8"))["records"])
    arrow = parquet.read_table(tmp_path / "t.parquet").to_pandas()
    assert list(csv.columns) == list(records.columns) == list(arrow.columns)
    for column in csv.columns:
        if column == "value":
            for other in (records, arrow):
                np.testing.assert_array_equal(csv[column].to_numpy(float), other[column].to_numpy(float))
        else:
            assert csv[column].tolist() == records[column].tolist() == arrow[column].tolist(), column
    stacked = csv[(csv.table == "stacked") & (csv.row_kind == "summary") & (csv.figure == "mean")]
    assert set(stacked.question) == {"liking", "recommend"}  # two means, told apart


@given(
    seeds,
    st.sampled_from(["wave", "area", "band", "kind_of"]),
    st.sampled_from(["liking", "again", "glasses", "tried"]),
)
@settings(max_examples=25, deadline=None)
def test_a_report_read_again_differs_in_nothing(seed: int, group: str, question: str) -> None:
    survey = survey_of(seed)
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "book.yaml").write_text(LAW_BOOK, encoding="utf-8")
        pd.DataFrame(law_columns(seed, 220)).to_csv(place / "d.csv", index=False)
        plan = f"data: d.csv\ncodebook: book.yaml\nbanners: {{main: [{group}]}}\ntables: [{question}]\n"
        (place / "plan.yaml").write_text(plan, encoding="utf-8")
        report = otter.run(place / "plan.yaml")
        for name in ("one.csv", "two.json", "three.parquet"):
            report.save(place / name)
        for one, other in (
            ("one.csv", "two.json"),
            ("two.json", "three.parquet"),
            ("three.parquet", "one.csv"),
        ):
            assert not compare_results(read_results(place / one), read_results(place / other)).changes
        table = report.table(question)
        direct = survey.table(question, banner=group)
        for line, same in zip(table.lines, direct.lines, strict=True):
            np.testing.assert_allclose(line.values, same.values, rtol=1e-12, equal_nan=True)
            assert line.letters == same.letters
