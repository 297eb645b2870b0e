"""Who counts changes nothing: one process, several, or the workers of a cluster, some of them lost on the way."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import reduce
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyarrow import parquet

import eager_otter as otter
from eager_otter.counting import estimate, running
from eager_otter.counting.banner import lay_out
from eager_otter.counting.passes import Banners
from eager_otter.counting.population import Choice
from eager_otter.counting.running import Processes, Share, count_share, runner_for
from eager_otter.counting.wanted import Count, planned
from eager_otter.data import files, opened
from laws import LAW_BOOK, law_columns

BOOK = LAW_BOOK + "  equal: {label: Equal parts, bands: {of: glasses, equal: 3}}\n"
PLAN = """
title: Waves
data: responses.parquet
codebook: codebook.yaml
filter: wave in (1, 2, 3)
banners: {main: [wave, tried, equal]}
defaults: {figures: [column percent, mean, median]}
tests: {medians: mood}
tables:
  - {each: [liking, area, tried, glasses, kind_of]}
  - {question: area, base: all, no answer: by reason, id: why}
  - {items: [liking, again], as: answers by items}
outputs: [tables.csv, tables.json, tables.xlsx]
"""
PARTS = 50  # rows of a part in these tests


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A survey of 16 parts, in four blocks, with its plan."""
    place = tmp_path_factory.mktemp("long")
    pd.DataFrame(law_columns(11, 16 * PARTS - 7)).to_parquet(place / "responses.parquet", row_group_size=130)
    (place / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    (place / "plan.yaml").write_text(PLAN, encoding="utf-8")
    return place


@pytest.fixture(autouse=True)
def short_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "PART_ROWS", PARTS)


def outputs(report: otter.Report, folder: Path) -> dict[str, bytes]:
    """Write a report, and read what was written."""
    folder.mkdir()
    report.save(*(folder / f"tables.{ending}" for ending in ("csv", "json", "xlsx", "html")))
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())}


@pytest.fixture(scope="module")
def in_turn(folder: Path, tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", PARTS)
        return outputs(otter.run(folder / "plan.yaml", workers=1), tmp_path_factory.mktemp("one") / "out")


def test_two_processes_write_the_same_bytes_as_one(
    folder: Path, tmp_path: Path, in_turn: dict[str, bytes]
) -> None:
    heard: list[tuple[str, int, int]] = []
    report = otter.run(folder / "plan.yaml", workers=2, progress=lambda *said: heard.append(said))
    assert isinstance(report.survey, otter.Survey) and isinstance(report.survey.runner, Processes)
    assert outputs(report, tmp_path / "out") == in_turn
    rows = [done for what, done, of in heard if what == "Counting rows" and of == 16 * PARTS - 7]
    assert rows[:4] == [4 * PARTS, 8 * PARTS, 12 * PARTS, 16 * PARTS - 7]


@pytest.mark.parametrize("workers", [2, 3])
def test_this_process_is_one_of_those_that_count(
    workers: int, folder: Path, in_turn: dict[str, bytes], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It counts blocks while it waits for the others, which are as many as are asked for, less itself."""
    monkeypatch.setattr(files, "PART_ROWS", 10)  # twenty blocks
    here: list[int] = []
    made = Share.responses

    def responses(share: Share) -> Any:
        here.append(share.first)
        return made(share)

    monkeypatch.setattr(Share, "responses", responses)
    survey = otter.open_survey(folder / "codebook.yaml", folder / "responses.parquet")
    runner = Processes(workers)
    done: list[int] = []
    state = runner.count(pass_over(survey), survey.responses, lambda rows, of: done.append(rows))
    alone = running.InTurn().count(pass_over(survey), survey.responses)
    for one, other in zip(state, alone, strict=True):
        assert [part.tobytes() for sums in one.tally.sums for part in sums] == [
            part.tobytes() for sums in other.tally.sums for part in sums
        ]
    (pool,) = runner._pool
    assert len(pool._processes or {}) == workers - 1
    blocks = range(0, 16 * PARTS - 7, 40)
    assert 0 < len(here) < len(blocks) and set(here) < set(blocks) and here == sorted(set(here))
    assert done == [min(first + 40, 16 * PARTS - 7) for first in blocks]


def pass_over(survey: otter.Survey) -> Banners:
    """Return a pass that counts a question by a banner."""
    layout = lay_out(otter.Banner(groups=("wave",)), survey.codebook)
    plan = planned(Choice(), layout, survey.codebook).of((Count(question="liking"),))
    return Banners(plans=(plan,))


def test_the_audit_goes_along_with_the_tables(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The data are read once for both, and the audit is the one that is made alone."""
    reads: list[
        bool
    ] = []  # whether a pass goes over all questions; another looks at some of the audit's again

    def parts(*given: Any) -> Any:
        reads.append("liking" in given[1])
        return reading(*given)

    reading = running.parts_of
    monkeypatch.setattr(running, "parts_of", parts)
    text = PLAN.replace("[column percent, mean, median]", "[column percent]").replace(
        "tests: {medians: mood}", ""
    )
    (folder / "audited.yaml").write_text(text.partition("  - {items")[0] + "audit: true\n", encoding="utf-8")
    report = otter.run(folder / "audited.yaml", workers=1)
    assert report.audit is not None and report.audit.slips and sum(reads) == 1
    assert report.audit == otter.run_audit(folder / "audited.yaml") and sum(reads) == 2


def test_codes_that_are_not_kept_change_nothing(
    folder: Path, tmp_path: Path, in_turn: dict[str, bytes]
) -> None:
    report = otter.run(folder / "plan.yaml", workers=1, memory="1 MB")
    assert outputs(report, tmp_path / "out") == in_turn


@given(st.integers(1, 7), st.integers(1, 799))
@settings(max_examples=10)
def test_blocks_are_added_as_one_process_adds_them(folder: Path, size: int, people: int) -> None:
    """However many parts a block has, shares give the state of counting in turn, bit for bit."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", max(20, people // 6))
        patch.setattr(running, "BLOCK_PARTS", size)
        survey = otter.open_survey(folder / "codebook.yaml", folder / "responses.parquet")
        noted: list[Any] = []

        @dataclass
        class Both:
            def count(self, one_pass: Any, responses: Any, tell: Any = None) -> Any:
                alone = running.InTurn().count(one_pass, responses, tell)
                shares = running.shares_of(one_pass, responses)
                noted.append((alone, reduce(one_pass.added, (count_share(one_pass, one) for one in shares))))
                return alone

        replace(survey, runner=Both()).table("liking", banner=["tried", "wave"], figures=["mean", "count"])
        for alone, shared in noted:
            for one, other in zip(alone, shared, strict=True):
                assert one.steps == other.steps
                assert [part.tobytes() for sums in one.tally.sums for part in sums] == [
                    part.tobytes() for sums in other.tally.sums for part in sums
                ]


def test_a_file_that_is_changed_meanwhile_is_refused(folder: Path, tmp_path: Path) -> None:
    copy = tmp_path / "d.parquet"
    copy.write_bytes((folder / "responses.parquet").read_bytes())
    survey = otter.open_survey(folder / "codebook.yaml", copy)
    kept: list[Share] = []

    class Late:
        def count(self, one_pass: Any, responses: Any, tell: Any = None) -> Any:
            kept.extend(running.shares_of(one_pass, responses))
            os.utime(copy, ns=(1, 1))
            return count_share(one_pass, kept[0])

    with pytest.raises(otter.FileProblem, match="is not the file that was opened"):
        replace(survey, runner=Late()).table("liking")


def test_a_process_that_is_ended_from_outside_is_told(folder: Path) -> None:
    survey = replace(
        otter.open_survey(folder / "codebook.yaml", folder / "responses.parquet"), runner=Processes(2)
    )
    runner = survey.runner
    assert isinstance(runner, Processes)
    survey.table("liking")  # starts them
    (pool,) = runner._pool
    for process in list((pool._processes or {}).values()):
        os.kill(process.pid or 0, signal.SIGKILL)
    with pytest.raises(otter.MachineProblem, match="ended from outside"):
        for _ in range(20):
            survey.table("area")
            time.sleep(0.1)
    assert survey.table("area").people  # with new ones


def test_a_mistake_in_the_data_is_told_by_a_process_as_by_this_one(folder: Path, tmp_path: Path) -> None:
    frame = pd.read_parquet(folder / "responses.parquet").astype({"glasses": object})
    frame.loc[777, "glasses"] = "many"
    frame["glasses"] = frame["glasses"].astype(str).replace("nan", None)
    frame.to_parquet(tmp_path / "d.parquet")
    survey = otter.open_survey(folder / "codebook.yaml", tmp_path / "d.parquet")
    for runner in (running.InTurn(), Processes(2)):
        with pytest.raises(otter.DataError, match="'many' in row 778"):
            replace(survey, runner=runner).table("glasses")


def test_many_processes_are_taken_where_the_work_is_long(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(running, "processors", lambda: 3)
    short = otter.open_survey(folder / "codebook.yaml", folder / "responses.parquet").responses
    assert isinstance(runner_for(None, short), running.InTurn)
    monkeypatch.setattr(running, "LONG_WORK", 100)
    assert isinstance(runner_for(None, short), running.InTurn)  # its codes are kept for the next time
    once = runner_for(None, short, once=True)
    assert isinstance(once, Processes) and once.workers == 3
    monkeypatch.setattr(opened, "memory_to_use", lambda: 0)
    long = otter.open_survey(folder / "codebook.yaml", folder / "responses.parquet").responses
    chosen = runner_for(None, long)
    assert isinstance(chosen, Processes) and chosen.workers == 3


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"workers": 0}, "a whole number from 1 up"),
        ({"workers": True}, "expected a whole number"),
        ({"workers": "two"}, "expected a whole number"),
        ({"memory": "plenty"}, "a size such as 500 MB"),
        ({"workers": 2, "cluster": "tcp://127.0.0.1:1"}, "A cluster has its own workers"),
        ({"cluster": "somewhere"}, "is no address of a scheduler"),
        ({"cluster": 17}, "the address of a scheduler, or a client"),
    ],
)
def test_wrong_machines_are_refused(folder: Path, options: dict[str, Any], message: str) -> None:
    with pytest.raises(otter.OtterError, match=message):
        otter.run(folder / "plan.yaml", **options)


def test_the_command_counts_by_processes(
    folder: Path, tmp_path: Path, in_turn: dict[str, bytes], run: Callable[..., tuple[int, str, str]]
) -> None:
    target, plan = tmp_path / "tables.csv", folder / "plan.yaml"
    code, _, err = run("run", plan, "-o", target, "--workers", 2, "--memory", "50MB")
    assert code == 0, err
    assert target.read_bytes() == in_turn["tables.csv"]
    code, _, err = run("run", plan, "-o", target, "--memory", "lots")
    assert code == 2 and "a size such as 500 MB" in err
    code, _, err = run("run", plan, "--list", "--workers", 2)
    assert code == 2 and "--workers" in err


# --- a cluster ------------------------------------------------------------------------------------------


QUIET = pytest.mark.filterwarnings(
    "ignore::ResourceWarning", "ignore::pytest.PytestUnraisableExceptionWarning"
)


@pytest.fixture(scope="module")
def cluster() -> Iterator[Any]:
    """Two workers as processes on the loopback."""
    distributed = pytest.importorskip("distributed")
    with distributed.LocalCluster(
        n_workers=2, threads_per_worker=1, dashboard_address="127.0.0.1:0", host="127.0.0.1", silence_logs=50
    ) as started:
        yield started


@pytest.mark.slow
@QUIET
def test_a_cluster_writes_the_same_bytes_though_a_worker_is_lost(
    cluster: Any, folder: Path, tmp_path: Path, in_turn: dict[str, bytes]
) -> None:
    lost: list[int] = []

    def lose(what: str, done: int, of: int) -> None:
        if what == "Counting rows" and not lost:
            worker = next(iter(cluster.workers.values()))
            lost.append(worker.process.process.pid)
            os.kill(lost[0], signal.SIGKILL)

    report = otter.run(folder / "plan.yaml", cluster=cluster.scheduler_address, progress=lose)
    assert lost
    assert outputs(report, tmp_path / "out") == in_turn


def addressed(folder: Path, place: Path) -> Path:
    """The same survey elsewhere, whose plan names the responses by an address that every worker sees."""
    place.mkdir()
    (place / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    address = f"data: {(folder / 'responses.parquet').as_uri()}"
    (place / "plan.yaml").write_text(PLAN.replace("data: responses.parquet", address), encoding="utf-8")
    return place / "plan.yaml"


def test_processes_read_what_is_at_an_address(
    folder: Path, tmp_path: Path, in_turn: dict[str, bytes]
) -> None:
    report = otter.run(addressed(folder, tmp_path / "plan"), workers=2)
    assert "version" in str(report.source)
    assert outputs(report, tmp_path / "out")["tables.csv"] == in_turn["tables.csv"]


@pytest.mark.slow
@QUIET
def test_a_cluster_reads_what_is_at_an_address(
    cluster: Any, folder: Path, tmp_path: Path, in_turn: dict[str, bytes]
) -> None:
    plan = addressed(folder, tmp_path / "plan")
    report = otter.run(plan, cluster=cluster.scheduler_address)
    assert outputs(report, tmp_path / "out")["tables.csv"] == in_turn["tables.csv"]


@pytest.mark.slow
@QUIET
def test_a_client_is_taken_and_a_cluster_without_workers_is_not(
    folder: Path, tmp_path: Path, in_turn: dict[str, bytes]
) -> None:
    distributed = pytest.importorskip("distributed")
    with (
        distributed.LocalCluster(
            n_workers=1, threads_per_worker=1, dashboard_address="127.0.0.1:0", silence_logs=50
        ) as own,
        distributed.Client(own) as client,
    ):
        assert outputs(otter.run(folder / "plan.yaml", cluster=client), tmp_path / "out") == in_turn
        own.scale(0)
        while client.scheduler_info(n_workers=-1)["workers"]:
            time.sleep(0.05)
        with pytest.raises(otter.MachineProblem, match="no workers"):
            otter.run(folder / "plan.yaml", cluster=client)


@pytest.mark.slow
@QUIET
def test_a_scheduler_that_is_not_there_or_goes_away_ends_the_run_with_one_message(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    distributed = pytest.importorskip("distributed")
    from eager_otter.counting import cluster as module

    monkeypatch.setattr(module, "ANSWER_TIME", 1)
    with pytest.raises(otter.MachineProblem, match=r"No scheduler answers at .tcp://127\.0\.0\.1:1"):
        otter.run(folder / "plan.yaml", cluster="tcp://127.0.0.1:1")
    own = distributed.LocalCluster(
        n_workers=1, threads_per_worker=1, dashboard_address="127.0.0.1:0", silence_logs=50
    )
    client = distributed.Client(own)

    def close(what: str, done: int, of: int) -> None:
        if what == "Counting rows":
            threading.Thread(target=client.close).start()
            time.sleep(0.5)

    try:
        with pytest.raises(otter.MachineProblem, match="scheduler of the cluster is gone"):
            otter.run(folder / "plan.yaml", cluster=client, progress=close)
    finally:
        own.close()


def test_a_lack_of_memory_is_an_answer_with_what_is_needed(
    folder: Path, run: Callable[..., tuple[int, str, str]], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    from eager_otter.counting import part

    def lacking(*given: object) -> None:
        raise MemoryError

    monkeypatch.setattr(part.BannerCounting, "tally", lacking)
    code, _, err = run("run", folder / "plan.yaml", "-o", tmp_path / "t.csv")
    assert code == 2 and not list(tmp_path.iterdir())
    assert "not enough memory to count this. About" in err and "rows of 9 columns" in err
    assert "This is a fault" not in err


def test_a_plain_script_may_count_by_processes(folder: Path, tmp_path: Path) -> None:
    """Without a guard of its own: processes do not run the script again."""
    script = tmp_path / "plain.py"
    script.write_text(
        "from eager_otter.data import files\n"
        f"files.PART_ROWS = {PARTS}\n"
        "import eager_otter as otter\n"
        f"print(len(otter.run({str(folder / 'plan.yaml')!r}, workers=2).tables))\n",
        encoding="utf-8",
    )
    done = subprocess.run([sys.executable, script], capture_output=True, text=True, check=False, timeout=120)
    assert (done.stdout, done.returncode) == ("7\n", 0), done.stderr


def test_a_long_csv_file_is_refused_on_a_cluster(
    folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from eager_otter.counting.cluster import OnCluster

    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    pd.read_parquet(folder / "responses.parquet").to_csv(tmp_path / "d.csv", index=False)
    survey = otter.open_survey(folder / "codebook.yaml", tmp_path / "d.csv")
    with pytest.raises(otter.RequestError, match=r"save the data as Parquet there"):
        replace(survey, runner=OnCluster(client=None)).table("liking")
    assert replace(survey, runner=Processes(2)).table("liking").people


LIMITED = """
import sys
from pathlib import Path
import eager_otter as otter
otter.run(sys.argv[1], workers=1, memory="1 MB").save(sys.argv[2], force=True)
status = Path("/proc/self/status").read_text().split()
print(status[status.index("VmHWM:") + 1])
"""


@pytest.mark.slow
@pytest.mark.skipif(not Path("/proc/self/status").exists(), reason="only Linux tells the peak of memory so")
def test_four_times_the_rows_take_hardly_more_memory(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whole columns of 60 questions would take some 150 MB more, and their texts several times that."""
    monkeypatch.undo()
    rng = np.random.default_rng(1)
    names = [f"q{k}" for k in range(60)]
    questions = "".join(
        f"  {name}: {{kind: single, column: {name}, answers: {{1: A, 2: B, 3: C}}}}\n" for name in names
    )
    (tmp_path / "codebook.yaml").write_text(f"respondent: id\nquestions:\n{questions}", encoding="utf-8")
    peaks = []
    for rows in (150_000, 600_000):
        columns = {name: pa.array(rng.integers(1, 4, rows).astype(str)) for name in names}
        table = pa.table({"id": pa.array([f"R{k:07d}" for k in range(rows)]), **columns})
        parquet.write_table(table, tmp_path / "d.parquet", row_group_size=100_000)
        plan = "data: d.parquet\ncodebook: codebook.yaml\nbanners: {main: [q0, q1]}\ntables: [{each: all}]\n"
        (tmp_path / "plan.yaml").write_text(plan, encoding="utf-8")
        done = subprocess.run(
            [sys.executable, "-c", LIMITED, tmp_path / "plan.yaml", tmp_path / "t.csv"],
            capture_output=True,
            text=True,
            check=True,
            timeout=300,
        )
        peaks.append(int(done.stdout.split()[-1]) / 1024)
    assert peaks[1] < peaks[0] + 120, peaks  # some 70, and 210 where columns are kept


def test_long_work_is_foretold_and_its_figures_are_the_same(
    folder: Path,
    tmp_path: Path,
    in_turn: dict[str, bytes],
    run: Callable[..., tuple[int, str, str]],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(estimate, "LONG", 10)
    heard: list[tuple[str, int, int]] = []
    report = otter.run(folder / "plan.yaml", workers=2, progress=lambda *said: heard.append(said))
    assert outputs(report, tmp_path / "out") == in_turn
    (told,) = [(text, done, of) for text, done, of in heard if "about" in text]
    assert re.fullmatch(
        r"793 rows of \d+ columns: about \d+ seconds and 0\.4 GB of memory, by 2 workers", told[0]
    )
    assert told[1:] == (0, 16 * PARTS - 7)
    code, _, err = run("run", folder / "plan.yaml", "-o", tmp_path / "t.csv", "--workers", "1")
    assert code == 0 and re.search(
        r"^793 rows of \d+ columns: about \d+ seconds and 0\.2 GB of memory$", err, re.M
    )
    monkeypatch.setattr(estimate, "LONG", 17)
    code, _, err = run("run", folder / "plan.yaml", "-o", tmp_path / "t.csv", "--force", "--workers", "1")
    assert code == 0 and "about" not in err


def test_an_estimate_grows_with_the_rows_and_falls_with_the_workers(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of a clock that ticks a second whenever it is asked."""
    ticks = iter(range(1000))
    monkeypatch.setattr(estimate.time, "perf_counter", lambda: float(next(ticks)))
    responses = otter.open_survey(folder / "codebook.yaml", folder / "responses.parquet").responses
    plan = planned(Choice(), lay_out(otter.Banner(groups=()), responses.codebook), responses.codebook)
    one_pass = Banners(plans=(plan,))
    one, two, three = (
        estimate.estimated(runner, one_pass, responses)
        for runner in (running.InTurn(), Processes(2), Processes(4))
    )
    assert one is not None and two is not None and three is not None
    assert one.seconds == 8.0  # two of sixteen parts took a second
    assert 4.0 < two.seconds < 8.0 and 2.0 < three.seconds < two.seconds
    assert two.memory > one.memory and two.workers == 2
