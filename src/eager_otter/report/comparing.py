"""Compare two results: saved ones, or reports that were just made."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from eager_otter.comparing.comparing import Comparison, compare_files
from eager_otter.comparing.manifest import result_in
from eager_otter.documents.settled import checked
from eager_otter.gates.reading import is_folder
from eager_otter.report.report import Report


@checked
def compare(old: str | Path | Report, new: str | Path | Report, *, tolerance: float = 0.0) -> Comparison:
    """Return what changed from one result to another: causes first, then every figure, letter, base and label.

    `old` and `new` are each a tidy file of a report (.csv, .json, .parquet), a folder that holds its manifest, or a
    report. Figures that moved by no more than `tolerance` (points of percent, units of a mean or count) are left out.
    Raises FileProblem, and RequestError for a tolerance below 0.

    Example: `compare("last-week/tables.csv", run("plan.yaml")).changes`.
    """
    with TemporaryDirectory() as one, TemporaryDirectory() as other:
        return compare_files(_saved(old, Path(one)), _saved(new, Path(other)), tolerance=tolerance)


def _saved(result: str | Path | Report, folder: Path) -> Path:
    """Return the tidy file of a result; that of a report is written into a folder."""
    if isinstance(result, Report):
        place = folder / "report.csv"
        result.save(place, manifest=result.plan is not None)
        return place
    return result_in(Path(result)) if is_folder(Path(result)) else Path(result)
