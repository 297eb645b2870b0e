"""Raking against an independent computation, with caps, nesting, parts and totals; every error by name."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import optimize

import eager_otter as otter
from eager_otter.codebook.reading import codebook_from_text
from eager_otter.core.raking import Margin, rake

Write = Callable[..., Path]
BOOK = """
respondent: rid
questions:
  sex: {kind: single, answers: {1: Woman, 2: Man, 9: {label: Not said, missing: true}}}
  area: {kind: single, answers: {1: North, 2: East, 3: South}}
  wave: {kind: single, answers: {1: Spring, 2: Autumn}}
"""


def people(seed: int = 1, n: int = 300) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    return pd.DataFrame(
        {
            "rid": range(1, n + 1),
            "sex": rng.choice([1, 2], n, p=[0.6, 0.4]),
            "area": rng.choice([1, 2, 3], n, p=[0.5, 0.3, 0.2]),
            "wave": np.repeat([1, 2], n // 2),
            "start": rng.uniform(0.5, 2, n),
        }
    )


def shares(frame: pd.DataFrame, by: str, weights: np.ndarray) -> dict[int, float]:
    sums = pd.Series(weights).groupby(frame[by].to_numpy()).sum()
    return (100 * sums / sums.sum()).to_dict()


TARGETS = {"sex": {"Woman": 51, "Man": 49}, "area": {"North": 30, "East": 45, "South": 25}}


def minimum_discrimination(start: np.ndarray, table: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Raked weights another way: minimise their discrimination from the start by its dual (Ireland & Kullback 1968)."""

    def dual(x: np.ndarray) -> tuple[float, np.ndarray]:
        w = start * np.exp(table.T @ x)
        return float(w.sum() - wanted @ x), table @ w - wanted

    found = optimize.minimize(
        dual, np.zeros(len(table)), jac=True, method="BFGS", options={"gtol": 1e-12, "maxiter": 9000}
    )
    return np.asarray(start * np.exp(table.T @ found.x))


def test_raking_agrees_with_the_minimum_of_discrimination() -> None:
    frame = people()
    survey = otter.open_survey(otter.codebook_from_text(BOOK), frame)
    made = otter.weigh(survey, TARGETS, start="start")
    sex, area = frame["sex"].to_numpy(), frame["area"].to_numpy()
    table = np.array([sex == 1, sex == 2, area == 1, area == 2], float)
    expected = minimum_discrimination(
        frame["start"].to_numpy(), table, 300 * np.array([0.51, 0.49, 0.30, 0.45])
    )
    np.testing.assert_allclose(made.weights, expected / expected.mean(), rtol=1e-5)
    assert shares(frame, "area", made.weights) == pytest.approx({1: 30, 2: 45, 3: 25}, abs=1e-6)
    assert made.weights.mean() == pytest.approx(1) and made.worst <= 1e-9
    assert made.effective_base == pytest.approx(made.weights.sum() ** 2 / (made.weights**2).sum())


@given(st.integers(0, 10_000), st.floats(1.3, 4))
def test_with_a_cap_the_targets_hold_and_no_weight_exceeds_it(seed: int, cap: float) -> None:
    rng = np.random.default_rng(seed)
    margins = [
        Margin(rng.integers(0, 2, 200), np.array([0.5, 0.5])),
        Margin(rng.integers(0, 3, 200), np.array([0.4, 0.35, 0.25])),
    ]
    start = rng.lognormal(0, 0.8, 200)
    raked = rake(start, margins, cap=cap)
    if not raked.met:
        return
    assert raked.weights.max() <= cap * raked.weights.mean() * (1 + 1e-6)
    for margin in margins:
        found = np.bincount(margin.categories, raked.weights) / raked.weights.sum()
        np.testing.assert_allclose(found, margin.shares, atol=2e-9)
    free = raked.weights < cap * (1 - 1e-9)
    factors = np.log(raked.weights[free] / start[free])  # below the cap: start × one factor per category
    table = np.array([m.categories[free] == k for m in margins for k in range(m.shares.size)], float).T
    solution, *_ = np.linalg.lstsq(table, factors, rcond=None)
    np.testing.assert_allclose(table @ solution, factors, atol=1e-6)


@given(st.integers(0, 10_000), st.floats(0.1, 50))
def test_starting_weights_times_a_constant_change_nothing(seed: int, k: float) -> None:
    rng = np.random.default_rng(seed)
    margin = Margin(rng.integers(0, 3, 90), np.array([0.2, 0.3, 0.5]))
    start = rng.uniform(0.2, 3, 90)
    np.testing.assert_allclose(rake(start, [margin]).weights, rake(start * k, [margin]).weights, rtol=1e-9)


def test_parts_totals_counts_and_zero_targets() -> None:
    frame = people()
    survey = otter.open_survey(otter.codebook_from_text(BOOK), frame)
    made = otter.weigh(survey, {"sex": {"1": 60, "2": 40}}, within="wave", total=5000)
    assert made.weights.sum() == pytest.approx(5000)
    for wave in (1, 2):
        part = (frame["wave"] == wave).to_numpy()
        assert shares(frame[part], "sex", made.weights[part]) == pytest.approx({1: 60, 2: 40})
    by_counts = otter.weigh(
        survey, {"sex": {"1": 300, "2": 100}, "area": {"1": 100, "2": 200, "3": 100}}, counts=True
    )
    assert shares(frame, "area", by_counts.weights) == pytest.approx({1: 25, 2: 50, 3: 25})
    zero = otter.weigh(survey, {"area": {"1": 50, "2": 50, "3": 0}})
    assert set(zero.weights[(frame["area"] == 3).to_numpy()]) == {0.0}
    assert any("with South have target 0 and are out" in note for note in zero.notes)
    off = otter.weigh(survey, {"sex": {"1": 50.05, "2": 50}})
    assert off.notes == ("The targets of sex add up to 100.05 and were scaled to 100.",)


def survey_with(**changes: object) -> otter.Survey:
    return otter.open_survey(otter.codebook_from_text(BOOK), people().assign(**changes))


@pytest.mark.parametrize(
    ("targets", "options", "message"),
    [
        ({"sex": {"1": 50, "2": 40}}, {}, "Targets of sex add up to 90; shares must add up to 100."),
        ({"sex": {"1": 50, "2": 50}, "area": {"1": 50, "2": 40, "3": 20}}, {"counts": True}, "Targets of area add up to 110, those of sex to 100; counts must have the same total for every question."),
        ({"sex": {"1": 50, "Mann": 50}}, {}, "Targets: sex has no answer 'Mann'. Did you mean 'Man' or 'Woman'?"),
        ({"area": {"1": 50, "2": 50}}, {}, "Targets of area: no target for South, which 60 respondents have. Give it one (0 leaves them out)."),
        ({"sxe": {"1": 100}}, {}, "No question 'sxe' in the codebook. Did you mean 'sex'?"),
        ({"sex": {"1": 50, "2": 50}}, {"cap": 1.01}, "The targets cannot be met with this cap; the worst is sex, missed by"),
        ({}, {}, "No targets: name at least one question and the shares of its answers."),
        ({"sex": {"1": 50, "2": 50, "Woman": 0}}, {}, "Targets of sex: Woman appears twice."),
    ],
)  # fmt: skip
def test_targets_that_cannot_be_are_refused(targets: dict, options: dict, message: str) -> None:
    south = int((people()["area"] == 3).sum())
    with pytest.raises(otter.OtterError) as error:
        otter.weigh(survey_with(), targets, **options)
    assert message.replace("60 respondents", f"{south} respondents") in str(error.value)


def test_all_mistakes_of_a_targets_file_are_told_at_once_where_they_stand(
    write: Write, tmp_path: Path, run: Callable[..., tuple[int, str, str]]
) -> None:
    frame = people()
    frame.loc[[4, 8], "sex"] = 9
    frame.loc[frame["wave"].eq(2) & frame["area"].eq(3), "area"] = 2
    frame.to_csv(tmp_path / "d.csv", index=False)
    write("book.yaml", BOOK)
    targets = write(
        "targets.yaml",
        """\
        data: d.csv
        codebook: book.yaml
        within: wave
        targets:
          sex: {Woman: 51, Mann: 49}
          sxe: {1: 100}
          area: {North: 30, East: 45}
        own targets:
          Spring:
            area: {North: 30, East: 45, South: 25}
            sex: {Woman: 50, Man: 50}
          Winter: {area: {North: 100}}
        nested:
          - questions: [sex, area]
            shares: {Woman: {North: 51, West: 9}, Man: {East: 40}}
        """,
    )
    code, _, told = run("weigh", targets)
    assert code == 2
    found = [line.split("targets.yaml:")[1] for line in told.splitlines() if "targets.yaml:" in line]
    south = int(((frame["area"] == 3) & (frame["sex"] < 9)).sum())
    assert [line.split(": ", 1)[0] for line in found] == [
        "5:20",
        "6:3",
        "7:3",
        "7:3",
        "11:5",
        "12:3",
        "15:33",
    ]
    for line, text in zip(
        found,
        (
            "sex has no answer 'Mann'. Did you mean 'Man' or 'Woman'?",
            "No question 'sxe'",
            "add up to 75; shares",
            f"no target for South, which {south + sum((frame['area'] == 3) & (frame['sex'] == 9))} respondents have",
            "2 respondents have no answer to sex: row 5 (rid 5), row 9 (rid 9).",
            "wave has no answer 'Winter'",
            "area has no answer 'West'",
        ),
        strict=True,
    ):
        assert text in line
    assert not (tmp_path / "d-weighted.csv").exists()


def test_answers_without_a_target_are_all_told() -> None:
    with pytest.raises(otter.RequestError) as told:
        otter.weigh(survey_with(), {"area": {"North": 100}, "sex": {"Woman": 100}})
    count = {area: int((people()["area"] == code).sum()) for code, area in ((2, "East"), (3, "South"))}
    men = int((people()["sex"] == 2).sum())
    assert str(told.value) == (
        "2 mistakes.\n"
        f"Targets of area: no target for East ({count['East']} respondents); South ({count['South']} respondents). "
        "Give each one (0 leaves them out).\n"
        f"Targets of sex: no target for Man, which {men} respondents have. Give it one (0 leaves them out)."
    )


def test_all_answers_that_nobody_has_are_told() -> None:
    survey = survey_with(area=1, sex=2)
    with pytest.raises(otter.RequestError) as told:
        otter.weigh(survey, TARGETS)
    assert [line.split(":")[1].split(",")[0] for line in str(told.value).splitlines()[1:]] == [
        " nobody has Woman",
        " nobody has East",
        " nobody has South",
    ]


def test_respondents_without_an_answer_are_refused_or_keep_the_mean_weight() -> None:
    survey = survey_with(sex=[9] * 3 + [1, 2] * 148 + [1])
    with pytest.raises(
        otter.RequestError, match=r"3 respondents have no answer to sex: row 1 \(rid 1\), row 2"
    ):
        otter.weigh(survey, {"sex": {"1": 30, "2": 70}})
    made = otter.weigh(survey, {"sex": {"1": 30, "2": 70}}, mean_where_unanswered=True)
    assert made.weights[:3].tolist() == [1, 1, 1] and made.weights.mean() == pytest.approx(1)
    with pytest.raises(otter.RequestError, match="nobody has South, whose target is above 0"):
        otter.weigh(survey_with(area=1), {"area": {"1": 50, "2": 0, "3": 50}})


def test_the_command_writes_data_that_carry_the_weight(write: Write, tmp_path: Path) -> None:
    from eager_otter.cli import main as entry

    people().to_csv(tmp_path / "d.csv", index=False)
    write("book.yaml", BOOK)
    write("plan.yaml", "data: d.csv\ncodebook: book.yaml\nfilter: wave == 2\ntables: [sex]\n")
    targets = write(
        "targets.yaml",
        """\
        plan: plan.yaml
        cap: 5
        nested:
          - questions: [sex, area]
            shares: {Woman: {North: 20, East: 20, South: 12}, Man: {North: 18, East: 18, South: 12}}
        """,
    )
    with pytest.raises(SystemExit) as stopped:
        entry.main(
            ["weigh", str(targets), "--report", str(tmp_path / "r.csv"), "--picture", str(tmp_path / "w.png")]
        )
    assert stopped.value.code == 0
    weighted = pd.read_csv(tmp_path / "d-weighted.csv")
    assert (weighted["weight"] > 0).sum() == 150 and weighted["rid"].tolist() == list(range(1, 301))
    write("plan2.yaml", "data: d-weighted.csv\ncodebook: book.yaml\nweight: weight\ntables: [sex, area]\n")
    report = otter.run(tmp_path / "plan2.yaml")
    assert report.table("sex").value("Woman", "Total") == pytest.approx(52)
    assert report.table("area").value("South", "Total") == pytest.approx(24)
    assert (tmp_path / "w.png").read_bytes().startswith(b"\x89PNG")
    assert len((tmp_path / "r.csv").read_text(encoding="utf-8").splitlines()) == 7


def test_a_row_that_stands_for_several_people_is_weighted_as_they_are(
    small: Callable[..., otter.Survey],
) -> None:
    book = "frequency: times\nquestions:\n  g: {kind: single, answers: {1: Women, 2: Men}}\n  r: {kind: single, answers: {1: North, 2: South}}\n"
    targets = {"g": {"Women": 50, "Men": 50}}
    made = otter.weigh(small(book, g=[1, 2], r=[1, 2], times=[90, 10]), targets)
    assert made.weights.tolist() == pytest.approx([50 / 90, 5.0])
    assert made.weighted == 100 and made.largest == pytest.approx(5.0)
    assert made.effective_base == pytest.approx(100**2 / (90 * (50 / 90) ** 2 + 10 * 25))
    assert [line.respondents for line in made.lines] == [90, 10]
    assert [line.before for line in made.lines] == [90.0, 10.0]


@given(st.integers(0, 10_000), st.sampled_from([None, 1.6, 3.0]), st.sampled_from([None, 500.0]))
@pytest.mark.slow
def test_rows_with_frequencies_are_raked_as_the_people_they_stand_for(
    seed: int, cap: float | None, total: float | None
) -> None:
    rng = np.random.default_rng(seed)
    book = "frequency: times\nquestions:\n  g: {kind: single, answers: {1: A, 2: B}}\n  r: {kind: single, answers: {1: A, 2: B, 3: C}}\n"
    g, r = np.repeat([1, 2], 3), np.tile([1, 2, 3], 2)
    times = rng.integers(1, 9, 6)
    targets = {"g": {"A": 45, "B": 55}, "r": {"A": 30, "B": 30, "C": 40}}
    plain = book.replace("frequency: times\n", "")
    short = otter.open_survey(codebook_from_text(book), pd.DataFrame({"g": g, "r": r, "times": times}))
    long = otter.open_survey(
        codebook_from_text(plain), pd.DataFrame({"g": np.repeat(g, times), "r": np.repeat(r, times)})
    )
    try:
        expected = otter.weigh(long, targets, cap=cap, total=total)
    except otter.RequestError:
        with pytest.raises(otter.RequestError):
            otter.weigh(short, targets, cap=cap, total=total)
        return
    found = otter.weigh(short, targets, cap=cap, total=total)
    np.testing.assert_allclose(np.repeat(found.weights, times), expected.weights, rtol=1e-6)
    assert (found.weighted, found.rounds) == (expected.weighted, expected.rounds)
    assert found.efficiency == pytest.approx(expected.efficiency, rel=1e-6)


def test_a_cap_out_of_reach_is_an_error_that_names_the_worst_margin(
    small: Callable[..., otter.Survey],
) -> None:
    book = "questions:\n  g: {kind: single, answers: {1: Women, 2: Men}}\n"
    survey = small(book, g=[1] * 95 + [2] * 5)
    with pytest.raises(otter.RequestError) as error:  # 5 of 100 at 4 times the mean reach 20 %, not 50
        otter.weigh(survey, {"g": {"Women": 50, "Men": 50}}, cap=4)
    assert "The targets cannot be met with this cap; the worst is g, missed by 30 percentage points." in str(
        error.value
    )
    reached = otter.weigh(survey, {"g": {"Women": 80, "Men": 20}}, cap=4)  # exactly
    assert reached.largest == pytest.approx(4.0)
