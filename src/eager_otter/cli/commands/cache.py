"""`eager-otter cache`: what is kept of data that are slow to read, and where."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from eager_otter.cli.options import CACHE, cache_option, kept_in
from eager_otter.gates.streams import echo
from eager_otter.gates.text import size_text
from eager_otter.looks.words import counted

if TYPE_CHECKING:
    from eager_otter.gates.cache import CachePlace


@click.command(short_help="Show or empty what is kept of data for the next time.")
@click.option("--empty", is_flag=True, help="Take away all that is kept.")
@cache_option
def cache(empty: bool) -> None:
    """Show what is kept of data that are slow to read, and where; or take it away.

    Commands keep columns of long CSV files, workbooks and the like as they stand in the data, for nobody but you to
    read, so that the next look is quick. What is kept is used only while the file is the same, byte for byte, and goes
    by itself when it was not used for 30 days. They also note which CSV files they wrote, so that the same command
    may write them again while nobody has changed them; and of long files, that their ids differ, that no row is blank,
    and what was counted for a look. The prompt keeps the lines that were typed. EAGER_OTTER_CACHE names another folder,
    or is off.

    \b
    eager-otter cache
    eager-otter cache --empty
    """
    kept = kept_in()
    if kept is None:
        echo(f"Nothing is kept: {CACHE} or --cache is off.")
        return
    if empty:
        size = kept.empty()
        echo(
            f"Taken away: {size_text(size)} in {kept.folder}" if size else f"{kept.folder}: nothing was kept."
        )
        return
    written, found, typed = kept.written(), kept.found(), kept.typed_size()
    if written:
        echo(
            f"{kept.folder}: notes of {counted(len(written), 'file')} that commands wrote, to know them again"
        )
    if found:
        echo(f"{kept.folder}: notes of what was found out about {counted(len(found), 'survey')}")
    if typed:
        echo(f"{kept.folder}: lines typed at the prompt ({size_text(typed)})")
    rows = [_row(place) for place in kept.places()]
    if not rows:
        if not (written or found or typed):
            echo(f"{kept.folder}: nothing is kept.")
        return
    echo(f"{kept.folder}: {size_text(sum(size for _, size in rows))} of {counted(len(rows), 'file')}")
    for text, size in rows:
        echo(f"  {text}  ({size_text(size)})")


def _row(place: CachePlace) -> tuple[str, int]:
    """Say what is kept of one file."""
    facts, size = place.facts() or {}, place.size()
    if "copy of" in facts:
        return f"{facts['copy of']}: a copy of the whole file", size
    paths, copies = facts.get("paths") or ["?"], facts.get("copies") or []
    columns = sum(len(names) for *_, names in copies)
    counts = place.remembered_counts()
    of_looks = f", counts of {counted(counts, 'look')}" if counts else ""
    return f"{Path(paths[0])}: {columns:,} of {len(facts.get('names') or ()):,} columns{of_looks}", size
