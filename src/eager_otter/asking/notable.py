"""The notable differences of many tables: ranked by size, corrected for their number, thin bases out."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any, Literal, assert_never

import numpy as np

from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.corrections import adjusted, benjamini_hochberg
from eager_otter.core.letters import alpha_of
from eager_otter.core.means import moments
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.figures.registry import MEAN, line_figure
from eager_otter.gates.viewed import Saved
from eager_otter.looks.words import Words, counted, said
from eager_otter.tables.association import p_said
from eager_otter.tables.base_rules import marks_of
from eager_otter.tables.request import Banner, BannerGroup, TableRequest, TestRules
from eager_otter.tables.shows import ItemsByColumns, OneQuestion
from eager_otter.tables.table import Column, Line, Table, tested_rows
from eager_otter.tables.texts import figure_text

SIZES = ((0.2, said("very small")), (0.5, said("small")), (0.8, said("medium")))  # Cohen (1988)
LARGE = said("large")
Against = Literal["rest", "previous"]
FINDINGS_NOTE = said(
    "Effect: Cohen's h of percents, d of means; 0.2 is small, 0.5 medium, 0.8 large. Each cell is set against everyone "
    "else in the table (or a wave against the one before), once however often it is shown; P is corrected for all "
    "cells looked at after Benjamini and Hochberg. Columns below a minimum base and what is so by construction stay "
    "out. Of a row, or a scale, and a banner group the largest difference is given; nets, scores and means stand for "
    "their parts."
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Notable:
    """One difference that is unlikely to be chance: a cell against the rest, or against the column before it.

    `value` and `other` are percents or means; `effect` is Cohen's h for percents and d for means, above 0 where the
    cell is higher; `p_value` is as tested, `adjusted` after Benjamini and Hochberg over all cells looked at; `base` and
    `other_base` are unweighted. `sentence` says it to a client, `technical` gives bases, effect and P; `heading` is the
    section of the report that its table is in. `codes` are the answers that the row holds.

    `table` is the id of its table, `title` the title; `question`, `row`, `figure`, `group` and `column` name the cell,
    `against` what it is set against; `over_time` tells a column against the one before.
    """

    table: str
    title: str
    heading: str
    question: str
    row: str
    figure: str
    group: str
    column: str
    against: str
    value: float
    other: float
    effect: float
    p_value: float
    adjusted: float
    base: int
    other_base: int
    codes: frozenset[str]
    sentence: str
    technical: str
    over_time: bool = False

    @property
    def size(self) -> str:
        """How large the effect is, in words."""
        return next((word for limit, word in SIZES if abs(self.effect) < limit), LARGE)

    def as_dict(self) -> dict[str, Any]:
        """Return it as a plain mapping, as for JSON."""
        plain = {n: getattr(self, n) for n in self.__dataclass_fields__ if n not in ("codes", "over_time")}
        return plain | {"size": self.size}


def requests_against(
    requests: Sequence[TableRequest], against: Against, banner: Banner | None = None
) -> list[TableRequest]:
    """Return the tables whose cells can be looked at, tested against the rest or the column before; each once."""
    compared: list[TableRequest] = []
    for request in requests:
        if not isinstance(request.shows, OneQuestion | ItemsByColumns):
            continue
        if request.part and any(one.shows == request.shows and not one.part for one in requests):
            continue  # the table for all says it
        now = request.tests
        tests = TestRules(
            against=against, rest_of_parent=now.rest_of_parent, percents=now.percents, means=now.means
        )
        wanted = replace(
            request,
            banner=_without_own_tests(request.banner if banner is None else banner),
            tests=tests,
            levels=request.levels[:1] or (95.0,),
        )
        if wanted.banner.groups and wanted not in compared:
            compared.append(wanted)
    return compared


def _without_own_tests(banner: Banner) -> Banner:
    def plain(group: BannerGroup) -> BannerGroup:
        nest = tuple(plain(level) for level in group.nest)
        return replace(group, against=None, control="", differences=(), hide=(), nest=nest, trend=False)

    return replace(banner, groups=tuple(plain(group) for group in banner.groups))


class Findings(tuple[Notable, ...], Saved):
    """Notable differences, the largest first."""

    __slots__ = ()

    def __repr__(self) -> str:
        return f"<Findings: {counted(len(self), 'notable difference')}>"


def notable_differences(
    tables: Sequence[Table],
    codebook: Codebook,
    *,
    level: float,
    least: float = 0.2,
    most: int | None = None,
) -> Findings:
    """Rank the differences of tables made by `requests_against`, largest effect first.

    Only differences significant at `level` percent after the correction of Benjamini & Hochberg (1995) over all cells
    looked at, of an effect of at least `least` (Cohen 1988: 0.2 small, 0.5 medium, 0.8 large), are given. Out stay
    columns below any minimum base, questions set against columns made of the same answers, and answers that nobody or
    everybody on one side gave, which are so by construction. A cell that is in several tables is tested once. Of a
    row and a banner group the largest difference is given; of a scale or number and of what is made of it one row,
    rather a mean, score or net than an answer; of a net and an answer in it the larger.
    Raises RequestError for a level or effect out of range.
    """
    if not 50 <= level < 100 or least < 0:
        raise RequestError("A level runs from 50 up to, not including, 100; the least effect is 0 or more.")
    sources = codebook.sources()
    every = (pair for table in tables for pair in _of_table(table, codebook, sources))
    by_cell = {_cell_of(one): (one, sentence) for one, sentence in every}
    distinct = [one for one, _ in by_cell.values()]
    if not distinct:
        return Findings()
    p = np.array([[one.p_value for one in distinct]])
    corrected = adjusted(p, np.zeros(len(distinct), np.int64), benjamini_hochberg)[0]
    say = tables[0].words
    kept = [
        replace(one, adjusted=float(q))
        for one, q in zip(distinct, corrected, strict=True)
        if q <= alpha_of(level) and abs(one.effect) >= least
    ]
    ranked = sorted(kept, key=_rank)
    chosen = list(_told_once(ranked, codebook, sources))[:most]
    return Findings(
        tuple(
            replace(one, sentence=by_cell[_cell_of(one)][1](), technical=_technical(one, say))
            for one in chosen
        )
    )


Unsaid = tuple[Notable, Callable[[], str]]  # a difference, and what makes its sentence


def _rank(one: Notable) -> tuple[float, float, str, str]:
    """Rank by effect, largest first, to nine digits: the last ones depend on the order in which sums are made."""
    effect = round(one.effect, 9)
    return -abs(effect), -effect, one.table, one.row


def _cell_of(one: Notable) -> tuple[object, ...]:
    """Tell a cell from others, whichever table shows it: its question, column, opposite, bases and figures."""
    numbers = (one.value, one.other, one.p_value)
    return (one.question, one.column, one.against, one.base, one.other_base, *(round(x, 12) for x in numbers))


def _technical(one: Notable, say: Words) -> str:
    """Give the bases, the effect and P of a difference."""
    text = said("{base} and {other} respondents; effect {effect} ({size}); {p} after correction")
    effect = say.number(f"{one.effect:+.2f}")
    return say(
        text,
        base=one.base,
        other=one.other_base,
        effect=effect,
        size=say(one.size),
        p=p_said(one.adjusted, say),
    )


def _told_once(
    ranked: Sequence[Notable], codebook: Codebook, sources: Mapping[str, frozenset[str]]
) -> Iterator[Notable]:
    """Choose of each story the one difference that tells it, the largest effect first."""
    stories: dict[tuple[object, ...], list[Notable]] = {}
    for one in ranked:
        stories.setdefault(_story(one, codebook, sources), []).append(one)
    chosen = [min(story, key=lambda one: (not _is_quoted(one), *_rank(one))) for story in stories.values()]
    chosen.sort(key=_rank)
    seen: set[tuple[object, ...]] = set()
    kept: list[Notable] = []
    for one in chosen:
        figures = (one.group, *sorted((round(one.value, 9), round(one.other, 9))))
        if figures not in seen and not any(_holds(one, other) for other in kept):
            kept.append(one)
        seen.add(figures)
    yield from kept


def _story(one: Notable, codebook: Codebook, sources: Mapping[str, frozenset[str]]) -> tuple[object, ...]:
    """Say what a difference is about: a row, or a scale or number with what is made of it, in a banner group."""
    question = codebook.questions.get(one.question)
    where = (one.group, one.column if one.over_time else "")
    if question is None or (one.figure == MEAN and not (question.scale or question.is_of.of_values)):
        return (one.table, *where)  # cells of a third question
    if question.is_of.of_values or question.ordered or question.made_of:
        return (_roots(codebook, sources[question.name]), *where)
    return (question.name, one.row, *where)


def _is_quoted(one: Notable) -> bool:
    """Return whether a difference is of a row that readers quote: a mean, a score or a net, not a single answer."""
    return line_figure(one.figure).tested == "means" or len(one.codes) != 1


def _holds(one: Notable, other: Notable) -> bool:
    """Return whether two differences are a net and an answer in it, in one column and to the same side."""
    alike = (one.question, one.column, one.against) == (other.question, other.column, other.against)
    nested = one.codes < other.codes or other.codes < one.codes
    return alike and nested and bool(one.codes and other.codes) and (one.effect > 0) == (other.effect > 0)


def _roots(codebook: Codebook, names: frozenset[str]) -> frozenset[str]:
    """Keep the questions that are read from data."""
    return frozenset(
        name for name in names if name in codebook.questions and not codebook.questions[name].made_of
    )


def _of_table(table: Table, codebook: Codebook, sources: Mapping[str, frozenset[str]]) -> Iterator[Unsaid]:
    for line, _, _ in tested_rows(table.lines):
        question = line.code if line.code in sources else table.question
        yield from _of_line(table, line, question, sources, codebook)


def _of_line(
    table: Table, line: Line, question: str, sources: Mapping[str, frozenset[str]], codebook: Codebook
) -> Iterator[Unsaid]:
    family = sources.get(question, frozenset((question,)))
    evidence = line.evidence
    assert evidence is not None and evidence.tested is not None
    tested, row = evidence.tested, evidence.row
    thin = marks_of(evidence.base, table.base_rules)[0] > 0
    base = np.rint(evidence.base.n[0]).astype(int)
    values = evidence.figures()
    match tested.kind:
        case "share":
            scale = 2.0 * np.arcsin(np.sqrt(np.clip(values / 100.0, 0.0, 1.0)))
            spread = np.ones_like(values)
        case "mean":
            scale, spread = values, moments(evidence.values).variance[row]
        case "paired share" | "paired mean" | "median":
            raise ValueError("Items side by side have no rest and no column before, medians no effect size.")
        case _:
            assert_never(tested.kind)
    for k, (a, b) in enumerate(tested.comparisons.pairs.tolist()):
        column = table.counted[a]
        related = family & sources.get(column.question, frozenset((column.question,)))
        if np.isnan(tested.p_value[row, k]) or thin[a] or thin[b] or related:
            continue
        if tested.kind == "share" and {float(values[a]), float(values[b])} & {0.0, 100.0}:
            continue
        deviation = 1.0 if tested.kind == "share" else float(np.sqrt((spread[a] + spread[b]) / 2.0))
        rest = tested.comparisons.against[k] == "rest"
        one = Notable(
            table=table.id,
            title=table.title,
            heading=table.heading,
            row=line.label,
            figure=line.figure,
            question=question,
            group=column.group,
            column=column.path,
            against=table.words("everyone else") if rest else table.counted[b].path,
            value=float(values[a]),
            other=float(values[b]),
            effect=float(scale[a] - scale[b]) / deviation,
            p_value=float(tested.p_value[row, k]),
            adjusted=float("nan"),
            base=int(base[a]),
            other_base=int(base[b]),
            codes=_codes(line, codebook.questions.get(question)),
            sentence="",
            technical="",
            over_time=not rest,
        )
        yield one, partial(_sentence, table, line, one, codebook, column)


def _codes(line: Line, question: Question | None) -> frozenset[str]:
    """Return the answers that a row holds: those of a net; none for means and scores."""
    if question is None or line.shows.tested == "means":
        return frozenset()
    nets = {net.label: frozenset(net.of) for net in question.nets}
    if line.kind == "net" and line.label in nets:
        return nets[line.label]
    return frozenset((line.code,)) if line.code in question.by_code else frozenset()


def _sums_up_cells(line: Line) -> bool:
    """Return whether a line sums up a third question in each cell."""
    return line.kind in ("answer", "net") and line.figure == MEAN


def _sentence(table: Table, line: Line, one: Notable, codebook: Codebook, column: Column) -> str:
    """Say a difference as a client reads it, without numbers of respondents or P."""
    say = table.words
    figure, other = (
        figure_text(value, line.figure, table.digits, words=say) for value in (one.value, one.other)
    )
    if one.over_time and one.effect > 0:
        text = said("{what}: {figure} in {column}, up from {other} in {against}.")
    elif one.over_time:
        text = said("{what}: {figure} in {column}, down from {other} in {against}.")
    elif one.effect > 0:
        text = said("{what}: {figure} in {column}, higher than the {other} of everyone else.")
    else:
        text = said("{what}: {figure} in {column}, lower than the {other} of everyone else.")
    named = f"{column.label} ({column.group})" if column.group else column.label
    places = {"what": _what(table, line, one, codebook), "figure": figure, "column": named, "other": other}
    if one.over_time:
        places["against"] = one.against.removeprefix(f"{column.group}: ")
    return say(text, **places)


def _what(table: Table, line: Line, one: Notable, codebook: Codebook) -> str:
    """Name the question and row of a difference; an item of a battery with the battery's question."""
    say, question = table.words, codebook.questions.get(one.question)
    if _sums_up_cells(line) and line.code != one.question:
        return f"{table.title} – {line.label}"
    label = table.title if question is None else question.label
    grid = codebook.grids.get(question.grid or "") if question is not None else None
    item = line.code and line.code == one.question  # a row per question: its label is the question's
    if line.figure == MEAN:
        what = f"{label} – {say('mean')}"
    elif item:
        what = f"{label} – {table.title.rpartition(' – ')[2]}" if " – " in table.title else label
    else:
        what = f"{label} – {line.label}"
    if grid is not None:
        return f"{what} ({grid.text})"
    alike = [other for other in codebook if question is not None and other.label == question.label]
    return f"{what} ({question.text})" if question is not None and len(alike) > 1 else what
