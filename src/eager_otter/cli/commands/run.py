"""`eager-otter run`: make the report of a plan."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from eager_otter.cli.options import changed, language_option, people_options, spoken
from eager_otter.errors import shown_path

if TYPE_CHECKING:
    from eager_otter.plan.plan import Plan


@click.command()
@click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.yaml"))
@click.option(
    "--output",
    "-o",
    "outputs",
    multiple=True,
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write this file instead of the plan's outputs; may be given several times. By its ending: .xlsx .html .pdf "
    ".pptx .csv .parquet .json .md .txt",
)
@click.option(
    "--only", multiple=True, metavar="ID", help="Make only this table; may be given several times, with *."
)
@click.option("--list", "listing", is_flag=True, help="List the tables that would be made, and make none.")
@click.option(
    "--spell-out",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write the plan with every table spelled out, beside the plan, and make no table.",
)
@click.option("--force", is_flag=True, help="Overwrite outputs that eager-otter did not make.")
@language_option
@people_options
def run(
    plan: Path,
    outputs: tuple[Path, ...],
    only: tuple[str, ...],
    listing: bool,
    spell_out: Path | None,
    force: bool,
    language: str | None,
    **people: Any,
) -> None:
    """Make the report of a PLAN (default: plan.yaml) and write its outputs.

    The plan and its codebook are checked first; every mistake in them is listed with file, line and column
    before any data are read, and nothing is written.
    """
    from eager_otter.plan.reading import only_tables, read_plan

    checked = spoken(changed(read_plan(plan), **people), language)
    if only:
        checked = only_tables(checked, only)
    if listing:
        from rich.console import Console

        from eager_otter.report.listing import requests_view

        Console(highlight=False).print(requests_view(checked.requests))
        return
    if spell_out is not None:
        _spell_out(checked, spell_out)
        return
    make_and_save(checked, outputs, force=force)


def _spell_out(plan: Plan, path: Path) -> None:
    """Write a plan in full; a file that is there is not overwritten."""
    from dataclasses import replace

    from eager_otter.errors import FileProblem
    from eager_otter.plan.writing import plan_text
    from eager_otter.report.places import written_beside

    if path.exists():
        raise FileProblem(f"{shown_path(path)}: is there already; name another file, or move it away.")
    text = plan_text(replace(plan, path=path))
    with written_beside([path]) as (beside,):
        beside.write_text(text, encoding="utf-8")
    click.echo(shown_path(path))


def make_and_save(plan: Plan, outputs: tuple[Path, ...], *, force: bool = False) -> None:
    """Make a report with a progress line, write it, and tell where it lies."""
    from eager_otter.cli.progress import progress_line
    from eager_otter.report.report import run as make_report

    with progress_line() as tell:
        report = make_report(plan, progress=tell)
        written = report.save(*outputs, progress=tell, force=force)
    click.echo(f"{len(report.tables)} tables from {report.source}", err=True)
    for path in written:
        click.echo(f"{shown_path(path)}  ({size_text(path.stat().st_size)})")


def size_text(size: int) -> str:
    """Give a file's size for people.

    >>> size_text(900), size_text(1_500_000)
    ('1 kB', '1.5 MB')
    """
    return f"{max(1, round(size / 1000)):,} kB" if size < 1_000_000 else f"{size / 1_000_000:,.1f} MB"
