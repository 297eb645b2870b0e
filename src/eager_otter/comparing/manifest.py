"""The manifest of a report: what it was made of, as it is written beside the outputs and read back."""

import hashlib
from pathlib import Path
from typing import Literal

from eager_otter.documents.part import Part, fit_of_part, key, plain
from eager_otter.errors import FileProblem, shown_path
from eager_otter.gates.outputs import MANIFEST
from eager_otter.gates.reading import (
    LARGEST_JSON,
    digest_of_bytes,
    is_file,
    parse_json,
    plain_number,
    read_text,
)
from eager_otter.gates.text import as_json

FORMAT: Literal[1] = 1
Digest = str  # the first sixteen hexadecimal digits of a SHA-256


class FileEntry(Part):
    """A file that a report was made from, or was written to."""

    file: str
    digest: Digest = ""


class DataEntry(FileEntry):
    """The responses: rows read, the time the file was last changed (UTC), a fingerprint of its bytes."""

    rows: int
    last_changed: str = key("changed", "")


class QuestionEntry(Part):
    """A question of the tables: its wording, how its answers are come by, its nets and differences by label."""

    text: str
    label: str
    answers: dict[str, str] = key("answers", {})
    definition: Digest
    nets: dict[str, str] = key("nets", {})


class AcceptedEntry(Part):
    """A slip that the plan accepts, and why."""

    slip: str
    where: str
    because: str


class AuditEntry(Part):
    """How many slips the audit found by severity, and which are accepted.

    `unknown` lists the codes of each question, and the columns ("data"), that the codebook does not know.
    """

    counts: dict[str, int]
    unknown: dict[str, list[str]] = key("unknown", {})
    accepted: list[AcceptedEntry] = key("accepted", [])


class TableEntry(Part):
    """A table: how it was counted and tested, and a digest of its figures.

    `filters` are those beside the report's: its own, and the condition of its base.
    """

    id: str
    title: str
    questions: list[str]
    filters: list[str]
    base: str
    weight: str | None
    levels: list[float]
    tests: dict[str, str | bool]
    bases: dict[str, float | str | None]
    figures: Digest


class Manifest(Part):
    """The inputs of a report: everything that can be a cause of different figures."""

    title: str
    author: str = ""
    language: str
    versions: dict[str, str]
    data: DataEntry
    codebook: FileEntry
    plan: FileEntry
    theme: FileEntry
    filter: str | None
    weight: str | None
    respondents: int
    audit: AuditEntry
    questions: dict[str, QuestionEntry]
    tables: list[TableEntry]
    outputs: list[FileEntry]

    def holds(self, path: Path) -> bool:
        """Return whether a file is one of its outputs, byte for byte."""
        named = [one for one in self.outputs if Path(one.file).name == path.name]
        return bool(named) and file_digest(path) in {one.digest for one in named}


class ManifestFile(Part):
    """The manifests of all reports whose outputs lie in a folder, the latest last."""

    maker: str
    format: Literal[1] = FORMAT
    reports: list[Manifest]

    def text(self) -> str:
        """Write it as JSON, the same for the same reports."""
        return as_json(plain(self), indent=1) + "\n"

    def of(self, path: Path) -> Manifest | None:
        """Find the report that a file is an output of, byte for byte."""
        return next((one for one in reversed(self.reports) if one.holds(path)), None)


def digest(content: bytes) -> Digest:
    """Return a digest of some bytes."""
    return hashlib.sha256(content).hexdigest()[:16]


def file_digest(path: Path) -> Digest:
    """Return a digest of a file's bytes, "" where it is not there."""
    return digest_of_bytes(path, "a file")[:16] if is_file(path) else ""


def read_manifests(path: Path) -> ManifestFile:
    """Read a manifest file. Raises FileProblem where it cannot be read or is not one."""
    text = read_text(path, "a manifest", most=LARGEST_JSON)
    try:
        content = parse_json(text, shown_path(path), "JSON", number=plain_number)
    except FileProblem as error:
        raise _of_no_manifest(path) from error
    found = fit_of_part(ManifestFile)(content)
    if not isinstance(found, ManifestFile):
        raise _of_no_manifest(path)
    return found


def _of_no_manifest(path: Path) -> FileProblem:
    message = "is not a manifest that this version reads; run the plan again to write a new one."
    return FileProblem(f"{shown_path(path)}: {message}")


def joined_to(folder: Path, new: Manifest, maker: str) -> ManifestFile:
    """Put a manifest into the file of a folder, after those whose outputs are still there as they were written."""
    path, written = folder / MANIFEST, {one.file for one in new.outputs}
    try:
        earlier = read_manifests(path).reports if is_file(path) else []
    except FileProblem:
        earlier = []  # of another version, or not ours: replaced where that is allowed
    kept = [
        one
        for one in earlier
        if any(
            output.file not in written and output.digest == file_digest(folder / output.file) != ""
            for output in one.outputs
        )
    ]
    return ManifestFile(maker=maker, reports=[*kept, new])


def result_in(folder: Path) -> Path:
    """Find the tidy file among the outputs that the manifest of a folder knows, the latest first.

    Raises FileProblem where there is none.
    """
    path = folder / MANIFEST
    if not is_file(path):
        raise FileProblem(
            f"{shown_path(folder)}: no {MANIFEST} is there; name a tidy file (.csv, .json, .parquet)."
        )
    for report in reversed(read_manifests(path).reports):
        for one in report.outputs:
            if Path(one.file).suffix.lower() in (".csv", ".json", ".parquet"):
                return folder / one.file
    raise FileProblem(f"{shown_path(path)}: no output is a tidy file; add tables.csv to the plan's outputs.")
