"""From saving a file to new letters on the screen, as a ratio to making the changed tables in a warm process.

Run from the project's folder: `python benchmarks/live.py`. The floor of a change is what it takes to make the changed
tables, with plan, codebook and data at hand, and to load the page once in the browser; the loop also reads the plan,
looks at the files, writes the page and waits for the browser to hear of it. The browser is Chromium, as in the tests.
"""

from __future__ import annotations

import shutil
import statistics
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import yaml

import eager_otter as otter
from eager_otter.live.serving import server_for
from eager_otter.live.session import LiveSession
from eager_otter.live.watching import states_of, wait_for_change

ROUNDS = 7


def demo(folder: Path) -> tuple[Path, str, str]:
    """Write the demo: its plan, and a line of it before and after a change."""
    otter.write_demo(folder)
    return folder / "plan.yaml", "{question: liking, figures: [", "{question: liking, base: all, figures: ["


def large(folder: Path) -> tuple[Path, str, str]:
    """Write 135 questions of 50,000 respondents, by a banner of 45 columns."""
    rng = np.random.default_rng(7)
    people = 50_000
    questions: dict[str, Any] = {}
    columns: dict[str, Any] = {}
    sizes = [2, 3, 4, 5, 6, 7, 8, 10]  # of the banner: 45 columns
    for k, size in enumerate(sizes):
        columns[f"b{k}"] = rng.integers(1, size + 1, people)
        questions[f"b{k}"] = {
            "kind": "single",
            "answers": {code: f"Group {code}" for code in range(1, size + 1)},
        }
    for k in range(135):
        columns[f"q{k}"] = rng.integers(1, 6, people)
        questions[f"q{k}"] = {
            "kind": "single",
            "scale": True,
            "answers": {code: f"Answer {code}" for code in range(1, 6)},
            "nets": [{"top": 2}],
        }
    columns["wt"] = np.round(rng.uniform(0.5, 2.0, people), 3)
    pd.DataFrame(columns).to_csv(folder / "data.csv", index=False)
    book = {"weight": "wt", "questions": questions}
    (folder / "book.yaml").write_text(yaml.safe_dump(book, sort_keys=False), encoding="utf-8")
    plan = {
        "data": "data.csv",
        "codebook": "book.yaml",
        "banners": {"main": [f"b{k}" for k in range(len(sizes))]},
        "tests": {"levels": [95, 90]},
        "tables": ["q0", {"each": "q*"}],
    }
    text = (
        yaml.safe_dump(plan, sort_keys=False)
        .replace("- q0\n", "- {question: q0, sort: down}\n")
        .replace("q*", "q[1-9]*")
    )
    (folder / "plan.yaml").write_text(text, encoding="utf-8")
    return folder / "plan.yaml", "sort: down", "sort: up"


def measured(name: str, make: Callable[[Path], tuple[Path, str, str]]) -> None:
    """Measure both ways of a change, forth and back, and print the medians."""
    from playwright.sync_api import sync_playwright

    with tempfile.TemporaryDirectory() as place, sync_playwright() as playwright:
        plan, before, after = make(Path(place))
        session = LiveSession(plan, otter.read_plan)
        session.refresh()
        server = server_for(session)
        server.start()
        stop = threading.Event()

        def keep_watch() -> None:
            states = states_of(session.watched())
            while wait_for_change(states, stop):
                states = states_of(session.watched())
                session.refresh()

        threading.Thread(target=keep_watch, daemon=True).start()
        chromium = shutil.which("chromium") or shutil.which("chromium-browser")
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(server.address)
        page.wait_for_selector("body[data-shown='1']")
        text = plan.read_text(encoding="utf-8")
        texts = [text.replace(before, after), text]
        seen, tables, loads = [], [], []
        for k in range(ROUNDS):
            time.sleep(0.7)
            start = time.perf_counter()
            plan.write_text(texts[k % 2], encoding="utf-8")
            page.wait_for_selector(f"body[data-shown='{k + 2}']")
            seen.append(time.perf_counter() - start)
            assert session.report is not None and len(session.shown.changed) == 1
            (request,) = [one for one in session.report.plan.requests if one.id == session.shown.changed[0]]  # type: ignore[union-attr]
            start = time.perf_counter()
            session.report.survey.tables([request])  # type: ignore[union-attr]
            tables.append(time.perf_counter() - start)
            other = browser.new_page(viewport={"width": 1280, "height": 800})
            start = time.perf_counter()
            other.goto(f"{server.address}page")
            loads.append(time.perf_counter() - start)
            other.close()
        stop.set()
        browser.close()
        server.stop()
    floor = [2 * one + load for one, load in zip(tables, loads, strict=True)]
    ratio = statistics.median(one / least for one, least in zip(seen, floor, strict=True))
    print(
        f"{name}: from saving to the screen {statistics.median(seen):.2f} s; the table {statistics.median(tables):.3f} "
        f"s, a load of the page {statistics.median(loads):.2f} s; × {ratio:.2f} of twice the table and a load"
    )


if __name__ == "__main__":
    measured("demo, 76 tables", demo)
    measured("135 tables, 45 columns, 50,000 respondents", large)
