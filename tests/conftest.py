"""What tests of several rooms share."""

import faulthandler
import gc
import os
import socket
import threading

import pytest
from _pytest.faulthandler import fault_handler_stderr_fd_key
from hypothesis import settings

from tests.told import checked
from vettore.cli import main

# One profile for everybody, so that a property that holds here holds on the next machine and on a busy one: always the same
# examples, as long as they take. ``make explore`` looks for new ones; what it finds becomes an ``@example``.
settings.register_profile("vettore", derandomize=True, deadline=None, print_blob=True)
settings.register_profile("explore", settings.get_profile("vettore"), derandomize=False, database=None)
settings.load_profile(os.environ.get("VETTORE_PROPERTIES", "vettore"))

# As in the program: what is loaded stays, and nobody need look through it again and again.
gc.freeze()
gc.set_threshold(20_000, 20, 50)


# No test lasts so many seconds, however busy the machine; one that does will not end at all.
LASTS = float(os.environ.get("VETTORE_TEST_LASTS", "600"))


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item):
    """End the process of a test that hangs, so that it is told by its name and with where each thread stood."""
    faulthandler.dump_traceback_later(LASTS, exit=True, file=item.config.stash[fault_handler_stderr_fd_key])
    try:
        return (yield)
    finally:
        faulthandler.cancel_dump_traceback_later()


@pytest.fixture
def listener():
    """A socket on the loopback that notes whether anybody calls."""
    calls, server = [], socket.create_server(("127.0.0.1", 0))
    server.settimeout(0.05)
    over = threading.Event()

    def wait():
        while not over.is_set():
            try:
                calls.append(server.accept())
            except TimeoutError:
                continue

    thread = threading.Thread(target=wait)
    thread.start()
    yield server.getsockname()[1], calls
    over.set()
    thread.join()
    server.close()


@pytest.fixture
def run(capsys):
    """Run the command line; return its exit code, its output and its complaint."""

    def run_it(*arguments):
        with pytest.raises(SystemExit) as left:
            main([str(one) for one in arguments])
        told = capsys.readouterr()
        if "--json" in arguments and told.out:
            checked(told.out)
        return left.value.code, told.out, told.err

    return run_it
