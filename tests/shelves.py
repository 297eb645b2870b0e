"""Storage to test with that is reached by an address, `shelf://…`."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any, ClassVar

import fsspec
import pytest
from fsspec.implementations.memory import MemoryFileSystem

import eager_otter as otter
from eager_otter.gates import copying, storage

PLAN = """
data: {data}
codebook: codebook.yaml
banners: {{main: [wave, tried]}}
defaults: {{figures: [column percent, mean]}}
tables: [{{each: [liking, area, glasses]}}, {{question: area, base: all, no answer: by reason, id: why}}]
"""


class Shelf(MemoryFileSystem):
    """Storage that tells a mark and a moment of each file, as object storage does, and fails where it is told to."""

    protocol = ("shelf",)
    store: ClassVar[dict[str, Any]] = {}
    pseudo_dirs: ClassVar[list[str]] = [""]
    marks: ClassVar[dict[str, str]] = {}
    fails: ClassVar[dict[str, Exception]] = {}
    asked: ClassVar[list[str]] = []
    listed: ClassVar[dict[str, dict[str, Any]]] = {}  # what was told before, as long as nobody asks for news
    told: ClassVar[dict[str, Any]] = {"LastModified": datetime(2026, 10, 5, 9, 0, tzinfo=UTC)}

    def __init__(self) -> None:  # as some kinds of storage do, it takes no options of others
        super().__init__()

    @classmethod
    def _strip_protocol(cls, path: str) -> str:
        return "/" + path.removeprefix("shelf://").partition("?")[0].strip("/")

    def info(self, path: str, **options: Any) -> dict[str, Any]:
        name = self._strip_protocol(path)
        if "info" in self.fails:
            raise self.fails["info"]
        if name not in self.listed:
            known = super().info(name, **options)
            entry = {key: known[key] for key in ("name", "size", "type")}
            self.listed[name] = {**entry, "ETag": self.marks.get(name, ""), **self.told}
        return self.listed[name]

    def invalidate_cache(self, path: str | None = None) -> None:
        self.listed.clear()

    def _open(self, path: str, *args: Any, **options: Any) -> Any:
        self.asked.append(path)
        if "open" in self.fails:
            raise self.fails["open"]
        return super()._open(path, *args, **options)


def put(address: str, path: Path, mark: str = "one") -> None:
    """Put a file of this machine on the shelf."""
    with fsspec.open(address, "wb") as file:
        file.write(path.read_bytes())
    Shelf.marks[Shelf._strip_protocol(address)] = mark


def set_up(monkeypatch: pytest.MonkeyPatch) -> type[Shelf]:
    """Make the shelf known, empty, for one test."""
    fsspec.register_implementation("shelf", Shelf, clobber=True)
    for name, value in (
        ("store", {}),
        ("pseudo_dirs", [""]),
        ("marks", {}),
        ("fails", {}),
        ("asked", []),
        ("listed", {}),
    ):
        monkeypatch.setattr(Shelf, name, value)
    monkeypatch.setattr(storage, "FRESH", 0)
    forget_copies()
    return Shelf


def forget_copies() -> None:
    """Forget the copies of this process, as the next command does."""
    for known in (copying._BY_ADDRESS, copying._BY_COPY, copying.COPIES):
        known.clear()
    Shelf.asked.clear()


def plan_of(folder: Path, data: str) -> Path:
    """Write a plan for data at an address, or beside it."""
    path = folder / "plan.yaml"
    path.write_text(PLAN.format(data=data), encoding="utf-8")
    return path


def tables_of(report: otter.Report, folder: Path) -> str:
    """Every figure of a report."""
    report.save(folder / "tables.csv", force=True)
    return (folder / "tables.csv").read_text(encoding="utf-8")
