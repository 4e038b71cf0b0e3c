"""What tests of several rooms share."""

import gc
import os
import socket
import threading

import pytest
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
