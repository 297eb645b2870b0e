"""Tables do not depend on how the data are cut into parts, what they are read from, or what is counted beside them."""

from __future__ import annotations

import pickle
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pyarrow import parquet

import eager_otter as otter
from eager_otter.counting import wanted
from eager_otter.counting.passes import Banners, Pass
from eager_otter.counting.running import InTurn, Tell
from eager_otter.data import files, opened, partition
from eager_otter.data.responses import Responses
from eager_otter.gates import machine
from eager_otter.tables.table import Table
from laws import LAW_BOOK, law_columns, request_strategy

DEVIATIONS = {"standard deviation", "standard error", "variance"}
MORE_REQUESTS = [
    otter.TableRequest(
        shows=otter.OneQuestion("glasses"),
        banner=otter.Banner(groups=(otter.BannerGroup(question="tried"), otter.BannerGroup(question="wave"))),
        figures=("mean", "median", "percentile 90", "standard deviation"),
        tests=otter.TestRules(medians="mood"),
    ),
    otter.TableRequest(
        shows=otter.OneQuestion("tried"),
        banner=otter.Banner(groups=(otter.BannerGroup(question="area"),)),
        tests=otter.TestRules(whole_table="all"),
        figures=("column percent", "mean mentions"),
    ),
    otter.TableRequest(
        shows=otter.OneQuestion("area"),
        base="all",
        reason_rows=True,
        banner=otter.Banner(groups=(otter.BannerGroup(question="band"), otter.BannerGroup(question="equal"))),
    ),
    otter.TableRequest(
        shows=otter.ItemsByColumns(items=("liking", "again"), figure="mean"),
        banner=otter.Banner(groups=(otter.BannerGroup(question="wave"),)),
        tests=otter.TestRules(whole_table="all"),
    ),
    otter.TableRequest(
        shows=otter.OneQuestion("liking", within=("area",)),
        filter="glasses < 30",
        banner=otter.Banner(groups=(otter.BannerGroup(question="kind_of"),)),
    ),
    otter.TableRequest(
        shows=otter.OneQuestion("liking", value="glasses"),
        banner=otter.Banner(groups=(otter.BannerGroup(question="wave"),)),
    ),
]
BOOK = LAW_BOOK + "  equal: {label: Equal parts, bands: {of: glasses, equal: 3}}\n"


def survey_cut(seed: int, people: int, rows: int | None, monkeypatch: pytest.MonkeyPatch) -> otter.Survey:
    """Open random answers, in memory, cut into parts of so many rows."""
    monkeypatch.setattr(files, "PART_ROWS", rows or 1 << 16)
    frame = pd.DataFrame(law_columns(seed, people))
    return otter.open_survey(otter.codebook_from_text(BOOK), frame).weighted_by("wt")


class Noting:
    """Counts in turn, and notes what it was asked to count."""

    def __init__(self) -> None:
        self.passes: list[Pass[Any]] = []

    def count(self, one_pass: Pass[Any], responses: Responses, tell: Tell | None = None) -> Any:
        self.passes.append(one_pass)
        return InTurn().count(one_pass, responses, tell)


def banners_counted(survey: otter.Survey, requests: list[otter.TableRequest]) -> Banners:
    """Return the one pass that counts banners, for some tables."""
    noting = Noting()
    replace(survey, runner=noting).tables(requests)
    (one,) = [one for one in noting.passes if isinstance(one, Banners)]
    return one


def assert_alike(one: Table, other: Table, *, exactly: bool = False) -> None:
    """Check that two tables say the same: every text and letter, and figures within the last digits."""
    assert [(line.path, line.figure, line.letters, line.marks) for line in one.lines] == [
        (line.path, line.figure, line.letters, line.marks) for line in other.lines
    ]
    for mine, theirs in zip(one.lines, other.lines, strict=True):
        near = 0.0 if exactly else 1e-9 if mine.figure in DEVIATIONS else 1e-12
        np.testing.assert_allclose(mine.values, theirs.values, rtol=near, atol=near, err_msg=str(mine.path))
    assert one.notes == other.notes


@given(st.integers(0, 10_000), st.integers(40, 160), st.integers(10, 160), request_strategy())
@settings(max_examples=15, suppress_health_check=[HealthCheck.too_slow])
def test_cutting_the_data_anywhere_changes_no_text_and_no_letter(
    seed: int, people: int, rows: int, request: otter.TableRequest
) -> None:
    with pytest.MonkeyPatch.context() as patch:
        asked = [request, *MORE_REQUESTS]
        whole = survey_cut(seed, people, None, patch).tables(asked)
        cut = survey_cut(seed, people, rows, patch).tables(asked)
    for one, other in zip(whole, cut, strict=True):
        assert_alike(one, other)


@given(st.integers(0, 10_000), st.integers(15, 60), st.booleans())
@settings(max_examples=8, suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture])
def test_the_same_parts_give_the_same_bits_whatever_they_are_read_from(
    tmp_path: Path, seed: int, rows: int, kept: bool
) -> None:
    frame = pd.DataFrame(law_columns(seed, 100))
    book = otter.codebook_from_text(BOOK)
    frame.to_csv(tmp_path / "d.csv", index=False)
    parquet.write_table(pa.Table.from_pandas(frame), tmp_path / "d.parquet", row_group_size=37)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", rows)
        patch.setattr(opened, "memory_to_use", lambda: 1 << 30 if kept else 0)
        results = [
            otter.open_survey(book, data).weighted_by("wt").tables(MORE_REQUESTS)
            for data in (frame, tmp_path / "d.csv", tmp_path / "d.parquet", pa.Table.from_pandas(frame))
        ]
    for others in results[1:]:
        for one, other in zip(results[0], others, strict=True):
            assert_alike(one, other, exactly=True)


@pytest.mark.parametrize("kept", [True, False])
def test_a_long_csv_file_is_read_once_and_counted_in_parts(
    tmp_path: Path, kept: bool, monkeypatch: pytest.MonkeyPatch
) -> None:

    frame = pd.DataFrame(law_columns(5, 300))
    frame["aside"] = "x"
    frame.to_csv(tmp_path / "d.csv", index=False)
    book = otter.codebook_from_text(BOOK)
    whole = otter.open_survey(book, tmp_path / "d.csv").weighted_by("wt").tables(MORE_REQUESTS)
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(files, "PART_ROWS", 64)
    monkeypatch.setattr(opened, "memory_to_use", lambda: 1 << 30 if kept else 0)
    survey = otter.open_survey(book, tmp_path / "d.csv").weighted_by("wt")
    for one, other in zip(whole, survey.tables(MORE_REQUESTS), strict=True):
        assert_alike(one, other)
    again = survey.tables(MORE_REQUESTS)
    for one, other in zip(whole, again, strict=True):
        assert_alike(one, other)
    assert survey.responses.as_text(["aside"])[0] == ["x"] * 300
    kept_codes = [part.has_codes("liking") for part in survey.responses.all_parts()]
    assert kept_codes == [kept] * 5


def test_a_plan_of_counts_holds_no_rows_and_can_be_sent_anywhere(monkeypatch: pytest.MonkeyPatch) -> None:
    survey = survey_cut(1, 2000, 100, monkeypatch)
    first = banners_counted(survey, MORE_REQUESTS)
    written = pickle.dumps(first)
    assert len(written) < 200_000
    parts = list(partition.parts_of(survey.responses, list(first.names()), ["wt"]))
    assert len(parts) == 20
    for one, other in zip(first.of(parts[3].part), pickle.loads(written).of(parts[3].part), strict=True):
        assert one.steps == other.steps
        for mine, theirs in zip(one.tally.sums[0], other.tally.sums[0], strict=True):
            np.testing.assert_array_equal(mine, theirs)


def test_states_of_different_banners_are_not_added(monkeypatch: pytest.MonkeyPatch) -> None:
    survey = survey_cut(1, 200, None, monkeypatch)
    states = banners_counted(survey, MORE_REQUESTS[:2]).of(survey.responses)
    with pytest.raises(ValueError, match="same questions and columns"):
        states[0].tally + states[1].tally


def test_wrong_weights_are_named_over_all_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    columns = law_columns(2, 300)
    columns["wt"][[10, 150, 299]] = -1
    monkeypatch.setattr(files, "PART_ROWS", 64)
    book = otter.codebook_from_text(BOOK.replace("weight: wt", "title: Drinks"))
    survey = otter.open_survey(book, pd.DataFrame(columns))
    for weigh in (
        survey.weighted_by,
        lambda name: otter.Survey(responses=survey.responses, weight=name).preview,
    ):
        with pytest.raises(otter.DataError, match=r"is negative in 3 of 300 rows .*row 11, row 151, row 300"):
            weigh("wt")(otter.Banner())


def test_a_filter_that_keeps_nobody_of_a_part_is_no_mistake_and_of_all_is_one(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    columns = law_columns(3, 200)
    columns["wave"][:] = np.repeat([1, 2, 3, 4], 50)
    monkeypatch.setattr(files, "PART_ROWS", 32)
    survey = otter.open_survey(otter.codebook_from_text(BOOK), pd.DataFrame(columns))
    assert survey.table("area", filter="wave == 4", base="all").people == 50
    with pytest.raises(otter.RequestError, match="keeps none of the 200 respondents"):
        survey.table("area", filter="glasses > 4000")
    with pytest.raises(otter.RequestError, match="No respondent satisfies"):
        survey.filtered("wave == 1").table("area", filter="wave == 2")


def test_memory_is_a_part_of_what_there_is_and_sizes_are_read() -> None:
    assert 0 < machine.memory_to_use() <= machine.memory() // 4 + 1
    assert machine.bytes_in("2 gb") == 2 * 10**9
    assert machine.processors() >= 1
    for wrong in ("much", "12", "-3 MB", "", "1 XB"):
        with pytest.raises(otter.RequestError, match="a size such as 500 MB"):
            machine.bytes_in(wrong)


def test_many_sums_are_gathered_in_several_passes(monkeypatch: pytest.MonkeyPatch) -> None:
    survey = survey_cut(4, 200, 60, monkeypatch)
    whole = survey.tables(MORE_REQUESTS)
    monkeypatch.setattr(wanted, "PASS_SUMS", 500)
    noting = Noting()
    made = replace(survey, runner=noting).tables(MORE_REQUESTS)
    passes = [one for one in noting.passes if isinstance(one, Banners)]
    assert len(passes) > 1 and sum(len(one.plans) for one in passes) == 5  # two are by one banner
    for one, other in zip(whole, made, strict=True):
        assert_alike(one, other, exactly=True)
