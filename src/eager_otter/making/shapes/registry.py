"""The shape of each table."""

from __future__ import annotations

from collections.abc import Mapping

from eager_otter.making.shapes.answers_by_items import AnswersByItems
from eager_otter.making.shapes.before_by_after import BeforeByAfter
from eager_otter.making.shapes.items_by_columns import ItemsByColumns
from eager_otter.making.shapes.one_question import OneQuestion
from eager_otter.making.shapes.one_under_another import OneUnderAnother
from eager_otter.making.shapes.shape import ShapeOfTable
from eager_otter.tables.item_shapes import Shape
from eager_otter.tables.request import TableRequest

ONE_QUESTION = OneQuestion()
OF_ITEMS: Mapping[Shape, ShapeOfTable] = {
    "items by columns": ItemsByColumns(),
    "answers by items": AnswersByItems(),
    "one under another": OneUnderAnother(),
    "before by after": BeforeByAfter(),
}


def shape_of(request: TableRequest) -> ShapeOfTable:
    """Give the shape of the table that a request asks for."""
    return ONE_QUESTION if request.items is None else OF_ITEMS[request.items.shape]
