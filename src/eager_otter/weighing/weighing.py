"""From targets and answers to weights, and to a report of what the weighting did."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field
from math import inf

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, efficiency
from eager_otter.core.raking import Margin, rake
from eager_otter.data.answers import SingleAnswers
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError, UnknownName, nearest
from eager_otter.gates.viewed import Saved
from eager_otter.looks.words import counted

Place = tuple[str | int, ...]
ROUNDED = 0.1  # shares may miss 100 by this much, and are then scaled
SAME_TOTAL = 1e-6
NO_ANSWER, NO_TARGET = -1, -2  # instead of the number of a target
MOST_SHOWN = 5  # answers without a target


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """Targets for one question, or for two nested ones: the answers (one label per question) with their figures.

    `place` is where they stand in a targets file; an answer stands behind it.
    """

    questions: tuple[str, ...]
    figures: Mapping[tuple[str, ...], float]
    place: Place = ()

    @property
    def name(self) -> str:
        """What they are called in messages."""
        return " × ".join(self.questions)


class WrongTargets(RequestError):
    """All that is wrong with targets: `mistakes`, each with its place in a targets file."""

    def __init__(self, mistakes: Sequence[tuple[Place, str]]) -> None:
        self.mistakes = tuple(mistakes)
        texts = list(dict.fromkeys(text for _, text in mistakes))
        head = [f"{len(texts):,} mistakes."] if len(texts) > 1 else []
        super().__init__("\n".join([*head, *texts]))


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """The targets of weights.

    `counts` tells that the figures are counts, not shares. `cap` is the largest weight over the mean. The mean of
    the weights is 1, or their sum `total`. Respondents without an answer to a target question are an error, or,
    with `mean_where_unanswered`, keep the mean weight. `within` rakes each answer of a question for itself, `own` has
    other targets for some of its answers.
    """

    targets: tuple[Target, ...]
    counts: bool = False
    cap: float | None = None
    total: float | None = None
    start: str | None = None
    within: str | None = None
    own: Mapping[str, tuple[Target, ...]] = field(default_factory=dict)
    mean_where_unanswered: bool = False

    def __post_init__(self) -> None:
        if self.cap is not None and not self.cap >= 1:
            raise RequestError(f"cap: expected a number from 1, the mean weight; found {self.cap:g}.")
        if self.total is not None and not 0 < self.total < inf:
            raise RequestError(f"total: expected a number above 0; found {self.total:g}.")


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetLine:
    """One target: where, how many respondents, its share before, wanted and after, in percent."""

    part: str
    question: str
    answer: str
    respondents: int
    before: float
    target: float
    after: float


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Weighting(Saved):
    """Weights of all rows of the data (0 for those left out), and how they came about.

    A row of frequency f is f respondents: in the shares, the mean, the cap and the counts.

    `efficiency` is effective over unweighted base (Kish 1992), of those weighted.

    `weights` are (rows,), `weighted` counts the respondents they are of; `rounds` is how often the targets were gone
    through, `worst` the largest share by which one is still missed (0 to 1). `smallest` and `largest` are weights over
    their mean, `effective_base` is that of all who are weighted; `lines` give each target before and after, `notes`
    what else was noticed.
    """

    weights: FloatArray
    weighted: int
    rounds: int
    worst: float
    smallest: float
    largest: float
    effective_base: float
    efficiency: float
    lines: tuple[TargetLine, ...]
    notes: tuple[str, ...]

    def __repr__(self) -> str:
        return (
            f"<Weighting of {counted(self.weighted, 'respondent')}: efficiency {100 * self.efficiency:.1f} %>"
        )


def weigh(responses: Responses, wanted: Wanted, rows: BoolArray) -> Weighting:
    """Make weights for the chosen rows (respondents,).

    Raises WrongTargets, a RequestError, with all of these, naming the question, answer or rows: targets that do not add
    up, an unknown question or answer, an answer in the data without a target, a target without respondents, respondents
    without an answer. Raises RequestError for a cap or targets that cannot be met.
    """
    return _Weighing(responses, wanted, rows).whole()


@dataclass(frozen=True, slots=True, eq=False)
class _Ready:
    """One part that can be raked: its rows, its targets with labels and margins, and who is inside and who dropped."""

    name: str
    part: BoolArray
    targets: Sequence[Target]
    labels: Sequence[list[tuple[str, ...]]]
    margins: Sequence[Margin]
    inside: BoolArray
    dropped: BoolArray


class _Weighing:
    def __init__(self, responses: Responses, wanted: Wanted, rows: BoolArray) -> None:
        self.responses, self.wanted, self.rows = responses, wanted, rows
        self.notes: list[str] = []
        self.lines: list[TargetLine] = []
        self.mistakes: list[tuple[Place, str]] = []
        self.rounds = 0
        self.worst = 0.0
        times = responses.times()
        self.times = np.ones(len(responses)) if times is None else times
        self.rows = rows = rows & (self.times > 0)
        if wanted.start is None:
            self.start = rows.astype(np.float64)
        else:
            self.start = np.zeros(len(responses))
            self.start[rows] = responses.weights(wanted.start, rows)

    def whole(self) -> Weighting:
        if not self.wanted.targets and not self.wanted.own:
            raise RequestError("No targets: name at least one question and the shares of its answers.")
        weights = np.zeros(len(self.responses))
        ready = [one for name, part, targets in self._parts() for one in self._ready(name, part, targets)]
        if self.mistakes:
            raise WrongTargets(list(dict.fromkeys(self.mistakes)))
        for one in ready:
            weights[one.part] = self._one(one)
        if self.wanted.total is not None:
            weights *= self.wanted.total / (self.times * weights).sum()
        there = weights > 0
        inside, times = weights[there], self.times[there]
        effective, share = efficiency(inside, times)
        mean = float((times * inside).sum() / times.sum())
        return Weighting(
            weights=weights,
            weighted=round(float(times.sum())),
            rounds=self.rounds,
            worst=self.worst,
            smallest=float(inside.min()) / mean,
            largest=float(inside.max()) / mean,
            effective_base=effective,
            efficiency=share,
            lines=tuple(self.lines),
            notes=tuple(self.notes),
        )

    def _parts(self) -> Iterator[tuple[str, BoolArray, Sequence[Target]]]:
        """Go through the parts that are raked for themselves: all, or each answer of a question."""
        if self.wanted.within is None:
            yield "", self.rows & (self.start > 0), self.wanted.targets
            return
        question, codes = self._single(self.wanted.within)
        for name in self.wanted.own:
            if question.find(canonical(name)) is None:
                labels = [answer.label for answer in question.valid]
                self._mistake(
                    ("own targets", name), f"{question.name} has no answer {name!r}.{nearest(name, labels)}"
                )
        by_answer = {question.find(canonical(name)): targets for name, targets in self.wanted.own.items()}
        valid = [question.by_code[answer.code] for answer in question.valid]
        self._refuse_rows(self.rows & ~np.isin(codes, valid), question.name, ("within",))
        for answer in question.valid:
            part = self.rows & (self.start > 0) & (codes == question.by_code[answer.code])
            if part.any():
                yield answer.label, part, by_answer.get(answer, self.wanted.targets)

    def _mistake(self, place: Place, text: str) -> None:
        self.mistakes.append((place, text))

    def _single(self, name: str) -> tuple[Question, IntArray]:
        question = self.responses.codebook.question(name)
        answers = self.responses.answers(name)
        if not isinstance(answers, SingleAnswers):
            raise RequestError(
                f"{name} is of kind {question.kind}; targets are for questions with one answer."
            )
        return question, answers.codes.astype(np.int64)

    def _ready(self, name: str, part: BoolArray, targets: Sequence[Target]) -> Iterator[_Ready]:
        """Find the rows of all targets of a part; nothing where a mistake was found in them."""
        found = len(self.mistakes)
        for target in targets:
            self._check_total(target, targets[0])
        coded = []
        inside = part.copy()
        for target in targets:
            coding = self._categories(target)
            if coding is not None:
                inside &= self._answered(name, target, coding[0], part)
                coded.append(coding)
        if len(self.mistakes) > found:
            return
        margins, dropped = self._margins(name, targets, coded, inside)
        yield _Ready(
            name, part, targets, [labels for _, labels in coded], margins, inside & ~dropped, dropped
        )

    def _one(self, ready: _Ready) -> FloatArray:
        """Rake one part: the weights of its rows, mean 1."""
        part, inside = ready.part, ready.inside
        start = self.start[inside]
        chosen = [Margin(margin.categories[inside], margin.shares) for margin in ready.margins]
        times = self.times[inside]
        raked = rake(start, chosen, frequencies=times, cap=self.wanted.cap)
        if not raked.met:
            raise RequestError(self._cannot(ready.name, ready.targets, raked.misses))
        self.rounds, self.worst = max(self.rounds, raked.rounds), max(self.worst, *raked.misses)
        self._report(ready, chosen, times, times * start, times * raked.weights)
        result = np.where(part, 1.0, 0.0)
        result[ready.dropped] = 0.0
        result[inside] = raked.weights
        return np.asarray(result[part])

    def _check_total(self, target: Target, first: Target) -> None:
        total, of_first = (sum(one.figures.values()) for one in (target, first))
        if not total > 0:
            text = f"Targets of {target.name}: they add up to {total:g}; more than 0 is wanted."
            self._mistake(target.place, text)
        elif self.wanted.counts:
            if abs(total - of_first) > SAME_TOTAL * of_first:
                self._mistake(
                    target.place,
                    f"Targets of {target.name} add up to {total:,.6g}, those of {first.name} to {of_first:,.6g}; "
                    "counts must have the same total for every question.",
                )
        elif abs(total - 100.0) > ROUNDED + 1e-9:
            text = f"Targets of {target.name} add up to {total:g}; shares must add up to 100."
            self._mistake(target.place, text)
        elif total != 100.0:
            note = f"The targets of {target.name} add up to {total:.10g} and were scaled to 100."
            self.notes += [note] if note not in self.notes else []

    def _categories(self, target: Target) -> tuple[IntArray, list[tuple[str, ...]]] | None:
        """Return the number of the target of each row, below 0 for none, and the labels; None for a mistake in them."""
        try:
            columns = [self._single(name) for name in target.questions]
        except (RequestError, UnknownName) as error:
            self._mistake(target.place, str(error))
            return None
        found = len(self.mistakes)
        keys: dict[tuple[int, ...], int] = {}
        labels = []
        for names in target.figures:
            places = []
            for k, (name, (question, _)) in enumerate(zip(names, columns, strict=True), 1):
                answer = question.find(canonical(name))
                if answer is None or answer.missing:
                    known = [answer.label for answer in question.valid]
                    self._mistake(
                        (*target.place, *names[:k]),
                        f"Targets: {question.name} has no answer {name!r}.{nearest(name, known)}",
                    )
                    break
                places.append(question.by_code[answer.code])
            else:
                if tuple(places) in keys:
                    text = f"Targets of {target.name}: {', '.join(names)} appears twice."
                    self._mistake((*target.place, *names), text)
                keys[tuple(places)] = len(keys)
                labels.append(
                    tuple(q.answers[place].label for place, (q, _) in zip(places, columns, strict=True))
                )
        if len(self.mistakes) > found:
            return None
        return self._placed(target, columns, keys), labels

    def _placed(
        self,
        target: Target,
        columns: Sequence[tuple[Question, IntArray]],
        keys: Mapping[tuple[int, ...], int],
    ) -> IntArray:
        categories = np.full(len(self.responses), NO_ANSWER, np.int64)
        for places, number in keys.items():
            here = np.logical_and.reduce(
                [codes == place for place, (_, codes) in zip(places, columns, strict=True)]
            )
            categories[here] = number
        valid = np.logical_and.reduce(
            [np.isin(codes, [q.by_code[answer.code] for answer in q.valid]) for q, codes in columns]
        )
        without = valid & (categories == NO_ANSWER) & self.rows
        stray = np.flatnonzero(without)
        categories[without] = NO_TARGET
        if stray.size:
            self._mistake(target.place, self._without_target(target, columns, stray))
        return categories

    def _without_target(
        self, target: Target, columns: Sequence[tuple[Question, IntArray]], stray: IntArray
    ) -> str:
        """Say which answers have no target, of the rows (from 0) that gave them."""
        places, which = np.unique(
            np.stack([codes[stray] for _, codes in columns]), axis=1, return_inverse=True
        )
        answers = [
            ", ".join(q.answers[int(place)].label for place, (q, _) in zip(one, columns, strict=True))
            for one in places.T
        ]
        people = [self._people(stray[which.reshape(-1) == k]) for k in range(len(answers))]
        who = [counted(n, "respondent") for n in people]
        if len(answers) == 1:
            have = "has" if people[0] == 1 else "have"
            return (
                f"Targets of {target.name}: no target for {answers[0]}, which {who[0]} {have}. "
                "Give it one (0 leaves them out)."
            )
        shown = "; ".join(
            f"{answer} ({one})" for answer, one in list(zip(answers, who, strict=True))[:MOST_SHOWN]
        )
        more = f" and {len(answers) - MOST_SHOWN:,} more" if len(answers) > MOST_SHOWN else ""
        return f"Targets of {target.name}: no target for {shown}{more}. Give each one (0 leaves them out)."

    def _answered(self, name: str, target: Target, categories: IntArray, part: BoolArray) -> BoolArray:
        absent = part & (categories == NO_ANSWER)
        if absent.any() and not self.wanted.mean_where_unanswered:
            self._refuse_rows(absent, target.name, target.place)
        if absent.any():
            without = self._people(np.flatnonzero(absent))
            self.notes.append(
                f"{name + ': ' if name else ''}{counted(without, 'respondent')} without an answer "
                f"to {target.name} keep{'s' if without == 1 else ''} the mean weight."
            )
        return categories >= 0

    def _people(self, rows: IntArray) -> int:
        """Count the respondents that some rows (from 0) stand for."""
        return round(float(self.times[rows].sum()))

    def _refuse_rows(self, absent: BoolArray, where: str, place: Place) -> None:
        places = np.flatnonzero(absent)
        if places.size:
            people = self._people(places)
            have = "has" if people == 1 else "have"
            self._mistake(
                place,
                f"{counted(people, 'respondent')} {have} no answer to {where}: {self.responses.named_rows(places)}. "
                "Leave them out with a filter, or let them keep the mean weight.",
            )

    def _margins(
        self,
        name: str,
        targets: Sequence[Target],
        coded: Sequence[tuple[IntArray, list[tuple[str, ...]]]],
        inside: BoolArray,
    ) -> tuple[list[Margin], BoolArray]:
        """Make the margins; whoever has an answer with target 0 is dropped, with a note."""
        margins = []
        dropped: BoolArray = np.zeros(len(self.responses), np.bool_)
        for target, (categories, labels) in zip(targets, coded, strict=True):
            shares = np.array(list(target.figures.values()))
            shares = shares / shares.sum()
            for k in np.flatnonzero(shares == 0):
                out = inside & (categories == k)
                if out.any():
                    dropped |= out
                    answer = ", ".join(labels[k])
                    left_out = self._people(np.flatnonzero(out))
                    text = "has target 0 and is out" if left_out == 1 else "have target 0 and are out"
                    self.notes.append(f"{counted(left_out, 'respondent')} with {answer} {text}.")
            margins.append(Margin(np.maximum(categories, 0), shares))
        for target, margin, (_, labels) in zip(targets, margins, coded, strict=True):
            people = np.bincount(margin.categories[inside & ~dropped], minlength=margin.shares.size)
            for k in np.flatnonzero((margin.shares > 0) & (people == 0)):
                where = f" in {name}" if name else ""
                self._mistake(
                    (*target.place, *list(target.figures)[k]),
                    f"Targets of {target.name}: nobody{where} has {', '.join(labels[k])}, whose target is above 0. "
                    "Merge it with another answer.",
                )
        return margins, dropped

    def _cannot(self, name: str, targets: Sequence[Target], misses: Sequence[float]) -> str:
        worst = int(np.argmax(misses))
        where = f" for {name}" if name else ""
        why = "with this cap" if self.wanted.cap is not None else "after 1,000 rounds"
        return (
            f"The targets cannot be met{where} {why}; the worst is {targets[worst].name}, missed by "
            f"{100 * misses[worst]:.3g} percentage points. "
            + (
                "Raise the cap, or merge answers."
                if self.wanted.cap is not None
                else "Check them against each other."
            )
        )

    def _report(
        self,
        ready: _Ready,
        margins: Sequence[Margin],
        times: FloatArray,
        start: FloatArray,
        weights: FloatArray,
    ) -> None:
        for target, labels, margin in zip(ready.targets, ready.labels, margins, strict=True):
            size = margin.shares.size
            people = np.bincount(margin.categories, times, size)
            before = np.bincount(margin.categories, start, size) / start.sum()
            after = np.bincount(margin.categories, weights, size) / weights.sum()
            for k, label in enumerate(labels):
                self.lines.append(
                    TargetLine(
                        part=ready.name,
                        question=target.name,
                        answer=", ".join(label),
                        respondents=round(float(people[k])),
                        before=100 * float(before[k]),
                        target=100 * float(margin.shares[k]),
                        after=100 * float(after[k]),
                    )
                )
