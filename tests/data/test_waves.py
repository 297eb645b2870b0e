"""Several files as one survey: what is joined is what a plain script joins, and what a wave did not have is n/a."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.stats import chi2_contingency

import eager_otter as otter
from conftest import message_of
from eager_otter.counting.running import Processes
from eager_otter.data import files
from laws import LAW_BOOK, QUESTIONS, law_columns

Write = Callable[[str, str], Path]

BOOK = """
respondent: rid
weight: wt
questions:
  region: {kind: single, label: Region, answers: {1: North, 2: East, 3: South, 9: {label: Abroad, missing: true}}}
  liking: {kind: single, label: Liking, scale: true, answers: {1: Poor, 2: Fair, 3: Good}, nets: [{top: 2}]}
  heard: {kind: multi, label: Heard of, columns: {h_1: Tarn, h_2: Brookfizz, h_3: Quillwater}, ticked: [1], unticked: [0],
          nets: [{label: Newcomers, of: [Brookfizz, Quillwater]}]}
  why: {kind: multi, label: Why, mentions: [why_1, why_2], answers: {1: Taste, 2: Price, 3: Bubbles}}
  shops: {kind: multi, label: Shops, joined: {column: shops, by: ";"}, answers: {1: Corner shop, 2: Market, 3: Online}}
  spend: {kind: number, label: Spend}
  again: {kind: multi, label: Again, columns: {h_1: Tarn, h_2: Brookfizz, h_3: Quillwater}, ticked: [1], unticked: [0]}
  far: {label: Far, merge: {of: region, answers: {Near: [1, 2], Away: [3]}}}
"""
BRANDS = {"h_1": "Tarn", "h_2": "Brookfizz", "h_3": "Quillwater"}


def tracker(seed: int = 1, people: int = 90) -> dict[str, pd.DataFrame]:
    """Draw four waves as they would be with one questionnaire."""
    rng = np.random.default_rng(seed)
    waves = {}
    for name in ("Spring", "Summer", "Autumn", "Winter"):
        frame = pd.DataFrame(
            {
                "rid": np.arange(people) + 1,
                "wt": rng.uniform(0.4, 1.7, people),
                "region": rng.choice([1, 2, 3, 9], people, p=[0.4, 0.3, 0.25, 0.05]),
                "liking": rng.integers(1, 4, people),
                "spend": rng.exponential(20, people).round(1),
                "why_1": rng.integers(1, 4, people),
                "why_2": rng.choice([1.0, 2.0, 3.0, np.nan], people),
                "shops": rng.choice(["1", "1;2", "2;3", "3", "1;2;3"], people),
                **{column: rng.integers(0, 2, people) for column in BRANDS},
            }
        )
        waves[name] = frame
    return waves


def as_fielded(waves: dict[str, pd.DataFrame], folder: Path) -> otter.Waves:
    """Write the waves as four questionnaires had them: columns and codes moved, questions and answers that came later."""
    spring = waves["Spring"].drop(columns=["h_3"])
    summer = waves["Summer"].drop(columns=["liking"])
    autumn = waves["Autumn"].copy()
    autumn["region"] = autumn["region"].map({1: 3, 2: 1, 3: 2, 9: 9})
    autumn["shops"] = autumn["shops"].map(lambda text: text.translate(str.maketrans("123", "ABC")))
    for column in ("why_1", "why_2"):
        autumn[column] = autumn[column].map({1: 13, 2: 2, 3: 1})
    autumn = autumn.rename(columns={"spend": "outlay", "wt": "gewicht"})
    spring.to_csv(folder / "spring.csv", index=False)
    summer.to_parquet(folder / "summer.parquet")
    autumn.to_csv(folder / "autumn.csv", index=False, sep=";", decimal=",")
    changes = {
        "Spring": otter.WaveChanges(not_offered={"heard": ("Quillwater",)}),
        "Summer": otter.WaveChanges(not_asked=("liking",)),
        "Autumn": otter.WaveChanges(
            columns={"outlay": "spend", "gewicht": "wt"},
            codes={
                "region": {"3": "1", "1": "2", "2": "3"},
                "shops": {"A": "1", "B": "2", "C": "3"},
                "why": {"13": "1", "1": "3"},
            },
        ),
        "Winter": otter.WaveChanges(),
    }
    data: dict[str, Any] = {
        "Spring": folder / "spring.csv",
        "Summer": folder / "summer.parquet",
        "Autumn": folder / "autumn.csv",
        "Winter": waves["Winter"],
    }
    return otter.Waves(
        waves=tuple(otter.Wave(data=data[name], label=name, changes=changes[name]) for name in waves)
    )


def weighted_share(frame: pd.DataFrame, who: Any, base: Any = None) -> float:
    kept = np.ones(len(frame), bool) if base is None else np.asarray(base)
    return float(100 * frame["wt"][kept & np.asarray(who)].sum() / frame["wt"][kept].sum())


@pytest.fixture
def joined(tmp_path: Path) -> tuple[otter.Survey, dict[str, pd.DataFrame]]:
    waves = tracker()
    return otter.open_survey(otter.codebook_from_text(BOOK), as_fielded(waves, tmp_path)), waves


def test_each_figure_of_each_wave_is_that_of_its_own_answers(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]],
) -> None:
    survey, waves = joined
    tables = {
        name: survey.table(name, "wave")
        for name in ("region", "heard", "why", "shops", "spend", "liking", "far")
    }
    for wave, frame in waves.items():
        here = frame["region"] != 9
        for code, label in ((1, "North"), (2, "East"), (3, "South")):
            assert tables["region"].value(label, wave) == pytest.approx(
                weighted_share(frame, frame["region"] == code, here)
            )
        assert tables["far"].value("Away", wave) == pytest.approx(
            weighted_share(frame, frame["region"] == 3, here)
        )
        for code, label in ((1, "Taste"), (2, "Price"), (3, "Bubbles")):
            gave = (frame["why_1"] == code) | (frame["why_2"] == code)
            assert tables["why"].value(label, wave) == pytest.approx(weighted_share(frame, gave))
        for code, label in (("1", "Corner shop"), ("3", "Online")):
            gave = frame["shops"].map(lambda text, code=code: code in text.split(";"))
            assert tables["shops"].value(label, wave) == pytest.approx(weighted_share(frame, gave))
        assert tables["spend"].value("Mean", wave) == pytest.approx(
            np.average(frame["spend"], weights=frame["wt"]), rel=1e-12
        )
        if wave != "Summer":
            assert tables["liking"].value("Mean", wave) == pytest.approx(
                np.average(frame["liking"], weights=frame["wt"])
            )
        asked = (frame["h_1"] + frame["h_2"] + (0 if wave == "Spring" else frame["h_3"])) >= 0
        for column, label in BRANDS.items():
            if (wave, column) != ("Spring", "h_3"):
                assert tables["heard"].value(label, wave) == pytest.approx(
                    weighted_share(frame, frame[column] == 1, asked)
                )


def test_what_a_wave_did_not_have_is_not_there_and_in_no_test(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]],
) -> None:
    survey, _ = joined
    liking = survey.table("liking", "wave")
    for line in liking.body:
        assert np.isnan(line.values[2]) and line.marks[2] == "not asked"
    assert any("Asked of those whose Wave is Spring, Autumn or Winter" in str(note) for note in liking.notes)
    heard = survey.table("heard", "wave")
    rows = {line.label: line for line in heard.body}
    assert rows["Quillwater"].marks == ("partly offered", "not asked", "", "", "")
    assert rows["Newcomers"].marks == ("partly offered", "partly offered", "", "", "")
    assert set(rows["Tarn"].marks) == {""}
    assert any(note == "Not offered everywhere: Quillwater (not in Spring)." for note in heard.notes)
    for label in ("Quillwater", "Newcomers"):
        evidence = rows[label].evidence
        assert evidence is not None and evidence.tested is not None
        pairs = evidence.tested.comparisons.pairs
        of_spring = (pairs == 1).any(axis=1)
        p = evidence.tested.p_value[evidence.row]
        assert np.isnan(p[of_spring]).all() and not np.isnan(p[~of_spring]).any()
    assert "nobody in Wave: Spring was asked it, or offered it" in str(heard.explain("Quillwater", "Winter"))
    records = heard.records()
    marks = {(r.row, r.column): r.mark for r in records if r.figure == "column percent"}
    assert marks["Quillwater", "Spring"] == "not asked" and marks["Quillwater", "Total"] == "partly offered"


def test_questions_made_of_others_say_what_was_not_offered(tmp_path: Path) -> None:
    book = BOOK + "  fan: {label: Fan, derive: {Fan: heard mentions any (3), Other: otherwise}}\n"
    book += "  few: {label: Few, merge: {of: heard, answers: {Old: [Tarn], New: [Quillwater]}}}\n"
    survey = otter.open_survey(otter.codebook_from_text(book), as_fielded(tracker(), tmp_path))
    told = "Made of Heard of, of which not all answers were offered everywhere: Quillwater (not in Spring)."
    assert told in survey.table("fan", "wave").notes
    few = survey.table("few", "wave")
    assert told not in few.notes and "Not offered everywhere: New (not in Spring)." in few.notes
    new = next(line for line in few.body if line.label == "New")
    assert new.marks == ("partly offered", "not asked", "", "", "")
    assert told not in survey.table("liking", "wave").notes


def test_a_column_that_mixes_waves_is_partly_offered(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]],
) -> None:
    survey, _ = joined
    quillwater = next(line for line in survey.table("heard", "region").body if line.label == "Quillwater")
    assert set(quillwater.marks) == {"partly offered"} and not any(quillwater.letters)
    later = survey.filtered("wave in (2, 3, 4)").table("heard", "region")
    assert all(set(line.marks) == {""} for line in later.body)


def test_everyone_as_the_base_does_not_turn_not_asked_into_nobody(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]],
) -> None:
    survey, _ = joined
    table = survey.table("liking", "wave", base="all")
    good = next(line for line in table.body if line.label == "Good")
    assert np.isnan(good.values[2]) and good.marks[2] == "not asked" and "B" not in "".join(good.letters)


def test_whole_tables_leave_out_what_was_not_offered(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]],
) -> None:
    survey, waves = joined
    unweighted = survey.weighted_by(None)
    (liking,) = unweighted.table("liking", "wave").associations()
    asked = [frame for wave, frame in waves.items() if wave != "Summer"]
    observed = np.array([[(frame["liking"] == code).sum() for frame in asked] for code in (1, 2, 3)])
    assert liking.test is not None and liking.test.p_value == pytest.approx(chi2_contingency(observed)[1])
    rules = otter.TestRules(whole_table="fitting")
    heard = unweighted.table("heard", "wave", tests=rules)
    alone = otter.codebook_from_text(
        "questions:\n  wave: {kind: single, answers: {1: A, 2: B, 3: C, 4: D}}\n"
        "  heard: {kind: multi, columns: {h_1: Tarn, h_2: Brookfizz}, ticked: [1], unticked: [0]}\n"
    )
    frame = pd.concat([frame.assign(wave=k) for k, frame in enumerate(waves.values(), 1)])
    two = otter.open_survey(alone, frame).table("heard", "wave", tests=rules)
    # Tarn and Brookfizz, without Quillwater; by what they show, as no number is no number's equal
    assert repr(heard.associations()[0].test) == repr(two.associations()[0].test)
    book = BOOK + "  brand: {kind: single, label: Brand, answers: {1: Tarn, 2: Brookfizz}}\n"
    frames = [frame.assign(brand=1 + frame["h_1"] * (k > 0)) for k, frame in enumerate(waves.values())]
    lacking = otter.Waves(
        waves=tuple(
            otter.Wave(
                data=frame,
                label=str(k),
                changes=otter.WaveChanges(not_offered={} if k else {"brand": ("2",)}),
            )
            for k, frame in enumerate(frames)
        )
    )
    brand = otter.open_survey(otter.codebook_from_text(book), lacking).table("brand", "wave", tests=rules)
    assert not brand.associations()
    assert any("not all answers were offered to all in its columns" in note for note in brand.notes)


@pytest.mark.parametrize("changed", ["nested", "side by side"])
def test_answers_that_were_not_offered_are_compared_in_no_other_way(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]], changed: str
) -> None:
    survey, _ = joined
    with pytest.raises(otter.RequestError, match="Not all answers of heard were offered everywhere"):
        if changed == "nested":
            survey.table("heard", "wave", within=["region"])
        else:
            survey.items_table(["heard", "again"], shape="answers by items")


WRONG: list[tuple[dict[str, Any], str]] = [
    ({"not_asked": ("likng",)}, "no question 'likng'.*Did you mean 'liking'"),
    ({"not_asked": ("far",)}, "far is made from other questions .region.; say it of those"),
    ({"codes": {"region": {"7": "5"}}}, r"region: 7 is '5' in the codebook, which has no such code; it has 1 \(North\)"),
    ({"codes": {"heard": {"7": "1"}}}, "has a column per answer"),
    ({"codes": {"spend": {"7": "1"}}}, "has no answers of its own"),
    ({"not_offered": {"heard": ("Trn",)}}, "no answer 'Trn'"),
    ({"columns": {"nowhere": "spend"}}, "there is no column 'nowhere'"),
    ({"columns": {"spend": "x", "liking": "x"}}, "two columns are 'x'"),
    ({"columns": {"spend": "outlay"}}, r"W: 'spend'.*Say under 'changes'"),
    ({"columns": {"spend": "wt"}}, "'spend' is said to be 'wt', and there is a column of that name as well"),
    ({"columns": {"spend": "wave"}}, "has a column 'wave' already"),
    ({"not_asked": ("liking",)}, r"column 'liking' holds answers \(row 1, row 2.*listed under 'not asked'"),
    ({"not_offered": {"region": ("East",)}}, r"column 'region', row .*holds '2' of region, which is listed under 'not offered'"),
    ({"not_offered": {"heard": ("Tarn",)}}, "is ticked, and the answer 1 of heard is listed under 'not offered'"),
    ({"codes": {"region": {"1": "2"}}}, "holds the code '2', which the changes of region say is '1' in W"),
]  # fmt: skip


@pytest.mark.parametrize(("changes", "message"), WRONG, ids=[str(k) for k in range(len(WRONG))])
def test_changes_that_the_data_or_the_codebook_deny_are_told(changes: dict[str, Any], message: str) -> None:
    frame = tracker()["Winter"]
    waves = otter.Waves(waves=(otter.Wave(data=frame, label="W", changes=otter.WaveChanges(**changes)),))
    with pytest.raises(otter.OtterError, match=f"(?is){message}"):
        survey = otter.open_survey(otter.codebook_from_text(BOOK), waves)
        survey.tables([name for name in survey.questions if name != "wave"])


def test_ids_are_unique_within_a_wave_and_repeat_across_them(tmp_path: Path) -> None:
    book = otter.codebook_from_text(BOOK)
    waves = tracker()
    survey = otter.open_survey(book, as_fielded(waves, tmp_path))
    (remark,) = survey.responses.remarks
    assert remark.count == 3 * 90 and not remark.of_tables
    twice = waves["Summer"].assign(rid=5)
    with pytest.raises(otter.DataError, match="Summer: the respondent id in column 'rid' must be unique"):
        otter.open_survey(book, as_fielded({**waves, "Summer": twice}, tmp_path))
    blank = waves["Winter"].astype({"rid": object})
    blank.loc[3, "rid"] = None
    with pytest.raises(otter.DataError, match=r"Winter: the respondent id .* is blank in 1 row \(row 4\)"):
        otter.open_survey(book, as_fielded({**waves, "Winter": blank}, tmp_path))


def test_rows_are_named_as_they_stand_in_their_own_file(monkeypatch: pytest.MonkeyPatch) -> None:
    waves = tracker(people=200)
    monkeypatch.setattr(files, "PART_ROWS", 64)
    only = waves["Winter"].assign(liking=1)
    only.loc[150, "liking"] = 3
    told = otter.Waves(
        waves=(
            otter.Wave(data=waves["Summer"], label="One"),
            otter.Wave(data=only, label="Two", changes=otter.WaveChanges(not_offered={"liking": ("Good",)})),
        )
    )
    survey = otter.open_survey(otter.codebook_from_text(BOOK), told)
    with pytest.raises(otter.DataError, match=r"Two: column 'liking', row 151: holds '3' of liking"):
        survey.table("liking")
    text = waves["Winter"].astype({"spend": object})
    text.loc[120, "spend"] = "much"
    two = otter.Waves(
        waves=(otter.Wave(data=waves["Summer"], label="One"), otter.Wave(data=text, label="Two"))
    )
    survey = otter.open_survey(otter.codebook_from_text(BOOK), two)
    with pytest.raises(otter.DataError, match="'much' in row 121 of Two"):
        survey.table("spend")
    assert survey.responses.row_name(205) == "row 6 of Two (rid 6)"


def test_rows_that_hold_nothing_are_left_out_of_each_file(tmp_path: Path, write: Write) -> None:
    book = otter.codebook_from_text(
        "questions: {q: {kind: single, answers: {1: Yes, 2: No}}, n: {kind: number}}"
    )
    waves = tuple(otter.Wave(data=write(f"{k}.csv", f"q,n\n1,{k}\n,\n2,5\n"), label=str(k)) for k in range(2))
    survey = otter.open_survey(book, otter.Waves(waves=waves))
    assert survey.responses.blank is not None and survey.responses.blank.tolist() == [False, True, False] * 2
    assert survey.table("q", "wave").people == 4


def test_the_question_of_the_waves_may_be_the_codebooks_own(tmp_path: Path) -> None:
    own = (
        BOOK
        + "  wave: {kind: single, label: Quarter, answers: {4: Spring, 3: Summer, 2: Autumn, 1: Winter}}\n"
    )
    survey = otter.open_survey(otter.codebook_from_text(own), as_fielded(tracker(), tmp_path))
    assert [column.label for column in survey.table("spend", "wave").columns] == [
        "Total",
        "Spring",
        "Summer",
        "Autumn",
        "Winter",
    ]
    assert np.isnan(survey.table("liking", "wave").value("Mean", "Summer"))
    with pytest.raises(
        otter.RequestError, match=r"no answer 'Winter' in the question 'wave' of the codebook"
    ):
        otter.open_survey(
            otter.codebook_from_text(own.replace("Winter", "Wintr")), as_fielded(tracker(), tmp_path)
        )


@given(
    seed=st.integers(0, 10_000),
    cuts=st.lists(st.integers(1, 299), min_size=1, max_size=4, unique=True),
    rows=st.sampled_from([None, 64]),
)
@settings(
    max_examples=4,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
    deadline=None,
)
def test_a_survey_cut_into_files_and_joined_is_the_same_survey(
    seed: int, cuts: list[int], rows: int | None, tmp_path: Path
) -> None:
    """By CSV and frames in turn, in parts or not: the same lines and notes but for where the data are from."""
    frame = pd.DataFrame(law_columns(seed, 300))
    book = otter.codebook_from_text(LAW_BOOK)
    whole = otter.open_survey(book, frame)
    waves = []
    for k, (first, end) in enumerate(zip([0, *sorted(cuts)], [*sorted(cuts), 300], strict=True)):
        piece: Any = frame.iloc[first:end]
        if k % 2:
            piece.to_parquet(tmp_path / f"{k}.parquet")
            piece = tmp_path / f"{k}.parquet"
        waves.append(otter.Wave(data=piece, label=f"File {k}"))
    with pytest.MonkeyPatch.context() as patch:
        if rows is not None:
            patch.setattr(files, "PART_ROWS", rows)
        again = otter.open_survey(book, otter.Waves(waves=tuple(waves), question="file"))
        for name in QUESTIONS:
            one, other = (survey.table(name, ["area", "tried"]) for survey in (whole, again))
            assert [line.label for line in one.lines] == [line.label for line in other.lines]
            for mine, theirs in zip(one.lines, other.lines, strict=True):
                np.testing.assert_array_equal(mine.values, theirs.values, err_msg=f"{name} {mine.label}")
                assert mine.letters == theirs.letters and mine.marks == theirs.marks
            assert one.notes == other.notes


def test_a_wave_more_changes_no_figure_of_the_others(tmp_path: Path) -> None:
    waves = as_fielded(tracker(), tmp_path)
    book = otter.codebook_from_text(BOOK)
    three = otter.open_survey(book, otter.Waves(waves=waves.waves[:3]))
    four = otter.open_survey(book, waves)
    for name in ("region", "liking", "heard", "why", "shops", "spend"):
        one, other = three.table(name, "wave"), four.table(name, "wave")
        for mine, theirs in zip(one.lines, other.lines, strict=True):
            np.testing.assert_array_equal(mine.values[1:4], theirs.values[1:4])
            assert mine.marks[1:4] == theirs.marks[1:4]


def test_waves_with_codebooks_of_their_own_are_counted_by_processes_but_copies_not_on_a_cluster(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from eager_otter.counting.cluster import OnCluster

    waves = as_fielded(tracker(people=200), tmp_path)
    book = otter.codebook_from_text(BOOK)
    own = tuple(
        replace(wave, codebook=otter.codebook_from_text(BOOK)) if k == 3 else wave
        for k, wave in enumerate(waves.waves)
    )
    whole = otter.open_survey(book, replace(waves, waves=own))
    monkeypatch.setattr(files, "PART_ROWS", 64)
    parts = otter.open_survey(book, replace(waves, waves=own))
    for one, other in zip(
        whole.table("spend", "wave").lines,
        replace(parts, runner=Processes(2)).table("spend", "wave").lines,
        strict=True,
    ):
        np.testing.assert_allclose(one.values, other.values, rtol=1e-12)
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    copied = otter.open_survey(book, waves)
    with pytest.raises(otter.RequestError, match="save the data as Parquet there"):
        replace(copied, runner=OnCluster(client=None)).table("spend")


def test_waves_are_counted_in_parts_and_by_processes_alike(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    waves = as_fielded(tracker(people=200), tmp_path)
    waves.waves[3].data.to_parquet(tmp_path / "winter.parquet")
    waves = replace(
        waves, waves=(*waves.waves[:3], replace(waves.waves[3], data=tmp_path / "winter.parquet"))
    )
    book = otter.codebook_from_text(BOOK)
    whole = otter.open_survey(book, waves)
    monkeypatch.setattr(files, "PART_ROWS", 64)
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    parts = otter.open_survey(book, waves)
    assert parts.responses.in_parts
    for name in ("region", "liking", "heard", "why", "spend"):
        lines = [
            survey.table(name, "wave").lines for survey in (whole, parts, replace(parts, runner=Processes(2)))
        ]
        for one, two, three in zip(*lines, strict=True):
            np.testing.assert_allclose(one.values, two.values, rtol=1e-12)
            np.testing.assert_array_equal(two.values, three.values)


PLAN = """
data:
  files:
    - {file: spring.csv, label: Spring, changes: {not offered: {heard: Quillwater}}}
    - file: summer.parquet
      label: Summer
      changes: {not asked: [liking]}
    - {file: autumn.csv, label: Autumn, changes: {columns: {outlay: spend, gewicht: wt}, codes: {region: {3: 1, 1: 2, 2: 3}, shops: {A: 1, B: 2, C: 3}, why: {13: 1, 1: 3}}}}
codebook: book.yaml
banners: {main: [{question: wave, against: previous}]}
tables: [{each: all}]
outputs: [out.csv]
"""


def test_a_plan_of_several_files(tmp_path: Path, write: Write) -> None:
    waves = tracker()
    as_fielded(waves, tmp_path)
    write("book.yaml", BOOK)
    plan = otter.read_plan(write("plan.yaml", PLAN))
    assert [path.name for path in plan.inputs[-3:]] == ["spring.csv", "summer.parquet", "autumn.csv"]
    report = otter.run(plan)
    heard = report.table("heard")
    assert heard.value("Tarn", "Spring") == pytest.approx(
        weighted_share(waves["Spring"], waves["Spring"]["h_1"] == 1)
    )
    assert str(report.survey.source).startswith(
        "3 files, 270 rows (spring.csv 90, summer.parquet 90, autumn.csv 90)"
    )
    asked = plan.codebook.question("liking").asked
    assert asked is not None and asked.text == "wave in (1, 3)"
    assert report.survey.codebook.question("liking").asked == asked
    again = otter.plan_of(plan.definition(), folder=tmp_path)
    assert again.data == plan.data


def test_files_by_a_pattern_are_called_by_their_names(tmp_path: Path, write: Write) -> None:
    (tmp_path / "waves").mkdir()
    for name in ("2026-2", "2026-1"):
        write(f"waves/{name}.csv", "q\n1\n2\n")
    write("book.yaml", "questions: {q: {kind: single, answers: {1: Yes, 2: No}}}\n")
    plan = write(
        "plan.yaml", "data: {files: 'waves/*.csv'}\ncodebook: book.yaml\nbanners: {b: [wave]}\ntables: [q]\n"
    )
    assert [column.label for column in otter.run(plan).tables[0].columns] == ["Total", "2026-1", "2026-2"]
    with pytest.raises(otter.DocumentError, match=r"no file fits 'wave/\*.csv'"):
        otter.read_plan(write("plan.yaml", plan.read_text(encoding="utf-8").replace("waves/", "wave/")))


@pytest.mark.parametrize(
    ("data", "message"),
    [
        ("{}", "name one file .* or several"),
        ("{file: a.csv, files: [a.csv]}", "name one file .* or several"),
        ("{file: a.csv, question: wave}", "question and label go with several files"),
        ("{files: [a.csv], sheet: One}", "how a file is read stands beside each"),
        ("{files: [{file: a.csv, label: A}, {file: b.csv, label: A}]}", "Two waves have the label 'A'"),
        ("{files: [a.csv, a.csv]}", "Two waves have the label 'a'"),
        ("{files: [{file: a.csv, label: A}, {file: a.csv, label: B}]}", "a.csv is listed twice"),
        ("{files: [a.csv], question: ''}", "needs a name; found ''"),
        ("{files: [{file: a.csv, changes: {not asked: [nowhere]}}]}", "No question 'nowhere'"),
        ("{files: [{file: a.csv, changes: {asked: [q]}}]}", "asked"),
    ],
)
def test_plans_of_files_that_cannot_be(write: Write, data: str, message: str) -> None:
    write("book.yaml", "questions: {q: {kind: single, answers: {1: Yes, 2: No}}}\n")
    plan = write("plan.yaml", f"data: {data}\ncodebook: book.yaml\ntables: [q]\n")
    with pytest.raises(otter.DocumentError, match=message):
        otter.read_plan(plan)


def test_the_question_of_the_waves_may_have_a_name_of_two_words() -> None:
    frames = list(tracker().values())[:2]
    waves = tuple(
        otter.Wave(data=frame, label=str(k), changes=otter.WaveChanges(not_asked=("liking",) if k else ()))
        for k, frame in enumerate((frames[0], frames[1].drop(columns="liking")))
    )
    survey = otter.open_survey(
        otter.codebook_from_text(BOOK), otter.Waves(waves=waves, question="first wave", label="W")
    )
    asked = survey.codebook.question("liking").asked
    assert asked is not None and asked.text == "`first wave` in (1)"
    assert survey.filtered(asked.text).table("liking", "first wave").people == 90
    assert survey.overview("liking")


def test_columns_of_other_types_are_joined_as_texts_that_keep_their_numbers() -> None:
    book = otter.codebook_from_text("questions: {n: {kind: number}, t: {kind: text}}")
    value = 0.1 + 0.2
    waves = otter.Waves(
        waves=(
            otter.Wave(data=pa.table({"n": pa.array([value, 2.5]), "t": pa.array(["a", None])}), label="A"),
            otter.Wave(data=pa.table({"n": pa.array(["7", "1.5"]), "t": pa.array([3, 4])}), label="B"),
        )
    )
    survey = otter.open_survey(book, waves)
    assert survey.responses.answers("n").values.tolist() == [value, 2.5, 7.0, 1.5]  # type: ignore[union-attr]
    assert survey.responses.answers("t").texts.tolist() == ["a", "", "3", "4"]  # type: ignore[union-attr]


@pytest.mark.parametrize("filter_text", [None, "region in (1, 2)"])
@pytest.mark.parametrize("weighted", [True, False])
def test_waves_made_equal_have_one_sum_past_the_filter(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]], filter_text: str | None, weighted: bool
) -> None:
    """Figures within a wave stay; the Total is the plain mean of those of the waves, whatever these weigh."""
    survey, _ = joined
    survey = survey if weighted else survey.weighted_by(None)
    equal = survey.with_equal_waves("wave").filtered(filter_text)
    plain, evened = (one.table("spend", "wave") for one in (survey.filtered(filter_text), equal))
    bases = next(line for line in evened.lines if line.label == "Base (weighted)").values
    np.testing.assert_allclose(bases[1:], bases[0] / 4)
    whole = plain.lines[1].values[0] if weighted else plain.lines[0].values[0]
    assert bases[0] == pytest.approx(whole)
    waves = [plain.value("Mean", wave) for wave in ("Spring", "Summer", "Autumn", "Winter")]
    np.testing.assert_allclose(
        [evened.value("Mean", wave) for wave in ("Spring", "Summer", "Autumn", "Winter")], waves
    )
    assert evened.value("Mean", "Total") == pytest.approx(np.mean(waves))
    if weighted or filter_text:
        assert plain.value("Mean", "Total") != pytest.approx(np.mean(waves), rel=1e-6)
    assert any("equal sums in each Wave" in note for note in evened.notes)
    back = equal.with_equal_waves(None).table("spend", "wave")
    np.testing.assert_array_equal(back.lines[-1].values, plain.lines[-1].values)


def test_another_filter_makes_waves_equal_anew(joined: tuple[otter.Survey, dict[str, pd.DataFrame]]) -> None:
    """Also where it keeps nobody whom the one before kept."""
    survey, _ = joined
    one = survey.filtered("region == 1").with_equal_waves("wave").filtered("region == 2")
    other = survey.filtered("region == 2").with_equal_waves("wave")
    for mine, theirs in zip(
        one.table("spend", "wave").lines, other.table("spend", "wave").lines, strict=True
    ):
        np.testing.assert_array_equal(mine.values, theirs.values)


def test_a_plan_makes_waves_equal(tmp_path: Path, write: Write) -> None:
    as_fielded(tracker(), tmp_path)
    write("book.yaml", BOOK)
    plan = write("plan.yaml", PLAN.replace("codebook: book.yaml", "codebook: book.yaml\nequal waves: wave"))
    report = otter.run(plan)
    bases = next(line for line in report.table("region").lines if line.label == "Base (weighted)").values
    everyone = report.survey.table("spend", "wave").lines[1].values
    np.testing.assert_allclose(everyone[1:], everyone[0] / 3)
    assert report.weight == "wt, equal sums in each Wave" and len(bases) == 4
    with pytest.raises(otter.DocumentError, match="heard is of kind multi; a single question was expected"):
        otter.read_plan(
            write("plan.yaml", plan.read_text(encoding="utf-8").replace("waves: wave", "waves: heard"))
        )
    with pytest.raises(otter.RequestError, match="heard is of another kind"):
        report.survey.with_equal_waves("heard")


def test_waves_are_tested_against_those_a_year_before() -> None:
    frames = list(tracker(people=400).values())
    frames[2] = frames[2].assign(h_1=1)  # autumn, of whom all have heard of Tarn
    months = ("2025-03", "2025-09", "2026-09", "2026-03")
    waves = tuple(
        otter.Wave(data=frame, label=month, date=month) for frame, month in zip(frames, months, strict=True)
    )
    book = otter.codebook_from_text(BOOK)
    survey = otter.open_survey(book, otter.Waves(waves=waves))
    banner = otter.Banner(groups=(otter.BannerGroup(question="wave", against="year before"),))
    table = survey.table("heard", banner)
    tarn = next(line for line in table.body if line.label == "Tarn")
    assert tarn.evidence is not None and tarn.evidence.tested is not None
    assert tarn.evidence.tested.comparisons.pairs.tolist() == [[3, 2], [4, 1]]
    assert tarn.letters[3] == "▲" and not any(tarn.letters[k] for k in (0, 1, 2))
    assert any("the column of the same month a year before" in note for note in table.notes)
    with pytest.raises(otter.RequestError, match="year before is for waves that have a date"):
        survey.table(
            "heard", otter.Banner(groups=(otter.BannerGroup(question="region", against="year before"),))
        )
    for wrong in ("March", "2026-13", "2026-02-30", "2026-3-1", "20260301"):
        with pytest.raises(
            otter.RequestError,
            match=f"One: its date is a month, such as 2026-03, or a day of it; found '{wrong}'",
        ):
            otter.open_survey(book, otter.Waves(waves=(otter.Wave(data=frames[0], label="One", date=wrong),)))
    days = tuple(replace(wave, date=f"{wave.date}-28") for wave in waves)
    by_day = otter.open_survey(book, otter.Waves(waves=days)).table("heard", banner)
    assert next(line for line in by_day.body if line.label == "Tarn").letters == tarn.letters


def test_the_audit_says_where_to_write_that_one_file_has_other_codes(tmp_path: Path, write: Write) -> None:
    frames = {name: frame.assign(sex="f") for name, frame in tracker(people=60).items()}
    for k, frame in enumerate(frames.values(), 1):
        (frame.assign(sex="2") if k == 2 else frame).to_csv(tmp_path / f"{k}.csv", index=False)
    write("book.yaml", "questions:\n  sex: {kind: single, answers: {f: Women, m: Men}}\n")
    plan = "data: {files: [1.csv, 2.csv]}\ncodebook: book.yaml\ntables: [sex]\n"
    slips = {slip.name: slip for slip in otter.run_audit(otter.read_plan(write("plan.yaml", plan))).slips}
    assert slips["unknown code"].remedy.endswith(
        "Where one file has other codes, say so under its 'changes' (codes)."
    )
    said = plan.replace("[1.csv, 2.csv]", "[1.csv, {file: 2.csv, changes: {codes: {sex: {2: f}}}}]")
    assert "unknown code" not in {
        slip.name for slip in otter.run_audit(otter.read_plan(write("plan.yaml", said))).slips
    }
    of_one = write("plan.yaml", plan.replace("{files: [1.csv, 2.csv]}", "2.csv"))
    slips = {slip.name: slip for slip in otter.run_audit(otter.read_plan(of_one)).slips}
    assert "changes" not in slips["unknown code"].remedy


def test_a_wrong_date_of_a_wave_is_told_at_its_place_and_nothing_that_follows_from_it(
    tmp_path: Path, write: Write
) -> None:
    """That there is no question of the waves was told beside it."""
    as_fielded(tracker(), tmp_path)
    write("book.yaml", BOOK)
    plan = """\
        data:
          files:
            - {file: spring.csv, label: Spring, date: 2026-03-31}
            - {file: autumn.csv, label: Autumn, date: 09/2026}
        codebook: book.yaml
        banners: {main: [wave]}
        tables: [{question: spend, banner: main, filter: "wave == 1"}]
        """
    with pytest.raises(otter.DocumentError) as error:
        otter.read_plan(write("plan.yaml", plan))
    assert (
        message_of(error, tmp_path).startswith(
            "plan.yaml:4:47: Autumn: its date is a month, such as 2026-03, or a day of it; found '09/2026'.\n"
        )
        and len(error.value.problems) == 1
    )
    with pytest.raises(otter.DocumentError) as error:
        otter.read_plan(write("plan.yaml", plan.replace("label: Autumn, date: 09/2026", "label: Spring")))
    assert [problem.message for problem in error.value.problems] == [
        "Two waves have the label 'Spring'; each needs one of its own."
    ]


def test_previous_passes_over_a_wave_that_was_not_asked_also_with_everyone_as_the_base(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]],
) -> None:
    survey, _ = joined
    banner = otter.Banner(groups=(otter.BannerGroup(question="wave", against="previous"),))
    for base in ("answered", "all"):
        line = next(line for line in survey.table("liking", banner, base=base).body if line.label == "Good")
        assert line.evidence is not None and line.evidence.tested is not None
        pairs = line.evidence.tested.comparisons.pairs
        made = pairs[~np.isnan(line.evidence.tested.p_value[line.evidence.row])]
        assert made.tolist() == [[3, 1], [4, 3]]


def test_rolling_waves_hold_several_each_and_share_people(
    joined: tuple[otter.Survey, dict[str, pd.DataFrame]],
) -> None:
    """As the same columns written one by one are, which are tested as what shares people."""
    survey, waves = joined
    rolling = otter.Banner(groups=(otter.BannerGroup(question="wave", rolling=2, against="previous"),))
    written = otter.Banner(
        groups=(
            otter.BannerGroup(
                label="Wave",
                columns=tuple((f"{a} – {b}", f'wave in ("{a}", "{b}")') for a, b in pairwise(waves)),
                against="previous",
            ),
        )
    )
    for name in ("spend", "heard", "liking"):
        one, other = survey.table(name, rolling), survey.table(name, written)
        assert [column.label for column in one.columns] == [
            "Total", "Spring – Summer", "Summer – Autumn", "Autumn – Winter",
        ]  # fmt: skip
        for mine, theirs in zip(one.lines, other.lines, strict=True):
            np.testing.assert_array_equal(mine.values, theirs.values)
            assert mine.letters == theirs.letters and mine.marks == theirs.marks
            if mine.evidence is not None and mine.evidence.tested is not None:
                assert theirs.evidence is not None and theirs.evidence.tested is not None
                np.testing.assert_array_equal(mine.evidence.tested.p_value, theirs.evidence.tested.p_value)
    together = pd.concat([waves["Summer"], waves["Autumn"]])
    value = survey.table("spend", rolling).value("Mean", "Summer – Autumn")
    assert value == pytest.approx(np.average(together["spend"], weights=together["wt"]))
    for group, message in (
        (
            otter.BannerGroup(question="wave", rolling=5),
            "5 answers a column were asked for; from 2 to the 4 of wave",
        ),
        (otter.BannerGroup(question="heard", rolling=2), "go with a single question"),
    ):
        with pytest.raises(otter.RequestError, match=message):
            survey.table("spend", otter.Banner(groups=(group,)))


def test_rolling_waves_of_a_plan(tmp_path: Path, write: Write) -> None:
    as_fielded(tracker(), tmp_path)
    write("book.yaml", BOOK)
    text = PLAN.replace("{question: wave, against: previous}", "{question: wave, rolling: 2, trend: true}")
    report = otter.run(write("plan.yaml", text))
    assert [column.label for column in report.table("spend").columns][1:3] == [
        "Spring – Summer",
        "Summer – Autumn",
    ]
    with pytest.raises(otter.DocumentError, match="rolling goes with a question"):
        otter.read_plan(
            write("plan.yaml", text.replace("question: wave, rolling", "columns: {a: spend > 1}, rolling"))
        )
