"""TCP sockets by state, against connections that are made here, and where they cannot be counted."""

import errno
import socket
import time

import pytest

from reditus.recorder import socket_states
from reditus.recorder.socket_states import REST_NS, SocketStates

pytestmark = pytest.mark.kernel


def counted(probe=None, now_ns=0):
    columns, values = (probe or SocketStates()).read(now_ns)
    return {column.attributes[0][1]: int(value) for column, value in zip(columns, values, strict=True)}


def until(wanted, before):
    """States change when the kernel has done its part."""
    end_s = time.monotonic() + 20
    while time.monotonic() < end_s:
        now = counted()
        if all(now[state] - before[state] >= more for state, more in wanted.items()):
            return now
        time.sleep(0.02)
    pytest.fail(f"from {before} to {now}, not {wanted} more")


def test_a_program_that_forgets_to_close_is_seen():
    before = counted()
    with socket.create_server(("127.0.0.1", 0)) as server:
        clients = [socket.create_connection(server.getsockname()) for _ in range(3)]
        accepted = [server.accept()[0] for _ in range(3)]
        assert counted()["listen"] >= before["listen"] + 1
        for client in clients:
            client.close()
        # The clients wait for the other side, which has not closed.
        until({"close_wait": 3, "fin_wait_2": 3}, before)
        for each in accepted:
            each.close()


def test_both_versions_are_counted():
    before = counted()
    with socket.create_server(("::1", 0), family=socket.AF_INET6):
        until({"listen": 1}, before)


def test_too_many_are_left_out_for_a_while(monkeypatch):
    monkeypatch.setattr(socket_states, "MOST", 0)
    probe = SocketStates()
    with socket.create_server(("127.0.0.1", 0)):
        assert counted(probe, 1) == {}
        monkeypatch.setattr(socket_states, "MOST", 1_000_000)
        assert counted(probe, 2) == {}
        assert counted(probe, REST_NS + 2)["listen"] >= 1


def test_a_kernel_without_socket_diagnosis_is_left_alone(monkeypatch):
    def refused(*_):
        raise OSError(errno.EPROTONOSUPPORT, "no such thing")

    monkeypatch.setattr(socket_states, "states_of", refused)
    assert counted() == {}
