"""Which answers the people of a column could give, where some of several files did not offer, or ask, all."""

from __future__ import annotations

import numpy as np

from eager_otter.codebook.model import Offered, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.tables.base_rules import NOT_OFFERED, OFFERED, PARTLY_OFFERED


def offers_in(question: Question, people: FloatArray) -> IntArray:
    """Tell for each row (answers, then nets) and column whether it was offered there: (rows, columns).

    `people` (waves, columns) counts those of each wave in each column, in the order of `question.offered.waves`. A net
    is offered where all of its answers are; not, where none is. Waves that did not ask say nothing: see `nobody_asked`.
    """
    offered = question.offered
    assert offered is not None
    here = people[_asked(offered)] > 0
    without = [offered.without.get(wave, frozenset()) for wave in offered.waves if wave in offered.asked]
    rows = [frozenset((answer.code,)) for answer in question.valid]
    rows += [frozenset(net.of) for net in question.nets]
    status = np.zeros((len(rows), people.shape[1]), np.int64)
    for k, members in enumerate(rows):
        some = np.array([bool(members & gone) for gone in without], np.bool_)
        if some.any():
            none = np.array([members <= gone for gone in without], np.bool_)
            lacking, there = (here[some]).any(axis=0), (here[~none]).any(axis=0)
            status[k] = np.where(lacking, np.where(there, PARTLY_OFFERED, NOT_OFFERED), OFFERED)
    return status


def nobody_asked(question: Question, people: FloatArray) -> BoolArray:
    """Return which columns hold people, none of whom were asked: (columns,)."""
    offered = question.offered
    assert offered is not None
    return np.asarray((people.sum(axis=0) > 0) & ~(people[_asked(offered)] > 0).any(axis=0))


def _asked(offered: Offered) -> BoolArray:
    """Return which waves asked: (waves,)."""
    return np.array([wave in offered.asked for wave in offered.waves])
