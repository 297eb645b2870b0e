"""Read a targets file."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from eager_otter.documents.checking import check
from eager_otter.documents.yaml_nodes import Document, read_yaml
from eager_otter.errors import DocumentError
from eager_otter.weighing.file import TargetsFile
from eager_otter.weighing.weighing import Place, Target, Wanted, WrongTargets


def read_targets(path: Path) -> tuple[Document, TargetsFile, Wanted]:
    """Read a targets file: it, as it was understood, and what it wants. Raises FileProblem, DocumentError."""
    document = read_yaml(path, "targets")
    part, problems = check(TargetsFile, document.data, document, ())
    if part is not None and not problems and part.own and part.within is None:
        problems = [
            document.problem(
                ("own targets",), "own targets need 'within': the question they are by.", key=True
            )
        ]
    if part is None or problems:
        raise DocumentError(problems)
    nested = tuple(
        Target(
            questions=tuple(one.questions),
            figures={
                (outer, inner): share
                for outer, shares in one.shares.items()
                for inner, share in shares.items()
            },
            place=("nested", k, "shares"),
        )
        for k, one in enumerate(part.nested)
    )
    wanted = Wanted(
        targets=(*targets_of(part.targets, ("targets",)), *nested),
        counts=part.given_as == "counts",
        cap=part.cap,
        total=part.total,
        start=part.start,
        within=part.within,
        own={
            answer: (*targets_of(targets, ("own targets", answer)), *nested)
            for answer, targets in part.own.items()
        },
        mean_where_unanswered=part.no_answer == "mean weight",
    )
    return document, part, wanted


def targets_of(targets: Mapping[str, Mapping[str, float]], place: Place = ()) -> tuple[Target, ...]:
    """Make targets from a mapping of questions to the figures of their answers, by code or label.

    `place` is where the mapping stands in a file.
    """
    return tuple(
        Target(
            questions=(question,),
            figures={(answer,): figure for answer, figure in figures.items()},
            place=(*place, question),
        )
        for question, figures in targets.items()
    )


def in_file(error: WrongTargets, document: Document) -> DocumentError:
    """Say of mistakes where they stand in a targets file."""
    return DocumentError([document.problem(place, text, key=True) for place, text in error.mistakes])
