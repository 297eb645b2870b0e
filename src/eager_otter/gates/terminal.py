"""The gate for views in a terminal: survey text is text there, whatever it holds."""

from __future__ import annotations

from collections.abc import Iterable
from io import StringIO
from typing import Any, TextIO

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment
from rich.text import Text as RichText

from eager_otter.gates.text import held


class Text(RichText):
    """A text of a terminal view: what a terminal would obey is shown instead."""

    def __init__(self, text: str = "", style: str = "", **layout: Any) -> None:
        super().__init__(held(text), style, **layout)

    def append(self, text: Any, style: Any = None) -> Text:
        """Add a text, or a styled one."""
        super().append(held(text) if isinstance(text, str) else text, style)
        return self


class _Terminal(Console):
    """A console through which nothing passes that a terminal would obey, but its own styles."""

    def on_broken_pipe(self) -> None:
        """Leave it to the one place where a command ends what is done when nobody reads any more."""
        raise  # noqa: PLE0704 - called where the error is caught

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        """Return the pieces of a view."""
        for segment in super().render(renderable, options):
            text = segment.text if segment.control else held(segment.text)
            yield segment if text == segment.text else Segment(text, segment.style, segment.control)


def html_view(view: RenderableType, width: int) -> str:
    """Return a view as a piece of HTML, `width` characters wide: as the terminal shows it, with its styles."""
    console = _Terminal(
        file=StringIO(), record=True, width=width, highlight=False, markup=False, emoji=False, legacy_windows=False,
        color_system="truecolor", force_terminal=True, force_jupyter=False,
    )  # fmt: skip
    console.print(view, soft_wrap=False, crop=False)
    block = '<pre style="white-space: pre; overflow-x: auto; line-height: 1.3">{code}</pre>'
    return console.export_html(inline_styles=True, code_format=block)


def as_text(view: RenderableType, width: int) -> str:
    """Return a view as plain text, without styles or trailing blanks."""
    console = terminal(file=StringIO(), width=width)
    with console.capture() as capture:
        console.print(view, soft_wrap=False)
    return "\n".join(line.rstrip() for line in capture.get().splitlines())


def terminal(*, err: bool = False, file: TextIO | None = None, width: int | None = None) -> Console:
    """Return the console for stdout, for stderr (`err`), or for a file, without colours, `width` characters wide."""
    plain: dict[str, Any] = {} if file is None else {"color_system": None, "force_terminal": False}
    return _Terminal(
        stderr=err,
        file=file,
        width=width,
        highlight=False,
        markup=False,
        emoji=False,
        legacy_windows=False,
        **plain,
    )
