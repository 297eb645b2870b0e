"""The gate for lines: those that a person types, who can edit, recall and complete them, and those of stdin."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

from eager_otter.dataclass import dataclass
from eager_otter.errors import FileProblem

MOST_OF_LINES = 1 << 18  # bytes of a file of lines that were typed
FROM_STDIN = "the lines on the standard input"


@dataclass(frozen=True, slots=True)
class Offered:
    """What may stand for the last `length` signs of a line: the texts, and where `files` the names of files."""

    texts: tuple[str, ...] = ()
    length: int = 0
    files: bool = False


Offers = Callable[[str], Offered]


def _shortened(lines: Path) -> Path:
    """Leave the last lines of a file to which more are added each time."""
    with suppress(OSError, ValueError):
        if lines.stat().st_size > MOST_OF_LINES:
            kept = lines.read_bytes()[-MOST_OF_LINES // 2 :]
            lines.write_bytes(kept[kept.index(b"\n#") :])
    return lines


def is_typed() -> bool:
    """Say whether a person types the lines of stdin."""
    return sys.stdin is not None and sys.stdin.isatty()


def lines_on_stdin() -> Iterator[str]:
    """Go through the lines of stdin, which nobody types. Raises FileProblem for one that is no text."""
    if sys.stdin is None:
        return
    try:
        for line in sys.stdin:
            yield line.rstrip("\n")
    except UnicodeDecodeError as error:
        raise FileProblem(f"{FROM_STDIN}: one is not text in {error.encoding}.") from error


def lines_typed(mark: str, offers: Offers, before: Path | None = None) -> Iterator[str]:
    """Go through the lines that a person types after a mark, until Ctrl-D; Ctrl-C begins a line anew.

    `offers` says what the tab key offers at the end of what is typed so far. The file `before` holds lines that were
    typed earlier, which the arrow keys bring back, and gets these as well. The mark stands on stderr where that is
    seen, so that stdout holds results alone.
    """
    from prompt_toolkit import PromptSession
    from prompt_toolkit.completion import CompleteEvent, Completer, Completion, PathCompleter
    from prompt_toolkit.document import Document
    from prompt_toolkit.history import FileHistory, InMemoryHistory
    from prompt_toolkit.output.defaults import create_output

    class _Completer(Completer):
        def get_completions(self, document: Document, complete_event: CompleteEvent) -> Iterator[Completion]:
            offered = offers(document.text_before_cursor)
            if offered.files:
                typed = document.text_before_cursor
                name = typed[len(typed) - offered.length :]
                yield from PathCompleter(expanduser=False).get_completions(Document(name), complete_event)
            for text in offered.texts:
                yield Completion(text, start_position=-offered.length)

    seen = sys.stderr if sys.stderr is not None and sys.stderr.isatty() else sys.stdout
    session: PromptSession[str] = PromptSession(
        mark,
        output=create_output(stdout=seen),
        completer=_Completer(),
        complete_while_typing=False,
        history=InMemoryHistory() if before is None else FileHistory(_shortened(before)),
    )
    while True:
        try:
            yield session.prompt()
        except KeyboardInterrupt:
            continue
        except EOFError:
            return
