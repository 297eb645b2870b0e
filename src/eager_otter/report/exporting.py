"""Write a survey's responses to files, by their endings."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from pathlib import Path

from eager_otter.asking.survey import Survey
from eager_otter.data.export import write_csv, write_triple_s
from eager_otter.documents.settled import checked
from eager_otter.errors import Hint, RequestError
from eager_otter.gates.writing import written_beside


@checked
def export(survey: Survey, target: str | Path, *, labels: bool = False, force: bool = False) -> list[Path]:
    """Write the respondents whom a `survey` counts, all questions of its codebook, to a `target`.

    It ends in .csv, or in .xml for triple-s 2.0.

    With `labels`, a CSV file holds labels instead of codes. A triple-s definition has its data beside it as .csv; where
    codes have to be numbered from 1 for it, a `Hint` names the questions. A file that was not made by this package is
    replaced only with `force`. Returns the paths written. Raises RequestError for another ending, FileProblem.
    """
    written, renumbered = export_survey(survey, Path(target), labels=labels, force=force)
    if renumbered:
        text = f"Codes were numbered from 1, as the standard wants, in: {', '.join(renumbered)}."
        warnings.warn(text, Hint, stacklevel=3)
    return written


def export_targets(target: Path, *, labels: bool = False) -> list[Path]:
    """List the files that an export to `target` writes: for triple-s the data beside it too.

    Raises RequestError for another ending than .csv and .xml, and for labels in triple-s.
    """
    ending = target.suffix.lower()
    if ending not in (".csv", ".xml"):
        raise RequestError(f"{target.name}: an export ends in .csv or .xml (triple-s).")
    if ending == ".xml" and labels:
        raise RequestError(
            "A triple-s file holds codes, with their labels in its definition; leave out the labels."
        )
    return [target] if ending == ".csv" else [target, target.with_suffix(".csv")]


def export_survey(
    survey: Survey,
    target: Path,
    *,
    labels: bool = False,
    inputs: Sequence[Path] = (),
    force: bool = False,
) -> tuple[list[Path], list[str]]:
    """Write the respondents whom a survey counts: the paths, and the questions whose codes were renumbered.

    `target` ends in .csv (codes or `labels`) or .xml (triple-s 2.0, its data beside it as .csv); `inputs` are files
    that are read beside the data. Without `force`, nothing that is there is replaced. Raises RequestError for another
    ending, FileProblem where a file cannot be written.
    """
    targets = export_targets(target, labels=labels)
    file = survey.responses.file
    read = [*inputs, *survey.codebook.files, *(() if file is None else file.paths)]
    rows = survey.population().rows
    if len(targets) == 1:
        with written_beside(targets, inputs=read, force=force) as (part,):
            write_csv(survey.responses, part, rows, labels=labels)
        return targets, []
    with written_beside(targets, inputs=read, force=force) as (definition_part, data_part):
        renumbered = write_triple_s(
            survey.responses, definition_part, data_part, rows, data_name=targets[1].name
        )
    return targets, renumbered
