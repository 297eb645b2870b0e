"""`eager-otter`: the commands, and the one place that turns errors into messages.

Exit codes: 0 done, 1 an audit or comparison found something, 2 the input is wrong, 3 a bug in the program
(its traceback goes to a file).
"""

from __future__ import annotations

import sys
import tempfile
import traceback
from pathlib import Path

import click

from eager_otter import __version__
from eager_otter.cli.commands import (
    audit,
    chart,
    compare,
    demo,
    draft,
    explain,
    export,
    findings,
    look,
    questions,
    run,
    schema,
    texts,
    weigh,
    words,
)
from eager_otter.errors import OtterError

WRONG_INPUT, BUG = 2, 3


@click.group(context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="eager-otter")
def commands() -> None:
    """Survey tables you can defend: banner crosstabs from a codebook and a plan.

    Start with `eager-otter demo`: it makes a survey to play with and its report.
    """


for command in (
    demo.demo,
    draft.draft,
    audit.audit,
    questions.questions,
    look.look,
    run.run,
    explain.explain,
    findings.findings,
    compare.compare,
    chart.chart,
    weigh.weigh,
    texts.texts,
    export.export,
    words.words,
    schema.schema,
):
    commands.add_command(command)


def main(arguments: list[str] | None = None) -> None:
    """Run the command line and leave with its exit code."""
    try:
        code = commands.main(arguments, standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except click.exceptions.Abort:
        click.echo("Stopped.", err=True)
        sys.exit(130)
    except click.ClickException as error:
        error.show()
        sys.exit(WRONG_INPUT)
    except OtterError as error:
        click.echo(f"Error: {error}", err=True)
        sys.exit(WRONG_INPUT)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(0)
    except Exception as error:  # noqa: BLE001 - the one place where a bug becomes a message
        click.echo(_bug_message(error), err=True)
        sys.exit(BUG)


def _bug_message(error: Exception) -> str:
    with tempfile.NamedTemporaryFile(
        "w", prefix="eager-otter-", suffix=".log", delete=False, encoding="utf-8"
    ) as log:
        log.write(f"eager-otter {__version__}, Python {sys.version}\n{' '.join(sys.argv)}\n\n")
        log.write("".join(traceback.format_exception(error)))
    return (
        f"This is a bug in eager-otter, not in your files: {type(error).__name__}: {error}\n"
        f"What happened is written to {Path(log.name)}. Please report it with that file."
    )


if __name__ == "__main__":
    main()
