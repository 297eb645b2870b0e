"""Several files drafted as waves: what they share is one question, what one lacks is said, and the plan runs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.drafting.facts import facts_of, facts_together
from eager_otter.drafting.waves import _merged_order, labels_of

Run = Callable[..., tuple[int, str, str]]
BREADS = ("Rye", "Wheat", "Spelt", "Corn")


def visitors(seed: int, people: int) -> pd.DataFrame:
    """Make up visitors of a bakery: a region, an age, breads ticked, a grid, a sum spent."""
    rng = np.random.default_rng(seed)
    data: dict[str, object] = {
        "id": np.arange(1, people + 1),
        "area": rng.choice(["Hill", "Harbour", "Old town"], people),
        "age": rng.integers(16, 80, people),
        "liking": rng.choice(["Poor", "Fair", "Good", "Very good"], people),
    }
    data |= {f"bread_{name.lower()}": (rng.random(people) < 0.4).astype(int) for name in BREADS}
    data |= {f"rate_{k}": rng.choice(["Disagree", "Neither", "Agree"], people) for k in (1, 2, 3)}
    data["spend"] = np.round(rng.gamma(2, 4, people), 2)
    return pd.DataFrame(data)


@pytest.fixture
def waves(tmp_path: Path) -> dict[str, pd.DataFrame]:
    """Three files in a folder, which differ in what they ask."""
    frames = {
        "bakery_2026-autumn": visitors(3, 310).assign(open_late=["Yes", "No"] * 155),
        "bakery_2025-autumn": visitors(1, 250).drop(columns=["bread_corn", "rate_3"]),
        "bakery_2026-spring": visitors(2, 280).drop(columns=["spend"]),
    }
    for name, frame in frames.items():
        frame.to_csv(tmp_path / f"{name}.csv", index=False)
    return frames


def test_the_plan_of_waves_runs_untouched_and_counts_each_wave_right(
    waves: dict[str, pd.DataFrame], tmp_path: Path
) -> None:
    drafted = otter.draft([tmp_path / f"{name}.csv" for name in waves])
    drafted.save(tmp_path)
    plan = otter.read_plan(tmp_path / "plan.yaml")
    entries = yaml.safe_load(drafted.plan)["data"]
    assert [one["label"] for one in entries["files"]] == ["2025-autumn", "2026-spring", "2026-autumn"]
    assert any("in the order of time: 2025-autumn, 2026-spring, 2026-autumn" in line for line in drafted.told)
    changes = [one.get("changes", {}) for one in entries["files"]]
    assert changes[0] == {"not asked": ["rate.rate_3", "open_late"], "not offered": {"bread": ["corn"]}}
    assert changes[1] == {"not asked": ["spend", "open_late"]} and changes[2] == {}
    report = otter.run(plan)
    in_order = [waves[f"bakery_{one['label']}"] for one in entries["files"]]
    labels = [one["label"] for one in entries["files"]]
    assert report.survey is not None
    area, spend, late = (report.survey.table(name, banner="wave") for name in ("area", "spend", "open_late"))
    for frame, label in zip(in_order, labels, strict=True):
        assert area.value("Hill", label) == pytest.approx(100 * (frame["area"] == "Hill").mean())
        asked = "spend" in frame
        assert np.isnan(spend.value("Mean", label)) != asked
        if asked:
            assert spend.value("Mean", label) == pytest.approx(frame["spend"].mean())
        if "open_late" in frame:
            assert late.value("Yes", label) == pytest.approx(100 * (frame["open_late"] == "Yes").mean())
    together = pd.concat(in_order)
    assert area.value("Hill", "Total") == pytest.approx(100 * (together["area"] == "Hill").mean())
    ids = [guess for guess in drafted.guesses if guess.role == "respondent"]
    assert [guess.columns for guess in ids] == [("id",)]  # though each number stands in all files


@given(cuts=st.lists(st.integers(40, 260), min_size=1, max_size=3, unique=True), seed=st.integers(0, 99))
@settings(deadline=None)
def test_a_file_cut_into_waves_is_drafted_as_it_is_whole(
    tmp_path_factory: pytest.TempPathFactory, cuts: list[int], seed: int
) -> None:
    folder, whole = tmp_path_factory.mktemp("cut"), visitors(seed, 300)
    whole.to_csv(folder / "all.csv", index=False)
    edges = [0, *sorted(cuts), 300]
    paths = [folder / f"wave {k}.csv" for k in range(1, len(edges))]
    for path, start, stop in zip(paths, edges, edges[1:], strict=False):
        whole.iloc[start:stop].to_csv(path, index=False)
    once, cut = otter.draft(folder / "all.csv"), otter.draft(paths)
    assert [(one.role, one.name, one.columns, one.answers) for one in cut.guesses] == [
        (one.role, one.name, one.columns, one.answers) for one in once.guesses
    ]
    assert "changes:" not in cut.plan
    files = yaml.safe_load(cut.plan)["data"]["files"]
    assert [one["label"] for one in files] == [f"wave {k}" for k in range(1, len(edges))]


def test_a_column_that_may_have_another_name_is_asked_about_and_can_be_put_right(tmp_path: Path) -> None:
    visitors(1, 200).to_csv(tmp_path / "spring.csv", index=False)
    visitors(2, 200).rename(columns={"spend": "spend_eur"}).to_csv(tmp_path / "summer.csv", index=False)
    drafted = otter.draft([tmp_path / "spring.csv", tmp_path / "summer.csv"])
    assert "# check: is spend_eur here what spend is elsewhere?" in drafted.plan
    assert "summer.csv: spend_eur may be what spend is in other files; see the plan." in drafted.told
    told = "columns: {spend_eur: spend}"
    assert told in drafted.plan
    plan = yaml.safe_load(drafted.plan)
    plan["data"]["files"][0].pop("changes")
    plan["data"]["files"][1]["changes"] = yaml.safe_load(told.replace("columns:", "{columns:") + "}")
    book = yaml.safe_load(drafted.codebook)
    del book["questions"]["spend_eur"]
    report = otter.run(otter.plan_of(plan, codebook=otter.codebook_of(book), folder=tmp_path))
    both = pd.concat([visitors(1, 200), visitors(2, 200)])
    assert report.table("spend").value("Mean", "Total") == pytest.approx(both["spend"].mean())


def test_a_column_with_the_same_answers_may_be_one_whatever_its_name(tmp_path: Path) -> None:
    visitors(1, 200).to_csv(tmp_path / "spring.csv", index=False)
    other = visitors(2, 200).rename(columns={"liking": "q7", "age": "year_of_birth"})
    other.to_csv(tmp_path / "summer.csv", index=False)
    plan = otter.draft([tmp_path / "spring.csv", tmp_path / "summer.csv"]).plan
    assert "is q7 here what liking is elsewhere?" in plan and "is year_of_birth here" not in plan


def test_rows_of_a_file_without_a_column_hold_nothing_in_it() -> None:
    together = facts_together(
        [facts_of("a", pa.array(["x", "y", "x"])), 4, facts_of("a", pa.array(["z", "x"]))]
    )
    assert (together.texts, together.counts) == (("x", "y", "z"), (3, 1, 1))
    assert (together.rows, together.filled) == (9, 5)
    assert together.given.tolist() == [True] * 3 + [False] * 4 + [True] * 2


def test_codes_in_one_file_and_words_in_another_are_asked_about(tmp_path: Path) -> None:
    first, second = visitors(1, 200), visitors(2, 200)
    codes = {"Hill": 1, "Harbour": 2, "Old town": 3}
    first.assign(area=first["area"].map(codes)).to_csv(tmp_path / "w1.csv", index=False)
    second.to_csv(tmp_path / "w2.csv", index=False)
    drafted = otter.draft([tmp_path / "w1.csv", tmp_path / "w2.csv"])
    (area,) = [guess for guess in drafted.guesses if guess.name == "area"]
    assert any("codes in w1.csv and words in w2.csv" in doubt for doubt in area.doubts)
    assert not [guess for guess in drafted.guesses if guess.doubts and guess is not area]


def test_files_are_read_as_each_of_them_is_written(tmp_path: Path) -> None:
    first, second = visitors(1, 200), visitors(2, 200)
    first.to_csv(tmp_path / "w1.csv", index=False)
    second.to_csv(tmp_path / "w2.csv", index=False, sep=";", decimal=",")
    second.to_parquet(tmp_path / "w3.parquet")
    names = ["w1.csv", "w2.csv", "w3.parquet"]
    drafted = otter.draft([tmp_path / name for name in names])
    drafted.save(tmp_path)
    table = otter.run(tmp_path / "plan.yaml").table("spend")
    for label, frame in zip(["w1", "w2", "w3"], [first, second, second], strict=True):
        assert table.value("Mean", label) == pytest.approx(frame["spend"].mean())


def mentions(tmp_path: Path, without: str) -> tuple[otter.Draft, pd.DataFrame]:
    """Draft two files with three mentions, of which the second lacks a column."""
    rng = np.random.default_rng(4)
    brands = ["Tarn", "Birk", "Fjell", "Skerrow", "Quill"]
    drawn = [rng.permutation(brands)[: rng.integers(1, 4)] for _ in range(200)]
    columns = {f"named_{k + 1}": [one[k] if k < len(one) else "" for one in drawn] for k in range(3)}
    whole = pd.DataFrame({"id": range(200), **columns})
    whole.to_csv(tmp_path / "w1.csv", index=False)
    whole.drop(columns=[without]).to_csv(tmp_path / "w2.csv", index=False)
    return otter.draft([tmp_path / "w1.csv", tmp_path / "w2.csv"]), whole


def test_a_file_with_fewer_columns_of_mentions_is_read_and_tells_so(tmp_path: Path) -> None:
    drafted, whole = mentions(tmp_path, "named_3")
    (named,) = [guess for guess in drafted.guesses if guess.role == "mentions"]
    assert not named.doubts
    drafted.save(tmp_path)
    report = otter.run(tmp_path / "plan.yaml")
    told = "w2: named has fewer columns here, without named_3: nobody gave so many mentions."
    table = report.table("named")
    assert told in [str(note) for note in table.notes]
    for label, columns in (("w1", 3), ("w2", 2)):
        given = whole.iloc[:, 1 : columns + 1].eq("Tarn").any(axis=1)
        assert table.value("Tarn", label) == pytest.approx(100 * given.mean())
    slips = {(slip.name, slip.where) for slip in otter.run_audit(tmp_path / "plan.yaml").slips}
    assert ("fewer mentions", "named_1, named_2, named_3") in slips


def test_a_column_of_mentions_that_is_lacking_between_others_stops_the_run(tmp_path: Path) -> None:
    mentions(tmp_path, "named_2")
    book = otter.codebook_from_text(otter.draft(tmp_path / "w1.csv").codebook)
    files = [{"file": f"{name}.csv", "label": name} for name in ("w1", "w2")]
    plan = otter.plan_of({"data": {"files": files}, "tables": ["named"]}, codebook=book, folder=tmp_path)
    with pytest.raises(otter.DataError, match=r"w2\.csv: 'named_2'"):
        otter.run(plan)


def test_the_command_drafts_waves_and_tells_what_is_new_beside_a_codebook(
    run: Run, waves: dict[str, pd.DataFrame], tmp_path: Path
) -> None:
    files = ["bakery_2025-autumn.csv", "bakery_2026-spring.csv", "bakery_2026-autumn.csv"]
    assert {Path(name).stem for name in files} == set(waves)
    code, out, err = run("draft", *files[:2], cwd=tmp_path)
    assert code == 0 and out.splitlines() == ["codebook.yaml", "plan.yaml"], err
    code, out, err = run("run", "--only", "area", cwd=tmp_path)
    assert code == 0, err
    code, out, err = run("draft", *files, cwd=tmp_path)
    assert code == 1 and "open_late" in out + err and not (tmp_path / "plan-2.yaml").exists()


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (["spring.csv"], "Waves are drafted from two files or more, each named once"),
        (["spring.csv", "spring.csv"], "each named once"),
        (["spring.csv", pd.DataFrame({"a": [1]})], "a frame is drafted by itself"),
        (["spring.csv", "gone.csv"], "gone.csv"),
    ],
)
def test_what_are_no_waves_is_told(tmp_path: Path, data: list[object], message: str) -> None:
    visitors(1, 50).to_csv(tmp_path / "spring.csv", index=False)
    with pytest.raises(otter.OtterError, match=message):
        otter.draft([tmp_path / one if isinstance(one, str) else one for one in data])


def test_a_wave_that_the_data_have_already_is_not_made_again(tmp_path: Path) -> None:
    for k in (1, 2):
        visitors(k, 100).assign(wave=k).to_csv(tmp_path / f"w{k}.csv", index=False)
    drafted = otter.draft([tmp_path / "w1.csv", tmp_path / "w2.csv"])
    assert yaml.safe_load(drafted.plan)["data"]["question"] == "delivery"
    drafted.save(tmp_path)
    assert otter.run(tmp_path / "plan.yaml").table("delivery").value("w1", "Total") == pytest.approx(50)


def test_the_question_that_files_make_has_a_name_of_its_own(tmp_path: Path) -> None:
    for k in (1, 2):
        frame = visitors(k, 100).rename(columns={"area": "Wave?"})
        frame.to_csv(tmp_path / f"w{k}.csv", index=False)
    drafted = otter.draft([tmp_path / "w1.csv", tmp_path / "w2.csv"])
    made = yaml.safe_load(drafted.plan)["data"]["question"]
    assert made not in {guess.name for guess in drafted.guesses}
    drafted.save(tmp_path)
    assert otter.run(tmp_path / "plan.yaml").table(made).value("w1", "Total") == pytest.approx(50)


def test_thousands_of_columns_are_put_in_one_order_soon() -> None:
    names = [f"c{k}" for k in range(40_000)]
    mixed = [*names[:20_000], "new", *names[20_000:], "last"]
    order = _merged_order([names, mixed, names[::2]])
    assert order == mixed


@pytest.mark.parametrize(
    ("names", "labels"),
    [
        (["tracker_2025-autumn", "tracker_2026-spring"], ["2025-autumn", "2026-spring"]),
        (["wave_1_final", "wave_2_final"], ["wave 1", "wave 2"]),
        (["spring", "summer"], ["spring", "summer"]),
        (["a b", "a b c"], ["b", "b c"]),
        (["same x", "same x"], ["same x", "same x"]),
    ],
)
def test_labels_are_what_tells_files_apart(names: list[str], labels: list[str]) -> None:
    assert labels_of(names) == labels


def test_files_of_one_name_are_labelled_by_their_folders(tmp_path: Path) -> None:
    for k, season in enumerate(("spring 2026", "autumn 2025")):
        (tmp_path / season).mkdir()
        visitors(k, 60).to_csv(tmp_path / season / "data.csv", index=False)
    paths = [tmp_path / "spring 2026" / "data.csv", tmp_path / "autumn 2025" / "data.csv"]
    drafted = otter.draft(paths, folder=tmp_path)
    files = yaml.safe_load(drafted.plan)["data"]["files"]
    assert [(one["file"], one["label"]) for one in files] == [
        ("autumn 2025/data.csv", "autumn 2025"),
        ("spring 2026/data.csv", "spring 2026"),
    ]
