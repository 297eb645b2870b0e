"""Surveys to test with: the demo in a folder, and small ones written in the test itself."""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Callable
from math import sqrt
from pathlib import Path
from textwrap import dedent

import numpy as np
import pandas as pd
import pytest
from hypothesis import settings

import eager_otter as otter
from eager_otter.cli import main as entry
from eager_otter.demo.files import write_demo

sys.path.insert(0, str(Path(__file__).parent))
FEW, MANY = 10, 40  # examples of each law: without the slow tests, and with them


def pytest_configure(config: pytest.Config) -> None:
    """Choose how many examples of each law are tried; keep nothing of data in the user's own folder."""
    os.environ.setdefault("EAGER_OTTER_CACHE", "off")
    usual = FEW if "not slow" in config.getoption("markexpr") else MANY
    examples = int(os.environ.get("HYPOTHESIS_EXAMPLES", usual))
    settings.register_profile("steady", max_examples=examples, deadline=None, derandomize=True)
    settings.load_profile("steady")


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo survey in a folder that no test changes."""
    folder = tmp_path_factory.mktemp("demo")
    write_demo(folder)
    return folder


@pytest.fixture(scope="session")
def report(demo: Path) -> otter.Report:
    return otter.run(demo / "plan.yaml")


@pytest.fixture(scope="session")
def survey(demo: Path) -> otter.Survey:
    opened = otter.open_survey(demo / "codebook.yaml", demo / "responses.csv")
    return opened.filtered('status == "complete"')


@pytest.fixture
def write(tmp_path: Path) -> Callable[..., Path]:
    """Write a text file into the test's folder."""

    def write_text(name: str, text: str) -> Path:
        path = tmp_path / name
        path.write_text(dedent(text), encoding="utf-8")
        return path

    return write_text


@pytest.fixture
def small(write: Callable[..., Path]) -> Callable[..., otter.Survey]:
    """Open a survey from codebook text and columns."""

    def open_small(codebook: str, **columns: object) -> otter.Survey:
        return otter.open_survey(write("small.yaml", codebook), pd.DataFrame(columns))

    return open_small


def by_hand(worked: str) -> tuple[float, float]:
    """Work out the left side of a working, and read its right side."""
    text = worked.replace(",", "").replace("×", "*").replace("−", "-").replace("²", "**2")
    text = re.sub(r"√\(", "sqrt(", text)
    text = re.sub(r"√([0-9.e+-]+)", r"sqrt(\1)", text)
    left, _, right = text.rpartition(" = ")
    return float(eval(left or right, {"sqrt": sqrt})), float(right)


def message_of(error: pytest.ExceptionInfo[BaseException], folder: Path) -> str:
    """The text of an error, with the test's folder taken out."""
    return str(error.value).replace(f"{folder}/", "")


def mistakes_told(demo: Path, folder: Path, line: str) -> str:
    """What is told of a plan without data that has one more line, such as `theme: house.yaml`."""
    plan = folder / "plan.yaml"
    plan.write_text(f"data: nowhere.csv\ncodebook: {demo}/codebook.yaml\n{line}\ntables: [liking]\n")
    with pytest.raises(otter.DocumentError) as error:
        otter.run(plan)
    return message_of(error, folder)


@pytest.fixture
def run(
    capfd: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> Callable[..., tuple[int, str, str]]:
    """Run the command line in this process: exit code, stdout, stderr."""
    monkeypatch.setenv("COLUMNS", "120")

    def call(*arguments: object, cwd: Path | None = None) -> tuple[int, str, str]:
        if cwd is not None:
            monkeypatch.chdir(cwd)
        with pytest.raises(SystemExit) as stopped:
            entry.main([str(argument) for argument in arguments])
        out, err = capfd.readouterr()
        return int(stopped.value.code or 0), out, err

    return call


RANDOM_BOOK = """
title: Random
weight: wt
questions:
  area: {kind: single, answers: {1: North, 2: East, 3: South}}
  tried: {kind: multi, columns: {t_1: Tarn, t_2: Brookfizz, t_3: Quillwater}}
  liking:
    kind: single
    scale: true
    answers: {1: Poor, 2: Fair, 3: Good, 9: {label: Do not know, missing: true}}
    nets: [{label: Fair or good, of: [2, 3]}]
  ticks:
    kind: multi
    columns: {m_1: A, m_2: B, m_3: C, m_4: D, m_5: E, m_6: F, m_7: G, m_8: H, m_9: I}
    nets: [{label: A or I, of: [1, 9]}, {label: A or B, of: [1, 2]}]
  glasses: {kind: number}
"""


def random_columns(seed: int, people: int) -> dict[str, np.ndarray]:
    """Draw answers for RANDOM_BOOK, with blanks, missing codes and unequal weights."""
    rng = np.random.default_rng(seed)
    columns: dict[str, np.ndarray] = {
        "wt": rng.uniform(0.2, 3.0, people).round(3),
        "area": rng.choice([1, 2, 3, np.nan], people, p=[0.4, 0.3, 0.2, 0.1]),
        "liking": rng.choice([1, 2, 3, 9, np.nan], people),
        "glasses": np.where(rng.random(people) < 0.1, np.nan, rng.integers(0, 30, people)),
    }
    for name, count in (("t", 3), ("m", 9)):
        blank = rng.random(people) < 0.1
        for k in range(1, count + 1):
            columns[f"{name}_{k}"] = np.where(blank, np.nan, rng.integers(0, 2, people))
    return columns


@pytest.fixture
def random_survey(small: Callable[..., otter.Survey]) -> Callable[..., otter.Survey]:
    return lambda seed=1, people=120: small(RANDOM_BOOK, **random_columns(seed, people))
