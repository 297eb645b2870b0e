"""The kinds of questions: what each is, said once; all that differs by kind asks these."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from eager_otter.dataclass import dataclass

Kind = Literal["single", "multi", "number", "date", "text"]


@dataclass(frozen=True, slots=True, kw_only=True)
class QuestionKind:
    """A kind of question and its properties.

    - `of_answers`: it has a list of answers, so it can be rows, columns, nests, repeats and nets; `several` of them at
      a time, or one.
    - `of_values`: its values are numbers to be summed up; `of_days`: they are days; `of_texts`: they are texts.
    - `not_tabulated` says why no table can show it, and what to do; "" where one can.
    """

    name: Kind
    of_answers: bool = False
    several: bool = False
    of_values: bool = False
    of_days: bool = False
    of_texts: bool = False
    not_tabulated: str = ""

    @property
    def of_one_answer(self) -> bool:
        """Whether it has a list of answers, of which one is given."""
        return self.of_answers and not self.several


KINDS: Mapping[str, QuestionKind] = {
    kind.name: kind
    for kind in (
        QuestionKind(name="single", of_answers=True),
        QuestionKind(name="multi", of_answers=True, several=True),
        QuestionKind(name="number", of_values=True),
        QuestionKind(
            name="date",
            of_days=True,
            not_tabulated="is a date and cannot be tabulated; put it into periods in the codebook",
        ),
        QuestionKind(
            name="text",
            of_texts=True,
            not_tabulated="is open text and cannot be tabulated; code it into answers first",
        ),
    )
}
