"""A survey opened: a codebook and its responses, or those of a plan."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from eager_otter.asking.survey import Survey
from eager_otter.codebook.expression import parse
from eager_otter.codebook.model import Codebook
from eager_otter.data.files import check_same
from eager_otter.data.opened import open_responses
from eager_otter.data.opening import Reading
from eager_otter.data.waves import Waves
from eager_otter.documents.settled import checked
from eager_otter.errors import DataError, FileProblem, OtterError
from eager_otter.gates.cache import Cache, cache_in
from eager_otter.gates.copying import is_newest
from eager_otter.plan.asked import CallReader
from eager_otter.plan.plan import Plan
from eager_otter.report.view import StandardViewer
from eager_otter.tables.table import Table


@checked
def open_survey(
    codebook: str | Path | Codebook,
    data: Any,
    *,
    reading: Reading | None = None,
    cache: str | Path | Cache | None = None,
) -> Survey:
    """Open a survey: a codebook (or the path of one), and its responses.

    `codebook` may also be the path of one; `data` are a path, or a frame of pandas, Polars, Arrow or anything that
    gives itself as a stream of Arrow. Paths end in .csv, .xlsx, .ods, .parquet, .json, .jsonl or, for triple-s, .xml.
    `reading` names a sheet, delimiter, encoding, decimal sign or two rows of headings where the file does not tell.

    With a `cache`, columns of files that are slow to read (long CSV files, workbooks) are kept in that folder, so that
    they are read a second time for little; what is kept is used only while the file is the same.

    It is weighted by the codebook's weight, if it names one; weights that are missing or negative are told by the first
    table, as a filter may leave those rows out. Raises FileProblem, DocumentError (every mistake
    in the codebook), DataError.

    Example: `open_survey("codebook.yaml", "responses.csv").table("heard_of", banner="region")`.
    """
    from eager_otter.codebook.reading import read_codebook

    book = codebook if isinstance(codebook, Codebook) else read_codebook(codebook)
    _check_waves(book, data)
    survey = Survey(
        responses=open_responses(book, data, reading, cache=cache_in(cache)),
        viewer=StandardViewer(),
        reader=CallReader(),
    )
    if book.weight is None:
        return survey
    try:
        return survey.weighted_by(book.weight)
    except DataError:  # of rows that a filter may yet leave out; else the first table tells it
        return replace(survey, weight=book.weight, own_weight=book.weight)


def survey_of(plan: Plan, memory: int | None = None, *, for_tables_alone: bool = False) -> Survey:
    """Open the survey of a plan, with its filter and weight; `memory` is what may be kept of the data, in bytes.

    For its tables alone, only the columns that these need are read of files that are slow to read, and what is wrong
    with filter or weight is said when they are counted: see `tables_alone`.

    Raises FileProblem, DataError, RequestError.
    """
    _check_waves(plan.codebook, plan.data)
    only = _named_in(plan) if for_tables_alone else None
    responses = open_responses(plan.codebook, plan.data, plan.reading, memory, cache=plan.cache, only=only)
    survey = Survey(
        responses=responses,
        filter=plan.filter,
        weight=plan.weight,
        viewer=StandardViewer(plan.theme, plan.notes),
        words=plan.words,
        reader=CallReader(plan.banners),
        own_conditions=plan.conditions,
    )
    if plan.cache is not None and responses.in_parts:
        from eager_otter.counting.remembered import Remembering

        survey = replace(survey, runner=Remembering(survey.runner))
    if not for_tables_alone:
        survey.population()
    return survey if plan.equal_waves is None else survey.with_equal_waves(plan.equal_waves)


def survey_again(survey: Survey, of: Plan, plan: Plan) -> Survey | None:
    """Return the survey of a plan by one that is at hand, of an earlier plan; nothing is read again.

    None where the data or what the codebook says of all of them have changed, or where the plans equal waves.
    """
    if plan.equal_waves is not None or of.equal_waves is not None:
        return None
    if of.reading != plan.reading or not _same_data(of.data, plan.data):
        return None
    file, responses = survey.responses.file, survey.responses
    if file is None or not file.paths:
        return None
    try:
        if not all(map(is_newest, file.paths)):
            return None
        responses.fingerprint = check_same(file, responses.fingerprint, responses.known_source)
    except FileProblem:  # another file, or none, which is told when it is opened
        return None
    if not _same_codebook(of, plan):
        # what differs between several files is said in the words of their codebook
        under = responses.under(plan.codebook) if isinstance(plan.data, Path) else None
        if under is None:
            return None
        responses = under
    return replace(
        survey,
        responses=responses,
        filter=plan.filter,
        weight=plan.weight,
        words=plan.words,
        reader=CallReader(plan.banners),
        own_conditions=plan.conditions,
        viewer=StandardViewer(plan.theme, plan.notes),
    )


def _same_data(old: Path | Waves, new: Path | Waves) -> bool:
    """Return whether two plans name the same files, with the same said of each."""
    if isinstance(old, Path) or isinstance(new, Path):
        return old == new
    bare, other_bare = (
        replace(waves, waves=tuple(replace(wave, codebook=None) for wave in waves.waves))
        for waves in (old, new)
    )
    return bare == other_bare and all(
        one.codebook is other.codebook or _one_text(one.codebook, other.codebook)
        for one, other in zip(old.waves, new.waves, strict=True)
    )


def _one_text(one: Codebook | None, other: Codebook | None) -> bool:
    """Return whether two codebooks say surely the same: those of no text do not tell."""
    return one is not None and other is not None and bool(one.digest) and one.digest == other.digest


def _same_codebook(old: Plan, plan: Plan) -> bool:
    """Return whether two plans have the same codebook, in the same language."""
    return _one_text(old.codebook, plan.codebook) and (
        not plan.codebook.translations or old.words.language == plan.words.language
    )


def tables_alone(survey: Survey, plan: Plan) -> list[Table]:
    """Make the tables of a plan whose survey was opened for these alone. Raises what `survey_of` and `tables` raise."""
    try:
        return survey.tables(plan.requests)
    except OtterError:
        survey.population()  # where filter or weight are at fault, it is said of all rows, not of some
        raise


def _named_in(plan: Plan) -> list[str]:
    """Return the questions and columns that a plan's tables are made of."""
    names = [name for request in plan.requests for name in request.questions_named()]
    names += [] if plan.filter is None else parse(plan.filter).names()
    return [*names, *filter(None, (plan.weight, plan.equal_waves))]


def _check_waves(codebook: Codebook, data: Any) -> None:
    """Check that what differs in the codebooks of several files is said. Raises RequestError."""
    if isinstance(data, Waves):
        from eager_otter.drafting.questionnaires import check_questionnaires

        check_questionnaires(codebook, data)
