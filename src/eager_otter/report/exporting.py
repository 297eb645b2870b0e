"""Write a survey's responses to files, by their endings."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from eager_otter.asking.survey import Survey
from eager_otter.data.export import write_csv, write_described, write_triple_s
from eager_otter.documents.settled import checked
from eager_otter.errors import Hint, RequestError
from eager_otter.gates.writing import written_beside

Standard = Literal["triple-s", "ddi"]


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

    With `labels`, a CSV file holds labels instead of codes. Where codes have to be numbered from 1 for triple-s, a
    `Hint` names the questions. A file that was not made by this package is
    replaced only with `force`. Returns the paths written. Raises RequestError for another ending, FileProblem.
    """
    written, renumbered = export_survey(survey, Path(target), labels=labels, standard=standard, force=force)
    if renumbered:
        text = f"Codes were numbered from 1, as the standard wants, in: {', '.join(renumbered)}."
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


def export_survey(
    survey: Survey,
    target: Path,
    *,
    labels: bool = False,
    standard: Standard | None = None,
    inputs: Sequence[Path] = (),
    force: bool = False,
) -> tuple[list[Path], list[str]]:
    """Write the respondents whom a survey counts: the paths, and the questions whose codes were renumbered.

    `target`, `labels` and `standard` are those of `export`; `inputs` are files that are read beside the data. Without
    `force`, nothing that is there is replaced. Raises RequestError for another ending, FileProblem where a file cannot
    be written.
    """
    targets = export_targets(target, labels=labels, standard=standard)
    file = survey.responses.file
    read = [*inputs, *survey.codebook.files, *(() if file is None else file.paths)]
    rows = survey.population().rows
    renumbered: list[str] = []
    with written_beside(targets, inputs=read, force=force) as parts:
        if len(targets) == 1:
            write_csv(survey.responses, parts[0], rows, labels=labels)
        elif target.suffix.lower() == ".xml" and standard != "ddi":
            renumbered = write_triple_s(survey.responses, parts[0], parts[1], rows, data_name=targets[1].name)
        else:
            as_ddi = standard == "ddi"
            write_described(
                survey.responses, parts[0], parts[1], rows, data_name=targets[1].name, as_ddi=as_ddi
            )
    return targets, renumbered
