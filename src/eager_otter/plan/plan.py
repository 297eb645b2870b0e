"""A plan, checked: where the data are, who is counted, which tables are wanted, where they go."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from eager_otter.codebook.model import Codebook
from eager_otter.data.opening import Reading
from eager_otter.tables.request import Banner, TableRequest


@dataclass(frozen=True, slots=True, kw_only=True)
class Acceptance:
    """A finding of the audit that the analyst lets be, with the reason; `where` may hold * for any."""

    slip: str
    where: str
    because: str


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Plan:
    """Everything a report is made from. `weight` is None for an unweighted report; paths are ready to open."""

    path: Path
    title: str
    data: Path
    reading: Reading
    codebook: Codebook
    filter: str | None
    weight: str | None
    banners: dict[str, Banner]
    requests: tuple[TableRequest, ...]
    outputs: tuple[Path, ...]
    standard: TableRequest
    accepted: tuple[Acceptance, ...] = ()
