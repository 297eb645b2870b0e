"""The plan: validation of both files at once, defaults that fall through, ids, the report it makes."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from conftest import message_of

Write = Callable[..., Path]
BOOK = """\
questions:
  region: {kind: single, answers: {1: North, 2: East, 9: {label: None given, missing: true}}}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Good}}
  age: {kind: number}
  open: {kind: text}
  grid: {kind: grid, items: {a: g1, b: g2}, answers: {1: X, 2: Y}}
"""
DATA = "region,liking,age,open,g1,g2\n1,1,30,,1,2\n2,2,40,,2,2\n1,2,50,,1,1\n"


def mistakes_in(plan: Path, read: Callable[[Path], object] = otter.read_plan) -> list[str]:
    """The first lines of all mistakes told of a plan and its codebook."""
    with pytest.raises(otter.DocumentError) as error:
        read(plan)
    lines = message_of(error, plan.parent).splitlines()
    return [line for line in lines if line.startswith(("book.yaml:", "plan.yaml:"))]


def test_every_mistake_of_plan_and_codebook_is_told_before_data_are_read(
    write: Write, tmp_path: Path
) -> None:
    write(
        "book.yaml",
        "questions:\n  region: {kind: single, answrs: {1: North}}\n  liking: {kind: single, answers: {1: Poor}}\n",
    )
    plan = write(
        "plan.yaml",
        """\
        data: nowhere.csv
        codebook: book.yaml
        filtr: region == 1
        filter: likng == 1
        banners:
          main: [{question: liking, keep: [Pour]}]
        tests: {levels: [0.95]}
        bases: {mark under: 75}
        tables:
          - lking
          - {question: liking, figures: [percent], banner: man}
        outputs: [tables.docx]
        """,
    )
    assert mistakes_in(plan, otter.run) == [
        "book.yaml:2:3: questions.region needs the key 'answers'.",
        "book.yaml:2:26: unknown key 'answrs'. Did you mean 'answers'?",
        "plan.yaml:3:1: unknown key 'filtr'. Did you mean 'filter'?",
        "plan.yaml:4:9: No question 'likng'. Did you mean 'liking'? At character 1 of: likng == 1",
        "plan.yaml:6:36: liking has no answer 'Pour'. Did you mean 'Poor'?",
        "plan.yaml:7:17: levels: A confidence level is a percent from 50 up to, not including, 100; got 0.95. Write 95?",
        "plan.yaml:8:9: unknown key 'mark under'. Did you mean 'mark below'?",
        "plan.yaml:10:5: no question 'lking' in the codebook. Did you mean 'liking'?",
        "plan.yaml:11:34: no figure 'percent'. Did you mean 'column percent'?",
        "plan.yaml:11:52: no banner 'man'. Did you mean 'main'?",
        "plan.yaml:12:11: outputs end in .xlsx, .html, .pdf, .pptx, .csv, .parquet, .json, .md or .txt; found 'tables.docx'.",
    ]
    assert list(tmp_path.glob("*.xlsx")) == []


def test_names_labels_and_banners_are_checked_against_the_codebook(write: Write) -> None:
    write("book.yaml", BOOK)
    plan = write(
        "plan.yaml",
        """\
        data: nowhere.csv
        codebook: book.yaml
        filter: likng == 1
        banners:
          main: [{question: region, keep: [Nort, 1, North, None given], labels: {Eest: E}}, age, regio]
        tables:
          - grid
          - {question: liking, banner: man, filter: 'age > "x"'}
          - open
          - {question: age, id: one}
          - {question: liking, id: one}
        """,
    )
    assert mistakes_in(plan) == [
        "plan.yaml:3:9: No question 'likng'. Did you mean 'liking'? At character 1 of: likng == 1",
        "plan.yaml:5:36: region has no answer 'Nort'. Did you mean 'North'?",
        "plan.yaml:5:45: 'North' appears twice.",
        "plan.yaml:5:52: 'None given' of region is missing and makes no column.",
        "plan.yaml:5:80: region has no answer 'Eest'. Did you mean 'East'?",
        "plan.yaml:5:85: age is of kind number and cannot be a banner; cut it into bands in the codebook.",
        "plan.yaml:5:90: no question 'regio' in the codebook. Did you mean 'region'?",
        "plan.yaml:7:5: no question 'grid' in the codebook. grid is a grid: name one of its items, such as grid.a.",
        "plan.yaml:8:32: no banner 'man'. Did you mean 'main'?",
        'plan.yaml:8:45: A number is wanted here, for age. At character 7 of: age > "x"',
        "plan.yaml:9:5: open is open text and cannot be tabulated; code it into answers first.",
        "plan.yaml:11:28: two tables have the id 'one'; each needs its own.",
    ]


def test_a_missing_codebook_is_told_at_its_place(write: Write, tmp_path: Path) -> None:
    plan = write("plan.yaml", "data: d.csv\ncodebook: bok.yaml\ntables: [a]\n")
    with pytest.raises(otter.DocumentError) as error:
        otter.read_plan(plan)
    assert (
        "plan.yaml:2:11: codebook: no such file. Check the path and the spelling. Looked for bok.yaml."
        in (message_of(error, tmp_path))
    )


def test_settings_fall_through_and_every_table_has_an_id_of_its_own(write: Write) -> None:
    write("book.yaml", BOOK)
    plan = otter.read_plan(
        write(
            "plan.yaml",
            """\
            data: data.csv
            codebook: book.yaml
            banners:
              main: [region]
              other: [liking]
            tests: {levels: [95, 90]}
            bases: {mark below: 75, no test below: 30}
            defaults: {digits: 1, figures: [count]}
            tables:
              - region
              - {question: region, banner: other, figures: column percent, digits: {mean: 3}, tests: none}
              - {question: liking, id: region-2, banner: none, bases: {withhold below: 5}}
              - {each: all, tests: {levels: 80}}
            """,
        )
    )
    found = [
        (
            r.id,
            r.shows.name,
            r.banner.name,
            r.figures,
            r.digits.percent,
            r.digits.mean,
            r.levels,
            r.bases.mark,
        )
        for r in plan.requests
    ]
    assert found == [
        ("region", "region", "main", ("count",), 1, 2, (95.0, 90.0), 75),
        ("region-3", "region", "other", ("column percent",), 1, 3, (), 75),
        ("region-2", "liking", "", ("count",), 1, 2, (95.0, 90.0), None),
        ("age", "age", "main", ("count",), 1, 2, (80.0,), 75),
        ("grid.a", "grid.a", "main", ("count",), 1, 2, (80.0,), 75),
        ("grid.b", "grid.b", "main", ("count",), 1, 2, (80.0,), 75),
    ]


def test_banner_labels_and_kept_answers_show_in_the_columns(write: Write) -> None:
    write("book.yaml", BOOK)
    write("data.csv", DATA)
    plan = write(
        "plan.yaml",
        "data: data.csv\ncodebook: book.yaml\n"
        "banners: {main: [{question: region, label: Where, keep: [East, 1], labels: {1: Up north}}]}\n"
        "tables: [liking]\n",
    )
    table = otter.run(plan).table("liking")
    assert [(c.group, c.label, c.letter) for c in table.columns] == [
        ("", "Total", ""),
        ("Where", "East", "A"),
        ("Where", "Up north", "B"),
    ]
    assert table.lines[0].values.tolist() == [3, 1, 2]


def test_the_weight_of_the_plan_replaces_that_of_the_codebook(write: Write) -> None:
    write("book.yaml", "weight: w1\n" + BOOK)
    write("data.csv", "region,liking,age,open,g1,g2,w2\n1,1,30,,1,2,3\n2,2,40,,2,2,1\n")
    text = "data: data.csv\ncodebook: book.yaml\nweight: {}\ntables: [region]\n"
    assert otter.run(write("plan.yaml", text.format("w2"))).table("region").value("North", "Total") == 75
    assert otter.run(write("plan.yaml", text.format("none"))).table("region").value("North", "Total") == 50
    with pytest.raises(otter.DataError, match="'w1'"):
        otter.run(write("plan.yaml", text.replace("weight: {}\n", "")))


FULL_BOOK = """\
questions:
  region: {kind: single, section: About, answers: {1: North, 2: East}}
  age: {kind: number}
  liking: {kind: single, scale: true, section: Taste, answers: {1: Poor, 2: Fair, 3: Good}, nets: [{top: 2}]}
  tried: {kind: multi, section: Taste, columns: {t_1: Tarn, t_2: Brookfizz}}
  st: {kind: grid, scale: true, items: {a: s1, b: s2}, answers: {1: No, 2: Some, 3: Yes}, nets: [{label: Agree, of: [2, 3]}]}
"""
FULL_DATA = "region,age,liking,t_1,t_2,s1,s2\n1,30,1,1,0,1,2\n2,40,3,1,1,2,3\n1,50,2,0,1,3,\n2,20,3,1,0,,1\n"


def test_a_plan_says_all_that_python_can(write: Write) -> None:
    """The plan and the same requests made by call give equal tables."""
    write("book.yaml", FULL_BOOK)
    write("data.csv", FULL_DATA)
    plan = otter.read_plan(
        write(
            "plan.yaml",
            """\
            data: data.csv
            codebook: book.yaml
            banners:
              deep:
                total: last
                groups:
                  - {nest: [region, {question: liking, keep: [Top two, Poor]}], subtotal: true, label: Where}
                  - {label: Own, columns: {Older: age >= 35, Younger: age < 35}, only: answered liking}
                  - {question: liking, columns: {Not good: [1, Fair], Good: 3}}
              plain: [region]
            tables:
              - heading: Taste
              - {question: liking, banner: [deep, plain], sort: down, base: all, hide: Poor, most: 2}
              - {question: liking, id: rebased, banner: plain, base: age >= 30, leave out: [Poor], sort: {by: label}}
              - heading: The rest
              - {question: tried, banner: none, repeat: region, filter: age < 60}
              - {grid: st, banner: plain, figure: Agree, sort: up}
              - {items: [st.a, st.b], as: answers by items, id: side}
              - {each: all, kinds: number}
              - {each: ["st.*"], sections: [""], banner: plain}
            """,
        )
    )
    assert [(r.id, r.heading, r.part, r.banner.name) for r in plan.requests] == [
        ("liking-deep", "Taste", "", "deep"), ("liking-plain", "Taste", "", "plain"), ("rebased", "Taste", "", "plain"),
        ("tried", "The rest", "", ""), ("tried-1", "The rest", "North", ""), ("tried-2", "The rest", "East", ""),
        ("st", "The rest", "", "plain"), ("side", "The rest", "", "deep"), ("age", "The rest", "", "deep"),
        ("st.a", "The rest", "", "plain"), ("st.b", "The rest", "", "plain"),
    ]  # fmt: skip
    assert plan.requests[4].filter == '(age < 60) and `region` == "1"'
    report = otter.run(plan)
    group = otter.BannerGroup
    deep = otter.Banner(
        name="deep",
        total="last",
        groups=(
            group(
                nest=(group(question="region"), group(question="liking", keep=("Top two", "1"))),
                subtotal=True,
                label="Where",
            ),
            group(
                label="Own", columns=(("Older", "age >= 35"), ("Younger", "age < 35")), only="answered liking"
            ),
            group(question="liking", columns=(("Not good", ("1", "2")), ("Good", ("3",)))),
        ),
    )
    assert plan.banners["deep"] == deep
    survey = otter.open_survey(plan.codebook, plan.data)
    rules = otter.RowRules(sort=otter.Sorting(), hide=("1",), most=2)
    by_call = survey.table("liking", banner=deep, base="all", rows=rules)
    assert [
        str((line.label, line.values.tolist(), line.letters)) for line in report.table("liking-deep").lines
    ] == [str((line.label, line.values.tolist(), line.letters)) for line in by_call.lines]
    assert report.table("tried-2").title == "tried – East" and report.table("tried-2").lines[0].values[0] == 2
    assert report.table("tried").lines[0].values[0] == sum(
        report.table(f"tried-{k}").lines[0].values[0] for k in (1, 2)
    )
    assert {record.part for record in report.table("tried-1").records()} == {"North"}


def test_mistakes_in_banners_rows_and_items_are_told_at_their_places(write: Write) -> None:
    write("book.yaml", FULL_BOOK)
    plan = write(
        "plan.yaml",
        """\
        data: data.csv
        codebook: book.yaml
        banners:
          a: [{nest: [region, {nest: [liking, region]}]}]
          b: [{columns: {X: aeg > 3}}]
          c: [{question: region, only: regoin == 1}]
          d: [{question: region, subtotal: true}]
          e: [{question: liking, columns: {X: [Goud]}}]
          f: {total: middle, groups: [region]}
        tables:
          - {question: tried, leave out: Tarn}
          - {question: liking, sort: {by: size}, hide: Pour, base: aeg > 1}
          - {grid: sta, figure: Agree}
          - {grid: st, figure: Agre}
          - {question: liking, repeat: age, banner: [c, g]}
          - {each: ["x*"]}
        """,
    )
    assert mistakes_in(plan) == [
        "plan.yaml:4:23: a nesting holds questions, not nestings; name all levels in one list.",
        "plan.yaml:5:21: No question 'aeg'. Did you mean 'age'? At character 1 of: aeg > 3",
        "plan.yaml:6:32: No question 'regoin'. Did you mean 'region'? At character 1 of: regoin == 1",
        "plan.yaml:7:7: a subtotal goes with nest: one column for all of each outer answer.",
        "plan.yaml:8:39: liking has no answer 'Goud'. Did you mean 'Good'?",
        "plan.yaml:9:14: total: expected one of first, last or none; found 'middle'.",
        "plan.yaml:11:23: tried takes several answers; hide them, or set a base, instead of leaving out.",
        "plan.yaml:12:35: by: expected one of figure, label or code; found 'size'.",
        "plan.yaml:12:48: liking has no answer 'Pour'. Did you mean 'Poor'?",
        "plan.yaml:12:60: No question 'aeg'. Did you mean 'age'? At character 1 of: aeg > 1",
        "plan.yaml:13:12: no grid 'sta' in the codebook. Did you mean 'st'?",
        "plan.yaml:14:24: st.a has no net or answer 'Agre'. Did you mean 'Agree'?",
        "plan.yaml:15:32: age is of kind number; only answers can be gone through.",
        "plan.yaml:15:45: no banner 'g'. Known: a, b, c, d, e, f.",
        "plan.yaml:16:13: no question fits 'x*'. Known: region, age, liking, tried, st.a, st.b.",
    ]


def test_only_some_tables_and_the_list(write: Write) -> None:
    from eager_otter.plan.reading import only_tables

    write("book.yaml", FULL_BOOK)
    plan = otter.read_plan(write("plan.yaml", "data: data.csv\ncodebook: book.yaml\ntables: [{each: all}]\n"))
    assert [r.id for r in only_tables(plan, ["st.*", "age"]).requests] == ["age", "st.a", "st.b"]
    with pytest.raises(otter.UnknownName, match=r"No table 'likng' in the plan. Did you mean 'liking'\?"):
        only_tables(plan, ["likng"])


@given(st.integers(0, 100_000))
def test_any_damage_to_a_plan_or_codebook_ends_in_an_error_of_ours(
    demo: Path, tmp_path_factory: pytest.TempPathFactory, seed: int
) -> None:
    rng = random.Random(seed)
    folder = tmp_path_factory.mktemp("damaged")
    pieces = [
        "{",
        "}",
        "[",
        "]",
        ":",
        '"',
        "-",
        "null",
        "~",
        "x: y",
        "&a",
        "*a",
        "true",
        "[]",
        "{}",
        "1.5",
        "\t",
        "#",
        "",
    ]
    for name in ("plan.yaml", "codebook.yaml"):
        text = (demo / name).read_text(encoding="utf-8")
        for _ in range(rng.choice([0, 1, 2])):
            lines = text.split("\n")
            place = rng.randrange(len(lines))
            cut = rng.randrange(len(lines[place]) + 1)
            lines[place] = lines[place][:cut] + rng.choice(pieces) + lines[place][cut + rng.randrange(4) :]
            text = "\n".join(lines)
        (folder / name).write_text(text, encoding="utf-8")
    try:
        otter.read_plan(folder / "plan.yaml")
    except otter.OtterError as error:
        assert str(error)


def test_a_part_that_nobody_is_in_makes_an_empty_table_not_an_error(demo: Path, tmp_path: Path) -> None:
    plan = tmp_path / "plan.yaml"
    plan.write_text(
        f"data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\nfilter: wave == 1\n"
        "banners: {b: [region, drunk_month, {nest: [gender, age_group]}]}\ntables:\n"
        "  - {question: liking, repeat: wave}\n  - {question: heard_of, repeat: wave, base: all}\n"
        "  - {question: spend, repeat: wave, figures: [mean, median, sum]}\n  - {grid: statements, repeat: wave}\n",
        encoding="utf-8",
    )
    report = otter.run(plan)
    report.save(tmp_path / "t.xlsx", tmp_path / "t.csv")
    assert [table.people for table in report.tables if table.part == "Autumn"] == [0] * 4
    assert all(table.people for table in report.tables if table.part != "Autumn")


SHARED = """
banners:
  shared: [region, {question: gender, keep: [A woman, A man]}]
defaults: {kinds: {number: {figures: [median], digits: {median: 1}}, scale: {tests: none}}}
tables: [spend]
"""


def test_a_plan_includes_others_and_its_own_words_win(demo: Path, write: Write, tmp_path: Path) -> None:
    write("shared.yaml", SHARED)
    plan = write("plan.yaml", f"include: shared.yaml\ndata: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\ntables: [liking]\n")  # fmt: skip
    read = otter.read_plan(plan)
    assert [request.id for request in read.requests] == ["spend", "liking"]
    assert read.requests[0].figures == ("median",) and read.requests[0].digits.of("median") == 1
    assert read.requests[1].levels == () and read.requests[1].banner.name == "shared"
    write("shared.yaml", SHARED.replace("A man", "A mann").replace("[spend]", "[spnd]"))
    with pytest.raises(otter.DocumentError) as error:
        otter.read_plan(plan)
    text = message_of(error, tmp_path)
    assert "shared.yaml:3:" in text and "gender has no answer 'A mann'" in text
    assert "shared.yaml:5:10: no question 'spnd'" in text
    write("shared.yaml", "include: plan.yaml\n")
    with pytest.raises(otter.DocumentError, match=r"plan\.yaml includes itself"):
        otter.read_plan(plan)
    write("plan.yaml", "include: nowhere.yaml\ntables: [liking]\n")
    with pytest.raises(otter.DocumentError, match="include: no such file"):
        otter.read_plan(plan)


SETTINGS = st.fixed_dictionaries(
    {},
    optional={
        "figures": st.lists(st.sampled_from(["count", "column percent", "mean", "percentile 90"]), min_size=1, unique=True),
        "digits": st.sampled_from([1, {"percent": 2, "mean": 1}, {"median": 3}]),
        "base": st.sampled_from(["all", "age >= 35"]),
        "base text": st.just("had a glass"),
        "filter": st.sampled_from(["age >= 18", 'region == "North"']),
        "sort": st.sampled_from(["up", "label", {"by": "figure", "column": "North", "direction": "down"}]),
        "most": st.integers(1, 4),
        "above": st.integers(0, 30),
        "empty rows": st.just("drop"),
        "hide": st.just(["Fair"]),
        "untested": st.just(["Good", "mean"]),
        "headings": st.just({"1": "Low", "4": ""}),
        "banner": st.sampled_from(["b", "deep", "none"]),
        "tests": st.sampled_from([
            "none", {"levels": 90}, {"against": "rest", "adjust": "holm"}, {"compare": "all parents", "means": "pooled"},
            {"levels": [99, 90], "percents": "t", "rest of": "parent"},
        ]),
        "bases": st.sampled_from([{}, {"mark below": 50}, {"show": ["weighted"]}, {"withhold below": 5, "judged on": "effective base"}]),
        "note": st.just("Yes: no."),
        "repeat": st.just("wave"),
        "part": st.just("Part"),
        "within": st.just(["region"]),
        "title": st.sampled_from(["1", "A: b", "Ünï – 東"]),
    },
)  # fmt: skip


def sound(entry: dict[str, object]) -> dict[str, object]:
    """Take out what would do nothing, and is refused, beside what else a table says."""
    if entry.get("tests") == "none":
        entry = {key: value for key, value in entry.items() if key != "untested"}
    if isinstance(entry.get("sort"), dict) and entry.get("banner") in ("deep", "none"):
        entry = entry | {"sort": {"by": "figure", "column": "Total", "direction": "up"}}
    if "within" in entry and "figures" in entry:
        entry = entry | {"figures": ["column percent", "count"]}
    if "column percent" in entry.get("figures", ()) and entry.get("banner") != "none":  # type: ignore[operator]
        wanted = ["column percent", "column difference", "percent interval"]
        entry = entry | {"figures": wanted, "difference from": "Total"}
    return entry


@given(st.lists(SETTINGS.map(sound), min_size=1, max_size=5))
@pytest.mark.slow
def test_a_plan_written_out_reads_back_as_the_same_plan(demo: Path, entries: list[dict[str, object]]) -> None:
    written = {
        "data": f"{demo}/responses.csv",
        "codebook": f"{demo}/codebook.yaml",
        "banners": {
            "b": ["region", {"question": "gender", "against": "total", "label": ""}],
            "deep": {"total": "last", "groups": [{"nest": ["wave", "region"], "subtotal": True, "differences": {"N": ["North", "South"]}}]},
            "own": [{"label": "Own", "columns": {"Old": "age >= 60"}, "only": "age >= 18"}, {"question": "liking", "columns": {"Low": [1, 2]}, "hide": ["Low"]}],
        },
        "tables": [{"heading": "H"}, *({"question": "liking", **entry} for entry in entries), {"grid": "rating", "as": "answers by items"},
                   {"items": [{"question": "liking", "figure": "mean"}, "recommend"], "id": "key", "banner": "own"}],
    }  # fmt: skip
    plan = otter.plan_from_text(yaml.safe_dump(written))
    assert otter.plan_from_text(otter.plan_text(plan)).requests == plan.requests
    again = otter.plan_text(otter.plan_from_text(otter.plan_text(plan)))
    assert again == otter.plan_text(plan)


def test_a_column_that_a_test_or_difference_needs_is_checked_before_data_are_read(
    demo: Path, write: Write
) -> None:
    head = f"data: nowhere.csv\ncodebook: {demo}/codebook.yaml\nbanners: {{b: [region]}}\n"
    cases = {
        "tables: [{question: liking, tests: {against: {column: Nort}}}]": "No column 'Nort'",
        "tables: [{question: liking, tests: {against: rests}}]": "against: expected one of each other, rest, total",
        "tables: [{question: liking, digits: {meen: 1}}]": "no figure 'meen'. Did you mean 'mean' or 'median'?",
        "tables: [{question: liking, figures: [percent of answer]}]": "needs percent of: the answer or net",
        "tables: [{question: liking, untested: [Goood]}]": "liking has no row 'Goood'. Did you mean 'Good'?",
        "tables: [{question: liking, within: spend}]": "spend is of kind number; only answers can be nested",
        "tables: [{items: [region], figure: mean}]": "region has no mean: it is neither a scale nor a number",
        "tables: [{items: [liking, recommend, spend], as: before by after}]": "takes two questions",
        "tables: [{items: [\"x*\"], figure: mean}]": "no question fits 'x*'",
    }  # fmt: skip
    for tables, message in cases.items():
        with pytest.raises(otter.DocumentError) as error:
            otter.read_plan(write("plan.yaml", head + tables + "\n"))
        assert message in str(error.value)


def test_a_banner_has_tests_and_minimum_bases_of_its_own(demo: Path, write: Write) -> None:
    plan = f"""
        data: {demo}/responses.csv
        codebook: {demo}/codebook.yaml
        tests: {{levels: [95]}}
        bases: {{mark below: 100}}
        banners:
          usual: [region]
          waves: {{groups: [wave], tests: {{levels: [99], against: previous}}, bases: {{mark below: 75}}}}
        tables:
          - {{question: liking, banner: all}}
          - {{question: liking, id: own, banner: waves, bases: {{mark below: 5}}}}
    """
    found = otter.read_plan(write("plan.yaml", plan)).requests
    assert [(r.id, r.levels, r.tests.against, r.bases.mark) for r in found] == [
        ("liking-usual", (95,), "each other", 100),
        ("liking-waves", (99,), "previous", 75),
        ("own", (99,), "previous", 5),
    ]
