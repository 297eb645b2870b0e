"""`eager-otter explain`: the working of one cell."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from eager_otter.cli import completing
from eager_otter.cli.options import (
    changed,
    force_option,
    people_options,
    plan_option,
    read_named_plan,
    tell_who_is_counted,
)
from eager_otter.errors import RequestError, UnknownName, shown_path
from eager_otter.gates.streams import echo, show
from eager_otter.looks.words import counted

if TYPE_CHECKING:
    from eager_otter.tables.table import Table


@click.command(short_help="Show how a cell of a table came about.")
@click.argument("table", shell_complete=completing.tables)
@click.argument("row", required=False)
@click.argument("column", required=False)
@click.option(
    "--figure", metavar="FIGURE", help="Which figure of the row, where it has several: 'count', 'mean'."
)
@click.option(
    "--records",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write the respondents behind the cell, with all their columns, to this CSV file.",
)
@click.option("--format", "shape", type=click.Choice(["text", "json"]), default="text", show_default=True)
@force_option
@plan_option
@people_options
def explain(
    table: str,
    row: str | None,
    column: str | None,
    figure: str | None,
    records: Path | None,
    shape: str,
    force: bool,
    plan_path: Path,
    **people: Any,
) -> None:
    """Show how a cell came about: who is counted, the formula with its numbers, the test behind each letter.

    TABLE is a table's id (`eager-otter run --list`), ROW a row's label or code, COLUMN a column's label, code or
    letter, or 'group: label'. The rows and columns of a TABLE are told where you name none.

    \b
    eager-otter explain heard_of Tarn Autumn
    eager-otter explain liking Mean 'Age: 55+' --records those.csv
    """
    from eager_otter.gates.writing import check_targets, write_rows, written_beside
    from eager_otter.plan.reading import only_tables
    from eager_otter.report.running import run

    plan = changed(read_named_plan(plan_path), **people)
    if records is not None:
        check_targets([records], inputs=plan.inputs, force=force)
    report = run(only_tables(plan, [table]))
    assert report.survey is not None
    tell_who_is_counted(report.survey, plan, people["filter_text"])
    table_made = report.tables[0]
    if row is None or column is None:
        raise RequestError(f"Name a row and a column of {table_made.id}.\n{_rows_and_columns(table_made)}")
    try:
        explanation = table_made.explain(row, column, figure)
    except UnknownName as error:
        told = "" if "Did you mean" in str(error) else f"\n{_rows_and_columns(table_made)}"
        raise RequestError(f"{error}{told}") from error
    if shape == "json":
        from eager_otter.gates.text import as_json

        echo(as_json(explanation.as_dict(), indent=2))
    else:
        from eager_otter.report.explain_view import explain_view

        show(explain_view(explanation))
    if records is not None:
        frame = report.records(table_made.id, row, column, figure)
        with written_beside([records], inputs=report.inputs, force=force) as (part,):
            write_rows(part, list(frame.columns), frame.itertuples(index=False))
        echo(f"{shown_path(records)}  ({counted(len(frame), 'respondent')})", err=True)


def _rows_and_columns(table: Table) -> str:
    """List what a row and a column of a table may be called: columns by their groups, each row once."""
    rows = dict.fromkeys(line.label for line in table.lines)
    groups: dict[str, list[str]] = {}
    for one in table.columns:
        groups.setdefault(one.group, []).append(one.label)
    columns = "".join(
        f"\n  {group}: {', '.join(labels)}" if group else f" {', '.join(labels)}"
        for group, labels in groups.items()
    )
    return f"Rows: {', '.join(rows)}\nColumns:{columns}"
