"""A messy export of the demo, as it comes before anybody has described it: one of each slip that a look at the data finds.

`export_slips.csv` beside it lists every slip: its name, the column, the rows it touches and what was done.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from eager_otter.demo.generator import as_rows
from eager_otter.demo.spoiling import Columns, Slip, listed

PEOPLE = 1_200
STATEMENTS = tuple(f"st_{k}" for k in range(1, 9))
KEPT = ("rid", "day", "minutes", "region", "liking", "times", "spend", "likes_open", *STATEMENTS)
REGIONS = {"1": "North", "2": "East", "3": "South", "4": "West"}
PLACES = ("Supermarket", "Kiosk", "Shops, small ones", "Online")
HEADINGS = {
    "rid": "Number of the respondent",
    "day": "Day of the interview",
    "minutes": "Length of the interview in minutes",
    "region": "Which region do you live in?",
    "liking": "How much do you like it?",
    "times": "How many times did you drink sparkling water?",
    "spend": "How much did you spend?",
    "likes_open": "What do you like about it?",
    "bought": "Where did you buy it?",
    "batch": "Batch of the export",
    "hint": "Hint of the interviewer",
}


def messy_files(clean: Mapping[str, Sequence[str]]) -> dict[str, list[list[str]]]:
    """Make the export and the list of its slips: their rows by file name."""
    columns = {name: list(clean[name][:PEOPLE]) for name in KEPT}
    columns["region"] = [REGIONS[code] for code in columns["region"]]
    bought = [[PLACES[j] for j in range(4) if (k // 3 + j) % (j + 2) == 0] for k in range(PEOPLE)]
    columns["bought"] = [", ".join(places) for places in bought]
    columns["batch"], columns["hint"] = ["7"] * PEOPLE, [""] * PEOPLE
    slips = [
        _put(
            columns,
            "id that repeats",
            "rid",
            {899: columns["rid"][99]},
            "the id of row 100 again",
            also=(99,),
        ),
        _put(
            columns,
            "answers that differ in spelling",
            "region",
            {49: "north", 61: "EAST"},
            "small and large letters",
        ),
        _put(columns, "answer given once", "region", {333: "Wst"}, "a slip of the keys"),
        _put(columns, "code outside the scale", "liking", {70: "44", 71: "44"}, "44 instead of 4"),
        _put(columns, "numbers stored as text", "spend", {15: "<1", 200: "n.s."}, "a limit, and a word"),
        _put(
            columns, "number far out", "times", {500: "9999", 777: "9999"}, "a missing code nobody declared"
        ),
        _put(columns, "interview too fast", "minutes", {610: "1", 611: "2"}, "a minute or two"),
        _put(columns, "date outside the field period", "day", {1010: "2024-12-24"}, "a year too early"),
        _put(columns, "damaged characters", "likes_open", {340: "KÃ¶stlich"}, "UTF-8 read as Windows-1252"),
        _put(columns, "column almost empty", "hint", {3: "spoke softly", 900: "in a hurry"}, "two hints"),
        Slip("constant column", "batch", (), "7 in every row"),
    ]
    for row in (444, 555):
        for name in STATEMENTS:
            columns[name][row] = "3"
    slips.append(Slip("same answer down a grid", "st", (445, 556), "3 for all statements"))
    for name, values in columns.items():
        if name not in ("rid", "day", "minutes"):
            values[1_111] = values[222]
    slips.append(Slip("row that repeats", "data", (1_112,), "row 223 again, under another id"))
    rows = tuple(k + 1 for k, text in enumerate(columns["bought"]) if PLACES[2] in text)
    slips.append(
        Slip("ambiguous joined answers", "bought", rows, "an answer that holds the sign between answers")
    )
    slips.append(Slip("heading counted as a respondent", "data", (), "texts in a second row of headings"))
    slips.append(Slip("heading stands twice", "note (2)", (), "two columns called note"))
    headings = ([*columns, "note", "note"], [*map(_title, columns), "Note", "Note"])
    answers = [*columns.values(), _notes("a"), _notes("b")]
    export = [*headings, *map(list, zip(*answers, strict=True))]
    return {"export.csv": export, "export_slips.csv": as_rows(listed(slips))}


def _title(name: str) -> str:
    return HEADINGS.get(name, f"Statement {name.removeprefix('st_')}")


def _notes(letter: str) -> list[str]:
    return [f"{letter}{k % 7}" for k in range(PEOPLE)]


def _put(
    columns: Columns, slip: str, name: str, texts: Mapping[int, str], what: str, *, also: Sequence[int] = ()
) -> Slip:
    """Write texts into rows (from 0) of a column; `also` are rows that the slip touches as well."""
    for row, text in texts.items():
        columns[name][row] = text
    return Slip(slip, name, tuple(row + 1 for row in sorted((*texts, *also))), what)
