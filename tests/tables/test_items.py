"""Items of the same people: each letter belongs to the two figures printed, whatever bases they stand on."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from independent import item_mean_test, item_share_test

Small = Callable[..., otter.Survey]
BOOK = """
questions:
  a: {kind: single, scale: true, label: First, answers: {1: No, 2: Yes}}
  b: {kind: single, scale: true, label: Second, answers: {1: No, 2: Yes}}
"""


def test_a_letter_never_stands_on_28_percent_beside_52(small: Small) -> None:
    # 300 answered only the first (mostly yes), 100 both: of these more said yes to the second
    a = [2] * 180 + [1] * 120 + [2] * 28 + [1] * 72
    b = [None] * 300 + [2] * 45 + [1] * 55
    table = small(BOOK, a=a, b=b).items_table(["a", "b"], shape="answers by items")
    first, second = table.value("Yes", "First"), table.value("Yes", "Second")
    assert (round(first), round(second)) == (52, 45)
    line = table.line("Yes", "column percent")
    assert [
        text for text, value in zip(line.letters, line.values, strict=True) if value < max(line.values)
    ] == [""]
    (test,) = table.explain("Yes", "First").tests
    people = [
        (1.0, None if x is None else float(x == 2), None if y is None else float(y == 2))
        for x, y in zip(a, b, strict=True)
    ]
    gap, z, p = item_share_test(people)
    assert test.difference == pytest.approx(100 * gap) and test.statistic == pytest.approx(z)
    assert test.p_value == pytest.approx(p) and test.shared == 100
    assert test.error == pytest.approx(100 * gap / z) and test.error > 0
    complete = small(BOOK, a=a, b=b).items_table(
        ["a", "b"], shape="answers by items", base="complete answers"
    )
    assert complete.value("Yes", "First") == 28.0 and complete.value("Base (unweighted)", "First") == 100
    assert complete.line("Yes", "column percent").letters == ("", "A")


def test_items_side_by_side_are_sorted_by_the_largest_of_any_or_by_one_named(small: Small) -> None:
    book = BOOK.replace("{1: No, 2: Yes}", "{1: Low, 2: Middle, 3: High}")
    a, b = [1] * 5 + [2] * 3 + [3] * 2, [1] * 1 + [2] * 2 + [3] * 7
    survey = small(book, a=a, b=b)

    def rows(sort: otter.Sorting | None) -> list[str]:
        table = survey.items_table(
            ["a", "b"], shape="answers by items", figures=["column percent"], sort=sort
        )
        return [line.label for line in table.lines if line.kind == "answer"]

    assert rows(None) == ["Low", "Middle", "High"]
    assert rows(otter.Sorting()) == ["High", "Low", "Middle"]  # 70 %, 50 %, 30 % of any item
    assert rows(otter.Sorting(column="First")) == ["Low", "Middle", "High"]
    assert rows(otter.Sorting(column="First", up=True)) == ["High", "Middle", "Low"]


@given(st.integers(0, 10_000), st.floats(0.05, 0.95), st.integers(12, 60))
def test_items_agree_with_a_loop_over_people_whatever_they_left_out(
    seed: int, share: float, people: int
) -> None:
    rng = np.random.default_rng(seed)
    import pandas as pd

    from eager_otter.codebook.reading import codebook_from_text

    columns = {
        name: rng.choice([1, 2, np.nan], people, p=[0.9 * share, 0.9 * (1 - share), 0.1]) for name in "ab"
    }
    for name in "ab":
        columns[name][:2] = [1, 2]  # both items have both answers
    columns["w"] = rng.uniform(0.2, 3, people)
    survey = otter.open_survey(codebook_from_text("weight: w" + BOOK), pd.DataFrame(columns))
    table = survey.items_table(["a", "b"], shape="answers by items", levels=[50])
    given_ = [[None if np.isnan(v) else float(v) for v in columns[name]] for name in "ab"]
    pairs = list(zip(columns["w"].tolist(), *given_, strict=True))
    evidence = table.line("Yes", "column percent").evidence
    assert evidence is not None and evidence.tested is not None
    _, z, p = item_share_test(
        [(w, *(None if v is None else float(v == 2) for v in pair)) for w, *pair in pairs]
    )
    assert evidence.tested.tests.statistic[evidence.row, 0] == pytest.approx(z, abs=1e-8, nan_ok=True)
    assert evidence.tested.p_value[evidence.row, 0] == pytest.approx(p, abs=1e-8, nan_ok=True)
    mean = table.line("Mean").evidence
    assert mean is not None and mean.tested is not None
    assert mean.tested.p_value[0, 0] == pytest.approx(item_mean_test(pairs)[2], abs=1e-8)


def test_numbers_side_by_side_are_tested_on_their_own_bases(small: Small) -> None:
    book = "questions:\n  a: {kind: number, label: Then}\n  b: {kind: number, label: Now}\n"
    rng = np.random.default_rng(3)
    a = np.where(rng.random(80) < 0.2, np.nan, 1e7 + rng.normal(0, 2, 80))
    b = np.where(rng.random(80) < 0.3, np.nan, 1e7 + 1 + rng.normal(0, 2, 80))
    table = small(book, a=a, b=b).items_table(
        ["a", "b"], shape="answers by items", figures=["mean", "confidence interval"]
    )
    people = [
        (1.0, None if np.isnan(x) else float(x), None if np.isnan(y) else float(y))
        for x, y in zip(a, b, strict=True)
    ]
    (test,) = table.explain("Mean", "Then").tests
    gap, t, p = item_mean_test(people)
    assert (test.difference, test.statistic, test.p_value) == pytest.approx((gap, t, p), rel=1e-6)
    assert test.low is not None and test.high is not None and test.low < test.difference < test.high


def test_nets_that_not_all_items_have_are_named_not_shown(small: Small) -> None:
    book = """
    questions:
      a: {kind: single, scale: true, answers: {1: Low, 2: Middle, 3: High}, nets: [{top: 2}, {label: Ends, of: [1, 3]}]}
      b: {kind: single, scale: true, answers: {1: Low, 2: Middle, 3: High}, nets: [{label: Gap, difference: {plus: [3], minus: [1]}}, {top: 2}]}
      c: {kind: single, scale: true, answers: {1: {label: Low, score: 5}, 2: Middle, 3: High}}
    """
    survey = small(book, a=[1, 2, 3, 3, 2], b=[2, 2, 3, 1, None], c=[1, 2, 3, 1, 2])
    table = survey.items_table(["a", "b"], shape="answers by items")
    labels = [line.label for line in table.body if line.figure == "column percent"]
    assert labels == ["Low", "Middle", "High", "Top two"]
    assert "Not shown, as not all items have them alike: Ends, Gap." in table.notes
    with pytest.raises(otter.RequestError, match="c has other scores than a"):
        survey.items_table(["a", "c"], shape="answers by items")


def test_complete_answers_are_for_tables_of_several_questions(survey: otter.Survey) -> None:
    with pytest.raises(otter.RequestError, match="base: complete answers is for tables of several questions"):
        survey.table("liking", base="complete answers")


def test_rows_of_stacked_questions_are_found_by_question_and_label(survey: otter.Survey) -> None:
    table = survey.items_table(
        ["liking", "preference.top2", "recommend"], banner="wave", shape="one under another"
    )
    with pytest.raises(otter.RequestError) as error:
        table.value("Base (unweighted)", "Total")
    assert "say which: 'liking: Base (unweighted)', " in str(error.value)
    means = [table.value(f"{name}: Mean", "Total", "mean") for name in ("liking", "recommend")]
    assert means == pytest.approx(
        [survey.table(name).value("Mean", "Total", "mean") for name in ("liking", "recommend")]
    )
    assert table.explain("recommend: Mean", "Spring").value == pytest.approx(
        table.value("recommend: Mean", "Spring")
    )
    records = table.frame(None)
    keys = records[records.figure == "mean"][["question", "row", "group", "column"]]
    assert not keys.duplicated().any() and set(keys.question) == {"liking", "recommend"}
    request = otter.TableRequest(shows=otter.OneUnderAnother(items=("liking", "recommend")))
    found = [survey.people(request, f"{name}: Mean", "Total").size for name in ("liking", "recommend")]
    assert found == [
        int(survey.table(name).line("Mean").evidence.base.n[0, 0]) for name in ("liking", "recommend")
    ]  # type: ignore[union-attr]


GRID = """
questions:
  wave: {kind: single, label: Wave, answers: {1: Spring, 2: Autumn}}
  brands:
    kind: grid
    scale: true
    items: {t: {column: g1, label: Tarn}, b: {column: g2, label: Brookfizz}, q: {column: g3, label: Quillwater}}
    answers: {1: Poor, 2: Fair, 3: Good, 8: {label: No view, score: none}, 9: {label: Refused, missing: true}}
    nets: [{top: 1, label: Top}]
"""


def grid_survey(small: Small) -> otter.Survey:
    rng = np.random.default_rng(3)
    drawn = {name: rng.choice([1, 2, 3, 8, 9, np.nan], 200, p=p) for name, p in {
        "g1": [0.1, 0.2, 0.5, 0.1, 0.05, 0.05], "g2": [0.3, 0.3, 0.2, 0.1, 0.1, 0.0], "g3": [0.2, 0.3, 0.5, 0.0, 0.0, 0.0],
    }.items()}  # fmt: skip
    return small(GRID, wave=rng.choice([1, 2, np.nan], 200, p=[0.5, 0.4, 0.1]), **drawn)


@pytest.mark.parametrize("shape", ["items by columns", "answers by items", "one under another"])
def test_who_is_out_of_each_base_is_told_item_by_item(small: Small, shape: str) -> None:
    survey = grid_survey(small)
    by = () if shape == "answers by items" else "wave"
    notes = survey.items_table("brands", banner=by, shape=shape).notes  # type: ignore[arg-type]
    (told,) = [note for note in notes if note.startswith("Left out of the bases: ")]
    answers = {name: survey.responses.reasons(f"brands.{name}") for name in "tbq"}
    assert answers["q"].codes.any() == (", Quillwater" in told) == False  # noqa: E712
    for label, name in (("Tarn", "t"), ("Brookfizz", "b")):
        out = int((answers[name].codes != 0).sum())
        assert f"{label} {out} (" in told
    refused = int((survey.responses.table.column("g2").to_numpy() == 9).sum())
    assert f"Brookfizz {refused} (Refused)" in told  # one reason only: its count is the item's
    assert "Refused: " in told and "blank: " in told  # Tarn has two


def test_who_is_in_no_column_is_told_over_all_items(small: Small) -> None:
    survey = grid_survey(small)
    outside = survey.responses.reasons("wave").codes != 0
    counts = [
        int((outside & (survey.responses.reasons(f"brands.{name}").codes == 0)).sum()) for name in "tbq"
    ]
    assert min(counts) < max(counts)
    notes = survey.items_table("brands", banner="wave").notes
    assert f"In no column of Wave, by item: {min(counts)} to {max(counts)} (blank)." in notes
    complete = survey.items_table("brands", banner="wave", base="complete answers")
    (told,) = [note for note in complete.notes if note.startswith("In no column of Wave")]
    assert told.startswith("In no column of Wave: ") and "(blank: " in told  # one base, one count


def test_what_means_rest_on_is_told_of_each_item(small: Small) -> None:
    survey = grid_survey(small)
    notes = survey.items_table("brands", banner="wave").notes
    for label, name in (("Tarn", "t"), ("Brookfizz", "b")):
        column = survey.responses.table.column({"t": "g1", "b": "g2"}[name]).to_numpy()
        scored = int(np.isin(column, [1, 2, 3]).sum())
        assert (
            f"{label}: Means and other figures of scores rest on the {scored} whose answer has a score."
            in notes
        )
    assert not any(note.startswith("Quillwater: Means") for note in notes)  # everybody has a score there


def test_an_item_is_a_control_of_the_others(small: Small, write: Callable[..., object]) -> None:
    tests = otter.TestRules(against="column", control="Brookfizz")
    table = grid_survey(small).items_table("brands", shape="answers by items", tests=tests)
    line = table.line("Good", "column percent")
    assert line.letters[1] == "" and set(line.letters) <= {"", "▲", "▼"} and line.letters[0] == "▲"
    assert "Items: each column against Brookfizz." in table.notes


@pytest.mark.parametrize(
    ("tests", "key", "message"),
    [
        ("{against: rest}", "against", "the same people are in all columns, so there is no rest"),
        ("{against: total}", "against", "the same people are in all columns, so there is no rest"),
        ("{against: {column: Brookfiz}}", "against", "No item 'Brookfiz' in the table (as a control of tests). Did you mean 'Brookfizz'?"),
        ("{compare: all parents}", "compare", "items have no parent"),
        ("{rest of: parent}", "rest of", ""),
        ("{percents: unpooled}", "percents", "answers of the same people have one test of percents"),
        ("{means: pooled}", "means", "answers of the same people have one test of means"),
    ],
)  # fmt: skip
def test_tests_that_items_of_the_same_people_cannot_have(
    demo: object, tmp_path: object, tests: str, key: str, message: str
) -> None:
    text = f"data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\nbanners: {{main: [wave]}}\ntables:\n  - {{grid: rating, as: answers by items, tests: {tests}}}\n"
    plan = tmp_path / "plan.yaml"  # type: ignore[operator]
    plan.write_text(text, encoding="utf-8")
    with pytest.raises(otter.DocumentError) as error:
        otter.read_plan(plan)
    assert (
        "plan.yaml:5:" in str(error.value) and f"{key}: " in str(error.value) and message in str(error.value)
    )
    plan.write_text(
        text.replace("answers by items", "items by columns, figure: mean").replace("Brookfiz}", "Spring}"),
        encoding="utf-8",
    )
    if key not in ("compare", "rest of"):  # a banner of one level has no parents either
        otter.read_plan(plan)


def test_python_refuses_what_items_cannot_have(survey: otter.Survey) -> None:
    for options, message in (
        ({"tests": otter.TestRules(against="rest")}, "against: the same people are in all columns"),
        (
            {"tests": otter.TestRules(percents="unpooled")},
            "percents: answers of the same people have one test",
        ),
        ({"banner": "wave"}, "banner: the items are the columns, so this would do nothing; take it out."),
        ({"figure": "Good"}, "figure: the items are the columns, so this would do nothing"),
    ):
        with pytest.raises(otter.RequestError, match=message):
            survey.items_table("rating", shape="answers by items", **options)  # type: ignore[arg-type]


MULTI_BOOK = """
weight: w
questions:
  a: {kind: multi, label: Then, columns: {a_1: Tea, a_2: Juice, a_3: Water}, nets: NETS}
  b: {kind: multi, label: Now, columns: {b_1: Tea, b_2: Juice, b_3: Water}, nets: NETS}
""".replace(
    "NETS",
    "[{label: Hot or sweet, of: [Tea, Juice]}, {label: Balance, difference: {plus: [Tea], minus: [Water]}}]",
)


@given(st.integers(0, 10_000), st.sampled_from(["answered", "all"]))
def test_multiple_responses_side_by_side_agree_with_a_loop_over_people(seed: int, base: str) -> None:
    rng = np.random.default_rng(seed)
    import pandas as pd

    people = int(rng.integers(60, 120))
    columns = {"w": rng.uniform(0.2, 3, people)}
    for name in "ab":
        blank = rng.random(people) < 0.2
        for k in (1, 2, 3):
            columns[f"{name}_{k}"] = np.where(
                blank, np.nan, (rng.random(people) < 0.2 + 0.15 * k).astype(float)
            )
    survey = otter.open_survey(otter.codebook_from_text(MULTI_BOOK), pd.DataFrame(columns))
    table = survey.items_table(["a", "b"], shape="answers by items", base=base, levels=[50])
    w = columns["w"]
    ticks = {name: np.array([columns[f"{name}_{k}"] == 1 for k in (1, 2, 3)]) for name in "ab"}
    there = {name: ~np.isnan(columns[f"{name}_1"]) | (base == "all") for name in "ab"}
    rows = {
        "Tea": lambda t: t[0],
        "Juice": lambda t: t[1],
        "Water": lambda t: t[2],
        "Hot or sweet": lambda t: t[0] | t[1],
    }
    given_by = {row: {name: gave(ticks[name]) for name in "ab"} for row, gave in rows.items()}
    if base == "all":
        given_by["No answer"] = {name: np.isnan(columns[f"{name}_1"]) for name in "ab"}
    for row, own in given_by.items():
        pairs = [
            (w[i], *(float(own[name][i]) if there[name][i] else None for name in "ab")) for i in range(people)
        ]
        _, z, p = item_share_test(pairs)
        evidence = table.line(row, "column percent").evidence
        assert evidence is not None and evidence.tested is not None
        assert evidence.tested.tests.statistic[evidence.row, 0] == pytest.approx(z, abs=1e-8, nan_ok=True)
        assert evidence.tested.p_value[evidence.row, 0] == pytest.approx(p, abs=1e-8, nan_ok=True)
        (test,) = table.explain(row, "Then", "column percent").tests
        assert test.shared == int((there["a"] & there["b"]).sum())
    scores = {name: 100.0 * ticks[name][0] - 100.0 * ticks[name][2] for name in "ab"}
    pairs = [
        (w[i], *(float(scores[name][i]) if there[name][i] else None for name in "ab")) for i in range(people)
    ]
    balance = table.line("Balance").evidence
    assert balance is not None and balance.tested is not None
    _, t, p = item_mean_test(pairs)
    assert balance.tested.tests.statistic[0, 0] == pytest.approx(t, abs=1e-8)
    assert balance.tested.p_value[0, 0] == pytest.approx(p, abs=1e-8)


@given(st.integers(0, 10_000))
def test_weighted_numbers_side_by_side_agree_with_a_loop_over_people(seed: int) -> None:
    rng = np.random.default_rng(seed)
    import pandas as pd

    book = "weight: w\nquestions:\n  a: {kind: number, label: Then}\n  b: {kind: number, label: Now}\n  c: {kind: number, label: Later}\n"
    columns = {"w": rng.uniform(0.1, 0.9, 70)}  # weights below 1, so that none of them is lost
    for name in "abc":
        columns[name] = np.where(rng.random(70) < 0.25, np.nan, rng.normal(1e5, 3.0, 70))
    survey = otter.open_survey(otter.codebook_from_text(book), pd.DataFrame(columns))
    line = survey.items_table(["a", "b", "c"], shape="answers by items", figures=["mean"]).line("Mean")
    assert line.evidence is not None and line.evidence.tested is not None
    tested = line.evidence.tested
    for k, (one, other) in enumerate(("ab", "ac", "bc")):
        pairs = [
            (w, *(None if np.isnan(columns[name][i]) else float(columns[name][i]) for name in (one, other)))
            for i, w in enumerate(columns["w"])
        ]
        _, t, p = item_mean_test(pairs)
        assert tested.tests.statistic[0, k] == pytest.approx(t, rel=1e-6)
        assert tested.p_value[0, k] == pytest.approx(p, rel=1e-5)
        both = ~np.isnan(columns[one]) & ~np.isnan(columns[other])
        assert tested.paired is not None and tested.paired.people[0, k] == both.sum()
