"""Write the first codebook and plan of a file of responses."""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import field, replace
from functools import cached_property
from pathlib import Path
from typing import Any

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.label_words import says_no_answer, surely_no_answer
from eager_otter.codebook.model import Codebook
from eager_otter.codebook.reading import read_codebook
from eager_otter.data.columns import Located
from eager_otter.data.csv_file import CsvFile
from eager_otter.data.ddi import FixedWidthFile
from eager_otter.data.described import Described
from eager_otter.data.files import ColumnsOf, DataFile, FileWithLists, with_answers
from eager_otter.data.lists import BY
from eager_otter.data.opening import Reading, open_data
from eager_otter.data.sheet_file import SheetFile, largest_sheet
from eager_otter.data.triple_s import TripleSFile
from eager_otter.data.triple_s_definition import Value, Variable
from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.drafting.answers import Listed
from eager_otter.drafting.dictionary import read_dictionary
from eager_otter.drafting.differences import Differences, differences
from eager_otter.drafting.facts import Facts, Guess, facts_of
from eager_otter.drafting.guess import guesses
from eager_otter.drafting.markup import without_markup
from eager_otter.drafting.waves import DraftedWaves, FileOfWaves, in_order_of_time, labels_of
from eager_otter.drafting.writing import codebook_text, file_entry, plan_text, plan_text_of_waves, wave_lines
from eager_otter.drafting.yaml_text import inside
from eager_otter.errors import RequestError, name_of
from eager_otter.gates.machine import processors
from eager_otter.gates.reading import relative, resolved
from eager_otter.gates.storage import data_stamp
from eager_otter.gates.viewed import Viewed
from eager_otter.gates.writing import check_new, new_folder, write_bytes, write_text, written_beside
from eager_otter.looks.words import counted, first_of

FRAME_FILE = "responses.parquet"  # where the responses of a frame are written
CELLS = 20_000_000  # that are read at a time
MOST_SHEETS = 5  # that are named
MOST_FILES = 6  # that are named
PIECE = 400  # columns of a long file that are looked at in one reading
SHORT_FILE = 256 << 20  # bytes of a file that is read at once


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft(Viewed):
    """A first codebook and plan, as text, and the guesses behind them.

    `codebook` and `plan` are YAML texts, `guesses` say what each column is taken for; `told` says which sheet and how a
    dictionary was read; `frame` holds the responses where they were a frame.
    """

    codebook: str
    plan: str
    guesses: tuple[Guess, ...]
    told: tuple[str, ...] = ()
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

    @checked
    def differences(self, codebook: str | Path | Codebook) -> Differences:
        """Compare the data with a `codebook` (or the path of one) that was edited: what is new, gone or changed.

        Raises FileProblem, DocumentError.
        """
        return differences(
            self.guesses, codebook if isinstance(codebook, Codebook) else read_codebook(codebook)
        )

    def __repr__(self) -> str:
        return f"<Draft: {counted(len(self.guesses), 'guess', 'guesses')}>"


@checked
def draft(
    data: Any,
    reading: Reading | None = None,
    *,
    codebook_name: str = "codebook.yaml",
    folder: str | Path | None = None,
    dictionary: str | Path | None = None,
) -> Draft:
    """Guess what responses hold: a file of them, or a frame. Each guess says why in a comment of the codebook.

    A list of files is drafted as waves of one survey: with the plan that reads them, and what each of them lacks.

    `data` and `reading` are as for `open_survey`; the plan names its codebook as `codebook_name`. The plan is in
    `folder` (None: that of the file) and names the file from there; for a frame it names responses.parquet, which
    `Draft.save` writes. A `dictionary` brings texts, labels and missing codes: a sheet or CSV with a row per variable,
    or per variable and answer; a DDI codebook (.xml); a data package or CSVW metadata (.json). Raises FileProblem,
    DataError, RequestError.

    Example: `codebook_from_text(draft(frame).codebook)`.
    """
    known = None if dictionary is None else Path(dictionary)
    into = None if folder is None else Path(folder)
    if isinstance(data, list | tuple):
        return _draft_of_waves(data, reading, codebook_name, into, known)
    looked = look_at(data, reading, known)
    file, guessed = looked.file, looked.guesses
    path = Path(data) if isinstance(data, str | Path) else Path(FRAME_FILE)
    title, origin = Path(name_of(path)).stem, "guessed from the data"
    if isinstance(file, TripleSFile):
        title, origin = file.definition.title or title, "as its definition has it"
    elif looked.origins:
        origin = f"with labels from {', '.join(looked.origins)}"
    place = _place(path, path.parent if into is None or not isinstance(data, str | Path) else into)
    return Draft(
        codebook=codebook_text(name_of(path), title, origin, guessed),
        plan=plan_text(place, guessed, codebook_name, looked.reading),
        guesses=guessed,
        told=looked.told,
        frame=None if isinstance(data, str | Path) else file.read(file.names),
    )


def _place(path: Path, folder: Path) -> str:
    """Name a file as seen from a folder."""
    return relative(path, folder) if path.parent == folder else relative(resolved(path), resolved(folder))


def _draft_of_waves(
    data: Sequence[Any],
    reading: Reading | None,
    codebook_name: str,
    into: Path | None,
    dictionary: Path | None,
) -> Draft:
    """Draft several files as one survey, of which they are waves."""
    paths = [Path(one) for one in data if isinstance(one, str | Path)]
    if len(paths) < len(data) or len(set(paths)) < len(paths) or len(paths) < 2:
        raise RequestError(
            "Waves are drafted from two files or more, each named once; a frame is drafted by itself."
        )
    looked = [look_at(path, reading, dictionary) for path in paths]
    if any(isinstance(one.file, TripleSFile) for one in looked):
        raise RequestError(
            "Files with a triple-s definition are drafted one by one; the definition is the draft."
        )
    stems = [Path(one.name).stem for one in looked]
    if len(set(stems)) < len(stems):
        stems = [f"{path.parent.name} {stem}" for path, stem in zip(paths, stems, strict=True)]
    labels = labels_of(stems)
    order = in_order_of_time(labels) or range(len(labels))
    waves = DraftedWaves(
        files=tuple(
            FileOfWaves(
                label=labels[k], name=looked[k].name, facts=looked[k].facts, guesses=looked[k].guesses
            )
            for k in order
        )
    )
    folder = paths[0].parent if into is None else into
    entries = []
    told = [f"{one.name}: {line}" for one in looked for line in one.told]
    for k, file in zip(order, waves.files, strict=True):
        entry = {**file_entry(_place(paths[k], folder), looked[k].reading), "label": inside(file.label)}
        asked = []
        for own, other in waves.renamed(file):
            told.append(f"{file.name}: {own} may be what {other} is in other files; see the plan.")
            asked.append(
                f"is {own} here what {other} is elsewhere? then write columns: {{{own}: {other}}} under changes, and "
                f"take {own} out of the codebook and both out of 'not asked'"
            )
        entries.append(wave_lines(entry, waves.changes(file), asked))
    if list(order) != list(range(len(labels))):
        told.append(
            f"The files stand in the order of time: {first_of([file.label for file in waves.files], MOST_FILES)}."
        )
    names = first_of([file.name for file in waves.files], MOST_FILES)
    return Draft(
        codebook=codebook_text(names, "Waves", "guessed from the data", waves.guesses),
        plan=plan_text_of_waves(waves.question, entries, waves.guesses, codebook_name),
        guesses=waves.guesses,
        told=tuple(told),
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


@dataclass(frozen=True, kw_only=True, eq=False)
class Looked:
    """Data that are looked at column by column, and what each is taken for.

    `file` is read as `reading` says, which may have been found out; `opened` is as it was opened first. `about` is what
    is known of columns beside their values, `told` says which sheet and how a dictionary was read.
    """

    name: str
    file: DataFile
    opened: DataFile
    reading: Reading | None
    about: Mapping[str, Described]
    told: tuple[str, ...]

    @cached_property
    def facts(self) -> tuple[Facts, ...]:
        """What is in each column."""
        return tuple(_facts(self.file, self.about))

    @cached_property
    def guesses(self) -> tuple[Guess, ...]:
        """What each column is taken for: as a definition has it, else by what is in it."""
        if isinstance(self.file, TripleSFile):
            return tuple(_from_definition(self.file))
        return tuple(guesses(self.facts))

    @property
    def origins(self) -> tuple[str, ...]:
        """The names of the files that labels came from."""
        return tuple(dict.fromkeys(one.origin for one in self.about.values() if one.origin))

    def row_name(self, row: int) -> str:
        """Name a row (from 0) by its number from 1 and, where there is one, its id."""
        column = next((guess.columns[0] for guess in self.guesses if guess.role == "respondent"), None)
        if column is None:
            return f"row {row + 1}"
        texts, index = next(facts.index for facts in self.facts if facts.name == column)
        return f"row {row + 1} ({column} {texts[int(index[row])]})"


def look_at(data: Any, reading: Reading | None = None, dictionary: Path | None = None) -> Looked:
    """Look at all columns of data, with what a dictionary says of them. Raises as `draft` does."""
    first = open_data(data, reading)
    first, reading, sheet = _of_largest_sheet(data, first, reading)
    file, reading = _with_headings(data, first, reading)
    file = with_answers(file)
    if isinstance(file, CsvFile | SheetFile) and file.headings.are_answers:
        remark = file.headings.respondent()
        sheet = (*sheet, f"{remark.said()} {remark.remedy}")
    left_out = file.left_out if isinstance(file, ColumnsOf) else ()
    unread = (
        (f"Left out, as they hold neither numbers nor texts: {', '.join(left_out)}.",) if left_out else ()
    )
    if isinstance(file, TripleSFile) and dictionary is not None:
        raise RequestError("A triple-s definition is its own dictionary; leave the other out.")
    known = None if dictionary is None else read_dictionary(dictionary, file.names)
    described = {**_described(file), **({} if known is None else known.columns)}
    for name in file.lists() if isinstance(file, FileWithLists) else ():
        described[name] = replace(described.get(name, Described()), joined_by=BY)
    return Looked(
        name=name_of(Path(data)) if isinstance(data, str | Path) else "frame",
        file=file,
        opened=first,
        reading=reading,
        about={name: without_markup(about) for name, about in described.items()},
        told=(*sheet, *unread, *(() if known is None else (f"Dictionary: {line}" for line in known.told))),
    )


def _of_largest_sheet(
    data: Any, file: DataFile, reading: Reading | None
) -> tuple[DataFile, Reading | None, tuple[str, ...]]:
    """Read another sheet of a workbook of which none was named, if it is larger than the first; say which was read."""
    if not (isinstance(file, SheetFile) and file.others):
        return file, reading, ()
    chosen = largest_sheet(file.path, (file.sheet, *file.others))
    reading = replace(reading or Reading(), sheet=chosen)
    others = first_of([name for name in (file.sheet, *file.others) if name != chosen], MOST_SHEETS)
    told = f"Sheet {chosen} is read, the largest; the others are {others}. Name another with --sheet."
    return open_data(data, reading), reading, (told,)


def _with_headings(data: Any, file: DataFile, reading: Reading | None) -> tuple[DataFile, Reading | None]:
    """Read data again, where their first rows look like more rows of headings, or like a title above them."""
    if isinstance(file, CsvFile | SheetFile) and file.headings.from_row:
        reading = replace(reading or Reading(), headings_from_row=file.headings.from_row)
        file = open_data(data, reading)
    if isinstance(file, CsvFile | SheetFile) and file.headings.more:
        count: Any = file.headings.count + file.headings.more
        reading = replace(reading or Reading(), heading_rows=count)
        return open_data(data, reading), reading
    return file, reading


def _described(file: DataFile) -> dict[str, Described]:
    """Return what several rows of headings say of each column."""
    if isinstance(file, FixedWidthFile) or (isinstance(file, CsvFile) and file.described):
        return {name: about for name, about in file.described.items() if name in file.names}
    if not isinstance(file, CsvFile | SheetFile):
        return {}
    rows = file.headings.rows
    columns = Counter(first for first, _ in rows.values())
    alone = Counter(second for first, second in rows.values() if columns[first] == 1)
    about = {}
    for name, (first, second) in rows.items():
        if name == first:
            about[name] = Described(text=second or first)
        elif columns[first] == 1 and alone[second] > 1:  # a word such as "Response" below many questions
            about[name] = Described(text=first, stem=first)
        elif alone[second] > 1:  # the same word, beside what was written in
            about[name] = Described(text=first)
        else:
            about[name] = Described(text=name, stem=first, item=second)
    return about


def _facts(file: DataFile, about: Mapping[str, Described]) -> list[Facts]:
    facts: list[Facts] = []
    left = [name for name in file.names if name]
    size = len(left) if sum(data_stamp(path)[0] for path in file.paths) <= SHORT_FILE else PIECE
    while left:
        names, left = left[:size], left[size:]
        table = file.read(names)
        columns = [Located(table.column(name), 0, file.decimal) for name in names]
        with ThreadPoolExecutor(processors()) as threads:
            facts += threads.map(facts_of, names, columns, map(about.get, names))
        size = max(PIECE, CELLS // max(table.num_rows, 1))
    return facts


# --- a definition that came along -----------------------------------------------------------------------


def _from_definition(file: TripleSFile) -> Iterator[Guess]:
    reason = f"as {name_of(file.definition.path)} defines it"
    for variable in file.definition.variables:
        yield _defined(variable, reason)


def _defined(variable: Variable, reason: str) -> Guess:
    answers = tuple((value.code, value.label) for value in variable.values if variable.type != "quantity")
    doubts = tuple(
        f"{value.code} is {value.label!r}: no answer? then write missing: [{value.code}]"
        for value in variable.values
        if variable.type == "quantity" and not says_no_answer(value.label) and not _same_number(value)
    )
    scores = {value.code: value.score for value in variable.values if value.score is not None}
    labels = [value.label for value in variable.values]
    unlikely = tuple(value.code for value in variable.values if says_no_answer(value.label, labels))
    missing = tuple(value.code for value in variable.values if surely_no_answer(value.label))
    if variable.type == "quantity":
        missing = unlikely  # what looks like no answer is no amount
    listed = Listed(
        answers=answers,
        missing=missing,
        maybe_missing=tuple(code for code in unlikely if code not in missing),
    )
    scored = len([value for value in variable.values if value.code not in unlikely])
    details: dict[str, object] = {
        "text": variable.label,
        "scores": scores,
        "missing": missing,
        "listed": listed,
    }
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
        doubts=(*doubts, *listed.doubts()),
    )


def _same_number(value: Value) -> bool:
    """Return whether a value of a quantity is labelled as the number that it is."""
    return canonical(value.label) == value.code
