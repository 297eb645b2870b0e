"""The live page: what is shown after each change is what a new run makes, and nobody else can see it."""

from __future__ import annotations

import http.client
import json
import re
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import pytest

import eager_otter as otter
from eager_otter.gates.local_server import LocalServer
from eager_otter.gates.reading import packaged_text
from eager_otter.live.serving import server_for
from eager_otter.live.session import RENEW, LiveSession
from eager_otter.live.watching import states_of, wait_for_change
from eager_otter.report.webpage import PageCache, pieces_of

Run = Callable[..., tuple[int, str, str]]
PLAN, BOOK, THEME, DATA = "plan.yaml", "codebook.yaml", "theme.yaml", "responses.csv"
ALL = None  # most tables are made again

# Thirty changes of a day, one after the other: file, what stands there, what is to stand there, and which tables are
# made again (a pattern of ids; ALL where the change touches most), or what is told of a mistake.
CHANGES: list[tuple[str, str, str, str | Exception | None]] = [
    (PLAN, "- {question: heard_of, sort: down}", "- {question: heard_of, sort: up}", "heard_of"),
    (PLAN, "heard_of, sort: up", "heard_of, sort: up, hide: [None of these]", "heard_of"),
    (PLAN, "- named\n", "- {question: named, base: all, no answer: by reason}\n", "named"),
    (PLAN, "- drunk_ever\n", "- {question: drunk_evr}\n", ValueError("no question 'drunk_evr' in the codebook. Did you mean 'drunk_ever'")),
    (PLAN, "drunk_evr", "drunk_ever, figures: [column percent, count]", "drunk_ever"),
    (PLAN, "repeat: wave}", "repeat: region}", "drunk_month-.*"),
    (PLAN, "leave out: [No usual brand]", "leave out: [No usual brand], most: 5", "usual"),
    (PLAN, "figure: Good or very good, sort: down", "figure: mean, sort: down", "ratings"),
    (PLAN, "  - {question: preference.top2}\n", "  - {question: preference.top2, note: As ranked}\n  - {question: age, banner: deep}\n", "preference.top2|age"),
    (PLAN, "title: Intent to buy before and after reading", "title: Before and after", "intent"),
    (PLAN, "levels: [95, 90]", "levels: [99]", ALL),
    (PLAN, "no test below: 50", "no test below: 75", ALL),
    (PLAN, "digits: {percent: 0, mean: 2}", "digits: {percent: 1, mean: 2}", ALL),
    (PLAN, "spend < 200, figures: [mean, median,", "spend < 100, figures: [mean, median,", "spend"),
    (PLAN, "spend < 100", "spend < hundred", ValueError("spend < hundred")),
    (PLAN, "spend < hundred", "spend < 150", "spend"),
    (PLAN, "- age_band\n    - {question: user_type", "- age_band\n    - settlement\n    - {question: user_type", ALL),
    (BOOK, "label: Settlement", "label: Where people live", ALL),
    (BOOK, "5: Five or more}", "5: Five and more}", "household|children"),
    (BOOK, "text: How often do you do sport?", "text: How often do you exercise?", "sport"),
    (BOOK, "bottom: 2, label: Hardly different (bottom two)", "bottom: 1, label: Not different", "different"),
    (BOOK, "ranges: [16-24, 25-34, 35-54, 55+]", "ranges: [16-24, 25-34, 35-54, 55+", ValueError("codebook.yaml:")),
    (BOOK, "ranges: [16-24, 25-34, 35-54, 55+", "ranges: [16-34, 35-54, 55+]", ValueError("age_band has no answer '16-24'")),
    (BOOK, "Under 35: [16-24, 25-34]", "Under 35: [16-34]", ALL),
    (BOOK, "asked: household >= 2", "asked: household >= 3", "children"),
    (PLAN, 'filter: status == "complete"', 'filter: status == "complete" and age >= 18', ALL),
    (PLAN, "filter: status", "theme: theme.yaml\nfilter: status", ""),
    (THEME, 'ink: "#222222"', 'ink: "#333333"', ""),
    (PLAN, "theme: theme.yaml\n", "theme: theme.yaml\nlanguage: de\nweight: none\n", ALL),
    (DATA, "\n1001,", "\n991001,", ALL),
]  # fmt: skip


def fresh(path: Path) -> str:
    """The page of a plan made in one go, by nothing that was there before."""
    plan = otter.read_plan(path)
    report = otter.run(replace(plan, findings=0, audit=False))
    return pieces_of(report, PageCache(), packaged_text("eager_otter.live", "page", RENEW)).text


@pytest.mark.slow
def test_thirty_changes_of_a_day_are_shown_as_a_new_run_makes_them(demo: Path, tmp_path: Path) -> None:
    assert len(CHANGES) == 30
    folder = Path(shutil.copytree(demo, tmp_path / "day"))
    plan = (folder / PLAN).read_text(encoding="utf-8")
    some = "{each: [household, children, sport, different, age_band]}"  # as many tables as it takes
    (folder / PLAN).write_text(plan.replace("{each: all}", some), encoding="utf-8")
    (folder / THEME).write_text('ink: "#222222"\n', encoding="utf-8")
    session = LiveSession(folder / PLAN, otter.read_plan)
    session.refresh()
    good = fresh(folder / PLAN)
    for number, (name, before, after, expected) in enumerate(CHANGES, 2):
        path = folder / name
        text = path.read_text(encoding="utf-8")
        assert text.count(before) >= 1, before
        path.write_text(text.replace(before, after, 1), encoding="utf-8")
        shown = session.refresh()
        assert shown.number == number
        if isinstance(expected, ValueError):
            assert str(expected) in shown.mistake, (before, shown.mistake)
            assert shown.page == good and not shown.changed  # the last good tables stay
            continue
        assert not shown.mistake, (after, shown.mistake)
        good = fresh(path.parent / PLAN)
        assert shown.page == good, after
        assert session.report is not None
        ids = [table.id for table in session.report]
        if expected is None:
            assert len(shown.changed) > len(ids) / 2, after
        else:
            wanted = [one for one in ids if re.fullmatch(expected, one)]
            assert list(shown.changed) == wanted, (after, shown.changed)
    assert {folder / name for name in (PLAN, BOOK, THEME, DATA)} <= set(session.watched())


def test_a_plan_that_is_wrong_from_the_start_is_shown_once_it_is_mended(demo: Path, tmp_path: Path) -> None:
    folder = Path(shutil.copytree(demo, tmp_path / "day"))
    plan = folder / PLAN
    text = plan.read_text(encoding="utf-8")
    plan.write_text("data: [", encoding="utf-8")
    session = LiveSession(plan, otter.read_plan)
    shown = session.refresh()
    assert "not valid YAML" in shown.mistake and not shown.page and plan in session.watched()
    plan.unlink()
    assert "plan.yaml" in session.refresh().mistake
    plan.write_text(text, encoding="utf-8")
    shown = session.refresh()
    assert (
        not shown.mistake
        and shown.told.startswith("76 tables (")
        and shown.page.startswith("<!doctype html>")
    )
    assert session.refresh().told.startswith("no table changed (")


@contextmanager
def serving(session: LiveSession) -> Iterator[LocalServer]:
    server = server_for(session)
    server.start()
    try:
        yield server
    finally:
        server.stop()


def asked(
    server: LocalServer, path: str, host: str | None = None, method: str = "GET"
) -> tuple[int, Any, bytes]:
    with closing(http.client.HTTPConnection("127.0.0.1", server.port, timeout=10)) as connection:
        connection.request(method, path, headers={"Host": host} if host else {})
        answer = connection.getresponse()
        return answer.status, answer.headers, answer.read()


SMALL = "questions: {region: {kind: single, label: Region, answers: {1: North, 2: South}}}\n"


@pytest.fixture
def session(write: Callable[[str, str], Path]) -> LiveSession:
    write("data.csv", "region\n" + "1\n2\n2\n" * 20)
    write("book.yaml", SMALL)
    plan = write("plan.yaml", "data: data.csv\ncodebook: book.yaml\ntables: [region]\n")
    return LiveSession(plan, otter.read_plan)


def test_the_server_answers_this_machine_and_the_token_alone(session: LiveSession) -> None:
    session.refresh()
    with serving(session) as server:
        token = urlsplit(server.address).path
        assert len(token.strip("/")) >= 30
        status, headers, body = asked(server, token)
        assert (
            status == 200
            and b"<iframe" in body
            and "default-src 'none'" in headers["Content-Security-Policy"]
        )
        status, headers, body = asked(server, f"{token}page")
        assert (
            status == 200 and body.decode() == session.shown.page and headers["Cache-Control"] == "no-store"
        )
        port = server.port
        for path, host, wanted in [
            (token, f"localhost:{port}", 200),
            (token, "example.org", 403),
            (token, f"example.org:{port}", 403),
            (token, "127.0.0.1", 403),  # a name without the port is another origin
            ("/", None, 404),
            ("/page", None, 404),
            (token[:-2] + "/", None, 404),
            ("/" + "x" * 32 + "/page", None, 404),
            (token + "../plan.yaml", None, 404),
            (token + "plan.yaml", None, 404),
            (token.rstrip("/"), None, 404),
        ]:
            status, _, body = asked(server, path, host)
            assert status == wanted, (path, host)
            assert wanted == 200 or b"North" not in body
        assert asked(server, token, method="POST")[0] == 501
        with pytest.raises(OSError, match="refused"):  # bound to one address of the loopback alone
            socket.create_connection(("127.0.0.2", port), 1)


def test_news_are_told_when_there_are_some(session: LiveSession) -> None:
    session.refresh()
    with serving(session) as server:
        token = urlsplit(server.address).path
        first = json.loads(asked(server, f"{token}news?after=0")[2])
        assert (first["number"], first["mistake"], first["good"], first["jumps"]) == (1, "", True, ["region"])
        waiting: list[Any] = []
        thread = threading.Thread(
            target=lambda: waiting.append(json.loads(asked(server, f"{token}news?after=1")[2]))
        )
        thread.start()
        time.sleep(0.2)
        assert not waiting  # nothing to tell yet
        (session.path.parent / "book.yaml").write_text(
            SMALL.replace("2: South", "2: 'South'}, x: {}"), encoding="utf-8"
        )
        session.refresh()
        thread.join(10)
        assert waiting[0]["number"] == 2 and "book.yaml:1" in waiting[0]["mistake"] and waiting[0]["good"]
        assert asked(server, f"{token}news?after=x")[0] == 200
    assert session.wait(after=99, seconds=0.01).number == 2


def test_what_a_run_makes_beyond_the_page_is_told(session: LiveSession) -> None:
    text = session.path.read_text(encoding="utf-8")
    session.refresh()
    assert session.left_out == ()
    session.path.write_text(text + "findings: 5\nfor each: region\n", encoding="utf-8")
    assert not session.refresh().mistake
    told = " ".join(session.left_out)
    assert "main findings" in told and "one for each region" in told
    assert session.report is not None and not session.report.notable


def test_a_port_that_is_taken_is_told(session: LiveSession) -> None:
    with (
        serving(session) as server,
        pytest.raises(otter.RequestError, match=f"Port {server.port} cannot be had"),
    ):
        server_for(session, server.port)


@pytest.mark.parametrize("how", ["written", "renamed", "made", "deleted"])
def test_files_that_are_saved_are_seen_however_that_is_done(tmp_path: Path, how: str) -> None:
    file, other = tmp_path / "plan.yaml", tmp_path / "other.yaml"
    if how != "made":
        file.write_text("1", encoding="utf-8")
    states, stop = states_of([file]), threading.Event()
    seen: list[bool] = []
    thread = threading.Thread(target=lambda: seen.append(wait_for_change(states, stop)))
    thread.start()
    time.sleep(0.5)
    other.write_text("x", encoding="utf-8")  # of no interest
    time.sleep(0.5)
    assert not seen
    if how == "renamed":
        (tmp_path / "new").write_text("2", encoding="utf-8")
        (tmp_path / "new").replace(file)
    elif how == "deleted":
        file.unlink()
    else:
        file.write_text("22", encoding="utf-8")
    thread.join(15)
    stop.set()
    assert seen == [True]


def test_what_was_saved_while_nobody_waited_is_seen_at_once(tmp_path: Path) -> None:
    file = tmp_path / "plan.yaml"
    states = states_of([file])
    file.write_text("1", encoding="utf-8")
    assert wait_for_change(states, threading.Event())


def test_waiting_can_be_stopped(tmp_path: Path) -> None:
    stop = threading.Event()
    threading.Timer(0.2, stop.set).start()
    assert not wait_for_change(states_of([tmp_path / "x"]), stop)


@pytest.mark.parametrize("halfway", ["emptied", "gone"])
def test_a_file_is_read_once_it_is_saved_and_not_while_it_is(tmp_path: Path, halfway: str) -> None:
    """Some programs empty a file, or take it away, before they write it."""
    file, other = tmp_path / "plan.yaml", tmp_path / "empty.yaml"
    file.write_text("tables: [a]", encoding="utf-8")
    states, seen = states_of([file, other]), []
    if halfway == "gone":
        file.unlink()
    else:
        file.write_text("", encoding="utf-8")
    thread = threading.Thread(
        target=lambda: seen.append((wait_for_change(states, threading.Event()), states_of([file])))
    )
    thread.start()
    time.sleep(0.3)
    assert not seen
    file.write_text("tables: [b]", encoding="utf-8")
    thread.join(10)
    assert seen == [(True, states_of([file]))]


def test_a_file_that_stays_empty_is_told_after_a_moment(tmp_path: Path) -> None:
    file = tmp_path / "plan.yaml"
    file.write_text("tables: [a]", encoding="utf-8")
    states = states_of([file])
    file.write_text("", encoding="utf-8")
    assert wait_for_change(states, threading.Event())
    stop = threading.Event()
    stop.set()
    assert not wait_for_change(states, stop)


@pytest.mark.slow
def test_the_command_serves_tells_and_ends(demo: Path, tmp_path: Path) -> None:
    folder = Path(shutil.copytree(demo, tmp_path / "day"))
    (folder / PLAN).write_text(
        (folder / PLAN).read_text("utf-8").replace("each: all", "question: sport"), "utf-8"
    )
    command = [sys.executable, "-m", "eager_otter", "live", "--no-browser", "--filter", "age >= 30"]
    with subprocess.Popen(
        command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout is not None and process.stderr is not None
        assert re.match(r"\d\d:\d\d:\d\d  \d+ tables \(", process.stdout.readline())
        address = re.search(r"http://\S+", process.stdout.readline())
        assert address is not None
        url = urlsplit(address[0])
        with closing(http.client.HTTPConnection(url.hostname or "", url.port, timeout=10)) as connection:
            connection.request("GET", f"{url.path}page")
            assert (
                b"Age in years" in connection.getresponse().read()
            )  # the filter of the command line, in words
        text = (folder / PLAN).read_text(encoding="utf-8")
        (folder / PLAN).write_text(
            text.replace("heard_of, sort: down", "heard_of, sort: up"), encoding="utf-8"
        )
        assert process.stdout.readline()[8:].startswith("  1 table made again: heard_of (")
        (folder / PLAN).write_text(
            text.replace("heard_of, sort: down", "heard_of, srot: up"), encoding="utf-8"
        )
        assert "main findings and the audit are left out here" in process.stderr.readline()
        assert "unknown key 'srot'" in process.stderr.readline()
        (folder / PLAN).write_text(
            re.sub("^title: .*", "title: Water #2 now", text, flags=re.M), encoding="utf-8"
        )
        assert process.stdout.readline()[8:].startswith("  ")
        told = [process.stderr.readline() for _ in range(3)]  # the line in question and its mark come first
        assert any("only 'Water' is read here" in line for line in told)
        process.send_signal(signal.SIGINT)
        assert process.wait(20) == 0
    assert not (folder / "tables.new").exists()


@contextmanager
def in_browser(session: LiveSession) -> Iterator[tuple[LocalServer, Any, Any]]:
    """Serve a session and show it in a browser: its server, the browser, and the page in it."""
    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    if chromium is None:
        pytest.skip("Chromium is not installed")
    from playwright.sync_api import sync_playwright

    with serving(session) as server, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        opened = browser.new_page(viewport={"width": 1280, "height": 800})
        opened.goto(server.address)
        opened.wait_for_selector("body[data-shown='1']")
        yield server, browser, opened
        browser.close()


@pytest.mark.slow
def test_the_page_is_made_again_in_the_browser_at_the_table_looked_at(demo: Path, tmp_path: Path) -> None:
    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    if chromium is None:
        pytest.skip("Chromium is not installed")
    from playwright.sync_api import sync_playwright

    folder = Path(shutil.copytree(demo, tmp_path / "day"))
    session = LiveSession(folder / PLAN, otter.read_plan)
    session.refresh()

    def top(browser_page: Any, table: str) -> float:
        frame = browser_page.query_selector("iframe").content_frame()
        found = frame.eval_on_selector(
            f"section[data-id='{table}']", "one => one.getBoundingClientRect().top"
        )
        return float(found)

    def edit(name: str, before: str, after: str) -> None:
        text = (folder / name).read_text(encoding="utf-8")
        assert before in text
        (folder / name).write_text(text.replace(before, after), encoding="utf-8")
        session.refresh()

    with serving(session) as server, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        opened = browser.new_page(viewport={"width": 1280, "height": 800})
        wrong: list[str] = []
        opened.on("pageerror", lambda error: wrong.append(str(error)))
        asked_for: list[str] = []
        opened.on("request", lambda request: asked_for.append(request.url))
        opened.goto(server.address)
        opened.wait_for_selector("body[data-shown='1']")
        frame = opened.query_selector("iframe").content_frame()  # type: ignore[union-attr]
        for _ in range(3):  # heights of tables out of view are estimated until they are drawn
            frame.eval_on_selector("section[data-id='liking']", "one => one.scrollIntoView()")
            time.sleep(0.2)
        assert abs(top(opened, "liking")) < 2
        edit(
            PLAN, "{question: heard_of, sort: down}", "{question: heard_of, sort: down, most: 2}"
        )  # far above
        opened.wait_for_selector("body[data-shown='2']")
        assert abs(top(opened, "liking")) < 2
        assert opened.inner_text("#told").startswith("1 table made again: heard_of (")
        edit(PLAN, "count, mean, standard deviation", "mean")
        opened.wait_for_selector("body[data-shown='3']")
        frame = opened.query_selector("iframe").content_frame()  # type: ignore[union-attr]
        assert "Standard deviation" not in frame.inner_text("section[data-id='liking']")
        opened.click("#jumps a")
        assert abs(top(opened, "liking")) < 400
        edit(PLAN, "- drunk_ever", "- drunk_evr")
        opened.wait_for_selector("#mistake:not([hidden])")
        told = opened.inner_text("#mistake pre")
        assert re.search(
            r"plan\.yaml:\d+:5: no question 'drunk_evr' in the codebook.*\n +\d+ \|   - drunk_evr\n +\^", told
        )
        edit(PLAN, "- drunk_evr", "- drunk_ever")
        opened.wait_for_selector("#mistake", state="hidden")
        edit(BOOK, "5: Five or more}", "5: <b>Five</b>}")
        opened.wait_for_selector("body[data-shown='6']")
        frame = opened.query_selector("iframe").content_frame()  # type: ignore[union-attr]
        assert "<b>Five</b>" in (frame.text_content("section[data-id='household']") or "")
        for most in range(3, 9):  # saved faster than a page is loaded: the last one is shown
            edit(PLAN, f"most: {most - 1}}}", f"most: {most}}}")
            time.sleep(0.15 if most % 2 else 0.6)
        opened.wait_for_selector("body[data-shown='12']")
        frame = opened.query_selector("iframe").content_frame()  # type: ignore[union-attr]
        assert frame.locator("section[data-id='heard_of'] tr.answer").count() == 8
        assert opened.locator("iframe").count() == 1
        browser.close()
    assert not wrong and all(url.startswith(server.address) for url in asked_for)  # nothing leaves


LOADED = """() => {
  const plain = (one) => one.outerHTML.replaceAll(' class="scroll fits"', ' class="scroll"');
  const tables = [...document.querySelectorAll("main section, #contents, #about")].map(plain);
  return [...tables, document.querySelectorAll("section[data-id]").length];
}"""


@pytest.mark.slow
def test_tables_put_into_the_page_are_what_a_page_that_is_loaded_shows(demo: Path, tmp_path: Path) -> None:
    folder = Path(shutil.copytree(demo, tmp_path / "day"))
    plan = (folder / PLAN).read_text(encoding="utf-8")
    some = "{each: [household, children, sport, different, age_band]}"
    (folder / PLAN).write_text(plan.replace("{each: all}", some), encoding="utf-8")
    (folder / THEME).write_text('ink: "#222222"\n', encoding="utf-8")
    session = LiveSession(folder / PLAN, otter.read_plan)
    session.refresh()
    with in_browser(session) as (server, browser, opened):
        wrong: list[str] = []
        opened.on("pageerror", lambda error: wrong.append(str(error)))
        kept, loaded = 0, 0
        for number, (name, before, after, _) in enumerate(CHANGES, 2):
            frame = opened.query_selector("iframe").content_frame()  # type: ignore[union-attr]
            frame.evaluate("window.mark = 1")
            path = folder / name
            path.write_text(path.read_text(encoding="utf-8").replace(before, after, 1), encoding="utf-8")
            shown = session.refresh()
            opened.wait_for_selector(f"body[data-{'told' if shown.mistake else 'shown'}='{number}']")
            if shown.mistake:
                continue
            frame = opened.query_selector("iframe").content_frame()  # type: ignore[union-attr]
            other = browser.new_page(viewport={"width": 1280, "height": 800})
            other.goto(f"{server.address}page")
            assert frame.evaluate(LOADED) == other.evaluate(LOADED), after
            other.close()
            stayed = frame.evaluate("window.mark === 1")
            kept, loaded = kept + stayed, loaded + (not stayed)
    assert (
        not wrong and kept > 10 and loaded > 3
    )  # most changes need no new page; a theme or a table more does


@pytest.mark.slow
def test_what_a_reader_chose_stays_as_tables_are_put_into_the_page(demo: Path, tmp_path: Path) -> None:
    folder = Path(shutil.copytree(demo, tmp_path / "day"))
    session = LiveSession(folder / PLAN, otter.read_plan)
    session.refresh()
    with in_browser(session) as (server, browser, opened):
        frame = opened.query_selector("iframe").content_frame()  # type: ignore[union-attr]
        frame.fill("#level", "99.9")
        frame.check("#single")
        frame.fill("#find", "heard")
        text = (folder / PLAN).read_text(encoding="utf-8")
        (folder / PLAN).write_text(
            text.replace("{question: heard_of, sort: down}", "{question: heard_of, sort: up}")
        )
        session.refresh()
        opened.wait_for_selector("body[data-shown='2']")
        section = frame.locator("section[data-id='heard_of']")
        assert section.locator("tr.answer th").first.inner_text() == "Pebblecourt"
        assert "99.9 % level" in section.locator(".changed").inner_text()
        letters = [one for one in section.locator("tbody b").all_inner_texts() if one]
        assert letters and all(one == one.upper() for one in letters)  # of one level alone
        other = browser.new_page(viewport={"width": 1280, "height": 800})
        other.goto(f"{server.address}page")
        other.fill("#level", "99.9")
        other.check("#single")
        assert section.inner_text() == other.locator("section[data-id='heard_of']").inner_text()
        assert frame.locator("section[data-id]:not([hidden])").count() < 10
        assert frame.locator("#found").inner_text().endswith("of 76 tables")
        frame.click("#reset")
        opened.wait_for_timeout(300)
        assert frame.locator("section[data-id]:not([hidden])").count() == 76
        assert any(one != one.upper() for one in section.locator("tbody b").all_inner_texts())


def test_changes_of_a_page_are_its_tables_that_differ_or_all_of_it(session: LiveSession) -> None:
    session.refresh()
    assert session.changes(0) is None and session.changes(7) is None
    same = session.changes(1)
    assert same is not None and not same.tables and same.number == 1
    first = session.path.read_text(encoding="utf-8").replace("[region]", "[{question: region, sort: down}]")
    session.path.write_text(first, encoding="utf-8")
    session.refresh()
    changed = session.changes(1)
    assert changed is not None and changed.number == 2 and list(changed.tables) == [0]
    assert changed.tables[0].id == "region"
    session.path.write_text(f"title: Another\n{first}", encoding="utf-8")
    session.refresh()
    assert session.changes(2) is None  # the title stands outside of tables
    same = session.changes(3)
    assert same is not None and not same.tables


def test_the_browser_is_told_when_the_program_has_ended(session: LiveSession) -> None:
    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    if chromium is None:
        pytest.skip("Chromium is not installed")
    from playwright.sync_api import sync_playwright

    session.refresh()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        opened = browser.new_page()
        server = server_for(session)
        server.start()
        opened.goto(server.address)
        opened.wait_for_selector("body[data-shown='1']")
        server.stop()
        session.refresh()  # lets the request that waits go
        opened.wait_for_selector("#told.lost")
        assert "start eager-otter live again" in opened.inner_text("#told")
        browser.close()
