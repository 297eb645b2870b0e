"""Counts that were made before, kept in the cache beside the columns they were made of, while these are the same."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any, TypeVar, cast

from eager_otter.core.tally import Tally
from eager_otter.counting.part import Aside, BannerState, CountState
from eager_otter.counting.passes import Banners, Pass
from eager_otter.counting.population import Steps
from eager_otter.counting.running import BLOCK_PARTS, Runner, Tell, needs_of
from eager_otter.data import files
from eager_otter.data.cached import KeptHome
from eager_otter.data.converted import ConvertedFile
from eager_otter.data.files import all_states
from eager_otter.data.partition import questions_for
from eager_otter.data.reasons import Reason
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass
from eager_otter.gates.cache import CachePlace
from eager_otter.gates.digests import NoDigest, as_before, as_plain, digest_of_value, state_of_program

S = TypeVar("S")
CLASSES: Mapping[str, type] = {
    kind.__qualname__: kind for kind in (Aside, BannerState, CountState, Reason, Steps, Tally)
}
WORTH = 100_000  # rows from which on counts are remembered


@dataclass(frozen=True, slots=True, eq=False)
class Remembering:
    """A way to count that asks the cache first, where the responses come from columns that are kept there."""

    runner: Runner

    def count(self, one_pass: Pass[S], responses: Responses, tell: Tell | None = None) -> S:
        """Count all parts: see `Runner.count`."""
        where = _where(one_pass, responses)
        if where is None:
            return self.runner.count(one_pass, responses, tell)
        place, key = where
        known = _known(place, key)
        if known is not None:
            return cast(S, known)
        state = self.runner.count(one_pass, responses, tell)
        try:
            plain = as_plain(state, CLASSES)
        except NoDigest:
            return state
        with suppress(OSError):  # what is not kept is counted again
            place.remember(key, plain)
        # laid out in memory as it will be the next time, so that no last digit differs
        return cast(S, as_before(plain, CLASSES))


def _known(place: CachePlace, key: str) -> tuple[BannerState, ...] | None:
    """Return the state that was kept under a key; None where there is none that is as it was kept."""
    with suppress(ValueError, KeyError, TypeError, IndexError):
        found = place.remembered(key)
        state = None if found is None else as_before(found, CLASSES)
        if isinstance(state, tuple) and all(isinstance(one, BannerState) for one in state):
            return state
    return None


def _where(one_pass: Pass[Any], responses: Responses) -> tuple[CachePlace, str] | None:
    """Return where in the cache the state of a pass is, and its key: all that the counts depend on.

    None where that is more than a file which is kept as it surely is, what its questions are, and the pass itself.
    """
    file = responses.file
    if not isinstance(file, ConvertedFile) or not isinstance(file.home, KeptHome) or file.others:
        return None
    facts = file.home.facts
    if not (isinstance(one_pass, Banners) and responses.in_parts and responses.rows == facts.rows >= WORTH):
        return None
    if responses.table.num_columns or not facts.sure or all_states(map(Path, facts.paths)) != facts.states:
        return None
    book = responses.codebook
    names, weights, as_read = needs_of(one_pass)
    questions = {name: book.questions[name] for name in questions_for(book, names)}
    depends = (
        state_of_program(), files.PART_ROWS, BLOCK_PARTS, facts.digests, facts.decimal, book.respondent, book.frequency,
        questions, weights, as_read, responses.blank, one_pass,
    )  # fmt: skip
    try:
        return file.home.place, digest_of_value(depends)
    except NoDigest:
        return None
