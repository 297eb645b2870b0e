"""Weights made for a survey, from targets."""

from __future__ import annotations

from collections.abc import Mapping

from eager_otter.asking.survey import Survey
from eager_otter.documents.settled import checked
from eager_otter.weighing.reading import targets_of
from eager_otter.weighing.weighing import Wanted, Weighting
from eager_otter.weighing.weighing import weigh as make_weights


@checked
def weigh(
    survey: Survey,
    targets: Mapping[str, Mapping[str, float]],
    *,
    cap: float | None = None,
    total: float | None = None,
    within: str | None = None,
    start: str | None = None,
    counts: bool = False,
    mean_where_unanswered: bool = False,
) -> Weighting:
    """Make weights for the respondents whom a survey counts, by raking to targets per question.

    `targets` gives shares (adding up to 100) or, with `counts`, counts of the answers of each question, by code or
    label. `cap` is the largest weight over the mean, `total` what the weights add up to (None: mean 1), `within` a
    question each answer of which is raked for itself, `start` a column of starting weights; with
    `mean_where_unanswered`, those without an answer to a question of the targets keep the mean weight. Weights of rows
    that are not counted are 0. Raises RequestError, UnknownName, DataError.

    Example: `weigh(survey, {"gender": {"A woman": 51, "A man": 49}}).weights`.
    """
    wanted = Wanted(
        targets=targets_of(targets),
        counts=counts,
        cap=cap,
        total=total,
        start=start,
        within=within,
        mean_where_unanswered=mean_where_unanswered,
    )
    return make_weights(survey.responses, wanted, survey.responses.filtered(survey.filter))
