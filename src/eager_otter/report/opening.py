"""A survey opened: a codebook and its responses, or those of a plan."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from eager_otter.asking.survey import Survey
from eager_otter.codebook.model import Codebook
from eager_otter.data.opened import open_responses
from eager_otter.data.opening import Reading
from eager_otter.data.waves import Waves
from eager_otter.documents.settled import checked
from eager_otter.plan.asked import CallReader
from eager_otter.plan.plan import Plan
from eager_otter.report.view import StandardViewer


@checked
def open_survey(codebook: str | Path | Codebook, data: Any, *, reading: Reading | None = None) -> Survey:
    """Open a survey: a codebook (or the path of one), and its responses.

    `codebook` may also be the path of one; `data` are a path, or a frame of pandas, Polars, Arrow or anything that
    gives itself as a stream of Arrow. Paths end in .csv, .xlsx, .ods, .parquet, .json, .jsonl or, for triple-s, .xml.
    `reading` names a sheet, delimiter, encoding, decimal sign or two rows of headings where the file does not tell.

    It is weighted by the codebook's weight, if it names one. Raises FileProblem, DocumentError (every mistake
    in the codebook), DataError.

    Example: `open_survey("codebook.yaml", "responses.csv").table("heard_of", banner="region")`.
    """
    from eager_otter.codebook.reading import read_codebook

    book = codebook if isinstance(codebook, Codebook) else read_codebook(codebook)
    _check_waves(book, data)
    survey = Survey(
        responses=open_responses(book, data, reading), viewer=StandardViewer(), reader=CallReader()
    )
    return survey if book.weight is None else survey.weighted_by(book.weight)


def survey_of(plan: Plan, memory: int | None = None) -> Survey:
    """Open the survey of a plan, with its filter and weight; `memory` is what may be kept of the data, in bytes.

    Raises FileProblem, DataError, RequestError.
    """
    _check_waves(plan.codebook, plan.data)
    responses = open_responses(plan.codebook, plan.data, plan.reading, memory)
    survey = Survey(
        responses=responses,
        filter=plan.filter,
        weight=plan.weight,
        viewer=StandardViewer(plan.theme, plan.notes),
        words=plan.words,
        reader=CallReader(plan.banners),
        own_conditions=plan.conditions,
    )
    survey.population()
    return survey if plan.equal_waves is None else survey.with_equal_waves(plan.equal_waves)


def _check_waves(codebook: Codebook, data: Any) -> None:
    """Check that what differs in the codebooks of several files is said. Raises RequestError."""
    if isinstance(data, Waves):
        from eager_otter.drafting.questionnaires import check_questionnaires

        check_questionnaires(codebook, data)
