"""Made-up exports of survey platforms, in many styles, each with the truth about its columns.

`python benchmarks/exports.py FOLDER --style letters --seed 3` writes a file and its truth; `python benchmarks/draft.py`
drafts codebooks of them all and scores these. Nothing here is shared with the code that drafts.
"""

from __future__ import annotations

import argparse
import csv
import json
import random
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, Literal

from openpyxl import Workbook

Role = Literal[
    "respondent", "weight", "single", "ticks", "mentions", "joined", "grid", "number", "date", "text", "any"
]
BRANDS = ["Tarn", "Birk", "Fjell", "Quillwater", "Brookfizz", "Lumen Spring", "Ostra", "Pebble & Co"]
REASONS = ["Taste", "Price", "The bottle", "Fewer calories", "Friends drink it", "Bubbles, many of them"]
SHOPS = ["Supermarket", "Corner shop", "Bar", "Station", "Online"]
REGIONS = ["North", "East", "South", "West", "Islands"]
GENDERS = ["Woman", "Man", "Another"]
AGREE = ["Strongly disagree", "Disagree", "Neither", "Agree", "Strongly agree"]
OFTEN = ["Never", "Rarely", "Sometimes", "Often", "Always"]
VERY = ["Not at all important", "Not very important", "Fairly important", "Very important"]
BANDS = ["<18", "18-24", "25-34", "35-54", "55-64", "65+"]
BANDS_TO = ["Under 18", "18 to 24", "25 to 34", "35 to 54", "55 to 64", "65 or over"]
ITEMS = [
    "It tastes fresh",
    "It suits a meal",
    "I would pay more for it",
    "My friends like it",
    "It is good value",
]
SATISFIED = ["Very dissatisfied", "Fairly dissatisfied", "Neither", "Fairly satisfied", "Very satisfied"]
YES_NO = ["Yes", "No"]
WAVES = ["Spring 2026", "Summer 2026"]
DEVICES = ["Desktop", "Tablet", "Handheld"]
SPOKEN = ["like the bubbles", "too dear", "nothing really", "cold and fresh", "my daughter buys it",
          "no idea, honestly", "the green bottle", "it is everywhere now", "less sugar than cola", "habit"]  # fmt: skip


@dataclass(frozen=True)
class Truth:
    """The truth about a column: what it is, which columns are one question with it, and what its values mean.

    `yes` are values that mean a tick, `order` the answers of a scale or of bands in their order, `missing` those that
    are surely no answer, `label` the text of the answer that the column is of.
    """

    role: Role
    group: str
    yes: tuple[str, ...] = ()
    order: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    label: str = ""
    also: tuple[Role, ...] = ()  # other roles that change no figure


@dataclass
class Column:
    """A column of an export: its heading, in one row or two, its values, and the truth about it."""

    heading: tuple[str, ...]
    values: list[str]
    truth: Truth


@dataclass(frozen=True)
class Asked:
    """A question that was asked: its number, short name, text, answers, and what everybody gave."""

    number: int
    name: str
    text: str
    kind: Literal[
        "single", "scale", "bands", "multi", "grid", "number", "text", "code", "yes", "date", "empty"
    ]
    answers: Sequence[str] = ()
    items: Sequence[str] = ()
    given: Sequence[Any] = ()
    dont_know: str = ""


@dataclass(frozen=True)
class Style:
    """How a platform writes its exports."""

    name: str
    single: Callable[[Asked], tuple[str, ...]]  # the heading of a column of its own
    part: Callable[[Asked, int, str], tuple[str, ...]]  # the heading of one column of several
    labels: bool = True  # whether cells hold labels, else codes
    multi: Literal["ticks", "mentions", "joined"] = "ticks"
    yes: str = "1"  # what a tick is; {} stands for the answer's label
    no: str = "0"
    by: str = ";"
    ending: Literal["csv", "xlsx"] = "csv"
    delimiter: str = ","
    decimal: str = "."
    blank: str = ""
    headings: int = 1
    id_name: str = "respondent_id"
    weight_name: str = "weight"
    thousands: bool = False
    extra: bool = True  # dates, durations, devices in front
    own_texts: bool = True


def _code(asked: Asked) -> tuple[str, ...]:
    return (asked.name,)


def _question(asked: Asked) -> tuple[str, ...]:
    return (f"Q{asked.number}. {asked.text}",)


def _plain_text(asked: Asked) -> tuple[str, ...]:
    return (asked.text,)


STYLES = (
    Style("numbers", _code, lambda a, k, t: (f"{a.name}_{k}",), labels=False, weight_name="wt", id_name="rid"),
    Style("letters", _code, lambda a, k, t: (f"{a.name}{'abcdefghijk'[k - 1]}",), labels=False,
          weight_name="wgt"),
    Style("square", _question, lambda a, k, t: (f"Q{a.number}. {a.text} [{t}]",), yes="Yes", no="No"),
    Style("dash", _plain_text, lambda a, k, t: (f"{a.text} - {t}",), yes="{}", no="", weight_name="Weight"),
    Style("colon", lambda a: (f"Q{a.number}: {a.text}",), lambda a, k, t: (f"Q{a.number}_{k}: {t}",), yes="1", no=""),
    Style("two rows", lambda a: (a.name, a.text), lambda a, k, t: (f"{a.name}_{k}", f"{a.text} - {t}"), headings=2,
          yes="{}", no="", weight_name="weight"),
    Style("not words", lambda a: (f"{a.name} {a.text}",), lambda a, k, t: (f"{a.name} {t}",), yes="{}", no="Not {}",
          ending="xlsx"),
    Style("joined", _plain_text, lambda a, k, t: (f"{a.text} [{t}]",), multi="joined", by=", "),
    Style("mention letters", _code, lambda a, k, t: (f"{a.name}{'abcdefghijk'[k - 1]}",), labels=False,
          multi="mentions", weight_name="wt_total"),
    Style("comma decimals", _question, lambda a, k, t: (f"Q{a.number}_{k} {t}",), delimiter=";", decimal=",", yes="x",
          no="", ending="csv"),
    Style("repeated", _plain_text, lambda a, k, t: (a.text,), yes="{}", no=""),
    Style("merged heads", lambda a: (f"{a.number}. {a.text}", "Response"),
          lambda a, k, t: (f"{a.number}. {a.text}" if k == 1 else "", t), headings=2, yes="{}", no="", ending="xlsx"),
    Style("for programs", lambda a: (a.name, a.text, f'{{"id": "{a.number}"}}'),
          lambda a, k, t: (f"{a.name}_{k}", f"{a.text} - {t}", f'{{"id": "{a.number}.{k}"}}'), headings=3,
          multi="joined", by=",", id_name="ResponseId"),
    # written before `draft` was touched, and not looked at while it was worked on
    Style("words behind", _code, lambda a, k, t: (f"{a.name}_{''.join(c for c in t.lower() if c.isalnum())}",),
          labels=False, yes="1", no="0", weight_name="weight_final"),
    Style("selected", lambda a: (f"{a.name}: {a.text}",), lambda a, k, t: (f"{t} | {a.text}",), yes="Selected",
          no="Not selected", ending="xlsx"),
    Style("true", _code, lambda a, k, t: (f"{a.name}.{k}",), yes="True", no="False", thousands=True),
)  # fmt: skip
HELD_OUT = ("words behind", "selected", "true")


def survey(draw: random.Random, people: int) -> list[Asked]:
    """Ask made-up people made-up questions."""

    def one(answers: Sequence[str], blank: float = 0.0) -> list[str]:
        weights = [draw.uniform(0.5, 2) for _ in answers]
        return ["" if draw.random() < blank else draw.choices(answers, weights)[0] for _ in range(people)]

    brands = draw.sample(BRANDS, draw.randint(4, 8))
    known = [draw.uniform(0.08, 0.8) for _ in brands]
    if draw.random() < 0.4:
        known[draw.randrange(1, len(known) - 1)] = 0.0  # one that nobody gave
    heard = [
        [b for b, share in zip(brands, known, strict=True) if draw.random() < share] for _ in range(people)
    ]
    reasons = draw.sample(REASONS, draw.randint(3, 6))
    why = [draw.sample(reasons, draw.choice([0, 1, 1, 2, 2, 3])) for _ in range(people)]
    items = draw.sample(ITEMS, draw.randint(2, 5))
    dont_know = draw.choice(["", "Don't know"])
    scale = [*AGREE, *([dont_know] if dont_know else [])]
    bands = draw.choice([BANDS, BANDS_TO])
    pool = [
        ("gender", "What is your gender?", "single", GENDERS, one(GENDERS)),
        ("age", "How old are you?", "number", (), [str(draw.randint(16, 84)) for _ in range(people)]),
        ("ageband", "Which age group are you in?", "bands", bands, one(bands)),
        ("region", "Where do you live?", "single", REGIONS, one(REGIONS, 0.03)),
        ("prefer", "Which brand of sparkling water do you like best?", "single", brands, one(brands, 0.1)),
        ("often", "How often do you drink sparkling water?", "scale", OFTEN, one(OFTEN, 0.05)),
        ("important", "How important is the taste to you?", "scale", VERY, one(VERY)),
        ("recommend", "How likely are you to recommend it, from 0 to 10?", "code", (),
         [str(min(10, max(0, round(draw.gauss(7, 2))))) for _ in range(people)]),
        ("glasses", "How many glasses did you drink last week?", "number", (),
         [str(round(draw.expovariate(0.05))) for _ in range(people)]),
        ("spend", "How much did you spend last month?", "number", (),
         ["" if draw.random() < 0.1 else f"{draw.expovariate(1 / 800):.2f}" for _ in range(people)]),
        ("body weight", "What is your weight in kilograms?", "number", (),
         [str(draw.randint(48, 110)) for _ in range(people)]),
        ("weight_kg", "What is your weight?", "number", (), [str(draw.randint(48, 110)) for _ in range(people)]),
        ("household", "How many people live in your household?", "code", (), one("123456")),
        ("own", "Do you own a soda maker?", "yes", YES_NO, one(YES_NO)),
        ("tap", "Do you drink tap water?", "yes", YES_NO, one(YES_NO, 0.05)),
        ("plan", "Do you plan to buy one?", "yes", YES_NO, one(YES_NO)),
        ("wave", "Wave", "single", WAVES, one(WAVES)),
        ("device", "Device", "single", DEVICES, one(DEVICES)),
        ("language", "Language", "single", ["EN"], ["EN"] * people),
        ("refill", "How satisfied are you with it?", "scale", SATISFIED, one(SATISFIED, 0.1)),
        ("when", "When did you last buy it?", "date", (), [f"{draw.randint(1, 28):02}.02.2026" for _ in range(people)]),
        ("litres", "How many litres did you buy?", "number", (),
         [draw.choices([f"{draw.uniform(0, 30):.1f}", "<0.5", "."], [0.96, 0.02, 0.02])[0] for _ in range(people)]),
        ("void", "Reserved", "empty", (), [""] * people),
        ("comment", "What do you like about it?", "text", (),
         ["" if draw.random() < 0.4 else f"{draw.choice(SPOKEN)} {draw.choice(SPOKEN)} {draw.randint(1, 999)}"
          for _ in range(people)]),
    ]  # fmt: skip
    kept = [entry for entry in pool if draw.random() < 0.7]
    draw.shuffle(kept)
    asked: list[Asked] = []
    for name, text, kind, answers, given in kept:
        asked.append(Asked(0, name, text, kind, answers, (), given))  # type: ignore[arg-type]
    asked.insert(
        draw.randint(0, len(asked)),
        Asked(0, "heard", "Which of these brands have you heard of?", "multi", brands, (), heard),
    )
    if draw.random() < 0.8:
        asked.insert(
            draw.randint(0, len(asked)),
            Asked(0, "why", "Why do you drink sparkling water?", "multi", reasons, (), why),
        )
    grid = [[draw.choices(scale, [2, 3, 3, 4, 2, 1][: len(scale)])[0] for _ in items] for _ in range(people)]
    asked.insert(
        draw.randint(0, len(asked)),
        Asked(0, "rate", "How much do you agree?", "grid", scale, items, grid, dont_know),
    )
    numbered = []
    for number, one_asked in enumerate(asked, 1):
        name = one_asked.name if " " not in one_asked.name else f"q{number}"
        numbered.append(
            Asked(number, name if draw.random() < 0.5 else f"q{number}", *list(vars(one_asked).values())[2:])
        )
    return numbered


def export(style: Style, seed: int) -> list[Column]:
    """Make up the columns of an export."""
    draw = random.Random(f"{style.name} {seed}")
    people = draw.randint(150, 400)
    columns: list[Column] = []

    def add(heading: tuple[str, ...], values: Sequence[str], truth: Truth) -> None:
        full = (*heading, *[""] * (style.headings - len(heading)))[: style.headings]
        columns.append(Column(full, list(values), truth))

    numbers = draw.sample(range(100_000, 999_999), people)
    add((style.id_name,), list(map(str, numbers)), Truth("respondent", "id"))
    if style.extra:
        start = datetime(2026, 3, 1, 8)
        when = [start + timedelta(minutes=draw.randint(0, 20_000)) for _ in range(people)]
        add(
            ("start",),
            [one.strftime("%Y-%m-%d %H:%M:%S") for one in when],
            Truth("date", "start", also=("text", "any")),
        )
        add(
            ("minutes",),
            [f"{draw.lognormvariate(2.3, 0.5):.1f}" for _ in range(people)],
            Truth("number", "minutes"),
        )
    for asked in survey(draw, people):
        _columns(style, asked, add)
    weights = [draw.lognormvariate(0, 0.3) for _ in range(people)]
    mean = sum(weights) / people
    if draw.random() < 0.8:
        add((style.weight_name,), [f"{w / mean:.4f}" for w in weights], Truth("weight", "weight"))
    for column in columns:
        if style.decimal == "," and column.truth.role in ("number", "weight"):
            column.values = [value.replace(".", ",") for value in column.values]
        if style.thousands and column.truth.role == "number":
            column.values = [
                f"{float(value):,.2f}" if value[:1].isdigit() and float(value) >= 1000 else value
                for value in column.values
            ]
    return columns


def _columns(
    style: Style, asked: Asked, add: Callable[[tuple[str, ...], Sequence[str], Truth], None]
) -> None:
    def cell(answer: str) -> str:
        if style.labels or not answer:
            return answer
        if answer == asked.dont_know:
            return "9"
        return str(list(asked.answers).index(answer) + 1)

    order = tuple(cell(answer) for answer in asked.answers if answer != asked.dont_know)
    name = f"{asked.number}"
    match asked.kind:
        case "yes":
            add(style.single(asked), [cell(v) for v in asked.given], Truth("single", name))
        case "date" | "empty":
            role: Role = "date" if asked.kind == "date" else "any"
            add(style.single(asked), asked.given, Truth(role, name))
        case "single" | "scale" | "bands":
            ordered = order if asked.kind != "single" else ()
            add(style.single(asked), [cell(v) for v in asked.given], Truth("single", name, order=ordered))
        case "number":
            add(style.single(asked), asked.given, Truth("number", name))
        case "code":
            scale = tuple(sorted(set(asked.given), key=int))
            add(style.single(asked), asked.given, Truth("single", name, order=scale, also=("number",)))
        case "text":
            add(style.single(asked), asked.given, Truth("text", name))
        case "grid":
            for k, item in enumerate(asked.items):
                values = [cell(row[k]) for row in asked.given]
                add(style.part(asked, k + 1, item), values, Truth("grid", name, order=order, label=item))
        case "multi" if style.multi == "ticks":
            for k, answer in enumerate(asked.answers, 1):
                yes, no = style.yes.replace("{}", answer), style.no.replace("{}", answer)
                values = [yes if answer in row else no for row in asked.given]
                truth = Truth("ticks", name, yes=(yes,) if yes in values else (), label=answer)
                add(style.part(asked, k, answer), values, truth)
        case "multi" if style.multi == "mentions":
            for k in range(max(map(len, asked.given))):
                values = [cell(row[k]) if k < len(row) else "" for row in asked.given]
                add(style.part(asked, k + 1, str(k + 1)), values, Truth("mentions", name))
        case "multi":
            values = [style.by.join(row) for row in asked.given]
            add(
                style.single(asked),
                values,
                Truth("joined", name, yes=tuple(sorted({one for row in asked.given for one in row}))),
            )


def write(style: Style, seed: int, folder: Path) -> tuple[Path, list[Truth]]:
    """Write an export and its truth into a folder: the path, and the truth about each column."""
    columns = export(style, seed)
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"export.{style.ending}"
    rows = [[column.heading[k] for column in columns] for k in range(style.headings)]
    rows += [list(row) for row in zip(*(column.values for column in columns), strict=True)]
    if style.ending == "csv":
        with path.open("w", encoding="utf-8", newline="") as file:
            csv.writer(file, delimiter=style.delimiter).writerows(rows)
    else:
        book = Workbook(write_only=True)
        sheet = book.create_sheet("Export")
        for row in rows:
            sheet.append([_typed(value) for value in row])
        book.save(path)
    truth = [column.truth for column in columns]
    (folder / "truth.json").write_text(json.dumps([asdict(one) for one in truth], indent=1), encoding="utf-8")
    return path, truth


def _typed(value: str) -> Any:
    try:
        return int(value)
    except ValueError:
        pass
    try:
        return float(value)
    except ValueError:
        return value or None


def main() -> None:
    """Write an export and its truth."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--style", choices=[style.name for style in STYLES], default=STYLES[0].name)
    parser.add_argument("--seed", type=int, default=0)
    options = parser.parse_args()
    style = next(style for style in STYLES if style.name == options.style)
    path, truth = write(style, options.seed, options.folder)
    print(f"{path}: {len(truth)} columns")


if __name__ == "__main__":
    main()
