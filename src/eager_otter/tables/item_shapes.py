"""The shapes that a table of several questions can have: what stands down and across, and what does nothing there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Shape = Literal["items by columns", "answers by items", "one under another", "before by after"]
OF_ANSWERS = (
    "hide",
    "most",
    "above",
    "empty_rows",
    "headings",
    "no_answer",
)  # settings of rows that are answers


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemsShape:
    """How several questions stand in one table.

    `over_banner` tells those whose columns are the banner's, `one_figure` those that show one figure of each question
    in a row, `items_across` those whose columns are the items themselves, `of_moves` those of people who moved from
    one answer to another. `idle` names settings of a table that do nothing there, `why_idle` says why.
    """

    name: Shape
    over_banner: bool = True
    one_figure: bool = False
    items_across: bool = False
    of_moves: bool = False
    idle: tuple[str, ...] = ()
    why_idle: str = ""


ITEMS_BY_COLUMNS = ItemsShape(
    name="items by columns",
    one_figure=True,
    idle=(*OF_ANSWERS, "untested"),
    why_idle="each row is an item",
)
ANSWERS_BY_ITEMS = ItemsShape(
    name="answers by items",
    over_banner=False,
    items_across=True,
    idle=("banner", "figure"),
    why_idle="the items are the columns",
)
ONE_UNDER_ANOTHER = ItemsShape(
    name="one under another", idle=("figure",), why_idle="whole questions are shown"
)
BEFORE_BY_AFTER = ItemsShape(
    name="before by after",
    over_banner=False,
    of_moves=True,
    idle=("banner", "figure", "base", "tests", "untested"),
    why_idle="the answers after are the columns, for those who answered both times, and nothing is tested",
)
SHAPES: dict[Shape, ItemsShape] = {
    shape.name: shape for shape in (ITEMS_BY_COLUMNS, ANSWERS_BY_ITEMS, ONE_UNDER_ANOTHER, BEFORE_BY_AFTER)
}
