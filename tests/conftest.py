"""What tests of several rooms share."""

import socket
import threading

import pytest


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
