"""A process beside a window that prints its reports: the native code in it meets no other thread, and may break down.

It is started when something is first printed and ends with the window's process, whose end closes its input. The two talk in
pickles, which is safe between a process and its own child: the child asks for figures as it comes to them, since only the
window's process can draw them.
"""

from __future__ import annotations

import atexit
import os
import pickle
import subprocess
import sys
import threading
from collections.abc import Callable
from typing import IO, Any

from vettore.core.errors import Fault, VettoreError
from vettore.report.renderers.printing import Choose, Page, Picture, pictures_here, print_here

COMMAND: tuple[str, ...] = ("-m", "vettore.report.press")
BROKEN = "The report could not be printed: the process that lays out its pages broke down. Try it once more."
# A process that breaks down is begun anew as often.
TRIES = 2


class Press:
    """The process, from this side; threads that print take turns."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._child: subprocess.Popen[bytes] | None = None
        self._end_registered = False

    def print(self, page: Page, figure: Callable[[int], bytes], choose: Choose | None = None) -> bytes:
        """Print a page; see ``printing.Printer``. Raises VettoreError when that is beyond the process."""
        data: bytes = self._ask(("print", page, choose is not None), {"figure": figure, "choose": choose})
        return data

    def pictures(self, data: bytes, scale: float) -> tuple[list[Picture], tuple[int, ...]]:
        """Return pictures of the pages of a PDF; see ``printing.pictures_here``."""
        pictures: list[Picture] = []
        chapters: tuple[int, ...] = self._ask(("pictures", data, scale), {"picture": pictures.append}, pictures.clear)
        return pictures, chapters

    def end(self) -> None:
        """End the process; it is begun anew when something is printed."""
        with self._lock:
            self._end()

    def _ask(
        self, request: tuple[Any, ...], answers: dict[str, Any], begin: Callable[[], object] = lambda: None
    ) -> Any:
        """Hand over a request, give what is asked for meanwhile, and return what came of it."""
        with self._lock:
            for _ in range(TRIES):
                begin()
                child = self._running()
                assert child.stdin is not None
                assert child.stdout is not None
                try:
                    _send(child.stdin, request)
                    return self._talk(child.stdin, child.stdout, answers)
                except (OSError, EOFError, pickle.UnpicklingError):
                    self._end()
                except BaseException:
                    # In the middle of a talk the process would wait for an answer for ever.
                    self._end()
                    raise
        raise VettoreError(BROKEN, Fault.CANNOT_WRITE)

    def _talk(self, out: IO[bytes], back: IO[bytes], answers: dict[str, Any]) -> Any:
        while True:
            kind, value = pickle.load(back)
            if kind == "done":
                return value
            if kind == "failed":
                raise VettoreError(value, Fault.CANNOT_WRITE)
            answer = answers[kind](value)
            if kind != "picture":
                _send(out, list(answer) if kind == "choose" else answer)

    def _running(self) -> subprocess.Popen[bytes]:
        if self._child is None or self._child.poll() is not None:
            self._end()
            self._child = subprocess.Popen(
                [sys.executable, *COMMAND], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            )
            if not self._end_registered:
                atexit.register(self.end)
                self._end_registered = True
        return self._child

    def _end(self) -> None:
        child, self._child = self._child, None
        if child is None:
            return
        child.kill()
        child.wait()
        for pipe in (child.stdin, child.stdout):
            assert pipe is not None
            try:
                pipe.close()
            except OSError:
                continue


PRESS = Press()


def _send(out: IO[bytes], value: object) -> None:
    pickle.dump(value, out, pickle.HIGHEST_PROTOCOL)
    out.flush()


def _serve(i_o: IO[bytes], out: IO[bytes]) -> None:
    """Answer requests until there are no more."""

    def fetch(kind: str, value: object) -> Any:
        _send(out, (kind, value))
        return pickle.load(i_o)

    while True:
        try:
            kind, *rest = pickle.load(i_o)
        except EOFError:
            return
        try:
            if kind == "print":
                page, chooses = rest
                choose = (lambda count: fetch("choose", count)) if chooses else None
                done: object = print_here(page, lambda place: fetch("figure", place), choose)
            else:
                pictures, done = pictures_here(*rest)
                for picture in pictures:
                    _send(out, ("picture", picture))
        except (EOFError, BrokenPipeError):
            return
        except Exception as error:
            _send(out, ("failed", f"The report could not be printed ({type(error).__name__}: {error})."))
            continue
        _send(out, ("done", done))


def main() -> None:
    # What a library prints must not get between the answers.
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    _serve(sys.stdin.buffer, out)


if __name__ == "__main__":
    main()
