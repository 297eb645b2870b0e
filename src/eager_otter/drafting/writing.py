"""Write a first codebook and plan from guesses; what has to be checked is marked with a word to search for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from eager_otter.codebook.label_words import says_none
from eager_otter.data.opening import Reading
from eager_otter.drafting.answers import Listed
from eager_otter.drafting.facts import Guess
from eager_otter.drafting.headings import own_name, short_name
from eager_otter.drafting.meaning import demographic_place
from eager_otter.drafting.yaml_text import comment, inside, listed, mapped, scalar
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import counted

BANNER_ANSWERS = (2, 7)
BANNER_GROUPS = 3
CHECK = "check:"
SPECIAL = ("respondent", "weight", "frequency")
NO_QUESTIONS = (*SPECIAL, "empty")


def codebook_text(file: str, title: str, origin: str, guessed: Sequence[Guess]) -> str:
    """Write the codebook of a `file`; `origin` says what it was made from."""
    doubts = sum(bool(guess.doubts) for guess in guessed)
    head = [f"A first codebook for {file}, {origin}. Correct it; each question says why it is so."]
    if doubts:
        head.append(f'{counted(doubts, "guess", "guesses")} to check: search for "{CHECK}".')
    lines = [*map(comment, head), f"title: {scalar(title)}", *_codebook_lines(guessed)]
    return "\n".join(lines) + "\n"


def _codebook_lines(guessed: Sequence[Guess]) -> Iterator[str]:
    for guess in guessed:
        if guess.role in SPECIAL:
            yield f"{guess.role}: {scalar(guess.columns[0])}  {comment(guess.reason)}"
            yield from (comment(f"{CHECK} {doubt}") for doubt in guess.doubts)
    yield from ("", "questions:")
    for guess in guessed:
        if guess.role not in NO_QUESTIONS:
            yield ""
            yield question_text(guess)
    empty = [guess.name for guess in guessed if guess.role == "empty"]
    if empty:
        yield from ("", f"  {comment('Left out, as nothing is in them: ' + ', '.join(empty))}")


def question_text(guess: Guess) -> str:
    """Write a question as it stands in a codebook, with what has to be checked and the reason above it."""
    lines = [
        *(comment(f"{CHECK} {doubt}") for doubt in guess.doubts),
        comment(guess.reason),
        f"{scalar(guess.name)}:",
        *(f"  {line}" for line in _question_lines(guess)),
    ]
    return "\n".join(f"  {line}" for line in lines)


def _question_lines(guess: Guess) -> Iterator[str]:
    if guess.details.get("section"):
        yield f"section: {scalar(str(guess.details['section']))}"
    yield f"text: {scalar(str(guess.details.get('text') or guess.name))}"
    kind = {"ticks": "multi", "mentions": "multi", "joined": "multi"}.get(guess.role, guess.role)
    yield f"kind: {kind}"
    match guess.role:
        case "single" | "number" | "text" | "date":
            if guess.columns[0] != guess.name:
                yield f"column: {scalar(guess.columns[0])}"
            if guess.details.get("format"):
                yield f"format: {scalar(str(guess.details['format']))}"
            if guess.role == "single":
                yield from _scale_lines(guess)
                yield from _answer_lines(guess)
            if guess.details.get("unit"):
                yield f"unit: {scalar(guess.details['unit'])}"
            if guess.details.get("decimal"):
                yield f"decimal: {scalar(guess.details['decimal'])}"
            if guess.details.get("thousands"):
                yield f"thousands: {scalar(guess.details['thousands'])}"
            if guess.role != "single" and guess.details.get("missing"):
                yield f"missing: {listed([_as_it_stands(str(code)) for code in guess.details['missing']])}"
        case "ticks":
            yield from _tick_lines(guess)
        case "ranking" if guess.details["of"] == "answers":
            yield from _tick_lines(guess)
        case "ranking":
            yield f"ranks: {listed(guess.columns)}"
            yield from _answer_lines(guess)
        case "mentions":
            yield f"mentions: {listed(guess.columns)}"
            yield from _answer_lines(guess)
        case "joined":
            yield f"joined: {mapped({'column': inside(guess.columns[0]), 'by': inside(guess.details['by'])})}"
            yield from _answer_lines(guess)
        case "grid":
            yield from _scale_lines(guess)
            yield "items:"
            for name, column, label in zip(
                item_names(guess), guess.columns, guess.details["items"], strict=True
            ):
                yield f"  {scalar(name)}: {mapped({'column': inside(column), 'label': inside(label)})}"
            yield from _answer_lines(guess)
    if guess.details.get("asked by"):
        yield comment(f"asked of those that {guess.details['asked by']} selects; write it as asked: …")


def item_names(guess: Guess) -> list[str]:
    """Name the items of a grid after their columns, or after their labels where those have but one name."""
    names = [short_name(column) for column in guess.columns]
    if len({name.casefold() for name in names}) < len(names):
        names = [short_name(label) for label in guess.details["items"]]
    taken: set[str] = set()
    return [own_name(name, taken) for name in names]


def _as_it_stands(code: str) -> str:
    """Write a missing code so that it is not read as a range or a comparison."""
    return code if number_of(code) is not None or code.isalpha() else f"= {code}"


def _scale_lines(guess: Guess) -> Iterator[str]:
    """Say that the answers are a scale: live where their words, or a definition, say so."""
    answers = guess.details.get("listed")
    if guess.details.get("scale"):
        yield f"scale: true  {comment('the answers have scores')}"
    elif isinstance(answers, Listed) and is_scale(guess):
        yield f"scale: true  {comment('the answers are steps; correct it where they are not')}"
    elif isinstance(answers, Listed) and answers.scale == "codes":
        yield comment(f"{CHECK} scale: true" if guess.role == "grid" else "scale: true")
    elif isinstance(answers, Listed) and answers.scale == "words":
        scores = "the scores below" if answers.scores else "a score to each answer"
        yield comment(f"steps in their order; for a mean write scale: true, and {scores}")


def is_scale(guess: Guess) -> bool:
    """Return whether a guess takes its answers for a scale with scores: codes in a row of a grid, or labelled steps."""
    answers = guess.details.get("listed")
    if not isinstance(answers, Listed) or not answers.scale or guess.role not in ("grid", "single"):
        return False
    if answers.scale == "codes":
        return guess.role == "grid" and not answers.maybe_missing and not answers.unscored
    return all(code.lstrip("-").isdecimal() for code, _ in answers.answers)


def _tick_lines(guess: Guess) -> Iterator[str]:
    yield "columns:"
    for column, (_, label) in zip(guess.columns, guess.answers, strict=True):
        if column in guess.details.get("write ins", ()):
            yield f"  {scalar(column)}: {_write_in(label)}"
            continue
        yield f"  {scalar(column)}: {_exclusive(label) if guess.role == 'ticks' else scalar(label)}"
    for key in ("ticked", "unticked"):
        values = guess.details.get(key)
        if values:
            yield f"{key}: {listed([values] if isinstance(values, str) else values)}"


def _answer_lines(guess: Guess) -> Iterator[str]:
    answers = guess.details.get("listed")
    known = answers if isinstance(answers, Listed) else Listed(answers=guess.answers)
    missing = {*known.missing, *guess.details.get("missing", ())}
    scale, scores = guess.details.get("scale"), {**dict(known.scores), **guess.details.get("scores", {})}
    yield "answers:"
    for code, label in guess.answers:
        if code == guess.details.get("write in"):
            yield f"  {scalar(code)}: {_write_in(label)}"
        elif code in missing:
            entry = mapped({"label": inside(label), "missing": "true"})
            yield f"  {scalar(code)}: {entry}  {comment('no answer')}"
        elif code in known.maybe_missing:
            entry = mapped({"label": inside(label), "missing": "true"})
            yield f"  {scalar(code)}: {scalar(label)}  {comment(f'{CHECK} {entry}')}"
        elif code in known.unscored and is_scale(guess):
            entry = mapped({"label": inside(label), "score": "none"})
            yield f"  {scalar(code)}: {entry}  {comment(f'{CHECK} in the base, without a score')}"
        elif code in known.unscored:
            entry = mapped({"label": inside(label), "score": "none"})
            yield f"  {scalar(code)}: {scalar(label)}  {comment(f'{CHECK} {entry}')}"
        elif code in scores and not scale and format(scores[code], ".15g") != code:
            yield f"  {scalar(code)}: {scalar(label)}  {comment(f'score {scores[code]:.15g}, which a scale would use')}"
        elif code in scores and format(scores[code], ".15g") != code:
            yield f"  {scalar(code)}: {mapped({'label': inside(label), 'score': format(scores[code], '.15g')})}"
        else:
            of_several = guess.role in ("mentions", "joined")
            yield f"  {scalar(code)}: {_exclusive(label) if of_several else scalar(label)}"


def _write_in(label: str) -> str:
    """Write the label of an answer that stands for people's own words."""
    return mapped({"label": inside(label), "write in": "true"})


def _exclusive(label: str) -> str:
    """Write the label of an answer among several, with what it says of the others."""
    if not says_none(label):
        return scalar(label)
    entry = mapped({"label": inside(label), "exclusive": "true"})
    return f"{entry}  {comment('an answer, but no mention')}"


# --- the plan -------------------------------------------------------------------------------------------


def plan_text(place: str, guessed: Sequence[Guess], codebook: str, reading: Reading | None) -> str:
    """Write the plan of the data at a `place`, as seen from its folder."""
    return _plan_text(place, [f"data: {_data_entry(place, reading)}"], guessed, codebook)


def plan_text_of_waves(
    question: str, files: Sequence[Sequence[str]], guessed: Sequence[Guess], codebook: str
) -> str:
    """Write the plan of several files, each as the lines of its entry; they make a `question`."""
    data = ["data:", f"  question: {question}", f"  label: {question.capitalize()}", "  files:"]
    data += [f"    {'  ' if k else '- '}{line}" for lines in files for k, line in enumerate(lines)]
    return _plan_text(counted(len(files), "file"), data, guessed, codebook, first=[question])


def _plan_text(
    place: str, data: Sequence[str], guessed: Sequence[Guess], codebook: str, first: Sequence[str] = ()
) -> str:
    lines = [
        comment(f"A first plan for {place}: every question by a few that may make a banner. Correct it."),
        *data,
        f"codebook: {scalar(codebook)}",
    ]
    banner = [*first, *banner_of(guessed)]
    if banner:
        lines += ["", "banners:", f"  main: {listed(banner)}"]
    lines += ["", "tests: {levels: [95]}", "bases: {mark below: 75, no test below: 30}", "", "tables:"]
    for name in banner:  # a question by itself tells nothing
        lines.append(f"  - {mapped({'question': inside(name), 'banner': 'none'})}")
    asked = [guess.name for guess in guessed if guess.role not in NO_QUESTIONS]
    if not banner or not set(asked) <= set(banner):  # all others, if there are any
        lines.append("  - {each: all}")
    lines += ["", "outputs: [tables.xlsx, tables.csv]"]
    return "\n".join(lines) + "\n"


def banner_of(guessed: Sequence[Guess]) -> list[str]:
    """Choose the questions of a first banner: those about the people themselves, else the first with few answers."""
    low, high = BANNER_ANSWERS
    fitting = [guess for guess in guessed if guess.role == "single" and low <= len(guess.answers) <= high]
    places = [
        (place, k, guess)
        for k, guess in enumerate(fitting)
        if (place := demographic_place(f"{guess.name} {guess.details.get('text', '')}")) is not None
    ]
    first_of = {place: guess for place, _, guess in sorted(places, key=lambda one: one[:2], reverse=True)}
    chosen = [first_of[place].name for place in sorted(first_of)]
    return (chosen or [guess.name for guess in fitting])[:BANNER_GROUPS]


def _data_entry(name: str, reading: Reading | None) -> str:
    """Write the entry of a file of data, with how it is read."""
    options = {} if reading is None else reading.given()
    return mapped(file_entry(name, reading)) if options else scalar(name)


def file_entry(name: str, reading: Reading | None) -> dict[str, str]:
    """Return what says which file of data is read, and how, in YAML."""
    options = {} if reading is None else reading.given()
    return {"file": inside(name), **{key: inside(str(value)) for key, value in options.items()}}


def wave_lines(
    entry: Mapping[str, str],
    changes: Mapping[str, Sequence[str] | Mapping[str, Sequence[str]]],
    asked: Sequence[str],
) -> list[str]:
    """Write the entry of one of several files, with what differs in it, and what is `asked` about that."""
    if not changes and not asked:
        return [mapped(entry)]
    lines = [f"{key}: {value}" for key, value in entry.items()]
    lines += [comment(f"{CHECK} {one}") for one in asked]
    if changes:
        lines.append("changes:")
    for key, said in changes.items():
        value = (
            mapped({name: listed(of) for name, of in said.items()})
            if isinstance(said, Mapping)
            else listed(said)
        )
        lines.append(f"  {key}: {value}")
    return lines
