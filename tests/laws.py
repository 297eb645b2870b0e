"""Random surveys and random requests, for laws that hold whatever is asked: waves, routing, missing codes, thin columns."""

from __future__ import annotations

from typing import Any

import numpy as np
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.tables.table import Line

LAW_BOOK = """
weight: wt
missing: [97]
questions:
  wave: {kind: single, label: Wave, answers: {1: Spring, 2: Summer, 3: Autumn, 4: Winter}}
  area: {kind: single, label: Area, answers: {1: North, 2: East, 3: South, 9: {label: Abroad, missing: true}}}
  tried: {kind: multi, label: Tried, columns: {t_1: Tarn, t_2: Brookfizz, t_3: Quillwater}, ticked: [1], unticked: [0]}
  glasses: {kind: number, label: Glasses, missing: [99, "200..900"]}
  band: {label: Band, bands: {of: glasses, ranges: [0-4, 5-14, 15-20]}}
  liking:
    kind: single
    label: Liking
    scale: true
    asked: tried mentions any (1, 2, 3)
    answers: {1: Poor, 2: Fair, 3: Good, 4: Very good, 8: {label: No view, score: none}, 9: {label: Refused, missing: true}}
    nets: [{top: 2}, {label: Balance, difference: {plus: [4], minus: [1]}}]
  again:
    kind: single
    label: Liking later
    scale: true
    answers: {1: Poor, 2: Fair, 3: Good, 4: Very good, 8: {label: No view, score: none}, 9: {label: Refused, missing: true}}
    nets: [{top: 2}, {label: Balance, difference: {plus: [4], minus: [1]}}]
  both: {label: Both areas, merge: {of: area, answers: {Upper: [1, 2]}}}
  kind_of: {label: Kind, derive: {Fan: liking >= 3, Drinker: glasses >= 5, Other: otherwise}}
  any_kind: {label: Any kind, derive: {Fan: liking >= 3, Other: everyone else}}
"""
QUESTIONS = ("wave", "area", "tried", "glasses", "band", "liking", "again", "both", "kind_of", "any_kind")


def law_columns(seed: int, people: int, *, empty_wave: bool = True) -> dict[str, np.ndarray]:
    """Draw answers for LAW_BOOK: a wave in which two questions were not asked, thin columns, every reason for no answer."""
    rng = np.random.default_rng(seed)
    wave = rng.choice([1, 2, 3, 4], people, p=[0.35, 0.05, 0.3, 0.3])
    columns: dict[str, np.ndarray] = {
        "wt": rng.uniform(0.3, 2.5, people).round(3),
        "wave": wave,
        "area": rng.choice([1, 2, 3, 9, 7, 97, np.nan], people, p=[0.4, 0.3, 0.15, 0.05, 0.03, 0.03, 0.04]),
        "glasses": rng.choice([0, 2, 6, 12, 18, 40, 99, 300, np.nan], people, p=[0.2, 0.2, 0.2, 0.15, 0.1, 0.05, 0.04, 0.02, 0.04]),
    }  # fmt: skip
    asked = rng.random(people) < 0.8
    for k in (1, 2, 3):
        ticks = rng.choice([0, 1, 97, 5], people, p=[0.5, 0.46, 0.02, 0.02])
        columns[f"t_{k}"] = np.where(asked, ticks, np.nan)
    for name, codes in (("liking", [0.1, 0.2, 0.3, 0.2]), ("again", [0.3, 0.2, 0.2, 0.1])):
        drawn = rng.choice([1, 2, 3, 4, 8, 9, np.nan], people, p=[*codes, 0.08, 0.05, 0.07])
        columns[name] = np.where((wave == 3) & empty_wave, np.nan, drawn)
    return columns


def group_strategy() -> st.SearchStrategy[otter.BannerGroup]:
    """Groups of one question, of one's own, with a control or a difference, and nestings."""
    against = st.sampled_from([None, None, "each other", "rest", "total", "previous", "first", "nothing"])
    plain = st.builds(
        lambda name, how: otter.BannerGroup(question=name, against=how),
        st.sampled_from(["wave", "area", "tried", "band", "both", "kind_of"]),
        against,
    )
    fixed = st.sampled_from(
        [
            otter.BannerGroup(question="wave", differences=(("Change", "Winter", "Spring"),)),
            otter.BannerGroup(question="area", against="column", control="North"),
            otter.BannerGroup(question="area", against="column", control="East", hide=("East",)),
            otter.BannerGroup(label="Own", columns=(("Many", "glasses >= 5"), ("Few", "glasses < 12"))),
            otter.BannerGroup(question="area", keep=("1", "3")),
        ]
    )
    nested = st.builds(
        lambda how, subtotal: otter.BannerGroup(
            nest=(otter.BannerGroup(question="both"), otter.BannerGroup(question="wave")),
            against=how,
            subtotal=subtotal,
        ),
        against,
        st.booleans(),
    )
    return st.one_of(plain, plain, fixed, nested)


@st.composite
def request_strategy(draw: st.DrawFn) -> otter.TableRequest:
    """Any table of LAW_BOOK: single questions, items side by side or across, with any tests and minimum bases."""
    groups = tuple(
        draw(st.lists(group_strategy(), min_size=1, max_size=3, unique_by=lambda g: (g.question, g.label)))
    )
    rest = draw(st.booleans())
    rules = otter.TestRules(
        against=draw(st.sampled_from(["each other", "rest", "previous", "first"])),
        rest_of_parent=rest,
        percents=draw(st.sampled_from(["pooled", "unpooled", "t", "linear"])),
        means=draw(st.sampled_from(["welch", "pooled"])),
        adjust=draw(st.sampled_from(["none", "none", "holm", "benjamini-hochberg"])),
    )
    bases = otter.BaseRules(
        mark=draw(st.sampled_from([None, 60.0])),
        no_test=draw(st.sampled_from([None, 25.0, 40.0])),
        withhold=draw(st.sampled_from([None, 8.0])),
        judged_on=draw(st.sampled_from(["unweighted base", "effective base"])),
    )
    shared: dict[str, Any] = {
        "banner": otter.Banner(groups=groups, total=draw(st.sampled_from(["first", "last", "none"]))),
        "tests": rules,
        "bases": bases,
        "levels": draw(st.sampled_from([(95.0,), (95.0, 80.0), (60.0,)])),
    }
    base = draw(st.sampled_from(["answered", "answered", "all"]))
    shape = draw(st.sampled_from(["one", "one", "one", "items", "across", "stacked"]))
    if shape == "one":
        question = draw(st.sampled_from(QUESTIONS))
        figures = draw(
            st.sampled_from(
                [(), ("column percent", "count", "mean"), ("row percent", "count"), ("row percent",)]
            )
        )
        return otter.TableRequest(
            shows=otter.OneQuestion(question),
            figures=figures,
            inherited=True,
            base=base if question != "glasses" else "answered",
            **shared,
        )
    both = ("liking", "again")
    match shape:
        case "items":
            items: otter.AnswersByItems | otter.ItemsByColumns | otter.OneUnderAnother = otter.AnswersByItems(
                items=both
            )
        case "across":
            items = otter.ItemsByColumns(items=both, figure=draw(st.sampled_from(["mean", "Top two"])))
        case _:
            items = otter.OneUnderAnother(items=both)
    if shape == "items":
        base = draw(st.sampled_from(["answered", "complete answers"]))
    return otter.TableRequest(shows=items, base=base, **shared)


def held(line: Line, column: int) -> float:
    """What a spreadsheet holds of a figure: a percent as a fraction, a difference of percents in points."""
    value = float(line.values[column])
    percents = {"column percent", "row percent", "table percent", "mention percent", "cumulative percent"}
    return value / 100 if line.figure_of(column) in percents else value
