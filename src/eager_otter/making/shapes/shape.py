"""The work of a shape of tables: settle a request, list what is counted, and make the table of the sums."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Generic, TypeVar

from eager_otter.codebook.model import Codebook
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.counts import BannerCounts, QuestionSums
from eager_otter.counting.wanted import Count
from eager_otter.dataclass import dataclass
from eager_otter.figures.registry import summary_called
from eager_otter.looks.words import said
from eager_otter.making.crossings import items_crossings
from eager_otter.making.finishing import finished
from eager_otter.making.notes import item_notes
from eager_otter.making.setting import Setting
from eager_otter.tables.association import whole_table_notes
from eager_otter.tables.lookup import find_column
from eager_otter.tables.note import Note
from eager_otter.tables.request import COMPLETE, TableRequest
from eager_otter.tables.shows import Items, Shows
from eager_otter.tables.table import Line, Table

T = TypeVar("T", bound=Shows)
Q = TypeVar("Q", bound=Items)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Counted(Generic[T]):
    """The ingredients of a table: the settled request, what it shows, its counts with their sums, what surrounds it."""

    request: TableRequest
    shows: T
    counts: Sequence[Count]
    sums: Sequence[QuestionSums]
    counting: BannerCounts
    setting: Setting
    codebook: Codebook


class ShapeOfTable(ABC, Generic[T]):
    """The shape of a table: what is counted for it, how its sums become lines, whom a cell is of.

    `of` is what tables of the shape show.
    """

    of: type[T]

    def settled(self, request: TableRequest) -> TableRequest:
        """Return a request the banner, base and figures that it has by its shape. Raises RequestError."""
        return request

    def questions(self, request: TableRequest) -> tuple[str, ...]:
        """Name the questions whose answers are counted, in the order of the counts."""
        return request.shows.questions

    def asked_in(self, names: Sequence[str], line: Line, place: int) -> int:
        """Return which of the questions counted, by name, a cell is of."""
        return names.index(line.question) if line.question in names else 0

    def row_named(self, shows: T, line: Line, asked: int) -> tuple[str, str]:
        """Return the code and the label of the answer or net that a row is of; `asked` is the place of its question."""
        return line.code, line.label

    def counts(self, request: TableRequest, layout: BannerColumns, codebook: Codebook) -> list[Count]:
        """Say what is counted of each question. Raises UnknownName for a column that is not there."""
        shown = {*request.figures, *request.shows.figures_named}
        beside = None
        if "difference interval" in shown and request.over_banner and not request.shows.one_figure:
            beside = find_column(layout.columns, request.difference_from, "the banner")
        return [
            Count(
                question=name,
                leave_out=request.rows.leave_out,
                everyone=request.base == "all",
                reasons=request.reason_rows,
                mentions=any(one is not None and one.of_mentions for one in map(summary_called, shown)),
                value=request.shows.value,
                within=request.shows.within,
                beside=beside,
            )
            for name in self.questions(request)
        ]

    @abstractmethod
    def make(self, counted: Counted[T]) -> Table:
        """Make the table. Raises UnknownName, RequestError."""


class SeveralQuestions(ShapeOfTable[Q]):
    """A shape of tables of several questions."""

    def settled(self, request: TableRequest) -> TableRequest:
        """Count only those who answered every item, where complete answers are the base."""
        if request.base != COMPLETE:
            return request
        return replace(
            request,
            base=" and ".join(f"answered `{name}`" for name in request.shows.questions),
            base_text=request.base_text or said("the respondents who answered every item"),
        )


def table_of_items(
    counted: Counted[Q],
    lines: Sequence[Line],
    read: Iterable[Note],
    *,
    setting: Setting | None = None,
    title: str = "",
) -> Table:
    """Put a table of several questions together from its lines; `read` says how it is read, `title` names it."""
    request, items, sums = counted.request, counted.shows, counted.sums
    setting = setting or counted.setting
    labels = dict.fromkeys(items.label_of(place, one.question.label) for place, one in enumerate(sums))
    title = request.title or title or ", ".join(labels)
    notes = item_notes(request, items, lines, sums, setting, tuple(read))
    people = int(max(one.base.n[0, 0] for one in sums))
    table = finished(request, setting, lines, notes, title=title, people=people, shape=items.shape)
    if request.tests.whole_table == "none":
        return table
    crossings, why_none = items_crossings(counted.counting, counted.counts, sums)
    table = replace(table, crossings=crossings)
    table_notes = whole_table_notes(request, table.associations(), why_none)
    return replace(table, notes=(*table.notes, *table_notes))
