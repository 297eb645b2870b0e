"""Questions made from others: bands, periods, merged, combined and computed ones."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from operator import attrgetter
from typing import Any

from eager_otter.codebook.bands import Band, edge_bands, whole_number_bands
from eager_otter.codebook.codes import canonical
from eager_otter.codebook.file import (
    BandsFile,
    CombineFile,
    ComputeFile,
    ComputePart,
    MergeFile,
    PeriodsFile,
    QuestionPart,
)
from eager_otter.codebook.kinds import QuestionKind
from eager_otter.codebook.model import (
    Answer,
    Banded,
    Combined,
    Computation,
    Computed,
    EqualBands,
    Merged,
    Periods,
    Question,
)
from eager_otter.codebook.nets import TellMistake
from eager_otter.codebook.periods import Period, periods_by, periods_in, read_day
from eager_otter.documents.yaml_nodes import Place
from eager_otter.errors import RequestError, nearest

Definition = dict[str, Any]
Questions = Mapping[str, Question]

REST_CODE = "rest"
LISTS: tuple[Computation, ...] = ("sum", "mean", "smallest", "largest", "count")


def sources_of(part: QuestionPart) -> list[tuple[str, Place]]:
    """List the questions that a part is made from, each with its place below the part's."""
    match part:
        case BandsFile():
            return [(part.bands.of, ("bands", "of"))]
        case PeriodsFile():
            return [(part.periods.of, ("periods", "of"))]
        case MergeFile():
            return [(part.merge.of, ("merge", "of"))]
        case CombineFile():
            return [(name, ("combine", k)) for k, name in enumerate(part.combine)]
        case ComputeFile():
            how, names = _computation(part.compute)
            if how == "mentions":
                return [(names[0], ("compute", "mentions"))]
            return [(name, ("compute", how, k)) for k, name in enumerate(names)]
    return []


def made_question(
    part: QuestionPart, questions: Questions, place: Place, mistake: TellMistake
) -> Definition | None:
    """Return the definition (kind, source, answers …) of a question made from others; None after a noted problem."""
    match part:
        case BandsFile():
            return _bands(part, questions, place, mistake)
        case PeriodsFile():
            return _periods(part, questions, place, mistake)
        case MergeFile():
            return _merged(part, questions, place, mistake)
        case CombineFile():
            return _combined(part, questions, place, mistake)
        case ComputeFile():
            return _computed(part, questions, place, mistake)
    raise TypeError(f"{type(part).__name__} is not made from other questions.")


def check_alone(part: QuestionPart, place: Place, mistake: TellMistake) -> None:
    """Check what can be checked of a part whose sources are not there."""
    if isinstance(part, BandsFile) and part.bands.equal is None:
        _cut(part, place, mistake)


VALUES = attrgetter("of_values")
DAYS = attrgetter("of_days")
ANSWERS = attrgetter("of_answers")
MENTIONS = attrgetter("several")


def _of_kind(
    question: Question,
    fits: Callable[[QuestionKind], bool],
    what: str,
    place: Place,
    mistake: TellMistake,
    *,
    scale: bool = False,
) -> bool:
    if fits(question.is_of) or (scale and question.scale):
        return True
    mistake(place, f"{what}; {question.name} is of kind {question.kind}.")
    return False


# --- bands and periods ----------------------------------------------------------------------------------


def _bands(part: BandsFile, questions: Questions, place: Place, mistake: TellMistake) -> Definition | None:
    where = (*place, "bands")
    source = questions[part.bands.of]
    if not _of_kind(source, VALUES, "only a number can be cut into bands", (*where, "of"), mistake):
        return None
    if part.bands.equal is not None:
        definition = _equal_bands(part.bands.of, part.bands.equal)
        if part.bands.labels is None:
            return definition
        if len(part.bands.labels) != part.bands.equal:
            mistake(
                (*where, "labels"),
                f"{len(part.bands.labels)} labels for {part.bands.equal} bands; give one for each.",
            )
            return None
        pairs = zip(definition["answers"], part.bands.labels, strict=True)
        return definition | {"answers": tuple(replace(answer, label=label) for answer, label in pairs)}
    bands = _cut(part, place, mistake)
    if bands is None:
        return None
    labels = _band_labels(bands, part.bands.labels, (*where, "labels"), mistake)
    answers = [
        Answer(code=band.label.replace("–", "-"), label=label)
        for band, label in zip(bands, labels, strict=True)
    ]
    return {"kind": "single", "source": Banded(part.bands.of, bands), "answers": tuple(answers)}


def _cut(part: BandsFile, place: Place, mistake: TellMistake) -> tuple[Band, ...] | None:
    try:
        if part.bands.ranges is not None:
            return whole_number_bands(part.bands.ranges)
        return edge_bands(part.bands.edges or [])
    except RequestError as error:
        mistake((*place, "bands", "ranges" if part.bands.ranges is not None else "edges"), str(error))
        return None


def _band_labels(
    bands: Sequence[Band], labels: Sequence[str] | None, place: Place, mistake: TellMistake
) -> Sequence[str]:
    if labels is not None and len(labels) == len(bands):
        return labels
    if labels is not None:
        mistake(place, f"{len(labels)} labels for {len(bands)} bands; give one for each, in their order.")
    return [band.label for band in bands]


def _equal_bands(of: str, count: int) -> Definition:
    names = [f"{k} of {count}" for k in range(1, count + 1)]
    names[0] += " (lowest)"
    names[-1] += " (highest)"
    answers = tuple(Answer(code=str(k), label=name) for k, name in enumerate(names, 1))
    return {"kind": "single", "source": EqualBands(of, count), "answers": answers}


def _periods(
    part: PeriodsFile, questions: Questions, place: Place, mistake: TellMistake
) -> Definition | None:
    where = (*place, "periods")
    source = questions[part.periods.of]
    if not _of_kind(source, DAYS, "only a date can be put into periods", (*where, "of"), mistake):
        return None
    try:
        periods = _spans(part)
    except RequestError as error:
        mistake(where, str(error))
        return None
    answers = tuple(Answer(code=period.code, label=period.label) for period in periods)
    spans = tuple((period.first, period.last) for period in periods)
    return {"kind": "single", "source": Periods(part.periods.of, spans), "answers": answers}


def _spans(part: PeriodsFile) -> tuple[Period, ...]:
    periods = part.periods
    if periods.ranges is not None:
        return periods_in(periods.ranges)
    assert periods.by is not None and periods.first is not None and periods.last is not None
    return periods_by(periods.by, read_day(periods.first), read_day(periods.last))


# --- merged and combined --------------------------------------------------------------------------------


def _merged(part: MergeFile, questions: Questions, place: Place, mistake: TellMistake) -> Definition | None:
    source = questions[part.merge.of]
    where = (*place, "merge")
    if not _of_kind(source, ANSWERS, "only answers can be merged", (*where, "of"), mistake):
        return None
    groups: list[tuple[str, ...]] = []
    taken: dict[str, str] = {}
    for label, names in part.merge.answers.items():
        codes = []
        for k, name in enumerate(names):
            code = _known_code(source, name, (*where, "answers", label, k), mistake)
            if code is not None and code in taken and source.is_of.of_one_answer:
                mistake((*where, "answers", label, k), f"{name!r} is already in {taken[code]!r}.")
            elif code is not None:
                taken[code] = label
                codes.append(code)
        groups.append(tuple(codes))
    labels = list(part.merge.answers)
    answers = [
        Answer(code=str(k), label=label, exclusive=_all_exclusive(source, codes))
        for k, (label, codes) in enumerate(zip(labels, groups, strict=True), 1)
    ]
    if part.merge.rest is not None:
        answers.append(Answer(code=REST_CODE, label=part.merge.rest))
    return {
        "kind": source.kind,
        "source": Merged(part.merge.of, tuple(groups), part.merge.rest is not None),
        "answers": tuple(answers),
    }


def _all_exclusive(source: Question, codes: Sequence[str]) -> bool:
    return bool(codes) and all(source.answers[source.by_code[code]].exclusive for code in codes)


def _known_code(source: Question, name: str, place: Place, mistake: TellMistake) -> str | None:
    try:
        answer = source.find(canonical(name))
    except RequestError as error:
        mistake(place, str(error))
        return None
    if answer is None:
        known = [answer.label for answer in source.answers]
        mistake(place, f"{source.name} has no answer {name!r}.{nearest(name, known)}")
        return None
    return answer.code


def _combined(
    part: CombineFile, questions: Questions, place: Place, mistake: TellMistake
) -> Definition | None:
    sources = [questions[name] for name in part.combine]
    for k, source in enumerate(sources):
        if not _of_kind(source, ANSWERS, "only answers can be combined", (*place, "combine", k), mistake):
            return None
    by_label: dict[str, Answer] = {}
    places = []
    for source in sources:
        codes = []
        for answer in source.valid:
            key = answer.label.casefold()
            if key not in by_label:
                code = answer.code if answer.code not in {a.code for a in by_label.values()} else answer.label
                by_label[key] = Answer(code=code, label=answer.label, exclusive=answer.exclusive)
            codes.append((answer.code, by_label[key].code))
        places.append(tuple(codes))
    return {
        "kind": "multi",
        "source": Combined(tuple(part.combine), tuple(places)),
        "answers": tuple(by_label.values()),
    }


# --- computed -------------------------------------------------------------------------------------------


def _computation(part: ComputePart) -> tuple[Computation, list[str]]:
    if part.mentions is not None:
        return "mentions", [part.mentions]
    for how in LISTS:
        names = getattr(part, how)
        if names is not None:
            return how, names
    raise ValueError("nothing to compute")  # the file model sees to it


def _computed(
    part: ComputeFile, questions: Questions, place: Place, mistake: TellMistake
) -> Definition | None:
    how, names = _computation(part.compute)
    places = [(*place, *below) for _, below in sources_of(part)]
    wanted = {"mentions": MENTIONS, "count": ANSWERS}.get(how, VALUES)
    what = {"mentions": "mentions are of multiple-response questions", "count": "count is of answers"}.get(
        how, f"the {how} is of numbers and scales"
    )
    sound = [
        _of_kind(questions[name], wanted, what, where, mistake, scale=how not in ("mentions", "count"))
        for name, where in zip(names, places, strict=True)
    ]
    codes: tuple[tuple[str, ...], ...] = ()
    if how == "count" and all(sound):
        questions_of = [
            _codes_counted(questions[name], part.compute.answers or [], place, mistake) for name in names
        ]
        codes = tuple(questions_of)
    if not all(sound):
        return None
    source = Computed(how, tuple(names), codes, part.compute.at_least)
    return {"kind": "number", "source": source}


def _codes_counted(
    question: Question, names: Sequence[str], place: Place, mistake: TellMistake
) -> tuple[str, ...]:
    where = (*place, "compute", "answers")
    codes = [_known_code(question, name, (*where, k), mistake) for k, name in enumerate(names)]
    return tuple(code for code in codes if code is not None)
