"""Items as columns: what they must have in common, how they are laid out, which tests do nothing there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from eager_otter.codebook.model import Question
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.laying import letter_name
from eager_otter.errors import RequestError, UnknownName
from eager_otter.looks.words import said
from eager_otter.tables.comparing import Leaf, compare
from eager_otter.tables.lookup import find_column
from eager_otter.tables.request import TableRequest, TestRules
from eager_otter.tables.shows import AnswersByItems
from eager_otter.tables.table import Column, Group

ITEMS = said("Items")


def check_alike(questions: Sequence[Question]) -> None:
    """Refuse items that cannot be side by side. Raises RequestError where answer lists or kinds differ."""
    first = questions[0]
    for question in questions:
        if [(a.code, a.label) for a in question.valid] != [(a.code, a.label) for a in first.valid]:
            raise RequestError(
                f"{question.name} has other answers than {first.name}; items side by side need the same ones."
            )
        if question.kind != first.kind:
            raise RequestError(f"{question.name} is of kind {question.kind}, {first.name} of {first.kind}.")
        if question.scores() != first.scores():
            raise RequestError(
                f"{question.name} has other scores than {first.name}; items side by side need the same ones."
            )


def in_common(questions: Sequence[Question]) -> tuple[Question, list[str]]:
    """Return the first of several questions with the nets and differences that all have, and name those left out."""
    first = questions[0]
    nets = [net for net in first.nets if all(net in question.nets for question in questions)]
    differences = [
        one for one in first.differences if all(one in question.differences for question in questions)
    ]
    kept = {*(net.label for net in nets), *(one.label for one in differences)}
    every: dict[str, None] = {}
    for question in questions:
        every |= dict.fromkeys(net.label for net in question.nets)
        every |= dict.fromkeys(one.label for one in question.differences)
    common = replace(first, nets=tuple(nets), differences=tuple(differences))
    return common, [label for label in every if label not in kept]


def idle_item_tests(tests: TestRules, items: AnswersByItems, questions: Sequence[Question]) -> dict[str, str]:
    """Return what of test rules would do nothing for items side by side, or cannot be: message by key of a plan."""
    idle: dict[str, str] = {}
    known = [items.label_of(place, question.label) for place, question in enumerate(questions)]
    if tests.against in ("rest", "total"):
        idle["against"] = (
            "the same people are in all columns, so there is no rest; take it out, or name an item."
        )
    elif tests.against == "column" and tests.control not in (
        *known,
        *(question.name for question in questions),
    ):
        idle["against"] = str(UnknownName("item", tests.control, known, "the table (as a control of tests)"))
    if tests.all_parents:
        idle["compare"] = "items have no parent, so this would do nothing; take it out."
    if tests.rest_of_parent:
        idle["rest of"] = "items have no parent, so this would do nothing; take it out."
    if tests.trend:
        idle["trend"] = "items have no order, so this would do nothing; take it out."
    same = "answers of the same people have one test of {what}, so this would do nothing; take it out."
    if tests.percents != TestRules().percents:
        idle["percents"] = same.format(what="percents")
    if tests.medians != TestRules().medians:
        idle["medians"] = "medians of the same people are not compared; take it out."
    if tests.means != TestRules().means:
        idle["means"] = same.format(what="means")
    return idle


def item_columns(
    request: TableRequest, items: AnswersByItems, questions: Sequence[Question]
) -> BannerColumns:
    """Lay items out as columns, compared with each other unless the request says otherwise.

    Raises RequestError where answer lists differ, UnknownName for a control that is none of the items.
    """
    check_alike(questions)
    head = request.words(ITEMS)
    columns = tuple(
        Column(
            label=items.label_of(k, question.label),
            role="item",
            group=head,
            letter=letter_name(k + 1),
            question=question.name,
            code=question.name,
            number=k,
        )
        for k, question in enumerate(questions)
    )
    against, control = request.tests.against, -1
    if against in ("rest", "total"):
        against = "each other"  # the same people are in all columns: there is no rest
    if against == "column":
        known = [*(column.label for column in columns), *(column.code for column in columns)]
        if request.tests.control in known:
            control = find_column(columns, request.tests.control, "the items")
        else:
            against = "each other"
    places = tuple(range(len(columns)))
    leaf = Leaf(block=0, columns=places, against=against, all_parents=False, rest={}, control=control)
    return BannerColumns(
        columns=columns,
        groups=(Group(label=head, start=0, stop=len(columns)),),
        comparisons=compare([leaf], []),
        shown=places,
        blocks=(),
    )
