"""Slips in data that nobody has described yet: what a person would notice who looked at every column."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime
from typing import Any

import numpy as np
import numpy.typing as npt

from eager_otter.audit.answers import people_text
from eager_otter.audit.auditing import remarked
from eager_otter.audit.slip import SEVERITIES, Audit, Severity, Slip
from eager_otter.codebook.expression import day_of
from eager_otter.codebook.periods import day_number, day_text
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.headings import HEADING_COUNTED, TITLE_ABOVE
from eager_otter.data.opening import Reading
from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.drafting.alone import ID_NAME, always_together, thousands_parted
from eager_otter.drafting.answers import listed_answers
from eager_otter.drafting.drafting import Looked, look_at
from eager_otter.drafting.facts import Facts, Guess
from eager_otter.drafting.meaning import twins
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import counted

NAMED = 5
FEW_ANSWERS = 60  # different values that a column of answers has at most
RARE_AMONG = 1_000  # respondents among whom an answer given once is strange
ALMOST_EMPTY = 0.02
FAR = 10.0  # robust standard deviations from the median
MOST_FAR = 0.01  # share of values that can be far out; more are a shape of their own
TOO_FAST = 1 / 3  # of the median length of interviews
FEWEST_TIMED = 30
STRAIGHT_ITEMS = 6  # items of a grid from which the same answer down all of them is strange
MAD_TO_DEVIATION = 1.4826  # of a normal distribution (Rousseeuw & Croux 1993)
NEARLY_ID = 0.9
FEWEST_ADDED = 10  # rows, the last of which may hold the sums of the others
TOTAL_WORDS = {"total", "totals", "sum", "sums", "all", "gesamt", "summe", "insgesamt"}
DAMAGED = re.compile("\\ufffd|Ã[\\u0080-\\u00bf©¤¶¼Ÿ±¡]|â€[\\u0098-\\u009d™œ“”\\u009d]|Â[£°§©®·]")
LENGTH_NAME = re.compile(
    r"(?:^|[_ .])(?:minutes?|seconds?|duration|length|loi|interview ?time|dauer)(?:$|[_ .])", re.IGNORECASE
)


@checked
def audit_data(data: Any, reading: Reading | None = None) -> Audit:
    """Look data over before anything is said about them: all slips, the worst first.

    `data` and `reading` are as for `draft`. Labels that differ in spelling only, answers given once among thousands,
    constants, columns almost empty, numbers stored as text, values and dates far out, ids and rows that repeat,
    interviews too fast, the same answer down a grid, codes outside a scale, ambiguous joined answers, damaged
    characters. Raises FileProblem, DataError, RequestError.

    Example: `audit_data("responses.csv").open`.
    """
    looked = look_at(data, reading)
    checks = _DataChecks(looked)
    slips = sorted(checks.slips(), key=lambda slip: SEVERITIES.index(slip.severity))
    rows = looked.facts[0].rows if looked.facts else 0
    return Audit(
        title=looked.name, source=str(looked.file.source(rows)), people=rows, slips=tuple(slips), recodes=()
    )


@dataclass(frozen=True, slots=True)
class _DataChecks:
    """Goes over all columns of data that were looked at."""

    looked: Looked

    def slips(self) -> Iterator[Slip]:
        """Go through all slips."""
        guesses = self.looked.guesses
        rows = self.looked.facts[0].rows if self.looked.facts else 0
        if self.looked.file is not self.looked.opened:  # read again, with more rows of headings
            first = self.looked.opened.remarks(rows)
            yield from (remarked(remark) for remark in first if remark.slip in (HEADING_COUNTED, TITLE_ABOVE))
        yield from (remarked(remark) for remark in self.looked.file.remarks(rows))
        role_of = {column: guess for guess in guesses for column in guess.columns}
        for facts in self.looked.facts:
            for check in COLUMN_CHECKS:
                yield from check(self, facts, role_of[facts.name])
        yield from self._repeated_rows(role_of)
        yield from self._totals(role_of)
        for guess in guesses:
            if guess.role == "grid":
                yield from self._straight(guess)

    def slip(
        self,
        name: str,
        severity: Severity,
        where: str,
        message: str,
        remedy: str,
        who: BoolArray | None = None,
    ) -> Slip:
        """Make a slip; {n} in the message stands for how many rows (rows,) are touched."""
        places = np.array([], np.int64) if who is None else np.flatnonzero(who)
        return Slip(
            name=name,
            severity=severity,
            where=where,
            message=message.replace("{n}", people_text(int(places.size))),
            remedy=remedy,
            count=int(places.size),
            respondents=tuple(self.looked.row_name(int(row)) for row in places[:NAMED]),
        )

    # --- whole rows ---------------------------------------------------------------------------------------

    def _repeated_rows(self, role_of: dict[str, Guess]) -> Iterator[Slip]:
        """Find rows that hold the same in all columns but ids, days and lengths, where that is no chance."""
        columns = [
            facts
            for facts in self.looked.facts
            if role_of[facts.name].role not in ("respondent", "date", "empty")
            and not LENGTH_NAME.search(facts.name)
            and not (ID_NAME.match(facts.name) and len(facts.texts) > NEARLY_ID * facts.rows)
        ]
        chance = sum(np.log(max(1.0, _different(facts))) for facts in columns)
        if not columns or chance < 2 * np.log(max(columns[0].rows, 2)):
            return
        keys = np.zeros(columns[0].rows, np.uint64)
        filled = np.zeros(columns[0].rows, np.int64)
        for facts in columns:
            texts, index = facts.index
            hashes = np.array([hash(text) for text in texts], np.int64).astype(np.uint64)
            keys = keys * np.uint64(1_099_511_628_211) + hashes[index]
            filled += facts.given
        _, first, counts = np.unique(keys, return_index=True, return_counts=True)
        again: BoolArray = np.ones(keys.size, np.bool_)
        again[first] = False
        again &= filled >= np.median(filled)  # those who gave next to nothing are alike by chance
        if again.any():
            groups = int((counts > 1).sum())
            yield self.slip(
                "row that repeats", "warning", "data",
                f"{{n}} gave the same as another in all {len(columns):,} columns, in {counted(groups, 'group')}.",
                "Find out whether interviews were exported twice; delete what is there twice.", again,
            )  # fmt: skip

    def _totals(self, role_of: dict[str, Guess]) -> Iterator[Slip]:
        """Find a last row that holds the sums of columns, as spreadsheets add one."""
        rows = self.looked.facts[0].rows if self.looked.facts else 0
        if rows < FEWEST_ADDED:
            return
        sums, said = [], False
        for facts in self.looked.facts:
            texts, index = facts.index
            last_text = texts[int(index[-1])]
            said = said or last_text.strip().casefold().rstrip(":") in TOTAL_WORDS
            if not any(map(str.isdigit, last_text)):
                continue
            values = _numbers_of(facts, role_of[facts.name])
            above = values[:-1][~np.isnan(values[:-1])]
            if above.size >= FEWEST_ADDED - 1 and np.isclose(values[-1], above.sum(), rtol=1e-9, atol=1e-6):
                sums += [facts.name] if values[-1] > above.max() else []
        if len(sums) > 1 or (sums and said):
            last: BoolArray = np.arange(rows) == rows - 1
            shown = ", ".join(sums[:NAMED])
            yield self.slip(
                "row of totals", "error", "data",
                f"The last row holds the sums of {shown}, and counts as a respondent.",
                "Delete that row in the data.", last,
            )  # fmt: skip

    def _straight(self, guess: Guess) -> Iterator[Slip]:
        """Find those who gave the same answer to all items of a grid."""
        if len(guess.columns) < STRAIGHT_ITEMS:
            return
        by_name = {facts.name: facts for facts in self.looked.facts}
        columns = [_texts_of(by_name[name]) for name in guess.columns]
        same: BoolArray = np.logical_and.reduce([column == columns[0] for column in columns[1:]])
        same &= np.logical_and.reduce([by_name[name].given for name in guess.columns])
        if same.any():
            share = 100 * same.sum() / same.size
            yield self.slip(
                "same answer down a grid", "warning", guess.name,
                f"{{n}} ({share:.1f} %) gave the same answer to all {len(guess.columns)} items.",
                "Look at the other answers of these people; leave out who did not read the questions.", same,
            )  # fmt: skip

    # --- columns ------------------------------------------------------------------------------------------

    def spelling(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find answers that differ in case, blanks or a dash only."""
        texts = self._answers(facts, guess)
        alike = twins(texts)
        if alike:
            rare = {text for group in alike for text in sorted(group, key=facts.often)[:-1]}
            shown = "; ".join(" and ".join(repr(text) for text in group) for group in alike[:4])
            yield self.slip(
                "answers that differ in spelling", "warning", facts.name,
                f"{shown} are likely one answer; {{n}} gave the rarer form.",
                "Write the answers alike in the data, or give both codes the same label and merge them.",
                _which(facts, rare),
            )  # fmt: skip

    def once(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find answers that were given once among thousands."""
        if facts.filled < RARE_AMONG or guess.role not in ("single", "grid"):
            return
        alike = {text for group in twins(self._answers(facts, guess)) for text in group}
        rare = {text for text, count in zip(facts.texts, facts.counts, strict=True) if count == 1} - alike
        if 0 < len(rare) <= max(2, len(facts.texts) // 4):
            yield self.slip(
                "answer given once", "warning", facts.name,
                f"{', '.join(map(repr, sorted(rare)[:5]))} was given once among {facts.filled:,}: a slip of the keys?",
                "Correct the data, or list the code in the codebook.", _which(facts, rare),
            )  # fmt: skip

    def constant(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find columns that hold the same in every row."""
        if len(facts.texts) == 1 and facts.filled == facts.rows and facts.rows > 1 and guess.role != "ticks":
            yield self.slip(
                "constant column", "note", facts.name, f"Every row holds {facts.texts[0]!r}.",
                "Nothing, if that is meant; it tells nothing about anybody.",
            )  # fmt: skip

    def almost_empty(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find columns that hold almost nothing."""
        alone = guess.role in ("single", "number", "text", "date")
        if alone and 0 < facts.filled < ALMOST_EMPTY * facts.rows:
            yield self.slip(
                "column almost empty", "note", facts.name,
                f"Only {people_text(facts.filled)} of {facts.rows:,} gave anything.",
                "Check that it was exported whole, and who was asked.",
            )  # fmt: skip

    def text_numbers(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find numbers that are stored as text."""
        words = facts.words
        if "unit" in guess.details:
            yield self.slip(
                "numbers stored as text", "warning", facts.name, f"Numbers with a unit, such as {words[0]!r}: {{n}}.",
                f"Write unit: {guess.details['unit']!r} at the question in the codebook.", _which(facts, set(words)),
            )  # fmt: skip
            return
        if "decimal" in guess.details:
            yield self.slip(
                "numbers stored as text", "warning", facts.name,
                f"Numbers with a decimal comma, such as {words[0]!r}: {{n}}.",
                "Write decimal: ',' at the question in the codebook.", _which(facts, set(words)),
            )  # fmt: skip
            return
        parted = [text for text in words if thousands_parted(text)]
        nearly = guess.role == "number" and bool(words)
        if guess.role in ("text", "single"):
            nearly = bool(parted) and len(parted) == len(words)
        if nearly:
            yield self.slip(
                "numbers stored as text", "warning", facts.name,
                f"Numbers, but {{n}} gave another text: {', '.join(map(repr, words[:5]))}.",
                "Export plain numbers, or list these texts under 'missing' of the question.", _which(facts, set(words)),
            )  # fmt: skip

    def far_out(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find numbers far from all others, by the median and the median deviation from it."""
        if guess.role not in ("number", "weight"):
            return
        values = _numbers_of(facts, guess)
        far = _far(values)
        if far.any():
            shown = ", ".join(
                f"{value:g}" for value in sorted(set(values[far].tolist()), key=abs, reverse=True)[:5]
            )
            middle = float(np.nanmedian(values))
            yield self.slip(
                "number far out", "warning", facts.name,
                f"{{n}} gave {shown}, where the median is {middle:g}: a slip, or a missing code?",
                "Correct the data, or list the code under 'missing' of the question.", far,
            )  # fmt: skip

    def repeated_ids(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find ids that stand twice, in a column that else holds another in every row."""
        if guess.role == "respondent" or len(facts.texts) < 2:
            return
        nearly = len(facts.texts) > NEARLY_ID * facts.rows
        if not nearly or not ID_NAME.match(facts.name):
            return
        twice = {text for text, count in zip(facts.texts, facts.counts, strict=True) if count > 1}
        if not twice and facts.filled == facts.rows:
            return
        yield self.slip(
            "id that repeats", "error", facts.name,
            f"{len(twice):,} of {len(facts.texts):,} ids stand more than once"
            + (f", and {facts.rows - facts.filled:,} rows have none" if facts.filled < facts.rows else "") + ": {n}.",
            "Delete interviews that were exported twice; an id is one respondent.", _which(facts, twice),
        )  # fmt: skip

    def too_fast(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find interviews that took less than a third of the usual time."""
        if guess.role != "number" or not LENGTH_NAME.search(facts.name) or facts.filled < FEWEST_TIMED:
            return
        values = _numbers_of(facts, guess)
        middle = float(np.nanmedian(values))
        fast = values < TOO_FAST * middle
        if fast.any() and fast.sum() < facts.filled / 4:
            yield self.slip(
                "interview too fast", "warning", facts.name,
                f"{{n}} took less than a third of the usual length ({middle:g}).",
                "Look at their other answers; leave out who cannot have read the questions.", np.asarray(fast),
            )  # fmt: skip

    def outside_scale(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find codes behind the run of a scale that are rare."""
        if guess.role not in ("single", "grid") or not facts.all_whole or not facts.texts:
            return
        listed = listed_answers(facts.texts, {}, ())
        whole = [int(number) for number in facts.numbers]
        run = [k for j, k in enumerate(whole) if k == whole[0] + j]
        outside = {str(k) for k in whole if k not in run and facts.often(str(k)) <= 0.01 * facts.filled}
        outside -= {*listed.maybe_missing, *listed.unscored}
        if len(run) >= 4 and outside:
            yield self.slip(
                "code outside the scale", "warning", facts.name,
                f"{{n}} gave {', '.join(sorted(outside, key=int)[:5])}, where the codes are {run[0]} to {run[-1]}.",
                "Correct the data, or list the code in the codebook.", _which(facts, outside),
            )  # fmt: skip

    def ambiguous(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find joined answers of which one holds the sign that joins them."""
        if guess.role != "joined":
            return
        by = guess.details["by"]
        whole = sorted(always_together(facts.texts, by))
        if whole:
            yield self.slip(
                "ambiguous joined answers", "warning", facts.name,
                f"{', '.join(map(repr, whole[:3]))}: parts that stand together only, so {by!r} joins answers and is in "
                "one; {n}.",
                "Export with another sign between answers, or write the whole answer into the codebook.",
                _which(facts, {text for text in facts.texts for one in whole if one.split(by)[0] in text}),
            )  # fmt: skip

    def far_dates(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find days far from all others, and days to come."""
        if guess.role != "date":
            return
        pattern = guess.details.get("format")
        days = np.array([_day(text, pattern) for text in facts.index[0]], np.float64)[facts.index[1]]
        late = days > day_number(datetime.now(UTC).date()) + 1
        far = (_far(days, least=14.0) | late) & ~np.isnan(days)
        if far.any():
            texts = _texts_of(facts)
            usual = days[~far & ~np.isnan(days)]
            period = ""
            if usual.size:
                period = f", where all others are from {day_text(usual.min())} to {day_text(usual.max())}"
            shown = ", ".join(sorted(set(texts[far].tolist()))[:5])
            yield self.slip(
                "date outside the field period", "warning", facts.name, f"{{n}} gave {shown}{period}.",
                "Correct the days, or leave these interviews out.", far,
            )  # fmt: skip

    def damaged(self, facts: Facts, guess: Guess) -> Iterator[Slip]:
        """Find characters that were read in a wrong encoding somewhere before."""
        broken = {text for text in facts.texts if DAMAGED.search(text)}
        if broken:
            yield self.slip(
                "damaged characters", "warning", facts.name,
                f"{{n}} gave letters that were read in a wrong encoding once, such as {sorted(broken)[0][:40]!r}.",
                "Export the data again as UTF-8, or name the encoding that it is in.", _which(facts, broken),
            )  # fmt: skip

    def _answers(self, facts: Facts, guess: Guess) -> Sequence[str]:
        """Return the words of a column of answers; none for numbers and open texts."""
        if guess.role not in ("single", "grid", "ticks") or len(facts.texts) > FEW_ANSWERS:
            return ()
        return facts.words


Check = Callable[[_DataChecks, Facts, Guess], Iterator[Slip]]
COLUMN_CHECKS: tuple[Check, ...] = (
    _DataChecks.repeated_ids,
    _DataChecks.spelling,
    _DataChecks.once,
    _DataChecks.outside_scale,
    _DataChecks.text_numbers,
    _DataChecks.far_out,
    _DataChecks.too_fast,
    _DataChecks.far_dates,
    _DataChecks.ambiguous,
    _DataChecks.damaged,
    _DataChecks.constant,
    _DataChecks.almost_empty,
)


def _far(values: FloatArray, least: float = 0.0) -> BoolArray:
    """Return which values (rows,) lie more than `FAR` robust deviations, and `least`, from the median; NaN does not."""
    given = values[~np.isnan(values)]
    if given.size < FEWEST_TIMED:
        return np.zeros(values.size, np.bool_)
    middle = float(np.median(given))
    spread = MAD_TO_DEVIATION * float(np.median(np.abs(given - middle)))
    logs = np.log1p(given) if (given >= 0).all() else None
    far = np.abs(values - middle) > max(FAR * spread, least) if spread else np.zeros(values.size, np.bool_)
    if logs is not None and least == 0.0:  # of skewed numbers what is far out on a log scale as well
        middle, spread = (
            float(np.median(logs)),
            MAD_TO_DEVIATION * float(np.median(np.abs(logs - np.median(logs)))),
        )
        with np.errstate(invalid="ignore", divide="ignore"):
            far &= np.abs(np.log1p(values) - middle) > 0.5 * FAR * spread
    return np.asarray(far if far.sum() <= max(1, MOST_FAR * given.size) else np.zeros(values.size, np.bool_))


def _different(facts: Facts) -> float:
    """Return how many equally frequent values would tell people apart as well: the exponential of Shannon's entropy."""
    shares = np.array([*facts.counts, facts.rows - facts.filled], np.float64) / max(facts.rows, 1)
    shares = shares[shares > 0]
    return float(np.exp(-(shares * np.log(shares)).sum()))


def _which(facts: Facts, chosen: set[str]) -> BoolArray:
    texts, index = facts.index
    return np.asarray(np.array([text in chosen for text in texts], np.bool_)[index])


def _texts_of(facts: Facts) -> npt.NDArray[np.object_]:
    texts, index = facts.index
    return np.asarray(np.array([*texts], object)[index])


def _numbers_of(facts: Facts, guess: Guess) -> FloatArray:
    """Return the numbers of a column, NaN for others: (rows,). A unit, or a mark between thousands, is taken out."""
    texts, index = facts.index
    signs = [str(guess.details[key]) for key in ("unit", "thousands") if key in guess.details]
    decimal = str(guess.details.get("decimal", "."))

    def number(text: str) -> float:
        for sign in signs:
            text = text.replace(sign, "")
        found = number_of(text.replace(" ", "").replace(decimal, "."))
        return math.nan if found is None else found

    by_text = dict(zip(facts.texts, facts.numbers.tolist(), strict=True))
    by_text |= {text: number(text) for text in facts.words if signs or decimal != "."}
    return np.asarray(np.array([by_text.get(text, np.nan) for text in texts], np.float64)[index])


def _day(text: str, pattern: str | None) -> float:
    if not text:
        return np.nan
    if pattern is None:
        day = day_of(text[:10])
        return np.nan if day is None else day
    try:
        return float(day_number(datetime.strptime(text, pattern).date()))
    except ValueError:
        return np.nan
