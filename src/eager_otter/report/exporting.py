"""Write a survey's responses to files, by their endings."""

from __future__ import annotations

from pathlib import Path

from eager_otter.data.export import write_csv, write_triple_s
from eager_otter.errors import RequestError
from eager_otter.report.places import written_beside
from eager_otter.tables.survey import Survey


def export_survey(survey: Survey, target: Path, *, labels: bool = False) -> tuple[list[Path], list[str]]:
    """Write the respondents whom a survey counts: the paths, and the questions whose codes were renumbered.

    `target` ends in .csv (codes or `labels`) or .xml (triple-s 2.0, its data beside it as .csv). Raises
    RequestError for another ending, FileProblem where a file cannot be written.
    """
    rows = survey.population().rows
    ending = target.suffix.lower()
    if ending == ".csv":
        with written_beside([target]) as (part,):
            write_csv(survey.responses, part, rows, labels=labels)
        return [target], []
    if ending != ".xml":
        raise RequestError(f"{target.name}: an export ends in .csv or .xml (triple-s).")
    if labels:
        raise RequestError(
            "A triple-s file holds codes, with their labels in its definition; leave out the labels."
        )
    data = target.with_suffix(".csv")
    with written_beside([target, data]) as (definition_part, data_part):
        renumbered = write_triple_s(survey.responses, definition_part, data_part, rows, data_name=data.name)
    return [target, data], renumbered
