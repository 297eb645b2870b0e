"""Measure a banner of a long list of brands, all compared with each other: `python benchmarks/brands.py [BRANDS]`.

Hardly two people know the same brands, so there are as many patterns of membership as people. The floor makes the same
sums bare: for each answer of each question, the products of the columns over those who gave it, by the array library.
"""

from __future__ import annotations

import sys
import time
from typing import Any

import numpy as np
import pyarrow as pa

from eager_otter.asking.survey import Survey
from eager_otter.data.answers import SingleAnswers
from eager_otter.data.files import Source
from eager_otter.data.responses import Responses
from workload import Size, make

BRANDS = 30
SIZE = Size(name="brands", respondents=50_000, questions=40)


def main() -> None:
    """Make the tables of the workload, and print ratios."""
    brands = int(sys.argv[1]) if len(sys.argv) > 1 else BRANDS
    frame, codebook, _, requests = make(SIZE, brands=brands)
    columns = pa.table({name: pa.array(frame[name], from_pandas=True) for name in frame.columns})
    survey = Survey(
        responses=Responses(codebook, columns, Source(name="made up", rows=len(frame)), len(frame)),
        weight="wt",
    )
    survey.tables(requests[:1])  # imports, and the encoding of the banner
    answers = [survey.responses.answers(request.shows.questions[0]) for request in requests]
    inside = np.stack([frame[f"banner_multi_{k}"].to_numpy() == 1 for k in range(1, brands + 1)], axis=1)
    weights = frame["wt"].to_numpy()
    tables = timed(lambda: survey.tables(requests))
    singles = [each.codes for each in answers if isinstance(each, SingleAnswers)]
    floor = timed(lambda: products(singles, inside.astype(np.float64), weights)) * len(answers) / len(singles)
    print(f"{len(requests)} tables by {brands} brands, {SIZE.respondents:,} respondents")
    print(f"{'floor: products of columns, answer by answer':48}{floor:7.2f} s")
    print(f"{'tables, with letters and notes':48}{tables:7.2f} s{tables / floor:8.2f} × floor")


def products(questions: list[Any], inside: Any, weights: Any) -> None:
    """Sum every pair of columns up for each answer of some questions: people, Σw and Σw²."""
    for codes in questions:
        for code in np.unique(codes):
            chosen = codes == code
            members, w = inside[chosen], weights[chosen]
            for term in (np.ones_like(w), w, w * w):
                (members * term[:, None]).T @ members


def timed(work: Any) -> float:
    """Return the shorter of two times that a piece of work takes, in seconds of the processor."""
    times = []
    for _ in range(2):
        start = time.process_time()
        work()
        times.append(time.process_time() - start)
    return min(times)


if __name__ == "__main__":
    main()
