"""The test of a table within the answers of a third question, after Cochran, Mantel and Haenszel."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.core.association import WholeTableTest
from eager_otter.core.tails import chi_square_tail
from eager_otter.dataclass import dataclass

RANK = 1e-10  # of the largest eigenvalue: smaller ones are rounding


@dataclass(frozen=True, eq=False)
class ControlledTables:
    """A table of people for each control answer: `n` (control answers, rows, columns).

    It is `weighted` where weights differ.
    """

    n: FloatArray
    weighted: bool

    @property
    def testable(self) -> bool:
        """Whether two rows and two columns hold somebody."""
        return bool(min(self.n.shape[1:]) >= 2)


def controlled_tables(n: FloatArray, *, weighted: bool) -> ControlledTables:
    """Gather tables (control answers, rows, columns) without the rows and columns that nobody is in."""
    rows, columns = n.sum(axis=(0, 2)) > 0, n.sum(axis=(0, 1)) > 0
    return ControlledTables(n[:, rows][:, :, columns], weighted)


def mantel_haenszel_test(tables: ControlledTables, method: str) -> WholeTableTest:
    """Test general association within the control answers (Cochran 1954; Mantel & Haenszel 1959), unweighted.

    Q = Gᵀ V⁻ G, G = Σ (O − E) over the control answers without last row and column, V = Σ N²/(N − 1) · (diag p_r −
    p_r p_rᵀ) ⊗ (diag p_c − p_c p_cᵀ); df is the rank of V. NaN where that is 0. A control answer of fewer than two
    people adds nothing.
    """
    rows, columns = (size - 1 for size in tables.n.shape[1:])
    gap, variance = np.zeros(rows * columns), np.zeros((rows * columns, rows * columns))
    for n in tables.n:
        people = n.sum()
        if people < 2:
            continue
        down, across = n.sum(axis=1) / people, n.sum(axis=0) / people
        gap += (n - people * np.outer(down, across))[:-1, :-1].reshape(-1)
        down, across = down[:-1], across[:-1]
        spread = np.kron(np.diag(down) - np.outer(down, down), np.diag(across) - np.outer(across, across))
        variance += people**2 / (people - 1.0) * spread
    values, vectors = np.linalg.eigh(variance)
    kept = values > RANK * max(float(values[-1]), RANK)
    df = float(kept.sum())
    if not df:
        return WholeTableTest(method=method, statistic=float("nan"))
    q = float(((vectors[:, kept].T @ gap) ** 2 / values[kept]).sum())
    return WholeTableTest(method=method, statistic=q, df1=df, p_value=chi_square_tail(q, df))
