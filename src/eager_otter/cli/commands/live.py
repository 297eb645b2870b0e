"""`eager-otter live`: the plan's tables in the browser, made again whenever a file is saved."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from eager_otter.cli.options import (
    NAMED_AFTER,
    cache_option,
    changed,
    language_option,
    people_options,
    read_named_plan,
    spoken,
    tell_hints,
    tell_who_is_counted,
)
from eager_otter.gates.streams import echo

if TYPE_CHECKING:
    from eager_otter.live.session import LiveSession, Shown
    from eager_otter.plan.plan import Plan


@click.command(short_help="Show tables in the browser, made again on saving.")
@click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.yaml"))
@click.option(
    "--port", type=click.IntRange(0, 65535), default=0, help="A port of this machine. Default: any free one."
)
@click.option("--no-browser", is_flag=True, help="Open no browser; the address is printed.")
@language_option
@cache_option
@people_options
def live(plan: Path, port: int, no_browser: bool, language: str | None, **people: Any) -> int:
    """Show the tables of a PLAN (default: plan.yaml) in the browser, made again as its files are saved.

    Plan, codebook, theme, catalogue and data are watched; only what changed is made again, and the page stays at the
    table that is looked at. Mistakes are shown on the page and here, with file, line and place, over the last good
    tables. The address answers this machine alone. Ctrl-C ends it.

    \b
    eager-otter live
    eager-otter live plan.yaml --filter 'wave == "Autumn"'
    """
    from eager_otter.live.serving import server_for
    from eager_otter.live.session import LiveSession
    from eager_otter.live.watching import states_of, wait_for_change

    def read(path: Path) -> Plan:
        return spoken(changed(read_named_plan(path, NAMED_AFTER), **people), language)

    session = LiveSession(plan, read)
    server = server_for(session, port)
    stop = threading.Event()
    try:
        states = states_of(session.watched())
        _tell(session.refresh(), session, first=True, filter_text=people["filter_text"])
        server.start()
        echo(f"Live at {server.address} (this machine alone; Ctrl-C ends it)")
        if not no_browser:
            click.launch(server.address)
        while wait_for_change(states_of(session.watched()) | states, stop):
            states = states_of(session.watched())  # what is saved from here on makes them again
            before = _plan_of(session)
            _tell(session.refresh(), session, before=before)
    except KeyboardInterrupt:
        echo("Ended.", err=True)
    finally:
        server.stop()
    return 0


def _plan_of(session: LiveSession) -> Plan | None:
    """Return the plan of the last good tables."""
    return None if session.report is None else session.report.plan


def _tell(
    shown: Shown,
    session: LiveSession,
    *,
    first: bool = False,
    before: Plan | None = None,
    filter_text: str | None = None,
) -> None:
    """Say in the terminal what was made, or what is wrong; hints only that the plan `before` did not give."""
    from datetime import datetime

    if shown.mistake:
        echo(f"Error: {shown.mistake}", err=True)
        return
    if first and session.report is not None and session.report.survey is not None:
        tell_who_is_counted(session.report.survey, session.report.plan, filter_text)
        for note in session.left_out:
            echo(f"Note: {note}", err=True)
    plan = _plan_of(session)
    if not first and plan is not None:
        tell_hints(plan, () if before is None else before.hints)
    now = datetime.now().astimezone().strftime("%H:%M:%S")
    echo(f"{now}  {shown.told}")
