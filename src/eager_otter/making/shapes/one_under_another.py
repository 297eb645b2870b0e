"""Whole questions, one under another."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from eager_otter.counting.counts import QuestionSums
from eager_otter.making.finishing import heading_line
from eager_otter.making.lines import Making
from eager_otter.making.notes import row_notes
from eager_otter.making.shapes.shape import Counted, SeveralQuestions, table_of_items
from eager_otter.tables.note import Note
from eager_otter.tables.shows import OneUnderAnother
from eager_otter.tables.table import Line, Table


class OneUnderAnotherTable(SeveralQuestions[OneUnderAnother]):
    """Each question under its heading, across the banner."""

    of = OneUnderAnother

    def make(self, counted: Counted[OneUnderAnother]) -> Table:
        """Put whole questions under their headings; bases are repeated wherever they change."""
        request, setting = counted.request, counted.setting
        lines: list[Line] = []
        before: QuestionSums | None = None
        for place, one in enumerate(counted.sums):
            making = Making(request, one, setting)
            changed = before is None or not np.array_equal(before.base.n, one.base.n)
            title = counted.shows.label_of(place, one.question.text)
            lines += making.bases() if before is None else []
            lines.append(heading_line(title, len(setting.layout.columns)))
            if changed and before is not None:
                lines += making.bases()
            lines += making.body()
            before = one
        return table_of_items(counted, lines, dict.fromkeys(_read(counted, lines)))


def _read(counted: Counted[OneUnderAnother], lines: list[Line]) -> Iterator[Note]:
    """Say how the rows of each question are read."""
    nets = [line for line in lines if line.kind == "net"]
    for one in counted.sums:
        yield from row_notes(counted.request, one.question, nets, counted.setting)
