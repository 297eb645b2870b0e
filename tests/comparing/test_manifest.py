"""The manifest of a report, and comparisons that tell causes before symptoms."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path

import pytest

import eager_otter as otter
from eager_otter.comparing.comparing import compare_files
from eager_otter.comparing.manifest import file_digest, read_manifests
from eager_otter.report.manifest import manifest_of

Run = Callable[..., tuple[int, str, str]]
PLAN = """
title: A report
data: {demo}/responses.csv
codebook: book.yaml
filter: status == "complete"
banners: {{main: [wave, region]}}
tests: {{levels: [95, 80]}}
bases: {{mark below: 100, no test below: 50}}
tables:
  - liking
  - {{question: heard_of, filter: age >= 30}}
  - {{question: diet, tests: {{adjust: holm}}}}
outputs: [tables.csv, sub/tables.json, tables.md]
"""


@pytest.fixture
def folder(demo: Path, tmp_path: Path) -> Callable[..., Path]:
    """Make the report again, in a folder of its own, with texts of plan and codebook replaced; gives its tidy file."""

    def make(name: str, *changes: tuple[str, str], data: str = "") -> Path:
        place = tmp_path / name
        (place / "sub").mkdir(parents=True)
        plan, book = PLAN.format(demo=demo), (demo / "codebook.yaml").read_text(encoding="utf-8")
        for old, new in changes:
            assert (old in plan) or (old in book), old
            plan, book = plan.replace(old, new), book.replace(old, new)
        if data:
            (place / "responses.csv").write_text(data, encoding="utf-8")
            plan = plan.replace(f"{demo}/responses.csv", "responses.csv")
        (place / "plan.yaml").write_text(plan, encoding="utf-8")
        (place / "book.yaml").write_text(book, encoding="utf-8")
        otter.run(place / "plan.yaml").save()
        return place / "tables.csv"

    return make


def causes(old: Path, new: Path) -> list[tuple[str, str, str, str, tuple[str, ...]]]:
    found = compare_files(old, new).causes
    assert found is not None
    return [(one.kind, one.what, one.before, one.after, one.tables) for one in found]


def test_a_manifest_tells_what_a_report_was_made_of(folder: Callable[..., Path], demo: Path) -> None:
    tidy = folder("first")
    manifest = read_manifests(tidy.parent / "manifest.json").reports[-1]
    assert {one.file: one.digest for one in manifest.outputs} == {
        name: file_digest(tidy.parent / name) for name in ("tables.csv", "sub/tables.json", "tables.md")
    }
    assert (manifest.filter, manifest.weight, manifest.respondents) == ('status == "complete"', "wt", 2328)
    assert (manifest.data.file, manifest.data.rows) == ("responses.csv", 2400)
    assert [table.id for table in manifest.tables] == ["liking", "heard_of", "diet"]
    assert manifest.tables[1].filters == ["age >= 30"] and manifest.tables[2].tests["adjust"] == "holm"
    assert manifest.questions["liking"].nets["Top two"] == "any of 4, 5"
    assert set(manifest.questions) == {"wave", "region", "liking", "heard_of", "diet"}
    assert manifest.audit.counts["error"] == 0 and set(manifest.versions) >= {
        "eager-otter",
        "python",
        "numpy",
    }
    again = folder("again")
    assert (again.parent / "manifest.json").read_bytes() == (tidy.parent / "manifest.json").read_bytes()
    assert causes(tidy, again) == [] and not compare_files(tidy, again).changes


EVERY = ()
TOP = "{label: Top two, of: [4, 5]}\n      - {label: Bottom two, of: [1, 2]}\n  intent_after"
CHANGES = [
    ([("levels: [95, 80]", "levels: [99]")], [("level", "", "95 %, 80 %", "99 %", EVERY)]),
    ([("adjust: holm", "adjust: bonferroni")], [("tests", "adjust", "holm", "bonferroni", ("diet",))]),
    ([("banners:", "weight: none\nbanners:")], [("weight", "", "wt", "none", EVERY)]),
    ([('"complete"\nbanners', '"complete" and wave == 1\nbanners')], [("filter", "", 'status == "complete"', 'status == "complete" and wave == 1', EVERY)]),
    ([("age >= 30", "age >= 40")], [("filter", "", "age >= 30", "age >= 40", ("heard_of",))]),
    ([("no test below: 50", "no test below: 300")], [("base rules", "no test", "50", "300", EVERY)]),
    ([("- liking", "- {question: liking, base: all}")], [("base", "", "answered", "all", ("liking",))]),
    ([("Which region do you live in?", "Where do you live?")], [("wording", "region, text", "Which region do you live in?", "Where do you live?", ("liking", "heard_of", "diet"))]),
]  # fmt: skip


@pytest.mark.parametrize(("changes", "expected"), CHANGES, ids=[str(found[0][:2]) for _, found in CHANGES])
@pytest.mark.slow
def test_a_comparison_tells_the_cause(
    folder: Callable[..., Path], changes: list[tuple[str, str]], expected: list[tuple[str, ...]]
) -> None:
    assert causes(folder("old"), folder("new", *changes)) == expected


def test_a_changed_net_a_renamed_one_and_other_data_are_causes(
    folder: Callable[..., Path], demo: Path
) -> None:
    data = (demo / "responses.csv").read_text(encoding="utf-8").splitlines(keepends=True)
    old = folder("old")
    three = folder("three", (TOP, TOP.replace("[4, 5]", "[3, 4, 5]")))
    assert causes(old, three) == [
        ("net definition", "Top two (liking)", "any of 4, 5", "any of 3, 4, 5", ("liking",))
    ]
    named = folder("named", (TOP, TOP.replace("Top two", "Best two")))
    assert causes(old, named) == [("wording", "liking, net", "Top two", "Best two", ("liking",))]
    ((kind, what, before, after, tables),) = causes(old, folder("data", data="".join(data[:-1])))
    assert (kind, what, tables) == ("data", "responses.csv", ()) and before.startswith("2,400 rows")
    assert after.startswith("2,399 rows")


def test_what_new_data_hold_that_the_codebook_does_not_know_is_told_at_once(
    run: Run, folder: Callable[..., Path], demo: Path
) -> None:
    head, *rows = (demo / "responses.csv").read_text(encoding="utf-8").splitlines()
    place = head.split(",").index("region")
    new = [f"{head},q99"]
    for k, row in enumerate(rows):
        cells = row.split(",")
        cells[place] = ("7", "8", cells[place])[min(k // 2, 2)] if k < 5 else cells[place]
        new.append(",".join([*cells, "1"]))
    old, other = folder("old"), folder("new", data="\n".join(new) + "\n")
    manifest = read_manifests(other.parent / "manifest.json").reports[-1]
    assert manifest.audit.unknown["region"] == ["7", "8"] and "q99" in manifest.audit.unknown["data"]
    first, second, *further = causes(old, other)
    asked = ("liking", "heard_of", "diet")
    assert first == ("not in the codebook", "codes of region", "none", "7, 8", asked)
    assert second[:2] == ("not in the codebook", "columns") and second[3].startswith("q99")
    assert [kind for kind, *_ in further] == ["data"]
    assert causes(other, old)[0][0] == "data"  # the other way round nothing is new
    compared = run("compare", str(old.parent), str(other.parent))[1]
    assert re.search(r"columns.*none *$", compared.split("data ")[0], re.MULTILINE)
    (other.parent / "next.csv").write_text("\n".join(new) + "\n", encoding="utf-8")
    code, _, told = run(
        "run", other.parent / "plan.yaml", "--data", other.parent / "next.csv", "-o", other.parent / "x.csv"
    )
    assert code == 0 and "Note: next.csv has codes of region that the codebook does not know: 7, 8." in told
    assert re.search(r"Note: next.csv has columns in no question: .*q99", told)
    assert (
        "codebook does not know"
        not in run("run", other.parent / "plan.yaml", "-o", other.parent / "y.csv")[2]
    )


def test_the_command_tells_causes_first_or_that_it_cannot(
    run: Run, folder: Callable[..., Path], tmp_path: Path
) -> None:
    old, new = folder("old"), folder("new", ("levels: [95, 80]", "levels: [99]"))
    code, out, _ = run("compare", str(old.parent), str(new.parent), cwd=tmp_path)
    told = " ".join(out.split())
    assert code == 1 and told.index("level 95 %, 80 % 99 % all") < told.index("letters flipped")
    code, out, _ = run("compare", str(old), str(old), cwd=tmp_path)
    assert code == 0 and out.startswith("Made of the same")
    code, out, _ = run("compare", str(old), str(new), "--format", "json", "-o", "c.xlsx", cwd=tmp_path)
    assert code == 1 and json.loads(out)["causes"][0]["kind"] == "level"
    alone = tmp_path / "alone.csv"
    alone.write_bytes(old.read_bytes())
    code, out, _ = run("compare", "alone.csv", str(old), cwd=tmp_path)
    assert code == 0 and out.startswith("Causes cannot be given: no manifest.json is beside alone.csv.")
    old.write_text(old.read_text(encoding="utf-8").replace("Tarn", "Torn"), encoding="utf-8")
    _, out, _ = run("compare", str(old), str(new), cwd=tmp_path)
    assert "old/manifest.json was written for other files than tables.csv." in " ".join(out.split())
    (old.parent / "manifest.json").write_text("{}", encoding="utf-8")
    code, _, err = run("compare", str(old), str(new), cwd=tmp_path)
    assert code == 2 and "is not a manifest that this version reads; run the plan again" in err
    code, _, err = run("compare", str(tmp_path), str(new), cwd=tmp_path)
    assert code == 2 and "no manifest.json is there; name a tidy file" in err


def test_a_manifest_of_somebody_else_is_not_overwritten_and_outputs_wait_for_it(
    run: Run, demo: Path, tmp_path: Path
) -> None:
    (tmp_path / "manifest.json").write_text('{"mine": true}', encoding="utf-8")
    code, _, err = run("run", str(demo / "plan.yaml"), "--only", "liking", "-o", "t.csv", cwd=tmp_path)
    assert code == 2 and "manifest.json: is there already and does not say that eager-otter made it" in err
    assert not (tmp_path / "t.csv").exists()
    code, _, err = run(
        "run", str(demo / "plan.yaml"), "--only", "liking", "-o", "t.csv", "--force", cwd=tmp_path
    )
    assert code == 0 and "manifest.json: what the report was made of" in err
    assert [table.id for table in read_manifests(tmp_path / "manifest.json").reports[-1].tables] == ["liking"]


def test_reports_in_one_folder_share_the_file_while_their_outputs_are_there(
    run: Run, demo: Path, tmp_path: Path
) -> None:
    def make(name: str, *more: str) -> None:
        code, _, _ = run("run", str(demo / "plan.yaml"), "--only", "liking", "-o", name, *more, cwd=tmp_path)
        assert code == 0

    def outputs() -> list[str]:
        return [one.outputs[0].file for one in read_manifests(tmp_path / "manifest.json").reports]

    make("all.csv")
    make("old.csv", "--filter", "age >= 60")
    assert outputs() == ["all.csv", "old.csv"]
    code, out, _ = run("compare", "all.csv", "old.csv", cwd=tmp_path)
    assert code == 1 and out.splitlines()[2].startswith("filter")
    make("all.csv", "--weight", "none")
    assert outputs() == ["old.csv", "all.csv"]
    (tmp_path / "old.csv").unlink()
    make("new.csv")
    assert outputs() == ["all.csv", "new.csv"]


def test_a_report_without_a_plan_has_no_manifest(survey: otter.Survey, tmp_path: Path) -> None:
    report = otter.Report(title="x", tables=(survey.table("liking"),), source=survey.source)
    with pytest.raises(otter.RequestError, match=r"was not made from a plan, so it has no manifest\."):
        manifest_of(report, {})
    report.save(tmp_path / "t.csv")
    assert [path.name for path in tmp_path.iterdir()] == ["t.csv"]
