"""One plan, many reports: one for each answer of a question, in a folder named by it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from eager_otter.codebook.model import Answer, Net, Question
from eager_otter.data.selection import who_counts_in
from eager_otter.documents.settled import checked
from eager_otter.errors import RequestError
from eager_otter.gates.text import file_name
from eager_otter.plan.plan import ForEach, Plan
from eager_otter.plan.reading import read_plan
from eager_otter.plan.tables import narrowed_to
from eager_otter.report.opening import survey_of


@checked
def plans_for_each(plan: str | Path | Plan) -> dict[str, Plan]:
    """Make, of a `plan` (or the path of one) with `for each`, a plan for each answer, by its label, for `run`.

    Each counts those who gave the answer, has its label behind its title, writes its outputs into a folder named by the
    label, and says what else the plan says of it under `differs`. Raises FileProblem, RequestError for a plan without
    `for each`, DocumentError with every mistake in what differs.

    Example: `{label: otter.run(one) for label, one in otter.plans_for_each("plan.yaml").items()}`.
    """
    whole = plan if isinstance(plan, Plan) else read_plan(plan)
    each = whole.for_each
    if each is None:
        raise RequestError("The plan makes one report; say 'for each: QUESTION' in it for one per answer.")
    question = whole.codebook.question(each.question)
    folders = _folders(answers_of(each, question))
    return {
        answer.label: _plan_of(whole, each, question, answer, folder) for answer, folder in folders.items()
    }


def answers_of(each: ForEach, question: Question) -> tuple[Answer, ...]:
    """Return the answers that have a report each."""
    return tuple(answer for answer in question.valid if each.keep is None or answer.code in each.keep)


def _folders(answers: Sequence[Answer]) -> dict[Answer, str]:
    """Name a folder for each answer; labels that would give the same one are told apart by their codes."""
    names = {answer: file_name(answer.label) for answer in answers}
    folded = [name.casefold() for name in names.values()]
    return {
        answer: name if folded.count(name.casefold()) == 1 else file_name(f"{name}-{answer.code}")
        for answer, name in names.items()
    }


def in_folder(outputs: Sequence[Path], plan: Plan, label: str) -> tuple[Path, ...]:
    """Return outputs as those of the report of one answer, which has a folder of its own in that of each."""
    assert plan.for_each is not None
    folders = _folders(answers_of(plan.for_each, plan.codebook.question(plan.for_each.question)))
    return _inside(outputs, next(folder for answer, folder in folders.items() if answer.label == label))


def _inside(outputs: Sequence[Path], folder: str) -> tuple[Path, ...]:
    return tuple(output.parent / folder / output.name for output in outputs)


def _plan_of(whole: Plan, each: ForEach, question: Question, answer: Answer, folder: str) -> Plan:
    own = whole
    differs = each.differs.get(answer.code)
    if differs:
        said = {key: value for key, value in whole.definition().items() if key != "for each"}
        own = whole.with_definition({**said, **differs})
    filtered = own.filter if differs and "filter" in differs else whole.filter
    label = own.codebook.question(question.name).answers[question.by_code[answer.code]].label
    title = f"{own.title} – {label}" if own.title else label
    outputs = dict(zip(own.outputs, _inside(own.outputs, folder), strict=True))
    return replace(
        own,
        for_each=None,
        title=own.title if differs and "title" in differs else title,
        filter=narrowed_to(filtered, question, answer),
        outputs=tuple(outputs.values()),
        output_notes={outputs.get(path, path): length for path, length in own.output_notes.items()},
    )


def labels_with_people(plan: Plan) -> list[str]:
    """List the labels of the answers that somebody gave whom the plan counts, in order. Raises what `run` does."""
    each = plan.for_each
    assert each is not None
    survey = survey_of(plan)
    rows = survey.population().rows
    question = survey.codebook.question(each.question)
    given = survey.responses.answers(question.name)
    return [
        answer.label
        for answer in answers_of(each, question)
        if bool(np.any(who_counts_in(question, given, Net(label="", of=(answer.code,))) & rows))
    ]
