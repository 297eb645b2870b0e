"""Write the demo survey, and its spoiled copy, into a folder."""

from __future__ import annotations

import contextlib
import csv
import io
import os
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

from eager_otter.demo.generator import as_rows, responses
from eager_otter.demo.messy import messy_files
from eager_otter.demo.spoiling import spoiled_files
from eager_otter.documents.settled import checked
from eager_otter.errors import FileProblem, shown_path
from eager_otter.gates.reading import is_file, packaged_text, read_bytes
from eager_otter.gates.writing import new_folder, write_text, written_beside

DATED = datetime(
    2026, 10, 5, 9, 0, tzinfo=UTC
).timestamp()  # the files' date, so that reports repeat to the byte


SHIPPED = ("codebook.yaml", "plan.yaml", "shapes.yaml", "targets.yaml")


def demo_files() -> dict[str, str]:
    """Make the texts of all demo files by their place in the folder."""
    shipped = {name: packaged_text("eager_otter.demo", name) for name in SHIPPED}
    columns = responses()
    clean = {
        "responses.csv": csv_text(as_rows(columns)),
        **shipped,
    }
    spoiled = spoiled_files(columns, shipped["codebook.yaml"], shipped["plan.yaml"])
    texts = {name: _text(content) for name, content in spoiled.items()}
    texts |= {name: csv_text(rows) for name, rows in messy_files(columns).items()}
    return clean | {f"spoiled/{name}": text for name, text in texts.items()}


@checked
def write_demo(folder: str | Path) -> list[Path]:
    """Write the demo into a `folder`, made where it is not there; returns the paths.

    Raises FileProblem when a file there has other contents (somebody changed it) or cannot be written.
    """
    folder = Path(folder)
    texts = demo_files()
    changed = [folder / name for name, text in texts.items() if _differs(folder / name, text)]
    if changed:
        raise FileProblem(
            f"{shown_path(changed[0])}: is there already and has been changed; it is not overwritten. "
            "Name another folder, or move the file away."
        )
    paths = [folder / name for name in texts]
    with contextlib.ExitStack() as stack:
        for inside in dict.fromkeys(path.parent for path in paths):
            stack.enter_context(new_folder(inside))
        parts = stack.enter_context(
            written_beside(paths, force=True)
        )  # what is there has just these contents
        for part, text in zip(parts, texts.values(), strict=True):
            write_text(part, text)
            os.utime(part, (DATED, DATED))
    return paths


def csv_text(rows: Sequence[Sequence[str]]) -> str:
    """Write rows as CSV."""
    buffer = io.StringIO()
    csv.writer(buffer, lineterminator="\n").writerows(rows)
    return buffer.getvalue()


def _text(content: str | Mapping[str, Sequence[str]]) -> str:
    if isinstance(content, str):
        return content
    return csv_text(as_rows({name: list(values) for name, values in content.items()}))


def _differs(path: Path, text: str) -> bool:
    return is_file(path) and read_bytes(path, "a file of the demo") != text.encode("utf-8")
