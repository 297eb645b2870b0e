"""Made-up exports in many styles, drafted and compared with the truth: the score of the benchmarks, on a few seeds."""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

import pytest

BENCHMARKS = str(Path(__file__).parents[2] / "benchmarks")
sys.path.insert(0, BENCHMARKS)
try:
    from draft import verdicts
    from exports import STYLES, Style
finally:
    sys.path.remove(BENCHMARKS)


@pytest.mark.parametrize("style", STYLES, ids=lambda style: style.name)
def test_a_draft_of_an_export_is_right_and_runs(style: Style, tmp_path: Path) -> None:
    counts: Counter[str] = Counter()
    for seed in (1_001, 1_002, 1_003):
        counts.update(verdicts(style, seed, tmp_path / str(seed), run=seed == 1_001, show=True))
    assert counts["wrong"] == counts["failed"] == 0
    assert counts["right"] >= 0.95 * counts.total()
