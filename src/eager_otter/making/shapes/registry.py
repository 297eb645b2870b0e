"""The shape of each table."""

from __future__ import annotations

from typing import Any

from eager_otter.making.shapes.answers_by_items import AnswersByItemsTable
from eager_otter.making.shapes.before_by_after import BeforeByAfterTable
from eager_otter.making.shapes.items_by_columns import ItemsByColumnsTable
from eager_otter.making.shapes.one_question import OneQuestionTable
from eager_otter.making.shapes.one_under_another import OneUnderAnotherTable
from eager_otter.making.shapes.shape import ShapeOfTable
from eager_otter.tables.request import TableRequest

SHAPES: tuple[ShapeOfTable[Any], ...] = (
    OneQuestionTable(),
    ItemsByColumnsTable(),
    AnswersByItemsTable(),
    OneUnderAnotherTable(),
    BeforeByAfterTable(),
)


def shape_of(request: TableRequest) -> ShapeOfTable[Any]:
    """Return the shape of the table that a request asks for."""
    return next(shape for shape in SHAPES if isinstance(request.shows, shape.of))
