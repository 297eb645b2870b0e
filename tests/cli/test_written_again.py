"""Files without a mark are written again while they are as this program wrote them, and by nobody else's leave."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from eager_otter.gates.cache import WRITTEN

Run = Callable[..., tuple[int, str, str]]
REFUSED = "is there already and does not say that eager-otter made it"
WEIGH = ("weigh", "targets.yaml", "-o", "weights.csv", "--only-weights")


@pytest.fixture
def own(demo: Path, tmp_path: Path) -> Path:
    """Copy the demo, to write beside it."""
    return Path(shutil.copytree(demo, tmp_path / "own"))


@pytest.fixture
def kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    folder = tmp_path / "kept"
    monkeypatch.setenv("EAGER_OTTER_CACHE", str(folder))
    return folder


@pytest.mark.parametrize(
    ("command", "again", "files"),
    [
        (WEIGH, WEIGH, ["weights.csv"]),
        (("export", "out.csv"), ("export", "out.csv", "--labels"), ["out.csv"]),
        (("export", "out.xml"), ("export", "out.xml"), ["out.xml", "out.csv"]),
        (
            ("explain", "liking", "Good", "North", "--records", "out.csv"),
            ("explain", "liking", "Good", "West", "--records", "out.csv"),
            ["out.csv"],
        ),
    ],
)
def test_a_command_is_repeated_without_force_until_somebody_changes_a_file(
    run: Run, own: Path, kept: Path, command: tuple[str, ...], again: tuple[str, ...], files: list[str]
) -> None:
    assert run(*command, cwd=own)[0] == 0
    first = {name: (own / name).read_bytes() for name in files}
    assert run(*again, cwd=own)[0] == 0 and run(*command, cwd=own)[0] == 0
    assert {name: (own / name).read_bytes() for name in files} == first
    assert (kept / WRITTEN).stat().st_mode & 0o077 == 0
    changed = own / files[-1]
    changed.write_bytes(first[files[-1]] + b"a note of mine\n")
    code, _, err = run(*command, cwd=own)
    assert code == 2 and f"{files[-1]}: {REFUSED}" in err
    assert changed.read_bytes().endswith(b"a note of mine\n")
    changed.write_bytes(first[files[-1]])  # as it was: nothing of anybody's is lost
    assert run(*command, cwd=own)[0] == 0


def test_nothing_is_known_again_where_nothing_may_be_kept(
    run: Run, own: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("EAGER_OTTER_CACHE", "off")
    assert run(*WEIGH, cwd=own)[0] == 0
    code, _, err = run(*WEIGH, cwd=own)
    assert code == 2 and REFUSED in err


@pytest.mark.parametrize(
    "spoil",
    [
        lambda path: path.unlink(),
        lambda path: path.write_text("", "utf-8"),
        lambda path: path.write_text(path.read_text("utf-8").replace('": "', '": "0'), "utf-8"),
        lambda path: path.write_bytes(b"\xff\x00"),
        lambda path: (path.unlink(), path.mkdir()),
    ],
)
def test_notes_that_are_damaged_are_never_used_and_never_an_error(
    run: Run, own: Path, kept: Path, spoil: object
) -> None:
    assert run(*WEIGH, cwd=own)[0] == 0
    assert callable(spoil)
    spoil(kept / WRITTEN)
    code, _, err = run(*WEIGH, cwd=own)
    assert code == 2 and REFUSED in err and "Traceback" not in err
    assert run(*WEIGH, "--force", cwd=own)[0] == 0


def test_emptying_the_cache_forgets_them_and_the_same_name_elsewhere_is_another_file(
    run: Run, own: Path, kept: Path, tmp_path: Path
) -> None:
    assert run(*WEIGH, cwd=own)[0] == 0
    other = tmp_path / "weights.csv"
    other.write_bytes((own / "weights.csv").read_bytes())
    code, _, err = run(*WEIGH[:3], str(other), "--only-weights", cwd=own)
    assert code == 2 and REFUSED in err
    told = f"{kept}: notes of 1 file that commands wrote, to know them again"
    assert run("cache")[1].splitlines() == [told]
    assert run("cache", "--empty", cwd=own)[1].startswith("Taken away: ") and not (kept / WRITTEN).exists()
    assert run("cache")[1] == f"{kept}: nothing is kept.\n"
    assert REFUSED in run(*WEIGH, cwd=own)[2]
