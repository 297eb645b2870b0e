"""Counts that are kept for the next look: the same to the last digit, and counted anew as soon as anything differs."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from eager_otter.counting import remembered, running
from eager_otter.data import cached, files
from eager_otter.gates import cache as gate
from eager_otter.gates.digests import NoDigest, as_before, as_plain, digest_of_value

Run = Callable[..., tuple[int, str, str]]
LOOKS = (
    ("heard_of", "-b", "region"),
    ("heard_of", "-b", "region", "--set", "sort=down"),
    ("liking", "-b", "region", "-b", "wave"),
    ("liking", "-b", "region within wave", "--filter", "age >= 35"),
    ("bought_at", "-b", "main"),
    ("intent",),
    ("ratings",),
    ("spend", "-b", "age_band"),
    ("heard_of", "-b", "region", "--weight", "none"),
)


@pytest.fixture(autouse=True)
def long_however_short(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(cached, "WORTH", 1)
    monkeypatch.setattr(cached, "AT_REST", -(10**18))
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(files, "PART_ROWS", 300)
    monkeypatch.setattr(remembered, "WORTH", 1)


@pytest.fixture
def own(demo: Path, tmp_path: Path) -> Path:
    return Path(shutil.copytree(demo, tmp_path / "own"))


def counts_in(cache: Path) -> set[Path]:
    return set(cache.glob("*/counts-*"))


def looked(run: Run, folder: Path, cache: Path | str, *words: str) -> str:
    code, out, err = run("look", *words, "--cache", cache, cwd=folder)
    assert code == 0, err
    return out


@pytest.fixture
def nothing_counted(monkeypatch: pytest.MonkeyPatch) -> Callable[[], None]:
    def refuse(*_: object) -> None:
        raise AssertionError("counted again")

    return lambda: monkeypatch.setattr(running.InTurn, "count", refuse)


@pytest.mark.parametrize("words", LOOKS, ids=" ".join)
def test_a_second_look_counts_nothing_and_shows_the_same(
    run: Run, own: Path, tmp_path: Path, words: tuple[str, ...], nothing_counted: Callable[[], None]
) -> None:
    cache = tmp_path / "kept"
    without = looked(run, own, "off", *words)
    looked(run, own, cache, *words)  # reads the columns that are kept
    assert looked(run, own, cache, *words) == without
    assert counts_in(cache)
    if words[0] not in (
        "spend",
        "ratings",
        "intent",
    ):  # medians, and pairs of items, are counted by passes of their own
        nothing_counted()
    assert looked(run, own, cache, *words) == without


def test_what_is_only_shown_otherwise_is_not_counted_again(
    run: Run, own: Path, tmp_path: Path, nothing_counted: Callable[[], None]
) -> None:
    cache = tmp_path / "kept"
    for _ in range(2):
        looked(run, own, cache, "heard_of", "-b", "region")
    words = (
        "heard_of",
        "-b",
        "region",
        "--set",
        "sort=down",
        "--level",
        "80",
        "--digits",
        "1",
        "--figure",
        "count",
    )
    without = looked(run, own, "off", *words)
    nothing_counted()
    assert looked(run, own, cache, *words) == without


def test_another_program_counts_anew(
    run: Run, own: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cache = tmp_path / "kept"
    for _ in range(2):
        looked(run, own, cache, "heard_of", "-b", "region")
    before = counts_in(cache)
    monkeypatch.setattr(remembered, "state_of_program", lambda: "another")
    looked(run, own, cache, "heard_of", "-b", "region")
    assert len(counts_in(cache)) == len(before) + 1


def edited(name: str, before: str, after: str) -> Callable[[Path], None]:
    def edit(folder: Path) -> None:
        text = (folder / name).read_text(encoding="utf-8")
        assert before in text
        (folder / name).write_text(text.replace(before, after, 1), encoding="utf-8")

    return edit


CHANGES = {
    "an answer in the data": edited("responses.csv", "\n1001,1,", "\n1001,2,"),  # another wave
    "a row less": lambda folder: edited("responses.csv", (folder / "responses.csv").read_text().splitlines()[7] + "\n", "")(folder),
    "another filter": edited("plan.yaml", 'filter: status == "complete"', 'filter: status == "complete" and age >= 30'),
    "no weight": edited("plan.yaml", "codebook: codebook.yaml\n", "codebook: codebook.yaml\nweight: none\n"),
    "equal waves": edited("plan.yaml", "codebook: codebook.yaml\n", "codebook: codebook.yaml\nequal waves: wave\n"),
    "other bands": edited("codebook.yaml", "edges: [0, 5, 15, 30]", "edges: [0, 6, 15, 30]"),
}  # fmt: skip


@pytest.mark.parametrize("change", CHANGES)
def test_whatever_changes_what_is_counted_is_counted_anew(
    run: Run, own: Path, tmp_path: Path, change: str
) -> None:
    banner = "spend_band" if change == "other bands" else "wave"
    cache, words = tmp_path / "kept", ("heard_of", "-b", banner, "--digits", "6")
    for _ in range(2):
        before = looked(run, own, cache, *words)
    CHANGES[change](own)
    without = looked(run, own, "off", *words)
    assert without != before
    for _ in range(3):
        assert looked(run, own, cache, *words) == without


@given(place=st.floats(0, 1, exclude_max=True), what=st.integers(1, 255))
@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture]
)  # what it spoils is made again each time
def test_damage_is_never_seen(place: float, what: int, demo: Path, damaged: dict[str, Any]) -> None:
    path, whole, run = damaged["path"], damaged["whole"], damaged["run"]
    spoiled = bytearray(whole)
    spoiled[int(place * len(spoiled))] ^= what
    path.write_bytes(bytes(spoiled))
    assert looked(run, demo, damaged["cache"], "liking", "-b", "region") == damaged["shown"]
    path.write_bytes(whole[: int(place * len(whole))])
    assert looked(run, demo, damaged["cache"], "liking", "-b", "region") == damaged["shown"]


@pytest.fixture
def damaged(run: Run, demo: Path, tmp_path: Path) -> dict[str, Any]:
    """Counts that are kept, for a law that spoils them again and again."""
    cache = tmp_path / "kept"
    for _ in range(2):
        shown = looked(run, demo, cache, "liking", "-b", "region")
    (path,) = counts_in(cache)
    return {"path": path, "whole": path.read_bytes(), "run": run, "cache": cache, "shown": shown}


@pytest.mark.parametrize("content", ["[]", "7", '["tuple", 3]', '["object", "Tally"]', '["object", "Unknown", 1]', '["array", "O", [1], ""]', "null"])  # fmt: skip
def test_what_is_no_state_is_counted_anew(damaged: dict[str, Any], demo: Path, content: str) -> None:
    damaged["path"].write_text(f"{gate._mark(content)}\n{content}", "utf-8")
    assert looked(damaged["run"], demo, damaged["cache"], "liking", "-b", "region") == damaged["shown"]


def test_only_the_last_of_many_counts_are_kept_and_none_that_is_large(
    run: Run, own: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cache = tmp_path / "kept"
    monkeypatch.setattr(gate, "MOST_COUNTS", 2)
    looked(run, own, cache, "liking", "-b", "region")
    seen: set[Path] = set()
    for banner in ("region", "wave", "age_group", "gender"):
        looked(run, own, cache, "liking", "-b", banner)
        assert len(counts_in(cache)) <= 2
        seen |= counts_in(cache)
        time.sleep(0.02)
    assert len(seen) >= 3
    monkeypatch.setattr(gate, "LARGEST_COUNTS", 10)
    before = counts_in(cache)
    looked(run, own, cache, "heard_of", "-b", "gender")
    assert counts_in(cache) == before
    assert all(path.stat().st_mode & 0o777 == 0o600 for path in before)
    assert f", counts of {len(before)} looks" in run("cache", "--cache", cache)[1]
    assert run("cache", "--empty", "--cache", cache)[0] == 0 and not counts_in(cache)


# --- values that come back as they were ------------------------------------------------------------------


@dataclass(frozen=True)
class Pair:
    """Two values, for these tests."""

    one: Any
    other: Any


PLAIN = st.one_of(st.none(), st.booleans(), st.integers(), st.text(max_size=5), st.floats())
ARRAYS = st.tuples(st.sampled_from(["<f8", "<i8", "|u1", "|b1"]), st.integers(0, 3), st.integers(0, 3), st.integers(0, 9)).map(
    lambda made: np.random.default_rng(made[3]).integers(0, 2, made[1:3]).astype(made[0])
)  # fmt: skip
VALUES = st.recursive(
    PLAIN | ARRAYS,
    lambda inner: st.one_of(
        st.lists(inner, max_size=3).map(tuple),
        st.dictionaries(st.one_of(st.integers(), st.text(max_size=3)), inner, max_size=3),
        st.builds(Pair, inner, inner),
    ),
    max_leaves=12,
)


@given(VALUES)
def test_values_come_back_as_they_were(value: object) -> None:
    again = as_before(as_plain(value, {"Pair": Pair}), {"Pair": Pair})
    assert digest_of_value(again) == digest_of_value(value)
    assert repr(again) == repr(value)


@given(VALUES, VALUES)
def test_values_that_differ_have_other_digests(one: object, other: object) -> None:
    same = repr(as_plain(one, {"Pair": Pair})) == repr(as_plain(other, {"Pair": Pair}))
    assert (digest_of_value(one) == digest_of_value(other)) == same


@pytest.mark.parametrize("value", [object(), iter([]), lambda: 1, np.array([object()]), (1, object())])
def test_what_a_digest_cannot_tell_has_none(value: object) -> None:
    with pytest.raises(NoDigest):
        digest_of_value(value)
    with pytest.raises(NoDigest):
        as_plain(value, {})
