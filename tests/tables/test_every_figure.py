"""Every figure by every kind of question: shown as asked for, or refused with the reason; never another in its place."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

import eager_otter as otter
from eager_otter.figures.registry import all_figures
from eager_otter.making.figures import why_not

Small = Callable[..., otter.Survey]
BOOK = """
questions:
  wave: {kind: single, label: Wave, answers: {1: Spring, 2: Autumn}}
  area: {kind: single, label: Area, answers: {1: North, 2: South}}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}
  tried: {kind: multi, columns: {t_1: Tarn, t_2: Brookfizz}}
  glasses: {kind: number}
"""
KINDS = {"nominal": "area", "scale": "liking", "multi": "tried", "number": "glasses"}
NEEDS = {"percent of answer": {"percent_of": "1"}}
LINES = {  # a figure of two lines is known by both
    figure.name: {line.name for line in figure.lines} for figure in all_figures() if len(figure.lines) > 1
}


@pytest.fixture
def survey(small: Small) -> otter.Survey:
    rng = np.random.default_rng(7)
    drawn = {name: rng.integers(1, top + 1, 120) for name, top in (("wave", 2), ("area", 2), ("liking", 3))}
    ticks = {f"t_{k}": rng.integers(0, 2, 120) for k in (1, 2)}
    return small(BOOK, **drawn, **ticks, glasses=rng.integers(0, 20, 120))


def request_for(figure: str, question: str, *, inherited: bool = False) -> otter.TableRequest:
    nest = (otter.BannerGroup(question="wave"), otter.BannerGroup(question="area"))
    group = otter.BannerGroup(nest=nest, subtotal=True)
    return otter.TableRequest(
        shows=otter.OneQuestion(question),
        banner=otter.Banner(groups=(group,)),
        figures=(figure,),
        inherited=inherited,
        **NEEDS.get(figure, {}),
    )


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("figure", [*(figure.name for figure in all_figures()), "percentile 90"])
def test_a_figure_is_shown_or_refused_with_the_reason(survey: otter.Survey, figure: str, kind: str) -> None:
    question = KINDS[kind]
    try:
        (table,) = survey.tables([request_for(figure, question)])
    except otter.RequestError as error:
        reason = str(error)
        assert (figure in reason and question in reason) or "percent of" in reason, reason
        (inherited,) = survey.tables([request_for(figure, question, inherited=True)])
        shown = {line.figure for line in inherited.lines if line.kind != "base"}
        assert not shown & LINES.get(figure, {figure})  # left out, and nothing of that name in its place
        return
    shown = {line.figure for line in table.lines if line.kind != "base"}
    assert shown == LINES.get(figure, {figure})
    for line in table.lines:
        if line.kind != "base" and line.figure not in ("difference interval low", "difference interval high"):
            place = (
                next(k for k, column in enumerate(table.columns) if column.compared)
                if line.shows.of_groups
                else 0
            )
            assert np.isfinite(line.values[place]), line.label


def test_extremes_and_sums_are_those_of_numpy(survey: otter.Survey) -> None:
    """Each summary by a second way, so that none can stand in for another."""
    values = survey.responses.table.column("glasses").to_numpy().astype(float)
    expected = {
        "mean": values.mean(),
        "standard deviation": values.std(ddof=1),
        "standard error": values.std(ddof=1) / np.sqrt(values.size),
        "median": np.quantile(values, 0.5, method="averaged_inverted_cdf"),
        "lower quartile": np.quantile(values, 0.25, method="averaged_inverted_cdf"),
        "upper quartile": np.quantile(values, 0.75, method="averaged_inverted_cdf"),
        "percentile 90": np.quantile(values, 0.9, method="averaged_inverted_cdf"),
        "smallest": values.min(),
        "largest": values.max(),
        "sum": values.sum(),
    }
    assert len(set(expected.values())) == len(expected)  # no two are the same number here
    for figure, value in expected.items():
        table = survey.table("glasses", figures=[figure])
        (line,) = [line for line in table.lines if line.kind == "summary"]
        assert line.values[0] == pytest.approx(value), figure


def test_the_reason_why_not_is_said_in_words(survey: otter.Survey) -> None:
    for figure, question, words in (
        ("mean", "area", "neither a number nor a scale"),
        ("column percent", "glasses", "number"),
        ("mean mentions", "liking", "multiple-response"),
    ):
        reason = why_not(request_for(figure, question), survey.codebook.question(question), figure)
        assert words in str(reason), reason
