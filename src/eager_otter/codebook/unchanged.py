"""The questions that are the same in two codebooks, with all that they rest on."""

from __future__ import annotations

from dataclasses import fields

from eager_otter.codebook.model import Codebook, Question

OF_THE_WHOLE = ("title", "universe", "respondent", "frequency", "finished", "conditions")


def unchanged(old: Codebook, new: Codebook) -> frozenset[str]:
    """Return the questions that are the same in an old and a new codebook, themselves and all that they rest on.

    A question rests on those that it is made from, and on those that say who is asked it.
    """
    same = {question.name for question in new if _same(old.questions.get(question.name), question)}
    while True:
        kept = {name for name in same if _rests_on(new.questions[name]) <= same}
        if kept == same:
            return frozenset(same)
        same = kept


def alike_as_a_whole(old: Codebook, new: Codebook) -> bool:
    """Return whether all is the same that is said of no single question, so that any table may rest on it."""
    return all(getattr(old, name) == getattr(new, name) for name in OF_THE_WHOLE)


def _rests_on(question: Question) -> set[str]:
    asked = set() if question.asked is None else question.asked.names()
    return {*question.made_of, *asked}


def _same(old: Question | None, new: Question) -> bool:
    return old is not None and all(
        getattr(old, one.name) == getattr(new, one.name) for one in fields(Question)
    )
