"""A small spoiled copy of the demo: one of each slip that people make with survey data.

`slips.csv` beside it lists every slip: what was done, where, and to whom.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from eager_otter.dataclass import dataclass

PER_WAVE = 120
MOST_CODES = 15

Columns = dict[str, list[str]]


@dataclass(frozen=True, slots=True)
class Slip:
    """One slip: a short name, the question it is in, the rows (from 1) it touches and what was done."""

    name: str
    question: str
    rows: tuple[int, ...]
    what: str


def spoiled_files(
    clean: Mapping[str, Sequence[str]], codebook: str, plan: str
) -> dict[str, str | Mapping[str, Sequence[str]]]:
    """Spoil a part of the demo: the texts or columns of its files."""
    columns = _part(clean)
    slips = [spoil(columns) for spoil in DATA_SLIPS]
    for old, new, slip in CODEBOOK_SLIPS:
        codebook = _replaced(codebook, old, new)
        slips += slip
    for old, new, slip in PLAN_SLIPS:
        plan = _replaced(plan, old, new)
        slips += slip
    return {
        "responses.csv": columns,
        "codebook.yaml": codebook,
        "plan.yaml": plan,
        "slips.csv": listed(slips),
    }


def listed(slips: Sequence[Slip]) -> Columns:
    """List slips: the columns of a table."""
    return {
        "slip": [slip.name for slip in slips],
        "question": [slip.question for slip in slips],
        "rows": [" ".join(str(row) for row in slip.rows) for slip in slips],
        "what": [slip.what for slip in slips],
    }


def _part(clean: Mapping[str, Sequence[str]]) -> Columns:
    """Take the first interviews of each wave, and a few more so that every answer is given by somebody."""
    second = clean["wave"].index("2")
    chosen = [*range(PER_WAVE), *range(second, second + PER_WAVE)]
    for values in clean.values():
        if len(set(values)) <= MOST_CODES:
            for code in sorted(set(values) - {values[k] for k in chosen}):
                chosen.append(next(k for k, value in enumerate(values) if value == code))
    return {name: [values[k] for k in sorted(set(chosen))] for name, values in clean.items()}


def _replaced(text: str, old: str, new: str) -> str:
    if text.count(old) != 1:
        raise ValueError(f"The demo file no longer holds {old!r} once; mend the list of slips.")
    return text.replace(old, new)


def _rows_where(columns: Columns, most: int, **wanted: str) -> list[int]:
    """Find the first complete interviews with some values."""
    rows = [
        k
        for k, status in enumerate(columns["status"])
        if status == "1" and all(columns[name][k] == value for name, value in wanted.items())
    ]
    if len(rows) < most:
        raise ValueError(f"The demo has fewer than {most} interviews with {wanted}; mend the list of slips.")
    return rows[:most]


def _set(columns: Columns, rows: Sequence[int], **values: str) -> tuple[int, ...]:
    for row in rows:
        for name, value in values.items():
            columns[name][row] = value
    return tuple(row + 1 for row in rows)


def _unknown_code(columns: Columns) -> Slip:
    rows = _rows_where(columns, 12, region="4")[9:]
    return Slip("unknown code", "region", _set(columns, rows, region="7"), "code 7 is not in the codebook")


def _stray_tick(columns: Columns) -> Slip:
    rows = _rows_where(columns, 4, ever_2="2")[2:]
    return Slip(
        "stray tick", "drunk_ever", _set(columns, rows, ever_2="3"), "3 is neither ticked (1) nor not (2)"
    )


def _none_and_others(columns: Columns) -> Slip:
    rows = _rows_where(columns, 7, heard_1="1", heard_2="1")[4:]
    return Slip(
        "none beside others", "heard_of", _set(columns, rows, heard_97="1"), "None of these is ticked too"
    )


def _same_mention_twice(columns: Columns) -> Slip:
    rows = [k for k in _rows_where(columns, 60) if columns["why_1"][k] and columns["why_2"][k]][5:7]
    for row in rows:
        columns["why_2"][row] = columns["why_1"][row]
    return Slip("same mention twice", "reasons", tuple(row + 1 for row in rows), "one reason appears twice")


def _broken_routing(columns: Columns) -> Slip:
    rows = _rows_where(columns, 4, household="1")[1:]
    touched = _set(columns, rows, children="2")
    return Slip("routing broken", "children", touched, "answered by people who live alone and were not asked")


def _asked_but_blank(columns: Columns) -> Slip:
    rows = _rows_where(columns, 6, pack="2")[4:]
    return Slip(
        "asked but blank", "pack", _set(columns, rows, pack=""), "drank in the last month, gave no pack"
    )


def _nobody(columns: Columns) -> Slip:
    rows = [k for k, value in enumerate(columns["settlement"]) if value == "3"]
    touched = _set(columns, rows, settlement="2")
    return Slip("answer nobody gave", "settlement", touched, "Village or countryside (3) has no respondents")


def _never_ticked(columns: Columns) -> Slip:
    rows = [k for k, value in enumerate(columns["occ_6"]) if value == "1"]
    touched = _set(columns, rows, occ_6="2")
    return Slip(
        "tick never found", "occasions", touched, "column occ_6 never holds the ticked code 1 but holds 2"
    )


def _out_of_bands(columns: Columns) -> Slip:
    rows = _rows_where(columns, 9, gender="1")[7:]
    return Slip(
        "value in no band", "age_band", _set(columns, rows, age="12"), "age 12 lies below the first band"
    )


def _heavy_weight(columns: Columns) -> Slip:
    rows = _rows_where(columns, 12, gender="2")[11:]
    return Slip("extreme weight", "wt", _set(columns, rows, wt="38.5"), "one weight is 38.5 times the mean")


def _outlier(columns: Columns) -> Slip:
    rows = _rows_where(columns, 8, who_buys="2")[7:]
    touched = _set(columns, rows, minutes="9999")
    return Slip("number far out", "minutes", touched, "9999 looks like a missing code that is not declared")


DATA_SLIPS: tuple[Callable[[Columns], Slip], ...] = (
    _unknown_code,
    _stray_tick,
    _none_and_others,
    _same_mention_twice,
    _broken_routing,
    _asked_but_blank,
    _nobody,
    _never_ticked,
    _out_of_bands,
    _heavy_weight,
    _outlier,
)

CODEBOOK_SLIPS: tuple[tuple[str, str, list[Slip]], ...] = (
    (
        "ranges: [16-24, 25-34, 35-54, 55+]",
        "ranges: [16-24, 25-34, 36-54, 55+]",
        [Slip("gap between bands", "age_band", (), "age 35 falls between 25-34 and 36-54")],
    ),
    ("35 and over: [35-54, 55+]", "35 and over: [36-54, 55+]", []),
    (
        "- {label: Good or very good, of: [4, 5]}",
        "- {label: Good or very good, of: [1, 2]}",
        [Slip("net on the wrong end", "rating", (), "Good or very good holds the codes 1 and 2")],
    ),
    (
        "bands: {of: spend, edges: [0, 5, 15, 30]}",
        "bands: {of: spend, edges: [0, 5, 15, 30], labels: [Under 5, 5 to under 15, 15 to under 30, 25 plus]}",
        [Slip("label contradicts band", "spend_band", (), "25 plus stands for 30 or more")],
    ),
    (
        "difference: {plus: [9, 10], minus: [0, 1, 2, 3, 4, 5, 6]}",
        "difference: {plus: [6, 7], minus: [0, 1, 2, 3, 4]}",
        [
            Slip(
                "difference does not fit the scale",
                "recommend",
                (),
                "groups of a scale to 7 on a scale to 10",
            )
        ],
    ),
    (
        "6: Mirrowell\n      7: Dapplebrook\n      8: Pebblecourt\n      90:",
        "6: Mirrowell\n      7: Dapplebrook\n      8: Dapplebrook\n      90:",
        [Slip("label twice", "usual", (), "two brands have the label Dapplebrook")],
    ),
)

PLAN_SLIPS: tuple[tuple[str, str, list[Slip]], ...] = (
    (
        'filter: status == "complete"',
        "filter: wave in (1, 2)",
        [
            Slip("filter that keeps everyone", "filter", (), "both waves are named"),
            Slip("unfinished interviews", "filter", (), "nothing settles whether they count"),
        ],
    ),
)
