"""The setting of a table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import IntArray
from eager_otter.core.proportions import SharedPairs
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.laying import in_order
from eager_otter.dataclass import dataclass
from eager_otter.significance.method import Order
from eager_otter.tables.association import side_order
from eager_otter.tables.facts import Facts
from eager_otter.tables.table import Asker, Viewer


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Setting:
    """The setting of a table: the banner, who is counted and how they were chosen.

    `questions` are those of the banner; `labels` those of all questions by name; `sharing` holds the starts of groups
    in which someone is in two columns, and
    `overlapping` (pairs, 2) the pairs of columns whose pair sums there are.
    """

    layout: BannerColumns
    shared: SharedPairs
    weighted: bool
    facts: Facts
    questions: Mapping[str, Question] = field(default_factory=dict)
    sharing: frozenset[int] = frozenset()
    overlapping: IntArray = field(default_factory=lambda: np.zeros((0, 2), np.int64))
    viewer: Viewer | None = None
    asker: Asker | None = None
    labels: Mapping[str, str] = field(default_factory=dict)

    def label_of(self, name: str) -> str:
        """Return the label of a question, its name where the setting knows none."""
        return self.labels.get(name, name)

    def column_order(self, columns: Sequence[int]) -> Order:
        """Return whether columns have an order: two, or answers of an ordered question as these follow each other."""
        chosen = [self.layout.columns[k] for k in columns]
        question = self.questions.get(chosen[0].question) if chosen else None
        alike = question is not None and all(column.question == question.name for column in chosen)
        ordered = question is not None and alike and in_order(question, [column.code for column in chosen])
        return side_order(ordered, len(chosen))
