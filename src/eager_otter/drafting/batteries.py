"""Columns that belong together: ticks, rankings, mentions, and grids, by shared headings and what they hold."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from itertools import takewhile

from eager_otter.dataclass import dataclass
from eager_otter.drafting.answers import is_reserved, listed_answers
from eager_otter.drafting.facts import Facts, Guess, doubted, in_order
from eager_otter.drafting.headings import Split, splits, text_of
from eager_otter.drafting.rankings import codes_of, layout_of, less_and_less, twice_in_a_row
from eager_otter.gates.numbers import number_of

FEW = 12  # values that a grid may have
MOST_MENTIONED = 200
LONGEST_SHOWN = 24
YES_WORDS = frozenset(
    [
        "yes",
        "y",
        "true",
        "t",
        "ticked",
        "checked",
        "selected",
        "mentioned",
        "chosen",
        "quoted",
        "x",
        "✓",
        "ja",
        "j",
        "wahr",
        "angekreuzt",
        "genannt",
        "gewählt",
    ]
)
NO_WORDS = frozenset(
    {"no", "n", "false", "f", "unticked", "unchecked", "unselected", "-", "nein", "falsch"}
    | {f"not {word}" for word in YES_WORDS if len(word) > 4}
    | {f"nicht {word}" for word in ("angekreuzt", "genannt", "gewählt")}
)
NOT = re.compile(r"(?:not|no|non|nicht|kein\w*)[ :_-]+(.+)\Z", re.IGNORECASE | re.DOTALL)
WRITTEN_IN = re.compile(
    r"(?:[_ .-]text|\bspecify|\bplease say|\bwrite[ -]?in|\bund zwar|\bbitte angeben)\W*(?:\s|\Z)",
    re.IGNORECASE,
)
OTHER = re.compile(r"(?:an)?other\b|sonstige|ander[er]", re.IGNORECASE)
OF_ANOTHER = re.compile(r"[_ .\[(-]text\W*(?:\s|\Z)", re.IGNORECASE)  # the words that go with another column
GENERIC_STEMS = frozenset(
    {"q", "v", "f", "s", "c", "x", "a", "var", "col", "column", "question", "item", "frage"}
)


@dataclass(frozen=True, slots=True)
class Member:
    """A column as one of several: its facts, and the answer or item that its heading says it is of."""

    facts: Facts
    item: str

    @property
    def label(self) -> str:
        """The words of its item; its name where this is but a number or a letter."""
        plain = self.item.strip()
        return (
            plain if len(plain) > 1 and number_of(plain) is None else self.facts.about.item or self.facts.name
        )


def batteries(columns: Sequence[Facts]) -> Iterator[Guess]:
    """Find columns that belong together; each is in one guess at most."""
    finder = _Finder(columns)
    for k in range(len(columns)):
        yield from finder.from_column(k)


def _splits(facts: Facts) -> Iterator[Split]:
    if facts.about.stem:
        yield Split("rows", facts.about.group or facts.about.stem, facts.about.item)
        return
    if facts.about.text and facts.about.text != facts.name:
        yield from (replace(split, way=f"text {split.way}") for split in splits(facts.about.text))
    yield from splits(facts.name)


def _key(split: Split) -> tuple[str, str]:
    return split.way, split.stem.casefold()


class _Finder:
    """Goes over columns, and finds for each the longest battery that begins with it."""

    def __init__(self, columns: Sequence[Facts]) -> None:
        self.columns = columns
        self.ways = [{_key(split): split for split in reversed(list(_splits(facts)))} for facts in columns]
        self.texts = [
            frozenset(facts.texts) if len(facts.texts) <= MOST_MENTIONED else None for facts in columns
        ]
        self.taken: set[int] = set()
        self.by_stem: dict[tuple[str, str], list[int]] = {}
        for k, own in enumerate(self.ways):
            for key in own:
                self.by_stem.setdefault(key, []).append(k)

    def from_column(self, start: int) -> Iterator[Guess]:
        """Find the longest battery from a column on."""
        if start in self.taken or self.texts[start] is None:
            return
        found = [
            guess
            for split in reversed(self.ways[start].values())
            if (guess := self._run(start, split)) is not None
        ]
        found = found or list(_side_by_side(self.columns, start, self.taken))
        if found:
            best = max(found, key=lambda guess: (len(guess.columns) - _written_in(guess), not guess.doubts))
            inside = set(best.columns)
            self.taken |= {k for k, facts in enumerate(self.columns) if facts.name in inside}
            yield best

    def _run(self, start: int, split: Split) -> Guess | None:
        """Try the columns from one on whose headings share a stem and whose values are alike."""
        key = _key(split)
        run: list[Member] = []
        write_ins: list[Member] = []
        held: set[str] = set()
        last = start - 1
        for place in self.by_stem[key]:
            texts = self.texts[place]
            if start < place and place not in self.taken and _holds_own_words(self.columns[place], held):
                write_ins.append(Member(self.columns[place], self.ways[place][key].item))
                last = place if last == place - 1 else last
                continue
            fits = place not in self.taken and texts is not None and _alike(held, texts)
            if place < start or (not fits and not split.near):
                continue
            if not fits or (split.near and place != last + 1):
                break
            item = self.ways[place][key].item
            if split.way.endswith("lettered") and item.casefold() != chr(ord("a") + len(run)):
                break
            run.append(Member(self.columns[place], item))
            held |= texts or frozenset()
            last = place
        stem = split.stem.rstrip("_. ")
        bare = split.way.endswith("numbered") and stem.casefold() in GENERIC_STEMS and split.stem == stem
        same = list(takewhile(lambda member: member.facts.texts == run[0].facts.texts, run))
        for members in (run, run[:-1], same):
            guess = _battery(stem, members, bare=bare) if len(members) > 1 else None
            if guess is not None:
                return self._with_write_ins(guess, write_ins)
        return None

    def _with_write_ins(self, guess: Guess, write_ins: Sequence[Member]) -> Guess:
        """Add columns of people's own words to ticks, where none of these is their tick."""
        if guess.role != "ticks" or any(OTHER.match(label) for _, label in guess.answers):
            return guess
        there = tuple(label.casefold() for _, label in guess.answers)
        own = [member for member in write_ins if not member.label.casefold().startswith(there)]
        if not own:
            return guess
        answers = {
            **dict(zip(guess.columns, guess.answers, strict=True)),
            **{member.facts.name: ("", member.label) for member in own},
        }
        columns = [facts.name for facts in self.columns if facts.name in answers]
        return replace(
            guess,
            columns=tuple(columns),
            answers=tuple(
                (answers[name][0] or str(k), answers[name][1]) for k, name in enumerate(columns, 1)
            ),
            details={**guess.details, "write ins": [member.facts.name for member in own]},
            reason=guess.reason + ", and own words where they were asked for",
        )


def _written_in(guess: Guess) -> int:
    """Count the columns of a guess that hold people's own words."""
    return len(guess.details.get("write ins", ()))


def _holds_own_words(facts: Facts, labels: set[str]) -> bool:
    """Return whether a heading asks for own words, not for the text of another column, and people wrote some.

    Words that stand among the `labels` of the columns before it are nobody's own.
    """
    heading = f"{facts.name} {facts.heading}"
    return (
        len(facts.texts) > 1
        and labels.isdisjoint(facts.texts)
        and not facts.all_numbers
        and WRITTEN_IN.search(heading) is not None
        and OF_ANOTHER.search(heading) is None
    )


def _alike(held: set[str], texts: frozenset[str]) -> bool:
    """Return whether the values of a column may be those of a battery so far: mostly the same, or but a word or two."""
    if not held or not texts:
        return True
    if 2 * len(held & texts) >= min(len(held), len(texts)):
        return True
    return len(texts) <= 2 and any(number_of(text) is None for text in texts)


def _battery(stem: str, members: Sequence[Member], *, bare: bool) -> Guess | None:
    filled = [member for member in members if member.facts.texts]
    if _texts_differ(members):
        return None
    if len(filled) < 2 or (not members[0].facts.texts and len(filled) < 3):
        return None
    hows: tuple[Callable[[str, Sequence[Member]], Guess | None], ...] = (
        _own_words,
        _ticks,
        _ranking,
        _mentions,
        _grid,
    )
    for how in hows:
        guess = how(stem, members)
        if guess is not None and not (
            bare and (how in (_ranking, _grid) or guess.details.get("unticked") == ["2"])
        ):
            if bare and guess.details.get("unticked"):
                own = f"are {_span(members)} questions of their own? then write each as a single question"
                guess = doubted(guess, own)
            return _named(guess, stem, members)
    return None


def _texts_differ(members: Sequence[Member]) -> bool:
    """Return whether columns have texts beside their names, and these share nothing."""
    texts = [member.facts.about.text for member in members]
    if not all(texts) or any(text == member.facts.name for text, member in zip(texts, members, strict=True)):
        return False
    if any(member.facts.about.stem for member in members):
        return False
    stems = [{split.stem.casefold() for split in splits(text)} | {text.casefold()} for text in texts]
    return not set.intersection(*stems)


def _named(guess: Guess, stem: str, members: Sequence[Member]) -> Guess:
    first = members[0].facts
    text = first.about.stem or (stem if " " in stem else "")
    if not text and first.about.text and first.about.text != first.name:
        text = next((one.stem for one in splits(first.about.text) if " " in one.stem), "")
    details = {"text": text_of(text)} if text else {}
    return replace(guess, name=_shared_stem(members) or guess.name, details={**details, **guess.details})


def _shared_stem(members: Sequence[Member]) -> str:
    """Return the stem that the short names of columns share; "" for none."""
    if any(
        member.facts.about.stem or member.facts.about.text in ("", member.facts.name) for member in members
    ):
        return ""
    ways = [{(one.way, one.stem) for one in splits(member.facts.name)} for member in members]
    shared = set.intersection(*ways)
    return max((stem.rstrip("_. ") for _, stem in shared), key=len, default="")


# --- ticks ----------------------------------------------------------------------------------------------


def _own_words(stem: str, members: Sequence[Member]) -> Guess | None:
    """Find columns that hold their own answer, or nothing, or the same with a "not"."""
    labels: list[str] = []
    no: list[str] = []
    if any(map(_is_written_in, members)):
        return None
    for member in members:
        refused = [text for text in member.facts.texts if text.casefold() in NO_WORDS | {"0"}]
        texts = [text for text in member.facts.texts if text not in refused]
        negated = [text for text in texts if _negates(text, (*texts, member.item))]
        texts = [text for text in texts if text not in negated]
        if len(texts) > 1 or (texts and number_of(texts[0]) is not None):
            return None
        labels.append(texts[0] if texts else "")
        no += [*refused, *negated]
    given = [label for label in labels if label]
    if len(given) < 2 or len(set(given)) < len(given) or {label.casefold() for label in given} & YES_WORDS:
        return None
    answers = [
        (_code(k, member), label or member.label)
        for k, (member, label) in enumerate(zip(members, labels, strict=True), 1)
    ]
    unticked = list(dict.fromkeys(no))
    return Guess(
        role="ticks", name=stem, columns=_columns(members), answers=tuple(answers),
        details={"unticked": unticked} if unticked else {},
        reason="one column per answer, each holding its answer's label or "
        + ("another word for no" if unticked else "nothing"),
    )  # fmt: skip


def _is_written_in(member: Member) -> bool:
    """Return whether people's own words stand below a heading that asks for them, and not the answer's label alone."""
    if len(member.facts.texts) == 1 and member.facts.texts[0].casefold() in member.label.casefold():
        return False
    return WRITTEN_IN.search(f"{member.facts.name} {member.facts.heading}") is not None


def _negates(text: str, answers: Sequence[str]) -> bool:
    """Return whether a text is one of some answers with a "not" before it."""
    found = NOT.match(text)
    return found is not None and found[1].strip().casefold() in {answer.casefold() for answer in answers}


def _ticks(stem: str, members: Sequence[Member]) -> Guess | None:
    """Find columns that hold the same two values, or one, which mean yes and no."""
    held = {text for member in members for text in member.facts.texts}
    reserved = sorted(filter(is_reserved, held - NO_WORDS), key=in_order)
    values = held.difference(reserved) or held
    yes, no = _by_labels(members, values) or _yes_and_no(values)
    if not yes or (values == {"1", "2"} and len(members) < 3):
        return None
    what = f"{', '.join(yes)} and {', '.join(no)}" if no else f"{', '.join(yes)} or nothing"
    guess = Guess(
        role="ticks", name=stem, columns=_columns(members),
        answers=tuple((_code(k, member), member.label) for k, member in enumerate(members, 1)),
        details={"ticked": yes, "unticked": no},
        reason=f"{_span(members)} hold only {what}; taken for ticks",
    )  # fmt: skip
    listed = ", ".join(reserved)
    unusual = (
        len(values) == 1 and not values <= {"1"} and not {text.casefold() for text in values} <= YES_WORDS
    )
    return doubted(
        guess,
        "1 is taken for yes, 2 for no" if values == {"1", "2"} else "",
        f"is {listed} no answer? then write missing: [{listed}]" if values < held else "",
        f"{yes[0]!r} is taken for yes" if unusual else "",
    )


def _by_labels(members: Sequence[Member], values: set[str]) -> tuple[list[str], list[str]] | None:
    """Read from the labels of codes which mean yes and no; None where they do not tell."""
    labels = {code: label for member in members for code, label in member.facts.about.labels.items()}
    said = {code: labels.get(code, code).casefold() for code in values}
    yes = sorted(code for code, label in said.items() if label in YES_WORDS)
    no = sorted(code for code, label in said.items() if label in NO_WORDS)
    return (yes, no) if yes and len(yes) + len(no) == len(values) else None


def _yes_and_no(values: set[str]) -> tuple[list[str], list[str]]:
    for fitting, yes, no in (({"0", "1"}, "1", "0"), ({"1"}, "1", ""), ({"1", "2"}, "1", "2")):
        if values == fitting:
            return [yes], [no] if no else []
    lowered = {text.casefold() for text in values}
    if lowered & YES_WORDS and lowered <= YES_WORDS | NO_WORDS | {"0"}:
        yes_words = sorted(text for text in values if text.casefold() in YES_WORDS)
        return yes_words, sorted(values - set(yes_words))
    (only, *more) = sorted(values)
    if not more and number_of(only) is None and only.casefold() not in NO_WORDS and len(only) <= 30:
        return [only], []
    return [], []


def _side_by_side(columns: Sequence[Facts], start: int, taken: set[int]) -> Iterator[Guess]:
    """Find three or more columns of 0 and 1 side by side whose headings share nothing."""
    run: list[Member] = []
    for k, facts in enumerate(columns[start:], start):
        if k in taken or set(facts.texts) != {"0", "1"} or _is_numbered(facts):
            break
        run.append(Member(facts, facts.heading))
    if len(run) >= 3:
        guess = _ticks(run[0].facts.name, run)
        if guess is not None:
            yield doubted(
                replace(guess, name=f"{run[0].facts.name} etc"),
                "columns of 0 and 1 side by side: one question, or several?",
            )


def _is_numbered(facts: Facts) -> bool:
    return any(split.way in ("numbered", "bracket") for split in splits(facts.name))


# --- mentions and grids ---------------------------------------------------------------------------------


def _ranking(stem: str, members: Sequence[Member]) -> Guess | None:
    """Find columns of which no row holds the same twice: answers in an order, or their ranks."""
    facts = [member.facts for member in members]
    layout = layout_of(facts, [member.item for member in members])
    if layout is None:
        return None
    once = f"{_span(members)} hold the same values, and a row none of them twice"
    if layout == "answers":
        return Guess(
            role="ranking", name=stem, columns=_columns(members),
            answers=tuple((_code(k, member), member.label) for k, member in enumerate(members, 1)),
            details={"of": "answers"}, reason=f"{once}; taken for the rank of each answer",
        )  # fmt: skip
    values = sorted({text for one in facts for text in one.texts}, key=in_order)
    labels = next((one.about.labels for one in facts if one.about.labels), {})
    guess = Guess(
        role="ranking", name=stem, columns=_columns(members),
        answers=tuple((value, labels.get(value, value)) for value in dict.fromkeys((*labels, *values))),
        details={"of": "ranks"}, reason=f"{once}; taken for the answer at each rank",
    )  # fmt: skip
    first = facts[0].name
    doubts = {
        "ranks": "is their order no ranking? then write kind: multi, and mentions instead of ranks",
        "either": f"does {first} hold the rank of an answer? then write columns: {{{first}: …}} instead of ranks",
    }
    return doubted(guess, doubts.get(layout, ""))


def _mentions(stem: str, members: Sequence[Member]) -> Guess | None:
    if any(len(member.item) > 2 and number_of(member.item) is None for member in members):
        return None
    facts = [member.facts for member in members if member.facts.texts]
    values = sorted({text for one in facts for text in one.texts}, key=in_order)
    if not less_and_less(facts) or not 3 <= len(values) <= MOST_MENTIONED:
        return None
    held = Counter(text for one in facts for text in one.texts)
    if any(2 * sum(held[text] > 1 for text in one.texts) < len(one.texts) for one in facts[1:]):
        return None  # other codes than those of the columns beside it
    if twice_in_a_row(codes_of(facts[:2])) > 0.1:  # rare among mentions
        return None
    labels = facts[0].about.labels
    return Guess(
        role="mentions", name=stem, columns=_columns(members),
        answers=tuple((value, labels.get(value, value)) for value in dict.fromkeys((*labels, *values))),
        reason=f"{_span(members)} hold the same codes and are ever less filled; "
        "taken for first, second … mention",
    )  # fmt: skip


def _grid(stem: str, members: Sequence[Member]) -> Guess | None:
    facts = [member.facts for member in members if member.facts.texts]
    values = sorted({text for one in facts for text in one.texts}, key=in_order)
    common = set(facts[0].texts).intersection(*(one.texts for one in facts))
    if not 3 <= len(values) <= FEW or len(common) < 0.6 * len(values) or len(facts) < len(members):
        return None
    listed = listed_answers(values, facts[0].about.labels, facts[0].about.missing)
    return Guess(
        role="grid", name=stem, columns=_columns(members), answers=listed.answers,
        details={"listed": listed, "items": tuple(member.label for member in members)},
        reason=f"{_span(members)} hold the same {len(values)} values; taken for a grid",
        doubts=listed.doubts(),
    )  # fmt: skip


def _span(members: Sequence[Member]) -> str:
    first, last = members[0].facts.name, members[-1].facts.name
    short = max(len(first), len(last)) <= LONGEST_SHOWN
    return f"columns {first} to {last}" if short else f"{len(members)} columns side by side"


def _columns(members: Sequence[Member]) -> tuple[str, ...]:
    return tuple(member.facts.name for member in members)


def _code(place: int, member: Member) -> str:
    found = re.search(r"(\d+)\Z", member.item) or re.search(r"(\d+)\Z", member.facts.name)
    return found[1] if found else str(place)
