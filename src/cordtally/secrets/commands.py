"""``exec:NAME``: what a command prints that the tally declares and its user has vouched for; ``#/user`` picks a part.

The part behind ``#`` is a JSON pointer into what it prints. It runs without a shell, in the tally's folder, with no
input, for a limited time; what it says on standard error is not shown, since that may be a secret, too.
"""

from __future__ import annotations

import os
import signal
import subprocess
from collections.abc import Mapping, Sequence

from ..deadline import Deadline, NoAnswer
from ..errors import FieldError, LocatorError
from .declarations import Command
from .pointers import check_pointer, parse_json, text_at
from .stores import LARGEST_SECRET, Described, ReadOnly, Surroundings
from .vouching import is_vouched, program_of


class Commands(ReadOnly):
    """Secrets that commands print."""

    scheme = "exec"
    expires = False

    def get(self, rest: str, around: Surroundings) -> str:
        """Run the command."""
        return self.get_together([rest], around)[0]

    def get_together(self, rests: Sequence[str], around: Surroundings) -> list[str]:
        """Give several parts of what one run of a command prints."""
        command = _command(around)
        printed = _printed(command, around)
        what, found = f"exec: {command.name}", list[str]()
        for rest in rests:
            _, mark, pointer = rest.partition("#")
            if mark:
                found.append(text_at(parse_json(printed, what), _pointer(pointer), what))
            else:
                found.append(printed.removesuffix("\n").removesuffix("\r"))
        return found

    def put_together(self, secrets: Mapping[str, str], around: Surroundings) -> None:
        """Refuse."""
        self.put(next(iter(secrets)), "", around)

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List nothing: what a command knows is its own."""
        return []

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell which program prints it."""
        return Described(f"printed by {program_of(_command(around))}")


def _command(around: Surroundings) -> Command:
    if not isinstance(around.declared, Command):
        raise LocatorError("exec: no tally declares the command: exec: locators are for a tally with [commands.NAME]")
    return around.declared


def _pointer(text: str) -> str:
    try:
        return check_pointer(text)
    except FieldError as error:
        raise LocatorError(f"exec: {error}") from None


def _printed(command: Command, around: Surroundings) -> str:
    program = program_of(command)
    if not is_vouched(command):
        raise LocatorError(
            f"exec: the command {command.name} runs only after you have vouched for it: look at what it runs, then: "
            f"cordtally secret vouch {command.name}"
        )
    try:
        process = subprocess.Popen(
            [program, *command.run[1:]],
            cwd=command.folder,
            env=dict(around.environ),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            start_new_session=os.name == "posix",  # so that all that it starts ends with it
        )
    except OSError as error:
        why = os.strerror(error.errno or 0)
        raise LocatorError(f"exec: the command {command.name} cannot be started ({why})") from None
    with process:
        try:
            output = _read(process, command)
        except BaseException:
            _end(process)
            raise
    if process.returncode != 0:
        raise LocatorError(
            f"exec: the command {command.name} ended with status {process.returncode}; what it says is not shown, as "
            "it may hold a secret: run it by hand"
        )
    try:
        return output.decode("utf-8")
    except UnicodeDecodeError:
        raise LocatorError(f"exec: the command {command.name} prints no text in UTF-8") from None


def _read(process: subprocess.Popen[bytes], command: Command) -> bytes:
    assert process.stdout is not None
    stream, deadline = process.stdout, Deadline(command.time_limit)
    try:
        output = deadline.run(lambda: stream.read(LARGEST_SECRET + 1))
        if len(output) > LARGEST_SECRET:
            raise LocatorError(f"exec: the command {command.name} prints more than {LARGEST_SECRET:,} bytes")
        process.wait(deadline.left)
    except (NoAnswer, subprocess.TimeoutExpired):
        raise LocatorError(f"exec: the command {command.name} did not end within {command.time_limit:g} s") from None
    return output


def _end(process: subprocess.Popen[bytes]) -> None:
    try:
        if os.name == "posix":
            os.killpg(process.pid, signal.SIGKILL)
        else:
            process.kill()
    except ProcessLookupError:
        pass
