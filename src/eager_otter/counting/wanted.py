"""The plan of a count: a banner, who is counted and which questions; it holds no rows, and can be sent anywhere."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.cells import PlannedSet, plan_sets
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.membership import possible_patterns
from eager_otter.counting.nesting import nested_question
from eager_otter.counting.order import without_left_out
from eager_otter.counting.population import Choice
from eager_otter.dataclass import dataclass

PASS_SUMS = 16_000_000  # numbers, about, that one pass over the data may gather: some 250 MB


@dataclass(frozen=True, slots=True, kw_only=True)
class Count:
    """The counts wanted of a question: without some answers, with everyone in the base, with mentions per respondent.

    With `value`, a number or scale is summed up among those in each row as well. `within` names questions whose answers
    are over those of the question, outermost first. With `reasons`, those of everyone who gave no answer are counted
    by their reason; with `beside`, the people that each column shares with that column are.
    """

    question: str
    leave_out: tuple[str, ...] = ()
    everyone: bool = False
    reasons: bool = False
    beside: int | None = None
    mentions: bool = False
    value: str | None = None
    within: tuple[str, ...] = ()

    def asked(self, codebook: Codebook) -> Question:
        """Return the question to count, as the table sees it."""
        question = without_left_out(codebook.question(self.question), self.leave_out)
        if not self.within:
            return question
        return nested_question([*(codebook.question(name) for name in self.within), question])

    def names(self) -> Iterator[str]:
        """Go through the questions that are counted."""
        yield from (self.question, *self.within)
        if self.value is not None:
            yield self.value


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class BannerPlan:
    """A banner to count questions by: its columns, the sets of cells that hold them, who is counted, and what of them.

    It is made without data, so that every part of the data is counted alike wherever that is done.
    """

    choice: Choice
    layout: BannerColumns
    sets: tuple[PlannedSet, ...]
    counts: tuple[Count, ...] = ()

    def names(self) -> Iterator[str]:
        """Go through the questions that it needs."""
        yield from self.choice.names()
        for block in self.layout.blocks:
            yield from block.wanted.questions_named()
        for count in self.counts:
            yield from count.names()

    def of(self, counts: tuple[Count, ...]) -> BannerPlan:
        """Return the plan with other counts."""
        return replace(self, counts=counts)


def counts_of_waves(counts: Iterable[Count], codebook: Codebook) -> Iterator[Count]:
    """Return the counts of the waves that tell what was offered to those in a column, for some counts; each once."""
    offered = (codebook.question(count.question).offered for count in counts)
    names = dict.fromkeys(one.question for one in offered if one is not None)
    return (Count(question=name) for name in names)


def in_passes(plans: Sequence[BannerPlan], codebook: Codebook) -> Iterator[tuple[BannerPlan, ...]]:
    """Put plans together that are counted in one pass: as many as have not too many sums between them."""
    together: list[BannerPlan] = []
    sums = 0
    for plan in plans:
        cells = sum(len(one.columns) + 1 for one in plan.sets)
        questions = [codebook.question(count.question) for count in plan.counts]
        own = 3 * cells * sum(len(question.answers) + len(question.nets) + 1 for question in questions)
        if together and sums + own > PASS_SUMS:
            yield tuple(together)
            together, sums = [], 0
        together.append(plan)
        sums += own
    if together:
        yield tuple(together)


def planned(choice: Choice, layout: BannerColumns, codebook: Codebook) -> BannerPlan:
    """Plan a banner over the people of a choice, no question counted yet."""
    groups = possible_patterns(layout, codebook)
    return BannerPlan(choice=choice, layout=layout, sets=plan_sets(groups, layout.comparisons.pairs))
