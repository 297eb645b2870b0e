"""Write a survey's responses to files, by their endings."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from eager_otter.asking.survey import Survey
from eager_otter.data.export import blanked, write_csv, write_described, write_triple_s
from eager_otter.data.remark import named
from eager_otter.documents.settled import checked
from eager_otter.errors import FileProblem, Hint, RequestError, shown_path
from eager_otter.gates.reading import is_file
from eager_otter.gates.writing import written_beside

Standard = Literal["triple-s", "ddi"]
DESCRIBED = (".xml", ".json")  # descriptions that have their data beside them


@checked
def export(
    survey: Survey,
    target: str | Path,
    *,
    labels: bool = False,
    standard: Standard | None = None,
    force: bool = False,
) -> list[Path]:
    """Write the respondents whom a `survey` counts, all questions of its codebook, to a `target`.

    It ends in .csv; in .xml for a `standard`, "triple-s" 2.0 (None) or "ddi" (DDI-Codebook 2.5); or in .json for a data
    package. These have their data beside them as .csv.

    With `labels`, a CSV file holds labels instead of codes. What triple-s cannot hold as it is (codes that are no whole
    numbers from 1, sections, which answers are missing), and what is written blank, is told by a `Hint`. A file that
    was not made by this package is replaced only with `force`. Returns the paths written. Raises RequestError for
    another ending, FileProblem.
    """
    written, told = export_survey(survey, Path(target), labels=labels, standard=standard, force=force)
    for text in told:
        warnings.warn(text, Hint, stacklevel=3)
    return written


def export_targets(target: Path, *, labels: bool = False, standard: Standard | None = None) -> list[Path]:
    """List the files that an export to `target` writes: for a standard the data beside it too.

    Raises RequestError for another ending than .csv, .xml and .json, for labels beside a description, and for a
    standard that goes with another ending.
    """
    ending = target.suffix.lower()
    if ending not in (".csv", ".xml", ".json"):
        raise RequestError(
            f"{target.name}: an export ends in .csv, .xml (triple-s or DDI-Codebook) or .json (data package)."
        )
    if standard is not None and ending != ".xml":
        raise RequestError(f"{target.name}: a file of the standard {standard} ends in .xml.")
    if ending != ".csv" and labels:
        raise RequestError(
            "A file with a definition holds codes, with their labels in the definition; leave out the labels."
        )
    return [target] if ending == ".csv" else [target, target.with_suffix(".csv")]


def _check_not_data_of_another(targets: Sequence[Path]) -> None:
    """Refuse to replace the data of another description, which would then describe others. Raises FileProblem."""
    data = targets[-1]
    for ending in DESCRIBED:
        other = data.with_suffix(ending)
        if other not in targets and is_file(data) and is_file(other):
            raise FileProblem(
                f"{shown_path(data)}: is the data of {other.name}, which would no longer fit them; export to another "
                "name or folder, or replace it with force (--force)."
            )


def export_survey(
    survey: Survey,
    target: Path,
    *,
    labels: bool = False,
    standard: Standard | None = None,
    inputs: Sequence[Path] = (),
    force: bool = False,
) -> tuple[list[Path], list[str]]:
    """Write the respondents whom a survey counts: the paths, and what is not in them as in the codebook.

    `target`, `labels` and `standard` are those of `export`; `inputs` are files that are read beside the data. Without
    `force`, nothing that is there is replaced. Raises RequestError for another ending, FileProblem where a file cannot
    be written.
    """
    targets = export_targets(target, labels=labels, standard=standard)
    if not force:
        _check_not_data_of_another(targets)
    file = survey.responses.file
    read = [*inputs, *survey.codebook.files, *(() if file is None else file.paths)]
    rows = survey.population().rows
    told: list[str] = []
    with written_beside(targets, inputs=read, force=force) as parts:
        if len(targets) == 1:
            write_csv(survey.responses, parts[0], rows, labels=labels)
        elif target.suffix.lower() == ".xml" and standard != "ddi":
            told = write_triple_s(survey.responses, parts[0], parts[1], rows, data_name=targets[1].name)
        else:
            as_ddi = standard == "ddi"
            write_described(
                survey.responses, parts[0], parts[1], rows, data_name=targets[1].name, as_ddi=as_ddi
            )
    if lost := blanked(survey.responses, rows):
        told.append(f"Values that are missing by a range were written blank ({named(lost)}).")
    return targets, told
