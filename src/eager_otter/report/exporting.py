"""Write a survey's responses to files, by their endings."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from eager_otter.asking.survey import Survey
from eager_otter.data.export import write_csv, write_triple_s
from eager_otter.errors import RequestError
from eager_otter.gates.writing import written_beside


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
