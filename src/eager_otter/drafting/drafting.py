"""Write the first codebook and plan of a file of responses."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from eager_otter.codebook.label_words import says_no_answer
from eager_otter.data.columns import Located
from eager_otter.data.files import DataFile
from eager_otter.data.opening import Reading, open_data
from eager_otter.data.triple_s import TripleSFile
from eager_otter.data.triple_s_definition import Variable
from eager_otter.documents.settled import checked
from eager_otter.drafting.guess import Facts, Guess, facts_of, guesses
from eager_otter.drafting.yaml_text import comment, inside, listed, mapped, scalar
from eager_otter.gates.reading import relative, resolved
from eager_otter.gates.viewed import Viewed
from eager_otter.gates.writing import check_new, new_folder, write_bytes, write_text, written_beside
from eager_otter.looks.words import counted

FRAME_FILE = "responses.parquet"  # where the responses of a frame are written
BANNER_ANSWERS = (2, 7)
BANNER_GROUPS = 3
CELLS = 20_000_000  # that are read at a time
PIECE = 400  # columns looked at in one reading of the file


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft(Viewed):
    """A first codebook and plan, as text, and the guesses behind them.

    `codebook` and `plan` are YAML texts, `guesses` say what each column is taken for; `frame` holds the responses where
    they were a frame.
    """

    codebook: str
    plan: str
    guesses: tuple[Guess, ...]
    frame: Any = field(default=None, repr=False)

    @checked
    def save(
        self, folder: str | Path, *, codebook: str = "codebook.yaml", plan: str = "plan.yaml"
    ) -> list[Path]:
        """Write codebook and plan into a folder, and a frame's responses beside them; nothing there is overwritten.

        Returns the paths written. Raises FileProblem.

        `folder` is made where it is not there; `codebook` and `plan` are the names of the files.
        """
        return write_draft(self, Path(folder), codebook, plan)

    def __repr__(self) -> str:
        return f"<Draft: {counted(len(self.guesses), 'guess', 'guesses')}>"


@checked
def draft(
    data: Any,
    reading: Reading | None = None,
    *,
    codebook_name: str = "codebook.yaml",
    folder: str | Path | None = None,
) -> Draft:
    """Guess what responses hold: a file of them, or a frame. Each guess says why in a comment of the codebook.

    `data` and `reading` are as for `open_survey`; the plan names its codebook as `codebook_name`. The plan is in
    `folder` (None: that of the file) and names the file from there; for a frame it names responses.parquet, which
    `Draft.save` writes. Raises FileProblem, DataError, RequestError.

    Example: `codebook_from_text(draft(frame).codebook)`.
    """
    file = open_data(data, reading)
    path = Path(data) if isinstance(data, str | Path) else Path(FRAME_FILE)
    into = None if folder is None or not isinstance(data, str | Path) else Path(folder)
    title, origin = path.stem, "guessed from the data"
    if isinstance(file, TripleSFile):
        title, origin = file.definition.title or title, "as its definition has it"
        guessed = list(_from_definition(file))
    else:
        guessed = _guessed(file)
    head = f"A first codebook for {path.name}, {origin}. Correct it; each question says why it is so."
    return Draft(
        codebook="\n".join([comment(head), f"title: {scalar(title)}", *_codebook_lines(guessed)]) + "\n",
        plan="\n".join(_plan_lines(path, guessed, codebook_name, reading, into)) + "\n",
        guesses=tuple(guessed),
        frame=None if isinstance(data, str | Path) else file.read(file.names),
    )


def write_draft(
    drafted: Draft, folder: Path, codebook: str = "codebook.yaml", plan: str = "plan.yaml"
) -> list[Path]:
    """Write codebook and plan into a folder; nothing there is overwritten. Raises FileProblem."""
    texts = {folder / codebook: drafted.codebook, folder / plan: drafted.plan}
    places = [*texts, *([] if drafted.frame is None else [folder / FRAME_FILE])]
    check_new(places)
    with new_folder(folder), written_beside(places, force=False) as parts:
        for part, text in zip(parts, texts.values(), strict=False):
            write_text(part, text)
        if drafted.frame is not None:
            from pyarrow import parquet

            buffer = io.BytesIO()
            parquet.write_table(drafted.frame, buffer)
            write_bytes(parts[-1], buffer.getvalue())
    return places


def _guessed(file: DataFile) -> list[Guess]:
    facts: list[Facts] = []
    left = [name for name in file.names if name]
    size = PIECE
    while left:
        names, left = left[:size], left[size:]
        table = file.read(names)
        facts += [facts_of(name, Located(table.column(name), 0, file.decimal)) for name in names]
        size = max(
            PIECE, CELLS // max(table.num_rows, 1)
        )  # of short files all at once, as each time it is read whole
    return guesses(facts)


# --- a definition that came along -----------------------------------------------------------------------


def _from_definition(file: TripleSFile) -> Iterator[Guess]:
    reason = f"as {file.definition.path.name} defines it"
    for variable in file.definition.variables:
        yield _defined(variable, reason)


def _defined(variable: Variable, reason: str) -> Guess:
    answers = tuple((value.code, value.label) for value in variable.values)
    scores = {value.code: value.score for value in variable.values if value.score is not None}
    missing = tuple(value.code for value in variable.values if says_no_answer(value.label))
    scored = len([value for value in variable.values if value.code not in missing])
    details: dict[str, object] = {"text": variable.label, "scores": scores, "missing": missing}
    details["scale"] = variable.type == "single" and 2 < scored <= len(scores)
    if variable.filter:
        details["asked by"] = variable.filter
    roles = {"quantity": "number", "character": "text", "time": "text", "date": "date"}
    role = {"serial": "respondent", "weight": "weight"}.get(variable.use) or roles.get(
        variable.type, "single"
    )
    if variable.type == "multiple":
        role = "mentions" if variable.subfields else "ticks"
    return Guess(
        role=role,  # type: ignore[arg-type]
        name=variable.name,
        columns=variable.columns,
        reason=reason,
        answers=answers,
        details=details,
    )


# --- the codebook ---------------------------------------------------------------------------------------


def _codebook_lines(guessed: Sequence[Guess]) -> Iterator[str]:
    for guess in guessed:
        if guess.role in ("respondent", "weight", "frequency"):
            yield f"{guess.role}: {scalar(guess.columns[0])}  {comment(guess.reason)}"
    yield from ("", "questions:")
    for guess in guessed:
        if guess.role not in ("respondent", "weight", "frequency", "empty"):
            yield ""
            yield f"  {comment(guess.reason)}"
            yield f"  {scalar(guess.name)}:"
            yield from (f"    {line}" for line in _question_lines(guess))
    empty = [guess.name for guess in guessed if guess.role == "empty"]
    if empty:
        yield from ("", f"  {comment('Left out, as nothing is in them: ' + ', '.join(empty))}")


def _question_lines(guess: Guess) -> Iterator[str]:
    yield f"text: {scalar(str(guess.details.get('text', guess.name)))}"
    kind = {"ticks": "multi", "mentions": "multi", "joined": "multi"}.get(guess.role, guess.role)
    yield f"kind: {kind}"
    match guess.role:
        case "single" | "number" | "text" | "date":
            if guess.columns[0] != guess.name:
                yield f"column: {scalar(guess.columns[0])}"
            if guess.details.get("format"):
                yield f"format: {scalar(str(guess.details['format']))}"
            if guess.role == "single":
                if guess.details.get("scale"):
                    yield f"scale: true  {comment('the answers have scores')}"
                yield from _answer_lines(guess)
        case "ticks":
            yield from _tick_lines(guess)
        case "mentions":
            yield f"mentions: {listed(guess.columns)}"
            yield from _answer_lines(guess)
        case "joined":
            yield f"joined: {mapped({'column': inside(guess.columns[0]), 'by': inside(guess.details['by'])})}"
            yield from _answer_lines(guess)
        case "grid":
            if guess.details.get("scale"):
                yield f"scale: true  {comment('whole numbers in a row; correct it where they have no order')}"
            yield "items:"
            for column in guess.columns:
                yield f"  {scalar(column)}: {mapped({'column': inside(column), 'label': inside(column)})}"
            yield from _answer_lines(guess)
    if guess.details.get("asked by"):
        yield comment(f"asked of those that {guess.details['asked by']} selects; write it as asked: …")


def _tick_lines(guess: Guess) -> Iterator[str]:
    yield "columns:"
    for column, (_, label) in zip(guess.columns, guess.answers, strict=True):
        yield f"  {scalar(column)}: {scalar(label)}"
    if guess.details.get("ticked"):
        yield f"ticked: {listed([str(guess.details['ticked'])])}"
    if guess.details.get("unticked"):
        yield f"unticked: {listed([str(guess.details['unticked'])])}"


def _answer_lines(guess: Guess) -> Iterator[str]:
    missing = set(guess.details.get("missing", ()))
    scale, scores = guess.details.get("scale"), guess.details.get("scores", {})
    yield "answers:"
    for code, label in guess.answers:
        if code in missing:
            entry = mapped({"label": inside(label), "missing": "true"})
            yield f"  {scalar(code)}: {entry}  {comment('looks like no answer')}"
        elif code in scores and not scale and format(scores[code], ".15g") != code:
            yield f"  {scalar(code)}: {scalar(label)}  {comment(f'score {scores[code]:.15g}, which a scale would use')}"
        elif code in scores and format(scores[code], ".15g") != code:
            yield f"  {scalar(code)}: {mapped({'label': inside(label), 'score': format(scores[code], '.15g')})}"
        else:
            yield f"  {scalar(code)}: {scalar(label)}"


# --- the plan -------------------------------------------------------------------------------------------


def _plan_lines(
    path: Path, guessed: Sequence[Guess], codebook: str, reading: Reading | None, folder: Path | None
) -> Iterator[str]:
    yield comment(
        f"A first plan for {path.name}: every question by a few that may make a banner. Correct it."
    )
    yield f"data: {_data_entry(path.name if folder is None else relative(resolved(path), resolved(folder)), reading)}"
    yield f"codebook: {scalar(codebook)}"
    low, high = BANNER_ANSWERS
    banner = [guess.name for guess in guessed if guess.role == "single" and low <= len(guess.answers) <= high]
    if banner:
        yield from ("", "banners:", f"  main: {listed(banner[:BANNER_GROUPS])}")
    yield from ("", "tests: {levels: [95]}", "bases: {mark below: 75, no test below: 30}")
    yield from ("", "tables:", "  - {each: all}", "", "outputs: [tables.xlsx, tables.csv]")


def _data_entry(name: str, reading: Reading | None) -> str:
    options = {
        key: getattr(reading, key)
        for key in ("sheet", "delimiter", "encoding", "decimal")
        if reading is not None and getattr(reading, key) is not None
    }
    if not options:
        return scalar(name)
    return mapped({"file": inside(name), **{key: inside(value) for key, value in options.items()}})
