"""Open answers coded into topics: written out to be coded, and the coded workbook read back."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from eager_otter.asking.survey import Survey
from eager_otter.data.coding import Coded, read_coded, texts_to_code
from eager_otter.documents.settled import checked
from eager_otter.errors import RequestError
from eager_otter.gates.writing import check_new, check_targets, write_text, written_beside
from eager_otter.report.coding_sheet import codebook_part, write_data, write_sheet


@checked
def write_texts(
    survey: Survey,
    question: str,
    path: str | Path,
    *,
    topics: Sequence[tuple[str, str]] = (),
    mentions: int = 4,
    inputs: Sequence[Path] = (),
    force: bool = False,
) -> int:
    """Write the open answers of a question into a workbook in which people code them into topics.

    `survey` and `question` say whose; `path` ends in .xlsx; `topics` pairs codes with labels to begin with, `mentions`
    (1 … 20) is how many topics a text may have. People write into the workbook, so one that is there is replaced only
    with `force`, and the survey's own files and `inputs` never. Returns the number of texts. Raises RequestError for a
    question that is not open text, UnknownName, FileProblem.
    """
    target = Path(path)
    if target.suffix.lower() != ".xlsx":
        raise RequestError(f"{target.name}: texts are written out as .xlsx.")
    if not 1 <= mentions <= 20:
        raise RequestError(f"mentions: expected a number from 1 to 20; found {mentions}.")
    read = [*inputs, *files_of(survey)]
    check_targets([target], inputs=read, force=True)
    if not force:
        check_new([target])
    texts = texts_to_code(survey.responses, question)
    with written_beside([target], inputs=read, force=force) as (part,):
        write_sheet(texts, list(topics), mentions, survey.codebook.question(question).text, part)
    return len(texts)


@checked
def read_texts(survey: Survey, question: str, path: str | Path) -> Coded:
    """Read the workbook of `write_texts` back, coded: topics and who has them.

    `survey` and `question` are those it was written for, `path` is where it is.

    Raises DataError, naming the rows: an id that is not in the data or appears twice, a text that is not the
    respondent's, an unknown topic. FileProblem where it is not a workbook, UnknownName.
    """
    return read_coded(survey.responses, question, Path(path))


@checked
def write_coded(
    survey: Survey,
    question: str,
    coded: Coded,
    data: str | Path,
    codebook: str | Path,
    *,
    inputs: Sequence[Path] = (),
    force: bool = False,
) -> list[Path]:
    """Write the responses with the topics of a question as last columns (.csv), and the part of a codebook for them.

    `survey` and `question` are those of `read_texts`, which gave `coded`; `data` (.csv) and `codebook` (.yaml) are
    where the two are written, `inputs` files that are not to be written over. A file that was not made by this package
    is replaced only with `force`. Returns both paths. Raises UnknownName, FileProblem.
    """
    places = [Path(data), Path(codebook)]
    with written_beside(places, inputs=[*inputs, *files_of(survey)], force=force) as (data_part, book_part):
        write_data(survey.responses, question, coded, data_part)
        write_text(book_part, codebook_part(survey.codebook.question(question), coded))
    return places


def files_of(survey: Survey) -> list[Path]:
    """List the files that a survey was read from."""
    file = survey.responses.file
    return [*survey.codebook.files, *(() if file is None else file.paths)]
