"""How those counted in a table were chosen."""

from __future__ import annotations

from eager_otter.codebook.model import Question
from eager_otter.data.files import Source
from eager_otter.data.remark import Remark
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterStep:
    """A filter, or the condition of a base: its expression, its wording for readers, and how many it kept."""

    expression: str
    wording: str
    kept: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """How those counted were chosen: rows read, filters with what they kept, weight, rows of weight 0.

    `source` is where the responses came from, `base` the step of `filters` that is the condition of the table's base;
    `asked` says in a reader's words whom the question was asked of. `remarks` are what was noticed while the data were
    read, as far as it touches the table; `lacking` are questions that the table's is made of, of which some waves did
    not offer all answers, where its own answers do not tell.
    """

    rows: int
    source: Source | None = None
    universe: str = ""
    filters: tuple[FilterStep, ...] = ()
    weight: str | None = None
    base: FilterStep | None = None
    asked: str = ""
    zero_weights: int = 0
    unknown: tuple[tuple[str, int], ...] = ()
    remarks: tuple[Remark, ...] = ()
    lacking: tuple[Question, ...] = ()
