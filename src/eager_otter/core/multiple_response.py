"""A whole-table test of a multiple response: whether the columns of a group differ in any answer."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.core.association import WholeTableTest, corrected_test
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, eq=False)
class AnswersByColumns:
    """The answers of each person, in columns that share nobody.

    `n` and `w` (answers, columns) are people and Σw who gave an answer; `base_n`, `base_w` and `base_w2` (columns,)
    people, Σw and Σw² in the base; `both` (columns, answers, answers) is Σw² of those who gave two answers.
    """

    n: FloatArray
    w: FloatArray
    base_n: FloatArray
    base_w: FloatArray
    base_w2: FloatArray
    both: FloatArray

    @property
    def testable(self) -> bool:
        """Whether there is an answer to test in two columns."""
        return bool(self.n.shape[0] >= 1 and self.base_n.size >= 2)

    @cached_property
    def expected(self) -> FloatArray:
        """The people expected to give each answer, and not to, where nothing is associated: (2 × answers, columns)."""
        people = self.base_n.sum()
        gave = self.n.sum(axis=1)
        return np.asarray(np.outer(np.concatenate([gave, people - gave]), self.base_n) / people)

    @cached_property
    def excess(self) -> FloatArray:
        """H = p_rc − p_r·p_c of the weighted shares: (answers, columns)."""
        total = self.base_w.sum()
        return np.asarray(self.w / total - np.outer(self.share, self.base_w / total))

    @cached_property
    def share(self) -> FloatArray:
        """The share of everybody who gave each answer: (answers,)."""
        return np.asarray(self.w.sum(axis=1) / self.base_w.sum())


def answers_by_columns(
    n: FloatArray,
    w: FloatArray,
    base_n: FloatArray,
    base_w: FloatArray,
    base_w2: FloatArray,
    both: FloatArray,
) -> AnswersByColumns:
    """Gather answers by columns, without empty columns and without answers that nobody or everybody gave."""
    columns = base_n > 0
    gave = n[:, columns].sum(axis=1)
    rows = (gave > 0) & (gave < base_n[columns].sum())
    chosen = np.ix_(rows, columns)
    return AnswersByColumns(
        n=n[chosen],
        w=w[chosen],
        base_n=base_n[columns],
        base_w=base_w[columns],
        base_w2=base_w2[columns],
        both=both[np.ix_(columns, rows, rows)],
    )


def multiple_response_test(table: AnswersByColumns, method: str) -> WholeTableTest:
    """Test all answers of a multiple response at once, with the second-order correction of Rao & Scott.

    X² = n Σ_r Σ_c h_rc² / (p_c p_r (1 − p_r)) is the sum over the answers of the Pearson statistics of "gave it / did
    not" (Thomas & Decady 2004; Bilder & Loughin 2004); D compares the covariance of h with that of independent answers
    and simple random sampling. With one answer it is the Rao-Scott test of its 2 × C table.
    """
    people, share = float(table.base_n.sum()), table.share
    of_columns = table.base_w / table.base_w.sum()
    spread = share * (1.0 - share)
    chi = people * float((table.excess**2 / np.outer(spread, of_columns)).sum())
    return corrected_test(chi, _design_effects(table, spread, of_columns), people, table.expected, method)


def _design_effects(
    table: AnswersByColumns, spread: FloatArray, of_columns: FloatArray
) -> tuple[float, float]:
    """Return tr D and tr D²: the covariance of h without its last column, beside that of simple random sampling."""
    people, p = float(table.base_n.sum()), table.share
    gave = np.einsum("jrr->jr", table.both)  # Σw² of those who gave an answer, by column
    squares = (
        table.both
        - gave[:, :, None] * p[None, None, :]
        - gave[:, None, :] * p[None, :, None]
        + np.outer(p, p)[None] * table.base_w2[:, None, None]
    )
    centred = gave - p[None, :] * table.base_w2[:, None]
    free = of_columns.size - 1
    apart = (np.eye(of_columns.size) - of_columns[None, :])[
        :, :free
    ]  # [j, c]: in column j, less the share of c
    h = table.excess[:, :free]
    crossed = np.einsum("jc,jr->rc", apart, centred)
    covariance = (
        np.einsum("jc,jd,jrs->rcsd", apart, apart, squares, optimize=True)
        - np.einsum("rc,sd->rcsd", crossed, h)
        - np.einsum("rc,sd->rcsd", h, crossed)
        + np.einsum("rc,sd->rcsd", h, h) * table.base_w2.sum()
    ) / table.base_w.sum() ** 2
    covariance *= people / (people - 1.0)
    simple = np.diag(of_columns[:free]) - np.outer(of_columns[:free], of_columns[:free])
    rows = p.size
    solved = np.linalg.solve(simple / people, covariance.transpose(1, 0, 2, 3).reshape(free, -1))
    d = solved.reshape(free, rows, rows, free).transpose(1, 0, 2, 3) / spread[:, None, None, None]
    d = d.reshape(rows * free, rows * free)
    return float(np.trace(d)), float((d * d.T).sum())
