"""What the upgrade notes say happens with files, commands and calls of version 0.1."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

import eager_otter as otter

ROOT = Path(__file__).parents[2]
Run = Callable[..., tuple[int, str, str]]


def upgrade_notes() -> list[list[str]]:
    """The rows of the table: of 0.1, of 0.2, what happens."""
    text = (
        (ROOT / "CHANGELOG.md").read_text("utf-8").partition("### Upgrading from 0.1")[2].partition("###")[0]
    )
    rows = [line.strip("|").split("|") for line in text.splitlines() if line.startswith("| ")]
    return [[cell.strip() for cell in row] for row in rows[1:]]


@pytest.mark.parametrize(
    ("old", "new"),
    [(["look", "heard_of", "--by", "region"], "--banner"), (["findings", "--by", "wave"], "--waves")],
)
def test_options_of_0_1_are_refused_with_what_to_write(
    demo: Path, run: Run, old: list[str], new: str
) -> None:
    code, out, err = run(*old, cwd=demo)
    assert (code, out) == (2, "")
    assert err == f"Error: --by is called {new} now; write that.\n"
    assert any(row[0] == f"`{old[0]} --by`" or row[0] == f"`{old[0]} --by NAME`" for row in upgrade_notes())


def test_words_of_a_plan_of_0_1_are_read_with_a_hint(demo: Path, tmp_path: Path, run: Run) -> None:
    text = f"""
data: {demo}/responses.csv
codebook: {demo}/codebook.yaml
accept: [{{finding: none beside others, where: heard_of, because: asked that way}}]
tables: [{{question: liking, figures: [valid percent], base: all}}]
"""
    (tmp_path / "old.yaml").write_text(text, encoding="utf-8")
    today = text.replace("finding:", "slip:").replace("valid percent", "percent of answered")
    (tmp_path / "new.yaml").write_text(today, encoding="utf-8")
    code, out, err = run("run", "old.yaml", "-o", "-", "--format", "csv", cwd=tmp_path)
    assert code == 0
    assert "'finding' is called 'slip' now" in err
    assert "'valid percent' is called 'percent of answered' now" in err
    _, same, quiet = run("run", "new.yaml", "-o", "-", "--format", "csv", cwd=tmp_path)
    assert same == out
    assert "is called" not in quiet


def test_a_look_without_a_banner_has_the_plans_first(demo: Path, run: Run) -> None:
    _, usual, _ = run("look", "liking", cwd=demo)
    _, alone, _ = run("look", "liking", "--banner", "none", cwd=demo)
    assert "Spring" in usual and "Spring" not in alone


def test_parameters_of_0_1_are_no_longer_there(survey: otter.Survey) -> None:
    calls: tuple[Callable[[], object], ...] = (
        lambda: survey.table("liking", by="region"),
        lambda: survey.weighted_by(column="wt"),  # type: ignore[call-arg]
        lambda: otter.TableRequest(question="liking"),  # type: ignore[call-arg]
    )
    for call in calls:
        with pytest.raises((otter.OtterError, TypeError), match=r"by|column|question"):
            call()
    assert not hasattr(otter, "Items")


def test_the_version_is_that_of_the_newest_notes() -> None:
    newest = re.findall(r"^## (\d\S*)", (ROOT / "CHANGELOG.md").read_text("utf-8"), re.MULTILINE)[0]
    assert newest == otter.__version__
