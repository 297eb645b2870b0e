"""`eager-otter`: where a command begins, and where whatever stops it becomes an exit code and a message.

Exit codes: 0 done, 1 an audit or comparison found something, 2 the input is wrong, 3 a fault of the program (its
traceback goes to a file), 130 stopped by the keyboard. What needs time to load is loaded within the guard.
"""

from __future__ import annotations

import gc
import io
import os
import signal
import sys
import threading
from collections.abc import Mapping
from contextlib import suppress
from types import FrameType
from typing import Any, NoReturn

DONE, WRONG_INPUT, FAULT, STOPPED = 0, 2, 3, 130
PROGRAM = "eager-otter"
MOMENT = 0.02  # seconds
SELDOM = (200_000, 20, 50)  # objects made before cycles of them are looked for: nearly all live to the end


def main(arguments: list[str] | None = None) -> NoReturn:
    """Run the command line and leave with its exit code."""
    if arguments is None:
        gc.set_threshold(*SELDOM)
        # plugins are nobody's here, and all packages would be looked over for them
        os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    interrupts = _Interrupts()
    try:
        code = Process().alone(sys.argv[1:] if arguments is None else arguments, interrupts)
    except KeyboardInterrupt:
        code = _stopped()
    if arguments is not None:
        interrupts.no_more(interrupts.before)
    elif code == STOPPED:
        _leave_at_once(code)
    else:
        interrupts.no_more()
        gc.freeze()  # the process ends: nothing is gained by looking once more for what could be freed
    sys.exit(code)


def _leave_at_once(code: int) -> NoReturn:
    """Leave with a code of ours: where an interrupt fell into an `exec`, the interpreter would end with its own."""
    for stream in (sys.stdout, sys.stderr):
        with suppress(OSError, ValueError, AttributeError):
            stream.flush()
    os._exit(code)


class _Interrupts:
    """Hears Ctrl-C, and remembers it where a library makes another error of it."""

    def __init__(self) -> None:
        self.heard = False
        self.hook, sys.unraisablehook = sys.unraisablehook, self._again
        try:
            self.before: Any = signal.signal(signal.SIGINT, self._stop)
        except ValueError:  # in a thread of somebody else's program
            self.before = None

    def _stop(self, _: int, __: FrameType | None) -> NoReturn:
        self.heard = True
        raise KeyboardInterrupt

    def _again(self, unraised: Any) -> None:
        """Raise once more, in a moment, an interrupt that fell where none can be raised; tell others as usual."""
        if issubclass(unraised.exc_type, KeyboardInterrupt):
            threading.Timer(MOMENT, os.kill, (os.getpid(), signal.SIGINT)).start()
        else:
            self.hook(unraised)

    def no_more(self, then: Any = signal.SIG_IGN) -> None:
        """Hear no more of them."""
        sys.unraisablehook = self.hook
        if self.before is not None:
            signal.signal(signal.SIGINT, then)


class Process:
    """The process that commands run in, one or, at the prompt, several; they find it as the object of their context.

    `left` is what one of them leaves for the next, where the process `goes_on`.
    """

    def __init__(self) -> None:
        self.goes_on = False
        self.left: dict[str, Any] = {}

    def answer(self, arguments: list[str], usual: Mapping[str, Any]) -> int:
        """Run one of several commands, where `usual` are its defaults: its exit code.

        Raises OSError where results cannot be shown any more.
        """
        self.goes_on = True
        interrupts = _Interrupts()
        try:
            return self._code(arguments, interrupts, usual)
        except KeyboardInterrupt:
            return _stopped()
        finally:
            interrupts.no_more(interrupts.before)

    def alone(self, arguments: list[str], interrupts: _Interrupts) -> int:
        """Run the only command, or the one that runs others: its exit code."""
        try:
            return self._code(arguments, interrupts, None)
        except OSError as lost:
            return _stopped() if interrupts.heard else _not_shown(lost)

    def _code(self, arguments: list[str], interrupts: _Interrupts, usual: Mapping[str, Any] | None) -> int:
        try:
            code = _run(arguments, self, usual)
            return _stopped() if interrupts.heard and code != DONE else code
        except BaseException as fault:
            if isinstance(fault, OSError) and fault.filename is None:
                raise  # what writes files tells of them; this is stdout
            interrupts.no_more()
            return _stopped() if interrupts.heard else _code_of(fault)


NO_MEMORY = (
    "Error: there is not enough memory for this. Filter the data, or make fewer tables at once (--only)."
)


def _code_of(fault: BaseException) -> int:
    """Say what stopped a command: an exit code."""
    match fault:
        case KeyboardInterrupt():
            return _stopped()
        case MemoryError():
            return _tell(NO_MEMORY)
        case ImportError() if "failed to map segment" in str(fault):  # a library that there is no room for
            return _tell(NO_MEMORY)
    return _tell_fault(fault)


def _run(arguments: list[str], process: Process, usual: Mapping[str, Any] | None) -> int:
    """Run a command, where `usual` are its defaults: its exit code."""
    import click

    from eager_otter.cli.completing import completed
    from eager_otter.cli.program import commands
    from eager_otter.errors import OtterError
    from eager_otter.gates.streams import ready_streams

    ready_streams()
    answered = completed(commands)
    if answered is not None:
        return answered
    for argument in arguments:
        if not _can_be_typed(argument):
            return _tell(f"Error: {argument}: holds a character that no file's name can hold; leave it out.")
    try:
        with commands.make_context(PROGRAM, list(arguments), obj=process, default_map=usual) as context:
            code = commands.invoke(context)
        for stream in filter(None, (sys.stdout, sys.stderr)):
            stream.flush()
    except click.exceptions.Exit as left:
        return int(left.exit_code)
    except (click.exceptions.Abort, EOFError):
        return _stopped()
    except click.ClickException as error:
        message = io.StringIO()
        error.show(message)
        return _tell(message.getvalue().rstrip("\n") + _hint_of(error))
    except OtterError as error:
        return _tell(f"Error: {error}")
    return code if isinstance(code, int) else DONE


def _hint_of(error: Exception) -> str:
    """Return what helps with a mistake on the command line: where the shell parts words, what options there are."""
    import click

    from eager_otter.cli.options import parted_words

    if isinstance(error, click.NoSuchOption) and not error.possibilities and error.ctx is not None:
        options = [
            one for one in error.ctx.command.params if isinstance(one, click.Option) and not one.hidden
        ]
        return f"\nOptions of {error.ctx.info_name}: {', '.join(max(one.opts, key=len) for one in options)}"
    if "unexpected extra argument" not in str(error):
        return ""
    return parted_words(str(error).partition("(")[2].rstrip(").").split())


def _can_be_typed(argument: str) -> bool:
    try:
        return b"\0" not in os.fsencode(argument)
    except UnicodeEncodeError:
        return False


def _tell(message: str) -> int:
    from eager_otter.gates.streams import echo

    echo(message, err=True)
    return WRONG_INPUT


def _stopped() -> int:
    if sys.stderr is not None:
        sys.stderr.write("Stopped.\n")
    return STOPPED


def _not_shown(lost: OSError) -> int:
    """Leave where nothing can be shown any more, quietly where whoever read the output has seen enough."""
    _close_quietly()
    if isinstance(lost, BrokenPipeError):
        return DONE
    return _tell(f"Error: What was to be shown cannot be written ({lost.strerror or lost}).")


def _close_quietly() -> None:
    """Let nothing more be written to stdout, also not by the interpreter as it ends."""
    try:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    except (OSError, ValueError, AttributeError):
        sys.stdout = None


def _tell_fault(fault: BaseException) -> int:
    """Write the traceback of a fault to a file, and say where it is."""
    import tempfile
    import traceback

    from eager_otter.gates.streams import echo
    from eager_otter.version import __version__

    text = f"This is a fault of eager-otter, not of your files: {type(fault).__name__}: {fault}"
    try:
        with tempfile.NamedTemporaryFile(
            "w",
            prefix=f"{PROGRAM}-",
            suffix=".log",
            delete=False,
            encoding="utf-8",
            errors="backslashreplace",
        ) as log:
            log.write(f"{PROGRAM} {__version__}, Python {sys.version}\n{' '.join(sys.argv)}\n\n")
            log.write("".join(traceback.format_exception(fault)))
        text += f"\nWhat happened is written to {log.name}. Please report it with that file."
    except OSError:
        text += "\nPlease report it, and how it came about."
    echo(text, err=True)
    return FAULT


if __name__ == "__main__":
    main()
