"""The notable differences of many tables: ranked by size, corrected for their number, thin bases out."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, assert_never

import numpy as np

from eager_otter.codebook.model import Codebook
from eager_otter.core.corrections import adjusted
from eager_otter.core.letters import alpha_of
from eager_otter.core.means import moments
from eager_otter.errors import RequestError
from eager_otter.looks.words import said
from eager_otter.tables.association import p_said
from eager_otter.tables.base_rules import marks_of
from eager_otter.tables.request import Banner, BannerGroup, TableRequest
from eager_otter.tables.table import Line, Table, tested_rows
from eager_otter.tables.texts import figure_text

SIZES = ((0.2, said("very small")), (0.5, said("small")), (0.8, said("medium")))  # Cohen (1988)
LARGE = said("large")
Against = Literal["rest", "previous"]
FINDINGS_NOTE = said(
    "Effect: Cohen's h of percents, d of means; 0.2 is small, 0.5 medium, 0.8 large. Each cell is set against everyone "
    "else in the table (or a wave against the one before); P is corrected for all cells looked at after Benjamini and "
    "Hochberg. Columns below a minimum base and what is so by construction stay out; what is said twice is given once."
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Notable:
    """One difference that is unlikely to be chance: a cell against the rest, or against the column before it.

    `value` and `other` are percents or means; `effect` is Cohen's h for percents and d for means, above 0 where the
    cell is higher; `p_value` is as tested, `adjusted` after Benjamini and Hochberg over all cells looked at; `base` and
    `other_base` are unweighted.
    """

    table: str
    title: str
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
    sentence: str

    @property
    def size(self) -> str:
        """How large the effect is, in words."""
        return next((word for limit, word in SIZES if abs(self.effect) < limit), LARGE)

    def as_dict(self) -> dict[str, Any]:
        """Give it as a plain mapping, as for JSON."""
        return {name: getattr(self, name) for name in self.__dataclass_fields__} | {"size": self.size}


def requests_against(
    requests: Sequence[TableRequest], against: Against, banner: Banner | None = None
) -> list[TableRequest]:
    """Give the tables whose cells can be looked at, tested against the rest or the column before; each once."""
    found: list[TableRequest] = []
    for request in requests:
        if request.items is not None and request.items.shape != "items by columns":
            continue
        if request.part and any(one.question == request.question and not one.part for one in requests):
            continue  # the table for all says it
        tests = replace(
            request.tests, against=against, control="", all_parents=False, adjust="none", whole_table="none"
        )
        wanted = replace(
            request,
            banner=_without_own_tests(request.banner if banner is None else banner),
            tests=tests,
            levels=request.levels[:1] or (95.0,),
        )
        if wanted.banner.groups and wanted not in found:
            found.append(wanted)
    return found


def _without_own_tests(banner: Banner) -> Banner:
    def plain(group: BannerGroup) -> BannerGroup:
        nest = tuple(plain(level) for level in group.nest)
        return replace(group, against=None, control="", differences=(), hide=(), nest=nest)

    return replace(banner, groups=tuple(plain(group) for group in banner.groups))


def notable_differences(
    tables: Sequence[Table],
    codebook: Codebook,
    *,
    level: float,
    least: float = 0.2,
    most: int | None = None,
) -> tuple[Notable, ...]:
    """Rank the differences of tables made by `requests_against`, largest effect first.

    Only differences significant at `level` percent after the correction of Benjamini & Hochberg (1995) over all cells
    looked at, of an effect of at least `least` (Cohen 1988: 0.2 small, 0.5 medium, 0.8 large), are given. Out stay
    columns below any minimum base, questions set against columns made of the same answers, and answers that nobody or
    everybody on one side gave, which are so by construction. What is said twice is given once, by the larger effect:
    the same figures in two tables, the two sides of a group of two, the rows of a scale or number and of what is made
    of it.
    Raises RequestError for a level or effect out of range.
    """
    if not 50 <= level < 100 or least < 0:
        raise RequestError("A level runs from 50 up to, not including, 100; the least effect is 0 or more.")
    sources = codebook.sources()
    labels = {name: question.label for name, question in codebook.questions.items()}
    found = [one for table in tables for one in _of_table(table, sources, labels)]
    if not found:
        return ()
    p = np.array([[one.p_value for one in found]])
    corrected = adjusted(p, np.zeros(len(found), np.int64), "benjamini-hochberg")[0]
    say = tables[0].words
    kept = [
        replace(
            one,
            adjusted=float(q),
            sentence=f"{one.sentence}, {say('{p} after correction', p=p_said(float(q), say))}",
        )
        for one, q in zip(found, corrected, strict=True)
        if q <= alpha_of(level) and abs(one.effect) >= least
    ]
    ranked = sorted(kept, key=lambda one: (-abs(one.effect), -one.effect, one.table, one.row))
    return tuple(_said_once(ranked, codebook, sources))[:most]


def _said_once(
    ranked: Sequence[Notable], codebook: Codebook, sources: Mapping[str, frozenset[str]]
) -> Iterator[Notable]:
    """Leave out what a larger effect has said already."""
    seen: set[tuple[object, ...]] = set()
    for one in ranked:
        figures = (one.group, *sorted((round(one.value, 9), round(one.other, 9))))
        question = codebook.questions.get(one.question)
        about: tuple[object, ...] = (one.table, one.row, one.column)
        if (
            one.figure == "mean"
            and question is not None
            and not (question.scale or question.kind == "number")
        ):
            about = (one.table, one.group, one.column)  # cells of a third question
        elif question is not None and (question.kind == "number" or question.ordered or question.made_of):
            about = (_roots(codebook, sources[question.name]), one.group, one.column)
        if figures not in seen and about not in seen:
            yield one
        seen |= {figures, about}


def _roots(codebook: Codebook, names: frozenset[str]) -> frozenset[str]:
    """Keep the questions that are read from data."""
    return frozenset(
        name for name in names if name in codebook.questions and not codebook.questions[name].made_of
    )


def _of_table(
    table: Table, sources: Mapping[str, frozenset[str]], labels: Mapping[str, str]
) -> Iterator[Notable]:
    for line, _, _ in tested_rows(table.lines):
        question = line.code if line.code in sources else table.question
        label = table.title if _sums_up_cells(line) else labels.get(question, table.title)
        yield from _of_line(table, line, question, sources, label)


def _of_line(
    table: Table, line: Line, question: str, sources: Mapping[str, frozenset[str]], label: str
) -> Iterator[Notable]:
    own = sources.get(question, frozenset((question,)))
    evidence = line.evidence
    assert evidence is not None and evidence.tested is not None
    tested, row = evidence.tested, evidence.row
    thin = marks_of(evidence.base, table.rules)[0] > 0
    base = np.rint(evidence.base.n[0]).astype(int)
    values = evidence.figures()
    match tested.kind:
        case "share":
            scale = 2.0 * np.arcsin(np.sqrt(np.clip(values / 100.0, 0.0, 1.0)))
            spread = np.ones_like(values)
        case "mean":
            scale, spread = values, moments(evidence.sums).variance[row]
        case "paired share" | "paired mean":
            raise ValueError("Items side by side have no rest and no column before: they are no findings.")
        case _:
            assert_never(tested.kind)
    for k, (a, b) in enumerate(tested.comparisons.pairs.tolist()):
        column = table.counted[a]
        related = own & sources.get(column.question, frozenset((column.question,)))
        if np.isnan(tested.p_value[row, k]) or thin[a] or thin[b] or related:
            continue
        if tested.kind == "share" and {float(values[a]), float(values[b])} & {0.0, 100.0}:
            continue
        deviation = 1.0 if tested.kind == "share" else float(np.sqrt((spread[a] + spread[b]) / 2.0))
        rest = tested.comparisons.against[k] == "rest"
        one = Notable(
            table=table.id,
            title=table.title,
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
            sentence="",
        )
        yield replace(one, sentence=_sentence(table, line, one, label, rest=rest))


def _sums_up_cells(line: Line) -> bool:
    """Tell the lines that sum up a third question in each cell."""
    return line.kind in ("answer", "net") and line.figure == "mean"


def _sentence(table: Table, line: Line, one: Notable, label: str, *, rest: bool) -> str:
    say = table.words
    figure, other = (
        figure_text(value, line.figure, table.digits, words=say) for value in (one.value, one.other)
    )
    item = line.code and line.code == one.question  # a row per question: its label is the question's
    if line.figure == "mean" and (item or line.kind == "summary"):
        what = f"{label} – {say('mean')}"
    else:
        what = label if item else f"{label} – {line.label}"
    if rest and one.effect > 0:
        text = said(
            "{what}: {figure} in {column}, higher than {other} among everyone else ({bases} respondents)"
        )
    elif rest:
        text = said(
            "{what}: {figure} in {column}, lower than {other} among everyone else ({bases} respondents)"
        )
    elif one.effect > 0:
        text = said("{what}: {figure} in {column}, higher than {other} in {against} ({bases} respondents)")
    else:
        text = said("{what}: {figure} in {column}, lower than {other} in {against} ({bases} respondents)")
    bases = say("{base} and {other}", base=one.base, other=one.other_base)
    places = {"what": what, "figure": figure, "column": one.column, "other": other, "bases": bases}
    return say(text, **places, **({} if rest else {"against": one.against}))
