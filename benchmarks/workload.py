"""Made-up surveys of a given size, as a frame and a codebook, for measuring."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd

from eager_otter.codebook.missing import Missing
from eager_otter.codebook.model import Answer, Codebook, CodeColumn, Net, Question, TickColumns
from eager_otter.tables.request import Banner, BannerGroup, TableRequest
from eager_otter.tables.shows import OneQuestion

BANNER_SIZES = (3, 4, 5, 6, 6, 7, 7)  # single questions side by side: 38 columns
BANNER_TICKS = 7  # and a multiple-response question: 45 columns in all
MORE_TICKS = 15  # and, where much overlap is wanted, another: 60 columns
QUESTIONS = 135


@dataclass(frozen=True, kw_only=True)
class Size:
    """How large a workload is."""

    name: str
    respondents: int
    questions: int = QUESTIONS


MEDIUM = Size(name="medium", respondents=50_000)
LARGE = Size(name="large", respondents=1_000_000)


def make(
    size: Size, seed: int = 1, *, more_overlap: bool = False, brands: int = BANNER_TICKS
) -> tuple[pd.DataFrame, Codebook, Banner, list[TableRequest]]:
    """Make responses, codebook, banner and one table request per question."""
    rng = np.random.default_rng(seed)
    columns: dict[str, Any] = {"wt": rng.lognormal(0, 0.4, size.respondents)}
    questions: dict[str, Question] = {}
    for k, answers in enumerate(BANNER_SIZES):
        _single(f"banner_{k}", answers, False, columns, questions, rng, size)
    _ticks("banner_multi", brands, columns, questions, rng, size)
    if more_overlap:
        _ticks("banner_more", MORE_TICKS, columns, questions, rng, size)
    banner = Banner(groups=tuple(BannerGroup(question=name) for name in questions))
    names = []
    for k in range(size.questions):
        name = f"q{k:03d}"
        names.append(name)
        if k % 10 < 5:
            _single(name, 4 + k % 7, False, columns, questions, rng, size)
        elif k % 10 < 8:
            _single(name, 5, True, columns, questions, rng, size)
        elif k % 10 < 9:
            _ticks(name, 12, columns, questions, rng, size)
        else:
            values = np.round(rng.gamma(2.0, 10.0, size.respondents), 1)
            columns[name] = np.where(rng.random(size.respondents) < 0.05, np.nan, values)
            questions[name] = _question(name, "number", CodeColumn(name), ())
    codebook = Codebook(title=size.name, questions=questions, weight="wt")
    requests = [TableRequest(shows=OneQuestion(name), banner=banner, levels=(95.0, 90.0)) for name in names]
    return pd.DataFrame(columns), codebook, banner, requests


def _single(
    name: str,
    answers: int,
    scale: bool,
    columns: dict[str, Any],
    questions: dict[str, Question],
    rng: np.random.Generator,
    size: Size,
) -> None:
    shares = rng.dirichlet(np.full(answers, 4.0)) * 0.96
    codes = rng.choice(np.arange(answers + 1), size.respondents, p=[*shares, 0.04]) + 1
    columns[name] = np.where(codes > answers, 99, codes).astype(np.int16)
    listed = tuple(Answer(code=str(k), label=f"Answer {k}") for k in range(1, answers + 1))
    nets = (Net(label="Top two", of=(str(answers - 1), str(answers))),) if scale else ()
    questions[name] = _question(name, "single", CodeColumn(name), listed, nets=nets, scale=scale)


def _ticks(
    name: str,
    answers: int,
    columns: dict[str, Any],
    questions: dict[str, Question],
    rng: np.random.Generator,
    size: Size,
) -> None:
    pairs = []
    for k in range(1, answers + 1):
        column = f"{name}_{k}"
        columns[column] = (rng.random(size.respondents) < rng.uniform(0.05, 0.5)).astype(np.int8)
        pairs.append((str(k), column))
    listed = tuple(Answer(code=str(k), label=f"Answer {k}") for k in range(1, answers + 1))
    net = Net(label="Any of the first and last", of=("1", str(answers)))
    questions[name] = _question(name, "multi", TickColumns(tuple(pairs), ("1",), None), listed, nets=(net,))


def _question(name: str, kind: Any, source: Any, answers: tuple[Answer, ...], **facts: Any) -> Question:
    return Question(
        name=name,
        kind=kind,
        source=source,
        text=name,
        label=name,
        answers=answers,
        missing=Missing(("99",)),
        **facts,
    )
