"""What the audit asks about a codebook alone: each question at both of its edges."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import pytest

import eager_otter as otter
from eager_otter import define

FIVE = {1: "Very bad", 2: "Bad", 3: "Fair", 4: "Good", 5: "Very good"}
ELEVEN = {k: f"{k}" for k in range(11)}


@pytest.fixture
def asked(tmp_path: Path) -> Callable[..., set[str]]:
    """The slips of a question `q` of which nothing is known but what the codebook says."""

    def slips(definition: Any, **others: Any) -> set[str]:
        codebook = otter.codebook_of({"questions": {**others, "q": definition}})
        codebook.save(tmp_path / "book.yaml")
        columns = list(dict.fromkeys(column for question in codebook for column in question.columns))
        (tmp_path / "data.csv").write_text(f"{','.join(columns)}\n" + f"{','.join('1' for _ in columns)}\n", encoding="utf-8")  # fmt: skip
        plan = otter.plan_of({"data": "data.csv", "codebook": "book.yaml", "tables": ["q"]}, folder=tmp_path)
        return {slip.name for slip in otter.run_audit(plan).slips if slip.where == "q" and slip.name not in ("answer nobody gave", "question nobody answered")}  # fmt: skip

    return slips


def scale(
    answers: Mapping[int, str | define.Answer] = FIVE,
    nets: Sequence[Any] = (),
    written: bool | str = True,
) -> dict[str, object]:
    return {"kind": "single", "scale": written, "answers": answers, "nets": list(nets)}


def net(label: str, *codes: int) -> define.Net:
    return define.Net(label=label, of=list(codes))


def difference(plus: Sequence[int], minus: Sequence[int]) -> define.Net:
    return define.Net(label="Difference", difference=define.Difference(plus=plus, minus=minus))


BEST_FIRST = dict(zip(FIVE, reversed(FIVE.values()), strict=True))


@pytest.mark.parametrize(
    ("definition", "slips"),
    [
        (scale(), set()),
        (scale(BEST_FIRST), {"direction of a scale"}),
        (scale(BEST_FIRST, written="best first"), set()),
        (scale(written="best first"), {"direction of a scale"}),
        (scale({k: f"Point {k}" for k in FIVE}), set()),  # labels that say no direction
        (scale({**FIVE, 6: "Don't know"}), {"no answer with a score"}),
        (scale({**FIVE, 6: define.Answer(label="Don't know", score="none")}), set()),
        (scale({**FIVE, 6: define.Answer(label="Don't know", missing=True)}), set()),
        (scale({**FIVE, 8: "Superb"}), {"codes of a scale jump"}),
        (scale({-9: "Awful", **FIVE}), {"codes of a scale jump"}),
        (scale({1: "Bad", 3: "Fair", 5: "Good"}), set()),  # the same step all over
        (scale({1: "Bad", 5: "Good"}), set()),
        (scale({**FIVE, 8: define.Answer(label="Superb", score=6)}), set()),
        (scale({1: "Good", 2: "Poor", 3: "Very good", 4: "Fair"}), {"steps of a scale out of order"}),
        (scale({1: "Never", 2: "Once a month", 3: "Daily", 4: "Once a week"}), {"steps of a scale out of order"}),
        (scale({1: "Much too sweet", 2: "About right", 3: "A little too sweet"}), {"steps of a scale out of order"}),
        (scale({1: "Not satisfied", 2: "Satisfied", 3: "Quite satisfied", 4: "Very satisfied"}), set()),  # some say so
        (scale({1: "Tarn", 2: "Fizz", 3: "Birk"}), set()),
        ({"kind": "single", "answers": {1: "Good", 2: "Poor", 3: "Very good", 4: "Fair"}}, set()),  # no scale
        # times
        ({"kind": "single", "answers": {1: "Q4 2025", 2: "Q1 2026", 3: "Q2 2026"}}, set()),
        ({"kind": "single", "answers": {1: "Q1 2026", 2: "Q2 2026", 3: "Q4 2025"}}, {"times out of order"}),
        ({"kind": "single", "answers": {1: "Wave 1", 2: "Wave 10", 3: "Wave 2", 9: "Don't know"}}, {"times out of order"}),
        ({"kind": "single", "answers": {1: "2026", 2: "2025", 3: "2024"}}, set()),  # the latest first, as some like it
        ({"kind": "single", "answers": {1: "Sunday", 2: "Monday", 3: "Tuesday"}}, set()),
        # nets
        (scale(nets=[net("Top two", 4, 5)]), set()),
        (scale(nets=[net("Top two", 1, 2)]), {"net on the wrong end"}),
        (scale(nets=[net("Bottom two", 4, 5)]), {"net on the wrong end"}),
        (scale(nets=[net("Bottom two", 1, 2)]), set()),
        (scale(nets=[net("Top and bottom", 1, 5)]), set()),
        (scale(nets=[net("Stopped at two", 1, 2)]), set()),  # no word of its own
        (scale(nets=[net("Top two", 2, 3)]), set()),  # of neither end
        (scale(BEST_FIRST, [net("Top two", 1, 2)], "best first"), set()),
        (scale(BEST_FIRST, [net("Top two", 4, 5)], "best first"), {"net on the wrong end"}),
        (scale(nets=[net("Good or very good", 1, 2)]), {"net on the wrong end"}),
        (scale(nets=[net("Good or very good", 4, 5)]), set()),
        (scale({1: "Bad", 2: "Good"}, [net("Top", 1)]), set()),  # two answers are no scale to speak of
        (scale({**FIVE, 6: "Don't know"}, [net("Liked", 5, 6)]), {"no answer with a score", "don't know in a net"}),
        ({"kind": "single", "answers": FIVE, "nets": [net("Top two", 1, 2)]}, set()),
        # differences
        (scale(nets=[difference([4, 5], [1, 2])]), set()),
        (scale(nets=[difference([1, 2], [4, 5])]), {"difference does not fit the scale"}),
        (scale(nets=[difference([4], [1])]), {"difference does not fit the scale"}),  # the ends are in neither
        (scale(BEST_FIRST, [difference([1, 2], [4, 5])], "best first"), set()),
        (scale(nets=[difference([4, 5], [1])]), {"difference of unequal groups"}),
        (scale(ELEVEN, [difference([9, 10], list(range(7)))]), set()),
        (scale(ELEVEN, [difference([9, 10], list(range(6)))]), {"difference of unequal groups"}),
        (scale(ELEVEN, [difference([8, 9, 10], list(range(7)))]), {"difference of unequal groups"}),
        (scale({1: "Bad", 2: "Good"}, [difference([1], [2])]), set()),
        ({"kind": "single", "answers": FIVE, "nets": [difference([1], [4, 5])]}, set()),
        # labels
        ({"kind": "single", "answers": {1: "Tarn", 2: "TARN", 3: "Fizz"}}, {"label twice"}),
        ({"kind": "single", "answers": {1: "Tarn", 2: "Tarn "}}, {"label twice"}),
        ({"kind": "single", "answers": {1: "Tarn", 2: "Tarns"}}, set()),
        ({"kind": "single", "answers": {1: "Tarn", 2: "None of these"}}, set()),  # one answer each in any case
        ({"kind": "multi", "columns": {"a": "Tarn", "b": "None of these"}}, {"none counted as a mention"}),
        ({"kind": "multi", "columns": {"a": "Tarn", "b": "[Keine davon]"}}, {"none counted as a mention"}),
        ({"kind": "multi", "joined": {"column": "a", "by": ";"}, "answers": {1: "Tarn", 2: "Nothing"}}, {"none counted as a mention"}),
        ({"kind": "multi", "columns": {"a": "Tarn", "b": {"label": "None of these", "exclusive": True}}}, {"none beside others"}),
        ({"kind": "multi", "columns": {"a": "Tarn", "b": {"label": "None", "missing": True}}}, set()),
        ({"kind": "multi", "columns": {"a": "Tarn", "b": "None of my friends"}}, set()),
    ],
)  # fmt: skip
def test_a_question_as_the_codebook_has_it(
    asked: Callable[..., set[str]], definition: object, slips: set[str]
) -> None:
    assert asked(definition) == slips


@pytest.mark.parametrize(
    ("bands", "slips"),
    [
        (define.Bands(of="n", ranges=["0-4", "5-9", "10+"]), set()),
        (define.Bands(of="n", ranges=["0-4", "6-9", "10+"]), {"gap between bands"}),
        (define.Bands(of="n", edges=[0, 5, 10]), set()),
        (define.Bands(of="n", ranges=["0-4", "5+"], labels=["Few", "5 or more"]), set()),
        (define.Bands(of="n", ranges=["0-4", "5+"], labels=["0-3", "5 or more"]), {"label contradicts band"}),
        (define.Bands(of="n", ranges=["0-4", "5+"], labels=["Under 5", "Over 4"]), set()),
        (define.Bands(of="n", ranges=["0-4", "5+"], labels=["Under 4", "Over 5"]), {"label contradicts band"}),
    ],
)  # fmt: skip
def test_bands_as_the_codebook_has_them(
    asked: Callable[..., set[str]], bands: define.Bands, slips: set[str]
) -> None:
    assert asked(bands, n=define.Number()) == slips


@pytest.mark.parametrize(
    ("group", "tests", "slips"),
    [
        ({"question": "q"}, {}, set()),
        ({"question": "q"}, {"against": "previous"}, {"times compared back"}),
        ({"question": "q"}, {"trend": True}, {"times compared back"}),
        ({"question": "q", "rolling": 2}, {}, {"times compared back"}),
        ({"question": "q", "against": "previous"}, {}, {"times compared back"}),
        ({"question": "q", "against": "rest"}, {"against": "previous"}, set()),
        ({"question": "q", "keep": ["Q4 2025", "Q1 2026", "Q2 2026"]}, {"against": "previous"}, set()),
        ({"question": "q", "keep": ["Q1 2026", "Q4 2025", "Q2 2026"]}, {"against": "previous"}, {"times compared back"}),
        ({"question": "q", "keep": ["q2 2026", "q1 2026"]}, {"against": "previous"}, {"times compared back"}),  # in any case
        ({"columns": {"May 2026": "q == 1", "April 2026": "q == 2"}}, {"against": "previous"}, {"times compared back"}),
        ({"question": "q", "labels": {1: "Now", 2: "Before", 3: "Long ago"}}, {"against": "previous"}, set()),
        ({"nest": ["sex", {"question": "q", "against": "previous"}]}, {}, {"times compared back"}),
    ],
)  # fmt: skip
def test_columns_that_run_back_are_told_where_they_are_compared_in_their_order(
    tmp_path: Path, group: dict[str, Any], tests: dict[str, Any], slips: set[str]
) -> None:
    book = otter.codebook_of({"questions": {"q": define.Single(answers={1: "Q2 2026", 2: "Q1 2026", 3: "Q4 2025"}), "sex": define.Single(answers={1: "Women", 2: "Men"})}})  # fmt: skip
    book.save(tmp_path / "book.yaml")
    (tmp_path / "data.csv").write_text("q,sex\n" + "1,1\n2,2\n3,1\n3,2\n" * 20, encoding="utf-8")
    settings = {
        "data": "data.csv",
        "codebook": "book.yaml",
        "banners": {"main": [group]},
        "tables": ["sex", "q"],
    }
    plan = otter.plan_of({**settings, "tests": tests} if tests else settings, folder=tmp_path)
    told = [slip for slip in otter.run_audit(plan).slips if "times" in slip.name]
    assert {slip.name for slip in told} == slips and len(told) <= 1  # once, whatever the number of tables


def test_filters_and_encodings_are_asked_about(tmp_path: Path) -> None:
    otter.codebook_of({"questions": {"q": define.Single(answers={1: "Tarn", 2: "Fizz", 3: "Café"}), "t": define.Text()}}).save(tmp_path / "book.yaml")  # fmt: skip
    (tmp_path / "data.csv").write_bytes("q,t\n1,caf\xe9\n2,tr\xe8s bon\n".encode("latin-1"))
    tables = [{"question": "q", "id": f"t{k}", "filter": text} for k, text in enumerate(("q == 1", "q in (1, 2)", "q == 3", "q == 3"))]  # fmt: skip
    plan = otter.plan_of({"data": "data.csv", "codebook": "book.yaml", "filter": "q in (1, 2, 3)", "tables": tables}, folder=tmp_path)  # fmt: skip
    audit = otter.run_audit(plan)
    told = {(slip.name, slip.where, slip.severity) for slip in audit.slips}
    assert {("filter that keeps everyone", "filter", "warning"), ("filter that keeps everyone", "table t1", "warning"), ("filter that keeps nobody", "table t2", "error")} <= told  # fmt: skip
    assert not [
        where for name, where, _ in told if where in ("table t0", "table t3")
    ]  # one filter is told once
    assert ("encoding guessed", "data", "note") in told
    assert repr(audit) == "<Audit '': 1 error, 2 warnings, 2 notes>"
